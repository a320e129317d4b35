"""One record in full, with what its sources said of it and everything that points at it."""

from __future__ import annotations

import json
from typing import Any

import numpy as np

from kathodos.columns.csr import Ints
from kathodos.columns.strings import StringTable, starting_with
from kathodos.errors import CallError
from kathodos.model.json_text import json_text
from kathodos.model.kinds import ACTIVITY, CLAIMS, KINDS, RESOURCES, Kind
from kathodos.model.references import PREFIXES
from kathodos.model.referring import key_of
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Branch, Field, plain
from kathodos.report.marks import Marks, told_of_orders
from kathodos.report.records import records_at
from kathodos.store.naming import pointing_at, resolved
from kathodos.store.records import positions_holding
from kathodos.workspace.view import View

_MOST = 12
_LEFT_OUT = ("ref", "thing", "peers_having", "peers_counted")  # what says nothing on a line by itself
_MARKS = {True: "", False: " (another source wins)"}


def shown(view: View, reference: str, form: str) -> Answer:
    """One record and everything that points at it; `form`: table, csv, json, jsonl."""
    kind, record = _find(view, reference)
    related = _related(view, kind, record)
    claims = _claims(view, kind, record)
    marks = Marks(view)
    key = tuple(record.get(name) for name in kind.key)
    ordered, stands = marks.of(kind, key), marks.stands(kind, key)
    certified = marks.certified(kind, record, _asker(view, {"ref": record.get("holder") or record.get("member") or ""}))
    rows = [record] if form == "csv" else []
    fields = [Field(name, name) for name in record] if form == "csv" else []
    if form != "table":
        some = {name: list(records_at(view.catalogue, other, at)) for name, (other, at) in related.items()}
        document = {
            **record,
            **({"ordered": ordered} if ordered else {}),
            **({"stands": stands} if stands else {}),
            **({"certified": certified} if certified else {}),
            **({"sources": claims} if claims else {}),
            "related": some,
        }
        return Answer(fields, rows, document=document)
    own = [Branch(ordered, style="yellow")] if ordered else []
    own += [_value(name, value) for name, value in record.items() if name != "ref" and value is not None]
    own += [Branch(it) for it in (f"stands {stands}" if stands else "", certified) if it]
    if claims:
        branches_of_sources = [
            Branch(f"{it['source']}: {it['attribute']} {plain(it['value'])}{_MARKS[it['wins']]}") for it in claims
        ]
        own.append(Branch("said by its sources", branches_of_sources))
    branches = [
        Branch(
            f"{name} ({len(at)}{_uses_in_all(view, other, at)})",
            [_branch(it, other, marks, _asker(view, record)) for it in records_at(view.catalogue, other, at[:_MOST])]
            + ([Branch(f"and {len(at) - _MOST} more")] if len(at) > _MOST else []),
        )
        for name, (other, at) in related.items()
    ]
    tree = Branch(record["ref"], [*own, *branches], "bold")
    return Answer(text=told_of_orders(view, record["ref"]), trees=[tree], hint=_hint(kind, record))


def _asker(view: View, record: dict[str, Any]) -> str:
    """Whom what a record holds belongs to, by reference: an identity itself, an account to who owns it."""
    number = view.index.holders.find(record["ref"])
    held = view.index.holders
    return held.references[int(held.asker_of[number])] if 0 <= number < held.first_group else ""


def _uses_in_all(view: View, kind: Kind, at: Ints) -> str:
    """Of rows of activity how many uses they tell of."""
    if kind is not ACTIVITY:
        return ""
    counts = view.catalogue.column(ACTIVITY, "count").listed(at)
    return f", {plural(sum(int(str(it or 0)) for it in counts), 'use')}"


def _claims(view: View, kind: Kind, record: dict[str, Any]) -> list[dict[str, Any]]:
    """Which source said what of a record that several speak of, and whether that is what counts."""
    key = json_text([record.get(name) for name in kind.key])
    found = []
    for _, _, source, text in view.catalogue.holding(CLAIMS, {"kind": [kind.name], "record": [key]}).values():
        spoken = json.loads(text)
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


