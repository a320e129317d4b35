"""Why, and why not: every kind of reason is told where it is the reason."""

import unittest
from datetime import datetime

from hypothesis import given

from kathodos.engine.explain import MOST_CHAINS, chain_text, explain
from kathodos.model.addresses import parse_address
from kathodos.model.times import microseconds
from tests.reference import Reference, split
from tests.support import NOW, catalogues, index_of, searching

AT = datetime.fromisoformat(NOW)

BASE = {
    "systems": [{"system": "s"}],
    "identities": [{"id": "p"}],
    "actions": [{"system": "s", "action": "edit", "implies": "view"}],
    "resources": [{"resource": "s:/a/b/c", "type": "file"}],
}


def asked(by="identity:p", do="view", on="s:/a/b/c", **tables):
    """The explanation of one question about a small catalogue with these tables."""
    catalogue = {**BASE, **tables}
    index = index_of(catalogue)
    asker, node = index.holders.find(by), index.tree.node(parse_address(on))
    return explain(index, asker, node, index.action_number["s", do], microseconds(datetime.fromisoformat(NOW)))


def grant(gives="view s:/a", holder="identity:p", name="g", **more):
    return {"grant": name, "holder": holder, "gives": gives, **more}


class WhyNot(unittest.TestCase):
    def assert_reason(self, explanation, *texts):
        self.assertFalse(explanation.is_reached)
        told = " | ".join(obstacle.text for obstacle in explanation.obstacles)
        for text in texts:
            self.assertIn(text, told)

    def test_nothing_applies_and_the_narrowest_permission_that_would(self):
        found = asked(
            do="edit",
            roles=[{"system": "s", "role": "wide"}, {"system": "s", "role": "narrow"}],
            role_permissions=[
                {"system": "s", "role": "wide", "action": "*", "resource": "s:/**"},
                {"system": "s", "role": "narrow", "action": "edit", "resource": "s:/a/b"},
            ],
        )
        self.assert_reason(found, "nothing that it has been given applies")
        self.assertEqual(found.nearest, ["edit s:/a/b in role:s/narrow", "* s:/** in role:s/wide"])

    def test_no_role_carries_it_yet(self):
        self.assertEqual(asked(do="edit").nearest, ["edit s:/a/b/c, which no role carries yet"])

    def test_dates(self):
        self.assert_reason(asked(grants=[grant(until="2026-06-14")]), "ended 2026-06-15T00:00:00Z")
        self.assert_reason(asked(grants=[grant(**{"from": "2026-06-16"})]), "not before 2026-06-16T00:00:00Z")

    def test_a_role_that_is_not_active_anywhere_on_the_way(self):
        roles = [{"system": "s", "role": "top"}, {"system": "s", "role": "low", "active": 0}]
        found = asked(
            roles=roles,
            role_juniors=[{"system": "s", "role": "top", "junior": "role:s/low"}],
            role_permissions=[{"system": "s", "role": "low", "action": "view", "resource": "s:/**"}],
            grants=[grant("role:s/top")],
        )
        self.assert_reason(found, "role:s/low is not active")
        self.assertEqual(found.nearest, ["view s:/**"])

    def test_scopes_and_detached_resources(self):
        cut = [*BASE["resources"], {"resource": "s:/a/b", "detached": 1}]
        self.assert_reason(asked(grants=[grant(on="s:/z")]), "out of its scope s:/z")
        self.assert_reason(asked(resources=cut, grants=[grant()]), "cut off at s:/a/b, which is detached")
        self.assert_reason(asked(resources=cut, grants=[grant("view s:/**", on="s:/a")]), "out of its scope s:/a")
        self.assertTrue(asked(resources=cut, grants=[grant("view s:/a/**")]).is_reached)
        still = [{"system": "s", "inherit": 0}]
        self.assert_reason(asked(systems=still, grants=[grant()]), "s does not inherit from above")

    def test_denies_name_their_chain_and_what_they_block(self):
        found = asked(do="edit", grants=[grant("edit s:/**"), grant("view s:/a", effect="deny", name="no")])
        self.assert_reason(found, "denied by identity:p > deny view s:/a")
        self.assertEqual([chain.grant for chain in found.permits.shown], ["g"])
        self.assertEqual([chain.grant for chain in found.denials.shown], ["no"])

    def test_gates(self):
        gated = [{"system": "s", "gates": "dir=edit"}]
        folders = [*BASE["resources"], {"resource": "s:/a/b", "type": "dir"}]
        found = asked(systems=gated, resources=folders, grants=[grant("view s:/**")])
        self.assert_reason(found, "gated: edit on s:/a/b is missing")
        self.assertTrue(asked(systems=gated, resources=folders, grants=[grant("edit s:/**")]).is_reached)

    def test_an_asker_who_does_not_count_now(self):
        for person, text in (
            ({"id": "p", "status": "suspended"}, "identity:p is not active and has no enabled account"),
            ({"id": "p", "starts": "2026-06-16"}, "has not started yet"),
            ({"id": "p", "ends": "2026-06-14"}, "has ended"),
        ):
            self.assert_reason(asked(identities=[person], grants=[grant()]), text, "identity:p does not count now")
        account = {"system": "s", "login": "x", "status": "disabled"}
        self.assert_reason(asked("account:s/x", accounts=[account]), "account:s/x is disabled")

    def test_a_disabled_account_is_named_where_it_alone_would_give_it(self):
        account = {"system": "s", "login": "x", "identity": "p", "status": "disabled"}
        self.assert_reason(
            asked(accounts=[account], grants=[grant(holder="account:s/x")]), "account:s/x does not count now"
        )


