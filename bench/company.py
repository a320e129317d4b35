"""A made-up company of any size, as reviewers meet them, for measuring whole commands: the same seed, the same company.

For n people: departments of about 200 with twenty positions, each with a birthright group; every fifth person is still
in a group of a former position; projects; half of all people hold grants of their own, some ended, scoped or denying;
two accounts each, some of nobody; a service for every hundred people and an agent for every two hundred; 10 systems,
n/5 resources up to 8 deep, some detached; five uses of something by each person in the last year.
"""

from dataclasses import dataclass
from datetime import date, timedelta
from functools import cached_property
from pathlib import Path

import numpy as np
import organisation as made_up
from organisation import ACTIONS, IMPLIES, KINDS, SYSTEMS

from kathodos.columns.dictionary import DictionaryColumn, always, dictionary_column
from kathodos.ledger.hand import hand_of
from kathodos.ledger.writing import writing
from kathodos.model import kinds
from kathodos.workspace.workspace import Workspace

FIRST_DAY = date(2025, 1, 1)
DAYS = [str(FIRST_DAY + timedelta(days=at)) for at in range(365)]
MINUTES = [f"{day}T{at // 60:02}:{at % 60:02}:00Z" for day in DAYS for at in range(24 * 60)]
TITLES = 20  # positions in a department
SERVICE, USED_BY_ONE = "x000000", 1000


