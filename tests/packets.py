"""What tests do with packets: read what a page holds, and write the file of answers that it would save."""

import json
import re
from pathlib import Path


def held_in(page, name):
    """What an element of a page holds: `packet`, `seal` or `words`."""
    text = Path(page).read_text(encoding="utf-8")
    return re.search(rf'<script type="application/json" id="{name}">(.*?)</script>', text, re.DOTALL)[1]


def answers_to(page, *answers, **changed):
    """A file of answers as the page saves it. `answers`: tables with `line` and what is answered."""
    seal = json.loads(held_in(page, "seal"))
    whole = {"form": "kathodos answers 1", "seal": seal, "digest": seal["digest"], "answers": list(answers)}
    return {**whole, **changed}


def saved(file, content):
    """A file with this content, as JSON."""
    Path(file).write_text(json.dumps(content), encoding="utf-8")
    return file


def lines_in(page):
    """The lines of a page by number: what each is about, what stands out, and its evidence, as texts."""
    packet = json.loads(held_in(page, "packet"))
    texts = packet["texts"]
    return {
        line[0]: {
            "whom": texts[line[1]],
            "what": texts[line[2]],
            "out": texts[line[3]],
            "evidence": [texts[it] for it in line[5]],
        }
        for line in packet["lines"]
    }
