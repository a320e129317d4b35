"""`kathodos reach`: who can do what on which resource; any part left open is enumerated."""

from __future__ import annotations

import argparse
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from kathodos.cli.options import Commands, Formatter, about_state, command
from kathodos.cli.session import Session
from kathodos.errors import CallError
from kathodos.model.words import plural
from kathodos.output.answers import show_products
from kathodos.report.answers import Answer, Branch, Field, Row
from kathodos.report.chains import chain_branch, chain_record

if TYPE_CHECKING:
    from kathodos.columns.csr import Bools, Ints
    from kathodos.engine.explain import Chains, Explanation
    from kathodos.engine.index import Index
    from kathodos.engine.reach import Reached
    from kathodos.workspace.view import View

_PAIRS = (Field("asker", "Who", 9, least=12), Field("action", "May", 8), Field("resource", "Resource", 9, least=16))
_BY = (Field("resource", "Resource", 9, least=20), Field("actions", "May", 8, least=12))
_ON = (
    Field("asker", "Who", 9, least=12),
    Field("name", "Name", 6, least=10),
    Field("department", "Department", 3, least=10),
    Field("actions", "May", 8, least=8),
    Field("through", "Through", 7, least=14),
)
_EXTENT = (
    Field("system", "System", 9),
    Field("kind", "Kind", 8, least=8),
    Field("actions", "Actions", 7, is_number=True),
    Field("of_actions", "of", 7, is_number=True),
    Field("resources", "Resources", 7, is_number=True),
    Field("of_resources", "of", 7, is_number=True),
    Field("extent", "Extent", 8, least=8, style=lambda extent: "bold" if extent == "full" else ""),
)
_WAYS = (Field("way", "Way", 9, least=20), Field("askers", "Askers", 8, is_number=True))
_VERDICT = (Field("action", "May"), Field("resource", "Resource"), Field("reached", "Reached"))
_COUNTS = (
    Field("asker", "Who", 9, least=12),
    Field("name", "Name", 6, least=10),
    Field("resources", "Resources", 8, is_number=True),
    Field("pairs", "Actions on them", 8, is_number=True),
)


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = command(
        commands,
        "reach",
        common,
        formatter,
        run,
        "ask who can do what on which resource; a part left open is enumerated",
        "  kathodos reach --by p0017 --on dues:/northmole/tariffs/2026 --do edit --trace\n"
        "  kathodos reach --on archive:/board            # who gets in, and through what\n"
        "  kathodos reach --by p0017 --potential         # what it could give itself, step by step\n"
        "  kathodos reach --assume what-if.toml --by p0017   # as if some edits were made\n"
        "  kathodos reach --to everything.parquet        # everything that everyone reaches",
    )
    parser.add_argument("--by", metavar="REF", help="an identity, or an account on its own")
    parser.add_argument("--on", metavar="RESOURCE", help="a resource address, as in dues:/northmole/tariffs")
    parser.add_argument("--do", metavar="ACTION", help="an action, as the resource's system names it")
    about_state(parser)
    shown = parser.add_mutually_exclusive_group()
    shown.add_argument("--trace", action="store_true", help="show the chains, or what stands in the way (by and on)")
    shown.add_argument("--summary", action="store_true", help="count instead of list (by or on)")
    shown.add_argument(
        "--potential", action="store_true", help="what one could reach by using its rights to give itself more (by)"
    )
    shown.add_argument("--to", metavar="FILE", help="write every who, action and resource to a Parquet file")


@dataclass(frozen=True)
class Question:
    """The parts that are given, as numbers of the index, and the moment asked about."""

    view: View
    moment: int
    asker: int | None
    node: int | None
    action: str | None

    @property
    def index(self) -> Index:
        return self.view.index

    def key(self, asker: int) -> tuple[str, str]:
        """`identity` or `account`, and the name."""
        kind, _, name = self.index.holders.references[asker].partition(":")
        return kind, name


