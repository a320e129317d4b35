"""`kathodos ledger`: the audit trail, its verification, and its signed head."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from kathodos.cli.options import Commands, Formatter, command
from kathodos.cli.session import Session
from kathodos.errors import CallError, DataError, sentence
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field

if TYPE_CHECKING:
    from kathodos.ledger.entries import Entry
    from kathodos.store.history import Histories

_ENTRIES = (
    Field("number", "Entry", 9, is_number=True),
    Field("time", "Time", 8, least=20),
    Field("actor", "Actor", 8),
    Field("kind", "Kind", 8),
    Field("what", "Records", 5, least=16),
    Field("reason", "Reason", 6, least=12),
    Field("subjects", "Subjects", 4, least=16),
)
_WRONG = (Field("where", "Where", 9, least=14), Field("what", "What is wrong", 8, least=20))


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = commands.add_parser(
        "ledger",
        help="the audit trail: who did what, when, why, and the proof that nothing was altered",
        description="The audit trail: list entries, verify that nothing was altered, print the signed head.",
        epilog="example:\n  kathodos ledger verify        # each step has its own --help",
        formatter_class=formatter,
    )
    steps = parser.add_subparsers(dest="step", metavar="STEP", required=True)
    listing = command(
        steps,
        "list",
        common,
        formatter,
        run_list,
        "list entries, all or those that the options select",
        "  kathodos ledger list --from 2026-06-01 --to 2026-06-30 --actor p0101\n"
        "  kathodos ledger list --subject identity:p0017 --format json",
    )
    listing.add_argument("--from", dest="first", metavar="DATE", help="not before this date or time")
    listing.add_argument("--to", dest="last", metavar="DATE", help="not after this date (all of the day) or time")
    listing.add_argument("--kind", metavar="KIND", help="as in gather, 'review decide', 'review close'")
    listing.add_argument("--actor", metavar="NAME", help="who did it")
    listing.add_argument("--subject", metavar="REF", help="what it was about, or whose records it opened or closed")
    verifying = command(
        steps,
        "verify",
        common,
        formatter,
        run_verify,
        "check every entry, signed head and catalogue row",
        "  kathodos ledger verify\n  kathodos ledger verify --head kept-by-the-auditor.json",
    )
    verifying.add_argument("--head", metavar="FILE", help="a head printed earlier, one a line, that must still be true")
    command(
        steps,
        "head",
        common,
        formatter,
        run_head,
        "print the newest signed head, for an auditor to keep",
        "  kathodos ledger head --format jsonl > kept-by-the-auditor.json",
    )


def run_list(session: Session) -> int:
    from kathodos.ledger.entries import read_entries

    asked, histories = session.arguments, session.view.histories
    entries = read_entries(histories.reader)
    about = _about(histories, entries, asked.subject) if asked.subject else None
    first, last = _bound(asked.first, "--from"), _bound(asked.last, "--to")
    chosen = [
        entry
        for entry in entries
        if (first is None or _moment(entry) >= first[0])
        and (last is None or _moment(entry) < last[1])
        and asked.kind in (None, entry.kind)
        and asked.actor in (None, entry.actor)
        and (about is None or entry.number in about)
    ]
    rows = [_record(entry) for entry in chosen]
    if session.format != "table":
        fields = [
            Field(key, key) for key in ("number", "time", "actor", "kind", "subjects", "reason", "payload", "rows")
        ]
        return session.answer(Answer(fields, rows))
    rows = [
        {**row, "what": _what(entry), "subjects": _some(row["subjects"])}
        for row, entry in zip(rows, chosen, strict=True)
    ]
    heading = f"{plural(len(rows), 'entry', 'entries')}" + (f" of {len(entries)}" if len(rows) < len(entries) else "")
    return session.answer(Answer(_ENTRIES, rows, heading, hint="Proof that none was altered: kathodos ledger verify"))


def _record(entry: Entry) -> dict[str, Any]:
    return dict(vars(entry))


def _what(entry: Entry) -> str:
    """How many rows of what the entry opened and closed."""
    from kathodos.columns.ranges import ranges_in

    parts = []
    for name, rows in entry.rows.items():
        opened, closed = (sum(map(len, ranges_in(rows[part]))) for part in ("opened", "closed"))
        parts.append((opened, closed, f"{name}{f' +{opened}' if opened else ''}{f' -{closed}' if closed else ''}"))
    if len(parts) > 3:
        return f"+{sum(it[0] for it in parts)} -{sum(it[1] for it in parts)} in {len(parts)} kinds"
    return ", ".join(text for _, _, text in parts)


def _some(subjects: list[str]) -> str:
    more = f" and {len(subjects) - 3} more" if len(subjects) > 3 else ""
    return ", ".join(subjects[:3]) + more


def _moment(entry: Entry) -> int:
    from kathodos.model.times import first_moment

    return first_moment(entry.time)


def _bound(text: str | None, option: str) -> tuple[int, int] | None:
    from kathodos.model.times import end_moment, first_moment, normal_moment

    if text is None:
        return None
    try:
        normal = normal_moment(text)
    except ValueError as error:
        raise CallError(f"{option} {text} is no date or time.", sentence(error)) from None
    return first_moment(normal), max(end_moment(normal), first_moment(normal) + 1)


def _about(histories: Histories, entries: Sequence[Entry], text: str) -> set[int]:
    """The entries that name a subject, or opened or closed a record of it or one that points at it."""
    from kathodos.ledger.entries import entries_touching
    from kathodos.model.kinds import KINDS
    from kathodos.model.references import PREFIXES
    from kathodos.model.referring import columns_pointing, key_of

    kinds = {PREFIXES[kind.name]: kind for kind in KINDS if kind.name in PREFIXES}
    prefix = text.partition(":")[0]
    kind = next((kind for kind in KINDS if kind.name == "resources"), None) if ":/" in text else kinds.get(prefix)
    numbers = {entry.number for entry in entries if text in entry.subjects}
    if kind is None and prefix != "source":
        known = ", ".join(f"{name}:.." for name in kinds)
        raise CallError(f"--subject {text} is no full reference.", f"Write one as {known}, or a resource address.")
    if kind is not None:
        numbers |= entries_touching(histories, kind, dict(zip(kind.key, key_of(kind, text), strict=False)))
        for other in KINDS:
            for wanted in columns_pointing(other, kind, text):
                numbers |= entries_touching(histories, other, wanted)
    return numbers


def run_verify(session: Session) -> int:
    from kathodos.ledger.verify import verify

    workspace = session.workspace
    kept = _kept_heads(session.arguments.head) if session.arguments.head else []
    with workspace.store.reading() as reader:
        found = verify(reader, workspace.keys, kept)
    rows = [vars(discrepancy) for discrepancy in found.discrepancies]
    counted = f"{plural(found.entries, 'entry', 'entries')} and {plural(found.rows, 'catalogue row')}"
    document = {"intact": not rows, "entries": found.entries, "rows": found.rows, "discrepancies": rows}
    if rows:
        heading = f"NOT as signed: {plural(len(rows), 'discrepancy', 'discrepancies')} in {counted}"
        hint = "Keep the store as it is for the auditor; put a copy from before in its place."
        return session.answer(Answer(_WRONG, rows, heading, hint=hint, status=1, document=document))
    workspace.store.computed.discard()
    head = f"; head {found.head.root.hex()[:16]} of {found.head.time}" if found.head else ""
    hint = "For an auditor to keep: kathodos ledger head --format jsonl > head.json"
    return session.answer(Answer(heading=f"As signed: {counted}{head}.", hint=hint, document=document))


def _kept_heads(file: str) -> list[Any]:
    from kathodos.ledger.keys import read_head

    lines = Path(file).read_text(encoding="utf-8", errors="replace").splitlines()
    try:
        heads = [read_head(line) for line in lines if line.strip()]
    except ValueError:
        heads = []
    if not heads:
        raise DataError(f"{file} holds no signed head.", "Give a file that `kathodos ledger head` wrote.")
    return heads


def run_head(session: Session) -> int:
    from kathodos.ledger.entries import read_heads

    with session.workspace.store.reading() as reader:
        heads = read_heads(reader)
    if not heads:
        return session.answer(Answer(heading="The ledger is empty.", hint="It begins with `kathodos gather`."))
    head = heads[-1]
    record = {
        "size": head.size,
        "time": head.time,
        "root": head.root.hex(),
        "signature": head.signature.hex(),
    }
    fields = tuple(Field(key, key) for key in record)
    hint = "Keep it: it proves these entries for ever. Check: kathodos ledger verify --head FILE"
    text = [f"{key:<10}{value}" for key, value in record.items()]
    is_table = session.format == "table"
    return session.answer(
        Answer(
            () if is_table else fields,
            [record],
            text=text,
            hint=hint,
            document=None if session.format == "csv" else record,
        )
    )
