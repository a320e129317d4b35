"""What several tests need: catalogues as plain records, made into the engine's state, and hypothesis-made ones."""

import json
import os
import subprocess
from pathlib import Path

from hypothesis import HealthCheck, Phase, settings
from hypothesis import strategies as st

from kathodos.engine.compiled.compile import compile_index
from kathodos.model.kinds import BY_NAME, GATHERED
from kathodos.model.rows import Rows
from kathodos.store.records import InMemory
from tests import forks, stores

COMMAND = forks.COMMAND
NOW = "2026-06-15T12:00:00Z"
SEARCH = int(os.environ.get("KATHODOS_SEARCH", "0"))


def searching(examples, shrinks=True):
    """How hypothesis searches: a quarter, the same at each run, or, in `make search`, so many times as many at random.

    `shrinks`: whether what fails is made small; not where each example takes long.
    """
    return settings(
        max_examples=examples * SEARCH if SEARCH else max(examples // 4, 5),
        derandomize=not SEARCH,
        deadline=None,
        suppress_health_check=list(HealthCheck),
        phases=[it for it in Phase if shrinks or it is not Phase.shrink],
    )


def state_of(catalogue):
    """The engine's state for {kind name: [{column: value}]}; absent columns take the kind's defaults."""
    state = {}
    for kind in GATHERED:
        records = catalogue.get(kind.name, [])
        defaults = {column.name: column.default for column in kind.columns}
        columns = {name: [record.get(name, defaults.get(name)) for record in records] for name in kind.names}
        if kind.open_ended:
            columns["attributes"] = [further(kind, record) for record in records]
        state[kind.name] = Rows(kind, list(range(1, len(records) + 1)), {**columns, "source": [None] * len(records)})
    return state


def index_of(catalogue):
    """The engine's index of {kind name: [{column: value}]}."""
    return compile_index(InMemory(state_of(catalogue)))


def basis_of(catalogue, moment=NOW):
    """What findings are made of, for {kind name: [{column: value}]} at a moment."""
    from datetime import datetime

    from kathodos.analysis.basis import Basis
    from kathodos.model.times import microseconds

    state = state_of(catalogue)
    return Basis(InMemory(state), compile_index(InMemory(state)), microseconds(datetime.fromisoformat(moment)))


def rules_of(text):
    """The rules of one file."""
    from kathodos.model.toml import toml_text
    from kathodos.rules.reading import read_rules

    return read_rules([toml_text("rules/r.toml", text)])


def rule_of(duties, name="R", **more):
    """A conflict rule of duties that are lists of permissions, each an action and a pattern."""
    from kathodos.model.addresses import parse_pattern
    from kathodos.rules.reading import Conflicting, Duty, Permission

    parts = ([Permission(action, parse_pattern(pattern)) for action, pattern in duty] for duty in duties)
    return Conflicting(name, "", "", duties=tuple(Duty(f"d{at}", tuple(it)) for at, it in enumerate(parts)), **more)


def naming_actions(catalogue):
    """The catalogue with every action listed that a grant or a role names: it does not go with the last of these."""
    from tests.reference import Reference

    listed, reference = {(row["system"], row["action"]) for row in catalogue["actions"]}, Reference(catalogue)
    known = {(system, name) for system in reference.systems for name in reference.actions(system)}
    more = [{"system": system, "action": name} for system, name in sorted(known - listed)]
    return {**catalogue, "actions": [*catalogue["actions"], *more]}


def record_of(kind, record):
    """The record with every column; absent ones take the kind's defaults."""
    defaults = {column.name: column.default for column in kind.columns}
    full = {name: record.get(name, defaults.get(name)) for name in kind.names}
    return {**full, "attributes": further(kind, record)} if kind.open_ended else full


def further(kind, record):
    more = {name: value for name, value in record.items() if name not in kind.names}
    return json.dumps(more) if more else None


def write_tables(folder, catalogue):
    """The records as the CSV tables of the file formats."""
    import csv

    folder.mkdir(parents=True, exist_ok=True)
    for name, records in catalogue.items():
        header = list(dict.fromkeys(key for record in records for key in record)) or list(BY_NAME[name].key)
        with (folder / f"{name}.csv").open("w", newline="", encoding="utf-8") as file:
            writer = csv.DictWriter(file, header)
            writer.writeheader()
            writer.writerows(records)


def surroundings(now=NOW):
    """The variables that a command is given."""
    if stores.ON_POSTGRES:
        stores.cache()
    return {"KATHODOS_NOW": now or "", "COLUMNS": "120"}


def placed(words):
    """A command; a workspace that it makes has its store where the tests keep theirs."""
    url = stores.new_url() if words[0] == "init" and "--store" not in words else None
    return [*words, "--store", url] if url else words


def run(*words, cwd, status=0, stdin=None, now=NOW, **variables):
    """Runs the installed command as a user would and checks its status; gives what it printed, and its errors.

    In a fork of a process that is ready for it, or, where it is told something, started anew. Where stores are
    databases, as `inside`: starting the command is tested on files.
    """
    if stores.ON_POSTGRES and stdin is None:
        return inside(*words, cwd=cwd, status=status, now=now, **variables)
    environment = {**os.environ, **surroundings(now), **variables}
    if stdin is None:
        done = forks.run(placed(words), cwd, environment)
    else:
        whole, options = [COMMAND, *map(str, placed(words))], {"capture_output": True, "encoding": "utf-8"}
        done = subprocess.run(whole, cwd=cwd, env=environment, input=stdin, **options)
    if status is not None and done.returncode != status:
        raise AssertionError(f"{words} gave {done.returncode}, not {status}\n{done.stdout}\n{done.stderr}")
    if "Traceback" in done.stderr:
        raise AssertionError(done.stderr)
    return done


def at_once(*calls, cwd, now=NOW, **variables):
    """Starts several commands at the same time, each in a process; gives what each did, once all are done."""
    environment = {**os.environ, **surroundings(now), **variables}
    begun = [
        subprocess.Popen(
            [COMMAND, *words],
            cwd=cwd,
            env=environment,
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            text=True,
            encoding="utf-8",
        )
        for words in calls
    ]
    said = [it.communicate() for it in begun]
    return [subprocess.CompletedProcess(it.args, it.returncode, *text) for it, text in zip(begun, said, strict=True)]


def records(*words, cwd, **options):
    """What the command prints as JSON Lines, read."""
    done = run(*words, "--format", "jsonl", cwd=cwd, **options)
    return [json.loads(entry) for entry in done.stdout.splitlines()]


def inside(*words, cwd, status=0, now=NOW, **variables):
    """As `run`, in this process: the same parser and the same answers, without starting Python anew."""
    import contextlib
    import io
    from types import SimpleNamespace
    from unittest import mock

    from kathodos.cli.main import main

    environment = {**surroundings(now), **variables}
    out, said, before = io.StringIO(), io.StringIO(), Path.cwd()
    os.chdir(cwd)
    try:
        with (
            mock.patch.dict(os.environ, environment),
            contextlib.redirect_stdout(out),
            contextlib.redirect_stderr(said),
        ):
            try:
                code = main([str(word) for word in placed(words)])
            except SystemExit as stopped:
                code = stopped.code
    finally:
        os.chdir(before)
    if status is not None and code != status:
        raise AssertionError(f"{words} gave {code}, not {status}\n{out.getvalue()}\n{said.getvalue()}")
    return SimpleNamespace(stdout=out.getvalue(), stderr=said.getvalue(), returncode=code)


def records_inside(*words, cwd, **options):
    """What the command prints as JSON Lines, asked in this process."""
    return [json.loads(entry) for entry in inside(*words, "--format", "jsonl", cwd=cwd, **options).stdout.splitlines()]


_SYSTEMS = ("s", "t")
_ACTIONS = ("view", "edit", "own")
# Few places and many that fit them, so that permits and denies meet; what takes part away is rare.
_PLACES = ("s:/", "s:/a", "s:/a/b", "s:/a/b/c", "s:/a/b/ab", "s:/a/ab", "s:/b", "t:/", "t:/a", "t:/a/b")
_WILD = (
    "s:/**",
    "s:/a/**",
    "s:/a/b/**",
    "s:/*",
    "s:/a/*",
    "s:/*/b",
    "s:/**/b",
    "s:/a*/**",
    "s:/**/ab",
    "s:/**/*",
    "t:/**",
    "t:/*/b",
)
_DAYS = (*[None] * 12, "2026-06-14", "2026-06-15", "2026-06-16", "2026-06-15T12:00:00Z", "2026-06-15T12:00:01Z")
_GATES = (*[None] * 8, "dir=view", "dir=edit")
_WAYS = ("deny-overrides", "permit-overrides", "first-applicable", "nearest")


def _rarely(value, *usual):
    """Mostly one of the usual values, sometimes this one."""
    return st.sampled_from((*usual * 4, value))


@st.composite
def catalogues(
    draw, scopes=(*[None] * 12, *_PLACES[:7], *_WILD[:6], *["area:x", "area:y"] * 2), paths=_WAYS, gates=_GATES
):
    """A small catalogue with every feature: nesting, cycles, denies, detached resources, dates, areas, gates.

    `scopes`, `ways` of combining and `gates` narrow it to what a test is about.
    """
    address, pattern = st.sampled_from(_PLACES), st.sampled_from((*_PLACES, *_WILD))
    action = st.sampled_from((*_ACTIONS, "view", "*"))
    people, groups, roles = ["p1", "p2", "p3"], ["g1", "g2", "g3"], ["r1", "r2", "r3"]
    effect, days = st.sampled_from(("permit", "permit", "deny")), st.sampled_from(_DAYS)
    members = [*(f"identity:{name}" for name in people), "account:s/l1", "account:s/l2"]
    members += [f"group:s/{name}" for name in groups]
    gives = st.sampled_from([f"role:s/{name}" for name in roles]) | st.builds("{} {}".format, action, pattern)
    where = st.sampled_from(scopes)
    holder = st.sampled_from((*["identity:p1"] * 3, *members, *["everyone"] * 3))

    def each(key, names, **columns):
        return [{**draw(st.fixed_dictionaries(columns)), key: name} for name in names]

    def some(key, least, most, **columns):
        rows = draw(st.lists(st.fixed_dictionaries(columns), min_size=least, max_size=most))
        return unique(key, rows)

    return {
        "systems": each(
            "system",
            _SYSTEMS,
            combining=st.sampled_from(paths),
            inherit=_rarely(0, 1),
            gates=st.sampled_from(gates),
        ),
        "identities": each(
            "id",
            people,
            status=_rarely("suspended", "active"),
            starts=days,
            ends=days,
            department=st.sampled_from((None, "Dock", "Crane")),
        ),
        "accounts": [
            {**row, "system": "s"}
            for row in each(
                "login",
                ("l1", "l2"),
                identity=st.sampled_from((None, *people)),
                status=_rarely("disabled", "enabled"),
            )
        ],
        "groups": [
            {**row, "system": "s"}
            for row in each(
                "group", groups, filter=st.sampled_from((None, None, 'department eq "dock"', "department pr"))
            )
        ],
        "members": some(
            ("group", "member"),
            1,
            7,
            system=st.just("s"),
            group=st.sampled_from(groups),
            member=st.sampled_from(members),
        ),
        "roles": [{**row, "system": "s"} for row in each("role", roles, active=_rarely(0, 1))],
        "role_juniors": some(
            ("role", "junior"),
            0,
            4,
            system=st.just("s"),
            role=st.sampled_from(roles),
            junior=st.sampled_from([f"role:s/{name}" for name in roles]),
        ),
        "role_permissions": some(
            ("role", "action", "resource", "effect"),
            1,
            7,
            system=st.just("s"),
            role=st.sampled_from(roles),
            action=action,
            resource=pattern,
            effect=effect,
        ),
        "actions": some(
            ("system", "action"),
            0,
            4,
            system=st.sampled_from(("s", "s", "t")),
            action=st.sampled_from(_ACTIONS),
            kind=st.sampled_from((None, "read", "write")),
            implies=st.sampled_from((None, "view", "edit", "edit;view", "own")),
        ),
        "resources": some(
            ("resource",),
            4,
            9,
            resource=address,
            type=st.sampled_from((None, "dir", "file")),
            detached=st.sampled_from((0, 0, 1)),
        ),
        "areas": each(
            "area",
            ("x", "y"),
            resources=st.lists(pattern, min_size=1, max_size=3).map(";".join),
            **{
                "except": st.sampled_from((None, None, None, *_PLACES[1:7], *_WILD[1:5])),
                "filter": st.sampled_from((None, None, None, 'type eq "file"', "type pr")),
            },
        ),
        "grants": [
            {**row, "grant": f"g{at}"}
            for at, row in enumerate(
                draw(
                    st.lists(
                        st.fixed_dictionaries(
                            {
                                "holder": holder,
                                "gives": gives,
                                "on": where,
                                "effect": effect,
                                "tier": st.integers(0, 2),
                                "from": days,
                                "until": days,
                            }
                        ),
                        min_size=6,
                        max_size=14,
                    )
                )
            )
        ],
    }


def unique(key, rows):
    """The rows without those whose key an earlier one has."""
    return list({tuple(row[name] for name in key): row for row in reversed(rows)}.values())[::-1]


def lay_out(folder, catalogue, rules="", mapping=""):
    """A workspace with these tables and rules, made by the installed command but not gathered yet."""
    run("init", folder, cwd=folder.parent)
    stores.may_act(folder)
    write_tables(folder / "tables", catalogue)
    if rules:
        (folder / "rules" / "rules.toml").write_text(rules, encoding="utf-8")
    if mapping:
        with (folder / "kathodos.toml").open("a", encoding="utf-8") as file:
            file.write(mapping)
    return folder


class Scratch:
    """A folder of its own for each test."""

    def setUp(self):
        import tempfile

        self._scratch = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(self._scratch.cleanup)
        self.folder = Path(self._scratch.name).resolve()


class Prepared(Scratch):
    """A folder of its own for each test, with a copy of a workspace that the class has prepared once."""

    @classmethod
    def setUpClass(cls):
        import tempfile

        folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        cls.addClassCleanup(folder.cleanup)
        cls.prepared = cls.prepare(Path(folder.name).resolve())

    def setUp(self):
        super().setUp()
        self.here = self.folder / "work"
        stores.copied(self.prepared, self.here)


# A small office: two clerks and their head, a nested group, a conflict of one of them.
OFFICE = {
    "systems": [{"system": "dues"}, {"system": "directory"}],
    "identities": [
        {"id": "head", "name": "Hanna Head", "department": "Dues", "title": "Head", "email": "hanna@office.example"},
        {"id": "ann", "name": "Ann Clerk", "department": "Dues", "title": "Clerk", "manager": "head"},
        {"id": "bo", "name": "Bo Clerk", "department": "Dues", "title": "Clerk", "manager": "head"},
    ],
    "accounts": [
        {"system": "dues", "login": "ann1", "identity": "ann"},
        {"system": "dues", "login": "nobody", "identity": ""},
    ],
    "groups": [{"system": "directory", "group": "inner"}, {"system": "directory", "group": "outer"}],
    "members": [
        {"system": "directory", "group": "inner", "member": "identity:ann"},
        {"system": "directory", "group": "outer", "member": "group:directory/inner"},
    ],
    "roles": [{"system": "dues", "role": "setter"}, {"system": "dues", "role": "waiver"}],
    "role_permissions": [
        {"system": "dues", "role": "setter", "action": "edit", "resource": "dues:/tariffs"},
        {"system": "dues", "role": "waiver", "action": "approve", "resource": "dues:/waivers/**"},
    ],
    "actions": [
        {"system": "dues", "action": "view", "kind": "read", "implies": ""},
        {"system": "dues", "action": "edit", "kind": "write", "implies": "view"},
        {"system": "dues", "action": "approve", "kind": "approve", "implies": "view"},
    ],
    "resources": [
        {"resource": "dues:/tariffs/2026", "site": "north"},
        {"resource": "dues:/waivers/2026", "site": "north"},
        {"resource": "dues:/waivers/2025", "site": "south"},
    ],
    "grants": [
        {"grant": "g1", "holder": "identity:ann", "gives": "role:dues/setter", "until": "", "reason": "first day"},
        {"grant": "g2", "holder": "group:directory/outer", "gives": "role:dues/waiver", "until": "", "reason": ""},
        {"grant": "g3", "holder": "identity:bo", "gives": "view dues:/tariffs", "until": "2026-06-15", "reason": ""},
        {"grant": "g4", "holder": "account:dues/nobody", "gives": "view dues:/waivers/2025", "until": "", "reason": ""},
    ],
    "activity": [
        {
            "time": "2026-05-01",
            "account": "dues/ann1",
            "action": "edit",
            "resource": "dues:/tariffs/2026",
            "record": "7",
        },
        {
            "time": "2026-05-02",
            "account": "dues/ann1",
            "action": "approve",
            "resource": "dues:/waivers/2026",
            "record": "7",
        },
    ],
}
OFFICE_RULES = """
topic = "Dues"
[[conflict]]
id = "D-1"
title = "Sets tariffs and waives dues"
severity = "high"
within = "site"
[[conflict.duty]]
name = "set"
any = ["edit dues:/tariffs/**"]
[[conflict.duty]]
name = "waive"
any = ["approve dues:/waivers/**"]
[[need]]
id = "N-1"
title = "Clerks set tariffs"
who = 'title eq "Clerk"'
must = ["edit dues:/tariffs"]
"""


def carried_out(workspace, now=NOW, source="files"):
    """Carries all open orders out as a source's side does: puts corrected tables in place; gives what a gather says."""
    number = 1
    while (workspace / f"enacted-{number}").exists():
        number += 1
    inside("enact", "--by", "tables", "--out", f"enacted-{number}", "--yes", cwd=workspace, now=now)
    for file in (workspace / f"enacted-{number}" / source).iterdir():
        (workspace / "tables" / file.name).write_bytes(file.read_bytes())
    return inside("gather", cwd=workspace, now=now).stdout
