"""What the catalogue at one ledger number looks like compiled to arrays. Every question about reach is answered here.

Holders are numbered: identities first, then accounts, groups, and `everyone` last.
An *entry* is one permission with its effect; an *entitlement* is what a grant gives, the entries of a role with all its
juniors or a single one, under a scope; a *scoped entry* is an entry under a scope, and has intervals of places.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import msgspec
import numpy as np

from kathodos import thresholds
from kathodos.columns.csr import Bools, CSRList, Ints, closures, csr_from_lists, csr_from_pairs, distinct, ints
from kathodos.columns.ordered import insertion_points
from kathodos.columns.strings import Hashes, StringTable, hash_of, starting_with, without_start
from kathodos.engine.compiled.scopes import EVERYTHING, Scope, ScopedIntervals
from kathodos.engine.compiled.tree import Tree
from kathodos.model import kinds
from kathodos.model.references import reference_to

NEEDED = (
    kinds.SYSTEMS,
    kinds.IDENTITIES,
    kinds.ACCOUNTS,
    kinds.GROUPS,
    kinds.MEMBERS,
    kinds.ROLES,
    kinds.ROLE_JUNIORS,
    kinds.ACTIONS,
    kinds.ROLE_PERMISSIONS,
    kinds.RESOURCES,
    kinds.AREAS,
    kinds.GRANTS,
    kinds.MANDATES,
)
ANY_ACTION = -1
_IDENTITY, _ACCOUNT = "identity:", "account:"
NO_ROW = -(2**62)  # of a node that no source lists
NO_ROLE = -1
LISTED, BY_FILTER = 1, 2  # why somebody is a member; both may be true


class System(msgspec.Struct, frozen=True):
    """One system: its combining way, inheritance, and `actions`, numbers of actions that are its own.

    `covers[b, a]`: action b is a or implies a, both as positions in `actions`. `gates`: (type, position of action).
    `kinds`: the kind of each action. Its nodes are [root, end), and so are their places.
    """

    name: str
    combining: str
    inherits: bool
    root: int
    end: int
    actions: Ints
    covers: Bools
    gates: Sequence[tuple[str, int]]
    kinds: Sequence[str | None]

    @property
    def size(self) -> int:
        return self.end - self.root

    @property
    def is_plain(self) -> bool:
        """Whether permits and denies decide alone: no ranks among them, and no gates."""
        return not self.gates and self.combining in ("deny-overrides", "permit-overrides")


class AccessEntry(msgspec.Struct, frozen=True):
    """One permission as a role or a grant carries it."""

    action: str
    pattern: str
    denies: bool

    @property
    def system(self) -> str:
        return self.pattern.partition(":")[0]

    def __str__(self) -> str:
        return f"{'deny ' if self.denies else ''}{self.action} {self.pattern}"


@dataclass(frozen=True)
class AccessEntries(Sequence[AccessEntry]):
    """The entries. `verb` and `pattern` are numbers in `verbs` and `patterns`; `action` that of the index's actions."""

    verbs: Sequence[str]
    patterns: StringTable
    verb: Ints
    pattern: Ints
    denies: Bools
    action: Ints

    def __len__(self) -> int:
        return len(self.verb)

    def __getitem__(self, at: int) -> AccessEntry:  # type: ignore[override]  # no slices
        return AccessEntry(self.verbs[self.verb[at]], self.patterns[self.pattern[at]], bool(self.denies[at]))

    @cached_property
    def of_pattern(self) -> CSRList:
        """For each pattern the entries with it."""
        return csr_from_pairs(self.pattern, np.arange(len(self)), len(self.patterns))

    @cached_property
    def wild(self) -> Ints:
        """The patterns with a star in other places than a last `/**`."""
        stars = (at for at, text in enumerate(self.patterns) if "*" in text.removesuffix("/**"))
        return ints(stars)


class References(Sequence[str]):
    """The reference of each holder, as in `group:directory/pilots`."""

    def __init__(self, holders: Holders) -> None:
        self._holders = holders

    def __len__(self) -> int:
        return self._holders.size

    def __getitem__(self, at: int) -> str:  # type: ignore[override]  # no slices
        for kind, names in self._holders.named:
            if at < len(names):
                return f"{kind}:{names[at]}"
            at -= len(names)
        if at:
            raise IndexError(at)
        return "everyone"


