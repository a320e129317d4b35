"""The cure is the cheapest there is, by trying every other; and what it withdraws does clear the conflicts."""

import itertools
import unittest

from hypothesis import given

from kathodos.engine.everyone import triples
from kathodos.findings.conflicts.cure import cure, still_standing
from kathodos.findings.conflicts.cure_problem import edits_of
from kathodos.findings.conflicts.states import find_conflicts
from tests.findings.conflicts.test_states import DUTIES
from tests.support import OFFICE, OFFICE_RULES, basis_of, catalogues, naming_actions, rule_of, rules_of, searching


def permitting(catalogue):
    """The catalogue without anything that denies."""
    return {
        **catalogue,
        "grants": [{**grant, "effect": "permit"} for grant in catalogue["grants"]],
        "role_permissions": [{**entry, "effect": "permit"} for entry in catalogue["role_permissions"]],
    }


def cheapest(basis, catalogue, rule, chosen):
    """The lowest cost of any set of withdrawals that clears the conflicts, by trying all; None where none does."""
    people = {basis.index.holders.references[it.asker] for it in chosen}
    links = [("grants", row) for row in catalogue["grants"]] + [("members", row) for row in catalogue["members"]]
    costs = [1 + others(basis, catalogue, kind, row, people) for kind, row in links]
    best = None
    for size in range(len(links) + 1):
        for some in itertools.combinations(range(len(links)), size):
            cost = sum(costs[at] for at in some)
            if best is None or cost < best:
                left = {kind: [row for row in catalogue[kind] if (kind, row) not in [links[at] for at in some]]
                        for kind in ("grants", "members")}  # fmt: skip
                if not find_conflicts(basis_of({**catalogue, **left}), [rule]):
                    best = cost
        if best is not None and size + 1 >= best:
            return best
    return best


def others(basis, catalogue, kind, row, people):
    """How many people outside the conflicts reach less without a grant, or a membership."""
    holder = row["holder"] if kind == "grants" else row["member"]
    owners = {f"account:{it['system']}/{it['login']}": it["identity"] for it in catalogue["accounts"]}
    if not holder.startswith("group:") and holder != "everyone":
        owner = owners.get(holder)
        return int((f"identity:{owner}" if owner else holder) not in people)
    before = set(triples(basis.index, None, basis.moment))
    less = basis_of({**catalogue, kind: [it for it in catalogue[kind] if it is not row]})
    lost = {who for who, *_ in before - set(triples(less.index, None, less.moment))}
    return len(lost - people)


class Cures(unittest.TestCase):
    @given(catalogues(paths=("deny-overrides",), gates=(None,)), DUTIES)
    @searching(25)
    def test_nothing_cheaper_clears_the_conflicts(self, catalogue, duties):
        catalogue = permitting(catalogue)
        catalogue["grants"], catalogue["members"] = catalogue["grants"][:5], catalogue["members"][:4]
        catalogue = naming_actions(catalogue)
        basis, rule = basis_of(catalogue), rule_of(duties)
        chosen = find_conflicts(basis, [rule])
        if chosen:
            found = cure(basis, chosen, (), 90)
            self.assertLess(found.gap, 1e-9)
            expected = cheapest(basis, catalogue, rule, chosen)
            if found.uncured:
                self.assertIsNone(expected)
            else:
                self.assertEqual(sum(one.cost for one in found.withdrawals()), expected)

    @given(catalogues(), DUTIES)
    @searching(40)
    def test_what_is_withdrawn_clears_what_it_says(self, catalogue, duties):
        basis = basis_of(catalogue)
        chosen = find_conflicts(basis, [rule_of(duties)])
        found = cure(basis, chosen, (), 90)
        cleared = [it for it in chosen if it not in found.uncured]
        self.assertEqual(still_standing(basis, cleared, edits_of(basis, found.withdrawals())), [])

    def test_of_two_as_small_it_takes_the_one_that_is_not_used_and_shows_the_other(self):
        rules = rules_of(OFFICE_RULES).conflicts
        for used, kept in ((OFFICE["activity"][:1], "g1"), (OFFICE["activity"][1:], "membership")):
            basis = basis_of({**OFFICE, "activity": used})
            (found,) = cure(basis, find_conflicts(basis, rules), (), 90).cures
            (taken,), others = found.withdrawals, found.others
            self.assertEqual(bool(taken.grant), kept != "g1")
            self.assertEqual(taken.uses, 0)
            self.assertIn("g1" if kept == "g1" else "", [one.grant for other in others for one in other])

    def test_what_is_protected_is_left_alone_and_what_cannot_be_cleared_is_said(self):
        basis, rules = basis_of(OFFICE), rules_of(OFFICE_RULES).conflicts
        chosen = find_conflicts(basis, rules)
        found = cure(basis, chosen, ["grant:g1"], 90)
        self.assertNotIn("g1", [one.grant for one in found.withdrawals()])
        everything = ["grant:g1", "grant:g2", "group:directory/inner", "group:directory/outer"]
        found = cure(basis, chosen, everything, 90)
        self.assertEqual((found.cures, found.uncured), ([], chosen))

    def test_a_group_s_grant_goes_only_where_that_hits_nobody_else(self):
        rules = rules_of(OFFICE_RULES).conflicts
        crowd = [{"id": f"c{at}", "title": "Clerk"} for at in range(4)]
        members = [{"system": "directory", "group": "inner", "member": f"identity:c{at}"} for at in range(4)]
        grants = [{"grant": f"s{at}", "holder": f"identity:c{at}", "gives": "role:dues/setter"} for at in range(4)]
        base = {**OFFICE, "identities": [*OFFICE["identities"], *crowd], "members": [*OFFICE["members"], *members]}
        all_in_conflict = basis_of({**base, "grants": [*OFFICE["grants"], *grants]})
        found = cure(all_in_conflict, find_conflicts(all_in_conflict, rules), (), 90)
        (one,) = found.withdrawals()
        self.assertEqual((one.cost, one.people), (1, 5), "one withdrawal clears all five, and hits nobody else")
        one_in_conflict = basis_of(base)
        (one,) = cure(one_in_conflict, find_conflicts(one_in_conflict, rules), (), 90).withdrawals()
        self.assertEqual((one.cost, one.people), (1, 1))


if __name__ == "__main__":
    unittest.main()
