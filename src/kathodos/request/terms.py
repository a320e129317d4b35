"""On what terms requests are asked and decided, as the configuration says."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from kathodos.change.orders import OrderTerms
from kathodos.request.kits import MANAGER, OWNER, ApprovalStep
from kathodos.review.authority import Authority


class RequestTerms(msgspec.Struct, frozen=True):
    """`chain`: who approves what is asked for without a kit; `lasts`, `longest`: for how long that is.

    `decide_within`: the time after which a step goes to the next one up; `lapse_after`: the time after which a request
    that nobody decided is over; `tell_before`: how long before an end both sides are told; `look_back_within`: the time
    within which somebody looks back on an emergency.
    """

    chain: Sequence[ApprovalStep] = (ApprovalStep([MANAGER]), ApprovalStep([OWNER]))
    lasts: str = "P3M"
    longest: str = "P1Y"
    decide_within: str = "P7D"
    lapse_after: str = "P21D"
    tell_before: str = "P14D"
    look_back_within: str = "P3D"
    authority: Authority = msgspec.field(default_factory=Authority)
    orders: OrderTerms = msgspec.field(default_factory=OrderTerms)
