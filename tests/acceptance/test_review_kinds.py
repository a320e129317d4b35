"""Reviews of every kind through to the orders: what is decided of accounts, resources, roles, people and covers."""

import json
import unittest

from tests import stores
from tests.support import OFFICE, OFFICE_RULES, Prepared, carried_out, inside, lay_out, records_inside, run

HOUSE = {
    **OFFICE,
    "systems": [{"system": "dues", "owner": "head"}, {"system": "directory", "owner": "head"}],
    "identities": [
        *OFFICE["identities"],
        {"id": "cy", "name": "Cyd Chief", "department": "Dues", "title": "Deputy", "manager": "head"},
        {"id": "gone", "name": "Gus Gone", "status": "left", "manager": "head"},
    ],
    "accounts": [
        {**row, "status": "enabled"}
        for row in (*OFFICE["accounts"], {"system": "dues", "login": "gone1", "identity": "gone"})
    ],
    "roles": [{**row, "active": "true"} for row in OFFICE["roles"]],
}
LATER = "2026-06-15T12:00:02Z"
CONTROLS = """
[[control]]
id = "C-1"
title = "A second look"
owner = "head"
does = "The head looks at every waiver."
period = "P7D"
"""


class House(Prepared):
    @classmethod
    def prepare(cls, folder):
        at = lay_out(folder / "house", HOUSE, OFFICE_RULES)
        (at / "controls.toml").write_text(CONTROLS, encoding="utf-8")
        inside("gather", cwd=at)
        return at

    def open(self, about, *words, name="r"):
        inside(
            *("review", "open", "--yes", name, "--about", about, "--due", "2026-06-30", *words, "--as", "auditor"),
            cwd=self.here,
        )
        return {it["gives"]: it for it in records_inside("review", "lines", name, cwd=self.here)}

    def decide(self, line, *words, actor="head", status=0, name="r"):
        words = ("review", "decide", str(line["line"]), *words, "--review", name, "--as", actor)
        return inside(*words, cwd=self.here, status=status)

    def close(self, *words, name="r"):
        words = ("review", "close", "--yes", name, "--as", "auditor", "--format", "json", *words)
        return json.loads(inside(*words, cwd=self.here).stdout)

    def record(self, kind, **key):
        rows = records_inside("list", kind, cwd=self.here)
        return next((it for it in rows if all(str(it[name]) == value for name, value in key.items())), None)


