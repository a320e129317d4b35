"""Makes the tables of the berths' own workspace and of its trial installation: `python -m kathodos.demo.make_shaping`.

The files lie in `data/shaping` and `data/trial`. Planted in them are a planner's recorded morning, a task that failed
for want of one read, roles that are to be combined, and the roles of the trial installation that are to move.
"""

from __future__ import annotations

import csv
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path

SITES = ("northmole", "eelmouth")
QUAYS = ("a", "b", "c")
PLANNER, HEAD = "b002", "b001"
ACTIONS = (("view", "read", ""), ("enter", "read", ""), ("allocate", "write", "view"), ("plan", "write", "view"),
           ("export", "export", "view"), ("manage", "administer", "plan;allocate"))  # fmt: skip
NAMES = (
    "Signe Aldal", "Tor Bergland", "Mia Dahlin", "Ole Egeland", "Sara Fjeldvik", "Knut Gulden", "Rita Hovdal",
    "Simen Indrevik", "Eva Kolstad", "Petter Lien", "Hanne Moen", "Aksel Nygard", "Britt Orre", "Kim Paulsrud",
    "Lise Ronning", "Morten Sande", "Astrid Tangen", "Emil Ulvik", "Guro Vinje", "Roar Wiik", "Tuva Ystad",
    "Idar Osen", "Jorun Berge", "Kare Lunde",
)  # fmt: skip
TITLES = ("Head of berth planning", *["Berth planner"] * 9, *["Quay foreman"] * 8, *["Slot clerk"] * 6)
FOREMAN = ("view berths:/northmole/board", "view berths:/northmole/quays/a", "view berths:/northmole/quays/b",
           "allocate berths:/northmole/moorings")  # fmt: skip
CLERK = ("view berths:/eelmouth/slots", "view berths:/eelmouth/ships", "export berths:/eelmouth/board")
# Role: its entries. What the trial installation has is below.
PLAN_ROLES = {
    "plan-day": ("view berths:/*/board", "plan berths:/northmole/plans/day"),
    "plan-night": ("view berths:/*/board", "plan berths:/northmole/plans/night"),
    "plan-tide": ("view berths:/*/tides", "plan berths:/northmole/plans/tide"),
    "plan-weekend": ("view berths:/*/ships", "plan berths:/northmole/plans/day"),
}
ROLES = {
    "viewer": ("view berths:/**", "enter berths:/*"),
    "planner": ("enter berths:/*", "view berths:/*/board", "plan berths:/*/plans/**"),
    "clerk": ("enter berths:/*", "view berths:/*/slots/**", "allocate berths:/*/slots/**"),
    **PLAN_ROLES,
}
TRIAL_ROLES = {
    "viewer": ROLES["viewer"],
    "planner": (*ROLES["planner"], "view berths:/*/tides"),
    "clerk": ("enter berths:/*", "view berths:/*/slots/**", "allocate berths:/*/moorings/**"),
    "pilot-liaison": ("enter berths:/*", "view berths:/*/tides", "view berths:/*/ships/**"),
    "reporter": ("enter berths:/*", "export berths:/*/board"),
}
MORNING = (
    ("view", "board"), ("view", "slots"), ("view", "slots/june"), ("view", "ships"), ("view", "ships/astrea"),
    ("view", "ships/brava"), ("allocate", "slots/june/1"), ("allocate", "slots/june/2"), ("allocate", "slots/june/3"),
    ("allocate", "slots/june/4"), ("allocate", "slots/june/5"), ("view", "plans"), ("view", "plans/day"),
    ("plan", "plans/day"), ("plan", "plans/tide"), ("view", "tides"), ("allocate", "moorings/1"),
    ("allocate", "moorings/2"), ("view", "notices"),
)  # fmt: skip
FAILED = (("view", "board"), ("allocate", "slots/june/2"), ("view", "pilots/june"), ("plan", "plans/tide"))
# What a record here refers to, by the end of its address.
REFERS = {
    "slots/june/1": ("ships/astrea", "quays/a"),
    "slots/june/2": ("ships/brava", "quays/b"),
    "slots/june/3": ("ships/corvina", "quays/c"),
    "slots/june/4": ("ships/delfin", "quays/a"),
    "plans/tide": ("tides/june", "pilots/roster"),
    "moorings/1": ("crews/1",),
    "ships/corvina": ("agents/holm",),
}
PLACES = (
    "board", "notices", "slots", "slots/june", *(f"slots/june/{at}" for at in range(1, 7)), "slots/july", "ships",
    *(f"ships/{name}" for name in ("astrea", "brava", "corvina", "delfin", "elvira")), "quays",
    *(f"quays/{name}" for name in QUAYS), "plans", "plans/day", "plans/night", "plans/tide", "tides", "tides/june",
    "moorings", "moorings/1", "moorings/2", "pilots", "pilots/june", "pilots/roster", "crews", "crews/1", "agents",
    "agents/holm",
)  # fmt: skip

