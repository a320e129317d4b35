"""Texts compared all at once are what they are compared one by one; positions are those a search finds."""

import unittest
from unittest import mock

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from kathodos import thresholds
from kathodos.columns import dictionary
from kathodos.columns.dictionary import matches, positions_among
from kathodos.columns.matching import OPERATORS, which
from kathodos.columns.strings import starting_with, string_table
from tests.support import searching

TEXT = st.text(st.sampled_from("aAbBzZ09_ /éÉß\u0130\u212a"), max_size=5)
PLAIN = {
    "eq": lambda text, wanted: text == wanted,
    "co": lambda text, wanted: wanted in text,
    "sw": lambda text, wanted: text.startswith(wanted),
    "ew": lambda text, wanted: text.endswith(wanted),
    "gt": lambda text, wanted: text > wanted,
    "ge": lambda text, wanted: text >= wanted,
    "lt": lambda text, wanted: text < wanted,
    "le": lambda text, wanted: text <= wanted,
}


class Matching(unittest.TestCase):
    @given(st.lists(TEXT, unique=True, max_size=20), TEXT, st.sampled_from(OPERATORS))
    @searching(300)
    def test_together_as_one_by_one(self, texts, wanted, operator):
        folded = wanted.casefold()

        def alone(text):
            return PLAIN[operator](text.casefold(), folded)

        for few in (0, 1000):  # all together, and one by one
            with mock.patch.object(thresholds, "FEW_MATCHED", few):
                found = which(string_table(texts), operator, folded, alone).tolist()
            self.assertEqual(found, [alone(text) for text in texts], (operator, wanted))

    @given(st.lists(TEXT, unique=True, max_size=20), TEXT)
    @searching(150)
    def test_texts_that_begin_so(self, texts, wanted):
        self.assertEqual(starting_with(string_table(texts), wanted).tolist(), [it.startswith(wanted) for it in texts])

    @given(st.lists(TEXT, unique=True, max_size=20), st.lists(TEXT, unique=True, max_size=20))
    @searching(150)
    def test_positions_of_texts(self, known, wanted):
        expected = [known.index(it) if it in known else -1 for it in wanted]
        for few in (0, 1000):
            with mock.patch.object(thresholds, "FEW_LOOKED_UP", few):
                self.assertEqual(positions_among(wanted, known).tolist(), expected)

    @given(
        st.lists(st.integers(-(2**62), 2**62), unique=True, max_size=30),
        st.lists(st.integers(-(2**62), 2**62), max_size=30),
        st.booleans(),
    )
    @searching(150)
    def test_positions_of_numbers(self, known, others, is_ordered):
        among = np.array(sorted(known) if is_ordered else known, dtype=np.int64)
        wanted = np.array([*known[::3], *others], dtype=np.int64)
        expected = [among.tolist().index(it) if it in among.tolist() else -1 for it in wanted.tolist()]
        self.assertEqual(dictionary.matches(wanted, among).tolist(), expected)
        self.assertEqual(matches(wanted[:1], among, is_ordered).tolist(), expected[:1])


if __name__ == "__main__":
    unittest.main()
