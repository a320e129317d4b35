"""Rules in words: listed, shown, checked against the catalogue, tried as drafts."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import partial
from typing import Any

from msgspec.structs import asdict

from kathodos.analysis.basis import Basis
from kathodos.errors import CallError, found_if
from kathodos.findings.conflicts.states import find_conflicts
from kathodos.findings.fences import Crossing, Lack, crossings, lacks
from kathodos.model.suggestions import nearest
from kathodos.model.words import people_and_accounts, plural
from kathodos.report.answers import Answer, Branch, Field, Lines
from kathodos.report.long import first_rows
from kathodos.rules.checking import FAULT, check_rules
from kathodos.rules.reading import DUTIES_FILE, Duty, Rule, Rules
from kathodos.workspace.library import LayingOut
from kathodos.workspace.view import View

_LIST = (
    Field("id", "Rule", 9),
    Field("kind", "Kind", 6),
    Field("severity", "Severity", 8),
    Field("topic", "Topic", 7, least=12),
    Field("title", "Title", 8, least=20),
    Field("state", "State", 7, least=10, style=lambda value: "dim" if value != "in force" else ""),
)
_REMARKS = (
    Field("rule", "Rule", 9),
    Field("file", "File", 5),
    Field("kind", "Kind", 8, style=lambda value: "red" if value == "fault" else ""),
    Field("what", "What", 9, least=28),
    Field("remedy", "What to do", 7, least=20),
)
_HITS = (
    Field("rule", "Rule", 9),
    Field("identity", "Identity", 9),
    Field("name", "Name", 5, least=12),
    Field("department", "Department", 4, least=10),
    Field("state", "State", 8, least=8),
    Field("what", "What", 7, least=20),
)
_EMPTY_DUTIES = "is empty in rules/duties.toml"


def _kind(rule: Rule) -> str:
    return {"Conflicting": "conflict", "Fence": "fence", "Need": "need"}[type(rule).__name__]


def _unmapped(rule: Rule) -> list[str]:
    """The duties of a rule that stand for nothing here."""
    return [duty.name for duty in getattr(rule, "duties", ()) if not duty.is_mapped]


def rule_list(rules: Rules, topic: str | None) -> Answer:
    """The rules, all or those of one topic."""
    chosen = [it for it in rules.every() if topic is None or it.topic.casefold() == topic.casefold()]
    if topic is not None and not chosen:
        raise CallError(f"No rule is of the topic {topic}.", nearest(topic, rules.topics()))
    rows = []
    for rule in chosen:
        empty = _unmapped(rule)
        state = f"waits for {', '.join(empty)}" if empty else "in force"
        named = {"id": rule.id, "kind": _kind(rule), "severity": rule.severity}
        rows.append({**named, "topic": rule.topic, "title": rule.title, "state": state, "file": rule.file})
    waiting = sum(row["state"] != "in force" for row in rows)
    heading = f"{plural(len(rows), 'rule')} in {plural(len({it.topic for it in chosen}), 'topic')}"
    heading += f", {waiting} waiting for their duties" if waiting else ""
    hint = "One in full: kathodos rules show ID" if rows else "Begin with `kathodos rules start`."
    return Answer(_LIST, rows, heading, hint=hint)


def rule_shown(rules: Rules, name: str) -> Answer:
    """One rule in full."""
    rule: Any = next((it for it in rules.every() if it.id == name), None)
    if rule is None:
        raise CallError(f"There is no rule {name}.", nearest(name, [it.id for it in rules.every()]))
    branches, document = [], {"id": rule.id, "kind": _kind(rule), "severity": rule.severity, "title": rule.title}
    document |= {key: getattr(rule, key) for key in ("topic", "description", "remedy", "reference", "file")}
    if _kind(rule) == "conflict":
        document |= {"threshold": rule.threshold, "within": rule.within, "duties": []}
        for duty in rule.duties:
            every = [f"all of: {it}" for it in duty.every]
            meant = [*map(str, duty.permissions), *every] or [f"nothing: it {_EMPTY_DUTIES}"]
            branches.append(Branch(f"duty: {duty.name}", [Branch(it) for it in meant]))
            sides = {"any": [*map(str, duty.permissions)], "all": [*map(str, duty.every)]}
            document["duties"].append({"name": duty.name, **sides})
    else:
        sides = {"never": rule.never} if _kind(rule) == "fence" else {"must": rule.must, "any": rule.any}
        for word, listed in sides.items():
            if listed:
                said = "one of" if word == "any" else word
                branches.append(Branch(said, [Branch(str(it)) for it in listed]))
                document |= {word: [str(it) for it in listed]}
    about = [f"{key}: {getattr(rule, key)}" for key in ("description", "remedy", "reference") if getattr(rule, key)]
    if _kind(rule) == "conflict":
        inside = f", on the same {rule.within}" if rule.within else ""
        about.append(f"broken by whoever holds {rule.threshold} of {len(rule.duties)} duties{inside}")
    head = f"{rule.id} {rule.title} - {rule.severity}, {rule.topic} (rules/{rule.file})"
    hint = f"Who breaks it: kathodos conflicts --rule {rule.id}" if _kind(rule) == "conflict" else "kathodos check"
    trees = [Branch(head, [*map(Branch, about), *branches])]
    return Answer(trees=trees, hint=hint, document=document)


def rules_checked(view: View) -> Answer:
    """Rules that can never match, duties that overlap, and duplicates."""
    rules = view.rules
    remarks = check_rules(view.basis, rules)
    faults = sum(it.kind == FAULT for it in remarks)
    rows = sorted((asdict(it) for it in remarks), key=lambda row: row["kind"] != FAULT)
    heading = f"{plural(len(rules.every()), 'rule')}: {plural(faults, 'fault')}, {plural(len(rows) - faults, 'note')}"
    hint = "See one: kathodos rules show ID" if rows else "Whom they hit: kathodos conflicts, kathodos check"
    hint = hint if rules.every() else "Begin with `kathodos rules start`."
    return Answer(_REMARKS, rows, heading, hint=hint, status=found_if(faults))


def rules_tried(view: View, draft: Rules, file: str, most: int | None) -> Answer:
    """Whom a draft would hit: conflicts, crossed fences, unmet needs; with what is wrong with the draft itself.

    `most`: so many rows are shown (None: all).
    """
    basis = view.basis
    hits: list[tuple[Rule, int, str, Callable[[], list[str]]]] = [
        *((it.rule, it.asker, it.state, partial(_names, it.duties)) for it in find_conflicts(basis, draft.conflicts)),
        *((it.fence, it.asker, "crossed", partial(_place, basis, it)) for it in crossings(basis, draft.fences)),
        *((it.need, it.asker, "lacking", partial(_place, basis, it)) for it in lacks(basis, draft.needs)),
    ]
    shown, more = first_rows(hits, most)
    asked = view.asked(sorted({asker for _, asker, _, _ in shown}))
    rows = [
        {
            "rule": rule.id,
            "identity": asked[asker].id,
            "name": asked[asker].name,
            "department": asked[asker].department,
            "state": state,
            "what": Lines(what()),
        }
        for rule, asker, state, what in shown
    ]
    remarks = [it for it in check_rules(basis, draft) if it.kind == FAULT]
    text = [f"{it.rule}: {it.what}. {it.remedy}" for it in remarks]
    hit = {asker for _, asker, _, _ in hits}
    accounts = sum(asker >= basis.people for asker in hit)
    whom = people_and_accounts(len(hit) - accounts, accounts)
    heading = f"{plural(len(draft.every()), 'rule')} of {file} would hit {whom}"
    hint = "To put it in force, move the file into rules/." if not remarks else "Correct the draft first."
    hint = f"{more} {hint}".strip()
    return Answer(_HITS, rows, heading, text, hint=hint, status=found_if(rows or remarks))


def _names(duties: Iterable[Duty]) -> list[str]:
    return [duty.name for duty in duties]


def _place(basis: Basis, found: Crossing | Lack) -> list[str]:
    """The action and the first resource of a crossing or a lack."""
    address = basis.index.tree.addresses[int(found.nodes[0])]
    more = f" and {len(found.nodes) - 1} more" if len(found.nodes) > 1 else ""
    return [f"{basis.index.actions[found.action][1]} {address}{more}"]


def would_lay_out(laying: LayingOut) -> Answer:
    """What is said where nothing is laid out yet."""
    return Answer(heading=f"Would lay out: {', '.join(laying.fresh) or 'nothing'}.")


def laid_out(laying: LayingOut) -> Answer:
    """What is said once the library is laid out."""
    text = [f"rules/{name}.toml" for name in laying.fresh]
    text += [f"rules/{name}.toml is there already, and was left as it is" for name in laying.there]
    hint = f"Say in rules/{DUTIES_FILE} what gives each duty here; then: kathodos rules list, kathodos rules check"
    return Answer(heading=f"Laid out {plural(len(laying.fresh), 'file')}.", text=text, hint=hint)
