"""Files as they come: what can be read is read, what cannot is set aside with line, reason and remedy."""

import csv
import io
import tempfile
import unittest
from pathlib import Path

from hypothesis import given
from hypothesis import strategies as st

from kathodos.catalogue.kinds import GRANTS, IDENTITIES, RESOURCES
from kathodos.catalogue.references import Names
from kathodos.errors import DataError
from kathodos.systems.checking import check_table
from kathodos.systems.tables import Mapped, read_raw, table_of


def read(content, kind=IDENTITIES, mapped=None, suffix=".csv"):
    """A file of this content as a table, and its problems."""
    mapped = mapped or Mapped()
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / f"{kind.name}{suffix}"
        file.write_bytes(content if isinstance(content, bytes) else content.encode())
        return table_of(kind, file.name, read_raw(file, mapped.format), mapped)


def cells_of(table):
    return {name: column.listed() for name, column in table.columns.items()}


def wrong(problems):
    return [(problem.line, problem.column, problem.reason, problem.outcome) for problem in problems]


class Reading(unittest.TestCase):
    def test_a_quote_left_open_costs_one_line_and_not_the_rest(self):
        table, problems = read('id,name\np1,Ann\np2,"open\np3,Cy\np4,"two\nlines"\np5,Di\n')
        self.assertEqual(cells_of(table)["id"], ["p1", "p3", "p4", "p5"])
        self.assertEqual(table.lines.tolist(), [2, 4, 5, 7])
        self.assertEqual([problem.line for problem in problems], [3])
        self.assertIn("quote", problems[0].reason)

    def test_ragged_rows_nuls_and_broken_encodings_are_set_aside(self):
        table, problems = read(b"id,name\np1\np2,Bo,more\np3,C\0y\np4,D\xff\np5,\xc3\x98\n,\n\np6,Fay,\n")
        self.assertEqual(cells_of(table), {"id": ["p5", "p6"], "name": ["Ø", "Fay"]})
        self.assertEqual([problem.line for problem in problems], [2, 3, 4, 5])
        self.assertTrue(all(problem.remedy for problem in problems))

    def test_headers_bom_blanks_and_mapped_names_are_ours(self):
        mapped = Mapped(columns={"pers. no": "id"}, values={"status": {"employed": "active"}})
        table, problems = read("\ufeffPers. No , STATUS,Site\n p1 ,employed,\n", mapped=mapped)
        self.assertEqual(cells_of(table), {"id": ["p1"], "status": ["active"], "Site": [None]})
        self.assertEqual(problems, [])

    def test_a_file_that_is_no_table_is_refused_whole(self):
        for content, reason in (
            (b"", "empty"),
            (b"name\nAnn\n", "column id is missing"),
            (b"id,id\n1,2\n", "there twice"),
        ):
            with self.assertRaisesRegex(DataError, reason):
                read(content)

    def test_columns_that_nobody_knows_are_noted_where_they_do_not_become_attributes(self):
        _, problems = read("grant,holder,gives,colour\n", GRANTS)
        self.assertEqual(wrong(problems), [(1, "colour", "unknown column; it is not used", "noted")])

    @given(st.lists(st.lists(st.text(st.characters(codec="utf-8"), max_size=6), min_size=2, max_size=2), max_size=8))
    def test_whatever_csv_can_write_is_read_back_with_the_right_lines(self, rows):
        text = io.StringIO(newline="")
        writer = csv.writer(text)
        writer.writerows([["id", "name"], *rows])
        table, problems = read(text.getvalue())
        kept = [
            [cell.strip() or None for cell in row]
            for row in rows
            if any(cell.strip() for cell in row) and "\0" not in "".join(row)
        ]
        self.assertEqual([list(row) for row in zip(*cells_of(table).values(), strict=True)], kept)
        self.assertEqual(len(problems), sum("\0" in "".join(row) for row in rows))


class Checking(unittest.TestCase):
    def checked(self, content, kind=IDENTITIES):
        names = Names()
        names.add(kind if kind is IDENTITIES else IDENTITIES, [("ann",), ("a/b",)])
        names.of["systems"] |= {"dues"}
        names.of["actions"] |= {"dues/view", "dues/edit"}
        names.add_addresses(["dues:/a/b"])
        table, _ = read(content, kind)
        return check_table(table, names)

    def test_bad_cells_name_column_reason_and_remedy(self):
        result = self.checked(
            "id,status,starts,ends,manager\n"
            "p1,dead,,,\np2,,2026-02-30,,\np4,,,,zoe\np5,,2026-05-01,2026-04-01,\np1,,,,\np6,,,,\np6,,,,\n"
        )
        self.assertEqual(set(result.rows()), {("p4",), ("p5",), ("p1",), ("p6",)})
        self.assertEqual(
            wrong(result.problems),
            [
                (2, "status", "is none of invited, active, suspended, left", "set aside"),
                (3, "starts", "is no date or time that exists", "set aside"),
                (4, "manager", "there is no identity zoe", "noted"),
                (5, "ends", "ends before it begins (2026-05-01), so it is never in force", "noted"),
                (8, "id", "the same as line 7", "set aside"),
            ],
        )

    def test_grants_that_point_at_nothing_are_set_aside_with_the_nearest_name(self):
        result = self.checked(
            "holder,gives,on\nidentity:anne,view dues:/a,\nann,view dues:/a,\nann,role:boss,\nann,view duse:/a,\n"
            "ann,fly dues:/a,\nann,view dues:/a,dues:/a**b\n",
            GRANTS,
        )
        self.assertEqual(len(result), 2)
        reasons = [(problem.line, problem.reason, problem.remedy) for problem in result.problems]
        self.assertEqual(reasons[0], (2, "there is no identity or account or group identity:anne", "Nearest: ann."))
        self.assertIn("there is no role role:boss", reasons[1][1])
        self.assertEqual(reasons[2][1:], ("there is no system duse", "Nearest: dues."))
        self.assertIn("declares no action fly", reasons[3][1])

    def test_an_address_at_which_there_is_nothing_is_noted_once(self):
        rows = [
            "ann,view dues:/a,dues:/z",
            "ann,view dues:/y,dues:/z",
            "ann,view dues:/q/*,dues:/a",
            "ann,view dues:/,",
        ]
        result = self.checked("holder,gives,on\n" + "\n".join(rows) + "\n", GRANTS)
        self.assertEqual(len(result), 4)
        self.assertEqual(
            [(problem.line, problem.column, problem.value, problem.outcome) for problem in result.problems],
            [(2, "on", "dues:/z", "noted"), (3, "gives", "dues:/y", "noted")],
        )

    def test_a_grant_without_an_id_gets_one_from_its_content(self):
        first = self.checked("holder,gives,reason\nann,view dues:/a,x\n", GRANTS).rows()
        second = self.checked("gives,holder,reason\nview dues:/a,identity:ann,y\n", GRANTS).rows()
        self.assertEqual(first.keys(), second.keys())
        self.assertRegex(next(iter(first))[0], r"^g-[a-z2-7]{12}$")

    def test_addresses_and_their_fields(self):
        result = self.checked(
            "resource,sensitivity,detached\ndues:/a%2fb,3,yes\ndues:/x/*,,\n/y,,\ndues:/z,7,\ndues:/w,1,perhaps\n",
            RESOURCES,
        )
        self.assertEqual(set(result.rows()), {("dues:/a%2Fb",)})
        self.assertEqual([problem.line for problem in result.problems], [3, 4, 5, 6])


if __name__ == "__main__":
    unittest.main()
