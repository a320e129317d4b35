"""Tables fit every window from 60 to 200 columns; data is the same whatever the names hold."""

import csv
import io
import json
import os
import unittest
from unittest import mock

from hypothesis import given
from hypothesis import strategies as st

from kathodos.model.printing import printable, restored
from kathodos.output.answers import COLOURS, show, show_products
from kathodos.output.text import csv_cell, json_safe
from kathodos.report.answers import Answer, Branch, Field, Lines
from tests.support import searching

TEXT = st.text(max_size=30)
FIELDS = [
    Field("name", "Name", 9),
    Field("count", "Count", 8, is_number=True),
    Field("reason", "Reason of it", 3, least=20),
    Field("note", "Note", 1, least=24),
]
ROWS = st.lists(
    st.fixed_dictionaries({"name": TEXT, "count": st.integers(0, 10**6), "reason": TEXT, "note": TEXT}), max_size=6
)


def named(key):
    """Rows with one key."""
    return st.lists(st.fixed_dictionaries({key: TEXT}), max_size=3)


def shown(answer, form="table", columns=""):
    out = io.StringIO()
    with mock.patch.dict(os.environ, {"COLUMNS": columns}):
        show(answer, form, out)
    return out.getvalue()


class Tables(unittest.TestCase):
    @given(ROWS, st.integers(60, 200), st.booleans())
    @searching(80)
    def test_no_line_is_wider_than_the_window(self, rows, columns, has_lines):
        from rich.cells import cell_len

        if has_lines:
            rows = [{**row, "note": Lines([row["note"], row["reason"]])} for row in rows]
        trees = [Branch("a" * 90, [Branch("b " * 70)])]
        text = shown(Answer(FIELDS, rows, "A heading", ["text " * 30], trees, "Next: do this"), columns=str(columns))
        self.assertLessEqual(max(cell_len(line) for line in text.splitlines()), columns)
        self.assertEqual(text.splitlines()[-1].strip(), "Next: do this")

    def test_the_lightest_columns_stand_below_the_others_where_there_is_no_room(self):
        row = {"name": "n" * 40, "count": 1, "reason": "r " * 30, "note": "x " * 60}
        text = shown(Answer(FIELDS, [row] * 2), columns="60")
        self.assertEqual(text.count("Note: x x x"), 2)
        self.assertIn("Reason of it", text)
        self.assertNotIn("Note: ", shown(Answer(FIELDS, [row] * 2), columns="220"))

    def test_numbers_times_and_short_names_are_never_broken(self):
        row = {"name": "identity:p0412", "count": 1234567, "reason": "2026-06-15T09:00:00Z", "note": "n " * 60}
        text = shown(Answer(FIELDS, [row]), columns="40")
        for whole in ("identity:p0412", "1234567", "2026-06-15T09:00:00Z"):
            self.assertIn(whole, text)

    def test_colours_can_be_read_on_white_and_on_black(self):
        from rich.color import Color, ColorSystem

        for system, name, colour in ((it, *pair) for it, some in COLOURS.items() for pair in some.items()):
            if not colour.startswith("#"):
                self.assertEqual(system, "standard", "a palette of sixteen is everybody's own")
                continue
            if system == "256":
                whole = Color.parse(colour).get_truecolor()
                self.assertEqual(Color.parse(colour).downgrade(ColorSystem.EIGHT_BIT).get_truecolor(), whole)
            parts = [int(colour[at : at + 2], 16) / 255 for at in (1, 3, 5)]
            linear = [it / 12.92 if it <= 0.03928 else ((it + 0.055) / 1.055) ** 2.4 for it in parts]
            light = 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]
            self.assertGreaterEqual(1.05 / (light + 0.05), 4.5, name)
            self.assertGreaterEqual((light + 0.05) / 0.05, 4.5, name)

    def test_a_pipe_gets_plain_text_in_which_nothing_is_cut_or_wrapped(self):
        row = {"name": "n" * 300, "count": 1, "reason": "", "note": "=x"}
        lines = shown(Answer(FIELDS, [row], "Heading", hint="Next")).splitlines()
        self.assertEqual(len(lines), 4)
        self.assertIn("n" * 300, lines[2])

    def test_colour_is_for_terminals_that_want_it(self):
        class Terminal(io.StringIO):
            def isatty(self):
                return True

        answer = Answer(trees=[Branch("no", style="red")], heading="Heading")
        for variables, is_coloured in (({"NO_COLOR": ""}, True), ({"NO_COLOR": "1"}, False)):
            out = Terminal()
            with mock.patch.dict(os.environ, {"COLUMNS": "80", "TERM": "xterm-256color", **variables}):
                show(answer, "table", out)
            self.assertEqual("\x1b[38;5;" in out.getvalue(), is_coloured)


class Data(unittest.TestCase):
    @given(ROWS)
    def test_json_says_what_the_rows_say_and_holds_nothing_a_terminal_obeys(self, rows):
        answer = Answer(FIELDS, rows)
        self.assertEqual([json.loads(line) for line in shown(answer, "jsonl").splitlines()], rows)
        self.assertEqual(json.loads(shown(answer, "json")), rows)
        for form in ("jsonl", "json", "csv"):
            self.assertEqual(set(shown(answer, form)) & set("\x1b\x07\x9b\x00\u202e\u2028"), set())

    @given(ROWS)
    def test_csv_has_no_cell_that_a_spreadsheet_takes_for_a_formula(self, rows):
        found = list(csv.DictReader(io.StringIO(shown(Answer(FIELDS, rows), "csv"))))
        self.assertEqual(len(found), len(rows))
        for row, source in zip(found, rows, strict=True):
            self.assertEqual(row["count"], str(source["count"]))
            for key in ("name", "reason", "note"):
                self.assertNotIn(row[key][:1], ("=", "+", "-", "@"))
                self.assertEqual(row[key].removeprefix("'"), printable(source[key]).removeprefix("'"))

    @given(st.lists(st.tuples(named("a"), named("b")), max_size=3))
    def test_joined_rows_are_the_same_as_written_one_by_one(self, blocks):
        out = io.StringIO()
        show_products(blocks, out)
        expected = [{**first, **second} for firsts, seconds in blocks for first in firsts for second in seconds]
        self.assertEqual([json.loads(line) for line in out.getvalue().splitlines()], expected)

    def test_what_is_made_visible(self):
        self.assertEqual(printable("a\x1b[2Jb\nc\u202ed\ud800é漢"), "a\\x1b[2Jb\\x0ac\\u202ed\\ud800é漢")
        for text in (
            "a\\x1b",
            "a\x1b",
            "\\",
            "\\\x1b",
            "\\x5c",
            "CORP\\nadia",
            "\\x1",
            "\\u202e",
            "\\x1\x1b",
            "'=1",
            "=1",
            "''=1",
        ):
            self.assertEqual(restored(printable(text)), text)
        self.assertEqual(printable("CORP\\nadia"), "CORP\\nadia")
        self.assertEqual(json.loads(json_safe(json.dumps("\x9b\u2028", ensure_ascii=False))), "\x9b\u2028")
        self.assertEqual(
            [csv_cell(value) for value in (-3, "-3", None, True, ["a", "=b"])], ["-3", "'-3", "", "true", "a; =b"]
        )


if __name__ == "__main__":
    unittest.main()
