"""The gather: what a source says now against what it said last, brought into the catalogue as one ledger entry."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Mapping, Sequence
from typing import ClassVar

import msgspec
import numpy as np
from msgspec.structs import replace

from kathodos.change.merging import merged_columns, merges_in
from kathodos.change.orders import Confirmed, confirm, orders_holding, orders_in
from kathodos.change.settling import records_held
from kathodos.columns.csr import first_of_each, union
from kathodos.columns.dictionary import DictionaryColumn, Ints, Scalar, appended, row_numbers, rows_of
from kathodos.connectors.mapping import Reading, Table
from kathodos.errors import DataError
from kathodos.formats.raw import SET_ASIDE, Problem
from kathodos.ingest.checking import Checked, check_table
from kathodos.ingest.comparing import Comparison, Key, Present, compare, present_in
from kathodos.ingest.cycles import note_cycles
from kathodos.ingest.merging import Claims, Merged, Precedence, columns_given, gathers, merge, open_merged
from kathodos.ingest.returned import note_returned
from kathodos.ingest.tie_rules import TieRule
from kathodos.ingest.tying import tie_accounts, with_known_owners
from kathodos.ledger.entries import newest_entries, payload_of
from kathodos.ledger.operations import Operation, Plan
from kathodos.ledger.payloads import Act, GatherPayload
from kathodos.model import kinds
from kathodos.model.kinds import GATHERED, PROBLEMS, Kind
from kathodos.model.orders import WAITING, OrderState
from kathodos.model.references import PREFIXES, Names
from kathodos.model.rows import Rows
from kathodos.store.base import Reader
from kathodos.store.records import Records, Stored

_FEWEST_GONE = 10


class Difference(msgspec.Struct, frozen=True):
    """What a gather made of one kind of record: numbers of rows."""

    kind: Kind
    came: int
    changed: int
    went: int
    same: int
    set_aside: int
    came_back: int


class Detail(msgspec.Struct, frozen=True):
    """One record that a gather brings, changes or ends; for a change one column, before and after."""

    kind: Kind
    record: Key
    what: str
    column: str = ""
    before: Scalar = None
    after: Scalar = None


class Gathered(msgspec.Struct, frozen=True):
    """What a gather did, or would do."""

    source: str
    differences: list[Difference]
    problems: list[Problem]
    details: list[Detail] = msgspec.field(default_factory=list)
    orders: Confirmed = msgspec.field(default_factory=Confirmed)


class Terms(msgspec.Struct, frozen=True):
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


class Gather(msgspec.Struct, Operation[Gathered], frozen=True):
    """Makes the catalogue say what the source says; uses the reading up. `is_detailed`: every difference is told.

    `beside`: of a rehearsal, what there is to point at from other sources that are rehearsed with it; added to.
    """

    act: ClassVar[Act] = Act.GATHER
    source: str
    reading: Reading
    terms: Terms
    is_detailed: bool = False
    beside: Names | None = None

    def compose(self, plan: Plan) -> Gathered:
        """Raises GuardedError where too much would go."""
        return _Gathering(plan, self).run()


def last_mark(reader: Reader, source: str) -> str:
    """The mark that the last gather of a source left for the next."""
    return next((payload.mark for _, payload in gathers(reader) if payload.source == source), "")


def last_gather(records: Stored, source: str, digest: str) -> Gathered | None:
    """What the last gather of a source found, where the source is as it was then and nothing was gathered since."""
    waiting = orders_in(records, (OrderState.DONE, OrderState.HANDED_OVER))
    if any(it.state is OrderState.DONE or it.calls_back is not None for it in waiting):
        return None  # a gather says whether it is so
    gathered = {kind.name for kind in (*GATHERED, kinds.TIES, kinds.CLAIMS)}
    for entry in newest_entries(records.histories.reader):
        payload = payload_of(entry, GatherPayload) if entry.kind == Act.GATHER else None
        if payload is not None and payload.source == source:
            if payload.digest != digest:
                return None
            differences = [
                Difference(kinds.BY_NAME[name], 0, 0, 0, came + changed + same, aside, 0)
                for name, (came, changed, _, same, aside) in payload.counts.items()
            ]
            return Gathered(source, differences, [Problem(*row) for row in problems_of(records, source).values()])
        if gathered & entry.rows.keys():
            return None
    return None


def problems_of(records: Records, source: str) -> Rows:
    """What was wrong at the last gather of a source."""
    at = records.sources(PROBLEMS).holding(source).nonzero()[0]
    return records.some(PROBLEMS, records.rows(PROBLEMS)[at].tolist())


class _Counted:
    """The lines of files that were set aside, each counted once, for whichever kind of record comes first."""

    def __init__(self) -> None:
        self._lines: dict[str, Ints] = {}
        self._read: set[str] = set()

    def count(self, table: Table, rows: Ints, unread: Sequence[Problem]) -> int:
        """How many lines more are set aside: of some rows of a table, and of its files those that made no row."""
        found = 0
        files = [table.file] if table.files is None else list(map(str, table.files.values))
        for number, file in enumerate(files):
            some = rows if table.files is None else rows[table.files.codes[rows] == number]
            lines = table.lines[some]
            if file not in self._read:
                self._read.add(file)
                more = [it.line for it in unread if it.file == file and it.outcome == SET_ASIDE]
                lines = np.concatenate([lines, np.array(more, dtype=np.int64)])
            before = self._lines.get(file, np.zeros(0, dtype=np.int64))
            self._lines[file] = union(before, lines)
            found += len(self._lines[file]) - len(before)
        return found


class _Gathering:
    """One gather being planned."""

    def __init__(self, plan: Plan, asked: Gather) -> None:
        self.plan = plan
        self.source, self.reading, self.terms = asked.source, asked.reading, asked.terms
        self.is_detailed = asked.is_detailed
        self.beside = asked.beside
        self.problems = list(self.reading.problems)
        self.claims = Claims(plan.records)
        self._present: dict[str, Present] = {}
        self.merged = merges_in(plan.records)

    def run(self) -> Gathered:
        checked = self._check()
        spoken = {table.kind.name: sorted(table.columns) for table in self.reading.tables}
        self._miss_no_table()
        self.reading.tables.clear()  # what is not needed any more of millions of rows
        note_cycles(checked, self.problems)
        given = columns_given(self.plan.records.histories.reader)
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
            if self.is_detailed:
                details += _details(comparison, merged)
            differences.append(self._apply(comparison, merged))
            self._present.pop(kind.name, None)
        self._tie(differences)
        self.problems = list(dict.fromkeys(self.problems))
        self._keep_problems()
        self._describe(differences, spoken)
        orders = confirm(self.plan, self.source)
        self.plan.subjects += [f"order:{it.number}" for it in (*orders.confirmed, *orders.contradicted)]
        return Gathered(self.source, differences, self.problems, details, orders)

    def _present_of(self, kind: Kind) -> Present:
        if kind.name not in self._present:
            self._present[kind.name] = present_in(self.plan.records, kind)
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
                names.addresses.add(map(str, table.column("resource").values))
            names.addresses.add(f"{system}:/" for system in table.column("system").values)
        checked: dict[str, Checked] = {}
        seen = _Counted()
        for table in tables:
            result = check_table(table, names)
            self._keep_standing(table, result, names)
            if table.kind is kinds.ACCOUNTS:
                self._fill_owners(result)
            self._keep_cells(result)
            self._keep_merged(result)
            result.set_aside = seen.count(table, result.aside_rows, self.reading.problems)
            self.problems += result.problems
            checked[table.kind.name] = result
        return checked

    def _keep_merged(self, result: Checked) -> None:
        """Calls identities that were merged by the one that they are now; what is there twice then is there once."""
        if not self.merged:
            return
        kind = result.kind
        own = result.columns[kind.names.index("id")] if kind is kinds.IDENTITIES else None
        columns = merged_columns(kind, result.columns, self.merged)
        if all(one is other for one, other in zip(columns, result.columns, strict=True)):
            return
        keys = row_numbers([columns[kind.names.index(name)].codes for name in kind.key])
        was_merged = own.holding_any(list(self.merged)) if own is not None else np.zeros(len(keys), dtype=bool)
        order = np.lexsort((np.arange(len(keys)), was_merged, keys))  # what bears its own name comes first
        kept = np.sort(order[first_of_each(keys[order])])
        result.columns = [column.taken(kept) for column in columns]
        result.lines = result.lines[kept]

    def _keep_cells(self, result: Checked) -> None:
        """Leaves what a record said before where a cell could not be read now."""
        for name, at in result.left_out.items():
            if len(at):
                present, number = self._present_of(result.kind), result.kind.names.index(name)
                keys = result.keys()
                found = present.positions([key.taken(at) for key in keys])
                before = present.columns[number].taken(found[found >= 0]).compact()
                both = appended(result.columns[number], before)
                size = len(result.columns[number])
                codes = both.codes[:size].copy()
                codes[at[found >= 0]] = both.codes[size:]
                result.columns[number] = DictionaryColumn(codes, both.values)

    def _fill_owners(self, accounts: Checked) -> None:
        """Gives each account the owner that a tie has given it already, so that it does not seem changed."""
        at = kinds.ACCOUNTS.names.index("identity")
        accounts.columns[at] = with_known_owners(self.plan.records, accounts.keys(), accounts.columns[at])

    def _names_of_others(self) -> Names:
        """What the catalogue holds from other sources, for this one to point at."""
        names = self.beside if self.beside is not None else Names()
        for kind in GATHERED:
            if kind.name in PREFIXES or kind is kinds.RESOURCES:
                present = self._present_of(kind)
                is_whole = self.reading.covers and not self.reading.stands
                others = present.of_others(self.source) if is_whole else np.arange(len(present.rows))
                if kind is kinds.RESOURCES:
                    names.addresses.add(map(str, present.keys[0].listed()))
                else:
                    names.add(kind, rows_of(present.keys, others))
        names.add(kinds.IDENTITIES, ((name,) for name in self.merged))
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
        return int(self.plan.records.sources(kind).holding(self.source).sum())

    def _guard(self, comparison: Comparison, merged: Merged) -> None:
        """Stops a gather in which more than the set share of a kind's records disappears."""
        held = comparison.held + sum(
            self.source in said for said in self.claims.of.get(comparison.kind.name, {}).values()
        )
        gone = len(comparison.gone) + merged.let_go
        gone -= self._ordered_to_end(comparison) if gone >= _FEWEST_GONE else 0
        if gone < _FEWEST_GONE or gone <= held * self.terms.guard or self.terms.may_lose:
            return
        raise GuardedError(
            f"{gone} of {held} {comparison.kind.name} of the source {self.source} would go, more than "
            f"{self.terms.guard:.0%} of them. Nothing was changed.",
            "See them with --dry-run. If the source is whole and they are meant to go, say --accept-loss.",
        )

    def _ordered_to_end(self, comparison: Comparison) -> int:
        """How many of the records that would go were ordered to."""
        kind = comparison.kind
        wanted: dict[str, list[Scalar]] = {"kind": [kind.name], "after": [None], "state": list(map(str, WAITING))}
        keys = {it.edit.key for it in orders_holding(self.plan.records, wanted)}
        if not keys:
            return 0
        rows = set(comparison.present.rows[comparison.gone].tolist())
        return sum(it.row in rows for it in records_held(self.plan.records, kind, sorted(keys)).values())

    # What the catalogue becomes

    def _apply(self, comparison: Comparison, merged: Merged) -> Difference:
        kind, present, plan = comparison.kind, comparison.present, self.plan
        closed = np.concatenate([comparison.replaced, comparison.gone, _ints(merged.replaced), _ints(merged.gone)])
        back = self._come_back(comparison, merged)
        plan.close_rows(kind, present.rows[closed])
        plan.open_columns(kind, comparison.new, comparison.sources)
        open_merged(plan, kind, merged)
        self.claims.write(plan, kind, merged)
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
        keys = [kind.names.index(name) for name in kind.key]
        new = rows_of([comparison.new[at] for at in keys], slice(0, comparison.came))
        merged_keys = (tuple(row[at] for at in keys) for row, _ in merged.came)
        return note_returned(self.plan, kind, self.source, itertools.chain(new, merged_keys))

    def _tie(self, differences: Sequence[Difference]) -> None:
        """Ties accounts to identities where either may have changed."""
        about = (kinds.ACCOUNTS, kinds.IDENTITIES)
        if any(it.kind in about and (it.came or it.changed or it.went) for it in differences):
            tie_accounts(self.plan, self.terms.ties)

    def _keep_problems(self) -> None:
        """Keeps the problems of this gather in place of those of the last one."""
        present = problems_of(self.plan.records, self.source)
        rows = {_values(problem) for problem in self.problems}
        held = dict(zip(present.values(), present.ids, strict=True))
        self.plan.close_rows(PROBLEMS, [held[row] for row in held.keys() - rows])
        self.plan.open_rows(PROBLEMS, sorted(rows - held.keys()), self.source)

    def _describe(self, differences: Sequence[Difference], spoken: Mapping[str, Sequence[str]]) -> None:
        self.plan.subjects.append(f"source:{self.source}")
        counts = {it.kind.name: [it.came, it.changed, it.went, it.same, it.set_aside] for it in differences}
        columns = {kind: list(names) for kind, names in spoken.items()}
        self.plan.payload = GatherPayload(self.source, self.reading.digest, counts, columns, self.reading.mark)


