"""Files that are new: all of them or none, and never over what is there."""

import tempfile
import unittest
from pathlib import Path

from kathodos.errors import CallError, DataError
from kathodos.output.files import write_all_new


class AllOrNone(unittest.TestCase):
    def setUp(self):
        scratch = tempfile.TemporaryDirectory()
        self.addCleanup(scratch.cleanup)
        self.here = Path(scratch.name)

    def there(self):
        return sorted(str(it.relative_to(self.here)) for it in self.here.rglob("*") if it.is_file())

    def test_in_a_new_folder_and_beside_what_is_there(self):
        write_all_new(self.here / "lists", {"a.csv": b"a", "dues/b.csv": b"b"})
        write_all_new(self.here / "lists", {"c.csv": b"c"})
        self.assertEqual(self.there(), ["lists/a.csv", "lists/c.csv", "lists/dues/b.csv"])
        self.assertEqual((self.here / "lists" / "dues" / "b.csv").read_bytes(), b"b")

    def test_nothing_is_left_of_what_cannot_be_written_to_its_end(self):
        half = {"a": b"1", "a/b": b"2"}  # a file is no folder
        for folder in (self.here / "lists", self.here):
            with self.subTest(folder), self.assertRaises(DataError):
                write_all_new(folder, half)
            self.assertEqual(list(self.here.iterdir()), [])

    def test_nothing_is_written_over_or_beside_it(self):
        (self.here / "a").write_bytes(b"mine")
        with self.assertRaisesRegex(CallError, "never written over"):
            write_all_new(self.here, {"b": b"2", "a": b"1"})
        self.assertEqual((self.there(), (self.here / "a").read_bytes()), (["a"], b"mine"))

    def test_of_nothing_not_even_a_folder_is_made(self):
        write_all_new(self.here / "lists", {})
        self.assertEqual(list(self.here.iterdir()), [])


if __name__ == "__main__":
    unittest.main()