def run(session: Session) -> int:
    question = _question(session)
    by, on = question.asker, question.node
    if session.arguments.trace and (by is None or on is None):
        raise CallError("--trace needs --by and --on.", "Name the two; --do may stay open.")
    if session.arguments.potential:
        from kathodos.cli.potential import answer

        return answer(session, question)
    if session.arguments.to is not None:
        return _to_file(session, question)
    if session.arguments.summary:
        if (by is None) == (on is None):
            raise CallError("--summary needs either --by or --on.", "Name one of the two.")
        return _summary_by(session, question) if by is not None else _summary_on(session, question)
    if by is not None and on is not None:
        return _one(session, question)
    if session.format != "table":
        return _pairs(session, question)
    if on is not None:
        return _on(session, question)
    return _by(session, question) if by is not None else _counts(session, question)


def _summary_by(session: Session, question: Question) -> int:
    """By system and kind of action: how many actions on how many resources."""
    from kathodos.engine.summary import extent_of

    assert question.asker is not None
    extents = extent_of(question.index, question.asker, question.moment)
    rows = [
        {
            "system": it.system,
            "kind": it.kind or "not said",
            "actions": it.actions,
            "of_actions": it.of_actions,
            "resources": it.resources,
            "of_resources": it.of_resources,
            "extent": it.extent,
        }
        for it in extents
    ]
    everything = sorted({it.system for it in extents if it.is_everything})
    text = [f"ANY ACTION ON ANY RESOURCE of {', '.join(everything)}"] if everything else []
    reached = {it.system for it in extents}
    rest = [name for name in question.index.systems if name not in reached]
    text += [f"nothing in {', '.join(rest)}"] if rest else []
    heading = f"{named(question, question.asker)}: {plural(len(reached), 'system')} of {len(reached) + len(rest)}"
    hint = f"The resources: kathodos reach --by {question.index.holders.references[question.asker]}"
    return session.answer(Answer(_EXTENT, rows, heading, text, hint=hint))


def _summary_on(session: Session, question: Question) -> int:
    """How many reach one resource, by which way."""
    from kathodos.engine.summary import routes_to

    assert question.node is not None
    total, paths = routes_to(question.index, question.node, question.action, question.moment)
    rows = [{"way": path, "askers": count} for path, count in paths.items()]
    address = question.index.tree.addresses[question.node]
    heading = f"{plural(total, 'asker reaches', 'askers reach')} {address}; some of them by several ways"
    hint = f"Who they are: kathodos reach --on {address}"
    return session.answer(Answer(_WAYS, rows, heading, hint=hint))


def _question(session: Session) -> Question:
    asked, view = session.arguments, session.view
    asker = view.asker(asked.by) if asked.by is not None else None
    node = view.node(asked.on, "--on ") if asked.on is not None else None
    _check_action(view.index, asked.do, node)
    return Question(view, view.moment, asker, node, asked.do)


def _check_action(index: Index, action: str | None, node: int | None) -> None:
    from kathodos.model.suggestions import nearest

    systems = [index.system_of(node).name] if node is not None else list(index.systems)
    known = sorted({name for system, name in index.actions if system in systems})
    if action is not None and action not in known:
        where = f"The system {systems[0]} has" if node is not None else "No system has"
        raise CallError(f"{where} {'no' if node is not None else 'an'} action {action}.", nearest(action, known))


def _one(session: Session, question: Question) -> int:
    """Yes or no, with the reason."""
    from kathodos.engine.explain import explain

    index = question.index
    assert question.asker is not None and question.node is not None
    system = index.system_of(question.node)
    wanted = [(system.name, question.action)] if question.action else [index.actions[at] for at in system.actions]
    found = [
        (name, explain(index, question.asker, question.node, index.action_number[owner, str(name)], question.moment))
        for owner, name in wanted
    ]
    if not question.action:
        found = [(name, explanation) for name, explanation in found if explanation.is_reached]
    documents = [_document(question, str(name), explanation) for name, explanation in found]
    is_reached = any(explanation.is_reached for _, explanation in found)
    who, address = named(question, question.asker), index.tree.addresses[question.node]
    trees = [_tree(f"{who}: {name} {address}", explanation) for name, explanation in found]
    if not session.arguments.trace:
        trees = [_short(tree, explanation) for tree, (_, explanation) in zip(trees, found, strict=True)]
    fields, status = _VERDICT if session.format == "csv" else (), 0 if is_reached else 1
    if not question.action:
        text = [] if found else [f"no - {who} may do nothing on {address}"]
        hint = "Add --trace to see every chain." if found else "Name an action with --do to see what is in the way."
        return session.answer(Answer(fields, documents, text=text, trees=trees, hint=hint, status=status))
    hint = "" if session.arguments.trace else "Add --trace to see every chain."
    return session.answer(Answer(fields, documents, document=documents[0], trees=trees, hint=hint, status=status))


