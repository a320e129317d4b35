"""From when on something is excess, as `[findings]` of the configuration says."""

from __future__ import annotations

from typing import Annotated

import msgspec

_Count = Annotated[int, msgspec.Meta(ge=0)]
_Share = Annotated[float, msgspec.Meta(ge=0, le=1)]
_Text = Annotated[str, msgspec.Meta(min_length=1)]


class Thresholds(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """From when on something is a finding. `unused`: days without use by the sensitivity of what is given, 0 to 3."""

    unused: tuple[_Count, _Count, _Count, _Count] = (180, 120, 90, 60)
    dormant: _Count = 90
    peers: Annotated[tuple[_Text, ...], msgspec.Meta(min_length=1)] = ("department", "title")
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
