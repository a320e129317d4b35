"""Accounts tied to identities: by what their source says, by a person's word, or by rules in order.

A tie that a person made stands over everything and over later gathers. What a rule finds is found anew at each gather;
a rule that fits several identities ties to none of them.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

import sqlalchemy as sa

from kathodos.ingest.tie_rules import ID, MAIL, NAME, TieRule
from kathodos.ledger.entries import Draft
from kathodos.model.kinds import ACCOUNTS, IDENTITIES, TIES
from kathodos.model.names import plain_name
from kathodos.model.rows import Rows
from kathodos.model.times import time_text
from kathodos.store.tables import read_rows

PERSON, SOURCE = "a person", "its source"
NOBODY = ""
NO_LOGIN = "cannot log in"  # so that it needs no owner


@dataclass(frozen=True)
class Tied:
    """What is known of one account's owner: the identity, how it was found, and who else it may be."""

    account: str
    identity: str | None
    how: str
    candidates: Sequence[str] = ()


def tied_accounts(accounts: Rows, identities: Rows, ties: Rows, rules: Sequence[TieRule]) -> list[Tied]:
    """Every account with what ties it, in the order of the accounts."""
    by_person = {row[0]: row[1] for row in ties.values() if row[2] == PERSON}
    by_rule = {row[0]: row[1] for row in ties.values() if row[2] != PERSON}
    finders = [(rule, _finder(rule, identities)) for rule in rules]
    known = set(identities["id"])
    found = []
    for values in accounts.values():
        record = dict(zip(ACCOUNTS.names, values, strict=True))
        name = f"{record['system']}/{record['login']}"
        said = record["identity"]
        if name in by_person:
            found.append(Tied(name, by_person[name] or None, PERSON))
        elif said and by_rule.get(name) != said:
            found.append(Tied(name, said if said in known else None, SOURCE))
        else:
            found.append(_by_rules(name, record, finders))
    return found


def _by_rules(name: str, record: Mapping[str, object], finders: Iterable[tuple[TieRule, _Finder]]) -> Tied:
    several: list[str] = []
    for rule, finder in finders:
        if rule.systems and record["system"] not in rule.systems:
            continue
        fits = finder.fits(record)
        if len(fits) == 1:
            return Tied(name, fits[0], rule.text)
        several = several or fits
    if not several and account_says(record, "can_login") == "false":
        return Tied(name, None, NO_LOGIN)
    return Tied(name, None, "ambiguous" if several else "orphan", several)


def account_says(record: Mapping[str, object], attribute: str) -> object:
    """What an account's further attributes say."""
    return json.loads(str(record["attributes"])).get(attribute) if record["attributes"] else None


@dataclass
class _Finder:
    """The identities by what a rule compares."""

    rule: TieRule
    by_value: dict[str, list[str]] = field(default_factory=dict)

    def fits(self, account: Mapping[str, object]) -> list[str]:
        return self.by_value.get(self._of_account(account), []) if self._of_account(account) else []

    def _of_account(self, account: Mapping[str, object]) -> str:
        if self.rule.by == ID:
            return str(account["login"]).casefold()
        further = json.loads(str(account["attributes"])) if account["attributes"] else {}
        lowered = {name.lower(): value for name, value in {**account, **further}.items()}
        if self.rule.by == MAIL:
            said = lowered.get("email") or lowered.get("mail") or lowered["login"]
            return str(said).casefold() if "@" in str(said) else ""
        if self.rule.by == NAME:
            return plain_name(str(lowered.get("name") or lowered.get("displayname") or ""))
        return str(lowered.get(self.rule.account.lower()) or "").casefold()


def _finder(rule: TieRule, identities: Rows) -> _Finder:
    finder = _Finder(rule)
    columns = {ID: "id", MAIL: "email", NAME: "name"}
    name = columns.get(rule.by, rule.identity)
    further = identities["attributes"] if name not in identities.columns else [None] * len(identities)
    own = identities.columns.get(name, [None] * len(identities))
    for identity, value, attributes in zip(identities["id"], own, further, strict=True):
        said = value if value is not None else _attribute(attributes, name)
        key = plain_name(str(said)) if rule.by == NAME and said else str(said or "").casefold()
        if key:
            finder.by_value.setdefault(key, []).append(identity)
    return finder


