"""A mapping proposed for somebody else's file: what kind of record it holds, and which of its columns is which."""

from __future__ import annotations

import contextlib
import csv
import difflib
import io
import itertools
import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from kathodos.columns.dictionary import DictionaryColumn
from kathodos.connectors.mapping import read_raw
from kathodos.errors import DataError
from kathodos.formats.csv import read_csv_text
from kathodos.formats.raw import Format
from kathodos.model.kinds import ACTIVITY, GATHERED, Column, Kind
from kathodos.model.kinds import Form as CellForm
from kathodos.model.times import normal_moment

_LOOKED_AT_ROWS = 60
_LOOKED_AT = 1 << 20
_DELIMITERS = ",;\t|"
_DATE_FORMS = ("%d.%m.%Y", "%d/%m/%Y", "%m/%d/%Y", "%d-%m-%Y", "%Y/%m/%d", "%Y%m%d", "%d %b %Y", "%d.%m.%y")
_TIME_FORMS = ("%Y-%m-%d %H:%M:%S", "%Y-%m-%dT%H:%M:%S", "%d.%m.%Y %H:%M:%S", "%d.%m.%Y %H:%M", "%Y%m%d%H%M%SZ")
_ALSO_CALLED = {
    "id": "staffno staffnumber staffid personnelno personnelnumber employeeid employeenumber persno personid uid",
    "name": "fullname displayname cn commonname",
    "status": "state condition",
    "email": "mail emailaddress",
    "department": "unit orgunit division section team costcentre",
    "title": "jobtitle position function job description",
    "manager": "reportsto supervisor boss linemanager superior",
    "location": "site base office place city",
    "employment": "contract contracttype employmenttype workertype",
    "starts": "joined start startdate hired hiredate entrydate entry",
    "ends": "leaving end enddate left leavedate exit exitdate terminated",
    "sponsor": "owner responsible answersforit",
    "login": "account username user accountname loginname userid",
    "identity": "person staffno staffnumber employeeid personid",
    "last_login": "lastsignin lastlogon lastseen lastaccess",
    "system": "application app platform",
    "group": "groupname team",
    "member": "memberid user person",
    "role": "rolename profile",
    "action": "operation verb right activity",
    "resource": "object target path item",
    "holder": "user person assignee grantee",
    "gives": "permission right role access entitlement",
    "from": "validfrom start",
    "until": "validto validuntil expires expiry end",
    "given_by": "grantedby approvedby",
    "given_at": "grantedat grantedon assignedon",
    "reason": "comment justification",
    "last_used": "lastuse lastuseddate",
    "time": "timestamp date datetime when at",
    "record": "document recordid reference",
    "count": "number times hits",
    "sensitivity": "class classification confidentiality",
    "kind": "sort type",
    "type": "sort kind class",
}
_MEANINGS = {
    "active": "active employed inservice current working yes y 1 enabled aktiv",
    "left": "left gone terminated exited inactive former departed no n 0 dismissed retired",
    "suspended": "suspended onhold leave onleave blocked paused",
    "invited": "invited pending new prospective",
    "person": "person human staff employee p",
    "service": "service technical system machine svc robot",
    "agent": "agent bot assistant",
    "enabled": "enabled active on open yes y 1",
    "disabled": "disabled inactive off locked blocked closed no n 0",
    "permit": "permit allow allowed grant yes",
    "deny": "deny denied refuse forbid no",
}


@dataclass(frozen=True)
class Proposal:
    """A mapping as a block of kathodos.toml, the kind it is for, and what it could not tell."""

    kind: Kind
    text: str
    open_questions: list[str]


