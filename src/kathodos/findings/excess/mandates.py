"""Mandates that are worth more than they look."""

from __future__ import annotations

import numpy as np

from kathodos.findings.escalation import roles_that_administer, worth_more
from kathodos.findings.excess.batches import Batch, ExcessContext, FindingText, batch
from kathodos.model.words import plural

WIDE_MANDATE = "wide-mandate"
_MOST_NAMED = 4


def wide_mandates(context: ExcessContext) -> Batch:
    """Mandates to give roles with which groups, roles or grants can be changed: more than they name."""
    index = context.basis.index
    giving = [it for it in index.mandates if it.may_give]
    administering = roles_that_administer(index) if giving else np.zeros(0, dtype=bool)
    told = ((it, worth_more(index, it.roles, administering)) for it in giving)
    found = [(mandate, roles) for mandate, roles in told if roles]
    numbers = [index.holders.find(mandate.holder) for mandate, _ in found]

    def describe(at: int) -> FindingText:
        mandate, roles = found[at]
        names = ", ".join(mandate.roles)
        more = f" and {len(roles) - _MOST_NAMED} more" if len(roles) > _MOST_NAMED else ""
        evidence = (
            f"a mandate to give {names} holds {plural(len(roles), 'role')} with which others can be changed: "
            f"{', '.join(roles[:_MOST_NAMED])}{more}"
        )
        return FindingText(f"mandate:{names}", evidence, "Name the roles that are meant, without these.", ())

    askers = index.holders.asker_of
    whose = np.array([int(askers[it]) if 0 <= it < len(askers) else -1 for it in numbers], dtype=np.int64)
    return batch(WIDE_MANDATE, whose, lambda at: found[at][0].holder, describe, 2)