def named(question: Question, asker: int) -> str:
    return question.view.named(asker)


def _document(question: Question, action: str, explanation: Explanation) -> Row:
    assert question.asker is not None and question.node is not None
    kind, name = question.key(question.asker)
    return {
        kind: name,
        "action": action,
        "resource": question.index.tree.addresses[question.node],
        "reached": explanation.is_reached,
        **_chains_record("chains", explanation.permits),
        **_chains_record("denials", explanation.denials),
        "gates": [
            {"action": gate, "resource": address, **_chains_record("chains", chains)}
            for gate, address, chains in explanation.gates
        ],
        "obstacles": [vars(obstacle) for obstacle in explanation.obstacles],
        "nearest": explanation.nearest,
    }


def _chains_record(name: str, chains: Chains) -> Row:
    """The chains shown, and how many there are; `exact` is false where there are at least so many."""
    return {
        name: [chain_record(chain) for chain in chains.shown],
        f"{name}_in_all": chains.total,
        f"{name}_exact": chains.is_exact,
    }


def _tree(asked: str, explanation: Explanation) -> Branch:
    """The whole explanation as a tree."""
    if explanation.is_reached:
        gates = [
            Branch(f"and {name} on {address}, which is a gate here", _branches(chains))
            for name, address, chains in explanation.gates
        ]
        return Branch(f"yes - {asked}", [*_branches(explanation.permits), *gates], "green")
    branches = [Branch(obstacle.text, style="red") for obstacle in explanation.obstacles if obstacle.kind != "denied"]
    branches += _branches(explanation.denials)
    if explanation.permits.total:
        branches.append(Branch("without that it would be permitted", _branches(explanation.permits)))
    if explanation.nearest:
        branches.append(Branch("what would give it, nearest first", [Branch(text) for text in explanation.nearest]))
    return Branch(f"no - {asked}", branches, "red")


_MOST_SHOWN = 20


def _branches(chains: Chains) -> list[Branch]:
    """The shortest chains, and how many more there are."""
    branches = [chain_branch(chain) for chain in chains.shown[:_MOST_SHOWN]]
    more = chains.total - len(branches)
    if more:
        branches.append(Branch(f"and {_at_least(chains)}{more:,} more, none of them shorter"))
    return branches


def _at_least(chains: Chains) -> str:
    return "" if chains.is_exact else "at least "


def _short(tree: Branch, explanation: Explanation) -> Branch:
    """The answer with its first reason only."""
    from kathodos.engine.explain import chain_text

    if explanation.is_reached:
        more = explanation.permits.total - 1
        rest = [Branch(f"and {_at_least(explanation.permits)}{plural(more, 'more chain')}")] if more else []
        return Branch(tree.text, [Branch(chain_text(explanation.permits.shown[0])), *rest], tree.style)
    return Branch(tree.text, [Branch(explanation.obstacles[0].text)], tree.style)


def _reached(question: Question) -> Iterator[tuple[Iterable[int], list[Reached]]]:
    from kathodos.engine.everyone import everything
    from kathodos.engine.reach import what_reached_by

    if question.asker is not None:
        yield [question.asker], what_reached_by(question.index, question.asker, question.moment)
    else:
        yield from everything(question.index, question.moment)


def _pairs(session: Session, question: Question) -> int:
    """Every (who, action, resource) as data, streamed."""
    if session.format == "jsonl":
        show_products(_blocks(question))
        return 0
    kinds = [question.key(question.asker)[0]] if question.asker is not None else ["identity", "account"]
    fields = tuple(Field(kind, kind) for kind in kinds) + _PAIRS[1:]
    rows = ({**first, **second} for firsts, seconds in _blocks(question) for first in firsts for second in seconds)
    return session.answer(Answer(fields, list(rows) if session.format == "json" else rows))


