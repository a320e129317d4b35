"""`kathodos show`: one record with everything that points at it."""

from __future__ import annotations

import argparse
import json
from typing import TYPE_CHECKING, Any

from kathodos.cli.lists import records_of, reference_of
from kathodos.cli.options import Commands, Formatter, as_of, command
from kathodos.cli.session import Session
from kathodos.errors import CallError
from kathodos.output.answers import Answer, Branch, Field
from kathodos.output.text import plain

if TYPE_CHECKING:
    from kathodos.model.kinds import Kind
    from kathodos.model.rows import State

_MOST = 12
_MARKS = {True: "", False: " (another source wins)"}


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = command(
        commands,
        "show",
        common,
        formatter,
        run,
        "show one record and everything that points at it",
        "  kathodos show p0017\n  kathodos show group:directory/pilots\n  kathodos show dues:/northmole/tariffs",
    )
    parser.add_argument("reference", metavar="REF", help="as in identity:p0017, role:dues/clerk or a resource address")
    as_of(parser)


def run(session: Session) -> int:
    from kathodos.model.kinds import KINDS

    point = session.point(session.arguments.as_of)
    state = session.state(KINDS, point.entry)
    kind, record = _find(session, state, session.arguments.reference)
    related = _related(state, kind, record)
    claims = _claims(state, kind, record)
    document = {**record, **({"sources": claims} if claims else {}), "related": related}
    snapshot = [
        Branch(f"{name}: {plain(value)}") for name, value in record.items() if name != "ref" and value is not None
    ]
    branches = [
        Branch(
            f"{name} ({len(records)})",
            [Branch(_line(it)) for it in records[:_MOST]]
            + ([Branch(f"and {len(records) - _MOST} more")] if len(records) > _MOST else []),
        )
        for name, records in related.items()
    ]
    if claims:
        said = [Branch(f"{it['source']}: {it['attribute']} {plain(it['value'])}{_MARKS[it['wins']]}") for it in claims]
        branches.insert(0, Branch("said by its sources", said))
    fields = [Field(name, name) for name in record] if session.format == "csv" else []
    rows = [record] if session.format == "csv" else []
    tree = Branch(record["ref"], [*snapshot, *branches], "bold")
    return session.answer(Answer(fields, rows, trees=[tree], hint=_hint(kind, record), document=document))


def _claims(state: State, kind: Kind, record: dict[str, Any]) -> list[dict[str, Any]]:
    """Which source said what of a record that several speak of, and whether that is what counts."""
    claims = state["claims"]
    key = json.dumps([record[name] for name in kind.key], ensure_ascii=False, separators=(",", ":"))
    found = []
    for of_kind, of_record, source, said in claims.values():
        if (of_kind, of_record) == (kind.name, key):
            spoken = json.loads(said)
            further = json.loads(spoken.pop("attributes", "{}"))
            for name, value in {**spoken, **further}.items():
                if name not in kind.key:
                    wins = str(record.get(name)) == str(value)
                    found.append({"source": source, "attribute": name, "value": value, "wins": wins})
    return sorted(found, key=lambda it: (it["attribute"], not it["wins"], it["source"]))


def _hint(kind: Kind, record: dict[str, Any]) -> str:
    reference = record["ref"]
    if kind.name in ("identities", "accounts"):
        return f"What it reaches: kathodos reach --by {reference}"
    if kind.name == "resources":
        return f"Who gets in: kathodos reach --on {reference}"
    return f"Its history: kathodos ledger list --subject {reference}"


def _find(session: Session, state: State, text: str) -> tuple[Kind, dict[str, Any]]:
    """The kind and the record that a reference names."""
    from kathodos.model.kinds import KINDS
    from kathodos.model.references import PREFIXES

    if ":/" in text:
        return _resource(state, text)
    prefix, _, rest = text.partition(":")
    for kind in KINDS:
        if kind.name not in PREFIXES and kind.one.replace(" ", "-") == prefix and rest.isdecimal():
            if int(rest) not in state[kind.name].ids:
                raise CallError(f"There is no {kind.one} {rest}.", f"See `kathodos list {kind.name}`.")
            return kind, records_of(state[kind.name])[state[kind.name].ids.index(int(rest))]
    named = [kind for kind in KINDS if kind.name in PREFIXES]
    prefix, _, name = session.resolve(text, state, named).partition(":")
    kind = next(kind for kind in named if PREFIXES[kind.name] == prefix)
    names = ["/".join(map(str, key)) for key in state[kind.name].record_keys()]
    return kind, records_of(state[kind.name])[names.index(name)]


def _resource(state: State, text: str) -> tuple[Kind, dict[str, Any]]:
    """A resource that a source lists, or one that exists because something below it is listed."""
    from kathodos.model.addresses import parse_address
    from kathodos.model.kinds import RESOURCES
    from kathodos.model.suggestions import nearest

    addresses = state["resources"]["resource"]
    try:
        address = str(parse_address(text))
    except ValueError as error:
        raise CallError(f"{text} is no resource: {error}.", nearest(text, addresses)) from None
    if address in addresses:
        return RESOURCES, records_of(state["resources"])[addresses.index(address)]
    if any(other.startswith(address.removesuffix("/") + "/") for other in addresses):
        return RESOURCES, {"ref": address, "resource": address, "title": "listed by no source"}
    raise CallError(f"There is no resource {address}.", nearest(address, addresses))


def _related(state: State, kind: Kind, record: dict[str, Any]) -> dict[str, list[dict[str, Any]]]:
    """The records of other kinds that point at this one, by kind; and for a resource those directly below it."""
    from kathodos.model.kinds import KINDS
    from kathodos.model.referring import pointing_at

    related = {}
    for other in KINDS:
        if other is kind and kind.name != "identities":
            continue
        rows = state[other.name]
        positions = pointing_at(rows, kind, record["ref"])
        if positions:
            records = records_of(rows)
            related[other.name] = [records[at] for at in positions]
    if kind.name == "resources":
        below = record["resource"].rstrip("/") + "/"
        children = [it for it in records_of(state["resources"]) if it["resource"].startswith(below)]
        children = [it for it in children if "/" not in it["resource"][len(below) :]]
        if children:
            related["directly below"] = children
    return related


def _line(record: dict[str, Any]) -> str:
    """A record on one line, without what is empty or long."""
    parts = [record["ref"]]
    for name, value in record.items():
        if (
            name not in ("ref", "evidence", "item")
            and value not in (None, "", False)
            and str(value) not in record["ref"]
        ):
            parts.append(f"{name} {plain(value)}")
    return ", ".join(parts[:7])


__all__ = ["add", "reference_of", "run"]
