"""Systems carry out orders in their own way: nothing is called gone while it lives, or open once it is done."""

import csv
import unittest

from tests.acceptance.test_requests import Asking
from tests.support import inside

DAY = "2026-06-{:02}T09:00:00Z".format


class InItsOwnWay(Asking, unittest.TestCase):
    def rows(self):
        with (self.here / "tables" / "grants.csv").open(newline="", encoding="utf-8") as file:
            return list(csv.DictReader(file))

    def listed(self, rows, day):
        """The system's side lists these grants, and is gathered."""
        names = ("grant", "holder", "gives", "on", "from", "until", "given_by")
        with (self.here / "tables" / "grants.csv").open("w", newline="", encoding="utf-8") as file:
            writer = csv.DictWriter(file, names, restval="", extrasaction="ignore")
            writer.writeheader()
            writer.writerows(rows)
        return inside("gather", "--as", "x", cwd=self.here, now=day).stdout

    def granted(self):
        self.ask("role:s/reader", "--until", "2026-07-01")
        while waits := self.shown(1)["waits_for"]:
            self.do("grant", 1, "--yes", actor=waits)

    def told(self, day):
        """How request 1 stands, what is held by it, and whether the person reaches it, as three commands say."""
        state = next(it["state"] for it in self.data("request", "list", now=day) if it["request"] == 1)
        held = [(it["holder"], it["stands"]) for it in self.data("request", "held", now=day)]
        reached = inside("reach", "--by", "bo", "--on", "s:/x/1", "--do", "view", cwd=self.here, now=day, status=None)
        return state, held, reached.returncode == 0

    def open_orders(self, day):
        return [it["order"] for it in self.data("orders", "list", now=day) if it["state"] in ("open", "overdue")]

    def test_by_another_name_to_an_account_with_a_beginning_and_an_owner_of_its_own(self):
        self.granted()
        self.assertEqual(self.told(DAY(15)), ("granted", [("identity:bo", "ordered to come")], False))
        own = {"holder": "account:s/bo1", "gives": "role:s/reader", "from": "2026-06-16", "until": "2026-07-01"}
        rows = [*self.rows(), {**own, "grant": "SYS-77", "given_by": "the system"}]
        self.assertIn("1 order confirmed", self.listed(rows, DAY(16)))
        self.assertEqual(self.told(DAY(16)), ("running", [("account:s/bo1", "in force")], True))
        self.do("return", 1, "--yes", actor="bo", now=DAY(17))
        self.assertEqual(self.told(DAY(17)), ("to end", [("account:s/bo1", "ordered to end")], True))
        listed = self.data("request", "list", "--state", "to end", now=DAY(17))
        self.assertEqual([it["request"] for it in listed], [1])
        renamed = [{**row, "grant": "SYS-78"} if row["grant"] == "SYS-77" else row for row in rows]
        self.assertIn("listed under another name now", self.listed(renamed, DAY(18)))
        self.assertEqual(self.told(DAY(18)), ("to end", [("account:s/bo1", "ordered to end")], True))
        self.assertIn("1 order confirmed", self.listed(rows[:-1], DAY(19)))
        self.assertEqual(self.told(DAY(19)), ("ended", [], False))
        self.assertEqual(self.open_orders(DAY(19)), [])

    def test_with_another_end_than_was_ordered(self):
        self.granted()
        own = {"grant": "SYS-9", "holder": "identity:bo", "gives": "role:s/reader", "until": "2027-07-01"}
        self.assertIn("carried out otherwise than ordered", self.listed([*self.rows(), own], DAY(16)))
        self.assertEqual(len(self.open_orders(DAY(16))), 1)
        (found,) = self.data("excess", "--kind", "done-differently", now=DAY(16), status=1)
        self.assertIn("it ends on 2027-07-01, and 2026-07-01 was ordered", found["evidence"])
        self.assertIn("1 order confirmed", self.listed([*self.rows()[:-1], {**own, "until": "2026-07-01"}], DAY(17)))
        self.assertEqual(self.told(DAY(17)), ("running", [("identity:bo", "in force")], True))

    def test_what_was_ordered_to_go_is_no_sign_of_half_a_file(self):
        many = [
            {
                "grant": f"g{at}",
                "holder": "identity:bo",
                "gives": f"view s:/x/{1 + at % 2}",
                "until": f"2027-01-{at:02}",
            }
            for at in range(1, 30)
        ]
        rows = self.rows()
        self.listed([*rows, *many], DAY(16))
        words = ("take", "view s:/x/1", "view s:/x/2", "--from", "bo", "--reason", "over", "--yes", "--as", "x")
        inside("change", *words, cwd=self.here, now=DAY(16))
        self.assertEqual(len(self.open_orders(DAY(16))), 29)
        self.assertIn("29 orders confirmed", self.listed(rows, DAY(17)))


if __name__ == "__main__":
    unittest.main()
