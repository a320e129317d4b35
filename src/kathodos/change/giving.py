"""Giving and taking roles and permissions, on areas, with an end; joining and leaving groups; ends moved."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

import msgspec
from msgspec.structs import replace

from kathodos.change.composition import Composition, Desk
from kathodos.change.edit_sets import edit_of, system_of
from kathodos.change.settling import records_held
from kathodos.errors import CallError
from kathodos.model.cells import IN_AN_ID, derived_id
from kathodos.model.kinds import GRANTS, GROUPS, IDENTITIES, MEMBERS
from kathodos.model.rows import Record
from kathodos.model.times import NEVER, end_moment, first_moment
from kathodos.store.records import columns_of

_MOST_TOLD = 5


class Giving(msgspec.Struct, frozen=True):
    """What is given or taken: roles and permissions, to or from holders, on scopes, from when until when, at which
    tier, and why."""

    gives: Sequence[str]
    holders: Sequence[str]
    scopes: Sequence[str | None] = (None,)
    begins: str | None = None
    until: str | None = None
    denies: bool = False
    reason: str = ""
    tier: int = 0

    def wanted(self) -> Iterator[tuple[str, str, str | None]]:
        """Each holder with each thing on each scope."""
        for holder in self.holders:
            for gives in self.gives:
                yield from ((holder, gives, scope) for scope in self.scopes)


def give(desk: Desk, asked: Giving) -> Composition:
    """Grants of all that is not held yet; one that ends too early is prolonged instead of given twice."""
    desk.must_be_there(asked.holders)
    _must_be_in_order(desk, asked)
    held = _held_by(desk, asked.holders)
    found = Composition()
    for holder, gives, scope in asked.wanted():
        found.asked += 1
        alike = [it for it in held.get((holder, gives, scope), ()) if _counts(desk, it, asked)]
        if any(_lasts(it, asked.until) for it in alike):
            found.standing += 1
        elif alike:
            longest = max(alike, key=lambda it: end_moment(it["until"]))
            found.edits.put(edit_of(GRANTS, longest, {**longest, "until": asked.until}))
        else:
            found.edits.put(edit_of(GRANTS, None, _new_grant(desk, asked, holder, gives, scope)))
    return found


def _must_be_in_order(desk: Desk, asked: Giving) -> None:
    """Raises CallError where what is given would end before it begins, or has ended."""
    if asked.until is None:
        return
    end = end_moment(asked.until)
    if end <= first_moment(asked.begins):
        raise CallError(f"It would end on {asked.until}, before it begins on {asked.begins}.", "Turn the two round.")
    if end <= desk.moment:
        raise CallError(f"{asked.until} is over, and what ends then would give nothing.", "Name a day to come.")


def _held_by(desk: Desk, holders: Sequence[str]) -> Mapping[tuple[str, str, str | None], list[Record]]:
    """The grants of some holders, by holder, what they give, and scope."""
    found: dict[tuple[str, str, str | None], list[Record]] = {}
    for record in desk.records.holding(GRANTS, {"holder": holders}).records():
        found.setdefault((record["holder"], record["gives"], record["on"]), []).append(record)
    return found


def _counts(desk: Desk, grant: Record, asked: Giving) -> bool:
    """Whether a grant that is there gives what is asked for, and has begun when that begins, and not ended."""
    is_same = (grant["effect"] == "deny") == asked.denies and (grant["tier"] or 0) == asked.tier
    begins = max(first_moment(asked.begins), desk.moment)
    return is_same and first_moment(grant["from"]) <= begins < end_moment(grant["until"])


def _lasts(grant: Record, until: str | None) -> bool:
    """Whether a grant holds at least until then."""
    return end_moment(grant["until"]) >= (end_moment(until) if until is not None else NEVER)


def _new_grant(desk: Desk, asked: Giving, holder: str, gives: str, scope: str | None) -> Record:
    record: dict[str, str | int | None] = dict.fromkeys(GRANTS.names)
    record |= {"holder": holder, "gives": gives, "on": scope, "effect": "deny" if asked.denies else "permit"}
    record |= {"tier": asked.tier}
    record |= {"from": asked.begins, "until": asked.until, "given_by": desk.author or None}
    record |= {"given_at": desk.now.date().isoformat(), "reason": asked.reason or None}
    return {**record, "grant": derived_id([record[name] for name in IN_AN_ID])}


def given_as(desk: Desk, record: Record, gives: str, holder: str) -> Composition:
    """What gives a holder something as a grant gives it: on its scope, in its time, at its tier, or denied as there."""
    begins = record["from"] if first_moment(record["from"]) > desk.moment else None
    asked = Giving([gives], [holder], [record["on"]], begins, record["until"], record["effect"] == "deny")
    return give(desk, replace(asked, tier=int(record["tier"] or 0)))


def is_over(desk: Desk, record: Record) -> bool:
    """Whether a grant has ended, so that it gives nothing any more."""
    return end_moment(record["until"]) <= desk.moment


def take(desk: Desk, asked: Giving, is_everywhere: bool = True) -> Composition:
    """Ends the grants that give this to these: on these scopes, or (`is_everywhere`) on whatever scope."""
    held: dict[tuple[str, str], list[Record]] = {}
    for (holder, gives, scope), records in _held_by(desk, asked.holders).items():
        if is_everywhere or scope in asked.scopes:
            held.setdefault((holder, gives), []).extend(records)
    found, without = Composition(), []
    for holder in asked.holders:
        for gives in asked.gives:
            mine = held.get((holder, gives), [])
            found.asked += 1 if is_everywhere else len(asked.scopes)
            found.standing += (not mine) if is_everywhere else len({*asked.scopes} - {it["on"] for it in mine})
            without += [] if mine else [f"{gives} of {holder}"]
            for record in mine:
                found.edits.put(edit_of(GRANTS, record, None))
    if without:
        found.notes.append(f"Held by no grant of their own, so that there is nothing to take: {told(without)}.")
    return found


def holding(desk: Desk, gives: str) -> list[str]:
    """The people and accounts who hold something by a grant of their own."""
    at = desk.records.column(GRANTS, "gives").holding(gives).nonzero()[0]
    holders = desk.records.column(GRANTS, "holder").listed(at)
    return list(dict.fromkeys(str(it) for it in holders if str(it).startswith(("identity:", "account:"))))


def told(texts: Sequence[str]) -> str:
    """Some texts in a sentence, the first ones and how many more."""
    more = f" and {len(texts) - _MOST_TOLD} more" if len(texts) > _MOST_TOLD else ""
    return "; ".join(texts[:_MOST_TOLD]) + more


def join(desk: Desk, groups: Sequence[str], members: Sequence[str]) -> Composition:
    """Memberships of all that are not in the groups yet. Raises CallError where a group would be inside itself."""
    desk.must_be_there(members)
    wanted = [(*_named(group), member) for group in groups for member in members]
    _must_lead_nowhere_back(desk, groups, members)
    _must_be_filled_by_hand(desk, groups)
    held = records_held(desk.records, MEMBERS, wanted)
    found = Composition(asked=len(wanted), standing=len(held))
    for key in wanted:
        if key not in held:
            found.edits.put(edit_of(MEMBERS, None, dict(zip(MEMBERS.names, key, strict=True))))
    return found


def leave(desk: Desk, groups: Sequence[str], members: Sequence[str]) -> Composition:
    """Ends the memberships that are listed."""
    wanted = [(*_named(group), member) for group in groups for member in members]
    held = records_held(desk.records, MEMBERS, wanted)
    found = Composition(asked=len(wanted), standing=len(wanted) - len(held))
    for key in wanted:
        if key in held:
            found.edits.put(edit_of(MEMBERS, held[key].record, None))
    without = [f"{key[2]} in group:{key[0]}/{key[1]}" for key in wanted if key not in held]
    if without:
        found.notes.append(f"Not listed as members, so that there is nothing to leave: {told(without)}.")
    return found


def _named(group: str) -> tuple[str, str]:
    system, _, name = group.partition(":")[2].partition("/")
    return system, name


def _must_be_filled_by_hand(desk: Desk, groups: Sequence[str]) -> None:
    """Raises CallError where a group's members are those that a filter selects."""
    held = records_held(desk.records, GROUPS, [_named(group) for group in groups])
    filled = [f"group:{'/'.join(map(str, key))}" for key, it in held.items() if it.record["filter"]]
    if filled:
        what = f"The members of {told(filled)} are those that a filter selects."
        raise CallError(what, "Nobody joins it by hand: change the filter, or what it selects by.")


