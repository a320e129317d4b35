"""What stands beside a request when somebody decides it: the evidence of a review line, and what granting would do."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

import msgspec
import numpy as np

from kathodos.analysis.basis import Basis
from kathodos.analysis.evidence.asked import bits_where
from kathodos.analysis.evidence.held import units_of
from kathodos.analysis.evidence.shares import Shares
from kathodos.analysis.evidence.sources import sources_of
from kathodos.analysis.evidence.things import Things, actions_of, nodes_of
from kathodos.analysis.evidence.units import UnitEvidence
from kathodos.analysis.evidence.usual import counted as active
from kathodos.analysis.evidence.usual import known_of_anybody
from kathodos.change.composition import Composition
from kathodos.change.effect import Effect, RuleBroken
from kathodos.columns.csr import Bools, Ints, distinct, ints, joined, reachable
from kathodos.columns.dictionary import DictionaryColumn, Scalar
from kathodos.columns.intervals import holds, united
from kathodos.engine.reach import who_reaches
from kathodos.findings.excess.unit_words import UnitWords
from kathodos.model.kinds import (
    ACCOUNTS,
    DECISIONS,
    GRANTS,
    IDENTITIES,
    REQUEST_STEPS,
    REQUESTS,
    RESOURCES,
    REVIEW_LINES,
    REVIEW_THINGS,
)
from kathodos.model.references import reference_to
from kathodos.model.requests import RequestState
from kathodos.model.rows import Record
from kathodos.model.times import end_moment, first_moment
from kathodos.model.words import plural
from kathodos.request.kits import KitEntry
from kathodos.request.records import Request, RequestTable
from kathodos.rules.asked import asked_by
from kathodos.store.records import Records, Wanted

_MOST_EXAMPLES = 6
_MOST_ADDRESSES = 20_000  # of which the sensitivity is looked up
_FEW, _MOST = 0.1, 0.5  # shares of peers from which on it stands out that hardly any, or most of them, have it


class Share(msgspec.Struct, frozen=True):
    """How many others reach all that an entry names: of the peers of somebody, and of everybody who is active."""

    entry: KitEntry
    peers_having: int
    peers: int
    having: int
    everybody: int


class Before(msgspec.Struct, frozen=True):
    """What became of other requests for the same by anybody: how many there were; granted, denied, ended before their
    time, found wrong."""

    asked: int = 0
    granted: int = 0
    denied: int = 0
    ended_early: int = 0
    found_wrong: int = 0

    @property
    def text(self) -> str:
        """It in a sentence."""
        if not self.asked:
            return "Nobody asked for it before."
        left = self.asked - self.granted - self.denied
        parts = [f"asked for {plural(self.asked, 'time')} besides: granted {self.granted}"]
        parts += [f"denied {self.denied}"] if self.denied else []
        parts += [f"not decided {left}"] if left else []
        more = []
        more += [f"{self.ended_early} of the granted ended before their time"] if self.ended_early else []
        more += [f"{self.found_wrong} found wrong afterwards"] if self.found_wrong else []
        return f"It was {', '.join(parts)}{'; ' + '; '.join(more) if more else ''}."


class Reviewed(msgspec.Struct, frozen=True):
    """What a review decided about the same thing of the same person: which, when, by whom, and why."""

    review: str
    decision: str
    by: str
    at: str
    reason: str
    what: str


class Evidence(msgspec.Struct, frozen=True):
    """What is known of a request. `examples`: some of what is gained; `sensitive`: the most sensitive of it, by number.

    `risk`: the person's before and after, where that is looked at; `contains`: what a role or group brings, in words;
    `needs`: the needs that it meets, or that ask for something in it; `beyond`: what it allows that none asks for;
    `signed_in`: the accounts in the systems concerned, each with the last sign-in where one is known.
    """

    person: Record | None
    composition: Composition
    gained: int
    by_system: dict[str, int] = msgspec.field(default_factory=dict)
    examples: Sequence[str] = ()
    sensitive: tuple[int, int, str] | None = None
    conflicts: Sequence[str] = ()
    fences: Sequence[str] = ()
    needs: Sequence[str] = ()
    beyond: Sequence[str] = ()
    risk: tuple[float, float] | None = None
    shares: Sequence[Share] = ()
    before: Before = msgspec.field(default_factory=Before)
    reviewed: Sequence[Reviewed] = ()
    contains: Sequence[tuple[str, Sequence[str]]] = ()
    signed_in: Sequence[tuple[str, str]] = ()

    @property
    def speaks_against(self) -> str:
        """What of it has to be answered where it is granted all the same; empty where nothing is."""
        if self.conflicts:
            return f"It makes {plural(len(self.conflicts), 'conflict')}: {'; '.join(self.conflicts)}."
        if self.fences:
            return f"It crosses {plural(len(self.fences), 'fence')}: {'; '.join(self.fences)}."
        return ""

    @property
    def stands_out(self) -> tuple[str, str]:
        """The one thing to read first, and whether it speaks `against` or `for`; empty where nothing stands out."""
        if self.speaks_against:
            return self.speaks_against, "against"
        taken = next((it for it in self.reviewed if it.decision == "revoke"), None)
        if taken is not None:
            why = taken.reason or "no reason was said"
            return f"{taken.by} took {taken.what} away on {taken.at[:10]}: {why}.", "against"
        if self.before.found_wrong:
            return self.before.text, "against"
        if not self.gained and not len(self.composition.edits):
            return "All of it is held already, for as long.", "against"
        if self.needs and self.beyond:
            told = f"It also allows {'; '.join(self.beyond)}, which nobody asked for"
            return f"{'; '.join(self.needs)} asks for part of it. {told} by a rule.", "against"
        if self.needs:
            return f"It is needed: {'; '.join(self.needs)}.", "for"
        rare = [it for it in self.shares if it.peers > 0 and it.peers_having <= _FEW * it.peers]
        if rare:
            it = rare[0]
            has = "has" if it.peers_having < 2 else "have"
            return f"{it.peers_having or 'None'} of {it.peers} peers {has} {it.entry.text}.", "against"
        common = [it for it in self.shares if it.peers > 0 and it.peers_having > _MOST * it.peers]
        if common and len(common) == len(self.shares):
            it = min(common, key=lambda one: one.peers_having)
            return f"{it.peers_having} of {it.peers} peers have {it.entry.text} too.", "for"
        return "", ""


def evidence_of(
    basis: Basis,
    effect: Effect,
    request: Request,
    person: str,
    entries: Sequence[KitEntry],
    composition: Composition,
    peers: Sequence[str],
) -> Evidence:
    """The evidence of a request. `basis`: the records as decided, and the index of an earlier state in which all whom
    the effect is not about are as decided; `effect`: of what granting it would edit, from what has been decided;
    `peers`: the attributes that make peers."""
    reference = reference_to("identity", person)
    differences = effect.differences
    gained, texts = 0, list[str]()
    if reference in differences.askers:
        at = differences.askers.index(reference)
        gained, texts = int(differences.gained[at]), differences.texts(at)[0]
    by_system: dict[str, int] = {}
    for text in texts:
        system = text.partition(" ")[2].partition(":")[0]
        by_system[system] = by_system.get(system, 0) + 1
    made, mended = effect.broken
    asking, beyond = _needed(effect, reference, entries)
    own = [it for it in made if it.who == reference]
    findings = effect.findings
    risks = {who: (was, is_then) for who, was, is_then in findings.risks} if findings is not None else {}
    return Evidence(
        basis.records.with_key(IDENTITIES, (person,)),
        composition,
        gained,
        by_system,
        texts[:_MOST_EXAMPLES],
        _sensitive(basis, texts),
        [f"{it.rule} ({it.title}): {it.what}" for it in own if it.kind == "conflict"],
        [f"{it.rule} ({it.title}): {it.what}" for it in own if it.kind == "fence"],
        list(dict.fromkeys([*(f"{it.rule} ({it.title})" for it in mended if _is_need_of(it, reference)), *asking])),
        beyond,
        risks.get(reference),
        _shares(basis, effect, person, entries, peers),
        before_of(basis.records, request),
        list(_reviewed(basis.records, person, entries)),
        list(_contains(basis.records, effect.before, entries)),
        list(_signed_in(basis.records, person, entries)),
    )


def _contains(records: Records, decided: Basis, entries: Sequence[KitEntry]) -> Iterator[tuple[str, list[str]]]:
    """What each role permits, with its junior roles, and what being in each group brings."""
    index, moment = decided.index, decided.moment
    for entry in entries:
        if entry.gives.startswith("role:"):
            role = index.roles.find(entry.gives.removeprefix("role:"))
            roles = reachable(index.juniors, ints([role])).tolist() if role >= 0 else []
            held = (index.entries[at] for one in roles if index.role_is_active[one] for at in index.role_entries[one])
            texts = {f"{'never ' if it.denies else ''}{it.action} {it.pattern}" for it in held}
        elif entry.gives.startswith("group:"):
            group = index.holders.find(entry.gives)
            above = reachable(index.holders.edges, ints([group])).astype(np.int64) if group >= 0 else ints([])
            names = [index.holders.references[it] for it in above.tolist()]
            texts = {
                ("deny " if it["effect"] == "deny" else "") + it["gives"] + (f" on {it['on']}" if it["on"] else "")
                for it in records.holding(GRANTS, {"holder": names}).records()
                if first_moment(it["from"]) <= moment < end_moment(it["until"])
            }
        else:
            continue
        yield entry.gives, sorted(texts)


def _signed_in(records: Records, person: str, entries: Sequence[KitEntry]) -> Iterator[tuple[str, str]]:
    """The accounts of somebody in the systems in which something is given, with the last sign-in."""
    systems = {it.system for it in entries}
    for it in records.holding(ACCOUNTS, {"identity": [person]}).records():
        if it["system"] in systems:
            yield reference_to("account", it["system"], it["login"]), str(it["last_login"] or "")


def _sensitive(basis: Basis, texts: Sequence[str]) -> tuple[int, int, str] | None:
    """How many of the resources that are gained are the most sensitive of them, how sensitive, and one of these."""
    addresses = list(dict.fromkeys(text.partition(" ")[2] for text in texts))[:_MOST_ADDRESSES]
    if not addresses:
        return None
    nodes = basis.index.tree.addresses.positions_of(addresses)
    rows = np.where(nodes >= 0, basis.index.node_rows[nodes], 0)  # 0: none lists it
    held = iter(basis.records.picked(RESOURCES, "sensitivity", rows[rows > 0]).listed())
    values = [int(next(held) or 0) if row > 0 else 0 for row in rows.tolist()]
    most = max(values)
    return (values.count(most), most, addresses[values.index(most)]) if most > 0 else None


def _is_need_of(broken: RuleBroken, who: str) -> bool:
    return broken.kind == "need" and broken.who == who


def _needed(effect: Effect, whose: str, entries: Sequence[KitEntry]) -> tuple[list[str], list[str]]:
    """The needs that ask for something in what would be given, and what it allows beside what they ask for."""
    after = effect.after
    asker = after.index.holders.find(whose)
    needs = effect.rules.needs
    if asker < 0 or not needs:
        return [], []
    units = units_of(after.index, ints([asker]), after.moment)
    things = after.things
    given = [it for it in (_thing(things, entry) for entry in entries) if it >= 0]
    units = units.picked(np.isin(things.of_units(units.grant, units.group), given).nonzero()[0])
    if not len(units):
        return [], []
    evidence = UnitEvidence(after, units, asked_by(after, needs))
    words = UnitWords(evidence)
    asking = distinct(bits_where([one | other for one, other in _both(evidence)]).items).tolist()
    beyond = list(dict.fromkeys(it for it in map(words.beyond, range(len(units))) if it))
    return [f"{needs[at].id} ({needs[at].title})" for at in asking], beyond


def _both(evidence: UnitEvidence) -> Iterator[tuple[Ints, Ints]]:
    return zip(evidence.needed, evidence.also_needed, strict=True)


# Who has it


def _thing(things: Things, entry: KitEntry) -> int:
    """The thing that an entry is in an index where it is given; -1 where it is not there."""
    index = things.index
    if entry.gives.startswith("group:"):
        number = index.holders.find(entry.gives)
        return number - index.holders.first_group if number >= 0 else -1
    gives = index.entitlements.gives_texts.find(entry.gives)
    scope = index.entitlements.scope_texts.find(entry.on) if entry.on else -1
    fits = (index.entitlements.gives == gives) & (index.entitlements.scope == scope)
    if gives < 0 or (entry.on and scope < 0) or not fits.any():
        return -1
    grants = index.entitlement_grants.all_of(fits.nonzero()[0]).astype(np.int64)
    grants = grants[~index.grants.denies[grants]]
    return int(things.of_grants(grants[:1])[0]) if len(grants) else -1


def _named(effect: Effect, entry: KitEntry, whose: str) -> list[tuple[str, str, str]]:
    """What an entry names, as far as the person would reach it: system, action and address of each."""
    after = effect.after
    things = after.things
    thing = _thing(things, entry)
    asker = after.index.holders.find(whose)
    if thing < 0 or asker < 0:
        return []
    pairs = things.names(ints([thing]))[0].items.astype(np.int64)
    alike = after.things.points.alike(pairs)
    pairs = pairs[np.unique(alike, return_index=True)[1]]
    shares = Shares(sources_of(things, ints([asker])))
    reached = [(first, end) for block in shares.blocks() for _, first, end in [block.reached]]
    some = pairs[holds(united(*(joined([it[side] for it in reached]) for side in (0, 1))), pairs)]
    actions, nodes = actions_of(after.index, some).tolist(), nodes_of(after.index, some).tolist()
    return [
        (*after.index.actions[action], after.index.tree.addresses[node])
        for action, node in zip(actions, nodes, strict=True)
    ]


def _shares(
    basis: Basis, effect: Effect, person: str, entries: Sequence[KitEntry], peers: Sequence[str]
) -> list[Share]:
    """How many peers of somebody, and how many of everybody, reach all that each entry names.

    The effect tells what has been decided of those of whom it knows, and `basis` of all others.
    """
    few = effect.before
    told = basis.index.holders.identities.positions_of(few.index.holders.identities)
    others = np.ones(basis.people, dtype=bool)
    others[told[told >= 0]] = False
    sides = [_Side(basis, others), _Side(few, np.ones(few.people, dtype=bool))]
    peers = [it for it in peers if any(known_of_anybody(side.basis, [it]) for side in sides)]
    values = next((it for it in (side.values_of(person, peers) for side in reversed(sides)) if it is not None), None)
    kind = next((it for it in (side.values_of(person, ["kind"]) for side in reversed(sides)) if it), {"kind": "person"})
    names = [_named(effect, entry, reference_to("identity", person)) for entry in entries]
    found = [Share(entry, 0, 0, 0, 0) for entry in entries]
    for side in sides:
        counted = side.counted_but(person) & side.alike(kind)
        alike = counted & side.alike({**values, **kind} if values and all(values.values()) else None)
        for number, share in enumerate(found):
            having = _having(side.basis, names[number])
            more = (int(it.sum()) for it in (alike & having, alike, counted & having, counted))
            before = (share.peers_having, share.peers, share.having, share.everybody)
            found[number] = Share(share.entry, *map(sum, zip(before, more, strict=True)))
    return found


class _Side(msgspec.Struct, frozen=True):
    """People who are counted: some of those of whom a basis tells."""

    basis: Basis
    which: Bools

    def _number(self, person: str) -> int:
        number = self.basis.index.holders.identities.find(person)
        return number if number >= 0 and self.which[number] else -1

    def values_of(self, person: str, names: Sequence[str]) -> dict[str, Scalar] | None:
        """Some attributes of somebody; None where they are not among these people."""
        number = self._number(person)
        return {name: self.basis.identity(name).value(number) for name in names} if number >= 0 else None

    def counted_but(self, person: str) -> Bools:
        """Everybody who is active, one left out."""
        counted = self.which & active(self.basis)
        number = self._number(person)
        if number >= 0:
            counted[number] = False
        return counted

    def alike(self, values: Mapping[str, Scalar] | None) -> Bools:
        """Who has the same attributes; nobody where there are none."""
        found = np.full(self.basis.people, bool(values))
        for name, value in (values or {}).items():
            found &= self.basis.identity(name).holding(value)
        return found


def _having(basis: Basis, names: Sequence[tuple[str, str, str]]) -> Bools:
    """Which identities reach all of some names; nobody where there is none."""
    index = basis.index
    found = np.full(basis.people, bool(names))
    nodes = index.tree.addresses.positions_of([address for _, _, address in names]) if names else ints([])
    numbers = [index.action_number.get((system, action), -1) for system, action, _ in names]
    if (nodes < 0).any() or -1 in numbers:
        return np.zeros(basis.people, dtype=bool)
    for action, node in zip(numbers, nodes.tolist(), strict=True):
        found &= who_reaches(index, node, action, basis.moment)[: basis.people]
    return found


# What was decided before


def before_of(records: Records, request: Request) -> Before:
    """What became of other requests for the same."""
    same: Wanted = {"kit": [request.kit]} if request.kit else {"entries": [_entries_kept(request)]}

    def others(**wanted: Sequence[str | int]) -> Ints:
        found = records.rows_holding(REQUESTS, {**same, **wanted})
        return distinct(found[found != request.row])

    running, ended, denied = (
        others(state=[it.value]) for it in (RequestState.GRANTED, RequestState.ENDED, RequestState.DENIED)
    )
    over = RequestTable(records, ended)
    early = (over.moments("closed_at") < over.ends()) & ~_starting(over.column("why"), "renewed by ")
    looked_back = records.rows_holding(REQUEST_STEPS, {"decision": ["wrong"]})
    numbers = [int(str(it)) for it in records.picked(REQUEST_STEPS, "request", looked_back).listed()]
    wrong = len(others(request=numbers)) if numbers else 0
    return Before(len(others()), len(running) + len(ended), len(denied), int(early.sum()), wrong)


def _entries_kept(request: Request) -> str | None:
    from_values = dict(zip(REQUESTS.names, request.values(), strict=True))["entries"]
    return None if from_values is None else str(from_values)


def _starting(column: DictionaryColumn, start: str) -> Bools:
    found: Bools = np.array([*(str(it).startswith(start) for it in column.values), False], dtype=bool)[column.codes]
    return found


def _reviewed(records: Records, person: str, entries: Sequence[KitEntry]) -> list[Reviewed]:
    """What reviews decided about the same of the same person, the newest first."""
    wanted = {it.gives: it for it in entries}
    found = []
    for line in records.holding(REVIEW_LINES, {"identity": [person]}).records():
        thing = records.with_key(REVIEW_THINGS, (line["review"], line["thing"]))
        gives = str(thing["gives"]) if thing is not None else ""
        what = gives.partition(" on ")[0] if gives not in wanted else gives
        if what not in wanted:
            continue
        for one in records.holding(DECISIONS, {"review": [line["review"]], "line": [line["line"]]}).records():
            told = [str(one[name] or "") for name in ("decision", "decided_by", "decided_at", "reason")]
            found.append(Reviewed(line["review"], told[0], told[1], told[2], told[3], wanted[what].text))
    return sorted(found, key=lambda it: it.at, reverse=True)
