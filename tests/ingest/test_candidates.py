"""Whose an account may be: the person whose name it is made of, and nobody where no name is like it."""

import unittest
from unittest import mock

from hypothesis import given
from hypothesis import strategies as st

from kathodos import thresholds
from kathodos.ingest.candidates import candidates_of
from kathodos.model.names import bare_text, name_skeleton, spelled_out
from kathodos.store.records import InMemory
from tests.support import searching, state_of

FIRST = ("Åse", "Jörg", "Maria", "Tobias", "Inés", "Peer")
LAST = ("Ølsäter", "Grünwald", "Sánchez", "Lindqvist", "Oakes", "Weißbach")
PEOPLE = [
    {"id": f"p{at}{of}", "name": f"{first} {last}"} for at, first in enumerate(FIRST) for of, last in enumerate(LAST)
]


def found_for(**account):
    state = {"systems": [{"system": "s"}], "identities": PEOPLE, "accounts": [{"system": "s", **account}]}
    (found,) = candidates_of(InMemory(state_of(state)), [0])
    return found


class Candidates(unittest.TestCase):
    @given(st.sampled_from(PEOPLE), st.sampled_from((bare_text, spelled_out)), st.integers(0, 3))
    @searching(60)
    def test_the_person_whose_name_the_login_is_made_of_is_named_first(self, person, plain, way):
        first, last = plain(person["name"]).split()
        login = (f"{first}.{last}", f"{last}{first}", f"{last}-{first}", f"{first}_{last}7")[way]
        self.assertEqual(found_for(login=login)[0].identity, person["id"])

    def test_names_in_another_order_or_spelling_are_like_each_other(self):
        best = found_for(login="x1", name="Oelsaeter, Aase")[0]
        self.assertEqual((best.name, best.likeness), ("Åse Ølsäter", 100))
        self.assertLess(found_for(login="x1", name="Marja Sanchez")[0].likeness, 100)
        self.assertEqual(found_for(login="backup-job-7"), [])

    def test_among_very_many_those_that_share_a_word_are_looked_at(self):
        few = found_for(login="x1", name="Grunwald Jorg")
        with mock.patch.object(thresholds, "FEW_CANDIDATES", 5):
            many = found_for(login="x1", name="Grunwald Jorg")
        self.assertEqual(few[0], many[0])

    @given(st.sampled_from(PEOPLE))
    @searching(40)
    def test_a_skeleton_is_the_same_in_every_spelling_and_order(self, person):
        first, last = person["name"].split()
        for text in (
            person["name"],
            f"{last}, {first}",
            spelled_out(person["name"]),
            bare_text(person["name"]).upper(),
        ):
            self.assertEqual(name_skeleton(text), name_skeleton(person["name"]), text)


if __name__ == "__main__":
    unittest.main()
