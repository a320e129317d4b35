"""Mandates in words: who may hand out what, one person's powers, and what somebody could hand out to whom."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property
from typing import Any

import numpy as np

from kathodos.change.mandates import (
    GIVE,
    TAKE,
    Handed,
    Mandate,
    MandateCheck,
    administrators_by_mandate,
    mandates_in,
)
from kathodos.columns.csr import Bools, Ints, distinct, ints, joined
from kathodos.findings.escalation import administering_grants, roles_that_administer, who_administers, worth_more
from kathodos.ledger.actors import Actor
from kathodos.model.kinds import MANDATES
from kathodos.model.times import DAY, day_text
from kathodos.model.words import people_and_accounts, plural
from kathodos.report.answers import Answer, Field
from kathodos.report.long import first_rows
from kathodos.workspace.view import View

_OVERVIEW = (
    Field("who", "Who", 9, least=14),
    Field("name", "Name", 6, least=10),
    Field("power", "May", 9, least=18),
    Field("through", "Through", 8, least=14),
    Field("where", "Where", 7, least=10),
    Field("since", "Since", 5, least=10),
    Field("more", "Worth more", 4, least=12),
)
_TRY = (
    Field("act", "May", 8),
    Field("role", "Role", 9, least=16),
    Field("where", "Where", 8),
    Field("receivers", "To or from", 7, is_number=True),
    Field("examples", "For example", 5, least=20),
)
_LATELY = 90  # days


def overview(view: View, whose: str | None, most: int | None, is_table: bool) -> Answer:
    """Everyone who may hand out roles or administers a system: through what, on which area; one person's powers."""
    state = view.decided
    powers = _Powers(state)
    holders = state.index.holders
    chosen, heading = np.arange(len(powers)), ""
    if whose is not None:
        asker = state.asker(whose)
        chosen, who = (powers.who == asker).nonzero()[0], holders.references[asker]
        some = plural(len(chosen), "power")
        heading = f"{who} has {some}." if len(chosen) else f"{who} may hand out and administer nothing."
    shown, more = first_rows(chosen.tolist(), most if is_table else None)
    text = []
    if whose is None:
        people = distinct(powers.who)
        accounts = int((people >= holders.people).sum())
        heading = f"{people_and_accounts(len(people) - accounts, accounts)} may hand out or administer something."
        text = [powers.counts, *_lately(view, state, people)]
    hint = f"{more} What one of them could hand out: kathodos mandates try WHO".strip()
    return Answer(_OVERVIEW, list(powers.rows(ints(shown))), heading, text, hint=hint)


class _Powers:
    """What everybody may hand out, by mandates, and behind that what everybody administers, by grants.

    `who`: the asker of each; `by`: the number of the mandate or grant, `system` that of the system, -1 for a mandate.
    """

    def __init__(self, state: View) -> None:
        self._state, self._index = state, state.index
        self._check = MandateCheck(state.catalogue, state.index, state.moment)
        by_mandate, by_grant = administrators_by_mandate(self._check), list(administering_grants(state.basis))
        self._systems = [it.system for it in by_grant]
        self.who = joined([*by_mandate, *(it.askers for it in by_grant)])
        of_mandate = np.repeat(np.arange(len(by_mandate)), [len(it) for it in by_mandate])
        self.by = np.concatenate([of_mandate, *(it.grants for it in by_grant)])
        of_system = np.repeat(np.arange(len(by_grant)), [len(it.askers) for it in by_grant])
        self.system = np.concatenate([np.full(len(of_mandate), -1), of_system])

    def __len__(self) -> int:
        return len(self.who)

    @cached_property
    def _holders(self) -> Ints:
        """Who holds each of these mandates and grants; -1 where that is nobody."""
        numbers = ints(self._index.holders.find(it.holder) for it in self._check.mandates)
        found: Ints = np.append(numbers, self._index.grants.holder.astype(np.int64))
        return found[np.where(self.system < 0, self.by, self.by + len(numbers))]

    @cached_property
    def is_direct(self) -> Bools:
        """Which of them somebody has by a mandate or a grant of its own, or of one of its accounts."""
        holders = self._index.holders
        is_account = (self._holders >= holders.people) & (self._holders < holders.first_group)
        found: Bools = (self._holders == self.who) | (is_account & (self.system >= 0))
        return found

    @property
    def counts(self) -> str:
        """How many there are, of each kind, in words."""
        mandated, administering = (len(distinct(self.who[some])) for some in (self.system < 0, self.system >= 0))
        direct = int(self.is_direct.sum())
        return (
            f"{mandated:,} by a mandate, {administering:,} by a role that administers; of {plural(len(self), 'power')} "
            f"{direct:,} directly, {len(self) - direct:,} through a group."
        )

    def rows(self, chosen: Ints) -> Iterator[dict[str, Any]]:
        """Some of them, in words."""
        names = self._index.holders.references
        asked = self._state.asked(distinct(self.who[chosen]).tolist())
        for at in chosen.tolist():
            who = int(self.who[at])
            own = self._by_grant(at) if self.system[at] >= 0 else self._by_mandate(at)
            yield {"who": names[who], "name": asked[who].name, **own, "is_direct": bool(self.is_direct[at])}

    def _by_mandate(self, at: int) -> dict[str, Any]:
        mandate = self._check.mandates[int(self.by[at])]
        return {
            "kind": "mandate",
            "power": f"{' and '.join(mandate.may)} {', '.join(mandate.roles)}{_to(mandate)}",
            "through": "a mandate of its own" if self.is_direct[at] else f"the mandate of {mandate.holder}",
            "where": f"area {mandate.area}" if mandate.area else "everywhere",
            "since": self._since.get(mandate),
            "more": self._more[int(self.by[at])],
        }

    def _by_grant(self, at: int) -> dict[str, Any]:
        grant, index = int(self.by[at]), self._index
        holder = index.holders.references[int(self._holders[at])]
        by_way = "" if self.is_direct[at] else f", by way of {holder}"
        return {
            "kind": "role",
            "power": f"administer {self._systems[int(self.system[at])]}",
            "through": index.gives(grant) + by_way,
            "where": index.scope(grant) or "everywhere",
            "since": self._state.basis.grant("given_at").value(grant),
            "more": [],
        }

    @cached_property
    def _more(self) -> list[list[str]]:
        """The roles of each mandate that are worth more than they look."""
        index, administering = self._index, roles_that_administer(self._index)
        some = (worth_more(index, it.roles, administering) for it in self._check.mandates)
        return [[f"{role} can change others" for role in roles] for roles in some]

    @cached_property
    def _since(self) -> dict[Mandate, str]:
        """The day of the entry that brought each mandate; of one that is only ordered or assumed none."""
        view = self._state
        history, chosen = view.stored.history(MANDATES), view.stored.chosen(MANDATES)
        since = history.since if chosen is None else history.since[chosen]
        days = {entry: str(view.histories.reader.time_of(entry))[:10] for entry in {*since.tolist()}}
        return dict(zip(mandates_in(view.stored), (days[entry] for entry in since.tolist()), strict=True))


