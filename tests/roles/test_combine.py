"""Roles put together, taken apart and compared; what they reach is told by the meaning of reach written plainly."""

import json
import unittest
from datetime import datetime

from hypothesis import given
from hypothesis import strategies as st

from kathodos.analysis.combined import Parts
from kathodos.analysis.role_entries import Entry, RoleKey
from kathodos.analysis.role_table import RoleTable
from kathodos.change.composition import Desk
from kathodos.errors import CallError
from kathodos.model.kinds import BY_NAME, ROLE_PARTS
from kathodos.model.rows import Rows
from kathodos.roles.combine import Combining, combine
from kathodos.roles.compare import near_pairs
from kathodos.roles.replacing import replaced
from kathodos.roles.split import by_rules
from kathodos.store.records import InMemory
from tests.reference import Reference
from tests.roles.test_distil import alone, reached
from tests.support import NOW, Prepared, basis_of, catalogues, inside, lay_out, rule_of, searching, state_of

AT = datetime.fromisoformat(NOW)
MADE = RoleKey("s", "made")
WAYS = (Combining.MERGE, Combining.HIERARCHY)
PAIRS = st.lists(st.sets(st.sampled_from("abcdef"), min_size=2, max_size=2).map(sorted), min_size=1, max_size=7)


def with_edits(catalogue, edits):
    """The catalogue with some edits made, as plain records."""
    found = {name: list(rows) for name, rows in catalogue.items()}
    for edit in edits:
        if edit.kind.name not in BY_NAME or edit.kind.name == "role_parts":
            continue
        rows = found.setdefault(edit.kind.name, [])
        key = edit.kind.key
        rows[:] = [it for it in rows if tuple(it.get(name, _default(edit.kind, name)) for name in key) != edit.key]
        if edit.after is not None:
            rows.append({name: value for name, value in edit.after.items() if value is not None})
    return found


def _default(kind, name):
    return kind.column(name).default


def desk_of(catalogue):
    return Desk(InMemory(state_of(catalogue)), AT, "tester")


class Union(unittest.TestCase):
    @searching(120)
    @given(catalogues(), st.sets(st.sampled_from(("r1", "r2", "r3")), min_size=1), st.sampled_from(WAYS))
    def test_a_combined_role_reaches_what_holding_all_its_parts_reaches(self, drawn, parts, way):
        keys = [RoleKey("s", it) for it in sorted(parts)]
        before = alone(drawn, drawn["role_permissions"])
        try:
            found = combine(desk_of(before), MADE, keys, way)
        except CallError:
            return  # none of them gives anything
        grants = [{**before["grants"][0], "grant": it, "gives": f"role:s/{it}"} for it in parts]
        after = with_edits(before, found.composition.edits)
        held = {**after, "grants": [{**before["grants"][0], "gives": "role:s/made"}]}
        self.assertEqual(reached(held), reached({**before, "grants": grants}))

    @searching(60)
    @given(catalogues(), st.sampled_from(("r1", "r2")), st.sampled_from(("r2", "r3")))
    def test_replacing_a_role_by_one_combined_of_it_alone_changes_nobodys_reach(self, drawn, old, _):
        try:
            made = combine(desk_of(drawn), MADE, [RoleKey("s", old)], Combining.MERGE)
        except CallError:
            return
        with_made = with_edits(drawn, made.composition.edits)
        edits = replaced(desk_of(with_made), RoleKey("s", old), [MADE]).edits
        after = with_edits(with_made, edits)
        if RoleTable(InMemory(state_of(drawn))).below(RoleKey("s", old)) & {RoleKey("s", old)}:
            return  # it is below itself
        self.assertEqual(Reference(after).everything(AT), Reference(drawn).everything(AT))


