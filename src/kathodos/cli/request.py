"""`kathodos request`: ask for access, see what it gives and who decides, and what became of it."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from kathodos.cli import request_deciding, request_looking, request_packets, request_running
from kathodos.cli.options import Commands, Formatter, acting, command, confirming
from kathodos.cli.session import Session
from kathodos.errors import CallError

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from kathodos.report.answers import Answer
    from kathodos.request.asking import Ask, Renew, Wish


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = commands.add_parser(
        "request",
        help="ask for access, decide what is asked, see what runs until when and what became of it",
        description="Ask for access for a time, decide what is asked, and see what runs until when.",
        epilog="example:\n  kathodos request ask quay-summer --until 2026-09-30 --reason 'rota of July' --as p0201\n"
        "  kathodos request grant 1 --as p0101     # each step has its own --help",
        formatter_class=formatter,
    )
    steps = parser.add_subparsers(prog=parser.prog, dest="step", metavar="STEP", required=True)
    _add_ask(steps, common, formatter)
    _add_need(steps, common, formatter)
    _add_renew(steps, common, formatter)
    _add_withdraw(steps, common, formatter)
    _add_answer(steps, common, formatter)
    for module in (request_deciding, request_packets, request_running, request_looking):
        module.add(steps, common, formatter)


def _add_ask(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "ask for a kit, a role, a permission or a group, for oneself or somebody else, for a time"
    example = (
        "  kathodos request ask quay-summer --until 2026-09-30 --reason 'rota of July' --as p0201\n"
        "  kathodos request ask role:berths/planner --for p0202 --reason 'stands in' --as p0201\n"
        "  kathodos request ask 'view dues:/northmole/waivers' --reason 'audit of June' --dry-run --as p0063"
    )
    whom = "for whom (default: who asks); or 'Name, mail'"
    asking = command(steps, "ask", common, formatter, run_ask, what, example, whom)
    asking.add_argument("what", metavar="WHAT", help="a kit, role:.., group:.. or 'ACTION RESOURCE'")
    asking.add_argument("--on", metavar="SCOPE", help="only there: an address, a pattern or area:NAME")
    asking.add_argument("--until", metavar="DATE", help="the last day (default: as long as it lasts by itself)")
    said = "what the kit wants to be told; again for each"
    asking.add_argument("--say", dest="says", metavar="NAME=TEXT", action="append", default=[], help=said)
    acting(asking)
    confirming(asking)


def _add_need(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "what somebody would need to do something on a resource, that which gives least besides first"
    example = "  kathodos request need 'view dues:/northmole/waivers' --for p0063"
    needing = command(steps, "need", common, formatter, run_need, what, example, "for whom (default: who asks)")
    needing.add_argument("what", metavar="WHAT", help="'ACTION RESOURCE'")
    acting(needing)


def _add_renew(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "ask that what runs goes on; it is decided anew, and until then ends when it was to end"
    example = "  kathodos request renew 4 --until 2026-12-31 --reason 'the season is longer' --as p0201"
    renewing = command(steps, "renew", common, formatter, run_renew, what, example)
    renewing.add_argument("number", type=int, metavar="NUMBER", help="which request")
    renewing.add_argument("--until", metavar="DATE", help="the last day (default: as long as it lasts by itself)")
    acting(renewing)
    confirming(renewing)


def _add_withdraw(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "take a request back that nobody has decided yet"
    example = "  kathodos request withdraw 4 --reason 'no longer needed' --as p0201"
    withdrawing = command(steps, "withdraw", common, formatter, run_withdraw, what, example)
    withdrawing.add_argument("number", type=int, metavar="NUMBER", help="which request")
    acting(withdrawing)


def _add_answer(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    for name, what, example in (
        ("answer", "answer what was asked back", "  kathodos request answer 4 --say 'Berths 3 to 7.' --as p0201"),
        ("comment", "add a comment, for whoever decides", "  kathodos request comment 4 --say 'By rota.' --as p0201"),
    ):
        saying = command(steps, name, common, formatter, run_say, what, example)
        saying.add_argument("number", type=int, metavar="NUMBER", help="which request")
        saying.add_argument("--say", dest="text", metavar="TEXT", required=True, help="what is said")
        acting(saying)


def said(words: Sequence[str]) -> Mapping[str, str]:
    """What was said as NAME=TEXT. Raises CallError where it is not so."""
    found = {}
    for word in words:
        name, equals, text = word.partition("=")
        if not equals or not name.strip() or not text.strip():
            raise CallError(f"{word!r} says nothing.", "Write it as in --say 'shift=early'.")
        found[name.strip()] = text.strip()
    return found


def _wish(session: Session) -> Wish:
    from kathodos.model.times import normal_moment
    from kathodos.request.asking import Wish

    asked = session.arguments
    try:
        until = normal_moment(asked.until) if asked.until is not None else None
    except ValueError as error:
        raise CallError(f"--until {asked.until} is no day.", f"{str(error).capitalize()}.") from None
    return Wish(asked.what, asked.whom or "", asked.on, until, said(asked.says))


def run_ask(session: Session) -> int:
    from kathodos.request.asking import Ask

    operation = Ask(_wish(session), session.workspace.configuration.request_terms, session.workspace.acting)
    if ":/" in session.arguments.what and session.format == "table":
        _show_nearest(session)
    return _send(session, operation)


def _send(session: Session, operation: Ask | Renew) -> int:
    """Says what a request would be, asks, and sends it."""
    from kathodos.cli.telling import Delivery
    from kathodos.report.notices import of_asking
    from kathodos.report.requests import asking
    from kathodos.workspace.requests import trial

    asked, view = session.arguments, session.view
    _, planned = view.plan(operation, session.said_actor, session.reason)
    found = trial(view, planned.request) if not planned.meant.name else None
    repeat = "Send it: the same without --dry-run" if asked.dry_run else ""
    shown = asking(view, planned, found, repeat, is_sent=False)
    if asked.dry_run:
        return session.answer(shown)
    if session.format == "table":
        session.answer(shown)
    if not session.agrees("Send it?"):
        return 0
    done = session.carry_out(operation)
    told = Delivery(session).tell(of_asking(view.catalogue, done.result))
    hint = f"See how far it is: kathodos request show {done.result.request.number}"
    answer = asking(view, done.result, found, hint, is_sent=True)
    if session.format != "table":
        return session.answer(answer)
    from kathodos.report.answers import Answer

    return session.answer(Answer(heading=answer.heading, text=told, hint=hint))


def _show_nearest(session: Session) -> None:
    """What is asked for is one permission: first the nearest thing that gives it, and nothing more."""
    if "*" not in session.arguments.what and "," not in (session.arguments.whom or "") and not session.acts.is_guest:
        session.answer(_nearest(session, session.arguments.what))


def run_need(session: Session) -> int:
    return session.answer(_nearest(session, session.arguments.what))


def _nearest(session: Session, what: str) -> Answer:
    from kathodos.engine.reach import who_reaches
    from kathodos.model.periods import later
    from kathodos.model.times import now
    from kathodos.report.requests import needed
    from kathodos.workspace.requests import nearest_to

    action, _, address = what.partition(" ")
    if ":/" not in address:
        raise CallError(f"{what} is no action on a resource.", "Write it as in 'view dues:/northmole/waivers'.")
    state = session.view.decided
    node = state.node(address)
    system = state.index.system_of(node).name
    number = state.index.action_number.get((system, action))
    if number is None:
        names = sorted(name for of, name in state.index.actions if of == system)
        raise CallError(f"The system {system} has no action {action}.", f"It has {', '.join(names)}.")
    asker = state.asker(session.arguments.whom or session.acts.is_identity or session.actor)
    holders = state.index.holders
    owner = asker if asker < holders.people else int(holders.owner[asker - holders.people])
    if owner < 0:
        raise CallError(f"{holders.references[asker]} is nobody's account.", "Name a person with --for.")
    person = holders.identities[owner]
    if bool(who_reaches(state.index, node, number, state.moment)[owner]):
        return needed([], person, what, reaches=True)
    until = f"{later(now(), session.workspace.configuration.request_terms.lasts):%Y-%m-%d}"
    return needed(nearest_to(session.view, person, node, number, until), person, what, reaches=False)


def run_renew(session: Session) -> int:
    from kathodos.request.asking import Renew

    asked, terms = session.arguments, session.workspace.configuration.request_terms
    return _send(session, Renew(asked.number, asked.until, terms, session.workspace.acting))


def run_withdraw(session: Session) -> int:
    from kathodos.report.requests import withdrawn
    from kathodos.request.asking import Withdraw

    return session.answer(withdrawn(session.carry_out(Withdraw(session.arguments.number)).result))


def run_say(session: Session) -> int:
    return say_of_request(session, session.arguments.step)


def say_of_request(session: Session, sort: str) -> int:
    """Says something of a request, and tells whoever waits for it."""
    from msgspec.structs import replace

    from kathodos.cli.telling import Delivery
    from kathodos.report.notices import of_remark
    from kathodos.report.requests import remarked
    from kathodos.request.asking import Remark
    from kathodos.request.records import Sort, steps_of, waiting

    asked, terms = session.arguments, session.workspace.configuration.request_terms
    request = session.carry_out(Remark(asked.number, Sort(sort), asked.text, terms)).result
    records = session.view.catalogue
    left = waiting(request, steps_of(records, [request.number])[request.number])
    told = Delivery(session).tell(of_remark(records, request, sort, left))
    answer = remarked(request, sort)
    return session.answer(replace(answer, text=told))
