"""Lines of a table that add the others up (`Total`, `Summe`): no records, and asked about."""

from __future__ import annotations

import re

import numpy as np

from kathodos.formats.raw import Problem, Raw

_WORDS = (
    *("total", "totals", "subtotal", "sum", "grand total", "gesamt", "summe", "gesamtsumme", "zwischensumme"),
    *("insgesamt", "anzahl", "gesamtanzahl", "somme", "totaux", "ensemble", "total général", "suma", "sumas"),
    *("totales", "total general", "suma total", "totale", "somma", "soma", "totais", "totaal", "som", "summa"),
    *("totalt", "yhteensä", "razem", "łącznie", "celkem", "összesen"),
)
_MARKS = ("", ":", " :", ".", "=", " =")
_AS_WRITTEN = [
    word + mark
    for plain in _WORDS
    for word in (plain, plain.capitalize(), plain.title(), plain.upper())
    for mark in _MARKS
]
_KNOWN = frozenset(_AS_WRITTEN)
_NUMBER = re.compile(r"(?=.*\d)[-+]?[\d.,'\s\u00a0\u202f]+%?(?:\s?[A-Za-z]{2,3}|\s?[€$£])?")


def without_totals(file: str, raw: Raw) -> Raw:
    """The table without the lines that seem to be totals; they are told.

    The first cell that is filled is a word for a total, all others - at least one - hold numbers, and one is empty or
    it is the last line.
    """
    is_word = [column.holding_any(_AS_WRITTEN) for column in raw.columns]
    rows = np.unique(np.concatenate([np.zeros(0, dtype=np.int64), *(mask.nonzero()[0] for mask in is_word)]))
    found = [row for row in rows.tolist() if _is_total(raw, row)] if len(rows) else []
    if not found:
        return raw
    keep = np.ones(len(raw.lines), dtype=bool)
    keep[found] = False
    problems = list(raw.problems)
    for row in found:
        cells = [str(column.value(row)) for column in raw.columns if column.value(row) is not None]
        problems.append(Problem(file, int(raw.lines[row]), "", "; ".join(cells), _REASON, _REMEDY))
    return Raw(raw.header, [column.taken(keep) for column in raw.columns], raw.lines[keep], problems)


_REASON = "looks like a line with totals, and was not taken for a record"
_REMEDY = "Is it a record? Then write totals = true for this table in kathodos.toml."


def _is_total(raw: Raw, row: int) -> bool:
    cells = [column.value(row) for column in raw.columns]
    filled = [str(cell) for cell in cells if cell is not None]
    is_open = len(filled) < len(cells) or row == len(raw.lines) - 1
    return is_open and len(filled) > 1 and filled[0] in _KNOWN and all(_NUMBER.fullmatch(cell) for cell in filled[1:])
