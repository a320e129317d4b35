"""Any two names that differ are two things: through sources, the store, references, the command, CSV and JSON."""

import csv
import io
import json
import os
import tempfile
import unittest
from pathlib import Path

from hypothesis import example, given
from hypothesis import strategies as st

from kathodos.model.addresses import address_of, names_in
from kathodos.model.carried import carried, uncarried
from kathodos.model.printing import restored
from tests import stores
from tests.support import inside, run, searching

# What formats, addresses, references, terminals and spreadsheets give a meaning to, and bytes that are no characters.
_NASTY = st.sampled_from(
    (
        *(
            b" ",
            b"  ",
            b":",
            b";",
            b"/",
            b"*",
            b"**",
            b"%",
            b"%41",
            b"%FF",
            b"%25",
            b"%2F",
            b"%00",
            b"\\",
            b"\\x1b",
            b"\\n",
        ),
        *(
            b"'",
            b'"',
            b"=1+1",
            b"@",
            b"-",
            b"\t",
            b"\x1b[31m",
            b"\x7f",
            b"\xff",
            b"\xfe",
            b"\xc3",
            b"\xe2\x80\xae",
            b"\xcc\x81",
        ),
        *(
            "é".encode(),
            "e\u0301".encode(),
            "\ufeff".encode(),
            b"identity:",
            b"account:s/",
            b"group:",
            b"everyone",
            b"a",
            b"A",
        ),
    )
)
_NAMES = st.lists(st.one_of(_NASTY, _NASTY, st.binary(min_size=1, max_size=3)), min_size=1, max_size=3).map(b"".join)


def unread(form, content):
    """A name as `getfacl -R` and its like write it: backslashes and what no line can hold as octal numbers."""
    return b"".join(b"\\%03o" % byte if byte in form or byte < 32 else bytes([byte]) for byte in content)


def is_name_of_a_file(name):
    return not set(name) & set(b"/\0") and name not in (b".", b"..")


def is_name_of_a_user(name):
    return not set(name) & set(b":\n\r\0") and name[:1] not in (b"+", b"-", b"#")


class AnyBytes(unittest.TestCase):
    @given(st.binary(max_size=12), st.binary(max_size=12))
    @example(b"%FF", b"\xff")
    @example(b"%25", b"%")
    @searching(600)
    def test_what_is_carried_is_given_back_and_never_another(self, one, other):
        names = [os.fsdecode(it) for it in (one, other)]
        texts = [carried(it) for it in names]
        for name, text in zip(names, texts, strict=True):
            text.encode()
            self.assertNotIn("\0", text)
            self.assertEqual(uncarried(text), name)
            if name:
                self.assertEqual(names_in(address_of("s", ["x", name])), ("x", name))
        self.assertEqual(texts[0] == texts[1], one == other)

    @given(st.lists(_NAMES.filter(is_name_of_a_file), min_size=2, max_size=5, unique=True), st.data())
    @searching(12, shrinks=False)
    def test_through_source_store_reference_command_csv_and_json(self, files, data):
        users = data.draw(
            st.lists(
                _NAMES.filter(is_name_of_a_user),
                min_size=len(files),
                max_size=len(files),
                unique=True,
            )
        )
        with tempfile.TemporaryDirectory() as scratch:
            office = Path(scratch).resolve() / "office"
            (run if not stores.ON_POSTGRES else inside)("init", office, cwd=office.parent)
            self.lay_out(office, files, users)
            inside("gather", cwd=office, status=None)
            self.assert_whole(office, files, users)

    def lay_out(self, office, files, users):
        numbered = list(enumerate(users, 1))
        (office / "passwd").write_bytes(b"".join(b"%s:x:%d:%d::/:/bin/sh\n" % (name, at, at) for at, name in numbered))
        (office / "group").write_bytes(b"".join(b"g%d:x:%d:\n" % (at, at) for at, _ in numbered))
        dump = b"# file: share\n# owner: 0\n# group: 0\nuser::rwx\ngroup::r-x\nother::r-x\n\n"
        for (at, _), name in zip(numbered, files, strict=True):
            dump += b"# file: share/%s\n# owner: %d\n# group: %d\n" % (unread(b"\\\n\r", name), at, at)
            dump += b"user::rw-\ngroup::---\nother::---\n\n"
        (office / "dump").write_bytes(dump)
        block = (
            '[[source]]\nname = "f"\nkind = "posix"\nsystem = "f"\ndump = "dump"\npasswd = "passwd"\ngroup = "group"\n'
        )
        stores.configured(office, block)

    def assert_whole(self, office, files, users):
        asked = ("list", "resources", "--where", 'type ne "x"')
        as_json = json.loads(inside(*asked, "--format", "json", cwd=office).stdout)
        addresses = [it["resource"] for it in as_json if it["resource"].startswith("f:/share/")]
        self.assertEqual(sorted(os.fsencode(names_in(it)[-1]) for it in addresses), sorted(files))
        rows = list(csv.DictReader(io.StringIO(inside(*asked, "--format", "csv", cwd=office).stdout)))
        self.assertEqual(sorted(plain(it["resource"]) for it in rows), sorted(it["resource"] for it in as_json))
        accounts = json.loads(inside("list", "accounts", "--format", "json", cwd=office).stdout)
        logins = {it["login"] for it in accounts}
        self.assertEqual({os.fsencode(uncarried(it)) for it in logins}, set(users))
        for name, user in zip(files, users, strict=True):
            address = address_of("f", ("share", os.fsdecode(name)))
            login = carried(os.fsdecode(user))
            done = inside("reach", "--on", address, "--do", "read", "--format", "json", cwd=office, status=None)
            who = {it.get("account") or it.get("identity") for it in json.loads(done.stdout)}
            self.assertEqual(who, {f"f/{login}"}, (name, user))
            by = inside("reach", "--by", f"account:f/{login}", "--on", address, "--do", "read", cwd=office, status=None)
            self.assertEqual(by.returncode, 0, by.stderr)
            shown = json.loads(inside("show", f"account:f/{login}", "--format", "json", cwd=office, status=None).stdout)
            self.assertIn(json.dumps(login)[1:-1], json.dumps(shown))


def plain(cell):
    """What a cell of CSV stands for: without the mark before what a spreadsheet could take for a formula."""
    return restored(cell[1:] if cell.lstrip("'")[:1] in "=+-@" and cell.startswith("'") else cell)


@stores.ONLY_IN_A_FILE  # about what is read
class Tables(unittest.TestCase):
    @given(
        st.lists(
            st.text(st.characters(codec="utf-8", exclude_characters="\0"), min_size=1, max_size=4),
            min_size=2,
            max_size=6,
            unique=True,
        )
    )
    @searching(12, shrinks=False)
    def test_a_table_that_is_not_trimmed_says_its_names_as_they_are(self, names):
        names = [it for it in names if it.strip()]
        with tempfile.TemporaryDirectory() as scratch:
            office = Path(scratch).resolve() / "office"
            inside("init", office, cwd=office.parent)
            lines = (json.dumps({"id": name}) for name in names)
            (office / "tables" / "people.jsonl").write_text("\n".join(lines) + "\n")
            block = '[[source]]\nname = "t"\nkind = "tables"\npath = "tables"\n[source.tables.identities]\n'
            stores.configured(office, f'{block}file = "people.jsonl"\ntrim = false\n')
            inside("gather", cwd=office, status=None)
            found = json.loads(inside("list", "identities", "--format", "json", cwd=office).stdout)
            self.assertEqual(sorted(it["id"] for it in found), sorted(names))


if __name__ == "__main__":
    unittest.main()
