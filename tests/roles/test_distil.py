"""Roles distilled from use: exact, tight, and enough; against the meaning of reach written plainly."""

import json
import unittest
from datetime import datetime

from hypothesis import given
from hypothesis import strategies as st

from kathodos.analysis.role_entries import Entry
from kathodos.change.edit_sets import EditSet
from kathodos.columns.csr import csr_from_lists
from kathodos.model.kinds import split_list
from kathodos.model.times import microseconds
from kathodos.roles.companions import EVERY_DEPTH, companions_of, companions_of_each
from kathodos.roles.distil import DistilTerms, distilled
from kathodos.roles.references import Reading, References
from kathodos.roles.trying import Trial
from kathodos.roles.uses import Touched
from kathodos.store.records import InMemory
from tests.reference import Reference, split
from tests.support import NOW, Prepared, catalogues, index_of, inside, lay_out, searching, state_of

MOMENT = microseconds(datetime.fromisoformat(NOW))
PERSON = {"id": "p", "status": "active"}


def alone(catalogue, lines, role="r1"):
    """The catalogue with one person, who holds one role and nothing else; nobody else holds anything."""
    grant = {"grant": "g", "holder": "identity:p", "gives": f"role:s/{role}", "effect": "permit", "tier": 0}
    emptied = {name: [] for name in ("accounts", "groups", "members", "areas", "mandates")}
    return {**catalogue, **emptied, "identities": [PERSON], "grants": [grant], "role_permissions": lines}


def reached(catalogue):
    """What the person reaches, by the meaning of reach written plainly."""
    found = Reference(catalogue).everything(datetime.fromisoformat(NOW))
    return {(action, address) for _, action, address in found}


def touched_by(pairs):
    return sorted(Touched(Entry(address, action), 1, "2026-06-01", "2026-06-01", 1) for action, address in pairs)


def lines_of(entries, role="made"):
    return [
        {"system": "s", "role": role, "action": it.action, "resource": it.resource, "effect": "permit"}
        for it in entries
    ]


class Exactness(unittest.TestCase):
    @searching(90)
    @given(catalogues())
    def test_what_somebody_reaches_by_a_role_distils_to_a_role_that_gives_the_same(self, drawn):
        lines = [{**it, "effect": "permit"} for it in drawn["role_permissions"]]
        before = alone(drawn, lines)
        pairs = {it for it in reached(before) if it[1].startswith("s:")}
        if not pairs:
            return
        index = index_of(before)
        found = distilled(index, touched_by(pairs), ["one"], DistilTerms())
        self.assertEqual(found.gates, [])  # whoever got there had the ways in
        after = alone({**before, "roles": [*before["roles"], {"system": "s", "role": "made", "active": 1}]},
            [*lines, *lines_of(found.all_entries)], "made")  # fmt: skip
        self.assertEqual({it for it in reached(after) if it[1].startswith("s:")}, pairs)

    @searching(90)
    @given(catalogues(), st.data())
    def test_a_role_of_single_resources_that_are_all_used_distils_to_itself(self, drawn, data):
        places = [it["resource"] for it in drawn["resources"] if it["resource"].startswith("s:")]
        actions = ("view", "edit", "own")
        pairs = data.draw(st.sets(st.tuples(st.sampled_from(actions), st.sampled_from(places or ["s:/"])), min_size=1))
        declared = [{"system": "s", "action": it} for it in actions]
        catalogue = {**alone(drawn, []), "actions": declared, "systems": [{"system": "s"}, {"system": "t"}]}
        found = distilled(index_of(catalogue), touched_by(pairs), ["one"], DistilTerms())
        self.assertEqual({(it.action, it.resource) for it in found.all_entries}, pairs)

    @searching(90)
    @given(catalogues(), st.data())
    def test_what_was_used_is_reached_by_the_role_alone_whatever_the_gates(self, drawn, data):
        places = sorted({it["resource"] for it in drawn["resources"] if it["resource"].startswith("s:")})
        if not places:
            return
        pairs = data.draw(
            st.sets(st.tuples(st.sampled_from(("view", "edit")), st.sampled_from(places)), min_size=1, max_size=4)
        )
        declared = [{"system": "s", "action": it} for it in ("view", "edit", "own")]
        catalogue = {**alone(drawn, []), "actions": declared}
        index = index_of(catalogue)
        terms = DistilTerms(lift=data.draw(st.sampled_from((0, 2))))
        found = distilled(index, touched_by(pairs), ["one"], terms)
        roles = [{"system": "s", "role": "made", "active": 1}]
        after = alone({**catalogue, "roles": roles}, lines_of(found.all_entries), "made")
        self.assertLessEqual(pairs, reached(after))
        state = InMemory(state_of(after))
        trial = Trial(index_of({**after, "grants": []}), state, ["role:s/made"], EditSet(), MOMENT)
        self.assertEqual(trial.lacking(it.entry for it in touched_by(pairs)), [])
        # Without any one entry something that was used is out of reach, unless another gives the same.
        for entry in found.all_entries:
            fewer = alone(
                {**catalogue, "roles": roles}, lines_of(it for it in found.all_entries if it != entry), "made"
            )
            if pairs <= reached(fewer):
                self.assertTrue(any(_holds(other, entry) for other in found.all_entries if other != entry), entry)


