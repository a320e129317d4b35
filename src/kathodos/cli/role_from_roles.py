"""Steps of `kathodos role` that begin with other roles: combine, split, compare, new."""

from __future__ import annotations

import argparse
from pathlib import Path

from kathodos.cli.changing import desk, take_up
from kathodos.cli.options import Commands, Formatter, collecting, command
from kathodos.cli.session import Session
from kathodos.errors import CallError


def add(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    """Adds the steps."""
    _add_combine(steps, common, formatter)
    _add_split(steps, common, formatter)
    _add_compare(steps, common, formatter)
    _add_new(steps, common, formatter)


def _add_combine(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "put several roles together into one, and keep it so"
    example = (
        "  kathodos role combine berths/plans 'berths/plan-*'\n"
        "  kathodos role combine berths/plans --rebuild      # of what it was combined of, without what these lost"
    )
    parser = command(steps, "combine", common, formatter, run_combine, what, example)
    parser.add_argument("role", metavar="ROLE", help="the role, there already or to be made, as system/name")
    parts = "roles, or patterns over system/name (default: those that it was combined of before)"
    parser.add_argument("parts", nargs="*", metavar="PART", help=parts)
    way = parser.add_mutually_exclusive_group()
    way.add_argument("--rebuild", action="store_true", help="what its parts have lost goes too")
    way.add_argument("--hierarchy", action="store_true", help="make the parts its juniors")
    parser.add_argument("--title", metavar="TEXT", help="what the role is for, where it is new")
    collecting(parser)


def _add_split(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "take a role apart by system, by area, or so that no part by itself breaks a conflict rule"
    example = (
        "  kathodos role split dues/manager --by rule --dry-run\n  kathodos role split dues/manager --by area --replace"
    )
    parser = command(steps, "split", common, formatter, run_split, what, example)
    parser.add_argument("role", metavar="ROLE", help="which role")
    parser.add_argument("--by", choices=("system", "area", "rule"), required=True, help="what tells the parts apart")
    replace = "give whoever holds it all parts in its place, and end it"
    parser.add_argument("--replace", action="store_true", help=replace)
    collecting(parser)


def _add_compare(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "set two roles beside each other by resource, or find those that are nearly the same"
    example = "  kathodos role compare dues/clerk dues/manager\n  kathodos role compare --alike 0.9"
    parser = command(steps, "compare", common, formatter, run_compare, what, example)
    parser.add_argument("roles", nargs="*", metavar="ROLE", help="two roles; one: what is like it; none: all pairs")
    alike = "share of entries in common from which on two are nearly the same (default: 0.8)"
    parser.add_argument("--alike", type=float, metavar="SHARE", default=0.8, help=alike)
    replace = "give whoever holds the second the first in its place, and end the second"
    parser.add_argument("--replace", action="store_true", help=replace)
    collecting(parser)


def _add_new(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "make a role: blank, with some entries, like another one, or from a template"
    example = (
        "  kathodos role new berths/rota --entry 'view berths:/northmole/**' --inactive\n"
        "  kathodos role new berths/eelmouth --template planner.toml --set site=eelmouth"
    )
    parser = command(steps, "new", common, formatter, run_new, what, example)
    parser.add_argument("role", metavar="ROLE", help="the role to be made, as system/name")
    parser.add_argument("--entry", nargs="+", metavar="ENTRY", default=[], help="as in 'view dues:/tariffs/**'")
    parser.add_argument("--like", metavar="ROLE", help="with the entries of this one")
    parser.add_argument("--template", type=Path, metavar="FILE", help="a TOML file with title and entries")
    parser.add_argument(
        "--set", nargs="+", metavar="NAME=VALUE", default=[], help="what names in the template stand for"
    )
    parser.add_argument("--title", metavar="TEXT", help="what the role is for")
    parser.add_argument("--owner", metavar="ID", help="who answers for it")
    parser.add_argument("--inactive", action="store_true", help="make it, but let it give nothing yet")
    collecting(parser)


def run_combine(session: Session) -> int:
    from kathodos.report.shaping.combine import combined
    from kathodos.roles.combine import Combining
    from kathodos.workspace.combining import combined_role

    asked = session.arguments
    way = Combining.REBUILD if asked.rebuild else Combining.HIERARCHY if asked.hierarchy else Combining.MERGE
    found = combined_role(session.view, desk(session), asked.role, asked.parts, way, asked.title)
    return take_up(session, found.made.composition, "combined", combined(found, session.most))


def run_split(session: Session) -> int:
    from kathodos.report.shaping.split import split
    from kathodos.workspace.combining import split_role

    asked = session.arguments
    found = split_role(session.view, desk(session), asked.role, asked.by, asked.replace)
    return take_up(session, found.composition, "split", split(found, session.most))


def run_compare(session: Session) -> int:
    from kathodos.report.shaping.compare import compared, near
    from kathodos.roles.replacing import replaced
    from kathodos.workspace.combining import compared_roles, near_roles

    asked = session.arguments
    if len(asked.roles) != 2:
        if len(asked.roles) > 2 or asked.replace:
            raise CallError("Two roles are compared.", "Name two, one to see which are like it, or none for all pairs.")
        if not 0 < asked.alike <= 1:
            raise CallError(f"--alike {asked.alike} is no share.", "Write it as 0.8.")
        name = asked.roles[0] if asked.roles else None
        return session.answer(
            near(near_roles(session.view, desk(session), name, asked.alike), asked.alike, session.most)
        )
    here = desk(session)
    found = compared_roles(session.view, here, *asked.roles)
    answer = compared(found, session.most)
    if not asked.replace:
        return session.answer(answer)
    return take_up(session, replaced(here, found.second, [found.first]), "compared", answer)


def run_new(session: Session) -> int:
    from kathodos.report.shaping.new import new_role as answer
    from kathodos.workspace.combining import new_role

    asked = session.arguments
    pairs = [it.partition("=") for it in asked.set]
    if not all(name and mark for name, mark, _ in pairs):
        raise CallError("--set names no value.", "Write it as in --set site=northmole")
    values = {name: value for name, _, value in pairs}
    more = (asked.like, asked.template, values, asked.title, asked.owner, not asked.inactive)
    found = new_role(desk(session), asked.role, asked.entry, *more)
    return take_up(session, found.composition, "new role", answer(found, session.most))
