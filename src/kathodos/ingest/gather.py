"""The gather: what a source says now against what it said last, brought into the catalogue as one ledger entry."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
import sqlalchemy as sa

from kathodos.columns.dictionary import DictionaryColumn, Ints, Scalar, dictionary_column, rows_of
from kathodos.connectors.mapping import Reading, Table
from kathodos.errors import DataError
from kathodos.formats.raw import Problem
from kathodos.ingest.checking import Checked, check_table
from kathodos.ingest.comparing import Comparison, Key, Present, compare, present_in
from kathodos.ingest.cycles import note_cycles
from kathodos.ingest.merging import Claims, Merged, Precedence, columns_given, merge, open_merged
from kathodos.ingest.tie_rules import TieRule
from kathodos.ingest.tying import known_owners, tie_accounts
from kathodos.ledger.entries import Draft, json_text, writing
from kathodos.ledger.keys import Keys
from kathodos.model import kinds
from kathodos.model.kinds import GATHERED, PROBLEMS, RETURNED, Kind
from kathodos.model.references import PREFIXES, Names
from kathodos.model.times import time_text
from kathodos.store.base import FOREVER, Store
from kathodos.store.tables import LEDGER, TABLES, is_ended, read_rows, read_source, stored_columns

GATHER = "gather"
TAKING_AWAY = ("review close", "change apply")
_FEWEST_GONE = 10


@dataclass(frozen=True)
class Difference:
    """What a gather made of one kind of record: numbers of rows."""

    kind: Kind
    came: int
    changed: int
    went: int
    same: int
    set_aside: int
    came_back: int


@dataclass(frozen=True)
class Detail:
    """One record that a gather brings, changes or ends; for a change one column, before and after."""

    kind: Kind
    record: Key
    what: str
    column: str = ""
    before: Scalar = None
    after: Scalar = None


@dataclass(frozen=True)
class Gathered:
    """What a gather did, or would do. `entry` is its ledger number, None where nothing was new."""

    source: str
    entry: int | None
    differences: list[Difference]
    problems: list[Problem]
    details: list[Detail] = field(default_factory=list)


@dataclass(frozen=True)
class Terms:
    """On what terms a gather is applied.

    `precedence`: which source wins where several speak of a record; `guard`: the share of a kind's records above
    which their going stops the gather; `may_lose`: the user has confirmed that they go.
    """

    precedence: Precedence
    guard: float = 0.25
    may_lose: bool = False
    ties: Sequence[TieRule] = ()


class GuardedError(DataError):
    """More of a source's records would go than the guard lets pass."""


class _RehearsedError(Exception):
    """Ends the transaction of a gather that was only to be looked at."""


def gather(store: Store, keys: Keys, source: str, reading: Reading, actor: str, reason: str, terms: Terms) -> Gathered:
    """Makes the catalogue say what the source says, and uses the reading up.

    Raises GuardedError where too much would go.
    """
    with writing(store, keys, GATHER, actor, reason) as draft:
        done = _Gather(draft, source, reading, terms).run()
    return replace(done, entry=None if draft.is_empty else draft.number)


def rehearse(store: Store, keys: Keys, source: str, reading: Reading, terms: Terms) -> Gathered:
    """What a gather would do, with every difference; nothing is kept."""
    found: list[Gathered] = []
    try:
        with writing(store, keys, GATHER, "") as draft:
            gathering = _Gather(draft, source, reading, replace(terms, may_lose=True))
            gathering.keeps_details = True
            found.append(gathering.run())
            raise _RehearsedError
    except _RehearsedError:
        return found[0]


def last_mark(store: Store, source: str) -> str:
    """The mark that the last gather of a source left for the next."""
    with store.connect() as connection:
        query = sa.select(LEDGER.c.payload).where(LEDGER.c.kind == GATHER).order_by(LEDGER.c.number.desc())
        payloads = map(json.loads, connection.execute(query).scalars())
        return next((payload.get("mark", "") for payload in payloads if payload["source"] == source), "")


