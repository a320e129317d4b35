"""Who decides a line: the first of a chain who is active and is not the one whom the line is about."""

import unittest
from functools import partial

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from kathodos.analysis.evidence.held import units_of
from kathodos.errors import CallError
from kathodos.review.owners import owners_of_items
from kathodos.review.reviewers import Reviewers, chain_of
from tests import stores
from tests.support import basis_of, catalogues, searching

PEOPLE = ("p1", "p2", "p3")
SOMEBODY = st.sampled_from((None, *PEOPLE, "zoe"))


@st.composite
def companies(draw):
    """A catalogue with managers, owners and equal mails, and a chain."""
    found = draw(catalogues())

    def with_more(rows, **columns):
        return [{**row, **{name: draw(values) for name, values in columns.items()}} for row in rows]

    mail = st.sampled_from((None, "a@x.example", "A@X.example", "b@x.example"))
    status = st.sampled_from(("active", "active", "left"))
    found["identities"] = with_more(found["identities"], manager=SOMEBODY, email=mail, status=status)
    found["accounts"] = with_more(found["accounts"], responsible=SOMEBODY)
    for kind in ("systems", "groups", "roles"):
        found[kind] = with_more(found[kind], owner=SOMEBODY)
    return found, draw(st.lists(st.sampled_from(("manager", "owner", *PEOPLE)), min_size=1, max_size=3))


class Plainly:
    """The same, one line after another, from the records."""

    def __init__(self, catalogue):
        self.people = {row["id"]: row for row in catalogue["identities"]}
        self.catalogue = catalogue

    def is_active(self, name):
        return name in self.people and self.people[name]["status"] == "active"

    def manager(self, name):
        seen, above = {name}, self.people[name]["manager"]
        while above in self.people and above not in seen and not self.is_active(above):
            seen.add(above)
            above = self.people[above]["manager"]
        return above if above in self.people and above not in seen else None

    def owner_of(self, kind, **key):
        rows = (row for row in self.catalogue[kind] if all(row[name] == value for name, value in key.items()))
        owner = next(rows, {}).get("owner")
        return owner if self.is_active(owner) else None

    def owner(self, what):
        prefix, _, name = what.partition(":")
        if prefix in ("role", "group"):
            system, _, short = name.partition("/")
            return self.owner_of(f"{prefix}s", system=system, **{prefix: short}) or self.owner_of(
                "systems", system=system
            )
        return self.owner_of("systems", system=what.partition(" ")[2].partition(":")[0])

    def wanted(self, word, whose, what):
        if word == "owner":
            return self.owner(what)
        if word != "manager":
            return word
        if not whose.startswith("account:"):
            return self.manager(whose)
        system, _, login = whose.removeprefix("account:").partition("/")
        account = next(row for row in self.catalogue["accounts"] if (row["system"], row["login"]) == (system, login))
        answering = account["responsible"]
        return answering if self.is_active(answering) else self.owner_of("systems", system=system)

    def decider(self, chain, whose, what):
        mail = self.mail(whose)
        own = {whose} | {name for name in self.people if mail and self.mail(name) == mail}
        for word in chain:
            name = self.wanted(word, whose, what)
            if self.is_active(name) and name not in own:
                return name
        return "opener"

    def mail(self, whose):
        return (self.people.get(whose, {}).get("email") or "").lower()


@stores.ABOUT_ANSWERS
class Chains(unittest.TestCase):
    @searching(150)
    @given(companies())
    def test_the_first_who_is_active_and_not_concerned(self, company):
        catalogue, chain = company
        basis = basis_of(catalogue)
        holders = basis.index.holders
        askers = np.arange(basis.size)
        items = units_of(basis.index, askers, basis.moment)
        found = Reviewers(basis, items.asker, partial(owners_of_items, basis, items), chain, "opener").column().listed()
        plain = Plainly(catalogue)
        for at, name in enumerate(found):
            asker, grant, group = int(items.asker[at]), int(items.grant[at]), int(items.group[at])
            whose = holders.asker_name(asker)
            what = basis.index.gives(grant) if grant >= 0 else holders.references[group]
            self.assertEqual(name, plain.decider(chain, whose, what), (chain, whose, what))

    def test_only_who_is_active_is_named_in_a_chain(self):
        people = [{"id": "ann", "name": "Ann Clerk"}, {"id": "bo", "status": "left"}]
        basis = basis_of({"systems": [{"system": "s"}], "identities": people})
        self.assertEqual(chain_of(basis, ["owner", "identity:ann", "manager"]), ["owner", "ann", "manager"])
        for word, told in (("bo", "bo is left"), ("zoe", "zoe")):
            with self.assertRaises(CallError) as refused:
                chain_of(basis, [word])
            self.assertIn(told, refused.exception.what)


if __name__ == "__main__":
    unittest.main()
