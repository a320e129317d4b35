"""Accounts tied to identities: by what their source says, by a person's word, or by rules in order.

A tie that a person made stands over everything and over later gathers. What a rule finds is found anew at each gather;
a rule that fits several identities ties to none of them.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import cached_property
from typing import ClassVar

import msgspec
import numpy as np

from kathodos.columns.csr import Bools, CSRList, Ints, csr_from_pairs, union
from kathodos.columns.dictionary import (
    DictionaryColumn,
    always,
    appended,
    dictionary_column,
    rows_of,
    tabled,
    tabled_texts,
)
from kathodos.columns.strings import StringTable, string_table
from kathodos.engine.compiled.compile import key_table
from kathodos.errors import CallError
from kathodos.ingest.tie_rules import ID, LOGIN, MAIL, NAME, TieRule
from kathodos.ledger.operations import Operation, Plan
from kathodos.ledger.payloads import Act
from kathodos.model.kinds import ACCOUNTS, IDENTITIES, TIES
from kathodos.model.names import name_skeleton
from kathodos.model.references import reference_to
from kathodos.store.attributes import AttributeColumns, Distinct
from kathodos.store.records import Records, positions_holding

PERSON, SOURCE = "a person", "its source"
NOBODY = ""
NO_LOGIN, ORPHAN, AMBIGUOUS = "cannot log in", "orphan", "ambiguous"  # who cannot log in needs no owner


class Tied(msgspec.Struct, frozen=True):
    """What is known of one account's owner: the identity, how it was found, and who else it may be."""

    account: str
    identity: str | None
    how: str
    candidates: Sequence[str] = ()


class Ties(msgspec.Struct, frozen=True, dict=True):
    """What ties each account: the position of its identity (-1: none), and how, a position in `hows`.

    `several`: the first rule that fits several identities, -1 for none. `of_rules`: for each rule the keys of the
    accounts, and for each key the identities.
    """

    accounts: StringTable
    identities: StringTable
    identity: Ints
    how: Ints
    hows: Sequence[str]
    several: Ints
    of_rules: Sequence[tuple[Ints, CSRList]]

    def __len__(self) -> int:
        return len(self.identity)

    def tied(self, at: int) -> Tied:
        """What is known of one account's owner."""
        owner, rule = int(self.identity[at]), int(self.several[at])
        candidates: list[str] = []
        if rule >= 0 and self.hows[int(self.how[at])] == AMBIGUOUS:
            keys, fitting = self.of_rules[rule]
            candidates = self.identities.taken(fitting[int(keys[at])].astype(np.int64))
        name = self.identities[owner] if owner >= 0 else None
        return Tied(self.accounts[at], name, self.hows[int(self.how[at])], candidates)

    @cached_property
    def is_source(self) -> Bools:
        """Which accounts their source ties."""
        found: Bools = self.how == self.hows.index(SOURCE)
        return found


