"""The steps of `kathodos request` that approvers take: grant, deny, ask back, look back on an emergency."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from kathodos.cli.options import Commands, Formatter, acting, command, confirming, long_answer
from kathodos.cli.session import Session
from kathodos.errors import CallError

if TYPE_CHECKING:
    from kathodos.request.records import Less, Request


def add(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    for add_step in (_add_grant, _add_deny, _add_ask_back, _add_look_back):
        add_step(steps, common, formatter)


def _add_grant(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "grant a request that waits for you, all of it or less; its evidence is shown first"
    example = (
        "  kathodos request grant 4 --as p0101\n"
        "  kathodos request grant 4 --until 2026-08-31 --reason 'the season ends' --as p0101\n"
        "  kathodos request grant 4 --without role:berths/planner --on berths:/northmole --as p0101"
    )
    granting = command(steps, "grant", common, formatter, run_grant, what, example)
    granting.add_argument("number", type=int, metavar="NUMBER", help="which request")
    granting.add_argument("--until", metavar="DATE", help="less: an earlier last day")
    granting.add_argument("--on", metavar="SCOPE", help="less: only there, a part of what is asked for")
    without = "less: without this role, permission or group of the kit; again for each"
    granting.add_argument("--without", metavar="WHAT", action="append", default=[], help=without)
    granting.add_argument("--despite", metavar="WHY", help="why it is done although it locks somebody out")
    long_answer(granting)
    acting(granting)
    confirming(granting)


def _add_deny(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "deny a request that waits for you, with the reason"
    example = "  kathodos request deny 4 --reason 'the viewer role is enough' --as p0101"
    denying = command(steps, "deny", common, formatter, run_deny, what, example)
    denying.add_argument("number", type=int, metavar="NUMBER", help="which request")
    acting(denying)


def _add_ask_back(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "ask whoever asked, before it is decided"
    example = "  kathodos request ask-back 4 --say 'Which berths?' --as p0101"
    asking = command(steps, "ask-back", common, formatter, run_ask_back, what, example)
    asking.add_argument("number", type=int, metavar="NUMBER", help="which request")
    asking.add_argument("--say", dest="text", metavar="TEXT", required=True, help="the question")
    acting(asking)


def _add_look_back(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "look back on an emergency, and say whether it was right; where it was wrong, what is left of it ends"
    example = "  kathodos request look-back 6 right --reason 'the crane was stuck, as the log says' --as p0101"
    looking = command(steps, "look-back", common, formatter, run_look_back, what, example)
    looking.add_argument("number", type=int, metavar="NUMBER", help="which request")
    looking.add_argument("verdict", choices=("right", "wrong"), help="what is found")
    acting(looking)


def _less(session: Session, request: Request) -> Less:
    """What it is granted for, where that is less than was asked."""
    from kathodos.model.times import normal_moment
    from kathodos.request.deciding import content_of
    from kathodos.request.records import Less
    from kathodos.workspace.requests import desk_of

    asked, desk = session.arguments, desk_of(session.view)
    try:
        until = normal_moment(asked.until) if asked.until is not None else None
    except ValueError as error:
        raise CallError(f"--until {asked.until} is no day.", f"{str(error).capitalize()}.") from None
    scope = desk.scopes([asked.on])[0] if asked.on is not None else None
    known = content_of(desk.records, request) if asked.without else []
    without = []
    for word in asked.without:
        named = [it for it in known if word in (it.gives, it.gives.partition(":")[2], it.text)]
        if not named:
            names = "; ".join(it.text for it in known)
            raise CallError(f"Request {request.number} does not give {word}.", f"It gives {names}.")
        without += named
    return Less(until, scope, tuple(without))


def run_grant(session: Session) -> int:
    from msgspec.structs import replace

    from kathodos.change.applying import MovedError
    from kathodos.cli.telling import Delivery
    from kathodos.report.notices import of_deciding
    from kathodos.report.requests import before_deciding, decided_request, not_decided
    from kathodos.request.asking import must_be_open
    from kathodos.request.deciding import GRANT, DecideRequest, step_of
    from kathodos.request.records import find_request, steps_of
    from kathodos.workspace.requests import must_reach_no_more, trial

    asked, terms, acting_by = session.arguments, session.workspace.configuration.request_terms, session.workspace.acting
    view = session.view
    while True:
        request = find_request(view.stored, asked.number)
        must_be_open(request)
        steps = steps_of(view.stored, [request.number])[request.number]
        step_of(view.stored, request, steps, session.acts, terms.authority, acting_by)  # who may not sees nothing
        less = _less(session, request)
        must_reach_no_more(view, request, less)
        found = trial(view, request, less, session.acts)
        shown = before_deciding(view, replace(request, less=request.less.and_then(less)), found, session.most)
        if asked.dry_run:
            return session.answer(shown)
        if session.format == "table":
            session.answer(shown)
        against = found.evidence.speaks_against
        operation = DecideRequest(
            request.number, GRANT, terms, acting_by, less, found.rehearsed, against, asked.despite or ""
        )
        if not session.agrees(f"Grant request {request.number}?"):
            return session.answer(not_decided(request, shown.document))
        try:
            done = session.carry_out(operation)
        except MovedError as error:
            view = session.view_of(None)
            if view.point.entry == found.rehearsed.entry:
                raise
            session.complain(f"{error.what} It is looked at again.")
            continue
        told = Delivery(session).tell(of_deciding(view.catalogue, done.result))
        answer = decided_request(done.result, GRANT, done.entry, shown.document)
        return session.answer(replace(answer, text=[*answer.text, *told]))


def run_deny(session: Session) -> int:
    from msgspec.structs import replace

    from kathodos.cli.telling import Delivery
    from kathodos.report.notices import of_deciding
    from kathodos.report.requests import decided_request
    from kathodos.request.deciding import DENY, DecideRequest

    asked, terms = session.arguments, session.workspace.configuration.request_terms
    done = session.carry_out(DecideRequest(asked.number, DENY, terms, session.workspace.acting))
    told = Delivery(session).tell(of_deciding(session.view.catalogue, done.result))
    answer = decided_request(done.result, DENY, done.entry, None)
    return session.answer(replace(answer, text=told))


def run_ask_back(session: Session) -> int:
    from kathodos.cli.request import say_of_request

    return say_of_request(session, "question")


def run_look_back(session: Session) -> int:
    from msgspec.structs import replace

    from kathodos.cli.telling import Delivery
    from kathodos.report.notices import of_look_back
    from kathodos.report.requests import looked_back
    from kathodos.request.emergency import LookBack

    asked, terms = session.arguments, session.workspace.configuration.request_terms
    done = session.carry_out(LookBack(asked.number, asked.verdict, terms, session.workspace.acting)).result
    told = Delivery(session).tell(of_look_back(session.view.catalogue, done))
    answer = looked_back(session.view, done)
    return session.answer(replace(answer, text=[*answer.text, *told]))
