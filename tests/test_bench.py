"""The benches still fit the product: each can be begun, and what one fills a store with can be asked."""

import importlib
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from kathodos.workspace.workspace import Workspace

BENCH = Path(__file__).resolve().parent.parent / "bench"


class Benches(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        sys.path.insert(0, str(BENCH))
        cls.addClassCleanup(sys.path.remove, str(BENCH))

    def test_each_can_be_begun(self):
        names = [file.stem for file in sorted(BENCH.glob("*.py"))]
        self.assertGreater(len(names), 9)
        for name in names:
            with self.subTest(name):
                self.assertTrue(importlib.import_module(name).__doc__)

    def test_what_fills_a_store_is_asked_as_any_other(self):
        made_up = importlib.import_module("organisation")
        organisation = made_up.make(4000, alike=False)
        with tempfile.TemporaryDirectory() as scratch:
            workspace = Workspace.create(Path(scratch) / "office")
            made_up.fill_store(organisation, workspace.store.files[0], with_lives=True)
            with workspace.view() as view:
                first = view.index
                self.assertEqual(len(view.frame("identities")), organisation.identities)
            made_up.give_more(organisation, workspace.store.files[0], organisation.grant[:3])
            with workspace.view() as view:
                self.assertEqual(len(view.index.grants), len(first.grants) + 3)


@unittest.skipUnless(os.environ.get("KATHODOS_BENCHES"), "takes minutes: make benches")
class SmallBenches(unittest.TestCase):
    """Each bench runs to its end on what is small: what it measures is still there, and answers as its peers do."""

    def bench(self, name, *words):
        done = subprocess.run([sys.executable, BENCH / f"{name}.py", *words], capture_output=True, text=True)
        self.assertEqual(done.returncode, 0, done.stdout + done.stderr)
        self.assertNotIn("Traceback", done.stdout + done.stderr)
        return done.stdout

    def test_changing(self):
        self.bench("changing", "--size", "600", "--beside", "300")

    def test_commands(self):
        self.assertIn("ledger verify", self.bench("commands", "--size", "400"))

    def test_findings(self):
        self.bench("findings", "--size", "6000", "--conflicts", "40")

    def test_gathering(self):
        self.bench("gathering", "--identities", "400", "--members", "1500", "--users", "100")

    def test_requesting(self):
        self.bench("requesting", "--size", "300")

    def test_reviewing(self):
        self.bench("reviewing", "--size", "400")

    def test_roles(self):
        self.bench(
            "roles", "--size", "600", "--people", "0"
        )  # what the others need is installed for `make bench` alone

    def test_scale(self):
        self.bench("scale", "--sizes", "8000", "--only", "alike")

    def test_soak(self):
        self.bench("soak", "--minutes", "0.1", "--people", "6", "--identities", "40")

    def test_start_up(self):
        self.bench("start_up", "--rounds", "1")

    def test_stores(self):
        self.bench("stores", "--identities", "400", "--members", "1500")

    def test_verifying(self):
        self.assertIn("an edit in each", self.bench("verifying", "--size", "400"))

    def test_none_is_left_out(self):
        shared = {"company", "organisation", "peers", "findings_in_sql"}
        run = {name.removeprefix("test_") for name in dir(self) if name.startswith("test_")}
        self.assertLessEqual({file.stem for file in BENCH.glob("*.py")} - shared, run)


if __name__ == "__main__":
    unittest.main()
