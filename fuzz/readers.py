"""Mutations of what the tool reads: every reader ends with what it read, or with an error of ours, in bounded time.

    python fuzz/readers.py [READER ...] [--seconds 600] [--seed N]

Each reader begins with good inputs; bytes are turned over, cut, doubled and changed for others, with a preference for
what its format gives a meaning to. Whatever ends a reader otherwise than with an error of ours, takes longer than ten
seconds or more than three gigabytes, is written to fuzz/corpus/READER, and a test reads it again from then on.
"""

import argparse
import contextlib
import hashlib
import io
import os
import random
import resource
import signal
import sys
import tempfile
import time
import traceback
from pathlib import Path
from unittest import mock

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT))

from kathodos.errors import KathodosError, UnfitError  # noqa: E402  # the tests are found from here

CORPUS = Path(__file__).parent / "corpus"
MOST_SECONDS = 10
MOST_MEMORY = 3 << 30
READERS = {}


def reader(name, tokens, *seeds):
    """Declares a reader: what has a meaning in its format, and good inputs."""

    def declared(function):
        READERS[name] = (function, [it if isinstance(it, bytes) else it.encode() for it in tokens], seeds)
        return function

    return declared


@contextlib.contextmanager
def in_file(content, name):
    with tempfile.TemporaryDirectory() as scratch:
        (Path(scratch) / name).write_bytes(content)
        yield Path(scratch)


def read_source(folder, kind, **values):
    from kathodos.connectors.settings import Source
    from kathodos.connectors.sources import reader_of
    from kathodos.ingest.checking import check_table
    from kathodos.model.references import Names

    source = Source("files", kind, folder, values)
    reading = reader_of(source).read(source, "")
    for table in reading.tables:
        check_table(table, Names())


def as_table(content, suffix):
    with in_file(content, f"people{suffix}") as folder:
        block = {"identities": {"file": f"people{suffix}"}}
        (folder / "t").mkdir()
        (folder / f"people{suffix}").rename(folder / "t" / f"people{suffix}")
        read_source(folder, "tables", path="t", tables=block)
        from kathodos.ingest.proposing.sources import proposed

        proposed([folder / "t" / f"people{suffix}"], folder)


PEOPLE = 'id,name,status,starts,email,manager,floor\np1,Ann,active,2026-01-01,a@b,,3\np2,"B, o",left,,,p1,\n'


@reader("csv", (",", ";", '"', "\n", "\r", "\ufeff", "\0", "\t", b"\xff\xfe", b"\xef\xbb\xbf", "''"), PEOPLE.encode())
def read_csv(content):
    as_table(content, ".csv")


def xlsx(rows):
    import openpyxl

    book, out = openpyxl.Workbook(), io.BytesIO()
    for row in rows:
        book.active.append(row)
    book.save(out)
    return out.getvalue()


@reader(
    "json",
    ("[", "]", "{", "}", ",", ":", '"id"', "\\ud800", "NaN", "1e999", "\ufeff", "[" * 3000),
    b'[{"id": "p1", "n": 1}]',
)
def read_json(content):
    as_table(content, ".json")


@reader(
    "xlsx",
    (b"PK\x03\x04", b"PK\x01\x02", b"PK\x05\x06", "<c r=", "<row", "</row>", 't="s"', "<f>", "&#0;", "999999999"),
)
def read_xlsx(content):
    as_table(content, ".xlsx")


@reader(
    "xlsx-parts",
    (
        "<c",
        "<row",
        "</row>",
        'r="',
        't="s"',
        "<f>",
        "<v>",
        "&#0;",
        "&lol;",
        "<!ENTITY",
        "999999999",
        "ZZZ1",
        "1e999",
        "d",
    ),
)
def read_xlsx_parts(content):
    """The parts of a workbook mutated before they are packed again."""
    import zipfile

    whole, out = io.BytesIO(xlsx([["id", "name", "starts"], ["p1", "Ann", 46000], ["p2", "Bo", None]])), io.BytesIO()
    with zipfile.ZipFile(whole) as old, zipfile.ZipFile(out, "w") as new:
        names = old.namelist()
        which = names[content[0] % len(names)] if content else names[0]
        for name in names:
            part = old.read(name)
            new.writestr(
                name, changed(random.Random(content), part, READERS["xlsx-parts"][1]) if name == which else part
            )
    as_table(out.getvalue(), ".xlsx")


