"""The result of a review as files, the same bytes whenever they are made: a page, a workbook, a table and a PDF."""

from __future__ import annotations

import csv
import hashlib
import io
import zipfile
from collections.abc import Iterator, Sequence
from datetime import datetime
from pathlib import Path
from typing import Any

from kathodos.model.printing import printable
from kathodos.model.words import plural
from kathodos.output.text import csv_cell
from kathodos.output.worklists import page_template
from kathodos.report.answers import plain
from kathodos.report.review_overview import Overview
from kathodos.report.review_results import COLUMNS, Result

PROOF, TABLE = "proof.json", "lines.csv"
_DECIDED = ("line", "decision", "by", "when", "why", "reviewer")  # what every version shows alike
_MOST_TOLD = 20
_WIDTHS = (7, 28, 40, 40, 60, 22, 14, 12, 16, 30, 14)
_TOLD = (
    "Beside this file lies proof.json: the digests of all files of the report, the entries of the ledger about this "
    "review, and their paths to a signed head. `kathodos review report NAME --check FOLDER` looks whether all holds."
)
_EPOCH = (1980, 1, 1, 0, 0, 0)  # the time of every part of a workbook, so that the same content is the same file


def write_result(folder: Path, result: Result) -> dict[str, str]:
    """Writes the files of a result; gives the SHA-256 digest of each, in hex."""
    with (folder / TABLE).open("w", encoding="utf-8", errors="backslashreplace", newline="") as out:
        _write_table(out, result)
    rows = [_shown(row) for row in result.rows()]
    (folder / "report.html").write_bytes(_page(result, rows))
    (folder / "report.xlsx").write_bytes(_workbook(result, rows))
    (folder / "report.pdf").write_bytes(_document(result, rows))
    return digests_in(folder)


def differing_lines(one: Path, other: Path) -> list[str]:
    """The lines of which the tables of two reports say something else of who decided what, in words."""
    tables = []
    for folder in (one, other):
        with (folder / TABLE).open(encoding="utf-8", errors="replace", newline="") as table:
            tables.append([{name: row.get(name) for name in _DECIDED} for row in csv.DictReader(table)])
    if len(tables[0]) != len(tables[1]):
        return [f"{TABLE} has {plural(len(tables[0]), 'line')}, and the review {len(tables[1])}"]
    pairs = enumerate(zip(*tables, strict=True), 1)
    differing = [number for number, (said, decided) in pairs if said != decided]
    return [f"line {number} of {TABLE} is not what was decided" for number in differing[:_MOST_TOLD]]


def digests_in(folder: Path) -> dict[str, str]:
    """The digest of each file in a folder, but for the proof."""
    found = {}
    for file in sorted(folder.iterdir()):
        if file.name != PROOF and file.is_file():
            with file.open("rb") as content:
                found[file.name] = hashlib.file_digest(content, "sha256").hexdigest()
    return found


def _shown(row: dict[str, Any]) -> dict[str, Any]:
    return {
        name: [printable(it) for it in value] if isinstance(value, list) else printable(str(value))
        for name, value in row.items()
    }


def _write_table(out: Any, result: Result) -> None:
    """All lines, however many."""
    import numpy as np

    writer = csv.writer(out, lineterminator="\n")
    writer.writerow([name.replace(" ", "_") for name in COLUMNS])
    for row in result.rows(np.arange(len(result.lines))):
        writer.writerow([csv_cell(plain(row[name])) for name in COLUMNS])


def _beyond(result: Result) -> str:
    if result.is_whole:
        return ""
    shown, lines = f"{len(result.shown):,}", f"{len(result.lines):,}"
    return f"Of {lines} lines the {shown} first that were not certified stand here; lines.csv holds all."


def _counts(part: Overview) -> list[list[str]]:
    columns = (part.lines, part.certified, part.reduced, part.revoked)
    return [[printable(part.names[at]), *(str(int(it[at])) for it in columns)] for at in part.order]


