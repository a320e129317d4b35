"""Chains of holders, grants and roles, as data and in words."""

from __future__ import annotations

from typing import TYPE_CHECKING

from kathodos.report.answers import Branch, Row

if TYPE_CHECKING:
    from kathodos.engine.explain import Chain


def chain_record(chain: Chain) -> Row:
    """A chain as data."""
    return {
        "holders": list(chain.holders),
        "grant": chain.grant,
        "on": chain.scope,
        "roles": list(chain.roles),
        "permission": str(chain.entry),
        "target": chain.target,
    }


def chain_branch(chain: Chain) -> Branch:
    """A chain as a branch in words, one step a line."""
    steps = []
    for before, after in zip(chain.holders, chain.holders[1:], strict=False):
        kind = after.partition(":")[0]
        if kind == "account":
            steps.append(f"has {after}")
        elif kind == "everyone":
            steps.append("belongs to everyone")
        else:
            steps.append(f"{'which is' if before.startswith('group:') else 'is'} a member of {after}")
    if chain.roles:
        steps.append(f"{'which ' if chain.holders[1:] else ''}has been given {chain.roles[0]}")
        steps += [f"which includes {role}" for role in chain.roles[1:]]
    scope = f", within {chain.scope}" if chain.scope else ""
    steps.append(f"{chain.entry}, from {chain.target} down{scope}")
    head = f"{'denied' if chain.denies else 'permitted'} by grant {chain.grant}"
    return Branch(head, [Branch(step) for step in steps], "red" if chain.denies else "")
