"""`kathodos activity`: what logs show of use - last used and how often, by who, action and resource."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from kathodos.cli.options import Commands, Formatter, as_of, command
from kathodos.cli.session import Session
from kathodos.errors import CallError
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field

if TYPE_CHECKING:
    from kathodos.analysis.activity import Activity
    from kathodos.columns.csr import Bools
    from kathodos.workspace.view import View

_FIELDS = (
    Field("who", "Who", 9, least=14),
    Field("action", "Action", 6, least=8),
    Field("resource", "Resource", 9, least=18),
    Field("count", "Times", 5, is_number=True),
    Field("first", "First", 4, least=20),
    Field("last", "Last", 8, least=20),
)


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = command(
        commands,
        "activity",
        common,
        formatter,
        run,
        "show who used what, how often and when last",
        "  kathodos activity --by p0063\n  kathodos activity --on dues:/northmole --since 2026-05-01",
    )
    parser.add_argument("--by", metavar="REF", help="only this identity or account")
    parser.add_argument("--on", metavar="RESOURCE", help="only this resource and what lies below it")
    parser.add_argument("--since", metavar="DATE", help="only use from this day on")
    as_of(parser)


def run(session: Session) -> int:
    import numpy as np

    from kathodos.analysis.activity import Activity
    from kathodos.model.times import microseconds
    from kathodos.workspace.points import moment_in

    asked, view = session.arguments, session.view
    activity = Activity(view.catalogue, view.index.holders)
    since = moment_in(asked.since, "--since")
    chosen = np.ones(len(activity.who), dtype=bool)
    if since is not None:
        chosen &= activity.since(microseconds(since))
    if asked.by:
        chosen &= activity.who == view.asker(asked.by)
    if asked.on:
        chosen &= _below(view, activity, asked.on)
    rows = [vars(it) for it in activity.folded(chosen)]
    heading = f"{plural(len(rows), 'use')} of an action on a resource."
    return session.answer(Answer(_FIELDS, rows, heading, hint="Each event: `kathodos list activity`." if rows else ""))


def _below(view: View, activity: Activity, text: str) -> Bools:
    """The uses of a resource and what lies below. Raises CallError where there is no such resource and no use of it."""
    from kathodos.model.addresses import parse_address
    from kathodos.model.suggestions import nearest

    try:
        address = parse_address(text)
    except ValueError as error:
        raise CallError(f"--on {text} is no resource: {error}.", nearest(text, view.index.tree.addresses)) from None
    found = activity.below(f"{address}/".replace("//", "/"))
    if view.index.tree.node(address) < 0 and not found.any():
        raise CallError(f"There is no resource {text}.", nearest(text, view.index.tree.addresses))
    return found
