"""The walk through the whole round on the made-up harbour, each command printed before it is run."""

from __future__ import annotations

import contextlib
import os
import shlex
import shutil
import sys
import tempfile
from collections.abc import Callable, Iterator, Sequence
from importlib.resources import as_file, files
from pathlib import Path

from kathodos.demo.reviewers import answer
from kathodos.errors import CallError
from kathodos.workspace.workspace import CONFIGURATION, Workspace

Main = Callable[[Sequence[str]], int]  # what runs one command, given as its words
# With the tables as they were then.
REVIEWER = "r.lund"
Chapter = tuple[str, str, tuple[str, ...]]  # when, what it is about, and its commands
EARLIER: Chapter = (
    "2025-11-10T09:00:00Z",
    "The year before. A first gather, a review, and a conflict left standing under a control until the end of April.",
    (
        "gather --as r.lund",
        'review open annual-2025 --where \'department eq "Gates and security" or title eq "Store keeper"\' '
        "--by-manager --due 2025-11-30 --yes --as r.lund",
        "review decide 159 revoke --as p0151 --reason 'the engineer is back'",
        "review decide all certify --as p0151",
        "review decide all certify --as p0107",
        "review close annual-2025 --undecided certify --as r.lund --yes --reason 'review of 2025'",
        "enact --by tables --out enacted/2025 --yes --as r.lund",
        "cp enacted/2025/harbour/* tables/",
        "gather --as r.lund",
        "conflicts cover PERMIT-1/p0096 --control DG-4 --until 2026-04-30 --as p0001 --yes "
        "--reason 'no second officer'",
        "control confirm DG-4 --as p0001 --reason '9 of 84 permits looked at, nothing found'",
    ),
)
CHAPTERS: tuple[Chapter, ...] = (
    (
        "2026-06-15T09:00:00Z",
        "Gather. The exports of eight systems become one catalogue; what is wrong with them is set aside.",
        ("gather --as r.lund", "gather --problems", "baseline mark before-review --as r.lund --reason 'June review'"),
    ),
    (
        "2026-06-15T09:05:00Z",
        "Look and ask. Who is p0063, what may this clerk do and by which path; why may a colleague not?",
        (
            "show p0063",
            "reach --by p0063",
            "reach --by p0063 --on dues:/northmole/tariffs/2026 --do edit --trace",
            "reach --by p0067 --on dues:/northmole/tariffs/2026 --do edit --trace",
        ),
    ),
    (
        "2026-06-15T09:10:00Z",
        "Who configures crane 4? A fitter who left in April, through an account that was left enabled. "
        "And a folder cut off from its parent lets everyone in.",
        (
            "reach --on workshop:/controllers/crane-4 --do configure",
            "reach --by p0110 --on archive:/board/minutes --do read --trace",
            "reach --by p0110 --on archive:/board/agenda --do read --trace",
        ),
    ),
    (
        "2026-06-15T09:15:00Z",
        "Find what is wrong. Duties that one person must not hold together.",
        ("conflicts", "conflicts --by p0063"),
    ),
    (
        "2026-06-15T09:17:00Z",
        "Look further. An office manager is two steps from the payments; what if a membership were ended; "
        "and a grant that adds nothing.",
        (
            "reach --by p0007 --potential --on dues:/northmole/payments --do view",
            "conflicts --assume what-if.toml",
            "list grants --redundant --where 'holder eq \"identity:p0072\"' --format csv",
        ),
    ),
    (
        "2026-06-15T09:18:00Z",
        "What is beyond need, and what is lacking? Fences and needs, excess by kind, and who could climb.",
        (
            "check",
            "excess",
            "excess --kind leaver-account --kind came-back --kind hasty-review --kind export-beyond-peers",
            "escalation --format csv",
            "conflicts covers",
            "conflicts cure --topic 'Dangerous goods'",
            "risk top --most 5",
            "risk show p0162",
        ),
    ),
    (
        "2026-06-15T09:20:00Z",
        "Certify. Every line comes with its evidence; nobody decides about themselves.",
        (
            "review open june --where 'department eq \"Dues office\"' --by-manager --due 2026-06-30 --yes --as r.lund",
            "review lines june --whose p0063",
            "review ask 8 --of p0063 --say 'Do you still set tariffs?' --as p0059",
            "review answer 8 --say 'Not since the analyst is back.' --as p0063",
            "review decide 8 revoke --as p0059 --reason 'the tariff analyst is back; the waivers stay'",
            "review decide 1 certify --as p0059",
            "review decide all certify --as p0059 --reason 'works on invoices every day'",
            "review status june",
            "review close june --as r.lund --yes --reason 'June review'",
        ),
    ),
    (
        "2026-06-15T09:26:00Z",
        "Carry out. What was revoked stands until the system says otherwise: its owner gets corrected tables.",
        (
            "orders worklist",
            "enact --by tables --out enacted/june --yes --as r.lund",
            "cp enacted/june/harbour/* tables/",
            "gather --as r.lund",
        ),
    ),
    (
        "2026-06-15T09:30:00Z",
        "Prove. The revoked access is gone, nobody else lost anything, and the ledger shows who decided so.",
        (
            "reach --by p0063 --on dues:/northmole/tariffs/2026 --do edit",
            "conflicts --by p0063",
            "baseline compare before-review",
            "ledger list",
            "ledger list --subject identity:p0063",
            "ledger verify",
        ),
    ),
)
_QUARTER = " or ".join(
    f'department eq "{it}"' for it in ("Dues office", "Gates and security", "Pilotage", "Dangerous goods")
)
PUTTING_RIGHT: tuple[Chapter, ...] = (
    (
        "2026-06-22T09:00:00Z",
        "Put right. Seven guards hold the same directly: a group carries it from now on, and nobody's reach changes.",
        (
            "change to-group directory/gate-holds 'view permits:/northmole/holds' --expect nothing --yes --as r.lund "
            "--reason 'what seven guards hold is their post, not theirs'",
            "orders worklist --system permits",
        ),
    ),
    (
        "2026-06-22T09:10:00Z",
        "A new part of the gates, plate reading, that only the administrators reach. Guards are to see it: what would "
        "one of them see, without anybody signing in as her?",
        (
            "change read plates.toml --into plates --as r.lund --reason 'plate reading goes live in July'",
            "change rehearse plates",
            "reach --by p0113 --on gates:/plates --do view --assume plates",
            "change apply plates --yes --as r.lund",
        ),
    ),
    (
        "2026-06-22T09:20:00Z",
        "The deputy gets the same access as the head of dues: what was used within half a year, and nothing that "
        "would make a conflict.",
        (
            "change same-as p0059 --to p0064 --used-within P6M --into deputy --as r.lund --reason 'deputy from July'",
            "change rehearse deputy",
        ),
    ),
    (
        "2026-06-22T09:30:00Z",
        "The site head of Eelmouth may hand out two roles there and no other; a try to hand out a third is on record.",
        (
            "mandates list --by p0190",
            "mandates try p0190",
            "change give role:berths/planner --to p0004 --on area:eelmouth --until 2026-09-30 --yes --as p0190 "
            "--reason rota",
            "change give role:berths/administrator --to p0004 --on area:eelmouth --yes --as p0190 --reason quicker",
            "ledger list --kind refused",
        ),
    ),
    (
        "2026-06-22T09:40:00Z",
        "People. One was invited in March and never came, two identities are one person, a guard is suspended.",
        (
            "people list --status invited",
            "people merge p0262 p0236 --yes --as r.lund --reason 'hired by the dues office a second time'",
            "people suspend p0126 --yes --as r.lund --reason 'under inquiry'",
            "enact --by tables --out enacted/week-26 --yes --as r.lund",
            "cp enacted/week-26/harbour/* tables/",
        ),
    ),
    (
        "2026-06-23T09:00:00Z",
        "A review in packets. Reviewers without a terminal get a page each, that opens in any browser.",
        (
            f"review open quarter --where '{_QUARTER}' --by-manager --due 2026-06-27 --undecided revoke --yes "
            "--as r.lund",
            "review packets quarter --out packets/quarter --as r.lund",
        ),
    ),
    (
        "2026-06-26T16:00:00Z",
        "Two have answered, one of them in no time. One is away, and a pilot stands in for her at a terminal; one is "
        "late.",
        (
            "answer packets/quarter/p0059.html returned/p0059.json 2026-06-25T10:00:00+00:00 41 careful",
            "answer packets/quarter/p0107.html returned/p0107.json 2026-06-26T11:58:00+00:00 0.6 hasty",
            "review take returned/p0059.json returned/p0107.json --as r.lund",
            "review decide all certify --review quarter --as p0026 --reason 'all of them pilot this summer'",
            "review status quarter",
        ),
    ),
    (
        "2026-06-28T08:00:00Z",
        "The day is over. What was not decided goes to the next one up, who decides; then it is signed off, with what "
        "was seen of how it was decided, and the result is written so that it can be checked in years.",
        (
            "review escalate quarter --yes --as r.lund",
            "review decide all certify --review quarter --as p0001 --reason 'asked the head of dangerous goods'",
            "review overview quarter --by evidence",
            "review close quarter --as r.lund --yes --reason 'second quarter'",
            "review report quarter --out reports/quarter",
            "review report quarter --check reports/quarter",
        ),
    ),
    (
        "2026-06-29T09:00:00Z",
        "A week later: all of it is done, and confirmed. The guard comes back with what she had.",
        (
            "gather --as r.lund",
            "change list",
            "people list --status suspended",
            "people back p0126 --yes --as r.lund --reason 'nothing was found'",
            "enact --by tables --out enacted/week-27 --yes --as r.lund",
            "cp enacted/week-27/harbour/* tables/",
        ),
    ),
    (
        "2026-07-03T16:00:00Z",
        "Friday afternoon. Somebody empties a role by mistake.",
        (
            "sed -i '/^permits,viewer,/d' tables/role_permissions.csv",
            "gather --as r.lund",
        ),
    ),
    (
        "2026-07-06T09:00:00Z",
        "Monday. The role is put back as it was on Thursday, and only it.",
        (
            "show role:permits/viewer --history",
            "change restore role:permits/viewer --to 2026-07-02 --yes --as r.lund --reason 'emptied by mistake'",
            "enact --by tables --out enacted/week-28 --yes --as r.lund",
            "cp enacted/week-28/harbour/* tables/",
            "gather --as r.lund",
            "show role:permits/viewer --history",
        ),
    ),
)

