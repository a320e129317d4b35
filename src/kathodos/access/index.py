"""The catalogue at one ledger number, compiled to arrays. Every question about reach is answered from an `Index`.

Holders are numbered: identities first, then accounts, groups, and `everyone` last.
A *line* is one permission with its effect; a *package* is what one grant gives (a role with all its juniors, or a
single permission); a *bundle* is a package under a scope; a *rule* is a line under a scope, and has spans.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from kathodos.access.arrays import Bools, Ints, Lists, bools, ints, lists_from, lists_of
from kathodos.access.spans import Scope, Spans, join, spans_of
from kathodos.access.tree import Tree, grow_tree
from kathodos.catalogue import kinds
from kathodos.catalogue.addresses import parse_pattern
from kathodos.catalogue.filters import parse_filter
from kathodos.catalogue.moments import end_moment, first_moment
from kathodos.catalogue.selecting import selected, with_blank
from kathodos.catalogue.store import Rows, State

ANY_ACTION = -1
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
)


@dataclass(frozen=True)
class System:
    """One system: its combining way, inheritance, and `actions`, numbers of actions that are its own.

    `covers[b, a]`: action b is a or implies a, both as positions in `actions`. `gates`: (type, position of action).
    """

    name: str
    combining: str
    inherits: bool
    root: int
    end: int
    actions: Ints
    covers: Bools
    gates: Sequence[tuple[str, int]]


@dataclass(frozen=True)
class Line:
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
class Holders:
    """Who may hold a grant. `edges` leads from each holder to the groups that it is a member of directly."""

    identities: Sequence[str]
    accounts: Sequence[str]
    groups: Sequence[str]
    owner: Ints
    is_enabled: Bools
    is_active: Bools
    starts: Ints
    ends: Ints
    edges: Lists

    @property
    def everyone(self) -> int:
        return len(self.identities) + len(self.accounts) + len(self.groups)

    @property
    def size(self) -> int:
        return self.everyone + 1

    @cached_property
    def references(self) -> list[str]:
        """The reference of each holder, as in `group:directory/pilots`."""
        named = (("identity", self.identities), ("account", self.accounts), ("group", self.groups))
        return [f"{kind}:{name}" for kind, names in named for name in names] + ["everyone"]

    @cached_property
    def number(self) -> Mapping[str, int]:
        """The number of each holder, by reference."""
        return {reference: at for at, reference in enumerate(self.references)}

    @cached_property
    def members(self) -> Lists:
        """For each holder its direct members; only groups have any."""
        return self.edges.turned(self.size)

    @cached_property
    def accounts_of(self) -> Lists:
        """For each identity its accounts, as holders."""
        owned = (self.owner >= 0).nonzero()[0]
        return lists_from(self.owner[owned], owned + len(self.identities), len(self.identities))

    @cached_property
    def askers(self) -> Ints:
        """Those asked about when nobody is named: every identity, and every account without one."""
        orphans = (self.owner < 0).nonzero()[0] + len(self.identities)
        return np.concatenate([np.arange(len(self.identities)), orphans])


@dataclass(frozen=True)
class Grants:
    """The grants, one element each. `role` is -1 where a permission is given directly."""

    ids: Sequence[str]
    holder: Ints
    bundle: Ints
    role: Ints
    denies: Bools
    tier: Ints
    starts: Ints
    ends: Ints
    scope: Sequence[str | None]
    gives: Sequence[str]

    def __len__(self) -> int:
        return len(self.ids)


@dataclass(frozen=True)
class Index:
    """See the module's text. `spans` are those of all rules, `rule_spans` says which belong to which rule."""

    tree: Tree
    types: Sequence[str | None]
    systems: Mapping[str, System]
    actions: Sequence[tuple[str, str]]
    holders: Holders
    roles: Sequence[str]
    role_is_active: Bools
    juniors: Lists
    role_lines: Lists
    lines: Sequence[Line]
    line_action: Ints
    line_denies: Bools
    grants: Grants
    scopes: Mapping[str | None, Scope]
    bundle_rules: Lists
    rule_line: Ints
    rule_spans: Lists
    spans: Spans

    @cached_property
    def rule_bundles(self) -> Lists:
        return self.bundle_rules.turned(len(self.rule_line))

    @cached_property
    def bundle_grants(self) -> Lists:
        return lists_from(self.grants.bundle, np.arange(len(self.grants)), len(self.bundle_rules))

    @cached_property
    def line_roles(self) -> Lists:
        """For each line the roles that carry it themselves."""
        return self.role_lines.turned(len(self.lines))

    @cached_property
    def seniors(self) -> Lists:
        """For each role the roles directly senior to it."""
        return self.juniors.turned(len(self.roles))

    @cached_property
    def span_rule(self) -> Ints:
        """The rule of each span."""
        rules = np.empty(len(self.spans), dtype=np.int64)
        rules[self.rule_spans.items] = np.repeat(np.arange(len(self.rule_spans)), np.diff(self.rule_spans.starts))
        return rules

    @cached_property
    def systems_in_order(self) -> list[System]:
        """The systems in the order in which their roots stand in the tree."""
        return sorted(self.systems.values(), key=lambda system: system.root)

    @cached_property
    def span_system(self) -> Ints:
        """The system of each span, as a position in `systems_in_order`."""
        roots = ints(system.root for system in self.systems_in_order)
        return np.searchsorted(roots, self.spans.first, side="right") - 1

    @cached_property
    def action_number(self) -> Mapping[tuple[str, str], int]:
        """The number of each action, by system and name."""
        return {action: at for at, action in enumerate(self.actions)}

    def system_of(self, node: int) -> System:
        return self.systems[self.tree.addresses[node].partition(":")[0]]


