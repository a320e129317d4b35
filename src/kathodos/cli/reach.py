"""`kathodos reach`: who can do what on which resource; any part left open is enumerated."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from kathodos.cli.options import Commands, Formatter, about_state, command
from kathodos.cli.session import Session
from kathodos.errors import CallError, Status

if TYPE_CHECKING:
    from kathodos.report.reach import ReachQuestion


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = command(
        commands,
        "reach",
        common,
        formatter,
        run,
        "ask who can do what on which resource; a part left open is enumerated",
        "  kathodos reach --by p0017 --on dues:/northmole/tariffs/2026 --do edit --trace\n"
        "  kathodos reach --on archive:/board            # who gets in, and through what\n"
        "  kathodos reach --by p0017 --potential         # what it could give itself, step by step\n"
        "  kathodos reach --assume what-if.toml --by p0017   # as if some edits were made\n"
        "  kathodos reach --to everything.parquet        # everything that everyone reaches",
    )
    parser.add_argument("--by", metavar="REF", help="an identity, or an account on its own")
    parser.add_argument("--on", metavar="RESOURCE", help="a resource address, as in dues:/northmole/tariffs")
    parser.add_argument("--do", metavar="ACTION", help="an action, as the resource's system names it")
    about_state(parser)
    shown = parser.add_mutually_exclusive_group()
    shown.add_argument("--trace", action="store_true", help="show the chains, or what stands in the way (by and on)")
    shown.add_argument("--summary", action="store_true", help="count instead of list (by or on)")
    shown.add_argument(
        "--potential", action="store_true", help="what one could reach by using its rights to give itself more (by)"
    )
    shown.add_argument("--to", metavar="FILE", help="write every who, action and resource to a Parquet file")


def run(session: Session) -> int:
    from kathodos.report import reach as report

    asked, is_table, is_csv = session.arguments, session.format == "table", session.format == "csv"
    question = report.reach_question(session.view, asked.by, asked.on, asked.do)
    by, on = question.asker, question.node
    if asked.trace and (by is None or on is None):
        raise CallError("--trace needs --by and --on.", "Name the two; --do may stay open.")
    if asked.potential:
        from kathodos.report.potential import potential

        return session.answer(potential(question, is_table, is_csv))
    if asked.to is not None:
        return _to_file(session, question)
    if asked.summary:
        if (by is None) == (on is None):
            raise CallError("--summary needs either --by or --on.", "Name one of the two.")
        return session.answer(report.extent(question) if by is not None else report.routes(question))
    if by is not None and on is not None:
        return session.answer(report.verdict(question, asked.trace, is_csv))
    if session.format == "jsonl":
        from kathodos.output.answers import show_products

        show_products(report.blocks_of_pairs(question))
        return Status.DONE
    if not is_table:
        return session.answer(report.pairs(question, session.format == "json"))
    if on is not None:
        return session.answer(report.reaching(question))
    return session.answer(report.reached(question) if by is not None else report.reach_counts(question))


def _to_file(session: Session, question: ReachQuestion) -> int:
    """Every who, action and resource, streamed to a Parquet file."""
    from kathodos.output.parquet import write_pairs
    from kathodos.report.reach import numbered_pairs, written

    count = write_pairs(Path(session.arguments.to), numbered_pairs(question))
    return session.answer(written(count, session.arguments.to))
