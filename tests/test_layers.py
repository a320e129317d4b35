"""The house keeps its order: each room imports only from those named before it, and the core no interface code."""

import ast
import subprocess
import sys
import unittest
from pathlib import Path

SOURCE = Path(__file__).parent.parent / "src" / "kathodos"
CORE = ("model", "columns", "engine", "analysis", "rules", "findings", "change", "review")
CONTRACT = Path(sys.executable).parent / "lint-imports"
HEAVY = {"numpy", "scipy", "pandas", "sqlalchemy", "matplotlib", "cryptography", "rfc8785"}


def imports(file):
    """(module, whether it is imported when the file is) for every import in a file."""
    tree = ast.parse(file.read_text(encoding="utf-8"))
    top = set()
    for node in tree.body:
        is_typing = isinstance(node, ast.If) and "TYPE_CHECKING" in ast.dump(node.test)
        if not is_typing:
            top |= {id(inner) for inner in [node] if isinstance(inner, ast.Import | ast.ImportFrom)}
    for node in ast.walk(tree):
        if isinstance(node, ast.Import):
            yield from ((name.name, id(node) in top) for name in node.names)
        elif isinstance(node, ast.ImportFrom) and node.module:
            yield node.module, id(node) in top


class Layers(unittest.TestCase):
    def test_a_room_imports_only_from_those_below_it(self):
        found = subprocess.run([CONTRACT, "--no-cache"], cwd=SOURCE.parent.parent, capture_output=True, text=True)
        self.assertEqual(found.returncode, 0, found.stdout)

    def test_the_core_does_no_input_or_output(self):
        for name in CORE:
            for file in (SOURCE / name).rglob("*.py"):
                self.assertNotRegex(file.read_text(encoding="utf-8"), r"(?<![.\w])(open|print|input)\(", file)

    def test_the_parser_imports_nothing_heavy(self):
        for file in [*(SOURCE / "cli").glob("*.py"), SOURCE / "__init__.py", SOURCE / "workspace" / "workspace.py"]:
            for module, is_at_once in imports(file):
                if is_at_once:
                    self.assertNotIn(module.split(".")[0], HEAVY, file)


if __name__ == "__main__":
    unittest.main()
