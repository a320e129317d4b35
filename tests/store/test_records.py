"""Records as they would be with some edits are those of the same records written, row for row and column by column."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from kathodos.columns.dictionary import always, appended, dictionary_column
from kathodos.model.kinds import AREAS, IDENTITIES
from kathodos.model.rows import rows_from
from kathodos.store.edited import Edit, edited, edits_of, rows_of_keys
from kathodos.store.records import Few, InMemory, positions_holding, record_at
from tests.support import searching

VALUES = st.sampled_from((None, "", "a", "A", " a", "é", "a;b", "'\"", "\u202e"))


def area(name, resources):
    return dict(zip(AREAS.names, (name, resources, None, None), strict=True))


@st.composite
def states(draw):
    names = draw(st.lists(st.text("abcé \"'", min_size=1, max_size=3), unique=True, max_size=6))
    return [area(name, draw(VALUES)) for name in names]


def held(records):
    return InMemory({AREAS.name: rows_from(AREAS, [(at, *it.values()) for at, it in enumerate(records, 1)])})


class AsWritten(unittest.TestCase):
    @given(states(), st.data())
    @searching(200)
    def test_they_are_what_is_left_and_what_came(self, before, data):
        gone = data.draw(st.lists(st.sampled_from(before), unique_by=id)) if before else []
        fresh = data.draw(st.lists(VALUES, max_size=3))
        come = [area(f"new {at}", value) for at, value in enumerate(fresh)]
        come += [{**it, "resources": "changed"} for it in gone[:1]]
        records, edits = held(before), {AREAS.name: Edit(gone, come)}
        after, expected = edited(records, edits), [it for it in before if it not in gone] + come
        for name in AREAS.names:
            self.assertEqual(after.column(AREAS, name).listed(), [it[name] for it in expected], name)
        numbers = after.rows(AREAS).tolist()
        self.assertEqual(len(set(numbers)), len(expected))
        self.assertEqual(
            [dict(zip(AREAS.names, it, strict=True)) for it in after.some(AREAS, numbers).values()], expected
        )
        self.assertEqual([record_at(after, AREAS, at) for at in range(len(expected))], expected)
        for record in (*before, *come):
            known = next((it for it in expected if it["area"] == record["area"]), None)
            self.assertEqual(after.with_key(AREAS, (record["area"],)), known)
        wanted = {"resources": data.draw(st.lists(VALUES, max_size=2)), "area": [it["area"] for it in expected[1:]]}
        at = [at for at, it in enumerate(expected) if it["resources"] in wanted["resources"] and at]
        self.assertEqual(after.holding(AREAS, wanted).records(), [expected[it] for it in at])
        self.assertEqual(after.rows_holding(AREAS, wanted).tolist(), [numbers[it] for it in at])
        turned = np.array(numbers[::-1], dtype=np.int64)
        picked = after.picked(AREAS, "resources", turned)
        self.assertEqual(picked.listed(), [it["resources"] for it in expected[::-1]])
        few = Few(after, {AREAS.name: turned[:2]})
        self.assertEqual(few.column(AREAS, "area").listed(), [it["area"] for it in expected[::-1][:2]])
        self.assertEqual(few.holding(AREAS, wanted).records(), [expected[it] for it in at])
        self.again(after, expected, data)
        back = edits_of(after, [AREAS])
        if gone or come:
            self.assertCountEqual(map(str, back[AREAS.name].gone), map(str, gone))
            self.assertEqual(list(back[AREAS.name].come), come)
        self.assertEqual(after.column(IDENTITIES, "id").listed(), [])

    def again(self, records, before, data):
        """Records that are assumed, edited once more, are those of all edits."""
        gone = data.draw(st.lists(st.sampled_from(before), unique_by=id, max_size=2)) if before else []
        come = [area(f"newer {at}", it) for at, it in enumerate(data.draw(st.lists(VALUES, max_size=2)))]
        after, expected = (
            edited(records, {AREAS.name: Edit(gone, come)}),
            [it for it in before if it not in gone] + come,
        )
        numbers = after.rows(AREAS)
        self.assertEqual(len(set(numbers.tolist())), len(expected))
        self.assertEqual(after.some(AREAS, numbers.tolist()).records(), expected)
        self.assertEqual(after.column(AREAS, "area").listed(), [it["area"] for it in expected])
        self.assertEqual(after.picked(AREAS, "area", numbers).listed(), [it["area"] for it in expected])
        for it in expected:
            self.assertEqual(after.holding(AREAS, {"area": [it["area"]]}).records(), [it])
        self.assertEqual(len(after.sources_at(AREAS, numbers.tolist())), len(expected))

    @given(states(), VALUES)
    @searching(100)
    def test_finding_by_values_and_keys(self, some, value):
        records = held(some)
        found = positions_holding(records, AREAS, {"resources": value}).tolist()
        self.assertEqual(found, [at for at, it in enumerate(some) if it["resources"] == value])
        keys = [(it["area"],) for it in some[::2]] + [("nowhere",)]
        self.assertEqual(rows_of_keys(records, AREAS, keys).tolist(), records.rows(AREAS)[::2].tolist())


class Appended(unittest.TestCase):
    @given(st.lists(VALUES), st.lists(VALUES))
    @searching(150)
    def test_a_small_column_behind_a_large_one(self, first, second):
        one, other = dictionary_column(first), dictionary_column(second)
        both = appended(one, other)
        self.assertEqual(both.listed(), [*first, *second])
        self.assertTrue(np.array_equal(both.codes[: len(first)], one.codes))
        self.assertEqual(len(set(both.values)), len(both.values))

    def test_numbers_behind_numbers_and_anything_behind_nothing(self):
        self.assertEqual(
            appended(dictionary_column([3, 1]), dictionary_column([1, 7, None])).listed(), [3, 1, 1, 7, None]
        )
        self.assertEqual(appended(always(None, 2), dictionary_column(["x"])).listed(), [None, None, "x"])


if __name__ == "__main__":
    unittest.main()