def propose(path: Path, kind: Kind | None = None) -> Proposal:
    """Looks at a file and proposes how it may be mapped. Raises DataError where it cannot be read."""
    form, settings = _format(path) if path.suffix not in (".xlsx", ".jsonl", ".ndjson", ".parquet") else (Format(), [])
    raw = (
        read_csv_text(path.name, _start(path, form), form)
        if settings or path.suffix == ".csv"
        else read_raw(path, form)
    )
    if not len(raw.lines):
        raise DataError(f"{path} holds no row that can be read.", "Name a file with its header and some rows.")
    is_log = path.suffix in (".log", ".syslog")
    kind = kind or (ACTIVITY if is_log else _likeliest(raw.header))
    block = "source.log" if kind is ACTIVITY and is_log else f"source.tables.{kind.name}"
    lines, questions = [f"[{block}]", *([] if is_log else [f"file = {_quoted(path.name)}"]), *settings], []
    matched = _matched(kind, raw.header)
    by_header = dict(zip(raw.header, raw.columns, strict=True))
    pairs = [(header, name) for header, name in matched.items() if header.strip().lower() != name]
    blocks = [f"[{block}.columns]"] if pairs else []
    blocks += [f"{_quoted(header)} = {_quoted(name)}" for header, name in pairs]
    dates: dict[str, None] = {}
    for header, name in matched.items():
        column = kind.column(name)
        if column.form is CellForm.MOMENT:
            forms, doubts = _forms(header, by_header[header])
            dates |= dict.fromkeys(forms)
            questions += doubts
        elif column.form is CellForm.CHOICE:
            known, doubts = _values(header, column, by_header[header])
            blocks += [f"[{block}.values.{name}]", *known] if known else []
            questions += doubts
    lines += [f"dates = [{', '.join(map(_quoted, dates))}]"] if dates else []
    missing = [it.name for it in kind.columns if it.required and it.name not in matched.values()]
    if missing:
        unknown = ", ".join(f'{name} = "?"' for name in missing)
        lines.append(f"# constants = {{ {unknown} }}")
        questions.append(f"no column looks like {', '.join(missing)}: name it in columns, build or constants")
    further = [header for header in raw.header if header not in matched and header.strip()]
    if further:
        word = "become attributes" if kind.open_ended else "are not used"
        lines.append(f"# These columns {word}: {', '.join(further)}")
    return Proposal(kind, "\n".join([*lines, *blocks]), questions)


def _start(path: Path, form: Format) -> str:
    """The beginning of a text file, in whole lines."""
    with path.open("rb") as file:
        content = file.read(_LOOKED_AT)
    text = content.decode(form.encoding or "utf-8-sig", "replace")
    return text if len(content) < _LOOKED_AT else text[: text.rfind("\n") + 1]


def _format(path: Path) -> tuple[Format, list[str]]:
    """How a text file seems to be written, and the lines of the configuration that say so."""
    with path.open("rb") as file:
        content = file.read(_LOOKED_AT)
    encoding = _encoding(content)
    text = content.decode(encoding or "utf-8-sig", "replace")
    rows = {mark: _first_rows(text[: 1 << 16], mark) for mark in _DELIMITERS}
    delimiter = max(_DELIMITERS, key=lambda mark: _evenness(rows[mark]))
    widths = Counter(len(row) for row in rows[delimiter] if any(row))
    usual = widths.most_common(1)[0][0] if widths else 1
    header = next((at for at, row in enumerate(rows[delimiter], 1) if len(row) == usual and all(row)), 1)
    settings = [f"encoding = {_quoted(encoding)}"] if encoding else []
    settings += [f"delimiter = {_quoted(delimiter)}"] if delimiter != "," else []
    settings += [f"header = {header}"] if header > 1 else []
    return Format(delimiter, '"', encoding, header), settings


def _first_rows(text: str, delimiter: str) -> list[list[str]]:
    """The first rows of a text, as far as they can be read."""
    rows: list[list[str]] = []
    with contextlib.suppress(csv.Error):
        for row in itertools.islice(csv.reader(io.StringIO(text, newline=""), delimiter=delimiter), _LOOKED_AT_ROWS):
            rows.append(row)
    return rows


def _evenness(rows: Sequence[Sequence[str]]) -> tuple[int, int]:
    """How many rows are as wide as most, if wider than one cell; and how wide."""
    widths = Counter(len(row) for row in rows if len(row) > 1)
    return (widths.most_common(1)[0][1], widths.most_common(1)[0][0]) if widths else (0, 0)


