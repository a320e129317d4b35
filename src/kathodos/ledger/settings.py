"""The files in force beside the catalogue: configuration, rules, controls, whose key is whose; and their changes.

Each is kept as a record with its whole text, so that every state of the catalogue knows its rules. The first
entry of all says what is in force; when a file has changed since it was last written, an entry of its own that tells
the difference stands before the next write's.
"""

from __future__ import annotations

import difflib
import hashlib
import re
import tomllib
from collections.abc import Iterator, Mapping, Sequence
from functools import cache
from typing import Any

import msgspec

from kathodos.ledger.entries import Entry
from kathodos.ledger.payloads import SettingsPayload
from kathodos.model.kinds import SETTINGS
from kathodos.model.references import reference_to
from kathodos.store.base import Reader
from kathodos.store.records import Records, columns_of

CONFIGURATION = "kathodos.toml"
_MOST_TOLD = 2000  # lines of a difference that an entry keeps; the texts themselves are kept whole


class Settings(msgspec.Struct, frozen=True):
    """Files by name, as texts."""

    files: Mapping[str, str] = msgspec.field(default_factory=dict)

    def digests(self) -> dict[str, str]:
        """A SHA-256 digest over the configuration, over the rules, and over the controls."""
        found = {}
        for group in ("configuration", "rules", "controls"):
            whole = hashlib.sha256()
            for name in sorted(self.files):
                if _group_of(name) == group:
                    whole.update(f"{name}\n{digest_of(self.files[name])}\n".encode())
            found[group] = whole.hexdigest()
        return found


def _group_of(name: str) -> str:
    if name.startswith("rules/"):
        return "rules"
    return "controls" if name == "controls.toml" else "configuration"


def digest_of(text: str) -> str:
    """The SHA-256 digest of a file's text."""
    return hashlib.sha256(text.encode()).hexdigest()


def recorded(records: Records) -> dict[str, tuple[int, str]]:
    """The files as they were last written: the number of the row and the text of each."""
    numbers, names, texts = records.rows(SETTINGS).tolist(), *columns_of(records, SETTINGS, "file", "text")
    return {str(name): (it, str(text or "")) for it, name, text in zip(numbers, names, texts, strict=True)}


def files_recorded(records: Records) -> dict[str, str]:
    """The files as they were last written, by name; one whose name leads elsewhere is passed over."""
    plain = re.compile(r"(rules/)?[^/\\\0]+")
    found = {name: text for name, (_, text) in recorded(records).items()}
    return {name: text for name, text in found.items() if plain.fullmatch(name) and name not in (".", "..", "rules/..")}


class ProofAsked(msgspec.Struct, frozen=True):
    """Of an entry: whether its actor was to sign it, and the file that said whose key is whose (None: none is kept)."""

    must_be_signed: bool = False
    allowed_signers: str | None = None


def proofs_asked(reader: Reader, entries: Sequence[Entry]) -> list[ProofAsked]:
    """For each entry what the configuration asked for that was in force."""
    versions = list(_versions(reader))
    if not any(_actors_in(text).get("proof") for name, text, _, _ in versions if name == CONFIGURATION):
        return [ProofAsked()] * len(entries)
    asked = []
    for entry in entries:
        files = {name: text for name, text, since, until in versions if since <= entry.number < until}
        actors = _actors_in(files.get(CONFIGURATION, ""))
        name = str(actors.get("allowed_signers") or "allowed_signers")
        asked.append(ProofAsked(actors.get("proof") == "ssh", files.get(name)))
    return asked


def _versions(reader: Reader) -> Iterator[tuple[str, str, int, int]]:
    """Every version of every file: its name, its text, and from which entry to which it was in force."""
    for block in reader.blocks(SETTINGS):
        files, texts = (block.columns[SETTINGS.names.index(name)].listed() for name in ("file", "text"))
        for name, text, since, until in zip(files, texts, block.since.tolist(), block.until.tolist(), strict=True):
            yield str(name), str(text or ""), since, until


@cache
def _actors_in(text: str) -> Mapping[str, Any]:
    """What a configuration says of actors; nothing where it cannot be read."""
    try:
        actors = tomllib.loads(text).get("actors", {})
    except (tomllib.TOMLDecodeError, RecursionError):
        return {}
    return actors if isinstance(actors, dict) else {}


class SettingsChange(msgspec.Struct, frozen=True):
    """What differs between the files in force and those last written: rows to close and to open, and the words."""

    closed: list[int]
    opened: list[tuple[str, str, str]]  # the file, its digest, its text
    payload: SettingsPayload

    @property
    def subjects(self) -> list[str]:
        return [reference_to("setting", name) for name in self.payload.files]


def change_of(records: Records, settings: Settings) -> SettingsChange | None:
    """What has changed in the files since they were last written; None where nothing has."""
    before = recorded(records)
    names = sorted({*before, *settings.files})
    changed = [it for it in names if it not in before or before[it][1] != settings.files.get(it)]
    if not changed:
        return None
    files: dict[str, list[str]] = {}
    lines: list[str] = []
    for name in changed:
        old, new = before.get(name, (0, ""))[1], settings.files.get(name, "")
        digests = [digest_of(old) if name in before else "", digest_of(new) if name in settings.files else ""]
        files[name] = digests
        lines += difflib.unified_diff(old.splitlines(), new.splitlines(), name, name, n=1, lineterm="")
    cut = [*lines[:_MOST_TOLD], f"... {len(lines) - _MOST_TOLD} lines more"] if len(lines) > _MOST_TOLD else lines
    return SettingsChange(
        [before[name][0] for name in changed if name in before],
        [(name, digest_of(settings.files[name]), settings.files[name]) for name in changed if name in settings.files],
        SettingsPayload(files, "\n".join(cut)),
    )
