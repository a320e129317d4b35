"""What taking roles in from an exchange file would do, role by role, and the edits by what was chosen for each."""

from __future__ import annotations

import contextlib
from collections.abc import Iterable, Mapping, Sequence
from enum import StrEnum

import msgspec
from msgspec.structs import replace

from kathodos.analysis.role_entries import Entry, RoleKey
from kathodos.analysis.role_table import RoleTable
from kathodos.change.composition import Composition, Desk
from kathodos.change.edit_sets import edit_of
from kathodos.change.settling import records_held
from kathodos.engine.compiled.index import Index
from kathodos.errors import CallError
from kathodos.model.addresses import Pattern, parse_pattern
from kathodos.model.kinds import AREAS, ROLE_JUNIORS, ROLES
from kathodos.roles.entries import RoleDraft, drafted, together
from kathodos.roles.exchange import AreaBlock, Content, RoleBlock, digest_of

_MOST_NAMED = 5


class RoleState(StrEnum):
    """How a role of a file stands to what is here."""

    NEW = "new"
    SAME = "same"
    DIFFERENT = "different"
    BLOCKED = "blocked"


class Choice(StrEnum):
    """What becomes of a role of a file."""

    ADD = "add"
    UNITE = "unite"
    REPLACE = "replace"
    LEAVE = "leave"


CHOICES = {
    RoleState.NEW: (Choice.ADD, Choice.LEAVE),
    RoleState.SAME: (Choice.LEAVE,),
    RoleState.DIFFERENT: (Choice.UNITE, Choice.REPLACE, Choice.LEAVE),
    RoleState.BLOCKED: (Choice.LEAVE,),
}


class Renaming(msgspec.Struct, frozen=True):
    """Systems and prefixes of addresses by other names here. `pairs`: from what to what, the longest first."""

    pairs: Sequence[tuple[str, str]] = ()

    @classmethod
    def of(cls, texts: Mapping[str, str]) -> Renaming:
        """From names of systems, and addresses. Raises CallError where a pair is one of each."""
        for old, new in texts.items():
            if (":/" in old) != (":/" in new):
                what = f"{old} cannot become {new}: one is a system, the other an address."
                raise CallError(what, "Write --rename test=live or --rename test:/a=live:/b.")
        return cls(sorted(((old.removesuffix("/"), new.removesuffix("/")) for old, new in texts.items()), key=_longest))

    def system(self, name: str) -> str:
        """What a system is called here."""
        return next((new for old, new in self.pairs if old == name), name)

    def address(self, text: str) -> str:
        """An address or pattern here."""
        for old, new in self.pairs:
            if ":/" in old and (text == old or text.startswith(f"{old}/")):
                return new + text[len(old) :]
        system, colon, rest = text.partition(":")
        return f"{self.system(system)}{colon}{rest}"

    def role(self, name: str) -> RoleKey:
        """The role that `system/role` is here."""
        system, _, role = name.partition("/")
        return RoleKey(self.system(system), role)


def _longest(pair: tuple[str, str]) -> tuple[int, str]:
    return -len(pair[0]), pair[0]


class PlannedRole(msgspec.Struct, frozen=True):
    """One role of a file beside what is here. `only_there` and `only_here`: entries; `other_rights`: resources of both.

    `missing`: what it names and is not here. `digest`: of the role as it is here, by which an answer knows it again.
    """

    block: RoleBlock
    key: RoleKey
    state: RoleState
    entries: Sequence[Entry]
    juniors: Sequence[RoleKey]
    companions: Sequence[Entry]
    only_there: Sequence[Entry] = ()
    only_here: Sequence[Entry] = ()
    other_rights: Sequence[str] = ()
    further: Sequence[str] = ()
    missing: Sequence[str] = ()
    digest: str = ""

    @property
    def choices(self) -> Sequence[Choice]:
        """What may be chosen for it."""
        return CHOICES[self.state]


class ExchangePlan(msgspec.Struct, frozen=True):
    """All roles of a file, and the areas that it brings that are not here; `other_areas`: those that are, otherwise."""

    roles: Sequence[PlannedRole]
    areas: Sequence[AreaBlock] = ()
    other_areas: Sequence[str] = ()
    digest: str = ""
    missing: Sequence[str] = msgspec.field(default_factory=tuple)

    def of_state(self, state: RoleState) -> list[PlannedRole]:
        """The roles in a state."""
        return [it for it in self.roles if it.state is state]