def _to(mandate: Mandate) -> str:
    return f" to those with {mandate.receivers}" if mandate.receivers else ""


def _lately(view: View, state: View, now: Ints) -> list[str]:
    """Who came to hand out or administer something lately, and who no longer does."""
    day = day_text(view.moment - _LATELY * DAY)
    with view.workspace.view(day) as before:
        if not before.point.entry:
            return []
        then, names = _administering(before), before.index.holders.references
        own = before.index.holders.numbers_in(state.index.holders)[then]
        went = {names[it] for it in then[~np.isin(own, now)].tolist()}
    came = {state.index.holders.references[it] for it in np.setdiff1d(now, own).tolist()}
    still = went & _named(view) if state is not view else set[str]()
    early = came - _named(view) if state is not view else set[str]()
    words = (("came", came - early), ("is ordered to come", early), ("went", went - still), ("is ordered to go", still))
    parts = []
    for word, some in words:
        if some:
            few = f"{', '.join(sorted(some)[:3])}{' ...' if len(some) > 3 else ''}"
            parts.append(f"{len(some):,} {word if len(some) == 1 else word.replace('is ', 'are ')} ({few})")
    return [f"Since {day}: {'; '.join(parts)}." if parts else f"Nobody came or went since {day}."]


def _administering(view: View) -> Ints:
    """Who may hand out or administer something, in order."""
    check = MandateCheck(view.catalogue, view.index, view.moment)
    return distinct(joined([*administrators_by_mandate(check), *who_administers(view.basis).values()]))


def _named(view: View) -> set[str]:
    """As `_administering`, as the systems have it now, by their references."""
    return {view.index.holders.references[it] for it in _administering(view).tolist()}


# Trying


def tried(view: View, actor: Actor, most: int | None, is_table: bool) -> Answer:
    """What somebody could hand out and take, by role and area, and to or from how many people; nothing is done."""
    state = view.decided
    check = MandateCheck(state.catalogue, state.index, view.moment)
    rows = list(_possible(state, check, actor))
    shown, more = first_rows(rows, most if is_table else None)
    heading = f"{actor.name} could give or take {plural(len({row['role'] for row in rows}), 'role')}."
    if not rows:
        heading = f"{actor.name} holds no mandate, and could hand out nothing by one."
    return Answer(_TRY, shown, heading, hint=more)


def _possible(state: View, check: MandateCheck, actor: Actor) -> Iterator[dict[str, Any]]:
    names = state.index.holders.references
    for mandate in (it for it in check.mandates if check.holds(actor, it)):
        scope = f"area:{mandate.area}" if mandate.area else None
        for role in (it for it in state.index.roles if mandate.names(it)):
            for act in (it for it in (GIVE, TAKE) if it in mandate.may):
                meant = check.receivers(actor, mandate, act)
                some = [names[at] for at in meant.nonzero()[0][:3].tolist()]
                if some and check.verdict(Handed(act, role, some[0], scope), [actor]).is_allowed:
                    yield {
                        "act": act,
                        "role": f"role:{role}",
                        "where": f"area {mandate.area}" if mandate.area else "everywhere",
                        "receivers": int(meant.sum()),
                        "examples": some,
                    }