# In the second workspace, while the services that it reads are running.
CONNECTED: tuple[Chapter, ...] = (
    (
        "2026-06-15T09:40:00Z",
        "Gather from the real world. A directory, a provisioning service, a file server, logs and a spreadsheet.",
        (
            "sources list",
            "gather --as r.lund",
            "gather --problems",
            "tie",
            "tie --open",
            "activity --on gates:/gate-a/north",
        ),
    ),
    (
        "2026-06-22T09:00:00Z",
        "A week later half of the directory's export is missing: the gather stops, and shows what would have gone.",
        ("gather directory",),
    ),
    (
        "2026-06-22T09:10:00Z",
        "Put back, a gather finds nothing new. Who reads the load tables of the cranes, and is the mask in the way?",
        (
            "gather",
            "reach --on share:/share/cranes/loads.csv --do read --format csv",
            "reach --on share:/share/cranes/loads.csv --do write --format csv",
        ),
    ),
)
_BIND = 'bind = { as = "cn=reader,dc=tarnholm,dc=example", password_from = "env:DIRECTORY_SECRET" }\n'
LIVE_DIRECTORY = (
    "2026-06-22T09:20:00Z",
    "The same directory asked live, by LDAP: two sources speak of one person now.",
    ("gather live", "show p0096"),
)
LIVE_DATABASE = (
    "2026-06-22T09:30:00Z",
    "And the database behind the payments: who may write to the table, by its own access lists?",
    ("gather payments", "reach --on payments:/postgres/public/payments --do insert"),
)
SHAPING: tuple[Chapter, ...] = (
    (
        "2026-07-01T09:00:00Z",
        "Shape roles. A planner's morning was recorded: what it touched becomes a role, with the reads that its "
        "writing needs. A task failed for want of one read, which the head's recording of it shows.",
        (
            "gather",
            "role distil berths/planner-morning --task morning --title 'A planner in the morning' --yes",
            "role against berths/planner-morning --trace failed-task.csv",
            "role against berths/planner-morning --trace failed-task.csv --add --yes",
            "enact --by tables --out enacted/morning --yes",
            "cp enacted/morning/berths/* tables/",
            "gather",
        ),
    ),
    (
        "2026-07-01T09:20:00Z",
        "Four roles become one, which knows what it was combined of. Later one of them loses a right.",
        (
            "role combine berths/plans 'berths/plan-*' --title 'Plans of all kinds' --yes",
            "enact --by tables --out enacted/combined --yes",
            "cp enacted/combined/berths/* tables/",
            "gather",
        ),
    ),
    (
        "2026-07-06T10:00:00Z",
        "The combined role is stale until it is rebuilt.",
        (
            "sed -i '/^berths,plan-tide,plan,/d' tables/role_permissions.csv",
            "gather",
            "excess --kind stale-role",
            "role combine berths/plans --rebuild --yes",
            "enact --by tables --out enacted/rebuilt --yes",
            "cp enacted/rebuilt/berths/* tables/",
            "gather",
            "excess --kind stale-role",
        ),
    ),
    (
        "2026-07-06T10:20:00Z",
        "The roles of the trial installation come to the live one in a signed file: two are new, one is the same, two "
        "are different, and one of these is left.",
        (
            "--workspace ../trial gather",
            "--workspace ../trial role export 'berths-trial/*' --to roles.json",
            "role plan roles.json --rename berths-trial=berths",
            "role take roles.json --rename berths-trial=berths --different unite --leave berths/clerk --trust {key} "
            "--yes",
            "enact --by tables --out enacted/exchanged --yes",
            "cp enacted/exchanged/berths/* tables/",
            "gather",
        ),
    ),
    (
        "2026-07-06T10:40:00Z",
        "What was given one by one: few roles that give everybody what they hold, and whom each is for.",
        ("role suggest", "role suggest --make --yes"),
    ),
)
ASKING: tuple[Chapter, ...] = (
    (
        "2026-06-30T09:00:00Z",
        "Ask for access. Kits say what is asked for and given together, who may ask and who approves.",
        (
            "cp ../tables/* tables/",
            "cp ../rules/* rules/",
            "gather",
            "kit read --yes --reason 'the summer of 2026'",
            "kit show quay-summer",
            "kit check",
        ),
    ),
    (
        "2026-06-30T10:00:00Z",
        "Three of Eelmouth ask for the summer kit, each told what it gives and who decides. A hand who comes for the "
        "season asks too, who is nobody here yet. And what would a pilot need to see who was at the gates?",
        (
            "request ask quay-summer --until 2026-08-02 --say shift=early --reason 'helps at the quay in July' --yes "
            "--as p0115",
            "request ask quay-summer --say shift=late --reason 'to see more of the harbour' --yes --as p0028",
            "request ask quay-summer --say shift=night --reason 'evenings in August' --yes --as p0118",
            "request ask visitor-desk --for 'Ada Berg, ada.berg@quay-hands.example' --reason 'works at the desk' --yes "
            "--as ada.berg@quay-hands.example",
            "request need 'view gates:/plates' --for p0028",
        ),
    ),
    (
        "2026-07-01T09:00:00Z",
        "One is granted: by her manager at a terminal, and by the site head in a page that opens in any browser. One "
        "is denied, by who stands in for the chief pilot. The guest is invited.",
        (
            "request show 1",
            "request grant 1 --yes --as p0107",
            "request packets --out packets --approver p0190 --as r.lund",
            "answer packets/p0190.html returned/p0190.json 2026-07-01T09:20:00+00:00 60 granting",
            "request take returned/p0190.json --as r.lund",
            "request deny 2 --reason 'the pilots are short of people this summer' --as p0026",
            "request grant 4 --yes --as p0107",
            "enact --by tables --out enacted/july --yes",
            "cp enacted/july/harbour/* tables/",
            "gather",
            "request held --kit quay-summer",
        ),
    ),
    (
        "2026-07-08T09:00:00Z",
        "A week later: what nobody has decided goes to the next one up, and the hand starts work.",
        ("request tend --yes", "people activate ada.berg@quay-hands.example --yes --reason 'the first day'"),
    ),
    (
        "2026-07-20T09:00:00Z",
        "Nobody decided it there either: it lapses. What ends within two weeks is told to both sides, and goes on by "
        "a new decision.",
        (
            "request tend --yes",
            "request renew 1 --until 2026-09-30 --reason 'the quay is busy until September' --yes --as p0115",
            "request grant 5 --yes --as p0107",
            "request grant 5 --yes --as p0190",
        ),
    ),
    (
        "2026-07-25T02:00:00Z",
        "At night a crane is stuck over a ship. A fitter takes what he needs at once; it is told loudly, and looked "
        "back on by somebody else.",
        (
            "request break-glass stuck-crane --reason 'crane 4 is stuck over the Astrea' --yes --as p0153",
            "enact workshop --by tables --out enacted/night --yes",
            "cp enacted/night/harbour/* tables/",
            "gather",
        ),
    ),
    (
        "2026-07-27T09:00:00Z",
        "On Monday the hours are long over, and the workshop manager has looked at the log.",
        (
            "request tend --yes",
            "request look-back 6 right --reason 'the log shows crane 4, and nothing else' --as p0151",
            "enact --by tables --out enacted/monday --yes",
            "cp enacted/monday/harbour/* tables/",
            "gather",
            "request status",
            "request list",
            "request show 6",
        ),
    ),
)
TABLES = """
CREATE ROLE cashiers; CREATE ROLE auditors NOINHERIT; CREATE ROLE petra LOGIN; CREATE ROLE quill LOGIN;
GRANT cashiers TO petra; GRANT auditors TO quill; GRANT cashiers TO auditors;
CREATE TABLE payments (id int, payee text, amount numeric); CREATE TABLE payees (id int, iban text);
GRANT SELECT, INSERT ON payments TO cashiers; GRANT SELECT ON payments, payees TO auditors;
"""


