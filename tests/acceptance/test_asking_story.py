"""The demo's story of asking for access: each line of it comes out, and the ledger shows who decided what."""

import email
import email.policy
import re
import tempfile
import unittest
from pathlib import Path

from tests import demos, stores
from tests.support import records_inside

NOW = "2026-07-28T09:00:00Z"


@stores.ABOUT_ANSWERS
class AskingStory(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        scratch = tempfile.TemporaryDirectory()
        cls.addClassCleanup(scratch.cleanup)
        cls.printed = demos.printed()
        cls.here = demos.copied(Path(scratch.name)) / "asking"
        cls.requests = {it["request"]: it for it in cls.ask("request", "list")}

    @classmethod
    def ask(cls, *words, status=0, now=NOW):
        return records_inside(*words, cwd=cls.here, status=status, now=now)

    def told(self, command):
        """What the demo printed below the last command that starts so."""
        found = re.findall(rf"^\$ kathodos {re.escape(command)}.*?$(.*?)(?=^\$ |^== |^# )", self.printed, re.M | re.S)
        self.assertTrue(found, command)
        return " ".join(found[-1].split())

    def test_story_22_one_granted_one_denied_one_lapsed_one_ended_and_renewed(self):
        states = {number: it["state"] for number, it in self.requests.items()}
        wanted = {1: "ended", 2: "denied", 3: "lapsed", 4: "running", 5: "running", 6: "ended"}
        self.assertEqual(states, wanted)
        first, denied, renewed = (self.requests[it] for it in (1, 2, 5))
        self.assertEqual((first["decided_by"], first["why"]), ("p0107, p0190", "renewed by request 5"))
        self.assertEqual((renewed["renews"], renewed["granted_until"]), (1, "2026-09-30"))
        self.assertEqual(denied["decided_by"], "p0026")  # who stands in for the chief pilot
        self.assertIn("short of people", denied["decision_reason"])
        self.assertEqual(self.requests[3]["why"], "nobody decided it in time")
        self.assertIn("request 3, quay-summer of p0118: from p0107 to p0001", self.printed)

    def test_what_runs_is_what_was_granted_and_no_more(self):
        held = self.ask("request", "held", "--kit", "quay-summer")
        self.assertEqual({it["whom"] for it in held}, {"p0115"})
        self.assertEqual({it["stands"] for it in held}, {"in force", "was a member before"})
        (answer,) = self.ask("reach", "--by", "p0115", "--on", "berths:/eelmouth/plans", "--do", "plan")
        self.assertTrue(answer["reached"])
        after = "2026-10-01T00:00:00Z"
        (answer,) = self.ask(
            "reach", "--by", "p0115", "--on", "berths:/eelmouth/plans", "--do", "plan", now=after, status=1
        )
        self.assertFalse(answer["reached"])
        for other in ("p0028", "p0118"):
            (answer,) = self.ask("reach", "--by", other, "--on", "berths:/eelmouth/plans", "--do", "plan", status=1)
            self.assertFalse(answer["reached"], other)

    def test_the_guest_was_invited_and_has_come(self):
        (ada,) = self.ask("list", "identities", "--where", 'email eq "ada.berg@quay-hands.example"')
        self.assertEqual((ada["name"], ada["status"]), ("Ada Berg", "active"))

    def test_the_emergency_was_told_ended_and_looked_back_on(self):
        it = self.requests[6]
        self.assertEqual((it["emergency"], it["why"]), (True, "its time was over"))
        mails = [email.message_from_bytes(file.read_bytes(), policy=email.policy.default)
                 for file in sorted((self.here / "outbox").glob("20260725T*.eml"))]  # fmt: skip
        self.assertEqual({str(mail["Subject"]) for mail in mails}, {"EMERGENCY: Emergency 6 was taken"})
        whom = {str(mail["To"]).partition("@")[0].rpartition(".")[2] for mail in mails}
        self.assertEqual(whom, {"1", "151"})
        steps = self.ask("list", "request_steps", "--where", "request eq 6")
        self.assertEqual([(step["decision"], step["decided_by"]) for step in steps], [("right", "p0151")])
        (answer,) = self.ask(
            "reach", "--by", "p0153", "--on", "workshop:/controllers/crane-4", "--do", "configure", status=1
        )
        self.assertFalse(answer["reached"])

    def test_the_end_of_story_16_what_one_would_need_to_see_the_plates(self):
        told = self.told("request need 'view gates:/plates' --for p0028")
        self.assertIn("view gates:/plates 0", told)
        (answer,) = self.ask("reach", "--by", "p0113", "--on", "gates:/plates", "--do", "view")
        self.assertTrue(answer["reached"])  # what guards got in June

    def test_each_step_is_in_the_ledger_which_is_as_signed(self):
        kinds = [it["kind"] for it in self.ask("ledger", "list", "--subject", "request:1")]
        self.assertEqual(kinds[:3], ["request ask", "request decide", "request take"])
        self.assertIn("request tend", kinds)
        self.assertEqual(self.ask("ledger", "verify")[0]["discrepancies"], [])


if __name__ == "__main__":
    unittest.main()
