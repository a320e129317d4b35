"""A setting that is not as it should be is told with its place and what was expected; nothing is gathered or lost."""

import unittest

from tests import stores
from tests.support import OFFICE, OFFICE_RULES, Prepared, inside, lay_out, records_inside

SOURCE = """[[source]]
name = "files"
kind = "tables"
path = "tables"
"""


@stores.ABOUT_ANSWERS
class Settings(Prepared, unittest.TestCase):
    @classmethod
    def prepare(cls, folder):
        office = lay_out(folder / "office", OFFICE, OFFICE_RULES)
        inside("gather", cwd=office)
        return office

    def refused(self, words, text):
        """What is said when a command is run with this configuration: one or two lines, and status 3."""
        stores.configured(self.here, text)
        done = inside(*words, cwd=self.here, status=3)
        self.assertEqual(done.stdout, "")
        self.assertLessEqual(len(done.stderr.splitlines()), 2, done.stderr)
        self.assertIn("kathodos.toml", done.stderr)
        return done.stderr

    def assert_refused(self, words, cases):
        for text, *expected in cases:
            said = self.refused(words, text)
            for part in expected:
                self.assertIn(part, said, text)

    def test_of_sources(self):
        self.assert_refused(
            ["gather"],
            (
                ('source = "files"\n', "[[source]] with two brackets"),
                ('[source]\nname = "files"\n', "[[source]] with two brackets"),
                ('[[source]]\nkind = "tables"\n', "name = a text in each [[source]]"),
                ('[[source]]\nname = "files"\n', "kind = a text in each [[source]]"),
                ('[[source]]\nname = "a;b"\nkind = "tables"\n', "line 2", "holds a semicolon", "a;b"),
                (SOURCE + SOURCE, "line 6", "there is a source files already", "a name of its own"),
                (SOURCE.replace("tables", "stables", 1), "kind = one of", "'stables'"),
                (SOURCE.replace('path = "tables"', ""), "the source files", "path = a text"),
                (SOURCE.replace('path = "tables"', "path = 5"), "the source files", "path = a text"),
                (SOURCE + "speed = 5\n", "the source files", "only path, guard, tables, not speed"),
                (SOURCE + 'guard = "high"\n', "the source files", "guard = a number"),
                (SOURCE + "guard = -1\n", "guard = a number"),
                (SOURCE + "guard = true\n", "guard = a number"),
            ),
        )

    def test_of_how_a_table_is_written(self):
        for line, *expected in (
            ("tables = 5", "the source files", "a block tables"),
            ("tables.people = {}", "tables of the source files", "not people"),
            ("tables.identities = 5", "a block identities"),
            ("tables.identities.colour = 'red'", "identities of tables of the source files", "not colour"),
            ("tables.identities.columns = 'id'", "columns = { name = a text, ... }"),
            ("tables.identities.columns = { id = 5 }", "columns = { name = a text, ... }"),
            ("tables.identities.values = 'x'", "values = { column = { theirs = ours } }"),
            ("tables.identities.values = { status = 'x' }", "status = { name = a text, ... }"),
            ("tables.identities.dates = [5]", "dates = a list of texts"),
            ("tables.identities.once = 'yes'", "once = true or false"),
            ("tables.identities.where = 'State ne'", "where = a filter such as"),
            ("tables.identities.delimiter = ';;'", "delimiter and quote = one character each"),
            ("tables.identities.delimiter = '\"'", "delimiter and quote = one character each"),
            ("tables.identities.header = 0", "header = the number of the header's line"),
            ("tables.identities.header = 1.5", "header = the number of the header's line"),
        ):
            self.assert_refused(["gather"], [(f"{SOURCE}{line}\n", *expected)])

    def test_of_the_store_the_order_of_sources_and_ties(self):
        for text, *expected in (
            ("store = 5\n", "line 1", "a section [store]"),
            ("[store]\nurl = 5\n", "line 2", "url = a text"),
            ('[store]\nwait = "long"\n', "line 2", "wait = a number"),
            ("[store]\nwait = true\n", "line 2", "wait = a number"),
            ("[store]\nwait = -1\n", "line 2", "wait"),
            ("[store]\nspeed = 1\n", "line 2", "no key 'speed'"),
        ):
            self.assert_refused(["list", "roles"], [(text + SOURCE, *expected)])
        for text, *expected in (
            ('[precedence]\nidentities = "files"\n', "line 1", "precedence is a text"),
            ('[precedence.identities]\ntitle = "files"\n', "line 1", "precedence is a text, not a list"),
            ('[[tie]]\nby = "magic"\n', "line 2", "by", "magic"),
            ("tie = 5\n", "line 1", "tie"),
        ):
            self.assert_refused(["gather"], [(text + SOURCE, *expected)])

    def test_of_thresholds_and_weights(self):
        for text, *expected in (
            ("findings = 5\n", "line 1", "a section [findings]"),
            ("[findings]\nunussed = [1, 2, 3, 4]\n", "line 2", "no key 'unussed'"),
            ("[findings]\nunused = [1, 2]\n", "line 2", "unused"),
            ('[findings]\nunused = "long"\n', "line 2", "unused = a list"),
            ("[findings]\ndormant = -1\n", "line 2", "dormant"),
            ("[findings]\ndormant = true\n", "line 2", "dormant = a whole number"),
            ("[findings]\npeers = []\n", "line 2", "peers"),
            ("[findings]\npeers = [5]\n", "line 2", "a text"),
            ('[findings]\nformer = ""\n', "line 2", "former"),
        ):
            self.assert_refused(["excess"], [(text + SOURCE, *expected)])
        for text, *expected in (
            ("risk = 5\n", "line 1", "a section [risk]"),
            ("[risk]\nluck = 5\n", "line 2", "no key 'luck'"),
            ('[risk]\nbreadth = "much"\n', "line 2", "breadth = a number"),
            ("[risk]\nbreadth = -5\n", "line 2", "breadth"),
            ("[risk]\nbreadth = true\n", "line 2", "breadth = a number"),
            ("[risk]\nbreadth = 50\n", "100 together; these are 145"),
        ):
            self.assert_refused(["risk", "top"], [(text + SOURCE, *expected)])

    def test_of_secrets(self):
        source = '[[source]]\nname = "db"\nkind = "postgres"\nurl = "postgresql://a@127.0.0.1:1/b"\nsystem = "db"\n'
        for line, *expected in (
            ('password_from = "hunter2"', "password_from", "no secret stands in kathodos.toml"),
            ("password_from = 5", "no secret stands in kathodos.toml"),
            ('password_from = "env:"', "no secret stands in kathodos.toml"),
        ):
            said = self.refused(["gather"], f"{source}{line}\n")
            for part in expected:
                self.assertIn(part, said)
            self.assertNotIn("hunter2", said)
        for line, *expected in (
            (
                'password_from = "env:KATHODOS_NO_SUCH"',
                "The environment has no KATHODOS_NO_SUCH",
                "Set KATHODOS_NO_SUCH",
            ),
            ('password_from = "file:none.txt"', "The file none.txt, which the source db names, cannot be read"),
        ):
            stores.configured(self.here, f"{source}{line}\n")
            said = inside("gather", cwd=self.here, status=3).stderr
            for part in expected:
                self.assertIn(part, said)

    def test_nothing_is_lost_by_any_of_it(self):
        before = records_inside("list", "grants", cwd=self.here)
        good = (self.here / "kathodos.toml").read_text()
        for text in (SOURCE + "guard = -1\n", "store = 5\n", "x = = 1\n", "\ufeff[[source\n", "a = '\x00'\n"):
            said = self.refused(["gather"], text)
            self.assertTrue(said.isprintable() or "\n" in said)
        (self.here / "kathodos.toml").write_bytes(b'name = "\xff"\n')
        self.assertIn("line 1: expected UTF-8 text", inside("gather", cwd=self.here, status=3).stderr)
        (self.here / "kathodos.toml").write_text(good)
        self.assertEqual(records_inside("list", "grants", cwd=self.here), before)
        inside("ledger", "verify", cwd=self.here)


if __name__ == "__main__":
    unittest.main()
