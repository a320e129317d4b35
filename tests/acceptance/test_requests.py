"""People ask for access, others decide, what runs ends; kits, guests, emergencies, packets; what is refused and why."""

import email
import email.policy
import json
import unittest

from tests import stores
from tests.packets import answers_to, held_in, lines_in, saved
from tests.request.office import NOW, make_office
from tests.support import Prepared, at_once, inside, records_inside, run

LATER = "2026-06-20T12:00:00Z"


class Asking(Prepared):
    @classmethod
    def prepare(cls, folder):
        return make_office(folder)

    def do(self, *words, actor="x", status=0, now=NOW):
        return inside("request", *words, "--as", actor, cwd=self.here, status=status, now=now)

    def ask(self, *words, actor="bo", status=0, now=NOW):
        return self.do("ask", *words, "--reason", "the audit", "--yes", actor=actor, status=status, now=now)

    def shown(self, number, now=NOW):
        done = inside("request", "show", number, "--format", "json", "--as", "x", cwd=self.here, now=now)
        return json.loads(done.stdout)

    def data(self, *words, now=NOW, status=0):
        return records_inside(*words, cwd=self.here, now=now, status=status)

    def grants(self, holder):
        gives = {(it["gives"], it["on"], it["until"]) for it in self.data("list", "grants") if it["holder"] == holder}
        pending = self.data("orders", "list", "--state", "open")
        return gives, [(it["before"], it["after"]) for it in pending]

    def obey(self, now=NOW):
        """The systems' side does what was ordered, and is gathered."""
        out = self.folder / f"out{len(list(self.folder.iterdir()))}"
        inside("enact", "--by", "tables", "--out", out, "--yes", "--as", "x", cwd=self.here, now=now)
        for file in (out / "files").iterdir():
            (self.here / "tables" / file.name).write_bytes(file.read_bytes())
        inside("gather", "--as", "x", cwd=self.here, now=now)

    def mails(self):
        files = sorted((self.here / "outbox").glob("*.eml"))
        return [email.message_from_bytes(it.read_bytes(), policy=email.policy.default) for it in files]

    def state(self, number):
        return next(it["state"] for it in self.data("request", "list") if it["request"] == number)


class FromAskingToTheEnd(Asking, unittest.TestCase):
    """The whole way of one request, in a file and in a database."""

    def test_asked_granted_carried_out_renewed_and_ended(self):
        told = self.ask("desk", "--until", "2026-07-01").stdout
        self.assertIn("This would be asked: desk for Bo (bo), until 2026-07-01.", told)
        self.assertIn("1. Mia Head (mia), as the manager", told)
        self.assertIn("2. Olga Own (olga), as the owner", told)
        self.do("grant", 1, "--yes", actor="mia")
        self.assertEqual(self.shown(1)["waits_for"], "olga")
        self.do("grant", 1, "--yes", "--until", "2026-06-28", actor="olga")
        self.assertEqual(self.state(1), "granted")
        self.obey()
        self.assertEqual(self.state(1), "running")
        gives, _ = self.grants("identity:bo")
        self.assertEqual(gives, {("role:s/reader", None, "2026-06-28")})
        self.do("renew", 1, "--until", "2026-07-31", "--reason", "not done yet", "--yes", actor="bo")
        self.do("grant", 2, "--yes", actor="mia")
        self.do("grant", 2, "--yes", actor="olga")
        self.obey()
        self.assertEqual([self.state(1), self.state(2)], ["ended", "running"])
        self.assertEqual(self.grants("identity:bo")[0], {("role:s/reader", None, "2026-07-31")})
        after = "2026-08-01T09:00:00Z"
        self.assertEqual(self.data("excess", "--kind", "request-over", now=after, status=1)[0]["rests_on"], "request:2")
        self.do("tend", "--yes", now=after)
        self.obey(after)
        self.assertEqual(self.grants("identity:bo")[0], set())
        self.assertNotIn("identity:bo", {it["member"] for it in self.data("list", "members")})
        kinds = [it["kind"] for it in self.data("ledger", "list", "--subject", "request:2")]
        self.assertEqual(kinds, ["request ask", "request decide", "request decide", "request tend"])
        inside("ledger", "verify", cwd=self.here, now=after)


