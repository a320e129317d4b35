"""Which patterns match any resource, as asking each pattern of each resource says."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from kathodos.model.addresses import parse_address, parse_pattern
from kathodos.model.known_addresses import KnownAddresses
from tests.reference import matches, split
from tests.support import searching

SEGMENT = st.sampled_from(("a", "ab", "b", "a.b", "%2A"))
STARRED = st.sampled_from(("a", "ab", "*", "**", "a*", "*b", "%2A", "c"))
ADDRESSES = st.lists(st.builds(lambda it: f"s:/{'/'.join(it)}", st.lists(SEGMENT, max_size=4)), max_size=6)
PATTERNS = st.lists(
    st.builds(lambda system, it: f"{system}:/{'/'.join(it)}", st.sampled_from("sst"), st.lists(STARRED, max_size=4)),
    max_size=5,
)


class Matched(unittest.TestCase):
    @given(ADDRESSES, PATTERNS)
    @searching(300)
    def test_a_pattern_is_matched_where_an_address_or_what_stands_above_it_matches(self, addresses, patterns):
        known = KnownAddresses()
        known.add([*addresses, "no address"])
        paths = {split(text)[:size] for text in addresses for size in range(1, len(split(text)) + 1)}
        expected = []
        for text in patterns:
            pattern = split(text)
            target = pattern[:-1] if len(pattern) > 1 and pattern[-1] == "**" else pattern
            expected.append(any(path[0] == target[0] and matches(target[1:], path[1:]) for path in paths))
        self.assertEqual(known.matched(map(parse_pattern, patterns)), expected)
        self.assertEqual({split(it) for it in known}, paths)
        for text in addresses:
            self.assertIn(str(parse_address(text)), known)

    def test_nothing_is_matched_where_nothing_is_known(self):
        self.assertEqual(KnownAddresses().matched([parse_pattern("s:/"), parse_pattern("s:/**")]), [False, False])


if __name__ == "__main__":
    unittest.main()
