"""Mail as RFC 5322 has it, from templates that a workspace may change; written to a folder or handed on to be sent."""

from __future__ import annotations

import re
from datetime import datetime
from email.message import EmailMessage
from email.utils import format_datetime
from importlib.resources import files
from pathlib import Path
from typing import Any

from kathodos.errors import DataError
from kathodos.model.printing import printable
from kathodos.report.notices import Notice
from kathodos.report.reminders import Reminder

_REMINDER, _NOTICE = "reminder.txt", "notice.txt"


class Mails:
    """Makes mails of one moment. `own`: the folder in which templates may lie that stand in for ours."""

    def __init__(self, sender: str, now: datetime, own: Path) -> None:
        self._sender, self._now, self._own = sender, now, own
        self._templates: dict[str, Any] = {}

    def reminder(self, one: Reminder) -> EmailMessage:
        """A reminder as a mail. Raises DataError where the template for it is none."""
        return self._mail(one.mail, one.subject, _REMINDER, one.values)

    def notice(self, one: Notice) -> EmailMessage:
        """A notice as a mail. Raises DataError where the template for it is none."""
        mail = self._mail(one.mail, one.subject, _NOTICE, one.values)
        if one.is_urgent:
            mail["Importance"] = "high"
        return mail

    def _mail(self, to: str, subject: str, template: str, values: dict[str, Any]) -> EmailMessage:
        mail = EmailMessage()
        mail["From"], mail["To"], mail["Date"] = self._sender, to, format_datetime(self._now)
        mail["Subject"] = _one_line(subject)
        mail["Auto-Submitted"] = "auto-generated"
        mail.set_content(self._filled(template, values))
        return mail

    def _filled(self, template: str, values: dict[str, Any]) -> str:
        """The text of a mail. What stands in names is text, and never a part of the template."""
        import jinja2

        file = self._own / template
        name = str(file)
        try:
            if template not in self._templates:
                self._templates[template] = _template(file, template)
            text = self._templates[template].render(values)
        except (OSError, UnicodeDecodeError) as error:
            raise DataError(f"{name} cannot be read: {error}.", "Save it as UTF-8, or take it away.") from None
        except jinja2.TemplateError as error:
            where = f", line {error.lineno}" if isinstance(error, jinja2.TemplateSyntaxError) else ""
            remedy = "Correct it; docs/reviewing.md says what may stand in it."
            raise DataError(f"{name}{where}: {error.message}.", remedy) from None
        if not text.strip():
            raise DataError(f"{name} says nothing.", "Write what is to be said, or take it away.")
        return "".join(f"{printable(line)}\n" for line in text.splitlines())


def _template(file: Path, name: str) -> Any:
    import jinja2.sandbox

    source = file.read_text(encoding="utf-8") if file.exists() else _ours(name)
    environment = jinja2.sandbox.ImmutableSandboxedEnvironment(undefined=jinja2.StrictUndefined)
    environment.filters.clear()
    return environment.from_string(source)


def _one_line(text: str) -> str:
    return re.sub(r"\s+", " ", printable(text)).strip()


def _ours(name: str) -> str:
    return (files("kathodos.output") / "pages" / name).read_text(encoding="utf-8")
