"""Changes as people make them: composed, rehearsed, applied, ordered, confirmed, undone, restored, refused."""

import csv
import json
import unittest
from random import Random
from types import MappingProxyType
from unittest import mock

import openpyxl
import openpyxl.styles

from tests import stores
from tests.support import OFFICE, OFFICE_RULES, Prepared, at_once, carried_out, inside, lay_out, records_inside

MANDATES = {
    "areas": [{"area": "south", "resources": "dues:/waivers/2025"}],
    "mandates": [
        {"holder": "identity:head", "roles": "dues/waiver", "area": "south", "for": 'title eq "Clerk"', "may": "give"}
    ],
}


def document(*words, cwd, **options):
    """What a command prints as JSON."""
    return json.loads(inside(*words, "--format", "json", cwd=cwd, **options).stdout)


def reached(at, *more):
    """Everyone's everything, as triples."""
    found = records_inside("reach", *more, cwd=at)
    return {(it.get("identity") or it["account"], it["action"], it["resource"]) for it in found}


def triples(rehearsal, side):
    """What a rehearsal says that everybody gains or loses."""
    return {
        (person["who"].partition(":")[2], *text.split(" ", 1))
        for person in rehearsal["people"]
        for text in person[side]
    }


_OF_GATHERS = ("ref", "row", "ordered", "to", "given_by", "given_at", "suspended", "stands")


def _plain(value):
    """An answer without what only tells records of a gather from those of a trial."""
    if isinstance(value, dict):
        return {name: _plain(it) for name, it in value.items() if name not in _OF_GATHERS}
    return [_plain(it) for it in value] if isinstance(value, list) else value


WITH_STATUS = {
    "identities": [
        {**dict.fromkeys(("id", "name", "department", "title", "email", "manager"), ""), **it, "status": "active"}
        for it in OFFICE["identities"]
    ],
    "grants": [{**it, "on": ""} for it in OFFICE["grants"]],
    "accounts": [{**it, "status": "enabled"} for it in OFFICE["accounts"]],
}


class Office(Prepared):
    @classmethod
    def prepare(cls, folder):
        office = lay_out(folder / "office", {**OFFICE, **cls.more}, OFFICE_RULES)
        inside("gather", cwd=office)
        return office

    more = MappingProxyType({})

    def do(self, *words, status=0, actor="auditor", **options):
        return inside(*words, "--as", actor, cwd=self.here, status=status, **options)

    def change(self, *words, **options):
        return self.do("change", *words, **options)


@stores.ABOUT_ANSWERS
class Composing(Office, unittest.TestCase):
    def test_several_things_to_several_people_are_counted_first(self):
        words = (
            "give",
            "role:dues/setter",
            "role:dues/waiver",
            "--to",
            "ann",
            "bo",
            "--on",
            "dues:/tariffs",
            "dues:/waivers",
        )
        told = document("change", *words, "--into", "x", "--as", "auditor", cwd=self.here)
        self.assertEqual((told["asked"], told["standing"], told["added"]), (8, 0, 8))
        again = document("change", *words, "--into", "x", "--as", "auditor", cwd=self.here)
        self.assertEqual((again["asked"], again["standing"], again["added"]), (8, 8, 0))
        told = document(
            "change", "give", "role:dues/setter", "--to", "ann", "bo", "--into", "y", "--as", "auditor", cwd=self.here
        )
        self.assertEqual((told["asked"], told["standing"], told["added"]), (2, 1, 1), "ann holds it everywhere")

    def test_what_ends_too_early_is_prolonged_and_not_given_twice(self):
        self.change("give", "view dues:/tariffs", "--to", "bo", "--until", "2026-12-31", "--into", "x")
        shown = document("change", "show", "x", cwd=self.here)
        (edit,) = shown["edits"]
        self.assertEqual((edit["verb"], edit["record"], edit["after"]["until"]), ("set", ["g3"], "2026-12-31"))

    def test_a_name_that_is_wrong_in_a_long_list_is_named_and_nothing_is_composed(self):
        said = self.change(
            "give", "role:dues/setter", "--to", "ann", "zoe", "bo", "Clerk", "--into", "x", status=2
        ).stderr
        self.assertIn("no identity or account or group zoe", said)
        self.assertIn("Clerk may be", said)
        said = self.change("give", "role:dues/boss", "--to", "zoe", "--on", "x:/y", "--into", "x", status=2).stderr
        for text in ("There is no role dues/boss.", "no identity or account or group zoe", "There is no system x."):
            self.assertIn(text, said)
        self.assertIn("There is no change x", inside("change", "show", "x", cwd=self.here, status=2).stderr)

    def test_of_an_empty_file_there_is_nothing_to_rehearse(self):
        (self.here / "empty.toml").write_text("")
        self.assertIn("There is nothing to do", self.change("rehearse", "empty.toml").stdout)

    def test_what_cannot_be_is_refused(self):
        for words, said in (
            (("give", "role:dues/setter", "--to", "bo", "--until", "2026-06-01"), "is over"),
            (
                ("give", "role:dues/setter", "--to", "bo", "--from", "2026-08-01", "--until", "2026-07-01"),
                "before it begins",
            ),
            (("give", "role:dues/setter", "--to", "bo", "--until", "soon"), "is no day"),
            (("give", "sleep dues:/tariffs", "--to", "bo"), "has no action sleep"),
            (("give", "role:dues/boss", "--to", "bo"), "There is no role dues/boss"),
            (("join", "directory/inner", "--who", "group:directory/inner"), "inside itself"),
            (("join", "directory/inner", "--who", "group:directory/outer"), "inside itself"),
            (("take", "role:dues/setter", "--from"), "expected at least one argument"),
            (("until", "2026-01-01", "grant:g9"), "There is no grant"),
            (("swap", "role:dues/setter", "role:dues/setter"), "is not swapped for itself"),
            (("undo", "x"), "There is no change x"),
            (("restore", "role:dues/boss", "--to", "1"), "There is no"),
            (("restore", "role:dues/setter", "--to", "99"), "The ledger has no entry 99"),
        ):
            done = self.change(*words, status=2)
            self.assertIn(said, done.stderr, words)

    def test_nothing_is_given_to_who_has_left(self):
        self.do("people", "leave", "bo", "--yes")
        carried_out(self.here)
        self.assertIn("bo has left", self.change("give", "role:dues/setter", "--to", "bo", status=2).stderr)

    def test_exceptions_beside_a_swapped_role_are_shown_and_never_dropped_silently(self):
        self.change("give", "view dues:/waivers/2026", "--to", "ann", "--yes")
        carried_out(self.here)
        done = self.change("swap", "role:dues/setter", "role:dues/waiver", "--who", "ann", status=2)
        self.assertIn("view dues:/waivers/2026", done.stderr)
        self.assertIn("--exceptions keep, or --exceptions drop", done.stderr)
        swap = ("swap", "role:dues/setter", "role:dues/waiver", "--who", "ann", "--exceptions")
        kept, dropped = (
            document("change", *swap, choice, "--dry-run", "--as", "auditor", cwd=self.here)
            for choice in ("keep", "drop")
        )
        self.assertEqual([edit["verb"] for edit in kept["edits"]], ["add", "end"])
        self.assertEqual([edit["verb"] for edit in dropped["edits"]], ["add", "end", "end"])


