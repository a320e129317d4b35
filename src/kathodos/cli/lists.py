"""`kathodos list`: the records of one kind, all or those that a filter selects."""

from __future__ import annotations

import argparse
from datetime import datetime
from typing import TYPE_CHECKING, Any

from kathodos.cli.options import Commands, Formatter, as_of, assuming, command
from kathodos.cli.session import Session, plural
from kathodos.errors import CallError
from kathodos.model.kinds import KINDS, Form
from kathodos.output.answers import Answer, Field

if TYPE_CHECKING:
    from kathodos.model.kinds import Kind
    from kathodos.model.rows import Rows
    from kathodos.workspace.saved_index import View


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = command(
        commands,
        "list",
        common,
        formatter,
        run,
        "list the records of one kind",
        '  kathodos list identities --where \'department eq "Pilotage" and status eq "active"\'\n'
        "  kathodos list grants --where 'not (until pr)' --format csv > open-ended.csv\n"
        "  kathodos list grants --redundant",
    )
    parser.add_argument(
        "kind", metavar="KIND", choices=[kind.name for kind in KINDS], help=", ".join(it.name for it in KINDS)
    )
    parser.add_argument("--where", metavar="FILTER", help="only those that this filter over their columns selects")
    parser.add_argument(
        "--redundant", action="store_true", help="only grants of which each, taken away alone, changes nobody's reach"
    )
    as_of(parser)
    assuming(parser)


def run(session: Session) -> int:
    from kathodos.model.kinds import BY_NAME
    from kathodos.store.attributes import selected_by
    from kathodos.store.records import rows_of

    asked = session.arguments
    kind = BY_NAME[asked.kind]
    point = session.point(asked.as_of)
    view = session.view(point.entry) if asked.redundant or asked.assume else None
    found = rows_of(view.records, kind, *kind.names) if view else session.state([kind], point.entry)[kind.name]
    more = session.risk_column(found, asked.where, point) if kind.name == "identities" else {}
    keep = selected_by(found, asked.where, more).tolist() if asked.where else [True] * len(found)
    records = [record for record, is_kept in zip(_with(records_of(found), more), keep, strict=True) if is_kept]
    if asked.redundant and view:
        why = _redundant(view, kind, point.moment)
        records = [{"because": why[record["grant"]], **record} for record in records if record["grant"] in why]
    names = list(dict.fromkeys(name for record in records for name in record)) or ["ref", *kind.names]
    fields = [
        Field(name, name, 40 - at, is_number=_is_number(kind, name), least=4 if _is_number(kind, name) else 16)
        for at, name in enumerate(names)
    ]
    is_part = asked.where or asked.redundant
    heading = f"{plural(len(records), kind.one, _many(kind))}" + (f" of {len(found)}" if is_part else "")
    hint = f"One of them: kathodos show {records[0]['ref']}" if records else ""
    return session.answer(Answer(fields, records, heading, hint=hint))


def _with(records: list[dict[str, Any]], more: dict[str, list[Any]]) -> list[dict[str, Any]]:
    """The records with what was computed for them, behind the reference."""
    for name, values in more.items():
        records = [{"ref": it["ref"], name: value, **it} for it, value in zip(records, values, strict=True)]
    return records


def _redundant(view: View, kind: Kind, moment: datetime) -> dict[str, str]:
    """Why each redundant grant is."""
    from kathodos.engine.redundant import redundant_grants
    from kathodos.model.times import microseconds

    if kind.name != "grants":
        raise CallError("--redundant is about grants.", "Write: kathodos list grants --redundant")
    index = view.index
    found = redundant_grants(index, microseconds(moment))
    why = ("others give the same", "it gives nobody anything now")
    return {
        index.grants.ids[grant]: why[idle]
        for grant, idle in zip(found.grants.tolist(), found.is_idle.tolist(), strict=True)
    }


def _many(kind: Kind) -> str:
    return kind.name.replace("_", " ")


def _is_number(kind: Kind, name: str) -> bool:
    return any(column.name == name and column.form is Form.NUMBER for column in kind.columns)


def records_of(rows: Rows) -> list[dict[str, Any]]:
    """The rows as records: a reference first, then the columns that any of them has, yes or no as such."""
    import json

    kind = rows.kind
    flags = {column.name for column in kind.columns if column.form is Form.YES_NO}
    records = []
    for row, values in zip(rows.ids, rows.values(), strict=True):
        said = dict(zip(kind.names, values, strict=True))
        further = json.loads(said.pop("attributes", None) or "{}")
        record = {name: bool(value) if name in flags and value is not None else value for name, value in said.items()}
        records.append({"ref": reference_of(kind, row, record), **record, **further})
    return records


def reference_of(kind: Kind, row: int, record: dict[str, Any]) -> str:
    """What `kathodos show` takes for the record: its name, or for what bears none the number of its row."""
    from kathodos.model.references import PREFIXES

    if kind.name == "resources":
        return str(record["resource"])
    if kind.name in PREFIXES:
        return f"{PREFIXES[kind.name]}:{'/'.join(str(record[name]) for name in kind.key)}"
    return f"{kind.one.replace(' ', '-')}:{row}"
