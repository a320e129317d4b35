"""Exchange files: roles written for another installation, readable, canonical and signed.

The content is signed in the canonical form of RFC 8785 with Ed25519 (RFC 8032). The file shows it with sorted keys, an
entry a line, so that two of them can be compared line by line.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Mapping, Sequence
from typing import TYPE_CHECKING, Any, Literal

import msgspec

from kathodos.analysis.role_entries import Entry, RoleKey
from kathodos.errors import DataError
from kathodos.model.forms import EXCHANGE

if TYPE_CHECKING:
    from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

_SHORT = 4  # values that stand on one line
_DEEPEST = 6  # brackets within brackets that such a file has
_ALTERED = "Nothing was taken. Ask whoever made the file for it again."


class EntryLine(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One permission of a role."""

    action: str
    resource: str
    effect: Literal["permit", "deny"] = "permit"

    @property
    def entry(self) -> Entry:
        """It as an entry."""
        return Entry(self.resource, self.action, self.effect)


class RoleBlock(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One role. `chosen`: it was asked for; else it is there because another needs it. `juniors`: as `system/role`.

    `companions`: reads that its writing needs and it lacks.
    """

    system: str
    role: str
    entries: list[EntryLine]
    title: str | None = None
    active: bool = True
    chosen: bool = True
    juniors: list[str] = []
    companions: list[EntryLine] = []

    @property
    def key(self) -> RoleKey:
        """What it is called."""
        return RoleKey(self.system, self.role)


class AreaBlock(msgspec.Struct, frozen=True, forbid_unknown_fields=True, rename={"excepted": "except"}):
    """An area on which one of the roles is given."""

    area: str
    resources: list[str]
    excepted: list[str] = []
    filter: str | None = None


class Made(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """When and by whom the file was made, and after which entry of the ledger there."""

    at: str
    by: str
    entry: int


class Content(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What an exchange file says."""

    format: Literal["kathodos-roles/1"]
    made: Made
    roles: list[RoleBlock]
    areas: list[AreaBlock] = []


class Signature(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Who signed the content: the public key and the signature, both in hexadecimal."""

    key: str
    value: str


class ExchangeFile(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A whole file."""

    content: Content
    signature: Signature

    @property
    def fingerprint(self) -> str:
        """A short name of the key that signed it, as `kathodos ledger head` calls one."""
        return fingerprint_of(bytes.fromhex(self.signature.key))


def fingerprint_of(key: bytes) -> str:
    """A short name of a public key: the first half of its SHA-256 digest."""
    return hashlib.sha256(key).hexdigest()[:32]


def schema() -> dict[str, Any]:
    """The JSON Schema of exchange files (draft 2020-12)."""
    made = msgspec.json.schema(ExchangeFile)
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Kathodos roles", **made}


def lines_of(entries: Iterable[Entry]) -> list[EntryLine]:
    """Entries as a file has them, in order."""
    return [EntryLine(it.action, it.resource, "deny" if it.effect == "deny" else "permit") for it in sorted(entries)]


def written(content: Content, key: Ed25519PrivateKey) -> str:
    """The text of a file with this content, signed."""
    from cryptography.hazmat.primitives.serialization import Encoding, PublicFormat

    public = key.public_key().public_bytes(Encoding.Raw, PublicFormat.Raw)
    plain = msgspec.to_builtins(content)
    signature = {"key": public.hex(), "value": key.sign(_canonical(plain)).hex()}
    return _readable({"content": plain, "signature": signature}, 0) + "\n"


def read_exchange(name: str, text: str) -> ExchangeFile:
    """The file that a text is. Raises DataError where it is none, or is not as it was signed."""
    try:
        if not text.strip():
            raise ValueError("it is empty")
        plain = json.loads(text)
        _must_be_flat(plain, _DEEPEST)
        EXCHANGE.must_be_known(name, (plain.get("content") or {}).get("format") if isinstance(plain, dict) else None)
        found = msgspec.convert(plain, ExchangeFile)
    except (ValueError, RecursionError, msgspec.ValidationError) as error:
        why = str(error).replace("`", "").splitlines()[0]
        if isinstance(error, json.JSONDecodeError):
            why = f"it is not JSON in line {error.lineno}, at character {error.colno}"
        raise DataError(f"{name} is no exchange file of roles: {why}.", _ALTERED) from None
    if not _is_signed(plain["content"], found.signature):
        raise DataError(f"{name} is not as it was signed: it was altered on the way, or cut off.", _ALTERED)
    return found


def _must_be_flat(value: Any, depth: int) -> None:
    """Raises ValueError where lists and tables stand in one another deeper than a file has them."""
    if isinstance(value, dict | list):
        if not depth:
            raise ValueError("lists and tables stand in one another too deep")
        for part in value.values() if isinstance(value, dict) else value:
            _must_be_flat(part, depth - 1)


def _is_signed(content: Any, signature: Signature) -> bool:
    from cryptography.exceptions import InvalidSignature
    from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PublicKey

    try:
        key = Ed25519PublicKey.from_public_bytes(bytes.fromhex(signature.key))
        key.verify(bytes.fromhex(signature.value), _canonical(content))
    except (InvalidSignature, ValueError):
        return False
    return True


def _canonical(content: Any) -> bytes:
    """The canonical JSON (RFC 8785) of what a file can say: texts, whole numbers, truth, and tables with plain keys.

    Of these msgspec writes the same bytes as that form has, many times faster than what also orders numbers.
    """
    return msgspec.json.encode(content, order="deterministic")


def digest_of(parts: Sequence[object]) -> str:
    """A digest of something plain, such as a role as it is."""
    return hashlib.sha256(_canonical(list(parts))).hexdigest()[:32]


def _readable(value: Any, depth: int) -> str:
    """JSON with sorted keys; what holds only plain values stands on one line."""
    if not isinstance(value, dict | list) or _is_plain(value):
        return json.dumps(value, ensure_ascii=False, sort_keys=True)
    inner, outer = "  " * (depth + 1), "  " * depth
    if isinstance(value, list):
        parts = [inner + _readable(part, depth + 1) for part in value]
        return "[\n" + ",\n".join(parts) + f"\n{outer}]"
    pairs = sorted(value.items())
    parts = [f"{inner}{json.dumps(key, ensure_ascii=False)}: {_readable(part, depth + 1)}" for key, part in pairs]
    return "{\n" + ",\n".join(parts) + f"\n{outer}}}"


def _is_plain(value: Mapping[str, Any] | list[Any]) -> bool:
    parts = value.values() if isinstance(value, dict) else value
    return not any(isinstance(part, dict | list) and part for part in parts) and len(value) <= _SHORT