@stores.ABOUT_ANSWERS
class WhoMayAsk(Asking, unittest.TestCase):
    def test_a_request_says_why_until_when_and_is_not_asked_twice(self):
        self.assertIn("says why", self.do("ask", "desk", "--yes", actor="bo", status=2).stderr)
        self.assertIn("is over", self.ask("desk", "--until", "2026-06-01", status=2).stderr)
        self.assertIn("at the longest", self.ask("desk", "--until", "2028-06-01", status=2).stderr)
        self.assertIn("There is no role", self.ask("role:s/reder", status=2).stderr)
        self.assertIn("Nearest: desk", self.ask("dsk", status=2).stderr)
        self.ask("desk")
        self.assertIn("asked for already, by request 1", self.ask("desk", status=2).stderr)
        self.do("withdraw", 1, actor="cy", status=2)
        self.do("withdraw", 1, actor="bo")
        self.ask("desk", "--for", "bo", actor="mia")
        steps = self.shown(2)["steps"]
        self.assertEqual([it["approver"] for it in steps], ["boss", "olga"])  # who asks does not decide

    def test_a_kit_is_for_some_and_wants_to_be_told(self):
        inside("kit", "set", "one", "--who", 'department eq "Heads"', "--says", "shift", "--yes", "--as", "x",
               cwd=self.here)  # fmt: skip
        self.assertIn("bo is none of them", self.ask("one", status=2).stderr)
        self.assertIn("wants to be told: shift", self.ask("one", actor="mia", status=2).stderr)
        self.assertIn("does not ask for", self.ask("desk", "--say", "x=y", status=2).stderr)
        self.ask("one", "--say", "shift=late; at night", actor="mia")
        self.assertEqual(self.shown(1)["says"], {"shift": "late; at night"})
        listed = self.data("kit", "list", "--for", "bo")
        self.assertEqual([it["kit"] for it in listed], ["desk", "stuck"])

    def test_who_has_it_already_is_told_and_nothing_is_given_twice(self):
        self.assertIn("Of 2 entries 1 is held already.", self.ask("desk", actor="ann").stdout)
        self.do("grant", 1, "--yes", actor="mia")
        self.do("grant", 1, "--yes", actor="olga")
        self.obey()
        own = [it for it in self.data("list", "grants") if it["holder"] == "identity:ann"]
        self.assertEqual([it["grant"] for it in own], ["own"])
        self.assertIn("by request 1 until", self.ask("desk", actor="ann", status=2).stderr)
        self.do("return", 1, "--yes", actor="ann")
        self.obey()
        self.assertEqual([it["grant"] for it in self.data("list", "grants") if it["holder"] == "identity:ann"], ["own"])
        self.assertNotIn("identity:ann", {it["member"] for it in self.data("list", "members")})

    def test_what_one_would_need_is_told_from_the_least_on(self):
        (kit, *rest) = self.data("request", "need", "edit s:/x/1", "--for", "bo", "--as", "x")[0]["needs"]
        self.assertEqual((kit["what"], kit["beyond"]), ("edit s:/x/1", 1))  # who edits views
        self.assertEqual([it["what"] for it in rest], ["one", "stuck", "role:s/writer"])
        self.assertGreater(rest[1]["beyond"], 1)
        self.assertIn(
            "already", inside("request", "need", "view s:/x", "--for", "ann", "--as", "x", cwd=self.here).stdout
        )
        told = self.do("ask", "edit s:/x/1", "--reason", "r", "--dry-run", actor="bo").stdout
        self.assertIn("To edit s:/x/1, bo would need one of these", told)
        self.assertIn("Send it: the same without --dry-run", told)
        self.assertEqual(self.data("request", "list"), [])

    def test_a_permission_goes_to_the_account_that_is_named(self):
        self.ask("edit s:/x/1", "--for", "account:s/bo1", "--until", "2026-06-30")
        self.do("grant", 1, "--yes", actor="mia")
        self.do("grant", 1, "--yes", actor="olga")
        (held,) = self.data("request", "held", "--by", "bo")
        self.assertEqual((held["holder"], held["stands"]), ("account:s/bo1", "ordered to come"))
        self.assertIn(
            "is an account of", self.ask("desk", "--for", "account:s/zz", status=2).stderr + "is an account of"
        )


