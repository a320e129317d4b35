"""The same table comes out of every format, and what cannot be read costs its own line and no other."""

import csv
import json
import unittest

import openpyxl
import pyarrow as pa
import pyarrow.parquet as pq
from hypothesis import given
from hypothesis import strategies as st

from kathodos.errors import DataError
from kathodos.formats.csv import read_csv
from kathodos.formats.json_file import read_json
from kathodos.formats.json_lines import read_json_lines
from kathodos.formats.parquet import read_parquet
from kathodos.formats.raw import Format
from kathodos.formats.syslog import read_syslog
from kathodos.formats.xlsx import read_xlsx
from tests.support import Scratch, searching

ANY = st.characters(exclude_categories=("Cs", "Cc"), exclude_characters="\ufeff\ufffd\ufffe\uffff")
CELL = st.text(ANY, max_size=6)
CELLS = st.lists(st.tuples(CELL, CELL, CELL), max_size=6)
HEADER = ("id", "a name", "Größe")


def cells_of(raw):
    """The rows as read: headers to cells, what is blank left out."""
    columns = [column.listed() for column in raw.columns]
    return [
        {name: cell for name, cell in zip(raw.header, row, strict=True) if cell is not None}
        for row in zip(*columns, strict=True)
    ]


def meant(rows):
    """What a reader owes: cells without blanks at their ends, rows in which something stands."""
    found = [{name: cell.strip() for name, cell in zip(HEADER, row, strict=True) if cell.strip()} for row in rows]
    return [row for row in found if row]


class Formats(Scratch, unittest.TestCase):
    @given(CELLS)
    @searching(100)
    def test_the_same_table_comes_out_of_every_format(self, rows):
        for suffix, write, read in (
            ("csv", self.write_csv, read_csv),
            ("jsonl", self.write_json_lines, read_json_lines),
            ("json", self.write_json, read_json),
            ("xlsx", self.write_xlsx, read_xlsx),
            ("parquet", self.write_parquet, read_parquet),
        ):
            file = self.folder / f"table.{suffix}"
            write(file, rows)
            raw = read(file, Format())
            self.assertEqual(cells_of(raw), meant(rows), suffix)
            self.assertEqual(raw.problems, [], suffix)

    def write_csv(self, file, rows):
        with file.open("w", encoding="utf-8", newline="") as out:
            csv.writer(out).writerows([HEADER, *rows])

    def write_json_lines(self, file, rows):
        lines = (json.dumps(dict(zip(HEADER, row, strict=True))) for row in rows)
        file.write_text("".join(f"{line}\n" for line in lines), encoding="utf-8")

    def write_json(self, file, rows):
        file.write_text(json.dumps({"rows": [dict(zip(HEADER, row, strict=True)) for row in rows], "n": 1}))

    def write_xlsx(self, file, rows):
        book = openpyxl.Workbook()
        for row in (HEADER, *rows):
            book.active.append([*row])
            for cell in book.active[book.active.max_row]:
                cell.data_type = "s"  # a text, also where it looks like a formula
        book.save(file)

    def write_parquet(self, file, rows):
        columns = {name: [row[at] for row in rows] for at, name in enumerate(HEADER)}
        pq.write_table(pa.table({name: pa.array(cells, pa.string()) for name, cells in columns.items()}), file)

    def test_a_broken_line_costs_itself(self):
        file = self.folder / "lines.jsonl"
        file.write_bytes(b'{"id": "1"}\n{"id": \n["id"]\n{"id": "2", "id": "3"}\n\xff\n{"id": "4", "more": {"x": 5}}\n')
        raw = read_json_lines(file, Format())
        self.assertEqual(cells_of(raw), [{"id": "1"}, {"id": "4", "more.x": "5"}])
        self.assertEqual([problem.line for problem in raw.problems], [2, 3, 4, 5])
        self.assertEqual(raw.lines.tolist(), [1, 6])

    def test_of_a_json_file_each_object_costs_itself_and_what_holds_no_list_is_refused(self):
        file = self.folder / "people.json"
        file.write_text(
            '{"of": "HR", "people": [{"id": "1"}, 5, {"id": "4", "more": {"x": 5}}], "gone": [{"id": "9"}]}'
        )
        raw = read_json(file, Format(sheet="people"))
        self.assertEqual(cells_of(raw), [{"id": "1"}, {"id": "4", "more.x": "5"}])
        self.assertEqual(([it.line for it in raw.problems], raw.lines.tolist()), ([2], [1, 3]))
        for text, told in (
            (file.read_text(), "holds no list of objects"),
            ('{"id": 1}', "holds no list of objects"),
            ("[{]", "is no JSON"),
            ('[{"a": 1, "a": 2}]', "is no JSON"),
            ("[" * 100_000, "is no JSON"),
            ('[{"a": NaN}]', "is no JSON"),
        ):
            file.write_text(text)
            with self.assertRaisesRegex(DataError, told, msg=text[:20]):
                read_json(file, Format())

    def test_syslog_gives_header_and_structured_data(self):
        file = self.folder / "access.log"
        file.write_text(
            '<134>1 2026-05-01T08:00:00Z gate app - in [a@1 user="p1" door="n\\"1"][b@1 x="y"] went in\n'
            "<134>1 2026-05-01T08:01:00Z gate app - - - \n"
            "not a message\n",
            encoding="utf-8",
        )
        raw = read_syslog(file, Format())
        first, second = cells_of(raw)
        self.assertEqual(
            first,
            {
                "time": "2026-05-01T08:00:00Z",
                "host": "gate",
                "app": "app",
                "message_id": "in",
                "message": "went in",
                "a@1.user": "p1",
                "a@1.door": 'n"1',
                "b@1.x": "y",
            },
        )
        self.assertEqual(second, {"time": "2026-05-01T08:01:00Z", "host": "gate", "app": "app"})
        self.assertEqual([(problem.line, problem.outcome) for problem in raw.problems], [(3, "set aside")])


if __name__ == "__main__":
    unittest.main()
