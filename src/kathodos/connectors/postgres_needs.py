"""What a statement of SQL needs on its tables beside what an audit line per relation says.

An `UPDATE` that looks at a row reads it, a row that is locked may be updated, `ON CONFLICT` may update; a default may
draw on a sequence. Statements are parsed by sqlglot, in the dialect of PostgreSQL.
"""

from __future__ import annotations

import logging
import re
from collections.abc import Iterator, Sequence
from functools import lru_cache
from typing import Any

import msgspec

_PREPARED = re.compile(r"\s*prepare\s+\S+(?:\s*\([^)]*\))?\s+as\s+", re.IGNORECASE)
_SEQUENCES = {"nextval": "usage", "currval": "usage", "setval": "update", "lastval": ""}


class Needs(msgspec.Struct, frozen=True):
    """One thing that a statement needs. `schema` is empty where the statement names none."""

    action: str
    schema: str
    name: str


class Inserted(msgspec.Struct, frozen=True):
    """Into which columns a statement inserts values of its own: their names, or (where none are named) how many."""

    schema: str
    name: str
    columns: frozenset[str] | None
    width: int


class Statement(msgspec.Struct, frozen=True):
    """What the statements of a text need, and insert; `is_understood`: whether all could be parsed."""

    needs: Sequence[Needs] = ()
    inserts: Sequence[Inserted] = ()
    truncates: Sequence[Needs] = ()
    is_understood: bool = True


@lru_cache(maxsize=4096)
def statement_of(text: str) -> Statement:
    """What a text of SQL needs beside what is logged of each relation."""
    import sqlglot
    from sqlglot import exp

    logging.getLogger("sqlglot").setLevel(logging.CRITICAL)
    try:
        trees = sqlglot.parse(_PREPARED.sub("", text), read="postgres")
    except (sqlglot.errors.SqlglotError, RecursionError, ValueError):
        return Statement(is_understood=False)
    needs: list[Needs] = []
    inserts: list[Inserted] = []
    truncates: list[Needs] = []
    for tree in trees:
        if tree is None:
            continue
        for node in tree.walk():
            if isinstance(node, exp.Update | exp.Delete) and isinstance(node.this, exp.Table):
                needs += [Needs("select", *_named(node.this))] * _reads_own(node, exp)
            elif isinstance(node, exp.Insert):
                needs += _of_insert(node, exp)
                inserts += _inserted(node, exp)
            elif isinstance(node, exp.Merge):
                needs += _of_merge(node, exp)
            elif isinstance(node, exp.Select):
                needs += [Needs("update", *_named(it)) for it in _locked(node, exp)]
            elif isinstance(node, exp.TruncateTable):
                truncates += [Needs("truncate", *_named(it)) for it in node.expressions if isinstance(it, exp.Table)]
            elif isinstance(node, exp.Anonymous) and str(node.this).lower() in _SEQUENCES and node.expressions:
                needs += _of_sequence(node, exp)
    return Statement(needs, inserts, truncates)


def _named(table: Any) -> tuple[str, str]:
    """Schema and name of a table, as the server folds them."""
    return _folded(table.args.get("db")), _folded(table.this)


def _folded(identifier: Any) -> str:
    if identifier is None:
        return ""
    name = str(identifier.name)
    return name if identifier.args.get("quoted") else name.lower()


def _reads_own(node: Any, exp: Any) -> bool:
    """Whether an update or a deletion looks at columns of its own table."""
    own = {_folded(node.this.this), node.this.alias_or_name.lower()}
    parts = [node.args.get("where"), node.args.get("returning")]
    parts += [it.expression if isinstance(it, exp.EQ) else it for it in node.expressions]
    return any(part is not None and _looks_at(part, own, exp) for part in parts)


def _looks_at(part: Any, own: set[str], exp: Any) -> bool:
    for column in part.find_all(exp.Column):
        is_default = column.name.lower() == "default" and not column.table
        if not is_default and (not column.table or column.table.lower() in own):
            return True
    return part.find(exp.Star) is not None and part.find(exp.Count) is None


def _of_insert(node: Any, exp: Any) -> Iterator[Needs]:
    table = node.this.this if isinstance(node.this, exp.Schema) else node.this
    if not isinstance(table, exp.Table):
        return
    named, own = _named(table), {_folded(table.this), table.alias_or_name.lower()}
    returning, conflict = node.args.get("returning"), node.args.get("conflict")
    if returning is not None and _looks_at(returning, own, exp):
        yield Needs("select", *named)
    if conflict is not None:
        if conflict.args.get("conflict_keys") or conflict.args.get("constraint"):
            yield Needs("select", *named)
        if conflict.args.get("expressions"):
            yield Needs("update", *named)


def _inserted(node: Any, exp: Any) -> Iterator[Inserted]:
    has_columns = isinstance(node.this, exp.Schema)
    table = node.this.this if has_columns else node.this
    if not isinstance(table, exp.Table):
        return
    values = node.args.get("expression")
    width, given = 0, None
    if isinstance(values, exp.Values) and values.expressions:
        first = values.expressions[0]
        width = len(first.expressions) if isinstance(first, exp.Tuple) else 1
    elif isinstance(values, exp.Select):
        width = len(values.expressions)
        width = 1 << 15 if any(isinstance(it, exp.Star) or it.find(exp.Star) for it in values.expressions) else width
    if has_columns:
        given = frozenset(_folded(it.this if isinstance(it, exp.Column) else it) for it in node.this.expressions)
    yield Inserted(*_named(table), given, width)


def _of_merge(node: Any, exp: Any) -> Iterator[Needs]:
    named = _named(node.this)
    yield Needs("select", *named)
    whens = node.args.get("whens")
    for when in whens.expressions if whens is not None else []:
        then = when.args.get("then")
        if isinstance(then, exp.Insert):
            yield Needs("insert", *named)
        elif isinstance(then, exp.Update):
            yield Needs("update", *named)
        elif "DELETE" in str(then).upper():
            yield Needs("delete", *named)


def _locked(node: Any, exp: Any) -> Iterator[Any]:
    """The tables of which a query locks rows."""
    for lock in node.args.get("locks") or ():
        named = {_folded(it.this) for it in lock.expressions if isinstance(it, exp.Table)}
        sources = [it for key in ("from_", "from") if (it := node.args.get(key)) is not None]
        tables = [it for part in (*sources, *(node.args.get("joins") or ())) for it in part.find_all(exp.Table)]
        yield from (it for it in tables if not named or it.alias_or_name in named or _folded(it.this) in named)


def _of_sequence(node: Any, exp: Any) -> Iterator[Needs]:
    action = _SEQUENCES[str(node.this).lower()]
    literal = node.expressions[0]
    literal = literal.this if isinstance(literal, exp.Cast) else literal
    if action and isinstance(literal, exp.Literal) and literal.is_string:
        schema, _, name = str(literal.name).rpartition(".")
        yield Needs(action, _unquoted(schema), _unquoted(name))


def _unquoted(name: str) -> str:
    return name[1:-1].replace('""', '"') if name.startswith('"') and name.endswith('"') else name.lower()