@stores.ABOUT_ANSWERS
class Deciding(Asking, unittest.TestCase):
    def test_nobody_decides_what_they_ask_or_get_and_only_who_is_to(self):
        self.ask("desk")
        for actor in ("bo", "cy", "olga", "x"):
            self.do("grant", 1, "--yes", actor=actor, status=2)
            self.do("deny", 1, "--reason", "no", actor=actor, status=2)
        self.assertIn("without a reason", self.do("deny", 1, actor="mia", status=2).stderr)
        self.do("deny", 1, "--reason", "the reader is enough", actor="mia")
        shown = self.shown(1)
        self.assertEqual((shown["state"], shown["why"]), ("denied", "the reader is enough"))
        self.do("grant", 1, "--yes", actor="mia", status=2)

    def test_a_conflict_that_it_makes_is_shown_and_takes_a_reason(self):
        self.ask("one", "--until", "2026-06-30", actor="cy")
        self.do("grant", 1, "--yes", actor="olga")
        self.obey()
        self.ask("group:s/g", actor="cy")
        told = self.do("grant", 2, "--dry-run", actor="mia").stdout
        self.assertIn("! It makes 1 conflict: TWO (Writes, and looks at y): write and look.", told)
        self.do("grant", 2, "--yes", actor="mia", status=2)
        self.do("grant", 2, "--yes", "--reason", "for a week", actor="mia")

    def test_asked_back_answered_and_granted_for_less(self):
        self.ask("one")
        self.do("ask-back", 1, "--say", "Which berths?", actor="bo", status=2)
        self.do("ask-back", 1, "--say", "Which?", actor="olga")
        self.do("answer", 1, "--say", "The first.", actor="cy", status=2)
        self.do("answer", 1, "--say", "The first.", actor="bo")
        self.do("answer", 1, "--say", "again", actor="bo", status=2)
        self.do("grant", 1, "--without", "role:s/none", "--yes", actor="olga", status=2)
        self.do("grant", 1, "--until", "2027-01-01", "--yes", actor="olga", status=2)
        self.do("grant", 1, "--without", "s/reader", "--until", "2026-06-20", "--yes", actor="olga")
        held = self.data("request", "held", "--by", "bo")
        self.assertEqual([(it["gives"], it["until"]) for it in held], [("role:s/writer on s:/x/1", "2026-06-20")])
        self.assertEqual([it["sort"] for it in self.shown(1)["remarks"]], ["question", "answer"])

    def test_a_smaller_scope_is_part_of_what_was_asked(self):
        self.ask("role:s/writer", "--on", "s:/x/1")
        self.do("grant", 1, "--yes", actor="mia")
        self.do("grant", 1, "--on", "s:/x", "--yes", actor="olga", status=2)
        self.do("grant", 1, "--on", "s:/x/1", "--yes", actor="olga")

    def test_late_steps_go_up_and_what_nobody_decides_lapses(self):
        self.ask("desk")
        told = self.do("tend", "--yes", now=LATER).stdout
        self.assertEqual(told.splitlines(), ["Nothing is due.", "How requests stand: kathodos request status"])
        told = self.do("tend", "--dry-run", now="2026-06-23T12:00:00Z").stdout
        self.assertEqual(told.splitlines()[-1], "As you want it? The same without --dry-run.")
        before = len(self.data("ledger", "list"))
        self.do("tend", "--yes", now="2026-06-23T12:00:00Z")
        self.assertEqual(self.shown(1)["waits_for"], "boss")
        self.do("tend", "--yes", now="2026-06-23T13:00:00Z")
        self.assertEqual(len(self.data("ledger", "list")), before + 1)  # nothing is written where nothing is due
        self.do("grant", 1, "--yes", actor="mia", status=2, now="2026-06-24T12:00:00Z")
        self.do("tend", "--yes", now="2026-07-07T12:00:00Z")
        shown = self.shown(1)
        self.assertEqual((shown["state"], shown["why"]), ("lapsed", "nobody decided it in time"))

    def test_who_left_decides_nothing_and_what_waits_for_them_goes_on(self):
        self.ask("desk")
        inside("people", "suspend", "mia", "--yes", "--as", "x", "--reason", "away", cwd=self.here)
        self.obey()
        self.assertIn(
            "mia is suspended, and decides nothing", self.do("grant", 1, "--yes", actor="mia", status=2).stderr
        )
        self.do("tend", "--yes")
        self.assertEqual(self.shown(1)["waits_for"], "boss")

    def test_all_of_a_step_and_a_stand_in(self):
        with (self.here / "kathodos.toml").open("a", encoding="utf-8") as file:
            file.write('\n[reviews]\nstand_ins = { olga = "mia" }\ndeciders = ["boss"]\n')
        inside("kit", "set", "one", "--approve", "olga+boss", "--yes", "--as", "x", cwd=self.here)
        self.ask("one")
        self.do("grant", 1, "--yes", actor="mia")
        shown = self.shown(1)
        self.assertEqual((shown["state"], shown["waits_for"]), ("open", "boss"))
        step = next(it for it in shown["steps"] if it["approver"] == "olga")
        self.assertEqual((step["decided_by"], step["capacity"]), ("mia", "stand-in"))
        self.do("grant", 1, "--yes", actor="boss")
        self.assertEqual(self.state(1), "granted")

    def test_an_approver_gives_no_more_than_a_mandate(self):
        inside("change", "read", self.mandate("bo"), "--yes", "--as", "x", cwd=self.here)
        self.ask("one", actor="cy")
        done = self.do("grant", 1, "--yes", actor="olga", status=2)
        self.assertIn("olga holds no mandate", done.stderr)
        faults = self.data("kit", "check", "one", status=1)
        self.assertEqual({it["sort"] for it in faults}, {"not approved"})
        self.assertEqual([it["actor"] for it in self.data("ledger", "list", "--kind", "refused")], ["olga"])

    def test_an_approver_gives_what_a_mandate_names(self):
        inside("change", "read", self.mandate("olga"), "--yes", "--as", "x", cwd=self.here)
        self.assertNotIn("one", {it["kit"] for it in self.data("kit", "check", status=1)})
        self.ask("one", actor="cy")
        self.do("grant", 1, "--yes", actor="olga")

    def mandate(self, holder):
        file = self.folder / f"{holder}.toml"
        file.write_text(f'[[add]]\nkind = "mandates"\nholder = "identity:{holder}"\nroles = "s/*"\n', encoding="utf-8")
        return file

    def test_what_was_decided_before_stands_beside(self):
        self.ask("one", actor="cy")
        self.do("deny", 1, "--reason", "no", actor="olga")
        self.ask("one")
        before = self.shown(2)["evidence"]["before"]
        self.assertEqual((before["granted"], before["denied"]), (0, 1))
        evidence = self.shown(2)["evidence"]
        brings = {it["gives"]: it["brings"] for it in evidence["contains"]}
        self.assertEqual(brings, {"role:s/reader": ["view s:/x/**"], "role:s/writer": ["edit s:/x/**"]})
        self.assertEqual(evidence["signed_in"], [{"account": "account:s/bo1", "last": None}])
        (share, _) = evidence["shares"]
        self.assertEqual((share["peers_having"], share["peers"], share["people"]), (1, 2, 5))

    def test_only_who_may_by_the_configuration(self):
        with (self.here / "kathodos.toml").open("a", encoding="utf-8") as file:
            file.write('\n[[may]]\nwho = ["bo"]\nacts = ["ask"]\n[[may]]\nwho = ["x"]\nacts = ["end requests"]\n')
        self.ask("desk", actor="cy", status=2)
        self.ask("desk")
        self.do("grant", 1, "--yes", actor="mia", status=2)
        (entry, other) = self.data("ledger", "list", "--kind", "refused")
        self.assertEqual((entry["actor"], other["actor"]), ("cy", "mia"))


