"""References are found in the columns as they are in a list of all names."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from kathodos.errors import CallError, UnfitError
from kathodos.model import kinds
from kathodos.model.references import Names
from kathodos.model.referring import columns_pointing
from kathodos.store.naming import pointing_at, resolved
from kathodos.store.records import InMemory
from tests.support import OFFICE, catalogues, searching, state_of

NAMED = (kinds.IDENTITIES, kinds.ACCOUNTS, kinds.GROUPS, kinds.ROLES, kinds.GRANTS, kinds.SYSTEMS)
TEXTS = st.sampled_from(
    (
        *("p1", "l1", "g1", "r1", "s/l1", "s/g1", "identity:p1", "account:s/l2", "group:t/g1", "role:s/r1", "grant:g0"),
        *("s", "nobody", "account:l1", "identity:", "x/y/z", "system:s", "g:s/g1", "group:s"),
    )
)


class Naming(unittest.TestCase):
    @given(catalogues(), TEXTS, st.sets(st.sampled_from(range(len(NAMED))), min_size=1))
    @searching(150)
    def test_they_mean_the_same(self, catalogue, text, chosen):
        state, among = state_of(catalogue), [NAMED[at] for at in sorted(chosen)]
        names = Names()
        for kind in among:
            names.add(kind, state[kind.name].record_keys())
        try:
            expected = names.resolve(text, [kind.name for kind in among])
        except UnfitError:
            expected = None
        try:
            found = resolved(InMemory(state), text, among)
        except CallError:
            found = None
        self.assertEqual(found, expected)

    @given(catalogues(), st.sampled_from(("identity:p1", "account:s/l1", "group:s/g1", "role:s/r1", "s:/a")))
    @searching(60)
    def test_what_points_at_something_is_what_holds_its_name(self, catalogue, reference):
        state = state_of(catalogue)
        prefix = reference.partition(":")[0]
        kind = next((it for it in NAMED if it.one == prefix), kinds.RESOURCES)
        for other in kinds.GATHERED:
            rows = state[other.name]
            wanted = list(columns_pointing(other, kind, reference))
            expected = [
                at
                for at in range(len(rows))
                if any(all(rows[name][at] == value for name, value in it.items()) for it in wanted)
            ]
            self.assertEqual(pointing_at(InMemory(state), other, kind, reference).tolist(), expected)

    def test_nothing_is_told_with_what_is_near(self):
        records = InMemory(state_of(OFFICE))
        with self.assertRaisesRegex(CallError, r"There is no identity anne\.\nNearest: ann"):
            resolved(records, "identity:anne", NAMED)
        with self.assertRaisesRegex(CallError, "There is nothing called zzz"):
            resolved(records, "zzz", NAMED)


if __name__ == "__main__":
    unittest.main()