class Kinds(House, unittest.TestCase):
    def test_an_account_revoked_is_disabled(self):
        lines = self.open("accounts", "--where", 'system eq "dues"')
        self.assertEqual(set(lines), {"account:dues/ann1", "account:dues/nobody", "account:dues/gone1"})
        gone = lines["account:dues/gone1"]
        self.assertEqual((gone["stands_out"], gone["reviewer"]), ("Its person has left, and it is enabled.", "head"))
        self.assertIn("view dues:/waivers/2025", lines["account:dues/nobody"]["brings"])
        self.assertEqual({(it["needed"], it["use"]) for it in lines.values()}, {(None, None)}, "nobody looked for that")
        evidence = {it["name"] for it in records_inside("review", "overview", "r", "--by", "evidence", cwd=self.here)}
        self.assertFalse(any(it.startswith(("needed", "use")) for it in evidence), evidence)
        self.assertIn(
            "cannot be made less",
            self.decide(gone, "reduce", "--until", "2026-12-01", "--reason", "x", status=2).stderr,
        )
        self.decide(gone, "revoke", "--reason", "left in May")
        self.assertEqual(self.close("--undecided", "certify")["ended"], ["account:dues/gone1"])
        self.assertIn("1 order confirmed", carried_out(self.here))
        self.assertEqual(self.record("accounts", login="gone1")["status"], "disabled")
        (status, *_) = records_inside("review", "status", "r", cwd=self.here)
        self.assertEqual(status["state"], "carried out")

    def test_a_way_to_a_resource_ends_or_is_made_less(self):
        lines = self.open(
            "resources", "--where", 'resource eq "dues:/waivers/2025" or resource eq "dues:/tariffs/2026"'
        )
        wide = lines["dues:/waivers/2025: role:dues/waiver"]
        self.assertEqual(wide["item"], {"grant": "g2", "resource": "dues:/waivers/2025"})
        self.assertIn("1 person", wide["stands_out"])
        self.assertEqual({it["item"]["grant"] for it in lines.values()}, {"g1", "g2", "g3", "g4"})
        self.decide(wide, "reduce", "--until", "2026-09-30", "--reason", "for the summer")
        self.decide(lines["dues:/waivers/2025: view dues:/waivers/2025"], "revoke", "--reason", "nobody's")
        told = self.close("--undecided", "certify")
        self.assertEqual((told["ended"], told["lessened"]), (["grant:g4"], ["grant:g2"]))
        carried_out(self.here)
        self.assertIsNone(self.record("grants", grant="g4"))
        self.assertEqual(self.record("grants", grant="g2")["until"], "2026-09-30")

    def test_a_role_is_switched_off_and_an_entry_ends(self):
        lines = self.open("roles", "--where", 'system eq "dues"')
        self.decide(lines["role:dues/setter"], "revoke", "--reason", "nobody sets")
        self.decide(lines["role:dues/waiver: approve dues:/waivers/**"], "revoke", "--reason", "too much")
        told = self.close("--undecided", "certify")
        ended = ["role:dues/setter", "role:dues/waiver: approve dues:/waivers/**"]
        self.assertEqual(told["ended"], ended)
        carried_out(self.here)
        self.assertFalse(self.record("roles", role="setter")["active"])
        self.assertIsNone(self.record("role_permissions", role="waiver"))

    def test_identity_data_is_confirmed_by_oneself_and_corrected_by_the_manager(self):
        words = ("--where", 'id eq "ann" or id eq "bo" or id eq "gone"', "--attributes", "title", "location")
        inside(
            "review",
            "open",
            "--yes",
            "r",
            "--about",
            "identity-data",
            "--due",
            "2026-06-30",
            *words,
            "--as",
            "auditor",
            cwd=self.here,
        )
        rows = records_inside("review", "lines", "r", cwd=self.here)
        lines = {(it["identity"], it["item"]["attribute"]): it for it in rows}
        self.assertEqual({it["identity"]: it["reviewer"] for it in rows}, {"ann": "ann", "bo": "bo", "gone": "head"})
        self.decide(lines["ann", "title"], "certify", actor="ann")
        said = self.decide(lines["bo", "title"], "correct", "--to", "Chief", "--reason", "x", actor="bo", status=2)
        self.assertIn("nobody corrects their own record alone", said.stderr)
        inside("review", "pass", str(lines["bo", "title"]["line"]), "--to", "head", "--as", "bo", cwd=self.here)
        self.decide(lines["bo", "title"], "correct", "--to", "Senior clerk", "--reason", "since May")
        self.decide(lines["gone", "title"], "certify")
        told = self.close("--undecided", "certify")
        self.assertEqual(told["lessened"], ["identity:bo title"])
        self.assertIn("1 order confirmed", carried_out(self.here))
        self.assertEqual(self.record("identities", id="bo")["title"], "Senior clerk")

    def test_a_walk_offers_the_keys_of_its_kind(self):
        words = ("--where", 'id eq "bo"', "--attributes", "title", "--reviewers", "head")
        self.open("identity-data", *words)
        pressed = "v\nSenior clerk\nsince May\nq\n"
        said = run("review", "walk", "r", "--as", "head", cwd=self.here, stdin=pressed).stdout
        self.assertIn("[v] correct", said)
        self.assertNotIn("make less", said)
        (line,) = records_inside("review", "lines", "r", cwd=self.here)
        self.assertEqual((line["decision"], line["reduced"]), ("correct", {"value": "Senior clerk"}))

    def test_a_cover_ends(self):
        words = ("D-1/ann", "--control", "C-1", "--until", "2026-12-31", "--as", "head", "--reason", "two people only")
        inside("conflicts", "cover", "--yes", *words, cwd=self.here)
        (line,) = self.open("covers", name="before").values()
        self.assertEqual(line["stands_out"], "Nothing stands out.", "nobody has confirmed it yet")
        words = ("control", "confirm", "C-1", "--as", "head", "--reason", "looked")
        inside(*words, cwd=self.here, now="2026-06-15T12:00:01Z")
        inside(
            "review", "close", "--yes", "before", "--undecided", "certify", "--as", "auditor", cwd=self.here, now=LATER
        )
        inside(
            "review",
            "open",
            "--yes",
            "r",
            "--about",
            "covers",
            "--due",
            "2026-06-30",
            "--as",
            "auditor",
            cwd=self.here,
            now=LATER,
        )
        (line,) = records_inside("review", "lines", "r", cwd=self.here)
        self.assertEqual(line["stands_out"], "The control is carried out: confirmed on time.")
        self.assertEqual(
            (line["item"], line["reviewer"]), ({"rule": "D-1", "identity": "ann", "control": "C-1"}, "head")
        )
        decide = ("review", "decide", "1", "revoke", "--review", "r", "--as", "head", "--reason", "there are three now")
        inside(*decide, cwd=self.here, now=LATER)
        closing = ("review", "close", "--yes", "r", "--as", "auditor", "--format", "json")
        self.assertEqual(json.loads(inside(*closing, cwd=self.here, now=LATER).stdout)["ended"], ["cover of D-1/ann"])
        (conflict,) = (it for it in records_inside("conflicts", cwd=self.here, status=1) if it["identity"] == "ann")
        self.assertNotEqual(conflict["state"], "covered")
        inside("ledger", "verify", cwd=self.here)