@reader(
    "json-lines",
    (
        "{",
        "}",
        "[",
        "]",
        '"',
        ":",
        ",",
        "1e400",
        "NaN",
        "null",
        "true",
        "\\ud800",
        "\\u0000",
        "-0",
        "9" * 400,
        "\n",
        "[" * 50,
    ),
    b'{"id": "p1", "name": "Ann", "tags": ["a", "b"], "more": {"x": {"y": 1.5}}}\n{"id": "p2", "starts": "2026"}\n',
)
def read_json_lines(content):
    as_table(content, ".jsonl")


def parquet():
    import datetime

    import pyarrow as pa
    import pyarrow.parquet

    out = io.BytesIO()
    table = pa.table({"id": ["p1", "p2"], "name": ["Ann", None], "starts": [datetime.date(2026, 1, 1), None]})
    pyarrow.parquet.write_table(table, out)
    return out.getvalue()


@reader("parquet", (b"PAR1", b"\0\0\0\0", b"\xff\xff\xff\x7f", b"\x15\x00"))
def read_parquet(content):
    as_table(content, ".parquet")


@reader(
    "syslog",
    ("<34>1 ", "[", "]", '"', "\\", "=", "-", " ", "2026-06-01T08:00:00Z", "\n", "\0", "<999>", b"\xef\xbb\xbf"),
    b'<34>1 2026-06-01T08:00:00Z host app 12 ID47 [use@32473 user="ann" action="view" resource="dues:/a"] said so\n',
)
def read_syslog(content):
    columns = {"use@32473.user": "account", "use@32473.action": "action", "use@32473.resource": "resource"}
    with in_file(content, "access.log") as folder:
        read_source(folder, "activity", path="access.log", log={"columns": columns})


@reader(
    "ldif",
    (
        "dn: ",
        "dn:: ",
        ":: ",
        ":< file:///etc/passwd",
        "\n ",
        "\n\n",
        "changetype: ",
        "-\n",
        "version: 1\n",
        "=",
        ",",
        "+",
        "\\2C",
        "#",
    ),
    b"version: 1\n\ndn: uid=ann,ou=people,dc=x\nobjectClass: inetOrgPerson\nuid: ann\ncn:: QW5u\nmail: a@b\n\n"
    b"dn: cn=g,ou=groups,dc=x\nobjectClass: groupOfNames\ncn: g\nmember: uid=ann,ou=people,dc=x\n",
)
def read_ldif(content):
    with in_file(content, "d.ldif") as folder:
        read_source(folder, "ldif", path="d.ldif", system="d")


@reader(
    "getfacl",
    (
        "# file: ",
        "# owner: ",
        "# group: ",
        "# flags: ",
        "user::rwx",
        "default:",
        "mask::",
        "other::---",
        "\\134",
        "\\012",
        "#effective:",
        ":",
    ),
    b"# file: share\n# owner: root\n# group: staff\nuser::rwx\nuser:ann:r-x\ngroup::r-x\nmask::r-x\n"
    b"other::---\ndefault:user::rwx\n\n"
    b"# file: share/a\\040b\n# owner: ann\n# group: staff\nuser::rw-\ngroup::r--\nother::---\n",
)
def read_getfacl(content):
    with in_file(content, "dump") as folder:
        (folder / "passwd").write_bytes(b"root:x:0:0::/:/bin/sh\nann:x:1:10::/:/bin/sh\n")
        (folder / "group").write_bytes(b"root:x:0:\nstaff:x:10:ann\n")
        read_source(folder, "posix", dump="dump", passwd="passwd", group="group", system="f")


@reader(
    "passwd",
    (":", "\n", ",", "0", "-1", "9" * 40, "x", "\\", "#", "\t"),
    b"root:x:0:0::/:/bin/sh\nann:x:1:10:Ann,,,:/home:/bin/sh\n\0root:x:0:\nstaff:x:10:ann,bo\n",
)
def read_passwd(content):
    first, _, second = content.partition(b"\0")
    with in_file(b"# file: a\n# owner: ann\n# group: staff\nuser::rwx\ngroup::r-x\nother::---\n", "dump") as folder:
        (folder / "passwd").write_bytes(first)
        (folder / "group").write_bytes(second)
        read_source(folder, "posix", dump="dump", passwd="passwd", group="group", system="f")


