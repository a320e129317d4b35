"""From when on something is excess, as `[findings]` of the configuration says."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Annotated

import msgspec

if TYPE_CHECKING:
    from kathodos.analysis.evidence.usual import Terms

_Count = Annotated[int, msgspec.Meta(ge=0)]
_Share = Annotated[float, msgspec.Meta(ge=0, le=1)]
_Text = Annotated[str, msgspec.Meta(min_length=1)]

_NEVER_ENOUGH = 2**40


class Thresholds(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """From when on something is a finding. `unused`: days without use by the sensitivity of what is given, 0 to 3;
    `widen`: whether attributes that make peers are left out, the first of them first, where there are too few peers."""

    unused: tuple[_Count, _Count, _Count, _Count] = (180, 120, 90, 60)
    dormant: _Count = 90
    peers: Annotated[tuple[_Text, ...], msgspec.Meta(min_length=1)] = ("department", "title")
    widen: bool = False
    peer_share: _Share = 0.25
    peer_confidence: _Share = 0.95
    former: _Text = "previous_department"
    alike: _Share = 0.8
    haste_lines: _Count = 50
    haste_seconds: _Count = 60
    against_lines: _Count = 5
    against_share: _Share = 0.8
    taken_lines: _Count = 30
    unopened_lines: _Count = 20
    unopened_share: _Share = 0.9
    taken_share: _Share = 0.1

    @property
    def peer_terms(self) -> Terms:
        """What makes peers, and how many of them it takes."""
        from kathodos.analysis.evidence.usual import Terms

        return Terms(self.peers, self.fewest_peers, self.widen)

    @property
    def fewest_peers(self) -> int:
        """How many others it takes at least to say that few of them have something: as many as, if none of them has
        it, show at this confidence that the share of those who do is below what counts as few."""
        if self.peer_share >= 1 or self.peer_confidence <= 0:
            return 1
        if self.peer_share <= 0 or self.peer_confidence >= 1:
            return _NEVER_ENOUGH
        return math.floor(math.log(1 - self.peer_confidence) / math.log(1 - self.peer_share)) + 1