def compile_index(state: State) -> Index:
    """The catalogue's state as arrays. `state` holds at least the kinds in `NEEDED`."""
    tree, types = _compile_resources(state)
    holders = _compile_holders(state)
    roles = [f"{system}/{role}" for system, role in state["roles"].record_keys()]
    role_number = {role: at for at, role in enumerate(roles)}
    is_active = bools(state["roles"]["active"])
    juniors = _compile_juniors(state["role_juniors"], role_number)
    book = _Book()
    role_lines = _compile_role_lines(state["role_permissions"], role_number, book)

    def package(role: int) -> list[int]:
        return [line for junior in _juniors_of(role, juniors, is_active) for line in role_lines[junior].tolist()]

    grants, bundles, scope_texts = _compile_grants(state["grants"], holders, role_number, package, book)
    systems, actions = _compile_systems(state, tree, book.lines)
    scopes = {text: _compile_scope(text, tree, state) for text in {None, *scope_texts}}
    bundle_rules, rule_line, rule_spans, spans = _compile_rules(bundles, book, scopes, tree, systems)
    number = {action: at for at, action in enumerate(actions)}
    return Index(
        tree=tree,
        types=types,
        systems=systems,
        actions=actions,
        holders=holders,
        roles=roles,
        role_is_active=is_active,
        juniors=juniors,
        role_lines=role_lines,
        lines=book.lines,
        line_action=ints(number.get((line.system, line.action), ANY_ACTION) for line in book.lines),
        line_denies=bools(line.denies for line in book.lines),
        grants=grants,
        scopes=scopes,
        bundle_rules=bundle_rules,
        rule_line=rule_line,
        rule_spans=rule_spans,
        spans=spans,
    )


class _Book:
    """Lines by number, each once."""

    def __init__(self) -> None:
        self.lines: list[Line] = []
        self._known: dict[Line, int] = {}

    def number(self, line: Line) -> int:
        if line not in self._known:
            self._known[line] = len(self.lines)
            self.lines.append(line)
        return self._known[line]


def _compile_resources(state: State) -> tuple[Tree, list[str | None]]:
    rows = state["resources"]
    tree = grow_tree(state["systems"]["system"], *_of_known_systems(rows, set(state["systems"]["system"])))
    types: list[str | None] = [None] * len(tree)
    for address, kind in zip(rows["resource"], rows["type"], strict=True):
        node = tree.node(parse_pattern(address))
        if node >= 0:
            types[node] = kind
    return tree, types


def _of_known_systems(rows: Rows, systems: set[str]) -> tuple[list[str], list[object]]:
    known = [at for at, address in enumerate(rows["resource"]) if address.partition(":")[0] in systems]
    return [rows["resource"][at] for at in known], [rows["detached"][at] for at in known]


def _compile_holders(state: State) -> Holders:
    people, accounts, groups = state["identities"], state["accounts"], state["groups"]
    person = {name: at for at, name in enumerate(people["id"])}
    account_names = [f"{system}/{login}" for system, login in accounts.record_keys()]
    group_names = [f"{system}/{group}" for system, group in groups.record_keys()]
    holders = Holders(
        identities=people["id"],
        accounts=account_names,
        groups=group_names,
        owner=ints(person.get(owner, -1) for owner in accounts["identity"]),
        is_enabled=bools(status == "enabled" for status in accounts["status"]),
        is_active=bools(status == "active" for status in people["status"]),
        starts=ints(first_moment(text) for text in people["starts"]),
        ends=ints(end_moment(text) for text in people["ends"]),
        edges=lists_of([]),
    )
    pairs = _memberships(state, holders)
    edges = lists_from(ints(member for member, _ in pairs), ints(group for _, group in pairs), holders.size)
    return Holders(**{**vars_of(holders), "edges": edges})


