"""Collects every line that the tool can print, for somebody to read: `python tools/sentences.py [FOLDER]`.

A line is a text in the code that holds a blank; docstrings are left out, and what is filled in stands as {...}.
"""

import ast
import sys
from pathlib import Path


def sentences(file: Path) -> list[tuple[int, str]]:
    """The texts of one module, each with its line."""
    tree = ast.parse(file.read_text(encoding="utf-8"))
    inside = {id(part) for node in ast.walk(tree) if isinstance(node, ast.JoinedStr) for part in ast.walk(node)}
    docstrings = {
        id(node.body[0].value)
        for node in ast.walk(tree)
        if isinstance(node, ast.Module | ast.ClassDef | ast.FunctionDef)
        and node.body
        and isinstance(node.body[0], ast.Expr)
    }
    found = []
    for node in ast.walk(tree):
        if isinstance(node, ast.JoinedStr):
            text = "".join(it.value if isinstance(it, ast.Constant) else "{...}" for it in node.values)
        elif isinstance(node, ast.Constant) and isinstance(node.value, str) and id(node) not in inside | docstrings:
            text = node.value
        else:
            continue
        if " " in text.strip():
            found.append((node.lineno, text))
    return sorted(found)


def main() -> None:
    """Prints them module by module."""
    root = Path(__file__).parent.parent / "src" / "kathodos"
    for file in sorted((root / (sys.argv[1] if len(sys.argv) > 1 else "")).rglob("*.py")):
        for line, text in sentences(file):
            print(f"{file.relative_to(root)}:{line}: {text!r}")


if __name__ == "__main__":
    main()
