"""What a review asks about, whom it asks, and the evidence beside it."""

import json
import unittest
from datetime import datetime

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from kathodos import thresholds
from kathodos.analysis.basis import Basis
from kathodos.analysis.evidence.held import carried_grants, units_of
from kathodos.columns.dictionary import dictionary_column
from kathodos.engine.compiled.compile import compile_index
from kathodos.errors import CallError
from kathodos.findings.conflicts.covers import Register
from kathodos.findings.conflicts.states import no_conflicts
from kathodos.findings.excess.batches import ExcessContext
from kathodos.findings.excess.thresholds import Thresholds
from kathodos.model.kinds import DECISIONS, REVIEW_LINES, REVIEW_THINGS
from kathodos.model.rows import rows_from
from kathodos.model.times import microseconds
from kathodos.review.drafts.draft import Asked
from kathodos.review.drafts.holder_evidence import Found
from kathodos.review.lines import Review, ReviewLines, progress_of
from kathodos.review.opening import Opening, draft_review
from kathodos.review.reviewers import managers_of
from kathodos.rules.reading import Rules
from kathodos.store.records import InMemory
from tests import stores
from tests.evidence import Plain
from tests.support import NOW, Prepared, catalogues, lay_out, naming_actions, searching, state_of
from tests.support import inside as run
from tests.support import records_inside as records

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


def drafted_of(catalogue, chosen=None, needs=(), thresholds=None):
    """The context of a catalogue, and the review of some of its identities."""
    basis = Basis(InMemory(state_of(catalogue)), compile_index(InMemory(state_of(catalogue))), AT)
    context = ExcessContext(basis, needs, thresholds or Thresholds())
    identities = basis.index.holders.identities
    numbers = np.array([identities.find(it) for it in chosen or identities])
    rules, found = Rules(needs=list(needs)), Found(np.zeros(0, dtype=np.int64))
    asked = Asked(context, no_conflicts([]), rules, found, Register({}, [], []), numbers)
    return context, draft_review(Opening(asked, ["manager"], "opener"))


def rows_of(drafted, names=REVIEW_LINES.names[1:]):
    columns = dict(zip(REVIEW_LINES.names[1:], drafted.lines, strict=True))
    return [dict(zip(names, row, strict=True)) for row in zip(*(columns[it].listed() for it in names), strict=True)]


@stores.ABOUT_ANSWERS
class ReviewItems(unittest.TestCase):
    def setUp(self):
        self.context, self.drafted = drafted_of(HOUSE, ["p"])
        self.index = self.context.basis.index

    def things(self):
        columns = zip(*(column.listed() for column in self.drafted.things), strict=True)
        return {row[0]: dict(zip(REVIEW_THINGS.names[1:], row, strict=True)) for row in columns}

    def test_an_item_is_what_can_be_taken_from_one_person(self):
        items = units_of(self.index, np.array([self.index.holders.find("identity:p")]), AT)
        grants = [self.index.grants.ids[at] if at >= 0 else None for at in items.grant]
        groups = [self.index.holders.references[at] if at >= 0 else None for at in items.group]
        self.assertEqual(grants, ["direct", "account", None])
        self.assertEqual(groups, [None, None, "group:s/listed"])
        carried = carried_grants(self.index, items.group[-1:], AT)
        self.assertEqual(sorted(self.index.grants.ids[at] for at in carried[0]), ["above", "listed"])

    def test_what_comes_by_rule_or_from_everyone_is_counted(self):
        self.assertEqual(self.drafted.beyond, 2)

    def test_evidence(self):
        direct, account, group = rows_of(self.drafted)
        things = self.things()
        thing = things[direct["thing"]]
        self.assertEqual(thing["gives"], "role:s/reader on s:/a")
        self.assertEqual(json.loads(thing["contains"]), ["view s:/a", "never view s:/a/secret"])
        peers = (direct["peers_having"], direct["peers_counted"])
        self.assertEqual(peers, (1, 1), "a peer who has the same through a group counts, the person itself does not")
        everybody = (direct["all_having"], direct["all_counted"])
        known = (3, 3) if thresholds.PEOPLE_REVIEWED else (None, None)
        self.assertEqual(everybody, known, "everyone has it; who has left, and services, do not count")
        self.assertEqual(direct["last_used"], "2026-03-03T03:03:03Z", "activity is newer than what the source says")
        self.assertEqual((account["holder"], account["given_by"]), ("account:s/px", "boss"))
        self.assertEqual(account["given_for"], "why not")
        self.assertIsNone(account["last_used"])
        self.assertEqual(json.loads(things[group["thing"]]["within"]), ["group:s/above"])
        self.assertEqual(json.loads(things[group["thing"]]["brings"]), ["role:s/reader on s:/a", "view s:/c"])

    def test_peers_are_those_that_the_configuration_means(self):
        _, drafted = drafted_of(HOUSE, ["p"], thresholds=Thresholds(peers=["title"]))
        self.assertEqual([line["peers_counted"] for line in rows_of(drafted)], [2, 2, 2])

    def test_lines_go_to_the_manager_or_the_next_one_up_who_is_there_or_the_opener(self):
        more = [{"grant": "r", "holder": "identity:r", "gives": "view s:/a"}]
        _, drafted = drafted_of({**HOUSE, "grants": [*HOUSE["grants"], *more]})
        reviewers = {line["identity"]: line["reviewer"] for line in rows_of(drafted)}
        self.assertEqual(reviewers, {"p": "boss", "q": "boss", "r": "opener"})
        self.assertEqual((drafted.people, drafted.without_reviewer), (3, 1))

    @given(st.lists(st.tuples(st.integers(-1, 14), st.booleans()), min_size=1, max_size=15))
    @searching(200)
    def test_the_next_one_up_who_is_there(self, people):
        names = [f"p{at}" for at in range(len(people))]
        manager = dictionary_column(names[of] if 0 <= of < len(names) else None for of, _ in people)
        active = np.array([there for _, there in people])
        found = managers_of(manager, active, names)
        for at in range(len(people)):
            seen, above = {at}, people[at][0]
            while 0 <= above < len(people) and above not in seen and not people[above][1]:
                seen.add(above)
                above = people[above][0]
            expected = above if 0 <= above < len(people) and above not in seen else -1
            self.assertEqual(found[at], expected)