def _page(result: Result, rows: Sequence[dict[str, Any]]) -> bytes:
    content = {
        "name": printable(result.name),
        "facts": [(label, printable(text)) for label, text in result.facts],
        "signs": [printable(it) for it in result.signs],
        "parts": [(by.capitalize(), _counts(part)) for by, part in result.parts],
        "beyond": _beyond(result),
        "rows": rows,
        "proof": _TOLD,
    }
    text: str = page_template("result.html").render(content)
    return text.encode("utf-8", "backslashreplace")


def _workbook(result: Result, rows: Sequence[dict[str, Any]]) -> bytes:
    import openpyxl
    from openpyxl.styles import Font

    book = openpyxl.Workbook(write_only=True)
    made = datetime.fromisoformat(str(result.lines.review.signed_at)).replace(tzinfo=None)
    book.properties.created = book.properties.modified = made
    first = book.create_sheet("Result")
    first.column_dimensions["A"].width, first.column_dimensions["B"].width = 28, 80
    for label, text in [*result.facts, *(("Said before the signature", it) for it in result.signs)]:
        first.append([_cell(first, label), _cell(first, text)])
    if not result.is_whole:
        first.append([_cell(first, "Lines"), _cell(first, _beyond(result))])
    for by, part in result.parts:
        sheet = book.create_sheet(f"By {by}")
        sheet.column_dimensions["A"].width = 40
        sheet.append([_cell(sheet, it, Font(bold=True)) for it in (by, "lines", "certified", "reduced", "revoked")])
        for row in _counts(part):
            sheet.append([_cell(sheet, row[0]), *map(int, row[1:])])
    lines = book.create_sheet("Lines")
    lines.freeze_panes = "B2"
    for at, width in enumerate(_WIDTHS):
        lines.column_dimensions[chr(ord("A") + at)].width = width
    lines.append([_cell(lines, name, Font(bold=True)) for name in COLUMNS])
    for line in rows:
        number, *rest = (line[name] for name in COLUMNS)
        cells = [_cell(lines, "\n".join(it) if isinstance(it, list) else it) for it in rest]
        lines.append([int(number), *cells])
    out = io.BytesIO()
    book.save(out)
    return _timeless(out.getvalue(), made)


def _cell(sheet: Any, text: str, font: Any = None) -> Any:
    """A text that stays one, whatever it begins with."""
    from openpyxl.cell import WriteOnlyCell

    cell = WriteOnlyCell(
        sheet, value=printable(text) if "\n" not in text else "\n".join(map(printable, text.split("\n")))
    )
    cell.data_type = "s"
    if font is not None:
        cell.font = font
    return cell


def _timeless(content: bytes, made: datetime) -> bytes:
    """A workbook with the time of its making taken out: of each part, and of its properties."""
    import re

    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(content)) as packed, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as new:
        for part in packed.infolist():
            held = packed.read(part)
            if part.filename == "docProps/core.xml":
                when = f"{made:%Y-%m-%dT%H:%M:%SZ}".encode()
                held = re.sub(rb"(<dcterms:modified[^>]*>)[^<]*", rb"\g<1>" + when, held)
            info = zipfile.ZipInfo(part.filename, _EPOCH)
            info.compress_type = zipfile.ZIP_DEFLATED
            new.writestr(info, held)
    return out.getvalue()