def vars_of(holders: Holders) -> dict[str, Any]:
    """The fields of the record, without what it has computed from them."""
    return {name: getattr(holders, name) for name in Holders.__dataclass_fields__}


def _memberships(state: State, holders: Holders) -> list[tuple[int, int]]:
    """(member, group) for every listed membership, and for every identity that a group's filter selects."""
    number, members, groups = holders.number, state["members"], state["groups"]
    pairs = set()
    for system, group, member in members.record_keys():
        at, to = number.get(member), number.get(f"group:{system}/{group}")
        if at is not None and to is not None:
            pairs.add((at, to))
    first_group = len(holders.identities) + len(holders.accounts)
    for at, text in enumerate(groups["filter"]):
        if text:
            found = selected(state["identities"], parse_filter(text)).nonzero()[0]
            pairs.update((int(identity), first_group + at) for identity in found)
    return sorted(pairs)


def _compile_juniors(rows: Rows, role_number: Mapping[str, int]) -> Lists:
    seniors, juniors = [], []
    for system, role, junior in rows.record_keys():
        senior_at, junior_at = role_number.get(f"{system}/{role}"), role_number.get(junior.removeprefix("role:"))
        if senior_at is not None and junior_at is not None:
            seniors.append(senior_at)
            juniors.append(junior_at)
    return lists_from(ints(seniors), ints(juniors), len(role_number))


def _compile_role_lines(rows: Rows, role_number: Mapping[str, int], book: _Book) -> Lists:
    roles, lines = [], []
    for system, role, action, pattern, effect in rows.record_keys():
        at = role_number.get(f"{system}/{role}")
        if at is not None:
            roles.append(at)
            lines.append(book.number(Line(action, pattern, effect == "deny")))
    return lists_from(ints(roles), ints(lines), len(role_number))


def _juniors_of(role: int, juniors: Lists, is_active: Bools) -> Iterable[int]:
    """The role and all its juniors, as far as active ones pass them on."""
    found = [role] if is_active[role] else []
    seen = set(found)
    for at in found:
        fresh = {junior for junior in juniors[at].tolist() if is_active[junior]} - seen
        seen |= fresh
        found += sorted(fresh)
    return found


def _compile_grants(
    rows: Rows, holders: Holders, role_number: Mapping[str, int], package: Callable[[int], list[int]], book: _Book
) -> tuple[Grants, list[tuple[list[int], str | None]], list[str | None]]:
    """The grants that a known holder has; the bundles they use, as (lines, scope); the scopes."""
    known = [at for at, holder in enumerate(rows["holder"]) if holder in holders.number]
    bundle_number: dict[tuple[str, str | None], int] = {}
    bundles: list[tuple[list[int], str | None]] = []
    bundle, role = [], []
    for at in known:
        gives, scope = rows["gives"][at], rows["on"][at]
        action, pattern = kinds.split_gives(gives)
        role_at = role_number.get(pattern.removeprefix("role:"), -1) if not action else -1
        if (gives, scope) not in bundle_number:
            bundle_number[gives, scope] = len(bundles)
            lines = [book.number(Line(action, pattern, False))] if action else package(role_at) if role_at >= 0 else []
            bundles.append((sorted(set(lines)), scope))
        bundle.append(bundle_number[gives, scope])
        role.append(role_at)
    grants = Grants(
        ids=[rows["grant"][at] for at in known],
        holder=ints(holders.number[rows["holder"][at]] for at in known),
        bundle=ints(bundle),
        role=ints(role),
        denies=bools(rows["effect"][at] == "deny" for at in known),
        tier=ints(rows["tier"][at] or 0 for at in known),
        starts=ints(first_moment(rows["from"][at]) for at in known),
        ends=ints(end_moment(rows["until"][at]) for at in known),
        scope=[rows["on"][at] for at in known],
        gives=[rows["gives"][at] for at in known],
    )
    return grants, bundles, [scope for _, scope in bundles]


