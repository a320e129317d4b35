"""What people are compared by: two texts get the same number exactly where what is compared of them is the same."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from kathodos.analysis.duplicates import KEYS, key_numbers
from kathodos.columns.strings import string_table
from tests.support import searching

PART = st.sampled_from(
    ["Lund", "lund", "Åse", "Ase", "åse", ",", " ", "-", "_", "@", "@x.example", "7", "ß", "SS", "Σ", "", "."]
)
TEXTS = st.lists(st.one_of(st.lists(PART, max_size=4).map("".join), st.text(max_size=4)), max_size=12, unique=True)


class Keys(unittest.TestCase):
    @given(st.sampled_from(KEYS), TEXTS)
    @searching(400)
    def test_numbers_part_what_the_keys_part(self, kind, texts):
        name, key_of, numbers = kind
        keys = [key_of(text) for text in texts]
        found = key_numbers(string_table(texts), key_of, numbers).tolist()
        self.assertEqual([it < 0 for it in found], [not it for it in keys], (name, texts))
        for one, key in zip(found, keys, strict=True):
            for other, other_key in zip(found, keys, strict=True):
                self.assertEqual(one == other, (not key and not other_key) or key == other_key, (name, texts))


if __name__ == "__main__":
    unittest.main()
