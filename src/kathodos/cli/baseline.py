"""`kathodos baseline`: mark a state by name, list the marks, compare two states."""

from __future__ import annotations

import argparse
from typing import Any

from kathodos.cli.options import Commands, Formatter, acting, command
from kathodos.cli.session import Session, plural
from kathodos.errors import CallError
from kathodos.output.answers import Answer, Field

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
    from kathodos.ledger.entries import writing
    from kathodos.model.kinds import BASELINES
    from kathodos.model.times import normal_moment, time_text
    from kathodos.store.tables import latest, read_rows

    name = session.arguments.name
    is_moment = True
    try:
        normal_moment(name)
    except ValueError:
        is_moment = False
    if name.isdecimal() or is_moment or not name.strip():
        raise CallError(f"{name!r} cannot name a baseline: it would be read as a number or a date.", "Use a word.")
    with writing(
        session.workspace.store, session.workspace.keys, "baseline mark", session.actor, session.reason
    ) as draft:
        if name in read_rows(draft.connection, BASELINES)["baseline"]:
            raise CallError(f"There is a baseline {name} already.", "Give this one another name.")
        entry = latest(draft.connection)
        draft.open_rows(BASELINES, [(name, entry, time_text(draft.time), session.reason or None)])
        draft.subjects.append(f"baseline:{name}")
        draft.payload |= {"baseline": name, "entry": entry}
    hint = f"Later: kathodos baseline compare {name}"
    document = {"baseline": name, "entry": entry}
    return session.answer(Answer(heading=f"{name} is the state after entry {entry}.", hint=hint, document=document))


def run_list(session: Session) -> int:
    from kathodos.model.kinds import BASELINES

    found = session.state([BASELINES])["baselines"]
    rows = [dict(zip(BASELINES.names, values, strict=True)) for values in found.values()]
    hint = "Compare with today: kathodos baseline compare NAME" if rows else "Mark one: kathodos baseline mark NAME"
    return session.answer(Answer(_LIST, rows, "" if rows else "There is no baseline yet.", hint=hint))


def run_compare(session: Session) -> int:
    from kathodos.analysis.differences import by_asker, by_kind
    from kathodos.model.kinds import GATHERED
    from kathodos.model.times import microseconds
    from kathodos.store.tables import latest, read_state

    asked = session.arguments
    points = [session.point(asked.first), session.point(asked.second)]
    with session.workspace.store.connect() as connection:
        numbers = [point.entry if point.entry is not None else latest(connection) for point in points]
        states = [read_state(connection, GATHERED, number) for number in numbers]
    kinds = by_kind(*states)
    before, after = (session.index(state) for state in states)
    first_at, second_at = (microseconds(point.moment) for point in points)
    askers = list(by_asker(before, after, first_at, second_at))
    names: dict[str, Any] = {}
    for state in states:
        people = state["identities"]
        names |= {f"identity:{name}": shown for name, shown in zip(people["id"], people["name"], strict=True)}
    people_rows = [
        {
            "who": asker.reference,
            "name": names.get(asker.reference),
            "gained": len(asker.gained),
            "lost": len(asker.lost),
            "examples": [f"+ {text}" for text in asker.gained[:1]] + [f"- {text}" for text in asker.lost[:1]],
        }
        for asker in sorted(askers, key=lambda asker: -len(asker.gained) - len(asker.lost))
    ]
    text = [f"  {it.kind.name:<18} {it.came} came, {it.changed} changed, {it.went} went" for it in kinds]
    differing = plural(len(askers), "asker reaches", "askers reach")
    text.append(f"{differing} more or less than before:" if askers else "Nobody reaches anything else than before.")
    heading = f"From entry {numbers[0]} to entry {numbers[1]}" + ("" if kinds else ": no record differs")
    document = {
        "from": numbers[0],
        "to": numbers[1],
        "kinds": [{"kind": it.kind.name, "came": it.came, "changed": it.changed, "went": it.went} for it in kinds],
        "people": [{"who": it.reference, "gained": it.gained, "lost": it.lost} for it in askers],
    }
    hint = "All of it: add --format json" if askers else ""
    is_different = bool(kinds or askers)
    return session.answer(
        Answer(_PEOPLE, people_rows, heading, text, hint=hint, status=int(is_different), document=document)
    )
