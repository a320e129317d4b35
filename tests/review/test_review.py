"""What a review asks about, whom it asks, and the evidence beside it."""

import unittest
from datetime import datetime

from kathodos.analysis.snapshot import Snapshot
from kathodos.engine.compile import compile_index
from kathodos.errors import CallError
from kathodos.model.times import microseconds
from kathodos.review.evidence import Witness
from kathodos.review.items import beyond_items, items_of
from kathodos.review.rounds import Line, Review, draft_review, line_numbers, progress_of
from kathodos.rules.reading import Rules
from kathodos.store.records import InMemory
from tests.support import NOW, Prepared, lay_out, records, run, state_of

MOMENT = datetime.fromisoformat(NOW)
AT = microseconds(MOMENT)
HOUSE = {
    "systems": [{"system": "s"}],
    "identities": [
        {"id": "boss", "title": "Boss"},
        {"id": "gone", "status": "left", "manager": "boss"},
        {"id": "p", "title": "Clerk", "department": "Dues", "manager": "gone"},
        {"id": "q", "title": "Clerk", "department": "Dues", "manager": "boss"},
        {"id": "r", "title": "Clerk", "department": "Permits"},
        {"id": "m", "title": "Clerk", "department": "Dues", "kind": "service"},
    ],
    "accounts": [{"system": "s", "login": "px", "identity": "p"}],
    "groups": [
        {"system": "s", "group": "listed"},
        {"system": "s", "group": "above"},
        {"system": "s", "group": "computed", "filter": 'department eq "Dues"'},
        {"system": "s", "group": "empty"},
    ],
    "members": [
        {"system": "s", "group": "listed", "member": "identity:p"},
        {"system": "s", "group": "listed", "member": "identity:q"},
        {"system": "s", "group": "above", "member": "group:s/listed"},
        {"system": "s", "group": "empty", "member": "identity:p"},
    ],
    "roles": [{"system": "s", "role": "reader"}],
    "role_permissions": [
        {"system": "s", "role": "reader", "action": "view", "resource": "s:/a"},
        {"system": "s", "role": "reader", "action": "view", "resource": "s:/a/secret", "effect": "deny"},
    ],
    "resources": [{"resource": "s:/a/b"}, {"resource": "s:/c"}],
    "grants": [
        {"grant": "direct", "holder": "identity:p", "gives": "role:s/reader", "on": "s:/a", "last_used": "2026-01-02"},
        {"grant": "account", "holder": "account:s/px", "gives": "view s:/c", "given_by": "boss", "reason": "why not"},
        {"grant": "over", "holder": "identity:p", "gives": "view s:/c", "until": "2026-06-01"},
        {"grant": "above", "holder": "group:s/above", "gives": "view s:/c"},
        {"grant": "listed", "holder": "group:s/listed", "gives": "role:s/reader", "on": "s:/a"},
        {"grant": "rule", "holder": "group:s/computed", "gives": "view s:/a"},
        {"grant": "all", "holder": "everyone", "gives": "view s:/"},
    ],
    "activity": [
        {"time": "2026-03-03T03:03:03Z", "account": "s/px", "action": "view", "resource": "s:/a/b"},
        {"time": "2026-05-05", "identity": "q", "action": "view", "resource": "s:/a/b"},
    ],
}


class Items(unittest.TestCase):
    def setUp(self):
        self.state = state_of(HOUSE)
        self.index = compile_index(InMemory(self.state))

    def items(self, name):
        identity = self.index.holders.find(f"identity:{name}")
        return list(items_of(self.index, identity, AT))

    def test_an_item_is_what_can_be_taken_from_one_person(self):
        found = [
            (item.grant or item.group, sorted(self.index.grants.ids[at] for at in item.grants))
            for item in self.items("p")
        ]
        self.assertEqual(
            found,
            [("direct", ["direct"]), ("account", ["account"]), ("group:s/listed", ["above", "listed"])],
        )

    def test_what_comes_by_rule_or_from_everyone_is_counted(self):
        identity = self.index.holders.find("identity:p")
        self.assertEqual(beyond_items(self.index, identity, AT), 2)

    def test_evidence(self):
        witness = Witness(Snapshot(InMemory(self.state), self.index, AT), self.state, [], [])
        direct, account, group = (witness.about(item) for item in self.items("p"))
        self.assertEqual((direct.gives, direct.how), ("role:s/reader on s:/a", "directly"))
        self.assertEqual(direct.contains, ["view s:/a", "never view s:/a/secret"])
        self.assertEqual(direct.peers, (2, 2), "a peer who has the same through a group counts")
        self.assertEqual(direct.everyone, (2, 4), "who has left, and services, do not count")
        self.assertEqual(direct.last_used, "2026-03-03T03:03:03Z", "activity is newer than what the source says")
        self.assertEqual(
            (account.how, account.given_by, account.given_for), ("through account:s/px", "boss", "why not")
        )
        self.assertIsNone(account.last_used)
        self.assertEqual(group.how, "as a direct member; the group is within group:s/above")
        self.assertEqual(group.brings, ["role:s/reader on s:/a", "view s:/c"])

    def test_lines_go_to_the_manager_or_the_next_one_up_who_is_there_or_the_opener(self):
        drafted = draft_review(
            "r", range(len(self.state["identities"])), self.state, self.index, Rules([], []), "opener", AT
        )
        reviewers = {line[2]: line[3] for line in drafted.lines}
        self.assertEqual(reviewers, {"p": "boss", "q": "boss"})
        self.assertEqual((drafted.people, drafted.without_reviewer), (6, 3))


