"""By whose hand something is written: who says to act, why, under which settings, and what proves it."""

from __future__ import annotations

import abc
from collections.abc import Callable, Sequence

import msgspec

from kathodos.ledger.actors import Acting, Actor
from kathodos.ledger.anchors import Anchor
from kathodos.ledger.payloads import Act
from kathodos.ledger.settings import Settings


class Signed(msgspec.Struct, frozen=True):
    """A statement that an actor has signed, and when. `allowed_signers`: the text that said whose key is whose then."""

    actor: str
    statement: bytes
    signature: str
    time: str
    allowed_signers: str | None = None


class Proof(abc.ABC):
    """What proves who acts."""

    @abc.abstractmethod
    def wrong_among(self, statements: Sequence[Signed]) -> list[str]:
        """For each statement what is wrong with its signature; empty where it is the actor's."""

    @abc.abstractmethod
    def signed(self, actor: str, statement: bytes, time: str) -> str:
        """The actor's signature of a statement. Raises DataError where it cannot be had, or is not theirs."""


class Hand(msgspec.Struct, frozen=True):
    """Who writes. `may_precede`: the entry may bear a time before that of the last one.

    `may` raises NotAllowedError where somebody may not do what an entry of a kind would say.
    """

    acting: Acting
    reason: str = ""
    settings: Settings = msgspec.field(default_factory=Settings)
    proof: Proof | None = None
    anchor: Anchor | None = None
    may_precede: bool = False
    may: Callable[[Actor, Act], None] = lambda actor, act: None


def hand_of(name: str, reason: str = "") -> Hand:
    """The hand of somebody who is listed, where no settings are."""
    return Hand(Acting(name, {name: ""}), reason)
