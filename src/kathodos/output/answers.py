"""Answers written: as a table or a tree for a person, or as data with stable keys."""

from __future__ import annotations

import csv
import json
import os
import re
import shutil
import sys
import textwrap
from collections.abc import Iterable, Mapping, Sequence
from typing import Any, TextIO

import msgspec
from msgspec.structs import replace

from kathodos.model.printing import harmless, printable
from kathodos.output.text import csv_cell, json_safe
from kathodos.report.answers import Answer, Branch, Field, Lines, Row
from kathodos.report.long import PIPED

# By what a terminal can show; each with a contrast of 4.5 to 1 or more on white and on black (WCAG 2.2, 1.4.3).
COLOURS = {
    "truecolor": {"red": "#e61f25", "yellow": "#b65e05", "green": "#18873d", "dim": "#757575"},
    "256": {"red": "#d700af", "yellow": "#af5f5f", "green": "#00875f", "dim": "#767676"},
    "standard": {"red": "bold", "yellow": "bold", "green": "none", "dim": "none"},  # whose colours are anybody's guess
}
_LONGEST_NAME = 32  # that is never broken in two
_BESIDE_ROWS, _FEWEST_ROWS = 8, 12  # lines around a table; rows that are shown in any window
_NEVER_BROKEN = re.compile(r"[-+]?[\d.,]+ ?%?|\d{4}-\d\d(-\d\d([T ][\d:.]+Z?)?)?")
FORMATS = ("table", "csv", "json", "jsonl")


class CsvForm(msgspec.Struct, frozen=True):
    """How CSV is written: what stands between cells, and whether it begins with the mark that spreadsheets need."""

    delimiter: str = ","
    is_for_spreadsheet: bool = False


def show(answer: Answer, form: str, out: TextIO | None = None, csv_form: CsvForm | None = None) -> int:
    """Writes an answer in a form; gives the exit status."""
    stream = out or sys.stdout
    if answer.rules and form != "table":
        answer = _with_rules(answer)
    if form == "json":
        content = answer.document if answer.document is not None else [dict(row) for row in answer.rows]
        stream.write(json_safe(json.dumps(content, ensure_ascii=False, indent=2)) + "\n")
    elif form == "jsonl":
        rows = [answer.document] if answer.document is not None else answer.rows
        stream.writelines(json_line(row) for row in rows)
    elif form == "csv":
        keys = [shown.key for shown in answer.fields] + list(answer.extra_keys)
        csv_form = csv_form or CsvForm()
        stream.write("\ufeff" if csv_form.is_for_spreadsheet else "")
        ends = "\r\n" if csv_form.is_for_spreadsheet else "\n"
        writer = csv.writer(stream, lineterminator=ends, delimiter=csv_form.delimiter)
        writer.writerow(keys)
        writer.writerows([csv_cell(row.get(key)) for key in keys] for row in answer.rows)
    else:
        _show_to_person(answer, stream)
    return answer.status


def _with_rules(answer: Answer) -> Answer:
    """An answer as data whose every row says by which rules it was found."""
    said = {"rules_digest": answer.rules}
    rows = ({**row, **said} for row in answer.rows)
    document = {**answer.document, **said} if answer.document is not None else None
    return replace(answer, rows=rows, document=document, extra_keys=[*answer.extra_keys, *said])


def json_line(row: Row) -> str:
    """One row as a line of JSON."""
    return json_safe(json.dumps(row, ensure_ascii=False)) + "\n"


def show_products(blocks: Iterable[tuple[Iterable[Row], Iterable[Row]]], out: TextIO | None = None) -> None:
    """Writes as lines of JSON, for each block, every row of its first list joined with every row of its second."""
    stream = out or sys.stdout
    for firsts, seconds in blocks:
        tails = [json_line(row)[1:] for row in seconds]
        for row in firsts if tails else ():
            head = json_line(row)[:-2] + ", "
            stream.write(head + head.join(tails))


def window(stream: TextIO) -> int | None:
    """The width to fit: the terminal's, or what COLUMNS says; None in a pipe."""
    if stream.isatty() or os.environ.get("COLUMNS", "").isdecimal():
        return max(shutil.get_terminal_size((100, 24)).columns, 20)
    return None


