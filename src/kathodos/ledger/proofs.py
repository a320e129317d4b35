"""That some entries stand in the ledger, for whoever has no access to it: each with its path to a signed head."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import TYPE_CHECKING, Any

import msgspec
from msgspec.structs import asdict

from kathodos.errors import DataError
from kathodos.ledger import merkle
from kathodos.ledger.entries import Entry, entry_of, read_heads
from kathodos.ledger.keys import Head, is_signed
from kathodos.store.base import Reader
from kathodos.version import __version__

if TYPE_CHECKING:
    from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey, Ed25519PublicKey

_DOMAIN = b"kathodos report 1\n"  # so that a signature made for something else never passes for one of a report


class EntryProof(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """An entry as it is kept, and its path to the head (RFC 9162, 2.1.3), in hex."""

    entry: dict[str, Any]
    path: list[str]


class HeadLine(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A signed head, in hex."""

    size: int
    time: str
    root: str
    signature: str


class Proof(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What lies beside a report. `files`: the SHA-256 digest of each of its files; `key`: whose signature it bears.

    `program`: the version of this tool that made the files; proofs of the first do not say it.
    """

    subject: str
    files: dict[str, str]
    head: HeadLine
    entries: list[EntryProof]
    key: str
    signature: str = ""
    program: str | msgspec.UnsetType = msgspec.UNSET

    @property
    def _signed(self) -> bytes:
        return _DOMAIN + msgspec.json.encode(msgspec.structs.replace(self, signature=""), order="deterministic")

    def text(self) -> str:
        """The proof as a file."""
        import json

        return json.dumps(msgspec.to_builtins(self), ensure_ascii=False, indent=1, sort_keys=True) + "\n"

    def wrong(self, key: Ed25519PublicKey) -> list[str]:
        """What does not hold, in words: the signatures, and each entry's path to the head."""
        from cryptography.exceptions import InvalidSignature

        found = []
        try:
            key.verify(bytes.fromhex(self.signature), self._signed)
        except (InvalidSignature, ValueError):
            found.append("the proof does not bear the signature of this workspace")
        try:
            head = Head(
                self.head.size, self.head.time, bytes.fromhex(self.head.root), bytes.fromhex(self.head.signature)
            )
        except ValueError:
            return [*found, "its head cannot be read"]
        if not is_signed(head, key):
            found.append("its head does not bear the signature of this workspace")
        for it in self.entries:
            try:
                entry = Entry(**it.entry)
                path = [bytes.fromhex(part) for part in it.path]
                is_there = merkle.is_included(entry.leaf(), entry.number - 1, head.size, path, head.root)
            except (TypeError, ValueError):
                is_there = False
            if not is_there:
                found.append(f"entry {it.entry.get('number')} is not one of those that the head stands for")
        return found


def proof_of(
    reader: Reader, subject: str, numbers: Iterable[int], size: int, files: Mapping[str, str], key: Ed25519PrivateKey
) -> Proof:
    """The proof of some entries, against the head over the first `size` of them.

    Raises DataError where no head of that size is kept.
    """
    from cryptography.hazmat.primitives.serialization import Encoding, PublicFormat

    heads = {it.size: it for it in read_heads(reader)}
    if size not in heads:
        raise DataError(f"There is no signed head over {size} entries.", "See `kathodos ledger verify`.")

    nodes = {(level, position): value for level, position, value in reader.nodes()}

    def node(level: int, position: int) -> bytes:
        if (level, position) not in nodes:
            raise DataError("The ledger's tree is not whole.", "See what is missing with `kathodos ledger verify`.")
        return nodes[level, position]

    wanted, head = set(numbers), heads[size]
    entries = sorted((entry_of(row) for row in reader.entries() if row.number in wanted), key=lambda it: it.number)
    paths = [
        EntryProof(asdict(it), [part.hex() for part in merkle.inclusion_path(it.number - 1, size, node)])
        for it in entries
    ]
    public = key.public_key().public_bytes(Encoding.Raw, PublicFormat.Raw).hex()
    line = HeadLine(head.size, head.time, head.root.hex(), head.signature.hex())
    made = Proof(subject, dict(files), line, paths, public, program=__version__)
    return msgspec.structs.replace(made, signature=key.sign(made._signed).hex())