@stores.ABOUT_ANSWERS
class InPlace(Office, unittest.TestCase):
    """What is given in place of something else, or as somebody else has it."""

    blank = MappingProxyType(dict.fromkeys(("on", "effect", "tier", "from", "until"), ""))
    more = MappingProxyType({"grants": [{**blank, **it} for blank in (blank,) for it in OFFICE["grants"]]})

    def test_what_takes_the_place_of_something_keeps_its_time_and_tier(self):
        file = self.folder / "held.toml"
        rows = (("2027-01-01", "2027-06-30", 0), ("2025-01-01", "2025-12-31", 0), ("2026-01-01", "", 2))
        file.write_text(
            "".join(
                f'[[add]]\nkind = "grants"\nholder = "identity:bo"\ngives = "role:dues/setter"\nfrom = "{begins}"\n'
                f"tier = {tier}\n" + (f'until = "{ends}"\n' if ends else "")
                for begins, ends, tier in rows
            )
        )
        self.change("read", str(file), "--yes")
        carried_out(self.here)
        lasting = {
            (begins if begins > "2026-06-15" else None, ends or None, tier)
            for begins, ends, tier in rows
            if ends != "2025-12-31"
        }
        for name, words in (
            ("swapped", ("swap", "role:dues/setter", "role:dues/waiver", "--who", "bo", "--exceptions", "keep")),
            ("grouped", ("to-group", "directory/more", "role:dues/setter", "--who", "bo")),
        ):
            self.change(*words, "--into", name)
            edits = document("change", "show", name, cwd=self.here)["edits"]
            made = [it["after"] for it in edits if it["verb"] == "add" and it["kind"] == "grants"]
            self.assertEqual({(it.get("from"), it.get("until"), it.get("tier", 0)) for it in made}, lasting, name)
            gone = [it["before"]["until"] for it in edits if it["verb"] == "remove"]
            self.assertNotIn("2025-12-31", gone, "what is over stays as it is")

    def test_the_same_as_somebody_in_place_of_all_leaves_no_denial_and_nothing_to_come(self):
        self.change("give", "role:dues/setter", "--to", "bo", "--deny", "--yes")
        self.change("give", "role:dues/waiver", "--to", "bo", "--from", "2027-01-01", "--yes")
        carried_out(self.here)
        self.change("same-as", "ann", "--to", "bo", "--replace", "--even-if-broken", "--yes")
        carried_out(self.here)
        at = {name: reached(self.here, "--by", name) for name in ("ann", "bo")}
        self.assertEqual({it[1:] for it in at["ann"]}, {it[1:] for it in at["bo"]})
        later = {name: reached(self.here, "--by", name, "--at", "2027-02-01") for name in ("ann", "bo")}
        self.assertEqual({it[1:] for it in later["ann"]}, {it[1:] for it in later["bo"]})


@stores.ABOUT_ANSWERS
class Rehearsing(Office, unittest.TestCase):
    def test_what_it_says_is_what_changes(self):
        words = ("change", "give", "role:dues/waiver", "--to", "bo", "--on", "dues:/waivers/2025", "--dry-run")
        told = document(*words, "--all", "--as", "auditor", cwd=self.here)
        self.assertEqual(
            triples(told, "gains"), {("bo", "approve", "dues:/waivers/2025"), ("bo", "view", "dues:/waivers/2025")}
        )
        self.assertEqual((told["gaining"], told["losing"], told["lost"]), (1, 0, 0))
        self.assertEqual(told["by_system"], [{"system": "dues", "gaining": 1, "losing": 0, "gained": 2, "lost": 0}])
        self.assertEqual(told["by_role"], [{"role": "role:dues/waiver", "came": 1, "went": 0}])

    def test_conflicts_that_it_makes_and_settles_are_told(self):
        told = document("change", "take", "role:dues/setter", "--from", "ann", "--dry-run", "--as", "x", cwd=self.here)
        self.assertEqual([(it["kind"], it["rule"]) for it in told["rules_mended"]], [("conflict", "D-1")])
        self.assertEqual([(it["kind"], it["rule"]) for it in told["rules_broken"]], [("need", "N-1")])
        self.change("take", "role:dues/setter", "--from", "ann", "--yes")
        carried_out(self.here)
        give = ("change", "give", "role:dues/setter", "--to", "ann", "--dry-run", "--as", "x")
        self.assertEqual([it["rule"] for it in document(*give, cwd=self.here)["rules_broken"]], ["D-1"])

    def test_a_pipeline_is_told_yes_or_no(self):
        self.change("give", "role:dues/waiver", "--to", "bo", "--into", "more")
        self.change("take", "role:dues/setter", "--from", "ann", "--into", "less")
        self.change("give", "role:dues/waiver", "--to", "ann", "--into", "same")  # she has it by a group
        for name, expect, status in (
            *(("more", "nothing", 1), ("more", "no-gain", 1), ("more", "no-loss", 0), ("more", "no-conflict", 0)),
            *(("less", "no-gain", 0), ("less", "no-loss", 1), ("same", "nothing", 0)),
        ):
            done = inside("change", "rehearse", name, "--expect", expect, cwd=self.here, status=status)
            self.assertIn("As expected" if not status else "Not as expected", done.stdout, (name, expect))
        refused = self.change("apply", "more", "--expect", "nothing", "--yes", status=1)
        self.assertIn("Nothing was changed", refused.stdout)
        self.assertEqual(records_inside("change", "list", cwd=self.here)[-1]["state"], "draft")

    def test_nobody_is_locked_out_without_a_reason(self):
        with (self.here / "tables" / "actions.csv").open("a") as file:
            file.write("dues,rule,administer,edit\n")
        with (self.here / "tables" / "grants.csv").open("a") as file:
            file.write("g8,identity:head,rule dues:/**,,\n")
        inside("gather", cwd=self.here)
        take = ("take", "rule dues:/**", "--from", "head", "--yes")
        refused = self.change(*take, status=2, actor="head")
        self.assertIn("Nobody could administer dues any more", refused.stderr)
        self.assertEqual(records_inside("orders", "list", cwd=self.here), [])
        self.change(*take, "--despite", "dues closes for good", actor="head")
        entry = document("ledger", "list", "--kind", "change apply", cwd=self.here)[-1]
        self.assertIn("Nobody could administer dues", json.dumps(entry))

    def test_from_people_to_a_group_nobodys_reach_changes(self):
        for who in ("ann", "bo"):
            self.change("give", "view dues:/waivers/2026", "--to", who, "--yes")
        carried_out(self.here)
        before = reached(self.here)
        move = ("to-group", "directory/lookers", "view dues:/waivers/2026", "--expect", "nothing", "--yes")
        self.assertIn("Nobody's reach changes", self.change(*move).stdout)
        carried_out(self.here)
        self.assertEqual(reached(self.here), before)
        grants = records_inside("list", "grants", "--where", 'gives eq "view dues:/waivers/2026"', cwd=self.here)
        self.assertEqual([it["holder"] for it in grants], ["group:directory/lookers"])


