"""Steps of `kathodos role` that begin with what was used: distil, against, companions."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from kathodos.cli.changing import desk, take_up
from kathodos.cli.options import Commands, Formatter, collecting, command
from kathodos.cli.session import Session
from kathodos.errors import CallError

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from kathodos.workspace.recordings import Traced

_LIFTING = "resources beside each other, used in the same way, from which on a pattern is made of them (default: none)"


def add(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    """Adds the steps."""
    _add_distil(steps, common, formatter)
    _add_against(steps, common, formatter)
    _add_companions(steps, common, formatter)


def _tracing(parser: argparse.ArgumentParser) -> None:
    """The options that say what a trace is of."""
    files = "a file that records the task; several are several traces (default: gathered activity)"
    parser.add_argument("--trace", nargs="+", type=Path, metavar="FILE", default=[], help=files)
    parser.add_argument("--like", metavar="SOURCE", help="read the files as this source's logs are read")
    parser.add_argument("--by", metavar="REF", help="only what this identity or account did")
    parser.add_argument("--on", metavar="RESOURCE", help="only on this resource and what lies below it")
    parser.add_argument("--since", metavar="TIME", help="only from this day or moment on")
    parser.add_argument("--until", metavar="TIME", help="only to this day (included) or moment")
    parser.add_argument("--record", metavar="ID", help="only what names this record")
    parser.add_argument("--task", metavar="NAME", help="only what was done in this task")


def reading(parser: argparse.ArgumentParser) -> None:
    """The option that says with which action a system is read."""
    what = "with which action a system is read, where that cannot be told: SYSTEM=ACTION"
    parser.add_argument("--read", nargs="+", metavar="SYSTEM=ACTION", default=[], help=what)


def _add_distil(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "make a role of exactly what was used, and of the reads that its writing needs"
    example = (
        "  kathodos role distil berths/morning --by p0201 --since 2026-06-01T06:00:00Z --until 2026-06-01\n"
        "  kathodos role distil berths/morning --trace monday.csv tuesday.csv --in 2 --lift 3 --into morning"
    )
    parser = command(steps, "distil", common, formatter, run_distil, what, example)
    parser.add_argument("role", metavar="ROLE", help="system/name, or a name for one role in each system touched")
    _tracing(parser)
    split = "make several traces of gathered activity"
    parser.add_argument("--each", choices=("day", "person", "record", "task"), help=split)
    noise = "uses below which an entry is noise, and is left out (default: 1)"
    parser.add_argument("--at-least", type=int, metavar="N", default=1, help=noise)
    traces = "traces in which an entry has to be: a number, or `all` (default: 1)"
    parser.add_argument("--in", dest="in_traces", metavar="N", default="1", help=traces)
    parser.add_argument("--lift", type=int, metavar="N", default=0, help=_LIFTING)
    pattern = "take up all that was used and fits this pattern as one entry"
    parser.add_argument("--pattern", nargs="+", metavar="PATTERN", default=[], help=pattern)
    without = "leave out entries like these, as in 'view archive:/*'"
    parser.add_argument("--without", nargs="+", metavar="ENTRY", default=[], help=without)
    depth = "how many references companions follow: a number, or `all`; 0 leaves them out (default: 1)"
    parser.add_argument("--companions", metavar="DEPTH", default="1", help=depth)
    reading(parser)
    parser.add_argument("--exactly", action="store_true", help="end what the role has beside that")
    parser.add_argument("--title", metavar="TEXT", help="what the role is for, where it is new")
    parser.add_argument("--owner", metavar="ID", help="who answers for it, where it is new")
    parser.add_argument("--inactive", action="store_true", help="make it, but let it give nothing yet")
    collecting(parser)


def _add_against(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "hold a trace against a role: what it lacks, what of it was not used, what was"
    example = (
        "  kathodos role against berths/planner --trace failed.csv\n"
        "  kathodos role against berths/planner --by p0201 --since 2026-06-01 --add --into planner"
    )
    parser = command(steps, "against", common, formatter, run_against, what, example)
    parser.add_argument("role", metavar="ROLE", help="which role")
    _tracing(parser)
    parser.add_argument("--add", action="store_true", help="give the role what it lacks")
    collecting(parser)


def _add_companions(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "find the reads that roles need because of what they write, and add them"
    example = "  kathodos role companions berths/planner --dry-run\n  kathodos role companions 'supplier/*' --depth 2"
    parser = command(steps, "companions", common, formatter, run_companions, what, example)
    parser.add_argument("roles", nargs="+", metavar="ROLE", help="roles, or patterns over system/name")
    parser.add_argument("--entry", nargs="+", metavar="ENTRY", default=[], help="only what entries like these need")
    parser.add_argument("--depth", metavar="N", default="1", help="how many references are followed, or `all`")
    parser.add_argument("--without", nargs="+", metavar="ENTRY", default=[], help="leave out companions like these")
    reading(parser)
    collecting(parser)


def run_distil(session: Session) -> int:
    from kathodos.model.words import plural
    from kathodos.report.shaping.distil import distilled_roles
    from kathodos.roles.distil import DistilTerms
    from kathodos.workspace.shaping import RoleTerms, distil_roles

    asked = session.arguments
    traced = _traced(session, asked.each)
    in_traces = len(traced.traces) if asked.in_traces == "all" else _number(asked.in_traces, "--in")
    if in_traces > len(traced.traces):
        what = plural(len(traced.traces), "trace")
        raise CallError(
            f"An entry cannot be in {in_traces} of {what}.", "Name more files, or split gathered activity with --each."
        )
    terms = DistilTerms(asked.at_least, in_traces, asked.lift, asked.pattern, asked.without)
    depth = depth_of(asked.companions, "--companions")
    of_roles = RoleTerms(asked.title, asked.owner, not asked.inactive, asked.exactly, depth, reads_of(asked.read))
    found = distil_roles(session.view, desk(session), asked.role, traced, terms, of_roles)
    return take_up(session, found.composition, "distilled", distilled_roles(found, traced, session.most))


def run_against(session: Session) -> int:
    from kathodos.report.shaping.against import against
    from kathodos.workspace.shaping import role_against

    traced = _traced(session, None)
    found = role_against(session.view, desk(session), session.arguments.role, traced)
    answer = against(found, traced, session.most)
    if not session.arguments.add:
        return session.answer(answer)
    return take_up(session, found.composition, "used and missing", answer)


def run_companions(session: Session) -> int:
    from kathodos.report.shaping.companions import companions
    from kathodos.workspace.shaping import companions_of_roles

    asked = session.arguments
    depth = depth_of(asked.depth, "--depth")
    found = companions_of_roles(
        session.view, desk(session), asked.roles, asked.entry, depth, asked.without, reads_of(asked.read)
    )
    return take_up(session, found.composition, "companions", companions(found, session.most))


def _traced(session: Session, each: str | None) -> Traced:
    """The trace that a call asks about."""
    from kathodos.model.times import BEGINNING, NEVER, end_moment, first_moment, normal_moment
    from kathodos.roles.uses import SplitBy
    from kathodos.workspace.recordings import Chosen, gathered_trace, recorded_trace

    asked = session.arguments

    def moment(text: str | None, option: str, is_end: bool) -> int:
        if text is None:
            return NEVER if is_end else BEGINNING
        try:
            kept = normal_moment(text)
        except ValueError as error:
            raise CallError(f"{option} {text} is no moment.", f"{error}.") from None
        return end_moment(kept) if is_end else first_moment(kept)

    first, end = moment(asked.since, "--since", False), moment(asked.until, "--until", True)
    chosen = Chosen(asked.by, first, end, asked.on, asked.record, asked.task)
    if not asked.trace:
        if asked.like is not None:
            raise CallError("--like says how files are read.", "Name them: --trace FILE")
        return gathered_trace(session.view, chosen, SplitBy(each) if each else None)
    if each is not None:
        raise CallError("--each makes several traces of gathered activity.", "Leave it out: each file is a trace.")
    source = session.workspace.source(asked.like) if asked.like is not None else None
    return recorded_trace(session.view, asked.trace, source, chosen)


def depth_of(text: str, option: str) -> int:
    """How many references are followed."""
    from kathodos.roles.companions import EVERY_DEPTH

    return EVERY_DEPTH if text == "all" else _number(text, option)


def _number(text: str, option: str) -> int:
    if not (text.isascii() and text.isdecimal()) or len(text) > 6:
        raise CallError(f"{option} {text} is neither a number nor `all`.", "Write one of them.")
    return int(text)


def reads_of(texts: Sequence[str]) -> Mapping[str, str]:
    """With which action each system is read, as `SYSTEM=ACTION` says. Raises CallError."""
    pairs = [it.partition("=") for it in texts]
    for text, pair in zip(texts, pairs, strict=True):
        if not all(pair):
            raise CallError(f"--read {text} names no system and action.", "Write it as in --read berths=view")
    return {system: action for system, _, action in pairs}