def last_gather(store: Store, source: str, digest: str) -> Gathered | None:
    """What the last gather of a source found, where the source is as it was then and nothing was gathered since."""
    with store.connect() as connection:
        query = sa.select(LEDGER.c.number, LEDGER.c.kind, LEDGER.c.payload, LEDGER.c.rows).order_by(
            LEDGER.c.number.desc()
        )
        gathered = {kind.name for kind in (*GATHERED, kinds.TIES, kinds.CLAIMS)}
        for _, kind, text, rows in connection.execute(query):
            payload = json.loads(text) if kind == GATHER else {}
            if payload.get("source") == source:
                if payload.get("digest") != digest:
                    return None
                counts = payload["counts"].items()
                differences = [
                    Difference(kinds.BY_NAME[name], 0, 0, 0, came + changed + same, aside, 0)
                    for name, (came, changed, _, same, aside) in counts
                ]
                problems = [Problem(*row) for row in read_source(connection, PROBLEMS, source).values()]
                return Gathered(source, None, differences, problems)
            if gathered & json.loads(rows).keys():
                return None
    return None


class _Gather:
    """One gather inside its transaction."""

    def __init__(self, draft: Draft, source: str, reading: Reading, terms: Terms) -> None:
        self.draft = draft
        self.source = source
        self.reading = reading
        self.terms = terms
        self.problems = list(reading.problems)
        self.claims = Claims(draft.connection)
        self.keeps_details = False
        self._present: dict[str, Present] = {}

    def run(self) -> Gathered:
        checked = self._check()
        spoken = {table.kind.name: sorted(table.columns) for table in self.reading.tables}
        self._miss_no_table()
        self.reading.tables.clear()  # what is not needed any more of millions of rows
        note_cycles(checked, self.problems)
        given = columns_given(self.draft.connection)
        differences: list[Difference] = []
        details: list[Detail] = []
        for kind in GATHERED:
            of_kind = checked.pop(kind.name, None)
            if of_kind is None and not self._was_merged(kind) and not self._lets_go_of(kind):
                self._present.pop(kind.name, None)
                continue
            if of_kind is None:
                of_kind = Checked(kind, frozenset(), columns=[_empty() for _ in kind.names])
            present = self._present_of(kind)
            claimed = self.claims.keys(kind)
            comparison = compare(of_kind, present, self.source, self.reading.covers, claimed)
            if kind.name in self.reading.stands:
                still = [self.reading.stands[kind.name](key) for key in rows_of(present.keys, comparison.gone)]
                comparison.gone = comparison.gone[~np.array(still, dtype=bool)]
            merged = merge(
                comparison,
                of_kind,
                self.claims,
                self.source,
                self.terms.precedence,
                given.get(kind.name, {}),
                self.reading.covers and not self.reading.stands,
            )
            self._guard(comparison, merged)
            if self.keeps_details:
                details += _details(comparison, merged)
            differences.append(self._apply(comparison, merged))
            self._present.pop(kind.name, None)
        self._tie(differences)
        self._keep_problems()
        self._describe(differences, spoken)
        return Gathered(self.source, None, differences, self.problems, details)

    def _present_of(self, kind: Kind) -> Present:
        if kind.name not in self._present:
            self._present[kind.name] = present_in(self.draft.records, kind)
        return self._present[kind.name]

    def _was_merged(self, kind: Kind) -> bool:
        return any(self.source in said for said in self.claims.of.get(kind.name, {}).values())

    # What the source says

    def _check(self) -> dict[str, Checked]:
        """All tables checked, in the order in which one may point at another; anything may point at an identity."""
        tables = sorted(self.reading.tables, key=lambda table: GATHERED.index(table.kind))
        names = self._names_of_others()
        for table in tables:
            if table.kind is kinds.IDENTITIES:
                names.add(kinds.IDENTITIES, ((name,) for name in table.column("id").values))
            if table.kind is kinds.RESOURCES:
                names.add_addresses(map(str, table.column("resource").values))
            names.add_addresses(f"{system}:/" for system in table.column("system").values)
        checked: dict[str, Checked] = {}
        for table in tables:
            result = check_table(table, names)
            self._keep_standing(table, result, names)
            if table.kind is kinds.ACCOUNTS:
                self._fill_owners(result)
            files = {table.file} if table.files is None else set(table.files.values)
            unread = [it for it in self.reading.problems if it.file in files and it.outcome == "set aside"]
            result.set_aside += len(unread)
            self.problems += result.problems
            checked[table.kind.name] = result
        return checked

    def _fill_owners(self, accounts: Checked) -> None:
        """Gives each account the owner that a tie has given it already, so that it does not seem changed."""
        owners = known_owners(self.draft.connection)
        if owners:
            at = kinds.ACCOUNTS.names.index("identity")
            names = ["/".join(map(str, key)) for key in rows_of(accounts.keys())]
            said = accounts.columns[at].listed()
            filled = [owners.get(name, (owner, False)) for name, owner in zip(names, said, strict=True)]
            accounts.columns[at] = dictionary_column(
                [
                    tied if by_person or owner is None else owner
                    for (tied, by_person), owner in zip(filled, said, strict=True)
                ]
            )

    def _names_of_others(self) -> Names:
        """What the catalogue holds from other sources, for this one to point at."""
        names = Names()
        for kind in GATHERED:
            if kind.name in PREFIXES or kind is kinds.RESOURCES:
                present = self._present_of(kind)
                is_whole = self.reading.covers and not self.reading.stands
                others = present.of_others(self.source) if is_whole else np.arange(len(present.rows))
                if kind is kinds.RESOURCES:
                    names.add_addresses(map(str, present.keys[0].listed()))
                else:
                    names.add(kind, rows_of(present.keys, others))
        return names

    def _keep_standing(self, table: Table, result: Checked, names: Names) -> None:
        """What is set aside leaves an earlier record of its key standing, for others to point at."""
        if not result.aside or table.kind.name not in PREFIXES:
            return
        aside = sorted(result.aside, key=str)
        found = self._present_of(table.kind).positions_of(aside)
        names.add(table.kind, (key for key, at in zip(aside, found.tolist(), strict=True) if at >= 0))
        good = set(rows_of(result.keys()))
        for key, at in zip(aside, found.tolist(), strict=True):
            if at < 0 and key not in good:
                names.set_aside(table.kind, key, f"the row in {table.file}")

    # What must not happen by accident

    def _miss_no_table(self) -> None:
        there = {table.kind.name for table in self.reading.tables}
        for kind in GATHERED:
            if kind.name not in there and not self.terms.may_lose:
                held = self._held(kind)
                if held:
                    raise DataError(
                        f"The source {self.source} has no {kind.name} any more, but the catalogue holds {held} of "
                        "them. Nothing was changed.",
                        "Put them back; if all are meant to go, give the table with its header only, or say "
                        "--accept-loss.",
                    )

    def _lets_go_of(self, kind: Kind) -> bool:
        """Whether all records of a kind go because their table is not there any more, as the user has confirmed."""
        return self.terms.may_lose and self._held(kind) > 0

    def _held(self, kind: Kind) -> int:
        """How many records of a kind the source alone holds up, if its reading tells all that there is."""
        if not self.reading.covers or self.reading.stands or kind.a_log:
            return 0
        table = TABLES[kind.name]
        query = sa.select(sa.func.count()).where(table.c.source == self.source, table.c.until == FOREVER)
        return int(self.draft.connection.execute(query.select_from(table)).scalar_one())

    def _guard(self, comparison: Comparison, merged: Merged) -> None:
        """Stops a gather in which more than the set share of a kind's records disappears."""
        held = comparison.held + sum(
            self.source in said for said in self.claims.of.get(comparison.kind.name, {}).values()
        )
        gone = len(comparison.gone) + merged.let_go
        if gone < _FEWEST_GONE or gone <= held * self.terms.guard or self.terms.may_lose:
            return
        raise GuardedError(
            f"{gone} of {held} {comparison.kind.name} of the source {self.source} would go, more than "
            f"{self.terms.guard:.0%} of them. Nothing was changed.",
            "See them with --dry-run. If the source is whole and they are meant to go, say --accept-loss.",
        )

    # What the catalogue becomes

    def _apply(self, comparison: Comparison, merged: Merged) -> Difference:
        kind, present, draft = comparison.kind, comparison.present, self.draft
        closed = np.concatenate([comparison.replaced, comparison.gone, _ints(merged.replaced), _ints(merged.gone)])
        back = self._come_back(comparison, merged)
        draft.close_rows(kind, np.sort(present.rows[closed]).tolist())
        draft.open_columns(kind, comparison.new, comparison.sources)
        open_merged(draft, kind, merged)
        self.claims.write(draft, kind, merged)
        return Difference(
            kind,
            comparison.came + len(merged.came),
            comparison.changed + len(merged.changed),
            len(comparison.gone) + len(merged.gone),
            comparison.same + merged.same,
            comparison.set_aside,
            back,
        )

    def _come_back(self, comparison: Comparison, merged: Merged) -> int:
        """Keeps a note of each record that comes although a review or a change had taken it away."""
        kind = comparison.kind
        taken = _taken_away(self.draft.connection, kind, self.source)
        if not taken:
            return 0
        keys = [kind.names.index(name) for name in kind.key]
        new = rows_of([comparison.new[at] for at in keys], slice(0, comparison.came))
        came = [*new, *(tuple(row[at] for at in keys) for row, _ in merged.came)]
        now = time_text(self.draft.time)
        back = {key: taken[key] for key in came if key in taken}
        held = read_rows(self.draft.connection, RETURNED)
        known = dict(zip(held.record_keys(), held.ids, strict=True))
        rows = [(kind.name, json_text(list(key)), self.source, *how, now) for key, how in back.items()]
        self.draft.close_rows(RETURNED, sorted(known[row[:2]] for row in rows if row[:2] in known))
        self.draft.open_rows(RETURNED, rows)
        return len(back)

    def _tie(self, differences: Sequence[Difference]) -> None:
        """Ties accounts to identities where either may have changed."""
        about = (kinds.ACCOUNTS, kinds.IDENTITIES)
        if any(it.kind in about and (it.came or it.changed or it.went) for it in differences):
            tie_accounts(self.draft, self.terms.ties)

    def _keep_problems(self) -> None:
        """Keeps the problems of this gather in place of those of the last one."""
        present = read_source(self.draft.connection, PROBLEMS, self.source)
        rows = {_values(problem) for problem in self.problems}
        held = dict(zip(present.values(), present.ids, strict=True))
        self.draft.close_rows(PROBLEMS, sorted(held[row] for row in held.keys() - rows))
        self.draft.open_rows(PROBLEMS, sorted(rows - held.keys()), self.source)

    def _describe(self, differences: Sequence[Difference], spoken: Mapping[str, Sequence[str]]) -> None:
        self.draft.subjects.append(f"source:{self.source}")
        self.draft.payload |= {
            "source": self.source,
            "digest": self.reading.digest,
            "counts": {it.kind.name: [it.came, it.changed, it.went, it.same, it.set_aside] for it in differences},
            "columns": dict(spoken),
            **({"mark": self.reading.mark} if self.reading.mark else {}),
        }


