"""How far requests for access have come."""

from __future__ import annotations

from enum import StrEnum


class RequestState(StrEnum):
    """How far a request has come. Of these, running and to end are told by orders, and never kept: it runs when what
    it gives is there, and is to end while what it gave is not gone."""

    OPEN = "open"
    GRANTED = "granted"
    DENIED = "denied"
    WITHDRAWN = "withdrawn"
    RUNNING = "running"
    TO_END = "to end"
    ENDED = "ended"
    LAPSED = "lapsed"