Row = Mapping[str, str | int]


def tables(system: str, roles: Mapping[str, Sequence[str]], has_people: bool) -> dict[str, list[Row]]:
    """The tables of one installation."""
    whole = {"system": system, "title": system.title(), "inherit": "false", "gates": "site=enter"}
    entries = [(role, *it.split(" ")) for role, some in roles.items() for it in some]
    made: dict[str, list[Row]] = {
        "systems": [{**whole, "owner": HEAD if has_people else ""}],
        "actions": [
            {"system": system, "action": it, "kind": kind, "implies": implies} for it, kind, implies in ACTIONS
        ],
        "resources": [*_resources(system)],
        "areas": [{"area": f"site-{site}", "resources": f"{system}:/{site}/**"} for site in SITES],
        "roles": [{"system": system, "role": role, "title": role.replace("-", " ").capitalize()} for role in roles],
        "role_permissions": [
            {"system": system, "role": role, "action": action, "resource": pattern.replace("berths:", f"{system}:")}
            for role, action, pattern in entries
        ],
    }
    return made | _people(system) if has_people else made


def _resources(system: str) -> Iterable[Row]:
    for site in SITES:
        yield {"resource": f"{system}:/{site}", "type": "site", "refers": ""}
        for place in PLACES:
            refers = ";".join(f"{system}:/{site}/{it}" for it in REFERS.get(place, ()))
            yield {"resource": f"{system}:/{site}/{place}", "type": place.split("/")[0], "refers": refers}


def _people(system: str) -> dict[str, list[Row]]:
    """The people of the department, their accounts, and what they were given one by one."""
    identities: list[Row] = [
        {"id": f"b{at:03}", "name": name, "title": title, "location": SITES[at % 2], "manager": "" if at == 1 else HEAD}
        for at, (name, title) in enumerate(zip(NAMES, TITLES, strict=True), 1)
    ]
    accounts: list[Row] = [
        {"system": system, "login": f"u{str(it['id'])[1:]}", "identity": it["id"]} for it in identities
    ]
    grants: list[Row] = []
    for it in identities:
        gives = {"Quay foreman": FOREMAN, "Slot clerk": CLERK}.get(str(it["title"]), ("role:berths/planner",))
        grants += [{"holder": f"identity:{it['id']}", "gives": one, "on": ""} for one in gives]
        grants.append({"holder": f"identity:{it['id']}", "gives": "enter berths:/*", "on": ""})
    grants.append({"holder": f"identity:{HEAD}", "gives": "role:berths/viewer", "on": ""})
    grants.append({"holder": "identity:b012", "gives": "view berths:/northmole/tides", "on": ""})
    activity: list[Row] = [
        {"time": f"2026-06-29T06:{10 + 2 * at:02}:00Z", "account": f"berths/u{PLANNER[1:]}", "action": action,
         "resource": f"berths:/northmole/{place}", "record": "", "task": "morning", "count": 1 + at % 3}
        for at, (action, place) in enumerate(MORNING)
    ]  # fmt: skip
    return {"identities": identities, "accounts": accounts, "grants": grants, "activity": activity}


def failed_task() -> list[Row]:
    """What a task that failed for the planner touched when the head of planning did it."""
    return [
        {"time": f"2026-06-30T07:{at:02}:00Z", "account": f"berths/u{HEAD[1:]}", "action": action,
         "resource": f"berths:/northmole/{place}"}
        for at, (action, place) in enumerate(FAILED)
    ]  # fmt: skip


def write(folder: Path) -> None:
    """Writes the tables of both workspaces below a folder."""
    for name, made in (
        ("shaping", tables("berths", ROLES, has_people=True)),
        ("trial", tables("berths-trial", TRIAL_ROLES, has_people=False)),
    ):
        for kind, rows in made.items():
            _write(folder / name / "tables" / f"{kind}.csv", rows)
    _write(folder / "shaping" / "failed-task.csv", failed_task())


def _write(file: Path, rows: Sequence[Row]) -> None:
    file.parent.mkdir(parents=True, exist_ok=True)
    with file.open("w", newline="", encoding="utf-8") as out:
        writer = csv.DictWriter(out, list(rows[0]), lineterminator="\n")
        writer.writeheader()
        writer.writerows(rows)


if __name__ == "__main__":
    write(Path(__file__).parent / "data")
