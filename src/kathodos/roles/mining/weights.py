"""What a set of roles costs, as `[suggest]` of the configuration says."""

from __future__ import annotations

from typing import Annotated

import msgspec

_Weight = Annotated[float, msgspec.Meta(ge=0, le=1000)]


class MiningWeights(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What each part of a set of roles costs. `extra`: something that a role gives to whoever did not hold it."""

    role: _Weight = 1.0
    entry: _Weight = 1.0
    assignment: _Weight = 1.0
    exception: _Weight = 1.0
    extra: _Weight = 2.0