def _blocks(question: Question) -> Iterator[tuple[list[Row], list[Row]]]:
    """Askers, and what each of them reaches, put together where that is the same."""
    from kathodos.engine.reach import pairs_in

    index = question.index
    if question.node is not None:
        for number, askers in _askers_on(question):
            pair = {"action": index.actions[number][1], "resource": index.tree.addresses[question.node]}
            yield [_who(question, asker) for asker in askers], [pair]
    else:
        for those, reached in _reached(question):
            pairs = (pair for found in reached for pair in pairs_in(index, found))
            wanted: list[Row] = [
                {"action": action, "resource": address}
                for action, address in pairs
                if question.action in (None, action)
            ]
            yield [_who(question, asker) for asker in those], wanted


def _who(question: Question, asker: int) -> Row:
    kind, name = question.key(asker)
    return {kind: name}


def _askers_on(question: Question) -> Iterator[tuple[int, list[int]]]:
    """For each action asked about on the node, by number: who reaches it."""
    from kathodos.engine.reach import who_reaches

    index = question.index
    assert question.node is not None
    for number in index.system_of(question.node).actions.tolist():
        if question.action in (None, index.actions[number][1]):
            reaching = who_reaches(index, question.node, number, question.moment)
            yield number, [asker for asker in index.holders.askers.tolist() if reaching[asker]]


def _on(session: Session, question: Question) -> int:
    """Who gets to one resource, doing what, through which holders."""
    from kathodos.engine.reach import holders_permitting

    index = question.index
    assert question.node is not None
    may: dict[int, list[str]] = {}
    for number, askers in _askers_on(question):
        for asker in askers:
            may.setdefault(asker, []).append(index.actions[number][1])
    through = holders_permitting(index, question.node, question.action, question.moment)
    people = question.view.people(list(may))
    rows = [
        {
            "asker": index.holders.references[asker],
            "name": people[asker]["name"] if asker in people else None,
            "department": people[asker]["department"] if asker in people else "nobody's account",
            "actions": actions,
            "through": [_through(index, asker, holder) for holder in through.get(asker, ())],
        }
        for asker, actions in sorted(may.items())
    ]
    address = index.tree.addresses[question.node]
    heading = f"{plural(len(rows), 'asker reaches', 'reach')} {address}" if rows else f"Nobody reaches {address}"
    hint = f"Why: kathodos reach --by NAME --on {address} --trace" if rows else ""
    return session.answer(Answer(_ON, rows, heading, hint=hint))


def _through(index: Index, asker: int, holder: int) -> str:
    return "directly" if holder == asker else index.holders.references[holder]


def _by(session: Session, question: Question) -> int:
    """What one reaches, each resource with everything below it where that is the same all the way down."""
    from kathodos.engine.reach import what_reached_by

    assert question.asker is not None
    index = question.index
    reached = what_reached_by(index, question.asker, question.moment)
    rows = [row for found in reached for row in _collapsed(index, found, question.action)]
    count = sum(found.resources for found in reached)
    who = named(question, question.asker)
    heading = f"{who} reaches {plural(count, 'resource')}" if rows else f"{who} reaches nothing of what was asked"
    hint = "Why: add --on RESOURCE --trace" if rows else "What stands in the way: add --on RESOURCE --do ACTION --trace"
    return session.answer(Answer(_BY, rows, heading, hint=hint))


