"""The saved index: whoever writes much brings it up to date; about few people it answers though it lies behind."""

import unittest

from kathodos.change.edit_sets import EditSet, edit_of
from kathodos.model.kinds import GRANTS
from kathodos.workspace.rehearsing import rehearse
from kathodos.workspace.saved_index import opened
from kathodos.workspace.workspace import Workspace
from tests import stores
from tests.support import Scratch, lay_out, run, write_tables

SYSTEM = {
    "systems": [{"system": "s"}],
    "resources": [{"resource": "s:/"}, {"resource": "s:/a"}, {"resource": "s:/b"}],
    "roles": [{"system": "s", "role": "r"}],
    "role_permissions": [{"system": "s", "role": "r", "action": "view", "resource": "s:/**"}],
    "groups": [{"system": "s", "group": "g"}],
    "members": [{"system": "s", "group": "g", "member": f"identity:p{at}"} for at in range(0, 700, 50)],
}


def company(grants):
    people = [{"id": f"p{at}", "status": "active"} for at in range(700)]
    return {**SYSTEM, "identities": people, "grants": grants}


def granted(count, gives="view s:/a"):
    return [{"grant": f"g{at}", "holder": f"identity:p{at}", "gives": gives} for at in range(count)]


def giving(holder, gives):
    """The edits that give something to somebody."""
    record = {**dict.fromkeys(GRANTS.names), "grant": "new", "holder": holder, "gives": gives}
    return EditSet([edit_of(GRANTS, None, {**record, "effect": "permit", "tier": 0})])


class SavedIndex(Scratch, unittest.TestCase):
    def setUp(self):
        super().setUp()
        self.here = lay_out(self.folder / "work", company(granted(10)))
        run("gather", cwd=self.here)
        run("reach", "--by", "p1", cwd=self.here)  # which makes the index

    def gathered(self, grants):
        write_tables(self.here / "tables", company(grants))
        run("gather", cwd=self.here)

    def place(self):
        """The entry to which the saved index belongs, and the newest."""
        with Workspace(self.here).view() as view:
            return opened(view.histories).point.entry, view.histories.newest.entry

    @stores.BELOW_THRESHOLDS
    def test_whoever_writes_much_brings_it_up_to_date(self):
        saved, newest = self.place()
        self.assertEqual(saved, newest)
        self.gathered(granted(650))
        saved, later = self.place()
        self.assertGreater(later, newest)
        self.assertEqual(saved, later)

    @stores.BELOW_THRESHOLDS
    def test_what_is_little_behind_it_is_put_to_it_for_few_people(self):
        more = [
            {"grant": "more", "holder": "group:s/g", "gives": "role:s/r"},
            {"grant": "other", "holder": "identity:p3", "gives": "role:s/r"},
        ]
        self.gathered([*granted(9), *more])
        before = self.place()
        self.assertLess(*before)
        asked = {
            ("identity:p3", "view s:/b"): 0,
            ("identity:p4", "view s:/b"): 1,
            ("identity:p50", "view s:/b"): 0,  # by the group, which was granted it only lately
            ("identity:p9", "view s:/a"): 1,  # whose grant has gone lately
        }
        with Workspace(self.here).view() as view:
            self.assertTrue(view.at_hand[1])
            effects = [rehearse(view, giving(*it)) for it in asked]
            told = [it.digest for it in effects]
        self.assertFalse(any(it.is_whole for it in effects))
        self.assertEqual([it.gained for it in effects], list(asked.values()))
        self.assertEqual(self.place(), before, "nobody had to wait for it")
        with Workspace(self.here).view() as view:
            _ = view.index  # for everybody it is made first
            self.assertEqual(len(view.at_hand[1]), 0)
            self.assertEqual([rehearse(view, giving(*it)).digest for it in asked], told)
        saved, newest = self.place()
        self.assertEqual(saved, newest)


if __name__ == "__main__":
    unittest.main()
