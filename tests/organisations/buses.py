"""A bus company of 59 people: German headers and dates, cp1252, a total line, a directory as LDIF, an access log.

Planted: a dispatcher who plans and approves overtime, exercised; a driver who left in March and whose account was used
afterwards; a shared cash desk; a mechanic who kept the rosters of his former office; a bad date; a pattern.
"""

from __future__ import annotations

import base64
import csv
from collections.abc import Iterable, Sequence
from pathlib import Path

GIVEN = ("Jörg", "Anja", "Änne", "Karl-Heinz", "Uwe", "Sabine", "Müjde", "Rolf", "Grit", "Bernd", "Özlem", "Heike")
FAMILY = ("Weiß", "Großmann", "Lüdecke", "Schäfer", "Kröger", "Yildiz", "Brandt", "Öhler", "Nowak", "Fuchs", "Jäger")
OFFICES = (
    ("Fahrdienst", "Busfahrer", 34),
    ("Leitstelle", "Disponent", 8),
    ("Werkstatt", "Mechaniker", 8),
    ("Verwaltung", "Sachbearbeiter", 6),
    ("EDV", "Systembetreuer", 3),
)
LOCKED = {"K1043": "ja"}
ROLES = (
    ("Planer", "Dienst planen", "/linien/*"),
    ("Planer", "Dienst ansehen", "/linien/*"),
    ("Freigeber", "Überstunden genehmigen", "/ueberstunden"),
    ("Leser", "Dienst ansehen", "/linien/*"),
    ("Betreuer", "Dienst verwalten", "/**"),
)
EXPECTED = {
    "personal.csv": {
        "Pers.-Nr.": "id",
        "E-Mail": "email",
        "Abteilung": "department",
        "Stelle": "title",
        "Vorgesetzter": "manager",
        "Eintritt": "starts",
        "Austritt": "ends",
        "Status": "status",
        "Abteilung vorher": "previous_department",
    },
    "dienstplan_benutzer.csv": {
        "Anmeldename": "login",
        "Personalnummer": "identity",
        "Letzte Anmeldung": "last_login",
        "Gesperrt": "status",
    },
    "dienstplan_rechte.csv": {"Rolle": "role", "Recht": "action", "Objekt": "resource"},
    "dienstplan_zuordnung.csv": {"Gültig ab": "from", "Gültig bis": "until", "Vergeben von": "given_by"},
    "dienstplan_zugriffe.csv": {"Zeitpunkt": "time", "Aktion": "action"},
    "kasse_konten.csv": {"Kennung": "login", "Mail": "email", "Zuletzt angemeldet": "last_login"},
    "kasse_rechte.csv": {"Bis": "until", "Bemerkung": "reason"},
}
BUILT = {
    ("dienstplan_zuordnung.csv", "grants"): ("holder", "gives"),
    ("dienstplan_zugriffe.csv", "activity"): ("account", "resource"),
    ("kasse_rechte.csv", "grants"): ("holder", "gives"),
    ("personal.csv", "identities"): ("name",),
}


def people() -> list[dict[str, str]]:
    """The staff: number, names, office, who is above them, since and until when."""
    found: list[dict[str, str]] = []
    for office, title, count in OFFICES:
        head = f"K{1000 + len(found)}"
        for at in range(count):
            number = len(found)
            given, family = GIVEN[number % len(GIVEN)], FAMILY[(number * 7 + at) % len(FAMILY)]
            found.append(
                {
                    "Pers.-Nr.": f"K{1000 + number}",
                    "Nachname": family,
                    "Vorname": given,
                    "E-Mail": f"{_letters(given)}.{_letters(family)}{number}@linie-lindenau.example",
                    "Abteilung": office,
                    "Stelle": "Leitung" if at == 0 else title,
                    "Vorgesetzter": head if at else "K1034",
                    "Eintritt": f"{1 + number % 28:02}.{1 + number % 12:02}.{2004 + number % 20}",
                    "Austritt": "",
                    "Status": "aktiv",
                    "Abteilung vorher": "",
                }
            )
    found[5] |= {"Austritt": "31.03.2026", "Status": "ausgeschieden"}
    found[9]["Status"] = "beurlaubt"
    found[12]["Eintritt"] = "31.06.2023"
    found[44]["Abteilung vorher"] = "Leitstelle"
    found[50] |= {"Austritt": "31.12.2026"}
    return found


def login_of(person: dict[str, str]) -> str:
    return f"{_letters(person['Vorname'])[0]}{_letters(person['Nachname'])}{person['Pers.-Nr.'][-2:]}"