CATALOGUE = {
    "systems": [{"system": "berths"}, {"system": "dues"}],
    "identities": [{"id": "p1"}, {"id": "p2"}],
    "actions": [{"system": "berths", "action": it} for it in ("view", "plan", "book", "close")]
    + [{"system": "dues", "action": it} for it in ("view", "edit")],
    "resources": [{"resource": f"berths:/{at}/{what}"} for at in ("north", "south") for what in ("slots", "plans")]
    + [{"resource": "dues:/fees"}],
    "areas": [{"area": "north", "resources": "berths:/north"}, {"area": "south", "resources": "berths:/south"}],
    "roles": [
        {"system": "berths", "role": role}
        for role in ("plan-a", "plan-b", "plan-c", "plan-old", "wide", "twin", "chief")
    ],
    "role_juniors": [{"system": "berths", "role": "chief", "junior": "wide"}],
    "role_permissions": [
        {"system": "berths", "role": role, "action": action, "resource": resource}
        for role, action, resource in (
            ("plan-a", "view", "berths:/north/slots"),
            ("plan-a", "plan", "berths:/north/plans"),
            ("plan-b", "view", "berths:/south/slots"),
            ("plan-c", "book", "berths:/north/slots"),
            ("wide", "plan", "berths:/north/plans"),
            ("wide", "book", "berths:/south/slots"),
            ("wide", "close", "berths:/south/plans"),
            ("wide", "view", "dues:/fees"),
            ("twin", "plan", "berths:/north/plans"),
            ("twin", "book", "berths:/south/slots"),
            ("twin", "close", "berths:/south/plans"),
        )
    ],
    "grants": [
        {"holder": "identity:p1", "gives": "role:berths/wide"},
        {"holder": "identity:p2", "gives": "role:berths/twin", "on": "berths:/north"},
    ],
}
RULES = """
topic = "Berths"
[[conflict]]
id = "B-1"
title = "plans, books or closes"
severity = "high"
[[conflict.duty]]
name = "plan"
any = ["plan berths:/**"]
[[conflict.duty]]
name = "book"
any = ["book berths:/**"]
[[conflict.duty]]
name = "close"
any = ["close berths:/**"]
"""


