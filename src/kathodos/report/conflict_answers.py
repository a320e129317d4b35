"""Conflicts in words: counted, of one person with both sides and their chains, and of one rule side by side."""

from __future__ import annotations

from typing import Any

import numpy as np

from kathodos.columns.csr import distinct
from kathodos.engine.explain import chain_text
from kathodos.errors import found_if
from kathodos.findings.conflicts.states import Conflict, chains_of
from kathodos.model.references import reference_to
from kathodos.model.severities import GRAVEST_FIRST
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Branch, Field, Lines
from kathodos.report.chains import chain_branch, chain_record
from kathodos.report.conflicts import ChosenConflicts, counts
from kathodos.report.marks import Marks
from kathodos.report.severities import STYLES
from kathodos.rules.reading import Duty
from kathodos.workspace.view import Asked

_COUNTS = (
    *(Field(str(name), name.title(), 7 if name != "low" else 6, is_number=True) for name in GRAVEST_FIRST),
    Field("exercised", "Exercised", 6, is_number=True),
    Field("by_role", "By one role", 5, is_number=True, least=6),
    Field("covered", "Covered", 5, is_number=True),
    Field("latent", "Latent", 4, is_number=True),
)
_PERSON = (Field("who", "Who", 9), Field("name", "Name", 8, least=12), Field("department", "Department", 4))
_RULES = Field("rules", "Rules", 8, least=10)
PER = {
    "severity": (Field("severity", "Severity", 9),),
    "topic": (Field("topic", "Topic", 9, least=12),),
    "department": (Field("department", "Department", 9, least=12),),
}
_KEYS = (
    "conflict",
    "rule",
    "severity",
    "topic",
    "identity",
    "account",
    "department",
    "duties",
    "state",
    "records",
    "roles",
)
_DATA = [Field(key, key) for key in (*_KEYS, "cover", "cover_state")]


def conflict_records(found: ChosenConflicts) -> Answer:
    """Each conflict as data."""
    return Answer(_DATA, (found.record(conflict) for conflict in found.each()), status=found_if(found.is_open.any()))


def conflict_counts(found: ChosenConflicts, per: str, most: int | None) -> Answer:
    """Counts by person, severity, topic or department; the roles that break a rule by themselves are told besides."""
    counted = found.counted(per, most)
    rows, more = counted.rows, counted.total - len(counted.rows)
    shown = [it for it in _COUNTS if it.key in counted.counts]
    hint = "Drill down: kathodos conflicts --rule ID, or --by PERSON"
    if rows and per == "person":
        hint = f"Both sides and their chains: kathodos conflicts --by {rows[0]['who']}"
    if more:
        hint = f"{more:,} more: --all shows them, --where FILTER or --per topic fewer. {hint}"
    fields = [*(_PERSON if per == "person" else PER[per]), *shown, _RULES]
    status = found_if(found.is_open.any())
    return Answer(fields, rows, found.heading(), found.fault_lines(), hint=hint if counted.total else "", status=status)


# One person, one rule
def conflicts_of_one(found: ChosenConflicts, asker: int, is_table: bool) -> Answer:
    """Each conflict of one person or account, with the chains behind each duty."""
    trees, rows, conflicts = [], [], found.of(asker)
    marks = Marks(found.view)
    for conflict in conflicts:
        given = {duty.name: chains_of(found.targets, conflict, duty) for duty in conflict.duties}
        trees.append(Branch(_head(found, conflict), _sides(conflict, given, marks), STYLES[conflict.rule.severity]))
        behind = [
            {"duty": name, "chains": [chain_record(chain, marks) for it in some for chain in it.chains]}
            for name, some in given.items()
        ]
        rows.append({**found.record(conflict), "behind": behind})
    who = found.view.index.holders.asker_name(asker)
    heading = f"{found.view.named(asker)}: {plural(len(conflicts), 'conflict')}"
    hint = f"To settle it: kathodos conflicts cure --whose {who}, or: kathodos conflicts cover RULE/{who} --control ..."
    is_open = any(counts(it) and not found.is_covered(it) for it in conflicts)
    fields = () if is_table else _DATA
    return Answer(fields, rows, heading, trees=trees, hint=hint if conflicts else "", status=found_if(is_open))