def _holds(other, entry):
    """Whether another entry may give the same: the same action somewhere above, or by a pattern."""
    path, above = split(entry.resource), split(other.resource)
    return other.action == entry.action and ("*" in other.resource or path[: len(above)] == above)


class Needs(unittest.TestCase):
    def setUp(self):
        refers = {
            "s:/orders": "s:/customers;s:/goods",
            "s:/orders/1": "s:/notes",
            "s:/customers": "s:/towns",
            "s:/towns": "s:/orders",
        }
        places = ("s:/orders", "s:/orders/1", "s:/customers", "s:/goods", "s:/towns", "s:/notes", "t:/log")
        self.catalogue = {
            "systems": [{"system": "s"}, {"system": "t"}],
            "actions": [
                {"system": "s", "action": "list", "kind": "read"},
                {"system": "s", "action": "view", "kind": "read", "implies": "list"},
                {"system": "s", "action": "edit", "kind": "write", "implies": "view"},
                {"system": "s", "action": "sign", "kind": "approve"},
                {"system": "t", "action": "look", "kind": "read"},
            ],
            "resources": [{"resource": it, "refers": refers.get(it), "type": "x"} for it in places],
        }

    def found(self, *entries, depth=1, **more):
        index = index_of(self.catalogue)
        references = References(index, InMemory(state_of(self.catalogue)))
        some = companions_of(index, references, Reading(index, more), [Entry(*it) for it in entries], depth)
        return [(it.entry.action, it.entry.resource, it.depth) for it in some]

    def test_writing_needs_to_read_what_is_referred_to(self):
        both = [("list", "s:/customers", 1), ("list", "s:/goods", 1), ("list", "s:/notes", 1)]
        self.assertEqual(self.found(("s:/orders", "edit")), both)
        self.assertEqual(self.found(("s:/orders", "view")), [])
        self.assertEqual(self.found(("s:/orders", "edit"), ("s:/goods", "view")), [both[0], both[2]])

    def test_to_any_depth_round_in_circles(self):
        deeper = self.found(("s:/orders", "edit"), depth=EVERY_DEPTH)
        self.assertEqual(deeper[3:], [("list", "s:/towns", 2)])
        self.assertEqual(len(deeper), 4)  # the towns refer to the orders again, which may be read already

    def test_an_action_that_implies_no_read_takes_the_one_that_is_named_most(self):
        self.catalogue["role_permissions"] = [
            {"system": "s", "role": "r", "action": "view", "resource": "s:/goods", "effect": "permit"}
        ]
        self.catalogue["roles"] = [{"system": "s", "role": "r", "active": 1}]
        self.assertIn(("view", "s:/goods", 1), self.found(("s:/orders", "sign")))
        self.assertIn(("list", "s:/goods", 1), self.found(("s:/orders", "sign"), s="list"))

    @given(st.data())
    def test_of_many_roles_as_of_each_and_nothing_is_lacking_then(self, data):
        places = ["s:/", *(f"s:/{at}" for at in "abc"), *(f"s:/{at}/{it}" for at in "abc" for it in "xy"), "t:/log"]
        lists = st.lists(st.sampled_from(places), max_size=3, unique=True)
        refers = {it: ";".join(data.draw(lists)) or None for it in places}
        detached = data.draw(lists)
        resources = [{"resource": it, "refers": refers[it], "type": "x", "detached": it in detached} for it in places]
        named = {"system": "s", "role": "r", "action": "view", "resource": "s:/a", "effect": "permit"}
        more = {"resources": resources, "roles": [{"system": "s", "role": "r"}], "role_permissions": [named]}
        index = index_of({**self.catalogue, **more})
        state = InMemory(state_of({**self.catalogue, **more}))
        references, reading = References(index, state), Reading(index, {})
        actions = st.sampled_from(["list", "view", "edit", "sign", "*"])
        patterns = st.sampled_from([*places, "s:/**", "s:/a/*", "s:/b/**"])
        entry = st.builds(Entry, patterns, actions, st.sampled_from(["permit", "permit", "deny"]))
        roles = data.draw(st.lists(st.lists(entry, max_size=4, unique=True), min_size=1, max_size=4))
        depth = data.draw(st.sampled_from([1, 2, EVERY_DEPTH]))
        every = list(dict.fromkeys(it for role in roles for it in role))
        held = csr_from_lists([every.index(it) for it in role] for role in roles)
        found = companions_of_each(index, references, reading, every, held, held, depth)
        for role, some in zip(roles, found, strict=True):
            self.assertEqual(companions_of(index, references, reading, role, depth), some)
            whole = [*role, *(it.entry for it in some)]
            self.assertEqual(companions_of(index, references, reading, whole, depth, role), [])
            for it in some:
                self.assertIn(it.needed_by, role)
                self.assertIn(it.entry.resource, split_list(refers[it.source]))
                rest = [one for one in whole if one != it.entry]
                lacking = companions_of(index, references, reading, rest, depth, role)
                self.assertIn(it.entry, [one.entry for one in lacking])


