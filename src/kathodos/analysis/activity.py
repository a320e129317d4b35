"""What activity shows of the use of access, folded by who, action and resource."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from kathodos.model.rows import Rows
from kathodos.model.times import BEGINNING, first_moment


@dataclass(frozen=True)
class Folded:
    """What one identity or account did with one resource: how often, and when first and last."""

    who: str
    action: str
    resource: str
    count: int
    first: str
    last: str


def folded(activity: Rows, owners: Mapping[str, str | None], since: int = BEGINNING) -> list[Folded]:
    """Activity from a moment on by who, action and resource, the latest first. `owners`: the identity of accounts."""
    found: dict[tuple[str, str, str], list[Any]] = {}
    columns = (activity[name] for name in ("identity", "account", "time", "action", "resource", "count"))
    for identity, account, time, action, resource, count in zip(*columns, strict=True):
        if first_moment(time) < since:
            continue
        owner = identity or owners.get(account or "")
        who = f"identity:{owner}" if owner else f"account:{account}"
        known = found.setdefault((who, action, resource), [0, time, time])
        known[0] += count or 0
        known[1], known[2] = min(known[1], time), max(known[2], time)
    made = [Folded(*key, *values) for key, values in found.items()]
    return sorted(made, key=lambda it: (it.last, it.who, it.action, it.resource), reverse=True)
