"""Steps of `kathodos role` about grids: grid, fill."""

from __future__ import annotations

import argparse
from pathlib import Path

from kathodos.cli.changing import desk, take_up
from kathodos.cli.options import Commands, Formatter, collecting, command, long_answer
from kathodos.cli.session import Session
from kathodos.errors import CallError


def add(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    """Adds the steps."""
    what = "show roles by areas for some people as a table, and write it as one to fill"
    example = (
        "  kathodos role grid --who p0201 p0202 --areas area:northmole area:eelmouth --roles 'berths/*'\n"
        "  kathodos role grid --where 'title eq \"Berth planner\"' --roles 'berths/*' --out grid.xlsx"
    )
    parser = command(steps, "grid", common, formatter, run_grid, what, example)
    parser.add_argument("--who", nargs="+", metavar="WHO", default=[], help="people")
    parser.add_argument("--where", metavar="FILTER", help="also the people that this filter selects")
    areas = "areas, addresses or patterns, beside everywhere (default: everywhere alone)"
    parser.add_argument("--areas", nargs="+", metavar="SCOPE", default=[], help=areas)
    roles = "roles, or patterns over system/name (default: all that they hold)"
    parser.add_argument("--roles", nargs="+", metavar="ROLE", default=[], help=roles)
    parser.add_argument("--out", metavar="FILE", help="write it as a table to fill: .csv or .xlsx")
    long_answer(parser)
    what = "take a grid that was filled: roles come where an x was put, and end where one was taken out"
    parser = command(steps, "fill", common, formatter, run_fill, what, "  kathodos role fill grid.xlsx --into rota")
    parser.add_argument("file", type=Path, metavar="FILE", help="a grid that was written with --out")
    collecting(parser)


def run_grid(session: Session) -> int:
    from kathodos.output.files import write_all_new
    from kathodos.output.grids import grid_file
    from kathodos.report.shaping.grid import grid, table_of
    from kathodos.workspace.grids import grid_for

    asked, here = session.arguments, desk(session)
    found = grid_for(session.view, here, _people(session), asked.areas, asked.roles)
    if asked.out:
        file = Path(asked.out)
        write_all_new(file.parent, {file.name: grid_file(file.name, table_of(found))})
    return session.answer(grid(found, session.most, asked.out, session.format == "table"))


def run_fill(session: Session) -> int:
    from kathodos.report.shaping.grid import filled
    from kathodos.workspace.grids import entry_of, filled_grid, header_of

    asked = session.arguments
    entry = entry_of(header_of(asked.file))
    before = session.view_of(str(entry)) if entry is not None else None
    found = filled_grid(session.view, desk(session), asked.file, before)
    return take_up(session, found.composition, "grid", filled(found, str(asked.file), session.most))


def _people(session: Session) -> list[str]:
    """The people that are named, and those that a filter selects. Raises CallError where there is none."""
    from kathodos.model.kinds import IDENTITIES

    asked, view = session.arguments, session.view
    people = desk(session).holders(asked.who, (IDENTITIES,), with_everyone=False) if asked.who else []
    if asked.where is not None:
        selected = (view.index.holders.references[it] for it in view.askers_selected(asked.where).tolist())
        people += [it for it in selected if it.startswith("identity:")]
    if not people:
        raise CallError("Nobody is named.", "Name people with --who, or select them with --where FILTER.")
    return list(dict.fromkeys(people))
