#!/usr/bin/env python3
"""Makes the workspace that is kept of a version, with something of each kind of record, and of each file that lasts.

    tools/landed.py FOLDER      makes FOLDER with the command of this installation

It is run once for each version, before that is given out; tests/landed/ keeps what it made, which later versions open,
ask, verify, bring up and write to for ever. What it lays out goes by the commands that a user has; where a later
version calls one otherwise, the line here is altered, and what was made before stays as it is.
"""

from __future__ import annotations

import json
import os
import shlex
import shutil
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

from tests.packets import answers_to, saved

COMMAND = Path(sys.executable).parent / "kathodos"
OFFICE = Path(__file__).resolve().parent / "office"  # where another user and host stand in for those of this machine
TABLES = '''
-- systems
system,title,owner
dues,Harbour dues,head
directory,Directory,head
-- identities
id,name,department,title,manager,email,status,site
head,Hanna Head,Dues,Head,,hanna@office.example,active,north
ann,Ann Clerk,Dues,Clerk,head,ann@office.example,active,north
bo,Bo Clerk,Dues,Clerk,head,bo@office.example,active,south
cy,"Cyd ""Chief"" ; Ünal",Dues,Deputy,head,cy@office.example,active,
twice,Bo Clerk,Dues,Clerk,head,bo.clerk@office.example,active,south
gone,Gus Gone,Dues,Clerk,head,,left,
bot,Night job,,,head,,active,
-- accounts
system,login,identity,status,last_login
dues,ann1,ann,enabled,2026-05-01
dues,bo1,,enabled,
dues,shared,,enabled,
dues,bot1,bot,enabled,
dues,lost,nobody-there,enabled,
-- groups
system,group,title,filter
directory,clerks,Clerks,"title eq ""Clerk"""
directory,inner,Inner,
-- members
system,group,member
directory,inner,identity:cy
directory,inner,account:dues/bot1
-- roles
system,role,title,active
dues,setter,Sets tariffs,true
dues,waiver,Waives,true
dues,reader,Reads,true
dues,old,Of old,false
-- role_juniors
system,role,junior
dues,setter,reader
-- actions
system,action,kind,implies
dues,view,read,
dues,edit,write,view
dues,approve,approve,view
-- role_permissions
system,role,action,resource,effect
dues,setter,edit,dues:/tariffs/**,permit
dues,waiver,approve,dues:/waivers/**,permit
dues,reader,view,dues:/**,permit
dues,reader,view,dues:/board,deny
-- resources
resource,type,sensitivity,detached,tags,refers,site
dues:/tariffs/2026,tariff,2,,year;open,,north
dues:/waivers/2026,waiver,1,,,dues:/tariffs/2026,north
dues:/waivers/2025,waiver,1,,,,south
dues:/board,,3,true,,,
-- areas
area,resources,except,filter
north,dues:/**,dues:/board,"site eq ""north"""
-- grants
grant,holder,gives,on,effect,tier,from,until,given_by,given_at,reason,last_used
g1,identity:ann,role:dues/setter,area:north,permit,0,,,head,2025-01-01,first day,2026-05-01
g2,identity:ann,role:dues/waiver,,permit,0,,,,,,
g3,identity:bo,role:dues/waiver,,permit,0,2026-01-01,2027-01-31,,,,
g4,account:dues/shared,view dues:/waivers/2025,,permit,1,,,,,,
g5,group:directory/clerks,role:dues/reader,,permit,0,,,,,,
g6,everyone,view dues:/board,,deny,0,,,,,,
g7,identity:gone,role:dues/reader,,permit,0,,,,,,
g8,identity:twice,view dues:/tariffs/2026,,permit,0,,,,,,
g9,identity:nobody-there,role:dues/reader,,permit,0,,,,,,
-- mandates
holder,roles,area,for,may
identity:head,role:dues/*,,,give;take
identity:r.lund,role:dues/*,,,give;take
-- activity
time,account,action,resource,record,task,count
2026-05-01,dues/ann1,edit,dues:/tariffs/2026,7,tariffs,2
2026-05-02,dues/ann1,approve,dues:/waivers/2026,7,,1
2026-05-03,dues/bot1,view,dues:/tariffs/2026,,,40
'''
OTHERS = {"identities": "id,name,department\nann,Ann A. Clerk,Tolls\n"}
CONFIGURATION = """
[[source]]
name = "hr"
kind = "tables"
path = "hr"

[precedence.identities]
name = ["hr", "files"]

[[may]]
who = ["r.lund", "head", "ann", "bo", "cy"]
acts = [
  "gather", "tie", "merge", "open reviews", "close reviews", "exchange packets", "cover", "compose", "apply", "enact",
  "ask", "decide requests", "tend requests", "mark",
]

[enact.dues]
by = "tables"
within = "P7D"

[requests]
approve = ["manager"]
"""
RULES = """
topic = "Dues"
[[conflict]]
id = "D-1"
title = "Sets tariffs and waives dues"
severity = "high"
within = "site"
[[conflict.duty]]
name = "set tariffs"
any = ["edit dues:/tariffs/**"]
[[conflict.duty]]
name = "waive dues"
any = ["approve dues:/waivers/**"]

[[fence]]
id = "D-2"
title = "The board's papers stay with the board"
who = 'title eq "Clerk"'
never = ["* dues:/board"]

[[need]]
id = "D-3"
title = "Clerks read tariffs"
who = 'title eq "Clerk"'
must = ["view dues:/tariffs/2026"]
"""
CONTROLS = """
[[control]]
id = "C-1"
title = "A second look"
owner = "head"
does = "The head looks at every waiver."
period = "P30D"
"""
KIT = """
title = "Summer on the quay"
owner = "head"
lasts = "P3M"
longest = "P6M"
says = ["which quay"]

[[gives]]
role = "dues/reader"

[[gives]]
group = "directory/inner"

[[approve]]
by = ["manager"]
"""
DECLARED = """
where = 'department eq "Dues"'
reviewers = ["manager"]
every = "P6M"
due = "P14D"
"""
WHAT_IF = """
# Bo sets tariffs too.
[[add]]
kind = "grants"
holder = "identity:bo"
gives = "role:dues/setter"

[[end]]
kind = "grants"
grant = "g2"
"""
FIRST, THEN, LATER, LAST = (f"2026-06-{day}T09:00:00Z" for day in ("01", "02", "15", "20"))
BEFORE_ANSWERS = (
    (FIRST, "gather --as r.lund"),
    (FIRST, "baseline mark first --as r.lund --reason 'the first state'"),
    (FIRST, "tie dues/bo1 bo --as r.lund --reason 'asked him'"),
    (FIRST, "tie dues/shared nobody --responsible head --as r.lund"),
    (FIRST, "control add C-2 --owner head --does 'asks the harbour master' --every P30D --as head"),
    (FIRST, "control confirm C-1 --as head --reason 'nothing found'"),
    (FIRST, "conflicts cover D-1/ann --control C-1 --until 2026-12-31 --as head --reason 'no second clerk' --yes"),
    (FIRST, "kit read --as r.lund --reason 'the season' --yes"),
    (THEN, "review open spring --where 'department pr' --by-manager --due 2026-06-30 --as r.lund --yes"),
    (THEN, "review ask 1 --of ann --say 'Do you still?' --as head"),
    (THEN, "review answer 1 --say 'Yes.' --as ann"),
    (THEN, "review packets spring --out packets --form both --as r.lund"),
)
REST = (
    (LATER, "review take answers-spring.json --as r.lund"),
    (LATER, "review decide all certify --review spring --as head --reason 'seen'"),
    (LATER, "review close spring --as r.lund --yes --reason 'spring review'"),
    (LATER, "review report spring --out report-spring"),
    (LATER, "enact --by tables --out enacted --yes --as r.lund"),
    (LATER, "gather --as r.lund"),  # of the corrected tables: what was ordered is there
    (LATER, "change give role:dues/waiver --to cy --until 2026-12-31 --as head --reason 'stands in' --yes"),
    (LATER, "change give role:dues/setter --to bo --into idea --as head"),
    (LATER, "role combine dues/all dues/setter dues/waiver --title All --as head --yes"),
    (LATER, "role export dues/setter dues/reader --to roles.json --as head"),
    (LATER, "people merge twice bo --as r.lund --reason 'one person' --yes"),
    (LATER, "request ask quay-summer --say 'which quay=the north one' --reason 'rota' --as ann --yes"),
    (LATER, "request ask-back 1 --say 'Until when?' --as head"),
    (LATER, "request answer 1 --say 'September.' --as ann"),
    (LATER, "request grant 1 --as head --reason 'for the summer' --yes"),
    (LATER, "request ask 'view dues:/tariffs/2026' --reason 'curious' --as cy --yes"),
    (LATER, "request deny 2 --as head --reason 'not needed'"),
    (LATER, "request ask role:dues/reader --reason 'stands in' --as cy --yes"),
    (LAST, "gather --as r.lund"),
    (LAST, "review open summer --where 'title eq \"Clerk\"' --by-manager --due 2026-07-31 --as r.lund --yes"),
    (LAST, "review packets summer --out packets-summer --as r.lund"),
    (LAST, "request packets --out packets-requests --as r.lund"),
    (LAST, "baseline mark last --as r.lund"),
)


