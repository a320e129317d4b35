"""Files as they come: what can be read is read, what cannot is set aside with line, reason and remedy."""

import csv
import io
import tempfile
import tomllib
import unittest
from datetime import date
from pathlib import Path
from unittest import mock

from hypothesis import example, given
from hypothesis import strategies as st

from kathodos.connectors import mapping as tables
from kathodos.connectors.mapping import Mapped, read_raw, table_of
from kathodos.connectors.settings import Settings
from kathodos.connectors.tables import mapped_of
from kathodos.errors import DataError
from kathodos.formats.raw import Format
from kathodos.ingest.checking import check_table
from kathodos.ingest.proposing.sources import proposed
from kathodos.ingest.proposing.writing import as_text
from kathodos.model.kinds import GRANTS, IDENTITIES, RESOURCES
from kathodos.model.references import Names


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

    @example([["\ufeff", ""]])
    @example([["", "\ufffd"]])
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


class OtherFormats(unittest.TestCase):
    PEOPLE = (("id", "name", "starts", "floor"), ("p1", "Ann", date(2026, 3, 1), 3.0), ("p2", None, None, None))

    def assert_read(self, table):
        expected = {"id": ["p1", "p2"], "name": ["Ann", None], "starts": ["2026-03-01", None], "floor": ["3", None]}
        self.assertEqual(cells_of(table), expected)

    def test_a_workbook_is_read_as_a_table_and_a_formula_as_what_it_gave(self):
        import openpyxl

        book = openpyxl.Workbook()
        book.active.title = "cover"
        sheet = book.create_sheet("people")
        for row in self.PEOPLE:
            sheet.append(row)
        content = io.BytesIO()
        book.save(content)
        table, problems = read(content.getvalue(), mapped=Mapped(format=Format(sheet="people")), suffix=".xlsx")
        self.assert_read(table)
        self.assertEqual(table.lines.tolist(), [2, 3])
        self.assertEqual(problems, [])
        sheet["A4"], sheet["F5"] = "=HYPERLINK(1)", "beyond"
        book.save(content := io.BytesIO())
        table, problems = read(content.getvalue(), mapped=Mapped(format=Format(sheet="people")), suffix=".xlsx")
        self.assertEqual(cells_of(table)["id"], ["p1", "p2"])  # nobody has computed the formula
        self.assertEqual([problem.line for problem in problems], [5])
        for broken, told in ((b"no zip", "no workbook"), (content.getvalue()[:900], "no workbook")):
            with self.assertRaisesRegex(DataError, told):
                read(broken, suffix=".xlsx")
        with self.assertRaisesRegex(DataError, "no sheet 'folk'"):
            read(content.getvalue(), mapped=Mapped(format=Format(sheet="folk")), suffix=".xlsx")

    def test_parquet_keeps_its_types_as_text(self):
        import pyarrow as pa
        import pyarrow.parquet as pq

        header, *rows = self.PEOPLE
        columns = dict(zip(header, zip(*rows, strict=True), strict=True))
        content = io.BytesIO()
        pq.write_table(pa.table({**columns, "name": pa.array(columns["name"]).dictionary_encode()}), content)
        table, _ = read(content.getvalue(), suffix=".parquet")
        self.assert_read(table)
        with self.assertRaisesRegex(DataError, "cut off"):
            read(content.getvalue()[:-20], suffix=".parquet")

    def test_json_lines(self):
        table, problems = read(
            '{"id": "p1", "name": "Ann", "starts": "2026-03-01", "floor": 3.0}\n\n{"id": "p2", "name": null}\n',
            suffix=".jsonl",
        )
        self.assert_read(table)
        self.assertEqual((table.lines.tolist(), problems), ([1, 3], []))

    def test_other_delimiters_quotes_encodings_and_headers_further_down(self):
        for content, form in (
            ("id;name\np1;'A;x'\n", Format(";", "'")),
            ("id\tname\np1\tA;x\n".encode("utf-16"), Format("\t")),
            ("report of today\n\nid|name\np1|A;x\n", Format("|", header=3)),
        ):
            table, problems = read(content, mapped=Mapped(format=form))
            self.assertEqual((cells_of(table), problems), ({"id": ["p1"], "name": ["A;x"]}, []))
        table, _ = read("id,name\np1,Åse\n".encode("cp1252"), mapped=Mapped(format=Format(encoding="cp1252")))
        self.assertEqual(cells_of(table)["name"], ["Åse"])
        _, problems = read("id,name\np1,Åse\n".encode("cp1252"))
        self.assertEqual([(it.line, it.reason) for it in problems], [(2, "is not UTF-8")])
        with self.assertRaisesRegex(DataError, "separated by ';'"):
            read("id;name\np1;A\n")

    def test_large_files_with_few_quotes_are_read_as_small_ones(self):
        rows = [f"p{number},name {number}" for number in range(300_000)]
        rows[7], rows[250_000] = 'p7,"two\nlines"', "p250000,ragged,row"
        table, problems = read("id,name\n" + "\n".join(rows) + "\n")
        ids = cells_of(table)["id"]
        self.assertEqual((len(ids), len(set(ids))), (299_999, 299_999))
        self.assertEqual([problem.line for problem in problems], [250_003])
        self.assertEqual((int(table.lines[7]), int(table.lines[8]), int(table.lines[-1])), (9, 11, 300_002))


