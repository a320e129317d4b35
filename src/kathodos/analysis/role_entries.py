"""The entries of roles, each an action on a resource or a pattern, permitted or denied; and the keys of roles."""

from __future__ import annotations

from collections.abc import Sequence
from fnmatch import fnmatchcase
from typing import NamedTuple

from kathodos.model.references import reference_to

PERMIT, DENY = "permit", "deny"


class Entry(NamedTuple):
    """One permission of a role: an action on a resource (an address or a pattern), permitted or denied."""

    resource: str
    action: str
    effect: str = PERMIT

    @property
    def system(self) -> str:
        """The system of the resource."""
        return self.resource.partition(":")[0]

    @property
    def text(self) -> str:
        """It as people write it."""
        return f"{'deny ' if self.effect == DENY else ''}{self.action} {self.resource}"


class RoleKey(NamedTuple):
    """A role by its system and its name there."""

    system: str
    role: str

    @property
    def reference(self) -> str:
        """As in `role:dues/clerk`."""
        return reference_to("role", self.system, self.role)

    @classmethod
    def of(cls, reference: str) -> RoleKey:
        """The key that a full reference holds."""
        system, _, role = reference.removeprefix("role:").partition("/")
        return cls(system, role)


def is_like(entry: Entry, patterns: Sequence[str]) -> bool:
    """Whether an entry is like one of some texts: over the whole of it, as in `view archive:/*`, or its resource."""
    return any(fnmatchcase(entry.text, it) or fnmatchcase(entry.resource, it) for it in patterns)
