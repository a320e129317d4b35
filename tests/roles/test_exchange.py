"""Roles moved between two installations: exported, planned, answered, taken in, undone."""

import json
import os
import unittest
from datetime import datetime
from pathlib import Path

import rfc8785
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
from hypothesis import given
from hypothesis import strategies as st

from kathodos.analysis.role_entries import Entry, RoleKey
from kathodos.analysis.role_table import RoleTable
from kathodos.change.composition import Desk
from kathodos.errors import DataError
from kathodos.roles.exchange import Content, Made, RoleBlock, lines_of, read_exchange, schema, written
from kathodos.roles.planning import Choice, Renaming, RoleState, own_juniors, planned, taken
from kathodos.store.records import InMemory
from tests import stores
from tests.reference import Reference
from tests.roles.test_combine import CATALOGUE, RULES, with_edits
from tests.roles.test_distil import alone, reached
from tests.support import (
    NOW,
    Prepared,
    Scratch,
    catalogues,
    index_of,
    inside,
    lay_out,
    searching,
    state_of,
    write_tables,
)

AT = datetime.fromisoformat(NOW)
ROOT = Path(__file__).parents[2]


def content_of(catalogue, keys):
    table = RoleTable(InMemory(state_of(catalogue)))
    roles = []
    for key in keys:
        below = [f"{it.system}/{it.role}" for it in own_juniors(table, key)]
        roles.append(RoleBlock(key.system, key.role, lines_of(table.own(key)), None, table.is_active(key), True, below))
    return Content("kathodos-roles/1", Made(NOW, "tester", 1), roles)


class EqualReach(unittest.TestCase):
    @searching(60)
    @given(catalogues(), catalogues(), st.sampled_from(("r1", "r2", "r3")))
    def test_what_is_replaced_elsewhere_reaches_the_same(self, there, here, role):
        keys = [RoleKey("s", it) for it in ("r1", "r2", "r3")]
        here = {**there, **{name: here[name] for name in ("role_permissions", "role_juniors", "roles")}}
        # What is here names the actions too, or what there is for all of them would be another.
        here["actions"] = there["actions"] = _all_actions(there, here)
        desk = Desk(InMemory(state_of(here)), AT, "tester")
        plan = planned(desk, index_of(here), content_of(there, keys), Renaming(), "")
        choices = {it.key: Choice.REPLACE for it in plan.of_state(RoleState.DIFFERENT)}
        after = with_edits(here, taken(desk, plan, choices, False).edits)
        held = [alone(it, it["role_permissions"], role) for it in (after, there)]
        self.assertEqual(*(reached(it) for it in held))
        again = Desk(InMemory(state_of(after)), AT, "tester")
        second = planned(again, index_of(after), content_of(there, keys), Renaming(), "")
        self.assertEqual({it.state for it in second.roles}, {RoleState.SAME})


def _all_actions(*catalogues):
    known = {(it["system"], it["action"]): it for some in catalogues for it in some["actions"]}
    for some in catalogues:
        for system in ("s", "t"):
            for name in Reference(some).actions(system):
                known.setdefault((system, name), {"system": system, "action": name})
    return [{**it, "kind": None, "implies": None} for it in known.values()]


class TheFile(unittest.TestCase):
    def setUp(self):
        from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

        self.text = written(content_of(CATALOGUE, [RoleKey("berths", "wide")]), Ed25519PrivateKey.generate())

    @searching(50)
    @given(st.text(), st.text(st.characters(categories=("Cc", "Zs", "Sk", "So", "Co"))), st.booleans())
    def test_what_is_signed_is_its_canonical_form_by_the_standard(self, title, name, is_active):
        key = Ed25519PrivateKey.generate()
        roles = [RoleBlock("s", name, lines_of([Entry("s:/a", "view")]), title, is_active)]
        file = json.loads(written(Content("kathodos-roles/1", Made(NOW, name, 1), roles), key))
        key.public_key().verify(bytes.fromhex(file["signature"]["value"]), rfc8785.dumps(file["content"]))

    def test_its_schema_is_published(self):
        published = json.loads((ROOT / "docs" / "schemas" / "roles.schema.json").read_text())
        self.assertEqual(published, schema())

    def test_any_altered_letter_is_noticed(self):
        read_exchange("f", self.text)
        for old, new in (
            ("permit", "deny"),
            ("wide", "wild"),
            ('"active": true', '"active": false'),
            ("tester", "other"),
        ):
            with self.assertRaisesRegex(DataError, "altered on the way"):
                read_exchange("f", self.text.replace(old, new, 1))

    def test_spacing_and_order_are_not_signed(self):
        self.assertEqual(read_exchange("f", json.dumps(json.loads(self.text))), read_exchange("f", self.text))

    def test_what_is_no_such_file_is_refused(self):
        for text in ("", "{}", "[]", "null", "[" * 100_000, self.text[:-40], self.text.replace("-roles/1", "-roles/2"),
                     self.text.replace('"areas"', '"further"'), '{"content": ' * 50_000):  # fmt: skip
            with self.assertRaises(DataError):
                read_exchange("f", text)
        for text, why in (("\n", "it is empty"), ('{\n  "a" 1}', "it is not JSON in line 2, at character 7")):
            with self.assertRaisesRegex(DataError, why):
                read_exchange("f", text)