def planned(desk: Desk, index: Index, content: Content, renaming: Renaming, digest: str) -> ExchangePlan:
    """How each role of a file stands to what is here."""
    table = RoleTable(desk.records)
    coming = {renaming.role(f"{block.system}/{block.role}") for block in content.roles}
    if len(coming) < len(content.roles):
        raise CallError("Two roles of the file would be called the same here.", "Rename their systems apart.")
    named = {it.resource for block in content.roles for it in (*block.entries, *block.companions)}
    reader = _Planner(table, index, renaming, coming, {renaming.address(it) for it in named})
    roles = sorted((reader.role(block) for block in content.roles), key=lambda it: it.key)
    areas = [_renamed(area, renaming) for area in content.areas]
    held = records_held(desk.records, AREAS, [(area.area,) for area in areas])
    other = [it.area for it in areas if (it.area,) in held and _record(it) != {**held[it.area,].record}]
    fresh = [it for it in areas if (it.area,) not in held]
    return ExchangePlan(roles, fresh, other, digest)


class _Planner:
    def __init__(
        self, table: RoleTable, index: Index, renaming: Renaming, coming: set[RoleKey], addresses: Iterable[str]
    ) -> None:
        self.table = table
        self.index = index
        self.renaming = renaming
        self.coming = coming
        self._patterns = _patterns(index, list(addresses))

    def role(self, block: RoleBlock) -> PlannedRole:
        """One role of the file beside the one of its name here."""
        key = self.renaming.role(f"{block.system}/{block.role}")
        missing: list[str] = []
        if key.system not in self.index.systems:
            missing.append(f"the system {key.system}")
        entries = self._entries([it.entry for it in block.entries], missing)
        companions = self._entries([it.entry for it in block.companions], [])
        juniors = [self.renaming.role(it) for it in block.juniors]
        missing += [it.reference for it in juniors if it not in self.coming and not self.table.exists(it)]
        juniors = [it for it in juniors if it in self.coming or self.table.exists(it)]
        return self._beside(block, key, entries, juniors, companions, list(dict.fromkeys(missing)))

    def _entries(self, entries: Sequence[Entry], missing: list[str]) -> list[Entry]:
        """Entries as they are called here; those of no system that there is are left out."""
        found = []
        for entry in entries:
            address = self.renaming.address(entry.resource)
            system = address.partition(":")[0]
            pattern, is_answered = self._patterns.get(address, ("", False))
            if system not in self.index.systems or not pattern:
                missing.append(f"the system {system}" if system not in self.index.systems else f"{address!r}")
                continue
            if entry.action != "*" and (system, entry.action) not in self.index.action_number:
                missing.append(f"the action {entry.action} of {system}")
            if not is_answered:
                missing.append(f"a resource that answers to {address}")
            found.append(Entry(pattern, entry.action, entry.effect))
        return sorted(set(found))

    def _beside(
        self,
        block: RoleBlock,
        key: RoleKey,
        entries: list[Entry],
        juniors: list[RoleKey],
        companions: list[Entry],
        missing: list[str],
    ) -> PlannedRole:
        own = set(self.table.own(key))
        below = own_juniors(self.table, key)
        held = self.table.record(key) or {"title": None, "active": 0}
        title, is_active = held["title"], bool(held["active"])
        digest = digest_of(["new"])
        if self.table.exists(key):
            lines = [list(it) for it in sorted(own)]
            digest = digest_of([lines, [it.reference for it in below], title, is_active])
        there, here = sorted({*entries} - own), sorted(own - {*entries})
        by_both = {it.resource for it in there} & {it.resource for it in own}
        by_both |= {it.resource for it in here} & {it.resource for it in entries}
        further = []
        if self.table.exists(key):
            further += [f"{it.reference} below it only there" for it in juniors if it not in below]
            further += [f"{it.reference} below it only here" for it in below if it not in juniors]
            further += [f"its title there is {block.title!r}"] * bool(block.title and block.title != title)
            further += [f"it is {'active' if block.active else 'not active'} there"] * (block.active != is_active)
        state = RoleState.SAME
        if key.system not in self.index.systems:
            state = RoleState.BLOCKED
        elif not self.table.exists(key):
            state = RoleState.NEW
        elif there or here or further:
            state = RoleState.DIFFERENT
        found = PlannedRole(block, key, state, entries, juniors, companions, missing=missing, digest=digest)
        if state is not RoleState.DIFFERENT:
            return found
        return replace(found, only_there=there, only_here=here, other_rights=sorted(by_both), further=further)