def _empty() -> DictionaryColumn:
    return DictionaryColumn(np.zeros(0, dtype=np.int32), [])


def _ints(numbers: Sequence[int]) -> Ints:
    return np.array(numbers, dtype=np.int64)


def _details(comparison: Comparison, merged: Merged) -> Iterator[Detail]:
    kind, present = comparison.kind, comparison.present
    key_positions = [kind.names.index(name) for name in kind.key]
    new = list(rows_of(comparison.new))
    came = [*new[: comparison.came], *(row for row, _ in merged.came)]
    changed = [*new[comparison.came :], *(row for row, _ in merged.changed)]
    before = present.records(np.concatenate([comparison.replaced, _ints(merged.replaced)]))
    for row in came:
        yield Detail(kind, tuple(row[at] for at in key_positions), "comes")
    for old, row in zip(before, changed, strict=True):
        for name, one, other in zip(kind.names, old, row, strict=True):
            if one != other:
                yield Detail(kind, tuple(row[at] for at in key_positions), "changes", name, one, other)
    for row in present.records(np.concatenate([comparison.gone, _ints(merged.gone)])):
        yield Detail(kind, tuple(row[at] for at in key_positions), "goes")


def _values(problem: Problem) -> tuple[str | int, ...]:
    clean = replace(problem, value=problem.value.encode("utf-8", "replace").decode())
    return tuple(getattr(clean, column.name) for column in PROBLEMS.columns)