class Orders(Office, unittest.TestCase):
    def ask(self, status=0, *more):
        words = ("reach", "--by", "ann", "--on", "dues:/tariffs/2026", "--do", "edit", *more)
        return inside(*words, cwd=self.here, status=status).stdout

    def test_what_a_source_brings_stands_until_a_gather_finds_it_done(self):
        self.change("take", "role:dues/setter", "--from", "ann", "--yes", "--reason", "moved")
        self.assertIn("ordered to end (order 1)", self.ask())
        self.ask(1, "--assume", "orders")
        (order,) = records_inside("orders", "list", cwd=self.here)
        self.assertEqual((order["state"], order["system"], order["days"]), ("open", "dues", 14))
        self.do("orders", "done", "1", actor="head")
        self.assertIn("said to be done, and is not: it is open again", inside("gather", cwd=self.here).stdout)
        self.assertIn("1 order confirmed", carried_out(self.here))
        self.ask(1)
        self.assertEqual(records_inside("change", "list", cwd=self.here)[0]["state"], "carried out")
        (entry,) = records_inside("show", "grant:g1", "--history", cwd=self.here)[:1]
        self.assertEqual((entry["came"], entry["went"]), (0, 1))

    def test_one_that_is_late_or_refused_is_a_finding(self):
        self.change("take", "role:dues/setter", "--from", "ann", "--yes")
        late = "2026-07-15T12:00:00Z"
        found = records_inside("excess", "--kind", "overdue-order", cwd=self.here, status=1, now=late)
        self.assertEqual([(it["subject"], it["severity"]) for it in found], [("order:1", "high")])
        self.assertIn("without a reason", self.do("orders", "refused", "1", actor="head", status=2).stderr)
        self.do("orders", "refused", "1", "--reason", "still needed", actor="head")
        (found,) = records_inside("excess", "--kind", "refused-order", cwd=self.here, status=1)
        self.assertIn("refused on 2026-06-15 by head: still needed", found["evidence"])
        self.do("orders", "drop", "1", "--reason", "decided otherwise")
        self.assertEqual(records_inside("excess", "--kind", "refused-order", cwd=self.here), [])
        self.assertEqual(records_inside("change", "list", cwd=self.here)[0]["state"], "dropped")

    def test_where_nobody_can_be_asked_nothing_is_done_without_a_yes(self):
        self.change("take", "role:dues/setter", "--from", "ann", "--yes")
        before = records_inside("ledger", "list", cwd=self.here)
        for words in (
            ("enact", "--by", "tables", "--out", "copies"),
            ("change", "give", "role:dues/waiver", "--to", "bo"),
            ("people", "merge", "bo", "ann"),
            ("review", "open", "june", "--where", 'id eq "ann"', "--by-manager", "--due", "2026-12-31"),
        ):
            with self.subTest(" ".join(words)):
                said = self.do(*words, status=2).stderr
                self.assertIn("Nobody is here to be asked, so nothing was done.", said)
                self.assertIn("--yes", said)
        self.assertEqual(records_inside("ledger", "list", cwd=self.here), before)
        self.assertFalse((self.here / "copies").exists())

    def test_worklists_are_files_that_each_owner_understands(self):
        self.change("take", "role:dues/setter", "--from", "ann", "--yes", "--reason", "=cmd|'/c calc'!A0")
        self.do("enact", "--by", "worklist", "--out", "lists", "--yes")
        names = sorted(file.suffix for file in (self.here / "lists").iterdir())
        self.assertEqual(names, [".csv", ".html", ".xlsx"])
        (listed,) = (self.here / "lists").glob("*.csv")
        self.assertIn("Take role:dues/setter away from Ann Clerk (ann).", listed.read_text("utf-8-sig"))
        self.assertIn("'=cmd", listed.read_text("utf-8-sig"), "no spreadsheet takes it for a formula")
        (page,) = (self.here / "lists").glob("*.html")
        self.assertIn("default-src &#39;none&#39;".replace("&#39;", "'"), page.read_text("utf-8"))
        self.assertEqual(records_inside("orders", "list", cwd=self.here)[0]["state"], "handed over")
        self.assertIn("No order is open", self.do("enact", "--out", "again", "--yes").stdout)

    def test_a_corrected_copy_differs_only_in_what_was_ordered(self):
        before = (self.here / "tables" / "grants.csv").read_text()
        self.change("take", "role:dues/setter", "--from", "ann", "--yes")
        self.change("give", "view dues:/waivers/2025", "--to", "bo", "--until", "2026-09-30", "--yes")
        self.do("enact", "--by", "tables", "--out", "copies", "--yes")
        after = (self.here / "copies" / "files" / "grants.csv").read_text()
        self.assertEqual(
            [line for line in before.splitlines() if line not in after], ["g1,identity:ann,role:dues/setter,,first day"]
        )
        (added,) = (line for line in after.splitlines() if line not in before)
        self.assertIn("identity:bo,view dues:/waivers/2025,2026-09-30", added)