def _collapsed(index: Index, found: Reached, action: str | None) -> Iterator[dict[str, Any]]:
    """One row a resource; one for several where all that is reached below it is reached with the same actions."""
    import numpy as np

    tree, root = index.tree, found.system.root
    names = [index.actions[number][1] for number in found.system.actions]
    may = found.may & np.array([action in (None, name) for name in names])[:, None]
    is_told_above, is_one = _told_above(index, found, may)
    is_reached = may.any(axis=0)
    for at in (is_reached & ~is_told_above).nonzero()[0].tolist():
        below = slice(at + 1, int(tree.end[at + root]) - root)
        count, size = (int(is_reached[below].sum()), below.stop - below.start) if is_one[at] else (0, 0)
        more = f"  and {f'all {count}' if count == size else f'{count} of {size}'} below" if count else ""
        actions = [name for name, is_there in zip(names, may[:, at], strict=True) if is_there]
        yield {"resource": tree.addresses[at + root] + more, "actions": actions}


def _told_above(index: Index, found: Reached, may: Bools) -> tuple[Bools, Bools]:
    """Which nodes a row of one above speaks for, and which nodes' rows speak for all that is reached below them."""
    import numpy as np

    tree, nodes = index.tree, slice(found.system.root, found.system.end)
    parent, depth = tree.parent[nodes] - found.system.root, tree.depth[nodes]
    _, alike = np.unique(may, axis=1, return_inverse=True)
    is_reached = may.any(axis=0)
    lowest, highest = np.where(is_reached, alike, len(alike)), np.where(is_reached, alike, -1)
    levels = [(depth == level).nonzero()[0] for level in range(1, int(depth.max()) + 1)]
    for here in reversed(levels):
        np.minimum.at(lowest, parent[here], lowest[here])
        np.maximum.at(highest, parent[here], highest[here])
    is_one = is_reached & (lowest == highest)
    is_told_above = np.zeros(len(parent), dtype=bool)
    for here in levels:
        is_told_above[here] = is_told_above[parent[here]] | is_one[parent[here]]
    return is_told_above, is_one


def _counts(session: Session, question: Question) -> int:
    """How much everyone reaches; the pairs themselves come as data."""
    from kathodos.engine.everyone import count_everything

    index = question.index
    counts = count_everything(index, question.moment, question.action)
    some = counts.pairs.nonzero()[0]
    people = question.view.people(counts.askers[some].tolist())
    rows = [
        (pairs, index.holders.references[asker], people[asker]["name"] if asker in people else None, resources)
        for asker, pairs, resources in zip(
            *(column[some].tolist() for column in (counts.askers, counts.pairs, counts.resources)), strict=True
        )
    ]
    rows.sort(key=lambda row: (-row[0], row[1]))
    total = sum(pairs for pairs, *_ in rows)
    heading = f"{plural(len(rows), 'asker')} and {plural(total, 'pair')} of action and resource"
    hint = "Each of them: kathodos reach --format jsonl; for one: kathodos reach --by NAME"
    keys = ("pairs", "asker", "name", "resources")
    return session.answer(Answer(_COUNTS, [dict(zip(keys, row, strict=True)) for row in rows], heading, hint=hint))


def _to_file(session: Session, question: Question) -> int:
    """Every who, action and resource, streamed to a Parquet file."""
    from kathodos.output.parquet import write_pairs

    index = question.index
    if question.node is not None:
        raise CallError("--to takes no --on.", "Ask for one resource with --format csv or jsonl.")
    if question.asker is not None:
        blocks = _pairs_of(question)
    else:
        from kathodos.engine.everyone import stream_pairs

        blocks = stream_pairs(index, question.moment, question.action)
    names = ((f"{kind}:{name}" for name in names) for kind, names in index.holders.named[:2])
    who = [reference for some in names for reference in some]
    actions = [name for _, name in index.actions]
    count = write_pairs(Path(session.arguments.to), blocks, who, actions, list(index.tree.addresses))
    return session.answer(Answer(text=[f"{plural(count, 'pair')} written to {session.arguments.to}"]))


def _pairs_of(question: Question) -> Iterator[tuple[Ints, Ints, Ints]]:
    """What one asker reaches: asker, action and node of each pair."""
    import numpy as np

    assert question.asker is not None
    for _, reached in _reached(question):
        for found in reached:
            action, node = found.may.nonzero()
            kept = np.array([question.action in (None, question.index.actions[at][1]) for at in found.system.actions])
            action, node = action[kept[action]], node[kept[action]]
            yield np.full(len(action), question.asker), found.system.actions[action], node + found.system.root
