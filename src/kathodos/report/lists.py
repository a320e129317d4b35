"""Lists of records."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from kathodos.engine.redundant import redundant_grants
from kathodos.errors import CallError
from kathodos.model.kinds import Form, Kind
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field
from kathodos.report.marks import Marks
from kathodos.report.records import names_of, records_at
from kathodos.store.attributes import Distinct
from kathodos.workspace.view import View


def record_list(view: View, kind: Kind, where: str | None, only_redundant: bool, is_table: bool) -> Answer:
    """The records of a kind, all or those that a filter selects; of grants only redundant ones on demand."""
    chosen, columns = view.selecting(kind, where)
    why: dict[str, str] = {}
    if only_redundant:
        why = _redundant(view, kind)
        named = view.catalogue.column(kind, "grant").listed(chosen)
        chosen = chosen[[at for at, grant in enumerate(named) if grant in why]]
    computed = {name: Distinct(it.codes[chosen], it.values).listed() for name, it in columns.more.items()}
    ordered = Marks(view).of_kind(kind)
    names = names_of(view.catalogue, kind, chosen)
    names = [*(["because"] if why else []), "ref", *(["ordered"] if ordered else []), *computed, *names[1:]]
    fields = [
        Field(name, name, 40 - at, is_number=_is_number(kind, name), least=4 if _is_number(kind, name) else 16)
        for at, name in enumerate(names)
    ]
    made = (
        _with(kind, record, at, why, computed, ordered)
        for at, record in enumerate(records_at(view.catalogue, kind, chosen))
    )
    is_part = where or only_redundant
    heading = f"{plural(len(chosen), kind.one, _many(kind))}" + (f" of {len(columns)}" if is_part else "")
    records = [_brief(record) for record in made] if is_table else made
    first = next(records_at(view.catalogue, kind, chosen[:1]), {"ref": None})["ref"]
    coming = Marks(view).coming(kind)
    text = [f"{plural(coming, 'more is', 'more are')} ordered to come: --assume orders lists them."] if coming else []
    return Answer(fields, records, heading, text, hint=f"One of them: kathodos show {first}" if first else "")


def _brief(record: dict[str, Any]) -> dict[str, Any]:
    """A record for a person: of a text of many lines the first that says something."""
    return {
        name: f"{next((line for line in value.splitlines() if line.strip()), '')} ..."
        if isinstance(value, str) and "\n" in value.strip()
        else value
        for name, value in record.items()
    }


def _with(
    kind: Kind,
    record: dict[str, Any],
    at: int,
    why: dict[str, str],
    computed: dict[str, list[Any]],
    ordered: Mapping[tuple[object, ...], str],
) -> dict[str, Any]:
    """A record with what was computed for it, and what is ordered of it."""
    if ordered:
        mark = ordered.get(tuple(record[name] for name in kind.key))
        record = {"ref": record["ref"], "ordered": mark, **record}
    because = {"because": why[record["grant"]]} if why else {}
    return {**because, "ref": record["ref"], **{name: values[at] for name, values in computed.items()}, **record}


def _redundant(view: View, kind: Kind) -> dict[str, str]:
    """Why each redundant grant is."""
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
