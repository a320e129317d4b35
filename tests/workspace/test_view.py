"""Views: the catalogue at a point and a moment, with edits assumed or none; every question is answered from one."""

import os
import unittest
from unittest import mock

import pandas as pd

from kathodos.change.edits import edits_in
from kathodos.errors import CallError
from kathodos.findings.risk.weights import COLUMNS
from kathodos.model.kinds import GRANTS
from kathodos.model.toml import toml_text
from kathodos.store.edited import edited
from kathodos.workspace.workspace import Workspace
from tests.support import NOW, OFFICE, OFFICE_RULES, Prepared, inside, lay_out, write_tables


class Views(Prepared, unittest.TestCase):
    @classmethod
    def prepare(cls, folder):
        at = lay_out(folder / "office", OFFICE, OFFICE_RULES)
        inside("gather", cwd=at, now="2026-06-01T10:00:00Z")
        inside("baseline", "mark", "before", cwd=at, now="2026-06-01T11:00:00Z")
        more = {"grant": "g5", "holder": "identity:bo", "gives": "role:dues/waiver", "until": "", "reason": ""}
        write_tables(at / "tables", {**OFFICE, "grants": [*OFFICE["grants"], more]})
        inside("gather", cwd=at, now="2026-06-02T10:00:00Z")
        return at

    def setUp(self):
        super().setUp()
        moment = mock.patch.dict(os.environ, {"KATHODOS_NOW": NOW})
        moment.start()
        self.addCleanup(moment.stop)
        self.workspace = Workspace.find(self.here)

    def grants(self, as_of):
        return self.workspace.frame("grants", as_of=as_of)["grant"].tolist()

    def test_a_point_is_a_baseline_a_date_a_time_or_an_entry(self):
        first, both = ["g1", "g2", "g3", "g4"], ["g1", "g2", "g3", "g4", "g5"]
        for as_of, expected in (
            (None, both),
            ("before", first),
            ("1", first),
            ("3", both),
            ("0", []),
            ("2026-06-01", first),
            ("2026-06-01T09:59:59Z", []),
            ("2026-06-02", both),
            ("2026-06-02T09:00:00Z", first),
            ("2026-12-31", both),
        ):
            with self.subTest(as_of=as_of):
                self.assertEqual(self.grants(as_of), expected)

    def test_a_point_that_is_none_is_said_with_what_there_is(self):
        for as_of, what, remedy in (
            ("9", "has no entry 9", "Its last is 3"),
            ("befor", "no baseline befor", "Nearest: before"),
            ("2026-13-01", "no baseline 2026-13-01", "a baseline, a date, a time or a ledger number"),
        ):
            with self.subTest(as_of=as_of), self.assertRaises(CallError) as caught:
                self.grants(as_of)
            self.assertIn(what, caught.exception.what)
            self.assertIn(remedy, caught.exception.remedy)

    def test_the_moment_is_that_of_the_point_unless_another_is_named(self):
        def reaches(as_of, at=None):
            with self.workspace.view(as_of, at) as view:
                return len(view.reach("bo")[lambda frame: frame["resource"] == "dues:/tariffs/2026"])

        self.assertEqual(reaches("2026-06-01"), 1)
        self.assertEqual(reaches("2026-06-15"), 1)
        self.assertEqual(reaches("2026-06-15", "2026-06-16"), 0)
        with self.assertRaises(CallError):
            reaches(None, "soon")

    def test_what_is_assumed_is_answered_as_if_it_were_so_and_nothing_is_written(self):
        text = """
        [[end]]
        kind = "grants"
        grant = "g1"
        [[add]]
        kind = "grants"
        grant = "x"
        holder = "identity:bo"
        gives = "edit dues:/tariffs"
        """
        with self.workspace.view() as view:
            edits = edits_in(toml_text("c.toml", text), view.catalogue, view.index).edits
            after = view.assuming(edited(view.catalogue, edits))
            self.assertEqual(len(view.conflicts()), 1)
            self.assertEqual(after.conflicts().frame()["identity"].tolist(), ["bo"])
            self.assertEqual(after.frame("grants")["grant"].tolist(), ["g2", "g3", "g4", "g5", "x"])
            self.assertEqual(set(after.reach("bo")["action"]), {"edit", "view", "approve"})
            newest = view.point.entry
        with self.workspace.view() as view:
            self.assertEqual((view.point.entry, len(view.frame("grants"))), (newest, 5))

    def test_frames_are_typed(self):
        with self.workspace.view() as view:
            grants, activity = view.frame("grants"), view.frame("activity")
            self.assertEqual(str(grants["until"].dtype), "datetime64[us, UTC]")
            self.assertEqual(grants["until"].isna().sum(), 4)
            self.assertEqual(activity["time"].max(), pd.Timestamp("2026-05-02", tz="UTC"))
            self.assertEqual(view.frame("resources", 'site eq "south"')["resource"].tolist(), ["dues:/waivers/2025"])
            conflicts = view.conflicts().frame()
            self.assertEqual(conflicts["rule"].dtype.name, "category")
            self.assertEqual(conflicts[["rule", "severity", "identity"]].values.tolist(), [["D-1", "high", "ann"]])
            risk = view.risk().frame()
            self.assertTrue(((risk[list(COLUMNS)].sum(axis=1) - risk["risk"]).abs() < 0.05).all())
            self.assertTrue(risk["risk"].is_monotonic_decreasing)

    def test_whoever_is_not_there_is_told_with_the_nearest(self):
        with self.workspace.view() as view:
            for ask in (
                lambda: view.reach("an"),
                lambda: view.explain("an", "dues:/tariffs", "edit"),
                lambda: view.explain("ann", "dues:/tarifs", "edit"),
                lambda: view.explain("ann", "dues:/tariffs", "edti"),
                lambda: view.thing("role:dues/seter"),
                lambda: view.thing("group:directory/iner"),
                lambda: view.frame("grant"),
            ):
                with self.assertRaises(CallError) as caught:
                    ask()
                self.assertIn("Nearest: ", caught.exception.remedy)

    def test_an_explanation_says_by_which_chain(self):
        with self.workspace.view() as view:
            found = view.explain("ann", "dues:/waivers/2026", "approve")
            self.assertEqual([chain.grant for chain in found.permits.shown], ["g2"])
            self.assertFalse(view.explain("head", "dues:/waivers/2026", "approve").permits.shown)

    def test_a_view_does_not_change_while_others_write(self):
        with self.workspace.view() as view:
            known = view.frame("grants")["grant"].tolist()
            write_tables(self.here / "tables", {**OFFICE, "grants": OFFICE["grants"][:3]})
            inside("gather", "--accept-loss", cwd=self.here)
            self.assertEqual(view.frame("identities")["id"].tolist(), ["head", "ann", "bo"])
            self.assertEqual(view.frame(GRANTS.name)["grant"].tolist(), known)
            self.assertEqual(len(view.reach("account:dues/nobody")), 1)
        with self.workspace.view() as view:
            self.assertEqual(view.frame("grants")["grant"].tolist(), ["g1", "g2", "g3"])


if __name__ == "__main__":
    unittest.main()
