"""Whom something about requests is told by mail, and in which words: what waits, what was decided, what ends.

A notice names the request and what it is for, and never the reasons, which are read in the workspace.
"""

from __future__ import annotations

import shlex
from collections.abc import Iterable, Iterator, Sequence
from typing import TYPE_CHECKING, Any

import msgspec

from kathodos.model.kinds import IDENTITIES
from kathodos.model.requests import RequestState
from kathodos.model.words import plural
from kathodos.report.request_words import names_of
from kathodos.request.records import Request, Step
from kathodos.store.records import Records

if TYPE_CHECKING:
    from kathodos.request.asking import Asked
    from kathodos.request.deciding import DecidedRequest
    from kathodos.request.emergency import Broken, LookedBack
    from kathodos.request.ending import Ended, Tended
    from kathodos.request.kit_changes import KitChange


class Told(msgspec.Struct, frozen=True):
    """One thing that somebody is told: a sentence, and the command by which they go on, if there is one."""

    whom: str
    sentence: str
    command: str = ""
    is_urgent: bool = False


class Notice(msgspec.Struct, frozen=True):
    """What one person is told at once. `mail`: empty where no address is known; `values`: for the template."""

    whom: str
    name: str
    mail: str
    told: Sequence[Told]
    values: dict[str, Any] = msgspec.field(default_factory=dict)

    @property
    def is_urgent(self) -> bool:
        return any(it.is_urgent for it in self.told)

    @property
    def subject(self) -> str:
        """What the mail is about."""
        first = self.told[0].sentence.partition(": ")[0].removesuffix(".")
        more = f", and {len(self.told) - 1} more" if len(self.told) > 1 else ""
        return f"{'EMERGENCY: ' if self.is_urgent else ''}{first}{more}"


def notices(records: Records, some: Iterable[Told]) -> list[Notice]:
    """A notice for everybody who is told something; everything that one person is told together."""
    by_person: dict[str, list[Told]] = {}
    for it in some:
        own = by_person.setdefault(it.whom, [])
        if it not in own:
            own.append(it)
    held = records.holding(IDENTITIES, {"id": list(by_person)}).records()
    known = {it["id"]: (str(it["name"] or ""), str(it["email"] or "")) for it in held}
    found = []
    for whom, told in by_person.items():
        name, mail = known.get(whom, ("", whom if "@" in whom else ""))
        values = {
            "whom": whom,
            "name": name,
            "sentences": [it.sentence for it in told],
            "commands": [f"{it.command} --as {shlex.quote(whom)}" for it in told if it.command],
            "is_urgent": any(it.is_urgent for it in told),
        }
        found.append(Notice(whom, name, mail, told, values))
    return found


def _about(request: Request, names: dict[str, str] | None = None) -> str:
    name = (names or {}).get(request.whom)
    return f"{request.what} for {f'{name} ({request.whom})' if name else request.whom}, until {request.ends}"


def _both(request: Request) -> list[str]:
    """Who asked, and whom it is for."""
    return list(dict.fromkeys([request.asked_by, request.whom]))


def of_asking(records: Records, asked: Asked) -> Iterator[Told]:
    """Who decides the first step is told that something waits."""
    request = asked.request
    names = names_of(records, [request.whom])
    for it in asked.steps[0].approvers:
        sentence = f"Request {request.number} waits for your decision: {_about(request, names)}."
        yield Told(it.name, sentence, f"kathodos request show {request.number}")


def of_deciding(records: Records, done: DecidedRequest) -> Iterator[Told]:
    """Who asked is told what became of it; who decides next, that it waits."""
    request = done.request
    names = names_of(records, [request.whom])
    command = f"kathodos request show {request.number}"
    for name in done.left:
        yield Told(name, f"Request {request.number} waits for your decision: {_about(request, names)}.", command)
    if done.left:
        return
    became = "denied" if request.state == RequestState.DENIED else "granted"
    for name in _both(request):
        yield Told(name, f"Request {request.number} is {became}: {_about(request, names)}.", command)


