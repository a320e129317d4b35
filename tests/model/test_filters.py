"""Filters mean what RFC 7644 says, on any record."""

import re
import unittest

from hypothesis import given
from hypothesis import strategies as st

from kathodos.model.filters import FilterError, parse_filter
from kathodos.model.kinds import IDENTITIES
from kathodos.store.attributes import AttributeColumns
from kathodos.store.records import InMemory
from tests.support import state_of

PEOPLE = [
    {"id": "p1", "department": "Pilotage", "title": "Pilot", "risk": "70", "starts": "2020-05-01"},
    {"id": "p2", "department": "pilotage", "title": 'The "chief"', "risk": "9"},
    {"id": "p3", "department": "Dues office", "site-code": "n(1)", "status": "left"},
]


def chosen(text):
    mask = AttributeColumns(InMemory(state_of({"identities": PEOPLE})), IDENTITIES).selected(parse_filter(text))
    return [person["id"] for person, is_in in zip(PEOPLE, mask, strict=True) if is_in]


class Meaning(unittest.TestCase):
    def test_each_operator(self):
        for text, expected in (
            ('department eq "PILOTAGE"', ["p1", "p2"]),
            ('department ne "pilotage"', ["p3"]),
            ('title co "chief"', ["p2"]),
            ('title eq "The \\"chief\\""', ["p2"]),
            ('department sw "Dues"', ["p3"]),
            ('department ew "office"', ["p3"]),
            ("title pr", ["p1", "p2"]),
            ("title eq null", ["p3"]),
            ("risk gt 50", ["p1"]),
            ("risk gt 9", ["p1"]),
            ("risk ge 9", ["p1", "p2"]),
            ("risk lt 70", ["p2"]),
            ("risk le -1", []),
            ('starts gt "2019-12-31"', ["p1"]),
            ('site-code eq "n(1)"', ["p3"]),
            ('STATUS EQ "left"', ["p3"]),
        ):
            self.assertEqual(chosen(text), expected, text)

    def test_and_binds_more_than_or_and_not_needs_brackets(self):
        self.assertEqual(chosen('id eq "p1" or id eq "p2" and id eq "p3"'), ["p1"])
        self.assertEqual(chosen('(id eq "p1" or id eq "p2") and id eq "p3"'), [])
        self.assertEqual(chosen('not (id eq "p1") and department pr'), ["p2", "p3"])

    def test_what_does_not_parse_says_where_and_what_was_expected(self):
        for text, expected in (
            ("department eq", "ends where a value"),
            ("department is 4", "at character 12, is: expected one of eq"),
            ('(id eq "p1"', "')'"),
            ('id eq "p1" id', "at character 12, id: expected 'and', 'or' or the end"),
            ("not id pr", "'(' after not"),
            ('emails[type eq "work"]', "expected one of"),
            ("(" * 5000 + "id pr" + ")" * 5000, "nested more than"),
            ('id eq "a', "a value"),
            ("risk eq 007", "a value"),
        ):
            with self.assertRaisesRegex(FilterError, re.escape(expected), msg=text):
                parse_filter(text)

    @given(st.text(max_size=40))
    def test_any_text_parses_or_is_refused(self, text):
        try:
            parse_filter(text)
        except FilterError as error:
            self.assertTrue(str(error))

    @given(st.text(st.characters(exclude_categories=("Cs",)), min_size=1, max_size=12))
    def test_any_value_can_be_written_as_a_json_string(self, value):
        import json

        columns = AttributeColumns(InMemory(state_of({"identities": [{"id": "x", "name": value}]})), IDENTITIES)
        self.assertEqual(columns.selected(parse_filter(f"name eq {json.dumps(value)}")).tolist(), [True])


if __name__ == "__main__":
    unittest.main()
