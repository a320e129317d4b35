"""`kathodos excess`: privilege beyond need, by kind, with its evidence and what to do."""

from __future__ import annotations

import argparse
from collections import Counter
from collections.abc import Callable, Iterable, Iterator
from typing import TYPE_CHECKING, Any

from kathodos.cli.options import Commands, Formatter, about_state, command
from kathodos.cli.session import Session, plural
from kathodos.errors import CallError
from kathodos.output.answers import Answer, Field, Lines, Row

if TYPE_CHECKING:
    from kathodos.columns.csr import Bools
    from kathodos.findings.excess.batches import Batch, ExcessContext, Finding
    from kathodos.model.filters import Node
    from kathodos.workspace.saved_index import View

SEVERITY_STYLES = {"critical": "bold red", "high": "red", "medium": "yellow", "low": ""}
_SEVERITIES = ("critical", "high", "medium", "low")
_COUNTS = (
    Field("kind", "Kind", 9, least=23),
    *(Field(name, name.title(), 7, is_number=True) for name in _SEVERITIES),
    Field("findings", "Findings", 8, is_number=True),
    Field("means", "What it is", 6, least=24),
)
_FOUND = (
    Field("severity", "Severity", 7, least=8, style=lambda value: SEVERITY_STYLES.get(value, "")),
    Field("kind", "Kind", 6, least=23),
    Field("subject", "Who or what", 8, least=20),
    Field("rests_on", "Rests on", 6, least=12),
    Field("evidence", "Evidence", 9, least=34),
    Field("confidence", "Sure", 5, is_number=True, shown=lambda value: f"{value} %"),
    Field("remedy", "What to do", 4, least=20),
)
_OWN = ("kind", "severity", "subject", "confidence", "days")
_MOST_SHOWN = 40


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = command(
        commands,
        "excess",
        common,
        formatter,
        run,
        "find privilege beyond need, of more than twenty kinds, with evidence and what to do",
        "  kathodos excess                          # how much of each kind\n"
        "  kathodos excess --kind leaver-account\n"
        "  kathodos excess --by p0039               # all that concerns one identity\n"
        '  kathodos excess --all --where \'severity eq "high" and department eq "Pilotage"\'\n'
        "  kathodos excess --kind redundant --change redundant.toml",
    )
    parser.add_argument("--kind", metavar="KIND", action="append", help="one kind, in detail; may be repeated")
    parser.add_argument("--by", metavar="REF", help="what concerns one identity or account")
    parser.add_argument(
        "--where",
        metavar="FILTER",
        help="over kind, severity, subject, confidence, days; an identity's attributes",
    )
    parser.add_argument("--all", action="store_true", help="every finding instead of the counts")
    parser.add_argument("--change", metavar="FILE", help="write the remedies that are edits as a change file")
    about_state(parser)


def run(session: Session) -> int:
    from kathodos.findings.excess.kinds import NAMES

    asked = session.arguments
    for name in asked.kind or ():
        if name not in NAMES:
            from kathodos.model.suggestions import nearest

            raise CallError(f"There is no kind of excess {name}.", nearest(name, NAMES))
    from kathodos.findings.excess.kinds import find_excess

    state = session.asked()
    context = session.context(state.view, state.moment, state.entry)
    choice = _Choice(session, state.view, context)
    kept = [
        (batch, choice.of(batch)) for batch in find_excess(context, asked.kind or NAMES, session.register(state.entry))
    ]
    if asked.change:
        return _write(session, kept)
    is_listed = asked.kind or asked.by or asked.where or asked.all or session.format != "table"
    return _list(session, kept) if is_listed else _count(session, kept)


class _Choice:
    """Which findings were asked for, by `--by` and `--where`."""

    def __init__(self, session: Session, view: View, context: ExcessContext) -> None:
        from kathodos.store.attributes import filter_of

        asked = session.arguments
        self.context = context
        self.thing = session.thing(view, asked.by) if asked.by else None
        known = [*_OWN, *context.snapshot.known_attributes()]
        self.filter = filter_of(asked.where, known, "finding or identity") if asked.where else None
        self._of_identities: dict[str, Any] = {}

    def of(self, batch: Batch) -> Any:
        """The positions of the findings of a batch, the gravest and surest first."""
        import numpy as np

        mask = np.ones(len(batch), dtype=bool)
        if self.thing is not None:
            mask &= self._about(batch, *self.thing)
        if self.filter is not None:
            mask &= self._selected(batch, self.filter)
        positions = mask.nonzero()[0]
        return positions[np.lexsort((-batch.confidence[positions], -batch.severity[positions]))]

    def _about(self, batch: Batch, kind: str, number: int) -> Bools:
        """Which findings concern an identity, or are about an account, a role, a group, a system or a resource."""
        index = self.context.snapshot.index
        holders = index.holders
        if kind == "identities":
            mine: Bools = batch.whose == number
            return mine
        owner = int(holders.owner[number]) if kind == "accounts" else -1
        names = {
            "accounts": lambda: f"account:{holders.accounts[number]}",
            "roles": lambda: f"role:{index.roles[number]}",
            "groups": lambda: f"group:{holders.groups[number]}",
            "systems": lambda: f"system:{index.systems_in_order[number].name}",
            "resources": lambda: index.tree.addresses[number],
        }
        name = names[kind]()
        found: Bools = (batch.whose < 0) | (batch.whose == owner)
        for at in found.nonzero()[0].tolist():
            found[at] = batch.subject(at) == name
        return found

    def _selected(self, batch: Batch, node: Node) -> Bools:
        """Which findings a filter selects: by their own attributes, else by those of the identity concerned."""
        from kathodos.rules.reading import SEVERITIES

        own: dict[str, Callable[[], list[Any]]] = {
            "kind": lambda: [batch.kind] * len(batch),
            "severity": lambda: [SEVERITIES[at] for at in batch.severity.tolist()],
            "subject": lambda: [batch.subject(at) for at in range(len(batch))],
            "confidence": lambda: batch.confidence.tolist(),
            "days": lambda: [at if at >= 0 else None for at in batch.days.tolist()],
        }

        def column(name: str) -> list[Any]:
            return own[name.lower()]() if name.lower() in own else list(self._identities(name)[batch.whose])

        return node.mask(column, len(batch))

    def _identities(self, name: str) -> Any:
        """An attribute of each identity, and behind them nothing."""
        import numpy as np

        if name not in self._of_identities:
            values = self.context.snapshot.values(name)
            column = np.empty(len(values) + 1, dtype=object)
            column[:-1] = values
            self._of_identities[name] = column
        return self._of_identities[name]


