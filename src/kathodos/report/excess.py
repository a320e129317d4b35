"""Privilege beyond need in words: counted by kind, each finding with its evidence, and the remedies as changes."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from functools import cached_property
from itertools import islice
from typing import Any

import msgspec
import numpy as np
from msgspec.structs import asdict

from kathodos.analysis.askers import AskerAttributes
from kathodos.analysis.evidence.usual import not_judged
from kathodos.change.edit_sets import Verb
from kathodos.change.files import Block, each_once
from kathodos.columns.csr import Bools, Ints, distinct
from kathodos.columns.dictionary import dictionary_column
from kathodos.errors import CallError, found_if
from kathodos.findings.excess.batches import LOOKED_AHEAD, Batch, Finding, FindingColumns, finding
from kathodos.findings.excess.kinds import KINDS, LATE_CONTROL, NAMES
from kathodos.findings.excess.peers import BY_PEERS
from kathodos.model.filters import Node
from kathodos.model.kinds import GRANTS, MEMBERS, Form
from kathodos.model.references import reference_to
from kathodos.model.severities import SEVERITIES
from kathodos.model.suggestions import nearest
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field, Lines, Row
from kathodos.report.marks import Keyed, Marks
from kathodos.report.severities import STYLES
from kathodos.store.attributes import Distinct, filter_of, selected
from kathodos.workspace.view import View

_SEVERITIES = ("critical", "high", "medium", "low")
_COUNTS = (
    Field("kind", "Kind", 9, least=23),
    *(Field(name, name.title(), 7, is_number=True) for name in _SEVERITIES),
    Field("findings", "Findings", 8, is_number=True),
    Field("means", "What it is", 6, least=24),
)
_FOUND = (
    Field("severity", "Severity", 7, least=8, style=lambda value: STYLES.get(value, "")),
    Field("kind", "Kind", 6, least=23),
    Field("subject", "Who or what", 8, least=20),
    Field("rests_on", "Rests on", 6, least=12),
    Field("evidence", "Evidence", 9, least=34),
    Field("confidence", "Sure", 5, is_number=True, shown=lambda value: f"{value} %"),
    Field("remedy", "What to do", 4, least=20),
)
_OWN = ("kind", "severity", "subject", "confidence", "days")
_MOST_SHOWN = 40
_TOLD_TOGETHER = 1000  # findings of which it is looked up at once by what they stand


class _OfFindings:
    """What a filter over findings may name: what they have themselves, and what is known of those concerned."""

    def __init__(self, concerned: AskerAttributes) -> None:
        self._concerned = concerned
        self.today = concerned.today

    def has(self, name: str) -> bool:
        """Whether findings, or those concerned, have an attribute."""
        return name.lower() in _OWN or self._concerned.has(name)

    def known(self) -> set[str]:
        """The names of all attributes."""
        return {*_OWN, *self._concerned.known()}

    def form(self, name: str) -> Form | None:
        """How an attribute compares."""
        if name.lower() in _OWN:
            return Form.NUMBER if name.lower() in ("confidence", "days") else None
        return self._concerned.form(name)


class ExcessQuestion(msgspec.Struct, frozen=True, dict=True):
    """Which findings are asked for: of some kinds, about one thing, selected by a filter; None for all."""

    view: View
    kinds: Sequence[str] | None = None
    by: str | None = None
    where: str | None = None

    @cached_property
    def thing(self) -> tuple[str, int] | None:
        """The kind and number of the thing asked about."""
        return self.view.thing(self.by) if self.by else None

    @cached_property
    def filter(self) -> Node | None:
        """The filter, over findings and the identities concerned."""
        return (
            filter_of(self.where, _OfFindings(self.view.basis.filtered), "finding or identity") if self.where else None
        )

    @cached_property
    def found(self) -> list[tuple[Batch, Ints]]:
        """Batches of findings, and which of each were asked for. Raises CallError for a kind that there is not."""
        for name in self.kinds or ():
            if name not in NAMES:
                raise CallError(f"There is no kind of excess {name}.", nearest(name, NAMES))
        findings = self.view.findings
        kinds = self.kinds or {it.kind for it in findings.excess_columns if len(self.of(it))}
        return [(batch, self.of(batch)) for batch in findings.excess_of(kinds)]

    def of(self, batch: FindingColumns) -> Ints:
        """The positions of the findings of a batch, the gravest and surest first; without words, those it may be."""
        mask = np.ones(len(batch), dtype=bool)
        if self.thing is not None:
            mask &= self._about(batch, *self.thing)
        if self.filter is not None:
            mask &= self._selected(batch, self.filter)
        positions = mask.nonzero()[0]
        return positions[np.lexsort((-batch.confidence[positions], -batch.severity[positions]))]

    def _about(self, batch: FindingColumns, kind: str, number: int) -> Bools:
        """Which findings concern an identity, or are about an account, a role, a group, a system or a resource."""
        index = self.view.index
        holders = index.holders
        if kind == "identities":
            mine: Bools = batch.whose == number
            return mine
        owner = int(holders.asker_of[holders.people + number]) if kind == "accounts" else -1
        found: Bools = (batch.whose < 0) | (batch.whose == owner)
        if isinstance(batch, Batch):
            names = {
                "accounts": lambda: reference_to("account", holders.accounts[number]),
                "roles": lambda: reference_to("role", index.roles[number]),
                "groups": lambda: reference_to("group", holders.groups[number]),
                "systems": lambda: reference_to("system", index.systems_in_order[number].name),
                "resources": lambda: index.tree.addresses[number],
            }
            name = names[kind]()
            for at in found.nonzero()[0].tolist():
                found[at] = batch.subject(at) == name
        return found

    def _selected(self, batch: FindingColumns, node: Node) -> Bools:
        """Which findings a filter selects: by their own attributes, else by those of the identity concerned."""
        if "subject" in {name.lower() for name in node.attributes()} and not isinstance(batch, Batch):
            return np.ones(len(batch), dtype=bool)

        def column(name: str) -> Distinct:
            lower = name.lower()
            if lower == "kind":
                return Distinct(np.zeros(len(batch), dtype=np.int32), [batch.kind])
            if lower == "severity":
                return Distinct(batch.severity.astype(np.int32), [str(it) for it in SEVERITIES], is_ranked=True)
            if lower == "subject" and isinstance(batch, Batch):
                subjects = dictionary_column(batch.subject(at) for at in range(len(batch)))
                return Distinct(subjects.codes, subjects.values)
            if lower in ("confidence", "days"):
                numbers: Ints = getattr(batch, lower)
                values, codes = np.unique(numbers, return_inverse=True)
                known = [value if value >= 0 else None for value in values.tolist()]
                return Distinct(codes.astype(np.int32), known, Form.NUMBER)
            held = of_whom(name)
            return Distinct(np.append(held.codes, np.int32(-1))[whose], held.values, held.form, held.is_ranked)

        filtered, people = self.view.basis.filtered, self.view.basis.people
        of_whom, whose = filtered.of_identity, np.where(batch.whose < people, batch.whose, -1)
        found = selected(node, column, len(batch), filtered.today)
        if (batch.whose >= people).any():
            of_whom, whose = filtered.of_account, np.where(batch.whose >= people, batch.whose - people, -1)
            found = np.where(batch.whose >= people, selected(node, column, len(batch), filtered.today), found)
        return found


def excess_counts(view: View) -> Answer:
    """How much there is of each kind."""
    means = {kind.name: kind.means for kind in KINDS} | {LATE_CONTROL: "a control that was not confirmed in time"}
    rows: list[dict[str, Any]] = []
    for batch in view.findings.excess_columns:
        if len(batch):
            counts = np.bincount(batch.severity, minlength=len(SEVERITIES)).tolist()
            by = {str(name): count or None for name, count in zip(SEVERITIES, counts, strict=True)}
            named = {name: by[name] for name in _SEVERITIES}
            rows.append({"kind": batch.kind, **named, "findings": len(batch), "means": means[batch.kind]})
    rows.sort(key=_gravest_first)
    total = sum(row["findings"] for row in rows)
    shown = [it for it in _COUNTS if it.key not in _SEVERITIES or any(row[it.key] for row in rows)]
    hint = f"One kind in detail: kathodos excess --kind {rows[0]['kind']}; all: --all" if rows else ""
    heading = f"{plural(total, 'finding')} of {plural(len(rows), 'kind')}"
    return Answer(shown, rows, heading, hint=hint, status=found_if(total))


def _gravest_first(row: Row) -> list[int]:
    return [-(row[name] or 0) for name in _SEVERITIES]


def excess_list(asked: ExcessQuestion, is_table: bool, is_whole: bool) -> Answer:
    """The findings with their evidence; in a table only the first, unless the whole of them is wanted."""
    kept = asked.found
    total = sum(len(positions) for _, positions in kept)
    most = _MOST_SHOWN if is_table and not is_whole else total
    marks = Marks(asked.view)
    told = _in_words(kept, most)
    chosen = (
        {**_row(it), "ordered": marks.of_any(_ended_by(it)) or None, "stands": stands or None}
        for some in iter(lambda: list(islice(told, _TOLD_TOGETHER)), [])
        for it, stands in zip(some, marks.stand_by([_ended_by(it) for it in some]), strict=True)
    )
    rows: Iterable[Row] = chosen
    left_out: set[str] = set()
    if is_table:
        rows = [_shown(row) for row in chosen]
        left_out = {"rests_on", *(["kind"] if len(kept) == 1 else [])}
    fields = [it for it in _FOUND if it.key not in left_out]
    can_be_edited = any(row["edits"] for row in rows) if is_table else total
    hint = "Their remedies as a change: --into CHANGE" if can_be_edited else ""
    hint = f"{total - most} more: --all shows them" if most < total else hint
    extra = () if is_table else ("days", "ordered", "stands")
    heading, text = plural(total, "finding"), _not_judged(asked) if is_table else []
    return Answer(fields, rows, heading, text, hint=hint, status=found_if(total), extra_keys=extra)


def _not_judged(asked: ExcessQuestion) -> list[str]:
    """Of how many people nothing is said since they have too few peers, where only peers are asked about."""
    if not asked.kinds or not {*asked.kinds} <= BY_PEERS:
        return []
    terms = asked.view.context.thresholds.peer_terms
    some, every = not_judged(asked.view.basis, terms)
    if not some:
        return []
    needed = plural(terms.enough, "other", "others")
    return [
        f"Of {some:,} of {every:,} active persons this cannot be said: it takes {needed} of the same "
        f"{' and '.join(terms.attributes)}, and they have fewer."
    ]


def _in_words(kept: list[tuple[Batch, Any]], most: int) -> Iterator[Finding]:
    """The first so many findings of all batches in words, the gravest and surest first."""
    some = [(batch, positions) for batch, positions in kept if len(positions)]
    if some:
        of = np.repeat(np.arange(len(some)), [len(positions) for _, positions in some])
        position, severity, confidence = (
            np.concatenate(parts)
            for parts in zip(*((at, it.severity[at], it.confidence[at]) for it, at in some), strict=True)
        )
        order = np.lexsort((-confidence, -severity))[:most]
        for first in range(0, len(order), LOOKED_AHEAD):
            here = order[first : first + LOOKED_AHEAD]
            for number in distinct(of[here]).tolist():
                some[number][0].look_ahead(position[here[of[here] == number]])
            for at in here.tolist():
                yield finding(some[of[at]][0], int(position[at]))


def _row(found: Finding) -> dict[str, Any]:
    edits = [{"do": it.verb, "kind": it.kind, **it.cells} for it in found.edits]
    return {**{key: value for key, value in asdict(found).items() if key != "edits"}, "edits": edits}


def _ended_by(found: Finding) -> list[Keyed]:
    """The grants and memberships that a finding rests on: those that its remedy ends, or the grant that it names."""
    ended = [(it.kind, it.cells) for it in found.edits if it.verb == Verb.END]
    keys: list[Keyed] = [
        (kind, tuple(cells[name] for name in kind.key))
        for name_of_kind, cells in ended
        for kind in (GRANTS, MEMBERS)
        if kind.name == name_of_kind
    ]
    prefix, _, name = found.rests_on.partition(":")
    return keys or ([(GRANTS, (name,))] if prefix == "grant" else [])


def _shown(row: dict[str, Any]) -> dict[str, Any]:
    """A finding for a person: what it rests on stands below what it is about."""
    rests = [f"rests on {row['rests_on']}"] if row["rests_on"] != row["subject"] else []
    rests += [row["ordered"]] if row["ordered"] else []
    rests += [f"stands {row['stands']}"] if row["stands"] else []
    return {**row, "subject": Lines([row["subject"], *rests])}


def excess_remedies(asked: ExcessQuestion, file: str | None) -> tuple[Answer, list[Block]]:
    """What is said of the remedies that are edits, and these as blocks of a change file. `file`: that is written."""
    kept = asked.found
    chosen = list(_in_words(kept, sum(len(positions) for _, positions in kept)))
    blocks = each_once(
        Block(Verb(edit.verb), edit.kind, edit.cells, f"{it.kind}, {it.subject}: {it.evidence}", it.subject)
        for it in chosen
        for edit in it.edits
    )
    without = sum(not it.edits for it in chosen)
    if not blocks:
        whither = f"{file} was not written" if file else "nothing was collected"
        heading = f"{plural(len(chosen), 'finding')}, none with a remedy that is an edit; {whither}."
        return Answer(heading=heading, document={"file": None, "edits": 0}), []
    text = [f"{plural(without, 'finding')} had no remedy that is an edit."] if without else []
    count = f"{plural(len(blocks), 'edit')} for {plural(len(chosen) - without, 'finding')}"
    heading = f"Wrote {count} to {file}." if file else f"{count}."
    hint = f"Ask as if they were made: kathodos conflicts --assume {file}" if file else ""
    return Answer(heading=heading, text=text, hint=hint, document={"file": file, "edits": len(blocks)}), blocks
