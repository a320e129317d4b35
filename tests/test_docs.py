"""Every command that the documentation shows is run and prints what is shown; what is linked is there."""

import contextlib
import doctest
import io
import os
import re
import shutil
import tempfile
import tomllib
import unittest
from importlib.resources import files
from pathlib import Path
from unittest import mock

import msgspec
from msgspec.structs import asdict

from kathodos.findings.excess.kinds import NAMES
from kathodos.findings.excess.thresholds import Thresholds
from kathodos.findings.risk.weights import Weights
from kathodos.roles.mining.weights import MiningWeights
from kathodos.workspace.configuration import RequestsSection
from kathodos.workspace.requests import KitFile
from tests import demos
from tools import docs

PARTS = 4


class Shown:
    """Pages of which every command is run; in parts, which tests run side by side."""

    maxDiff = None
    part = 0

    def test_what_is_shown_is_what_comes_out(self):
        pages = [(file, file.read_text(encoding="utf-8")) for file in docs.files()]
        pages = sorted((it for it in pages if docs.BLOCK.search(it[1])), key=lambda it: -len(docs.BLOCK.findall(it[1])))
        with tempfile.TemporaryDirectory() as scratch:
            ready = demos.copied(scratch)
            for file, text in pages[self.part :: PARTS]:
                workspace = Path(scratch) / file.stem / "tarnholm"
                shutil.copytree(ready, workspace)
                self.assertEqual(text, docs.refreshed(text, workspace), "refresh it with tools/docs.py")


class ShownFirst(Shown, unittest.TestCase):
    pass


class ShownSecond(Shown, unittest.TestCase):
    part = 1


class ShownThird(Shown, unittest.TestCase):
    part = 2


class ShownLast(Shown, unittest.TestCase):
    part = PARTS - 1


class Documentation(unittest.TestCase):
    def test_the_notebook_is_a_session(self):
        page = docs.ROOT / "docs" / "notebook.md"
        asked = doctest.DocTestParser().get_doctest(page.read_text(encoding="utf-8"), {}, page.name, str(page), 0)
        self.assertGreater(len(asked.examples), 10)
        with tempfile.TemporaryDirectory() as scratch:
            workspace = demos.copied(scratch)
            with contextlib.chdir(workspace), mock.patch.dict(os.environ, KATHODOS_NOW=docs.NOW):
                flags = doctest.NORMALIZE_WHITESPACE | doctest.IGNORE_EXCEPTION_DETAIL
                said = io.StringIO()
                result = doctest.DocTestRunner(optionflags=flags, verbose=False).run(asked, out=said.write)
        self.assertEqual(result.failed, 0, said.getvalue())

    def test_links_lead_somewhere(self):
        for file in docs.files():
            for link in re.findall(r"\]\(([^)#:]+)(?:#[^)]*)?\)", file.read_text(encoding="utf-8")):
                self.assertTrue((file.parent / link).exists(), f"{file.name}: {link}")

    def test_what_the_pages_say_of_kinds_rules_and_numbers_is_so(self):
        findings = (docs.ROOT / "docs" / "findings.md").read_text(encoding="utf-8")
        rows = re.findall(r"^\| ([a-z, -]+) \|", findings, re.MULTILINE)
        kinds = [name for row in rows for name in row.split(", ")]
        self.assertEqual(sorted({*kinds} - {"kind"}), sorted(NAMES))
        readme = (docs.ROOT / "README.md").read_text(encoding="utf-8")
        self.assertIn(f"{len(NAMES)} kinds of excess", readme)
        library = [it for it in (files("kathodos") / "rules" / "library").iterdir() if it.name.endswith(".toml")]
        read = [tomllib.loads(it.read_text(encoding="utf-8")) for it in library if it.name != "duties.toml"]
        count = sum(len(it["conflict"]) for it in read)
        self.assertIn(f"a library of {count} rules in {('nine', 'ten')[len(read) - 9]} topics", findings)
        formats = (docs.ROOT / "docs" / "file-formats.md").read_text(encoding="utf-8")
        blocks = re.findall(r"```toml\n(.*?)```", formats, re.DOTALL)
        said = tomllib.loads(next(it for it in blocks if "[findings]" in it))
        usual = {name: list(it) if isinstance(it, tuple) else it for name, it in asdict(Thresholds()).items()}
        self.assertEqual(said["findings"], usual)
        self.assertEqual(said["risk"], asdict(Weights()))
        weights = [tomllib.loads(it)["suggest"] for it in blocks if "[suggest]" in it]
        self.assertEqual(weights, [asdict(MiningWeights())])
        requests = (docs.ROOT / "docs" / "requests.md").read_text(encoding="utf-8")
        kit, settings = (tomllib.loads(it) for it in re.findall(r"```toml\n(.*?)```", requests, re.DOTALL))
        self.assertEqual(msgspec.convert(settings["requests"], RequestsSection), RequestsSection())
        msgspec.convert(kit, KitFile)
        self.assertEqual(set(kit), set(msgspec.to_builtins(KitFile(gives=[], approve=[]))))
        risk = (docs.ROOT / "docs" / "risk.md").read_text(encoding="utf-8")
        self.assertEqual(
            tomllib.loads(re.search(r"```toml\n(.*?)```", risk, re.DOTALL)[1])["risk"],
            asdict(Weights()),
        )

    def test_no_picture_lies_there_unlinked(self):
        readme = (docs.ROOT / "README.md").read_text(encoding="utf-8")
        pictures = sorted((docs.ROOT / "docs" / "screenshots").glob("*.png"))
        self.assertTrue(0 < len(pictures) < 20)
        for picture in pictures:
            self.assertIn(f"docs/screenshots/{picture.name}", readme)


if __name__ == "__main__":
    unittest.main()
