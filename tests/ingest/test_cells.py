"""What stands in a cell is read the same from every kind of file, and what cannot be is told with its line."""

import io
import json
import unittest
import zipfile
from datetime import UTC, date, datetime, time, timedelta
from unittest import mock

from hypothesis import given
from hypothesis import strategies as st

from kathodos.connectors.mapping import Mapped
from kathodos.errors import DataError
from kathodos.formats import xlsx
from kathodos.formats.raw import Format
from tests.connectors.test_tables import cells_of, read
from tests.support import searching

TEXTS = st.text(st.characters(exclude_categories=("Cs", "Cc", "Zs", "Zl", "Zp", "Cf")), min_size=1, max_size=12)


def workbook(*rows, title="people"):
    """A workbook with one sheet of these rows, as bytes."""
    import openpyxl

    book = openpyxl.Workbook()
    book.active.title = title
    for row in rows:
        book.active.append(row)
    content = io.BytesIO()
    book.save(content)
    return content.getvalue()


def parquet(**columns):
    """A Parquet file of these columns, as bytes."""
    import pyarrow as pa
    import pyarrow.parquet as pq

    content = io.BytesIO()
    pq.write_table(pa.table(columns), content)
    return content.getvalue()


def lines(*rows):
    return "".join(json.dumps(row) + "\n" for row in rows)


def column(table, name="floor"):
    return cells_of(table)[name]


class Workbooks(unittest.TestCase):
    def test_every_type_of_cell_becomes_the_text_a_table_would_hold(self):
        values = [True, False, 7, 7.0, 7.5, "x", None, date(2026, 3, 1), datetime(2026, 3, 1), time(8, 30)]
        values += [datetime(2026, 3, 1, 8, 30), timedelta(hours=30)]
        expected = ["true", "false", "7", "7", "7.5", "x", None, "2026-03-01", "2026-03-01", "08:30:00"]
        expected += ["2026-03-01T08:30:00Z"]
        content = workbook(["id", "floor"], *([f"p{at}", value] for at, value in enumerate(values)))
        table, problems = read(content, suffix=".xlsx")
        self.assertEqual(problems, [])
        self.assertEqual(column(table)[: len(expected)], expected)
        self.assertIn(column(table)[-1], ("1 day, 6:00:00", "30:00:00", "1900-01-01T06:00:00Z"))

    def test_a_header_further_down_and_rows_that_are_short(self):
        content = workbook(["made today"], [], ["id", "name", "floor", None], ["p1"], ["p2", "Bo", 3])
        table, problems = read(content, mapped=Mapped(format=Format(header=3)), suffix=".xlsx")
        self.assertEqual((column(table, "id"), column(table), problems), (["p1", "p2"], [None, "3"], []))
        self.assertEqual(table.lines.tolist(), [4, 5])

    def test_without_a_header_there_is_no_table(self):
        for content in (workbook(), workbook([None, ""])):
            with self.assertRaisesRegex(DataError, "sheet people: there is no header"):
                read(content, suffix=".xlsx")

    def test_one_that_would_fill_the_memory_is_not_opened(self):
        content = workbook(["id"], ["p1"])
        with mock.patch.object(xlsx, "_LARGEST", 100), self.assertRaisesRegex(DataError, "unpacks to 0 MiB"):
            read(content, suffix=".xlsx")

    def test_a_zip_of_something_else_is_told(self):
        content = io.BytesIO()
        with zipfile.ZipFile(content, "w") as packed:
            packed.writestr("../../evil.txt", "x")
        with self.assertRaisesRegex(DataError, "no workbook that can be read"):
            read(content.getvalue(), suffix=".xlsx")


class ColumnFiles(unittest.TestCase):
    def test_every_type_of_column_becomes_text(self):
        import pyarrow as pa

        moment = datetime(2026, 3, 1, 8, 30)
        for values, expected in (
            (pa.array([True, None]), ["true", None]),
            (pa.array([7, 8], pa.int8()), ["7", "8"]),
            (pa.array([7.0, 7.5]), ["7", "7.5"]),
            (pa.array([date(2026, 3, 1), None]), ["2026-03-01", None]),
            (pa.array([moment, None], pa.timestamp("us")), ["2026-03-01T08:30:00Z", None]),
            (pa.array([moment.replace(tzinfo=UTC)] * 2, pa.timestamp("us", "UTC")), ["2026-03-01T08:30:00Z"] * 2),
            (pa.array([b"raw", b"\xff"]), ["raw", "\ufffd"]),
            (pa.array([["a", "b"], []]), ["a;b", None]),
            (pa.array([[1, None, 2], None]), ["1;2", None]),
            (pa.array(["x", "x"]).dictionary_encode(), ["x", "x"]),
            (pa.array(["x", None], pa.large_string()), ["x", None]),
        ):
            table, problems = read(parquet(id=["p1", "p2"], floor=values), suffix=".parquet")
            self.assertEqual((column(table), problems), (expected, []), values.type)

    def test_a_file_that_is_none(self):
        for content in (b"", b"PAR1", b"id,name\np1,Ann\n"):
            with self.assertRaises(DataError) as told:
                read(content, suffix=".parquet")
            self.assertIn("identities.parquet", str(told.exception))