class FilesThatChange(unittest.TestCase):
    def test_a_file_that_grows_while_it_is_read_stops_the_gather(self):
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "identities.csv"
            file.write_text("id\np1\n")

            def reads(path, form):
                raw = read_raw(path, form)
                file.write_text("id\np1\np2\n")
                return raw

            files = tables.files_of(Path(folder), {})
            with mock.patch.object(tables, "read_raw", reads), self.assertRaisesRegex(DataError, "changed while"):
                tables.read_tables(files, "")


class Mappings(unittest.TestCase):
    def test_columns_are_built_rows_chosen_and_values_made_ours(self):
        mapped = Mapped(
            columns={"User": "holder", "Mode": "effect"},
            values={"effect": {"+": "permit", "-": "deny"}},
            constants={"reason": "export"},
            build={"gives": "{Right} dues:/{Site}/{Path:path}"},
            where='Draft ne "yes"',
        )
        text = "User,Mode,Right,Site,Path,Draft\nann,+,view,a/b*,x/y,no\nbo,-,edit,c,z,yes\ncy,-,edit,,z,\n"
        table, problems = read(text, GRANTS, mapped)
        self.assertEqual(problems, [])
        cells = cells_of(table)
        self.assertEqual(cells["gives"], ["view dues:/a%2Fb%2A/x/y", None])
        self.assertEqual((cells["holder"], cells["effect"]), (["ann", "cy"], ["permit", "deny"]))
        self.assertEqual((cells["reason"], table.lines.tolist()), (["export", "export"], [2, 4]))
        with self.assertRaisesRegex(DataError, "built from 'Nothing'"):
            read(text, GRANTS, Mapped(build={"gives": "view {Nothing}"}, constants={"holder": "ann"}))
        with self.assertRaisesRegex(DataError, "asks for Nothing"):
            read(text, GRANTS, Mapped(where='Nothing eq "x"', constants={"holder": "ann", "gives": "view dues:/"}))


class Proposals(unittest.TestCase):
    def test_a_mapping_is_proposed_that_reads_the_file(self):
        content = (
            "Export of 15.06.2026;;;;\nPers. No;Full name;State;Joined;Desk\n"
            "p1;Åse;employed;01.02.2020;4\np2;Bo;gone;13.02.2021;5\np3;Cy;sleeping;2026-03-01;6\n"
        ).encode("cp1252")
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "export.csv"
            file.write_bytes(content)
            found = proposed([file], Path(folder))
            said = tomllib.loads(as_text(found))["source"][0]["tables"]["identities"]
            mapped = mapped_of(Settings("the test", Path(folder), said))
            table, problems = table_of(IDENTITIES, file.name, read_raw(file, mapped.format), mapped)
        self.assertEqual((said["delimiter"], said["encoding"], said["header"]), (";", "cp1252", 2))
        self.assertEqual(
            found.questions, ["export.csv: State: what do 'sleeping' mean? One of invited, active, suspended, left"]
        )
        cells = cells_of(table)
        self.assertEqual((cells["id"], cells["name"]), (["p1", "p2", "p3"], ["Åse", "Bo", "Cy"]))
        self.assertEqual((cells["status"], problems), (["active", "left", "?"], []))
        result = check_table(table, Names())
        self.assertEqual([row[10] for row in result.rows().values()], ["2020-02-01", "2021-02-13", "2026-03-01"])


class Checking(unittest.TestCase):
    def checked(self, content, kind=IDENTITIES):
        names = Names()
        names.add(kind if kind is IDENTITIES else IDENTITIES, [("ann",), ("a/b",)])
        names.of["systems"] |= {"dues"}
        names.of["actions"] |= {"dues/view", "dues/edit"}
        names.addresses.add(["dues:/a/b"])
        table, _ = read(content, kind)
        return check_table(table, names)

    def test_bad_cells_name_column_reason_and_remedy(self):
        result = self.checked(
            "id,status,starts,ends,manager\n"
            "p1,dead,,,\np2,,2026-02-30,,\np4,,,,zoe\np5,,2026-05-01,2026-04-01,\np1,,,,\np6,,,,\np6,,,,\n"
        )
        self.assertEqual(set(result.rows()), {("p1",), ("p2",), ("p4",), ("p5",), ("p6",)})
        self.assertEqual(
            wrong(result.problems),
            [
                (2, "status", "is none of invited, active, suspended, left", "cell left out"),
                (3, "starts", "is not a date, or not one that exists", "cell left out"),
                (4, "manager", "there is no identity zoe", "noted"),
                (5, "ends", "ends before it begins (2026-05-01), so it is never in force", "noted"),
                (6, "id", "repeats line 2", "set aside"),
                (8, "id", "repeats line 7", "set aside"),
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
            [(2, "on", "dues:/z", "noted"), (3, "gives", "dues:/y", "noted"), (4, "gives", "dues:/q/*", "noted")],
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
        self.assertEqual(set(result.rows()), {("dues:/a%2Fb",), ("dues:/z",)}, "a sensitivity of 7 is left out")
        self.assertEqual([problem.line for problem in result.problems], [3, 4, 5, 6])


if __name__ == "__main__":
    unittest.main()
