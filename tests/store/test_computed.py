"""Computed files: what was written comes back, and whatever else lies there is taken for nothing or told as damaged."""

import os
import tempfile
import threading
import time
import unittest
from pathlib import Path
from unittest import mock

import numpy as np

from kathodos import thresholds
from kathodos.store import computed
from kathodos.store.computed import KEY, ComputedFolder, DamagedError, Point

POINT = Point(7, "ab")
ARRAYS = {
    "numbers": np.arange(100_000, dtype=np.int32),
    "square": np.arange(12, dtype=np.int64).reshape(3, 4),
    "nothing": np.zeros(0, dtype=np.uint8),
    "true": np.array([True, False]),
}


class ComputedFiles(unittest.TestCase):
    def setUp(self):
        scratch = tempfile.TemporaryDirectory()
        self.addCleanup(scratch.cleanup)
        self.here = Path(scratch.name)
        self.folder = self.opened()

    def opened(self):
        """The folder as another process opens it."""
        return ComputedFolder(self.here / "computed", self.here / KEY)

    def saved(self, name="one", arrays=ARRAYS, **rest):
        self.assertTrue(self.folder.save(name, POINT, arrays, rest))
        return self.folder.file(name)

    def assert_whole(self, found, arrays=ARRAYS):
        self.assertEqual(set(found), set(arrays))
        for name, array in arrays.items():
            np.testing.assert_array_equal(found[name], array)
            self.assertEqual(found[name].dtype, array.dtype)

    def test_what_was_written_comes_back_to_whoever_has_the_key(self):
        self.saved(said=["more", 1])
        found = self.opened().open("one")
        self.assertEqual((found.point, found.rest), (POINT, {"said": ["more", 1]}))
        self.assert_whole(found)
        self.assertIsNone(self.opened().open("another"))

    def test_the_key_is_for_its_owner_alone(self):
        self.saved()
        self.assertEqual((self.here / KEY).stat().st_mode & 0o777, 0o600)
        self.assertEqual((self.here / "computed").stat().st_mode & 0o777, 0o700)

    def test_arrays_cannot_be_written_into(self):
        self.saved()
        with self.assertRaises((TypeError, ValueError)):
            self.opened().open("one")["numbers"][0] = 1

    def test_another_key_or_none_finds_nothing(self):
        self.saved()
        (self.here / KEY).write_bytes(bytes(32))
        with self.assertRaises(DamagedError):
            self.opened().open("one")
        (self.here / KEY).write_bytes(b"short")
        self.assertIsNone(self.opened().open("one"))
        (self.here / KEY).unlink()
        self.assertIsNone(self.opened().open("one"))

    def test_every_changed_byte_is_noticed(self):
        self.changed_bytes_are_noticed()

    def test_every_changed_byte_of_a_large_file_is_noticed(self):
        with mock.patch.object(thresholds, "CHECKED_WHOLE", 0):
            self.changed_bytes_are_noticed()
            with mock.patch.object(thresholds, "PART", 64):
                self.changed_bytes_are_noticed()

    def changed_bytes_are_noticed(self):
        """Each by whoever reads it, and by whoever reads all."""
        file = self.saved(arrays={"numbers": np.arange(40, dtype=np.int64)}, said="x")
        whole = file.read_bytes()
        for at in range(0, len(whole), 7):
            file.write_bytes(whole[:at] + bytes([whole[at] ^ 1]) + whole[at + 1 :])
            if at < len(computed._MAGIC):  # what says of which form it is
                self.assertIsNone(self.opened().open("one"))
                continue
            try:
                found = self.opened().open("one")
            except DamagedError:
                continue
            padding = len(computed._MAGIC) <= at < 64
            if padding:
                self.assert_whole(found, {"numbers": np.arange(40)})
            else:
                with self.assertRaises(DamagedError, msg=at):
                    found["numbers"].sum()
                with self.assertRaises(DamagedError, msg=at):
                    self.opened().open("one")["numbers"][np.array([(at - 64) // 8])]

    @mock.patch.object(thresholds, "CHECKED_WHOLE", 0)
    def test_what_is_not_asked_for_is_not_read(self):
        file = self.saved(arrays={"first": np.arange(8), "second": np.arange(8)})
        whole = file.read_bytes()
        at = whole.index(np.arange(8).tobytes())
        file.write_bytes(whole[:at] + bytes([whole[at] ^ 1]) + whole[at + 1 :])
        found = self.opened().open("one")
        self.assertIn("first", found)
        self.assertNotIn("third", found)
        self.assertEqual(found["second"].tolist(), list(range(8)))
        with self.assertRaises(DamagedError):
            found["first"]

    def test_a_file_cut_short_finds_nothing(self):
        file = self.saved()
        whole = file.read_bytes()
        for size in (0, 1, 19, 20, 60, len(whole) // 2, len(whole) - 1):
            file.write_bytes(whole[:size])
            if size:
                with self.assertRaises(DamagedError, msg=size):
                    self.opened().open("one")
            else:
                self.assertIsNone(self.opened().open("one"))

    def test_what_was_altered_is_told_of_all_and_kept_under_another_name(self):
        self.saved("whole")
        for name in ("one", "two"):
            file = self.saved(name)
            whole = file.read_bytes()
            file.write_bytes(whole[:-1] + bytes([whole[-1] ^ 1]))
        self.assertEqual(self.folder.looked_over(), {"one": None, "two": None, "whole": POINT})
        kept = self.folder.file("one").read_bytes()
        self.assertEqual(self.folder.put_aside("one").name, "altered-1-one")
        self.saved("one")
        self.assertEqual(self.folder.file("altered-1-one").read_bytes(), kept)
        self.assertEqual(self.folder.looked_over(), {"one": POINT, "two": None, "whole": POINT})

    def test_an_array_of_another_file_is_not_taken(self):
        """A tag holds for one file and one name: the bytes of another do not pass, though they were written by us."""
        first = self.saved("one", {"numbers": np.arange(8)})
        second = self.saved("two", {"numbers": np.arange(8) + 1})
        bytes_of = [file.read_bytes() for file in (first, second)]
        start = bytes_of[0].index(np.arange(8).tobytes())
        mixed = bytes_of[0][:start] + bytes_of[1][start : start + 64] + bytes_of[0][start + 64 :]
        first.write_bytes(mixed)
        with self.assertRaises(DamagedError):
            self.opened().open("one")["numbers"]

    @mock.patch.object(thresholds, "CHECKED_WHOLE", 0)
    def test_an_array_of_another_large_file_is_not_taken(self):
        self.test_an_array_of_another_file_is_not_taken()

    def test_what_is_open_stays_while_it_is_written_again(self):
        self.saved()
        found = self.folder.open("one")
        self.saved(arrays={"numbers": np.zeros(3)})
        self.assert_whole(found)
        self.folder.put_aside("one")
        self.assert_whole(found)
        self.assertIsNone(self.folder.open("one"))

    def test_two_that_write_at_once_leave_one_whole_file(self):
        together = threading.Barrier(4)

        def write(number):
            together.wait()
            for _ in range(20):
                self.opened().save("one", Point(number, ""), {"numbers": np.full(5000, number)}, {})

        writers = [threading.Thread(target=write, args=(number,)) for number in range(4)]
        for writer in writers:
            writer.start()
        for writer in writers:
            writer.join()
        found = self.opened().open("one")
        np.testing.assert_array_equal(found["numbers"], np.full(5000, found.point.entry))
        self.assertEqual([file.name for file in (self.here / "computed").iterdir()], ["one"])

    def test_a_file_that_somebody_is_writing_is_left_to_them_until_it_is_old(self):
        self.saved()
        aside = self.folder.file("one.new")
        aside.write_bytes(b"half")
        self.assertFalse(self.folder.save("one", POINT, ARRAYS, {}))
        os.utime(aside, (time.time() - 3600,) * 2)
        self.assertTrue(self.folder.save("one", POINT, ARRAYS, {}))
        self.assertFalse(aside.exists())

    def test_only_the_newest_of_a_prefix_are_kept(self):
        for number in range(5):
            os.utime(self.saved(f"result-{number}"), (number, number))
        self.saved("index")
        self.folder.keep("result-", 2)
        self.assertEqual({it.name for it in (self.here / "computed").iterdir()}, {"result-3", "result-4", "index"})


if __name__ == "__main__":
    unittest.main()