CATALOGUE = {
    "systems": [{"system": "berths", "gates": "site=enter"}, {"system": "dues"}],
    "identities": [{"id": "p1", "name": "Ada"}, {"id": "p2", "name": "Bo"}],
    "accounts": [{"system": "berths", "login": "ada", "identity": "p1"}],
    "actions": [
        {"system": "berths", "action": "view", "kind": "read"},
        {"system": "berths", "action": "plan", "kind": "write", "implies": "view"},
        {"system": "berths", "action": "enter", "kind": "read"},
        {"system": "dues", "action": "view", "kind": "read"},
    ],
    "resources": [
        {"resource": "berths:/north", "type": "site"},
        {"resource": "berths:/north/slots/1", "refers": "berths:/north/ships/7"},
        {"resource": "berths:/north/slots/2", "refers": "berths:/north/ships/8;berths:/north/gone"},
        {"resource": "berths:/north/slots/3"},
        {"resource": "berths:/north/ships/7"},
        {"resource": "berths:/north/ships/8"},
        {"resource": "dues:/fees"},
    ],
    "roles": [{"system": "berths", "role": "planner", "title": "Planner"}],
    "role_permissions": [
        {"system": "berths", "role": "planner", "action": "enter", "resource": "berths:/north"},
        {"system": "berths", "role": "planner", "action": "plan", "resource": "berths:/north/slots/1"},
        {"system": "berths", "role": "planner", "action": "view", "resource": "berths:/north/ships/*"},
    ],
    "grants": [{"holder": "identity:p2", "gives": "role:berths/planner"}],
    "activity": [
        {"time": "2026-06-01T08:00:00Z", "account": "berths/ada", "action": "plan", "resource": "berths:/north/slots/1",
            "record": "R1", "task": "morning", "count": 3},
        {"time": "2026-06-01T08:05:00Z", "account": "berths/ada", "action": "plan", "resource": "berths:/north/slots/2",
            "record": "R1", "task": "morning", "count": 1},
        {"time": "2026-06-02T08:00:00Z", "account": "berths/ada", "action": "plan", "resource": "berths:/north/slots/1",
            "record": "R2", "task": "morning", "count": 2},
        {"time": "2026-06-02T09:00:00Z", "identity": "p1", "action": "view", "resource": "dues:/fees", "record": "R3"},
    ],
}  # fmt: skip


