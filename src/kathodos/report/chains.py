"""Chains of holders, grants and roles, as data and in words."""

from __future__ import annotations

from typing import TYPE_CHECKING

from kathodos.model.kinds import GRANTS, MEMBERS
from kathodos.model.references import key_of_membership
from kathodos.report.answers import Branch, Row

if TYPE_CHECKING:
    from kathodos.engine.explain import Chain
    from kathodos.report.marks import Marks


def chain_record(chain: Chain, marks: Marks) -> Row:
    """A chain as data."""
    return {
        "holders": list(chain.holders),
        "grant": chain.grant,
        "on": chain.scope,
        "roles": list(chain.roles),
        "permission": str(chain.entry),
        "target": chain.target,
        "ordered": marks.of_chain(chain),
        "stands": _standing(chain, marks),
    }


def chain_branch(chain: Chain, marks: Marks) -> Branch:
    """A chain as a branch in words, one step a line, and what of it is ordered to end."""
    steps = []
    for before, after in zip(chain.holders, chain.holders[1:], strict=False):
        kind = after.partition(":")[0]
        if kind == "account":
            steps.append(f"has {after}")
        elif kind == "everyone":
            steps.append("belongs to everyone")
        else:
            ordered = marks.of_membership(before, after)
            steps.append(f"{'which is' if before.startswith('group:') else 'is'} a member of {after}{_told(ordered)}")
    if chain.roles:
        steps.append(f"{'which ' if chain.holders[1:] else ''}has been given {chain.roles[0]}")
        steps += [f"which includes {role}" for role in chain.roles[1:]]
    scope = f", within {chain.scope}" if chain.scope else ""
    steps.append(f"{chain.entry}, from {chain.target} down{scope}")
    steps += _standing(chain, marks)
    head = f"{'denied' if chain.denies else 'permitted'} by grant {chain.grant}{_told(marks.of_grant(chain.grant))}"
    return Branch(head, [Branch(step) for step in steps], "red" if chain.denies else "")


def _standing(chain: Chain, marks: Marks) -> list[str]:
    """By what the grant of a chain stands, and each membership on the way, where requests or changes gave them."""
    grant = marks.stands(GRANTS, (chain.grant,))
    found = [f"the grant stands {grant}"] if grant else []
    for before, after in zip(chain.holders, chain.holders[1:], strict=False):
        member = marks.stands(MEMBERS, key_of_membership(before, after)) if after.startswith("group:") else ""
        found += [f"the membership in {after} stands {member}"] if member else []
    return found


def _told(ordered: str) -> str:
    return f", {ordered}" if ordered else ""
