"""Use in words: who used what, how often and when last."""

from __future__ import annotations

from datetime import datetime

import numpy as np
from msgspec.structs import asdict

from kathodos.analysis.activity import Activity
from kathodos.model.times import microseconds
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field
from kathodos.workspace.recordings import uses_below
from kathodos.workspace.view import View

_FIELDS = (
    Field("who", "Who", 9, least=14),
    Field("action", "Action", 6, least=8),
    Field("resource", "Resource", 9, least=18),
    Field("count", "Times", 5, is_number=True),
    Field("first", "First", 4, least=20),
    Field("last", "Last", 8, least=20),
)


def used(view: View, by: str | None, on: str | None, since: datetime | None) -> Answer:
    """What was used, how often and when last: by one asker, on one resource and below it, from a moment on."""
    activity = Activity(view.catalogue, view.index.holders)
    chosen = np.ones(len(activity.column("time")), dtype=bool)
    if since is not None:
        chosen &= activity.since(microseconds(since))
    if by:
        chosen &= activity.by(view.asker(by))
    if on:
        chosen &= uses_below(view, activity, on)
    rows = [asdict(it) for it in activity.folded(chosen)]
    heading = f"{plural(sum(it['count'] for it in rows), 'use')}, of {plural(len(rows), 'action')} on a resource each."
    return Answer(_FIELDS, rows, heading, hint="Each event: `kathodos list activity`." if rows else "")
