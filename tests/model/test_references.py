"""References are found by their full name, by their prefix, or by their last part where one thing alone bears it."""

import unittest

from kathodos.errors import UnfitError
from kathodos.model import kinds
from kathodos.model.references import Names
from kathodos.model.referring import columns_pointing

AMONG = ("identities", "accounts", "groups", "everyone")


def names():
    found = Names()
    found.add(kinds.IDENTITIES, [("ann",), ("bo",)])
    found.add(kinds.ACCOUNTS, [("dues", "ann"), ("dues", "cash/desk"), ("gates", "x"), ("dues", "x")])
    found.add(kinds.GROUPS, [("directory", "pilots")])
    return found


class Resolving(unittest.TestCase):
    def test_full_short_and_bare(self):
        for text, expected in (
            ("identity:ann", "identity:ann"),
            ("bo", "identity:bo"),
            ("account:dues/ann", "account:dues/ann"),
            ("dues/cash/desk", "account:dues/cash/desk"),
            ("cash/desk", "account:dues/cash/desk"),
            ("group:pilots", "group:directory/pilots"),
            ("pilots", "group:directory/pilots"),
            ("everyone", "everyone"),
        ):
            self.assertEqual(names().resolve(text, AMONG), expected)
        self.assertEqual(names().resolve("x", ("accounts",), "gates"), "account:gates/x")

    def test_a_name_that_begins_like_a_prefix_is_itself(self):
        found = names()
        found.add(kinds.GROUPS, [("pg", "app"), ("pg", "group:app")])
        self.assertEqual(found.resolve("group:app", ("groups",), "pg"), "group:pg/group:app")
        self.assertEqual(found.resolve("app", ("groups",), "pg"), "group:pg/app")
        self.assertEqual(found.resolve("group:pg/group:app", ("groups",)), "group:pg/group:app")

    def test_several_and_none(self):
        with self.assertRaises(UnfitError) as ambiguous:
            names().resolve("ann", AMONG)
        self.assertEqual(ambiguous.exception.reason, "ann may be account:dues/ann or identity:ann")
        with self.assertRaises(UnfitError) as unknown:
            names().resolve("pilts", AMONG)
        self.assertEqual(unknown.exception.remedy, "Nearest: directory/pilots.")
        with self.assertRaises(UnfitError):
            names().resolve("role:ann", AMONG)

    def test_one_whose_row_was_set_aside(self):
        found = names()
        found.set_aside(kinds.IDENTITIES, ("bo",), "the row in identities.csv")
        with self.assertRaises(UnfitError) as gone:
            found.resolve("identity:bo", AMONG)
        self.assertIn("its own row was set aside", gone.exception.reason)


class Pointing(unittest.TestCase):
    def test_columns_say_what_points_at_what(self):
        for other, kind, reference, expected in (
            (kinds.GRANTS, kinds.IDENTITIES, "identity:p", [{"holder": "identity:p"}]),
            (kinds.GRANTS, kinds.ROLES, "role:s/r", [{"gives": "role:s/r"}]),
            (kinds.GRANTS, kinds.AREAS, "area:x", [{"on": "area:x"}]),
            (kinds.MEMBERS, kinds.GROUPS, "group:s/g", [{"system": "s", "group": "g"}, {"member": "group:s/g"}]),
            (kinds.ROLE_JUNIORS, kinds.ROLES, "role:s/r", [{"system": "s", "role": "r"}, {"junior": "role:s/r"}]),
            (kinds.IDENTITIES, kinds.IDENTITIES, "identity:p", [{"manager": "p"}, {"sponsor": "p"}]),
            (kinds.ACTIVITY, kinds.ACCOUNTS, "account:s/x", [{"account": "s/x"}]),
            (kinds.DECISIONS, kinds.REVIEWS, "review:june", [{"review": "june"}]),
            (kinds.ROLES, kinds.GROUPS, "group:s/g", []),
        ):
            self.assertEqual(list(columns_pointing(other, kind, reference)), expected, (other.name, reference))


if __name__ == "__main__":
    unittest.main()
