"""What is said of requests: before they are sent, once they are decided, of one with all of its steps, of many."""

from __future__ import annotations

import shlex
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from kathodos.change.orders import Carried
from kathodos.errors import Status
from kathodos.model.requests import RequestState
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field
from kathodos.report.edits import Wording
from kathodos.report.request_words import (
    evidence_data,
    evidence_lines,
    named,
    names_of,
    said_lines,
    who_decides,
)
from kathodos.request.asking import Asked
from kathodos.request.deciding import DecidedRequest
from kathodos.request.emergency import Broken, LookedBack
from kathodos.request.ending import Ended, Tended
from kathodos.request.records import Request
from kathodos.workspace.requests import Nearest, Trial
from kathodos.workspace.view import View

_MOST_SENTENCES = 12
_AS_WANTED = "As you want it? The same without --dry-run."


# Asking


def asking(view: View, asked: Asked, trial: Trial | None, next_step: str, is_sent: bool) -> Answer:
    """What somebody is told before a request is sent, and once it is: what it gives, what is held, who decides."""
    request, meant = asked.request, asked.meant
    names = names_of(view.catalogue, [request.whom, *(it.name for step in asked.steps for it in step.approvers)])
    verb = f"Request {request.number} is sent" if is_sent else "This would be asked"
    whom = named(request.whom, names) if not meant.name else f"{meant.name} ({request.whom}), who is not here yet"
    heading = f"{verb}: {meant.what} for {whom}, until {request.until}."
    text = [*_gives(meant.entries)] if meant.kit is not None else []
    if trial is not None:
        held, every = trial.giving.composition.standing, trial.giving.composition.asked
        if held:
            text.append(f"Of {plural(every, 'entry', 'entries')} {held} {'is' if held == 1 else 'are'} held already.")
        gained = trial.evidence.gained
        text.append(
            f"It would add {plural(gained, 'combination')} of action and resource."
            if gained
            else "It would add nothing to what is reached now."
        )
        if trial.evidence.speaks_against:
            text.append(f"! {trial.evidence.speaks_against} Whoever grants it has to say why.")
    text += ["It is decided by:", *who_decides(asked.steps, names)]
    hint = next_step
    document = {
        "request": request.number if is_sent else None,
        "sent": is_sent,
        "what": meant.what,
        "kit": request.kit or None,
        "gives": [it.text for it in meant.entries],
        "whom": request.whom,
        "until": request.until,
        "standing": trial.giving.composition.standing if trial is not None else 0,
        "gained": trial.evidence.gained if trial is not None else None,
        "conflicts": list(trial.evidence.conflicts) if trial is not None else [],
        "fences": list(trial.evidence.fences) if trial is not None else [],
        "steps": [
            {"step": number, "takes": it.takes, "approvers": [one.name for one in it.approvers]}
            for number, it in enumerate(asked.steps, 1)
        ],
    }
    return Answer(heading=heading, text=text, hint=hint, document=document)


def _gives(entries: Iterable[Any]) -> list[str]:
    return ["It gives:", *(f"  {it.text}" for it in entries)]


_NEAREST = (
    Field("what", "What", 9, least=20),
    Field("beyond", "Beyond what is wanted", 7, is_number=True),
    Field("breaks", "Would break", 6, least=10),
)


def needed(found: Sequence[Nearest], who: str, what: str, reaches: bool) -> Answer:
    """What somebody would need for one action on one resource, what gives least besides first."""
    if reaches:
        return Answer(heading=f"{who} can {what} already.", document={"reaches": True, "needs": []})
    rows = [
        {
            "what": it.candidate.name,
            "is_kit": it.candidate.kit is not None,
            "gained": it.gained,
            "beyond": it.beyond,
            "breaks": "; ".join(it.breaks) or None,
        }
        for it in found
    ]
    if not rows:
        heading = f"Nothing that could be given would let {who} {what}."
        return Answer(heading=heading, document={"reaches": False, "needs": []}, status=Status.FOUND)
    heading = f"To {what}, {who} would need one of these; the first gives least besides."
    first = str(rows[0]["what"])
    hint = f"Ask for it: kathodos request ask {shlex.quote(first)} --until DAY --reason WHY"
    return Answer(_NEAREST, rows, heading, hint=hint, document={"reaches": False, "needs": rows})


# Deciding


