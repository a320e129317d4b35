"""The signing key, kept outside the store, and the heads it has signed (Ed25519, RFC 8032)."""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar

import msgspec

from kathodos.errors import DataError
from kathodos.store.modes import OWNER, made

if TYPE_CHECKING:
    from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey, Ed25519PublicKey

K = TypeVar("K")
_LONGEST = 400  # letters of a line that holds a head
KEY, PUBLIC, WITNESS = "ledger.key", "ledger.pub", "ledger.heads"


class Head(msgspec.Struct, frozen=True):
    """A signed statement: at `time` the tree over the first `size` entries had this root."""

    size: int
    time: str
    root: bytes
    signature: bytes = b""

    def statement(self) -> bytes:
        """What is signed, in the canonical form of RFC 8785."""
        import rfc8785

        return rfc8785.dumps({"root": self.root.hex(), "size": self.size, "time": self.time})

    def line(self) -> str:
        """The head as one line of JSON, for an auditor to keep."""
        record = {"root": self.root.hex(), "signature": self.signature.hex(), "size": self.size, "time": self.time}
        return json.dumps(record)


class _Line(msgspec.Struct, forbid_unknown_fields=True):
    root: str
    signature: str
    size: int
    time: str


def read_head(line: str) -> Head:
    """The head that `line` holds. Raises ValueError where it holds none."""
    try:
        read = msgspec.json.decode(line, type=_Line)
        return Head(read.size, read.time, bytes.fromhex(read.root), bytes.fromhex(read.signature))
    except (msgspec.MsgspecError, ValueError, RecursionError) as error:
        raise ValueError("not a signed head") from error


class JunkLine(msgspec.Struct, frozen=True):
    """A line of the file of heads that holds none: its number, and whether it is the beginning of one."""

    number: int
    is_cut_short: bool


def kept_heads(file: str) -> list[Head]:
    """The heads in a file that an auditor kept, one a line. Raises DataError where it holds none."""
    lines = Path(file).read_text(encoding="utf-8", errors="replace").splitlines()
    try:
        heads = [read_head(line) for line in lines if line.strip()]
    except ValueError:
        heads = []
    if not heads:
        raise DataError(f"{file} holds no signed head.", "Give a file that `kathodos ledger head` wrote.")
    return heads


class Keys:
    """The key files of a workspace's folder."""

    def __init__(self, folder: Path, mode: int = OWNER) -> None:
        self.mode = mode
        self.private_file = folder / KEY
        self.public_file = folder / PUBLIC
        self.witness_file = folder / WITNESS

    def create(self) -> None:
        """Makes a new key that only its owner may read, and its public half for auditors."""
        from cryptography.hazmat.primitives import serialization as form
        from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

        key = Ed25519PrivateKey.generate()
        private = key.private_bytes(form.Encoding.PEM, form.PrivateFormat.PKCS8, form.NoEncryption())
        public = key.public_key().public_bytes(form.Encoding.PEM, form.PublicFormat.SubjectPublicKeyInfo)
        with os.fdopen(os.open(self.private_file, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as file:
            file.write(private)
        made(self.public_file, self.mode)
        self.public_file.write_bytes(public)

    def take(self, folder: Path) -> None:
        """Takes the keys over that lie in another folder: the public half, and the signing key where it is there."""
        given = Keys(folder)
        given.public()
        if given.private_file.exists():
            given.private()
            with os.fdopen(os.open(self.private_file, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as file:
                file.write(given.private_file.read_bytes())
        made(self.public_file, self.mode)
        self.public_file.write_bytes(given.public_file.read_bytes())

    def private(self) -> Ed25519PrivateKey:
        """The signing key. Raises DataError where it cannot be had."""
        from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
        from cryptography.hazmat.primitives.serialization import load_pem_private_key

        remedy = "Nothing was changed. Put the key back from its copy; without it no change can be signed."
        load = partial(load_pem_private_key, password=None)
        return _read_key(self.private_file, load, Ed25519PrivateKey, remedy)  # type: ignore[type-abstract]  # isinstance

    def public(self) -> Ed25519PublicKey:
        """The public half. Raises DataError where it cannot be had."""
        from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PublicKey
        from cryptography.hazmat.primitives.serialization import load_pem_public_key

        remedy = "Put it back from its copy; an auditor who kept one has the same key."
        load = load_pem_public_key
        return _read_key(self.public_file, load, Ed25519PublicKey, remedy)  # type: ignore[type-abstract]  # isinstance

    def fingerprint(self) -> str:
        """A short name for the key: the first half of the SHA-256 digest of its public half."""
        from cryptography.hazmat.primitives.serialization import Encoding, PublicFormat

        raw = self.public().public_bytes(Encoding.Raw, PublicFormat.Raw)
        return hashlib.sha256(raw).hexdigest()[:32]

    def must_take_heads(self) -> None:
        """Raises DataError where heads could not be noted: then nothing may be changed."""
        place = self.witness_file if self.witness_file.exists() else self.witness_file.parent
        if not os.access(place, os.W_OK):
            what = f"{self.witness_file} may not be written, and the head of each change is noted there."
            raise DataError(what, "Nothing was changed. Ask for write access to the folder, or work on a copy.")

    def witness(self, head: Head) -> None:
        """Notes a signed head outside the store, in one append, so that a shortened ledger is noticed."""
        with contextlib.suppress(FileExistsError):
            made(self.witness_file, self.mode)
        with self.witness_file.open("ab") as file:
            file.write(head.line().encode() + b"\n")

    def witness_new(self, head: Head) -> None:
        """Notes a head that others have signed, unless it or a later one is noted already."""
        if all(head.size > it.size for it in self.witnessed()):
            self.witness(head)

    def witnessed(self) -> list[Head]:
        """The heads noted outside the store. What a crash cut short is passed over, also where a line follows on it."""
        heads = []
        for line in self._lines():
            try:
                heads.append(read_head(line[max(line.rfind("{"), 0) :]))
            except ValueError:
                continue
        return heads

    def junk_lines(self) -> list[JunkLine]:
        """The lines that hold no head, or something before it; those that a crash cut short begin as one does."""
        found = []
        for number, line in enumerate(self._lines(), 1):
            start = max(line.rfind("{"), 0)
            before, rest = line[:start], line[start:]
            try:
                read_head(rest)
            except ValueError:
                before = line
            if before:
                found.append(JunkLine(number, len(before) < _LONGEST and before.isprintable() and _begins_as(before)))
        return found

    def _lines(self) -> list[str]:
        if not self.witness_file.exists():
            return []
        return self.witness_file.read_text(encoding="utf-8", errors="replace").splitlines()


def _begins_as(text: str) -> bool:
    """Whether a text is what is first written of a head."""
    form = '{"root": "'
    return form.startswith(text[: len(form)]) and all(it in "0123456789abcdef" for it in text[len(form) : 74])


def is_signed(head: Head, key: Ed25519PublicKey) -> bool:
    """Whether `key` signed `head`."""
    from cryptography.exceptions import InvalidSignature

    try:
        key.verify(head.signature, head.statement())
    except (InvalidSignature, ValueError):  # a text or a number that canonical JSON cannot hold
        return False
    return True


def _read_key(file: Path, load: Callable[[bytes], object], kind: type[K], remedy: str) -> K:
    try:
        key = load(file.read_bytes())
    except (OSError, ValueError, TypeError) as error:
        why = getattr(error, "strerror", None) or "it is not in PEM form"
        raise DataError(f"The key {file} cannot be read ({why}).", remedy) from error
    if not isinstance(key, kind):
        raise DataError(f"{file} is no Ed25519 key.", remedy)
    return key