class Why(unittest.TestCase):
    def test_every_way_is_a_chain_and_the_shortest_comes_first(self):
        found = asked(
            groups=[{"system": "s", "group": name} for name in ("in", "mid", "out")],
            members=[
                {"system": "s", "group": "in", "member": "identity:p"},
                {"system": "s", "group": "out", "member": "group:s/in"},
                {"system": "s", "group": "mid", "member": "group:s/in"},
                {"system": "s", "group": "out", "member": "group:s/mid"},
                {"system": "s", "group": "in", "member": "group:s/out"},
            ],
            roles=[{"system": "s", "role": "top"}, {"system": "s", "role": "low"}],
            role_juniors=[{"system": "s", "role": "top", "junior": "role:s/low"}],
            role_permissions=[{"system": "s", "role": "low", "action": "edit", "resource": "s:/a"}],
            grants=[grant("role:s/top", holder="group:s/out")],
        )
        self.assertEqual(
            [chain_text(chain) for chain in found.permits.shown],
            [
                "identity:p > group:s/in > group:s/out > role:s/top > role:s/low > edit s:/a",
                "identity:p > group:s/in > group:s/mid > group:s/out > role:s/top > role:s/low > edit s:/a",
            ],
        )
        self.assertEqual({chain.target for chain in found.permits.shown}, {"s:/a"})

    def test_everyone_counts_through_the_identity_or_else_through_each_account(self):
        grants = [grant(holder="everyone")]
        accounts = [{"system": "s", "login": login, "identity": "p"} for login in ("x", "y")]
        found = asked(accounts=accounts, grants=grants)
        self.assertEqual([chain.holders for chain in found.permits.shown], [("identity:p", "everyone")])
        gone = asked(accounts=accounts, grants=grants, identities=[{"id": "p", "status": "left"}])
        self.assertEqual([chain.holders[1] for chain in gone.permits.shown], ["account:s/x", "account:s/y"])

    def test_of_very_many_ways_the_shortest_are_shown_and_all_are_counted(self):
        width, depth = 30, 12
        groups = [f"{level}-{at}" for level in range(depth) for at in range(width)]
        members = [{"system": "s", "group": f"0-{at}", "member": "identity:p"} for at in range(width)]
        members += [
            {"system": "s", "group": f"{level + 1}-{to}", "member": f"group:s/{level}-{at}"}
            for level in range(depth - 1)
            for at in range(width)
            for to in range(width)
        ]
        members.append({"system": "s", "group": f"{depth - 1}-0", "member": "group:s/0-0"})
        found = asked(
            groups=[{"system": "s", "group": name} for name in groups],
            members=members,
            grants=[grant(holder=f"group:s/{depth - 1}-0")],
        ).permits
        self.assertEqual((found.total, found.is_exact), (width ** (depth - 1) + 1, True))
        self.assertEqual(len(found.shown), MOST_CHAINS)
        self.assertEqual(found.shown[0].holders, ("identity:p", "group:s/0-0", f"group:s/{depth - 1}-0"))

    def test_where_groups_go_round_in_circles_there_are_at_least_so_many(self):
        names = [f"g{at}" for at in range(12)]
        members = [
            {"system": "s", "group": into, "member": f"group:s/{name}"}
            for name in names
            for into in names
            if name != into
        ]
        members.append({"system": "s", "group": "g0", "member": "identity:p"})
        found = asked(
            groups=[{"system": "s", "group": name} for name in names],
            members=members,
            grants=[grant(holder="group:s/g1")],
        ).permits
        self.assertFalse(found.is_exact)
        self.assertGreater(found.total, 1000)
        self.assertEqual(found.shown[0].holders, ("identity:p", "group:s/g0", "group:s/g1"))