def run(folder: Path, now: str, command: str) -> str:
    """What a command prints, given as one writes it."""
    environment = {**os.environ, "KATHODOS_NOW": now, "COLUMNS": "120", "PYTHONPATH": str(OFFICE)}
    done = subprocess.run([COMMAND, *shlex.split(command)], cwd=folder, env=environment, capture_output=True, text=True)
    if done.returncode not in (0, 1) or "Traceback" in done.stderr:
        raise SystemExit(f"{command} ended with {done.returncode}\n{done.stdout}{done.stderr}")
    return done.stdout


def tables() -> Iterator[tuple[str, str]]:
    """Each table by name, as a file."""
    for part in TABLES.split("-- ")[1:]:
        name, _, text = part.partition("\n")
        yield name, text


def lay_out(folder: Path) -> None:
    """The workspace with its files, before anything is gathered."""
    run(folder.parent, FIRST, f"init {folder.name}")
    file = folder / "kathodos.toml"
    lines = file.read_text(encoding="utf-8").splitlines()
    lines = ['names = ["r.lund"]' if line.startswith("names = ") else line for line in lines]
    file.write_text("\n".join([*lines, CONFIGURATION]), encoding="utf-8")
    texts = {"rules/dues.toml": RULES, "controls.toml": CONTROLS, "kits/quay-summer.toml": KIT}
    texts |= {"reviews/twice-a-year.toml": DECLARED, "what-if.toml": WHAT_IF}
    texts |= {f"tables/{name}.csv": text for name, text in tables()}
    texts |= {f"hr/{name}.csv": text for name, text in OTHERS.items()}
    for name, text in texts.items():
        (folder / name).parent.mkdir(exist_ok=True)
        (folder / name).write_text(text.lstrip("\n"), encoding="utf-8")


