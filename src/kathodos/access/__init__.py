"""The heart: the catalogue compiled to arrays, and every question about reach answered from them. No I/O."""
