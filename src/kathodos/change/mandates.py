"""Mandates: who may give or take which roles to and from whom, in which area; what of a change they allow.

As soon as there is a mandate over the roles of a system, whoever gives or takes there needs one that says so. A mandate
gives nothing but the roles that it names, in its area, to those whom its filter selects, never to whoever uses it,
and never another mandate.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import cached_property

import msgspec
import numpy as np

from kathodos.change.composition import EVERYONE
from kathodos.change.edit_sets import EditSet, RecordEdit, system_of
from kathodos.columns.csr import Bools, Ints, ints, reachable
from kathodos.engine.compiled.applying import compile_scopes
from kathodos.engine.compiled.index import Index
from kathodos.engine.decide import principals_of, who_has
from kathodos.ledger.actors import Actor
from kathodos.model.addresses import segment_expression
from kathodos.model.filters import parse_filter
from kathodos.model.kinds import GRANTS, IDENTITIES, MANDATES, MEMBERS, split_list
from kathodos.model.references import name_in, reference_to
from kathodos.model.times import end_moment
from kathodos.store.attributes import AttributeColumns
from kathodos.store.records import Records, columns_of

GIVE, TAKE = "give", "take"


class Mandate(msgspec.Struct, frozen=True):
    """One mandate as it is kept."""

    holder: str
    roles: tuple[str, ...]
    area: str | None
    receivers: str | None
    may: tuple[str, ...]

    def names(self, role: str) -> bool:
        """Whether it is about a role, given as `system/name`."""
        return any(segment_expression(name_in("role", it)).fullmatch(role) for it in self.roles)

    def is_about_system(self, system: str) -> bool:
        """Whether it is about roles of a system."""
        return any(segment_expression(name_in("role", it).partition("/")[0]).fullmatch(system) for it in self.roles)

    @property
    def text(self) -> str:
        """It in words."""
        area = f" in the area {self.area}" if self.area else ""
        to = f" to those with {self.receivers}" if self.receivers else ""
        return f"the mandate of {self.holder} to {' and '.join(self.may)} {', '.join(self.roles)}{area}{to}"


def mandates_in(records: Records) -> list[Mandate]:
    """All mandates."""
    columns = columns_of(records, MANDATES, "holder", "roles", "area", "for", "may")
    return [
        Mandate(holder, tuple(split_list(roles)), area, receivers, tuple(split_list(may)))
        for holder, roles, area, receivers, may in zip(*columns, strict=True)
    ]


class Handed(msgspec.Struct, frozen=True):
    """One role that an edit gives to somebody or takes: by itself, or (`through`) by way of a group."""

    act: str
    role: str
    receiver: str
    scope: str | None
    through: str = ""

    @property
    def text(self) -> str:
        """It in words."""
        where = f" on {self.scope}" if self.scope else ""
        to = "to" if self.act == GIVE else "from"
        by = f" by way of {self.through}" if self.through else ""
        return f"{self.act} role:{self.role}{where} {to} {self.receiver}{by}"


class Verdict(msgspec.Struct, frozen=True):
    """What is said of one thing handed out or taken: the mandate that allows it, or why none does."""

    handed: Handed | None
    what: str
    is_allowed: bool
    why: str


class MandateCheck:
    """What somebody may give and take at a moment, by the records and the index of what has been decided."""

    def __init__(self, records: Records, index: Index, moment: int) -> None:
        self.records = records
        self.index = index
        self.moment = moment
        self.mandates = mandates_in(records)

    # Of edits

    def verdicts(self, edits: EditSet, actors: Sequence[Actor], is_free: bool, may_alter: bool) -> list[Verdict]:
        """What mandates say of each give and take among edits, in systems over whose roles there is a mandate.

        One of the actors has to have a mandate. `is_free`: they give whatever mandates say; `may_alter`: they may alter
        mandates. Where neither is said and there is no mandate at all, everything is allowed.
        """
        found: list[Verdict] = []
        for edit in edits if self.mandates else ():
            if edit.kind is MANDATES:
                if not may_alter:
                    who = " and ".join(sorted({actor.name for actor in actors}))
                    why = f'no [[may]] of kathodos.toml lets {who} "alter mandates"'
                    found.append(Verdict(None, "alter a mandate", False, why))
            elif not is_free:
                found += self._of(edit, actors)
        return found

    def _of(self, edit: RecordEdit, actors: Sequence[Actor]) -> Iterator[Verdict]:
        if edit.kind is GRANTS and self._is_mandated(system_of(GRANTS, edit.record)):
            gives = str(edit.record["gives"])
            if gives.startswith("role:"):
                handed = Handed(_act_of(edit), gives.partition(":")[2], str(edit.record["holder"]), edit.record["on"])
                yield self.verdict(handed, actors)
            else:
                what = f"{_act_of(edit)} {gives} {'to' if _act_of(edit) == GIVE else 'from'} {edit.record['holder']}"
                yield Verdict(None, what, False, "a mandate is about roles, and this is a permission")
        elif edit.kind is MEMBERS:
            group = reference_to("group", edit.record["system"], edit.record["group"])
            act = GIVE if edit.after is not None else TAKE
            for role, scope in self._given_by_group(group):
                if self._is_mandated(role.partition("/")[0]):
                    yield self.verdict(Handed(act, role, str(edit.record["member"]), scope, group), actors)
            if act == GIVE and self._has_mandate(group):
                yield Verdict(None, f"let {edit.record['member']} join {group}", False, f"{group} holds a mandate")

    def verdict(self, handed: Handed, actors: Sequence[Actor]) -> Verdict:
        """Whether one of the actors has a mandate for one thing, and which; else why not, of the nearest one."""
        whys: list[str] = []
        for actor in actors:
            if handed.act == GIVE and self._is_self(actor, handed.receiver):
                whys.append(f"nobody gives anything to themselves, and {handed.receiver} is {actor.name} too")
                continue
            own = [it for it in self.mandates if self.holds(actor, it)]
            if not own:
                whys.append(f"{actor.name} holds no mandate")
            for mandate in own:
                why = self._why_not(mandate, handed)
                if not why:
                    return Verdict(handed, handed.text, True, mandate.text)
                whys.append(f"{mandate.text} {why}")
        return Verdict(handed, handed.text, False, "; ".join(dict.fromkeys(whys)))

    def _why_not(self, mandate: Mandate, handed: Handed) -> str:
        """Why a mandate does not allow something; empty where it does."""
        if handed.act not in mandate.may:
            return f"does not let anything be {'given' if handed.act == GIVE else 'taken'}"
        if not mandate.names(handed.role):
            return f"does not name role:{handed.role}"
        if mandate.area is not None and not self._lies_in(handed, mandate.area):
            where = handed.scope or f"all of {handed.role.partition('/')[0]}"
            return f"does not reach {where}"
        if mandate.receivers and not self._receives(mandate.receivers, handed.receiver):
            return f"is not about {handed.receiver}"
        return ""

    def receivers(self, actor: Actor, mandate: Mandate, act: str) -> Bools:
        """To or from which identities somebody may hand out or take by a mandate, by number."""
        holders = self.index.holders
        found = self._selected(mandate.receivers).copy() if mandate.receivers else np.ones(holders.people, dtype=bool)
        own = [holders.find(reference_to("identity", it)) for it in actor.identities]
        if act == GIVE:
            found[[it for it in own if it >= 0]] = False
        return found

    # What they rest on

    def _is_mandated(self, system: str) -> bool:
        return any(it.is_about_system(system) for it in self.mandates)

    def _principals(self, actor: Actor) -> set[str]:
        """All as whom somebody counts."""
        holders = self.index.holders
        numbers = [holders.find(reference_to("identity", it)) for it in sorted(actor.identities)]
        found = {reference_to("identity", it) for it in actor.identities}
        for number in (it for it in numbers if it >= 0):
            found |= {holders.references[it] for it in principals_of(self.index, number, self.moment).tolist()}
        return found

    @cached_property
    def _known_principals(self) -> dict[str, set[str]]:
        return {}

    def holds(self, actor: Actor, mandate: Mandate) -> bool:
        """Whether somebody counts as the holder of a mandate."""
        if actor.name not in self._known_principals:
            self._known_principals[actor.name] = self._principals(actor)
        return mandate.holder in self._known_principals[actor.name]

    def _is_self(self, actor: Actor, receiver: str) -> bool:
        """Whether giving to somebody gives to the actor: itself, an account of its own, a group that it is in."""
        return receiver == EVERYONE or self.holds(actor, Mandate(receiver, (), None, None, ()))

    def _has_mandate(self, group: str) -> bool:
        """Whether a group, or one that it is in, holds a mandate."""
        number = self.index.holders.find(group)
        above = reachable(self.index.holders.edges, ints([number])).tolist() if number >= 0 else []
        names = {self.index.holders.references[it] for it in above} | {group}
        return any(it.holder in names for it in self.mandates)

    def _given_by_group(self, group: str) -> list[tuple[str, str | None]]:
        """The roles that a group gives its members, also by way of groups that it is in, and on which scopes."""
        if group not in self._known_groups:
            self._known_groups[group] = list(self._roles_of_group(group))
        return self._known_groups[group]

    @cached_property
    def _known_groups(self) -> dict[str, list[tuple[str, str | None]]]:
        return {}

    def _roles_of_group(self, group: str) -> Iterator[tuple[str, str | None]]:
        index, number = self.index, self.index.holders.find(group)
        if number < 0:
            return
        above = reachable(index.holders.edges, ints([number]))
        for grant in index.holder_grants.all_of(above).tolist():
            role = index.role_of(grant)
            if role >= 0 and not index.grants.denies[grant]:
                yield index.roles[role], index.scope(grant)

    def _lies_in(self, handed: Handed, area: str) -> bool:
        """Whether all that a scope holds of the role's system lies in an area."""
        inside = self._held(reference_to("area", area))
        system = self.index.systems.get(handed.role.partition("/")[0])
        if system is None:
            return False
        scope = self._held(handed.scope) if handed.scope else np.ones(len(inside), dtype=bool)
        here = slice(system.root, system.end)
        return bool(scope[here].any() and not (scope[here] & ~inside[here]).any())

    def _held(self, scope: str) -> Bools:
        if scope not in self._known_scopes:
            (found,) = compile_scopes(self.records, [scope], self.index.tree)
            self._known_scopes[scope] = found.held(self.index.tree)
        return self._known_scopes[scope]

    @cached_property
    def _known_scopes(self) -> dict[str, Bools]:
        return {}

    def _receives(self, receivers: str, receiver: str) -> bool:
        """Whether a filter over people selects a receiver, or an account's owner; of a group, all who are in it."""
        holders, number = self.index.holders, self.index.holders.find(receiver)
        if number < 0:
            return False
        selected = self._selected(receivers)
        if number < holders.first_group:
            asker = int(holders.asker_of[number])
            return asker < holders.people and bool(selected[asker])
        inside = who_has(self.index, ints([number]), self.moment)[: holders.people]
        return bool(inside.any() and not (inside & ~selected).any())

    def _selected(self, receivers: str) -> Bools:
        if receivers not in self._known_filters:
            chosen = AttributeColumns(self.records, IDENTITIES).selected(parse_filter(receivers))
            names = self.records.column(IDENTITIES, "id").listed(chosen.nonzero()[0])
            mask = np.zeros(self.index.holders.people, dtype=bool)
            numbers = self.index.holders.identities.positions_of([str(it) for it in names])
            mask[numbers[numbers >= 0]] = True
            self._known_filters[receivers] = mask
        return self._known_filters[receivers]

    @cached_property
    def _known_filters(self) -> dict[str, Bools]:
        return {}


