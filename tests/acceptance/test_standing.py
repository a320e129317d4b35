"""By what a grant or a membership stands is told wherever it is: request and kit, change and who decided, review."""

import json
import unittest

from tests import stores
from tests.acceptance import test_own_way
from tests.acceptance.test_own_way import DAY
from tests.acceptance.test_requests import Asking
from tests.support import OFFICE, OFFICE_RULES, Prepared, carried_out, inside, lay_out, records_inside


@stores.ABOUT_ANSWERS
class OfARequest(Asking, unittest.TestCase):
    granted, listed, rows = (getattr(test_own_way.InItsOwnWay, it) for it in ("granted", "listed", "rows"))

    def standing(self, grant, day):
        shown = json.loads(inside("show", f"grant:{grant}", "--format", "json", cwd=self.here, now=day).stdout)
        words = ("reach", "--by", "bo", "--on", "s:/x/1", "--do", "view", "--trace")
        trace = inside(*words, cwd=self.here, now=day).stdout
        self.assertIn(f"the grant stands {shown['stands']}", " ".join(trace.split()))
        return shown["stands"]

    def test_under_the_name_that_the_system_gives_it(self):
        self.granted()
        own = {"grant": "SYS-77", "holder": "account:s/bo1", "gives": "role:s/reader", "until": "2026-07-01"}
        rows = [*self.rows(), own]
        self.listed(rows, DAY(16))
        told = self.standing("SYS-77", DAY(16))
        self.assertRegex(told, r"^by request 1, granted by mia and olga on 2026-06-15: the audit$")
        (came,) = self.data("changed", "--since", "2026-06-16", "--kind", "grants", now=DAY(16), status=1)
        self.assertEqual((came["by"], came["order"], came["ordered_by"]), ("gather", 1, "olga"))
        self.assertEqual(came["reason"], "the audit", "why it was ordered, and not that it was gathered")

    def test_a_renewed_one_names_the_request_that_runs(self):
        self.ask("desk", "--until", "2026-06-28")
        for who in ("mia", "olga"):
            self.do("grant", 1, "--yes", actor=who)
        self.obey()
        (grant,) = (it["grant"] for it in self.data("list", "grants") if it["holder"] == "identity:bo")
        self.assertIn("by request 1 for the kit desk, granted by mia and olga", self.standing(grant, DAY(16)))
        self.do("renew", 1, "--until", "2026-07-31", "--reason", "not done yet", "--yes", actor="bo")
        for who in ("mia", "olga"):
            self.do("grant", 2, "--yes", actor=who)
        self.obey(DAY(17))
        told = self.standing(grant, DAY(17))
        self.assertRegex(told, "^by request 2 for the kit desk, granted by mia and olga on .*: not done yet$")
        tree = inside("show", "bo", cwd=self.here, now=DAY(17)).stdout
        self.assertEqual(tree.count("stands by request 2 for the kit desk"), 2, "the grant and the membership")


@stores.ABOUT_ANSWERS
class OfAChange(Prepared, unittest.TestCase):
    @classmethod
    def prepare(cls, folder):
        at = lay_out(folder / "office", OFFICE, OFFICE_RULES)
        inside("gather", cwd=at)
        return at

    def change(self, *words, day, reason, actor="head"):
        inside("change", *words, "--reason", reason, "--yes", "--as", actor, cwd=self.here, now=day)
        carried_out(self.here, day)

    def stands(self, day):
        (grant,) = (
            it["grant"]
            for it in records_inside("list", "grants", cwd=self.here, now=day)
            if (it["holder"], it["gives"]) == ("identity:bo", "role:dues/setter")
        )
        shown = json.loads(inside("show", f"grant:{grant}", "--format", "json", cwd=self.here, now=day).stdout)
        return shown["stands"]

    def test_what_is_given_back_stands_by_what_gave_it_first(self):
        self.change("give", "role:dues/setter", "--to", "bo", day=DAY(16), reason="holiday cover")
        first = self.stands(DAY(16))
        self.assertEqual(first, "by the change change-1, applied by head on 2026-06-16: holiday cover")
        self.change("take", "role:dues/setter", "--from", "bo", day=DAY(17), reason="a mistake", actor="auditor")
        self.change("undo", "change-2", day=DAY(18), reason="not a mistake", actor="auditor")
        self.assertEqual(self.stands(DAY(18)), first, "why it was taken is not why it is held")
        self.change("take", "role:dues/setter", "--from", "bo", day=DAY(19), reason="over")
        self.change("give", "role:dues/setter", "--to", "bo", day=DAY(20), reason="again", actor="auditor")
        self.assertIn("applied by auditor on 2026-06-20: again", self.stands(DAY(20)))

    def test_what_is_ordered_and_not_done_changes_nothing_of_what_something_stands_by(self):
        self.change("give", "role:dues/setter", "--to", "bo", day=DAY(16), reason="holiday cover")
        first = self.stands(DAY(16))
        words = ("take", "role:dues/setter", "--from", "bo", "ann", "--reason", "a mistake", "--yes", "--as", "head")
        inside("change", *words, cwd=self.here, now=DAY(17))
        self.assertEqual(self.stands(DAY(17)), first, "it is only ordered to end")
        for is_handed_over in (False, True):
            if is_handed_over:
                inside("change", *words, cwd=self.here, now=DAY(18))
                inside("enact", "--by", "worklist", "--out", "lists", "--yes", cwd=self.here, now=DAY(18))
            newest = records_inside("change", "list", cwd=self.here, now=DAY(18))[0]["change"]
            undo = ("undo", newest, "--reason", "no mistake", "--yes", "--as", "head")
            inside("change", *undo, cwd=self.here, now=DAY(18))
            self.assertEqual(self.stands(DAY(18)), first)
            shown = json.loads(inside("show", "grant:g1", "--format", "json", cwd=self.here, now=DAY(18)).stdout)
            self.assertNotIn("stands", shown, "ann's was given before there were changes")

    def test_a_certification_is_of_one_person_s_unit(self):
        words = ("--where", "title pr", "--by-manager", "--due", "2026-12-31", "--yes", "--as", "auditor")
        for name, day in (("june", DAY(16)), ("july", DAY(18))):
            inside("review", "open", name, *words, cwd=self.here, now=day)
            if name == "june":
                inside("review", "decide", "all", "certify", "--as", "head", "--reason", "r", cwd=self.here, now=day)
                inside("review", "close", name, "--as", "auditor", "--yes", cwd=self.here, now=day)
                shown = inside("show", "grant:g1", cwd=self.here, now=day).stdout
                self.assertIn("last certified in the review june by head on 2026-06-16", shown)
                accounts = self.here / "tables" / "accounts.csv"
                accounts.write_text(accounts.read_text().replace("dues,ann1,ann", "dues,ann1,bo"))
                grants = self.here / "tables" / "grants.csv"
                grants.write_text(grants.read_text().replace("identity:ann", "account:dues/ann1"))
                inside("gather", cwd=self.here, now=DAY(17))
        lines = records_inside("review", "lines", "july", cwd=self.here, now=DAY(18))
        (line,) = (it for it in lines if it["gives"] == "role:dues/setter")
        self.assertEqual((line["identity"], line["certified_at"]), ("bo", None), "ann had it certified, and not bo")
        self.assertNotIn("last certified", inside("show", "grant:g1", cwd=self.here, now=DAY(18)).stdout)


if __name__ == "__main__":
    unittest.main()
