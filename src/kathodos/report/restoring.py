"""What is put back, or whose history is asked for: what somebody names, now or then."""

from __future__ import annotations

import numpy as np

from kathodos.change.restoring import NAMED
from kathodos.errors import CallError
from kathodos.model.references import PREFIXES
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
            if not _was_ever(records, text):
                raise error from None
            return text


def _was_ever(records: Stored, text: str) -> bool:
    """Whether a full reference names something that the catalogue held at any time."""
    prefix, _, name = text.partition(":")
    for kind in (it for it in NAMED if PREFIXES[it.name] == prefix):
        parts = (name,) if len(kind.key) == 1 else tuple(name.split("/", 1))
        if len(parts) == len(kind.key):
            history = records.history(kind)
            held = [history.column(column).holding(part) for column, part in zip(kind.key, parts, strict=True)]
            return bool(np.logical_and.reduce(held).any())
    return False
