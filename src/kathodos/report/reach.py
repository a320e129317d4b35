"""Reach in words: yes or no with the reasons, what one reaches, who reaches, and how much."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

import msgspec
import numpy as np
from msgspec.structs import asdict

from kathodos.engine.compiled.index import Index
from kathodos.engine.everyone import Pairs, count_everything, everything, pairs_of, stream_pairs
from kathodos.engine.explain import Chains, Explanation, chain_text, explain
from kathodos.engine.reach import Reached, holders_permitting, pairs_in, what_reached_by, who_reaches
from kathodos.engine.summary import Collapsed, collapsed, extent_of, routes_to
from kathodos.errors import CallError, found_if
from kathodos.model.suggestions import nearest
from kathodos.model.times import DAY, day_text
from kathodos.model.words import people_and_accounts, plural
from kathodos.report.answers import Answer, Branch, Field, Row
from kathodos.report.chains import chain_branch, chain_record
from kathodos.report.marks import Marks, told_of_orders
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
    Field("kind", "Kind of action", 8, least=8),
    Field("reaches", "Reaches", 8, least=16),
)
_EXTENT_NUMBERS = ("actions", "of_actions", "resources", "of_resources")
_WAYS = (Field("way", "Way", 9, least=20), Field("askers", "How many", 8, is_number=True))
_VERDICT = (Field("action", "May"), Field("resource", "Resource"), Field("reached", "Reached"))
_COUNTS = (
    Field("asker", "Who", 9, least=12),
    Field("name", "Name", 6, least=10),
    Field("resources", "Resources", 8, is_number=True),
    Field("pairs", "Actions on them", 8, is_number=True),
)


class ReachQuestion(msgspec.Struct, frozen=True):
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


def extent(question: ReachQuestion) -> Answer:
    """By system and kind of action: how many actions on how many resources."""
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
            "reaches": f"{_part(it.actions, it.of_actions, 'action')} on "
            f"{_part(it.resources, it.of_resources, 'resource')}{'' if it.is_each else ', not each on each'}",
        }
        for it in extents
    ]
    everything = sorted({it.system for it in extents if it.is_everything})
    text = [f"ANY ACTION ON ANY RESOURCE of {', '.join(everything)}"] if everything else []
    reached = {it.system for it in extents}
    rest = [name for name in question.index.systems if name not in reached]
    text += [f"nothing in {', '.join(rest)}"] if rest else []
    heading = f"{question.view.named(question.asker)}: {plural(len(reached), 'system')} of {len(reached) + len(rest)}"
    hint = f"The resources: kathodos reach --by {question.index.holders.references[question.asker]}"
    return Answer(_EXTENT, rows, heading, [*text, *ended_notes(question)], hint=hint, extra_keys=_EXTENT_NUMBERS)


def _part(some: int, of: int, noun: str) -> str:
    """`all 12 actions`, or `3 of 12 actions`."""
    every = "the only" if of == 1 else f"all {of:,}"
    return f"{every} {plural(of, noun).partition(' ')[2]}" if some == of else f"{some:,} of {plural(of, noun)}"


def ended_notes(question: ReachQuestion) -> list[str]:
    """What is to be said beside what somebody reaches: of one who does not count any more, or not yet, but for an
    account; and of orders that are open about them, or about the resource."""
    index = question.index
    about = []
    if question.asker is not None:
        holders = index.holders
        own = holders.accounts_of[question.asker].tolist() if question.asker < holders.people else []
        about = [holders.references[it] for it in (question.asker, *own)]
    elif question.node is not None:
        about = [index.tree.addresses[question.node]]
    return [*_of_who_does_not_count(question), *told_of_orders(question.view, *about)]


def _of_who_does_not_count(question: ReachQuestion) -> list[str]:
    """What is to be said of somebody who does not count any more, or not yet, but for an account."""
    asker, index, moment = question.asker, question.index, question.moment
    holders = index.holders
    if asker is None or asker >= holders.people:
        return []
    accounts = holders.accounts_of[asker].astype(np.int64) - holders.people
    enabled = [f"account:{holders.accounts[at]}" for at in accounts[holders.is_enabled[accounts]].tolist()]
    begins, ends, day = int(holders.starts[asker]), int(holders.ends[asker]), day_text(moment)
    if holders.is_active[asker] and begins <= moment < ends:
        return []
    what = "is not active" if not holders.is_active[asker] else f"begins only on {day_text(begins)}"
    if ends <= moment:
        what = f"has {day_text(ends - DAY)} for a last day"
    if not enabled:
        return [f"{question.view.named(asker)} {what}, and has no enabled account: on {day} it reaches nothing."]
    verb = "is" if len(enabled) == 1 else "are"
    return [
        f"{question.view.named(asker)} {what}, but {', '.join(enabled[:3])}"
        + (f" and {len(enabled) - 3} more" if len(enabled) > 3 else "")
        + f" {verb} enabled on {day}. What is reached through an enabled account still counts."
    ]


def routes(question: ReachQuestion) -> Answer:
    """How many reach one resource, by which way."""
    assert question.node is not None
    total, paths = routes_to(question.index, question.node, question.action, question.moment)
    rows = [{"way": path, "askers": count} for path, count in paths.items()]
    address = question.index.tree.addresses[question.node]
    who = people_and_accounts(*total, "reaches", "reach")
    several = "; some of them in several ways" if sum(paths.values()) > sum(total) else ""
    heading = f"{who} {address}{several}"
    hint = f"Who they are: kathodos reach --on {address}"
    return Answer(_WAYS, rows, heading, ended_notes(question), hint=hint)


def reach_question(view: View, by: str | None, on: str | None, do: str | None) -> ReachQuestion:
    """The question that these words ask. Raises CallError where one names nothing."""
    asker = view.asker(by) if by is not None else None
    node = view.node(on, "--on ") if on is not None else None
    _check_action(view.index, do, node)
    return ReachQuestion(view, view.moment, asker, node, do)


def _check_action(index: Index, action: str | None, node: int | None) -> None:
    systems = [index.system_of(node).name] if node is not None else list(index.systems)
    known = sorted({name for system, name in index.actions if system in systems})
    if action is not None and action not in known:
        where = f"The system {systems[0]} has" if node is not None else "No system has"
        raise CallError(f"{where} {'no' if node is not None else 'an'} action {action}.", nearest(action, known))


def verdict(question: ReachQuestion, is_traced: bool, is_csv: bool) -> Answer:
    """Yes or no, with the first reason or all of them."""
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
    who, address = question.view.named(question.asker), index.tree.addresses[question.node]
    marks = Marks(question.view)
    trees = [_tree(f"{who}: {name} {address}", explanation, marks) for name, explanation in found]
    if not is_traced:
        trees = [_short(tree, explanation, marks) for tree, (_, explanation) in zip(trees, found, strict=True)]
    fields, status, notes = _VERDICT if is_csv else (), found_if(not is_reached), ended_notes(question)
    if not question.action:
        text = [] if found else [f"no - {who} may do nothing on {address}"]
        hint = "" if is_traced else "Add --trace to see every chain."
        hint = hint if found else "Name an action with --do to see what is in the way."
        return Answer(fields, documents, text=[*text, *notes], trees=trees, hint=hint, status=status)
    hint = "" if is_traced else "Add --trace to see every chain."
    return Answer(fields, documents, text=notes, document=documents[0], trees=trees, hint=hint, status=status)


def _document(question: ReachQuestion, action: str, explanation: Explanation) -> Row:
    assert question.asker is not None and question.node is not None
    kind, name = question.key(question.asker)
    marks = Marks(question.view)
    return {
        kind: name,
        "action": action,
        "resource": question.index.tree.addresses[question.node],
        "reached": explanation.is_reached,
        **_chains_record("chains", explanation.permits, marks),
        **_chains_record("denials", explanation.denials, marks),
        "gates": [
            {"action": gate, "resource": address, **_chains_record("chains", chains, marks)}
            for gate, address, chains in explanation.gates
        ],
        "notes": ended_notes(question),
        "obstacles": [asdict(obstacle) for obstacle in explanation.obstacles],
        "nearest": explanation.nearest,
    }


def _chains_record(name: str, chains: Chains, marks: Marks) -> Row:
    """The chains shown, and how many there are; `exact` is false where there are at least so many."""
    return {
        name: [chain_record(chain, marks) for chain in chains.shown],
        f"{name}_in_all": chains.total,
        f"{name}_exact": chains.is_exact,
    }


def _tree(asked: str, explanation: Explanation, marks: Marks) -> Branch:
    """The whole explanation as a tree."""
    if explanation.is_reached:
        gates = [
            Branch(f"and {name} on {address}, which is a gate here", _branches(chains, marks))
            for name, address, chains in explanation.gates
        ]
        return Branch(f"yes - {asked}", [*_branches(explanation.permits, marks), *gates], "green")
    branches = [Branch(obstacle.text, style="red") for obstacle in explanation.obstacles if obstacle.kind != "denied"]
    branches += _branches(explanation.denials, marks)
    if explanation.permits.total:
        branches.append(Branch("without that it would be permitted", _branches(explanation.permits, marks)))
    if explanation.nearest:
        branches.append(Branch("what would give it, nearest first", [Branch(text) for text in explanation.nearest]))
    return Branch(f"no - {asked}", branches, "red")


_MOST_SHOWN = 20


def _branches(chains: Chains, marks: Marks) -> list[Branch]:
    """The shortest chains, and how many more there are."""
    branches = [chain_branch(chain, marks) for chain in chains.shown[:_MOST_SHOWN]]
    more = chains.total - len(branches)
    if more:
        branches.append(Branch(f"and {_at_least(chains)}{more:,} more, none of them shorter"))
    return branches


def _at_least(chains: Chains) -> str:
    return "" if chains.is_exact else "at least "


def _short(tree: Branch, explanation: Explanation, marks: Marks) -> Branch:
    """The answer with its first reason only."""
    if explanation.is_reached:
        more = explanation.permits.total - 1
        rest = [Branch(f"and {_at_least(explanation.permits)}{plural(more, 'more chain')}")] if more else []
        first = explanation.permits.shown[0]
        ordered = [Branch(it) for it in marks.of_chain(first)]
        return Branch(tree.text, [Branch(chain_text(first), ordered), *rest], tree.style)
    return Branch(tree.text, [Branch(explanation.obstacles[0].text)], tree.style)


def _reached(question: ReachQuestion) -> Iterator[tuple[Iterable[int], list[Reached]]]:
    if question.asker is not None:
        yield [question.asker], what_reached_by(question.index, question.asker, question.moment)
    else:
        yield from everything(question.index, question.moment)


def pairs(question: ReachQuestion, is_json: bool) -> Answer:
    """Every (who, action, resource) as data, streamed where the form allows it."""
    kinds = [question.key(question.asker)[0]] if question.asker is not None else ["identity", "account"]
    fields = tuple(Field(kind, kind) for kind in kinds) + _PAIRS[1:]
    rows = (
        {**first, **second} for firsts, seconds in blocks_of_pairs(question) for first in firsts for second in seconds
    )
    return Answer(fields, list(rows) if is_json else rows)


def blocks_of_pairs(question: ReachQuestion) -> Iterator[tuple[list[Row], list[Row]]]:
    """Askers, and what each of them reaches, put together where that is the same."""
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


def _who(question: ReachQuestion, asker: int) -> Row:
    kind, name = question.key(asker)
    return {kind: name}


def _askers_on(question: ReachQuestion) -> Iterator[tuple[int, list[int]]]:
    """For each action asked about on the node, by number: who reaches it."""
    index = question.index
    assert question.node is not None
    for number in index.system_of(question.node).actions.tolist():
        if question.action in (None, index.actions[number][1]):
            reaching = who_reaches(index, question.node, number, question.moment)
            yield number, [asker for asker in index.holders.askers.tolist() if reaching[asker]]


def reaching(question: ReachQuestion) -> Answer:
    """Who gets to one resource, doing what, through which holders."""
    index = question.index
    assert question.node is not None
    may: dict[int, list[str]] = {}
    for number, askers in _askers_on(question):
        for asker in askers:
            may.setdefault(asker, []).append(index.actions[number][1])
    through = holders_permitting(index, question.node, question.action, question.moment)
    people = question.view.people(list(may))
    over = [it for it in sorted(may) if it in people and int(index.holders.ends[it]) <= question.moment]
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
    who = people_and_accounts(len(people), len(rows) - len(people), "reaches", "reach")
    heading = f"{who} {address}" if rows else f"Nobody reaches {address}"
    hint = f"Why: kathodos reach --by NAME --on {address} --trace" if rows else ""
    text = [
        f"{question.view.named(it)} is past the last day, and counts through an enabled account." for it in over[:3]
    ]
    text += [f"{len(over) - 3} more are past their last day."] if len(over) > 3 else []
    return Answer(_ON, rows, heading, text, hint=hint)


def _through(index: Index, asker: int, holder: int) -> str:
    return "directly" if holder == asker else index.holders.references[holder]


def reached(question: ReachQuestion) -> Answer:
    """What one reaches, each resource with everything below it where that is the same all the way down."""
    assert question.asker is not None
    index = question.index
    found = what_reached_by(index, question.asker, question.moment)
    rows = [_on_one_row(index, it) for part in found for it in collapsed(index, part, question.action)]
    count = sum(part.resources for part in found)
    who = question.view.named(question.asker)
    heading = f"{who} reaches {plural(count, 'resource')}" if rows else f"{who} cannot reach what was asked for"
    hint = "Why: add --on RESOURCE --trace" if rows else "What stands in the way: add --on RESOURCE --do ACTION --trace"
    return Answer(_BY, rows, heading, ended_notes(question), hint=hint)


def reach_counts(question: ReachQuestion) -> Answer:
    """How much everyone reaches; the pairs themselves come as data."""
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
    who = people_and_accounts(len(people), len(rows) - len(people))
    heading = f"{who} can reach something: {plural(total, 'combination')} of action and resource"
    hint = "Each of them: kathodos reach --format jsonl; for one: kathodos reach --by NAME"
    keys = ("pairs", "asker", "name", "resources")
    return Answer(_COUNTS, [dict(zip(keys, row, strict=True)) for row in rows], heading, hint=hint)


def _on_one_row(index: Index, found: Collapsed) -> Row:
    """A resource with all below it that is reached with the same actions."""
    count, size = found.reached_below, found.below
    more = f"  and {f'all {count}' if count == size else f'{count} of {size}'} below" if count else ""
    return {"resource": index.tree.addresses[found.node] + more, "actions": found.actions}


def written(count: int, file: str) -> Answer:
    """What is said once all pairs are written to a file."""
    return Answer(text=[f"{plural(count, 'pair')} written to {file}"])


class NumberedPairs(msgspec.Struct, frozen=True):
    """Pairs in blocks of numbers - asker, action and node of each - and what the numbers stand for."""

    blocks: Iterable[Pairs]
    who: Sequence[str]
    actions: Sequence[str]
    resources: Sequence[str]


def numbered_pairs(question: ReachQuestion) -> NumberedPairs:
    """Everyone's everything, or one asker's, as numbers. Raises CallError for one resource alone."""
    index = question.index
    if question.node is not None:
        raise CallError("--to takes no --on.", "Ask for one resource with --format csv or jsonl.")
    if question.asker is None:
        blocks = stream_pairs(index, question.moment, question.action)
    else:
        blocks = pairs_of(index, question.asker, question.moment, question.action)
    names = ((f"{kind}:{name}" for name in names) for kind, names in index.holders.named[:2])
    who = [reference for some in names for reference in some]
    return NumberedPairs(blocks, who, [name for _, name in index.actions], list(index.tree.addresses))
