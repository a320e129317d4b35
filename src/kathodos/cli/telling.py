"""Mail on its way: through the server that [mail] names, or to a folder."""

from __future__ import annotations

from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

from kathodos.cli.session import Session
from kathodos.errors import CallError, KathodosError

if TYPE_CHECKING:
    from collections.abc import Iterable
    from email.message import EmailMessage

    from kathodos.connectors.smtp import MailServer
    from kathodos.output.mails import Mails
    from kathodos.report.notices import Told


class Delivery:
    """Where mail of one command goes. `outbox`: a folder for it, even where [mail] names a server."""

    def __init__(self, session: Session, outbox: str | None = None) -> None:
        self._session, self._outbox = session, outbox
        self._settings, self._folder = session.workspace.configuration.mail, session.workspace.folder

    @cached_property
    def mails(self) -> Mails:
        """What makes the mails."""
        from kathodos.model.times import now
        from kathodos.output.mails import Mails

        return Mails(self._settings.sender, now(), self._folder / "mail")

    @property
    def where(self) -> str:
        """Where it goes, in words."""
        if self._is_sent:
            return f"through {self._settings.smtp}"
        return f"by mail in {self._outbox or self._settings.outbox}"

    @property
    def _is_sent(self) -> bool:
        return bool(self._settings.smtp) and self._outbox is None

    def deliver(self, mails: Iterable[tuple[str, EmailMessage]]) -> None:
        """Sends mails, or writes them to the folder; each with whom it is to, by whom its file is called."""
        from kathodos.model.times import now
        from kathodos.output.files import file_name, write_all_new

        if self._is_sent:
            self._server().send(mail for _, mail in mails)
            return
        folder = Path(self._outbox) if self._outbox is not None else self._folder / self._settings.outbox
        day = f"{now():%Y%m%dT%H%M%SZ}"
        taken = (
            {it.stem.removeprefix(f"{day}-") for it in folder.glob(f"{day}-*.eml")} if folder.is_dir() else set[str]()
        )
        write_all_new(folder, {f"{day}-{file_name(who, taken)}.eml": bytes(it) for who, it in mails})

    def tell(self, some: Iterable[Told]) -> list[str]:
        """Tells people what concerns them; what is said of it. What cannot be delivered is complained about only, since
        it has happened already."""
        from kathodos.report.notices import delivered, notices

        found = notices(self._session.view_of(None).catalogue, some)
        reach = [it for it in found if it.mail]
        try:
            if reach:
                self.deliver((it.whom, self.mails.notice(it)) for it in reach)
        except KathodosError as error:
            self._session.complain(f"It is done, but nobody could be told: {error.what}")
            return []
        return delivered(found, self.where)

    def _server(self) -> MailServer:
        """The server that [mail] names."""
        from kathodos.connectors.settings import Settings
        from kathodos.connectors.smtp import MailServer

        settings, folder = self._settings, self._folder
        host, _, port = settings.smtp.rpartition(":")
        if settings.user and not settings.starttls:
            raise CallError("[mail] names a user, but the connection is not encrypted.", "Set starttls = true.")
        values = {"password": settings.password} if settings.password else {}
        password = Settings("[mail]", folder, values).secret("password")
        ca = folder / settings.ca if settings.ca else None
        return MailServer(host, int(port), settings.starttls, ca, settings.user, password)