class TheCommand(Prepared, unittest.TestCase):
    @classmethod
    def prepare(cls, folder):
        office = lay_out(folder / "office", CATALOGUE, RULES)
        inside("gather", cwd=office)
        return office

    def asked(self, *words, status=0):
        return json.loads(inside("role", *words, "--format", "json", cwd=self.here, status=status).stdout)

    def gathered(self, *lines):
        """The roles' table with some lines left out, and gathered."""
        table = self.here / "tables" / "role_permissions.csv"
        kept = [it for it in table.read_text().splitlines(keepends=True) if it.strip() not in lines]
        table.write_text("".join(kept))
        inside("gather", "--allow-loss", cwd=self.here, status=None)
        inside("gather", cwd=self.here)

    def combined(self, *words):
        inside("role", "combine", "berths/plans", *words, "--yes", cwd=self.here)
        self.handed_back()

    def handed_back(self):
        out = f"out-{len(list(self.here.glob('out-*')))}"
        inside("enact", "--by", "tables", "--out", out, "--yes", cwd=self.here)
        for file in (self.here / out / "files").iterdir():
            (self.here / "tables" / file.name).write_bytes(file.read_bytes())
        inside("gather", cwd=self.here)

    def stale(self):
        found = inside("excess", "--kind", "stale-role", "--format", "json", cwd=self.here, status=None).stdout
        return [(it["subject"], it["evidence"]) for it in json.loads(found)]

    def test_added_widened_unchanged_and_stale_until_rebuilt(self):
        told = self.asked("combine", "berths/plans", "berths/plan-*", "--dry-run")
        self.assertEqual((told["added"], told["widened"], told["unchanged"], len(told["parts"])), (4, 0, 0, 4))
        self.assertTrue(told["reach_is_the_same"])
        self.combined("berths/plan-a", "berths/plan-b")
        told = self.asked("combine", "berths/plans", "berths/plan-*", "--dry-run")
        self.assertEqual((told["added"], told["widened"], told["unchanged"]), (0, 1, 3))
        self.assertEqual(self.stale(), [])
        self.gathered("berths,plan-a,plan,berths:/north/plans")
        lost = "still has plan berths:/north/plans, which its parts have lost"
        self.assertEqual(self.stale(), [("role:berths/plans", lost)])
        merged = self.asked("combine", "berths/plans", "--dry-run")
        self.assertEqual((merged["gone"], merged["unchanged"]), (0, 2))
        self.combined("--rebuild")
        self.assertEqual(self.stale(), [])

    def test_as_a_hierarchy_the_smaller_is_named(self):
        told = inside("role", "combine", "berths/all", "berths/plan-a", "berths/wide", "--hierarchy", "--dry-run",
            cwd=self.here).stdout  # fmt: skip
        self.assertIn("it is smaller with its parts as juniors; both reach the same.", " ".join(told.split()))

    def test_a_circle_is_refused(self):
        def said(*words):
            return inside("role", "combine", *words, "--dry-run", cwd=self.here, status=2).stderr

        self.assertIn("go round in a circle", said("berths/wide", "berths/chief"))
        self.assertIn("cannot be combined of itself", said("berths/wide", "berths/wide"))
        inside("role", "combine", "berths/plans", "berths/plan-a", "--into", "draft", cwd=self.here)
        self.assertIn("go round in a circle", said("berths/plan-a", "berths/plans", "--into", "draft"))
        self.assertIn("is not known", said("berths/none"))
        self.assertIn("No role is like berths/x*", said("berths/none", "berths/x*"))
        self.assertIn("None of these roles gives anything", said("berths/none", "berths/plan-old"))

    def test_split_by_system_and_area_with_the_proof_that_nothing_changes(self):
        told = self.asked("split", "berths/wide", "--by", "system", "--dry-run")
        self.assertEqual([it["role"] for it in told["parts"]], ["role:berths/wide-berths", "role:berths/wide-dues"])
        told = inside(
            "role", "split", "berths/wide", "--by", "area", "--replace", "--dry-run", "--all", cwd=self.here
        ).stdout
        self.assertIn("Nobody's reach changes", told)
        self.assertIn("role:berths/chief takes in role:berths/wide-north", told)
        inside("role", "split", "berths/plan-c", "--by", "area", "--dry-run", cwd=self.here, status=2)

    def test_split_so_that_no_part_breaks_a_rule(self):
        told = self.asked("split", "berths/wide", "--by", "rule", "--dry-run")
        self.assertEqual((len(told["parts"]), told["fewest"], told["broken_before"]), (3, 3, ["B-1"]))
        self.assertEqual([it["breaks"] for it in told["parts"]], [[], [], []])
        inside("role", "split", "berths/plan-a", "--by", "rule", "--dry-run", cwd=self.here, status=2)
        inside("role", "split", "berths/wide", "--by", "rule", "--replace", "--dry-run", cwd=self.here, status=2)

    def test_compared_by_resource_and_one_in_place_of_the_other(self):
        told = self.asked("compare", "berths/wide", "berths/plan-c")
        self.assertEqual((told["only_here"], told["only_there"], told["other_rights"]), (4, 1, 0))
        near = self.asked("compare", "--alike", "0.7")
        pairs = [(it["first"], it["second"], it["both"]) for it in near]
        self.assertEqual(
            pairs, [("role:berths/chief", "role:berths/twin", 3), ("role:berths/twin", "role:berths/wide", 3)]
        )
        told = inside("role", "compare", "berths/twin", "berths/wide", "--replace", "--dry-run", cwd=self.here).stdout
        self.assertIn("p1 loses role:berths/wide", told.replace("identity:", ""))
        near = self.asked("compare", "berths/twin", "--alike", "0.7")
        self.assertEqual([it["second"] for it in near], ["role:berths/chief", "role:berths/wide"])

    def test_made_anew_blank_like_another_and_from_a_template(self):
        template = self.here / "planner.toml"
        entries = '["view berths:/{site}/slots", "plan berths:/{site}/plans"]'
        template.write_text(f'title = "Planner of {{site}}"\nentries = {entries}\n')
        words = ("new", "berths/fresh", "--template", template, "--set", "site=south", "--dry-run")
        told = self.asked(*words)
        self.assertEqual([it["resource"] for it in told["entries"]], ["berths:/south/slots", "berths:/south/plans"])
        self.assertEqual(len(self.asked("new", "berths/fresh", "--like", "berths/wide", "--dry-run")["entries"]), 4)
        said = inside("role", "new", "berths/fresh", "--inactive", "--dry-run", cwd=self.here).stdout
        self.assertIn("role:berths/fresh comes, not active: it gives nothing yet", said)
        for wrong in (
            ("berths/wide",),
            ("berths/fresh", "--entry", "fly berths:/north/slots"),
            ("berths/fresh", "--entry", "role:berths/wide"),
            ("berths/fresh", "--template", template),
            ("nowhere/fresh",),
            ("berths/fresh", "--owner", "nobody"),
            ("fresh",),
        ):
            inside("role", "new", *wrong, "--dry-run", cwd=self.here, status=2)
        for odd in ("view {0}", "view {a.b!x}", "view {site.__class__}"):
            template.write_text(f'entries = ["{odd}"]')
            inside("role", "new", "berths/fresh", "--template", template, "--dry-run", cwd=self.here, status=2)