class TheCommand(Prepared, unittest.TestCase):
    @classmethod
    def prepare(cls, folder):
        office = lay_out(folder / "office", CATALOGUE)
        inside("gather", cwd=office)
        return office

    def asked(self, *words, **options):
        return json.loads(inside("role", *words, "--format", "json", cwd=self.here, **options).stdout)

    def entries(self, *words):
        told = self.asked("distil", "berths/morning", *words, "--dry-run")
        (role,) = told["roles"]
        return {(it["action"], it["resource"]): it for it in role["entries"]}, role, told

    def test_entries_as_used_with_companions_and_ways_in_apart(self):
        found, role, told = self.entries("--by", "p1")
        one = found["plan", "berths:/north/slots/1"]
        self.assertEqual((one["count"], one["first"], one["last"]), (5, "2026-06-01T08:00:00Z", "2026-06-02T08:00:00Z"))
        self.assertEqual((role["used"], role["companions"], role["ways_in"], role["lacking"]), (2, 2, 1, []))
        self.assertIn(("view", "berths:/north/ships/8"), found)
        self.assertIn(("enter", "berths:/north"), found)
        self.assertEqual(told["elsewhere"], {"dues": 1})
        without, role, _ = self.entries("--by", "p1", "--companions", "0", "--without", "enter *")
        self.assertEqual((len(without), role["left_out"]), (2, []))
        self.assertEqual(len(self.entries("--by", "p1", "--without", "berths:/north/ships/8")[0]), 4)

    def test_selected_by_time_record_and_task(self):
        self.assertEqual(len(self.entries("--since", "2026-06-02", "--companions", "0")[0]), 2)
        self.assertEqual(self.entries("--record", "R1", "--until", "2026-06-01")[1]["used"], 2)
        self.assertEqual(self.entries("--task", "morning", "--on", "berths:/north/slots/1")[1]["used"], 1)

    def test_several_traces_in_all_in_some(self):
        found, _, told = self.entries("--each", "day", "--companions", "0")
        self.assertEqual(told["traces"], ["2026-06-01", "2026-06-02"])
        self.assertEqual(found["plan", "berths:/north/slots/1"]["traces"], 2)
        self.assertEqual(found["plan", "berths:/north/slots/2"]["traces"], 1)
        _, role, _ = self.entries("--each", "day", "--in", "all", "--companions", "0")
        self.assertEqual([it["resource"] for it in role["noise"]], ["berths:/north/slots/2"])
        _, role, _ = self.entries("--at-least", "2", "--companions", "0")
        self.assertEqual([it["count"] for it in role["noise"]], [1])

    def test_lifted_to_a_pattern_with_what_that_permits_more(self):
        found, _, _ = self.entries("--lift", "2", "--companions", "0")
        lifted = found["plan", "berths:/north/slots/*"]
        self.assertEqual((lifted["permits"], lifted["used"], lifted["count"]), (3, 2, 6))
        by_hand, _, _ = self.entries("--pattern", "berths:/*/slots/**", "--companions", "0")
        self.assertIn(("plan", "berths:/*/slots/**"), by_hand)
        inside("role", "distil", "berths/x", "--pattern", "berths:/south/*", cwd=self.here, status=2)

    def test_one_role_in_each_system_and_then_it_is_there(self):
        told = inside("role", "distil", "morning", "--by", "p1", "--yes", "--title", "Mornings", cwd=self.here).stdout
        self.assertIn("role:berths/morning: 2 entries from 6 uses, and besides 2 companions and 1 way in.", told)
        self.assertIn("role:dues/morning: 1 entry from 1 use.", told)
        roles = inside("list", "roles", "--assume", "orders", "--format", "csv", cwd=self.here).stdout
        self.assertIn("dues,morning,Mornings", roles)
        again = inside("role", "distil", "morning", "--by", "p1", "--yes", cwd=self.here).stdout
        self.assertIn("stand already 6: there is nothing to do.", again)

    def test_a_role_that_is_there_gets_what_it_lacks_or_exactly_what_was_used(self):
        told = self.asked("distil", "berths/planner", "--by", "p1", "--dry-run")
        self.assertEqual(told["roles"][0]["standing"], 2)
        inside("role", "distil", "berths/planner", "--by", "p1", "--exactly", "--yes", cwd=self.here)
        run = inside("list", "role_permissions", "--assume", "orders", "--format", "csv", cwd=self.here).stdout
        self.assertNotIn("ships/*", run)
        self.assertIn("slots/2", run)

    def test_a_trace_against_a_role(self):
        told = self.asked("against", "planner", "--by", "p1", status=1)
        lines = {(it["side"], it["action"], it["resource"]) for it in told["lines"]}
        self.assertEqual(
            lines,
            {
                ("missing", "plan", "berths:/north/slots/2"),
                ("used", "plan", "berths:/north/slots/1"),
                ("unused", "view", "berths:/north/ships/*"),
            },
        )
        inside("role", "against", "planner", "--by", "p1", "--add", "--into", "wider", cwd=self.here)
        told = inside("change", "show", "wider", cwd=self.here).stdout
        self.assertIn("role:berths/planner permits plan berths:/north/slots/2", told)

    def test_companions_afterwards_for_roles_and_single_entries(self):
        inside("change", "read", self.change(), "--yes", cwd=self.here)
        told = self.asked("companions", "berths/*", "--dry-run")
        self.assertEqual([it["resource"] for it in told["companions"]], ["berths:/north/ships/8"])
        self.assertEqual(told["unknown"], {"berths:/north/gone": 1})
        none = self.asked("companions", "berths/bare", "--entry", "plan *slots/3", "--dry-run")
        self.assertEqual(none["companions"], [])
        inside("role", "companions", "berths/bare", "--entry", "view *", "--dry-run", cwd=self.here, status=2)

    def change(self):
        file = self.here / "bare.toml"
        rows = [("plan", "berths:/north/slots/2"), ("plan", "berths:/north/slots/3"), ("enter", "berths:/north")]
        of_role = '[[add]]\nkind = "role_permissions"\nsystem = "berths"\nrole = "bare"\n'
        blocks = [f'{of_role}action = "{action}"\nresource = "{at}"\n' for action, at in rows]
        file.write_text('[[add]]\nkind = "roles"\nsystem = "berths"\nrole = "bare"\n' + "\n".join(blocks))
        return file

    def test_recorded_in_files_of_several_forms(self):
        table = "time,account,action,resource\n2026-06-03T08:00:00Z,berths/ada,plan,berths:/north/slots/3\n"
        (self.here / "one.csv").write_text(table)
        line = {"time": "2026-06-04T08:00:00Z", "identity": "p1", "action": "plan", "resource": "berths:/north/slots/3"}
        (self.here / "two.jsonl").write_text(json.dumps(line) + "\n" + json.dumps({**line, "action": "fly"}) + "\n")
        found, role, told = self.entries("--trace", "one.csv", "two.jsonl", "--in", "all", "--by", "p1")
        self.assertEqual(found["plan", "berths:/north/slots/3"]["count"], 2)
        self.assertEqual(told["traces"], ["one.csv", "two.jsonl"])
        self.assertEqual([it["action"] for it in role["unknown"]], ["fly"])
        message = '<134>1 2026-06-05T08:00:00Z host app 1 - [use@32473 who="ada" what="plan" on="north/slots/1"] ok'
        (self.here / "app.log").write_text(message + "\n")
        with (self.here / "kathodos.toml").open("a") as file:
            file.write('[[source]]\nname = "app"\nkind = "activity"\npath = "app.log"\n[source.log]\n'
                'columns = { "use@32473.who" = "account", "use@32473.what" = "action" }\n'
                'build = { resource = "berths:/{use@32473.on:path}" }\n')  # fmt: skip
        found, _, _ = self.entries("--trace", "app.log", "--like", "app", "--companions", "0")
        self.assertIn(("plan", "berths:/north/slots/1"), found)

    def test_what_is_wrong_with_a_trace_is_said(self):
        def said(*words, status=3):
            return inside("role", "distil", *words, "--dry-run", cwd=self.here, status=status).stderr

        (self.here / "empty.csv").write_text("time,action,resource\n")
        self.assertIn("empty.csv holds no use: it is empty.", said("berths/x", "--trace", "empty.csv"))
        (self.here / "other.csv").write_text(
            "time,action,resource\n2026-06-03,plan,docks:/a\n2026-06-03,plan,docks:/b\n"
        )
        self.assertIn("other.csv, line 2: resource 'docks:/a' there is no system docks; so it is with all 2 rows.",
            said("berths/x", "--trace", "other.csv"))  # fmt: skip
        (self.here / "odd.csv").write_text("time,action,resource\n2026-06-03,fly,berths:/north\n")
        self.assertIn("The system berths knows none of the actions fly.", said("berths/x", "--trace", "odd.csv"))
        (self.here / "binary.csv").write_bytes(b"\x00\xff\xfe" * 50)
        said("berths/x", "--trace", "binary.csv")
        said("berths/x", "--trace", "nowhere.csv")
        self.assertIn("Nothing of dues was used", said("dues/x", "--record", "R1"))
        self.assertIn("below the threshold", said("berths/x", "--at-least", "100"))
        self.assertIn("There is no system docks.", said("docks/x", status=2))
        self.assertIn("no moment", said("berths/x", "--since", "soon", status=2))
        self.assertIn("No use has the task evening.", said("berths/x", "--task", "evening", status=2))
        self.assertIn("An entry cannot be in 2 of 1 trace.", said("berths/x", "--in", "2", status=2))
        self.assertIn("Nothing was used in this trace.", said("berths/x", "--since", "2027-01-01"))
        self.assertIn("There is no identity nobody.", said("berths/x", "--owner", "nobody", status=2))
        self.assertIn("There is no system docks.", said("berths/x", "--read", "docks=view", status=2))
        self.assertIn("berths has no action see.", said("berths/x", "--read", "berths=see", status=2))
