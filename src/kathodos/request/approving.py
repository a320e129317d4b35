"""Who decides a request: the steps of its chain, as people. Never who asks, nor whom it is for."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import msgspec

from kathodos.ledger.actors import Actor, normal_name
from kathodos.model.kinds import GROUPS, IDENTITIES, RESOURCES, ROLES, SYSTEMS
from kathodos.model.rows import Record
from kathodos.request.kits import MANAGER, OWNER, ApprovalStep, KitEntry
from kathodos.store.records import Records, columns_of

NAMED = "named"
_HIGHEST = 100  # steps up from somebody; whoever is further up manages nobody here


class Approver(msgspec.Struct, frozen=True):
    """Somebody who decides a step, and as what: manager, owner, or named."""

    name: str
    as_: str


class StepDecided(msgspec.Struct, frozen=True):
    """Who decides one step: each of them (`takes` all) or the first of them who does; and whom the chain meant."""

    approvers: Sequence[Approver]
    takes: str
    meant: str


class Concerned(msgspec.Struct, frozen=True):
    """Whom a request is about and who asks, under all of their names; what it is for, and who owns that.

    `owner`: of the kit; `systems`: the systems in which something is given; `person`: whom it is for.
    """

    person: str
    excluded: frozenset[str]
    owner: str
    entries: Sequence[KitEntry]


class Approvers:
    """Looks up who may decide, person by person."""

    def __init__(self, records: Records, concerned: Concerned) -> None:
        self._records, self._concerned = records, concerned
        self._known: dict[str, Record | None] = {}

    def steps(self, chain: Sequence[ApprovalStep]) -> list[StepDecided]:
        """The steps, each with who decides it. Whoever decides one is not asked again where others are there.

        A step of which everybody has decided before is left out; one that nobody can decide has no approvers.
        """
        found: list[StepDecided] = []
        before: set[str] = set()
        for step in chain:
            some = list(dict.fromkeys(self._step(step)))
            fresh = [it for it in some if it.name not in before]
            if some and not fresh:
                continue
            found.append(StepDecided(fresh, step.takes, step.text))
            if len(fresh) == 1 or step.takes == "all":
                before |= {it.name for it in fresh}
        return found

    def _step(self, step: ApprovalStep) -> Iterator[Approver]:
        for word in step.by:
            if word == MANAGER and self._person(self._concerned.person) is not None:
                names = [self.above(self._concerned.person)]
            elif word in (MANAGER, OWNER):  # who is not in the catalogue has no manager yet
                names = self._owners()
            else:
                names = [word]
            for name in names:
                if not self.may(name):  # the next one up in their place
                    name = self.above(name)
                if name:
                    is_manager = word == MANAGER and self._person(self._concerned.person) is not None
                    yield Approver(name, MANAGER if is_manager else OWNER if word in (MANAGER, OWNER) else NAMED)

    def above(self, person: str) -> str:
        """The next one up of somebody who may decide; empty where nobody is."""
        seen, at = {person}, person
        for _ in range(_HIGHEST):
            record = self._person(at)
            at = str(record["manager"] or "") if record else ""
            if not at or at in seen:
                return ""
            if self.may(at):
                return at
            seen.add(at)
        return ""

    def may(self, name: str) -> bool:
        """Whether somebody is active and is neither who asks nor whom it is for, by id or by mail."""
        record = self._person(name)
        if record is None or record["status"] != "active" or name in self._concerned.excluded:
            return False
        mail = normal_name(str(record["email"] or ""))
        return not mail or mail not in self._mails

    @property
    def _mails(self) -> set[str]:
        mails = {normal_name(it) for it in self._concerned.excluded if "@" in it}
        for name in self._concerned.excluded:
            record = self._person(name)
            if record is not None and record["email"]:
                mails.add(normal_name(str(record["email"])))
        return mails

    def _person(self, name: str) -> Record | None:
        if name not in self._known:
            self._known[name] = self._records.with_key(IDENTITIES, (name,)) if name else None
        return self._known[name]

    def _owners(self) -> list[str]:
        """The owner of the kit, or of each thing that is given, else of its system."""
        if self._concerned.owner:
            return [self._concerned.owner]
        systems = dict(zip(*columns_of(self._records, SYSTEMS, "system", "owner"), strict=True))
        found = [_owner_of(self._records, it) or str(systems.get(it.system) or "") for it in self._concerned.entries]
        return list(dict.fromkeys(it for it in found if it))


def _owner_of(records: Records, entry: KitEntry) -> str:
    """Who owns a role, a group, or the resource that a permission is about; empty where that is nobody."""
    for start, kind in (("role:", ROLES), ("group:", GROUPS)):
        if entry.gives.startswith(start):
            system, _, name = entry.gives.removeprefix(start).partition("/")
            held = records.with_key(kind, (system, name))
            return str(held["owner"] or "") if held else ""
    address = entry.gives.partition(" ")[2].removesuffix("/**").removesuffix("/*")
    held = records.with_key(RESOURCES, (address,))
    return str(held["owner"] or "") if held else ""


def excluded_of(actors: Sequence[Actor]) -> frozenset[str]:
    """The names of some who may not decide; who bears the mail of one may not either."""
    return frozenset(name for actor in actors for name in (*actor.own, actor.name))
