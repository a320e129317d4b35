"""What several tests need: catalogues as plain records, made into the engine's state, and hypothesis-made ones."""

import json
import os
import subprocess
import sys
from pathlib import Path

from hypothesis import strategies as st

from kathodos.catalogue.kinds import BY_NAME, GATHERED
from kathodos.catalogue.store import Rows

COMMAND = Path(sys.executable).parent / "kathodos"
NOW = "2026-06-15T12:00:00Z"


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


def run(*words, cwd, status=0, stdin=None, now=NOW, **variables):
    """Runs the installed command as a user would and checks its status; gives what it printed, and its errors."""
    environment = {**os.environ, "KATHODOS_NOW": now or "", "COLUMNS": "120", **variables}
    done = subprocess.run(
        [COMMAND, *map(str, words)],
        cwd=cwd,
        env=environment,
        input=stdin,
        capture_output=True,
        text=True,
        encoding="utf-8",
    )
    if status is not None and done.returncode != status:
        raise AssertionError(f"{words} gave {done.returncode}, not {status}\n{done.stdout}\n{done.stderr}")
    if "Traceback" in done.stderr:
        raise AssertionError(done.stderr)
    return done


def records(*words, cwd, **options):
    """What the command prints as JSON Lines, read."""
    done = run(*words, "--format", "jsonl", cwd=cwd, **options)
    return [json.loads(line) for line in done.stdout.splitlines()]


_SYSTEMS = ("s", "t")
_SEGMENTS = ("a", "b", "ab")
_ACTIONS = ("view", "edit", "own")
_DAYS = (None, "2026-06-14", "2026-06-15", "2026-06-16", "2026-06-15T12:00:00Z", "2026-06-15T12:00:01Z")


def _some(strategy, most):
    return st.lists(strategy, max_size=most)


def _optional(strategy):
    return st.none() | strategy


@st.composite
def catalogues(draw):
    """A small catalogue with every feature: nesting, cycles, denies, detached resources, dates, areas, gates."""
    path = st.lists(st.sampled_from(_SEGMENTS), max_size=3).map("/".join)
    address = st.builds("{}:/{}".format, st.sampled_from(_SYSTEMS), path)
    wild = st.lists(st.sampled_from((*_SEGMENTS, "*", "**", "a*")), min_size=1, max_size=3).map("/".join)
    pattern = address | st.builds("{}:/{}".format, st.sampled_from(_SYSTEMS), wild)
    action = st.sampled_from((*_ACTIONS, "*"))
    people, groups, roles = ["p1", "p2", "p3"], ["g1", "g2", "g3"], ["r1", "r2", "r3"]
    effect = st.sampled_from(("permit", "permit", "deny"))
    days = st.sampled_from(_DAYS)
    accounts = [f"account:s/{login}" for login in ("l1", "l2")]
    members = [f"identity:{name}" for name in people] + accounts + [f"group:s/{name}" for name in groups]
    department = _optional(st.sampled_from(("Dock", "Crane")))
    gives = st.sampled_from([f"role:s/{name}" for name in roles]) | st.builds("{} {}".format, action, pattern)
    where = st.none() | pattern | st.sampled_from(("area:x", "area:y"))
    holder = st.sampled_from([*members, "everyone"])
    resource_filter = _optional(st.sampled_from(('type eq "file"', "type pr")))
    group_filter = _optional(st.sampled_from(('department eq "dock"', "department pr")))
    ways = ("deny-overrides", "permit-overrides", "first-applicable", "nearest")

    def table(key, **columns):
        return draw(_some(st.fixed_dictionaries(columns), 6).map(lambda rows: unique(key, rows)))

    return {
        "systems": [
            {
                "system": name,
                "combining": draw(st.sampled_from(ways)),
                "inherit": draw(st.sampled_from((1, 1, 0))),
                "gates": draw(st.sampled_from((None, None, "dir=view", "dir=edit"))),
            }
            for name in _SYSTEMS
        ],
        "identities": [
            {
                "id": name,
                "status": draw(st.sampled_from(("active", "active", "suspended"))),
                "starts": draw(days),
                "ends": draw(days),
                "department": draw(department),
            }
            for name in people
        ],
        "accounts": [
            {
                "system": "s",
                "login": login,
                "identity": draw(_optional(st.sampled_from(people))),
                "status": draw(st.sampled_from(("enabled", "disabled"))),
            }
            for login in ("l1", "l2")
        ],
        "groups": [{"system": "s", "group": name, "filter": draw(group_filter)} for name in groups],
        "members": table(
            ("group", "member"), system=st.just("s"), group=st.sampled_from(groups), member=st.sampled_from(members)
        ),
        "roles": [{"system": "s", "role": name, "active": draw(st.sampled_from((1, 1, 0)))} for name in roles],
        "role_juniors": table(
            ("role", "junior"),
            system=st.just("s"),
            role=st.sampled_from(roles),
            junior=st.sampled_from([f"role:s/{name}" for name in roles]),
        ),
        "role_permissions": table(
            ("role", "action", "resource", "effect"),
            system=st.just("s"),
            role=st.sampled_from(roles),
            action=action,
            resource=pattern,
            effect=effect,
        ),
        "actions": table(
            ("system", "action"),
            system=st.sampled_from(_SYSTEMS),
            action=st.sampled_from(_ACTIONS),
            implies=_optional(_some(st.sampled_from(_ACTIONS), 2).map(lambda names: ";".join(sorted(set(names))))),
        ),
        "resources": table(
            ("resource",),
            resource=address,
            type=_optional(st.sampled_from(("dir", "file"))),
            detached=st.sampled_from((0, 0, 1)),
        ),
        "areas": [
            {
                "area": name,
                "resources": draw(st.lists(pattern, min_size=1, max_size=2).map(";".join)),
                "except": draw(_optional(pattern)),
                "filter": draw(resource_filter),
            }
            for name in ("x", "y")
        ],
        "grants": [
            {**row, "grant": f"g{at}"}
            for at, row in enumerate(
                draw(
                    _some(
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
                        7,
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