@dataclass(frozen=True, eq=False)
class Holders:
    """Who may hold a grant. `edges` leads from each holder to the groups that it is a member of directly, in order,
    `why` says for each edge whether it is listed, by the group's filter, or both; `members` is the same turned round.

    `owner` is the identity of each account (-1: nobody), `login_marks` finds accounts by login alone. `rows` are the
    row numbers of the identities' records. What records name and nobody bears is in `unknown`.
    """

    identities: StringTable
    accounts: StringTable
    groups: StringTable
    owner: Ints
    is_enabled: Bools
    is_active: Bools
    starts: Ints
    ends: Ints
    rows: Ints
    account_rows: Ints
    group_rows: Ints
    edges: CSRList
    why: Ints
    members: CSRList
    accounts_of: CSRList
    login_hashes: Hashes
    by_login: Ints
    filters: Sequence[str | None]
    unknown: StringTable

    @property
    def people(self) -> int:
        """How many identities there are: the number of the first account."""
        return len(self.identities)

    @property
    def first_group(self) -> int:
        return len(self.identities) + len(self.accounts)

    @property
    def everyone(self) -> int:
        return self.first_group + len(self.groups)

    @property
    def size(self) -> int:
        return self.everyone + 1

    @property
    def named(self) -> tuple[tuple[str, StringTable], ...]:
        return (("identity", self.identities), ("account", self.accounts), ("group", self.groups))

    @cached_property
    def references(self) -> References:
        return References(self)

    @cached_property
    def numbering(self) -> str:
        """A digest of which identity and account bears which number."""
        import hashlib

        made = hashlib.blake2b(digest_size=12)
        for rows in (self.rows, self.account_rows):
            made.update(np.ascontiguousarray(rows).data)
        return made.hexdigest()

    def find(self, reference: str) -> int:
        """The number of a holder given by its full reference; -1 where there is none."""
        if reference == "everyone":
            return self.everyone
        prefix, _, name = reference.partition(":")
        first = 0
        for kind, names in self.named:
            if kind == prefix:
                at = names.find(name)
                return first + at if at >= 0 else -1
            first += len(names)
        return -1

    def numbers_of(self, references: StringTable) -> Ints:
        """The number of each of many holders given by full references; -1 where there is none."""
        found = np.full(len(references), -1, dtype=np.int64)
        first = 0
        for kind, names in self.named:
            some = starting_with(references, f"{kind}:").nonzero()[0]
            at = names.positions_of(without_start(references, some, len(kind) + 1))
            found[some] = np.where(at >= 0, at + first, -1)
            first += len(names)
        everyone = references.find("everyone")
        if everyone >= 0:
            found[everyone] = self.everyone
        return found

    def numbers_in(self, other: Holders) -> Ints:
        """The number of each identity and account in another state; -1 where it is not there."""
        people, accounts = other.identities.positions_of(self.identities), other.accounts.positions_of(self.accounts)
        return np.concatenate([people, np.where(accounts >= 0, accounts + other.people, -1)])

    def askers_named(self, name: str) -> list[int]:
        """The identities and accounts that a user may mean by a reference with or without its prefix or system."""
        found = {self.find(name)}
        kind, _, bare = name.partition(":")
        if kind not in ("identity", "account"):
            found |= {self.find(reference_to("identity", name)), self.find(reference_to("account", name))}
        if kind != "identity":
            login = bare if kind == "account" else name
            found |= {self.people + at for at in self._with_login(login)}
        return sorted(at for at in found if 0 <= at < self.first_group)

    def _with_login(self, login: str) -> list[int]:
        wanted = np.uint32(hash_of(login))
        first, end = (
            np.searchsorted(self.login_hashes, wanted),
            np.searchsorted(self.login_hashes, wanted, side="right"),
        )
        return [at for at in self.by_login[first:end].tolist() if self.accounts[at].partition("/")[2] == login]

    def asker_name(self, asker: int) -> str:
        """What records of findings and reviews call an identity or account: the id alone, or the whole reference."""
        reference = self.references[asker]
        name = reference.removeprefix(_IDENTITY)
        is_plain = asker < self.people and not name.startswith((_IDENTITY, _ACCOUNT))
        return name if is_plain else reference

    @cached_property
    def has_odd_ids(self) -> bool:
        """Whether an identity is called as references are, so that its id alone would be mistaken for one."""
        return any(bool(starting_with(self.identities, start).any()) for start in (_IDENTITY, _ACCOUNT))

    def asker_with_name(self, name: str) -> int:
        """The identity or account that records call so; -1 where there is none."""
        return self.find(name if name.startswith((_IDENTITY, _ACCOUNT)) else _IDENTITY + name)

    @cached_property
    def asker_of(self) -> Ints:
        """Over identities and then accounts, who is asked for it: the owner of an account, or itself."""
        itself = np.arange(self.first_group)
        itself[self.people :] = np.where(self.owner >= 0, self.owner, itself[self.people :])
        return itself

    @cached_property
    def is_asker(self) -> Bools:
        """Over identities and then accounts, which of them are asked about when nobody is named."""
        return np.concatenate([np.ones(self.people, dtype=bool), self.owner < 0])

    @cached_property
    def askers(self) -> Ints:
        """Those asked about when nobody is named: every identity, and every account without one."""
        orphans = (self.owner < 0).nonzero()[0] + self.people
        return np.concatenate([np.arange(self.people), orphans])