SCIM = (
    b'{"schemas": ["urn:ietf:params:scim:api:messages:2.0:ListResponse"], "totalResults": 2, "itemsPerPage": 2, '
    b'"startIndex": 1, "Resources": [{"id": "1", "userName": "ann", "active": true, "displayName": "Ann", "emails": '
    b'[{"value": "a@b", "primary": true}], "roles": [{"value": "r"}], "name": {"givenName": "A"}, "groups": []}, '
    b'{"id": "2", "displayName": "g", "members": [{"value": "1", "type": "User"}], "meta": {"version": "W/1"}}]}'
)


@reader(
    "scim",
    (
        "{",
        "}",
        "[",
        "]",
        "null",
        "5",
        '"id"',
        '"members"',
        '"schemas"',
        "true",
        "1e400",
        "\\ud800",
        '"value"',
        "-1",
        "10" * 9,
        '""',
    ),
    SCIM,
)
def read_scim(content):
    import httpx

    real = httpx.Client

    def client(**words):
        answer = httpx.MockTransport(lambda _: httpx.Response(200, content=content, headers={"ETag": "1"}))
        words.pop("verify", None)
        return real(transport=answer, **words)

    with mock.patch("httpx.Client", client), mock.patch("time.sleep"):
        read_source(Path(), "scim", url="http://localhost/scim", system="r", total_timeout=5)


TOML_TOKENS = (
    "[[",
    "]]",
    "[",
    "]",
    "=",
    '"',
    "'''",
    '"""',
    "\n",
    ".",
    "{",
    "}",
    ",",
    "#",
    "1e400",
    "inf",
    "1979-05-27",
    "true",
    "[" * 90,
)


def toml_of(content, name):
    from kathodos.workspace.configuration import read_toml

    with in_file(content, "x.toml") as folder:
        return read_toml(folder / "x.toml", name)


@reader(
    "configuration",
    TOML_TOKENS,
    *((ROOT / "src/kathodos/demo/data" / it).read_bytes() for it in ("kathodos.toml", "connected/kathodos.toml")),
)
def read_configuration(content):
    from kathodos.workspace.configuration import Configuration, in_force

    in_force(content.decode("utf-8", "replace"))
    configuration = Configuration(toml_of(content, "kathodos.toml"), Path("/nowhere"))
    for source in configuration.sources:
        if source.kind in ("tables", "ldif", "posix", "activity"):
            from kathodos.connectors.sources import reader_of

            with contextlib.suppress(OSError):
                reader_of(source).read(source, "")


@reader(
    "rules",
    (*TOML_TOKENS, "any", "all", "duty", "within", "edit dues:/**", "*"),
    *(it.read_bytes() for it in sorted((ROOT / "src/kathodos/demo/data/rules").glob("*.toml"))),
)
def read_rules(content):
    from kathodos.rules.reading import read_rules

    read_rules([toml_of(content, "rules/x.toml")])


@reader("controls", TOML_TOKENS, (ROOT / "src/kathodos/demo/data/controls.toml").read_bytes())
def read_controls(content):
    from kathodos.findings.conflicts.controls import controls_in

    controls_in(toml_of(content, "controls.toml"))


@reader(
    "changes",
    (*TOML_TOKENS, "kind", "grants", "identity:ann", "add", "end", "set"),
    (ROOT / "src/kathodos/demo/data/what-if.toml").read_bytes(),
    b'[[add]]\nkind = "grants"\ngrant = "g9"\nholder = "identity:ann"\ngives = "role:dues/setter"\n',
)
def read_changes(content):
    from kathodos.change.edits import edits_in
    from kathodos.store.records import InMemory
    from tests.support import OFFICE, index_of, state_of

    if not hasattr(read_changes, "office"):
        read_changes.office = InMemory(state_of(OFFICE)), index_of(OFFICE)
    edits_in(toml_of(content, "change.toml"), *read_changes.office)


@reader(
    "heads",
    ("{", "}", '"', ":", "1e400", "[" * 5000, "size", "root", "-1", "9" * 30),
    b'{"root": "aa", "signature": "bb", "size": 1, "time": "2026-06-15T12:00:00Z"}\n' * 3,
)
def read_heads(content):
    from kathodos.ledger.keys import Keys, kept_heads

    with in_file(content, "ledger.heads") as folder:
        keys = Keys(folder)
        keys.witnessed()
        keys.junk_lines()
        kept_heads(str(folder / "ledger.heads"))


SEAL = (
    b'{"review": "june", "opened_at": "2026-06-15T12:00:00Z", "reviewer": "head", "issued": "2026-06-15T12:00:00Z",'
    b' "lines": 2, "digest": "aa", "signature": "bb"}'
)


