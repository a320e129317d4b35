"""A small office in which people ask: a system that a source brings, kits over it, who approves and who looks back."""

from datetime import UTC, datetime
from pathlib import Path

from tests.support import inside, lay_out

NOW = "2026-06-15T12:00:00Z"
PEOPLE = ("ann", "bo", "cy", "mia", "olga", "boss")
CATALOGUE = {
    "systems": [{"system": "s", "owner": "olga"}],
    "identities": [
        {
            "id": "boss",
            "name": "Ida Boss",
            "email": "boss@office.example",
            "department": "Heads",
            "manager": "",
            "status": "active",
        },
        *(
            {
                "id": name,
                "name": name.title(),
                "email": f"{name}@office.example",
                "department": "Desk",
                "manager": "mia",
            }
            for name in ("ann", "bo", "cy")
        ),
        {
            "id": "mia",
            "name": "Mia Head",
            "email": "mia@office.example",
            "department": "Heads",
            "manager": "boss",
            "status": "active",
        },
        {
            "id": "olga",
            "name": "Olga Own",
            "email": "olga@office.example",
            "department": "Heads",
            "manager": "boss",
            "status": "active",
        },
    ],
    "accounts": [
        {"system": "s", "login": "ann1", "identity": "ann"},
        {"system": "s", "login": "bo1", "identity": "bo"},
    ],
    "groups": [{"system": "s", "group": "g"}, {"system": "s", "group": "base"}],
    "members": [{"system": "s", "group": "base", "member": "identity:cy"}],
    "roles": [{"system": "s", "role": "reader"}, {"system": "s", "role": "writer"}],
    "role_permissions": [
        {"system": "s", "role": "reader", "action": "view", "resource": "s:/x/**"},
        {"system": "s", "role": "writer", "action": "edit", "resource": "s:/x/**"},
    ],
    "actions": [
        {"system": "s", "action": "view", "kind": "read", "implies": ""},
        {"system": "s", "action": "edit", "kind": "write", "implies": "view"},
    ],
    "resources": [{"resource": it} for it in ("s:/x", "s:/x/1", "s:/x/2", "s:/y")],
    "grants": [
        {"grant": "own", "holder": "identity:ann", "gives": "role:s/reader", "on": "", "until": ""},
        {"grant": "of-g", "holder": "group:s/g", "gives": "view s:/y", "on": "", "until": ""},
    ],
}
RULES = """
topic = "Office"
[[conflict]]
id = "TWO"
title = "Writes, and looks at y"
severity = "high"
[[conflict.duty]]
name = "write"
any = ["edit s:/x/**"]
[[conflict.duty]]
name = "look"
any = ["view s:/y"]
"""


def make_office(folder, further=""):
    """A workspace of the office, gathered, with its kits: desk, one, stuck."""
    at = lay_out(Path(folder) / "office", CATALOGUE, RULES, further)
    inside("gather", cwd=at, now=NOW)
    for words in (
        ("desk", "--gives", "role:s/reader", "group:s/g", "--approve", "manager", "owner", "--owner", "olga"),
        ("one", "--gives", "role:s/reader", "role:s/writer on s:/x/1", "--approve", "olga", "--lasts", "P1M"),
        ("stuck", "--gives", "role:s/writer", "--approve", "owner", "--owner", "olga", "--hours", "5",
         "--looked-at-by", "owner", "boss", "--told", "mia"),
    ):  # fmt: skip
        inside("kit", "make", *words, "--yes", "--reason", "to ask for", "--as", "x", cwd=at, now=NOW)
    return at


def moment(text):
    """A time as a datetime."""
    return datetime.fromisoformat(text).astimezone(UTC)
