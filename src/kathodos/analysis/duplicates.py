"""Identities that may be one person: by mail address, or by a name and one thing more."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from kathodos.columns.csr import csr_from_pairs
from kathodos.columns.dictionary import dictionary_column
from kathodos.model.kinds import IDENTITIES
from kathodos.model.names import plain_name
from kathodos.store.records import Records, record_at

_MOST_ALIKE = 20  # people with one name or address, beyond which nothing follows from it


@dataclass(frozen=True)
class Duplicate:
    """Two identities that may be one person, and what speaks for it."""

    first: str
    second: str
    reasons: list[str]


def likely_duplicates(records: Records) -> list[Duplicate]:
    """Pairs of people that share a mail address, or a name and one thing more, the likeliest first."""
    is_person = records.column(IDENTITIES, "kind").holding("person")
    pairs: set[tuple[int, int]] = set()
    for name, key_of in (("email", str.casefold), ("name", plain_name), ("email", _local_part)):
        column = records.column(IDENTITIES, name)
        keys = dictionary_column((key_of(str(text)) or None) if text else None for text in column.values)
        codes = np.where(is_person, np.append(keys.codes, np.int32(-1))[column.codes], -1)
        of_key = csr_from_pairs(codes[codes >= 0].astype(np.int64), (codes >= 0).nonzero()[0], len(keys.values))
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


def _record(records: Records, at: int) -> dict[str, object]:
    record = record_at(records, IDENTITIES, at)
    return {**record, **_further(record)}


def _further(record: Mapping[str, object]) -> dict[str, object]:
    held = json.loads(str(record["attributes"])) if record["attributes"] else {}
    return {f"further {name.lower()}": value for name, value in held.items()}


def _mail(person: Mapping[str, object]) -> str:
    return str(person["email"] or "").casefold()


def _local_part(mail: str) -> str:
    return re.sub(r"[^a-z]", "", mail.casefold().partition("@")[0])


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
