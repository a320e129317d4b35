"""What an entry of each kind keeps beside the rows that it opens and closes."""

from __future__ import annotations

from enum import StrEnum

import msgspec


class Act(StrEnum):
    """What was done: the kind of a ledger entry."""

    GATHER = "gather"
    TIE = "tie"
    MARK = "baseline mark"
    OPEN_REVIEW = "review open"
    DECIDE = "review decide"
    TAKE_BACK = "review take-back"
    REMARK = "review remark"
    REMIND = "review remind"
    ESCALATE = "review escalate"
    CLOSE_REVIEW = "review close"
    PACKETS = "review packets"
    TAKE_ANSWERS = "review take"
    ADD_CONTROL = "control add"
    CONFIRM_CONTROL = "control confirm"
    COVER = "cover"
    UNCOVER = "uncover"
    SETTLE = "settle"
    SETTINGS = "settings"
    COMPOSE = "change compose"
    APPLY = "change apply"
    DROP = "change drop"
    ORDERS = "orders"
    MERGE = "merge"
    ASK = "request ask"
    WITHDRAW = "request withdraw"
    DECIDE_REQUEST = "request decide"
    REMARK_REQUEST = "request remark"
    END_REQUEST = "request end"
    TEND_REQUESTS = "request tend"
    BREAK_GLASS = "request break-glass"
    LOOK_BACK = "request look-back"
    REQUEST_PACKETS = "request packets"
    TAKE_REQUESTS = "request take"
    UPGRADE = "store upgrade"
    REFUSED = "refused"


class Payload(msgspec.Struct, frozen=True, omit_defaults=True):
    """What an entry keeps; an act with nothing to keep has an empty one."""


class GatherPayload(Payload, frozen=True):
    """`digest`: of what was read; `counts`: by kind how many came, changed, went, stayed, were set aside.

    `columns`: by kind the columns that the source spoke of; `mark`: from where the next gather may ask.
    """

    source: str
    digest: str = ""
    counts: dict[str, list[int]] = {}
    columns: dict[str, list[str]] = {}
    mark: str = ""


class MarkPayload(Payload, frozen=True):
    baseline: str
    entry: int


class OpenReviewPayload(Payload, frozen=True):
    review: str
    lines: int
    due: str


class DecidePayload(Payload, frozen=True):
    """`lines`: the numbers of the decided lines, as ranges; `in_place_of`: whose lines somebody else decided.

    `reduced`: what is left of them where they were made less.
    """

    review: str
    decision: str
    lines: str
    in_place_of: list[str] = []
    reduced: str = ""


class RemarkPayload(Payload, frozen=True):
    """`sort`: passed on, question, answer or comment; `whom`: to whom; `lines`: their numbers, as ranges."""

    review: str
    sort: str
    whom: str
    lines: str


class PacketsPayload(Payload, frozen=True):
    """`reviewers`: how many got one; `lines`: how many they hold together; `seals`: a digest over their signatures."""

    review: str
    reviewers: int
    lines: int
    seals: str


class TakeAnswersPayload(Payload, frozen=True):
    """`files`: the digest of each file, whose it was, and how many of its lines were taken."""

    review: str
    files: list[list[str | int]] = []
    refused: int = 0


class RemindPayload(Payload, frozen=True):
    """How many people were reminded, and of how many lines in which reviews."""

    reviews: list[str]
    people: int
    lines: int


class EscalatePayload(Payload, frozen=True):
    """From whom to whom lines went that were not decided in time, and how many."""

    review: str
    went: list[list[str | int]]


class CloseReviewPayload(Payload, frozen=True):
    """Numbers of lines as ranges; `ended`: references of what was taken away.

    `signs`: what was said, before the signature, of lines that were decided without looking.
    """

    review: str
    certified: str
    revoked: str
    left_open: str
    ended: list[str]
    reduced: str = ""
    signs: list[str] = []


class ChangePayload(Payload, frozen=True):
    """`edits`: how many; `effect`: the digest of what was rehearsed; `gained` and `lost`: combinations in all.

    `ordered` and `edited`: how many records were ordered, or edited at once; `despite`: what was confirmed with a
    reason although the change does it.
    """

    change: str
    edits: int
    effect: str = ""
    gained: int = 0
    lost: int = 0
    ordered: int = 0
    edited: int = 0
    despite: list[str] = []


class OrdersPayload(Payload, frozen=True):
    """What was said of orders: their state now, and their numbers."""

    state: str
    orders: list[int]


class RequestPayload(Payload, frozen=True):
    """What happened to requests: their numbers as ranges, what was decided of them, and what came of it.

    `effect`: the digest of what was rehearsed; `in_place_of`: whose decision somebody else took; `change`: the change
    that gives or takes; `ordered` and `edited`: how many records were ordered, or edited at once.
    """

    requests: str
    decision: str = ""
    whom: str = ""
    step: int = 0
    effect: str = ""
    in_place_of: str = ""
    change: str = ""
    ordered: int = 0
    edited: int = 0


class TendPayload(Payload, frozen=True):
    """What the day brought: numbers of requests as ranges. `passed_on`: to the next one up; `told`: of their end."""

    ended: str = ""
    lapsed: str = ""
    passed_on: str = ""
    told: str = ""
    change: str = ""
    ordered: int = 0
    edited: int = 0


class RequestPacketsPayload(Payload, frozen=True):
    """`approvers`: how many got one; `requests`: how many these hold together; `seals`: a digest over signatures."""

    approvers: int
    requests: int
    seals: str


class TakeRequestsPayload(Payload, frozen=True):
    """`files`: the digest of each file, whose it was, and how many of its answers were taken."""

    files: list[list[str | int]] = []
    refused: int = 0


class MergePayload(Payload, frozen=True):
    """`moved`: by kind how many records were moved to the identity that stays."""

    identity: str
    into: str
    moved: dict[str, int] = {}


class UpgradePayload(Payload, frozen=True):
    """From which version the store was brought up to which."""

    version_before: int
    version_after: int


class RefusedPayload(Payload, frozen=True):
    """What somebody tried and may not."""

    act: str
    why: str


class AddControlPayload(Payload, frozen=True):
    control: str
    period: str


class ConfirmControlPayload(Payload, frozen=True):
    control: str


class SettingsPayload(Payload, frozen=True):
    """`files`: by name the digests that each had and has (empty: it was not there); `difference`: of their texts."""

    files: dict[str, list[str]]
    difference: str


class CoverPayload(Payload, frozen=True):
    conflict: str
    control: str
    until: str
