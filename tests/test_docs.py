"""Every command that the documentation shows is run and prints what is shown; what is linked is there."""

import re
import shutil
import tempfile
import unittest
from pathlib import Path

from tools import docs


class Documentation(unittest.TestCase):
    maxDiff = None

    def test_what_is_shown_is_what_comes_out(self):
        with tempfile.TemporaryDirectory() as scratch:
            ready = docs.demo(Path(scratch))
            for file in docs.files():
                text = file.read_text(encoding="utf-8")
                if docs.BLOCK.search(text):
                    workspace = Path(scratch) / file.stem / "tarnholm"
                    shutil.copytree(ready, workspace)
                    self.assertEqual(text, docs.refreshed(text, workspace), "refresh it with tools/docs.py")

    def test_links_lead_somewhere(self):
        for file in docs.files():
            for link in re.findall(r"\]\(([^)#:]+)(?:#[^)]*)?\)", file.read_text(encoding="utf-8")):
                self.assertTrue((file.parent / link).exists(), f"{file.name}: {link}")

    def test_no_picture_lies_there_unlinked(self):
        readme = (docs.ROOT / "README.md").read_text(encoding="utf-8")
        pictures = sorted((docs.ROOT / "docs" / "screenshots").glob("*.png"))
        self.assertTrue(0 < len(pictures) < 20)
        for picture in pictures:
            self.assertIn(f"docs/screenshots/{picture.name}", readme)


if __name__ == "__main__":
    unittest.main()