def before_deciding(view: View, request: Request, trial: Trial, most: int | None) -> Answer:
    """What whoever decides is shown first: the request, its evidence, and what granting it would do."""
    names = names_of(view.catalogue, [request.whom, request.asked_by])
    by = f", asked by {named(request.asked_by, names)}" if request.asked_by != request.whom else ""
    heading = f"Request {request.number}: {request.what} for {named(request.whom, names)}{by}, until {request.ends}"
    text = [f"Because: {request.reason}", *said_lines(request), ""]
    text += [*evidence_lines(trial.evidence, trial.pending), "", "Granting it would mean:"]
    edits = list(trial.giving.edits)
    wording = Wording(view.catalogue, edits)
    some = edits if most is None else edits[:_MOST_SENTENCES]
    text += [f"  {wording.sentence(it)}" for it in some]
    text += [f"  and {len(edits) - len(some)} more" for _ in range(len(edits) > len(some))]
    text += [] if edits else ["  nothing: all of it is held already"]
    text += list(trial.giving.composition.notes)
    text += [f"! {it}" for it in trial.rehearsed.refused]
    document = {
        "request": request.number,
        "what": request.what,
        "whom": request.whom,
        "until": request.ends,
        "evidence": evidence_data(trial.evidence),
        "edits": [wording.sentence(it) for it in edits],
        "effect": trial.effect.digest,
        "refused": list(trial.rehearsed.refused),
    }
    return Answer(heading=heading, text=text, document=document)


def decided_request(done: DecidedRequest, decision: str, entry: int | None, shown: Mapping[str, Any] | None) -> Answer:
    """What is said once a step of a request is decided."""
    request = done.request
    start = f"Request {request.number}, {request.what} for {request.whom}, "
    instead = f" You decided in place of {done.in_place_of}." if done.in_place_of else ""
    hint, text = f"See it: kathodos request show {request.number}", list[str]()
    if request.state == RequestState.DENIED:
        heading = f"{start}is denied.{instead}"
    elif done.left:
        heading = f"{start}is granted by you, and goes on to {', '.join(done.left)}.{instead}"
    else:
        heading = f"{start}is granted until {request.ends}.{instead}"
        text, hint = _carried(done.carried, request)
    document = {
        "request": request.number,
        "decision": decision,
        "state": str(request.state),
        "until": request.ends,
        "in_place_of": done.in_place_of or None,
        "waits_for": list(done.left),
        "change": request.change or None,
        "ordered": len(done.carried.ordered),
        "edited": len(done.carried.edited),
        "entry": entry,
        "before": shown,
    }
    return Answer(heading=heading, text=text, hint=hint, document=document)


def _carried(carried: Carried, request: Request) -> tuple[list[str], str]:
    if carried.ordered:
        text = [f"{plural(len(carried.ordered), 'order')} to the systems' side; it runs once a gather finds them done."]
        return text, "Hand it over: kathodos orders worklist"
    if carried.edited:
        text = [f"{plural(len(carried.edited), 'record')} kept here edited at once: it runs."]
    else:
        text = ["All of it was held already; nothing had to be given."]
    return text, f"Who has what through which request: kathodos request held --by {request.whom}"


def not_decided(request: Request, shown: Mapping[str, Any] | None) -> Answer:
    """What is said where somebody looked and did not decide."""
    document = {"request": request.number, "decision": None, "before": shown}
    return Answer(heading=f"Nothing was decided; request {request.number} still waits.", document=document)


def remarked(request: Request, sort: str) -> Answer:
    """What is said once something was asked, answered or said of a request."""
    told = {
        "question": f"Request {request.number} waits for the answer of {request.asked_by}.",
        "answer": f"Answered; request {request.number} waits for who decides it.",
        "comment": f"Noted beside request {request.number}.",
    }[sort]
    hint = f"See it: kathodos request show {request.number}"
    return Answer(heading=told, hint=hint, document={"request": request.number, "sort": sort})


def withdrawn(request: Request) -> Answer:
    """What is said once a request is taken back."""
    heading = f"Request {request.number}, {request.what} for {request.whom}, is withdrawn."
    return Answer(heading=heading, document={"request": request.number, "state": str(request.state)})


# Ending


def ended(view: View, found: Ended, is_done: bool) -> Answer:
    """What is said once requests are over before their time, or would be."""
    wording = Wording(view.catalogue, list(found.edits))
    verb = "is over" if len(found.requests) == 1 else "are over"
    names = ", ".join(f"request {it.number} ({it.what} of {it.whom})" for it in found.requests[:5])
    more = f" and {len(found.requests) - 5} more" if len(found.requests) > 5 else ""
    heading = f"{names[0].upper()}{names[1:]}{more} {verb if is_done else 'would be over'}."
    some = list(found.edits)[:_MOST_SENTENCES]
    text = [f"  {wording.sentence(it)}" for it in some]
    text += [f"  and {len(found.edits) - len(some)} more" for _ in range(len(found.edits) > len(some))]
    text += [f"{it}." for it in found.notes[:_MOST_SENTENCES]]
    text += [] if len(found.edits) else ["Nothing is taken away by it."]
    ordered = len(found.carried.ordered)
    text += [f"{plural(ordered, 'order')} to the systems' side."] if ordered else []
    hint = "Hand it over: kathodos orders worklist" if ordered else ""
    hint = hint if is_done else _AS_WANTED
    document = {
        "requests": [it.number for it in found.requests],
        "ended": is_done,
        "change": found.change or None,
        "taken": [wording.sentence(it) for it in found.edits],
        "stays": list(found.notes),
        "ordered": ordered,
        "edited": len(found.carried.edited),
    }
    return Answer(heading=heading, text=text, hint=hint, document=document)


