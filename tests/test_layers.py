"""The house keeps its order: each room imports only from those named before it, and the core no interface code."""

import ast
import unittest
from pathlib import Path

SOURCE = Path(__file__).parent.parent / "src" / "kathodos"
ORDER = [
    "errors",
    "words",
    "catalogue",
    "ledger",
    "access",
    "findings",
    "review",
    "standin",
    "systems",
    "change",
    "saved_index",
    "workspace",
    "output",
    "cli",
    "demo",
]
CORE = ("access", "findings", "review", "change")
INTERFACE = {
    "argparse",
    "rich",
    "matplotlib",
    "rich_argparse",
    "jinja2",
    "sys",
    "os",
    "pathlib",
    "socket",
    "subprocess",
}
HEAVY = {"numpy", "scipy", "pandas", "sqlalchemy", "matplotlib", "cryptography", "rfc8785"}
# The demo tells its story through the command, and the command offers the demo.
ALLOWED = {("cli", "demo")}


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


def room(file):
    return file.relative_to(SOURCE).parts[0].removesuffix(".py")


class Layers(unittest.TestCase):
    def test_a_room_imports_only_from_those_before_it(self):
        for file in SOURCE.rglob("*.py"):
            here = room(file)
            if here in ("__init__", "__main__"):
                continue
            for module, _ in imports(file):
                if module.startswith("kathodos.") and (here, module.split(".")[1]) not in ALLOWED:
                    there = module.split(".")[1]
                    self.assertLessEqual(ORDER.index(there), ORDER.index(here), f"{file} imports {module}")

    def test_the_core_knows_no_interface_and_does_no_input_or_output(self):
        for name in CORE:
            for file in (SOURCE / name).rglob("*.py"):
                for module, _ in imports(file):
                    self.assertNotIn(module.split(".")[0], INTERFACE, file)
                self.assertNotRegex(file.read_text(encoding="utf-8"), r"\b(open|print|input)\(", file)

    def test_the_parser_imports_nothing_heavy(self):
        for file in [*(SOURCE / "cli").glob("*.py"), SOURCE / "__init__.py", SOURCE / "workspace.py"]:
            for module, is_at_once in imports(file):
                if is_at_once:
                    self.assertNotIn(module.split(".")[0], HEAVY, file)


if __name__ == "__main__":
    unittest.main()
