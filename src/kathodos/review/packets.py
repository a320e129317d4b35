"""The seal of a packet, by which answers to it are known: ours, for this review and reviewer, not altered."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any, Literal

import msgspec

from kathodos.columns.csr import Ints
from kathodos.review.lines import Review, ReviewLines

if TYPE_CHECKING:
    from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey, Ed25519PublicKey

_DOMAIN = b"kathodos packet 1\n"  # so that a signature made for something else never passes for a seal


# A workbook with the same content: what is shown of each line, and then what is answered.
COLUMNS = ("line", "whose", "what", "stands out", "evidence", "decision", "until", "to", "why", "comment")
FIRST_ANSWER = COLUMNS.index("decision")
LINES_SHEET, SEAL_SHEET = "Lines", "Seal"


class Seal(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What a packet is. `opened_at`: when its review was opened; `digest`: SHA-256 of what the packet shows, in hex.

    A packet of requests is of no review, and was opened at no time; `review` then says as of which ledger entry it is.
    """

    review: str
    opened_at: str
    reviewer: str
    issued: str
    lines: int
    digest: str
    signature: str = ""

    @property
    def _signed(self) -> bytes:
        return _DOMAIN + msgspec.json.encode(msgspec.structs.replace(self, signature=""), order="deterministic")

    def signed(self, key: Ed25519PrivateKey) -> Seal:
        """The seal with our signature (Ed25519, RFC 8032)."""
        return msgspec.structs.replace(self, signature=key.sign(self._signed).hex())

    def is_ours(self, key: Ed25519PublicKey) -> bool:
        """Whether we made it as it is."""
        from cryptography.exceptions import InvalidSignature

        try:
            key.verify(bytes.fromhex(self.signature), self._signed)
        except (InvalidSignature, ValueError):
            return False
        return True

    def is_of(self, review: Review) -> bool:
        """Whether it is a packet of a review, and not of another that bore the same name."""
        return (self.review, self.opened_at) == (review.name, review.opened_at)


class LineAnswer(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What somebody answers about one line. `until`: where it is made less; `to`: what is right, or who is to decide.

    `say`: a comment; `at`: when, by the clock of whoever answered; `opened`: whether its evidence was looked at.
    """

    line: Annotated[int, msgspec.Meta(ge=0, le=10**9)]
    decision: Literal["certify", "reduce", "revoke", "correct", "pass", "grant", "shorten", "deny", "ask", ""]
    until: str = ""
    to: str = ""
    reason: str = ""
    say: str = ""
    at: str = ""
    opened: bool | None = None


class AnswerFile(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What a packet saves. `digest`: of what it showed, as the page itself worked it out."""

    form: Literal["kathodos answers 1"]
    seal: Seal
    digest: str
    answers: list[LineAnswer]
    saved: str = ""


def rows_shown(shown: dict[str, Any]) -> list[list[Any]]:
    """What a workbook shows of each line of a packet: number, whose, what, what stands out, evidence."""
    texts = shown["texts"]
    way = ("", "Look twice: ", "")
    return [
        [line[0], texts[line[1]], texts[line[2]], way[line[4]] + texts[line[3]], "\n".join(texts[it] for it in line[5])]
        for line in shown["lines"]
    ]


def lines_for_packets(lines: ReviewLines) -> Ints:
    """The lines that packets hold: what is not decided yet."""
    found: Ints = (~lines.is_decided & ~lines.is_signed).nonzero()[0]
    return found
