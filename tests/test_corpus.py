"""What once ended a reader otherwise than with an answer or an error of ours is read again; and a little more of it."""

import contextlib
import importlib
import random
import sqlite3
import sys
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from kathodos.errors import KathodosError
from tests import stores

FUZZ = Path(__file__).parent.parent / "fuzz"
_FROM_ELSEWHERE = ("configuration", "changes")  # good inputs that name what is not here


class Readers(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        sys.path.insert(0, str(FUZZ))
        cls.addClassCleanup(sys.path.remove, str(FUZZ))
        cls.fuzz = importlib.import_module("readers")

    def test_good_inputs_are_read(self):
        for name, (read, _, _) in self.fuzz.READERS.items():
            for seed in self.fuzz.seeds_of(name):
                with self.subTest(reader=name), contextlib.ExitStack() as stack:
                    if name in _FROM_ELSEWHERE:
                        stack.enter_context(contextlib.suppress(KathodosError))
                    read(seed)

    def test_what_was_found_is_read_again(self):
        found = sorted((FUZZ / "corpus").glob("*/*"))
        self.assertGreater(len(found), 2)
        for file in found:
            with self.subTest(file=file.name):
                self.assertEqual(self.fuzz.fault_of(file.parent.name, file.read_bytes()), "")

    def test_a_few_inputs_made_of_others_end_as_they_should(self):
        for name, (_, tokens, _) in self.fuzz.READERS.items():
            rng = random.Random(name)
            for number in range(5):
                content = self.fuzz.changed(rng, rng.choice(self.fuzz.seeds_of(name)), tokens)
                with self.subTest(reader=name, number=number):
                    self.assertEqual(self.fuzz.fault_of(name, content), "", content)


@stores.ONLY_IN_A_FILE
class Stores(unittest.TestCase):
    def test_a_few_mutations_of_a_store_and_those_that_once_went_wrong(self):
        sys.path.insert(0, str(FUZZ))
        self.addCleanup(sys.path.remove, str(FUZZ))
        fuzz = importlib.import_module("store")
        kept = [int(line) for line in fuzz.CORPUS.read_text().split()] if fuzz.CORPUS.exists() else []
        words = {"KATHODOS_NOW": fuzz.NOW, "COLUMNS": "120"}
        with tempfile.TemporaryDirectory() as scratch, mock.patch.dict("os.environ", words):
            office = fuzz.laid_out(Path(scratch))
            file = office / "catalogue.db"
            with contextlib.closing(sqlite3.connect(file)) as connection:
                connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
            whole, before, heads = file.read_bytes(), fuzz.kept_in(file), (office / "ledger.heads").read_bytes()
            for seed in (*kept, *range(8)):
                (office / "ledger.heads").write_bytes(heads)
                with self.subTest(seed=seed):
                    self.assertEqual(fuzz.tried(seed, office, whole, before), "")


if __name__ == "__main__":
    unittest.main()