def _document(result: Result, rows: Sequence[dict[str, Any]]) -> bytes:
    """The report on paper: A4, lying, each page numbered."""
    from reportlab.lib.pagesizes import A4, landscape
    from reportlab.lib.units import mm
    from reportlab.platypus import LongTable, Paragraph, SimpleDocTemplate, Spacer

    plain_style, bold, head, title = _styles()
    out = io.BytesIO()
    named = f"{printable(result.name)}: result of the review"
    document = SimpleDocTemplate(
        *(out,), pagesize=landscape(A4), title=named, author="Kathodos", invariant=1, leftMargin=15 * mm,
        rightMargin=15 * mm, topMargin=14 * mm, bottomMargin=14 * mm,
    )  # fmt: skip

    def text(what: str, style: Any = plain_style) -> Any:
        return Paragraph(_escaped(what), style)

    story: list[Any] = [text(named, title)]
    story += [text(f"{label}: {printable(it)}") for label, it in result.facts]
    story += [text(f"Said before the signature: {printable(it)}") for it in result.signs]
    for by, part in result.parts:
        table = [[text(it, bold) for it in (by.capitalize(), "Lines", "Certified", "Reduced", "Revoked")]]
        table += [[text(it) for it in row] for row in _counts(part)]
        widths = [90 * mm, *[25 * mm] * 4]
        story += [Spacer(1, 5 * mm), LongTable(table, colWidths=widths, repeatRows=1, style=_lined(), hAlign="LEFT")]
    story += [Spacer(1, 6 * mm), text("Lines", head)]
    story += [text(_beyond(result))] if not result.is_whole else []
    table = [[text(it, bold) for it in ("Line", "Whose", "What, and what was known", "Decision", "By")]]
    table += [[text(it) for it in row] for row in _document_rows(rows)]
    widths = [13 * mm, 45 * mm, 120 * mm, 50 * mm, 39 * mm]
    story += [LongTable(table, colWidths=widths, repeatRows=1, style=_lined()), Spacer(1, 5 * mm), text(_TOLD)]

    def numbered(canvas: Any, page: Any) -> None:
        canvas.setFont(_FONT, 8)
        canvas.drawRightString(landscape(A4)[0] - 15 * mm, 8 * mm, f"{printable(result.name)}, page {page.page}")

    document.build(story, onFirstPage=numbered, onLaterPages=numbered)
    return out.getvalue()


def _document_rows(rows: Sequence[dict[str, Any]]) -> Iterator[list[str]]:
    for row in rows:
        known = "\n".join(filter(None, [row["what"], row["stands out"], "; ".join(row["evidence"])]))
        by = f"{row['by']}" + (f" ({row['as']})" if row["as"] not in ("", "reviewer") else "")
        yield [
            row["line"],
            row["whose"],
            known,
            "\n".join(filter(None, [row["decision"], row["why"]])),
            f"{by}\n{row['when']}",
        ]


_FONT, _BOLD = "DejaVuSans", "DejaVuSans-Bold"


def _styles() -> tuple[Any, Any, Any, Any]:
    """The styles of plain text, of the head of a table, of a heading and of the title, in fonts that come with us."""
    import matplotlib
    from reportlab.lib.styles import ParagraphStyle
    from reportlab.pdfbase import pdfmetrics
    from reportlab.pdfbase.ttfonts import TTFont

    folder = Path(matplotlib.get_data_path()) / "fonts" / "ttf"
    for name in (_FONT, _BOLD):
        pdfmetrics.registerFont(TTFont(name, str(folder / f"{name}.ttf")))
    text = ParagraphStyle("text", fontName=_FONT, fontSize=8, leading=10.5, splitLongWords=1)
    bold = ParagraphStyle("bold", parent=text, fontName=_BOLD)
    head = ParagraphStyle("head", parent=bold, fontSize=11, leading=15)
    return text, bold, head, ParagraphStyle("title", parent=head, fontSize=14, leading=20)


def _lined() -> Any:
    from reportlab.lib import colors
    from reportlab.platypus import TableStyle

    return TableStyle(
        [
            ("VALIGN", (0, 0), (-1, -1), "TOP"),
            ("LINEBELOW", (0, 0), (-1, -1), 0.4, colors.grey),
            ("LEFTPADDING", (0, 0), (-1, -1), 2),
            ("RIGHTPADDING", (0, 0), (-1, -1), 4),
        ]
    )


def _escaped(text: str) -> str:
    """Text in which nothing is markup; a new line stays one."""
    from xml.sax.saxutils import escape

    return escape(text).replace("\n", "<br/>")
