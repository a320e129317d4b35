"""Who can climb, and how far, equals the plain reference; what is latent is what that brings."""

import unittest
from datetime import datetime

from hypothesis import given

from kathodos.engine.everyone import count_pairs
from kathodos.findings.escalation import climbers
from tests.engine.test_potential import administered
from tests.reference import Reference
from tests.support import NOW, basis_of, searching

AT = datetime.fromisoformat(NOW)


class Climbing(unittest.TestCase):
    @given(administered())
    @searching(40)
    def test_everyone_who_can_climb_is_found_and_gains_what_the_reference_says(self, catalogue):
        basis, reference = basis_of(catalogue), Reference(catalogue)
        names = basis.index.holders.references
        now = dict(zip(*(it.tolist() for it in count_pairs(basis.index, basis.moment)), strict=True))
        found = {names[asker]: climber.climb.gain for climber in climbers(basis) for asker in climber.askers.tolist()}
        for asker in basis.index.holders.askers.tolist():
            pairs, _ = reference.potential(names[asker], AT)
            self.assertEqual(found.get(names[asker], 0), len(pairs) - now[asker], names[asker])


if __name__ == "__main__":
    unittest.main()
