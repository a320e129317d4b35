"""Histories: kept files with what later entries did behind them are the rows of the store, read from the first."""

import random
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np

from kathodos import thresholds
from kathodos.ledger import hand, writing
from kathodos.model.kinds import AREAS
from kathodos.store.blocks import FOREVER
from kathodos.store.history import Histories
from kathodos.store.kind_history import SOURCE, STANDS
from kathodos.workspace.workspace import Workspace
from tests import stores

NAMES = (SOURCE, *AREAS.names)


class KeptUp(unittest.TestCase):
    def setUp(self):
        scratch = tempfile.TemporaryDirectory()
        self.addCleanup(scratch.cleanup)
        self.workspace = Workspace.create(Path(scratch.name) / "office", stores.new_url())
        self.random = random.Random(5)
        self.open = []  # rows that are open, as the store numbers them
        self.next = 1

    def entry(self, least=0, most=6):
        """An entry that opens and closes some rows."""
        with writing.writing(self.workspace.store, self.workspace.keys, "test", hand.hand_of("tester")) as draft:
            count = self.random.randint(least, most)
            values = (None, "", "é", "s:/1", "s:/2; s:/3")
            rows = [(f"a{self.next + at}", self.random.choice(values), None, "id pr") for at in range(count)]
            draft.open_rows(AREAS, rows, self.random.choice((None, "one", "two")))
            ended = self.random.sample(self.open, min(len(self.open), self.random.randint(0, 2)))
            draft.close_rows(AREAS, ended)
        self.open = [row for row in self.open if row not in ended] + list(range(self.next, self.next + count))
        self.next += count

    def assert_as_in_the_store(self):
        """What a new reader finds through the kept files is what the table holds."""
        with self.workspace.store.reading() as reader:
            found = Histories(reader, self.workspace.store.computed).of(AREAS)
            parts = [part for block in reader.blocks(AREAS) for part in block.lists(50)]
            row, since, until, _, *columns = (
                [value for part in parts for value in part[at]] for at in range(5 + len(AREAS.names))
            )
            self.assertEqual(found.rows.tolist(), row)
            self.assertEqual(found.since.tolist(), since)
            is_open = [it == FOREVER for it in until]
            self.assertEqual((found.until == STANDS).tolist(), is_open)
            self.assertEqual(
                [it for it, forever in zip(found.until.tolist(), is_open, strict=True) if not forever],
                [it for it in until if it != FOREVER],
            )
            some = np.array(self.random.sample(range(len(row)), min(len(row), 5)), dtype=np.int64)
            self.assertEqual(found.numbers(some).tolist(), [row[at] for at in some.tolist()])
            self.assertEqual(found.at_rows(found.numbers(some)).tolist(), some.tolist())
            self.assertEqual(found.opened_by(some).tolist(), [since[at] for at in some.tolist()])
            self.assertEqual(found.closed_by(some).tolist(), found.until[some].tolist())
            for name, expected in zip(NAMES, columns, strict=True):
                wanted = self.random.sample(sorted({*expected, "nowhere"}, key=str), 2)
                held = [at for at, it in enumerate(expected) if it in wanted]
                self.assertEqual(found.holding({name: wanted}).tolist(), held, (name, wanted))
                self.assertEqual(found.listed(name, some), [expected[at] for at in some.tolist()], name)
                self.assertEqual(found.column(name).listed(), expected, name)
            sources, resources = columns[0], columns[NAMES.index("resources")]
            pairs = [at for at in range(len(row)) if (sources[at], resources[at]) in (("one", "é"), ("one", None))]
            self.assertEqual(found.holding({SOURCE: ["one"], "resources": ["é", None]}).tolist(), pairs)
            for point in (0, 1, reader.newest().entry):
                state = found.in_state(point)
                positions = range(len(row)) if state is None else state.tolist()
                expected = [
                    it for it, (first, end) in enumerate(zip(since, until, strict=True)) if first <= point < end
                ]
                self.assertEqual(list(positions), expected, point)
                self.assertEqual(found.among(np.arange(len(row)), point).tolist(), expected, point)

    @stores.BELOW_THRESHOLDS
    def test_after_each_of_many_entries(self):
        self.entry(100, 100)
        self.assert_as_in_the_store()
        kept = self.workspace.store.computed.file("columns-areas")
        first = kept.stat().st_mtime_ns
        for _ in range(8):
            self.entry()
            self.assert_as_in_the_store()
        self.assertEqual(kept.stat().st_mtime_ns, first, "small changes are put behind, the file is not made anew")

    def test_made_anew_where_it_lies_far_behind(self):
        self.entry(0, 40)
        self.assert_as_in_the_store()
        kept = self.workspace.store.computed.file("columns-areas")
        first = kept.stat().st_mtime_ns
        with self.limits(read=1, entries=4, behind=3, percent=0):
            for _ in range(6):
                self.entry(0, 40)
                self.assert_as_in_the_store()
        self.assertGreater(kept.stat().st_mtime_ns, first)

    def test_what_comes_later_is_kept_in_a_file_behind(self):
        self.entry(40, 40)
        self.assert_as_in_the_store()
        whole, behind = (self.workspace.store.computed.file(f"{it}-areas") for it in ("columns", "behind"))
        first = whole.stat().st_mtime_ns
        made = set()
        with self.limits(read=3, entries=4):
            for step in range(25):
                self.entry()
                if step % 3:
                    self.workspace = Workspace(self.workspace.folder)  # as another command finds it
                self.assert_as_in_the_store()
                made |= {behind.stat().st_mtime_ns} if behind.exists() else set()
        self.assertGreater(len(made), 3)
        self.assertEqual(whole.stat().st_mtime_ns, first, "the file of most rows stays as it is")

    def test_as_many_rows_of_another_who_wrote_meanwhile_are_not_taken_for_ones_own(self):
        with self.limits(read=0, entries=100):
            with mock.patch.object(Histories, "take_in", autospec=True) as taken:
                self.entry(3, 3)
                with self.workspace.store.reading() as reader:  # somebody looks, and has the file made
                    Histories(reader, self.workspace.store.computed).of(AREAS)
                self.entry(3, 3)
            ((_, opened),) = [it.args for it in taken.call_args_list[:1]]
            self.workspace.store.computed.shared.clear()
            with self.workspace.store.reading() as reader:
                Histories(reader, self.workspace.store.computed).take_in(opened)
        self.workspace = Workspace(self.workspace.folder)
        self.assert_as_in_the_store()

    @staticmethod
    def limits(read, entries, behind=1000, percent=10):
        """Other limits from which on files are made anew."""
        values = {"FEW_BEHIND": read, "ENTRIES_BEHIND": entries, "ROWS_BEHIND": behind, "PERCENT_BEHIND": percent}
        return mock.patch.multiple(thresholds, **values)

    @stores.ONLY_IN_A_FILE
    def test_files_of_another_history_are_not_used(self):
        self.entry()
        self.assert_as_in_the_store()
        aside = [(file, file.read_bytes()) for file in self.workspace.store.files if file.exists()]
        rows = list(self.open), self.next
        self.entry()
        self.entry()
        with self.limits(read=0, entries=1, behind=0, percent=0):
            self.assert_as_in_the_store()
        for file in self.workspace.store.files:
            file.unlink(missing_ok=True)
        for file, content in aside:
            file.write_bytes(content)  # the store is put back from a copy, and goes another way
        heads = self.workspace.folder / "ledger.heads"
        heads.write_text("".join(heads.read_text().splitlines(keepends=True)[:1]))
        self.open, self.next = rows
        self.entry()
        self.entry()
        self.assert_as_in_the_store()

    def test_between_two_states(self):
        for _ in range(4):
            self.entry()
        with self.workspace.store.reading() as reader:
            found = Histories(reader, self.workspace.store.computed).of(AREAS)
            states = [
                set(range(len(found.rows))) if (it := found.in_state(at)) is None else set(it.tolist())
                for at in range(5)
            ]
            for first in range(5):
                for second in range(5):
                    gone, come = (set(it.tolist()) for it in found.between(first, second))
                    self.assertEqual((gone, come), (states[first] - states[second], states[second] - states[first]))


if __name__ == "__main__":
    unittest.main()