def tied_accounts(records: Records, rules: Sequence[TieRule]) -> Ties:
    """What ties every account, in the order of the accounts."""
    accounts, identities = key_table(records, ACCOUNTS), key_table(records, IDENTITIES)
    count = len(accounts)
    hows = [PERSON, SOURCE, NO_LOGIN, ORPHAN, AMBIGUOUS, *(rule.text for rule in rules)]
    identity, several = np.full(count, -1, dtype=np.int64), np.full(count, -1, dtype=np.int64)
    how = np.full(count, hows.index(ORPHAN), dtype=np.int64)
    tie = _tie_of_each(records, accounts)
    stated = _positions(identities, records.column(ACCOUNTS, "identity"))
    is_stated = records.column(ACCOUNTS, "identity").codes >= 0
    tied_to = np.append(_positions(identities, records.column(TIES, "identity")), -1)[tie]
    by_person = np.append(records.column(TIES, "how").holding(PERSON), False)[tie]
    by_rule = (tie >= 0) & ~by_person
    how[by_person], identity[by_person] = hows.index(PERSON), tied_to[by_person]
    repeats = by_rule & (tied_to == stated) & _same_texts(records, tie)
    from_source = ~by_person & is_stated & ~repeats
    how[from_source], identity[from_source] = hows.index(SOURCE), stated[from_source]
    open_ = ~by_person & ~from_source
    of_rules = []
    people, owned = (AttributeColumns(records, kind) for kind in (IDENTITIES, ACCOUNTS))
    for number, rule in enumerate(rules):
        if rule.by == LOGIN:
            found_by = _by_login(records, rule.of, identity)
            keys, fitting = _matched(_of_account(owned, rule), found_by[0], found_by[1])
        else:
            keys, fitting = _matched(_of_account(owned, rule), _of_identity(people, rule))
        of_rules.append((keys, fitting))
        here = open_ & (keys >= 0)
        if rule.systems:
            here &= np.isin(records.column(ACCOUNTS, "system").codes, _codes(records, rule.systems))
        fits = np.zeros(count, dtype=np.int64)
        fits[here] = fitting.sizes()[keys[here]]
        one = fits == 1
        identity[one] = fitting.items[fitting.starts[keys[one]]]
        how[one], open_ = hows.index(rule.text), open_ & ~one
        several[(fits > 1) & (several < 0)] = number
    how[open_ & (several >= 0)] = hows.index(AMBIGUOUS)
    no_login = _folded(owned.column("can_login"), str.casefold).holding("false")
    how[open_ & (several < 0) & no_login] = hows.index(NO_LOGIN)
    return Ties(accounts, identities, identity, how, hows, several, of_rules)


def _tie_of_each(records: Records, accounts: StringTable) -> Ints:
    """The position of the tie of each account; -1 where there is none."""
    found = np.full(len(accounts), -1, dtype=np.int64)
    at = _positions(accounts, records.column(TIES, "account"))
    found[at[at >= 0]] = (at >= 0).nonzero()[0]
    return found


def _positions(table: StringTable, column: DictionaryColumn) -> Ints:
    """For each row the position among the texts of a table of what it holds; -1 where that is none of them."""
    return np.append(table.positions_of(tabled_texts(column)), -1)[column.codes]


def _same_texts(records: Records, tie: Ints) -> Bools:
    """Whether the tie of each account names the very identity that the account does, known or not."""
    tied, stated_owner = records.column(TIES, "identity"), records.column(ACCOUNTS, "identity")
    code = _positions(tabled_texts(stated_owner), tied)
    same: Bools = np.append(code, -2)[tie] == stated_owner.codes
    return same


def _codes(records: Records, systems: Sequence[str]) -> list[int]:
    column = records.column(ACCOUNTS, "system")
    return [code for code in map(column.code_of, systems) if code >= 0]


def _folded(held: Distinct, fold: Callable[[str], str]) -> DictionaryColumn:
    """A column of texts as a rule compares them; nothing where nothing is left to compare."""
    texts = [fold(str(value)) if value is not None else "" for value in held.values]
    known = dictionary_column(text or None for text in texts)
    return DictionaryColumn(np.append(known.codes, np.int32(-1))[held.codes], known.values)


def _first_of(columns: Sequence[DictionaryColumn]) -> DictionaryColumn:
    """In each row the value of the first column that holds one."""
    found = columns[0]
    for column in columns[1:]:
        codes = np.where(
            found.codes >= 0, found.codes, np.where(column.codes >= 0, len(found.values) + column.codes, -1)
        )
        found = DictionaryColumn(codes.astype(np.int32), tabled([*found.values, *column.values]))
    return found


def _mail(text: str) -> str:
    return text.casefold() if "@" in text else ""


def _of_account(accounts: AttributeColumns, rule: TieRule) -> DictionaryColumn:
    """What a rule compares of each account."""
    if rule.by in (ID, LOGIN):
        return _folded(accounts.column("login"), str.casefold)
    if rule.by == MAIL:
        stated_owner = _first_of([_folded(accounts.column(name), str) for name in ("email", "mail", "login")])
        return _folded(Distinct(stated_owner.codes, stated_owner.values), _mail)
    if rule.by == NAME:
        stated_owner = _first_of([_folded(accounts.column(name), str) for name in ("name", "displayname")])
        return _folded(Distinct(stated_owner.codes, stated_owner.values), name_skeleton)
    return _folded(accounts.column(rule.account), str.casefold)


