"""The steps of `kathodos request` about what runs: return, take-out, break-glass, and what the day brings."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from kathodos.cli.options import Commands, Formatter, acting, command, confirming
from kathodos.cli.session import Session
from kathodos.errors import CallError

if TYPE_CHECKING:
    from collections.abc import Sequence

    from kathodos.request.ending import EndRequests


def add(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    for add_step in (_add_return, _add_take_out, _add_tend, _add_break_glass):
        add_step(steps, common, formatter)


def _add_return(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "give back early what a request gave; what else gives it stays"
    example = "  kathodos request return 4 --reason 'back at the pilots' --as p0201"
    returning = command(steps, "return", common, formatter, run_return, what, example)
    returning.add_argument("numbers", nargs="+", type=int, metavar="NUMBER", help="which requests")
    acting(returning)
    confirming(returning)


def _add_take_out(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "take people out of a kit: all that it gave them goes, except what else gives it"
    example = "  kathodos request take-out quay-summer --from p0201 --reason 'moved to pilotage' --as p0101"
    taking = command(steps, "take-out", common, formatter, run_take_out, what, example)
    taking.add_argument("kit", metavar="KIT", help="which kit")
    taking.add_argument("--from", dest="people", nargs="+", metavar="WHO", required=True, help="which people")
    acting(taking)
    confirming(taking)


def _add_tend(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "do what is due, daily: end what has run out, pass on what is late, let lapse what nobody decides"
    example = "  kathodos request tend --yes"
    tending = command(steps, "tend", common, formatter, run_tend, what, example)
    acting(tending)
    confirming(tending)


def _add_break_glass(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "take a kit in an emergency: it is given at once for hours, loudly told, and looked back on by somebody else"
    example = "  kathodos request break-glass crane-emergency --reason 'crane 4 is stuck over a ship' --as p0110"
    whom = "for whom (default: who asks)"
    breaking = command(steps, "break-glass", common, formatter, run_break_glass, what, example, whom)
    breaking.add_argument("kit", metavar="KIT", help="which kit; `kathodos kit list` says which are given so")
    acting(breaking)
    confirming(breaking)


def run_return(session: Session) -> int:
    return _end(session, session.arguments.numbers)


def run_take_out(session: Session) -> int:
    from kathodos.model.kinds import IDENTITIES
    from kathodos.request.kit_changes import running_of
    from kathodos.request.kits import find_kit
    from kathodos.store.naming import resolved

    asked, records = session.arguments, session.view.catalogue
    kit = find_kit(records, asked.kit)
    people = [resolved(records, it, (IDENTITIES,)).removeprefix("identity:") for it in asked.people]
    running = [it for it in running_of(records, kit.name) if it.whom in people]
    without = sorted({*people} - {it.whom for it in running})
    if without:
        what = f"{', '.join(without)} {'has' if len(without) == 1 else 'have'} no {kit.name} by a request."
        raise CallError(what, f"Who does: kathodos request held --kit {kit.name}")
    return _end(session, [it.number for it in running])


def _end(session: Session, numbers: Sequence[int]) -> int:
    from msgspec.structs import replace

    from kathodos.cli.telling import Delivery
    from kathodos.report.notices import of_ending
    from kathodos.report.requests import ended

    operation = _ending(session, numbers)
    _, planned = session.view.plan(operation, session.said_actor, session.reason)
    shown = ended(session.view, planned, is_done=False)
    if session.arguments.dry_run:
        return session.answer(shown)
    if session.format == "table":
        session.answer(shown)
    if not session.agrees("Go on?"):
        return 0
    done = session.carry_out(operation).result
    told = Delivery(session).tell(of_ending(session.view.catalogue, done))
    answer = ended(session.view, done, is_done=True)
    text = told if session.format == "table" else [*answer.text, *told]
    return session.answer(replace(answer, text=text))


def _ending(session: Session, numbers: Sequence[int]) -> EndRequests:
    from kathodos.request.ending import EndRequests

    configuration = session.workspace.configuration
    powers = configuration.powers
    return EndRequests(numbers, configuration.request_terms, lambda actor: powers.allows(actor, "end requests"))


def run_tend(session: Session) -> int:
    from msgspec.structs import replace

    from kathodos.cli.telling import Delivery
    from kathodos.report.notices import of_tending
    from kathodos.report.requests import tended
    from kathodos.request.ending import TendRequests
    from kathodos.request.records import steps_of

    terms = session.workspace.configuration.request_terms
    operation = TendRequests(terms, session.workspace.acting)
    _, planned = session.view.plan(operation, session.said_actor, session.reason)
    shown = tended(planned, is_done=False)
    if session.arguments.dry_run or planned.is_nothing:
        return session.answer(shown)
    if session.format == "table" and not session.arguments.yes:
        session.answer(shown)
    if not session.agrees("Do what is due?"):
        return 0
    done = session.carry_out(operation).result
    records = session.view.catalogue
    numbers = [it.number for it in done.ending]
    steps = steps_of(records, numbers) if numbers else {}
    granted_by = {
        number: [str(it.values["decided_by"]) for it in some if it.decision == "grant"]
        for number, some in steps.items()
    }
    told = Delivery(session).tell(of_tending(records, done, granted_by))
    answer = tended(done, is_done=True)
    return session.answer(replace(answer, text=[*answer.text, *told]))


def run_break_glass(session: Session) -> int:
    from msgspec.structs import replace

    from kathodos.cli.telling import Delivery
    from kathodos.report.notices import of_emergency
    from kathodos.report.requests import broken_glass
    from kathodos.request.emergency import BreakGlass

    asked, terms = session.arguments, session.workspace.configuration.request_terms
    operation = BreakGlass(asked.kit, asked.whom or "", terms, session.workspace.acting)
    _, planned = session.view.plan(operation, session.said_actor, session.reason)
    if asked.dry_run or not session.agrees(f"Take {asked.kit} now? It is told at once, and looked back on."):
        return session.answer(broken_glass(planned, None))
    done = session.carry_out(operation)
    told = Delivery(session).tell(of_emergency(session.view.catalogue, done.result))
    answer = broken_glass(done.result, done.entry)
    return session.answer(replace(answer, text=[*answer.text, *told]))