@dataclass(frozen=True)
class Company:
    """How many there are of everything. Holders: people, services and agents; then groups; then accounts."""

    people: int
    uses_of_one: int = 0  # further uses, by the first service
    referring: float = 0.0  # share of the resources that refer to another one

    @property
    def identities(self):
        return self.people + self.people // 100 + self.people // 200

    @property
    def departments(self):
        return max(self.people // 200, 2)

    @property
    def divisions(self):
        return self.departments // 20 + 1

    @property
    def positions(self):
        return self.departments * TITLES

    @property
    def projects(self):
        return max(self.people // 100, 2)

    @property
    def roles(self):
        return max(self.people // 200, 500)

    @property
    def basic(self):
        """From which role on they are such as everybody of the company or of a division has."""
        return self.roles - 10

    @cached_property
    def groups(self):
        named = (("dept", self.departments), ("pos", self.positions), ("div", self.divisions), ("proj", self.projects))
        return [*(f"{word}{at:05}" for word, count in named for at in range(count)), "staff"]

    @cached_property
    def parts(self):
        """What is drawn by chance, made once."""
        return _Drawn(self)


class _Drawn:
    def __init__(self, company):
        self.random = np.random.default_rng(5)
        self.of = company
        count = company.people
        self.position = self.random.integers(company.positions, size=count)
        self.former = self.random.integers(company.positions, size=count)
        self.has_left = self.random.random(count) < 0.02
        self.parent, self.detached = made_up.grow(self.random, max(count // 5, 200))
        nodes = len(self.parent)
        system = np.arange(nodes)
        for node in range(SYSTEMS, nodes):
            system[node] = system[self.parent[node]]
        self.system = system
        self.addresses = made_up.addresses_of(self.parent)
        self.entry_role = np.sort(
            np.append(self.random.integers(company.roles, size=20 * company.roles), np.arange(company.roles))
        )
        self.entry_node = self.random.integers(SYSTEMS, nodes, size=len(self.entry_role))
        self.entry_action = self.random.choice(len(ACTIONS), size=len(self.entry_role), p=[0.5, 0.3, 0.1, 0.08, 0.02])
        self.role_of_position = self.random.integers(company.basic, size=(company.positions, 2))


def texts(form, count):
    return [form.format(at) for at in range(count)]


def column(codes, values):
    return DictionaryColumn(np.asarray(codes, dtype=np.int32), values)


def fill(company: Company, workspace: Workspace):
    """Writes the company into a new workspace as its first ledger entry, in the way in which a gather writes."""
    with writing(workspace.store, workspace.keys, "gather", hand_of("bench")) as draft:
        draft.payload["source"] = "company"
        for kind, columns in kinds_of(company):
            put(draft, kind, columns)


def put(draft, kind, columns):
    """Writes records of a kind of which some columns are given."""
    rows = len(next(iter(columns.values())))
    whole = [columns.get(name, always(_default(kind, name), rows)) for name in kind.names]
    draft.open_columns(kind, whole, always("company", rows))


def _default(kind, name):
    return None if name == "attributes" else kind.column(name).default


def kinds_of(company):
    """The kinds of record that a company consists of, each with those columns that are not empty."""
    yield kinds.SYSTEMS, {"system": dictionary_column(texts("s{}", SYSTEMS))}
    yield kinds.IDENTITIES, _identities(company)
    yield kinds.ACCOUNTS, _accounts(company)
    yield kinds.GROUPS, {"system": always("s0", len(company.groups)), "group": dictionary_column(company.groups)}
    yield kinds.MEMBERS, _members(company)
    yield (
        kinds.ROLES,
        {"system": always("s0", company.roles), "role": dictionary_column(texts("r{:05}", company.roles))},
    )
    yield kinds.ROLE_JUNIORS, _juniors(company)
    pairs = [(f"s{system}", action) for system in range(SYSTEMS) for action in ACTIONS]
    rows = [(system, action, KINDS[action], ";".join(IMPLIES.get(action, ())) or None) for system, action in pairs]
    named = zip(kinds.ACTIONS.names, zip(*rows, strict=True), strict=True)
    yield kinds.ACTIONS, {name: dictionary_column(values) for name, values in named}
    yield kinds.ROLE_PERMISSIONS, _role_permissions(company)
    yield kinds.RESOURCES, _resources(company)
    yield kinds.GRANTS, _grants(company)
    yield kinds.ACTIVITY, _activity(company)


def _identities(company):
    drawn, people, every = company.parts, company.people, company.identities
    others = every - people
    title, department = drawn.position % TITLES, drawn.position // TITLES
    absent = np.full(others, -1)
    manager = np.minimum(np.arange(people) // 12, people - 1)
    manager[:12] = -1
    kind = np.where(np.arange(every) < people, 0, np.where(np.arange(every) < people + people // 100, 1, 2))
    names = [*texts("p{:07}", people), *texts("x{:06}", others)]
    return {
        "id": dictionary_column(names),
        "name": dictionary_column(
            [*(f"Person {at}" for at in range(people)), *(f"Service {at}" for at in range(others))]
        ),
        "kind": column(kind, ["person", "service", "agent"]),
        "status": column(np.append(drawn.has_left, np.zeros(others)), ["active", "left"]),
        "email": column(np.append(np.arange(people), absent), texts("p{}@company.example", people)),
        "department": column(np.append(department, absent), texts("Department {}", company.departments)),
        "title": column(np.append(title, absent), texts("Title {}", TITLES)),
        "manager": column(np.append(manager, absent), names),
        "sponsor": column(np.append(np.full(people, -1), np.arange(others)), names),
    }


def _accounts(company):
    drawn, people = company.parts, company.people
    random, count = drawn.random, 2 * people
    system = np.append(np.ones(people, dtype=int), random.integers(2, SYSTEMS, size=people))
    owner = np.tile(np.arange(people), 2)
    owner[random.random(count) < 0.002] = -1
    left = np.tile(drawn.has_left, 2)
    return {
        "system": column(system, texts("s{}", SYSTEMS)),
        "login": dictionary_column([*texts("u{:07}", people), *texts("v{:07}", people)]),
        "identity": column(owner, texts("p{:07}", people)),
        "status": column(left & (random.random(count) < 0.8), ["enabled", "disabled"]),
        "last_login": column(np.maximum(364 - random.exponential(40, size=count).astype(int), 0), DAYS),
        "privileged": column((random.random(count) < 0.01).astype(int), [0, 1]),
    }


def _members(company):
    drawn, people = company.parts, company.people
    random, every = drawn.random, np.arange(people)
    first = {"pos": company.departments, "div": company.departments + company.positions}
    first["proj"] = first["div"] + company.divisions
    still, late = every[random.random(people) < 0.2], every[random.random(people) < 0.1]
    on_projects = np.repeat(every, random.choice(5, size=people, p=[0.35, 0.3, 0.2, 0.1, 0.05]))
    pairs = [
        (drawn.position // TITLES, every),
        (drawn.position + first["pos"], every),
        (drawn.former[still] + first["pos"], still),
        (drawn.former[late] // TITLES, late),
        (random.integers(company.projects, size=len(on_projects)) + first["proj"], on_projects),
    ]
    found = np.unique(np.concatenate([np.stack(pair, axis=1) for pair in pairs]), axis=0)
    of_groups = [(first["div"] + at // 20, at) for at in range(company.departments)]
    of_groups += [(len(company.groups) - 1, first["div"] + at) for at in range(company.divisions)]
    found = np.concatenate([found, np.array(of_groups) + np.array([0, people])])
    members = [*texts("identity:p{:07}", people), *(f"group:s0/{name}" for name in company.groups)]
    return {
        "system": always("s0", len(found)),
        "group": column(found[:, 0], company.groups),
        "member": column(found[:, 1], members),
    }


def _juniors(company):
    random = company.parts.random
    senior = np.arange(company.basic - 1)[random.random(company.basic - 1) < 0.3]
    junior = [int(random.integers(role + 1, company.basic)) for role in senior.tolist()]
    return {
        "system": always("s0", len(senior)),
        "role": column(senior, texts("r{:05}", company.roles)),
        "junior": column(junior, texts("role:s0/r{:05}", company.roles)),
    }


def _role_permissions(company):
    drawn = company.parts
    is_deep = drawn.random.random(len(drawn.entry_role)) < 0.7
    denies = drawn.random.random(len(drawn.entry_role)) < 0.01
    nodes = len(drawn.addresses)
    found = np.stack([drawn.entry_role, drawn.entry_action, drawn.entry_node + nodes * is_deep, denies], axis=1)
    found = np.unique(found.astype(int), axis=0)
    patterns = [made_up.pattern(address, is_deep) for is_deep in (False, True) for address in drawn.addresses]
    return {
        "system": always("s0", len(found)),
        "role": column(found[:, 0], texts("r{:05}", company.roles)),
        "action": column(found[:, 1], list(ACTIONS)),
        "resource": column(found[:, 2], patterns),
        "effect": column(found[:, 3], ["permit", "deny"]),
    }


def _resources(company):
    drawn = company.parts
    levels = drawn.random.choice(4, size=len(drawn.addresses), p=[0.9, 0.07, 0.02, 0.01])
    by_chance = np.random.default_rng(7)
    nodes = len(drawn.addresses)
    target = by_chance.integers(SYSTEMS, nodes, size=nodes)
    target[by_chance.random(nodes) >= company.referring] = -1
    return {
        "refers": column(target, drawn.addresses),
        "resource": dictionary_column(drawn.addresses),
        "sensitivity": column(levels, [0, 1, 2, 3]),
        "detached": column(drawn.detached, [0, 1]),
    }


def _grants(company):
    """What groups give, what half of the people hold by themselves or through an account, and what services hold."""
    drawn, people = company.parts, company.people
    random, groups, nodes = drawn.random, len(company.groups), len(drawn.addresses)
    first = company.identities  # of the groups among the holders
    positions = np.repeat(np.arange(company.positions) + company.departments, 2)
    others = np.setdiff1d(np.arange(groups), np.unique(positions))
    of_groups = np.append(positions, np.repeat(others, 2)) + first
    is_wide = others >= company.departments + company.positions
    is_wide &= others < company.departments + company.positions + company.divisions
    is_wide |= others == groups - 1
    lowest, highest = np.where(is_wide, company.basic, 0), np.where(is_wide, company.roles, company.basic)
    of_others = random.integers(np.repeat(lowest, 2), np.repeat(highest, 2))
    roles = np.append(drawn.role_of_position.ravel(), of_others)
    own = np.repeat(np.arange(people)[random.random(people) < 0.5], 3)
    through = np.where(random.random(len(own)) < 0.4, own + first + groups, own)
    services = np.repeat(np.arange(people, company.identities), 4)
    holder = np.concatenate([of_groups, through, services])
    is_role = np.concatenate([np.ones(len(roles)), random.random(len(own)) < 0.5, np.zeros(len(services))]).astype(bool)
    role = np.concatenate([roles, random.integers(company.basic, size=len(own) + len(services))])
    permission = random.integers(3 * nodes, size=len(holder))
    used, permission = np.unique(np.where(is_role, 0, permission), return_inverse=True)
    gives = [*texts("role:s0/r{:05}", company.roles)]
    gives += [f"{ACTIONS[at // nodes]} {drawn.addresses[at % nodes]}" for at in used.tolist()]
    by_hand = ~np.isin(np.arange(len(holder)), np.arange(len(of_groups)))
    names = [*texts("identity:p{:07}", people), *texts("identity:x{:06}", company.identities - people)]
    names += [*(f"group:s0/{name}" for name in company.groups), *texts("account:s1/u{:07}", people)]
    some = random.random((2, len(holder)))
    return {
        "grant": dictionary_column(texts("G{:07}", len(holder))),
        "holder": column(holder, names),
        "gives": column(np.where(is_role, role, company.roles + permission), gives),
        "on": column(
            np.where(is_role & by_hand & (some[0] < 0.05), random.integers(SYSTEMS, size=len(holder)), -1),
            texts("s{}:/**", SYSTEMS),
        ),
        "effect": column(by_hand & (some[1] < 0.005), ["permit", "deny"]),
        "until": column(
            np.where(by_hand & (some[0] > 0.9), random.integers(700, size=len(holder)), -1),
            [str(FIRST_DAY + timedelta(days=at)) for at in range(700)],
        ),
        "given_at": column(np.where(by_hand, random.integers(365, size=len(holder)), -1), DAYS),
    }


def _activity(company):
    """Mostly of what the roles of a person's position hold; some of anything."""
    drawn, people = company.parts, company.people
    random, count = drawn.random, 5 * people
    user = random.integers(people, size=count)
    role = drawn.role_of_position[drawn.position[user], random.integers(2, size=count)]
    first = np.searchsorted(drawn.entry_role, role)
    size = np.searchsorted(drawn.entry_role, role, side="right") - first
    entry = first + (random.random(count) ** 2 * size).astype(int)
    is_any = random.random(count) < 0.2
    node = np.where(is_any, random.integers(len(drawn.addresses), size=count), drawn.entry_node[entry])
    action = np.where(is_any, random.integers(3, size=count), drawn.entry_action[entry])
    found = np.unique(np.stack([random.integers(365, size=count), user, action, node], axis=1), axis=0)
    found = np.concatenate([found, _uses_of_one(company)])
    return {
        "time": column(found[:, 0], [*DAYS, *MINUTES]),
        "identity": column(found[:, 1], [*texts("p{:07}", people), SERVICE]),
        "action": column(found[:, 2], list(ACTIONS)),
        "resource": column(found[:, 3], drawn.addresses),
    }


def _uses_of_one(company):
    """What the first service did, minute by minute: one of three things to each of a thousand resources of a system."""
    count = company.uses_of_one
    nodes = company.parts.system[: len(company.parts.addresses)] == 1
    touched = nodes.nonzero()[0][1 : 1 + USED_BY_ONE]
    at = np.arange(count)
    what = at % (3 * len(touched))
    minute = len(DAYS) + at // max(count // len(MINUTES) + 1, 1)
    return np.stack([minute, np.full(count, company.people), what % 3, touched[what // 3]], axis=1)


def write_rules(company: Company, file: Path, count=200):
    """Conflict rules of two duties each, over what few roles hold; three fences; a need of one department."""
    drawn, random = company.parts, np.random.default_rng(11)
    few = _held_by_few(company)
    if not len(few):  # too small a company: what many hold stands in
        few, count = np.arange(len(drawn.entry_node)), 3
    chosen = random.choice(few, size=(count, 2, 1))
    lines = ['topic = "Company"']
    for at, sides in enumerate(chosen.tolist()):
        lines += ["[[conflict]]", f'id = "C-{at}"', f'severity = "{("low", "medium", "high")[at % 3]}"']
        for side, entries in enumerate(sides):
            named = [f'"{ACTIONS[drawn.entry_action[it]]} {drawn.addresses[drawn.entry_node[it]]}"' for it in entries]
            lines += ["[[conflict.duty]]", f'name = "side {side}"', f"any = [{', '.join(sorted(set(named)))}]"]
    for at in range(3):
        lines += ["[[fence]]", f'id = "F-{at}"', f"who = 'title eq \"Title {at}\"'", f'never = ["manage s{at}:/"]']
    lines += [
        "[[need]]",
        'id = "N-0"',
        'who = \'kind eq "person" and department eq "Department 1"\'',
        'must = ["view s1:/"]',
    ]
    file.write_text("\n".join(lines) + "\n", encoding="utf-8")


def _held_by_few(company, most=4):
    """The entries on resources that few entries are on or above, and none of a role that everybody has."""
    drawn = company.parts
    covers = np.zeros((2, len(drawn.parent)), dtype=int)
    np.add.at(covers[0], drawn.entry_node, 1)
    np.add.at(covers[1], drawn.entry_node[drawn.entry_role >= company.basic], 1)
    for node in range(SYSTEMS, len(drawn.parent)):
        covers[:, node] += covers[:, drawn.parent[node]]
    few = (covers[0] <= most) & (covers[1] == 0)
    return few[drawn.entry_node].nonzero()[0]


def give_more(company: Company, workspace: Workspace, count: int):
    """Gives so many people another role each, as a further entry."""
    with writing(workspace.store, workspace.keys, "gather", hand_of("bench")) as draft:
        random = np.random.default_rng(draft.number)
        rows = [
            (f"M{draft.number}-{at}", f"identity:p{holder:07}", f"role:s0/r{role:05}", None, "permit", 0, *[None] * 6)
            for at, (holder, role) in enumerate(
                random.integers([company.people, company.roles], size=(count, 2)).tolist()
            )
        ]
        draft.open_rows(kinds.GRANTS, rows, "company")


def move_everyone(company: Company, workspace: Workspace):
    """Puts everybody into other groups, as a further entry: a reorganisation."""
    with writing(workspace.store, workspace.keys, "gather", hand_of("bench")) as draft:
        draft.close_rows(kinds.MEMBERS, draft.records.rows(kinds.MEMBERS).tolist())
        moved = Company(company.people)
        moved.parts.position = (moved.parts.position + 7 * TITLES + 3) % moved.positions
        columns = _members(moved)
        whole = [columns[name] for name in kinds.MEMBERS.names]
        draft.open_columns(kinds.MEMBERS, whole, always("company", len(whole[1])))
