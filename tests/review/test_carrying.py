"""What is carried over: exactly the lines of which nothing that counts is another than when they were certified."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from kathodos.columns.dictionary import dictionary_column
from kathodos.model.kinds import REVIEW_LINES, REVIEW_THINGS
from kathodos.model.rows import rows_from
from kathodos.review.carrying import OF_LINES, OF_THINGS, unchanged
from kathodos.store.records import InMemory
from tests import stores
from tests.support import searching

VALUE = st.sampled_from((None, None, None, "x", "y"))
LINE = st.fixed_dictionaries(dict.fromkeys(OF_LINES, VALUE))
THING = st.fixed_dictionaries(dict.fromkeys(OF_THINGS, st.sampled_from(("a", "a", "a", "b"))))


@stores.ABOUT_ANSWERS
class CarriedOver(unittest.TestCase):
    @searching(400)
    @given(st.data())
    def test_each_is_as_comparing_value_by_value_says(self, data):
        things = {(review, number): data.draw(THING) for review in ("r1", "r2") for number in (3, 7)}
        old = [(*data.draw(st.sampled_from(sorted(things))), data.draw(LINE)) for _ in range(4)]
        lines = [
            {"review": review, "line": at, "thing": number, **it} for at, (review, number, it) in enumerate(old, 1)
        ]
        rows = (
            (REVIEW_LINES, lines),
            (REVIEW_THINGS, [{"review": it[0], "thing": it[1], **things[it]} for it in things]),
        )
        records = InMemory(
            {
                kind.name: rows_from(
                    kind, [(at, *(row.get(name) for name in kind.names)) for at, row in enumerate(some, 1)]
                )
                for kind, some in rows
            }
        )
        size = data.draw(st.integers(1, 6))
        before = data.draw(st.lists(st.integers(-1, 3), min_size=size, max_size=size))
        new = [(data.draw(LINE), data.draw(THING)) for _ in range(size)]
        for at, then in enumerate(before):  # mostly as it was
            if then >= 0 and data.draw(st.booleans()):
                new[at] = (old[then][2], things[old[then][:2]])
        of_lines = {name: dictionary_column(line[name] for line, _ in new) for name in OF_LINES}
        of_things = {name: dictionary_column(thing[name] for _, thing in new) for name in OF_THINGS}
        found = unchanged(records, np.array(before), of_lines, of_things)
        expected = [
            then >= 0 and (line, thing) == (old[then][2], things[old[then][:2]])
            for then, (line, thing) in zip(before, new, strict=True)
        ]
        self.assertEqual(found.tolist(), expected)


if __name__ == "__main__":
    unittest.main()
