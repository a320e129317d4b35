"""`kathodos conflicts`: who holds duties that one person must not hold together."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, Any

from kathodos.cli.options import Commands, Formatter, as_of, assuming, at_time, command
from kathodos.cli.session import Session, plural
from kathodos.errors import CallError
from kathodos.output.answers import Answer, Branch, Field

if TYPE_CHECKING:
    from kathodos.access.index import Index
    from kathodos.catalogue.store import Rows
    from kathodos.findings.conflicts import Conflict
    from kathodos.saved_index import View

_SUMMARY = (
    Field("identity", "Identity", 9),
    Field("name", "Name", 8, least=12),
    Field("department", "Department", 4, least=10),
    Field("critical", "Critical", 7, is_number=True),
    Field("high", "High", 7, is_number=True),
    Field("medium", "Medium", 7, is_number=True),
    Field("low", "Low", 6, is_number=True),
    Field("exercised", "Exercised", 6, is_number=True),
    Field("rules", "Rules", 8, least=10),
)
_STYLES = {"critical": "bold red", "high": "red", "medium": "yellow", "low": ""}


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = command(
        commands,
        "conflicts",
        common,
        formatter,
        run,
        "find who holds duties that must be kept apart, by the rules in rules/*.toml",
        "  kathodos conflicts\n  kathodos conflicts --by p0017        # both sides, and what gives them\n"
        '  kathodos conflicts --topic "Harbour dues" --format csv',
    )
    parser.add_argument("--by", metavar="REF", help="one identity, in detail")
    parser.add_argument("--topic", metavar="TOPIC", help="only the rules of one topic")
    at_time(parser)
    as_of(parser)
    assuming(parser)


def run(session: Session) -> int:
    from kathodos.catalogue.kinds import ACTIVITY, IDENTITIES, RESOURCES
    from kathodos.catalogue.moments import microseconds
    from kathodos.catalogue.records import rows_of
    from kathodos.catalogue.selecting import attribute_columns
    from kathodos.findings.conflicts import find_conflicts

    asked = session.arguments
    point = session.point(asked.as_of)
    at = microseconds(session.moment(asked.at) or point.moment)
    rules = _rules(session)
    view = session.view(point.entry)
    within = {rule.within for rule in rules if rule.within}
    columns = {"resource", *attribute_columns(RESOURCES, within)} if within else ()
    resources = rows_of(view.records, RESOURCES, *columns)
    activity = rows_of(view.records, ACTIVITY, *ACTIVITY.names)
    found = find_conflicts(view.index, rules, resources, activity, at)
    if asked.by is not None:
        identity = session.asker(view, asked.by, (IDENTITIES,))
        return _detail(session, view, resources, identity, [it for it in found if it.identity == identity], at)
    return _summary(session, view, found)


def _rules(session: Session) -> Any:
    from kathodos.catalogue.selecting import nearest
    from kathodos.errors import DataError

    rules, topic = session.rules(), session.arguments.topic
    if not rules.conflicts:
        raise DataError("There is no conflict rule in rules/*.toml.", "Write one; the manual shows how.")
    chosen = [rule for rule in rules.conflicts if topic is None or rule.topic.casefold() == topic.casefold()]
    if not chosen:
        raise CallError(f"No rule is of the topic {topic}.", nearest(topic, rules.topics()))
    return chosen


def _record(index: Index, conflict: Conflict) -> dict[str, Any]:
    return {
        "rule": conflict.rule.id,
        "severity": conflict.rule.severity,
        "identity": index.holders.identities[conflict.identity],
        "duties": [duty.name for duty in conflict.duties],
        "state": conflict.state,
    }


def _summary(session: Session, view: View, found: list[Conflict]) -> int:
    """A count per person and severity; as data, each conflict."""
    status = 1 if found else 0
    if session.format != "table":
        fields = [Field(key, key) for key in ("rule", "severity", "identity", "duties", "state")]
        return session.answer(Answer(fields, [_record(view.index, conflict) for conflict in found], status=status))
    by_person: dict[int, list[Conflict]] = {}
    for conflict in found:
        by_person.setdefault(conflict.identity, []).append(conflict)
    people = view.people(list(by_person))
    rows = []
    for identity, conflicts in by_person.items():
        severities = [conflict.rule.severity for conflict in conflicts]
        rows.append(
            {
                "identity": people[identity]["id"],
                "name": people[identity]["name"],
                "department": people[identity]["department"],
                **{severity: severities.count(severity) or None for severity in _STYLES},
                "exercised": sum(conflict.state != "held" for conflict in conflicts) or None,
                "rules": [conflict.rule.id for conflict in conflicts],
            }
        )
    rows.sort(key=lambda row: ([-(row[severity] or 0) for severity in _STYLES], row["identity"]))
    heading = f"{plural(len(found), 'conflict')} of {plural(len(rows), 'person', 'people')}"
    hint = f"Both sides and their chains: kathodos conflicts --by {rows[0]['identity']}" if rows else ""
    return session.answer(Answer(_SUMMARY, rows, heading, hint=hint, status=status))


def _detail(session: Session, view: View, resources: Rows, identity: int, found: list[Conflict], at: int) -> int:
    """Each conflict of one person, with the chains behind each duty."""
    from kathodos.access.chains import chain_text
    from kathodos.cli.reach import chain_branch, chain_record
    from kathodos.findings.conflicts import chains_of

    index = view.index
    trees, rows = [], []
    for conflict in found:
        sides, behind = [], []
        for duty in conflict.duties:
            given = chains_of(index, resources, conflict, duty, at)
            ways = [
                Branch(
                    f"{it.action} {it.address}" + (f" and {it.more} more the same way" if it.more else ""),
                    [chain_branch(chain) for chain in sorted(it.chains, key=chain_text)[:2]],
                )
                for it in given
            ]
            sides.append(Branch(f"duty: {duty.name}", ways))
            chains = [chain_record(chain) for it in given for chain in it.chains]
            behind.append({"duty": duty.name, "chains": chains})
        rule, where = conflict.rule, [value for value in conflict.values if value is not None]
        within = f", {rule.within} {', '.join(where)}" if where else ""
        records = f" ({', '.join(conflict.records[:5])})" if conflict.records else ""
        head = f"{rule.id} {rule.title} - {rule.severity}, {conflict.state}{records}{within}"
        trees.append(Branch(head, sides, _STYLES[rule.severity]))
        rows.append({**_record(index, conflict), "records": list(conflict.records), "behind": behind})
    name = view.people([identity])[identity]["name"]
    heading = f"identity:{index.holders.identities[identity]} ({name}): {plural(len(found), 'conflict')}"
    who = index.holders.identities[identity]
    hint = f"To settle it: kathodos review open NAME --where 'id eq \"{who}\"' --by-manager --due DATE"
    fields = [Field(key, key) for key in ("rule", "severity", "identity", "duties", "state", "records")]
    return session.answer(
        Answer(
            fields if session.format != "table" else (),
            rows,
            heading,
            trees=trees,
            hint=hint if found else "",
            status=1 if found else 0,
        )
    )
