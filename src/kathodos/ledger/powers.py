"""Who may do what: what the configuration says of acts, and the entry about a try that is refused."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import ClassVar

import msgspec

from kathodos.errors import NotAllowedError
from kathodos.ledger.actors import Actor
from kathodos.ledger.operations import Operation, Plan
from kathodos.ledger.payloads import Act, RefusedPayload
from kathodos.model.filters import parse_filter
from kathodos.model.kinds import IDENTITIES
from kathodos.store.attributes import AttributeColumns

GIVE_FREELY = "give freely"  # whatever mandates say
ALTER_MANDATES = "alter mandates"
# What [[may]] names, and the acts of the ledger that are meant by it.
ACTS: Mapping[str, Sequence[Act]] = {
    "gather": (Act.GATHER,),
    "tie": (Act.TIE,),
    "merge": (Act.MERGE,),
    "open reviews": (Act.OPEN_REVIEW,),
    "close reviews": (Act.CLOSE_REVIEW,),
    "chase reviews": (Act.REMIND, Act.ESCALATE),
    "exchange packets": (Act.PACKETS, Act.TAKE_ANSWERS),
    "cover": (Act.COVER, Act.UNCOVER, Act.ADD_CONTROL),
    "settle": (Act.SETTLE,),
    "compose": (Act.COMPOSE, Act.DROP),
    "apply": (Act.APPLY,),
    "enact": (Act.ORDERS,),
    "ask": (Act.ASK, Act.WITHDRAW),
    "decide requests": (Act.DECIDE_REQUEST,),
    "end requests": (Act.END_REQUEST,),
    "tend requests": (Act.TEND_REQUESTS, Act.REQUEST_PACKETS, Act.TAKE_REQUESTS),
    "break glass": (Act.BREAK_GLASS,),
    "mark": (Act.MARK,),
    "decide for others": (),
    GIVE_FREELY: (),
    ALTER_MANDATES: (),
}
FOUR_EYES = ("apply", "close reviews")


class May(msgspec.Struct, frozen=True):
    """Who may do some acts: those named, and the identities that a filter selects."""

    acts: Sequence[str]
    names: Sequence[str] = ()
    where: str = ""

    def is_meant(self, actor: Actor) -> bool:
        """Whether somebody is among them, under any of their names."""
        if any(actor.is_called(name) for name in self.names):
            return True
        if not self.where:
            return False
        columns = AttributeColumns(actor.records, IDENTITIES)
        own = columns.records.column(IDENTITIES, "id").holding_any(sorted(actor.identities))
        return bool((columns.selected(parse_filter(self.where)) & own).any())


class Powers(msgspec.Struct, frozen=True):
    """What the configuration says of who may do what; where it says nothing, everyone may do all."""

    may: Sequence[May] = msgspec.field(default_factory=list)
    four_eyes: Sequence[str] = ()

    def allows(self, actor: Actor, act: str) -> bool:
        """Whether somebody may do what [[may]] calls so; where no block speaks of it, as nobody is named."""
        speaking = [it for it in self.may if act in it.acts]
        return any(it.is_meant(actor) for it in speaking)

    def check(self, actor: Actor, act: Act) -> None:
        """Raises NotAllowedError where somebody may not do what an entry of this kind would say."""
        for name, acts in ACTS.items():
            if self.may and act in acts and not self.allows(actor, name):
                raise NotAllowedError(
                    f"{actor.name} may not {name}: no [[may]] of kathodos.toml that names it is about {actor.name}.",
                    "Nothing was changed. Let somebody do it who may.",
                    name,
                )


class NoteRefusal(msgspec.Struct, Operation[None], frozen=True):
    """Enters that somebody tried what they may not."""

    act: ClassVar[Act] = Act.REFUSED
    refused: NotAllowedError

    def compose(self, plan: Plan) -> None:
        """Writes an entry without a record."""
        plan.is_kept_empty = True
        plan.subjects += self.refused.subjects
        plan.payload = RefusedPayload(self.refused.act, self.refused.what)
