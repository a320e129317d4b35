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
    from kathodos.access.arrays import Bools
    from kathodos.catalogue.filters import Node
    from kathodos.findings.excess.batches import Batch, Finding, Ground

SEVERITY_STYLES = {"critical": "bold red", "high": "red", "medium": "yellow", "low": ""}
_SEVERITIES = ("critical", "high", "medium", "low")
_COUNTS = (
    Field("kind", "Kind", 9, least=14),
    *(Field(name, name.title(), 7, is_number=True) for name in _SEVERITIES),
    Field("findings", "Findings", 8, is_number=True),
    Field("means", "What it is", 6, least=24),
)
_FOUND = (
    Field("severity", "Severity", 8, least=8, style=lambda value: SEVERITY_STYLES.get(value, "")),
    Field("kind", "Kind", 7, least=23),
    Field("subject", "Who or what", 9, least=24),
    Field("rests_on", "Rests on", 6, least=12),
    Field("evidence", "Evidence", 9, least=36),
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
            from kathodos.catalogue.selecting import nearest

            raise CallError(f"There is no kind of excess {name}.", nearest(name, NAMES))
    ground, batches = found(session, asked.kind or NAMES)
    kept = [(batch, _kept(session, ground, batch)) for batch in batches]
    if asked.change:
        return _write(session, kept)
    is_listed = asked.kind or asked.by or asked.where or asked.all or session.format != "table"
    return _list(session, kept) if is_listed else _count(session, kept)


def found(session: Session, names: Iterable[str]) -> tuple[Ground, list[Batch]]:
    """What the findings of some kinds rest on at the point that was asked for, and the findings."""
    from kathodos.findings.excess.kinds import find_excess

    state = session.asked()
    ground = session.ground(state.view, state.at, state.entry)
    return ground, list(find_excess(ground, names, session.register(state.entry)))


def _kept(session: Session, ground: Ground, batch: Batch) -> Any:
    """Which findings of a batch were asked for: their positions, the gravest and surest first."""
    import numpy as np

    asked = session.arguments
    mask = np.ones(len(batch), dtype=bool)
    if asked.by:
        mask &= _about(session, ground, batch, asked.by)
    if asked.where:
        from kathodos.catalogue.selecting import filter_of

        known = [*_OWN, *ground.facts.known_attributes()]
        mask &= _selected(ground, batch, filter_of(asked.where, known, "finding or identity"))
    positions = mask.nonzero()[0]
    return positions[np.lexsort((-batch.confidence[positions], -batch.severity[positions]))]


def _about(session: Session, ground: Ground, batch: Batch, reference: str) -> Bools:
    """Which findings concern one identity or account, or bear a name such as a role's or a group's."""
    import numpy as np

    names = np.array([batch.subject(at) for at in range(len(batch))], dtype=object)
    same: Bools = names == reference
    if reference.split(":", 1)[0] in ("role", "group", "system", "control", "grant") or ":/" in reference:
        return same
    from kathodos.catalogue.kinds import ACCOUNTS, IDENTITIES

    index = ground.facts.index
    asker = session.asker(session.asked().view, reference, (IDENTITIES, ACCOUNTS))
    same = same | (names == index.holders.references[asker])
    return same | (batch.whose == asker) if asker < ground.facts.people else same


def _selected(ground: Ground, batch: Batch, node: Node) -> Bools:
    """Which findings a filter selects: by their own attributes, else by those of the identity concerned."""
    import numpy as np

    from kathodos.findings.rules import SEVERITIES

    own: dict[str, Callable[[], list[Any]]] = {
        "kind": lambda: [batch.kind] * len(batch),
        "severity": lambda: [SEVERITIES[at] for at in batch.severity.tolist()],
        "subject": lambda: [batch.subject(at) for at in range(len(batch))],
        "confidence": lambda: batch.confidence.tolist(),
        "days": lambda: [at if at >= 0 else None for at in batch.days.tolist()],
    }

    def column(name: str) -> list[Any]:
        if name.lower() in own:
            return list(own[name.lower()]())
        values = np.array([*ground.facts.values(name), None], dtype=object)
        return list(values[batch.whose])

    return node.mask(column, len(batch))


def _count(session: Session, kept: list[tuple[Batch, Any]]) -> int:
    from kathodos.findings.excess.kinds import KINDS, LATE_CONTROL
    from kathodos.findings.rules import SEVERITIES

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
    import numpy as np

    total = sum(len(positions) for _, positions in kept)
    order = [(batch, int(at)) for batch, positions in kept for at in positions]
    if len(kept) > 1:
        keys = np.array([(-batch.severity[at], -batch.confidence[at]) for batch, at in order]).reshape(-1, 2)
        order = [order[at] for at in np.lexsort((keys[:, 1], keys[:, 0]))]
    is_table = session.format == "table"
    shown = order[:_MOST_SHOWN] if is_table and not session.arguments.all else order
    rows = [_shown(_row(it)) if is_table else _row(it) for it in _told(shown)]
    left_out = {"rests_on", *(["kind"] if len(kept) == 1 else [])} if is_table else set()
    fields = [it for it in _FOUND if it.key not in left_out]
    heading = plural(total, "finding")
    hint = f"{total - len(shown)} more: --all shows them" if len(shown) < total else ""
    hint = hint or ("As a change file: --change FILE" if rows else "")
    extra = () if is_table else ("days",)
    return session.answer(Answer(fields, rows, heading, hint=hint, status=1 if total else 0, extra_keys=extra))


def _told(order: Iterable[tuple[Batch, int]]) -> Iterator[Finding]:
    from kathodos.findings.excess.batches import finding

    return (finding(batch, at) for batch, at in order)


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

    told = list(_told((batch, int(at)) for batch, positions in kept for at in positions))
    blocks = [
        Block(edit.verb, edit.kind, edit.cells, f"{it.kind}, {it.subject}: {it.evidence}")
        for it in told
        for edit in it.edits
    ]
    without = sum(not it.edits for it in told)
    file = session.arguments.change
    count = write_changes(file, "Remedies of excess, as kathodos excess found it.", blocks)
    text = [f"{plural(without, 'finding')} had no remedy that is an edit."] if without else []
    heading = f"Wrote {plural(count, 'edit')} for {plural(len(told) - without, 'finding')} to {file}."
    hint = f"Ask as if they were made: kathodos conflicts --assume {file}"
    lines = Lines(text)
    return session.answer(Answer(heading=heading, text=lines, hint=hint, document={"file": file, "edits": count}))
