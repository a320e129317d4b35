"""The catalogue at a point of the ledger, at a moment, with edits assumed or none: what every question is asked of."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from functools import cached_property
from typing import TYPE_CHECKING, NamedTuple, TypeVar

import numpy as np
import numpy.typing as npt

from kathodos.change.edit_sets import EditSet
from kathodos.columns.csr import Ints
from kathodos.columns.ordered import insertion_points, order_of
from kathodos.engine.compiled.index import Index
from kathodos.errors import CallError
from kathodos.model import kinds
from kathodos.model.kinds import Form, Kind
from kathodos.model.rows import Record
from kathodos.model.suggestions import nearest
from kathodos.store.computed import Point
from kathodos.store.edited import Edited, Edits, edited, edits_of
from kathodos.store.history import Histories
from kathodos.store.records import Records, Stored

if TYPE_CHECKING:
    import pandas as pd

    from kathodos.analysis.basis import Basis
    from kathodos.engine.explain import Explanation
    from kathodos.findings.conflicts.covers import Register
    from kathodos.findings.excess.batches import ExcessContext
    from kathodos.ledger.operations import Operation, Plan
    from kathodos.rules.reading import Rules
    from kathodos.store.attributes import AttributeColumns, Distinct
    from kathodos.workspace.answers import ConflictsFound, ExcessFound, RiskFound
    from kathodos.workspace.findings import Findings
    from kathodos.workspace.workspace import Workspace

R = TypeVar("R")


class Asked(NamedTuple):
    """An identity, or an account that is asked about on its own: what records call it, which it is, and two facts."""

    id: str
    identity: str | None
    account: str | None
    name: str | None
    department: str | None


class View:
    """What is asked about. `entry`: the last ledger entry that counts (None: the newest); `moment`: in microseconds.

    `assumed`: the records with what is assumed besides, or None.
    """

    def __init__(
        self, workspace: Workspace, histories: Histories, entry: int | None, moment: int, assumed: Edited | None = None
    ) -> None:
        self.workspace = workspace
        self.histories = histories
        self.entry = entry
        self.moment = moment
        self.assumed = assumed
        self._before: View | None = None

    def assuming(self, assumed: Edited) -> View:
        """The catalogue as it would be with some edits of its records."""
        view = View(self.workspace, self.histories, self.entry, self.moment, assumed)
        view._before = self
        return view

    @cached_property
    def pending(self) -> EditSet:
        """What pending orders would still alter."""
        from kathodos.change.orders import pending_edits

        return pending_edits(self.stored)

    @cached_property
    def decided(self) -> View:
        """The view with all pending orders carried out; one that assumes something stays as it is."""
        if self.assumed is not None or not len(self.pending):
            return self
        return self.assuming(edited(self.stored, self.pending.edits))

    def plan(self, operation: Operation[R], actor: str | None = None, reason: str = "") -> tuple[Plan, R]:
        """What an operation would write, and what it comes to; `assuming(plan.after())` is the catalogue then.

        Raises CallError or DataError where the operation must not be.
        """
        from kathodos.ledger.actors import Actor
        from kathodos.ledger.operations import Plan

        who = Actor("", self.stored) if actor is None else self.workspace.acting(actor).among(self.stored)
        plan = Plan(self.stored, who, reason)
        return plan, operation.compose(plan)

    # What it is made of

    @cached_property
    def point(self) -> Point:
        """The last ledger entry that counts, by number and leaf."""
        newest = self.histories.newest
        return newest if self.entry is None else Point(self.entry, self.histories.reader.leaf(self.entry))

    @cached_property
    def stored(self) -> Stored:
        """The records as the store keeps them."""
        return Stored(self.histories, self.entry)

    @cached_property
    def catalogue(self) -> Records:
        """The records, with what is assumed."""
        return self.stored if self.assumed is None else self.assumed

    @cached_property
    def index(self) -> Index:
        """The records compiled to arrays."""
        if self._before is not None and self.assumed is not None:
            from kathodos.engine.compiled.index import NEEDED
            from kathodos.engine.compiled.patch import updated

            return updated(self._before.index, edits_of(self.assumed, NEEDED), self.catalogue)
        from kathodos.workspace.saved_index import index_at

        return index_at(self.histories, self.entry)

    @cached_property
    def at_hand(self) -> tuple[Index, Edits]:
        """An index that is there, and the few edits since it was made: for questions about few people.

        To bring it up to date for everybody takes longer than such a question.
        """
        if self.entry is None and self.assumed is None and "index" not in self.__dict__:
            from kathodos.workspace.saved_index import index_at_hand

            found = index_at_hand(self.histories)
            if found is not None:
                return found
        return self.index, {}

    @cached_property
    def basis(self) -> Basis:
        """What findings are made of: the columns of what the index numbers, at the moment."""
        from kathodos.analysis.basis import Basis

        basis = Basis(self.catalogue, self.index, self.moment)
        basis.risks = lambda of: self.findings.scores(of).totals
        basis.history = self.stored
        return basis

    @cached_property
    def rules(self) -> Rules:
        """The rules in force."""
        return self.workspace.rules()

    @property
    def rules_digest(self) -> str:
        """The digest of the rules in force, as entries of the ledger bear it."""
        from kathodos.ledger.settings import Settings

        return Settings(self.workspace.settings).digests()["rules"]

    @cached_property
    def register(self) -> Register:
        """Controls, covers and confirmations."""
        from kathodos.findings.conflicts.covers import register_of

        return register_of(self.catalogue, self.workspace.controls())

    @cached_property
    def context(self) -> ExcessContext:
        """What excess is found from."""
        from kathodos.findings.excess.batches import ExcessContext

        return ExcessContext(self.basis, self.rules.needs, self.workspace.configuration.thresholds)

    # Records

    def attributes(self, kind: Kind, where: str | None = None) -> AttributeColumns:
        """The attributes of a kind's records; of identities also the risk, where a filter asks for it."""
        from kathodos.model.filters import FilterError, parse_filter
        from kathodos.store.attributes import AttributeColumns

        columns = AttributeColumns(self.catalogue, kind, today=self.moment)
        try:
            named = {name.lower() for name in parse_filter(where).attributes()} if where else set()
        except FilterError:  # it is said where the filter is used
            return columns
        if kind is kinds.IDENTITIES and "risk" in named and not columns.has("risk"):
            columns.more["risk"] = self._risk_of_records()
        return columns

    def _risk_of_records(self) -> Distinct:
        from kathodos.store.attributes import Distinct

        values, codes = np.unique(self.risk_totals, return_inverse=True)
        every = np.arange(len(self.catalogue.rows(kinds.IDENTITIES)))
        return Distinct(codes[self.numbers_at(every)].astype(np.int32), values.tolist(), Form.NUMBER)

    def selecting(self, kind: Kind, where: str | None) -> tuple[Ints, AttributeColumns]:
        """The positions of the records that a filter selects (None: all of them), and the attributes of all."""
        columns = self.attributes(kind, where)
        if where is None:
            return np.arange(len(columns)), columns
        return columns.selected_by(where).nonzero()[0], columns

    def askers_selected(self, where: str | None) -> Ints:
        """The identities, in the order of their records, and behind them the accounts of nobody that a filter selects.

        Raises CallError where the filter does not fit.
        """
        from kathodos.store.attributes import filter_of

        people = self.numbers_at(np.arange(len(self.catalogue.rows(kinds.IDENTITIES))))
        mask = self.index.holders.is_asker
        if where is not None:
            mask = mask & self.basis.selected(filter_of(where, self.basis.filtered, "identity"))
        accounts = mask[self.basis.people :].nonzero()[0] + self.basis.people
        return np.concatenate([people[mask[people]], accounts])

    def numbers_at(self, positions: Ints) -> Ints:
        """The numbers of the identities whose records stand at some positions."""
        numbers = self.index.holders.rows
        order = order_of(numbers)
        return order[insertion_points(numbers[order], self.catalogue.rows(kinds.IDENTITIES)[positions])]

    # Naming

    def people(self, numbers: Sequence[int] | Ints) -> Mapping[int, Record]:
        """The records of some identities, by number; accounts, which have other numbers, are passed over."""
        chosen = np.array([number for number in numbers if number < self.index.holders.people], dtype=np.int64)
        rows = self.catalogue.some(kinds.IDENTITIES, self.index.holders.rows[chosen].tolist())
        records = (dict(zip(rows.kind.names, values, strict=True)) for values in rows.values())
        return dict(zip(chosen.tolist(), records, strict=True))

    def asked(self, numbers: Sequence[int] | Ints) -> Mapping[int, Asked]:
        """Some identities and accounts as records and people call them, by number."""
        holders, people = self.index.holders, self.index.holders.people
        found = {
            number: Asked(holders.asker_name(number), record["id"], None, record["name"], record["department"])
            for number, record in self.people(numbers).items()
        }
        accounts = np.array([number for number in numbers if number >= people], dtype=np.int64)
        rows = self.catalogue.some(kinds.ACCOUNTS, holders.account_rows[accounts - people].tolist())
        for number, values in zip(accounts.tolist(), rows.values(), strict=True):
            further = values[kinds.ACCOUNTS.names.index("attributes")]
            known = {name.lower(): it for name, it in json.loads(str(further)).items()} if further else {}
            name = holders.asker_name(number)
            found[number] = Asked(
                name, None, holders.accounts[number - people], known.get("name"), known.get("department")
            )
        return found

    def named(self, asker: int) -> str:
        """An identity or account as people read it: its reference, and the name where it has one."""
        name = self.asked([asker])[asker].name
        reference = self.index.holders.references[asker]
        return f"{reference} ({name})" if name else reference

    def asker(self, text: str, among: Sequence[Kind] = (kinds.IDENTITIES, kinds.ACCOUNTS)) -> int:
        """The identity or account that somebody named: by reference, id or login, or a person by name or mail.

        Raises CallError with the nearest names, or with all that it may be.
        """
        holders = self.index.holders
        allowed = {kind.name for kind in among}
        found = [
            number
            for number in holders.askers_named(text)
            if ("identities", "accounts")[number >= holders.people] in allowed
        ]
        people = [number for number in found if number < holders.people]
        if len(found) == 1 or (len(people) == 1 and {int(it) for it in holders.asker_of[found]} == {*people}):
            return found[0]
        from kathodos.store.naming import resolved

        return holders.find(resolved(self.catalogue, text, among))

    def identity(self, text: str) -> int:
        """The identity that somebody named."""
        return self.asker(text, (kinds.IDENTITIES,))

    def node(self, text: str, option: str = "") -> int:
        """The resource at an address. Raises CallError with the nearest."""
        from kathodos.model.addresses import parse_address

        addresses = self.index.tree.addresses
        try:
            node = self.index.tree.node(parse_address(text))
        except ValueError as error:
            raise CallError(f"{option}{text} is no resource: {error}.", nearest(text, addresses)) from None
        if node < 0:
            raise CallError(f"There is no resource {text}.", nearest(text, addresses))
        return node

    def thing(self, reference: str) -> tuple[str, int]:
        """What was named: identities, accounts, roles, groups, systems or resources, and its number in the index.

        Accounts and groups are numbered from the first of them. Raises CallError with the nearest names.
        """
        index = self.index
        if ":/" in reference:
            return "resources", self.node(reference)
        prefix, _, name = reference.partition(":")
        known: dict[str, Sequence[str]] = {"role": index.roles, "group": index.holders.groups}
        known["system"] = [system.name for system in index.systems_in_order]
        if prefix in known:
            names = known[prefix]
            number = names.index(name) if name in names else -1
            if number < 0:
                raise CallError(f"There is no {prefix} {name}.", nearest(name, names))
            return f"{prefix}s", number
        asker, people = self.asker(reference), index.holders.people
        return ("identities", asker) if asker < people else ("accounts", asker - people)

    # As data frames

    def frame(self, kind: str, where: str | None = None) -> pd.DataFrame:
        """The records of a kind (only those that a filter selects) as a DataFrame.

        Dates and times are timestamps in UTC, numbers are numbers, yes and no booleans; each further attribute is a
        column. Raises CallError where there is no such kind, or where the filter does not fit.
        """
        from kathodos.workspace.frames import frame_of

        known = {it.name: it for it in kinds.KINDS}
        if kind not in known:
            raise CallError(f"There is no kind of record {kind}.", nearest(kind, list(known)))
        positions, _ = self.selecting(known[kind], where)
        return frame_of(self.catalogue, known[kind], positions)

    def reach(self, by: str | None = None) -> pd.DataFrame:
        """Who reaches what: a DataFrame of who, action and resource. `by`: an identity or account; else everyone.

        Raises CallError with the nearest names where nobody is called so.
        """
        import pandas as pd

        from kathodos.engine.everyone import triples

        reference = self.index.holders.references[self.asker(by)] if by is not None else None
        found = triples(self.index, reference, self.moment)
        return pd.DataFrame(found, columns=["who", "action", "resource"])

    # What is found

    def conflicts(self) -> ConflictsFound:
        """Every conflict that reach alone gives, by the rules in force (findings.md)."""
        from kathodos.workspace.answers import ConflictsFound

        found = self.findings.conflicts
        return ConflictsFound(found, self.index.holders, self.findings.covered(found))

    def excess(self) -> ExcessFound:
        """Every finding of excess (findings.md)."""
        from kathodos.workspace.answers import ExcessFound

        return ExcessFound(self.findings.excess_columns, self.index.holders)

    def risk(self, of: str = "identities") -> RiskFound:
        """The risk of all identities, accounts, roles, resources or systems (risk.md)."""
        from kathodos.workspace.answers import RiskFound

        return RiskFound(self.findings.scores(of))

    def explain(self, by: str, on: str, do: str) -> Explanation:
        """Why an identity or account reaches an action on a resource, or why not (reach.md).

        Raises CallError with the nearest names where one of the three is not there.
        """
        from kathodos.engine.explain import explain

        asker, node = self.asker(by), self.node(on)
        system = self.index.system_of(node)
        names = [self.index.actions[number][1] for number in system.actions.tolist()]
        if do not in names:
            raise CallError(f"The system {system.name} has no action {do}.", nearest(do, names))
        return explain(self.index, asker, node, self.index.action_number[system.name, do], self.moment)

    @cached_property
    def findings(self) -> Findings:
        """What is found in it: conflicts, climbers, excess, risk."""
        from kathodos.workspace.findings import Findings

        return Findings(self)

    @cached_property
    def risk_totals(self) -> npt.NDArray[np.float64]:
        """The risk of every identity, by number."""
        return self.findings.scores("identities").totals