@dataclass(frozen=True)
class Grants:
    """The grants, one element each."""

    ids: StringTable
    rows: Ints
    holder: Ints
    entitlement: Ints
    denies: Bools
    tier: Ints
    starts: Ints
    ends: Ints

    def __len__(self) -> int:
        return len(self.holder)


@dataclass(frozen=True)
class Entitlements:
    """What grants give and on which scope: `gives` a number in `gives_texts`, `scope` one in `scope_texts`, -1 for all.

    `role` is the role given, or -1. `scoped` are the scoped entries of each.
    """

    gives_texts: StringTable
    scope_texts: StringTable
    scopes: Sequence[Scope]
    gives: Ints
    scope: Ints
    role: Ints
    scoped: CSRList

    def __len__(self) -> int:
        return len(self.gives)


class Mandate(msgspec.Struct, frozen=True):
    """Who may give which roles (patterns of `system/role`) to whom (a filter), and in which area."""

    holder: str
    roles: tuple[str, ...]
    area: str | None
    receivers: str | None
    may_give: bool


@dataclass(frozen=True)
class Index:
    """See the module's text. `entry`: the ledger number. `types`: for each node a number in `type_names`, or -1.

    A scoped entry is `scoped_entry` under `scoped_scope`; `scoped_entitlements`, `entitlement_grants` and
    `holder_grants` lead back to grants.
    """

    tree: Tree
    type_names: Sequence[str]
    types: Ints
    node_rows: Ints
    systems: Mapping[str, System]
    actions: Sequence[tuple[str, str]]
    holders: Holders
    roles: StringTable
    role_is_active: Bools
    role_rows: Ints
    juniors: CSRList
    role_entries: CSRList
    entries: AccessEntries
    mandates: Sequence[Mandate]
    grants: Grants
    entitlements: Entitlements
    scoped_entry: Ints
    scoped_scope: Ints
    scoped_intervals: CSRList
    scoped_entitlements: CSRList
    entitlement_grants: CSRList
    holder_grants: CSRList
    intervals: ScopedIntervals

    @cached_property
    def _granted_intervals(self) -> Ints | None:
        """The intervals of what somebody is granted, in order; None where that is a good part of all."""
        most = len(self.scoped_entry) // thresholds.ONE_IN_SCOPED
        if len(self.grants) > most:
            return None
        scoped = distinct(self.entitlements.scoped.all_of(distinct(self.grants.entitlement).astype(np.int64)))
        return np.sort(self.scoped_intervals.all_of(scoped.astype(np.int64))) if len(scoped) <= most else None

    def speaking_of(self, places: Ints) -> Ints:
        """The intervals that hold at least one of `places`, which ascend; those that nobody is granted may be left out.

        Of few people's grants it is quicker to look at these than at all that could be granted.
        """
        some = self._granted_intervals
        if some is None:
            return self.intervals.touching(places)
        first, end = self.intervals.first[some], self.intervals.end[some]
        return some[insertion_points(places, first) < insertion_points(places, end)].astype(np.int64)

    @cached_property
    def granted_above(self) -> CSRList:
        """For each group, by its number less that of the first, the groups with grants that it is in, itself included.

        Behind the groups stands everyone, which is in none.
        """
        found = closures(self.holders.edges, self.holders.first_group, self.holder_grants.sizes() > 0)
        assert found is not None
        return found

    @cached_property
    def inside_granted(self) -> CSRList:
        """For each group, by its number less that of the first, the groups inside it where it holds grants itself."""
        above, first = self.granted_above, self.holders.first_group
        return CSRList(above.starts, above.items - np.int32(first)).turned(len(above))

    @cached_property
    def entry_roles(self) -> CSRList:
        """For each entry the roles that carry it themselves."""
        return self.role_entries.turned(len(self.entries))

    @cached_property
    def seniors(self) -> CSRList:
        """For each role the roles directly senior to it."""
        return self.juniors.turned(len(self.roles))

    @cached_property
    def systems_in_order(self) -> list[System]:
        """The systems in the order in which their roots stand in the tree."""
        return sorted(self.systems.values(), key=lambda system: system.root)

    @cached_property
    def system_roots(self) -> Ints:
        """The root of each system, in order."""
        return ints(system.root for system in self.systems_in_order)

    @cached_property
    def pair_bases(self) -> Ints:
        """Where the pairs of each system begin on the line of all pairs, and behind them the end of the line."""
        sizes = [len(system.actions) * (system.size + 1) for system in self.systems_in_order]
        return np.concatenate([[0], np.cumsum(sizes)]).astype(np.int64)

    @cached_property
    def said(self) -> tuple[CSRList, CSRList]:
        """Which actions a permit, and which a deny, of each action speaks about (step 5).

        Behind the actions stands for each system `*`, which speaks about all of its actions.
        """
        every = [system.actions.tolist() for system in self.systems_in_order]
        permits: list[list[int]] = [[] for _ in self.actions]
        denies: list[list[int]] = [[] for _ in self.actions]
        for system in self.systems_in_order:
            for at, number in enumerate(system.actions.tolist()):
                permits[number] = system.actions[system.covers[at]].tolist()
                denies[number] = system.actions[system.covers[:, at]].tolist()
        return csr_from_lists([*permits, *every]), csr_from_lists([*denies, *every])

    @cached_property
    def action_rows(self) -> Ints:
        """For each action where its row of pairs begins on the line, less the root of its system."""
        rows = np.zeros(len(self.actions), dtype=np.int64)
        for base, system in zip(self.pair_bases.tolist(), self.systems_in_order, strict=False):
            local = np.arange(len(system.actions))
            rows[system.actions] = base + local * (system.size + 1) - system.root
        return rows

    @cached_property
    def action_number(self) -> Mapping[tuple[str, str], int]:
        """The number of each action, by system and name."""
        return {action: at for at, action in enumerate(self.actions)}

    def system_of(self, node: int) -> System:
        return self.systems_in_order[int(insertion_points(self.system_roots, node, side="right")) - 1]

    def type_of(self, node: int) -> str | None:
        number = int(self.types[node])
        return self.type_names[number] if number >= 0 else None

    def gives(self, grant: int) -> str:
        """What a grant gives, as in `role:dues/clerk` or `edit dues:/tariffs`."""
        return self.entitlements.gives_texts[self.entitlements.gives[self.grants.entitlement[grant]]]

    def scope(self, grant: int) -> str | None:
        """The scope of a grant as it is written."""
        number = int(self.entitlements.scope[self.grants.entitlement[grant]])
        return self.entitlements.scope_texts[number] if number >= 0 else None

    def scope_held(self, grant: int) -> Scope:
        """What the scope of a grant holds."""
        number = int(self.entitlements.scope[self.grants.entitlement[grant]])
        return self.entitlements.scopes[number] if number >= 0 else EVERYTHING

    def role_of(self, grant: int) -> int:
        """The role that a grant gives; -1 where it gives a permission."""
        return int(self.entitlements.role[self.grants.entitlement[grant]])
