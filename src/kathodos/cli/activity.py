"""`kathodos activity`: what logs show of use - last used and how often, by who, action and resource."""

from __future__ import annotations

import argparse

from kathodos.cli.options import Commands, Formatter, as_of, command
from kathodos.cli.session import Session, plural
from kathodos.output.answers import Answer, Field

_FIELDS = (
    Field("who", "Who", 1),
    Field("action", "Action", 3),
    Field("resource", "Resource", 2),
    Field("count", "Times", 5, is_number=True),
    Field("first", "First", 6),
    Field("last", "Last", 4),
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
    from kathodos.catalogue.kinds import ACCOUNTS, ACTIVITY, IDENTITIES
    from kathodos.findings.activity import folded

    asked = session.arguments
    state = session.state((ACTIVITY, ACCOUNTS, IDENTITIES), session.point(asked.as_of).entry)
    accounts = state["accounts"]
    names = ["/".join(key) for key in accounts.record_keys()]
    found = folded(state["activity"], dict(zip(names, accounts["identity"], strict=True)))
    if asked.by:
        wanted = session.resolve(asked.by, state, (IDENTITIES, ACCOUNTS))
        found = [it for it in found if it.who == wanted]
    if asked.on:
        below = asked.on.rstrip("/") + "/"
        found = [it for it in found if it.resource == asked.on or it.resource.startswith(below)]
    since = session.moment(asked.since)
    if since is not None:
        from kathodos.catalogue.moments import first_moment, microseconds

        found = [it for it in found if first_moment(it.last) >= microseconds(since)]
    rows = [vars(it) for it in found]
    heading = f"{plural(len(rows), 'use')} of an action on a resource."
    return session.answer(Answer(_FIELDS, rows, heading, hint="Each event: `kathodos list activity`." if rows else ""))