@stores.ABOUT_ANSWERS
class WithoutGroups(Office, unittest.TestCase):
    """A folder that has no file of groups yet."""

    more = MappingProxyType({"groups": [], "members": []})

    def setUp(self):
        super().setUp()
        for name in ("groups", "members"):
            (self.here / "tables" / f"{name}.csv").unlink()

    def test_a_group_that_is_to_come_is_written_with_what_hangs_on_it_or_not_at_all(self):
        before = reached(self.here)
        self.change("to-group", "directory/setters", "role:dues/setter", "--yes")
        would = self.do("enact", "--by", "tables", "--out", "copies", "--dry-run").stdout
        self.assertIn("Nothing is written yet", would)
        self.assertFalse((self.here / "copies").exists())
        said = carried_out(self.here)
        self.assertNotIn("is left", said)
        self.assertEqual(reached(self.here), before, "nobody gained or lost anything on the way")
        self.assertEqual(records_inside("orders", "list", "--state", "open", cwd=self.here), [])

    def test_what_cannot_be_written_keeps_back_all_that_goes_with_it(self):
        grants = self.here / "tables" / "grants.csv"
        text = grants.read_text()
        self.change("to-group", "directory/setters", "role:dues/setter", "--yes")
        ordered = records_inside("orders", "list", cwd=self.here)
        toml = self.here / "kathodos.toml"
        toml.write_text(
            toml.read_text() + '\n[source.tables.members]\ncolumns = { Code = "group" }\nonly = true\n'
            '[enact.directory]\nby = "tables"\n[enact.dues]\nby = "worklist"\n'
        )
        self.assertEqual({it["system"] for it in ordered}, {"directory", "dues"})
        for way in (("--by", "tables"), ()):
            with self.subTest(way or "as each system is configured"):
                said = self.do("enact", *way, "--out", "copies", "--yes").stdout
                self.assertIn("No order can be handed over", said)
                found = json.loads(self.do("enact", *way, "--dry-run", "--format", "json").stdout)
                self.assertEqual({it["order"] for it in found["left"]}, {it["order"] for it in ordered})
                self.assertEqual(grants.read_text(), text)
                self.assertFalse((self.here / "copies").exists())
                self.assertEqual({it["state"] for it in records_inside("orders", "list", cwd=self.here)}, {"open"})
        self.assertIn("There is no system duse", self.do("enact", "duse", status=2).stderr)
        self.assertIn("There is no change summer", self.do("enact", "--change", "summer", status=2).stderr)
        self.do("enact", "--by", "worklist", "--out", "lists", "--yes")


@stores.ABOUT_ANSWERS
class OtherFormats(Office, unittest.TestCase):
    """Corrected copies of workbooks and of JSON Lines: only what was ordered is another, formulas stay texts."""

    def rewritten(self, name, suffix):
        """A table of the source in another format, in place of its CSV."""
        file = self.here / "tables" / f"{name}.csv"
        rows = list(csv.DictReader(file.read_text(encoding="utf-8").splitlines()))
        if suffix == ".xlsx":
            book = openpyxl.Workbook()
            book.active.append([*rows[0], "note"])
            for row in rows:
                book.active.append([*(it or None for it in row.values()), "as it was"])
            book.active["A1"].font = openpyxl.styles.Font(bold=True)
            book.save(file.with_suffix(suffix))
        else:
            lines = (
                json.dumps({**{key: it for key, it in row.items() if it}, "note": [1, {"a": "é"}]}) for row in rows
            )
            file.with_suffix(suffix).write_text("".join(f"{line}\n" for line in lines), encoding="utf-8")
        file.unlink()
        return file.with_suffix(suffix)

    def rows_of(self, file):
        if file.suffix == ".xlsx":
            return [[cell.value for cell in row] for row in openpyxl.load_workbook(file).active.iter_rows()]
        return file.read_text(encoding="utf-8").splitlines()

    def test_only_what_was_ordered_is_another(self):
        for suffix in (".xlsx", ".jsonl"):
            with self.subTest(suffix):
                stores.replaced(self.here, self.prepared)
                grants = self.rewritten("grants", suffix)
                inside("gather", cwd=self.here)
                self.change("take", "role:dues/setter", "--from", "ann", "--into", "x")
                self.change("give", "view dues:/waivers", "--to", "bo", "--into", "x", "--until", "2026-12-31")
                self.change("until", "2026-11-30", "grant:g3", "--into", "x")
                told = document("change", "rehearse", "x", "--all", "--as", "auditor", cwd=self.here)
                before, rows = reached(self.here), self.rows_of(grants)
                self.change("apply", "x", "--yes")
                said = carried_out(self.here)
                self.assertIn("3 orders", said)
                after = reached(self.here)
                self.assertEqual((after - before, before - after), (triples(told, "gains"), triples(told, "loses")))
                self.assertEqual(
                    {it["state"] for it in records_inside("orders", "list", "--state", "all", cwd=self.here)},
                    {"confirmed"},
                )
                now = self.rows_of(grants)
                self.assertEqual(len([it for it in rows if it not in now]), 2, "one gone, one altered")
                self.assertEqual(len([it for it in now if it not in rows]), 2, "one altered, one added")
                if suffix == ".xlsx":
                    self.assertTrue(openpyxl.load_workbook(grants).active["A1"].font.bold)

    def test_a_name_that_looks_like_a_formula_stays_a_text(self):
        people = self.rewritten("identities", ".xlsx")
        inside("gather", cwd=self.here)
        (self.here / "name.toml").write_text('[[set]]\nkind = "identities"\nid = "ann"\nname = "=1+1 Lund"\n')
        self.change("read", "name.toml", "--yes")
        carried_out(self.here)
        cells = [cell for row in openpyxl.load_workbook(people).active.iter_rows() for cell in row]
        (cell,) = (it for it in cells if str(it.value).startswith("="))
        self.assertEqual((cell.value, cell.data_type), ("=1+1 Lund", "s"))


