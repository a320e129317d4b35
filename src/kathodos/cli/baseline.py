"""`kathodos baseline`: mark a state by name, list the marks, compare two states."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, Any

from kathodos.cli.options import Commands, Formatter, acting, command
from kathodos.cli.session import Session
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field

if TYPE_CHECKING:
    from kathodos.analysis.differences import ReachDifferences
    from kathodos.workspace.view import View

_MOST_SHOWN = 200
_LIST = (
    Field("baseline", "Baseline", 9),
    Field("entry", "Ledger entry", 8, is_number=True),
    Field("marked_at", "Marked at", 7),
    Field("reason", "Reason", 5),
)
_PEOPLE = (
    Field("who", "Who", 9, least=14),
    Field("name", "Name", 6, least=10),
    Field("gained", "Gained", 8, is_number=True),
    Field("lost", "Lost", 8, is_number=True),
    Field("examples", "For example", 5, least=24),
)


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = commands.add_parser(
        "baseline",
        help="mark a state by name, and compare states",
        description="Mark a state of the catalogue by name, list the marks, and compare two states.",
        epilog="example:\n  kathodos baseline mark before-summer\n  kathodos baseline compare before-summer",
        formatter_class=formatter,
    )
    steps = parser.add_subparsers(dest="step", metavar="STEP", required=True)
    marking = command(
        steps,
        "mark",
        common,
        formatter,
        run_mark,
        "give the present state a name",
        "  kathodos baseline mark before-summer --reason 'before the summer review'",
    )
    marking.add_argument("name", metavar="NAME", help="the name; not a number or a date")
    acting(marking)
    command(steps, "list", common, formatter, run_list, "list the baselines", "  kathodos baseline list")
    comparing = command(
        steps,
        "compare",
        common,
        formatter,
        run_compare,
        "say what differs between two states, by kind of record and by person",
        "  kathodos baseline compare before-summer\n  kathodos baseline compare 2026-01-01 2026-06-30 --format json",
    )
    comparing.add_argument("first", metavar="A", help="a baseline, a date, a time or a ledger number")
    comparing.add_argument("second", nargs="?", metavar="B", help="the same (default: the present state)")


def run_mark(session: Session) -> int:
    from kathodos.ledger.baselines import MarkBaseline

    name = session.arguments.name
    entry = session.carry_out(MarkBaseline(name)).result
    hint = f"Later: kathodos baseline compare {name}"
    document = {"baseline": name, "entry": entry}
    return session.answer(Answer(heading=f"{name} is the state after entry {entry}.", hint=hint, document=document))


def run_list(session: Session) -> int:
    from kathodos.model.kinds import BASELINES
    from kathodos.store.records import rows_of

    found = rows_of(session.view.catalogue, BASELINES, *BASELINES.names)
    rows = [dict(zip(BASELINES.names, values, strict=True)) for values in found.values()]
    hint = "Compare with today: kathodos baseline compare NAME" if rows else "Mark one: kathodos baseline mark NAME"
    return session.answer(Answer(_LIST, rows, "" if rows else "There is no baseline yet.", hint=hint))


def run_compare(session: Session) -> int:
    from kathodos.analysis.differences import by_kind
    from kathodos.workspace.comparing import reach_differences

    asked = session.arguments
    first, second = session.view_of(asked.first), session.view_of(asked.second)
    kinds = by_kind(second.histories, first.point.entry, second.point.entry)
    found = reach_differences(first, second)
    text = [f"  {it.kind.name:<18} {it.came} came, {it.changed} changed, {it.went} went" for it in kinds]
    count = len(found) if found is not None else 0
    differing = plural(count, "asker reaches", "askers reach")
    text.append(f"{differing} more or less than before:" if count else "Nobody reaches anything else than before.")
    heading = f"From entry {first.point.entry} to entry {second.point.entry}" + ("" if kinds else ": no record differs")
    hint = "All of it: add --format json" if count else ""
    if session.format == "table":
        rows = [_differing(first, second, found, at) for at in range(min(count, _MOST_SHOWN))]
        more = count - len(rows)
        hint = f"{more} more; all of it: add --format json" if more else hint
        document = None
    else:
        rows = [_differing(first, second, found, at) for at in range(count)] if session.format == "csv" else []
        texts = (
            ((who, *found.texts(at)) for at, who in enumerate(found.askers))
            if found and session.format != "csv"
            else ()
        )
        document = {
            "from": first.point.entry,
            "to": second.point.entry,
            "kinds": [{"kind": it.kind.name, "came": it.came, "changed": it.changed, "went": it.went} for it in kinds],
            "people": [{"who": who, "gained": gained, "lost": lost} for who, gained, lost in texts],
        }
    status = 1 if kinds or count else 0
    return session.answer(Answer(_PEOPLE, rows, heading, text, hint=hint, status=status, document=document))


def _differing(first: View, second: View, found: ReachDifferences | None, at: int) -> dict[str, Any]:
    """One of those whose reach differs, with an example of each."""
    assert found is not None
    who = found.askers[at]
    name = None
    for view in (second, first):
        number = view.index.holders.find(who)
        if name is None and 0 <= number < view.index.holders.people:
            name = view.people([number])[number]["name"]
    gained, lost = found.texts(at)
    examples = [f"+ {text}" for text in gained[:1]] + [f"- {text}" for text in lost[:1]]
    counts = {"gained": int(found.gained[at]), "lost": int(found.lost[at])}
    return {"who": who, "name": name, **counts, "examples": examples}
