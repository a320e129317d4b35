"""A walk through the lines of a review: by single keys at a terminal, or by lines that are read."""

import os
import pty
import re
import select
import subprocess
import unittest

from kathodos.review.walking import Walk
from tests import stores
from tests.acceptance.test_reviewing import Desk
from tests.support import COMMAND, NOW, run


@stores.ABOUT_ANSWERS
class ByLines(Desk, unittest.TestCase):
    def walk(self, *pressed, words=(), actor="head"):
        text = "".join(f"{it}\n" for it in pressed)
        return run("review", "walk", "june", *words, "--as", actor, cwd=self.here, stdin=text)

    def decisions(self):
        return {key: line["decision"] for key, line in self.lines().items() if line["decision"]}

    def test_every_key_does_what_it_says(self):
        whom = ("p", "identity:cy", "knows it better")
        said = self.walk(
            "c", "r", "not needed", "l", "2026-06-14", "shorter", *whom, "a", "bo", "Still?", "m", "well", "q"
        )
        lines = self.lines()
        self.assertEqual(lines["ann", "role:dues/setter"]["decision"], "certify")
        self.assertEqual(lines["ann", "group:directory/inner"]["decision_reason"], "not needed")
        self.assertIn("2026-06-14 is over", said.stdout, "what cannot be is said, and the line stays where it is")
        self.assertEqual(lines["bo", "view dues:/tariffs"]["remarks"][0]["whom"], "cy")
        self.assertEqual(lines["bo", "role:dues/waiver"]["remarks"][0]["text"], "Still?")
        self.assertEqual(lines["cy", "role:dues/setter"]["remarks"][0]["sort"], "comment")
        self.assertIn("Decided 2 lines of june. 2 lines left", said.stdout)

    def test_undo_and_back(self):
        self.walk("c", "c", "u", "u", "u", "q")
        self.assertEqual(self.decisions(), {})
        said = self.walk("n", "n", "b", "r", "because", "q")
        self.assertEqual(list(self.decisions()), [("ann", "group:directory/inner")])
        self.assertNotIn("nothing was decided", said.stdout.lower())
        self.assertIn("Nothing was decided in this walk yet", self.walk("u", "q").stdout)

    def test_person_by_person(self):
        said = self.walk("c", "o", "c", "r", "done", "q", words=("--by", "person")).stdout
        self.assertEqual(
            self.decisions(),
            {
                ("ann", "role:dues/setter"): "certify",
                ("ann", "group:directory/inner"): "certify",
                ("bo", "view dues:/tariffs"): "certify",
                ("bo", "role:dues/waiver"): "revoke",
            },
        )
        self.assertIn("! It is part of a conflict of duties: D-1.", said)

    def test_only_what_a_filter_selects_and_never_one_s_own(self):
        said = self.walk("c", "c", "c", words=("--where", 'identity eq "cy"')).stdout
        self.assertEqual(list(self.decisions()), [("cy", "role:dues/setter")])
        self.assertIn("4 lines left", said)
        self.assertIn("Nothing is left", self.walk("c", actor="bo").stdout)

    def test_it_fits_forty_columns_and_gives_no_data(self):
        words = ("review", "walk", "june", "--as", "head")
        said = run(*words, cwd=self.here, stdin="n\nn\nq\n", COLUMNS="40").stdout
        self.assertIn("[q] stop", said)
        self.assertLessEqual(max(map(len, said.splitlines())), 40)
        refused = run(*words, "--format", "json", cwd=self.here, stdin="", status=2)
        self.assertIn("gives no data", refused.stderr)

    def test_names_are_shown_and_never_obeyed(self):
        people = self.here / "tables" / "identities.csv"
        people.write_text(people.read_text().replace("Bo Clerk", "Bo \x1b[2J\u202eClerk"))
        run("gather", cwd=self.here)
        said = self.walk("n", "n", "q").stdout
        self.assertIn("Bo \\x1b[2J", said)
        self.assertFalse(set(said) & {"\x1b", "\u202e"})


class AtATerminal(Desk, unittest.TestCase):
    @stores.ONLY_IN_A_FILE
    def test_single_keys_in_sixty_columns(self):
        ours, theirs = pty.openpty()
        environment = {**os.environ, "KATHODOS_NOW": NOW, "COLUMNS": "60", "TERM": "xterm", "NO_COLOR": "1"}
        words = [COMMAND, "review", "walk", "june", "--as", "head"]
        streams = {"stdin": theirs, "stdout": theirs, "stderr": theirs}
        process = subprocess.Popen(words, cwd=self.here, env=environment, start_new_session=True, **streams)
        self.addCleanup(process.kill)
        os.close(theirs)
        shown = self.until(ours, "[q] stop")
        for pressed, expected in (
            (b"c", "[q] stop"),
            (b"\x1b[C", "[q] stop"),
            (b"r", "Why?"),
            (b"no need\n", "[q] stop"),
            (b"q", "walk june`"),
        ):
            os.write(ours, pressed)
            shown += self.until(ours, expected)
        self.assertEqual(process.wait(30), 0)
        os.close(ours)
        self.assertEqual(self.lines()["ann", "role:dues/setter"]["decision"], "certify")
        self.assertEqual(self.lines()["bo", "view dues:/tariffs"]["decision_reason"], "no need")
        plain = re.sub(r"\x1b\[[0-9;?]*[A-Za-z]", "", shown)
        self.assertLessEqual(max(map(len, plain.splitlines())), 60, max(plain.splitlines(), key=len))

    def until(self, terminal, text):
        """What is shown until a text is."""
        shown = ""
        while text not in shown:
            ready, _, _ = select.select([terminal], [], [], 30)
            self.assertTrue(ready, shown)
            shown += os.read(terminal, 4096).decode()
        return shown


class Stops(unittest.TestCase):
    def test_it_stays_within_its_stops(self):
        walk = Walk([[1, 2], [3]])
        walk.go_on(-1)
        self.assertEqual(walk.stop, [1, 2])
        walk.one_by_one()
        walk.decided(walk.stop)
        self.assertEqual((walk.stop, walk.done), ([2], [[1]]))
        self.assertEqual((walk.take_back(), walk.stop, walk.take_back()), ([1], [1], []))
        walk.go_on(9)
        self.assertTrue(walk.is_over)


if __name__ == "__main__":
    unittest.main()
