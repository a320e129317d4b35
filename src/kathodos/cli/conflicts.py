"""`kathodos conflicts`: who holds duties that one person must not hold together."""

from __future__ import annotations

import argparse
from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, Any

from kathodos.cli import covering, curing
from kathodos.cli.options import Commands, Formatter, about_state, command
from kathodos.cli.session import Session, plural
from kathodos.errors import CallError
from kathodos.output.answers import Answer, Branch, Field, Lines, Row

if TYPE_CHECKING:
    from kathodos.analysis.snapshot import Snapshot
    from kathodos.findings.conflicts.covers import Register
    from kathodos.findings.conflicts.roles import RoleConflict
    from kathodos.findings.conflicts.states import Conflict
    from kathodos.rules.reading import Conflicting, Duty
    from kathodos.rules.targets import PermissionTargets

SEVERITIES = ("critical", "high", "medium", "low")
STYLES = {"critical": "bold red", "high": "red", "medium": "yellow", "low": ""}
_COUNTS = (
    *(Field(name, name.title(), 7 if name != "low" else 6, is_number=True) for name in SEVERITIES),
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


class Found:
    """The conflicts that a call is about, and what is known of them."""

    def __init__(self, session: Session) -> None:
        from kathodos.findings.conflicts.roles import marked, roles_at_fault
        from kathodos.findings.conflicts.states import find_conflicts
        from kathodos.rules.targets import PermissionTargets

        asked, state = session.arguments, session.asked()
        self.session = session
        self.moment, self.view = state.moment, state.view
        self.rules = _rules(session)
        self.snapshot: Snapshot = session.snapshot(self.view, self.moment, state.entry)
        self.targets: PermissionTargets = PermissionTargets(self.snapshot)
        self.register: Register = session.register(state.entry)
        self._standing = self.register.standing(self.moment)
        self.faults: list[RoleConflict] = roles_at_fault(self.snapshot, self.rules)
        found = list(marked(self.snapshot, find_conflicts(self.snapshot, self.rules), self.faults))
        if getattr(asked, "latent", False):
            from kathodos.findings.escalation import climbers, latent_conflicts

            found += latent_conflicts(self.snapshot, self.rules, found, climbers(self.snapshot))
        self.all: list[Conflict] = [it for it in found if _chosen(self.snapshot, asked)(it)]

    def number(self, reference: str) -> int:
        """The number of the identity that was named."""
        from kathodos.model.kinds import IDENTITIES

        return self.session.asker(self.view, reference, (IDENTITIES,))

    def of(self, reference: str) -> list[Conflict]:
        """The conflicts of one identity."""
        number = self.number(reference)
        return [it for it in self.all if it.identity == number]

    def person(self, reference: str) -> Row:
        """The record of one identity."""
        number = self.number(reference)
        return self.view.people([number])[number]

    def cover(self, conflict: Conflict) -> tuple[Any, str] | None:
        """The newest cover of a conflict, and what has become of it."""
        cover = self._standing.get((conflict.rule.id, self.snapshot.index.holders.identities[conflict.identity]))
        return (cover, self.register.state(cover, self.moment)) if cover else None

    def is_covered(self, conflict: Conflict) -> bool:
        from kathodos.findings.conflicts.covers import HOLDS

        cover = self.cover(conflict)
        return cover is not None and cover[1] == HOLDS

    def cover_text(self, conflict: Conflict) -> str:
        """In words: under which control, and until when."""
        from kathodos.findings.conflicts.covers import HOLDS, RAN_OUT

        cover, state = self.cover(conflict) or (None, "")
        if cover is None:
            return ""
        if state == HOLDS:
            return f"covered by {cover.control} until {cover.until}"
        return f"the cover by {cover.control} {state}" + (f" on {cover.until}" if state == RAN_OUT else "")

    def open(self) -> list[Conflict]:
        """What counts: held or used, and not covered."""
        return [it for it in self.all if it.state != "latent" and not self.is_covered(it)]

    def record(self, conflict: Conflict) -> dict[str, Any]:
        """A conflict as data."""
        cover = self.cover(conflict)
        return {
            "conflict": conflict.name(self.snapshot.index),
            "rule": conflict.rule.id,
            "severity": conflict.rule.severity,
            "topic": conflict.rule.topic,
            "identity": self.snapshot.index.holders.identities[conflict.identity],
            "department": self.snapshot.identity("department").value(conflict.identity),
            "duties": [duty.name for duty in conflict.duties],
            "state": conflict.state,
            "records": list(conflict.records),
            "uses": [vars(use) for use in conflict.uses],
            "roles": list(conflict.roles),
            "cover": cover[0].control if cover else None,
            "cover_state": cover[1] if cover else None,
        }


def _chosen(snapshot: Snapshot, asked: argparse.Namespace) -> Callable[[Conflict], bool]:
    """Whether a conflict is of the people that were asked for."""
    text = getattr(asked, "where", None)
    if not text:
        return lambda conflict: True
    from kathodos.store.attributes import filter_of

    mask = snapshot.selected(filter_of(text, snapshot.known_attributes(), "identity"))
    return lambda conflict: bool(mask[conflict.identity])


def _rules(session: Session) -> list[Conflicting]:
    from kathodos.errors import DataError
    from kathodos.model.suggestions import nearest

    rules, asked = session.rules(), session.arguments
    topic, name = getattr(asked, "topic", None), getattr(asked, "rule", None)
    if not rules.conflicts:
        remedy = "Write one, or lay out the library with `kathodos rules start`; the manual shows how."
        raise DataError("There is no conflict rule in rules/*.toml.", remedy)
    chosen = [rule for rule in rules.conflicts if topic is None or rule.topic.casefold() == topic.casefold()]
    if not chosen:
        raise CallError(f"No rule is of the topic {topic}.", nearest(str(topic), rules.topics()))
    if name is not None:
        chosen = [rule for rule in chosen if rule.id == name]
        if not chosen:
            raise CallError(f"There is no conflict rule {name}.", nearest(str(name), [it.id for it in rules.conflicts]))
    return chosen


def run(session: Session) -> int:
    asked = session.arguments
    found = Found(session)
    if asked.by is not None:
        return _detail(session, found, found.of(asked.by))
    if session.format != "table":
        rows = [found.record(conflict) for conflict in found.all]
        return session.answer(Answer(_DATA, rows, status=1 if found.open() else 0))
    return _beside(session, found) if asked.rule is not None else _summary(session, found)


# The summary


def _summary(session: Session, found: Found) -> int:
    """Counts by person, severity, topic or department. What a role does by itself is told once, as the role's."""
    per = session.arguments.per
    own = [it for it in found.all if not it.roles]
    people = found.view.people(sorted({it.identity for it in own}))
    groups: dict[Any, list[Conflict]] = {}
    for conflict in own:
        keys = {
            "person": conflict.identity,
            "severity": conflict.rule.severity,
            "topic": conflict.rule.topic,
            "department": people[conflict.identity]["department"],
        }
        groups.setdefault(keys[per], []).append(conflict)
    rows = []
    for key, conflicts in groups.items():
        named = {per: key}
        if per == "person":
            person = people[key]
            named = {"identity": person["id"], "name": person["name"], "department": person["department"]}
        rows.append({**named, **_counted(found, conflicts), "rules": sorted({it.rule.id for it in conflicts})})
    rows.sort(key=lambda row: [-(row[it] or 0) for it in (*SEVERITIES, "exercised", "covered", "latent")])
    first = _PERSON if per == "person" else _FIRST[per]
    shown = [it for it in _COUNTS if any(row[it.key] for row in rows)]
    count, everyone = len(found.open()), {it.identity for it in found.open()}
    heading = f"{plural(count, 'open conflict')} of {plural(len(everyone), 'person', 'people')}"
    by_role = sum(bool(it.roles) for it in found.open())
    heading += f", {by_role} of them by a role alone" if by_role else ""
    covered = sum(found.is_covered(it) for it in found.all)
    heading += f", {covered} covered" if covered else ""
    hint = (
        f"Both sides and their chains: kathodos conflicts --by {rows[0]['identity']}"
        if rows and per == "person"
        else ""
    )
    hint = hint or "Drill down: kathodos conflicts --rule ID, or --by PERSON"
    status = 1 if count else 0
    return session.answer(
        Answer([*first, *shown, _RULES], rows, heading, _fault_lines(found), hint=hint if rows else "", status=status)
    )


def _counted(found: Found, conflicts: Sequence[Conflict]) -> dict[str, Any]:
    counted = [it for it in conflicts if it.state != "latent" and not found.is_covered(it)]
    severities = [it.rule.severity for it in counted]
    return {
        **{severity: severities.count(severity) or None for severity in SEVERITIES},
        "exercised": sum(it.state.startswith("exercised") for it in counted) or None,
        "covered": sum(found.is_covered(it) for it in conflicts) or None,
        "latent": sum(it.state == "latent" for it in conflicts) or None,
    }


def _fault_lines(found: Found) -> list[str]:
    """The roles that break a rule by themselves, each once."""
    index = found.snapshot.index
    return [
        f"role:{index.roles[fault.role]} breaks {fault.rule.id} by itself ({fault.rule.title}, {fault.rule.severity}): "
        f"whoever gets it is in conflict; {_having(len(fault.people))} it"
        for fault in found.faults
    ]


def _having(people: int) -> str:
    return plural(people, "person has", "people have") if people else "nobody has"


# One person, one rule


def _detail(session: Session, found: Found, conflicts: Sequence[Conflict]) -> int:
    """Each conflict of one person, with the chains behind each duty."""
    from kathodos.cli.reach import chain_record
    from kathodos.findings.conflicts.states import chains_of

    trees, rows = [], []
    for conflict in conflicts:
        given = {duty.name: chains_of(found.targets, conflict, duty) for duty in conflict.duties}
        trees.append(Branch(_head(found, conflict), _sides(conflict, given), STYLES[conflict.rule.severity]))
        behind = [
            {"duty": name, "chains": [chain_record(chain) for it in some for chain in it.chains]}
            for name, some in given.items()
        ]
        rows.append({**found.record(conflict), "behind": behind})
    person = found.person(session.arguments.by)
    who = person["id"]
    heading = f"identity:{who} ({person['name']}): {plural(len(conflicts), 'conflict')}"
    hint = f"To settle it: kathodos conflicts cure --for {who}, or: kathodos conflicts cover RULE/{who} --control ..."
    counts = any(it.state != "latent" and not found.is_covered(it) for it in conflicts)
    fields = _DATA if session.format != "table" else ()
    return session.answer(
        Answer(fields, rows, heading, trees=trees, hint=hint if conflicts else "", status=1 if counts else 0)
    )


def _head(found: Found, conflict: Conflict) -> str:
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
    from kathodos.cli.reach import chain_branch
    from kathodos.engine.explain import chain_text

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


def _beside(session: Session, found: Found) -> int:
    """Everyone who breaks one rule, with what gives each duty beside what gives the others."""
    (rule,) = found.rules
    people = found.view.people([it.identity for it in found.all])
    rows = [_sides_of(found, people[it.identity], it) for it in found.all]
    duties = [Field(duty.name, duty.name.capitalize(), 8, least=26) for duty in rule.duties]
    fields = [Field("who", "Who", 9, least=14), Field("state", "State", 7, least=10), *duties]
    text = [line for line in (rule.description, rule.remedy and f"What to do: {rule.remedy}") if line]
    text += [f"Asked for by {rule.reference}."] if rule.reference else []
    heading = f"{rule.id} {rule.title} ({rule.severity}, {rule.topic}): {plural(len(rows), 'person', 'people')}"
    hint = f'The smallest cure: kathodos conflicts cure --topic "{rule.topic}"' if rows else ""
    return session.answer(
        Answer(fields, rows, heading, [*text, *_fault_lines(found)], hint=hint, status=1 if found.open() else 0)
    )


def _sides_of(found: Found, person: Row, conflict: Conflict) -> dict[str, Any]:
    sides = {duty.name: Lines(_paths(found, conflict, duty)) for duty in conflict.duties}
    cover = found.cover_text(conflict)
    state = [conflict.state, *(f"record {name}" for name in conflict.records[:3]), *([cover] if cover else [])]
    who = [str(person["id"]), str(person["name"] or ""), str(person["department"] or "")]
    return {"who": Lines(line for line in who if line), "state": Lines(state), **sides}


def _paths(found: Found, conflict: Conflict, duty: Duty) -> list[str]:
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