def packet_book():
    """A workbook as a packet makes it, with one line answered."""
    import openpyxl

    from kathodos.review.packets import COLUMNS, LINES_SHEET, SEAL_SHEET

    book, out = openpyxl.Workbook(), io.BytesIO()
    book.active.title = LINES_SHEET
    book.active.append(list(COLUMNS))
    book.active.append([1, "Ann", "role:dues/setter", "", "held directly", "revoke", None, None, "left", None])
    seal = book.create_sheet(SEAL_SHEET)
    seal.append([SEAL.decode()])
    shown = '{"texts": ["Ann", "role:dues/setter", "", "held directly"], "lines": [[1, 0, 1, 2, 0, [3], [], [], 1]]}'
    seal.append([shown])
    book.save(out)
    return out.getvalue()


@reader(
    "answers",
    (
        "{",
        "}",
        "[",
        "]",
        '"',
        ":",
        ",",
        '"line": ',
        "-1",
        "9" * 40,
        "1e400",
        "null",
        "\\ud800",
        "\\u0000",
        "[" * 5000,
        "PK",
    ),
    b'{"form": "kathodos answers 1", "seal": '
    + SEAL
    + b', "digest": "aa", "answers": [{"line": 1, "decision": "certify",'
    b' "at": "2026-06-15T12:00:00Z", "opened": true}, {"line": 2, "decision": "reduce", "until": "2026-09-30"}]}',
)
def read_answers(content):
    from kathodos.connectors import answers

    name = "answers.xlsx" if content[:2] == b"PK" else "answers.json"
    with in_file(content, name) as folder:
        answers.read_answers(folder / name)


@reader(
    "proofs",
    ("{", "}", "[", "]", '"', ":", ",", "-1", "9" * 40, "1e400", "null", "zz", "\\ud800"),
    b'{"subject": "review:june", "files": {"lines.csv": "aa"}, "key": "cc", "signature": "dd", "entries": [{"entry":'
    b' {"number": 1, "kind": "x"}, "path": ["aa"]}], "head":'
    b' {"size": 1, "time": "2026", "root": "aa", "signature": ""}}',
)
def read_proofs(content):
    import msgspec
    from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

    from kathodos.ledger.proofs import Proof

    try:
        proof = msgspec.json.decode(content, type=Proof)
    except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError):
        return
    proof.wrong(Ed25519PrivateKey.from_private_bytes(bytes(32)).public_key())


@reader(
    "filters",
    ("(", ")", '"', "\\", " and ", " or ", "not ", " eq ", " pr", "[", "]", ".", "1e400", "null", "true", "(" * 50),
    b'department eq "Pilots" and (risk gt 50 or not (title sw "x")) and emails[value co "@"] pr',
)
def read_filters(content):
    from kathodos.model.filters import FilterError, parse_filter

    with contextlib.suppress(FilterError):
        parse_filter(content.decode("utf-8", "surrogateescape"))


@reader("addresses", (":/", "/", "*", "**", "%2F", "%25", "%", ":", " ", "//", "/**/"), b"dues:/a/b/*/c%2Fd/**", b"s:/")
def read_addresses(content):
    from kathodos.engine.compiled.compile import compile_index  # noqa: F401  # the parser as the engine uses it
    from kathodos.model.addresses import parse_address, parse_pattern

    text = content.decode("utf-8", "surrogateescape")
    for parse in (parse_pattern, parse_address):
        with contextlib.suppress(ValueError):
            pattern = parse(text)
            pattern.matches(("a", "b"))
            parse(str(pattern))


@reader(
    "times",
    ("-", ":", "T", "Z", "+", "P", "Y", "M", "D", "9" * 20, ".", "W", "H"),
    b"2026-03-01T08:00:00Z",
    b"2026-03-01",
    b"P6M",
    b"P1Y2M10DT2H30M",
)
def read_times(content):
    from kathodos.model import times

    text = content.decode("utf-8", "replace")
    with contextlib.suppress(ValueError):
        normal = times.normal_moment(text)
        times.first_moment(normal), times.end_moment(normal)
    for name in ("after_period", "period_after", "days_of"):
        if hasattr(times, name):
            with contextlib.suppress(ValueError, KathodosError):
                getattr(times, name)(text)