def _head(found: ChosenConflicts, conflict: Conflict) -> str:
    """The rule, how serious and how far it went, where, and whether it is covered."""
    rule, where = conflict.rule, [value for value in conflict.values if value is not None]
    records = f" ({', '.join(conflict.records[:5])})" if conflict.records else ""
    within = f", {rule.within} {', '.join(where)}" if where else ""
    cover = found.cover_text(conflict)
    roles = f"; {', '.join(conflict.roles)} alone gives it" if conflict.roles else ""
    return f"{rule.id} {rule.title} - {rule.severity}, {conflict.state}{records}{within}{roles}" + (
        f"; {cover}" if cover else ""
    )


def _sides(conflict: Conflict, given: dict[str, Any], marks: Marks) -> list[Branch]:
    """Each duty with what gives it, and the uses that activity shows."""
    sides = []
    for duty in conflict.duties:
        paths = [
            Branch(
                f"{it.action} {it.address}" + (f" and {it.more} more the same way" if it.more else ""),
                [chain_branch(chain, marks) for chain in sorted(it.chains, key=chain_text)[:2]],
            )
            for it in given[duty.name]
        ]
        uses = [
            Branch(f"used on {use.day}" + (f" for {use.record}" if use.record else ""))
            for use in conflict.uses
            if use.duty == duty.name
        ]
        sides.append(Branch(f"duty: {duty.name}", [*paths, *uses]))
    if conflict.state == "latent":
        sides.append(Branch("not yet: the way is in kathodos reach --by PERSON --potential --on RESOURCE --do ACTION"))
    remedy = [Branch(f"what to do: {conflict.rule.remedy}")] if conflict.rule.remedy else []
    return [*sides, *remedy]


def conflicts_of_rule(found: ChosenConflicts, most: int | None) -> Answer:
    """Who breaks one rule, with what gives each duty beside what gives the others; the first, those gone furthest."""
    (rule,) = found.rules
    order = np.lexsort((found.conflicts.asker, -found.conflicts.state, ~found.is_open))
    shown = order[:most]
    asked = found.view.asked(distinct(found.conflicts.asker[shown]))
    rows = [_sides_of(found, asked[it.asker], it) for it in found.each(shown)]
    duties = [Field(duty.name, duty.name.capitalize(), 8, least=26) for duty in rule.duties]
    fields = [Field("who", "Who", 9, least=14), Field("state", "State", 7, least=10), *duties]
    text = [line for line in (rule.description, rule.remedy and f"What to do: {rule.remedy}") if line]
    text += [f"Asked for by {rule.reference}."] if rule.reference else []
    heading = f"{rule.id} {rule.title} ({rule.severity}, {rule.topic}): {plural(len(order), 'holder')}"
    hint = f'The smallest cure: kathodos conflicts cure --topic "{rule.topic}"' if rows else ""
    hint = f"{len(order) - len(rows):,} more: --all shows them. {hint}" if len(order) > len(rows) else hint
    status = found_if(found.is_open.any())
    return Answer(fields, rows, heading, [*text, *found.fault_lines()], hint=hint, status=status)


def _sides_of(found: ChosenConflicts, asked: Asked, conflict: Conflict) -> dict[str, Any]:
    sides = {duty.name: Lines(_paths(found, conflict, duty)) for duty in conflict.duties}
    cover = found.cover_text(conflict)
    state = [conflict.state, *(f"record {name}" for name in conflict.records[:3]), *([cover] if cover else [])]
    who = [asked.id, asked.name, asked.department]
    return {"who": Lines(line for line in who if line), "state": Lines(state), **sides}


def _paths(found: ChosenConflicts, conflict: Conflict, duty: Duty) -> list[str]:
    """The chains of one duty, a line for each link."""
    lines = []
    for given in chains_of(found.targets, conflict, duty)[:3]:
        more = f" (+{given.more})" if given.more else ""
        lines.append(f"{given.action} {given.address}{more}")
        for chain in given.chains[:1]:
            lines += [f"  {link}" for link in (*chain.holders[1:], reference_to("grant", chain.grant), *chain.roles)]
    lines += [f"used {use.day}" for use in conflict.uses if use.duty == duty.name][-1:]
    return lines or ["-"]