def tended(found: Tended, is_done: bool) -> Answer:
    """What the day brought, or would bring."""
    verb = "" if is_done else " would"
    requests = found.ended.requests
    parts = [
        (len(requests), "ended, for the time was over", [_short(it) for it in requests]),
        (len(found.lapsed), "lapsed, for nobody decided in time", [_short(it) for it in found.lapsed]),
        (
            len(found.passed_on),
            "went on to the next one up",
            [f"{_short(it)}: from {first} to {second}" for it, first, second in found.passed_on],
        ),
        (
            len(found.ending),
            "end soon, of which both sides are told",
            [f"{_short(it)}: {it.ends}" for it in found.ending],
        ),
    ]
    text = []
    for count, what, some in parts:
        if count:
            text.append(f"{count:,}{verb} {what}:")
            text += [f"  {it}" for it in some[:_MOST_SENTENCES]]
            text += [f"  and {count - _MOST_SENTENCES:,} more" for _ in range(count > _MOST_SENTENCES)]
    text += [f"{it}." for it in found.ended.notes[:_MOST_SENTENCES]]
    text += [f"Nobody is above {who} who could decide {_short(it)}." for it, who in found.stayed[:_MOST_SENTENCES]]
    heading = "What was due is done." if is_done else "This is due."
    if found.is_nothing:
        heading = "Nothing is due."
    ordered = len(found.ended.carried.ordered)
    text += [f"{plural(ordered, 'order')} to the systems' side."] if ordered else []
    hint = "Hand it over: kathodos orders worklist" if ordered else ""
    hint = hint if is_done or found.is_nothing else _AS_WANTED
    hint = hint or "How requests stand: kathodos request status"
    document = {
        "done": is_done,
        "ended": [it.number for it in requests],
        "lapsed": [it.number for it in found.lapsed],
        "passed_on": [{"request": it.number, "from": first, "to": second} for it, first, second in found.passed_on],
        "stayed": [{"request": it.number, "approver": who} for it, who in found.stayed],
        "ending": [it.number for it in found.ending],
        "change": found.ended.change or None,
        "ordered": ordered,
        "edited": len(found.ended.carried.edited),
    }
    return Answer(heading=heading, text=text, hint=hint, document=document)


def _short(request: Request) -> str:
    return f"request {request.number}, {request.what} of {request.whom}"


# Emergencies


def broken_glass(done: Broken, entry: int | None) -> Answer:
    """What is said once an emergency is taken, or would be (no entry)."""
    request = done.request
    verb = "is given" if entry is not None else "would be given"
    heading = f"EMERGENCY: {done.kit.name} {verb} to {request.whom} at once, until {request.until}."
    text = [*_gives(done.kit.entries)]
    carried = done.carried
    if carried.ordered:
        text.append(f"{plural(len(carried.ordered), 'order')} to the systems' side: carry them out now.")
    elif carried.edited:
        text.append("It is in force now.")
    text.append(f"Told at once: {', '.join(done.told)}.")
    text.append(
        f"Looked back on by {' or '.join(done.looks_back)}, until {done.due[:10]}; it cannot be left undecided."
    )
    hint = "Carry it out: kathodos enact" if carried.ordered else f"See it: kathodos request show {request.number}"
    hint = hint if entry is not None else _AS_WANTED
    document = {
        "request": request.number,
        "given": entry is not None,
        "kit": done.kit.name,
        "whom": request.whom,
        "until": request.until,
        "told": list(done.told),
        "looked_back_on_by": list(done.looks_back),
        "due": done.due,
        "ordered": len(carried.ordered),
        "edited": len(carried.edited),
        "entry": entry,
    }
    return Answer(heading=heading, text=text, hint=hint, document=document)


def looked_back(view: View, done: LookedBack) -> Answer:
    """What is said once somebody looked back on an emergency."""
    request = done.request
    heading = f"Request {request.number}, the emergency of {request.whom}, is looked back on and found {done.verdict}."
    text = []
    if done.ended is not None:
        text = list(ended(view, done.ended, is_done=True).text)
    document = {
        "request": request.number,
        "verdict": done.verdict,
        "state": str(request.state),
        "ordered": len(done.ended.carried.ordered) if done.ended is not None else 0,
    }
    return Answer(heading=heading, text=text, document=document)
