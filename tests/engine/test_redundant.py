"""A grant is called redundant exactly where taking it away alone changes no reach of anyone."""

import unittest
import unittest.mock
from datetime import datetime

from hypothesis import given
from hypothesis import strategies as st

from kathodos import thresholds
from kathodos.engine import redundant
from kathodos.model.times import microseconds
from tests.reference import Reference, instant
from tests.support import NOW, catalogues, index_of, searching

AT = datetime.fromisoformat(NOW)
PATIENT = searching(40)


def redundant_by_trying(catalogue):
    """The live grants without each of which everybody reaches what they reach with it."""
    reference = Reference(catalogue)
    whole = reference.everything(AT)
    found = set()
    for grant in catalogue["grants"]:
        if instant(grant.get("from")) <= AT < instant(grant.get("until"), end=True):
            rest = [other for other in catalogue["grants"] if other is not grant]
            without = Reference({**catalogue, "grants": rest})
            without.actions = reference.actions  # an action does not go with the only grant that names it
            if without.everything(AT) == whole:
                found.add(grant["grant"])
    return found


class RedundantGrants(unittest.TestCase):
    def assert_equal_to_trying(self, catalogue, block):
        index = index_of(catalogue)
        with (
            unittest.mock.patch.multiple(thresholds, SWEPT=block, FEW_CLASSES=block % 2),
            unittest.mock.patch.object(redundant, "_SHARES", (2, 1)[: block % 3]),
        ):
            found = redundant.redundant_grants(index, microseconds(AT)).grants
        self.assertEqual({index.grants.ids[at] for at in found.tolist()}, redundant_by_trying(catalogue))

    @given(catalogues(), st.integers(1, 60))
    @PATIENT
    def test_in_systems_of_every_kind(self, catalogue, block):
        self.assert_equal_to_trying(catalogue, block)

    @given(catalogues(paths=("deny-overrides", "permit-overrides"), gates=(None,)), st.integers(1, 60))
    @PATIENT
    def test_where_permits_and_denies_decide_alone(self, catalogue, block):
        self.assert_equal_to_trying(catalogue, block)

    def test_what_a_group_already_gives_and_what_reaches_nobody(self):
        index = index_of(
            {
                "systems": [{"system": "s"}],
                "identities": [{"id": "p"}, {"id": "q", "status": "left"}],
                "groups": [{"system": "s", "group": "g"}],
                "members": [{"system": "s", "group": "g", "member": "identity:p"}],
                "resources": [{"resource": "s:/a/b"}],
                "grants": [
                    {"grant": "wide", "holder": "group:s/g", "gives": "view s:/a"},
                    {"grant": "again", "holder": "identity:p", "gives": "view s:/a/b"},
                    {"grant": "left", "holder": "identity:q", "gives": "view s:/"},
                    {"grant": "nothing", "holder": "identity:p", "gives": "view s:/none"},
                ],
            }
        )
        found = redundant.redundant_grants(index, microseconds(AT))
        told = {
            index.grants.ids[at]: idle for at, idle in zip(found.grants.tolist(), found.is_idle.tolist(), strict=True)
        }
        self.assertEqual(told, {"again": False, "left": True, "nothing": True})


if __name__ == "__main__":
    unittest.main()
