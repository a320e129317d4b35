"""The house keeps its order: each room imports only from those named before it, and the core no interface code."""

import subprocess
import sys
import unittest
from pathlib import Path

SOURCE = Path(__file__).parent.parent / "src" / "kathodos"
CORE = ("model", "columns", "engine", "analysis", "rules", "findings", "change", "review")
CONTRACT = Path(sys.executable).parent / "lint-imports"
HEAVY = {"numpy", "scipy", "pandas", "pyarrow", "sqlalchemy", "matplotlib", "cryptography", "rfc8785"}


class Layers(unittest.TestCase):
    def test_a_room_imports_only_from_those_below_it(self):
        found = subprocess.run([CONTRACT, "--no-cache"], cwd=SOURCE.parent.parent, capture_output=True, text=True)
        self.assertEqual(found.returncode, 0, found.stdout)

    def test_the_core_does_no_input_or_output(self):
        for name in CORE:
            for file in (SOURCE / name).rglob("*.py"):
                self.assertNotRegex(file.read_text(encoding="utf-8"), r"(?<![.\w])(open|print|input)\(", file)

    def test_the_parser_and_the_library_import_nothing_heavy(self):
        for code in ("from kathodos.cli.main import build_parser; build_parser()", "import kathodos"):
            asked = f"import sys; {code}; print(*sorted({HEAVY!r} & sys.modules.keys()))"
            found = subprocess.run([sys.executable, "-c", asked], capture_output=True, text=True, check=True)
            self.assertEqual(found.stdout.strip(), "", code)


if __name__ == "__main__":
    unittest.main()