def _must_lead_nowhere_back(desk: Desk, groups: Sequence[str], members: Sequence[str]) -> None:
    joining = {it for it in members if it.startswith("group:")}
    if not joining:
        return
    of: dict[str, list[str]] = {}
    for system, group, member in zip(*columns_of(desk.records, MEMBERS, *MEMBERS.key), strict=True):
        if member.startswith("group:"):
            of.setdefault(member, []).append(f"group:{system}/{group}")
    for group in groups:
        above, fresh = {group}, [group]
        for one in fresh:
            more = [it for it in of.get(one, ()) if it not in above]
            above.update(more)
            fresh += more
        round_ = sorted(above & joining)
        if round_:
            what = f"{round_[0]} would be inside itself" + ("" if group == round_[0] else f", for {group} is in it")
            raise CallError(f"{what}.", "Leave it out.")


def move_end(desk: Desk, references: Sequence[str], until: str | None) -> Composition:
    """Sets, prolongs or (None) lifts the end of grants and identities. Raises CallError where it would not fit."""
    found = Composition(asked=len(references))
    for kind, start, column in ((GRANTS, "grant:", "until"), (IDENTITIES, "identity:", "ends")):
        keys = [(it.removeprefix(start),) for it in references if it.startswith(start)]
        for key, held in records_held(desk.records, kind, keys).items():
            begins = held.record["from" if kind is GRANTS else "starts"]
            if until is not None and end_moment(until) <= first_moment(begins):
                what = f"{start}{key[0]} would end on {until}, before it begins on {begins}."
                raise CallError(what, "Name a later day.")
            if held.record[column] == until:
                found.standing += 1
            else:
                found.edits.put(edit_of(kind, held.record, {**held.record, column: until}))
    return found


