"""Mail as RFC 5322 has it, from templates that a workspace may change; written to a folder or handed on to be sent."""

from __future__ import annotations

import re
from datetime import datetime
from email.message import EmailMessage
from email.utils import format_datetime
from importlib.resources import files
from pathlib import Path

from kathodos.errors import DataError
from kathodos.model.printing import printable
from kathodos.report.reminders import Reminder

_TEMPLATE = "reminder.txt"


def reminder_mail(one: Reminder, sender: str, now: datetime, own: Path) -> EmailMessage:
    """A reminder as a mail. `own`: the folder in which a template may lie that stands in for ours.

    Raises DataError where that template is none.
    """
    mail = EmailMessage()
    mail["From"], mail["To"], mail["Date"] = sender, one.mail, format_datetime(now)
    mail["Subject"] = _one_line(one.subject)
    mail["Auto-Submitted"] = "auto-generated"
    mail.set_content(_filled(one, own))
    return mail


def _one_line(text: str) -> str:
    return re.sub(r"\s+", " ", printable(text)).strip()


def _filled(one: Reminder, own: Path) -> str:
    """The text of a reminder. What stands in names is text, and never a part of the template."""
    import jinja2.sandbox

    file, name = own / _TEMPLATE, str(own / _TEMPLATE)
    try:
        source = file.read_text(encoding="utf-8") if file.exists() else _ours()
        environment = jinja2.sandbox.ImmutableSandboxedEnvironment(undefined=jinja2.StrictUndefined)
        environment.filters.clear()
        text = environment.from_string(source).render(one.values)
    except (OSError, UnicodeDecodeError) as error:
        raise DataError(f"{name} cannot be read: {error}.", "Save it as UTF-8, or take it away.") from None
    except jinja2.TemplateError as error:
        where = f", line {error.lineno}" if isinstance(error, jinja2.TemplateSyntaxError) else ""
        remedy = "Correct it; docs/reviewing.md says what may stand in it."
        raise DataError(f"{name}{where}: {error.message}.", remedy) from None
    if not text.strip():
        raise DataError(f"{name} says nothing.", "Write what is to be said, or take it away.")
    return "".join(f"{printable(line)}\n" for line in text.splitlines())


def _ours() -> str:
    return (files("kathodos.output") / "pages" / _TEMPLATE).read_text(encoding="utf-8")
