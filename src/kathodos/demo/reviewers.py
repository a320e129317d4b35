"""What made-up reviewers and approvers do with their packets: open the page, decide, save the answers."""

from __future__ import annotations

import json
import re
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

from kathodos.model.times import time_text
from kathodos.model.words import plural


def answer(page: Path, to: Path, first: str, seconds: float, how: str) -> str:
    """Writes the file that a page saves. `how`: `careful` looks at all evidence, and makes less what it speaks against;
    `granting` grants requests; `hasty` certifies everything.

    `first`: when the first line is decided; `seconds`: how long each takes. Gives what was done, in words.
    """
    packet, seal = _held(page, "packet"), _held(page, "seal")
    begun, answers, is_careful = datetime.fromisoformat(first), [], how != "hasty"
    for at, line in enumerate(packet["lines"]):
        number, way, is_grant = line[0], line[4], line[8]
        when = time_text(begun + timedelta(seconds=round(at * seconds, 3)))
        decision = "grant" if how == "granting" else "certify"
        one = {"line": number, "decision": decision, "opened": is_careful, "at": when}
        if how == "careful" and way == 1 and is_grant:
            one |= {"decision": "reduce", "until": "2026-12-31", "reason": "used in autumn only; asked for anew then"}
        answers.append(one)
    whole = {"form": "kathodos answers 1", "seal": seal, "digest": seal["digest"], "answers": answers}
    to.parent.mkdir(parents=True, exist_ok=True)
    to.write_text(json.dumps(whole), encoding="utf-8")
    lines, took = plural(len(answers), "line"), _time(len(answers) * seconds)
    return f"{packet['name']} opens {page.as_posix()}, decides {lines} in {took} and sends {to.name} back."


def _time(seconds: float) -> str:
    return plural(round(seconds), "second") if seconds < 120 else plural(round(seconds / 60), "minute")


def _held(page: Path, name: str) -> Any:
    """What an element of a page holds."""
    text = page.read_text(encoding="utf-8")
    found = re.search(rf'<script type="application/json" id="{name}">(.*?)</script>', text, re.DOTALL)
    assert found is not None
    return json.loads(found[1])
