"""A task on a file tree, recorded by its system calls: what it used there, whatever the way the log names it."""

import json
import os
import shutil
import subprocess
import unittest
from pathlib import Path

from kathodos.formats.system_calls import named_in, read_calls
from tests import stores
from tests.support import Scratch
from tests.support import inside as run

TASK = r"""
read line < share/a/x.txt
ls share/a > /dev/null
echo new > "share/a/new file"
echo more > share/a/log
cp share/a/x.txt share/a/y
mv share/a/y share/z
rm share/z
cd share/a
cat x.txt > /dev/null
./tool "o;d\"d" > /dev/null
cat "new file" > /dev/null
rm "new file"
"""
EXPECTED = {
    ("search", "share:/"),
    ("write", "share:/"),
    ("read", "share:/a"),
    ("search", "share:/a"),
    ("write", "share:/a"),
    ("write", "share:/a/log"),
    ("execute", "share:/a/tool"),
    ("read", "share:/a/tool"),
    ("read", "share:/a/x.txt"),
    ("read", 'share:/a/o;d"d'),
}
TRACER = shutil.which("strace")


class TheForm(Scratch, unittest.TestCase):
    def calls(self, text):
        file = self.folder / "log"
        file.write_bytes(text)
        problems = []
        return list(read_calls(file, problems)), problems

    def test_strings_descriptors_and_results(self):
        text = rb"""17 1718000000.5 openat(AT_FDCWD</srv>, "a \"b\",c\)\x41\101\n\377", O_RDONLY) = 3</srv/a\76b>
[pid 18] 10:00:01.25 rename("x", "y") = -1 EACCES (Permission denied)
newfstatat(3</srv>, "", {st_mode=S_IFDIR|0755, st_size=4096, ...}, AT_EMPTY_PATH) = 0
"""
        (first, second, third), problems = self.calls(text)
        self.assertEqual(first.text(1), 'a "b",c)AA\n\udcff')
        self.assertEqual((named_in(first.arguments[0]), named_in(first.result)), ("/srv", "/srv/a>b"))
        self.assertEqual((first.process, first.time, first.error), (17, "1718000000.5", ""))
        self.assertEqual((second.process, second.time, second.error), (18, "10:00:01.25", "EACCES"))
        self.assertEqual((third.text(1), len(third.arguments)), ("", 4))
        self.assertEqual(problems, [])

    def test_a_call_that_others_interrupt_is_put_together_and_what_is_none_is_noted(self):
        text = rb"""7 openat(AT_FDCWD, "one", O_RDONLY <unfinished ...>
8 +++ exited with 0 +++
8 --- SIGCHLD {si_signo=SIGCHLD} ---
7 <... openat resumed>) = 4
nonsense
7 openat(AT_FDCWD, "cut
"""
        (call,), problems = self.calls(text)
        self.assertEqual((call.text(1), call.result, call.line), ("one", b"4", 4))
        self.assertEqual([it.line for it in problems], [5, 6])


@unittest.skipIf(stores.ON_POSTGRES, "touches no store")
@unittest.skipUnless(TRACER, "needs a tracer of system calls (strace)")
class ATask(Scratch, unittest.TestCase):
    def setUp(self):
        super().setUp()
        share = self.folder / "share"
        for folder in ("a", "b"):
            (share / folder).mkdir(parents=True)
        (share / "a" / "x.txt").write_text("x\n")
        (share / "a" / 'o;d"d').write_text("odd\n")
        (share / "a" / "log").write_text("old\n")
        (share / "b" / "secret").write_text("secret\n")
        (share / "a" / "tool").write_text('#!/bin/sh\ncat "$1"\n')
        (share / "a" / "tool").chmod(0o755)
        run("init", "office", cwd=self.folder)
        self.office = self.folder / "office"
        stores.configured(
            self.office, '[[source]]\nname = "files"\nkind = "posix"\nsystem = "share"\ntree = "../share"\n'
        )
        run("gather", cwd=self.office)

    def told(self, *options, task=TASK, status=0):
        log = self.office / "calls.log"
        words = [TRACER, "-f", *options, "-o", log, "bash", "-c", task]
        subprocess.run(words, cwd=self.folder, check=True, capture_output=True)
        words = ("role", "distil", "share/task", "--trace", log, "--like", "files", "--dry-run", "--format", "json")
        return json.loads(run(*words, cwd=self.office, status=status).stdout)

    def test_what_it_used_and_nothing_that_it_made_itself(self):
        for options in (("-y", "-ttt"), ("-y", "-tt"), ("-y",)):
            with self.subTest(options):
                told = self.told(*options)
                self.assertEqual({(it["action"], it["resource"]) for it in told["roles"][0]["entries"]}, EXPECTED)
                self.assertIn("uses of files that the task made itself", [it["what"] for it in told["passed_over"]])

    def test_without_names_of_descriptors_whole_paths_are_known(self):
        told = self.told(task=f"cd '{self.folder}/share'; cat a/x.txt")
        found = {(it["action"], it["resource"]) for it in told["roles"][0]["entries"]}
        self.assertEqual(found, {("search", "share:/"), ("search", "share:/a"), ("read", "share:/a/x.txt")})

    @unittest.skipUnless(os.geteuid() == 0 and shutil.which("setpriv"), "needs another user")
    def test_what_was_refused_is_told_apart(self):
        (self.folder / "share" / "b").chmod(0o700)
        self.folder.chmod(0o755)
        Path(self.folder / "share").chmod(0o755)
        told = self.told("-y", task="setpriv --reuid=65534 --clear-groups cat share/b/secret; cat share/a/x.txt")
        self.assertEqual([(it["action"], it["resource"]) for it in told["refused"]], [("read", "share:/b/secret")])
