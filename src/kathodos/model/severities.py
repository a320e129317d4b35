"""How serious a finding is."""

from __future__ import annotations

from enum import StrEnum


class Severity(StrEnum):
    """From the least serious up; findings in arrays keep the position in this order."""

    LOW = "low"
    MEDIUM = "medium"
    HIGH = "high"
    CRITICAL = "critical"


SEVERITIES = tuple(Severity)
GRAVEST_FIRST = tuple(reversed(SEVERITIES))