def _encoding(content: bytes) -> str:
    """The encoding that has to be named; nothing for UTF-8 and for what bears a mark of its own."""
    if content[:3] == b"\xef\xbb\xbf" or content[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return ""
    try:
        content[: max(len(content) - 4, 0)].decode("utf-8")
    except UnicodeDecodeError as error:
        return "" if error.start > len(content) - 8 else "cp1252"
    return ""


def _plain(text: str) -> str:
    return re.sub(r"[^a-z0-9]", "", text.casefold())


def _matched(kind: Kind, headers: Sequence[str]) -> dict[str, str]:
    """Our column for each of their headers that resembles one, the best match first; each is used once."""
    scores = [
        (_score(header, column), -at, header, column.name)
        for at, header in enumerate(headers)
        for column in kind.columns
        if header.strip()
    ]
    found: dict[str, str] = {}
    for score, _, header, name in sorted(scores, reverse=True):
        if score >= 0.8 and header not in found and name not in found.values():
            found[header] = name
    return {header: found[header] for header in headers if header in found}


def _score(header: str, column: Column) -> float:
    theirs, ours = _plain(header), _plain(column.name)
    if theirs == ours:
        return 2.0
    also = _ALSO_CALLED.get(column.name, "").split()
    if theirs in also:
        return 1.5 - also.index(theirs) / 100
    return max(difflib.SequenceMatcher(None, theirs, name).ratio() for name in (ours, *also)) - 0.05


def _likeliest(headers: Sequence[str]) -> Kind:
    """The kind whose columns the headers fit best: its required ones above all."""

    def fit(kind: Kind) -> tuple[float, float]:
        matched = _matched(kind, headers).values()
        required = [column.name for column in kind.columns if column.required]
        return sum(name in matched for name in required) / max(len(required), 1) * len(matched), len(matched)

    return max(GATHERED, key=fit)


def _forms(header: str, column: DictionaryColumn) -> tuple[list[str], list[str]]:
    """The forms of dates that a column's values have beside ours, and what remains open."""
    rest = [str(value) for value in column.values if not _is_moment(str(value), ())]
    chosen: list[str] = []
    while rest:
        counts = {form: sum(_is_moment(value, (form,)) for value in rest) for form in (*_DATE_FORMS, *_TIME_FORMS)}
        best = max(counts, key=lambda form: counts[form])
        if not counts[best]:
            return chosen, [f"{header}: {rest[0]!r} is no date that was recognised; write its form into dates"]
        chosen.append(best)
        rest = [value for value in rest if not _is_moment(value, (best,))]
    both = {"%d/%m/%Y", "%m/%d/%Y"}
    if any(form in both for form in chosen):
        fit = [form for form in both if all(_is_moment(str(value), (form,)) for value in column.values)]
        if len(fit) == 2:
            return chosen, [f"{header}: day and month cannot be told apart; check the form in dates"]
    return chosen, []


def _is_moment(text: str, forms: Sequence[str]) -> bool:
    try:
        if forms:
            datetime.strptime(text, forms[0])
        else:
            normal_moment(text)
    except ValueError:
        return False
    return True


def _values(header: str, column: Column, cells: DictionaryColumn) -> tuple[list[str], list[str]]:
    """Their values onto our choices, and those whose meaning is open."""
    pairs, open_ones = [], []
    for value in map(str, cells.values[:50]):
        if value.lower() in column.choices:
            continue
        meant = next((it for it in column.choices if _plain(value) in _MEANINGS.get(it, "").split()), "")
        pairs.append(f"{_quoted(value)} = {_quoted(meant or '?')}")
        open_ones += [] if meant else [value]
    doubts = [f"{header}: what do {', '.join(map(repr, open_ones[:8]))} mean? One of {', '.join(column.choices)}"]
    return pairs, doubts if open_ones else []


def _quoted(text: str) -> str:
    """A text as TOML writes it."""
    import tomlkit

    return tomlkit.string(text).as_string()