def _of_identity(people: AttributeColumns, rule: TieRule) -> DictionaryColumn:
    """What a rule compares of each identity."""
    name = {ID: "id", MAIL: "email", NAME: "name"}.get(rule.by, rule.identity)
    return _folded(people.column(name), name_skeleton if rule.by == NAME else str.casefold)


def _by_login(records: Records, system: str, owner: Ints) -> tuple[DictionaryColumn, Ints]:
    """The logins in a system of which it is known by now whose they are, and the positions of these identities."""
    some = (records.column(ACCOUNTS, "system").holding(system) & (owner >= 0)).nonzero()[0]
    login = records.column(ACCOUNTS, "login").taken(some)
    folded = _folded(Distinct(login.codes, login.values), str.casefold)
    pairs = np.unique(np.stack([folded.codes, owner[some]]), axis=1)  # one that has two spellings of it counts once
    return DictionaryColumn(pairs[0].astype(np.int32), folded.values), pairs[1]


def _matched(
    accounts: DictionaryColumn, people: DictionaryColumn, identity: Ints | None = None
) -> tuple[Ints, CSRList]:
    """For each account the key that it shares with identities (-1: none), and for each key the identities.

    `identity`: the position of the identity of each row of `people`, where it is not that of the row.
    """
    known = (people.codes >= 0).nonzero()[0]
    whose = known if identity is None else identity[known]
    fitting = csr_from_pairs(people.codes[known].astype(np.int64), whose, len(people.values))
    if not len(people.values) or not len(accounts.values):
        return np.full(len(accounts.codes), -1, dtype=np.int64), fitting
    return _positions(tabled_texts(people), accounts), fitting


class TieAccount(msgspec.Struct, Operation[None], frozen=True):
    """Ties an account by a person's word, which stands until it is taken back; NOBODY ties it to no one.

    `responsible`: who answers for one that is nobody's.
    """

    act: ClassVar[Act] = Act.TIE
    account: str
    identity: str
    rules: Sequence[TieRule]
    responsible: str | None = None

    def compose(self, plan: Plan) -> None:
        tie = _tie_to(plan.records, self.account)
        plan.close_rows(TIES, plan.records.rows(TIES)[tie])
        stated = _account(plan.records, self.account)
        owners = plan.records.column(ACCOUNTS, "identity").listed(stated)
        before = plan.records.column(TIES, "said").listed(tie) or owners or [None]
        row = (self.account, self.identity, PERSON, plan.actor.name, plan.now, plan.reason, before[0], self.responsible)
        plan.open_rows(TIES, [row])
        plan.subjects += [
            reference_to("account", self.account),
            *(reference_to("identity", name) for name in (self.identity, self.responsible) if name),
        ]
        tie_accounts(plan, self.rules)


class UntieAccount(msgspec.Struct, Operation[None], frozen=True):
    """Takes a person's word on an account back; what its source said last counts again."""

    act: ClassVar[Act] = Act.TIE
    account: str
    rules: Sequence[TieRule]

    def compose(self, plan: Plan) -> None:
        """Raises CallError where nobody has said whose it is."""
        records, tie = plan.records, _tie_to(plan.records, self.account)
        if not records.column(TIES, "how").taken(tie).holding(PERSON).any():
            raise CallError(f"Nobody has said whose account:{self.account} is.", "There is nothing to undo.")
        plan.close_rows(TIES, records.rows(TIES)[tie])
        plan.subjects.append(reference_to("account", self.account))
        at = _account(records, self.account)
        if len(at):
            before = always(records.column(TIES, "said").value(int(tie[0])), 1)
            columns = [before if name == "identity" else records.column(ACCOUNTS, name) for name in ACCOUNTS.names]
            taken = [it if len(it) == 1 else it.taken(at).compact() for it in columns]
            plan.close_rows(ACCOUNTS, records.rows(ACCOUNTS)[at])
            plan.open_columns(ACCOUNTS, taken, records.sources(ACCOUNTS).taken(at).compact())
        tie_accounts(plan, self.rules)


def _tie_to(records: Records, account: str) -> Ints:
    """The position of the tie of an account, if there is one."""
    return positions_holding(records, TIES, {"account": account})