def _act_of(edit: RecordEdit) -> str:
    """Whether an edit of a grant gives or takes; one that only ends it earlier takes."""
    before, after = edit.before, edit.after
    if after is None:
        return TAKE if before is not None and before["effect"] != "deny" else GIVE
    if before is None:
        return GIVE if after["effect"] != "deny" else TAKE
    is_shorter = end_moment(after["until"]) < end_moment(before["until"])
    is_other = any(before[name] != after[name] for name in ("holder", "gives", "on", "effect", "from", "tier"))
    return TAKE if is_shorter and not is_other else GIVE


def refusals(verdicts: Sequence[Verdict], most: int = 3) -> list[str]:
    """What is said of what is not allowed, in sentences; the first ones and how many more."""
    refused = [it for it in verdicts if not it.is_allowed]
    told = [f"This is not allowed: to {it.what}, for {it.why}." for it in refused[:most]]
    return [*told, *([f"So it is with {len(refused) - most} more."] if len(refused) > most else [])]


def administrators_by_mandate(check: MandateCheck) -> list[Ints]:
    """Who may use each mandate, in the order of the list: identities and accounts of nobody, by number."""
    holders = check.index.holders
    found = []
    for mandate in check.mandates:
        number = holders.find(mandate.holder)
        mask = who_has(check.index, ints([number] if number >= 0 else []), check.moment)
        found.append(holders.askers[mask[holders.askers]])
    return found
