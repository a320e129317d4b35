"""Times read in bulk are the times read one by one."""

import unittest
from datetime import UTC

from hypothesis import given
from hypothesis import strategies as st

from kathodos.columns.moments import moments_of
from kathodos.columns.strings import string_table
from kathodos.model.times import end_moment, first_moment, time_text
from tests.support import searching

KEPT = st.one_of(
    st.dates().map(lambda day: day.isoformat()),
    st.datetimes(timezones=st.just(UTC)).map(time_text),
)


class Moments(unittest.TestCase):
    @given(st.lists(KEPT, max_size=20))
    @searching(300)
    def test_each_is_what_it_is_alone(self, texts):
        for is_end, read in ((False, first_moment), (True, end_moment)):
            expected = [read(text) for text in texts]
            self.assertEqual(moments_of(string_table(texts), is_end).tolist(), expected)
            self.assertEqual(moments_of(texts, is_end).tolist(), expected)


if __name__ == "__main__":
    unittest.main()