def rows_of_window(stream: TextIO) -> int:
    """How many rows of a long answer a person is shown at once: what the window holds, or some hundred in a pipe."""
    if not stream.isatty():
        return PIPED
    return max(shutil.get_terminal_size((100, 24)).lines - _BESIDE_ROWS, _FEWEST_ROWS)


def say(text: str) -> None:
    """Writes a line for a person beside the answer, such as an error; at a terminal it fits the window."""
    width = window(sys.stderr) if sys.stderr.isatty() else None
    whole = harmless(text)
    lines = textwrap.wrap(whole, width, break_on_hyphens=False) if width and len(whole) > width else [whole]
    sys.stderr.write("".join(f"{line}\n" for line in lines))


def _shared_out(room: int, least: Sequence[int], most: Sequence[int]) -> list[int]:
    """Widths between `least` and `most` that fill the room, what is left over shared out evenly."""
    widths = list(least)
    left = room - sum(widths)
    while left > 0 and (narrow := [at for at, size in enumerate(widths) if size < most[at]]):
        for at in narrow[:left]:
            more = min(max(left // len(narrow), 1), most[at] - widths[at])
            widths[at] += more
            left -= more
    return [max(size, 1) for size in widths]


def _show_to_person(answer: Answer, stream: TextIO) -> None:
    width = window(stream)
    parts: list[Any] = []
    is_plain = not stream.isatty()
    if is_plain and not answer.trees and not _has_lines(answer) and (width is None or _natural(answer) <= width):
        _write_plain(answer, stream, width)
        return
    from rich.console import Console
    from rich.text import Text
    from rich.tree import Tree

    console = Console(
        file=stream, width=width or 10_000, highlight=False, markup=False, emoji=False, no_color=no_colour(stream)
    )
    console.on_broken_pipe = _broken  # type: ignore[method-assign]  # rich would end the process with another status
    colours = COLOURS.get(console.color_system or "", COLOURS["standard"])
    if answer.heading:
        parts.append(Text(harmless(answer.heading), style="bold"))
    parts += [Text(harmless(line)) for line in answer.text]
    for branch in answer.trees:
        tree = Tree(Text(printable(branch.text), style=_coloured(branch.style, colours)), guide_style=colours["dim"])
        _grow(tree, branch.branches, colours)
        parts.append(tree)
    if answer.fields and answer.rows:
        parts += list(_table(answer, width, colours))
    parts += [Text(harmless(line), style=colours["dim"]) for line in _last_lines(answer)]
    for part in parts:
        console.print(part, soft_wrap=answer.is_verbatim)


def _coloured(style: str, colours: Mapping[str, str]) -> str:
    """A style with the colours that can be read on any background."""
    return " ".join(colours.get(word, word) for word in style.split())


def _last_lines(answer: Answer) -> list[str]:
    """By which rules, and what to do next."""
    rules = f"By the rules with the digest {answer.rules[:16]}." if answer.rules else ""
    return [line for line in (rules, answer.hint) if line]


def _broken() -> None:
    raise BrokenPipeError


def _has_lines(answer: Answer) -> bool:
    return any(isinstance(value, Lines) for row in answer.rows for value in row.values())


def no_colour(stream: TextIO) -> bool:
    return bool(os.environ.get("NO_COLOR")) or not stream.isatty()


def _grow(tree: Any, branches: Iterable[Branch], colours: Mapping[str, str]) -> None:
    from rich.text import Text

    for branch in branches:
        _grow(tree.add(Text(printable(branch.text), style=_coloured(branch.style, colours))), branch.branches, colours)


def _cells(answer: Answer) -> list[list[str]]:
    return [[_cell(shown, row.get(shown.key)) for shown in answer.fields] for row in answer.rows]


def _cell(shown: Field, value: Any) -> str:
    if isinstance(value, Lines):
        return "\n".join(printable(line) for line in value)
    return printable(shown.shown(value))


def _widths(fields: Sequence[Field], cells: list[list[str]]) -> list[int]:
    return [
        max([len(shown.title), *(len(line) for row in cells for line in row[at].split("\n"))])
        for at, shown in enumerate(fields)
    ]


def _natural(answer: Answer) -> int:
    longest = max((len(line) for line in (answer.heading, *_last_lines(answer), *answer.text)), default=0)
    return max(longest, sum(_widths(answer.fields, _cells(answer))) + 2 * len(answer.fields))


def _write_plain(answer: Answer, stream: TextIO, width: int | None) -> None:
    """Plain text: columns apart by two blanks, nothing cut, nothing wrapped."""
    lines = [answer.heading] if answer.heading else []
    lines += list(answer.text)
    lines = [harmless(line) for line in lines]
    if answer.fields and answer.rows:
        cells = _cells(answer)
        widths = _widths(answer.fields, cells)
        for row in [[shown.title for shown in answer.fields], *cells]:
            padded = (
                cell.rjust(size) if shown.is_number else cell.ljust(size)
                for cell, size, shown in zip(row, widths, answer.fields, strict=True)
            )
            lines.append("  ".join(padded).rstrip())
    lines += [harmless(line) for line in _last_lines(answer)]
    stream.write("".join(f"{line}\n" for line in lines))


def _table(answer: Answer, width: int | None, colours: Mapping[str, str]) -> Iterable[Any]:
    """The table; where the window is too narrow for all columns the lightest stand below the others, row by row."""
    from rich import box
    from rich.table import Table
    from rich.text import Text

    cells = _cells(answer)
    natural = _widths(answer.fields, cells)
    least = [
        size if _is_never_broken(shown, [row[at] for row in cells]) else min(size, max(shown.least, len(shown.title)))
        for at, (size, shown) in enumerate(zip(natural, answer.fields, strict=True))
    ]
    kept = list(range(len(answer.fields)))
    while width and len(kept) > 1 and sum(least[at] for at in kept) + 2 * len(kept) > width:
        kept.remove(min(kept, key=lambda at: (answer.fields[at].weight, -at)))
    below = [at for at in range(len(answer.fields)) if at not in kept]
    bearer = max((at for at in kept if not answer.fields[at].is_number), key=lambda at: natural[at], default=kept[0])
    if below:  # what stands there takes the room that the others leave
        natural[bearer] = max(natural[bearer], *(len(_told_below(answer, row, at)) for row in cells for at in below))
    room = (width or sum(natural) + 2 * len(kept)) - 2 * len(kept) + 1
    widths = _shared_out(room, [least[at] for at in kept], [natural[at] for at in kept])
    leading = 1 if below or _has_lines(answer) else 0
    table = Table(
        box=box.SIMPLE_HEAD, pad_edge=False, padding=(0, 1, 0, 0), show_edge=False, header_style="bold", leading=leading
    )
    for at, size in zip(kept, widths, strict=True):
        shown = answer.fields[at]
        table.add_column(shown.title, justify="right" if shown.is_number else "left", width=size, overflow="fold")
    for row, texts in zip(answer.rows, cells, strict=True):
        styled = []
        for at in kept:
            style = answer.fields[at].style
            cell = Text(texts[at], style=_coloured(style(row.get(answer.fields[at].key)), colours) if style else "")
            for one in below if at == bearer else ():
                if texts[one]:
                    cell.append(f"\n{_told_below(answer, texts, one)}", style="none")
            styled.append(cell)
        table.add_row(*styled)
    yield table


def _told_below(answer: Answer, texts: Sequence[str], at: int) -> str:
    """A cell of a row as it stands below the others."""
    told = texts[at].replace("\n", "; ")
    return f"{answer.fields[at].title}: {told}"


def _is_never_broken(shown: Field, texts: Sequence[str]) -> bool:
    """Whether a column holds numbers, times or short names alone, which nobody can read in two pieces."""
    if shown.is_number or all(_NEVER_BROKEN.fullmatch(text) for text in texts if text):
        return True
    return all(len(line) <= _LONGEST_NAME and " " not in line for text in texts for line in text.split("\n"))
