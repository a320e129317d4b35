"""Lists of lists as arrays do what lists of lists do."""

import unittest
import unittest.mock

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from kathodos import thresholds
from kathodos.columns.csr import (
    closures,
    csr_from_distinct,
    csr_from_lists,
    csr_from_pairs,
    distinct,
    in_loads,
    ints,
    reachable,
    spread,
    spread_each,
)
from tests.support import searching

SIZE = 6
LISTS = st.lists(
    st.lists(st.integers(0, SIZE - 1), unique=True, max_size=SIZE).map(sorted), min_size=SIZE, max_size=SIZE
)


def lists_of(found):
    return [found[row].tolist() for row in range(len(found))]


def reached_from(edges, start):
    """All that can be reached along the edges, step by step."""
    seen, fresh = set(start), list(start)
    while fresh:
        for ahead in edges[fresh.pop()]:
            if ahead not in seen:
                seen.add(ahead)
                fresh.append(ahead)
    return sorted(seen)


class Lists(unittest.TestCase):
    @given(LISTS, st.lists(st.integers(0, SIZE - 1), max_size=80))
    @searching(100)
    def test_picked_put_together_and_turned(self, lists, rows):
        made, wanted = csr_from_lists(lists), ints(rows)
        self.assertEqual(lists_of(made), lists)
        self.assertEqual(lists_of(made.picked(wanted)), [lists[row] for row in rows])
        origin, items = made.of(wanted)
        expected = [(at, item) for at, row in enumerate(rows) for item in lists[row]]
        self.assertEqual([*zip(origin.tolist(), items.tolist(), strict=True)], expected)
        self.assertEqual(made.all_of(wanted).tolist(), [item for _, item in expected])
        turned = [[row for row in range(SIZE) if item in lists[row]] for item in range(SIZE)]
        self.assertEqual(lists_of(made.turned(SIZE)), turned)

    @given(LISTS, LISTS)
    @searching(100)
    def test_items_taken_out_and_put_in(self, before, after):
        made = csr_from_lists(before)
        gone = [(row, item) for row, some in enumerate(before) for item in some if item not in after[row]]
        more = [(row, item) for row, some in enumerate(after) for item in some if item not in before[row]]
        if gone:
            made = made.without(made.position_for(*map(np.array, zip(*gone, strict=True)))[1])
        if more:
            made = made.with_more(*map(np.array, zip(*more[::-1], strict=True)))
        self.assertEqual(lists_of(made), after)

    @given(st.lists(st.tuples(st.integers(0, SIZE - 1), st.integers(0, SIZE - 1)), max_size=20))
    @searching(100)
    def test_made_of_pairs(self, pairs):
        rows, items = ints(row for row, _ in pairs), ints(item for _, item in pairs)
        in_order = [[item for row, item in pairs if row == number] for number in range(SIZE)]
        self.assertEqual(lists_of(csr_from_pairs(rows, items, SIZE)), in_order)
        self.assertEqual(lists_of(csr_from_distinct(rows, items, SIZE, SIZE)), [sorted(set(it)) for it in in_order])
        self.assertEqual(distinct(items).tolist(), sorted(set(items.tolist())))

    @given(LISTS, st.lists(st.integers(0, SIZE - 1), unique=True, max_size=SIZE))
    @searching(150)
    def test_what_is_reached_cycles_included(self, lists, start):
        edges = csr_from_lists(lists)
        expected = reached_from(lists, start)
        self.assertEqual(spread(edges, ints(start)).nonzero()[0].tolist(), expected)
        self.assertEqual(reachable(edges, ints(start)).tolist(), expected)
        each = [reached_from(lists, [node]) for node in start]
        self.assertEqual(lists_of(spread_each(edges, ints(start))), each)

    @given(
        LISTS, st.integers(0, SIZE), st.lists(st.booleans(), min_size=SIZE, max_size=SIZE), st.sampled_from([1, 3, 99])
    )
    @searching(150)
    def test_closures_of_all_nodes_from_one_on(self, lists, first, kept, block):
        lists = [[ahead for ahead in some if ahead >= first] for some in lists]
        with unittest.mock.patch.object(thresholds, "CSR_ITEMS", block):
            found = closures(csr_from_lists(lists), first, np.array(kept))
        expected = [[it for it in reached_from(lists, [node]) if kept[it]] for node in range(first, SIZE)]
        self.assertEqual(lists_of(found), expected)

    @given(st.lists(st.integers(0, 9), max_size=20), st.integers(1, 15), st.integers(1, 5))
    @searching(100)
    def test_loads_are_whole_and_in_order_and_end_with_what_fills_them(self, loads, most, widest):
        parts = [it.tolist() for it in in_loads(ints(loads), most, widest)]
        self.assertEqual([at for part in parts for at in part], list(range(len(loads))))
        for part in parts:
            self.assertTrue(sum(loads[at] for at in part[:-1]) < most and len(part) <= widest, parts)


if __name__ == "__main__":
    unittest.main()
