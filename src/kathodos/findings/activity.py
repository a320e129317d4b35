"""What activity shows of the use of access, tied to identities, actions and nodes."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from kathodos.access.index import Index
from kathodos.catalogue.addresses import parse_address
from kathodos.catalogue.moments import BEGINNING, first_moment
from kathodos.catalogue.store import Rows


@dataclass(frozen=True)
class Use:
    """One recorded use: when, which action (a number of the index's actions), on which node, of which record."""

    time: str
    action: int
    node: int
    record: str | None


def uses_by_identity(index: Index, activity: Rows) -> dict[int, list[Use]]:
    """The uses of each identity, itself or by an account of its own; what names nothing known is left out."""
    found: dict[int, list[Use]] = {}
    columns = (activity[name] for name in ("identity", "account", "time", "action", "resource", "record"))
    for identity, account, time, action, resource, record in zip(*columns, strict=True):
        user = _user(index, identity, account)
        pattern = parse_address(resource)
        number, node = index.action_number.get((pattern.system, action)), index.tree.node(pattern)
        if user >= 0 and number is not None and node >= 0:
            found.setdefault(user, []).append(Use(time, number, node, record))
    return found


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


def _user(index: Index, identity: str | None, account: str | None) -> int:
    holders = index.holders
    at = holders.find(f"identity:{identity}") if identity else -1
    if at < 0 and account:
        at = holders.find(f"account:{account}")
        return int(holders.owner[at - holders.people]) if at >= 0 else -1
    return at