class BetweenTwo(Prepared, unittest.TestCase):
    @classmethod
    def prepare(cls, folder):
        office = folder / "offices"
        office.mkdir()
        test = lay_out(office / "test", CATALOGUE, RULES)
        live = json.loads(json.dumps(CATALOGUE).replace("berths", "live"))
        live["roles"] = [it for it in live["roles"] if it["role"] not in ("plan-b", "chief")]
        gone = (("wide", "book"), ("plan-a", "view"))
        live["role_permissions"] = [
            it for it in live["role_permissions"] if it["role"] != "plan-b" and (it["role"], it["action"]) not in gone
        ] + [{"system": "live", "role": "plan-a", "action": "view", "resource": "live:/south/slots"}]
        live["actions"] = [it for it in live["actions"] if it["action"] != "close"]
        live["resources"] = [it for it in live["resources"] if it["resource"] != "dues:/fees"]
        del live["role_juniors"]
        for workspace in (test, lay_out(office / "live", live)):
            inside("gather", cwd=workspace)
        inside("role", "export", "berths/*", "--to", office / "roles.json", cwd=test)
        return office

    def setUp(self):
        super().setUp()
        self.test, self.live, self.file = self.here / "test", self.here / "live", self.here / "roles.json"

    def plan(self, *words, rename="berths=live", status=0):
        words = ("role", "plan", self.file, "--rename", rename, *words, "--format", "json")
        return json.loads(inside(*words, cwd=self.live, status=status).stdout)

    def take(self, *words, status=0):
        words = ("take", self.file, "--rename", "berths=live", "--trust", self.plan()["key"], *words)
        return inside("role", *words, cwd=self.live, status=status)

    def test_new_same_different_with_the_differences_and_what_is_missing(self):
        told = self.plan()
        self.assertEqual((told["new"], told["same"], told["different"]), (2, 3, 2))
        by_role = {it["role"]: it for it in told["roles"]}
        wide, first = by_role["role:live/wide"], by_role["role:live/plan-a"]
        self.assertEqual(wide["only_there"], ["book live:/south/slots"])
        self.assertEqual(
            (first["only_here"], first["only_there"]), (["view live:/south/slots"], ["view live:/north/slots"])
        )
        self.assertEqual(by_role["role:live/chief"]["state"], "new")
        self.assertEqual(told["missing"], ["a resource that answers to dues:/fees"])
        self.assertEqual(self.plan(rename="berths=harbour")["blocked"], 7)
        moved = self.plan("--rename", "berths=live", "berths:/north=live:/south")
        self.assertIn("plan live:/south/plans", {it: 1 for role in moved["roles"] for it in role["only_there"]})

    def test_answered_in_a_file_taken_in_as_one_change_and_undone_as_one(self):
        answers = self.folder / "answers.toml"
        self.plan("--answers", answers)
        said = self.take("--answers", answers, "--yes", status=2).stderr
        self.assertIn("It is not said what becomes of role:live/plan-a, role:live/wide", said)
        text = answers.read_text().replace('""   # unite, replace, leave', '"replace"', 1)
        answers.write_text(text.replace('""   # unite, replace, leave', '"unite"', 1))
        before = self.reach()
        self.take("--answers", answers, "--yes", "--reason", "from the test")
        entries = inside("list", "role_permissions", "--assume", "orders", "--format", "csv", cwd=self.live).stdout
        self.assertIn("live,plan-a,view,live:/north/slots", entries)
        self.assertNotIn("live,plan-a,view,live:/south/slots", entries)
        self.assertIn("before-change-1", inside("baseline", "list", cwd=self.live).stdout)
        self.assertIn("Since the plan was answered live/chief", self.take("--answers", answers, status=3).stderr)
        inside("change", "undo", "change-1", "--yes", cwd=self.live)
        self.assertEqual(self.reach(), before)

    def reach(self):
        words = ("list", "role_permissions", "--assume", "orders", "--format", "csv")
        return sorted(inside(*words, cwd=self.live).stdout.splitlines())

    def test_an_unknown_key_asks_and_one_that_is_listed_does_not(self):
        words = ("role", "take", self.file, "--rename", "berths=live", "--different", "leave", "--dry-run")
        self.assertIn("which is not known here", inside(*words, cwd=self.live, status=2).stderr)
        self.assertIn("not known here", inside(*words, "--trust", "0" * 32, cwd=self.live, status=2).stderr)
        with (self.live / "kathodos.toml").open("a") as file:
            file.write(f'[exchange]\nkeys = ["{self.plan()["key"]}"]\n')
        inside(*words, cwd=self.live)
        self.assertIn("signed with the key", inside(*words, cwd=self.live).stdout)

    def test_united_replaced_or_left_and_the_same_ones_by_themselves(self):
        told = self.take("--different", "unite", "--leave", "live/wide", "--dry-run", "--all").stdout
        self.assertIn("role:live/plan-a permits view live:/north/slots", told)
        self.assertNotIn("role:live/wide permits", told)
        self.assertNotIn("no longer permits", told)
        self.take("--different", "leave", "--leave", "live/nowhere", status=2)
        said = self.take("--different", "leave", "--leave", "live/chief", "live/plan-b", "--dry-run").stdout
        self.assertIn("there is nothing to do", said.lower())

    def test_what_is_wrong_with_a_file_or_an_answer_is_said(self):
        answers = self.folder / "answers.toml"
        self.plan("--answers", answers)
        text = answers.read_text()
        for old, new, said in (
            ('choice = "add"', 'choice = "unite"', "cannot be answered with 'unite'"),
            ('role = "live/chief"', 'role = "live/other"', "the file has no role live/other"),
            ("[[role]]", "[[rule]]", "there is no key 'rule'"),
            ('file = "', 'file = "0', "answers the plan of another file"),
        ):
            answers.write_text(text.replace(old, new))
            self.assertIn(said, self.take("--answers", answers, status=3).stderr)
        other = self.folder / "other.json"
        for content in (b"\xff\xfe", b"{}", b""):
            other.write_bytes(content)
            inside("role", "plan", other, cwd=self.live, status=3)
        inside("role", "plan", self.folder / "nowhere.json", cwd=self.live, status=3)
        inside("role", "plan", self.file, "--rename", "berths", cwd=self.live, status=2)
        inside("role", "plan", self.file, "--rename", "berths=live:/a", cwd=self.live, status=2)
        inside("role", "export", "berths/*", "--to", self.file, cwd=self.test, status=2)