@reader(
    "references",
    (":", "/", "identity:", "account:", "group:", "role:", "everyone", "%", " "),
    b"identity:ann",
    b"group:directory/inner",
    b"ann",
)
def read_references(content):
    from kathodos.model.kinds import ACCOUNTS, GROUPS, IDENTITIES, ROLES
    from kathodos.store.naming import resolved
    from kathodos.store.records import InMemory
    from tests.support import OFFICE, state_of

    if not hasattr(read_references, "office"):
        read_references.office = InMemory(state_of(OFFICE))
    resolved(read_references.office, content.decode("utf-8", "surrogateescape"), (IDENTITIES, ACCOUNTS, GROUPS, ROLES))


def seeds_of(name):
    made = {
        "xlsx": [lambda: xlsx([["id", "name"], ["p1", "Ann"]])],
        "parquet": [parquet],
        "answers": [packet_book],
        "xlsx-parts": [lambda: bytes(range(60))],
    }
    return [*READERS[name][2], *(make() for make in made.get(name, ()))]


def changed(rng, content, tokens):
    """An input made of another: a few changes, each of a kind that its format may not expect."""
    data = bytearray(content)
    for _ in range(rng.choice((1, 1, 2, 3, 8))):
        at = rng.randrange(len(data) + 1)
        kind = rng.randrange(8)
        if kind == 0 and data:
            data[min(at, len(data) - 1)] ^= 1 << rng.randrange(8)
        elif kind == 1:
            data[at:at] = rng.choice(tokens)
        elif kind == 2:
            del data[at : at + rng.choice((1, 2, 8, 40))]
        elif kind == 3:
            data[at : at + rng.choice((0, 1, 4))] = bytes(rng.randrange(256) for _ in range(rng.choice((1, 2, 4))))
        elif kind == 4:
            part = bytes(data[at : at + rng.choice((4, 20, 100))])
            data[at:at] = part * rng.choice((1, 2, 50))
        elif kind == 5:
            del data[at:]
        elif kind == 6:
            data[at : at + rng.choice((0, 3))] = rng.choice(tokens) * rng.choice((1, 2, 30))
        else:
            other = rng.randrange(len(data) + 1)
            data[at:at] = data[other : other + 30]
    return bytes(data[: 1 << 18])


class TooLong(BaseException):
    pass


def _too_long(*_):
    raise TooLong


def fault_of(name, content):
    """What is wrong with how a reader takes an input; nothing where it ends as it should."""
    signal.signal(signal.SIGPROF, _too_long)
    signal.setitimer(signal.ITIMER_PROF, MOST_SECONDS)  # of the processor's time, however busy the machine is
    try:
        with contextlib.redirect_stdout(io.StringIO()), contextlib.redirect_stderr(io.StringIO()):
            READERS[name][0](content)
    except (KathodosError, UnfitError):
        return ""
    except TooLong:
        return f"took longer than {MOST_SECONDS} s"
    except BaseException:
        return traceback.format_exc(limit=-4)
    finally:
        signal.setitimer(signal.ITIMER_PROF, 0)
    return ""


def searched(name, seconds, seed):
    """Mutates the inputs of a reader for so many seconds; how many were tried, and the faults found by their place."""
    rng = random.Random(f"{name} {seed}")
    pool, found, tried = seeds_of(name), {}, 0
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        content = changed(rng, rng.choice(pool), READERS[name][1])
        tried += 1
        fault = fault_of(name, content)
        if fault:
            place = fault.strip().splitlines()[-3:]
            if str(place) not in found:
                found[str(place)] = fault
                folder = CORPUS / name
                folder.mkdir(parents=True, exist_ok=True)
                (folder / hashlib.sha256(content).hexdigest()[:16]).write_bytes(content)
        elif len(pool) < 400 and rng.random() < 0.02:
            pool.append(content)
    return tried, found


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("readers", nargs="*", metavar="READER", help=f"of {', '.join(READERS)} (default: all)")
    parser.add_argument("--seconds", type=float, default=600, help="for each reader")
    parser.add_argument("--seed", type=int, default=0)
    asked = parser.parse_args()
    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    os.environ["KATHODOS_NOW"] = "2026-06-15T12:00:00Z"
    failed = 0
    for name in asked.readers or READERS:
        tried, found = searched(name, asked.seconds, asked.seed)
        print(f"{name:<16} {tried:>9,} inputs in {asked.seconds:g} s, {len(found)} faults", flush=True)
        for fault in found.values():
            print(fault, flush=True)
        failed += len(found)
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
