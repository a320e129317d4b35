"""Who an actor is: every identity that a name may stand for."""

from __future__ import annotations

from kathodos.columns.csr import Ints
from kathodos.columns.dictionary import DictionaryColumn
from kathodos.model.filters import Comparison, Mask
from kathodos.model.kinds import ACCOUNTS, IDENTITIES
from kathodos.store.attributes import AttributeColumns
from kathodos.store.records import Records


def identities_of(records: Records, actor: str) -> set[str]:
    """Every identity that an actor may be: by id, mail or the login of an account, without regard to case."""
    name = actor.removeprefix("identity:").removeprefix("account:")
    people, accounts = (AttributeColumns(records, kind) for kind in (IDENTITIES, ACCOUNTS))
    found = _where(people, "id", name) | _where(people, "email", name)
    ids = _values(records.column(IDENTITIES, "id"), found.nonzero()[0])
    system, _, login = name.partition("/")
    tied = _where(accounts, "login", name)
    if login:
        tied |= _where(accounts, "login", login) & _where(accounts, "system", system)
    return ids | _values(records.column(ACCOUNTS, "identity"), tied.nonzero()[0])


def _where(columns: AttributeColumns, attribute: str, value: str) -> Mask:
    return columns.selected(Comparison(attribute, "eq", value))


def _values(column: DictionaryColumn, positions: Ints) -> set[str]:
    return {str(value) for value in column.listed(positions) if value is not None}
