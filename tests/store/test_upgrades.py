"""The versions of the store: what each has is what the model says of it, and what came later is told from what was."""

import unittest

import numpy as np

from kathodos.columns.dictionary import dictionary_column
from kathodos.model.kinds import AREAS, KINDS
from kathodos.store import upgrades
from kathodos.store.blocks import FOREVER, Block
from kathodos.store.marks import marks_of
from kathodos.store.upgrades.schema import NUMBER, TEXT
from kathodos.store.versions import VersionRow, Versions, wrongly_marked


class Schemas(unittest.TestCase):
    def test_the_newest_version_has_what_the_model_has(self):
        """Who alters a kind of record adds an upgrade: store/upgrades/."""
        newest = upgrades.schema(upgrades.NEWEST)
        self.assertEqual(set(newest.records), {kind.name for kind in KINDS})
        for kind in KINDS:
            numbers = {column.name for column in kind.columns if column.is_number}
            forms = {name: NUMBER if name in numbers else TEXT for name in kind.names}
            self.assertEqual({it.name: it.form for it in newest.columns(kind.name)}, forms, kind.name)

    def test_versions_follow_on_each_other_and_take_nothing_away(self):
        numbers = [it.version for it in upgrades.UPGRADES]
        self.assertEqual(numbers, list(range(2, 2 + len(numbers))))
        for before, after in zip(range(1, upgrades.NEWEST), numbers, strict=True):
            for name in upgrades.schema(before).tables:
                known = [it.known for it in upgrades.schema(before).columns(name)]
                self.assertEqual([it.known for it in upgrades.schema(after).columns(name)][: len(known)], known)

    def test_every_step_says_what_it_does(self):
        for step in upgrades.steps_between(1, upgrades.NEWEST):
            self.assertRegex(step.said, r"^[A-Z].{20,}\.$")

    def test_a_table_of_which_nothing_is_known_has_no_column(self):
        self.assertEqual(upgrades.schema(1).columns("ledger_versions"), ())
        self.assertEqual(upgrades.names_then("ledger", 1)["leaf_hash"], "leaf")


class Entries(unittest.TestCase):
    def test_each_entry_is_of_the_version_that_began_before_it(self):
        versions = Versions([VersionRow(2, 5, "0.2.0"), VersionRow(4, 9, "0.4.0")])
        self.assertEqual(versions.of(np.arange(1, 12)).tolist(), [1] * 4 + [2] * 4 + [4] * 3)
        self.assertEqual((versions.newest.version, versions.before), (4, 2))
        self.assertEqual(
            (Versions().newest.version, Versions().before, Versions().of(np.array([7])).tolist()), (1, 1, [1])
        )

    def test_rows_of_several_versions_are_held_against_their_own_marks(self):
        rows, columns = (
            np.arange(1, 5),
            [dictionary_column(it) for it in (["a", "b", "c", "d"], ["s:/"] * 4, [None] * 4)],
        )
        columns.append(dictionary_column([None, None, "x", None]))
        marks = marks_of(rows, columns)
        block = Block(rows, np.array([1, 6, 6, 9]), np.full(4, FOREVER), marks, dictionary_column(["one"] * 4), columns)
        versions = Versions([VersionRow(2, 5, "0.2.0")])
        self.assertEqual(wrongly_marked(AREAS, block, versions).tolist(), [False] * 4)
        forged = Block(*block.numbers[:3], marks + np.array([0, 1, 0, 0]), block.sources, columns)
        self.assertEqual(wrongly_marked(AREAS, forged, versions).tolist(), [False, True, False, False])


if __name__ == "__main__":
    unittest.main()
