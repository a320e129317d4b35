"""Patterns match as the plain reference says; what is no address is refused with a remedy."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from kathodos.model.addresses import address_of, parse_address, parse_pattern
from tests.reference import matches

SEGMENT = st.sampled_from(("a", "ab", "b", "a%2Fb", "x.y"))
PART = st.sampled_from(("a", "*", "**", "a*", "*b", "a*b", "x.y", "x?y"))


class Matching(unittest.TestCase):
    @given(st.lists(PART, max_size=5), st.lists(SEGMENT, max_size=5))
    def test_a_pattern_matches_what_the_reference_matches(self, pattern, path):
        parsed = parse_pattern(f"s:/{'/'.join(pattern)}")
        self.assertEqual(parsed.matches(path), matches(tuple(pattern), tuple(path)))

    def test_many_stars_cost_no_time(self):
        parsed = parse_pattern("s:/" + "/".join(["**", "a"] * 30))
        self.assertFalse(parsed.matches(["a"] * 60 + ["b"]))


class Writing(unittest.TestCase):
    def test_one_address_has_one_way_of_being_written(self):
        self.assertEqual(str(parse_address("s:/a%2fb/c/")), "s:/a%2Fb/c")
        self.assertEqual(str(parse_address("s:/")), "s:/")
        self.assertEqual(parse_address("s:/../etc").segments, ("..", "etc"))

    def test_names_that_hold_anything_are_escaped(self):
        self.assertEqual(address_of("files", ("a*b", "50%", "x/y", "..")), "files:/a%2Ab/50%25/x%2Fy/..")

    def test_what_is_none_is_refused(self):
        for text, remedy in (
            ("s:a", "system:/segment"),
            ("/a/b", "system:/segment"),
            ("s:/a//b", "one slash"),
            ("s:/a**", "whole segments"),
            ("s:/a/*", "%2A"),
        ):
            with self.assertRaisesRegex(ValueError, remedy):
                parse_address(text)


if __name__ == "__main__":
    unittest.main()