def describe(folder: Path, is_fresh: bool, main: Main) -> int:
    """Lays the workspace out in `folder` and runs every command of the story there. `main`: what runs one."""
    _make_room(folder, is_fresh)
    lay_out(folder)
    _say("The Tarnholm Harbour Trust is made up: a harbour authority with three sites and about 260 identities.")
    _say(f"Its workspace is {folder}. Repeat any line there by hand, with the clock of the story:")
    _say(f"  cd {shlex.quote(str(folder))}; export KATHODOS_NOW={CHAPTERS[-1][0]} KATHODOS_ACTOR={REVIEWER}")
    tell_the_round(folder, main)
    with _working_in(folder):
        for chapter in PUTTING_RIGHT:
            _chapter(main, *chapter)
    _say(f"\nBeside it lies a second workspace: cd {shlex.quote(str(folder / 'connected'))}")
    _say("By hand, start its roster first: kathodos standin scim services/roster.json --port 18643 &")
    with _working_in(folder / "connected"):
        _tell_connected(main)
    _say(f"\nAnd a third, in which roles are shaped: cd {shlex.quote(str(folder / 'shaping'))}")
    with _working_in(folder / "shaping"):
        key = Workspace(Path("../trial")).keys.fingerprint()
        for now, text, commands in SHAPING:
            _chapter(main, now, text, [command.replace("{key}", key) for command in commands])
    _say(f"\nAnd a fourth, in which people ask for access: cd {shlex.quote(str(folder / 'asking'))}")
    with _working_in(folder / "asking"):
        for chapter in ASKING:
            _chapter(main, *chapter)
    _say(f"\nThat was the whole round. Go on in {folder}: kathodos list identities, kathodos review --help.")
    return 0


