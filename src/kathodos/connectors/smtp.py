"""Mail handed to a server (RFC 5321), the connection encrypted (RFC 3207) before anything is said on it."""

from __future__ import annotations

import smtplib
import ssl
from collections.abc import Iterable
from email.message import EmailMessage
from pathlib import Path

import msgspec

from kathodos.errors import DataError

_SECONDS = 30


class MailServer(msgspec.Struct, frozen=True):
    """A server that takes mail. `is_encrypted`: STARTTLS is needed; `ca`: a file of certificates to trust besides."""

    host: str
    port: int
    is_encrypted: bool = True
    ca: Path | None = None
    user: str = ""
    password: str = ""

    def send(self, mails: Iterable[EmailMessage]) -> int:
        """Hands mails over one after another; gives how many. Raises DataError with how many went before."""
        count, context = 0, self._context()
        try:
            with smtplib.SMTP(self.host, self.port, timeout=_SECONDS) as server:
                if self.is_encrypted:
                    server.starttls(context=context)
                if self.user:
                    server.login(self.user, self.password)
                for mail in mails:
                    server.send_message(mail)
                    count += 1
        except (smtplib.SMTPException, OSError, ValueError) as error:
            what = f"The mail server {self.host}:{self.port} took {count} mails and then failed: {_told(error)}."
            raise DataError(
                what, "Correct [mail] in kathodos.toml; or write the mails to a folder with --outbox."
            ) from None
        return count

    def _context(self) -> ssl.SSLContext:
        """Whom to trust. Raises DataError where the file of certificates is none."""
        try:
            return ssl.create_default_context(cafile=str(self.ca) if self.ca else None)
        except (OSError, ssl.SSLError) as error:
            what = f"{self.ca}, which [mail] names as ca, cannot be read: {error}."
            raise DataError(what, "Name a file of certificates (PEM), or leave it out.") from None


def _told(error: Exception) -> str:
    """What a server or the connection says."""
    if isinstance(error, smtplib.SMTPResponseException):
        said = error.smtp_error
        return f"{error.smtp_code} {said.decode('utf-8', 'replace') if isinstance(said, bytes) else said}"
    return str(error) or type(error).__name__
