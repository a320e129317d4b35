"""Who comes first: pairs that a reviewer would put in this order, and why, on three made-up organisations."""

import unittest

from tests import demos
from tests.acceptance import test_first_contact as organisations
from tests.stores import ABOUT_ANSWERS
from tests.support import Prepared, records_inside

HARBOUR = (
    ("p0162", "p0063", "an account of somebody gone that was used outranks a conflict of somebody at work"),
    ("p0162", "p0215", "an account of somebody gone that was used outranks whoever administers and does her work"),
    ("p0162", "p0213", "and the head of those who administer"),
    ("p0162", "p0217", "and the service desk, which could give itself most"),
    ("p0162", "p0241", "it was used, and not only left open"),
    ("p0063", "p0007", "both duties used on one invoice outrank what could only come about"),
    ("p0063", "p0221", "and whoever administers without a finding"),
    ("p0063", "p0067", "a colleague holds both duties too, but on different sites"),
    ("p0063", "p0059", "and the head of the office, who only has more"),
    ("p0096", "p0218", "a conflict in use whose cover ran out outranks an office"),
    ("p0096", "p0097", "a colleague with one of the two duties"),
    ("account:dues/cashdesk2", "p0213", "an account that nobody owns and that pays outranks an office"),
    ("account:dues/cashdesk2", "p0059", "and its system's head"),
    ("p0206", "p0215", "medical notes that she never should read outrank an office"),
    ("p0206", "p0205", "a colleague who does not reach them"),
    ("p0206", "p0201", "the head of the office, who may"),
    ("p0007", "p0222", "two steps from everything without the office to administer outrank the office"),
    ("p0007", "p0008", "an ordinary colleague"),
    ("p0241", "p0228", "access that outlasted its end outranks access whose end is to come"),
    ("p0241", "p0226", "and an office"),
    ("p0163", "p0165", "a role that breaks a rule outranks the same workshop without it"),
    ("p0124", "p0114", "a guard who may export what the others only view"),
    ("p0124", "p0116", "and a control room that exports by its office"),
    ("m006", "m003", "an agent with writing it never used outranks one with what it needs"),
    ("p0107", "p0113", "who certified 120 lines in a minute"),
    ("p0206", "p0107", "who is across a critical fence outranks who certified in a hurry"),
    ("p0206", "p0241", "and access that outlasted its end"),
    ("account:dues/cashdesk2", "p0039", "an account in use that nobody owns outranks what was kept too long"),
    ("p0007", "p0039", "who could give herself everything outranks what was kept from a former office"),
    ("p0039", "p0040", "who kept everything from the pilots outranks who is one"),
)
BUSES = (
    ("K1005", "K1036", "a driver gone in March whose account was used in April outranks a conflict in use"),
    ("K1005", "K1056", "and whoever administers the rosters"),
    ("K1005", "account:dienstplan/leitstand", "and a shared desk in conflict"),
    ("K1036", "K1056", "planning and approving overtime, both used, outrank an office"),
    ("K1036", "K1035", "a colleague who only plans"),
    ("K1036", "account:dienstplan/leitstand", "used outranks held"),
    ("account:dienstplan/leitstand", "K1056", "a shared account in conflict outranks an office"),
    ("account:dienstplan/leitstand", "account:kasse/schalter1", "and a shared account in none"),
    ("account:kasse/schalter1", "K1053", "an account of nobody outranks the same right in somebody's hands"),
    ("K1044", "K1043", "what was kept from a former office"),
)
WATER = (
    ("E-104", "E-138", "an account used after the last day outranks an office"),
    ("E-104", "E-135", "and others who administer"),
    ("E-104", "E-120", "and whoever enters and approves without a rule against it"),
    ("E-104", "E-105", "and the colleague who works there"),
    ("account:agua/ventanilla", "E-129", "a shared account outranks the same role in somebody's hands"),
    ("E-138", "E-119", "who manages the whole system outranks a reader"),
    ("E-128", "E-129", "who may export the bank data outranks who only looks"),
    ("E-120", "E-121", "who may approve as well outranks who only enters"),
)


class RiskOrder(Prepared):
    state = ()

    def holds(self, pairs):
        of = {}
        for kind in ("identities", "accounts"):
            for row in records_inside("risk", "top", "--of", kind, "--most", "1000", *self.state, cwd=self.here):
                of[row["subject"].removeprefix("identity:")] = row["risk"]
        wrong = [
            f"{first} {of[first]} is not before {second} {of[second]}: {why}"
            for first, second, why in pairs
            if not of[first] > of[second]
        ]
        self.assertEqual(wrong, [])


@ABOUT_ANSWERS
class Harbour(RiskOrder, unittest.TestCase):
    state = ("--as-of", "before-review")

    @classmethod
    def prepare(cls, folder):
        return demos.copied(folder)

    def test_a_reviewer_s_order(self):
        self.holds(HARBOUR)


@ABOUT_ANSWERS
class BusCompany(RiskOrder, unittest.TestCase):
    prepare = organisations.Buses.__dict__["prepare"]

    def test_a_reviewer_s_order(self):
        self.holds(BUSES)


@ABOUT_ANSWERS
class WaterWorks(RiskOrder, unittest.TestCase):
    prepare = organisations.Water.__dict__["prepare"]

    def test_a_reviewer_s_order(self):
        self.holds(WATER)

    def test_there_are_forty_pairs(self):
        self.assertGreaterEqual(len(HARBOUR) + len(BUSES) + len(WATER), 40)