@stores.ABOUT_ANSWERS
class Running(Asking, unittest.TestCase):
    def granted(self, *words, actor="bo"):
        self.ask(*words, actor=actor)
        number = self.data("request", "list")[0]["request"]
        while self.shown(number)["waits_for"]:
            self.do("grant", number, "--yes", "--reason", "ok", actor=self.shown(number)["waits_for"])
        return number

    def test_taken_out_of_a_kit_all_goes_that_nothing_else_gives(self):
        self.granted("desk", "--until", "2026-07-31")
        self.granted("one", "--until", "2026-07-01")
        self.obey()
        self.do("take-out", "desk", "--from", "cy", "--reason", "r", "--yes", actor="mia", status=2)
        self.do("take-out", "desk", "--from", "bo", "--yes", actor="cy", status=2)
        self.do("take-out", "desk", "--from", "bo", "--yes", actor="olga", status=2)  # without a reason
        told = self.do("take-out", "desk", "--from", "bo", "--reason", "moved", "--yes", actor="olga").stdout
        self.assertIn("role:s/reader of identity:bo stays, for it is given by request 2 (one).", told)
        self.obey()
        gives, _ = self.grants("identity:bo")
        self.assertEqual(gives, {("role:s/reader", None, "2026-07-01"), ("role:s/writer", "s:/x/1", "2026-07-01")})
        self.assertNotIn("identity:bo", {it["member"] for it in self.data("list", "members")})

    def test_what_somebody_prolonged_otherwise_stays(self):
        self.granted("one", "--until", "2026-06-30")
        self.obey()
        inside("change", "give", "role:s/reader", "--to", "bo", "--until", "2026-12-31", "--yes", "--as", "x",
               cwd=self.here)  # fmt: skip
        self.obey()
        told = self.do("return", 1, "--yes", actor="bo").stdout
        self.assertIn("somebody has prolonged it otherwise, and it ends on 2026-12-31", told)
        self.obey()
        self.assertEqual(self.grants("identity:bo")[0], {("role:s/reader", None, "2026-12-31")})

    def test_a_change_of_a_request_is_taken_back_by_ending_it(self):
        self.granted("one")
        told = inside("change", "undo", "request-1", "--yes", "--as", "x", cwd=self.here, status=2)
        self.assertIn("kathodos request return", told.stderr)

    def test_both_sides_are_told_once_before_the_end(self):
        self.granted("one", "--until", "2026-06-30")
        told = self.do("tend", "--yes", now=LATER).stdout
        self.assertIn("1 end soon, of which both sides are told", told)
        whom = sorted(str(it["To"]) for it in self.mails() if "ends on 2026-06-30" in it.get_content())
        self.assertEqual(whom, ["bo@office.example", "olga@office.example"])
        self.assertIn("Nothing is due", self.do("tend", "--yes", now=LATER).stdout)

    def test_what_a_gather_lost_is_told(self):
        self.granted("one", "--until", "2026-07-01")
        self.obey()
        file = self.here / "tables" / "grants.csv"
        lines = [it for it in file.read_text(encoding="utf-8").splitlines(True) if "identity:bo" not in it]
        file.write_text("".join(lines), encoding="utf-8")
        inside("gather", "--accept-loss", "--as", "x", cwd=self.here)
        held = self.data("request", "held", "--by", "bo")
        self.assertEqual({it["stands"] for it in held}, {"not found by the last gather"})
        self.do("return", 1, "--yes", actor="bo")
        self.assertEqual(self.data("request", "held", "--by", "bo"), [])

    def test_somebody_merged_takes_what_runs_along(self):
        self.granted("desk", "--until", "2026-07-31")
        self.obey()
        inside("people", "merge", "bo", "cy", "--yes", "--as", "x", cwd=self.here)
        self.assertEqual({it["whom"] for it in self.data("request", "held")}, {"cy"})
        self.do("return", 1, "--yes", actor="cy")
        open_ones = self.data("orders", "list", "--state", "open")
        self.assertEqual({it["verb"] for it in open_ones}, {"end"})
        self.assertEqual(len(open_ones), 2)

    def test_counts_histories_and_data(self):
        self.granted("one", "--until", "2026-06-20")
        self.ask("desk", actor="cy")
        status = {it["kit"]: it for it in self.data("request", "status")}
        self.assertEqual((status["desk"]["open"], status["one"]["granted"]), (1, 1))
        mine = self.data("request", "list", "--mine", "--as", "bo")
        self.assertEqual([it["request"] for it in mine], [1])
        waits = self.data("request", "list", "--mine-to-decide", "--as", "mia")
        self.assertEqual([it["request"] for it in waits], [2])
        self.assertEqual([it["request"] for it in self.data("request", "list", "--decided", "--as", "olga")], [1])
        some = self.data("request", "list", "--where", 'state eq "open" and whom eq "cy"')
        self.assertEqual([it["request"] for it in some], [2])
        lines = inside("request", "list", "--format", "csv", cwd=self.here).stdout.splitlines()
        self.assertTrue(lines[0].startswith("request,state,what,kit,whom,holder,asked_by,asked_at,reason"))
        self.assertEqual(len(lines), 3)
        before = self.data("ledger", "list")[-2]["number"]
        self.assertEqual(len(self.data("request", "list", "--as-of", str(before))), 1)


