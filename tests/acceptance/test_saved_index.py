"""The index saved beside the store: it saves time and never changes an answer."""

import json
import os
import subprocess
import unittest

from kathodos.engine.compiled.layout import arrays_of, index_from
from tests import stores
from tests.engine.test_decide import everything
from tests.support import (
    COMMAND,
    NOW,
    OFFICE,
    OFFICE_RULES,
    Prepared,
    index_of,
    inside,
    lay_out,
    records,
    records_inside,
    run,
)

ASKED = ("reach",)


class TheSavedIndex(Prepared, unittest.TestCase):
    @classmethod
    def prepare(cls, folder):
        here = lay_out(folder / "work", OFFICE, OFFICE_RULES)
        run("gather", cwd=here)
        cls.expected = records(*ASKED, cwd=here)
        return here

    def setUp(self):
        super().setUp()
        self.file = stores.computed(self.here) / "index"
        self.assertGreater(len(self.expected), 5)
        self.assertTrue(self.file.exists())

    def assert_same_answer(self):
        self.assertEqual(records_inside(*ASKED, cwd=self.here), self.expected)

    def test_it_is_used_as_long_as_nothing_changed(self):
        before = self.file.stat().st_mtime_ns, self.file.stat().st_ino
        self.assert_same_answer()
        run("baseline", "mark", "now", cwd=self.here)
        self.assert_same_answer()
        self.assertEqual((self.file.stat().st_mtime_ns, self.file.stat().st_ino), before, "nothing it needs changed")

    def test_damage_of_every_sort_is_found_and_mended(self):
        whole = self.file.read_bytes()
        flipped = bytearray(whole)
        flipped[len(whole) * 2 // 3] ^= 1
        header = whole.replace(b'"entry": 1,', b'"entry": 9,')
        self.assertNotEqual(header, whole)
        for damaged in (b"", b"kathodos", whole[:-1], whole + b"x", bytes(flipped), header):
            self.file.write_bytes(damaged)
            done = inside(*ASKED, "--format", "jsonl", cwd=self.here)
            self.assertEqual([json.loads(line) for line in done.stdout.splitlines()], self.expected)
            self.assertEqual("was altered by somebody or by a fault" in done.stderr, damaged != b"", damaged[:20])
            self.assertEqual(self.file.stat().st_size, len(whole), "made anew")
            self.assert_same_answer()

    def test_a_change_brings_it_up_to_date(self):
        table = self.here / "tables" / "grants.csv"
        table.write_text(table.read_text().replace("g4,", "g5,").replace("identity:bo", "identity:head"))
        run("gather", cwd=self.here)
        patched = records(*ASKED, cwd=self.here)
        self.assertNotEqual(patched, self.expected)
        self.file.unlink()
        anew = records(*ASKED, cwd=self.here)
        self.assertEqual(sorted(map(str, patched)), sorted(map(str, anew)))
        self.assertEqual(
            sorted(map(str, records(*ASKED, "--as-of", "1", cwd=self.here))), sorted(map(str, self.expected))
        )

    def test_verifying_the_ledger_tells_of_a_forged_one_and_keeps_it(self):
        run("ledger", "verify", cwd=self.here)
        forged = bytearray(self.file.read_bytes())
        forged[len(forged) // 2] ^= 4
        self.file.write_bytes(forged)
        said = run("ledger", "verify", cwd=self.here, status=1).stdout
        self.assertIn("the computed file index", said)
        self.assertEqual((self.file.parent / "altered-1-index").read_bytes(), forged)
        self.assert_same_answer()
        run("ledger", "verify", cwd=self.here)

    def test_one_of_another_store_does_not_fit(self):
        other = {**OFFICE, "grants": OFFICE["grants"][:1]}
        there = lay_out(self.folder / "other", other)
        run("gather", cwd=there)
        records(*ASKED, cwd=there)
        self.file.write_bytes((stores.computed(there) / "index").read_bytes())
        self.assert_same_answer()

    def test_several_at_once_all_answer_and_leave_a_whole_one(self):
        self.file.unlink()
        words = [COMMAND, *ASKED, "--format", "jsonl"]
        environment = {**os.environ, "KATHODOS_NOW": NOW}
        running = [
            subprocess.Popen(words, cwd=self.here, env=environment, stdout=subprocess.PIPE, text=True) for _ in range(6)
        ]
        answers = {process.communicate()[0] for process in running}
        self.assertEqual(len(answers), 1)
        self.assertEqual(sorted(path.name for path in self.file.parent.glob("index*")), [self.file.name])
        self.assert_same_answer()

    def test_where_it_cannot_be_written_the_answer_comes_all_the_same(self):
        self.file.unlink()
        left = self.file.with_name(self.file.name + ".new")
        left.write_bytes(b"somebody is writing")
        self.assert_same_answer()
        self.assertFalse(self.file.exists())
        os.utime(left, (0, 0))
        self.assert_same_answer()
        self.assertTrue(self.file.exists() and not left.exists(), "what is left over from long ago is cleared away")

    def test_all_of_it_comes_back(self):
        areas = {
            "areas": [{"area": "x", "resources": "dues:/**"}],
            "mandates": [{"holder": "identity:head", "roles": "dues/*", "for": 'title eq "Clerk"', "area": "x"}],
            "systems": [{"system": "dues", "gates": "book=view"}, {"system": "directory"}],
            "groups": [{**row, "filter": "department pr"} for row in OFFICE["groups"]],
        }
        grants = [
            {**row, "on": scope}
            for row, scope in zip(OFFICE["grants"], ("area:x", "dues:/**", "dues:/", None), strict=True)
        ]
        index = index_of({**OFFICE, **areas, "grants": grants})
        again = index_from(*arrays_of(index))
        self.assertEqual(everything(again, 0), everything(index, 0))
        self.assertEqual(str(again), str(index))


if __name__ == "__main__":
    unittest.main()