class EveryReason(unittest.TestCase):
    """The explanation of every question equals the plain reference's."""

    @given(catalogues())
    @searching(40)
    def test_yes_and_no(self, catalogue):
        index, reference = index_of(catalogue), Reference(catalogue)
        for asker in index.holders.askers.tolist():
            who = index.holders.references[asker]
            for node, address in enumerate(index.tree.addresses):
                for action in index.system_of(node).actions.tolist():
                    do, on = index.actions[action][1], split(address)
                    found = explain(index, asker, node, action, microseconds(AT))
                    asked = (who, do, address)
                    self.assertEqual(found.is_reached, reference.reaches(who, do, on, AT), asked)
                    self.assert_chains(found, reference.chains(who, do, on, AT), asked)
                    self.assert_reasons(found, reference, who, do, on)

    def assert_chains(self, found, expected, asked):
        for chains, of in zip((found.permits, found.denials), expected, strict=True):
            told = [
                (chain.holders, chain.grant, chain.roles, chain.entry.action, chain.entry.pattern, split(chain.target))
                for chain in chains.shown
            ]
            self.assertEqual(sorted(told), sorted(of), asked)
            self.assertEqual((chains.total, chains.is_exact), (len(of), True), asked)
            self.assertEqual([it.length for it in chains.shown], sorted(it.length for it in chains.shown), asked)

    def assert_reasons(self, found, reference, who, do, on):
        asked = (who, do, on)
        about = {kind: [it.about for it in found.obstacles if it.kind == kind] for kind in KINDS}
        if found.is_reached:
            self.assertEqual(found.obstacles, [], asked)
            return
        permits, denials = reference.chains(who, do, on, AT)
        self.assertEqual(sorted(about["gated"]), sorted(reference.closed_gates(who, do, on, AT)), asked)
        is_permitted = reference.permitted(reference.principals(who, AT), do, on, AT)  # then only a gate is closed
        denied = [] if is_permitted else [chain.grant for chain in found.denials.shown]
        self.assertEqual(about["denied"], denied, asked)
        misses = {} if permits else reference.near_misses(who, do, on, AT)
        told = {it.about: it.text.split(": ", 1)[1].split("; ") for it in found.obstacles if it.kind == "withheld"}
        self.assertEqual(told.keys(), misses.keys(), asked)
        for grant_id, reasons in told.items():
            self.assertIn(sorted(reasons), misses[grant_id], asked)
        self.assertEqual(bool(about["not active"]), not permits and not reference.principals(who, AT), asked)
        if not denials and not misses and not about["gated"] and not about["not active"]:
            self.assertEqual(about["nothing applies"], [""], asked)
        self.assertTrue(found.obstacles, asked)


KINDS = ("gated", "denied", "withheld", "not active", "nothing applies")


if __name__ == "__main__":
    unittest.main()
