"""Grids: what stands, read back as it was, and filled; what a rehearsal says of each cell."""

import csv
import json
import unittest

from hypothesis import given

from kathodos.analysis.role_entries import RoleKey
from kathodos.change.composition import Desk
from kathodos.roles.grid import Standing, grid_of
from kathodos.store.records import InMemory
from tests.roles.test_combine import AT, CATALOGUE, RULES
from tests.support import Prepared, catalogues, index_of, inside, lay_out, records_inside, searching, state_of


class WhatStands(unittest.TestCase):
    @searching(60)
    @given(catalogues())
    def test_a_cell_is_held_where_a_live_grant_of_ones_own_gives_the_role_there(self, drawn):
        desk = Desk(InMemory(state_of(drawn)), AT, "tester")
        areas = [None, "area:x", "s:/a"]
        roles = [RoleKey("s", it) for it in ("r1", "r2")]
        people = ["identity:p1", "identity:p2"]
        index = index_of(drawn)
        grid = grid_of(desk, index, people, areas, roles)
        live = {index.grants.ids[at] for at in range(len(index.grants)) if _is_live(index, at, desk.moment)}
        active = {it["role"] for it in drawn["roles"] if it.get("active", 1)}
        counting = {it["id"] for it in drawn["identities"] if _counts(it)}
        for person in people:
            for role in roles:
                for area in areas:
                    own = any(
                        it["holder"] == person and it["gives"] == role.reference and it.get("on") == area
                        and it["effect"] == "permit" and it["grant"] in live
                        for it in drawn["grants"]
                    )  # fmt: skip
                    own = own and role.role in active and person.partition(":")[2] in counting
                    found = grid.cell(person, area, role).standing is Standing.DIRECT
                    self.assertEqual(found, own, (person, role, area))


def _is_live(index, at, moment):
    return index.grants.starts[at] <= moment < index.grants.ends[at]


def _counts(identity):
    from tests.reference import instant

    is_there = instant(identity.get("starts")) <= AT < instant(identity.get("ends"), end=True)
    return identity.get("status", "active") == "active" and is_there