def write(folder: Path) -> list[Path]:
    """Writes the exports into a folder, which has to be there."""
    staff = people()
    drivers, control, workshop, clerks, desk = staff[:34], staff[34:42], staff[42:50], staff[50:56], staff[56:]
    total = {"Pers.-Nr.": "Summe", "Nachname": str(len(staff))}
    _write(folder / "personal.csv", [*staff, {**dict.fromkeys(staff[0], ""), **total}], "cp1252")
    users = [
        {
            "Anmeldename": login_of(person),
            "Personalnummer": person["Pers.-Nr."],
            "Letzte Anmeldung": f"{1 + at % 27:02}.05.2026 0{at % 9}:15",
            "Gesperrt": LOCKED.get(person["Pers.-Nr."], "nein"),
        }
        for at, person in enumerate([*drivers, *control, *workshop[:3], *desk])
    ]
    users.append({"Anmeldename": "leitstand", "Personalnummer": "", "Letzte Anmeldung": "", "Gesperrt": "nein"})
    _write(folder / "dienstplan_benutzer.csv", users)
    _write(folder / "dienstplan_rechte.csv", [dict(zip(("Rolle", "Recht", "Objekt"), it, strict=True)) for it in ROLES])
    given = [(person, "Leser", "") for person in drivers]
    given += [(person, "Planer", "") for person in control]
    given += [(control[2], "Freigeber", ""), (workshop[2], "Planer", ""), (desk[0], "Betreuer", "31.12.2026")]
    rows = [
        {
            "Benutzer": login_of(person),
            "Rolle": role,
            "Gültig ab": "01.01.2024",
            "Gültig bis": until,
            "Vergeben von": "K1034",
        }
        for person, role, until in given
    ]
    rows += [
        {"Benutzer": "leitstand", "Rolle": role, "Gültig ab": "01.01.2024", "Gültig bis": "", "Vergeben von": ""}
        for role in ("Planer", "Freigeber")
    ]
    _write(folder / "dienstplan_zuordnung.csv", rows)
    uses = [
        (f"{10 + at % 18}.05.2026 0{at % 9}:{at % 6}0", login_of(person), "Dienst ansehen", f"/linien/{1 + at % 5}")
        for at, person in enumerate([*drivers[:5], *drivers[6:20]])
    ]
    uses += [
        ("14.05.2026 08:10", login_of(control[2]), "Dienst planen", "/linien/3"),
        ("14.05.2026 16:40", login_of(control[2]), "Überstunden genehmigen", "/ueberstunden"),
        ("20.04.2026 05:30", login_of(staff[5]), "Dienst ansehen", "/linien/2"),
        ("21.05.2026 09:00", "leitstand", "Dienst planen", "/linien/1"),
    ]
    _write(
        folder / "dienstplan_zugriffe.csv",
        [dict(zip(("Zeitpunkt", "Benutzer", "Aktion", "Objekt"), it, strict=True)) for it in uses],
    )
    accounts = [
        {
            "Kennung": f"kasse-{_letters(person['Nachname'])}{at}",
            "Mail": person["E-Mail"],
            "Zuletzt angemeldet": f"2026-05-{1 + at:02}",
        }
        for at, person in enumerate(clerks)
    ]
    accounts.append({"Kennung": "schalter1", "Mail": "", "Zuletzt angemeldet": "2026-06-01"})
    _write(folder / "kasse_konten.csv", accounts)
    rights = [
        {"Benutzer": it["Kennung"], "Recht": "Kasse buchen", "Pfad": "/laden/1", "Bis": "", "Bemerkung": ""}
        for it in accounts
    ]
    rights += [
        {
            "Benutzer": accounts[0]["Kennung"],
            "Recht": "Kasse prüfen",
            "Pfad": "/laden/*",
            "Bis": "30.06.2026",
            "Bemerkung": "Vertretung",
        }
    ]
    _write(folder / "kasse_rechte.csv", rights)
    (folder / "verzeichnis.ldif").write_text(_ldif(staff, control), encoding="utf-8")
    return sorted(folder.iterdir())


def _write(file: Path, rows: Sequence[dict[str, str]], encoding: str = "utf-8-sig") -> None:
    with file.open("w", newline="", encoding=encoding, errors="replace") as stream:
        writer = csv.DictWriter(stream, rows[0].keys(), delimiter=";", lineterminator="\r\n")
        writer.writeheader()
        writer.writerows(rows)


def _ldif(staff: Iterable[dict[str, str]], control: Iterable[dict[str, str]]) -> str:
    base = "dc=lindenau,dc=example"
    entries = [f"dn: {base}\nobjectClass: domain\ndc: lindenau\n"]
    for person in staff:
        name = base64.b64encode(f"{person['Vorname']} {person['Nachname']}".encode()).decode()
        uid = login_of(person)
        head = f"dn: uid={uid},{base}\nobjectClass: inetOrgPerson\nuid: {uid}\n"
        entries.append(f"{head}cn:: {name}\nsn: x\nmail: {person['E-Mail']}\n")
    members = "".join(f"member: uid={login_of(person)},{base}\n" for person in control)
    entries.append(
        f"dn: cn=leitstelle,{base}\nobjectClass: groupOfNames\ncn: leitstelle\n{members}member: uid=weg,{base}\n"
    )
    entries.append(f"dn: uid=kaputt,{base}\nobjectClass: inetOrgPerson\nuid: kaputt\ncn:: !!!\n")
    return "\n".join(entries)


_PLAIN = str.maketrans({"ö": "oe", "ä": "ae", "ü": "ue", "ß": "ss", "-": "", "Ö": "oe", "Ä": "ae", "Ü": "ue"})


def _letters(text: str) -> str:
    return text.translate(_PLAIN).casefold()
