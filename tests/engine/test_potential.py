"""What somebody could reach by giving itself what it may give equals the plain reference, and the steps lead there."""

import unittest
from datetime import datetime

from hypothesis import given
from hypothesis import strategies as st

from kathodos.engine.explain import explain
from kathodos.engine.potential import potential_reach, way_to
from kathodos.model.addresses import parse_address
from kathodos.model.times import microseconds
from kathodos.store.records import InMemory
from tests.reference import Reference, split
from tests.support import NOW, catalogues, index_of, searching, state_of

AT = datetime.fromisoformat(NOW)
PATIENT = searching(40)


@st.composite
def administered(draw):
    """A catalogue in which groups, roles and grants are resources too, some may be administered, some roles given."""
    catalogue = draw(catalogues())
    named = [("s:/a/g1", "group"), ("s:/g2", "group"), ("s:/b/g3", "group"), ("s:/r1", "role"), ("s:/a/r2", "role")]
    named += [("s:/a/grants", "grants"), ("s:/b/grants", "grants"), ("s:/grants", "grants"), ("s:/none", "group")]
    chosen = draw(st.lists(st.sampled_from(named), max_size=5, unique=True))
    listed = {row["resource"]: row for row in catalogue["resources"]}
    listed |= {address: {"resource": address, "type": kind} for address, kind in chosen}
    actions = {(row["system"], row["action"]): row for row in catalogue["actions"]}
    for action in draw(st.sets(st.sampled_from(("view", "edit", "own")), max_size=2)):
        actions["s", action] = {"implies": None, **actions.get(("s", action), {}), "system": "s", "action": action}
        actions["s", action]["kind"] = "administer"
    holders = ("identity:p1", "identity:p2", "account:s/l1", "group:s/g1", "group:s/g2", "group:s/g3")
    mandates = st.fixed_dictionaries(
        {
            "holder": st.sampled_from(holders),
            "roles": st.sampled_from(("s/*", "s/r1", "s/r2;s/r3")),
            "area": st.sampled_from((None, None, "x")),
            "for": st.sampled_from((None, None, 'department eq "dock"')),
            "may": st.sampled_from(("give;take", "give", "take")),
        }
    )
    given = draw(st.lists(mandates, max_size=3, unique_by=lambda row: tuple(sorted(row.items(), key=str))))
    return {**catalogue, "resources": [*listed.values()], "actions": [*actions.values()], "mandates": given}


def asked(catalogue, by="identity:p"):
    index = index_of(catalogue)
    return index, InMemory(state_of(catalogue)), index.holders.find(by), microseconds(AT)


class PotentialReach(unittest.TestCase):
    @given(administered())
    @PATIENT
    def test_equals_the_reference(self, catalogue):
        reference = Reference(catalogue)
        index = index_of(catalogue)
        records = InMemory(state_of(catalogue))
        for asker in index.holders.askers.tolist():
            found = potential_reach(index, records, asker, microseconds(AT))
            told = {
                (index.actions[it.system.actions[action]][1], split(index.tree.addresses[it.system.root + node]))
                for it in found.could
                for action, node in zip(*(positions.tolist() for positions in it.may.nonzero()), strict=True)
            }
            pairs, steps = reference.potential(index.holders.references[asker], AT)
            self.assertEqual({(it.kind, it.what, it.scope) for it in found.steps}, steps)
            self.assertEqual(told, pairs)
            for action, node in sorted(pairs)[:4]:
                self.assert_way(index, records, asker, action, node)

    def assert_way(self, index, records, asker, action, node):
        """There is a way, and it is empty exactly where no step is needed."""
        at, position = microseconds(AT), index.tree.node(parse_address(f"{node[0]}:/{'/'.join(node[1:])}"))
        number = index.action_number[node[0], action]
        steps = way_to(index, records, asker, position, number, at)
        self.assertIsNotNone(steps)
        is_now = explain(index, asker, position, number, at).is_reached
        self.assertEqual(steps == [], is_now)
        for step in steps:
            self.assertTrue(step.round == 0 or any(other.round < step.round for other in steps), steps)

    def test_two_steps_from_everything_and_only_those_that_are_needed(self):
        catalogue = {
            "systems": [{"system": "s"}],
            "identities": [{"id": "p", "department": "Office"}],
            "groups": [{"system": "s", "group": "admins"}, {"system": "s", "group": "others"}],
            "roles": [{"system": "s", "role": "desk"}, {"system": "s", "role": "off", "active": 0}],
            "actions": [{"system": "s", "action": "edit", "kind": "administer", "implies": "view"}],
            "role_permissions": [{"system": "s", "role": "desk", "action": "edit", "resource": "s:/groups/**"}],
            "resources": [
                {"resource": "s:/groups/admins", "type": "group"},
                {"resource": "s:/groups/others", "type": "group"},
                {"resource": "s:/vault"},
            ],
            "mandates": [{"holder": "identity:p", "roles": "s/*", "for": 'department eq "office"'}],
            "grants": [{"grant": "g", "holder": "group:s/admins", "gives": "* s:/**"}],
        }
        index, records, asker, at = asked(catalogue)
        node = index.tree.node(parse_address("s:/vault"))
        steps = way_to(index, records, asker, node, index.action_number["s", "edit"], at)
        self.assertEqual(
            [(step.text, step.by) for step in steps],
            [
                ("gives itself role:s/desk", "the mandate of identity:p"),
                ("joins group:s/admins", "edit on s:/groups/admins"),
            ],
        )
        nobody = {**catalogue, "mandates": []}
        self.assertIsNone(way_to(index_of(nobody), records, asker, node, index.action_number["s", "edit"], at))

    def widened(self, grants, combining="first-applicable"):
        """Whether somebody who may administer the role that they have comes to reach the vault by widening it."""
        catalogue = {
            "systems": [{"system": "s", "combining": combining}],
            "identities": [{"id": "p"}],
            "roles": [{"system": "s", "role": "desk"}],
            "actions": [{"system": "s", "action": "edit", "kind": "administer"}, {"system": "s", "action": "view"}],
            "role_permissions": [{"system": "s", "role": "desk", "action": "edit", "resource": "s:/roles/desk"}],
            "resources": [{"resource": "s:/roles/desk", "type": "role"}, {"resource": "s:/vault"}],
            "grants": [{"grant": f"g{at}", "holder": "identity:p", **grant} for at, grant in enumerate(grants)],
        }
        index, records, asker, at = asked(catalogue)
        node = index.tree.node(parse_address("s:/vault"))
        steps = way_to(index, records, asker, node, index.action_number["s", "view"], at)
        return None if steps is None else [step.text for step in steps]

    def test_a_widened_role_gives_the_more_as_the_grant_that_gives_it(self):
        role, deny = {"gives": "role:s/desk"}, {"gives": "view s:/vault", "effect": "deny"}
        self.assertEqual(self.widened([{**role, "tier": -1}, {**deny, "tier": 0}]), ["widens role:s/desk"])
        self.assertIsNone(self.widened([{**role, "tier": 1}, {**deny, "tier": 0}]))
        self.assertEqual(self.widened([{**role, "tier": 0}]), ["widens role:s/desk"])
        scoped = {**role, "on": "s:/roles"}
        self.assertIsNone(self.widened([scoped]))
        denied = {**role, "on": "s:/vault", "effect": "deny"}
        self.assertIsNone(
            self.widened([role, denied], "deny-overrides"), "what is put into the role is denied there too"
        )


if __name__ == "__main__":
    unittest.main()
