"""Logs: as tables, as JSON Lines, as syslog, one file or many; folded into last used and counts."""

import json
import unittest

from hypothesis import given
from hypothesis import strategies as st

from kathodos.formats.raw import Format
from kathodos.formats.syslog import read_syslog
from tests.support import Scratch, lay_out, searching
from tests.support import inside as run
from tests.support import records_inside as records

PEOPLE = {
    "systems": [{"system": "gates"}],
    "identities": [{"id": "ann"}, {"id": "bo"}],
    "accounts": [{"system": "gates", "login": "a1", "identity": "ann"}, {"system": "gates", "login": "x"}],
}
LINE = '<134>1 {time} gate7 turnstile 412 PASS [meta@1 x="1"][access@32473 user="{user}" did="{did}" on="{on}"] ok'
SOURCE = """
[[source]]
name = "turnstiles"
kind = "activity"
path = "logs/*.log"
[source.log]
columns = { "access@32473.did" = "action" }
build = { account = "gates/{access@32473.user}", resource = "gates:/{host}/{access@32473.on}" }
where = 'app eq "turnstile"'
"""


def cells(raw):
    return dict(zip(raw.header, (column.listed() for column in raw.columns), strict=True))


class Syslog(Scratch, unittest.TestCase):
    def read(self, text):
        file = self.folder / "x.log"
        file.write_bytes(text if isinstance(text, bytes) else text.encode())
        return read_syslog(file, Format())

    def test_fields_and_structured_data(self):
        raw = self.read(
            '<34>1 2026-06-01T08:00:00.003Z h app - ID47 [a@1 k="v \\"q\\" \\] \\\\" n="2"][b@2] \ufefftext here\n'
            "<34>1 - - - - - -\n"
        )
        found = {name: values[0] for name, values in cells(raw).items()}
        self.assertEqual(
            found,
            {
                "time": "2026-06-01T08:00:00.003Z",
                "host": "h",
                "app": "app",
                "process": None,
                "message_id": "ID47",
                "message": "text here",
                "a@1.k": 'v "q" ] \\',
                "a@1.n": "2",
            },
        )

    def test_what_is_no_message_is_set_aside(self):
        raw = self.read(
            b"Jun  1 08:00:00 host old style\n<34>1 t h a p\n<34>1 t h a p m [cut\n\xff\n<1>1 t h a p m - fine\n"
        )
        self.assertEqual([problem.line for problem in raw.problems], [1, 2, 3, 4])
        self.assertEqual(cells(raw)["message"], ["fine"])

    @given(
        st.dictionaries(
            st.from_regex(r"[a-z]{1,8}", fullmatch=True), st.text(st.characters(codec="utf-8"), max_size=8), max_size=3
        )
    )
    @searching(60)
    def test_whatever_a_sender_may_write_is_read_back(self, parameters):
        told = {name: value for name, value in parameters.items() if not set(value) & set("\r\n\0")}
        escaped = {
            name: value.replace("\\", "\\\\").replace('"', '\\"').replace("]", "\\]") for name, value in told.items()
        }
        data = "".join(f' {name}="{value}"' for name, value in escaped.items())
        raw = self.read(f"<1>1 t h a p m [x@1{data}] m\n")
        found = {name: values[0] for name, values in cells(raw).items() if name.startswith("x@1.")}
        expected = {f"x@1.{name}": value.strip() or None for name, value in told.items()}
        self.assertEqual(found, expected)


class Logs(Scratch, unittest.TestCase):
    def test_syslog_files_become_activity_that_is_folded(self):
        at = lay_out(self.folder / "office", PEOPLE, mapping=SOURCE)
        (at / "logs").mkdir()
        first = [
            LINE.format(time=f"2026-06-0{day}T08:00:00Z", user="a1", did="open", on="north door") for day in (1, 2, 2)
        ]
        (at / "logs" / "1.log").write_text("\n".join([*first, "<1>1 t h cron p m - tick", "rubbish"]) + "\n")
        last = LINE.format(time="2026-06-03T08:00:00+02:00", user="x", did="open", on="a/b")
        (at / "logs" / "2.log").write_text(f"{last}\n{LINE.format(time='yesterday', user='a1', did='open', on='c')}\n")
        rows = {(row["source"], row["kind"]): row for row in records("gather", cwd=at)}
        self.assertEqual([rows["turnstiles", "activity"][key] for key in ("came", "set_aside")], [3, 2])
        problems = {(row["file"], row["line"]) for row in records("gather", "turnstiles", "--problems", cwd=at)}
        self.assertLessEqual({("1.log", 5), ("2.log", 2)}, problems)
        self.assertEqual(
            [(row["who"], row["resource"], row["count"], row["last"]) for row in records("activity", cwd=at)],
            [
                ("account:gates/x", "gates:/gate7/a%2Fb", 1, "2026-06-03T06:00:00Z"),
                ("identity:ann", "gates:/gate7/north door", 3, "2026-06-02T08:00:00Z"),
            ],
        )
        self.assertEqual(len(records("activity", "--by", "ann", "--since", "2026-06-03", cwd=at)), 0)
        (at / "logs" / "1.log").unlink()
        run("gather", cwd=at)
        self.assertEqual(len(records("list", "activity", cwd=at)), 3)

    def test_json_lines_become_activity(self):
        mapping = '\n[[source]]\nname = "log"\nkind = "activity"\npath = "log.jsonl"\n[source.log]\n'
        mapping += 'columns = { "who.id" = "identity", "at" = "time", "verb" = "action" }\n'
        mapping += 'build = { resource = "gates:/{place}" }\n'
        at = lay_out(self.folder / "office", PEOPLE, mapping=mapping)
        event = {"who": {"id": "ann"}, "at": "2026-06-01T08:00:00Z", "verb": "open", "place": "x"}
        deep = "[" * 100_000
        lines = [
            json.dumps(event),
            "not json",
            json.dumps([1]),
            deep,
            '{"a": 1, "a": 2}',
            '{"a": NaN}',
            json.dumps(event),
        ]
        lines.append(f'{{"a": {"9" * 5000}}}')
        (at / "log.jsonl").write_text("\n".join(lines) + "\n")
        run("gather", cwd=at)
        self.assertEqual([row["count"] for row in records("list", "activity", cwd=at)], [2])
        reasons = [
            row["reason"] for row in records("gather", "log", "--problems", cwd=at) if row["file"] == "log.jsonl"
        ]
        for expected in ("is no JSON", "is no object", "nested too deeply", "names a key twice", "holds NaN"):
            self.assertTrue(any(expected in reason for reason in reasons), (expected, reasons))


if __name__ == "__main__":
    unittest.main()
