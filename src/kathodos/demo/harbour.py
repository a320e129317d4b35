"""Who and what the demo harbour is made of: departments, roles, groups, and what is used."""

from __future__ import annotations

SITES = ("northmole", "eelmouth", "inner-basin")
FIRST = """
    Ada Bram Cato Dina Egil Faye Gus Hedda Ivo Jora Kjell Lena Mads Nora Odd Pia Rune Sif Tove Ulf Vera Wim Yrsa
    Alma Bo Carl Dagny Ebba Finn Greta Hauk Inga Jens Karin Leif Marit Nils Olga Per Ragna Svein Thea Una Viggo
    Wenche Arne Berit Eilif Frida Gard Hilde Iver Jon Kaja Lars Mona
"""
LAST = """
    Aakvik Brandal Corneil Drange Eskelund Fossmark Grindheim Holmsen Ingvald Jordal Kvamme Lyngstad Mørk Nesheim
    Opdahl Pedersborg Quistgaard Rossavik Skarholt Tangvald Ulvestad Vestrheim Wiborg Ytreberg Aasen Birkevold
    Dyrnes Engen Flatval Gjerde Haugland Isdal Jansholm Kleppe Lothe Myklebust Nordvang Osmundsen Prestvik Rambøll
    Solheim Tveit
"""
# Department: (number of people, titles with the head's first)
DEPARTMENTS = {
    "Harbour master's office": (24, ("Harbour master", "Duty officer", "Watch keeper", "Office manager")),
    "Pilotage": (34, ("Chief pilot", "Pilot", "Pilot", "Trainee pilot")),
    "Dues office": (30, ("Head of dues", "Dues clerk", "Dues clerk", "Tariff analyst")),
    "Dangerous goods": (18, ("Head of dangerous goods", "Permit officer", "Inspector")),
    "Gates and security": (44, ("Head of security", "Gate guard", "Gate guard", "Control room operator")),
    "Crane workshop": (36, ("Workshop manager", "Crane fitter", "Crane fitter", "Store keeper")),
    "Berth planning": (14, ("Head of berth planning", "Berth planner")),
    "People office": (12, ("Head of people", "People adviser")),
    "IT": (14, ("Head of IT", "System administrator", "Service desk")),
    "Contractors": (28, ("Contract coordinator", "Rigger", "Diver", "Surveyor")),
}
ACTIONS = {
    "directory": ("view read", "edit-members administer view", "edit-admins administer edit-members"),
    "berths": ("view read", "allocate write view", "plan approve allocate", "manage administer plan"),
    "dues": (
        "view read",
        "edit write view",
        "approve approve view",
        "pay approve view",
        "export export view",
        "manage administer edit;approve;export",
    ),
    "permits": ("view read", "issue write view", "inspect approve view", "release approve view"),
    "gates": ("view read", "issue write view", "watch read", "export export watch"),
    "pilots": ("view read", "edit write view", "manage administer edit"),
    "workshop": ("view read", "order write view", "operate write view", "configure administer operate"),
    "archive": ("read read", "write write read", "manage administer write"),
}
# Role: permissions, juniors behind ">"
ROLES = {
    "directory/reader": ("view directory:/**",),
    "directory/member-editor": ("edit-members directory:/groups/**",),
    "directory/administrator": ("edit-admins directory:/**",),
    "berths/viewer": ("view berths:/**",),
    "berths/planner": ("allocate berths:/*/slots/**", "plan berths:/*/plans", ">berths/viewer"),
    "dues/reader": ("view dues:/*/invoices", "view dues:/*/tariffs", "deny view dues:/*/payees/*/bank-account"),
    "dues/clerk": ("edit dues:/*/invoices", "view dues:/*/payees", ">dues/reader"),
    "dues/tariff-editor": ("edit dues:/*/tariffs", ">dues/reader"),
    "dues/waiver-approver": ("approve dues:/*/waivers/**", ">dues/reader"),
    "dues/payer": ("pay dues:/*/payments", "view dues:/*/payees/**"),
    "dues/payee-editor": ("edit dues:/*/payees",),
    "dues/auditor": ("view dues:/**", "export dues:/*/ledger"),
    "dues/manager": ("manage dues:/**",),
    "permits/viewer": ("view permits:/**",),
    "permits/officer": ("issue permits:/*/permits", ">permits/viewer"),
    "permits/inspector": ("inspect permits:/*/inspections", ">permits/viewer"),
    "permits/releaser": ("release permits:/*/holds",),
    "gates/guard": ("view gates:/*/passes", "watch gates:/*/cameras", "issue gates:/*/visitors"),
    "gates/pass-officer": ("issue gates:/*/passes", ">gates/guard"),
    "gates/footage-exporter": ("export gates:/*/cameras",),
    "pilots/roster-reader": ("view pilots:/roster",),
    "pilots/pilot": ("view pilots:/licences", ">pilots/roster-reader"),
    "pilots/roster-editor": ("edit pilots:/roster", ">pilots/pilot"),
    "pilots/medical-officer": ("edit pilots:/health/fitness/medical-notes",),
    "workshop/fitter": ("order workshop:/parts", "operate workshop:/controllers", "view workshop:/**"),
    "workshop/store-keeper": ("order workshop:/parts/**",),
    "workshop/engineer": ("configure workshop:/controllers", ">workshop/fitter"),
    "archive/reader": ("read archive:/shared",),
    "archive/writer": ("write archive:/shared", ">archive/reader"),
    "archive/keeper": ("manage archive:/**",),
    "workshop/retired": ("configure workshop:/**",),
}
# Group of the directory: what its members are given
GROUP_ROLES = {
    "all-staff": ("berths/viewer", "archive/reader"),
    "dues-office": ("dues/clerk",),
    "dues-heads": ("dues/auditor",),
    "permit-officers": ("permits/officer",),
    "inspectors": ("permits/inspector",),
    "guards": ("gates/guard",),
    "control-room": ("gates/footage-exporter",),
    "pilots": ("pilots/pilot",),
    "nautical": ("berths/viewer", "permits/viewer"),
    "fitters": ("workshop/fitter",),
    "store": ("workshop/store-keeper",),
    "berth-planners": ("berths/planner",),
    "people-office": ("directory/reader",),
    "service-desk": ("directory/member-editor",),
    "administrators": ("directory/administrator",),
}
TITLE_GROUPS = {
    "Head of dues": ("dues-office", "dues-heads"),
    "Dues clerk": ("dues-office",),
    "Tariff analyst": ("dues-office",),
    "Permit officer": ("permit-officers",),
    "Head of dangerous goods": ("permit-officers",),
    "Inspector": ("inspectors",),
    "Head of security": ("guards", "control-room"),
    "Gate guard": ("guards",),
    "Control room operator": ("guards", "control-room"),
    "Chief pilot": ("pilots",),
    "Pilot": ("pilots",),
    "Trainee pilot": ("pilots",),
    "Harbour master": ("harbour-office",),
    "Duty officer": ("harbour-office",),
    "Watch keeper": ("harbour-office",),
    "Office manager": ("harbour-office",),
    "Workshop manager": ("fitters", "store"),
    "Crane fitter": ("fitters",),
    "Store keeper": ("store",),
    "Head of berth planning": ("berth-planners",),
    "Berth planner": ("berth-planners",),
    "Head of people": ("people-office",),
    "People adviser": ("people-office",),
    "Head of IT": ("administrators",),
    "System administrator": ("administrators", "service-desk"),
    "Service desk": ("service-desk",),
}
DEPARTMENT_SYSTEMS = {
    "Harbour master's office": ("berths", "archive"),
    "Pilotage": ("pilots", "archive"),
    "Dues office": ("dues", "archive"),
    "Dangerous goods": ("permits", "archive"),
    "Gates and security": ("gates",),
    "Crane workshop": ("workshop",),
    "Berth planning": ("berths",),
    "People office": ("archive",),
    "IT": ("directory", "archive"),
    "Contractors": ("gates",),
}
USES = {
    "Dues office": (("view", "dues:/{site}/invoices"), ("edit", "dues:/{site}/invoices")),
    "Dangerous goods": (("view", "permits:/{site}/permits"),),
    "Gates and security": (("watch", "gates:/{site}/cameras"), ("view", "gates:/{site}/passes")),
    "Pilotage": (("view", "pilots:/roster"), ("view", "pilots:/licences")),
    "Crane workshop": (("operate", "workshop:/controllers"), ("order", "workshop:/parts")),
    "Berth planning": (("allocate", "berths:/{site}/slots"),),
    "Harbour master's office": (("view", "berths:/{site}/plans"),),
}
STAFF_HEADERS = {
    "id": "Staff No",
    "name": "Full name",
    "kind": "Sort",
    "status": "State",
    "email": "E-mail",
    "department": "Unit",
    "title": "Job title",
    "manager": "Reports to",
    "location": "Base",
    "employment": "Contract",
    "starts": "Joined",
    "ends": "Leaving",
    "sponsor": "Answers for it",
    "previous_department": "Came from",
    "invited": "Invited on",
}
STAFF_STATES = {"active": "in service", "left": "gone", "suspended": "on hold", "invited": "invited"}
