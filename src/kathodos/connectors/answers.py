"""Files of answers to packets, as they come back: what a page saved, and filled-in workbooks."""

from __future__ import annotations

import hashlib
import json
from pathlib import Path
from typing import Any, get_args

import msgspec

from kathodos.errors import DataError
from kathodos.formats.xlsx import first_rows, sheet_names
from kathodos.model.forms import ANSWERS
from kathodos.review.answering import Given
from kathodos.review.packets import (
    COLUMNS,
    FIRST_ANSWER,
    LINES_SHEET,
    SEAL_SHEET,
    AnswerFile,
    LineAnswer,
    Seal,
    rows_shown,
)

_LARGEST = 256 << 20
_MOST_ROWS = 1 << 20
_REMEDY = "Ask for the file that the packet saved, or for the workbook as it was sent, filled in."
_DECISIONS = get_args(msgspec.structs.fields(LineAnswer)[1].type)


class _Form(msgspec.Struct, frozen=True):
    """What a file says of its form."""

    form: Any = None


def read_answers(path: Path) -> Given:
    """The answers that a file holds. Raises DataError where it is none, or was cut off."""
    try:
        if path.stat().st_size > _LARGEST:
            raise DataError(f"{path.name} is larger than answers ever are.", _REMEDY)
        content = path.read_bytes()
    except OSError as error:
        raise DataError(f"{path} cannot be read: {error.strerror}.", "Name a file that is there.") from None
    digest = hashlib.sha256(content).hexdigest()
    if not content.strip():
        raise DataError(f"{path.name} is empty.", _REMEDY)
    if content.lstrip()[:9].lower() == b"<!doctype":
        raise DataError(f"{path.name} is a packet itself, and no file of answers to one.", _REMEDY)
    if content[:2] == b"PK":
        return _from_workbook(path, digest)
    try:
        ANSWERS.must_be_known(path.name, msgspec.json.decode(content, type=_Form).form)
        return Given(str(path), digest, msgspec.json.decode(content, type=AnswerFile))
    except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError) as error:
        why = str(error).replace("`", "").splitlines()[0]
        raise DataError(f"{path.name} is no file of answers: {why}.", _REMEDY) from None


def _from_workbook(path: Path, digest: str) -> Given:
    """A filled-in workbook. What is shown of a line has to be what was sent; whatever was answered is taken."""
    if not {LINES_SHEET, SEAL_SHEET} <= set(sheet_names(path)):
        raise DataError(f"{path.name} is no workbook of a packet: a sheet is missing.", _REMEDY)
    kept = [row[0] or "" for row in first_rows(path, SEAL_SHEET, _MOST_ROWS) if row]
    content = "".join(kept[1:])
    try:
        seal, shown = msgspec.json.decode(kept[0] if kept else "", type=Seal), json.loads(content)
        sent = {int(row[0]): [_plain(it) for it in row] for row in rows_shown(shown)}
    except (ValueError, KeyError, IndexError, TypeError, RecursionError) as error:
        raise DataError(f"{path.name} is no workbook of a packet: {error}.", _REMEDY) from None
    answers, wrong = [], {}
    head, *rows = first_rows(path, LINES_SHEET, _MOST_ROWS) or [[]]
    if [it or "" for it in head][: len(COLUMNS)] != list(COLUMNS):
        raise DataError(f"{path.name} is no workbook of a packet: its first row was changed.", _REMEDY)
    for row in rows:
        cells = [*[_plain(it) for it in row], *[""] * len(COLUMNS)][: len(COLUMNS)]
        answered = dict(zip(COLUMNS[FIRST_ANSWER:], (it.strip() for it in cells[FIRST_ANSWER:]), strict=True))
        if not any(answered.values()):
            continue
        number = int(cells[0]) if cells[0].isdecimal() and len(cells[0]) < 10 else 0
        decision = answered["decision"].lower()
        if cells[:FIRST_ANSWER] != sent.get(number):
            wrong[number] = "what is said of it in the workbook is not what was sent"
        elif decision not in _DECISIONS:
            wrong[number] = f"{answered['decision']!r} is no decision"
        answers.append(_answer(number, decision, answered))
    whole = hashlib.sha256(content.encode("utf-8", "surrogatepass")).hexdigest()
    return Given(str(path), digest, AnswerFile("kathodos answers 1", seal, whole, answers), wrong)


def _answer(number: int, decision: str, answered: dict[str, str]) -> LineAnswer:
    known: Any = decision if decision in _DECISIONS else ""
    until, to, why, say = (answered[name] for name in ("until", "to", "why", "comment"))
    return LineAnswer(number, known, until[:10], to, why, say)


def _plain(cell: object) -> str:
    return str(cell or "").replace("\r\n", "\n")
