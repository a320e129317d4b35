"""Makes the tables of the Tarnholm Harbour Trust, a made-up harbour authority: `python -m kathodos.demo.make_data`.

Seeded, so that it always makes the same files. They lie beside it in `data/tables` and are what the demo gathers.
The stories that the demo tells are planted in `Harbour.plant`, each in a function of its own.
"""

from __future__ import annotations

import csv
import random
import shutil
import tempfile
from datetime import date, timedelta
from pathlib import Path

from kathodos.demo.harbour import (
    ACTIONS,
    DEPARTMENT_SYSTEMS,
    DEPARTMENTS,
    FIRST,
    GROUP_ROLES,
    LAST,
    ROLES,
    SITES,
    STAFF_HEADERS,
    STAFF_STATES,
    TITLE_GROUPS,
    USES,
)
from kathodos.model.references import reference_to

SEED = 20260615
TODAY = date(2026, 6, 15)
EARLIER = date(2025, 11, 10)  # the day of last year's review


class Harbour:
    """The tables while they are being made, as records by kind."""

    def __init__(self) -> None:
        self.random = random.Random(SEED)
        self.names = [f"{first} {last}" for first in FIRST.split() for last in LAST.split()]
        random.Random(SEED).shuffle(self.names)
        self.tables: dict[str, list[dict[str, object]]] = {}
        self.people: dict[str, dict[str, object]] = {}
        self.logins: dict[tuple[str, str], str] = {}

    def add(self, table: str, /, **record: object) -> dict[str, object]:
        self.tables.setdefault(table, []).append(record)
        return record

    def make(self) -> None:
        self.systems()
        self.resources()
        self.roles()
        self.groups()
        for department, (size, titles) in DEPARTMENTS.items():
            self.department(department, size, titles)
        self.machines()
        self.plant()
        self.activity()

    def systems(self) -> None:
        combining = {"archive": "nearest", "workshop": "permit-overrides"}
        for system, actions in ACTIONS.items():
            self.add("systems", system=system, title=system.title(), combining=combining.get(system, ""))
            for text in actions:
                action, kind, implies = (*text.split(" "), "")[:3]
                self.add("actions", system=system, action=action, kind=kind, implies=implies)

    def resource(self, address: str, kind: str, sensitivity: int = 0, **more: object) -> None:
        site = next((site for site in SITES if f"/{site}" in address), "")
        self.add("resources", resource=address, type=kind, sensitivity=sensitivity, site=site, **more)

    def resources(self) -> None:
        for name in ("groups", "accounts", "administrators"):
            self.resource(f"directory:/{name}", "branch", 2 if name == "administrators" else 0)
        for site in SITES:
            for name, sensitivity in (("tariffs", 1), ("waivers", 1), ("payments", 2), ("ledger", 2)):
                self.resource(f"dues:/{site}/{name}", "folder", sensitivity)
                for year in (2024, 2025, 2026):
                    self.resource(f"dues:/{site}/{name}/{year}", "book", sensitivity)
            for number in range(1, 13):
                invoice = f"dues:/{site}/invoices/INV-26-{SITES.index(site) * 100 + number:04}"
                self.resource(invoice, "invoice", 1, refers=f"dues:/{site}/tariffs/2026")
                self.resource(f"{invoice}/discount", "field", 1)
            for number in range(1, 9):
                payee = f"dues:/{site}/payees/{site[:2]}-{number:03}"
                self.resource(payee, "payee", 1)
                self.resource(f"{payee}/bank-account", "field", 3)
            for name, kind in (("plans", "plan"), ("slots", "book"), ("slots/june", "book"), ("slots/july", "book")):
                self.resource(f"berths:/{site}/{name}", kind)
            for name in ("permits", "inspections", "holds"):
                self.resource(f"permits:/{site}/{name}", "folder", 1)
                for number in range(1, 7):
                    self.resource(f"permits:/{site}/{name}/DG-{number:03}", "record", 1)
            for name, sensitivity in (("passes", 1), ("visitors", 1), ("cameras", 2)):
                self.resource(f"gates:/{site}/{name}", "folder", sensitivity)
            for number in range(1, 5):
                self.resource(f"gates:/{site}/cameras/cam-{number}", "camera", 2)
        for name, sensitivity in (("roster", 0), ("licences", 1), ("health", 1)):
            self.resource(f"pilots:/{name}", "folder", sensitivity)
        for name in ("roster/june", "roster/july", "licences/class-1", "licences/class-2"):
            self.resource(f"pilots:/{name}", "record", 1)
        self.resource("pilots:/health/fitness/medical-notes", "record", 3, tags="health;personal")
        for name, sensitivity in (("orders", 0), ("parts", 0), ("controllers", 2)):
            self.resource(f"workshop:/{name}", "folder", sensitivity)
        for number in range(1, 9):
            self.resource(f"workshop:/controllers/crane-{number}", "controller", 2)
        for folder in ("shared", "shared/forms", "shared/notices", "shared/projects", "shared/projects/quay-7"):
            self.resource(f"archive:/{folder}", "folder")
        for folder in ("board", "board/agenda", "board/minutes", "people", "people/salaries", "audit"):
            self.resource(f"archive:/{folder}", "folder", 2)
        detached = self.tables["resources"]
        for record in detached:
            cut = ("archive:/board/minutes", "archive:/people/salaries", "archive:/shared/projects/quay-7")
            record["detached"] = "true" if record["resource"] in cut else ""

    def roles(self) -> None:
        for name, lines in ROLES.items():
            system, role = name.split("/")
            active = "false" if role == "retired" else "true"
            self.add("roles", system=system, role=role, title=role.replace("-", " ").capitalize(), active=active)
            for line in lines:
                if line.startswith(">"):
                    self.add("role_juniors", system=system, role=role, junior=reference_to("role", line[1:]))
                else:
                    effect, text = ("deny", line[5:]) if line.startswith("deny ") else ("permit", line)
                    action, pattern = text.split(" ")
                    self.add(
                        "role_permissions", system=system, role=role, action=action, resource=pattern, effect=effect
                    )

    def groups(self) -> None:
        filters = {"all-staff": 'kind eq "person" and status eq "active"'}
        filters |= {f"site-{site}": f'location eq "{site}" and kind eq "person"' for site in SITES}
        plain = ("harbour-office", "waiver-panel", "waiver-desk-northmole", "waiver-desk-eelmouth", "berth-day")
        for group in dict.fromkeys((*filters, *GROUP_ROLES, *plain, "berth-night")):
            title = group.replace("-", " ").capitalize()
            self.add("groups", system="directory", group=group, title=title, filter=filters.get(group, ""))
            self.resource(f"directory:/groups/{group}", "group")
        for group, roles in GROUP_ROLES.items():
            for role in roles:
                self.grant(
                    f"group:directory/{group}", reference_to("role", role), reason="by position", given_at="2023-01-09"
                )
        nested = (("nautical", "pilots"), ("nautical", "harbour-office"), ("waiver-panel", "waiver-desk-northmole"))
        for outer, inner in (*nested, ("berth-day", "berth-night"), ("berth-night", "berth-day")):
            self.member(outer, f"group:directory/{inner}")
        self.grant("group:directory/waiver-panel", "role:dues/waiver-approver", on="dues:/northmole")
        self.grant("group:directory/waiver-desk-eelmouth", "role:dues/waiver-approver", on="dues:/eelmouth")
        self.grant("group:directory/site-inner-basin", "view gates:/inner-basin/visitors")

    def grant(self, holder: str, gives: str, **more: object) -> dict[str, object]:
        record = {"grant": f"G-{len(self.tables.get('grants', [])) + 1:04}", "holder": holder, "gives": gives}
        keys = ("on", "effect", "tier", "from", "until", "given_by", "given_at", "reason", "last_used")
        return self.add("grants", **record, **{key: more.get(key, "") for key in keys})

    def member(self, group: str, member: str) -> None:
        self.add("members", system="directory", group=group, member=member)

    def person(self, department: str, title: str, manager: str, **more: object) -> str:
        number = len(self.people) + 1
        name = self.names[number]
        joined = date(2009, 1, 5) + timedelta(days=self.random.randrange(6000))
        record = {
            "id": f"p{number:04}",
            "name": name,
            "kind": "person",
            "status": "active",
            "email": f"{name.lower().replace(' ', '.').replace('ø', 'o')}.{number}@tarnholm.example",
            "department": department,
            "title": title,
            "manager": manager,
            "location": SITES[number % 3],
            "employment": "contractor" if department == "Contractors" else "permanent",
            "starts": joined.isoformat(),
            "ends": "",
            "sponsor": "",
            "previous_department": "",
        }
        self.people[str(record["id"])] = {**record, **more}
        return str(record["id"])

    def department(self, department: str, size: int, titles: tuple[str, ...]) -> None:
        head = self.person(department, titles[0], next(iter(self.people), ""))
        everyone = [head]
        for at in range(size - 1):
            everyone.append(self.person(department, titles[1 + at % (len(titles) - 1)], head))
        for identity in everyone:
            person = self.people[identity]
            for group in TITLE_GROUPS.get(str(person["title"]), ()):
                self.member(group, reference_to("identity", identity))
            for system in DEPARTMENT_SYSTEMS[department]:
                self.account(system, identity)
        if department == "Contractors":
            for identity in everyone[1:]:
                end = TODAY + timedelta(days=self.random.randrange(20, 300))
                self.people[identity]["ends"] = end.isoformat()
                self.grant(
                    reference_to("identity", identity),
                    f"view gates:/{self.people[identity]['location']}/passes",
                    until=end.isoformat(),
                    given_by=head,
                    reason="gate access for the contract",
                )

    def account(self, system: str, identity: str, **more: object) -> str:
        name = str(self.people[identity]["name"]).lower().replace("ø", "o").split()
        login = f"{name[0][0]}{name[-1]}{int(identity[1:]) % 100:02}"
        seen = TODAY - timedelta(days=self.random.randrange(1, 60))
        self.logins[system, identity] = login
        record = {"status": "enabled", "last_login": seen.isoformat(), "privileged": "", **more}
        self.add("accounts", system=system, login=login, identity=identity, **record)
        return login

    def machines(self) -> None:
        for at, (name, kind, sponsor) in enumerate(
            (
                ("Berth display", "service", self.head("Berth planning")),
                ("Invoice printer", "service", self.head("Dues office")),
                ("Gate barrier bridge", "service", self.head("Gates and security")),
                ("Backup", "service", self.head("IT")),
                ("Roster mailer", "service", self.head("Pilotage")),
                ("Ships' agents' assistant", "agent", self.head("Berth planning")),
                ("Tariff assistant", "agent", self.head("Dues office")),
            ),
            1,
        ):
            record = dict.fromkeys(STAFF_HEADERS, "")
            self.people[f"m{at:03}"] = {**record, "id": f"m{at:03}", "name": name, "kind": kind, "sponsor": sponsor}
            self.people[f"m{at:03}"]["status"] = "active"
        self.grant("identity:m001", "view berths:/**")
        self.grant("identity:m002", "view dues:/*/invoices")
        self.grant("identity:m003", "view gates:/*/passes")
        self.grant("identity:m004", "read archive:/**", reason="nightly copy")
        self.grant("identity:m005", "view pilots:/roster")
        self.grant("identity:m006", "allocate berths:/**", reason="answers ships' agents")
        self.grant("identity:m007", "view dues:/*/tariffs")

    def head(self, department: str) -> str:
        return next(str(it["id"]) for it in self.people.values() if it["department"] == department)

    def nth(self, title: str, position: int) -> str:
        return [str(it["id"]) for it in self.people.values() if it["title"] == title][position]

    def use(self, identity: str, day: str, action: str, resource: str, record: str = "") -> None:
        system = resource.partition(":")[0]
        login = self.logins.get((system, identity))
        account = f"{system}/{login}" if login else ""
        who = "" if account else identity
        self.add("activity", time=f"{day}T08:{len(self.tables.get('activity', [])) % 60:02}:00Z", account=account,
                 identity=who, action=action, resource=resource, record=record, count=1)  # fmt: skip

    def plant(self) -> None:
        """The stories that the demo tells."""
        self.tariffs_and_waivers()
        self.issues_and_inspects()
        self.fitter_who_left()
        self.pilot_who_moved()
        self.guard_who_exports()
        self.folder_cut_off()
        self.grant_that_adds_nothing()
        self.office_manager()
        self.nobodys_account_and_one_person_twice()
        self.contractor_whose_time_is_over()
        self.notes_through_a_folder_above()
        self.assistant()
        self.store_keeper()
        self.patrols()
        self.owners()
        self.guards_who_hold_the_same()
        self.plate_reading()
        self.head_and_deputy()
        self.site_head()
        self.contractor_who_never_came()

    def tariffs_and_waivers(self) -> None:
        clerk, colleague, head = self.nth("Dues clerk", 2), self.nth("Dues clerk", 5), self.head("Dues office")
        for identity, site in ((clerk, "northmole"), (colleague, "eelmouth")):
            self.grant(
                reference_to("identity", identity),
                "role:dues/tariff-editor",
                on=f"dues:/{site}",
                given_by=head,
                given_at="2025-09-01",
                reason="covers for the tariff analyst",
            )
            self.member("waiver-desk-northmole", reference_to("identity", identity))
        self.use(clerk, "2026-03-02", "edit", "dues:/northmole/tariffs/2026", "INV-26-0007")
        self.use(clerk, "2026-03-04", "approve", "dues:/northmole/waivers/2026", "INV-26-0007")
        self.use(colleague, "2026-02-11", "edit", "dues:/eelmouth/tariffs/2026", "INV-26-0103")

    def issues_and_inspects(self) -> None:
        officer = self.nth("Permit officer", 3)
        self.grant(
            reference_to("identity", officer),
            "role:permits/inspector",
            given_by=self.head("Dangerous goods"),
            given_at="2025-11-03",
            reason="left standing under control DG-4 (weekly sample by the harbour master) until 2026-04-30",
        )
        self.use(officer, "2026-05-06", "issue", "permits:/northmole/permits/DG-004", "DG-004")
        self.use(officer, "2026-05-19", "inspect", "permits:/eelmouth/inspections/DG-002", "DG-002")

    def fitter_who_left(self) -> None:
        fitter = self.nth("Crane fitter", 7)
        self.people[fitter] |= {"status": "left", "ends": "2026-04-10"}
        login = self.logins["workshop", fitter]
        self.grant(
            f"account:workshop/{login}", "role:workshop/engineer", given_at="2022-05-02", reason="crane 4 rebuild"
        )
        self.use(fitter, "2026-05-02", "configure", "workshop:/controllers/crane-4")

    def pilot_who_moved(self) -> None:
        mover = self.nth("Pilot", 9)
        self.people[mover] |= {
            "department": "Harbour master's office",
            "title": "Duty officer",
            "manager": self.head("Harbour master's office"),
            "previous_department": "Pilotage",
        }
        self.member("harbour-office", reference_to("identity", mover))
        self.grant(
            reference_to("identity", mover),
            "role:pilots/roster-editor",
            given_by=self.head("Pilotage"),
            given_at="2021-02-15",
            reason="keeps the roster",
        )
        self.use(mover, "2025-10-30", "edit", "pilots:/roster/june")

    def guard_who_exports(self) -> None:
        guard = self.nth("Gate guard", 11)
        self.grant(
            reference_to("identity", guard),
            "export gates:/*/cameras",
            given_at="2024-08-12",
            reason="police request 2024",
        )

    def folder_cut_off(self) -> None:
        self.grant("group:directory/dues-heads", "read archive:/board")
        self.grant("everyone", "read archive:/board/minutes", given_at="2022-11-30", reason="open day")

    def grant_that_adds_nothing(self) -> None:
        clerk = self.nth("Dues clerk", 8)
        self.grant(reference_to("identity", clerk), "role:dues/clerk", given_at="2020-01-20", reason="first day")

    def office_manager(self) -> None:
        manager = self.nth("Office manager", 1)
        self.add(
            "areas", area="office", resources="directory:/groups;directory:/accounts", **{"except": "", "filter": ""}
        )
        self.add("mandates", holder=reference_to("identity", manager), roles="directory/*", area="office",
                 **{"for": 'department eq "Harbour master\'s office"', "may": "give;take"})  # fmt: skip

    def nobodys_account_and_one_person_twice(self) -> None:
        self.add("accounts", system="dues", login="cashdesk2", identity="", status="enabled", last_login="2026-05-28")
        self.grant("account:dues/cashdesk2", "role:dues/payer", on="dues:/eelmouth", reason="cash desk")
        twin = self.people[self.nth("Surveyor", 2)]
        first, last = str(twin["name"]).split()
        second = self.person("Dues office", "Dues clerk", self.head("Dues office"))
        self.people[second] |= {"name": f"{last}, {first}", "location": twin["location"], "employment": "temporary"}
        self.member("dues-office", reference_to("identity", second))

    def contractor_whose_time_is_over(self) -> None:
        contractor = self.nth("Diver", 4)
        for grant in self.tables["grants"]:
            if grant["holder"] == reference_to("identity", contractor):
                grant["until"] = "2026-05-31"
        self.people[contractor]["ends"] = "2026-05-31"
        login = self.logins["gates", contractor]
        self.grant(f"account:gates/{login}", "issue gates:/eelmouth/visitors", reason="diving crews at Eelmouth")

    def notes_through_a_folder_above(self) -> None:
        office = [self.nth("People adviser", at) for at in range(11)]
        self.grant(
            reference_to("identity", office[4]),
            "view pilots:/health",
            given_at="2023-03-01",
            reason="sick leave statistics",
        )
        self.grant(reference_to("identity", self.head("People office")), "role:pilots/medical-officer")

    def assistant(self) -> None:
        """The agent reads the slots every day; it never allocates one, and may not read the tariffs it is asked for."""
        for days in range(1, 200, 3):
            day = (TODAY - timedelta(days=days)).isoformat()
            site = SITES[days % 3]
            self.use("m006", day, "view", f"berths:/{site}/{('slots', 'plans', 'slots/july')[days % 3]}")
            self.use("m001", day, "view", f"berths:/{site}/plans")
            self.use("m002", day, "view", f"dues:/{site}/invoices")
            self.use("m003", day, "view", f"gates:/{site}/passes")
            self.use("m007", day, "view", f"dues:/{site}/tariffs")
            if days % 7 == 0:
                self.use("m005", day, "view", "pilots:/roster")
                self.use(self.head("People office"), day, "view", "pilots:/health/fitness/medical-notes")

    def store_keeper(self) -> None:
        keeper = self.nth("Store keeper", 3)
        self.grant(
            reference_to("identity", keeper),
            "role:workshop/engineer",
            given_at="2024-03-04",
            reason="stood in for the engineer",
        )

    def patrols(self) -> None:
        """Guards look at permits on their rounds and at the cranes when one raises an alarm: a long list to certify."""
        guards = [identity for identity, it in self.people.items() if it["department"] == "Gates and security"]
        sights = {"patrols": "view permits:/*/permits", "alarm-desk": "view workshop:/controllers"}
        for group, gives in sights.items():
            title = group.replace("-", " ").capitalize()
            self.add("groups", system="directory", group=group, title=title, filter="")
            self.resource(f"directory:/groups/{group}", "group")
            self.grant(f"group:directory/{group}", gives, reason="by position", given_at="2023-01-09")
            for guard in guards:
                self.member(group, reference_to("identity", guard))
        for at, guard in enumerate(guards):
            day = (TODAY - timedelta(days=3 + at)).isoformat()
            self.use(guard, day, "view", f"permits:/{self.people[guard]['location']}/permits")
            self.use(guard, day, "view", "workshop:/controllers")

    # What the demo puts right

    def owners(self) -> None:
        """Each system is somebody's, who gets a worklist for it."""
        departments = {"directory": "IT", "archive": "People office", "berths": "Berth planning", "dues": "Dues office",
                       "permits": "Dangerous goods", "gates": "Gates and security", "pilots": "Pilotage",
                       "workshop": "Crane workshop"}  # fmt: skip
        for record in self.tables["systems"]:
            record["owner"] = self.head(departments[str(record["system"])])

    def guards_who_hold_the_same(self) -> None:
        """Seven guards were given the same, one after the other; a group should carry it."""
        for at in range(7):
            guard = reference_to("identity", self.nth("Gate guard", at))
            given = f"2025-0{at + 1}-20"
            self.grant(
                guard, "view permits:/northmole/holds", given_at=given, reason="holds are asked about at the gate"
            )

    def plate_reading(self) -> None:
        """A new part of the gates, which only the administrators reach so far."""
        self.resource("gates:/plates", "folder", 1)
        self.grant("group:directory/administrators", "view gates:/plates", given_at="2026-05-20", reason="set-up")

    def head_and_deputy(self) -> None:
        """The head of dues holds what is used and what is left over; the deputy would come into a conflict by some."""
        head, deputy = self.head("Dues office"), self.nth("Dues clerk", 3)
        self.people[deputy]["title"] = "Deputy head of dues"
        self.grant(
            reference_to("identity", head), "role:permits/viewer", given_at="2024-02-05", reason="joint inspections"
        )
        self.grant(
            reference_to("identity", head), "role:pilots/roster-reader", given_at="2019-04-01", reason="pilot dues"
        )
        self.grant(reference_to("identity", deputy), "role:dues/waiver-approver", on="dues:/eelmouth",
                   given_by=head, given_at="2025-01-15", reason="small waivers at Eelmouth")  # fmt: skip

    def uses_of_the_head(self) -> None:
        head = self.head("Dues office")
        self.use(head, "2026-05-28", "view", "permits:/northmole/inspections")
        self.use(head, "2026-06-02", "export", "dues:/eelmouth/ledger/2026")
        self.use(head, "2024-11-12", "view", "pilots:/roster")

    def site_head(self) -> None:
        """Who heads the planning at Eelmouth may hand out two roles there, and no other."""
        self.add("roles", system="berths", role="administrator", title="Administrator", active="true")
        self.add("role_permissions", system="berths", role="administrator", action="manage", resource="berths:/**",
                 effect="permit")  # fmt: skip
        self.add("areas", area="eelmouth", resources="berths:/eelmouth", **{"except": "", "filter": ""})
        planners = [
            it for it in self.people.values() if it["title"] == "Berth planner" and it["location"] == "eelmouth"
        ]
        planners[0]["title"] = "Site head Eelmouth"
        self.add("mandates", holder=reference_to("identity", planners[0]["id"]), roles="berths/viewer;berths/planner",
                 area="eelmouth", **{"for": 'location eq "eelmouth"', "may": "give;take"})  # fmt: skip

    def contractor_who_never_came(self) -> None:
        number = len(self.people) + 1
        record = dict.fromkeys(STAFF_HEADERS, "")
        self.people[f"p{number:04}"] = {
            **record,
            "id": f"p{number:04}",
            "name": "Odin Halvorsrud",
            "kind": "person",
            "status": "invited",
            "email": "odin.halvorsrud@quaysurvey.example",
            "department": "Contractors",
            "title": "Surveyor",
            "manager": self.head("Contractors"),
            "employment": "contractor",
            "invited": "2026-03-09",
        }

    def activity(self) -> None:
        for identity, person in list(self.people.items()):
            uses = USES.get(str(person["department"]), ())
            for _ in range(self.random.randrange(4, 14) if uses and person["status"] == "active" else 0):
                action, resource = self.random.choice(uses)
                day = TODAY - timedelta(days=self.random.randrange(1, 240))
                self.use(identity, day.isoformat(), action, resource.format(site=person["location"]))
        self.uses_of_the_head()
        self.tables["activity"].sort(key=lambda it: (str(it["time"]), str(it["account"]), str(it["identity"])))

    def staff_export(self) -> list[dict[str, object]]:
        """The people as the staff system exports them: its own headers, two forms of date, a few bad rows."""
        rows = []
        for at, person in enumerate(self.people.values()):
            row = {theirs: person.get(ours, "") for ours, theirs in STAFF_HEADERS.items()}
            row["State"] = STAFF_STATES[str(person["status"])]
            for header in ("Joined", "Leaving"):
                if row[header] and at % 3:
                    row[header] = ".".join(reversed(str(row[header]).split("-")))
            if at % 17 == 0:
                row["Full name"] = f"{row['Full name']}  "
            rows.append(row)
        adviser = {"Full name": "Tove Sandnes", "E-mail": "tove.sandnes.900@tarnholm.example", "Job title": "Assistant"}
        rows.insert(41, {**rows[40], **adviser, "Staff No": "p0900", "Unit": "People office", "Joined": "31.02.2024"})
        rows.insert(90, {**rows[89], "Staff No": "", "Full name": "Nobody Known"})
        rows.insert(150, dict(rows[149]))
        return rows

    def a_year_ago(self) -> None:
        """Makes of the tables what they were on the day of last year's review."""
        day = EARLIER.isoformat()
        mover = next(it for it in self.people.values() if it["previous_department"] == "Pilotage")
        before = {"department": "Pilotage", "title": "Pilot", "manager": self.head("Pilotage")}
        mover.update({**before, "previous_department": ""})
        self.people = {one: it for one, it in self.people.items() if it["status"] != "invited"}
        for person in self.people.values():
            if person["status"] == "left":
                person.update({"status": "active", "ends": ""})
        for account in self.tables["accounts"]:
            account["last_login"] = ""
        office = reference_to("identity", mover["id"])
        self.tables["members"] = [it for it in self.tables["members"]
                                  if (it["group"], it["member"]) != ("harbour-office", office)]  # fmt: skip
        self.tables["activity"] = [it for it in self.tables["activity"] if str(it["time"]) < day]


