"""Identities that may be one person: by mail address, or by a name and one thing more."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from dataclasses import dataclass

from kathodos.model.kinds import IDENTITIES
from kathodos.model.names import plain_name
from kathodos.model.rows import Rows


@dataclass(frozen=True)
class Duplicate:
    """Two identities that may be one person, and what speaks for it."""

    first: str
    second: str
    reasons: list[str]


def likely_duplicates(identities: Rows) -> list[Duplicate]:
    """Pairs of people that share a mail address, or a name and one thing more, the likeliest first."""
    is_person = [kind == "person" for kind in identities["kind"]]
    pairs: dict[tuple[int, int], None] = {}
    for name, key_of in (("email", str.casefold), ("name", plain_name), ("email", _local_part)):
        keys = {text: key_of(str(text)) for text in set(identities[name]) if text}
        groups: dict[str, list[int]] = {}
        for at, text in enumerate(identities[name]):
            if is_person[at] and keys.get(text):
                groups.setdefault(keys[text], []).append(at)
        for group in groups.values():
            if 1 < len(group) <= 20:
                pairs |= {(a, b): None for at, b in enumerate(group) for a in group[:at]}
    found = []
    for a, b in pairs:
        first, second = sorted((_record(identities, a), _record(identities, b)), key=lambda it: str(it["id"]))
        found.append(Duplicate(str(first["id"]), str(second["id"]), _reasons(first, second)))
    likely = [it for it in found if any("mail" in why for why in it.reasons) or len(it.reasons) > 1]
    return sorted(likely, key=lambda it: (-len(it.reasons), it.first, it.second))


def _record(identities: Rows, at: int) -> dict[str, object]:
    record = {name: identities[name][at] for name in IDENTITIES.names}
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