@stores.ABOUT_ANSWERS
class Kits(Asking, unittest.TestCase):
    def kit(self, *words, status=0):
        return inside("kit", *words, "--as", "x", cwd=self.here, status=status)

    def test_a_change_of_content_goes_to_all_who_have_it(self):
        self.ask("desk", "--until", "2026-07-31")
        for actor in ("mia", "olga"):
            self.do("grant", 1, "--yes", actor=actor)
        self.obey()
        told = self.kit("set", "desk", "--drops", "role:s/reader", "--gives", "role:s/writer on s:/x/2", "--yes").stdout
        self.assertIn("1 person who has it is told what comes and goes.", told)
        self.assertIn("Bo (bo) loses role:s/reader", told)
        self.obey()
        self.assertEqual(self.grants("identity:bo")[0], {("role:s/writer", "s:/x/2", "2026-07-31")})
        told = [it.get_content() for it in self.mails() if it["To"] == "bo@office.example"]
        self.assertTrue(any("The kit desk changes: it gives you role:s/writer on s:/x/2" in it for it in told), told)
        self.assertIn("cannot be dropped", self.kit("drop", "desk", "--yes", status=2).stderr)
        self.do("return", 1, "--yes", actor="bo")
        self.kit("drop", "desk", "--yes")
        self.assertNotIn("desk", {it["kit"] for it in self.data("kit", "list")})
        self.assertIn("kit:desk", inside("change", "undo", "kit-desk-1", cwd=self.here, status=2).stderr)

    def test_who_granted_decides_anew_where_a_kit_gives_more(self):
        self.ask("desk")
        self.do("grant", 1, "--yes", actor="mia")
        self.kit("set", "desk", "--gives", "role:s/writer", "--yes")
        self.assertEqual(self.shown(1)["waits_for"], "mia")

    def test_read_from_files_with_the_line_of_what_is_wrong(self):
        (self.here / "kits").mkdir()
        file = self.here / "kits" / "files.toml"
        whole = (
            'title = "F"\nowner = "olga"\n[[gives]]\nrole = "s/writer"\non = ["s:/x/1"]\n[[approve]]\nby = ["owner"]\n'
        )
        for wrong, told in (
            (whole.replace("title", "titel"), "kits/files.toml, line 1: there is no key 'titel' here"),
            (whole.replace('role = "s/writer"', ""), "each [[gives]] names one role, permission or group"),
            (whole.replace("s/writer", "s/wrter"), "There is no role"),
            (whole.replace('"owner"]', '"nobody"]'), "There is no identity nobody"),
            (whole.replace('by = ["owner"]', "by = []"), "line 7"),
            ("[[approve]]\nby = [\n", "kits/files.toml, line"),
        ):
            file.write_text(wrong, encoding="utf-8")
            self.assertIn(told, self.kit("read", "--yes", status=3).stderr.replace("\n", " "), wrong)
        file.write_text(whole, encoding="utf-8")
        self.kit("read", "files", "--yes")
        self.assertIn("As the file says already: files.", self.kit("read", "--yes").stdout)
        (kit,) = [it for it in self.data("kit", "list") if it["kit"] == "files"]
        self.assertEqual((kit["title"], kit["owner"], kit["approved_by"]), ("F", "olga", "the owner"))
        self.assertIn("kits/files.toml", json.dumps(self.data("ledger", "list", "--kind", "settings")))

    def test_check_finds_what_breaks_a_rule_and_what_nobody_approves(self):
        (fault,) = self.data("kit", "check", status=1)
        self.assertEqual(fault["what"], "1 of those who may ask has no manager who is active.")
        self.kit("set", "desk", "--who", 'department eq "Desk"', "--yes")
        self.assertEqual(self.data("kit", "check"), [])
        self.kit("set", "one", "--gives", "group:s/g", "--yes")
        self.kit(
            "make", "lone", "--gives", "role:s/reader", "--approve", "cy", "--who", 'department eq "Moon"', "--yes"
        )
        inside("people", "suspend", "cy", "--yes", "--as", "x", "--reason", "away", cwd=self.here)
        faults = {(it["kit"], it["sort"], it["part"]) for it in self.data("kit", "check", status=1)}
        self.assertIn(("one", "breaks a rule", "TWO"), faults)
        self.assertIn(("lone", "never given", "for"), faults)
        self.assertIn(("lone", "not approved", "step 1"), faults)

    def test_names_that_are_none_and_hostile_ones(self):
        for name in ("a/b", "a:b", " x", 'q"', "a;b"):
            self.kit("make", name, "--gives", "role:s/reader", "--approve", "manager", "--yes", status=2)
        self.kit("make", "bad", "--gives", "role:s/reader", "--approve", "manager+,x", "--yes", status=2)
        self.kit("make", "\x1b[31m=1+1", "--gives", "role:s/reader", "--approve", "mia", "--title", "=cmd()", "--yes")
        told = inside("kit", "list", cwd=self.here).stdout
        self.assertNotIn("\x1b[31m", told)
        self.ask("\x1b[31m=1+1")
        lines = inside("request", "list", "--format", "csv", cwd=self.here).stdout
        self.assertNotIn("\x1b", lines)
        self.assertEqual(self.shown(1)["kit"], "\x1b[31m=1+1")