def _empty() -> DictionaryColumn:
    return DictionaryColumn(np.zeros(0, dtype=np.int32), [])


def _ints(numbers: Sequence[int]) -> Ints:
    return np.array(numbers, dtype=np.int64)


def _taken_away(connection: sa.Connection, kind: Kind, source: str) -> dict[Key, tuple[int, str, str]]:
    """The keys of rows of a source that a review or a change ended: by which entry, when and why."""
    table = TABLES[kind.name]
    columns = [column for column in stored_columns(kind) if column.name.rstrip("_") in kind.key]
    query = sa.select(*columns, LEDGER.c.number, LEDGER.c.time, LEDGER.c.reason)
    query = query.join(LEDGER, LEDGER.c.number == table.c.until).where(
        LEDGER.c.kind.in_(TAKING_AWAY), is_ended(table), (";" + table.c.source + ";").contains(f";{source};")
    )
    return {tuple(row[:-3]): (row[-3], row[-2], row[-1]) for row in connection.execute(query)}


def _details(comparison: Comparison, merged: Merged) -> Iterator[Detail]:
    kind, present = comparison.kind, comparison.present
    places = [kind.names.index(name) for name in kind.key]
    new = list(rows_of(comparison.new))
    came = [*new[: comparison.came], *(row for row, _ in merged.came)]
    changed = [*new[comparison.came :], *(row for row, _ in merged.changed)]
    before = present.records(np.concatenate([comparison.replaced, _ints(merged.replaced)]))
    for row in came:
        yield Detail(kind, tuple(row[at] for at in places), "comes")
    for old, row in zip(before, changed, strict=True):
        for name, one, other in zip(kind.names, old, row, strict=True):
            if one != other:
                yield Detail(kind, tuple(row[at] for at in places), "changes", name, one, other)
    for row in present.records(np.concatenate([comparison.gone, _ints(merged.gone)])):
        yield Detail(kind, tuple(row[at] for at in places), "goes")


def _values(problem: Problem) -> tuple[str | int, ...]:
    clean = replace(problem, value=problem.value.encode("utf-8", "replace").decode())
    return tuple(getattr(clean, column.name) for column in PROBLEMS.columns)
