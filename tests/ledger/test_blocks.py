"""The digest over an entry's rows is found anew in the same blocks, and whatever was changed shows where."""

import random
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from kathodos import thresholds
from kathodos.ledger import entries, hand, verify, verify_rows, writing
from kathodos.model.kinds import AREAS
from kathodos.store.computed import Point
from kathodos.store.versions import Versions
from kathodos.workspace.workspace import Workspace
from tests import stores
from tests.support import OFFICE, at_once, inside, lay_out

BLOCK = 7


@unittest.skipIf(thresholds.SET == thresholds.PROCESSES, "alters what is signed together, in this process alone")
class Blocks(unittest.TestCase):
    def setUp(self):
        scratch = tempfile.TemporaryDirectory()
        self.addCleanup(scratch.cleanup)
        self.workspace = Workspace.create(Path(scratch.name) / "office", stores.new_url())
        for module in (entries, verify_rows):
            patched = mock.patch.object(module, "BLOCK", BLOCK)
            patched.start()
            self.addCleanup(patched.stop)

    def bring(self, *sizes, end=()):
        """One entry that opens so many rows in each of several goes, from changing sources, and closes some."""
        with writing.writing(self.workspace.store, self.workspace.keys, "test", hand.hand_of("tester")) as draft:
            for go, size in enumerate(sizes):
                rows = [(f"{draft.number}-{go}-{at}", f"s:/{at % 3}", None, None) for at in range(size)]
                draft.open_rows(AREAS, rows, ("one", None, "two")[go % 3])
            draft.close_rows(AREAS, end)

    def found(self):
        return verify.verify(self.workspace.store, self.workspace.keys)

    def test_whatever_the_sizes_what_was_written_is_found_as_signed(self):
        seeded = random.Random(3)
        total, still_open = 0, set()
        for _ in range(12):
            sizes = [
                seeded.choice((1, BLOCK - 1, BLOCK, BLOCK + 1, 3 * BLOCK, 20)) for _ in range(seeded.randint(1, 3))
            ]
            ended = seeded.sample(sorted(still_open), 2) if total > 40 else ()
            self.bring(*sizes, end=ended)
            still_open = (still_open - {*ended}) | {*range(total + 1, total + sum(sizes) + 1)}
            total += sum(sizes)
            done = self.found()
            self.assertEqual((done.discrepancies, done.rows), ([], total))

    def test_each_edit_of_a_row_is_found_where_it_is(self):
        self.bring(3 * BLOCK + 2)
        self.bring(BLOCK)
        for row in (1, BLOCK, BLOCK + 1, 2 * BLOCK, 3 * BLOCK + 2, 3 * BLOCK + 3):
            with self.subTest(row=row):
                self.change(f"UPDATE areas SET resources = 's:/other' WHERE row = {row}")
                (found,) = self.found().discrepancies
                self.assertIn(f"areas row {row} (", found.where)
                self.change(f"UPDATE areas SET resources = 's:/{self.at(row) % 3}' WHERE row = {row}")
                self.assertEqual(self.found().discrepancies, [])

    def test_two_rows_that_change_places_with_their_marks_are_found(self):
        self.bring(2 * BLOCK)
        self.change("UPDATE areas SET row = -1 WHERE row = 2", "UPDATE areas SET row = 2 WHERE row = 3")
        self.change("UPDATE areas SET row = 3 WHERE row = -1")
        self.assertEqual(
            {it.where.partition(" (")[0] for it in self.found().discrepancies}, {"areas row 2", "areas row 3"}
        )

    def test_a_source_edited_alone_is_found_in_the_entrys_digest(self):
        self.bring(BLOCK + 1)
        self.change("UPDATE areas SET source = 'other' WHERE row = 8")
        (found,) = self.found().discrepancies
        self.assertEqual(found.where, "areas rows 1-8")

    def test_rows_taken_away_and_rows_smuggled_in(self):
        self.bring(2 * BLOCK)
        self.change("DELETE FROM areas WHERE row IN (1, 7, 14)")
        columns = 'since, until, checksum, source, area, resources, "except", filter'
        self.change(f"INSERT INTO areas SELECT 99, {columns} FROM areas WHERE row = 2")
        found = {it.where.partition(" (")[0]: it.what for it in self.found().discrepancies}
        self.assertEqual(set(found), {"areas row 1", "areas row 7", "areas row 14", "areas row 99"})
        self.assertIn("was removed; entry 1 brought it", found["areas row 7"])
        self.assertIn("was added", found["areas row 99"])

    def at(self, row):
        return (row - 1) % (3 * BLOCK + 2)

    def change(self, *statements):
        stores.altered(self.workspace.folder, *statements)

    @stores.ONLY_IN_A_FILE
    def test_other_types_in_the_place_of_texts_and_numbers_are_found(self):
        self.bring(3)
        for column, value in (
            ("resources", "CAST('s:/0' AS BLOB)"),
            ("since", "1.5"),
            ("until", "'x'"),
            ("checksum", "x'00'"),
        ):
            with self.subTest(column=column):
                before = self.told(f'SELECT quote("{column}") FROM areas WHERE row = 1')
                self.change(f'UPDATE areas SET "{column}" = {value} WHERE row = 1')
                self.assertEqual([it.where.partition(" (")[0] for it in self.found().discrepancies], ["areas row 1"])
                self.change(f'UPDATE areas SET "{column}" = {before} WHERE row = 1')

    def told(self, query):
        ((value,),) = stores.told(self.workspace.folder, query)
        return value


class Apart(unittest.TestCase):
    def test_processes_find_what_one_finds(self):
        """Also where this process has opened what is computed beside the store, as the command has."""
        with tempfile.TemporaryDirectory() as scratch:
            office = lay_out(Path(scratch) / "office", OFFICE)
            for words in (("gather",), ("list", "identities"), ("reach", "--by", "ann")):
                inside(*words, cwd=office)
            self.assertEqual(self.apart(office), inside("ledger", "verify", cwd=office).stdout)
            edits = ("UPDATE grants SET reason = 'x' WHERE row = 2", "DELETE FROM systems WHERE row = 1")
            stores.altered(office, *edits)
            apart = self.apart(office)
            self.assertEqual(apart, inside("ledger", "verify", cwd=office, status=1).stdout)
            self.assertIn("grants row 2", apart)
            self.assertIn("systems row 1", apart)

    def apart(self, office):
        """What is printed where the work is shared out."""
        (done,) = at_once(("ledger", "verify"), cwd=office, KATHODOS_THRESHOLDS=thresholds.PROCESSES)
        self.assertEqual(done.stderr, "")
        return done.stdout

    def test_where_the_store_has_gone_on_meanwhile_nothing_is_said_apart(self):
        with tempfile.TemporaryDirectory() as scratch:
            workspace = Workspace.create(Path(scratch) / "office", stores.new_url())
            self.assertIsNone(verify._checked_apart(workspace.store, Point(99, "00"), "areas", {}, Versions()))


if __name__ == "__main__":
    unittest.main()