def _patterns(index: Index, texts: Sequence[str]) -> dict[str, tuple[str, bool]]:
    """Of those texts that are patterns: each as it is written, and whether a resource answers to it."""
    parsed: dict[str, Pattern] = {}
    for text in texts:
        with contextlib.suppress(ValueError):
            parsed[text] = parse_pattern(text)
    nodes = index.tree.addresses.positions_of([str(it.target) for it in parsed.values()])
    return {
        text: (str(it), node >= 0 or (not it.target.is_address and len(index.tree.matches(it.target)) > 0))
        for (text, it), node in zip(parsed.items(), nodes.tolist(), strict=True)
    }


def _renamed(area: AreaBlock, renaming: Renaming) -> AreaBlock:
    resources, excepted = ([renaming.address(it) for it in some] for some in (area.resources, area.excepted))
    return AreaBlock(area.area, resources, excepted, area.filter)


def _record(area: AreaBlock) -> dict[str, str | None]:
    return {
        "area": area.area,
        "resources": ";".join(area.resources),
        "except": ";".join(area.excepted) or None,
        "filter": area.filter,
    }


def taken(desk: Desk, plan: ExchangePlan, choices: Mapping[RoleKey, Choice], with_companions: bool) -> Composition:
    """The edits by what was chosen for each role. Raises CallError where one that differs was not chosen for."""
    open_ = [it.key.reference for it in plan.of_state(RoleState.DIFFERENT) if it.key not in choices]
    if open_:
        more = f" and {len(open_) - _MOST_NAMED} more" if len(open_) > _MOST_NAMED else ""
        differs = "differ" if len(open_) > 1 else "differs"
        what = (
            f"It is not said what becomes of {', '.join(open_[:_MOST_NAMED])}{more}, which {differs} from what is here."
        )
        raise CallError(what, "Say it in an answer file, or for all with --different unite, replace or leave.")
    table, parts = RoleTable(desk.records), []
    for it in plan.roles:
        choice = choices.get(it.key, Choice.ADD if it.state is RoleState.NEW else Choice.LEAVE)
        if choice not in it.choices:
            what = f"{it.key.reference} is {it.state}: it cannot be chosen to {choice} it."
            raise CallError(what, f"Choose {' or '.join(it.choices)}.")
        if choice is not Choice.LEAVE:
            parts.append(_taken(desk, table, it, choice, with_companions))
    found = together(parts)
    for area in plan.areas if parts else ():
        found.edits.put(edit_of(AREAS, None, _record(area)))
    return found


def _taken(desk: Desk, table: RoleTable, it: PlannedRole, choice: Choice, with_companions: bool) -> Composition:
    entries = [*it.entries, *(it.companions if with_companions else ())]
    is_whole = choice is Choice.REPLACE
    title = it.block.title if choice is not Choice.UNITE else None
    found = drafted(desk, RoleDraft(it.key, entries, {}, title, None, it.block.active, is_whole), table)
    held = table.record(it.key)
    if is_whole and held is not None and bool(held["active"]) != it.block.active:
        after = {**held, "title": title or held["title"], "active": int(it.block.active)}
        found.edits.put(edit_of(ROLES, held, after))
    own = own_juniors(table, it.key)
    for junior in it.juniors:
        if junior not in own:
            found.edits.put(edit_of(ROLE_JUNIORS, None, _junior(it.key, junior)))
    for junior in own if is_whole else ():
        if junior not in it.juniors:
            found.edits.put(edit_of(ROLE_JUNIORS, _junior(it.key, junior), None))
    return found


def _junior(key: RoleKey, junior: RoleKey) -> dict[str, str]:
    return {"system": key.system, "role": key.role, "junior": junior.reference}


def own_juniors(table: RoleTable, key: RoleKey) -> list[RoleKey]:
    """The roles directly below one; none of one that is not there."""
    if not table.exists(key):
        return []
    return sorted(table.keys[at] for at in table.juniors[table.number[key]].tolist())
