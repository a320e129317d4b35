"""The steps of `kathodos review` by which a review comes to an end in time: remind, escalate."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from kathodos.cli.options import Commands, Formatter, acting, command, confirming
from kathodos.cli.session import Session
from kathodos.errors import CallError

if TYPE_CHECKING:
    from kathodos.connectors.smtp import MailServer


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
    from pathlib import Path

    from kathodos.model.times import now
    from kathodos.model.words import plural
    from kathodos.output.files import file_name, write_all_new
    from kathodos.output.mails import reminder_mail
    from kathodos.report.reminders import reminded, reminders
    from kathodos.review.escalating import Remind, waiting

    asked, settings, folder = session.arguments, session.workspace.configuration.mail, session.workspace.folder
    records = session.view.catalogue
    some = reminders(records, waiting(records, asked.name), now())
    server = _server(session) if settings.smtp and asked.outbox is None else None
    outbox = Path(asked.outbox) if asked.outbox is not None else folder / settings.outbox
    where = f"through {settings.smtp}" if server else f"by mail in {asked.outbox or settings.outbox}"
    reach = [it for it in some if it.mail]
    mails = {it.reviewer: reminder_mail(it, settings.sender, now(), folder / "mail") for it in reach}
    is_meant = (
        bool(reach)
        and not asked.dry_run
        and session.agrees(f"Remind {plural(len(reach), 'person', 'people')}, {where}?")
    )
    if is_meant:
        session.carry_out(Remind([one for it in reach for one in it.waiting]))  # whoever may not is refused here
        if server is not None:
            server.send(mails.values())
        else:
            taken: set[str] = set()
            day = f"{now():%Y%m%dT%H%M%SZ}"
            write_all_new(outbox, {f"{day}-{file_name(who, taken)}.eml": bytes(it) for who, it in mails.items()})
    return session.answer(reminded(some, where, is_meant))


def _server(session: Session) -> MailServer:
    """The server that [mail] names."""
    from kathodos.connectors.settings import Settings
    from kathodos.connectors.smtp import MailServer

    settings, folder = session.workspace.configuration.mail, session.workspace.folder
    host, _, port = settings.smtp.rpartition(":")
    if settings.user and not settings.starttls:
        raise CallError("[mail] names a user, but the connection is not encrypted.", "Set starttls = true.")
    values = {"password": settings.password} if settings.password else {}
    password = Settings("[mail]", folder, values).secret("password")
    ca = folder / settings.ca if settings.ca else None
    return MailServer(host, int(port), settings.starttls, ca, settings.user, password)


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
