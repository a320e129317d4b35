"""`kathodos activity`: what logs show of use - last used and how often, by who, action and resource."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from typing import TYPE_CHECKING

from kathodos.cli.options import Commands, Formatter, as_of, command
from kathodos.cli.session import Session, plural
from kathodos.errors import CallError
from kathodos.output.answers import Answer, Field

if TYPE_CHECKING:
    from kathodos.analysis.activity import Folded
    from kathodos.model.rows import State

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
    from kathodos.analysis.activity import folded
    from kathodos.model.kinds import ACCOUNTS, ACTIVITY, IDENTITIES, RESOURCES
    from kathodos.model.times import BEGINNING, microseconds

    asked = session.arguments
    state = session.state((ACTIVITY, ACCOUNTS, IDENTITIES, RESOURCES), session.point(asked.as_of).entry)
    accounts = state["accounts"]
    names = ["/".join(key) for key in accounts.record_keys()]
    since = session.moment(asked.since, "--since")
    owners = dict(zip(names, accounts["identity"], strict=True))
    found = folded(state["activity"], owners, BEGINNING if since is None else microseconds(since))
    if asked.by:
        wanted = session.resolve(asked.by, state, (IDENTITIES, ACCOUNTS))
        found = [it for it in found if it.who == wanted]
    if asked.on:
        begin = _above(asked.on, state, found)
        found = [it for it in found if f"{it.resource}/".startswith(begin)]
    rows = [vars(it) for it in found]
    heading = f"{plural(len(rows), 'use')} of an action on a resource."
    return session.answer(Answer(_FIELDS, rows, heading, hint="Each event: `kathodos list activity`." if rows else ""))


def _above(text: str, state: State, found: Sequence[Folded]) -> str:
    """What the addresses at and below a resource begin with. Raises CallError where there is nothing there."""
    from kathodos.model.addresses import parse_address
    from kathodos.model.suggestions import nearest

    known = {*state["resources"]["resource"], *(it.resource for it in found)}
    try:
        begin = f"{parse_address(text)}/".replace("//", "/")
    except ValueError as error:
        raise CallError(f"--on {text} is no resource: {error}.", nearest(text, sorted(known))) from None
    if not any(f"{address}/".startswith(begin) for address in known):
        raise CallError(f"There is no resource {text}.", nearest(text, sorted(known)))
    return begin