@stores.ABOUT_ANSWERS
class Opening(House, unittest.TestCase):
    def test_only_some_of_the_lines(self):
        lines = self.open(
            "access", "--where", 'title eq "Clerk"', "--only", 'system eq "directory" or resource sw "dues:/tariffs"'
        )
        self.assertEqual(set(lines), {"group:directory/inner", "view dues:/tariffs", "role:dues/setter"})
        lines = self.open("access", "--where", 'title eq "Clerk"', "--only", 'action eq "edit"', name="s")
        self.assertEqual(set(lines), {"role:dues/setter"})
        told = inside(
            *["review", "open", "--yes", "t", "--about", "access", "--due", "2026-06-30", "--where"],
            "title pr",
            "--only",
            "colour pr",
            cwd=self.here,
            status=2,
        )
        self.assertIn("colour", told.stderr)

    def test_lines_without_a_reviewer_are_counted(self):
        words = ("--where", 'system eq "dues"', "--due", "2026-06-30", "--reviewers", "owner", "--as", "auditor")
        said = inside("review", "open", "--yes", "r", "--about", "roles", *words, cwd=self.here).stdout
        self.assertNotIn("nobody of the chain", said)
        inside("people", "suspend", "head", "--yes", "--as", "auditor", "--reason", "x", cwd=self.here)
        carried_out(self.here)
        said = inside("review", "open", "--yes", "s", "--about", "roles", *words, cwd=self.here).stdout
        self.assertIn("4 lines have nobody of the chain", said)

    def test_lines_of_a_system_are_decided_together(self):
        self.open("access", "--where", 'title eq "Clerk"')
        words = ("decide", "--where", 'system eq "directory"', "certify", "--review", "r", "--as", "head")
        inside("review", *words, cwd=self.here)
        lines = records_inside("review", "lines", "r", cwd=self.here)
        decided = {it["gives"] for it in lines if it["decision"]}
        self.assertEqual(decided, {"group:directory/inner"})

    def test_what_becomes_of_undecided_lines_is_said_first_and_holds_when_it_is_late(self):
        self.open("access", "--where", 'id eq "bo"', "--undecided", "revoke")
        close = ("review", "close", "--yes", "r", "--as", "auditor")
        self.assertIn("it was said", inside(*close, "--undecided", "certify", cwd=self.here, status=2).stderr)
        self.assertIn("0 revoked", inside(*close, "--dry-run", cwd=self.here).stdout)
        late = inside(*close, "--dry-run", cwd=self.here, now="2026-07-02T09:00:00Z")
        self.assertIn("1 revoked", late.stdout)
        self.assertIn("1 of them by the closing", late.stdout)

    def test_a_load_is_split_and_people_stay_together(self):
        self.open("access", "--where", 'title eq "Clerk"', "--reviewers", "head")
        inside("review", "pass", "all", "--to", "cy", "head", "--as", "head", "--reason", "too many", cwd=self.here)
        rows = records_inside("review", "lines", "r", cwd=self.here)
        whose = {it["identity"]: it["reviewer"] for it in rows}
        self.assertEqual(len({(it["identity"], it["reviewer"]) for it in rows}), len(whose))
        self.assertEqual(set(whose.values()), {"cy", "head"})

    def test_a_stand_in_decides_only_while_somebody_is_away(self):
        with (self.here / "kathodos.toml").open("a", encoding="utf-8") as file:
            file.write(
                '\n[[reviews.away]]\nwho = "head"\nfrom = "2026-06-20"\nuntil = "2026-06-25"\nstand_ins = "cy"\n'
            )
        self.open("access", "--where", 'title eq "Clerk"')
        words = ("review", "decide", "1", "certify", "--as", "cy")
        self.assertIn("for head to decide", inside(*words, cwd=self.here, status=2).stderr)
        inside(*words, cwd=self.here, now="2026-06-25T20:00:00Z")
        after = ("review", "decide", "2", "certify", "--as", "cy")
        inside(*after, cwd=self.here, status=2, now="2026-06-26T08:00:00Z")
        line = next(it for it in records_inside("review", "lines", "r", cwd=self.here) if it["line"] == 1)
        self.assertEqual((line["decided_by"], line["capacity"]), ("cy", "stand-in"))
