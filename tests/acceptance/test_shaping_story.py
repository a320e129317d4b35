"""The demo's third workspace: each of its stories about roles comes out."""

import re
import tempfile
import unittest
from pathlib import Path

from kathodos.demo import make_shaping
from tests import demos, stores
from tests.support import inside, records_inside

NOW = "2026-07-07T09:00:00Z"


@stores.ABOUT_ANSWERS
class Shaping(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        scratch = tempfile.TemporaryDirectory()
        cls.addClassCleanup(scratch.cleanup)
        cls.printed = demos.printed().partition("And a third, in which roles are shaped")[2]
        cls.workspace = demos.copied(Path(scratch.name)) / "shaping"

    def ask(self, *words, at=None, status=0):
        as_of = ("--as-of", str(at)) if at is not None else ()
        return records_inside(*words, *as_of, cwd=self.workspace, status=status, now=NOW, KATHODOS_ACTOR="r.lund")

    def told(self, command, last=False):
        """What the demo printed below the first, or the last, command that starts so."""
        found = re.findall(
            rf"^\$ kathodos {re.escape(command)}.*?$(.*?)(?=^\$ |^== |^That was)", self.printed, re.M | re.S
        )
        self.assertTrue(found, command)
        return found[-1 if last else 0]

    def entries(self, role, at=None):
        where = f'system eq "berths" and role eq "{role}"'
        return {(it["action"], it["resource"]) for it in self.ask("list", "role_permissions", "--where", where, at=at)}

    def test_the_data_is_what_its_script_makes(self):
        with tempfile.TemporaryDirectory() as scratch:
            make_shaping.write(Path(scratch))
            data = Path(make_shaping.__file__).parent / "data"
            for made in sorted(Path(scratch).rglob("*.csv")):
                self.assertEqual(made.read_bytes(), (data / made.relative_to(scratch)).read_bytes(), made.name)

    def test_story_17_a_recorded_morning_its_companions_and_the_read_that_a_failed_task_lacked(self):
        told = self.told("role distil")
        self.assertIn("19 entries from 37 uses, and besides 8 companions and 1 way in.", told)
        used = {(action, f"berths:/northmole/{place}") for action, place in make_shaping.MORNING}
        self.assertEqual(len(used), 19)
        against = self.told("role against")
        self.assertIn("lacks one thing of what was used", against)
        self.assertRegex(against, r"missing +view +berths:/northmole/pilots/june")
        self.assertLess(used, self.entries("planner-morning"))
        more = self.entries("planner-morning") - used
        self.assertEqual(len(more), 8 + 1 + 1)
        self.assertIn(("view", "berths:/northmole/pilots/june"), more)
        self.assertIn(("enter", "berths:/northmole"), more)
        refers = {f"berths:/northmole/{it}" for some in make_shaping.REFERS.values() for it in some}
        self.assertLess(
            {place for action, place in more if action == "view"} - {"berths:/northmole/pilots/june"}, refers
        )
        words = ("role", "against", "berths/planner-morning", "--trace", "failed-task.csv", "--dry-run")
        self.assertEqual({it["missing"] for it in self.ask(*words)}, {0})

    def test_story_18_four_roles_combined_stale_and_rebuilt(self):
        self.assertIn("role:berths/plans of 4 roles", self.told("role combine berths/plans 'berths/plan-*'"))
        stale, clean = self.told("excess --kind stale-role"), self.told("excess --kind stale-role", last=True)
        for words in ("role:berths/plans", "berths:/northmole/plans/tide, which its", "parts have lost"):
            self.assertIn(words, " ".join(stale.split()))
        self.assertIn("0 findings", clean)
        self.assertIn("1 gone with the parts", self.told("role combine berths/plans --rebuild"))
        parts = [it for it in make_shaping.ROLES if it.startswith("plan-")]
        self.assertEqual({it["part"] for it in self.ask("list", "role_parts")}, {f"role:berths/{it}" for it in parts})
        self.assertEqual(self.entries("plans"), set().union(*(self.entries(it) for it in parts)))

    def test_story_19_roles_from_the_trial_two_new_one_the_same_two_different_one_of_them_left(self):
        self.assertIn("5 roles of roles.json: 2 new, 1 same, 2 different.", self.told("role plan"))

        def of_trial(role):
            return {tuple(it.replace("berths-trial:", "berths:").split(" ")) for it in make_shaping.TRIAL_ROLES[role]}

        for role in ("pilot-liaison", "reporter"):
            self.assertEqual(self.entries(role), of_trial(role))
        self.assertEqual(self.entries("clerk"), {tuple(it.split(" ")) for it in make_shaping.ROLES["clerk"]})
        self.assertEqual(self.entries("planner"), of_trial("planner"))
        (baseline,) = self.ask("list", "baselines")
        self.assertNotEqual(self.entries("planner", at=baseline["entry"]), of_trial("planner"))

    def test_what_was_given_one_by_one_is_bundled_and_nobodys_reach_changes(self):
        told = self.told("role suggest --make")
        self.assertIn("All 8 with title Quay foreman", told)
        self.assertIn("Nobody's reach changes", told)

    def test_charts_say_in_their_title_what_is_seen(self):
        said = (
            ("roles", "5 of these 11 roles lie wholly within another"),
            ("suggest", "3 roles would stand in for 84 of 86 grants, 2 exceptions left"),
        )
        for kind, title in said:
            done = inside("chart", kind, "--out", f"{kind}.png", cwd=self.workspace, now=NOW, KATHODOS_ACTOR="r.lund")
            self.assertIn(title, done.stdout)
            self.assertTrue((self.workspace / f"{kind}.png").read_bytes().startswith(b"\x89PNG"))

    def test_a_role_now_and_as_it_was(self):
        words = ("show", "role:berths/plans", "--history", "--than", "2026-07-02")
        now_and_then = {it["kind"]: (it["now"], it["then"]) for it in self.ask(*words)[0]["now_and_then"]}
        self.assertEqual(now_and_then["role permissions"], (5, 6))
        came = [(it["came"], it["went"]) for it in self.ask(*words)[0]["entries"]]
        self.assertEqual(came, [(0, 1), (7, 0)])