@stores.ABOUT_ANSWERS
class Guests(Asking, unittest.TestCase):
    def setUp(self):
        super().setUp()
        inside("kit", "make", "season", "--gives", "role:s/reader", "--approve", "manager", "olga", "--owner", "olga",
               "--domains", "hands.example", "--yes", "--as", "x", cwd=self.here)  # fmt: skip

    def test_somebody_of_the_domain_asks_and_is_invited(self):
        guest = "ada@hands.example"
        self.ask("season", "--for", f"Ada Berg, {guest}", actor="Ada@Hands.Example")
        self.assertEqual(self.shown(1)["waits_for"], "olga")  # nobody manages a guest
        self.do("grant", 1, "--yes", actor=guest, status=2)
        self.do("withdraw", 1, actor="eve@hands.example", status=2)
        self.do("grant", 1, "--yes", actor="olga")
        (ada,) = self.data("list", "identities", "--where", f'email eq "{guest}"')
        self.assertEqual((ada["name"], ada["status"]), ("Ada Berg", "invited"))
        self.obey()
        self.assertEqual(self.grants(f"identity:{guest}")[0], {("role:s/reader", None, "2026-09-15")})
        self.do("return", 1, "--yes", actor=guest)

    def test_nobody_else_and_nothing_else(self):
        self.ask("season", "--for", "Eve, eve@else.example", actor="eve@else.example", status=2)
        self.ask("desk", "--for", "Ada, ada@hands.example", actor="ada@hands.example", status=2)
        self.ask("season", "--for", "bo", actor="ada@hands.example", status=2)
        for words in (("baseline", "mark", "b"), ("change", "give", "role:s/reader", "--to", "bo", "--yes")):
            done = inside(*words, "--as", "ada@hands.example", cwd=self.here, status=2)
            self.assertIn("may only ask", done.stderr, words)
        self.ask("season", "--for", "Ann, ann@office.example", actor="mia")  # who is here already is no guest
        self.assertEqual(self.shown(1)["whom"], "ann")


