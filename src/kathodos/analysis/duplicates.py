"""Identities that may be one person: by mail address, or by a name and one thing more."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Mapping

import msgspec
import numpy as np

from kathodos.columns.arrow import arrow_texts
from kathodos.columns.csr import CSRList, Ints, csr_from_pairs
from kathodos.columns.dictionary import tabled_texts
from kathodos.columns.packed import PackedPairs
from kathodos.columns.strings import Bytes, StringTable
from kathodos.engine.everyone import alike
from kathodos.model.kinds import IDENTITIES
from kathodos.model.names import plain_name
from kathodos.store.records import Records, record_at

Numbering = Callable[[Ints, Bytes], Ints]  # of texts, given as where each starts in their lowered content

_MOST_ALIKE = 20  # people with one name or address, beyond which nothing follows from it
_LOWERED = np.frombuffer(bytes(range(256)).lower(), dtype=np.uint8)
_IS_LETTER = (ord("a") <= _LOWERED) & (ord("z") >= _LOWERED)
_IS_WORD = np.array([byte > 127 or chr(byte).isalnum() or chr(byte) == "_" for byte in range(256)])


class Duplicate(msgspec.Struct, frozen=True):
    """Two identities that may be one person, and what speaks for it."""

    first: str
    second: str
    reasons: list[str]


def _local_part(mail: str) -> str:
    return re.sub(r"[^a-z]", "", mail.casefold().partition("@")[0])


def likely_duplicates(records: Records) -> list[Duplicate]:
    """Pairs of people that share a mail address, or a name and one thing more, the likeliest first."""
    is_person = records.column(IDENTITIES, "kind").holding("person")
    pairs: set[tuple[int, int]] = set()
    for name, key_of, numbers in KEYS:
        column = records.column(IDENTITIES, name)
        texts = tabled_texts(column)
        keys = np.where(is_person, np.append(key_numbers(texts, key_of, numbers), -1)[column.codes], -1)
        having = (keys >= 0).nonzero()[0]
        of_key = csr_from_pairs(keys[having], having, len(texts))
        sizes = of_key.sizes()
        for number in ((sizes > 1) & (sizes <= _MOST_ALIKE)).nonzero()[0].tolist():
            group = of_key[number].tolist()
            pairs |= {(a, b) for at, b in enumerate(group) for a in group[:at]}
    found = []
    for a, b in sorted(pairs):
        first, second = sorted((_record(records, a), _record(records, b)), key=lambda it: str(it["id"]))
        found.append(Duplicate(str(first["id"]), str(second["id"]), _reasons(first, second)))
    likely = [it for it in found if any("mail" in why for why in it.reasons) or len(it.reasons) > 1]
    return sorted(likely, key=lambda it: (-len(it.reasons), it.first, it.second))


def key_numbers(texts: StringTable, key_of: Callable[[str], str], numbers: Numbering) -> Ints:
    """A number for what is compared of each text, the same for the same; -1 where nothing is."""
    is_beyond = np.concatenate([[0], np.cumsum(texts.content > 127)])[texts.starts]
    others = (is_beyond[1:] > is_beyond[:-1]).nonzero()[0]
    table = texts.without(others, (key_of(texts[at]) for at in others.tolist()))
    found = np.empty(len(texts), dtype=np.int64)
    found[np.concatenate([np.delete(np.arange(len(texts)), others), others])] = numbers(
        table.starts, _LOWERED[table.content]
    )
    return found


def _of_whole(starts: Ints, content: Bytes) -> Ints:
    """A number for each text; -1 for an empty one."""
    numbers = np.asarray(arrow_texts(starts, content).dictionary_encode().indices, dtype=np.int64)
    return np.where(starts[1:] > starts[:-1], numbers, -1)


def _of_words(starts: Ints, content: Bytes) -> Ints:
    """A number for each text that is the same where the words are, in whatever order."""
    kept = _IS_WORD[content]
    begins = kept.copy()
    begins[1:] &= ~kept[:-1]
    firsts = starts[:-1][starts[:-1] < starts[1:]]
    begins[firsts] = kept[firsts]
    before = np.concatenate([[0], np.cumsum(kept)])
    words = _of_whole(np.append(before[:-1][begins], before[-1]), content[kept])
    of_text = np.concatenate([[0], np.cumsum(begins)])[starts]
    text = np.repeat(np.arange(len(starts) - 1), np.diff(of_text))
    packing = PackedPairs.below(len(words) + 1)
    ordered = packing.seconds(np.sort(packing.pack(text, words)))
    return np.where(np.diff(of_text) > 0, alike(CSRList(of_text, ordered))[0], -1)


def _of_local_part(starts: Ints, content: Bytes) -> Ints:
    """A number for each text, by its letters before the first `@`."""
    signs = np.concatenate([[0], np.cumsum(content == ord("@"))])
    kept = _IS_LETTER[content] & (signs[:-1] == np.repeat(signs[starts[:-1]], np.diff(starts)))
    return _of_whole(np.concatenate([[0], np.cumsum(kept)])[starts], content[kept])


def _record(records: Records, at: int) -> dict[str, object]:
    record = record_at(records, IDENTITIES, at)
    return {**record, **_further(record)}


def _further(record: Mapping[str, object]) -> dict[str, object]:
    held = json.loads(str(record["attributes"])) if record["attributes"] else {}
    return {f"further {name.lower()}": value for name, value in held.items()}


def _mail(person: Mapping[str, object]) -> str:
    return str(person["email"] or "").casefold()


def _reasons(first: Mapping[str, object], second: Mapping[str, object]) -> list[str]:
    """What two people have in common that others seldom have."""
    reasons = []
    if _mail(first) and _mail(first) == _mail(second):
        reasons.append(f"the same mail address {first['email']}")
    elif len(_local_part(_mail(first))) > 4 and _local_part(_mail(first)) == _local_part(_mail(second)):
        reasons.append(f"mail addresses that begin alike, {first['email']} and {second['email']}")
    if first["name"] and plain_name(str(first["name"])) == plain_name(str(second["name"] or "")):
        reasons.append(f"the same name {first['name']}")
    if not reasons:
        return []
    further = [key for key in first if key.startswith("further ")]
    for name in ("department", "title", "manager", "location", "starts", *further):
        if first.get(name) and first[name] == second.get(name):
            reasons.append(f"the same {name.removeprefix('further ')} {first[name]}")
    return reasons


KEYS: tuple[tuple[str, Callable[[str], str], Numbering], ...] = (
    ("email", str.casefold, _of_whole),
    ("name", plain_name, _of_words),
    ("email", _local_part, _of_local_part),
)
