"""The tree is that of RFC 9162: equal to its recursive definition at every size, and to known roots."""

import hashlib
import json
import struct
import unittest
from unittest import mock

import numpy as np
import rfc8785
from hypothesis import given
from hypothesis import strategies as st

from kathodos.columns.dictionary import DictionaryColumn
from kathodos.columns.ranges import ranges_in, ranges_text
from kathodos.ledger import entries
from kathodos.ledger.entries import Digest
from kathodos.ledger.merkle import grown, inclusion_path, is_included, leaf_hash, node_hash, roots_of
from kathodos.model.json_text import json_text


def by_definition(leaves):
    """Section 2.1.1, as it is written there."""
    if not leaves:
        return hashlib.sha256(b"").digest()
    if len(leaves) == 1:
        return leaves[0]
    split = 1
    while split * 2 < len(leaves):
        split *= 2
    return node_hash(by_definition(leaves[:split]), by_definition(leaves[split:]))


BLOCK = 16  # in the place of as many rows as a digest takes together


class Tree(unittest.TestCase):
    def test_it_equals_the_recursive_definition_at_every_size(self):
        leaves = [leaf_hash(bytes([number])) for number in range(70)]
        for size, found in enumerate(roots_of(leaves)):
            self.assertEqual(found, by_definition(leaves[:size]), size)

    def test_known_roots(self):
        # The reference vectors that implementations of Certificate Transparency publish.
        inputs = ["", "00", "10", "2021", "3031", "40414243", "5051525354555657", "606162636465666768696a6b6c6d6e6f"]
        leaves = [leaf_hash(bytes.fromhex(text)) for text in inputs]
        roots = [found.hex() for found in roots_of(leaves)]
        self.assertEqual(roots[0], "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855")
        self.assertEqual(roots[1], "6e340b9cffb37a989ca544e6bb780a2c78901d3fb33738768511a30617afa01d")
        self.assertEqual(roots[8], "5dc9da79a70659a9ad559cb701ded9a2ab9d823aad2f4960cfe370eff4604328")


class Canonical(unittest.TestCase):
    @given(
        st.lists(st.none() | st.integers(-(2**53) + 1, 2**53 - 1) | st.text(st.characters(exclude_categories=("Cs",))))
    )
    def test_a_row_is_hashed_in_the_form_of_rfc_8785(self, row):
        self.assertEqual(json_text(row).encode(), rfc8785.dumps(row))
        self.assertEqual(json.loads(json_text(row)), row)

    @given(st.data(), st.integers(0, 40), st.sampled_from((0, 1, 7, 300)), st.booleans())
    def test_a_digest_is_that_of_the_values_in_the_order_in_which_they_come(self, data, size, many, is_table):
        codes = np.array(data.draw(st.lists(st.integers(-1, many - 1), min_size=size, max_size=size)), dtype=np.int32)
        column = DictionaryColumn(codes, [f"{at}'s" for at in range(many)])
        found, plain = Digest(), hashlib.sha256()
        with mock.patch.object(entries, "BLOCK", BLOCK):
            found.add(5, [column.compact() if is_table else column])
        for begin in range(0, size, BLOCK):
            values = column.listed(slice(begin, begin + BLOCK))
            order = [it for it in dict.fromkeys(values) if it is not None]
            number = {None: 0} | {value: at for at, value in enumerate(order, 1)}
            plain.update(json.dumps([5 + begin, len(values)], separators=(",", ":")).encode())
            plain.update(json.dumps(order, separators=(",", ":")).encode())
            plain.update(b"".join(struct.pack("<I", number[it]) for it in values))
        self.assertEqual(found.text(), plain.hexdigest())

    @given(st.sets(st.integers(1, 300)))
    def test_ranges_hold_exactly_the_numbers(self, numbers):
        self.assertEqual({row for rows in ranges_in(ranges_text(numbers)) for row in rows}, numbers)


if __name__ == "__main__":
    unittest.main()


class Paths(unittest.TestCase):
    LEAVES = tuple(leaf_hash(bytes([at])) for at in range(70))

    def nodes(self):
        kept = {}
        for size, leaf in enumerate(self.LEAVES):
            for level, position, value in grown(size, leaf, lambda *at: kept[at]):
                kept[level, position] = value
        return lambda level, position: kept[level, position]

    def test_every_leaf_of_every_tree_has_a_path_to_the_root_and_only_its_own(self):
        node, roots = self.nodes(), roots_of(self.LEAVES)
        for size in range(1, len(self.LEAVES) + 1):
            for index in range(size):
                path = inclusion_path(index, size, node)
                self.assertTrue(is_included(self.LEAVES[index], index, size, path, roots[size]))
                self.assertFalse(is_included(leaf_hash(b"other"), index, size, path, roots[size]))
                self.assertFalse(is_included(self.LEAVES[index], index, size, path, roots[size - 1]))
                self.assertFalse(is_included(self.LEAVES[index], index, size, [*path, roots[0]], roots[size]))
                if path:
                    self.assertFalse(is_included(self.LEAVES[index], index, size, path[:-1], roots[size]))
        self.assertFalse(is_included(self.LEAVES[0], 5, 5, [], roots[5]))
