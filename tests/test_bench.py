"""The benches still fit the product: each can be begun, and what one fills a store with can be asked."""

import importlib
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


if __name__ == "__main__":
    unittest.main()
