"""The audit trail: entries, the Merkle tree over them, signed heads, verification."""
