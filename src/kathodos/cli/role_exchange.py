"""Steps of `kathodos role` that move roles between installations: export, plan, take."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from msgspec.structs import replace

from kathodos.cli.changing import desk, take_up
from kathodos.cli.options import Commands, Formatter, acting, collecting, command, long_answer
from kathodos.cli.role_from_use import depth_of, reading, reads_of
from kathodos.cli.session import Session
from kathodos.errors import CallError

if TYPE_CHECKING:
    from kathodos.analysis.role_entries import RoleKey
    from kathodos.change.composition import Desk
    from kathodos.roles.exchange import ExchangeFile
    from kathodos.roles.planning import Choice, ExchangePlan


def add(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    """Adds the steps."""
    _add_export(steps, common, formatter)
    _add_plan(steps, common, formatter)
    _add_take(steps, common, formatter)


def _add_export(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "write roles with all they need to a signed file for another installation"
    example = "  kathodos role export 'berths-trial/*' --to roles.json"
    parser = command(steps, "export", common, formatter, run_export, what, example)
    parser.add_argument("roles", nargs="+", metavar="ROLE", help="roles, or patterns over system/name")
    parser.add_argument("--to", required=True, metavar="FILE", help="the file, which must not be there yet")
    depth = "how many references the companions that they lack follow: a number, or `all`; 0 for none (default: 1)"
    parser.add_argument("--companions", metavar="DEPTH", default="1", help=depth)
    reading(parser)
    acting(parser)


def _of_file(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("file", type=Path, metavar="FILE", help="a file that `role export` wrote")
    rename = "a system, or the beginning of addresses, that is called otherwise here"
    parser.add_argument("--rename", nargs="+", metavar="OLD=NEW", default=[], help=rename)


def _add_plan(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "see what taking in a file of roles would do, role by role"
    example = (
        "  kathodos role plan roles.json --rename berths-trial=berths\n"
        "  kathodos role plan roles.json --rename berths-trial=berths --answers answers.toml"
    )
    parser = command(steps, "plan", common, formatter, run_plan, what, example)
    _of_file(parser)
    parser.add_argument("--answers", metavar="NEW", help="also write a file in which each role can be answered")
    long_answer(parser)


def _add_take(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "take in a file of roles, by what is chosen for each, as one change"
    example = (
        "  kathodos role take roles.json --rename berths-trial=berths --answers answers.toml --yes\n"
        "  kathodos role take roles.json --rename berths-trial=berths --different unite --leave berths/clerk"
    )
    parser = command(steps, "take", common, formatter, run_take, what, example)
    _of_file(parser)
    parser.add_argument("--answers", type=Path, metavar="FILE", help="what was answered for each role")
    different = "what becomes of the roles that are different here and are not answered for"
    parser.add_argument("--different", choices=("unite", "replace", "leave"), help=different)
    parser.add_argument(
        "--leave", nargs="+", metavar="ROLE", default=[], help="roles that are left, as they are called here"
    )
    parser.add_argument("--with-companions", action="store_true", help="also the companions that the roles lack")
    parser.add_argument("--trust", metavar="KEY", help="the fingerprint of a key that is not known here")
    collecting(parser)


def run_export(session: Session) -> int:
    from kathodos.output.files import write_new
    from kathodos.report.shaping.exchange import exported as answer
    from kathodos.workspace.exchanging import exchange_text, exported

    asked = session.arguments
    depth = depth_of(asked.companions, "--companions")
    content = exported(session.view, desk(session), asked.roles, session.actor, depth, reads_of(asked.read))
    write_new(asked.to, exchange_text(session.workspace, content))
    return session.answer(answer(content, asked.to, session.workspace.keys.fingerprint()))


def run_plan(session: Session) -> int:
    from kathodos.output.files import write_new
    from kathodos.report.shaping.exchange import planned
    from kathodos.workspace.exchanging import answers_text, is_known

    asked = session.arguments
    found, plan = _planned(session, desk(session))
    if asked.answers:
        write_new(asked.answers, answers_text(plan, asked.file.name))
    known = is_known(session.workspace, found)
    return session.answer(planned(plan, found, known, str(asked.file), asked.rename, session.most))


def run_take(session: Session) -> int:
    from kathodos.change.applying import EXCHANGE
    from kathodos.report.shaping.exchange import planned
    from kathodos.roles.planning import taken
    from kathodos.workspace.exchanging import is_known

    asked, here = session.arguments, desk(session)
    found, plan = _planned(session, here)
    known = is_known(session.workspace, found)
    answer = replace(planned(plan, found, known, str(asked.file), asked.rename, session.most), hint="")
    _must_be_trusted(session, found, known)
    composition = taken(here, plan, _choices(session, plan), asked.with_companions)
    return take_up(session, composition, EXCHANGE, answer)


def _planned(session: Session, here: Desk) -> tuple[ExchangeFile, ExchangePlan]:
    from kathodos.workspace.exchanging import exchange_plan, read_file, rename_pairs

    asked = session.arguments
    found = read_file(asked.file)
    return found, exchange_plan(session.view, here, found, rename_pairs(asked.rename))


def _must_be_trusted(session: Session, found: ExchangeFile, is_known: bool) -> None:
    """Raises CallError where a file is signed with a key that nobody here knows, unless that is said to be right."""
    trusted = session.arguments.trust
    if is_known or trusted == found.fingerprint:
        return
    what = f"The file is signed with the key {found.fingerprint}, which is not known here."
    if trusted is None and session.choice(f"{what} Take it all the same?", ("yes", "no")) == "yes":
        return
    remedy = f"Ask who made it for its fingerprint. If it is that: --trust {found.fingerprint}, or [exchange] keys."
    raise CallError(what, remedy)


def _choices(session: Session, plan: ExchangePlan) -> dict[RoleKey, Choice]:
    """What becomes of each role: as a file answers, as options say, or as the person at the terminal does."""
    from kathodos.analysis.role_entries import RoleKey
    from kathodos.report.shaping.exchange import differences
    from kathodos.roles.planning import Choice, RoleState
    from kathodos.workspace.exchanging import read_answers

    asked = session.arguments
    choices = read_answers(asked.answers, plan) if asked.answers else {}
    known = {it.key for it in plan.roles}
    for name in asked.leave:
        system, _, role = name.removeprefix("role:").partition("/")
        key = RoleKey(system, role)
        if key not in known:
            raise CallError(f"The file brings no role {name}.", "Write it as the plan calls it.")
        choices[key] = Choice.LEAVE
    for it in plan.of_state(RoleState.DIFFERENT):
        if it.key not in choices:
            said = asked.different
            if said is None:
                question = f"{it.key.reference}: {'; '.join(differences(it))}."
                said = session.choice(question, [str(choice) for choice in it.choices])
            if said is not None:
                choices[it.key] = Choice(said)
    return choices
