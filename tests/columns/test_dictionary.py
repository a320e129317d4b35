"""Columns whose distinct values are kept once answer as plain lists would."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from kathodos.columns.dictionary import (
    Encoder,
    always,
    column_from_arrow,
    dense,
    dictionary_column,
    distinct_pairs,
    first_of_each,
    in_chunks,
    in_common,
    joined_columns,
    matches,
    row_numbers,
    rows_of,
)
from tests.support import searching

VALUES = st.none() | st.sampled_from(("", "a", "b", "ab", "Ø", "1")) | st.integers(-1, 2)
COLUMN = st.lists(VALUES, max_size=12)
TEXTS = st.lists(st.none() | st.text("ab", max_size=2), max_size=12)
SMALL = st.lists(st.integers(-3, 3), max_size=12)


class Columns(unittest.TestCase):
    @given(COLUMN)
    @searching(40)
    def test_they_hold_what_was_put_in(self, values):
        column = dictionary_column(values)
        self.assertEqual(column.listed(), values)
        self.assertEqual([column.value(row) for row in range(len(values))], values)
        self.assertEqual(len(set(column.values)), len(column.values))
        self.assertNotIn(None, column.values)
        self.assertEqual(column.filled("x").listed(), ["x" if value is None else value for value in values])
        self.assertEqual(column.taken(np.arange(len(values))[::-1]).listed(), values[::-1])

    @given(COLUMN)
    @searching(40)
    def test_values_may_be_put_in_the_place_of_others_and_fall_together(self, values):
        column = dictionary_column(values)
        for function in (
            lambda value: None,
            lambda value: "same",
            str,
            lambda value: value,
            lambda value: str(value)[:1],
        ):
            mapped = column.mapped(function)
            self.assertEqual(mapped.listed(), [None if value is None else function(value) for value in values])
            self.assertEqual(len(set(mapped.values)), len(mapped.values))

    @given(TEXTS, TEXTS)
    @searching(40)
    def test_codes_in_common_are_the_same_for_the_same_value(self, first, second):
        one, other = in_common(dictionary_column(first), dictionary_column(second))
        for at, left in enumerate(first):
            for there, right in enumerate(second):
                self.assertEqual(one[at] == other[there], left == right)
        self.assertEqual(joined_columns([dictionary_column(first), dictionary_column(second)]).listed(), first + second)

    @given(st.lists(st.tuples(st.sampled_from((None, "a", "b")), st.sampled_from((None, "a", "c"))), max_size=10))
    @searching(40)
    def test_rows_have_the_same_number_where_they_are_the_same(self, rows):
        columns = [dictionary_column([row[at] for row in rows]) for at in range(2)]
        self.assertEqual(list(rows_of(columns)), rows)
        numbers = row_numbers([column.codes for column in columns])
        pairs, firsts = distinct_pairs(columns[0].codes, columns[1].codes)
        for left, row in enumerate(rows):
            self.assertEqual(
                [numbers[left] == numbers[right] for right in range(len(rows))], [row == it for it in rows]
            )
            self.assertEqual(rows[firsts[pairs[left]]], row)
            self.assertEqual(int(firsts[pairs[left]]), rows.index(row))

    def test_many_wide_columns_do_not_overflow(self):
        wide = [np.arange(2000, dtype=np.int32) for _ in range(9)]
        self.assertEqual(len(np.unique(row_numbers(wide))), 2000)
        twice = [np.concatenate([column, column]) for column in wide]
        numbers = row_numbers(twice)
        self.assertTrue((numbers[:2000] == numbers[2000:]).all())

    @given(SMALL, SMALL)
    @searching(40)
    def test_numbers_are_found_again(self, wanted, among):
        array = np.array(wanted, dtype=np.int64)
        self.assertEqual(first_of_each(array).tolist(), [wanted.index(number) for number in wanted])
        order = list(dict.fromkeys(wanted))
        self.assertEqual(dense(array).tolist(), [order.index(number) for number in wanted])
        once = list(dict.fromkeys(among))
        expected = [once.index(number) if number in once else -1 for number in wanted]
        self.assertEqual(matches(array, np.array(once, dtype=np.int64)).tolist(), expected)

    @given(st.lists(TEXTS, max_size=3))
    @searching(40)
    def test_arrow_arrays_in_chunks_are_read_as_one(self, chunks):
        import pyarrow as pa

        whole = pa.chunked_array([pa.array(chunk, pa.large_string()) for chunk in chunks], type=pa.large_string())
        self.assertEqual(column_from_arrow(whole).listed(), [text for chunk in chunks for text in chunk])

    def test_codes_are_given_in_the_order_of_coming(self):
        coder = Encoder()
        self.assertEqual(coder.codes(["b", None, "a", "b"]).tolist(), [0, -1, 1, 0])
        self.assertEqual(coder.codes(iter(["c", "a"])).tolist(), [2, 1])
        self.assertEqual(coder.values, ["b", "a", "c"])
        self.assertEqual(always(None, 2).listed(), [None, None])
        self.assertEqual([(part.start, part.stop) for part in in_chunks(5, 2)], [(0, 2), (2, 4), (4, 5)])


if __name__ == "__main__":
    unittest.main()