def answered(folder: Path, packet: str, file: str, decisions: dict[int, dict[str, str]]) -> None:
    """The answers that somebody gives in the page of a packet."""
    saved(folder / file, answers_to(folder / packet, *({"line": line, **it} for line, it in decisions.items())))


def make(folder: Path) -> None:
    """The whole workspace."""
    lay_out(folder)
    for now, command in BEFORE_ANSWERS:
        run(folder, now, command)
    lines = {it["gives"]: it for it in listed(folder, THEN, "review lines spring") if it["identity"] == "ann"}
    taken = lines["role:dues/waiver"]["line"]
    answered(
        folder, "packets/head.html", "answers-spring.json", {taken: {"decision": "revoke", "reason": "one is enough"}}
    )
    for now, command in REST:
        is_confirming = (now, command) == (LATER, "gather --as r.lund")
        if is_confirming:
            shutil.copytree(folder / "tables", folder / "before")
            shutil.copytree(folder / "enacted" / "files", folder / "tables", dirs_exist_ok=True)
        run(folder, now, command)
        if is_confirming:  # somebody puts the tables back, so that what was revoked returns
            shutil.rmtree(folder / "tables")
            (folder / "before").rename(folder / "tables")
    (first, *_) = (it["line"] for it in listed(folder, LAST, "review lines summer"))
    answered(folder, "packets-summer/head.html", "answers-summer.json", {first: {"decision": "certify"}})
    answered(folder, "packets-requests/head.html", "answers-requests.json", {3: {"decision": "grant", "reason": "yes"}})
    (folder / "head.json").write_text(run(folder, LAST, "ledger head --format jsonl"), encoding="utf-8")
    (folder / "known.json").write_text(json.dumps(known(folder), indent=1) + "\n", encoding="utf-8")