def of_remark(records: Records, request: Request, sort: str, steps: Sequence[Step]) -> Iterator[Told]:
    """Who asked is told of a question; who decides, of the answer."""
    names = names_of(records, [request.whom])
    command = f"kathodos request show {request.number}"
    if sort == "question":
        sentence = f"Request {request.number} waits for your answer: {_about(request, names)}."
        yield Told(request.asked_by, sentence, command)
    for it in steps if sort == "answer" else ():
        yield Told(it.approver, f"Request {request.number} was answered: {_about(request, names)}.", command)


def of_ending(records: Records, ended: Ended) -> Iterator[Told]:
    """Both sides are told that something is over."""
    names = names_of(records, (it.whom for it in ended.requests))
    for request in ended.requests:
        for name in _both(request):
            sentence = f"Request {request.number} is over: {_about(request, names)}."
            yield Told(name, sentence, f"kathodos request show {request.number}")


def of_tending(records: Records, tended: Tended, granted_by: dict[int, list[str]]) -> Iterator[Told]:
    """Whoever is concerned is told of what the day brought. `granted_by`: who granted what ends soon, by request."""
    yield from of_ending(records, tended.ended)
    some = [*tended.lapsed, *tended.ending, *(it for it, _, _ in tended.passed_on)]
    names = names_of(records, (it.whom for it in some))
    for request in tended.lapsed:
        command = f"kathodos request show {request.number}"
        for name in _both(request):
            yield Told(name, f"Request {request.number} lapsed, undecided: {_about(request, names)}.", command)
    for request, _, second in tended.passed_on:
        sentence = f"Request {request.number} went on to you, undecided: {_about(request, names)}."
        yield Told(second, sentence, f"kathodos request show {request.number}")
    for request in tended.ending:
        renew = f"kathodos request renew {request.number} --until DAY --reason WHY"
        sentence = f"Request {request.number} ends on {request.ends[:10]}: {_about(request, names)}."
        for name in _both(request):
            yield Told(name, sentence, renew)
        for name in granted_by.get(request.number, []):
            yield Told(name, f"{sentence} You granted it.", f"kathodos request show {request.number}")


def of_kit_change(change: KitChange) -> Iterator[Told]:
    """Everybody who has a kit is told what comes and what goes."""
    comes, goes = ([it.text for it in some] for some in (change.comes, change.goes))
    if not comes and not goes:
        return
    for request in change.holding:
        parts = [f"it gives you {', '.join(comes)}"] if comes else []
        parts += [f"it no longer gives you {', '.join(goes)}"] if goes else []
        sentence = f"The kit {request.kit} changes: {'; '.join(parts)}."
        yield Told(request.whom, sentence, f"kathodos request show {request.number}")


def of_emergency(records: Records, done: Broken) -> Iterator[Told]:
    """Everybody who is to know is told at once, and who looks back also how."""
    request = done.request
    names = names_of(records, [request.whom])
    sentence = f"Emergency {request.number} was taken: {_about(request, names)}."
    for name in done.told:
        if name in done.looks_back:
            back = f"{sentence} You look back on it until {done.due[:10]}."
            command = f"kathodos request look-back {request.number} right --reason WHAT"
            yield Told(name, back, command, is_urgent=True)
        else:
            yield Told(name, sentence, f"kathodos request show {request.number}", is_urgent=True)


def of_look_back(records: Records, done: LookedBack) -> Iterator[Told]:
    """Both sides are told what was found."""
    request = done.request
    names = names_of(records, [request.whom])
    for name in _both(request):
        sentence = f"Emergency {request.number} was looked back on and found {done.verdict}: {_about(request, names)}."
        yield Told(name, sentence, f"kathodos request show {request.number}")


def delivered(some: Sequence[Notice], where: str) -> list[str]:
    """What is said of notices that were written or sent, in sentences."""
    reached = [it for it in some if it.mail]
    without = [it.whom for it in some if not it.mail]
    lines = [f"Told {_listed([it.whom for it in reached])}, {where}."] if reached else []
    lines += [f"No mail address is known of {_listed(without)}; tell them yourself."] if without else []
    return lines


def _listed(names: Sequence[str], most: int = 5) -> str:
    if len(names) <= most:
        return ", ".join(names)
    return f"{', '.join(names[:most])} and {plural(len(names) - most, 'other')}"
