"""From a decision to its end with a source that does things in its own way: every command says the same at each moment.

The source gives grants numbers of its own and adds a date and who entered them, lists rows in another order, and puts
more into its tables than was ordered. What is decided is what `--assume orders` says from the start, and what is there
from the moment on at which no order is open any more.
"""

import csv
import unittest
from types import MappingProxyType

from tests import stores
from tests.acceptance.test_changes import WITH_STATUS, Office, reached
from tests.support import inside, records_inside

NAMES = ("grants.csv", "identities.csv", "accounts.csv", "members.csv")


def day(number):
    """An evening of June."""
    return f"2026-06-{number:02}T18:00:00Z"


@stores.ABOUT_ANSWERS
class ClosedLoops(Office, unittest.TestCase):
    more = MappingProxyType({**WITH_STATUS, "identities": [{**it, "ends": ""} for it in WITH_STATUS["identities"]]})

    def setUp(self):
        super().setUp()
        self.today = 17
        self.seen = {row["grant"] for row in self.rows("grants.csv")}

    def rows(self, name):
        with (self.here / "tables" / name).open(newline="", encoding="utf-8") as file:
            return list(csv.DictReader(file))

    def act(self, *words, actor="auditor", status=0):
        return inside(*words, "--as", actor, cwd=self.here, now=day(self.today), status=status)

    def open_orders(self):
        return records_inside("orders", "list", cwd=self.here, now=day(self.today))

    def obey(self):
        """The source does what was ordered, in its own way, and is gathered on the next day."""
        out = f"enacted-{self.today}"
        self.act("enact", "--by", "tables", "--out", out, "--yes")
        for file in (self.here / out / "files").iterdir():
            (self.here / "tables" / file.name).write_bytes(file.read_bytes())
        self.today += 1
        for name in NAMES:
            rows = self.rows(name)
            for row in rows if name == "grants.csv" else ():
                if row["grant"] not in self.seen:
                    row["grant"], row["given_by"] = f"SYS-{self.today}-{len(self.seen)}", "the system"
                    row["given_at"] = f"2026-06-{self.today}"
                    self.seen.add(row["grant"])
            more = {"last_login": "2026-06-14"} if name == "accounts.csv" else {}
            rows = [{**row, **more} for row in reversed(rows)]
            names = list(dict.fromkeys(key for row in rows for key in row))
            with (self.here / "tables" / name).open("w", newline="", encoding="utf-8") as file:
                writer = csv.DictWriter(file, names, restval="")
                writer.writeheader()
                writer.writerows(rows)
        return self.act("gather").stdout

    def now(self, *more):
        return reached(self.here, "--as-of", day(self.today), *more)

    def loop(self, *words, actor="auditor", who="ann"):
        """Does something, follows it to its end, and gives what everybody reached before, and reaches then."""
        before = self.now()
        self.act(*words, actor=actor)
        return before, self.followed(before, who)

    def followed(self, before, who):
        after = self.now("--assume", "orders")
        self.assertNotEqual(after, before)
        self.assertEqual(self.now(), before, "deciding is not doing")
        self.assertTrue(self.open_orders())
        told = inside("show", who, cwd=self.here, now=day(self.today)).stdout
        self.assertRegex(told, "orders? (is|are) open about this")
        said = self.obey()
        self.assertRegex(said, r"\d+ orders? confirmed")
        self.assertEqual(self.open_orders(), [])
        self.assertEqual(self.now(), after)
        self.assertEqual(self.now("--assume", "orders"), after)
        told = inside("show", who, cwd=self.here, now=day(self.today)).stdout
        self.assertNotIn("open about this", told)
        kinds = {it["kind"] for it in records_inside("excess", cwd=self.here, now=day(self.today), status=None)}
        self.assertFalse(kinds & {"overdue-order", "refused-order", "done-differently", "came-back"}, kinds)
        inside("ledger", "verify", cwd=self.here, now=day(self.today))
        return after

    def test_given_taken_undone_and_put_back(self):
        start = self.now()
        before, after = self.loop(
            *("change", "give", "role:dues/waiver", "--to", "bo", "--until", "2026-12-31"),
            *("--reason", "rota", "--yes"),
            who="bo",
        )
        self.assertGreater(after, before)
        given = self.today
        _, taken = self.loop(
            "change", "take", "role:dues/waiver", "--from", "bo", "--reason", "over", "--yes", who="bo"
        )
        self.assertEqual(taken, start)
        _, again = self.loop("change", "undo", "change-2", "--reason", "not over", "--yes", who="bo")
        self.assertEqual(again, after)
        _, back = self.loop("change", "restore", "bo", "--to", day(17), "--reason", "as it was", "--yes", who="bo")
        self.assertEqual(back, start)
        self.assertGreater(given, 17)

    def test_suspended_and_brought_back(self):
        def status():
            listed = records_inside("people", "list", cwd=self.here, now=day(self.today))
            return next(it["status"] for it in listed if it["id"] == "ann")

        start = self.now()
        _, after = self.loop("people", "suspend", "ann", "--reason", "under inquiry", "--yes")
        self.assertEqual((status(), {it for it in after if it[0] == "ann"}), ("suspended", set()))
        _, back = self.loop("people", "back", "ann", "--reason", "nothing found", "--yes")
        self.assertEqual((status(), back), ("active", start))

    def test_left(self):
        _, after = self.loop("people", "leave", "ann", "--reason", "a new post", "--yes")
        self.assertEqual({it for it in after if it[0] == "ann"}, set())
        kinds = {it["kind"] for it in records_inside("excess", "--by", "ann", cwd=self.here, status=None)}
        self.assertNotIn("leaver-account", kinds)

    def test_revoked_in_a_review(self):
        words = ("--where", 'id eq "ann"', "--by-manager", "--due", "2026-12-31", "--yes")
        before = self.now()
        self.act("review", "open", "june", *words)
        self.act("review", "decide", "all", "revoke", "--reason", "not needed", actor="head")
        self.act("review", "close", "june", "--reason", "done", "--yes")
        after = self.followed(before, "ann")
        self.assertEqual({it for it in after if it[0] == "ann"}, set())
        (status,) = records_inside("review", "status", "june", cwd=self.here, now=day(self.today))
        self.assertEqual(status["left"], 0)


if __name__ == "__main__":
    unittest.main()
