"""Asking: for oneself or another, for a kit, a role, a permission or a group; asking back, withdrawing, renewing."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import ClassVar

import msgspec
from msgspec.structs import replace

from kathodos.change.composition import Desk
from kathodos.change.orders import decided
from kathodos.change.people import Invitation, invitation_of
from kathodos.errors import CallError
from kathodos.ledger.actors import Acting, Actor, identities_called, normal_name
from kathodos.ledger.operations import Operation, Plan
from kathodos.ledger.payloads import Act, RequestPayload
from kathodos.model.kinds import ACCOUNTS, IDENTITIES, KITS, REQUEST_REMARKS
from kathodos.model.periods import later
from kathodos.model.references import reference_to
from kathodos.model.requests import RequestState
from kathodos.model.suggestions import nearest
from kathodos.model.times import end_moment, time_text
from kathodos.request.approving import Approvers, Concerned, StepDecided, excluded_of
from kathodos.request.content import holder_of
from kathodos.request.kits import Kit, KitEntry, entry_named, find_kit, is_kit, may_ask, must_be_listable
from kathodos.request.records import (
    NAME,
    Request,
    Sort,
    closed,
    find_request,
    is_asked_back,
    next_number,
    put_requests,
    put_steps,
    remarks_of,
    requests_holding,
    steps_of,
)
from kathodos.request.terms import RequestTerms
from kathodos.store.naming import resolved
from kathodos.store.records import Records, Wanted


class Wish(msgspec.Struct, frozen=True):
    """What is asked for as somebody says it. `whom`: who is to get it (empty: who asks); `until`: the last day."""

    what: str
    whom: str = ""
    on: str | None = None
    until: str | None = None
    says: Mapping[str, str] = msgspec.field(default_factory=dict)
    renews: int = 0


class Meant(msgspec.Struct, frozen=True):
    """What a wish means: for whom, under which account, the kit or the entries, and until when."""

    person: str
    holder: str
    kit: Kit | None
    entries: Sequence[KitEntry]
    until: str
    name: str = ""

    @property
    def what(self) -> str:
        """What is asked for, as it is called."""
        return self.kit.name if self.kit is not None else ", ".join(it.text for it in self.entries)


class Asked(msgspec.Struct, frozen=True):
    """A request as it was entered, what it means, and who decides each step."""

    request: Request
    meant: Meant
    steps: Sequence[StepDecided]


class Ask(msgspec.Struct, Operation[Asked], frozen=True):
    """Enters a request. `acting`: how the name of somebody who acts is looked up."""

    act: ClassVar[Act] = Act.ASK
    wish: Wish
    terms: RequestTerms
    acting: Callable[[str], Acting]

    def compose(self, plan: Plan) -> Asked:
        """Raises CallError where it may not be asked, or where nobody could approve it."""
        desk = Desk(decided(plan.records), plan.time, plan.actor.name)
        if not plan.reason.strip():
            raise CallError("A request says why.", "Say --reason TEXT; who decides reads it.")
        meant = meaning(desk, self.wish, self.terms, plan.actor)
        must_be_open_to(desk, meant, plan.actor)
        _must_say(meant, self.wish)
        _must_be_new(plan.records, meant, self.wish)
        steps = steps_for(desk.records, meant, plan.actor, self.acting, self.terms)
        empty = next((it for it in steps if not it.approvers), None)
        if empty is not None or not steps:
            what = (
                f"Nobody may approve {meant.what} for {meant.person}: {empty.meant if empty else 'no step'} is nobody"
            )
            raise CallError(f"{what} who is active and neither asks nor gets it.", "Let the kit name somebody else.")
        says = {**self.wish.says, **({NAME: meant.name} if meant.name else {})}
        request = Request(
            0,
            next_number(plan.records),
            RequestState.OPEN,
            meant.kit.name if meant.kit is not None else "",
            [] if meant.kit is not None else meant.entries,
            meant.person,
            plan.actor.name,
            plan.now,
            plan.reason,
            meant.until,
            meant.holder,
            says,
            self.wish.on if meant.kit is not None else None,
            lapses=time_text(later(plan.time, self.terms.lapse_after)),
            renews=self.wish.renews,
        )
        put_requests(plan, [request])
        put_steps(plan, [], step_rows(request, steps, time_text(later(plan.time, self.terms.decide_within))))
        plan.subjects += subjects_of(request)
        plan.payload = RequestPayload(str(request.number), "ask", request.whom)
        return Asked(request, meant, steps)


def subjects_of(request: Request) -> list[str]:
    """Whom and what a request is about, as the subjects of an entry."""
    found = [reference_to("request", request.number)]
    found += [reference_to("kit", request.kit)] if request.kit else []
    return [*found, reference_to("identity", request.whom)]


def step_rows(request: Request, steps: Sequence[StepDecided], due: str, first: int = 1) -> list[dict[str, object]]:
    """The steps of a request as they are kept; each is due so long after the one before it was decided."""
    return [
        {
            "request": request.number,
            "step": number,
            "approver": approver.name,
            "as": approver.as_,
            "takes": step.takes,
            "due": due if number == first else None,
        }
        for number, step in enumerate(steps, first)
        for approver in step.approvers
    ]


def meaning(desk: Desk, wish: Wish, terms: RequestTerms, actor: Actor) -> Meant:
    """What a wish means. Raises CallError where a name in it means nothing, or the time is none that may be asked."""
    person, holder, name = _whom(desk, wish.whom, actor)
    kit = find_kit(desk.records, wish.what) if is_kit(desk.records, wish.what) else None
    if kit is not None:
        entries = [it if it.on or not wish.on else replace(it, on=desk.scopes([wish.on])[0]) for it in kit.entries]
    else:
        entries = [_named(desk, wish)]
    lasts, longest = (kit.lasts, kit.longest) if kit is not None else (terms.lasts, terms.longest)
    until = wish.until or f"{later(desk.now, lasts):%Y-%m-%d}"
    most = f"{later(desk.now, longest):%Y-%m-%d}"
    if end_moment(until) <= desk.moment:
        raise CallError(f"{until} is over.", "Name a day to come.")
    if end_moment(until) > end_moment(most):
        raise CallError(f"It can be had until {most} at the longest, and not until {until}.", "Name an earlier day.")
    if holder and any(it.system != holder.removeprefix("account:").partition("/")[0] for it in entries):
        raise CallError(f"{holder} is an account of another system than what is asked for.", "Name the right account.")
    for entry in entries if not name else ():
        holder_of(desk, entry, person, holder)
    return Meant(person, holder, kit, entries, until, name)


def _named(desk: Desk, wish: Wish) -> KitEntry:
    """The entry that a wish names. Raises CallError with the nearest; of a plain word with the nearest kits."""
    try:
        return entry_named(desk, wish.what, wish.on)
    except CallError as error:
        if any(mark in wish.what for mark in ":/ "):
            raise
        kits = [str(it) for it in desk.records.column(KITS, "kit").listed()]
        what = f"There is no kit {wish.what}, and no role either."
        raise CallError(what, f"{nearest(wish.what, kits)} {error.remedy}".strip()) from None


def _whom(desk: Desk, text: str, actor: Actor) -> tuple[str, str, str]:
    """Whom something is for: the id, an account that is to hold it, and the name of somebody who is not there yet."""
    records = desk.records
    if not text:
        if actor.is_guest:
            return actor.name, "", actor.name
        if records.with_key(IDENTITIES, (actor.is_identity or actor.name,)) is None:
            raise CallError(f"{actor.name} is nobody in the catalogue who could get anything.", "Say --for PERSON.")
        return actor.is_identity or actor.name, "", ""
    if "," in text and "@" in text:
        invitation = invitation_of(text)
        mail = normal_name(str(invitation.cells["email"]))
        known = sorted(identities_called(records, mail, ("email",)))
        return (known[0], "", "") if known else (mail, "", str(invitation.cells["name"]))
    reference = resolved(records, text, (IDENTITIES, ACCOUNTS))
    if reference.startswith("identity:"):
        return reference.removeprefix("identity:"), "", ""
    system, _, login = reference.partition(":")[2].partition("/")
    held = records.with_key(ACCOUNTS, (system, login))
    if held is None or not held["identity"]:
        raise CallError(f"{reference} is nobody's account.", "Tie it to somebody first: kathodos tie")
    return str(held["identity"]), reference, ""


def invitation_for(request: Request) -> Invitation:
    """The invitation of a guest whose request is granted."""
    return Invitation({"name": request.says.get(NAME, request.whom), "email": request.whom}, request.whom)


def must_be_open_to(desk: Desk, meant: Meant, actor: Actor) -> None:
    """Raises CallError where a kit is not for this person, or the person is not active."""
    kit = meant.kit
    if meant.name:
        if kit is None or not kit.may_be_asked_with(meant.person):
            what = f"{meant.person} is not in the catalogue, and {meant.what} is not offered to people of that domain."
            raise CallError(what, "Invite them first: kathodos people invite")
        return
    if actor.is_guest and actor.name != meant.person:
        raise CallError(f"{actor.name} is not in the catalogue, and asks for nobody else.", "Leave --for out.")
    record = desk.records.with_key(IDENTITIES, (meant.person,))
    if record is None or desk.has_left(record) or record["status"] == "suspended":
        status = record["status"] if record is not None else "not there"
        what = f"{meant.person} is {status if record is None or not desk.has_left(record) else 'gone'}"
        raise CallError(f"{what}, and gets nothing.", "Bring them back first: kathodos people back")
    if kit is not None and not may_ask(desk.records, kit, meant.person, desk.moment):
        what = f"{kit.name} is for people with {kit.receivers}, and {meant.person} is none of them."
        raise CallError(what, "See what is: kathodos kit list --for PERSON")


def _must_say(meant: Meant, wish: Wish) -> None:
    """Raises CallError where something is not said that the kit wants to be told."""
    wanted = meant.kit.says if meant.kit is not None else ()
    missing = [it for it in wanted if not wish.says.get(it, "").strip()]
    if missing:
        what = f"{meant.what} wants to be told: {', '.join(missing)}."
        raise CallError(what, " ".join(f"--say '{it}=...'" for it in missing))
    other = [it for it in wish.says if it not in wanted]
    if other:
        raise CallError(f"{meant.what} does not ask for {', '.join(other)}.", "Say it in the reason.")
    for text in wish.says:
        must_be_listable(text)


def _must_be_new(records: Records, meant: Meant, wish: Wish) -> None:
    """Raises CallError where the same is asked for already, or runs as long already."""
    if wish.renews:
        return
    for request in requests_holding(records, {"whom": [meant.person]}):
        if request.what != meant.what or request.holder != meant.holder:
            continue
        if request.state == RequestState.OPEN:
            what = f"{meant.what} is asked for already, by request {request.number}."
            raise CallError(what, f"See who has to decide: kathodos request show {request.number}")
        if request.state == RequestState.GRANTED:
            what = f"{meant.person} has {meant.what} already, by request {request.number} until {request.ends}."
            raise CallError(what, f"To have it longer: kathodos request renew {request.number} --until DAY")


def steps_for(
    records: Records, meant: Meant, actor: Actor, acting: Callable[[str], Acting], terms: RequestTerms
) -> list[StepDecided]:
    """Who decides a request, step by step."""
    chain = meant.kit.steps if meant.kit is not None else terms.chain
    whom = Actor(meant.person, records, is_guest=bool(meant.name))
    concerned = Concerned(
        meant.person,
        excluded_of([actor] if actor.name == whom.name else [actor, whom]),
        meant.kit.owner if meant.kit is not None else "",
        meant.entries,
    )
    return Approvers(records, concerned).steps(chain)


class Renew(msgspec.Struct, Operation[Asked], frozen=True):
    """Asks that something that runs goes on; until that is granted, it ends when it was to end."""

    act: ClassVar[Act] = Act.ASK
    number: int
    until: str | None
    terms: RequestTerms
    acting: Callable[[str], Acting]

    def compose(self, plan: Plan) -> Asked:
        """Raises CallError where it does not run, or would not end later."""
        before = find_request(plan.records, self.number)
        if before.state != RequestState.GRANTED or before.is_emergency:
            what = f"Request {before.number} is {before.state if not before.is_emergency else 'an emergency'}"
            raise CallError(f"{what}, and cannot go on.", "Ask anew: kathodos request ask")
        wanted: Wanted = {"renews": [before.number], "state": [RequestState.OPEN.value]}
        for open_one in requests_holding(plan.records, wanted):
            raise CallError(f"Request {open_one.number} asks for that already.", "Wait until it is decided.")
        says = {name: text for name, text in before.says.items() if name != NAME}
        what, on = (before.kit, before.on) if before.kit else (before.entries[0].gives, before.entries[0].on)
        whom = before.holder or reference_to("identity", before.whom)
        asked = Ask(Wish(what, whom, on, self.until, says, before.number), self.terms, self.acting).compose(plan)
        if end_moment(asked.request.until) <= end_moment(before.ends):
            raise CallError(f"It runs until {before.ends} already.", "Name a later day: --until DAY")
        return asked


# What is said meanwhile


class Withdraw(msgspec.Struct, Operation[Request], frozen=True):
    """Takes a request back that nobody has decided yet."""

    act: ClassVar[Act] = Act.WITHDRAW
    number: int

    def compose(self, plan: Plan) -> Request:
        """Raises CallError where it is decided, or somebody else's."""
        request = find_request(plan.records, self.number)
        must_be_open(request)
        if not is_theirs(plan.records, request, plan.actor):
            what = f"{plan.actor.name} neither asked for request {request.number} nor is it for them."
            raise CallError(what, f"Whoever did takes it back: {request.asked_by}.")
        gone = closed(request, plan, RequestState.WITHDRAWN, plan.reason)
        put_requests(plan, [gone])
        plan.subjects += subjects_of(request)
        plan.payload = RequestPayload(str(request.number), "withdraw", request.whom)
        return gone


