"""Fences and needs in words: who crosses one, who lacks what, and who holds what nothing says it needs."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Sequence
from typing import Any, TypeVar

from msgspec.structs import replace

from kathodos.analysis.basis import Basis
from kathodos.errors import CallError, DataError, found_if
from kathodos.findings.fences import (
    Crossing,
    Lack,
    Surplus,
    crossings,
    given_to,
    idle_rules,
    lacks,
    surpluses,
    without_stated_need,
)
from kathodos.model.suggestions import nearest
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Branch, Field
from kathodos.report.chains import chain_branch, chain_record
from kathodos.report.marks import Marks
from kathodos.rules.reading import Rules
from kathodos.workspace.view import View

_KEYS = (
    "rule",
    "finding",
    "severity",
    "identity",
    "account",
    "permission",
    "action",
    "resource",
    "resources",
    "missing",
    "pairs",
)
_DATA = [Field(key, key) for key in (*_KEYS, "unused")]
_MOST_SHOWN = 8  # of one rule, to a person
T = TypeVar("T")


def checked(view: View, by: str | None, rule: str | None, topic: str | None, is_table: bool) -> Answer:
    """What the fences and needs say of everybody, or of one identity; all rules, or those of one id or topic."""
    rules, basis = _chosen(view, rule, topic), view.basis
    only = view.asker(by) if by else None
    crossed = [it for it in crossings(basis, rules.fences) if only in (None, it.asker)]
    lacking = [it for it in lacks(basis, rules.needs) if only in (None, it.asker)]
    idle = [
        f"{rule.id}: no action or resource is called {permission}, so that it cannot be checked"
        for rule, permission in idle_rules(basis, _both(rules))
    ]
    beyond: list[Surplus] = []
    unstated: list[int] = []
    if rule is None and topic is None:
        beyond = [it for it in surpluses(basis, rules.needs) if only in (None, it.identity)]
        unstated = [it for it in without_stated_need(basis, rules.needs).tolist() if only in (None, it)]
    status = found_if(crossed or lacking or idle)
    if not is_table:
        rows = itertools.chain(
            (_crossed_row(view, it) for it in crossed),
            (_lack_row(basis, it) for it in lacking),
            (_surplus_row(basis, it) for it in beyond),
            (_unstated_row(basis, it) for it in unstated),
        )
        return Answer(_DATA, rows, status=status)
    trees = [
        *_trees(crossed, lambda it: it.fence, lambda it: _crossing(view, it)),
        *_trees(lacking, lambda it: it.need, lambda it: _lack(view, it)),
    ]
    for title, some, branch in (
        ("beyond the needs of services and agents", beyond, lambda it: _surplus(view, it)),
        ("services and agents without a stated need", unstated, lambda it: _unstated(view, it)),
    ):
        if some:
            trees.append(Branch(title, _first(some, branch, "kathodos check --format csv")))
    heading = (
        f"{plural(len(rules.fences), 'fence')}, crossed {_times(len(crossed))}; "
        f"{plural(len(rules.needs), 'need')}, not met {_times(len(lacking))}"
        + (f"; {plural(len(idle), 'permission')} cannot be checked" if idle else "")
    )
    hint = "One of them: kathodos check --by PERSON, or --rule ID" if trees else ""
    return Answer((), (), heading, idle, trees, hint, status)


def _times(count: int) -> str:
    return "nowhere" if not count else "once" if count == 1 else f"{count:,} times"


def _chosen(view: View, rule: str | None, topic: str | None) -> Rules:
    """The fences and needs that were asked for."""
    rules = view.rules
    if not _both(rules):
        raise DataError("There is no fence and no need in rules/*.toml.", "Write one; the manual shows how.")
    chosen = [
        it
        for it in _both(rules)
        if rule in (None, it.id) and (topic is None or it.topic.casefold() == topic.casefold())
    ]
    if not chosen:
        known = [it.id for it in _both(rules)] if rule else sorted({it.topic for it in _both(rules)})
        raise CallError("No fence and no need is called so.", nearest(rule or topic or "", known))
    names = {it.id for it in chosen}
    fences, needs = ([it for it in rules.fences if it.id in names], [it for it in rules.needs if it.id in names])
    return replace(rules, fences=fences, needs=needs)


def _both(rules: Rules) -> list[Any]:
    return [*rules.fences, *rules.needs]


def _first(found: Sequence[T], branch: Callable[[T], Branch], command: str) -> list[Branch]:
    """The first of some, and how many more there are; only of what is shown is it looked up how it comes about."""
    more = len(found) - _MOST_SHOWN
    return [*map(branch, found[:_MOST_SHOWN]), *([Branch(f"and {more:,} more: {command}")] if more > 0 else [])]


def _trees(found: Sequence[T], rule_of: Callable[[T], Any], branch: Callable[[T], Branch]) -> list[Branch]:
    """A tree for each rule; of many only the first are shown to a person."""
    by_rule: dict[str, tuple[Any, list[T]]] = {}
    for it in found:
        rule = rule_of(it)
        by_rule.setdefault(rule.id, (rule, []))[1].append(it)
    trees = []
    for rule, some in by_rule.values():
        shown = _first(some, branch, f"kathodos check --rule {rule.id} --format csv")
        remedy = [Branch(f"what to do: {rule.remedy}")] if rule.remedy else []
        trees.append(Branch(f"{rule.id} {rule.title} - {rule.severity}", [*shown, *remedy], "red"))
    return trees


def _place(basis: Basis, action: int, nodes: Any) -> str:
    more = f" and {len(nodes) - 1} more" if len(nodes) > 1 else ""
    return f"{basis.index.actions[action][1]} {basis.index.tree.addresses[int(nodes[0])]}{more}"


def _crossing(view: View, found: Crossing) -> Branch:
    text = f"{view.named(found.asker)} reaches {_place(view.basis, found.action, found.nodes)}"
    return Branch(text, [chain_branch(chain, Marks(view)) for chain in found.chains()[:4]])


def _lack(view: View, found: Lack) -> Branch:
    why, who = found.why(view.basis), view.named(found.asker)
    lines = [Branch(it.text) for it in why.obstacles[:2]]
    lines += [Branch(f"this would give it: {text}") for text in (why.nearest or [str(found.permission)])[:1]]
    if found.others:
        every = ", ".join(str(it) for it in (found.permission, *found.others))
        return Branch(f"{who} can do none of these: {every}", lines)
    return Branch(f"{who} cannot {_place(view.basis, found.action, found.nodes)}", lines)


def _surplus(view: View, found: Surplus) -> Branch:
    index = view.index
    actions = ", ".join(index.actions[action][1] for action in found.actions.tolist())
    where = f"{plural(found.resources, 'resource')} of {found.system}"
    text = f"{view.named(found.identity)} may {actions} on {where}; {found.use_in_words}"
    grants = [Branch(f"by grant:{index.grants.ids[it]} {index.gives(it)}") for it in found.grants[:4].tolist()]
    return Branch(text, grants)


def _row(basis: Basis, rule: Any, finding: str, found: Any) -> dict[str, Any]:
    addresses = basis.index.tree.addresses
    return {
        "rule": rule.id,
        "finding": finding,
        "severity": rule.severity,
        **_who(basis, found.asker),
        "permission": str(found.permission),
        "action": basis.index.actions[found.action][1],
        "resource": addresses[int(found.nodes[0])],
        "resources": len(found.nodes),
    }


def _crossed_row(view: View, found: Crossing) -> dict[str, Any]:
    row = _row(view.basis, found.fence, "crossed", found)
    return {**row, "chains": [chain_record(chain, Marks(view)) for chain in found.chains()]}


def _lack_row(basis: Basis, found: Lack) -> dict[str, Any]:
    why = found.why(basis)
    missing = (why.nearest or [str(found.permission)])[0]
    return {
        **_row(basis, found.need, "lacking", found),
        "missing": missing,
        "any": [str(found.permission), *map(str, found.others)] if found.others else [],
        "why": [it.text for it in why.obstacles],
    }


def _surplus_row(basis: Basis, found: Surplus) -> dict[str, Any]:
    index = basis.index
    actions = [index.actions[action][1] for action in found.actions.tolist()]
    return {
        "rule": None,
        "finding": "surplus",
        **_who(basis, found.identity),
        "action": actions,
        "resource": f"{found.system}:/",
        "resources": found.resources,
        "pairs": found.pairs,
        "unused": found.unused if found.is_recorded else None,
        "grants": [index.grants.ids[grant] for grant in found.grants.tolist()],
    }


def _unstated_row(basis: Basis, identity: int) -> dict[str, Any]:
    index = basis.index
    grants = [index.grants.ids[grant] for grant in given_to(basis, identity).tolist()]
    return {"rule": None, "finding": "no stated need", **_who(basis, identity), "grants": grants}


def _who(basis: Basis, asker: int) -> dict[str, str | None]:
    """The identity, or the account that nobody owns."""
    holders, people = basis.index.holders, basis.people
    if asker < people:
        return {"identity": holders.identities[asker], "account": None}
    return {"identity": None, "account": holders.accounts[asker - people]}


def _unstated(view: View, identity: int) -> Branch:
    index, grants = view.index, given_to(view.basis, identity)
    held = [Branch(f"by grant:{index.grants.ids[it]} {index.gives(it)}") for it in grants[:4].tolist()]
    return Branch(f"{view.named(identity)}: no need says what it is for; it holds {plural(len(grants), 'grant')}", held)