def _find(view: View, text: str) -> tuple[Kind, dict[str, Any]]:
    """The kind and the record that a reference names."""
    records = view.catalogue
    if ":/" in text:
        return _resource(view, text)
    prefix, _, rest = text.partition(":")
    for kind in KINDS:
        if kind.name not in PREFIXES and kind.one.replace(" ", "-") == prefix and rest.isdecimal():
            at = (records.rows(kind) == int(rest)).nonzero()[0]
            if not len(at):
                raise CallError(f"There is no {kind.one} {rest}.", f"See `kathodos list {kind.name}`.")
            return kind, next(records_at(records, kind, at))
    reference = resolved(records, text, [kind for kind in KINDS if kind.name in PREFIXES])
    kind = next(kind for kind in KINDS if PREFIXES.get(kind.name) == reference.partition(":")[0])
    key = dict(zip(kind.key, key_of(kind, reference), strict=True))
    return kind, next(records_at(records, kind, positions_holding(records, kind, key)))


def _resource(view: View, text: str) -> tuple[Kind, dict[str, Any]]:
    """A resource that a source lists, or one that exists because something below it is listed."""
    address = view.index.tree.addresses[view.node(text)]
    at = positions_holding(view.catalogue, RESOURCES, {"resource": address})
    if len(at):
        return RESOURCES, next(records_at(view.catalogue, RESOURCES, at))
    return RESOURCES, {"ref": address, "resource": address, "title": "listed by no source"}


def _related(view: View, kind: Kind, record: dict[str, Any]) -> dict[str, tuple[Kind, Ints]]:
    """The records of other kinds that point at this one, by kind; and for a resource those directly below it."""
    related = {}
    for other in KINDS:
        if other is not kind or kind.name == "identities":
            at = pointing_at(view.catalogue, other, kind, record["ref"])
            if len(at):
                related[other.name] = (other, at)
    if kind.name == "resources":
        at = _directly_below(view, record["resource"])
        if len(at):
            related["directly below"] = (RESOURCES, at)
    return related


def _directly_below(view: View, address: str) -> Ints:
    """The positions of the resources that stand directly below one."""
    held = view.catalogue.column(RESOURCES, "resource")
    below = address.rstrip("/") + "/"
    assert isinstance(held.values, StringTable)
    codes = starting_with(held.values, below).nonzero()[0]
    direct = [
        code
        for code, text in zip(codes.tolist(), held.values.taken(codes), strict=True)
        if "/" not in text[len(below) :]
    ]
    return np.isin(held.codes, [code for code in direct if held.values[code] != below]).nonzero()[0]


def _value(name: str, value: object) -> Branch:
    """One value of a record; a text of many lines line by line."""
    lines = value.splitlines() if isinstance(value, str) and "\n" in value.strip() else []
    return Branch(f"{name}:", [Branch(line) for line in lines]) if lines else Branch(f"{name}: {plain(value)}")


def _line(record: dict[str, Any], kind: Kind, marks: Marks) -> str:
    """A record on one line, without what is empty or long, and what is ordered of it."""
    parts = [record["ref"]]
    for name, value in record.items():
        if name not in _LEFT_OUT and value not in (None, "", False) and str(value) not in record["ref"]:
            parts.append(f"{name} {plain(value)}")
    ordered = marks.of(kind, tuple(record.get(name) for name in kind.key))
    return ", ".join([*parts[:7], *([ordered] if ordered else [])])


def _branch(record: dict[str, Any], kind: Kind, marks: Marks, asker: str) -> Branch:
    """A record on one line; below it by what it stands, and when it was certified last."""
    key = tuple(record.get(name) for name in kind.key)
    told = [f"stands {it}" for it in [marks.stands(kind, key)] if it]
    told += [it for it in [marks.certified(kind, record, asker)] if it] if asker else []
    return Branch(_line(record, kind, marks), [Branch(it) for it in told])