class Objects(unittest.TestCase):
    def test_what_a_value_becomes(self):
        for value, expected in (
            (True, "true"),
            (7.0, "7"),
            (7.25, "7.25"),
            (["a", "b"], "a;b"),
            (["a", None, 3], "a;3"),
            ([], None),
            ([{"k": 1}], '[{"k":1}]'),
            ("", None),
            (None, None),
        ):
            table, problems = read(lines({"id": "p1", "name": "n", "floor": value}), suffix=".jsonl")
            found = cells_of(table).get("floor", [None])
            self.assertEqual((found, problems), ([expected], []), value)

    def test_what_lies_within_is_named_with_a_dot(self):
        table, _ = read(lines({"id": "p1", "desk": {"floor": 3, "at": {"window": True}}}), suffix=".jsonl")
        self.assertEqual((column(table, "desk.floor"), column(table, "desk.at.window")), (["3"], ["true"]))

    def test_lines_that_cannot_be_read_cost_themselves_only(self):
        deep = '{"a":' * 200 + "1" + "}" * 200
        for bad, told in (
            ("[1]", "is no object"),
            ('"text"', "is no object"),
            ('{"id": "p9"', "is no JSON"),
            ('{"id": "p9"} trailing', "is no JSON"),
            ('{"id": "p9", "id": "p8"}', "names a key twice"),
            ('{"id": "p9", "floor": NaN}', "NaN, which is no number"),
            ('{"id": "p9", "floor": -Infinity}', "-Infinity, which is no number"),
            (f'{{"id": "p9", "floor": {"9" * 5000}}}', "is no JSON"),
            ('{"id": "p9", "name": "\\u0000"}', "holds a NUL or half a character"),
            ('{"id": "p9", "name": "\\ud800"}', "holds a NUL or half a character"),
            (deep, "is nested too deeply"),
            ("[" * 100_000, "is nested too deeply"),
        ):
            table, problems = read(f'{{"id": "p1"}}\n{bad}\n{{"id": "p2"}}\n', suffix=".jsonl")
            self.assertEqual(column(table, "id"), ["p1", "p2"], bad[:40])
            ((line, reason),) = ((it.line, it.reason) for it in problems)
            self.assertEqual(line, 2)
            self.assertIn(told, reason, bad[:40])
            self.assertTrue(problems[0].remedy)

    def test_a_line_that_is_no_utf8(self):
        table, problems = read(b'{"id": "p1"}\n{"id": "\xff"}\n\xef\xbb\xbf{"id": "p2"}\n', suffix=".jsonl")
        self.assertEqual((column(table, "id"), [it.line for it in problems]), (["p1", "p2"], [2]))
        self.assertIn("is not UTF-8", problems[0].reason)


class Alike(unittest.TestCase):
    @given(st.lists(st.tuples(TEXTS, st.none() | TEXTS), min_size=1, max_size=6, unique_by=lambda row: row[0].strip()))
    @searching(40)
    def test_the_same_texts_come_out_of_every_kind_of_file(self, rows):
        import csv

        text = io.StringIO()
        csv.writer(text).writerows([["id", "name", "last"], *([one, other, "."] for one, other in rows)])
        ids, names = (list(it) for it in zip(*rows, strict=True))
        last = ["."] * len(rows)
        objects = [dict(zip(("id", "name", "last"), (one, other, "."), strict=True)) for one, other in rows]
        files = {
            ".csv": text.getvalue().encode(),
            ".jsonl": lines(*objects).encode(),
            ".parquet": parquet(id=ids, name=names, last=last),
        }
        found = {}
        for suffix, content in files.items():
            table, problems = read(content, suffix=suffix)
            cells = {name: held for name, held in cells_of(table).items() if any(held)}
            found[suffix] = (cells, [(it.column, it.reason, it.value) for it in problems])
        self.assertEqual(found[".csv"], found[".jsonl"])
        self.assertEqual(found[".csv"], found[".parquet"])
        self.assertEqual(found[".csv"][0]["id"], [it.strip() for it in ids])


if __name__ == "__main__":
    unittest.main()
