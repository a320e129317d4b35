"""Makes what the demo's second workspace reads: a directory export, a roster, a file server's dump, a turnstile's log.

`python -m kathodos.demo.make_services`. Seeded, like the tables; the people are those of the staff export.
"""

from __future__ import annotations

import base64
import csv
import json
import random
import unicodedata
from datetime import date, datetime
from pathlib import Path
from typing import Any

from kathodos.connectors.scim import ENTERPRISE

BASE = "dc=tarnholm,dc=example"
SEED = 20260616
_HEAD = f"dn: {BASE}\nobjectClass: dcObject\nobjectClass: organization\no: Tarnholm Harbour Trust\ndc: tarnholm\n\n"


def write(folder: Path, tables: Path) -> None:
    """Writes all files into a folder, from the staff export among the tables."""
    with (tables / "staff_export.csv").open(encoding="utf-8", newline="") as file:
        staff = {row["Staff No"]: row for row in csv.DictReader(file) if row["Staff No"] and row["Sort"] == "person"}
    people = [row for row in staff.values() if row["State"] == "in service"]
    seeded = random.Random(SEED)
    for name in ("services", "logs"):
        (folder / name).mkdir(parents=True, exist_ok=True)
    (folder / "directory.ldif").write_text(_directory(people, seeded), encoding="utf-8")
    roster = json.dumps(_roster(people, seeded), ensure_ascii=False, indent=1)
    (folder / "services" / "roster.json").write_text(roster + "\n", encoding="utf-8")
    passwd, group, dump = _share(people, seeded)
    for name, text in (("passwd", passwd), ("group", group), ("share.acl", dump)):
        (folder / name).write_text(text, encoding="utf-8")
    (folder / "doors").mkdir(exist_ok=True)
    (folder / "doors" / "systems.csv").write_text("system,title\ngates,Gate passes and doors\n", encoding="utf-8")
    (folder / "doors" / "actions.csv").write_text("system,action,kind\ngates,open,read\n", encoding="utf-8")
    _doors(folder / "doors" / "resources.xlsx")
    for day, text in _turnstile(people, seeded).items():
        (folder / "logs" / f"turnstile-{day}.log").write_text(text, encoding="utf-8")


def _plain(text: str) -> str:
    bare = unicodedata.normalize("NFKD", text.replace("ø", "o").replace("Ø", "O")).encode("ascii", "ignore").decode()
    return bare.lower().replace(" ", "")


def _line(name: str, value: str) -> str:
    """A line of LDIF; what is not plain ASCII in base64."""
    if value.isascii():
        return f"{name}: {value}\n"
    return f"{name}:: {base64.b64encode(value.encode()).decode()}\n"


def _directory(people: list[dict[str, str]], seeded: random.Random) -> str:
    """People by department and nested groups, as a directory exports them."""
    text = [_HEAD]
    names = {row["Staff No"]: f"uid={row['Staff No']},{BASE}" for row in people}
    departments: dict[str, list[str]] = {}
    for row in people:
        departments.setdefault(row["Unit"], []).append(names[row["Staff No"]])
        first, _, last = row["Full name"].partition(" ")
        said = {
            "uid": row["Staff No"],
            "cn": row["Full name"],
            "sn": last or first,
            "displayName": row["Full name"],
            "mail": row["E-mail"],
            "departmentNumber": row["Unit"],
            "title": row["Job title"],
            "manager": names.get(row["Reports to"], ""),
        }
        lines = "".join(_line(name, value) for name, value in said.items() if value)
        text.append(f"dn: {names[row['Staff No']]}\nobjectClass: inetOrgPerson\n{lines}\n")
    for department, members in departments.items():
        inside = "".join(f"member: {member}\n" for member in members)
        name = _plain(department).replace("'", "")
        group = f"cn: {name}\ndescription: {department}\n{inside}"
        text.append(f"dn: cn={name},{BASE}\nobjectClass: groupOfNames\n{group}\n")
    everybody = "".join(f"member: cn={_plain(name).replace(chr(39), '')},{BASE}\n" for name in departments)
    text.append(f"dn: cn=all-staff,{BASE}\nobjectClass: groupOfNames\ncn: all-staff\n{everybody}\n")
    return "".join(text)


def _roster(people: list[dict[str, str]], seeded: random.Random) -> dict[str, Any]:
    """The pilots' roster service: accounts by mail, some written otherwise, one that nobody owns."""
    pilots = [row for row in people if row["Unit"] == "Pilotage"]
    users = []
    for number, row in enumerate(pilots, 1):
        mail = row["E-mail"].upper() if number % 7 == 0 else row["E-mail"]
        user: dict[str, Any] = {
            "id": f"u{number:03d}",
            "userName": f"{_plain(row['Full name'])}{number}",
            "displayName": row["Full name"],
            "active": number % 11 != 0,
            "emails": [{"value": mail, "primary": True}] if number % 5 else [],
            "roles": [{"value": "planner" if "Chief" in row["Job title"] else "pilot"}],
            ENTERPRISE: {"department": "Pilotage", "employeeNumber": row["Staff No"] if number % 10 == 0 else None},
        }
        if seeded.random() < 0.3:
            user["entitlements"] = [{"value": "night-tides"}]
        users.append(user)
    users.append({"id": "u900", "userName": "tide-board", "displayName": "Tide board", "active": True})
    groups = [
        {"id": "g1", "displayName": "on-call", "members": [{"value": user["id"]} for user in users[:6]]},
        {"id": "g2", "displayName": "all", "members": [{"value": "g1"}, *({"value": it["id"]} for it in users[6:30])]},
    ]
    return {"Users": users, "Groups": groups}


