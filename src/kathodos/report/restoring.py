"""What is put back, or whose history is asked for: what somebody names, now or then."""

from __future__ import annotations

from kathodos.change.restoring import NAMED
from kathodos.errors import CallError
from kathodos.store.naming import resolved
from kathodos.store.records import Stored


def reference_of_part(records: Stored, then: Stored, text: str) -> str:
    """The full reference of a thing that is there, or was then. Raises CallError with the nearest."""
    try:
        return resolved(records, text, NAMED)
    except CallError as error:
        try:
            return resolved(then, text, NAMED)
        except CallError:
            raise error from None