def must_be_open(request: Request) -> None:
    """Raises CallError where a request is decided, or over."""
    if request.state != RequestState.OPEN:
        raise CallError(f"Request {request.number} is {request.state}.", f"See kathodos request show {request.number}")


def is_theirs(records: Records, request: Request, actor: Actor) -> bool:
    """Whether somebody asked for a request, or it is for them."""
    return actor.is_called(request.asked_by) or actor.is_called(request.whom) or request.whom == actor.name


class Remark(msgspec.Struct, Operation[Request], frozen=True):
    """Says something of a request: a question to who asked, the answer, or a comment.

    `by`: whose words they are, where somebody else brings them.
    """

    act: ClassVar[Act] = Act.REMARK_REQUEST
    number: int
    sort: Sort
    text: str
    terms: RequestTerms
    by: Actor | None = None

    def compose(self, plan: Plan) -> Request:
        """Raises CallError where it is not for them to say, or nothing is asked."""
        request = find_request(plan.records, self.number)
        remarks = remarks_of(plan.records, [request.number])[request.number]
        if not self.text.strip():
            raise CallError("Nothing is said.", "Say --say TEXT.")
        actor = self.by or plan.actor
        theirs = is_theirs(plan.records, request, actor)
        deciders = [it.approver for it in steps_of(plan.records, [request.number])[request.number]]
        decides = any(self.terms.authority.capacity(actor, it) for it in deciders)
        if self.sort != Sort.COMMENT:
            must_be_open(request)
        if self.sort == Sort.ANSWER and not is_asked_back(remarks):
            raise CallError(f"Nothing is asked about request {request.number}.", "Add a comment instead.")
        wanted = {Sort.QUESTION: decides, Sort.ANSWER: theirs, Sort.COMMENT: decides or theirs}[self.sort]
        if not wanted:
            who = "decides it" if self.sort == Sort.QUESTION else "asked for it"
            what = f"{actor.name} is not who {who}."
            raise CallError(what, f"See kathodos request show {request.number}")
        row = (request.number, len(remarks) + 1, self.sort.value, actor.name, plan.now, self.text.strip())
        plan.open_rows(REQUEST_REMARKS, [row])
        plan.subjects += subjects_of(request)
        plan.payload = RequestPayload(str(request.number), self.sort.value, request.whom)
        return request
