"""The steps of `kathodos request` that only look: list, show, held, status."""

from __future__ import annotations

import argparse

from kathodos.cli.options import Commands, Formatter, acting, as_of, command, long_answer
from kathodos.cli.session import Session

_STATES = ("open", "granted", "denied", "withdrawn", "running", "to end", "ended", "lapsed")


def add(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    _add_list(steps, common, formatter)
    _add_show(steps, common, formatter)
    _add_held(steps, common, formatter)
    _add_status(steps, common, formatter)


def _add_list(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "list requests, the newest first: what I asked, what I decided, what waits for me, or as a filter selects"
    example = (
        "  kathodos request list --mine --as p0201\n"
        "  kathodos request list --mine-to-decide --as p0101\n"
        "  kathodos request list --state open --where 'age gt 7' --format csv"
    )
    listing = command(steps, "list", common, formatter, run_list, what, example)
    listing.add_argument("--state", nargs="+", choices=_STATES, default=[], help="only those in these states")
    listing.add_argument("--mine", action="store_true", help="only what I asked for")
    listing.add_argument("--mine-to-decide", action="store_true", help="only what waits for me")
    listing.add_argument("--decided", action="store_true", help="only what I decided a step of")
    listing.add_argument("--whom", metavar="WHO", help="only what is for this person")
    listing.add_argument("--kit", metavar="KIT", help="only what asks for this kit")
    listing.add_argument("--since", metavar="DATE", help="only what was asked since then")
    listing.add_argument("--where", metavar="FILTER", help="only what this filter over requests selects")
    listing.add_argument("--as", dest="actor", metavar="NAME", help="who I am (else KATHODOS_ACTOR, else the OS user)")
    as_of(listing)
    long_answer(listing)


def _add_show(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "show one request with every step; of one that waits also the evidence"
    example = "  kathodos request show 4"
    showing = command(steps, "show", common, formatter, run_show, what, example)
    showing.add_argument("number", type=int, metavar="NUMBER", help="which request")
    as_of(showing)
    acting(showing)


def _add_held(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "what people have through which request, and who has a kit"
    example = "  kathodos request held --by p0201\n  kathodos request held --kit quay-summer --format csv"
    holding = command(steps, "held", common, formatter, run_held, what, example)
    holding.add_argument("--by", dest="whom", metavar="WHO", help="only what this person has")
    holding.add_argument("--kit", metavar="KIT", help="only what comes by this kit")
    as_of(holding)
    long_answer(holding)


def _add_status(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "count requests by kit and state, with the age of the oldest open one and what ends soon"
    example = "  kathodos request status"
    as_of(command(steps, "status", common, formatter, run_status, what, example))


def run_list(session: Session) -> int:
    from kathodos.model.requests import RequestState
    from kathodos.report.request_lists import RequestChoice, request_list

    asked = session.arguments
    me = session.acts if asked.mine or asked.mine_to_decide or asked.decided else None
    choice = RequestChoice(
        [RequestState(it) for it in asked.state],
        asked.kit,
        me if asked.mine else None,
        me if asked.decided else None,
        me if asked.mine_to_decide else None,
        _whom(session) if asked.whom is not None else None,
        asked.since,
        asked.where,
    )
    return session.answer(request_list(session.view, choice, session.most, session.format))


def _whom(session: Session) -> str:
    """The id of the person who is meant, or the mail of somebody who is not in the catalogue."""
    from kathodos.errors import CallError
    from kathodos.model.kinds import IDENTITIES, REQUESTS
    from kathodos.store.naming import resolved

    records, text = session.view.catalogue, session.arguments.whom
    try:
        return resolved(records, text, (IDENTITIES,)).removeprefix("identity:")
    except CallError:
        if records.column(REQUESTS, "whom").holding(text.casefold()).any():
            return str(text.casefold())
        raise


def run_show(session: Session) -> int:
    from kathodos.errors import CallError
    from kathodos.model.requests import RequestState
    from kathodos.report.request_lists import request_shown
    from kathodos.request.records import find_request
    from kathodos.workspace.requests import trial

    view, number = session.view, session.arguments.number
    request = find_request(view.catalogue, number)
    found = None
    if request.state == RequestState.OPEN and session.arguments.as_of is None:
        try:
            found = trial(view, request)
        except CallError as error:  # it can no longer be given, which is worth knowing
            session.complain(f"It could not be given now: {error.what}")
    return session.answer(request_shown(view, number, found))


def run_held(session: Session) -> int:
    from kathodos.report.request_lists import held_through
    from kathodos.request.kits import find_kit

    asked, view = session.arguments, session.view
    whom = _whom(session) if asked.whom is not None else None
    kit = find_kit(view.catalogue, asked.kit).name if asked.kit is not None else None
    return session.answer(held_through(view, whom, kit, session.most, session.format))


def run_status(session: Session) -> int:
    from kathodos.model.periods import later
    from kathodos.model.times import microseconds, now
    from kathodos.report.request_lists import request_status

    soon = microseconds(later(now(), session.workspace.configuration.request_terms.tell_before))
    return session.answer(request_status(session.view, soon))