def clean(folder: Path) -> None:
    """Takes away what is made anew, and what was only on the way."""
    for name in ("catalogue.db.computed", "outbox", "enacted"):
        shutil.rmtree(folder / name, ignore_errors=True)
    (folder / "computed.key").unlink(missing_ok=True)


def dumped(folder: Path) -> str:
    """The same store in a database, as a program of PostgreSQL's writes it out."""
    from tests.servers import Postgres

    server = Postgres()
    try:
        server.create("landed")
        copy = folder.with_name(f"{folder.name}-copied")
        shutil.copytree(folder, copy)
        os.environ["XDG_CACHE_HOME"] = str(server.folder / "cache")
        run(copy, LAST, f"store copy {server.url('landed')}")
        shutil.rmtree(copy)
        where = ["--host", str(server.folder), "--port", str(server.port), "--username", "postgres", "landed"]
        words = [str(server.programs / "pg_dump"), "--inserts", "--no-owner", "--no-privileges", *where]
        text = subprocess.run(words, capture_output=True, text=True, check=True).stdout
    finally:
        server.close()
    return "".join(it for it in text.splitlines(keepends=True) if not it.startswith(("\\restrict", "\\unrestrict")))


def known(folder: Path) -> dict[str, object]:
    """What is so in whatever version: who reaches what, and how many records of each kind there are."""
    from kathodos.model.kinds import KINDS

    who = [it["ref"] for kind in ("identities", "accounts") for it in listed(folder, LAST, f"list {kind}")]
    reach = {it: sorted(_pairs(folder, it)) for it in who}
    counts = {it.name: len(listed(folder, LAST, f"list {it.name}")) for it in KINDS}
    return {"reach": reach, "counts": counts}


def _pairs(folder: Path, who: str) -> list[str]:
    return [f"{it['action']} {it['resource']}" for it in listed(folder, LAST, f"reach --by {who}")]


def listed(folder: Path, now: str, command: str) -> list[dict[str, str]]:
    """What a command prints as JSON Lines."""
    return [json.loads(line) for line in run(folder, now, f"{command} --format jsonl").splitlines()]


def lacking(folder: Path) -> list[str]:
    """The kinds of which nothing was ever kept."""
    import sqlite3
    from contextlib import closing

    from kathodos.model.kinds import KINDS

    with closing(sqlite3.connect(folder / "catalogue.db")) as connection:
        connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        counts = {it.name: connection.execute(f'SELECT count(*) FROM "{it.name}"').fetchone()[0] for it in KINDS}
        connection.execute("PRAGMA journal_mode=DELETE")
        connection.execute("VACUUM")
        connection.execute("PRAGMA journal_mode=WAL")
    for end in ("-wal", "-shm"):
        (folder / f"catalogue.db{end}").unlink(missing_ok=True)
    return [name for name, count in counts.items() if not count]


if __name__ == "__main__":
    here = Path(sys.argv[1]).resolve()
    make(here)
    print("Nothing of:", ", ".join(lacking(here)) or "no kind")
    (here / "postgres.sql").write_text(dumped(here), encoding="utf-8", newline="")
    clean(here)