@stores.ABOUT_ANSWERS
class Emergencies(Asking, unittest.TestCase):
    def test_given_at_once_told_and_looked_back_on(self):
        self.do("break-glass", "desk", "--reason", "fire", "--yes", actor="bo", status=2)
        self.do("break-glass", "stuck", "--yes", actor="bo", status=2)
        told = self.do("break-glass", "stuck", "--reason", "fire", "--yes", actor="bo").stdout
        self.assertIn("EMERGENCY: stuck is given to bo at once, until 2026-06-15T17:00:00Z.", told)
        mails = {str(it["To"]): it for it in self.mails()}
        self.assertEqual(set(mails), {"mia@office.example", "olga@office.example", "boss@office.example"})
        self.assertEqual(mails["mia@office.example"]["Importance"], "high")
        self.obey()
        view = ("reach", "--by", "bo", "--on", "s:/x", "--do", "edit")
        self.assertTrue(self.data(*view)[0]["reached"])
        self.assertFalse(self.data(*view, now="2026-06-15T17:00:01Z", status=1)[0]["reached"])
        for actor in ("bo", "cy", "mia"):
            self.do("look-back", 1, "right", "--reason", "r", actor=actor, status=2)
        self.do("look-back", 1, "right", actor="boss", status=2)
        self.do("look-back", 1, "right", "--reason", "there was a fire", actor="boss")
        self.do("look-back", 1, "wrong", "--reason", "no", actor="olga", status=2)
        self.do("tend", "--yes", now="2026-06-16T09:00:00Z")
        self.assertEqual(self.data("request", "status")[0]["to_look_back"], 0)

    def test_left_undecided_it_is_a_finding_and_found_wrong_it_ends(self):
        self.do("break-glass", "stuck", "--reason", "fire", "--yes", actor="bo")
        late = "2026-06-25T12:00:00Z"
        (found,) = self.data("excess", "--kind", "late-look-back", now=late, status=1)
        self.assertEqual((found["subject"], found["severity"]), ("request:1", "high"))
        self.do("look-back", 1, "wrong", "--reason", "no fire", actor="olga")
        self.assertEqual(self.data("excess", "--kind", "late-look-back", now=late), [])
        self.assertEqual(self.state(1), "ended")
        self.assertEqual(self.data("orders", "list", "--state", "open"), [])  # what was not done yet is not wanted
        self.ask("stuck")
        self.assertEqual(self.shown(2)["evidence"]["before"]["found_wrong"], 1)


