"""The steps of `kathodos review` by which a review comes to an end in time: remind, escalate."""

from __future__ import annotations

import argparse

from kathodos.cli.options import Commands, Formatter, acting, command, confirming
from kathodos.cli.session import Session


def add(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    _add_remind(steps, common, formatter)
    _add_escalate(steps, common, formatter)


def _add_remind(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "remind everybody of what waits for them, by mail: sent, or written to a folder"
    example = "  kathodos review remind autumn --yes\n  kathodos review remind --outbox outbox"
    reminding = command(steps, "remind", common, formatter, run_remind, what, example)
    reminding.add_argument("name", nargs="?", metavar="NAME", help="which review (default: all that are open)")
    outbox = "write the mails here, even where [mail] names a server"
    reminding.add_argument("--outbox", metavar="FOLDER", help=outbox)
    acting(reminding)
    confirming(reminding)


def _add_escalate(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "pass lines that were not decided by the due day on to the next one up of their reviewers"
    example = "  kathodos review escalate autumn --yes"
    escalating = command(steps, "escalate", common, formatter, run_escalate, what, example)
    escalating.add_argument("name", nargs="?", metavar="NAME", help="which review (default: the one that is open)")
    acting(escalating)
    confirming(escalating)


def run_remind(session: Session) -> int:
    from kathodos.cli.telling import Delivery
    from kathodos.model.times import now
    from kathodos.model.words import plural
    from kathodos.report.reminders import reminded, reminders
    from kathodos.review.escalating import Remind, waiting

    asked, delivery = session.arguments, Delivery(session, session.arguments.outbox)
    records = session.view.catalogue
    some = reminders(records, waiting(records, asked.name), now())
    reach = [it for it in some if it.mail]
    mails = [(it.reviewer, delivery.mails.reminder(it)) for it in reach]
    is_meant = (
        bool(reach)
        and not asked.dry_run
        and session.agrees(f"Remind {plural(len(reach), 'person', 'people')}, {delivery.where}?")
    )
    if is_meant:
        session.carry_out(Remind([one for it in reach for one in it.waiting]))  # whoever may not is refused here
        delivery.deliver(mails)
    return session.answer(reminded(some, delivery.where, is_meant))


def run_escalate(session: Session) -> int:
    from kathodos.model.words import plural
    from kathodos.report.reminders import escalated
    from kathodos.review.escalating import Escalate

    asked, escalating = session.arguments, Escalate(session.arguments.name)
    _, planned = session.view.plan(escalating, session.actor, session.reason)
    lines = sum(it[2] for it in planned.went)
    if asked.dry_run or not session.agrees(f"Pass on {plural(lines, 'line')} of {planned.review.name}?"):
        return session.answer(escalated(planned, is_done=False))
    return session.answer(escalated(session.carry_out(escalating).result, is_done=True))
