"""Packets: what one reviewer is shown of the lines that are theirs to decide, in the words of the other answers."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator, Mapping, Sequence
from datetime import datetime
from itertools import islice
from typing import Any

import msgspec
import numpy as np

from kathodos import thresholds
from kathodos.columns.csr import CSRList, Ints, csr_from_pairs
from kathodos.columns.dictionary import DictionaryColumn, positions_among
from kathodos.errors import found_if
from kathodos.model.kinds import IDENTITIES
from kathodos.model.printing import printable
from kathodos.model.times import time_text
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field
from kathodos.report.review_words import evidence_of, whose
from kathodos.review.answering import Refused, Taken
from kathodos.review.line_attributes import LineAttributes
from kathodos.review.lines import ReviewLines
from kathodos.review.packets import Seal, lines_for_packets
from kathodos.review.subjects import SUBJECTS, About

Named = tuple[Sequence[str], Sequence[str]]  # the systems and the roles of a line


class Packet(msgspec.Struct, frozen=True):
    """What one reviewer gets. `content`: what is shown, as JSON in ASCII that may stand in a page; not signed yet."""

    reviewer: str
    name: str
    content: str
    seal: Seal
    title: str


def waiting_lines(lines: ReviewLines, reviewers: Sequence[str] | None) -> dict[str, int]:
    """Whose packets there are, of everybody or of some, and how many lines each holds."""
    names, of = _by_reviewer(lines)
    sizes = of.sizes().tolist()
    known = {name: size for name, size in zip(names, sizes, strict=True) if size}
    return known if reviewers is None else {name: known[name] for name in reviewers if name in known}


def _by_reviewer(lines: ReviewLines) -> tuple[list[str], CSRList]:
    """The reviewers, and the lines of each that a packet holds."""
    chosen = lines_for_packets(lines)
    if lines.review.about != About.IDENTITY_DATA:
        chosen = chosen[~_about_themselves(lines, chosen)]
    reviewer = lines.column("reviewer", chosen).compact()
    of = csr_from_pairs(reviewer.codes.astype(np.int64), chosen, len(reviewer.values))
    return list(map(str, reviewer.values)), of


def packets(
    lines: ReviewLines, reviewers: Sequence[str], now: datetime, needs_reason: bool = False
) -> Iterator[Packet]:
    """The packets of some reviewers. `needs_reason`: certifying against the evidence takes a reason."""
    names, of = _by_reviewer(lines)
    number = {name: at for at, name in enumerate(names)}
    people, named = _People(lines), _Names(lines)
    block: list[tuple[str, Ints]] = []
    for name in reviewers:
        block.append((name, of[number[name]].astype(np.int64)))
        if sum(len(at) for _, at in block) >= thresholds.LINES_PACKED:
            yield from _together(lines, block, people, named, now, needs_reason)
            block = []
    yield from _together(lines, block, people, named, now, needs_reason)


def _about_themselves(lines: ReviewLines, at: Ints) -> Any:
    """Which lines are about the one who would decide them."""
    first, second = lines.column("identity", at).compact(), lines.column("reviewer", at).compact()
    known = np.append(positions_among(second.values, first.values), -1)[second.codes]
    return (first.codes >= 0) & (known == first.codes)


class _People:
    """What stands of the people whom lines are about."""

    _NAMES = ("id", "name", "title", "department")

    def __init__(self, lines: ReviewLines) -> None:
        self._columns = {name: lines.records.column(IDENTITIES, name) for name in self._NAMES}
        ids = self._columns["id"]
        self._at = np.full(len(ids.values) + 1, -1, dtype=np.int64)
        self._at[ids.codes] = np.arange(len(ids))

    def named(self, wanted: DictionaryColumn) -> dict[str, dict[str, Any]]:
        """The records of some of them, by id."""
        at = self._at[positions_among(wanted.values, self._columns["id"].values)]
        there = at >= 0
        lists = [column.listed(at[there]) for column in self._columns.values()]
        return {str(row[0]): dict(zip(self._NAMES, row, strict=True)) for row in zip(*lists, strict=True)}


class _Names:
    """The systems and roles that lines name, worked out once for all that are alike."""

    def __init__(self, lines: ReviewLines) -> None:
        attributes = LineAttributes(lines, 0)
        self._held = [attributes.column(name) for name in ("system", "role")]

    def of(self, position: int) -> Named:
        """Those of one line."""
        systems, roles = (it.values[it.codes[position]] for it in self._held)
        return systems, roles


def _together(
    lines: ReviewLines,
    some: Sequence[tuple[str, Ints]],
    people: _People,
    named: _Names,
    now: datetime,
    needs_reason: bool,
) -> Iterator[Packet]:
    """The packets of some reviewers, whose lines are read at once."""
    if not some:
        return
    every = np.concatenate([at for _, at in some])
    known = people.named(lines.column("identity", every).compact())
    known |= people.named(DictionaryColumn(np.arange(len(some), dtype=np.int32), [name for name, _ in some]))
    records, shown = lines.records_at(every), dict[str, str]()
    for reviewer, at in some:
        own = list(islice(records, len(at)))
        yield packet_of(
            lines, reviewer, own, [named.of(it) for it in at.tolist()], known, time_text(now), shown, needs_reason
        )


def packet_of(
    lines: ReviewLines,
    reviewer: str,
    records: Sequence[dict[str, Any]],
    named: Sequence[Named],
    people: Mapping[str, Mapping[str, Any]],
    issued: str,
    shown: dict[str, str],
    needs_reason: bool = False,
) -> Packet:
    """The packet of one reviewer. `named`: the systems and roles of each line; `people`: those concerned, by id."""
    review, texts = lines.review, Texts(shown)
    rows = [_row(record, own, people, texts) for record, own in zip(records, named, strict=True)]
    name = str((people.get(reviewer) or {}).get("name") or reviewer)
    content_of = {
        "review": printable(review.name),
        "about": review.about,
        "due": review.due[:10],
        "reviewer": printable(reviewer),
        "name": printable(name),
        "issued": issued,
        "decisions": [str(it) for it in SUBJECTS[About(review.about)].decisions],
        "undecided": review.undecided or "",
        "passes": 1,
        "reasons": int(needs_reason),
        "texts": texts.known,
        "lines": rows,
    }
    content = ascii_json(content_of)
    digest = hashlib.sha256(content.encode()).hexdigest()
    seal = Seal(review.name, review.opened_at, reviewer, issued, len(rows), digest)
    return Packet(reviewer, name, content, seal, review.name)


def ascii_json(shown: Mapping[str, Any]) -> str:
    """JSON in ASCII in which nothing can end the element of a page that it stands in."""
    text = json.dumps(shown, separators=(",", ":"))
    return text.replace("<", "\\u003c").replace(">", "\\u003e").replace("&", "\\u0026")


class Texts:
    """Texts that stand in a packet, each once. `shown`: how some texts are shown, kept from packet to packet."""

    def __init__(self, shown: dict[str, str]) -> None:
        self.known: list[str] = []
        self._number: dict[str, int] = {}
        self._shown = shown

    def add(self, text: str) -> int:
        """The number of a text."""
        found = self._number.get(text)
        if found is None:
            found = self._number[text] = len(self.known)
            shown = self._shown.get(text)
            if shown is None:
                if len(self._shown) > thresholds.TEXTS_KEPT:
                    self._shown.clear()
                shown = self._shown[text] = printable(text)
            self.known.append(shown)
        return found


def _row(line: dict[str, Any], named: Named, people: Mapping[str, Mapping[str, Any]], texts: Texts) -> list[Any]:
    """One line: number, whom, what, what stands out, which way it speaks, the evidence, systems, roles, and whether it
    may be made less. Texts by their numbers."""
    systems, roles = named
    return [
        line["line"],
        texts.add(_whom(line, people)),
        texts.add(line["gives"]),
        texts.add(line["stands_out"] or ""),
        {"against": 1, "for": 2}.get(line["speaks"] or "", 0),
        [texts.add(it) for it in evidence_of(line)],
        [texts.add(it) for it in systems],
        [texts.add(it) for it in roles],
        int("grant" in line["item"]),
    ]


def _whom(line: dict[str, Any], people: Mapping[str, Mapping[str, Any]]) -> str:
    """Whom a line is about, with title and department."""
    if line["identity"] is None:
        return " ".join(filter(None, whose({**line, "name": None})))
    record = people.get(line["identity"]) or {}
    first = f"{record.get('name') or ''} ({line['identity']})".strip()
    return ", ".join([first, *(str(it) for it in (record.get("title"), record.get("department")) if it)])


def packets_made(review: str, seals: Sequence[Seal], folder: str) -> Answer:
    """What is said once packets are made."""
    lines = sum(it.lines for it in seals)
    heading = f"Made {plural(len(seals), 'packet')} of {review} in {folder}: {plural(lines, 'line')} to decide."
    text = ["Each opens in any browser and needs no network. Send each to its reviewer, and to nobody else."]
    hint = "When they come back: kathodos review take FILE..."
    rows = [{"review": it.review, "reviewer": it.reviewer, "lines": it.lines, "digest": it.digest} for it in seals]
    return Answer(heading=heading, text=text, hint=hint, document={"review": review, "packets": rows})


_REFUSED = (
    Field("file", "File", 8, least=16),
    Field("line", "Line", 9, is_number=True, shown=lambda it: str(it or "")),
    Field("why", "Why it was not taken", 10, least=24),
)
_TAKEN = {"certify": "certified", "reduce": "reduced", "revoke": "revoked", "correct": "corrected", "pass": "passed on"}


def answers_taken(taken: Sequence[Taken], unread: Sequence[Refused], is_done: bool) -> Answer:
    """What is said of answers that were taken in, or would be: how many lines, and each that was refused with why.

    `unread`: files that hold no answers.
    """
    counts = {name: sum(it.count(name) for it in taken) for name in (*_TAKEN, "comment")}
    refused = [*unread, *(it for one in taken for it in one.refused)]
    files = {name for it in taken for name in it.counts}
    told = [f"{counts[name]} {word}" for name, word in _TAKEN.items() if counts[name]]
    told += [f"{plural(counts['comment'], 'comment')} alone"] if counts["comment"] else []
    verb = "Took" if is_done else "Would take"
    heading = f"{verb} the answers of {plural(len(files), 'file')}: {', '.join(told)}; {len(refused)} refused."
    if not told:
        heading = f"{verb} nothing; {plural(len(refused), 'answer')} refused."
    text = []
    repeated = sum(it.repeated for it in taken)
    if repeated:
        text.append(f"{plural(repeated, 'answer was', 'answers were')} taken before, and changed nothing.")
    rows = [{"file": it.file, "line": it.line or None, "why": it.why} for it in refused]
    reviews = sorted({it.review.name for it in taken})
    hint = f"Next: kathodos review status {' '.join(reviews)}" if len(reviews) == 1 else "Next: kathodos review status"
    if told and not is_done:
        hint = "As you want it? The same without --dry-run."
    document = {"reviews": reviews, "files": sorted(files), **counts, "repeated": repeated, "refused": rows}
    return Answer(_REFUSED if rows else (), rows, heading, text, hint=hint, document=document, status=found_if(refused))