class HeldBeside(msgspec.Struct, frozen=True):
    """A grant that somebody holds beside a role, in the same system."""

    record: Record

    @property
    def text(self) -> str:
        """It in words."""
        scope = f" on {self.record['on']}" if self.record["on"] else ""
        effect = "deny " if self.record["effect"] == "deny" else ""
        return f"{self.record['holder']}: {effect}{self.record['gives']}{scope} (grant:{self.record['grant']})"


def exceptions_beside(desk: Desk, old: str, holders: Sequence[str]) -> list[HeldBeside]:
    """What each holder of a role was given for itself in the role's system: permissions, and denials."""
    system = old.partition(":")[2].partition("/")[0]
    held = _held_by(desk, holders)
    having = {holder for holder, gives, _ in held if gives == old}
    return [
        HeldBeside(record)
        for (holder, gives, _), some in held.items()
        if holder in having and not gives.startswith("role:")
        for record in some
        if system_of(GRANTS, record) == system
    ]


def swap(desk: Desk, old: str, new: str, holders: Sequence[str], drops_exceptions: bool) -> Composition:
    """Gives one role where another was held, on the same scope in the same time; exceptions stay, or end too."""
    desk.must_be_there(holders)
    held = _held_by(desk, holders)
    found, without = Composition(asked=len(holders)), []
    for holder in holders:
        mine = [it for (who, gives, _), some in held.items() if (who, gives) == (holder, old) for it in some]
        mine = [it for it in mine if not is_over(desk, it)]
        if not mine:
            found.standing += 1
            without.append(holder)
        for record in mine:
            given = given_as(desk, record, new, holder)
            found.notes += given.notes
            for edit in given.edits:
                found.edits.put(edit)
            found.edits.put(edit_of(GRANTS, record, None))
    if drops_exceptions:
        for one in exceptions_beside(desk, old, holders):
            found.edits.put(edit_of(GRANTS, one.record, None))
    if without:
        found.notes.append(
            f"{old} is held by no grant of their own, so that there is nothing to swap: {told(without)}."
        )
    return found


def to_group(desk: Desk, gives: Sequence[str], holders: Sequence[str], group: str) -> Composition:
    """Direct grants of several become grants of one group that they are all in; a group that is not there is made.

    Grants of the same role or permission on the same scope in the same time become one; denials stay, and what is over.
    """
    system, name = _named(group)
    found = Composition(asked=len(holders) * len(gives))
    if not records_held(desk.records, GROUPS, [(system, name)]):
        empty: dict[str, str | None] = dict.fromkeys(GROUPS.names)
        found.edits.put(edit_of(GROUPS, None, {**empty, "system": system, "group": name}))
        found.notes.append(f"{group} is made anew.")
        joining = Composition()
        for member in holders:
            joining.edits.put(edit_of(MEMBERS, None, {"system": system, "group": name, "member": member}))
    else:
        joining = join(desk, [group], holders)
    moved: dict[tuple[str | None, ...], tuple[Record, set[str]]] = {}
    for (holder, what, scope), some in _held_by(desk, holders).items():
        for record in some:
            if what in gives and record["effect"] == "permit" and not is_over(desk, record):
                alike = (what, scope, *(str(record[name]) for name in ("from", "until", "tier")))
                moved.setdefault(alike, (record, set()))[1].add(holder)
                found.edits.put(edit_of(GRANTS, record, None))
    for record, having in moved.values():
        what = str(record["gives"])
        lacking = sorted({*holders} - having)
        if lacking:
            found.notes.append(f"{what} was not held by all alike, and comes to {told(lacking)} with the group.")
        given = given_as(desk, record, what, group)
        found.standing += given.standing
        for edit in given.edits:
            found.edits.put(edit)
    if not moved:
        raise CallError(f"Nobody of these holds {told(list(gives))} directly.", "There is nothing to move to a group.")
    return found.joined(Composition(joining.edits))