def _share(people: list[dict[str, str]], seeded: random.Random) -> tuple[str, str, str]:
    """A file server's users and groups, and the ACLs of its shares as their textual form says them."""
    users = {row["Staff No"]: 2000 + number for number, row in enumerate(people) if seeded.random() < 0.4}
    units = {"workshop": "Crane workshop", "planning": "Berth planning", "it": "IT"}
    inside = {
        name: [it["Staff No"] for it in people if it["Unit"] == unit and it["Staff No"] in users]
        for name, unit in units.items()
    }
    passwd = "root:x:0:0:root:/root:/bin/sh\n"
    passwd += "".join(f"{name}:x:{number}:{number}::/home/{name}:/bin/sh\n" for name, number in users.items())
    shared = (f"{name}:x:{3000 + at}:{','.join(who)}\n" for at, (name, who) in enumerate(inside.items()))
    group = "root:x:0:\n" + "".join(shared)
    group += "".join(f"{name}:x:{number}:\n" for name, number in users.items())
    outsider = inside["planning"][0]
    blocks = [
        ("share", "root", "root", ["user::rwx", "group::r-x", "other::r-x"]),
        ("share/cranes", "root", "workshop", ["user::rwx", "group::rwx", "other::---"]),
        ("share/cranes/crane-4.pdf", "root", "workshop", ["user::rw-", "group::rw-", "other::---"]),
        (
            "share/cranes/loads.csv",
            "root",
            "workshop",
            ["user::rw-", f"user:{outsider}:rw-", "group::rw-", "mask::r--", "other::---"],
        ),
        (
            "share/plans",
            "root",
            "planning",
            ["user::rwx", "group::rwx", "group:workshop:r-x", "mask::rwx", "other::---"],
        ),
        ("share/plans/berth\\0407.dwg", "root", "planning", ["user::rw-", "group::rw-", "other::r--"]),
        ("share/open", "root", "root", ["user::rwx", "group::rwx", "other::rwx"]),
        ("share/open/notice.txt", "root", "root", ["user::rw-", "group::r--", "other::r--"]),
    ]
    text = "".join(
        f"# file: {name}\n# owner: {owner}\n# group: {group_name}\n{chr(10).join(lines)}\n\n"
        for name, owner, group_name, lines in blocks
    )
    return passwd, group, text


def _doors(file: Path) -> None:
    """The badge office's spreadsheet of doors."""
    import openpyxl

    book = openpyxl.Workbook()
    sheet = book.create_sheet("doors", 0)
    del book[book.sheetnames[1]]
    sheet.append(["Resource", "Type", "Title", "Sensitivity", "Fitted"])
    for gate in ("a", "b"):
        for door, sensitivity in (("north", 1), ("south", 1), ("quay%2F7", 2)):
            title = f"Gate {gate.upper()}, {door.replace('%2F', '/')} door"
            sheet.append([f"gates:/gate-{gate}/{door}", "door", title, sensitivity, date(2021, 4, 1)])
    book.properties.created = book.properties.modified = datetime(2026, 6, 15)
    book.save(file)


def _turnstile(people: list[dict[str, str]], seeded: random.Random) -> dict[str, str]:
    """Three days of a turnstile's messages in the form of RFC 5424; one line is cut off."""
    guards = [row["Staff No"] for row in people if row["Unit"] in ("Gates and security", "IT")]
    files = {}
    for day in ("2026-06-12", "2026-06-13", "2026-06-14"):
        lines = []
        for minute in range(0, 24 * 60, 30):
            time, who = f"{day}T{minute // 60:02d}:{minute % 60:02d}:{seeded.randrange(60):02d}Z", seeded.choice(guards)
            door = seeded.choice(("north", "south", "quay/7"))
            data = f'[access@32473 user="{who}" door="{door}"]'
            lines.append(f"<134>1 {time} gate-{seeded.choice('ab')} turnstile - PASS {data} opened")
        lines.insert(7, f"<134>1 {day}T03:10:00Z gate-a clock - SYNC - in step")
        files[day] = "\n".join(lines) + "\n"
    files["2026-06-14"] = files["2026-06-14"][:-40] + "\n"
    return files


if __name__ == "__main__":
    data = Path(__file__).parent / "data"
    write(data / "connected", data / "tables")
