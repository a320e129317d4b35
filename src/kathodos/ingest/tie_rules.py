"""How accounts find their identity: the rules of `[[tie]]` in the configuration, in order."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

ID, MAIL, ATTRIBUTE, NAME, LOGIN = "id", "mail", "attribute", "name", "login"


class TieRule(msgspec.Struct, frozen=True):
    """How accounts of these systems (all: none named) find their identity; `of`: the system with the same logins."""

    by: str
    systems: Sequence[str] = ()
    account: str = ""
    identity: str = ""
    of: str = ""

    @property
    def text(self) -> str:
        """The rule in a few words."""
        if self.by == LOGIN:
            return f"the same login in {self.of}"
        return self.by if self.by != ATTRIBUTE else f"{self.account} = {self.identity}"
