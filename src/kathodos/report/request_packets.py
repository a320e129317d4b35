"""Packets of requests: for each approver without a terminal what waits for them, with the evidence beside each."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Sequence
from datetime import datetime
from typing import Any

import msgspec

from kathodos.errors import CallError, found_if
from kathodos.model.requests import RequestState
from kathodos.model.times import time_text
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field
from kathodos.report.packets import Packet, Texts, ascii_json
from kathodos.report.request_words import evidence_lines, named, names_of, said_lines
from kathodos.request.answering import REPEATED, seal_name
from kathodos.request.kits import system_given
from kathodos.request.records import LOOK_BACK, Request, RequestTable, Step, requests_at, steps_of, waiting
from kathodos.review.packets import Seal
from kathodos.workspace.requests import trial
from kathodos.workspace.view import View

TITLE = "Requests to decide"
DECISIONS = ("grant", "shorten", "deny", "ask")


def waiting_requests(view: View) -> dict[str, list[tuple[Request, Step]]]:
    """The requests that wait for each approver."""
    records = view.catalogue
    requests = requests_at(records, RequestTable(records).which(RequestState.OPEN).nonzero()[0])
    steps = steps_of(records, [it.number for it in requests]) if requests else {}
    found: dict[str, list[tuple[Request, Step]]] = {}
    for request in requests:
        for step in waiting(request, steps[request.number]):
            if step.number != LOOK_BACK:
                found.setdefault(step.approver, []).append((request, step))
    return found


def request_packets(view: View, wanted: Sequence[str] | None, now: datetime) -> Iterator[Packet]:
    """The packets of all approvers for whom something waits, or of some."""
    of, shown = waiting_requests(view), dict[str, str]()
    told: dict[int, _Told] = {}
    for approver in of if wanted is None else wanted:
        some = of.get(approver, [])
        if some:
            yield _packet(view, approver, some, time_text(now), told, shown)


class _Told(msgspec.Struct, frozen=True):
    """What is told of one request, whoever decides it."""

    whom: str
    what: str
    stands_out: str
    speaks: str
    must_say_why: bool
    facts: list[str]
    systems: list[str]


def _packet(
    view: View,
    approver: str,
    some: Sequence[tuple[Request, Step]],
    issued: str,
    told: dict[int, _Told],
    shown: dict[str, str],
) -> Packet:
    texts, rows = Texts(shown), []
    for request, _ in some:
        if request.number not in told:
            told[request.number] = _told(view, request)
        it = told[request.number]
        way = {"against": 1, "for": 2}.get(it.speaks, 0)
        facts, systems = ([texts.add(text) for text in part] for part in (it.facts, it.systems))
        kit = [texts.add(request.kit)] if request.kit else []
        first = [request.number, texts.add(it.whom), texts.add(it.what), texts.add(it.stands_out), way]
        rows.append([*first, facts, systems, kit, 0, int(it.must_say_why)])
    name = names_of(view.catalogue, [approver]).get(approver, approver)
    due = min((str(step.values["due"] or request.lapses) for request, step in some), default=issued)
    content_of: dict[str, Any] = {
        "review": TITLE,
        "about": "requests",
        "due": due[:10],
        "reviewer": approver,
        "name": name,
        "issued": issued,
        "decisions": list(DECISIONS),
        "undecided": "",
        "passes": 0,
        "reasons": 0,
        "texts": texts.known,
        "lines": rows,
    }
    content = ascii_json(content_of)
    digest = hashlib.sha256(content.encode()).hexdigest()
    seal = Seal(seal_name(view.point.entry), "", approver, issued, len(rows), digest)
    return Packet(approver, name, content, seal, TITLE)


def _told(view: View, request: Request) -> _Told:
    """What is told of a request: what it gives, to whom, why, and the evidence."""
    names = names_of(view.catalogue, [request.whom, request.asked_by])
    what = f"{request.what}, until {request.ends}"
    asked = f"Asked by {named(request.asked_by, names)} on {request.asked_at[:10]}: {request.reason}"
    try:
        found = trial(view, request)
    except CallError as error:  # it can no longer be given, which is worth knowing
        why = f"It cannot be given now: {error.what}"
        return _Told(named(request.whom, names), what, why, "against", True, [asked, *said_lines(request)], [])
    text, way = found.evidence.stands_out
    facts = [it.removeprefix("! ") for it in evidence_lines(found.evidence, found.pending)]
    gives = [f"It gives {it.gives}{f' on {it.on}' if it.on else ''}." for it in found.giving.items]
    lines = [asked, *said_lines(request), *gives, *(it for it in facts if it != text)]
    systems = sorted({system_given(it.gives) for it in found.giving.items})
    return _Told(named(request.whom, names), what, text, way, bool(found.evidence.speaks_against), lines, systems)


def request_packets_made(seals: Sequence[Seal], folder: str) -> Answer:
    """What is said once packets of requests are made."""
    requests = sum(it.lines for it in seals)
    heading = f"Made {plural(len(seals), 'packet')} in {folder}: {plural(requests, 'request')} to decide."
    text = ["Each opens in any browser and needs no network. Send each to its approver, and to nobody else."]
    hint = "When they come back: kathodos request take FILE..."
    rows = [{"approver": it.reviewer, "requests": it.lines, "digest": it.digest} for it in seals]
    return Answer(heading=heading, text=text, hint=hint, document={"packets": rows})


class NotTaken(msgspec.Struct, frozen=True):
    """An answer that was not taken, and why. `request`: its number; 0: the whole file."""

    file: str
    request: int
    why: str


_REFUSED = (
    Field("file", "File", 8, least=16),
    Field("request", "Request", 9, is_number=True, shown=lambda it: str(it or "")),
    Field("why", "Why it was not taken", 10, least=24),
)
_DONE = {"grant": "granted", "shorten": "granted for less long", "deny": "denied", "ask": "asked back"}


def requests_taken(counts: dict[str, int], refused: Sequence[NotTaken], told: Sequence[str], is_done: bool) -> Answer:
    """What is said of answers that were taken in, or would be."""
    parts = [f"{counts[name]} {word}" for name, word in _DONE.items() if counts.get(name)]
    verb = "Took" if is_done else "Would take"
    heading = f"{verb} {', '.join(parts) or 'nothing'}; {plural(len(refused), 'answer')} refused."
    repeated = counts.get(REPEATED, 0)
    text = [f"{plural(repeated, 'answer was', 'answers were')} taken before, and changed nothing."] if repeated else []
    rows = [{"file": it.file, "request": it.request or None, "why": it.why} for it in refused]
    hint = "Next: kathodos request status" if is_done else "As you want it? The same without --dry-run."
    document = {
        **{name: counts.get(name, 0) for name in _DONE},
        "repeated": repeated,
        "taken": is_done,
        "refused": rows,
    }
    fields = _REFUSED if rows else ()
    return Answer(fields, rows, heading, [*text, *told], hint=hint, document=document, status=found_if(refused))
