"""`kathodos conflicts`: who holds duties that one person must not hold together."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, Any

from kathodos.cli import covering, curing
from kathodos.cli.options import Commands, Formatter, about_state, command
from kathodos.cli.session import Session
from kathodos.model.severities import GRAVEST_FIRST
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Branch, Field, Lines, Row
from kathodos.report.severities import STYLES

if TYPE_CHECKING:
    from kathodos.findings.conflicts.states import Conflict
    from kathodos.report.conflicts import ChosenConflicts
    from kathodos.rules.reading import Duty

_COUNTS = (
    *(Field(str(name), name.title(), 7 if name != "low" else 6, is_number=True) for name in GRAVEST_FIRST),
    Field("exercised", "Exercised", 6, is_number=True),
    Field("covered", "Covered", 5, is_number=True),
    Field("latent", "Latent", 4, is_number=True),
)
_PERSON = (Field("identity", "Identity", 9), Field("name", "Name", 8, least=12), Field("department", "Department", 4))
_RULES = Field("rules", "Rules", 8, least=10)
_FIRST = {
    "severity": (Field("severity", "Severity", 9),),
    "topic": (Field("topic", "Topic", 9, least=12),),
    "department": (Field("department", "Department", 9, least=12),),
}
_KEYS = ("conflict", "rule", "severity", "topic", "identity", "department", "duties", "state", "records", "roles")
_DATA = [Field(key, key) for key in (*_KEYS, "cover", "cover_state")]


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = command(
        commands,
        "conflicts",
        common,
        formatter,
        run,
        "find who holds duties that must be kept apart, by the rules in rules/*.toml",
        "  kathodos conflicts\n  kathodos conflicts --by p0017        # both sides, and what gives them\n"
        "  kathodos conflicts --rule DUES-1     # one rule, its sides beside each other\n"
        '  kathodos conflicts --topic "Harbour dues" --format csv\n'
        "  kathodos conflicts cover PERMIT-1/p0096 --control DG-4 --until 2026-12-31 --reason 'no second officer'\n"
        '  kathodos conflicts cure --topic "Dangerous goods"',
    )
    parser.allow_abbrev = False  # else --as of a step is taken for --as-of here
    parser.add_argument("--by", metavar="REF", help="one identity, in detail")
    parser.add_argument("--rule", metavar="ID", help="one rule: everyone who breaks it, both sides beside each other")
    parser.add_argument("--topic", metavar="TOPIC", help="only the rules of one topic")
    parser.add_argument("--where", metavar="FILTER", help="only people that this filter selects")
    parser.add_argument(
        "--per", choices=("person", *_FIRST), default="person", help="count by person (default), severity ..."
    )
    parser.add_argument("--latent", action="store_true", help="also what people could bring themselves into")
    about_state(parser)
    steps = parser.add_subparsers(dest="step", metavar="STEP")
    covering.add(steps, common, formatter)
    curing.add(steps, common, formatter)


def chosen(session: Session) -> ChosenConflicts:
    """The conflicts that the call is about."""
    from kathodos.report.conflicts import ChosenConflicts, chosen_rules

    asked, view = session.arguments, session.view
    rules = chosen_rules(view, getattr(asked, "topic", None), getattr(asked, "rule", None))
    return ChosenConflicts(view, rules, getattr(asked, "where", None), getattr(asked, "latent", False))


def run(session: Session) -> int:
    asked, found = session.arguments, chosen(session)
    if asked.by is not None:
        return _detail(session, found, found.view.identity(asked.by))
    if session.format != "table":
        rows = (found.record(conflict) for conflict in found.each())
        return session.answer(Answer(_DATA, rows, status=1 if found.is_open.any() else 0))
    return _beside(session, found) if asked.rule is not None else _summary(session, found)


def _summary(session: Session, found: ChosenConflicts) -> int:
    """Counts by person, severity, topic or department. What a role does by itself is told once, as the role's."""
    per = session.arguments.per
    rows = found.counted(per)
    shown = [it for it in _COUNTS if any(row[it.key] for row in rows)]
    hint = "Drill down: kathodos conflicts --rule ID, or --by PERSON"
    if rows and per == "person":
        hint = f"Both sides and their chains: kathodos conflicts --by {rows[0]['identity']}"
    fields = [*(_PERSON if per == "person" else _FIRST[per]), *shown, _RULES]
    status = 1 if found.is_open.any() else 0
    return session.answer(
        Answer(fields, rows, found.heading(), found.fault_lines(), hint=hint if rows else "", status=status)
    )