def _account(records: Records, account: str) -> Ints:
    """The position of an account, if it is there."""
    system, _, login = account.partition("/")
    return positions_holding(records, ACCOUNTS, {"system": system, "login": login})


def tie_accounts(plan: Plan, rules: Sequence[TieRule]) -> int:
    """Brings the ties that rules find, and the accounts' identities, up to date; gives how many accounts changed."""
    records = plan.after(ACCOUNTS, IDENTITIES, TIES)
    ties = records.rows(TIES)
    if not rules and not len(ties):
        return 0
    found = tied_accounts(records, rules)
    tie = _tie_of_each(records, found.accounts)
    how_of_tie = records.column(TIES, "how")
    is_rule = ~found.is_source & (found.how != found.hows.index(PERSON))
    known_how = np.array([*(found.hows.index(how) if how in found.hows else -1 for how in how_of_tie.values), -1])
    owner_of_tie = np.append(_positions(found.identities, records.column(TIES, "identity")), -1)
    before = tie >= 0
    differs = (owner_of_tie[tie] != found.identity) | (np.append(known_how[how_of_tie.codes], -1)[tie] != found.how)
    ends = before & ((is_rule & differs) | found.is_source)
    begins = (is_rule & (found.identity >= 0) & (~before | ends)).nonzero()[0]
    gone = np.ones(len(ties), dtype=bool)
    gone[tie[before]] = False
    gone &= ~how_of_tie.holding(PERSON)
    stated = records.rows(ACCOUNTS)
    changed, taken, sources = _tied_anew(records, found)
    plan.close_rows(TIES, union(ties[tie[ends]], ties[gone]))
    owners = DictionaryColumn(found.identity.astype(np.int32), found.identities)
    names = DictionaryColumn(np.arange(len(found), dtype=np.int32), found.accounts)
    hows = DictionaryColumn(found.how.astype(np.int32), tabled(list(found.hows)))
    size = len(begins)
    opened = [names.taken(begins), owners.taken(begins), hows.taken(begins), always("", size)]
    opened += [always(plan.now, size), always("", size), always(None, size), always(None, size)]
    plan.open_columns(TIES, [column.compact() for column in opened], always(None, size))
    plan.close_rows(ACCOUNTS, stated[changed])
    plan.open_columns(ACCOUNTS, taken, sources)
    return len(changed)


def _tied_anew(records: Records, found: Ties) -> tuple[Ints, list[DictionaryColumn], DictionaryColumn]:
    """The positions of the accounts whose owner is another now, what they are then, and who brought them."""
    stated_owner = records.column(ACCOUNTS, "identity")
    stated = _positions(found.identities, stated_owner)
    is_other = (stated != found.identity) | ((stated_owner.codes >= 0) & (stated < 0))
    changed = (is_other & ~found.is_source).nonzero()[0]
    owners = DictionaryColumn(found.identity.astype(np.int32), found.identities)
    columns = [owners if name == "identity" else records.column(ACCOUNTS, name) for name in ACCOUNTS.names]
    taken = [column.taken(changed).compact() for column in columns]
    return changed, taken, records.sources(ACCOUNTS).taken(changed).compact()


def with_known_owners(
    records: Records, keys: Sequence[DictionaryColumn], stated_owner: DictionaryColumn
) -> DictionaryColumn:
    """The owners that a source says of accounts, with those that a tie has given them already.

    What a person said stands over the source; what a rule found fills what the source leaves open.
    """
    held = records.column(TIES, "account")
    if not len(held):
        return stated_owner
    names = string_table("/".join(map(str, key)) for key in rows_of(keys))
    tie = np.full(len(names), -1, dtype=np.int64)
    at = _positions(names, held)
    tie[at[at >= 0]] = (at >= 0).nonzero()[0]
    by_person = np.append(records.column(TIES, "how").holding(PERSON), False)[tie]
    filled = (tie >= 0) & (by_person | (stated_owner.codes < 0))
    tied = records.column(TIES, "identity").mapped(lambda owner: owner or None)
    both = appended(stated_owner, DictionaryColumn(np.append(tied.codes, np.int32(-1))[tie], tied.values).compact())
    return DictionaryColumn(
        np.where(filled, both.codes[len(stated_owner) :], both.codes[: len(stated_owner)]), both.values
    )
