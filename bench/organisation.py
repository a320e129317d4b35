"""Made-up organisations of any size, for measuring: the same seed gives the same organisation.

For n identities: n/50 groups nested up to 12 deep, n/200 roles in a hierarchy, n/10 permissions over n/5 resources in
trees up to 8 deep with some detached and some denies, 7 n memberships, n/10 grants to single people. `alike`: people of
one department and position share all their groups; else no two people have the same.
"""

from dataclasses import dataclass
from datetime import date, timedelta
from pathlib import Path

import numpy as np

from kathodos.columns.dictionary import always, dictionary_column
from kathodos.ledger.hand import hand_of
from kathodos.ledger.writing import writing
from kathodos.model.kinds import BY_NAME
from kathodos.workspace.workspace import Workspace

SYSTEMS = 10
ACTIONS = ("view", "edit", "approve", "export", "manage")
KINDS = {"view": "read", "edit": "write", "approve": "approve", "export": "export", "manage": "administer"}
LAST_DAY = date(2025, 12, 31)
IMPLIES = {"edit": ("view",), "approve": ("view",), "export": ("view",), "manage": ("edit", "approve", "export")}
MEMBERSHIPS = 7
DEEPEST_GROUP, DEEPEST_NODE = 12, 8


@dataclass
class Organisation:
    """All of it as arrays. Groups are numbered behind the identities; node 0 to 9 are the roots of the systems."""

    identities: int
    groups: int
    member: np.ndarray  # (member, group)
    junior: np.ndarray  # (role, junior)
    entry: np.ndarray  # (role, action, node, is deep, denies)
    parent: np.ndarray  # by node; -1 for a root
    detached: np.ndarray  # by node
    grant: np.ndarray  # (holder, role or -1, action or -1, node or -1, denies); holder -1 is everyone

    @property
    def roles(self):
        return int(self.entry[:, 0].max()) + 1

    def name(self, number):
        if number < 0:
            return "everyone"
        return f"identity:p{number:07}" if number < self.identities else f"group:s0/g{number - self.identities:06}"

    def addresses(self):
        """The address of each node."""
        return addresses_of(self.parent)

    def system_of(self):
        """The system of each node."""
        found = np.arange(len(self.parent))
        for node in range(SYSTEMS, len(self.parent)):
            found[node] = found[self.parent[node]]
        return found


def addresses_of(parents):
    """The address of each node of a forest, by the number of its parent; the roots are systems."""
    found = []
    for node, parent in enumerate(parents.tolist()):
        above = found[parent] if parent >= 0 else ""
        found.append(f"s{node}:/" if parent < 0 else f"{above.rstrip('/')}/n{node}")
    return found


