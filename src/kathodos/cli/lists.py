"""`kathodos list`: the records of one kind, all or those that a filter selects."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, Any

from kathodos.cli.options import Commands, Formatter, as_of, assuming, command
from kathodos.cli.session import Session
from kathodos.errors import CallError
from kathodos.model.kinds import KINDS, Form
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field

if TYPE_CHECKING:
    from kathodos.model.kinds import Kind
    from kathodos.workspace.view import View


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
    from kathodos.report.records import names_of, records_at
    from kathodos.store.attributes import Distinct

    asked, view = session.arguments, session.view
    kind = BY_NAME[asked.kind]
    chosen, columns = view.selecting(kind, asked.where)
    why: dict[str, str] = {}
    if asked.redundant:
        why = _redundant(view, kind)
        named = view.catalogue.column(kind, "grant").listed(chosen)
        chosen = chosen[[at for at, grant in enumerate(named) if grant in why]]
    computed = {name: Distinct(it.codes[chosen], it.values).listed() for name, it in columns.more.items()}
    names = names_of(view.catalogue, kind, chosen)
    names = [*(["because"] if why else []), "ref", *computed, *names[1:]]
    fields = [
        Field(name, name, 40 - at, is_number=_is_number(kind, name), least=4 if _is_number(kind, name) else 16)
        for at, name in enumerate(names)
    ]
    made = (_with(record, at, why, computed) for at, record in enumerate(records_at(view.catalogue, kind, chosen)))
    is_part = asked.where or asked.redundant
    heading = f"{plural(len(chosen), kind.one, _many(kind))}" + (f" of {len(columns)}" if is_part else "")
    records = list(made) if session.format == "table" else made
    first = next(records_at(view.catalogue, kind, chosen[:1]), {"ref": None})["ref"]
    return session.answer(Answer(fields, records, heading, hint=f"One of them: kathodos show {first}" if first else ""))


def _with(record: dict[str, Any], at: int, why: dict[str, str], computed: dict[str, list[Any]]) -> dict[str, Any]:
    """A record with what was computed for it."""
    because = {"because": why[record["grant"]]} if why else {}
    return {**because, "ref": record["ref"], **{name: values[at] for name, values in computed.items()}, **record}


def _redundant(view: View, kind: Kind) -> dict[str, str]:
    """Why each redundant grant is."""
    from kathodos.engine.redundant import redundant_grants

    if kind.name != "grants":
        raise CallError("--redundant is about grants.", "Write: kathodos list grants --redundant")
    index = view.index
    found = redundant_grants(index, view.moment)
    why = ("others give the same", "it gives nobody anything now")
    return {
        index.grants.ids[grant]: why[idle]
        for grant, idle in zip(found.grants.tolist(), found.is_idle.tolist(), strict=True)
    }


def _many(kind: Kind) -> str:
    return kind.name.replace("_", " ")


def _is_number(kind: Kind, name: str) -> bool:
    return any(column.name == name and column.form is Form.NUMBER for column in kind.columns)