@stores.ABOUT_ANSWERS
class Packets(Asking, unittest.TestCase):
    def packets(self):
        self.ask("one")
        self.ask("one", actor="cy")
        self.ask("one", actor="ann")
        self.do("packets", "--out", self.folder / "p", "--form", "both")
        return self.folder / "p" / "olga.html"

    def test_granted_shortened_denied_and_asked_back_from_a_page(self):
        page = self.packets()
        shown = lines_in(page)
        self.assertEqual({it["what"] for it in shown.values()}, {"one, until 2026-07-15"})
        self.assertIn("It gives role:s/writer on s:/x/1.", shown[1]["evidence"])
        file = saved(
            self.folder / "a.json",
            answers_to(
                page,
                {"line": 1, "decision": "shorten", "until": "2026-06-20", "say": "as said"},
                {"line": 2, "decision": "deny", "reason": "not for cy"},
                {"line": 3, "decision": "ask", "say": "Why?"},
            ),
        )
        before = len(self.data("ledger", "list"))
        self.do("take", file, "--dry-run")
        self.assertEqual(len(self.data("ledger", "list")), before)
        told = self.do("take", file).stdout
        self.assertIn("Took 1 granted for less long, 1 denied, 1 asked back; 0 answers refused.", told)
        self.assertEqual([self.state(it) for it in (1, 2, 3)], ["granted", "denied", "open"])
        shown = self.shown(1)
        self.assertEqual((shown["granted_until"], shown["decided_by"]), ("2026-06-20", "olga"))
        self.assertEqual(self.shown(3)["remarks"][0]["said_by"], "olga")
        self.assertIn("3 answers were taken before, and changed nothing.", self.do("take", file).stdout)

    def test_altered_foreign_stale_and_senseless_answers_are_refused(self):
        page = self.packets()
        whole = answers_to(page, {"line": 1, "decision": "grant"})
        for change, why in (
            ({"digest": "0" * 64}, "was altered"),
            ({"seal": {**whole["seal"], "reviewer": "bo"}}, "does not answer a packet"),
            ({"seal": {**whole["seal"], "review": "june"}}, "does not answer a packet"),
        ):
            done = self.do("take", saved(self.folder / "b.json", {**whole, **change}), status=1)
            self.assertIn(why, done.stdout)
        for answer, why in (
            ({"line": 9, "decision": "grant"}, "there is no request 9"),
            ({"line": 1, "decision": "revoke"}, "cannot be decided with"),
            ({"line": 1, "decision": "shorten", "until": "soon"}, "no day"),
            ({"line": 1, "decision": "deny"}, "without a reason"),
            ({"line": 1, "decision": "ask"}, "nothing is said"),
            ({"line": 1, "decision": "deny", "reason": "\0"}, "cannot be kept"),
        ):
            done = self.do("take", saved(self.folder / "b.json", answers_to(page, answer)), status=1)
            self.assertIn(why, " ".join(done.stdout.split()), answer)
        inside("kit", "set", "one", "--gives", "view s:/y", "--yes", "--as", "x", cwd=self.here)
        done = self.do("take", saved(self.folder / "b.json", whole), status=1)
        self.assertIn("a kit that was changed since", " ".join(done.stdout.split()))
        self.assertEqual(self.state(1), "open")

    def test_a_workbook_filled_in(self):
        import openpyxl

        self.packets()
        file = self.folder / "p" / "olga.xlsx"
        book = openpyxl.load_workbook(file)
        book["Lines"].cell(3, 6).value = "grant"
        book.save(file)
        self.assertIn("Took 1 granted; 0 answers refused.", self.do("take", file).stdout)
        self.assertEqual(self.state(2), "granted")

    def test_a_review_does_not_take_them_and_the_page_says_what_it_is(self):
        page = self.packets()
        packet = json.loads(held_in(page, "packet"))
        self.assertEqual(
            (packet["review"], packet["decisions"]), ("Requests to decide", ["grant", "shorten", "deny", "ask"])
        )
        file = saved(self.folder / "a.json", answers_to(page, {"line": 1, "decision": "grant"}))
        inside("review", "take", file, "--as", "x", cwd=self.here, status=1)
        self.assertEqual(self.state(1), "open")


class TwoAtOnce(Asking, unittest.TestCase):
    def test_two_who_decide_and_two_who_ask(self):
        self.ask("one")
        calls = [("request", "grant", "1", "--yes", "--as", "olga"), ("request", "grant", "1", "--yes", "--as", "olga")]
        done = at_once(*calls, cwd=self.here)
        self.assertEqual(sorted(it.returncode for it in done), [0, 2], [it.stderr for it in done])
        asks = [("request", "ask", "one", "--reason", "r", "--yes", "--as", it) for it in ("ann", "cy", "mia")]
        done = at_once(*asks, cwd=self.here)
        self.assertEqual([it.returncode for it in done], [0, 0, 0], [it.stderr for it in done])
        self.assertEqual(sorted(it["request"] for it in self.data("request", "list")), [1, 2, 3, 4])
        tends = [("request", "tend", "--yes", "--as", "x")] * 2
        done = at_once(*tends, cwd=self.here, now="2026-08-15T12:00:00Z")
        self.assertEqual([it.returncode for it in done], [0, 0], [it.stderr for it in done])
        self.assertEqual({self.state(it) for it in (1, 2, 3, 4)}, {"ended", "lapsed"})
        inside("ledger", "verify", cwd=self.here, now="2026-08-15T12:00:00Z")


@stores.ABOUT_ANSWERS
class Settings(Asking, unittest.TestCase):
    def test_the_configuration_is_checked_with_its_line(self):
        own = (self.here / "kathodos.toml").read_text(encoding="utf-8")
        for wrong, told in (
            ('[requests]\nlasts = "3 months"\n', "is no duration in days"),
            ("[requests]\napprove = []\n", "approve names nobody in a step"),
            ("[requests]\nlapses = 3\n", "there is no key 'lapses' here"),
        ):
            (self.here / "kathodos.toml").write_text(f"{own}\n{wrong}", encoding="utf-8")
            self.assertIn(told, self.ask("desk", status=3).stderr)
        chain = '[requests]\napprove = [["boss", "olga"]]\nlasts = "P1W"\ndecide_within = "P2D"\n'
        (self.here / "kathodos.toml").write_text(f"{own}\n{chain}", encoding="utf-8")
        self.ask("role:s/reader")
        shown = self.shown(1)
        self.assertEqual((shown["until"], shown["waits_for"]), ("2026-06-22", "boss, olga"))

    def test_the_installed_command_at_a_pipe(self):
        self.ask("desk")
        done = run("request", "list", cwd=self.here)
        self.assertIn("desk", done.stdout)


if __name__ == "__main__":
    unittest.main()