def lay_out(folder: Path) -> None:
    """Puts the workspaces and their data into a folder; nothing is gathered yet."""
    for workspace in (folder, *(folder / beside for beside in ("connected", "shaping", "trial", "asking"))):
        Workspace.create(workspace)
    with as_file(files("kathodos.demo") / "data") as data:
        shutil.copytree(data, folder, dirs_exist_ok=True)


def tell_the_round(folder: Path, main: Main) -> None:
    """The chapters from the first gather to the proof, in a workspace that is laid out."""
    with _working_in(folder):
        with _tables_of_the_year_before():
            _chapter(main, *EARLIER)
        for chapter in CHAPTERS:
            _chapter(main, *chapter)


@contextlib.contextmanager
def _tables_of_the_year_before() -> Iterator[None]:
    """Puts the tables as they were in place of those of today, and these back."""
    today = {file: file.read_bytes() for file in sorted(Path("tables").iterdir())}
    for before in sorted(Path("tables-2025").iterdir()):
        shutil.copy(before, Path("tables") / before.name)
    yield
    for file, content in today.items():
        file.write_bytes(content)


def _tell_connected(main: Main) -> None:
    """The chapters of the second workspace; those with a real directory and database where these are installed."""
    from kathodos.demo import services

    configuration, export = Path(CONFIGURATION), Path("directory.ldif")
    whole = export.read_text(encoding="utf-8")
    with services.roster(Path("services") / "roster.json") as url:
        if not url.startswith(f"http://127.0.0.1:{services.ROSTER_PORT}/"):
            text = configuration.read_text(encoding="utf-8")
            usual = f"http://127.0.0.1:{services.ROSTER_PORT}/scim/v2"
            configuration.write_text(text.replace(usual, url), encoding="utf-8")
        for now, text, commands in CONNECTED:
            export.write_text(whole[: len(whole) // 2] if "half" in text else whole, encoding="utf-8")
            _chapter(main, now, text, commands)
        with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as scratch:
            Path(scratch).chmod(0o755)
            if services.slapd():
                os.environ["DIRECTORY_SECRET"] = services.PASSWORD
                with services.directory(Path(scratch) / "slapd", export) as url:
                    _further(f'name = "live"\nkind = "ldap"\nurl = "{url}"\nbase = "{services.SUFFIX}"\n{_BIND}')
                    _chapter(main, *LIVE_DIRECTORY)
                del os.environ["DIRECTORY_SECRET"]
            if services.postgres_programs():
                with services.database(Path(scratch) / "postgres", TABLES) as url:
                    _further(f'name = "payments"\nkind = "postgres"\nsystem = "payments"\nurl = "{url}"\n')
                    _chapter(main, *LIVE_DATABASE)


def _further(block: str) -> None:
    """Adds a source to the configuration."""
    configuration = Path(CONFIGURATION)
    text = configuration.read_text(encoding="utf-8")
    configuration.write_text(
        f"{text}\n# A server that ran only while the demo did.\n[[source]]\n{block}", encoding="utf-8"
    )


def _chapter(main: Main, now: str, text: str, commands: Sequence[str]) -> None:
    os.environ |= {"KATHODOS_NOW": now, "KATHODOS_ACTOR": REVIEWER}
    _say(f"\n== {text}")
    for command in commands:
        if command.startswith(("cp ", "sed ")):
            _by_hand(command)
        elif command.startswith("answer "):
            _, page, to, first, seconds, how = command.split()
            _say(f"\n# {answer(Path(page), Path(to), first, float(seconds), how)}")
        else:
            _run(main, command)


def _by_hand(command: str) -> None:
    """Does what somebody at the systems' side does: puts corrected files in place, or alters one."""
    _say(f"\n$ {command}")
    words = shlex.split(command)
    if words[0] == "cp":
        for file in sorted(Path(words[1]).parent.iterdir()):
            shutil.copy(file, Path(words[2]) / file.name)
        return
    file, start = Path(words[3]), words[2].removeprefix("/^").removesuffix("/d")
    lines = file.read_text(encoding="utf-8").splitlines(keepends=True)
    file.write_text("".join(line for line in lines if not line.startswith(start)), encoding="utf-8")


def _make_room(folder: Path, is_fresh: bool) -> None:
    """Takes an earlier demo away where that was asked for; anything else that stands there is left alone."""
    if not folder.exists() or (folder.is_dir() and not any(folder.iterdir())):
        return
    ours = (files("kathodos.demo") / "data" / CONFIGURATION).read_bytes()
    theirs = folder / CONFIGURATION
    if not (theirs.is_file() and theirs.read_bytes() == ours):
        raise CallError(f"{folder} is there already and is no demo.", "Name a folder that is not there yet.")
    if not is_fresh:
        raise CallError(f"{folder} holds a demo already.", "Say --fresh to replace it, or name another folder.")
    shutil.rmtree(folder)


@contextlib.contextmanager
def _working_in(folder: Path) -> Iterator[None]:
    """Works in a folder with a clock of its own, and puts both back."""
    before, clock = Path.cwd(), os.environ.get("KATHODOS_NOW")
    workspace = os.environ.pop("KATHODOS_WORKSPACE", None)
    os.chdir(folder)
    try:
        yield
    finally:
        os.chdir(before)
        for name, value in (("KATHODOS_NOW", clock), ("KATHODOS_WORKSPACE", workspace)):
            os.environ.pop(name, None)
            if value is not None:
                os.environ[name] = value


def _run(main: Main, command: str) -> None:
    _say(f"\n$ kathodos {command}")
    status = main(shlex.split(command))
    sys.stderr.flush()
    if status:
        _say(f"(exit status {status})")


def _say(text: str) -> None:
    sys.stdout.write(f"{text}\n")
    sys.stdout.flush()