@stores.ABOUT_ANSWERS
class Evidences(unittest.TestCase):
    @given(catalogues(), st.lists(st.sampled_from((None, "Clerk")), min_size=3, max_size=3))
    @searching(60)
    def test_shares_and_what_would_be_lost_are_what_going_through_people_says(self, catalogue, titles):
        catalogue = naming_actions(catalogue)
        people = zip(catalogue["identities"], titles, strict=True)
        catalogue = {**catalogue, "identities": [{**row, "title": title} for row, title in people]}
        _, drafted = drafted_of(catalogue)
        plain = Plain(catalogue, datetime.fromisoformat(NOW))
        units = {
            (unit.asker, unit.holder, unit.row.get("grant"), unit.group if unit.kind == "members" else None): unit
            for unit in plain.units()
        }
        for line in rows_of(drafted):
            whose = line["identity"] if line["identity"].startswith("account:") else f"identity:{line['identity']}"
            unit = units[whose, line["holder"], line["grant"], line["group"]]
            peers, everybody = plain.others(unit, "department", "title"), plain.others(unit)
            told = [line[name] for name in ("peers_having", "peers_counted", "all_having", "all_counted", "lost")]
            of_all = plain.having(unit, everybody), len(everybody)
            of_all = of_all if thresholds.PEOPLE_REVIEWED else (None, None)
            having = plain.having(unit, peers), len(peers), *of_all
            self.assertEqual(told, [*having, len(plain.adds(unit))], line)


@stores.ABOUT_ANSWERS
class LinesNamed(unittest.TestCase):
    def lines(self, count=5, decided=()):
        rows = [
            ("r", at, "p", "boss" if at % 2 else "chief", *[None] * (len(REVIEW_LINES.names) - 4))
            for at in range(1, count + 1)
        ]
        made = [("r", at, "certify", "boss", NOW, "", 0, "reviewer", None, None) for at in decided]
        both = ((REVIEW_LINES, rows), (DECISIONS, made))
        numbered = ((kind, [(at, *row) for at, row in enumerate(some, 1)]) for kind, some in both)
        records = InMemory({kind.name: rows_from(kind, some) for kind, some in numbered})
        return ReviewLines(records, Review("r", "", NOW, "opener", "2026-06-17", "open", None, None, "manager"))

    def test_numbers_ranges_and_all_that_is_left(self):
        lines = self.lines(decided={3})

        def named(words, mine=()):
            return lines.numbers[lines.named(words, np.isin(lines.numbers, mine))].tolist()

        self.assertEqual(named(["2", "4-5", "2"]), [2, 4, 5])
        self.assertEqual(named(["all"], [1, 5]), [1, 5])
        self.assertEqual(named(["all", "2"], [1, 5]), [1, 2, 5])
        for word in ("0", "6", "4-6", "5-4", "x", "-1", "1-", "99999999999"):
            with self.assertRaises(CallError, msg=word):
                lines.named([word], np.zeros(5, dtype=bool))

    def test_progress_and_days_left(self):
        first, second = progress_of(self.lines(decided={1, 3}), MOMENT)[0]
        self.assertEqual((first.reviewer, first.done, first.left, first.days_left), ("chief", 0, 2, 2))
        self.assertEqual((second.reviewer, second.done, second.left, second.by_others), ("boss", 2, 1, 0))
        late = progress_of(self.lines(), datetime.fromisoformat("2026-06-20T00:00:00Z"))[0]
        self.assertEqual(late[0].days_left, -3)


class Deciding(Prepared, unittest.TestCase):
    @classmethod
    def prepare(cls, folder):
        people = [{**row, "email": f"{row['id']}@house.example"} for row in HOUSE["identities"]]
        at = lay_out(folder / "house", {**HOUSE, "identities": people})
        run("gather", cwd=at)
        run("review", "open", "--yes", "r", "--where", 'id eq "p"', "--by-manager", "--due", "2026-07-01", cwd=at)
        return at

    def setUp(self):
        super().setUp()
        self.at = self.here

    def test_nobody_decides_about_themselves_under_any_name(self):
        for actor in ("p", "identity:p", "P@HOUSE.example", "px", "account:s/px"):
            refused = run("review", "decide", "1", "certify", "--as", actor, cwd=self.at, status=2)
            self.assertIn("nobody decides about themselves", refused.stderr)
        run("review", "close", "--yes", "--undecided", "certify", "--as", "px", cwd=self.at)
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
        self.assertIn(
            "was gone already, or ordered to end: grant:direct",
            run("review", "close", "--yes", "--as", "x", cwd=self.at).stdout,
        )


if __name__ == "__main__":
    unittest.main()
