"""How accounts find their identity: the rules of `[[tie]]` in the configuration, in order."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

ID, MAIL, ATTRIBUTE, NAME = "id", "mail", "attribute", "name"


@dataclass(frozen=True)
class TieRule:
    """How accounts of these systems (all: none named) find their identity."""

    by: str
    systems: Sequence[str] = ()
    account: str = ""
    identity: str = ""

    @property
    def text(self) -> str:
        return self.by if self.by != ATTRIBUTE else f"{self.account} = {self.identity}"
