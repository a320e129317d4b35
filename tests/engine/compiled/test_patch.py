"""An index with edits answers as one compiled from the edited records does."""

import unittest
from datetime import datetime

from hypothesis import given
from hypothesis import strategies as st

from kathodos.engine.compiled.compile import compile_index
from kathodos.engine.compiled.index import NEEDED
from kathodos.engine.compiled.patch import updated
from kathodos.model.kinds import BY_NAME
from kathodos.model.times import microseconds
from kathodos.store.edited import Edit, edited
from kathodos.store.records import InMemory
from tests.engine.test_decide import everything
from tests.reference import Reference
from tests.support import NOW, catalogues, index_of, record_of, searching, state_of

AT = datetime.fromisoformat(NOW)
PATIENT = searching(30)


def edits_towards(first, second, kinds):
    """The edits that turn the records of some kinds in the first catalogue into those in the second."""
    edits = {}
    for kind in kinds:
        before, after = (
            {tuple(record[name] for name in kind.key): record for record in (record_of(kind, it) for it in some)}
            for some in (first.get(kind.name, []), second.get(kind.name, []))
        )
        gone = [record for key, record in before.items() if after.get(key) != record]
        come = [record for key, record in after.items() if before.get(key) != record]
        if gone or come:
            edits[kind.name] = Edit(gone, come)
    return edits


def assert_equal_indexes(test, index, catalogue):
    """The index answers as a fresh one does, and leads from members to groups and back as it does."""
    at, fresh = microseconds(AT), index_of(catalogue)
    test.assertEqual(everything(index, at), everything(fresh, at))
    for lists in ("edges", "members"):
        test.assertEqual(named_edges(index, lists), named_edges(fresh, lists))
    for asker in fresh.holders.askers.tolist():
        reference = fresh.holders.references[asker]
        test.assertEqual(index.holders.references[index.holders.find(reference)], reference)


def named_edges(index, lists):
    holders, found = index.holders, getattr(index.holders, lists)
    why = holders.why.tolist() if lists == "edges" else [0] * len(found.items)
    pairs = zip(found.rows().tolist(), found.items.tolist(), why, strict=True)
    return sorted((holders.references[row], holders.references[item], flag) for row, item, flag in pairs)


class EditsEqualCompilingAnew(unittest.TestCase):
    @given(catalogues(), catalogues(), st.sets(st.sampled_from([kind.name for kind in NEEDED]), min_size=1, max_size=4))
    @PATIENT
    def test_from_one_catalogue_to_another_in_some_kinds(self, first, second, names):
        kinds = [BY_NAME[name] for name in sorted(names)]
        mixed = {**first, **{kind.name: second.get(kind.name, []) for kind in kinds}}
        edits = edits_towards(first, mixed, kinds)
        records = edited(InMemory(state_of(first)), edits)
        index = updated(index_of(first), edits, records)
        assert_equal_indexes(self, index, mixed)
        at = microseconds(AT)
        self.assertEqual(everything(compile_index(records), at), everything(index, at))
        self.assertEqual(everything(index, at), Reference(mixed).everything(AT))

    @given(catalogues(), catalogues(), st.data())
    @PATIENT
    def test_some_grants_and_people_come_and_go_twice(self, first, second, data):
        index, now = index_of(first), first
        for other in (second, first):
            mixed = dict(now)
            for name in ("grants", "members", "identities", "accounts", "groups"):
                key = BY_NAME[name].key
                rows = {tuple(row[part] for part in key): row for row in now.get(name, [])}
                for row in other.get(name, []):
                    if data.draw(st.booleans()):
                        rows[tuple(row[part] for part in key)] = row
                dropped = data.draw(st.sets(st.sampled_from(sorted(rows)), max_size=2)) if rows else set()
                mixed[name] = [row for at, row in rows.items() if at not in dropped]
            edits = edits_towards(now, mixed, [BY_NAME[name] for name in mixed])
            index = updated(index, edits, edited(InMemory(state_of(now)), edits))
            # Row numbers of the next round are those of a state kept anew.
            assert_equal_indexes(self, index, mixed)
            now = mixed
            index = index_of(now) if data.draw(st.booleans()) else renumbered(index, now)


def renumbered(index, catalogue):
    """The index with the row numbers that `state_of` gives the catalogue's identities."""
    from dataclasses import replace

    import numpy as np

    rows = {row["id"]: at for at, row in enumerate(catalogue["identities"], 1)}
    numbers = np.array([rows[name] for name in index.holders.identities], dtype=np.int64)
    return replace(index, holders=replace(index.holders, rows=numbers))


if __name__ == "__main__":
    unittest.main()
