"""Reminders: what waits for whom, in words that tell no secret; what is said once they are made or lines went on."""

from __future__ import annotations

import shlex
from collections.abc import Sequence
from datetime import datetime
from itertools import groupby
from typing import Any

import msgspec

from kathodos.model.kinds import IDENTITIES
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field, Row
from kathodos.review.escalating import Escalated, Waiting
from kathodos.review.lines import days_left
from kathodos.store.records import Records

_FIELDS = (
    Field("reviewer", "Reviewer", 8, least=8),
    Field("name", "Name", 5, least=10),
    Field("mail", "Mail", 7, least=12),
    Field("left", "Lines left", 9, is_number=True, least=5),
    Field("asked", "Questions", 6, is_number=True, least=9),
    Field("reviews", "Reviews", 8, least=8),
)


class Reminder(msgspec.Struct, frozen=True):
    """What one reviewer is reminded of. `mail`: empty where no address is known; `values`: for the template."""

    reviewer: str
    name: str
    mail: str
    waiting: Sequence[Waiting]
    values: dict[str, Any]

    @property
    def left(self) -> int:
        return sum(it.left for it in self.waiting)

    @property
    def asked(self) -> int:
        return sum(it.asked for it in self.waiting)

    @property
    def subject(self) -> str:
        """What the mail is about."""
        names = ", ".join(it.review.name for it in self.waiting)
        what = plural(self.left, "line") if self.left else plural(self.asked, "question")
        return f"{what} to decide in {names}" if self.left else f"{what} to answer in {names}"


def reminders(records: Records, some: Sequence[Waiting], now: datetime) -> list[Reminder]:
    """A reminder for everybody for whom something waits."""
    found = []
    for reviewer, own in groupby(sorted(some, key=lambda it: (it.reviewer, it.review.name)), lambda it: it.reviewer):
        waiting = list(own)
        record = records.with_key(IDENTITIES, (reviewer,)) or {}
        name, mail = (str(record.get(key) or "") for key in ("name", "email"))
        told = [_told(it, now) for it in waiting]
        found.append(
            Reminder(reviewer, name, mail, waiting, {"reviewer": reviewer, "name": name, "mail": mail, "reviews": told})
        )
    return found


def _told(it: Waiting, now: datetime) -> dict[str, Any]:
    """What the template may say of one review."""
    days = days_left(it.review, now)
    return {
        "review": it.review.name,
        "left": it.left,
        "asked": it.asked,
        "due": it.review.due,
        "days_left": days,
        "lines": plural(it.left, "line"),
        "questions": plural(it.asked, "question"),
        "command": f"kathodos review walk {shlex.quote(it.review.name)} --as {shlex.quote(it.reviewer)}",
        "days": f"due in {plural(days, 'day')}" if days > 0 else "due today" if not days else f"{-days} days late",
    }


def reminded(some: Sequence[Reminder], where: str, is_done: bool) -> Answer:
    """What is said of reminders that are made, or would be. `where`: to which folder or server they go."""
    rows: list[Row] = [
        {
            "reviewer": it.reviewer,
            "name": it.name,
            "mail": it.mail or None,
            "left": it.left,
            "asked": it.asked,
            "reviews": ", ".join(one.review.name for one in it.waiting),
        }
        for it in some
    ]
    without = [it.reviewer for it in some if not it.mail]
    verb = "Reminded" if is_done else "Would remind"
    count = len(some) - len(without)
    heading = f"{verb} {plural(count, 'person', 'people')} of {plural(sum(it.left for it in some), 'line')}, {where}."
    if not some:
        heading = "Nothing waits for anybody."
    text = [f"No mail address is known of {', '.join(without[:5])}; tell them yourself."] if without else []
    hint = "After the due day: kathodos review escalate" if some else ""
    return Answer(_FIELDS, rows, heading, text, hint=hint)


def escalated(done: Escalated, is_done: bool) -> Answer:
    """What is said once lines that were not decided in time went on to the next one up, or would."""
    count = sum(it[2] for it in done.went)
    verb = "Passed on" if is_done else "Would pass on"
    heading = f"{verb} {plural(count, 'line')} of {done.review.name} that were due on {done.review.due}."
    text = [f"{plural(lines, 'line')} of {first} to {second}" for first, second, lines in done.went]
    stayed = [f"{plural(lines, 'line')} of {name}" for name, lines in done.stayed]
    text += [f"Nobody is above who may decide them: {', '.join(stayed)}."] if stayed else []
    hint = f"Remind them: kathodos review remind {done.review.name}" if is_done else ""
    document = {
        "review": done.review.name,
        "went": [{"from": first, "to": second, "lines": lines} for first, second, lines in done.went],
        "stayed": [{"reviewer": name, "lines": lines} for name, lines in done.stayed],
    }
    return Answer(heading=heading, text=text, hint=hint, document=document)