# One person, one rule


def _detail(session: Session, found: ChosenConflicts, identity: int) -> int:
    """Each conflict of one person, with the chains behind each duty."""
    from kathodos.findings.conflicts.states import chains_of
    from kathodos.report.chains import chain_record
    from kathodos.report.conflicts import counts

    trees, rows, conflicts = [], [], found.of(identity)
    for conflict in conflicts:
        given = {duty.name: chains_of(found.targets, conflict, duty) for duty in conflict.duties}
        trees.append(Branch(_head(found, conflict), _sides(conflict, given), STYLES[conflict.rule.severity]))
        behind = [
            {"duty": name, "chains": [chain_record(chain) for it in some for chain in it.chains]}
            for name, some in given.items()
        ]
        rows.append({**found.record(conflict), "behind": behind})
    who = found.view.index.holders.identities[identity]
    heading = f"{found.view.named(identity)}: {plural(len(conflicts), 'conflict')}"
    hint = f"To settle it: kathodos conflicts cure --for {who}, or: kathodos conflicts cover RULE/{who} --control ..."
    is_open = any(counts(it) and not found.is_covered(it) for it in conflicts)
    fields = _DATA if session.format != "table" else ()
    return session.answer(
        Answer(fields, rows, heading, trees=trees, hint=hint if conflicts else "", status=1 if is_open else 0)
    )


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


def _sides(conflict: Conflict, given: dict[str, Any]) -> list[Branch]:
    """Each duty with what gives it, and the uses that activity shows."""
    from kathodos.engine.explain import chain_text
    from kathodos.report.chains import chain_branch

    sides = []
    for duty in conflict.duties:
        paths = [
            Branch(
                f"{it.action} {it.address}" + (f" and {it.more} more the same way" if it.more else ""),
                [chain_branch(chain) for chain in sorted(it.chains, key=chain_text)[:2]],
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


def _beside(session: Session, found: ChosenConflicts) -> int:
    """Everyone who breaks one rule, with what gives each duty beside what gives the others."""
    (rule,) = found.rules
    people = found.view.people(found.conflicts.identity)
    rows = [_sides_of(found, people[it.identity], it) for it in found.each()]
    duties = [Field(duty.name, duty.name.capitalize(), 8, least=26) for duty in rule.duties]
    fields = [Field("who", "Who", 9, least=14), Field("state", "State", 7, least=10), *duties]
    text = [line for line in (rule.description, rule.remedy and f"What to do: {rule.remedy}") if line]
    text += [f"Asked for by {rule.reference}."] if rule.reference else []
    heading = f"{rule.id} {rule.title} ({rule.severity}, {rule.topic}): {plural(len(rows), 'person', 'people')}"
    hint = f'The smallest cure: kathodos conflicts cure --topic "{rule.topic}"' if rows else ""
    return session.answer(
        Answer(fields, rows, heading, [*text, *found.fault_lines()], hint=hint, status=1 if found.is_open.any() else 0)
    )


def _sides_of(found: ChosenConflicts, person: Row, conflict: Conflict) -> dict[str, Any]:
    sides = {duty.name: Lines(_paths(found, conflict, duty)) for duty in conflict.duties}
    cover = found.cover_text(conflict)
    state = [conflict.state, *(f"record {name}" for name in conflict.records[:3]), *([cover] if cover else [])]
    who = [str(person["id"]), str(person["name"] or ""), str(person["department"] or "")]
    return {"who": Lines(line for line in who if line), "state": Lines(state), **sides}


def _paths(found: ChosenConflicts, conflict: Conflict, duty: Duty) -> list[str]:
    """The chains of one duty, a line for each link."""
    from kathodos.findings.conflicts.states import chains_of

    lines = []
    for given in chains_of(found.targets, conflict, duty)[:3]:
        more = f" (+{given.more})" if given.more else ""
        lines.append(f"{given.action} {given.address}{more}")
        for chain in given.chains[:1]:
            lines += [f"  {link}" for link in (*chain.holders[1:], f"grant:{chain.grant}", *chain.roles)]
    lines += [f"used {use.day}" for use in conflict.uses if use.duty == duty.name][-1:]
    return lines or ["-"]
