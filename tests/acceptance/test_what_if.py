"""Asking as if edits were made, what somebody could give itself, redundant grants, everything as a Parquet file."""

import unittest

import pandas as pd

from tests import stores
from tests.support import OFFICE, OFFICE_RULES, Prepared, lay_out
from tests.support import inside as run
from tests.support import records_inside as records

ON_TARIFFS = ("--on", "dues:/tariffs/2026", "--do", "edit")
HOUSE = {
    **OFFICE,
    "actions": [*OFFICE["actions"], {"system": "directory", "action": "steer", "kind": "administer", "implies": ""}],
    "resources": [
        *OFFICE["resources"],
        {"resource": "directory:/groups/outer", "type": "group"},
        {"resource": "directory:/groups/inner", "type": "group"},
    ],
    "roles": [*OFFICE["roles"], {"system": "directory", "role": "desk"}],
    "role_permissions": [
        *OFFICE["role_permissions"],
        {"system": "directory", "role": "desk", "action": "steer", "resource": "directory:/groups/outer"},
    ],
    "mandates": [{"holder": "identity:bo", "roles": "directory/*", "for": 'department eq "Dues"', "may": "give"}],
}


@stores.ABOUT_ANSWERS
class WhatIf(Prepared, unittest.TestCase):
    @classmethod
    def prepare(cls, folder):
        here = lay_out(folder / "work", HOUSE, OFFICE_RULES)
        run("gather", cwd=here)
        return here

    def assume(self, text):
        (self.here / "if.toml").write_text(text, encoding="utf-8")
        return ("--assume", "if.toml")

    def reached(self, *words, **options):
        return sorted(map(str, records("reach", *words, cwd=self.here, **options)))

    def test_records_added_ended_and_set_are_answered_as_if_they_were(self):
        before = self.reached()
        words = self.assume(
            '[[add]]\nkind = "grants"\nholder = "bo"\ngives = "role:dues/setter"\nuntil = 2026-12-31\n'
            '[[add]]\nkind = "identities"\nid = "new"\nsite = "north"\n'
            '[[add]]\nkind = "grants"\ngrant = "gn"\nholder = "identity:new"\ngives = "view dues:/waivers"\n'
            '[[end]]\nkind = "members"\nsystem = "directory"\ngroup = "inner"\nmember = "ann"\n'
            '[[set]]\nkind = "accounts"\nsystem = "dues"\nlogin = "nobody"\nstatus = "disabled"\n'
        )
        run("reach", "--by", "bo", *ON_TARIFFS, cwd=self.here, status=1)
        run("reach", "--by", "bo", *ON_TARIFFS, *words, cwd=self.here)
        run("reach", "--by", "bo", *ON_TARIFFS, *words, "--at", "2027-01-01", cwd=self.here, status=1)
        after = records("reach", *words, cwd=self.here)
        self.assertEqual({row.get("identity") for row in after}, {"ann", "bo", "new"})
        self.assertFalse([row for row in after if row.get("identity") == "ann" and "waivers" in row["resource"]])
        self.assertFalse([row for row in after if row.get("account")])
        self.assertEqual(self.reached(), before, "nothing was changed")

    def test_a_role_an_area_or_a_resource_may_be_assumed_too(self):
        words = self.assume(
            '[[set]]\nkind = "resources"\nresource = "dues:/tariffs/2026"\ndetached = true\n'
            '[[add]]\nkind = "areas"\narea = "south"\nresources = ["dues:/waivers/2025"]\n'
            '[[add]]\nkind = "grants"\nholder = "head"\ngives = "role:dues/waiver"\non = "area:south"\n'
        )
        run("reach", "--by", "ann", *ON_TARIFFS, cwd=self.here)
        run("reach", "--by", "ann", *ON_TARIFFS, *words, cwd=self.here, status=1)
        rows = records("reach", "--by", "head", *words, cwd=self.here)
        self.assertEqual({row["resource"] for row in rows}, {"dues:/waivers/2025"})

    def test_conflicts_are_found_as_if(self):
        words = self.assume('[[end]]\nkind = "grants"\ngrant = "g1"\n')
        self.assertIn("D-1", run("conflicts", cwd=self.here, status=1).stdout)
        self.assertNotIn("D-1", run("conflicts", *words, cwd=self.here).stdout)

    def test_a_file_that_cannot_be_meant_is_refused_with_its_line(self):
        for text, *told in (
            ("[[add]]\nkind = 'grant'\n", "line 1", "'grant'", "grants"),
            ("[add]\nkind = 'grants'\n", "line 1: expected add", "[[add]]"),
            ("[[end]]\nkind = 'grants'\ngrant = 'g9'\n", "line 1", "no grant g9", "Nearest"),
            ("[[add]]\nkind = 'identities'\nid = 'ann'\n", "identity ann already", "[[set]]"),
            ("[[add]]\nkind = 'grants'\nholder = 'ghost'\ngives = 'view dues:/'\n", "holder", "ghost"),
            ("[[add]]\nkind = 'grants'\nholder = 'ann'\ngives = 'role:dues/none'\n", "gives", "none"),
            ("[[set]]\nkind = 'identities'\nid = 'ann'\nstatus = 'odd'\n", "status", "'odd'", "none of"),
            ("[[end]]\nkind = 'grants'\n", "line 1", "grant"),
            ("[[end]]\nkind = 'grants'\ngrant = 'g1'\n" * 2, "already"),
            ("[[add]]\nkind = 'areas'\narea = {a = 1}\n", "area"),
            ("[[add]\n", "line 1"),
        ):
            done = run("reach", *self.assume(text), cwd=self.here, status=3)
            for part in told:
                self.assertIn(part, done.stderr, text)
        run("reach", "--assume", "nowhere.toml", cwd=self.here, status=3)

    def test_the_steps_by_which_somebody_could_reach_more(self):
        waivers = ("--on", "dues:/waivers/2026", "--do", "approve")
        done = run("reach", "--by", "bo", "--potential", *waivers, cwd=self.here, status=1).stdout
        self.assertIn("in 2 steps", done)
        self.assertLess(done.index("gives itself role:directory/desk"), done.index("joins group:directory/outer"))
        self.assertIn("by the mandate of identity:bo", done)
        self.assertIn("by steer on directory:/groups/outer", done)
        (whole,) = records("reach", "--by", "bo", "--potential", cwd=self.here, status=1)
        self.assertEqual([step["round"] for step in whole["steps"]], [1, 2])
        self.assertIn({"system": "directory", "now": 0, "more": 1}, whole["gained"])
        self.assertIn("no - ", run("reach", "--by", "bo", "--potential", *ON_TARIFFS, cwd=self.here).stdout)
        self.assertIn("as it is", run("reach", "--by", "ann", "--potential", *waivers, cwd=self.here, status=1).stdout)
        self.assertIn("can give itself nothing", run("reach", "--by", "head", "--potential", cwd=self.here).stdout)
        run("reach", "--potential", cwd=self.here, status=2)
        for words in (waivers, ()):
            rows = run("reach", "--by", "bo", "--potential", *words, "--format", "csv", cwd=self.here, status=1).stdout
            self.assertEqual(rows.splitlines()[0], "round,step,by")
            self.assertEqual([row[0] for row in rows.splitlines()[1:]], ["1", "2"])
        asked = run("reach", "--by", "ann", *ON_TARIFFS, "--format", "csv", cwd=self.here).stdout
        self.assertEqual(asked.splitlines()[1], "edit,dues:/tariffs/2026,true")

    def test_redundant_grants_are_listed_with_the_reason(self):
        words = ("list", "grants", "--redundant")
        self.assertEqual([(row["grant"], row["because"]) for row in records(*words, cwd=self.here)], [])
        table = self.here / "tables" / "grants.csv"
        more = "g8,identity:ann,view dues:/waivers/2026,,\ng9,identity:ann,view dues:/gone,,\n"
        table.write_text(table.read_text() + more)
        run("gather", cwd=self.here)
        self.assertEqual(
            [(row["grant"], row["because"]) for row in records(*words, cwd=self.here)],
            [("g8", "others give the same"), ("g9", "it gives nobody anything now")],
        )
        run("list", "roles", "--redundant", cwd=self.here, status=2)
        assumed = self.assume('[[end]]\nkind = "grants"\ngrant = "g2"\n')
        self.assertEqual([row["grant"] for row in records(*words, *assumed, cwd=self.here)], ["g9"])
        self.assertNotIn("g2", [row["grant"] for row in records("list", "grants", *assumed, cwd=self.here)])

    def test_everything_as_a_parquet_file_is_what_the_stream_says(self):
        for at, words in enumerate(((), ("--by", "ann"), ("--do", "view"))):
            told = records("reach", *words, cwd=self.here)
            run("reach", *words, "--to", f"{at}.parquet", cwd=self.here)
            frame = pd.read_parquet(self.here / f"{at}.parquet")
            expected = [(_reference(row), row["action"], row["resource"]) for row in told]
            self.assertEqual(sorted(frame.itertuples(index=False, name=None)), sorted(expected))
        before = (self.here / "kathodos.toml").read_bytes()
        for target in ("no/such/folder.parquet", "kathodos.toml", "0.parquet", "."):
            run("reach", "--to", target, cwd=self.here, status=3)
        self.assertIn("--to is empty", run("reach", "--to", "", cwd=self.here, status=2).stderr)
        self.assertEqual((self.here / "kathodos.toml").read_bytes(), before)
        self.assertEqual([file.name for file in self.here.glob("*.part")], [])


def _reference(row):
    return next(f"{kind}:{row[kind]}" for kind in ("identity", "account") if kind in row)


if __name__ == "__main__":
    unittest.main()
