"""Who can climb, and how far, equals the plain reference; what is latent is what that brings."""

import unittest
from datetime import datetime

from hypothesis import given
from hypothesis import strategies as st

from kathodos.access.everyone import count_pairs
from kathodos.findings.escalation import climbers
from tests.reference import Reference
from tests.support import NOW, catalogues, facts_of, searching

AT = datetime.fromisoformat(NOW)
MANDATES = st.lists(
    st.fixed_dictionaries(
        {
            "holder": st.sampled_from(("identity:p1", "identity:p2", "group:s/g1", "account:s/l1")),
            "roles": st.sampled_from(("s/*", "s/r1", "s/r2")),
            "area": st.sampled_from((None, None, "x")),
            "for": st.sampled_from((None, 'department eq "dock"')),
            "may": st.sampled_from(("give;take", "give", "take")),
        }
    ),
    max_size=2,
)


class Climbing(unittest.TestCase):
    @given(catalogues(gates=(None,)), MANDATES)
    @searching(25)
    def test_everyone_who_can_climb_is_found_and_gains_what_the_reference_says(self, catalogue, mandates):
        keys = [tuple(sorted((name, str(value)) for name, value in it.items())) for it in mandates]
        catalogue = {**catalogue, "mandates": [it for at, it in enumerate(mandates) if keys.index(keys[at]) == at]}
        facts, reference = facts_of(catalogue), Reference(catalogue)
        names = facts.index.holders.references
        now = dict(zip(*(it.tolist() for it in count_pairs(facts.index, facts.at)), strict=True))
        found = {names[asker]: climber.gain for climber in climbers(facts) for asker in climber.askers.tolist()}
        for asker in facts.index.holders.askers.tolist():
            could = reference.potential(names[asker], AT)
            pairs = could[0] if isinstance(could, tuple) else could
            self.assertEqual(found.get(names[asker], 0), len(pairs) - now[asker], names[asker])


if __name__ == "__main__":
    unittest.main()
