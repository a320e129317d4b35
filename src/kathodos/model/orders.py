"""How far orders have come, and the words by which what became of them is known again."""

from __future__ import annotations

from enum import StrEnum

CALLS_BACK = "calls back order "  # what stands before the number of an order that is not to be carried out any more
DONE_DIFFERENTLY = "done differently: "  # what stands before how it was done instead


class OrderState(StrEnum):
    """How far an order has come. Of these, overdue is told by the clock and never kept."""

    OPEN = "open"
    HANDED_OVER = "handed over"
    DONE = "done"
    CONFIRMED = "confirmed"
    REFUSED = "refused"
    DROPPED = "dropped"
    OVERDUE = "overdue"


PENDING = (OrderState.OPEN, OrderState.HANDED_OVER, OrderState.DONE)
WAITING = (*PENDING, OrderState.REFUSED)
SETTLED = (OrderState.CONFIRMED, OrderState.DROPPED)
STATES = tuple(OrderState)