class AccessEntries(unittest.TestCase):
    def review(self, count=5, decided=()):
        lines = [
            Line("r", at, "p", "boss" if at % 2 else "chief", {}, {}, "certify" if at in decided else None)
            for at in range(1, count + 1)
        ]
        return Review("r", "", "opener", "2026-06-17", "open", None, None, lines)

    def test_numbers_ranges_and_all_that_is_left(self):
        review = self.review(decided={3})
        self.assertEqual(line_numbers(["2", "4-5", "2"], review, set()), [2, 4, 5])
        self.assertEqual(line_numbers(["all"], review, {"boss"}), [1, 5])
        self.assertEqual(line_numbers(["all"], review, {"office"}), [1, 2, 4, 5])
        for word in ("0", "6", "4-6", "5-4", "x", "-1", "1-", "99999999999"):
            with self.assertRaises(CallError, msg=word):
                line_numbers([word], review, set())

    def test_progress_and_days_left(self):
        first, second = progress_of(self.review(decided={1, 3}), MOMENT)
        self.assertEqual((first.reviewer, first.done, first.left, first.days_left), ("chief", 0, 2, 2))
        self.assertEqual((second.reviewer, second.done, second.left), ("boss", 2, 1))
        late = progress_of(self.review(), datetime.fromisoformat("2026-06-20T00:00:00Z"))
        self.assertEqual(late[0].days_left, -3)


class Deciding(Prepared, unittest.TestCase):
    @classmethod
    def prepare(cls, folder):
        people = [{**row, "email": f"{row['id']}@house.example"} for row in HOUSE["identities"]]
        at = lay_out(folder / "house", {**HOUSE, "identities": people})
        run("gather", cwd=at)
        run("review", "open", "r", "--where", 'id eq "p"', "--by-manager", "--due", "2026-07-01", cwd=at)
        return at

    def setUp(self):
        super().setUp()
        self.at = self.here

    def test_nobody_decides_about_themselves_under_any_name(self):
        for actor in ("p", "identity:p", "P@HOUSE.example", "px", "account:s/px"):
            refused = run("review", "decide", "1", "certify", "--as", actor, cwd=self.at, status=2)
            self.assertIn("nobody decides about themselves", refused.stderr)
        run("review", "close", "--undecided", "certify", "--as", "px", cwd=self.at)
        self.assertEqual({line["decision"] for line in records("review", "lines", "r", cwd=self.at)}, {None})

    def test_a_decision_can_be_changed_until_it_is_signed_off(self):
        run("review", "decide", "1", "certify", "--as", "boss", cwd=self.at)
        self.assertIn("--reason", run("review", "decide", "1", "revoke", "--as", "boss", cwd=self.at, status=2).stderr)
        run("review", "decide", "1", "revoke", "--reason", "second thoughts", "--as", "boss", cwd=self.at)
        line = records("review", "lines", "r", cwd=self.at)[0]
        self.assertEqual(
            (line["decision"], line["decision_reason"], line["signed_off"]), ("revoke", "second thoughts", False)
        )
        done = run("review", "close", "--dry-run", cwd=self.at).stdout
        self.assertIn("1 revoked (1 record to end), 2 left open", done)
        self.assertEqual(len(records("list", "grants", cwd=self.at)), 7)

    def test_what_is_gone_before_the_closing_is_said(self):
        run("review", "decide", "1", "revoke", "--reason", "no need", "--as", "boss", cwd=self.at)
        grants = self.at / "tables" / "grants.csv"
        lines = [line for line in grants.read_text().splitlines(True) if not line.startswith("direct,")]
        grants.write_text("".join(lines))
        run("gather", cwd=self.at)
        self.assertIn("was gone already: grant:direct", run("review", "close", "--as", "x", cwd=self.at).stdout)


if __name__ == "__main__":
    unittest.main()