class Undoing(Office, unittest.TestCase):
    more = WITH_STATUS

    def orders(self):
        """Each order that is not settled: its number, its state and what is noted of it."""
        listed = records_inside("orders", "list", cwd=self.here)
        return [(it["order"], it["state"], it["note"]) for it in listed]

    def handed_over(self, name):
        inside("enact", "--by", "tables", "--out", name, "--yes", cwd=self.here)
        return {it.name: it.read_bytes() for it in (self.here / name).rglob("*.csv")}

    def sets_tariffs(self, *more):
        words = ("reach", "--by", "ann", "--on", "dues:/tariffs", "--do", "edit", *more)
        return inside(*words, cwd=self.here, status=None).returncode == 0

    def test_what_was_handed_over_and_is_not_wanted_any_more_is_called_back(self):
        for is_carried_out in (False, True):
            with self.subTest(is_carried_out):
                self.change("take", "role:dues/setter", "--from", "ann", "--into", f"y{is_carried_out}")
                self.change("apply", f"y{is_carried_out}", "--yes")
                ((first, _, _),) = self.orders()
                files = self.handed_over(f"first{is_carried_out}")
                done = self.change("undo", f"y{is_carried_out}", "--yes")
                self.assertIn("1 earlier order dropped, 1 of them called back", done.stdout)
                told = inside("orders", "worklist", "--format", "csv", cwd=self.here).stdout
                self.assertIn(f"Do not carry out order {first} any more. If it is done already:", told)
                back = (first + 1, "open", f"calls back order {first}")
                self.assertEqual(self.orders(), [back])
                if is_carried_out:  # as it was told first
                    for name, content in files.items():
                        (self.here / "tables" / name).write_bytes(content)
                inside("gather", cwd=self.here)
                self.assertEqual(self.orders(), [back], "its side may still do what it was told")
                stands = self.sets_tariffs(), self.sets_tariffs("--assume", "orders")
                self.assertEqual(stands, (not is_carried_out, True))
                for name, content in self.handed_over(f"second{is_carried_out}").items():
                    (self.here / "tables" / name).write_bytes(content)
                self.assertIn("1 order confirmed", inside("gather", cwd=self.here).stdout)
                self.assertEqual((self.orders(), self.sets_tariffs()), ([], True))

    def test_undo_after_apply_is_as_before_whether_carried_out_or_not(self):
        before = reached(self.here)
        for is_carried_out in (False, True):
            self.change("take", "role:dues/setter", "--from", "ann", "--into", f"x{is_carried_out}")
            self.change("apply", f"x{is_carried_out}", "--yes")
            if is_carried_out:
                carried_out(self.here)
                self.assertNotEqual(reached(self.here), before)
            self.change("undo", f"x{is_carried_out}", "--yes")
            self.assertEqual(reached(self.here, "--assume", "orders"), before)
            if is_carried_out:
                carried_out(self.here)
                self.assertEqual(reached(self.here), before)

    def test_what_was_changed_again_since_stands_in_the_way(self):
        self.change("until", "2026-12-31", "grant:g3", "--into", "x")
        self.change("apply", "x", "--yes")
        carried_out(self.here)
        self.change("until", "2027-12-31", "grant:g3", "--yes")
        said = self.change("undo", "x", status=2).stderr
        self.assertIn("x cannot be taken back, for this was changed again since: grant g3", said)
        self.assertIn("until is 2027-12-31, and was 2026-12-31", said)

    def test_nothing_is_applied_or_taken_back_twice(self):
        self.change("take", "role:dues/setter", "--from", "ann", "--into", "x")
        self.change("apply", "x", "--yes")
        self.assertIn("Nothing is applied twice", self.change("apply", "x", "--yes", status=2).stderr)
        self.change("undo", "x", "--yes")
        self.assertIn("Only what was applied can be taken back", self.change("undo", "x", status=2).stderr)
        self.change("give", "role:dues/waiver", "--to", "bo", "--into", "y")
        self.change("drop", "y")
        self.assertIn("was dropped", self.change("apply", "y", "--yes", status=2).stderr)
        for receiver in ("bo", "ann"):  # what was collected there counts for nothing any more
            again = self.change("give", "role:dues/waiver", "--to", receiver, "--into", "y", status=2)
            self.assertIn("was dropped", again.stderr)

    def test_one_role_is_put_back_and_only_it(self):
        permissions = self.here / "tables" / "role_permissions.csv"
        whole = permissions.read_text()
        permissions.write_text("".join(it for it in whole.splitlines(True) if ",setter," not in it))
        grants = self.here / "tables" / "grants.csv"
        grants.write_text("".join(it for it in grants.read_text().splitlines(True) if not it.startswith("g3,")))
        inside("gather", cwd=self.here)
        self.change("restore", "role:dues/setter", "--to", "1", "--yes")
        carried_out(self.here)
        self.assertEqual(sorted(permissions.read_text().splitlines()), sorted(whole.splitlines()))
        self.assertEqual(records_inside("list", "grants", "--where", 'grant eq "g3"', cwd=self.here), [])

    def test_restoring_everything_to_a_point_is_the_state_at_that_point(self):
        random = Random(7)
        people, groups, roles = ["ann", "bo", "head"], ["directory/inner", "directory/outer"], ["setter", "waiver"]
        points = [(len(records_inside("ledger", "list", cwd=self.here)), reached(self.here))]
        for _ in range(4):
            for _ in range(2):
                who, group = random.choice(people), random.choice(groups)
                role = f"role:dues/{random.choice(roles)}"
                verb = random.choice(("give", "take", "join", "leave", "suspend"))
                words = {
                    "give": (
                        "change",
                        "give",
                        role,
                        "--to",
                        who,
                        "--on",
                        random.choice(("dues:/tariffs", "dues:/waivers")),
                    ),
                    "take": ("change", "take", role, "--from", who),
                    "join": ("change", "join", group, "--who", who),
                    "leave": ("change", "leave", group, "--who", who),
                    "suspend": ("people", "suspend", who),
                }[verb]
                before = reached(self.here, "--assume", "orders")
                told = document(*words, "--all", "--yes", "--as", "auditor", cwd=self.here).get("rehearsal")
                after = reached(self.here, "--assume", "orders")
                gains, loses = (triples(told, side) if told else set() for side in ("gains", "loses"))
                self.assertEqual((after - before, before - after), (gains, loses), words)
            ordered = reached(self.here, "--assume", "orders")
            if records_inside("orders", "list", cwd=self.here):
                carried_out(self.here)
            self.assertEqual(reached(self.here), ordered, "what was rehearsed is so after the gather")
            points.append((len(records_inside("ledger", "list", cwd=self.here)), ordered))
        for entry, state in reversed(points):
            self.change("restore", "everything", "--to", entry, "--yes", "--despite", "as it was")
            self.assertEqual(reached(self.here, "--assume", "orders"), state)
            if records_inside("orders", "list", cwd=self.here):
                carried_out(self.here)
            self.assertEqual(reached(self.here), state)

    def test_two_changes_that_touch_nothing_in_common_commute(self):
        orders = []
        for first, second in (("x", "y"), ("y", "x")):
            stores.replaced(self.here, self.prepared)
            self.change("take", "role:dues/setter", "--from", "ann", "--into", "x")
            self.change("join", "directory/inner", "--who", "bo", "--into", "y")
            for name in (first, second):
                self.change("apply", name, "--yes")
            orders.append(reached(self.here, "--assume", "orders"))
        self.assertEqual(*orders)