def _attribute(attributes: str | None, name: str) -> object:
    held = json.loads(attributes) if attributes else {}
    return next((value for key, value in held.items() if key.lower() == name.lower()), None)


def tie_accounts(draft: Draft, rules: Sequence[TieRule]) -> int:
    """Brings the ties that rules find, and the accounts' identities, up to date; gives how many accounts changed."""
    ties = read_rows(draft.connection, TIES)
    if not rules and not len(ties):
        return 0
    accounts, identities = (read_rows(draft.connection, kind) for kind in (ACCOUNTS, IDENTITIES))
    now = time_text(draft.time)
    held = {row[0]: (number, row) for number, row in zip(ties.ids, ties.values(), strict=True)}
    changed: list[tuple[int, tuple[object, ...], str | None]] = []
    closed, opened = [], []
    position = ACCOUNTS.names.index("identity")
    names = set()
    found = tied_accounts(accounts, identities, ties, rules)
    for number, values, source, tied in zip(accounts.ids, accounts.values(), accounts["source"], found, strict=True):
        names.add(tied.account)
        before = held.get(tied.account)
        if tied.how == SOURCE:
            closed += [before[0]] if before else []
            continue
        if values[position] != tied.identity:
            changed.append((number, (*values[:position], tied.identity, *values[position + 1 :]), source))
        if tied.how != PERSON:
            if before and (before[1][1] != tied.identity or before[1][2] != tied.how):
                closed.append(before[0])
            if tied.identity and (not before or before[0] in closed):
                opened.append((tied.account, tied.identity, tied.how, "", now, "", None))
    closed += [number for name, (number, row) in held.items() if name not in names and row[2] != PERSON]
    draft.close_rows(TIES, sorted(set(closed)))
    draft.open_rows(TIES, opened)
    draft.close_rows(ACCOUNTS, sorted(number for number, _, _ in changed))
    by_source: dict[str | None, list[tuple[object, ...]]] = {}
    for _, row, source in changed:
        by_source.setdefault(source, []).append(row)
    for source, rows in by_source.items():
        draft.open_rows(ACCOUNTS, rows, source)  # type: ignore[arg-type]  # values of the store
    return len(changed)


def tie_by_word(draft: Draft, account: str, identity: str, reason: str) -> None:
    """Ties an account by a person's word, which stands until it is taken back; NOBODY ties it to no one."""
    ties = read_rows(draft.connection, TIES)
    held = {row[0]: (number, row) for number, row in zip(ties.ids, ties.values(), strict=True)}
    number, row = held.get(account, (0, None))
    said = row[6] if row is not None else _owner(draft, account)
    draft.close_rows(TIES, [number] if number else [])
    draft.open_rows(TIES, [(account, identity, PERSON, draft.actor, time_text(draft.time), reason, said)])


def untie(draft: Draft, account: str) -> bool:
    """Takes a person's word on an account back; what its source said last counts again. False: nobody had said it."""
    ties = read_rows(draft.connection, TIES)
    for number, row in zip(ties.ids, ties.values(), strict=True):
        if row[0] == account and row[2] == PERSON:
            draft.close_rows(TIES, [number])
            accounts = read_rows(draft.connection, ACCOUNTS)
            at = ["/".join(key) for key in accounts.record_keys()].index(account)
            values, position = accounts.values()[at], ACCOUNTS.names.index("identity")
            draft.close_rows(ACCOUNTS, [accounts.ids[at]])
            draft.open_rows(ACCOUNTS, [(*values[:position], row[6], *values[position + 1 :])], accounts["source"][at])
            return True
    return False


def _owner(draft: Draft, account: str) -> str | None:
    accounts = read_rows(draft.connection, ACCOUNTS)
    owners = zip(accounts.record_keys(), accounts["identity"], strict=True)
    return next((owner for key, owner in owners if "/".join(key) == account), None)


def known_owners(connection: sa.Connection) -> dict[str, tuple[str | None, bool]]:
    """The owner that a tie gives each account that has one, and whether a person said so."""
    ties = read_rows(connection, TIES)
    return {row[0]: (row[1] or None, row[2] == PERSON) for row in ties.values()}
