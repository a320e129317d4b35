"""What the decisions of a review come to: the edits of records that they make, kind of review by kind."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

import msgspec
import numpy as np

from kathodos.change.edit_sets import EditSet, Key, edit_of
from kathodos.change.settling import records_held
from kathodos.columns.csr import Ints
from kathodos.model.kinds import ACCOUNTS, GRANTS, IDENTITIES, MEMBERS, ROLE_PERMISSIONS, ROLES, Kind
from kathodos.model.references import name_in, reference_to
from kathodos.model.rows import Record
from kathodos.review.correcting import corrected, held_text
from kathodos.review.lines import ReviewLines
from kathodos.review.reducing import reduction_from
from kathodos.review.subjects import About
from kathodos.store.records import Records

_NEVER = "never "


class Outcome(msgspec.Struct):
    """The edits; references of what ends, of what is made less or corrected, of what was gone or ordered to go already.

    `uncovered`: the conflicts whose cover ends, by rule and identity; no edit of a gathered record does that.
    """

    edits: EditSet = msgspec.field(default_factory=EditSet)
    ended: list[str] = msgspec.field(default_factory=list)
    lessened: list[str] = msgspec.field(default_factory=list)
    gone_before: list[str] = msgspec.field(default_factory=list)
    uncovered: list[tuple[str, str]] = msgspec.field(default_factory=list)


def outcome_of(standing: Records, lines: ReviewLines, reduced: Ints, revoked: Ints) -> Outcome:
    """What lines that are made less, or corrected, and lines that are revoked come to, on what has been decided."""
    found = Outcome()
    about = About(lines.review.about)
    if about == About.COVERS:
        _end_covers(standing, lines, revoked, found)
    elif about == About.ACCOUNTS:
        _disable(standing, lines, revoked, found)
    elif about == About.ROLES:
        _end_roles(standing, lines, revoked, found)
    elif about == About.IDENTITY_DATA:
        texts = zip(reduced.tolist(), map(str, lines.decided("reduced", reduced).listed()), strict=True)
        right = {at: reduction_from(text).value for at, text in texts}
        _correct(standing, lines, np.sort(np.concatenate([reduced, revoked])), right, found)
    else:
        _take_away(standing, lines, revoked, found)
        _make_less(standing, lines, reduced, found)
    for some in (found.ended, found.lessened, found.gone_before):
        some.sort()
    return found


def _held(standing: Records, kind: Kind, keys: Mapping[str, Key], found: Outcome) -> Iterator[tuple[str, Record]]:
    """The records that are there, by reference; of the others it is noted that they are gone."""
    held = records_held(standing, kind, list(keys.values()))
    for reference, key in keys.items():
        if key in held:
            yield reference, held[key].record
        else:
            found.gone_before.append(reference)


def _take_away(standing: Records, lines: ReviewLines, at: Ints, found: Outcome) -> None:
    ends = {it[0]: it[1:] for it in lines.ended_by(at)}
    grants: dict[str, Key] = {reference: (grant,) for reference, (grant, _, _) in ends.items() if grant}
    members: dict[str, Key] = {
        ref: _membership(group, holder) for ref, (grant, group, holder) in ends.items() if not grant
    }
    for kind, keys in ((GRANTS, grants), (MEMBERS, members)):
        for reference, record in _held(standing, kind, keys, found):
            found.edits.put(edit_of(kind, record, None))
            found.ended.append(reference)


def _membership(group: str, holder: str) -> tuple[str, str, str]:
    system, _, name = name_in("group", group).partition("/")
    return system, name, holder


def _make_less(standing: Records, lines: ReviewLines, at: Ints, found: Outcome) -> None:
    names = (str(it) for it in lines.column("grant", at).listed())
    columns = (lines.decided(name, at).listed() for name in ("reduced", "decided_by", "decided_at", "reason"))
    asked = {name: [str(it or "") for it in how] for name, *how in zip(names, *columns, strict=True)}
    keys: dict[str, Key] = {reference_to("grant", name): (name,) for name in asked}
    for reference, record in _held(standing, GRANTS, keys, found):
        how, who, when, why = asked[str(record["grant"])]
        for edit in reduction_from(how).edits(record, who, when[:10], why):
            found.edits.put(edit)
        found.lessened.append(reference)


def _disable(standing: Records, lines: ReviewLines, at: Ints, found: Outcome) -> None:
    names = map(str, lines.column("holder", at).listed())
    keys: dict[str, Key] = {name: tuple(name_in("account", name).split("/", 1)) for name in names}
    for reference, record in _held(standing, ACCOUNTS, keys, found):
        if record["status"] == "disabled":
            found.gone_before.append(reference)
            continue
        found.edits.put(edit_of(ACCOUNTS, record, {**record, "status": "disabled"}))
        found.ended.append(reference)


def _end_roles(standing: Records, lines: ReviewLines, at: Ints, found: Outcome) -> None:
    """Switches roles off, and ends single entries of the others."""
    columns = (lines.column(name, at).listed() for name in ("holder", "part", "value"))
    roles: dict[str, Key] = {}
    entries: dict[str, Key] = {}
    for holder, part, effect in zip(*columns, strict=True):
        system, _, role = name_in("role", str(holder)).partition("/")
        if part is None:
            roles[str(holder)] = (system, role)
        else:
            action, _, resource = str(part).removeprefix(_NEVER).partition(" ")
            entries[f"{holder}: {part}"] = (system, role, action, resource, str(effect))
    for reference, record in _held(standing, ROLES, roles, found):
        found.edits.put(edit_of(ROLES, record, {**record, "active": 0}))
        found.ended.append(reference)
    for reference, record in _held(standing, ROLE_PERMISSIONS, entries, found):
        found.edits.put(edit_of(ROLE_PERMISSIONS, record, None))
        found.ended.append(reference)


def _correct(standing: Records, lines: ReviewLines, at: Ints, values: Mapping[int, str | None], found: Outcome) -> None:
    """Puts what is right in the records of people; nothing where only what is wrong is known."""
    whose = [name_in("identity", str(it)) for it in lines.column("holder", at).listed()]
    parts, was = (lines.column(name, at).listed() for name in ("part", "value"))
    people: dict[str, Key] = {reference_to("identity", name): (name,) for name in whose}
    held = dict(_held(standing, IDENTITIES, people, found))
    wanted: dict[str, list[tuple[str, str | None, str | None]]] = {}
    for position, name, part, before in zip(at.tolist(), whose, parts, was, strict=True):
        new = values.get(position)
        wanted.setdefault(name, []).append((str(part), None if before is None else str(before), new))
    for name, some in wanted.items():
        reference = reference_to("identity", name)
        if reference not in held:
            continue
        record = held[reference]
        for part, before, new in some:
            told = f"{reference} {part}"
            if held_text(held[reference], part) != before:
                found.gone_before.append(told)  # somebody has changed it since
                continue
            record = corrected(record, part, new)
            (found.lessened if new is not None else found.ended).append(told)
        found.edits.put(edit_of(IDENTITIES, held[reference], record))


def _end_covers(records: Records, lines: ReviewLines, at: Ints, found: Outcome) -> None:
    columns = (lines.column(name, at).listed() for name in ("part", "identity"))
    for rule, identity in zip(*columns, strict=True):
        found.uncovered.append((str(rule), str(identity)))
        found.ended.append(f"cover of {rule}/{identity}")
