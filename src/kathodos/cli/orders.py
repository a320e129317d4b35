"""`kathodos orders`: what the systems' side is to carry out - the list, worklists, and what is said of them."""

from __future__ import annotations

import argparse

from kathodos.cli.options import Commands, Formatter, acting, command, long_answer
from kathodos.cli.session import Session
from kathodos.errors import CallError

_STATES = ("open", "handed over", "done", "confirmed", "refused", "overdue", "dropped", "all")


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = commands.add_parser(
        "orders",
        help="follow what the systems' side is to carry out: list, worklist, done, refused, drop",
        description="What a change asks of records that a source brings is ordered; a later gather confirms it.",
        epilog="example:\n  kathodos orders worklist        # each step has its own --help",
        formatter_class=formatter,
    )
    steps = parser.add_subparsers(prog=parser.prog, dest="step", metavar="STEP", required=True)
    for add_step in (_add_list, _add_worklist, _add_done, _add_refused, _add_drop):
        add_step(steps, common, formatter)


def _choosing(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--system", metavar="SYSTEM", help="only of one system")
    parser.add_argument("--change", metavar="CHANGE", help="only of one change")
    long_answer(parser)


def _add_list(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "list the orders that are not settled, with their days left"
    listing = command(steps, "list", common, formatter, run_list, what, "  kathodos orders list --state overdue")
    listing.add_argument("--state", choices=_STATES, help="only those in this state, or all")
    _choosing(listing)


def _add_worklist(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "say what is to be done, owner by owner, in words of theirs"
    example = "  kathodos orders worklist --system dues --format csv"
    listing = command(steps, "worklist", common, formatter, run_worklist, what, example)
    _choosing(listing)


def _saying(
    steps: Commands, common: argparse.ArgumentParser, formatter: Formatter, name: str, what: str, example: str
) -> None:
    saying = command(steps, name, common, formatter, run_say, what, example)
    saying.add_argument("numbers", nargs="+", metavar="NUMBER", help="numbers of orders, ranges as 7-9, or all open")
    saying.add_argument("--change", metavar="CHANGE", help="only those of one change")
    acting(saying)


def _add_done(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "tick orders off: the system's owner says they are done; the next gather says whether it is so"
    _saying(steps, common, formatter, "done", what, "  kathodos orders done 4 7-9 --as p0059")


def _add_refused(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "say that a system, or its owner, refused orders"
    example = "  kathodos orders refused 5 --as p0059 --reason 'the role is needed until the audit'"
    _saying(steps, common, formatter, "refused", what, example)


def _add_drop(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "give orders up"
    _saying(steps, common, formatter, "drop", what, "  kathodos orders drop 5 --reason 'decided otherwise'")


def run_list(session: Session) -> int:
    from kathodos.report.orders import OrderChoice, order_list

    asked = session.arguments
    choice = OrderChoice(asked.state, asked.system, asked.change)
    return session.answer(order_list(session.view, choice, session.most, session.format))


def run_worklist(session: Session) -> int:
    from kathodos.report.orders import OrderChoice, worklist_shown

    choice = OrderChoice(None, session.arguments.system, session.arguments.change)
    return session.answer(worklist_shown(session.view, choice, session.most, session.format))


def run_say(session: Session) -> int:
    from kathodos.change.orders import SetOrders
    from kathodos.model.orders import OrderState
    from kathodos.report.orders import orders_set

    states = {"done": OrderState.DONE, "refused": OrderState.REFUSED, "drop": OrderState.DROPPED}
    state = states[session.arguments.step]
    orders = session.carry_out(SetOrders(_numbers(session), state)).result
    return session.answer(orders_set(orders, state))


def _numbers(session: Session) -> list[int]:
    """The numbers that are meant. Raises CallError where something is none."""
    from kathodos.change.orders import orders_in
    from kathodos.model.orders import PENDING

    asked = session.arguments
    found: list[int] = []
    for text in asked.numbers:
        if text == "all":
            found += [it.number for it in orders_in(session.view.stored, PENDING)]
            continue
        first, _, last = text.partition("-")
        if not (first.isascii() and first.isdecimal() and (not last or (last.isascii() and last.isdecimal()))):
            raise CallError(f"{text!r} is no number of an order.", "Write numbers, ranges as 7-9, or all.")
        if int(last or first) - int(first) > _MOST:
            raise CallError(f"{text} names more orders than there can be.", "See `kathodos orders list`.")
        found += range(int(first), int(last or first) + 1)
    if asked.change is not None:
        mine = {it.number for it in orders_in(session.view.stored) if it.values["change"] == asked.change}
        found = [it for it in found if it in mine]
    if not found:
        raise CallError("No order is meant.", "See `kathodos orders list`.")
    return found


_MOST = 1_000_000
