"""The command line: every command explains itself with an example, and knows nothing but its words."""

import ast
import contextlib
import io
import os
import subprocess
import unittest
from pathlib import Path
from unittest import mock

import kathodos.cli
from kathodos.cli.main import COMMANDS, build_parser, commands_asked, main
from kathodos.errors import CallError, DataError, Status
from tests.support import COMMAND, NOW, OFFICE, OFFICE_RULES, Prepared, inside, lay_out, run

FOLDER = Path(kathodos.cli.__file__).parent
COMPUTING = ("numpy", "scipy", "pandas", "pyarrow", "sqlite3", "sqlalchemy", "json", "csv")


def leaves(parser):
    """Every command that can be run, by its words."""
    steps = [it for it in parser._actions if hasattr(it, "choices") and isinstance(it.choices, dict)]
    for step in steps:
        for name, below in step.choices.items():
            found = list(leaves(below))
            yield from ((f"{name} {words}", leaf) for words, leaf in found)
            if not found or below.get_default("run"):
                yield name, below


class Parser(unittest.TestCase):
    def test_every_command_has_a_plain_line_and_an_example_that_names_it(self):
        found = dict(leaves(build_parser()))
        self.assertGreater(len(found), 30)
        for words, parser in found.items():
            self.assertIn(f"kathodos {words}", parser.epilog or "", words)
            self.assertTrue((parser.description or "").endswith("."), words)
            for action in parser._actions:
                self.assertTrue(action.help, f"{words}: {action.dest}")

    def test_examples_are_calls_that_parse(self):
        import shlex

        parser = build_parser()
        for words, leaf in leaves(parser):
            for line in leaf.epilog.splitlines()[1:]:
                call = shlex.split(line.split(" > ")[0], comments=True)
                if call[:1] == ["kathodos"] and "cd" not in call:
                    self.assertTrue(callable(parser.parse_args(call[1:]).run), f"{words}: {line}")

    def test_a_call_is_read_the_same_where_only_its_command_is_set_up(self):
        for words in (
            ["show", "p0063"],
            ["--workspace", "show", "list", "systems"],
            ["--work", "reach", "conflicts", "--by", "p0063"],
            ["--w=list", "show", "list"],
            ["change", "give", "role:dues/clerk", "--to", "p0064"],
        ):
            asked = commands_asked(words)
            self.assertEqual(len(asked), 1, words)
            self.assertEqual(vars(build_parser(asked).parse_args(words)), vars(build_parser().parse_args(words)))
        for words in (
            [],
            ["--help"],
            ["--help", "show"],
            ["--version"],
            ["shw", "list"],
            ["--workspace"],
            ["--workspace", "list"],
        ):
            self.assertEqual(commands_asked(words), COMMANDS, words)

    def test_the_commands_compute_nothing(self):
        for file in FOLDER.glob("*.py"):
            for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
                names = [it.name for it in node.names] if isinstance(node, ast.Import) else []
                names += [node.module or ""] if isinstance(node, ast.ImportFrom) else []
                for name in names:
                    self.assertNotIn(name.split(".")[0], COMPUTING, file.name)


class Statuses(Prepared, unittest.TestCase):
    @classmethod
    def prepare(cls, folder):
        at = lay_out(folder / "office", OFFICE, OFFICE_RULES)
        inside("gather", cwd=at)
        return at

    def test_done_found_wrong_call_and_wrong_data_are_told_apart(self):
        for words, status in (
            (("list", "grants"), Status.DONE),
            (("conflicts",), Status.FOUND),
            (("list", "grant"), Status.WRONG_CALL),
            (("show", "nobody-at-all"), Status.WRONG_CALL),
            (("reach", "--by", ""), Status.WRONG_CALL),
            (("reach", "--assume", "nowhere.toml"), Status.WRONG_DATA),
        ):
            done = run(*words, cwd=self.here, status=int(status))
            self.assertNotIn("Traceback", done.stderr)
            self.assertEqual(bool(done.stderr), status > Status.FOUND, words)

    def test_an_error_is_one_or_two_lines_and_a_status(self):
        for error, status in ((CallError("What.", "Do."), 2), (DataError("What."), 3), (OSError(28, "full", "f"), 3)):
            said = io.StringIO()
            with (
                mock.patch("kathodos.cli.session.Session.view", property(mock.Mock(side_effect=error))),
                contextlib.redirect_stderr(said),
            ):
                self.assertEqual(main(["--workspace", str(self.here), "list", "grants"]), status)
            self.assertLessEqual(len(said.getvalue().splitlines()), 2)

    def test_a_reader_that_has_had_enough_is_no_error(self):
        for form in ("table", "csv", "json", "jsonl"):
            command = [COMMAND, "excess", "--all", "--format", form]
            environment = {**os.environ, "COLUMNS": "60", "KATHODOS_NOW": NOW}
            reading, writing = os.pipe()
            os.close(reading)
            done = subprocess.run(
                command, cwd=self.here, env=environment, stdout=writing, stderr=subprocess.PIPE, text=True
            )
            os.close(writing)
            self.assertEqual((done.returncode, done.stderr), (0, ""), form)

    def test_interrupted_it_says_so(self):
        said = io.StringIO()
        with (
            mock.patch("kathodos.cli.session.Session.view", property(mock.Mock(side_effect=KeyboardInterrupt))),
            contextlib.redirect_stderr(said),
        ):
            self.assertEqual(main(["--workspace", str(self.here), "list", "grants"]), 130)
        self.assertIn("nothing half-done was kept", said.getvalue())


if __name__ == "__main__":
    unittest.main()
