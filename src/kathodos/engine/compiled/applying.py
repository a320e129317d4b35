"""Where entries apply: the targets of patterns, and scopes that are addresses, patterns or areas."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence

import numpy as np

from kathodos.columns.csr import (
    Bools,
    Ints,
    csr_from_pairs,
    distinct,
    ints,
    joined,
)
from kathodos.columns.ordered import insertion_points
from kathodos.columns.strings import StringTable
from kathodos.engine.compiled.index import System
from kathodos.engine.compiled.scopes import (
    EVERYTHING,
    AnchoredIntervals,
    Scope,
    flattened,
    intervals_from,
    intervals_of,
    join,
    reaching_down,
    under_addresses,
    within_scope,
)
from kathodos.engine.compiled.tree import Tree
from kathodos.model import kinds
from kathodos.model.addresses import Pattern, parse_pattern
from kathodos.model.filters import parse_filter
from kathodos.model.references import name_in
from kathodos.store.attributes import AttributeColumns, Distinct, selected
from kathodos.store.records import Records, columns_of


class Targets:
    """The targets of patterns, each found once."""

    def __init__(self, tree: Tree, patterns: StringTable, systems: Mapping[str, System]) -> None:
        self.tree = tree
        self.patterns = patterns
        self.systems = systems
        self._parsed: dict[int, Pattern] = {}
        self._found: dict[int, Ints] = {}
        self._runs: dict[tuple[int, int], AnchoredIntervals] = {}

    def parsed(self, number: int) -> Pattern:
        if number not in self._parsed:
            self._parsed[number] = parse_pattern(self.patterns[number])
        return self._parsed[number]

    def inherits(self, pattern: Pattern) -> bool:
        return pattern.system in self.systems and self.systems[pattern.system].inherits

    def of(self, number: int) -> Ints:
        if number not in self._found:
            self._found[number] = self.tree.matches(self.parsed(number).target)
        return self._found[number]

    def addressed(self, used: Ints) -> tuple[Ints, Ints, Ints, Ints]:
        """Of some patterns, by number: whether each is of an address, of which node, everything below it, and inherits.

        Nearly all are an address that there is, or end in `/**` behind one, and are not parsed.
        """
        is_address, node, is_deep, inherits = (np.zeros(len(self.patterns), dtype=np.int64) for _ in range(4))
        texts = self.patterns.taken(used)
        plain = [text.removesuffix("/**") for text in texts]
        found = self.tree.addresses.positions_of(plain)
        roots = sorted((system.root, system.inherits) for system in self.systems.values())
        of = insertion_points(ints(root for root, _ in roots), found, side="right") - 1
        is_known = (found >= 0) & (of >= 0)
        at = used[is_known]
        is_address[at], node[at] = 1, found[is_known]
        is_deep[at] = ints(len(text) != len(of_text) for text, of_text in zip(texts, plain, strict=True))[is_known]
        inherits[at] = ints(inherits for _, inherits in roots)[of[is_known]]
        rest = [(number, self.parsed(number)) for number in used[~is_known].tolist()]
        rest = [(number, parsed) for number, parsed in rest if parsed.target.is_address]
        nodes = self.tree.addresses.positions_of([str(parsed.target) for _, parsed in rest])
        for (number, parsed), its_node in zip(rest, nodes.tolist(), strict=True):
            is_address[number], node[number] = 1, its_node
            is_deep[number], inherits[number] = parsed.holds_everything_below, self.inherits(parsed)
        return is_address, node, is_deep, inherits

    def intervals(self, number: int, scope_number: int, scope: Scope) -> AnchoredIntervals:
        """Where a pattern applies under a scope."""
        if (number, scope_number) not in self._runs:
            pattern = self.parsed(number)
            is_deep = pattern.holds_everything_below
            found = intervals_of(self.tree, self.of(number), is_deep, self.inherits(pattern), scope)
            self._runs[number, scope_number] = found
        return self._runs[number, scope_number]


def intervals_of_scoped(
    targets: Targets, pattern: Ints, scope: Ints, scopes: Sequence[Scope]
) -> tuple[Ints, AnchoredIntervals]:
    """Where entries with these patterns and scopes apply: for each interval its scoped entry, and the intervals.

    Those with an address, mostly nearly all, are done together; patterns with wildcards one by one.
    """
    is_address, node, is_deep, inherits = targets.addressed(distinct(pattern))
    scope_node = ints(_NO_ADDRESS if it.node is None else it.node for it in [*scopes, EVERYTHING])[scope]
    is_pattern = np.array([*(it.intervals is not None for it in scopes), False])[scope]
    single = (is_address[pattern] > 0) & (node[pattern] >= 0)
    parts: list[tuple[Ints, AnchoredIntervals]] = []

    def targets_of(scoped: Ints) -> tuple[Tree, Ints, Bools, Bools]:
        of = pattern[scoped]
        return targets.tree, node[of], is_deep[of] > 0, inherits[of] > 0

    free = (single & ~is_pattern & (scope_node == _NO_ADDRESS)).nonzero()[0]
    origin, intervals = reaching_down(*targets_of(free))
    parts.append((free[origin], intervals))
    under = (single & (scope_node >= 0)).nonzero()[0]
    origin, intervals = under_addresses(*targets_of(under), scope_node[under])
    parts.append((under[origin], intervals))
    cut = (single & is_pattern).nonzero()[0]
    origin, intervals = reaching_down(*targets_of(cut))
    parts += _cut_to_scopes(scope[cut], origin, intervals, scopes, cut)
    for at in (is_address[pattern] == 0).nonzero()[0].tolist():
        number = int(scope[at])
        found = targets.intervals(int(pattern[at]), number, scopes[number] if number >= 0 else EVERYTHING)
        parts.append((np.full(len(found), at), found))
    return joined([numbers for numbers, _ in parts]), join([found for _, found in parts])


_NO_ADDRESS = -2  # of a scope that is everything, a pattern or an area; -1 is an address at which there is nothing


def _cut_to_scopes(
    scope: Ints, origin: Ints, intervals: AnchoredIntervals, scopes: Sequence[Scope], numbers: Ints
) -> Iterator[tuple[Ints, AnchoredIntervals]]:
    """Intervals cut down to the scopes of the entries that they are of, scope by scope."""
    by_scope = csr_from_pairs(scope[origin].astype(np.int64), np.arange(len(origin)), len(scopes))
    for number in distinct(scope).tolist():
        held = scopes[number].intervals
        at = by_scope[number].astype(np.int64)
        assert held is not None
        some = AnchoredIntervals(intervals.first[at], intervals.end[at], intervals.anchor[at])
        yield within_scope(numbers[origin[at]], some, flattened(held))


def compile_scopes(records: Records, texts: Sequence[str], tree: Tree) -> list[Scope]:
    areas = columns_of(records, kinds.AREAS, "area", "resources", "except", "filter")
    by_name = {area: tuple(rest) for area, *rest in zip(*areas, strict=True)}
    needed = {name_in("area", text) for text in texts if text.startswith("area:")}
    filtered = _filtered(records, tree, {by_name[area][2] for area in needed & by_name.keys()})
    scopes = []
    for text in texts:
        if text.startswith("area:"):
            scopes.append(_compile_area(by_name.get(name_in("area", text), (None, None, None)), tree, filtered))
        else:
            scopes.append(compile_scope(text, tree))
    return scopes


def compile_scope(text: str, tree: Tree) -> Scope:
    """What a scope that is an address or a pattern holds."""
    pattern = parse_pattern(text)
    if pattern.is_address:
        return Scope(node=tree.node(pattern))
    return _scope_of(tree, _held(tree, tree.matches(pattern)), np.full(len(tree), -1))


def _scope_of(tree: Tree, held: Bools, anchors: Ints) -> Scope:
    """A scope from what it holds and the anchor there, both over nodes."""
    return Scope(intervals=intervals_from(np.where(held, anchors, -2)[tree.node_at], absent=-2))


def _compile_area(area: Sequence[str | None], tree: Tree, filtered: Mapping[str, Bools]) -> Scope:
    """What an area holds, and the depth of its deepest entry that is an address on the way to each node."""
    direct, exceptions, text = area
    held, anchors = np.zeros(len(tree), dtype=bool), np.full(len(tree), -1)
    for principal in kinds.split_list(direct):
        pattern = parse_pattern(principal)
        node = tree.node(pattern) if pattern.is_address else -1
        if node >= 0:
            held[tree.down_from(node)] = True
            below = slice(node, int(tree.end[node]))
            anchors[below] = np.maximum(anchors[below], tree.depth[node])
        elif not pattern.is_address:
            held[tree.matches(pattern)] = True
    for principal in kinds.split_list(exceptions):
        pattern = parse_pattern(principal)
        found = tree.matches(pattern)
        held &= ~(tree.below(found.tolist()) if pattern.is_address else _held(tree, found))
    return _scope_of(tree, held & filtered[text] if text else held, anchors)


def _filtered(records: Records, tree: Tree, filters: Iterable[str | None]) -> dict[str, Bools]:
    """The nodes for whose record each filter is true; a node that no source lists has no attribute."""
    parsed = {text: parse_filter(text) for text in filters if text}
    if not parsed:
        return {}
    attributes = AttributeColumns(records, kinds.RESOURCES)
    at = ints(tree.node(parse_pattern(address)) for address in columns_of(records, kinds.RESOURCES, "resource")[0])
    found = {}
    for text, node in parsed.items():
        true = attributes.selected(node)
        nodes = np.full(len(tree), selected(node, lambda _: Distinct(np.full(1, -1, dtype=np.int32), []), 1)[0])
        nodes[at[at >= 0]] = true[at >= 0]
        found[text] = nodes
    return found


def _held(tree: Tree, nodes: Ints) -> Bools:
    held = np.zeros(len(tree), dtype=bool)
    held[nodes] = True
    return held