def write(folder: Path) -> None:
    """Writes all tables into a folder, and those that were different a year ago beside it."""
    harbour = Harbour()
    harbour.make()
    write_tables(folder, harbour)
    harbour.a_year_ago()
    with tempfile.TemporaryDirectory() as scratch:
        write_tables(Path(scratch), harbour)
        earlier = folder.parent / f"{folder.name}-{EARLIER.year}"
        earlier.mkdir(exist_ok=True)
        for file in sorted(Path(scratch).iterdir()):
            if file.read_bytes() != (folder / file.name).read_bytes():
                shutil.copy(file, earlier / file.name)


def write_tables(folder: Path, harbour: Harbour) -> None:
    """Writes the tables of one day into a folder."""
    tables = {f"{kind}.csv": rows for kind, rows in harbour.tables.items()}
    tables["staff_export.csv"] = harbour.staff_export()
    grants, members = list(tables["grants.csv"]), list(tables["members.csv"])
    tables |= {"grants.csv": grants, "members.csv": members}
    grants.insert(30, {**grants[29], "grant": "G-9001", "holder": "identity:p0777", "reason": "from the old system"})
    grants.insert(60, {**grants[59], "grant": "G-9002", "tier": "first"})
    members.insert(75, {"system": "directory", "group": "yachts", "member": "identity:p0012"})
    folder.mkdir(parents=True, exist_ok=True)
    for name, rows in tables.items():
        header = list(dict.fromkeys(key for row in rows for key in row))
        with (folder / name).open("w", newline="", encoding="utf-8") as file:
            writer = csv.DictWriter(file, header, lineterminator="\n")
            writer.writeheader()
            writer.writerows(rows)


if __name__ == "__main__":
    write(Path(__file__).parent / "data" / "tables")