def _count(session: Session, kept: list[tuple[Batch, Any]]) -> int:
    from kathodos.findings.excess.kinds import KINDS, LATE_CONTROL
    from kathodos.rules.reading import SEVERITIES

    means = {kind.name: kind.means for kind in KINDS} | {LATE_CONTROL: "a control that was not confirmed in time"}
    rows = []
    for batch, positions in kept:
        if len(positions):
            by = Counter(SEVERITIES[at] for at in batch.severity[positions].tolist())
            named = {name: by[name] or None for name in _SEVERITIES}
            rows.append({"kind": batch.kind, **named, "findings": len(positions), "means": means[batch.kind]})
    rows.sort(key=_gravest_first)
    total = sum(len(positions) for _, positions in kept)
    shown = [it for it in _COUNTS if it.key not in _SEVERITIES or any(row[it.key] for row in rows)]
    hint = f"One kind in detail: kathodos excess --kind {rows[0]['kind']}; all: --all" if rows else ""
    heading = f"{plural(total, 'finding')} of {plural(len(rows), 'kind')}"
    return session.answer(Answer(shown, rows, heading, hint=hint, status=1 if total else 0))


def _gravest_first(row: Row) -> list[int]:
    return [-(row[name] or 0) for name in _SEVERITIES]


def _list(session: Session, kept: list[tuple[Batch, Any]]) -> int:

    total = sum(len(positions) for _, positions in kept)
    is_table = session.format == "table"
    most = _MOST_SHOWN if is_table and not session.arguments.all else total
    told = (_row(it) for it in _told(kept, most))
    rows: Iterable[Row] = told
    left_out: set[str] = set()
    if is_table:
        rows = [_shown(row) for row in told]
        left_out = {"rests_on", *(["kind"] if len(kept) == 1 else [])}
    fields = [it for it in _FOUND if it.key not in left_out]
    hint = "As a change file: --change FILE" if total else ""
    hint = f"{total - most} more: --all shows them" if most < total else hint
    extra = () if is_table else ("days",)
    heading = plural(total, "finding")
    return session.answer(Answer(fields, rows, heading, hint=hint, status=1 if total else 0, extra_keys=extra))


def _told(kept: list[tuple[Batch, Any]], most: int) -> Iterator[Finding]:
    """The first so many findings of all batches in words, the gravest and surest first."""
    import numpy as np

    from kathodos.findings.excess.batches import finding

    some = [(batch, positions) for batch, positions in kept if len(positions)]
    if some:
        of = np.repeat(np.arange(len(some)), [len(positions) for _, positions in some])
        position, severity, confidence = (
            np.concatenate(parts)
            for parts in zip(*((at, it.severity[at], it.confidence[at]) for it, at in some), strict=True)
        )
        for at in np.lexsort((-confidence, -severity))[:most].tolist():
            yield finding(some[of[at]][0], int(position[at]))


def _row(found: Finding) -> dict[str, Any]:
    edits = [{"do": it.verb, "kind": it.kind, **it.cells} for it in found.edits]
    return {**{key: value for key, value in vars(found).items() if key != "edits"}, "edits": edits}


def _shown(row: dict[str, Any]) -> dict[str, Any]:
    """A finding for a person: what it rests on stands below what it is about."""
    rests = [f"rests on {row['rests_on']}"] if row["rests_on"] != row["subject"] else []
    return {**row, "subject": Lines([row["subject"], *rests])}


def _write(session: Session, kept: list[tuple[Batch, Any]]) -> int:
    """The remedies that are edits, as a change file."""
    from kathodos.output.changes import Block, write_changes

    told = list(_told(kept, sum(len(positions) for _, positions in kept)))
    blocks = [
        Block(edit.verb, edit.kind, edit.cells, f"{it.kind}, {it.subject}: {it.evidence}")
        for it in told
        for edit in it.edits
    ]
    without = sum(not it.edits for it in told)
    file = session.arguments.change
    if not blocks:
        heading = f"{plural(len(told), 'finding')}, none with a remedy that is an edit; {file} was not written."
        return session.answer(Answer(heading=heading, document={"file": None, "edits": 0}))
    count = write_changes(file, "Remedies of excess, as kathodos excess found it.", blocks)
    text = [f"{plural(without, 'finding')} had no remedy that is an edit."] if without else []
    heading = f"Wrote {plural(count, 'edit')} for {plural(len(told) - without, 'finding')} to {file}."
    hint = f"Ask as if they were made: kathodos conflicts --assume {file}"
    entries = Lines(text)
    return session.answer(Answer(heading=heading, text=entries, hint=hint, document={"file": file, "edits": count}))