@stores.ABOUT_ANSWERS
class Trial(Office, unittest.TestCase):
    more = WITH_STATUS
    QUESTIONS = (
        *("show ann", "show bo", "show role:dues/setter", "show group:directory/inner", "find bo"),
        *("list grants", "list members", "list identities", "unused dues", "activity --by ann", "people list"),
        *("mandates list", "mandates try head", "compare ann bo", "ending", "reach", "reach --by bo --summary"),
        *("conflicts", "excess", "risk top", "escalation", "check", "conflicts cure", "baseline compare 1"),
    )

    def answers(self, *more):
        """What every question answers, but for what only tells records of a gather from those of a trial."""
        found = {}
        for question in self.QUESTIONS:
            done = inside(*question.split(), *more, "--format", "jsonl", cwd=self.here, status=None)
            rows = [json.loads(line) for line in done.stdout.splitlines()]
            found[question] = done.returncode, sorted(json.dumps(_plain(row), sort_keys=True) for row in rows)
        return found

    def test_every_question_answers_of_a_trial_as_once_it_is_carried_out(self):
        before = self.answers()
        self.change("give", "role:dues/waiver", "--to", "bo", "--until", "2026-12-31", "--into", "x")
        self.change("take", "role:dues/setter", "--from", "ann", "--into", "x")
        self.change("join", "directory/inner", "--who", "bo", "--into", "x")
        self.do("people", "suspend", "head", "--into", "x")
        assumed = self.answers("--assume", "x")
        self.assertGreater(sum(assumed[it] != before[it] for it in self.QUESTIONS), 10)
        self.change("apply", "x", "--yes", "--despite", "a trial")
        self.assertEqual(self.answers("--assume", "orders"), assumed)
        (self.here / "m.toml").write_text('[[add]]\nkind = "mandates"\nholder = "identity:bo"\nroles = "dues/waiver"\n')
        self.change("read", "m.toml", "--into", "y")
        told = records_inside("mandates", "list", "--by", "bo", "--assume", "y", cwd=self.here)
        self.assertEqual([it["kind"] for it in told], ["mandate"], "what is assumed counts beside open orders")
        carried_out(self.here)
        self.assertEqual(self.answers(), assumed)

    def test_a_file_of_edits_knows_what_the_draft_that_it_goes_into_brings(self):
        role = '[[add]]\nkind = "roles"\nsystem = "dues"\nrole = "helper"\n'
        role += '[[add]]\nkind = "role_permissions"\nsystem = "dues"\nrole = "helper"\naction = "view"\n'
        (self.here / "role.toml").write_text(role + 'resource = "dues:/tariffs"\n')
        grant = '[[add]]\nkind = "grants"\ngrant = "h1"\nholder = "identity:bo"\ngives = "role:dues/helper"\n'
        (self.here / "grant.toml").write_text(grant)
        told = inside("change", "read", "grant.toml", "--into", "x", cwd=self.here, status=None).stderr
        self.assertIn("role:dues/helper", told)
        self.change("read", "role.toml", "--into", "x")
        self.change("read", "grant.toml", "--into", "x")
        words = ("reach", "--by", "bo", "--on", "dues:/tariffs", "--do", "view", "--assume", "x")
        self.assertIn("role:dues/helper", inside(*words, "--trace", cwd=self.here).stdout)

    def test_what_is_only_assumed_has_no_history_and_is_not_certified(self):
        self.change("take", "role:dues/setter", "--from", "ann", "--into", "x")
        told = inside("show", "ann", "--history", "--assume", "x", cwd=self.here, status=2).stderr
        self.assertIn("What is assumed has no history.", told)
        words = (
            "review",
            "open",
            "--yes",
            "r",
            "--where",
            'id eq "ann"',
            "--by-manager",
            "--due",
            "2026-12-31",
            "--assume",
            "x",
        )
        self.assertIn("only assumed cannot be certified", self.do(*words, status=2).stderr)
        would = document(*words, "--as", "auditor", "--dry-run", cwd=self.here)
        self.assertEqual(
            would["lines"], document(*words[:-2], "--as", "auditor", "--dry-run", cwd=self.here)["lines"] - 1
        )