class TheCommand(Prepared, unittest.TestCase):
    @classmethod
    def prepare(cls, folder):
        catalogue = {
            **CATALOGUE,
            "identities": [*CATALOGUE["identities"], {"id": "=p3", "name": "=cmd()"}],
            "groups": [{"system": "berths", "group": "all"}],
            "members": [{"system": "berths", "group": "all", "member": "identity:p2"}],
            "grants": [
                *CATALOGUE["grants"],
                {"holder": "identity:p1", "gives": "role:berths/plan-a", "on": "area:north", "until": "2026-12-31"},
                {"holder": "group:berths/all", "gives": "role:berths/plan-b"},
            ],
        }
        office = lay_out(folder / "office", catalogue, RULES)
        inside("gather", cwd=office)
        return office

    def written(self, name):
        words = ("--who", "p1", "p2", "=p3", "--areas", "area:north", "--roles", "berths/plan-*", "berths/wide")
        inside("role", "grid", *words, "--out", name, cwd=self.here)

    def fill(self, name, *words, status=0):
        words = ("role", "fill", name, *(words or ("--dry-run",)), "--format", "json")
        done = inside(*words, cwd=self.here, status=status)
        return json.loads(done.stdout) if not status else done.stderr

    def edited(self, name, changes):
        """A CSV grid with some cells changed: by person, area and role."""
        file = self.here / name
        rows = list(csv.reader(file.read_text("utf-8-sig").splitlines()))
        for (person, area, role), text in changes.items():
            (row,) = (it for it in rows if it[0].lstrip("'") == person and it[2] == area)
            row[0 if role == "who" else rows[0].index(role)] = text
        with file.open("w", newline="", encoding="utf-8") as out:
            csv.writer(out).writerows(rows)

    def test_what_stands_and_through_what(self):
        words = ("--who", "p1", "p2", "--areas", "area:north", "--roles", "berths/*")
        found = {(it["who"], it["area"]): it for it in records_inside("role", "grid", *words, cwd=self.here)}
        self.assertEqual(found["p1", "area:north"]["berths/plan-a"], "x until 2026-12-31")
        self.assertEqual(found["p1", "everywhere"]["berths/plan-a"], "")
        self.assertEqual(found["p1", "everywhere"]["berths/wide"], "x")
        self.assertEqual(found["p1", "area:north"]["berths/wide"], "(everywhere)")
        self.assertEqual(found["p2", "area:north"]["berths/plan-b"], "(through group:berths/all)")
        self.assertEqual(found["p2", "area:north"]["berths/twin"], "(on berths:/north)")

    def test_as_it_was_handed_out_it_asks_for_nothing(self):
        for name in ("grid.csv", "grid.xlsx"):
            self.written(name)
            self.assertEqual(self.fill(name)["cells"], [])

    def test_filled_it_gives_takes_and_moves_ends_and_each_cell_is_rehearsed(self):
        self.written("grid.csv")
        self.edited("grid.csv", {
            ("p1", "area:north", "berths/plan-a"): "x until 2026-08-31",
            ("p1", "everywhere", "berths/wide"): "",
            ("=p3", "area:north", "berths/plan-c"): "x",
            ("p2", "area:north", "berths/plan-c"): "X until 2026-09-30",
        })  # fmt: skip
        told = self.fill("grid.csv")
        cells = {(it["who"], it["role"]): it for it in told["cells"]}
        self.assertEqual(cells["p1", "role:berths/plan-a"]["asked"], "until 2026-08-31")
        wide = cells["p1", "role:berths/wide"]
        self.assertEqual((wide["asked"], wide["lost"]), ("take", 3))
        self.assertIn("settles B-1", cells["p1", "role:berths/wide"]["says"])
        self.assertEqual(cells["=p3", "role:berths/plan-c"]["gained"], 1)
        self.assertEqual((len(cells), told["edits"]), (4, 4))
        self.fill("grid.csv", "--yes")
        grants = inside("list", "grants", "--assume", "orders", "--format", "csv", cwd=self.here).stdout
        self.assertIn("identity:p2,role:berths/plan-c,area:north,permit,0,,2026-09-30", grants)
        self.assertEqual(self.fill("grid.csv")["edits"], 0)  # what it asked for stands by now

    def test_what_others_changed_meanwhile_is_not_taken_back(self):
        self.written("grid.csv")
        inside("change", "take", "role:berths/wide", "--from", "p1", "--yes", cwd=self.here)
        self.edited("grid.csv", {("=p3", "everywhere", "berths/plan-a"): "x"})
        self.assertEqual([it["who"] for it in self.fill("grid.csv")["cells"]], ["=p3"])

    def test_a_workbook_comes_back(self):
        import openpyxl

        self.written("grid.xlsx")
        book = openpyxl.load_workbook(self.here / "grid.xlsx")
        sheet = book.active
        self.assertEqual([cell.data_type for cell in sheet["B"]][-1], "s")  # a name that looks like a formula is text
        column = [cell.value for cell in sheet[1]].index("berths/plan-b") + 1
        row = [(it[0].value, it[2].value) for it in sheet.iter_rows()].index(("=p3", "everywhere")) + 1
        sheet.cell(row, column).value = "x"
        book.save(self.here / "back.xlsx")
        (cell,) = self.fill("back.xlsx")["cells"]
        self.assertEqual((cell["who"], cell["role"], cell["asked"]), ("=p3", "role:berths/plan-b", "give"))

    def test_what_is_wrong_in_a_cell_is_said_with_its_place(self):
        for (place, text), said in {
            (("p1", "everywhere", "berths/wide"), "yes"): "line 2, berths/wide: 'yes' is neither x nor empty",
            (("p1", "everywhere", "berths/wide"), "x until soon"): "names no day",
            (("p1", "everywhere", "who"), "p9"): "line 2, who: ",
            (("p1", "everywhere", "area"), "area:west"): "line 2, area: ",
        }.items():
            self.written("grid.csv")
            self.edited("grid.csv", {place: text})
            self.assertIn(said, self.fill("grid.csv", status=3))
            (self.here / "grid.csv").unlink()
        (self.here / "other.csv").write_text("a,b\n1,2\n")
        self.assertIn("is no grid", self.fill("other.csv", status=3))
        (self.here / "role.csv").write_text("who,name,area,berths/none\np1,,everywhere,x\n")
        self.assertIn("the column berths/none", self.fill("role.csv", status=3))
        inside("role", "grid", "--roles", "berths/*", cwd=self.here, status=2)
        inside("role", "grid", "--who", "p9", cwd=self.here, status=2)
        refused = inside("role", "grid", "--who", "p1", "--out", "grid.pdf", cwd=self.here, status=2)
        self.assertIn("neither .csv nor .xlsx", refused.stderr)
        self.assertFalse((self.here / "grid.pdf").exists())