def _compile_systems(state: State, tree: Tree, lines: list[Line]) -> tuple[dict[str, System], list[tuple[str, str]]]:
    """The systems, and all actions as (system, name): declared, implied, gating or named by a permission."""
    rows, declared = state["systems"], state["actions"]
    named: dict[str, set[str]] = {system: set() for system in rows["system"]}
    implied: dict[str, list[tuple[str, str]]] = {system: [] for system in rows["system"]}
    for system, action, implies in zip(declared["system"], declared["action"], declared["implies"], strict=True):
        if system in named:
            others = kinds.split_list(implies)
            named[system].update([action, *others])
            implied[system] += [(action, other) for other in others]
    for line in lines:
        if line.system in named and line.action != "*":
            named[line.system].add(line.action)
    systems: dict[str, System] = {}
    actions: list[tuple[str, str]] = []
    for at, system in enumerate(rows["system"]):
        gates = kinds.split_gates(rows["gates"][at])
        names = sorted({*named[system], *gates.values()})
        root = tree.roots[system]
        systems[system] = System(
            name=system,
            combining=rows["combining"][at],
            inherits=bool(rows["inherit"][at]),
            root=root,
            end=int(tree.end[root]),
            actions=np.arange(len(actions), len(actions) + len(names)),
            covers=_covers(names, implied[system]),
            gates=[(kind, names.index(action)) for kind, action in gates.items()],
        )
        actions += [(system, name) for name in names]
    return systems, actions


def _covers(names: list[str], implied: list[tuple[str, str]]) -> Bools:
    """`covers[b, a]`: b is a, or implies a by any number of steps."""
    covers = np.eye(len(names), dtype=bool)
    for action, other in implied:
        covers[names.index(action), names.index(other)] = True
    for middle in range(len(names)):
        covers |= covers[:, middle : middle + 1] & covers[middle]
    return covers


def _compile_scope(text: str | None, tree: Tree, state: State) -> Scope:
    if text is None:
        return Scope(is_everything=True)
    if text.startswith("area:"):
        return _compile_area(text.removeprefix("area:"), tree, state)
    pattern = parse_pattern(text)
    if pattern.is_address:
        return Scope(node=tree.node(pattern))
    return Scope(held=_held(tree, tree.matches(pattern)))


def _compile_area(name: str, tree: Tree, state: State) -> Scope:
    """What an area holds, and the depth of its deepest entry that is an address on the way to each node."""
    areas = state["areas"]
    at = areas["area"].index(name) if name in areas["area"] else -1
    held, anchors = np.zeros(len(tree), dtype=bool), np.full(len(tree), -1)
    for text in kinds.split_list(areas["resources"][at]) if at >= 0 else []:
        pattern = parse_pattern(text)
        node = tree.node(pattern) if pattern.is_address else -1
        if node >= 0:
            held[tree.down_from(node)] = True
            below = slice(node, int(tree.end[node]))
            anchors[below] = np.maximum(anchors[below], tree.depth[node])
        elif not pattern.is_address:
            held[tree.matches(pattern)] = True
    for text in kinds.split_list(areas["except"][at]) if at >= 0 else []:
        pattern = parse_pattern(text)
        found = tree.matches(pattern)
        held &= ~(tree.below(found.tolist()) if pattern.is_address else _held(tree, found))
    if at >= 0 and areas["filter"][at]:
        held &= _filtered(areas["filter"][at], tree, state["resources"])
    return Scope(held=held, anchors=anchors)


def _filtered(text: str, tree: Tree, resources: Rows) -> Bools:
    """The nodes for whose record a filter is true; a node that no source lists has no attribute."""
    true = selected(with_blank(resources), parse_filter(text))
    nodes = np.full(len(tree), true[-1])
    for at, address in enumerate(resources["resource"]):
        node = tree.node(parse_pattern(address))
        if node >= 0:
            nodes[node] = true[at]
    return nodes


def _held(tree: Tree, nodes: Ints) -> Bools:
    held = np.zeros(len(tree), dtype=bool)
    held[nodes] = True
    return held


def _compile_rules(
    bundles: list[tuple[list[int], str | None]],
    book: _Book,
    scopes: Mapping[str | None, Scope],
    tree: Tree,
    systems: Mapping[str, System],
) -> tuple[Lists, Ints, Lists, Spans]:
    """Each distinct (line, scope) as a rule, and where it applies."""
    rule_number: dict[tuple[int, str | None], int] = {}
    bundle_rules = lists_of(
        [rule_number.setdefault((line, scope), len(rule_number)) for line in lines] for lines, scope in bundles
    )
    targets: dict[str, Ints] = {}
    parts, sizes = [], []
    for line, scope in rule_number:
        pattern = parse_pattern(book.lines[line].pattern)
        if book.lines[line].pattern not in targets:
            targets[book.lines[line].pattern] = tree.matches(pattern.target)
        found = targets[book.lines[line].pattern]
        inherits = pattern.system in systems and systems[pattern.system].inherits
        parts.append(spans_of(tree, found, pattern.holds_everything_below, inherits, scopes[scope]))
        sizes.append(len(parts[-1]))
    starts = np.concatenate([[0], np.cumsum(sizes)]).astype(np.int64)
    rule_spans = Lists(starts, np.arange(starts[-1]))
    return bundle_rules, ints(line for line, _ in rule_number), rule_spans, join(parts)