class TogetherAndApart(Office, unittest.TestCase):
    def test_five_at_once_apply_a_change_of_their_own_and_none_is_lost(self):
        who = [f"n{at}" for at in range(5)]
        with (self.here / "tables" / "identities.csv").open("a") as file:
            file.writelines(f"{name},New {name},Dues,Clerk,,\n" for name in who)
        inside("gather", cwd=self.here)
        words = ("--yes", "--as", "auditor", "--format", "json")
        done = at_once(*(("change", "give", "role:dues/waiver", "--to", name, *words) for name in who), cwd=self.here)
        self.assertEqual([it.returncode for it in done], [0] * 5, [it.stderr for it in done])
        orders = records_inside("orders", "list", cwd=self.here)
        self.assertEqual(
            sorted(json.loads(it.stdout)["change"] for it in done), sorted({it["change"] for it in orders})
        )
        self.assertEqual(len({it["record"][0] for it in orders}), 5)
        self.assertIn("As signed", inside("ledger", "verify", cwd=self.here).stdout)

    def test_what_does_something_else_than_was_shown_is_not_applied_unasked(self):
        from kathodos.cli import changing

        told, seen = changing._rehearsed, []

        def meanwhile(*words):
            found = told(*words)
            if not seen:
                seen.append(found)
                other = ("change", "give", "edit dues:/tariffs/2026", "--to", "bo", "--yes", "--as", "auditor")
                (done,) = at_once(other, cwd=self.here)
                self.assertEqual(done.returncode, 0, done.stderr)
            return found

        with mock.patch.object(changing, "_rehearsed", meanwhile):
            done = self.change("give", "role:dues/setter", "--to", "bo", "--yes", status=1)
        self.assertIn("It is rehearsed again", done.stderr)
        self.assertRegex(done.stderr, r"another than was shown: it was \d+ combinations gained .*, and is \d+")
        self.assertIn("Nothing was changed", done.stdout)
        self.assertEqual(len(records_inside("orders", "list", cwd=self.here)), 1)

    def test_what_two_draft_at_once_is_all_there(self):
        for who in ("ann", "bo"):
            self.change(
                "give", "role:dues/waiver", "--to", who, "--on", "dues:/waivers/2025", "--into", "both", actor=who
            )
        shown = document("change", "show", "both", cwd=self.here)
        self.assertEqual(len(shown["edits"]), 2)

    def test_an_edit_whose_record_moved_meanwhile_is_not_applied(self):
        self.change("until", "2026-12-31", "grant:g3", "--into", "x")
        grants = self.here / "tables" / "grants.csv"
        grants.write_text(grants.read_text().replace("2026-06-15", "2026-07-31"))
        inside("gather", cwd=self.here)
        said = self.change("apply", "x", "--yes", status=2).stderr
        self.assertIn("The grant g3 until is 2026-07-31, and was 2026-06-15", said)


@stores.ABOUT_ANSWERS
class WhoMay(Office, unittest.TestCase):
    more = MANDATES

    def refused(self, *words, actor):
        done = self.change(*words, "--yes", actor=actor, status=2)
        entry = document("ledger", "list", "--kind", "refused", cwd=self.here)[-1]
        self.assertEqual(entry["actor"], actor)
        self.assertIn("As signed", inside("ledger", "verify", cwd=self.here).stdout)
        return done.stderr

    def test_a_mandate_gives_what_it_names_and_no_more(self):
        told = self.change("give", "role:dues/waiver", "--to", "bo", "--on", "area:south", "--yes", actor="head").stdout
        self.assertIn("Allowed by the mandate of identity:head", told)
        inside_it = ("give", "role:dues/waiver", "--to", "bo", "--on")
        self.change(*inside_it, "dues:/waivers/2025", "--yes", actor="head")
        for words, why in (
            (("give", "role:dues/setter", "--to", "bo", "--on", "area:south"), "does not name role:dues/setter"),
            (("give", "role:dues/waiver", "--to", "bo"), "does not reach all of dues"),
            ((*inside_it, "dues:/waivers"), "does not reach dues:/waivers"),
            (("give", "role:dues/waiver", "--to", "head", "--on", "area:south"), "nobody gives anything to themselves"),
            (
                ("give", "role:dues/waiver", "--to", "everyone", "--on", "area:south"),
                "nobody gives anything to themselves",
            ),
            (("take", "role:dues/waiver", "--from", "bo"), "does not let anything be taken"),
            (("give", "view dues:/waivers/2025", "--to", "bo"), "a mandate is about roles"),
            (("join", "directory/outer", "--who", "bo"), "does not reach all of dues"),
            (("give", "role:dues/waiver", "--to", "account:dues/nobody", "--on", "area:south"), "is not about"),
        ):
            self.assertIn(why, self.refused(*words, actor="head"), words)
        self.assertIn("ann holds no mandate", self.refused("give", "role:dues/waiver", "--to", "bo", actor="ann"))

    def test_it_can_be_tried_without_being_her(self):
        rows = records_inside("mandates", "try", "head", cwd=self.here)
        self.assertEqual([(it["act"], it["role"], it["receivers"]) for it in rows], [("give", "role:dues/waiver", 2)])
        (power,) = records_inside("mandates", "list", "--by", "head", cwd=self.here)
        self.assertEqual((power["who"], power["where"], power["is_direct"]), ("identity:head", "area south", True))
        self.assertEqual(records_inside("mandates", "try", "bo", cwd=self.here), [])

    def test_a_mandate_is_never_handed_out_by_one(self):
        file = self.here / "more.toml"
        file.write_text("[[add]]\nkind = 'mandates'\nholder = 'identity:bo'\nroles = 'dues/*'\n")
        said = self.refused("read", "more.toml", actor="head")
        self.assertIn('lets head "alter mandates"', said)

    def test_the_configuration_says_who_may_and_that_two_are_needed(self):
        config = self.here / "kathodos.toml"
        text = config.read_text()
        may = '[[may]]\nwho = ["head"]\nacts = ["apply", "give freely"]\n'
        may += '[[may]]\nwho = \'title eq "Clerk"\'\nacts = ["compose"]\n'
        config.write_text(f'four_eyes = ["apply"]\n{text}{may}')
        self.change("give", "role:dues/setter", "--to", "bo", "--into", "x", actor="ann")
        self.assertIn("ann may not apply", self.change("apply", "x", "--yes", actor="ann", status=2).stderr)
        self.assertIn(
            "head may not compose",
            self.change("give", "role:dues/waiver", "--to", "bo", "--into", "y", actor="head", status=2).stderr,
        )
        self.change("apply", "x", "--yes", actor="head")
        own = self.change("give", "role:dues/waiver", "--to", "bo", "--yes", actor="head", status=2).stderr
        self.assertIn("nobody applies what is their own", own)
        config.write_text(text + '[[may]]\nwho = ["head"]\nacts = ["dance"]\n')
        self.assertIn("there is no act 'dance'", self.do("gather", status=3).stderr)