@stores.ABOUT_DATABASES
class BetweenKindsOfStore(Scratch, unittest.TestCase):
    def test_from_a_file_to_a_database(self):
        test = lay_out(self.folder / "test", CATALOGUE, RULES)
        inside("gather", cwd=test)
        file = self.folder / "roles.json"
        inside("role", "export", "berths/plan-a", "berths/wide", "--to", file, cwd=test)
        server = stores.server()
        name = stores.new_database()
        server.create(name)
        live = self.folder / "live"
        os.environ.setdefault("XDG_CACHE_HOME", str(self.folder / "cache"))
        inside("init", live, "--store", server.url(name), cwd=self.folder)
        stores.may_act(live)
        bare = {name: rows for name, rows in CATALOGUE.items() if not name.startswith("role") and name != "grants"}
        write_tables(live / "tables", bare)
        inside("gather", cwd=live)
        told = json.loads(inside("role", "plan", file, "--format", "json", cwd=live).stdout)
        self.assertEqual((told["new"], told["missing"]), (2, []))
        inside("role", "take", file, "--trust", told["key"], "--yes", cwd=live)
        told = inside("list", "role_permissions", "--assume", "orders", "--format", "csv", cwd=live).stdout
        self.assertEqual(told.count("berths,wide,"), 4)