class FewestParts(unittest.TestCase):
    def split(self, entries, rules):
        actions = sorted({action for action, _ in entries})
        catalogue = {
            "systems": [{"system": "s"}],
            "actions": [{"system": "s", "action": it} for it in actions],
            "resources": [{"resource": resource} for _, resource in entries],
        }
        return by_rules(basis_of(catalogue), [Entry(resource, action) for action, resource in entries], rules)

    @searching(60)
    @given(st.sets(st.sampled_from("abcdef"), min_size=2), PAIRS)
    def test_as_few_as_any_way_of_telling_them_apart_has(self, names, pairs):
        rules = [rule_of([[("do", f"s:/{it}")] for it in pair], f"R{at}") for at, pair in enumerate(pairs)]
        entries = [("do", f"s:/{it}") for it in sorted(names)]
        apart = [set(pair) for pair in pairs if set(pair) <= names]
        if not apart:
            with self.assertRaises(CallError):
                self.split(entries, rules)
            return
        found = self.split(entries, rules)
        parts = [{it.resource[-1] for it in some} for some in found.parts.values()]
        self.assertEqual(set().union(*parts), names)
        self.assertFalse(any(pair <= part for pair in apart for part in parts))
        self.assertEqual((len(parts), found.fewest), (_fewest(sorted(names), apart),) * 2)


def _fewest(names, apart):
    """The fewest groups of names of which none holds both of a pair, by trying all."""
    import itertools

    for count in range(1, len(names) + 1):
        for places in itertools.product(range(count), repeat=len(names)):
            place = dict(zip(names, places, strict=True))
            if all(len({place[it] for it in pair}) == 2 for pair in apart):
                return count
    raise AssertionError


class Remembered(unittest.TestCase):
    def test_parts_of_parts(self):
        pairs = (("a", "b"), ("b", "c"), ("c", "a"))
        rows = [{"whole": f"role:s/{whole}", "part": f"role:s/{part}", "took": "[]"} for whole, part in pairs]
        state = state_of({})
        columns = {name: [row.get(name) for row in rows] for name in ROLE_PARTS.names}
        state["role_parts"] = Rows(ROLE_PARTS, [1, 2, 3], columns)
        found = Parts.of(InMemory(state)).within(RoleKey("s", "a"))
        self.assertEqual({it.role for it in found}, {"a", "b", "c"})

    def test_near_pairs_are_those_that_a_plain_count_finds(self):
        lines = [{"system": "s", "role": role, "action": "do", "resource": f"s:/{it}"}
            for role, some in (("a", "xyz"), ("b", "xyzw"), ("c", "xq"), ("d", "xq")) for it in some]  # fmt: skip
        roles = [{"system": "s", "role": it} for it in "abcd"]
        table = RoleTable(InMemory(state_of({"systems": [{"system": "s"}], "roles": roles, "role_permissions": lines})))
        found = [(it.first.role, it.second.role, round(it.share, 2)) for it in near_pairs(table, 0.7)]
        self.assertEqual(found, [("c", "d", 1.0), ("a", "b", 0.75)])