def make(identities, alike, seed=1):
    """An organisation of this many identities."""
    random = np.random.default_rng(seed)
    groups, roles, nodes = identities // 50, max(identities // 200, 10), identities // 5
    parent, detached = grow(random, nodes)
    return Organisation(
        identities=identities,
        groups=groups,
        member=np.concatenate([_members(random, identities, groups, alike), _nested(random, identities, groups)]),
        junior=_juniors(random, roles),
        entry=_lines(random, roles, identities // 10, nodes),
        parent=parent,
        detached=detached,
        grant=_grants(random, identities, groups, roles, nodes),
    )


def grow(random, nodes):
    """Trees of resources, one a system and at most eight deep: the parent of each node, and whether it is detached."""
    parent, depth = np.full(nodes, -1), np.zeros(nodes, dtype=int)
    for node in range(SYSTEMS, nodes):
        above = (
            int(random.integers(max(0, node // 2 - 1000), node))
            if random.random() < 0.8
            else int(random.integers(SYSTEMS))
        )
        while depth[above] >= DEEPEST_NODE - 1:
            above = parent[above]
        parent[node], depth[node] = above, depth[above] + 1
    detached = random.random(nodes) < 0.01
    detached[:SYSTEMS] = False
    return parent, detached


def _members(random, identities, groups, alike):
    people = np.repeat(np.arange(identities), MEMBERSHIPS)
    if not alike:
        found = np.stack([people, random.integers(groups, size=len(people)) + identities], axis=1)
        return np.unique(found, axis=0)
    positions = max(identities // 40, 1)
    sets = random.integers(groups, size=(positions, MEMBERSHIPS)) + identities
    return np.unique(np.stack([people, sets[random.integers(positions, size=identities)].ravel()], axis=1), axis=0)


def _nested(random, first, groups):
    level = np.zeros(groups, dtype=int)
    pairs = []
    for group in range(1, groups):
        above = int(random.integers(max(0, group - 5 - group // 2), group))
        if level[above] < DEEPEST_GROUP - 1 and random.random() < 0.9:
            level[group] = level[above] + 1
            pairs.append((first + group, first + above))
    return np.array(pairs)


def _juniors(random, roles):
    seniors = np.arange(roles)[random.random(roles) < 0.5]
    return np.array([(role, int(random.integers(role + 1, roles))) for role in seniors.tolist() if role + 1 < roles])


def _lines(random, roles, entries, nodes):
    return np.stack(
        [
            np.sort(random.integers(roles, size=entries)),
            random.choice(len(ACTIONS), size=entries, p=[0.5, 0.3, 0.1, 0.08, 0.02]),
            random.integers(SYSTEMS, nodes, size=entries),
            random.random(entries) < 0.7,
            random.random(entries) < 0.01,
        ],
        axis=1,
    ).astype(int)


def _grants(random, identities, groups, roles, nodes):
    holding = np.arange(groups)[random.random(groups) < 0.6] + identities
    of_groups = [(int(holder), int(random.integers(roles)), -1, -1, 0) for holder in holding]
    people = random.choice(identities, size=identities // 10, replace=False)
    of_people = [
        (int(holder), int(random.integers(roles)), -1, -1, int(random.random() < 0.01))
        if random.random() < 0.5
        else (int(holder), -1, int(random.integers(3)), int(random.integers(SYSTEMS, nodes)), 0)
        for holder in people
    ]
    return np.array([*of_groups, *of_people, (-1, -1, 0, SYSTEMS, 0)])


def fill_store(organisation, file: Path, with_lives=False):
    """Writes the organisation into a new store's tables, as ledger entry 1.

    `with_lives`: people have positions and accounts, some have left, and there is activity.
    """
    workspace = Workspace.find(file.parent)
    with writing(workspace.store, workspace.keys, "gather", hand_of("bench")) as draft:
        _fill(_Filler(draft), organisation, with_lives)


def _fill(fill, organisation, with_lives):
    addresses, name = organisation.addresses(), organisation.name
    fill("systems", ("system", "combining", "inherit"), ((f"s{at}", "deny-overrides", 1) for at in range(SYSTEMS)))
    fill(
        "actions",
        ("system", "action", "implies", "kind"),
        ((f"s{at}", it, ";".join(IMPLIES.get(it, ())), KINDS[it]) for at in range(SYSTEMS) for it in ACTIONS),
    )
    if with_lives:
        _fill_people(fill, organisation)
    else:
        people = ((f"p{at:07}", "active", "person") for at in range(organisation.identities))
        fill("identities", ("id", "status", "kind"), people)
    fill("groups", ("system", "group"), (("s0", f"g{at:06}") for at in range(organisation.groups)))
    pairs = zip(*organisation.member.T.tolist(), strict=True)
    first = organisation.identities
    fill("members", ("system", "group", "member"), (("s0", f"g{to - first:06}", name(of)) for of, to in pairs))
    fill("roles", ("system", "role", "active"), (("s0", f"r{at:05}", 1) for at in range(organisation.roles)))
    juniors = organisation.junior.tolist()
    fill("role_juniors", ("system", "role", "junior"), (("s0", f"r{of:05}", f"role:s0/r{to:05}") for of, to in juniors))
    entries = sorted(set(map(tuple, organisation.entry.tolist())))
    rows = (
        ("s0", f"r{role:05}", ACTIONS[action], pattern(addresses[node], deep), "deny" if denies else "permit")
        for role, action, node, deep, denies in entries
    )
    fill("role_permissions", ("system", "role", "action", "resource", "effect"), rows)
    levels = np.random.default_rng(3).choice(4, size=len(addresses), p=[0.9, 0.07, 0.02, 0.01])
    resources = zip(addresses, map(int, organisation.detached.tolist()), levels.tolist(), strict=True)
    fill("resources", ("resource", "detached", "sensitivity"), resources)
    if with_lives:
        _fill_activity(fill, organisation, addresses)
    fill("grants", GRANT, grant_rows(organisation, organisation.grant, addresses))


def _fill_people(fill, organisation):
    """Identities with a position, one in a hundred gone; an account each, some unused for long, some of nobody."""
    random, count = np.random.default_rng(2), organisation.identities
    positions = random.integers(max(count // 40, 1), size=count).tolist()
    gone, days = (random.random(count) < 0.01).tolist(), random.exponential(40, size=count).astype(int).tolist()
    orphan = (random.random(count) < 0.001).tolist()
    people = (
        (f"p{at:07}", "left" if gone[at] else "active", "person", f"Department {it // 20}", f"Title {it % 20}")
        for at, it in enumerate(positions)
    )
    fill("identities", ("id", "status", "kind", "department", "title"), people)
    accounts = (
        ("s1", f"a{at:07}", None if orphan[at] else f"p{at:07}", "enabled", str(LAST_DAY - timedelta(days=days[at])))
        for at in range(count)
    )
    fill("accounts", ("system", "login", "identity", "status", "last_login"), accounts)


def _fill_activity(fill, organisation, addresses):
    """As many uses as identities, of a tenth of the resources, in the last year."""
    random, count = np.random.default_rng(4), organisation.identities
    columns = (random.integers(top, size=count).tolist() for top in (count, len(addresses) // 10, 360, len(ACTIONS)))
    rows = (
        (str(LAST_DAY - timedelta(days=day)), f"p{user:07}", ACTIONS[action], addresses[node], 1)
        for user, node, day, action in zip(*columns, strict=True)
    )
    fill("activity", ("time", "identity", "action", "resource", "count"), rows)


GRANT = ("grant", "holder", "gives", "effect", "tier")


def grant_rows(organisation, grants, addresses, first=0):
    """The grants as rows of the catalogue."""
    for at, (holder, role, action, node, denies) in enumerate(grants.tolist(), first):
        gives = f"role:s0/r{role:05}" if role >= 0 else f"{ACTIONS[action]} {pattern(addresses[node], True)}"
        yield f"G{at:07}", organisation.name(holder), gives, "deny" if denies else "permit", 0


def pattern(address, deep):
    return f"{address.rstrip('/')}/**" if deep else address


class _Filler:
    """Opens rows of a kind in an entry of the ledger; what is not given is nothing."""

    def __init__(self, draft):
        self.draft = draft

    def __call__(self, kind, columns, rows):
        kind = BY_NAME[kind]
        assert set(columns) <= set(kind.names)
        given = dict(zip(columns, map(dictionary_column, zip(*rows, strict=True)), strict=True))
        count = len(next(iter(given.values())))
        whole = [given.get(name, always(None, count)) for name in kind.names]
        self.draft.open_columns(kind, whole, always(None, count))


def give_more(organisation, file: Path, grants, entry=2):
    """Adds grants to a filled store as another ledger entry."""
    workspace = Workspace.find(file.parent)
    with writing(workspace.store, workspace.keys, "gather", hand_of("bench")) as draft:
        first = 5_000_000 + entry * 1000
        _Filler(draft)("grants", GRANT, grant_rows(organisation, grants, organisation.addresses(), first))
