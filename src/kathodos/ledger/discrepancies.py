"""What is not as it was signed: where, what, and whether a fault could have done it."""

from __future__ import annotations

import msgspec

ALTERED, DAMAGED = "altered", "damaged"


class Discrepancy(msgspec.Struct, frozen=True):
    """One thing that is not as signed: where it is, what is wrong, and whether somebody did that or a fault could."""

    where: str
    what: str
    kind: str = ALTERED


def about_entries(first: int, last: int, what: str, one: str = "was", several: str = "were") -> Discrepancy:
    """What is wrong with an entry, or with several that follow on each other."""
    if first == last:
        return Discrepancy(f"entry {first}", f"{one} {what}")
    return Discrepancy(f"entries {first}-{last}", f"{several} {what}")