@stores.ABOUT_ANSWERS
class People(Office, unittest.TestCase):
    more = WITH_STATUS

    def people(self, *words, **options):
        return self.do("people", *words, **options)

    def test_invited_by_line_and_by_file_with_mails_checked_and_duplicates_found(self):
        file = self.here / "new.csv"
        file.write_text(
            "Name,Email,Department\nCy New,cy@x.example,Dues\nDi New,not-a-mail,Dues\nBo Clerk,bo2@x.example,Dues\n"
        )
        said = self.people("invite", "Eve New, HANNA@office.example", "--file", "new.csv", "--yes", status=3).stderr
        self.assertIn("HANNA@office.example is the mail of head already", said)
        self.assertIn("new.csv, line 3: 'not-a-mail' is no mail address", said)
        self.assertIn("new.csv, line 4: Bo Clerk may be bo", said)
        self.assertEqual(records_inside("people", "list", "--status", "invited", cwd=self.here), [])
        self.people("invite", "Cy New, cy@x.example", "Bo Clerk, bo2@x.example", "--namesake", "--yes")
        rows = records_inside("people", "list", "--status", "invited", cwd=self.here)
        self.assertEqual(
            [(it["id"], it["invited"]) for it in rows],
            [("cy@x.example", "2026-06-15"), ("bo2@x.example", "2026-06-15")],
        )
        self.people("activate", "cy@x.example", "--yes")
        inside("gather", cwd=self.here)
        statuses = {it["id"]: it["status"] for it in records_inside("people", "list", cwd=self.here)}
        self.assertEqual((statuses["cy@x.example"], statuses["bo2@x.example"]), ("active", "invited"))

    def test_whom_a_source_brings_later_is_the_source_s_from_then_on(self):
        self.people("invite", "Cy New, cy@x.example", "--yes")
        with (self.here / "tables" / "identities.csv").open("a") as file:
            file.write("cy@x.example,Cy Newer,Dues,Clerk,cy@x.example,,active\n")
        inside("gather", cwd=self.here)
        (row,) = records_inside("people", "list", "--where", 'id eq "cy@x.example"', cwd=self.here)
        self.assertEqual((row["name"], row["status"]), ("Cy Newer", "active"))

    def test_suspended_and_brought_back_with_what_was_held(self):
        before = reached(self.here)
        for is_carried_out in (False, True):
            self.people("suspend", "ann", "--yes")
            self.assertEqual({it for it in reached(self.here, "--assume", "orders") if it[0] == "ann"}, set())
            if is_carried_out:
                carried_out(self.here)
            self.people("back", "ann", "--yes")
            if is_carried_out:
                carried_out(self.here)
            self.assertEqual(reached(self.here, "--assume", "orders"), before)

    def test_who_left_comes_back_with_grants_and_memberships(self):
        before = reached(self.here)
        self.people("leave", "ann", "--yes")
        carried_out(self.here)
        self.assertEqual({it for it in reached(self.here) if it[0] == "ann"}, set())
        self.people("back", "ann", "--yes")
        carried_out(self.here)
        self.assertEqual(reached(self.here), before)
        self.assertIn("neither suspended nor has left", self.people("back", "ann", status=2).stderr)

    def test_two_identities_of_one_person_are_merged_for_good(self):
        with (self.here / "tables" / "identities.csv").open("a") as file:
            file.write("bo9,Clerk Bo,Dues,Clerk,bo9@x.example,,active\n")
        with (self.here / "tables" / "grants.csv").open("a") as file:
            file.write("g9,identity:bo9,role:dues/waiver,,,\n")
        inside("gather", cwd=self.here)
        both = {it[1:] for it in reached(self.here) if it[0] in ("bo", "bo9")}
        said = self.people("merge", "bo9", "bo", "--yes", "--reason", "hired twice").stdout
        self.assertIn("Warning: their name differs", said)
        self.assertEqual({it[1:] for it in reached(self.here) if it[0] == "bo"}, both)
        self.assertFalse({it for it in reached(self.here) if it[0] == "bo9"})
        settled = reached(self.here)
        with (self.here / "tables" / "identities.csv").open("a") as file:
            file.write("cy,Cy New,Dues,Clerk,,bo9,active\n")
        inside("gather", cwd=self.here)
        self.assertEqual({it for it in reached(self.here) if it[0] != "cy"}, settled)
        (cy,) = records_inside("list", "identities", "--where", 'id eq "cy"', cwd=self.here)
        self.assertEqual(cy["manager"], "bo")
        for alias in ("bo9", "bo9@x.example"):
            self.assertIn("identity:bo ", inside("reach", "--by", alias, cwd=self.here).stdout.splitlines()[0] + " ")
        self.assertIn("was merged into bo already", self.people("merge", "identity:bo9", "head", status=2).stderr)

    def test_two_that_are_inactive_are_never_merged(self):
        self.people("suspend", "ann", "bo", "--yes")
        carried_out(self.here)
        self.assertIn("two that are inactive are never merged", self.people("merge", "ann", "bo", status=2).stderr)


class SameAccess(Office, unittest.TestCase):
    def test_what_would_break_a_rule_is_left_out_and_said(self):
        told = document("change", "same-as", "ann", "--to", "bo", "--into", "x", "--as", "auditor", cwd=self.here)
        self.assertIn("which would break D-1", " ".join(told["notes"]))
        self.assertEqual(document("change", "rehearse", "x", cwd=self.here)["rules_broken"], [])
        told = document(
            "change",
            "same-as",
            "ann",
            "--to",
            "bo",
            "--even-if-broken",
            "--dry-run",
            "--all",
            "--as",
            "x",
            cwd=self.here,
        )
        self.assertEqual([it["rule"] for it in told["rules_broken"]], ["D-1"])
        after = {(it[1], it[2]) for it in reached(self.here) if it[0] == "ann"}
        had = {(it[1], it[2]) for it in reached(self.here) if it[0] == "bo"}
        self.assertEqual({it[1:] for it in triples(told, "gains")}, after - had)

    def test_only_what_was_used_and_replacing_what_no_model_holds(self):
        lately = ("--used-within", "P45D", "--replace", "--dry-run", "--as", "x")
        told = document("change", "same-as", "ann", "--to", "bo", *lately, cwd=self.here)
        self.assertEqual(told["edits"][0]["what"], "Bo Clerk (bo) loses view dues:/tariffs")
        never = document(
            "change", "same-as", "ann", "--to", "bo", "--used-within", "P3D", "--into", "y", "--as", "x", cwd=self.here
        )
        self.assertEqual(never["added"], 0)


if __name__ == "__main__":
    unittest.main()
