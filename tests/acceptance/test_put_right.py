"""The demo puts right what it found: each of its stories about changes comes out."""

import re
import tempfile
import unittest
from datetime import datetime, timedelta
from pathlib import Path

from tests import demos, stores
from tests.support import records_inside

NOW = "2026-07-07T09:00:00Z"


@stores.ABOUT_ANSWERS
class PutRight(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        scratch = tempfile.TemporaryDirectory()
        cls.addClassCleanup(scratch.cleanup)
        cls.printed = demos.printed()
        cls.workspace = demos.copied(Path(scratch.name))
        cls.entries = records_inside("ledger", "list", cwd=cls.workspace, now=NOW)

    def ask(self, *words, at=None, status=0):
        """What a question gives; `at`: as of a ledger entry."""
        as_of = ("--as-of", str(at)) if at is not None else ()
        return records_inside(*words, *as_of, cwd=self.workspace, status=status, now=NOW, KATHODOS_ACTOR="r.lund")

    def entry(self, act, subject, last=False):
        """The number of the first entry of an act about a subject, or the last."""
        numbers = [it["number"] for it in self.entries if it["kind"] == act and subject in it["subjects"]]
        self.assertTrue(numbers, (act, subject))
        return numbers[-1 if last else 0]

    def told(self, command):
        """What the demo printed below a command that starts so."""
        found = re.search(rf"^\$ kathodos {re.escape(command)}.*?$(.*?)(?=^\$ |^== )", self.printed, re.M | re.S)
        self.assertIsNotNone(found, command)
        return found[1]

    def reaching(self, action, resource, at=None):
        return {it["identity"] for it in self.ask("reach", "--on", resource, "--do", action, at=at)}

    def test_story_15_a_permission_of_seven_moves_to_a_group_and_nobodys_reach_changes(self):
        told = self.told("change to-group directory/gate-holds")
        self.assertIn("Nobody's reach changes", told)
        before = self.entry("change apply", "group:directory/gate-holds") - 1
        gives = 'gives eq "view permits:/northmole/holds"'
        guards = {it["holder"] for it in self.ask("list", "grants", "--where", gives, at=before)}
        self.assertEqual(len(guards), 7)
        self.assertEqual(
            [it["holder"] for it in self.ask("list", "grants", "--where", gives)], ["group:directory/gate-holds"]
        )
        members = self.ask("list", "members", "--where", 'group eq "gate-holds"')
        self.assertEqual({it["member"] for it in members}, guards)
        was, is_now = (self.reaching("view", "permits:/northmole/holds", at) for at in (before, None))
        self.assertEqual(was - {"p0262"}, is_now - {"p0263"})

    def test_story_16_a_guards_view_of_the_plates_is_checked_without_being_her(self):
        before = self.entry("change apply", "change:plates") - 1
        administrators = self.reaching("view", "gates:/plates", before)
        self.assertTrue(administrators)
        for one in administrators:
            (answer,) = self.ask("reach", "--by", one, "--on", "gates:/plates", "--do", "view", at=before)
            self.assertEqual(answer["chains"][0]["holders"][1:], ["group:directory/administrators"])
        self.assertNotIn("p0113", administrators)
        self.assertIn("p0113", self.told("reach --by p0113 --on gates:/plates --do view --assume plates"))
        (assumed,) = self.ask("reach", "--by", "p0113", "--on", "gates:/plates", "--do", "view")
        self.assertEqual(assumed["chains"][0]["roles"], ["role:gates/guard"])
        acts = {it["actor"] for it in self.entries}
        self.assertNotIn("p0113", acts)

    def test_story_20_an_emptied_role_is_put_back_as_it_was_on_thursday_and_only_it(self):
        steps = self.ask("show", "role:permits/viewer", "--history")
        self.assertEqual(
            [(it["time"][:10], it["came"], it["went"]) for it in steps[:2]],
            [("2026-07-06", 1, 0), ("2026-07-03", 0, 1)],
        )
        where = ("list", "role_permissions", "--where", 'system eq "permits" and role eq "viewer"')
        emptied, back = steps[1]["entry"], steps[0]["entry"]
        listed = (self.ask(*where, at=at) for at in (emptied - 1, emptied, back))
        thursday, friday, monday = ([{**it, "ref": ""} for it in some] for some in listed)
        self.assertEqual((len(thursday), friday, monday), (1, [], thursday))
        put_back = self.entry("change apply", "role:permits/viewer")
        rows = {name for it in self.entries if it["number"] in (put_back, back) for name in it["rows"]}
        self.assertLessEqual(rows, {"changes", "change_edits", "orders", "role_permissions"})

    def test_story_21_the_deputy_gets_what_was_used_and_nothing_that_makes_a_conflict(self):
        told = self.told("change same-as p0059 --to p0064")
        self.assertIn("Asked 3, stand already 1, adds 1.", told)
        self.assertIn("Left out for identity:p0064: group:directory/dues-heads, which would break DUES-3.", told)
        (deputy,) = self.ask("change", "show", "deputy")
        self.assertEqual([it["after"]["gives"] for it in deputy["edits"]], ["role:permits/viewer"])
        (rehearsed,) = self.ask("change", "rehearse", "deputy")
        self.assertEqual(
            (rehearsed["rules_broken"], [it["who"] for it in rehearsed["people"]]), ([], ["identity:p0064"])
        )
        (whole,) = self.ask("change", "same-as", "p0059", "--to", "p0064", "--even-if-broken", "--dry-run")
        self.assertIn("DUES-3", {it["rule"] for it in whole["rules_broken"]})

    def test_story_23_a_site_head_hands_out_two_roles_and_a_try_at_a_third_is_on_record(self):
        powers = self.ask("mandates", "try", "p0190")
        self.assertEqual({it["role"] for it in powers}, {"role:berths/viewer", "role:berths/planner"})
        self.assertEqual({it["where"] for it in powers}, {"area eelmouth"})
        given = self.ask("list", "grants", "--where", 'given_by eq "p0190"')
        self.assertEqual([(it["gives"], it["until"]) for it in given], [("role:berths/planner", "2026-09-30")])
        (refused,) = self.ask("ledger", "list", "--kind", "refused")
        self.assertEqual(refused["actor"], "p0190")
        self.assertIn("does not name role:berths/administrator", refused["payload"]["why"])
        self.assertEqual(
            self.ask("list", "grants", "--where", 'gives eq "role:berths/administrator" and given_by eq "p0190"'), []
        )

    def test_story_24_invited_and_never_came_two_that_are_one_suspended_and_back(self):
        (invited,) = self.ask("people", "list", "--status", "invited")
        self.assertEqual((invited["id"], invited["invited"], invited["last_login"]), ("p0263", "2026-03-09", None))
        merged = self.entry("merge", "identity:p0262")
        twins = ("list", "members", "--where", 'member eq "identity:p0262" or member eq "identity:p0236"')
        groups = {it["group"] for it in self.ask(*twins, at=merged - 1)}
        self.assertEqual({it["member"] for it in self.ask(*twins, at=merged - 1)}, {"identity:p0262"})
        self.assertGreater(self.entry("gather", "source:harbour", last=True), merged)
        self.assertEqual(
            {(it["member"], it["group"]) for it in self.ask(*twins)}, {("identity:p0236", it) for it in groups}
        )
        self.assertEqual(self.ask("find", "p0262")[0]["ref"], "identity:p0236", "its former name finds it")
        steps = self.ask("show", "p0126", "--history")
        statuses = [text for it in steps for text in it["what"] if "status becomes" in text and "p0126" in text]
        self.assertEqual(len(statuses), 2)
        self.assertIn("becomes active (was suspended)", statuses[0])
        before = self.entry("change apply", "identity:p0126") - 1
        was, is_now = (self.ask("reach", "--by", "p0126", at=at) for at in (before, None))
        self.assertEqual(
            was, [it for it in is_now if it["resource"] != "gates:/plates"], "and what all guards got since"
        )


if __name__ == "__main__":
    unittest.main()

    def test_story_25_a_review_in_packets_with_a_stand_in_one_who_is_late_and_one_in_no_time(self):
        lines = self.ask("review", "lines", "quarter")
        by = {}
        for line in lines:
            by.setdefault(line["decided_by"], []).append(line)
        self.assertEqual(set(by), {"p0059", "p0107", "p0026", "p0001"})
        self.assertIn("184 certified, 1 reduced; 0 answers refused", self.told("review take"))
        self.assertEqual({it["capacity"] for it in by["p0026"]}, {"stand-in"}, "the head of the pilots is away")
        self.assertFalse(any(it["identity"] == "p0026" for it in by["p0026"]), "nobody decides about themselves")
        passed = [it for it in by["p0001"] if it["remarks"]]
        self.assertTrue(any(it["remarks"][0]["whom"] == "p0001" for it in passed), "what was late went one up")
        times = sorted(it["decided_at"] for it in by["p0107"])
        self.assertLess(datetime.fromisoformat(times[59]) - datetime.fromisoformat(times[0]), timedelta(seconds=40))
        (unopened,) = self.ask("excess", "--kind", "unopened-evidence", status=1)
        self.assertEqual((unopened["subject"], unopened["rests_on"]), ("identity:p0107", "review:quarter"))
        self.assertIn("It holds", self.told("review report quarter --check"))
        states = {it["state"] for it in self.ask("review", "status", "quarter")}
        self.assertEqual(states, {"carried out"})
