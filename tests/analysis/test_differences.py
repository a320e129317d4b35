"""What differs between two states is exactly what the plain reference reaches in one and not in the other."""

import unittest
from datetime import datetime

from hypothesis import given
from hypothesis import strategies as st

from kathodos.analysis.differences import by_asker, by_kind
from kathodos.engine.compile import compile_index
from kathodos.model.times import microseconds
from kathodos.store.records import InMemory
from tests.reference import Reference
from tests.support import NOW, catalogues, searching, state_of

AT = datetime.fromisoformat(NOW)


class Differences(unittest.TestCase):
    @given(
        catalogues(),
        catalogues(),
        st.sets(st.sampled_from(("grants", "members", "resources", "roles", "areas", "groups"))),
    )
    @searching(30)
    def test_by_asker(self, first, other, changed):
        second = {kind: other[kind] if kind in changed else rows for kind, rows in first.items()}
        before, after = state_of(first), state_of(second)
        at = microseconds(AT)
        found = {
            (it.reference, sign, text)
            for it in by_asker(compile_index(InMemory(before)), compile_index(InMemory(after)), at, at)
            for sign, texts in (("+", it.gained), ("-", it.lost))
            for text in texts
        }
        had, has = (Reference(catalogue).everything(AT) for catalogue in (first, second))
        gained = {(who, "+", f"{action} {address}") for who, action, address in has - had}
        lost = {(who, "-", f"{action} {address}") for who, action, address in had - has}
        self.assertEqual(found, gained | lost)

    def test_by_kind(self):
        first = {"systems": [{"system": "s"}, {"system": "t"}], "roles": [{"system": "s", "role": "r"}]}
        second = {
            "systems": [{"system": "s", "title": "S"}],
            "roles": [{"system": "s", "role": "r"}, {"system": "s", "role": "q"}],
        }
        found = [(it.kind.name, it.came, it.changed, it.went) for it in by_kind(state_of(first), state_of(second))]
        self.assertEqual(found, [("systems", 0, 1, 1), ("roles", 1, 0, 0)])


if __name__ == "__main__":
    unittest.main()
