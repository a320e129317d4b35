"""The same access as somebody: what one or several people hold, given to others, added or in place of what they hold.

What a model holds by an account of a system is given to the receiver's account there. What would bring a receiver
into a conflict or over a fence is left out unless told otherwise, and said.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from fnmatch import fnmatchcase

import msgspec
import numpy as np

from kathodos.analysis.basis import Basis
from kathodos.analysis.evidence.asked import Asked
from kathodos.analysis.evidence.held import units_of
from kathodos.analysis.evidence.units import UnitEvidence
from kathodos.change.composition import Composition, Desk
from kathodos.change.edit_sets import EditSet, RecordEdit, edit_of, system_of
from kathodos.change.giving import given_as, is_over, told
from kathodos.change.people import holders_of, records_holding
from kathodos.engine.compiled.index import Index
from kathodos.engine.compiled.patch import updated
from kathodos.findings.conflicts.states import conflicts_of_one
from kathodos.findings.fences import crossed_by
from kathodos.model.kinds import GRANTS, MEMBERS
from kathodos.model.references import reference_to
from kathodos.model.rows import Record
from kathodos.model.times import first_moment
from kathodos.rules.reading import Rules
from kathodos.store.edited import edited


class Likeness(msgspec.Struct, frozen=True):
    """What is asked: who is the model, who receives, and how.

    `replaces`: what the models do not hold ends; `used_since`: only what a model used since then (None: all of it);
    `only`: systems, or patterns over what is given; `may_break`: also what breaks a rule.
    """

    models: Sequence[str]
    receivers: Sequence[str]
    replaces: bool = False
    used_since: int | None = None
    only: Sequence[str] = ()
    may_break: bool = False


class _Held(msgspec.Struct, frozen=True):
    """One thing that a model holds: a grant or a membership, and by what it holds it, `identity` or a system."""

    record: Record
    by: str
    last: int

    @property
    def is_grant(self) -> bool:
        return "grant" in self.record

    @property
    def text(self) -> str:
        """It in words."""
        if not self.is_grant:
            return reference_to("group", self.record["system"], self.record["group"])
        return str(self.record["gives"]) + (f" on {self.record['on']}" if self.record["on"] else "")

    @property
    def likeness(self) -> tuple[object, ...]:
        """What makes two of them the same: what is held by what, permitted or denied, at which tier."""
        return (self.is_grant, self.text, self.by, self.record.get("effect"), self.record.get("tier") or 0)


def same_access(desk: Desk, basis: Basis, rules: Rules, asked: Likeness) -> Composition:
    """Edits that give receivers what the models hold. `basis`: of what has been decided, or of these people alone."""
    desk.must_be_there(asked.receivers)
    wanted = list(_wanted(desk, basis, asked))
    found = Composition()
    for receiver in asked.receivers:
        one = _Receiver(desk, basis, rules, receiver, asked)
        part = one.composed(wanted)
        found = found.joined(part)
    if asked.used_since is not None:
        found.notes.append("Only what a model has used within that time was given; what is used is known by activity.")
    return found


def _wanted(desk: Desk, basis: Basis, asked: Likeness) -> Iterator[_Held]:
    """What the models hold, each thing once, what was used last first."""
    last = _last_uses(basis, asked)
    seen: set[tuple[object, ...]] = set()
    found = []
    for model in asked.models:
        for held in _held_by(desk, model, last):
            key = (*held.likeness, held.record.get("until"))
            is_used = asked.used_since is None or held.last >= asked.used_since or held.record.get("effect") == "deny"
            if key not in seen and is_used and _is_chosen(held, asked.only):
                seen.add(key)
                found.append(held)
    yield from sorted(found, key=lambda it: -it.last)


def _last_uses(basis: Basis, asked: Likeness) -> dict[str, int]:
    """When each grant (by its reference) and membership (holder in group) of the models was used last."""
    if asked.used_since is None:
        return {}
    holders = basis.index.holders
    users = np.zeros(holders.first_group, dtype=bool)
    users[[holders.find(it) for it in asked.models]] = True
    units = units_of(basis.index, users.nonzero()[0], basis.moment)
    last = UnitEvidence(basis, units, Asked()).used.last.tolist()
    found = {}
    for at, moment in enumerate(last):
        grant = int(units.grant[at])
        name = f"grant:{basis.index.grants.ids[grant]}" if grant >= 0 else ""
        holder = holders.references[int(units.holder[at])]
        found[name or f"{holder} in {holders.references[int(units.group[at])]}"] = moment
    return found


def _held_by(desk: Desk, person: str, last: dict[str, int], is_begun: bool = True) -> Iterator[_Held]:
    """What somebody and its accounts were given themselves, and is in force; or also begins later."""
    holders = holders_of(desk.records, [person.partition(":")[2]])
    for kind, column in ((GRANTS, "holder"), (MEMBERS, "member")):
        for record in records_holding(desk.records, kind, column, holders):
            if kind is GRANTS and (is_over(desk, record) or (is_begun and first_moment(record["from"]) > desk.moment)):
                continue
            holder = str(record[column])
            by = "identity" if holder.startswith("identity:") else holder.partition(":")[2].partition("/")[0]
            name = f"grant:{record['grant']}" if kind is GRANTS else ""
            name = name or f"{holder} in group:{record['system']}/{record['group']}"
            yield _Held(record, by, last.get(name, 0))


def _is_chosen(held: _Held, only: Sequence[str]) -> bool:
    system = system_of(GRANTS, held.record) if held.is_grant else str(held.record["system"])
    return not only or system in only or any(fnmatchcase(held.text, pattern) for pattern in only)


_Part = tuple[_Held, Composition]  # what is held, and what gives it to a receiver


class _Receiver(msgspec.Struct):
    """One who receives: what it holds, and what may be added without breaking a rule."""

    desk: Desk
    basis: Basis
    rules: Rules
    name: str
    asked: Likeness
    notes: list[str] = msgspec.field(default_factory=list)

    def composed(self, wanted: Sequence[_Held]) -> Composition:
        """What is added and, where that is asked, ended."""
        adding = [(held, part) for held in wanted if (part := self._given(held)) is not None]
        found = Composition(asked=len(wanted), standing=sum(part.standing for _, part in adding), notes=self.notes)
        ending = EditSet(self._beyond(wanted)) if self.asked.replaces else EditSet()
        chosen = [(held, part) for held, part in adding if len(part.edits)]
        kept = chosen if self.asked.may_break else self._harmless(chosen, ending)
        for edit in (*ending, *(edit for _, part in kept for edit in part.edits)):
            found.edits.put(edit)
        return found

    def _given(self, held: _Held) -> Composition | None:
        """What gives the receiver one thing; None where it has nothing to hold it by."""
        holder = self.name
        if held.by != "identity":
            own = [it for it in holders_of(self.desk.records, [self.name.partition(":")[2]]) if it != self.name]
            there = [it for it in own if it.partition(":")[2].partition("/")[0] == held.by]
            if len(there) != 1:
                count = "no account" if not there else f"{len(there)} accounts"
                self.notes.append(f"{self.name} has {count} in {held.by}, so that {held.text} was not given.")
                return None
            holder = there[0]
        if not held.is_grant:
            key = {**held.record, "member": holder}
            is_there = any(
                (it["system"], it["group"]) == (held.record["system"], held.record["group"])
                for it in records_holding(self.desk.records, MEMBERS, "member", [holder])
            )
            edits = EditSet() if is_there else EditSet([edit_of(MEMBERS, None, key)])
            return Composition(edits, 1, int(is_there))
        return given_as(self.desk, held.record, str(held.record["gives"]), holder)

    def _beyond(self, wanted: Sequence[_Held]) -> Iterator[RecordEdit]:
        """What the receiver holds and no model does."""
        models = {it.likeness for it in wanted}
        for held in _held_by(self.desk, self.name, {}, is_begun=False):
            if held.likeness not in models and _is_chosen(held, self.asked.only):
                yield edit_of(GRANTS if held.is_grant else MEMBERS, held.record, None)

    def _harmless(self, adding: Sequence[_Part], ending: EditSet) -> list[_Part]:
        """Of what is to be added what breaks no rule that is not broken already; the rest is told."""
        before = self._broken(EditSet())
        if not self._broken(_together(ending, adding)) - before:
            return list(adding)
        kept: list[_Part] = []
        for held, part in adding:
            made = self._broken(_together(ending, [*kept, (held, part)])) - before
            if made:
                self.notes.append(f"Left out for {self.name}: {held.text}, which would break {told(sorted(made))}.")
            else:
                kept.append((held, part))
        return kept

    def _broken(self, edits: EditSet) -> set[str]:
        """The rules that the receiver breaks with some edits."""
        index: Index = self.basis.index
        records = self.basis.records
        if len(edits):
            records = edited(records, edits.edits)
            index = updated(index, edits.edits, records)
        basis = Basis(records, index, self.basis.moment)
        asker = index.holders.find(self.name)
        found = {it.rule.id for it in conflicts_of_one(basis, self.rules.conflicts, asker)}
        return found | crossed_by(basis, self.rules.fences, asker)


def _together(ending: EditSet, adding: Sequence[_Part]) -> EditSet:
    return EditSet([*ending, *(edit for _, part in adding for edit in part.edits)])
