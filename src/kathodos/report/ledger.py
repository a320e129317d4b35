"""The ledger in words: its entries, whether it is as signed, and its newest head."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import msgspec
from msgspec.structs import asdict, fields

from kathodos.columns.ranges import ranges_in
from kathodos.errors import CallError, Status, sentence
from kathodos.ledger.actors import normal_name
from kathodos.ledger.discrepancies import ALTERED, DAMAGED
from kathodos.ledger.entries import Entry, entries_touching, entry_of, payload_of, read_entries
from kathodos.ledger.keys import Head
from kathodos.ledger.payloads import Act, SettingsPayload
from kathodos.ledger.verify import Verification
from kathodos.model.kinds import KINDS
from kathodos.model.references import PREFIXES, name_in
from kathodos.model.referring import columns_pointing, key_of
from kathodos.model.suggestions import nearest
from kathodos.model.times import end_moment, first_moment, normal_moment
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Branch, Field, plain
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
_BY_USER = Field("user", "By system user", 7)
_LOGIN = Field("login", "Logged in as", 7)
_WRONG = (
    Field("where", "Where", 9, least=14),
    Field("what", "What is wrong", 8, least=20),
    Field("kind", "By", 5),
)
_BY = {ALTERED: "somebody", DAMAGED: "a fault, or somebody"}


class EntryChoice(msgspec.Struct, frozen=True):
    """Which entries are asked for: from and to a date or time, of a kind, by an actor, about a subject."""

    first: str | None
    last: str | None
    kind: str | None
    actor: str | None
    subject: str | None


def entry_list(histories: Histories, asked: EntryChoice, is_table: bool) -> Answer:
    """The entries, all or those that are asked for."""
    entries = read_entries(histories.reader)
    kinds = {*Act, *(entry.kind for entry in entries)}
    if asked.kind is not None and asked.kind not in kinds:
        raise CallError(f"There is no kind of entry {asked.kind}.", nearest(asked.kind, sorted(kinds)))
    about = _about(histories, entries, asked.subject) if asked.subject else None
    first, last = _bound(asked.first, "--from"), _bound(asked.last, "--to")
    chosen = [
        entry
        for entry in entries
        if (first is None or _moment(entry) >= first[0])
        and (last is None or _moment(entry) < last[1])
        and asked.kind in (None, entry.kind)
        and (asked.actor is None or normal_name(name_in("identity", asked.actor.strip())) == normal_name(entry.actor))
        and (about is None or entry.number in about)
    ]
    rows = [_record(entry) for entry in chosen]
    if asked.kind == Act.SETTINGS and is_table:
        return _settings_changes(chosen)
    if not is_table:
        return Answer([Field(it.name, it.name) for it in fields(Entry)], rows)
    rows = [
        {**row, "what": _what(entry), "subjects": _some(row["subjects"]), "login": _login(entry), "user": _user(entry)}
        for row, entry in zip(rows, chosen, strict=True)
    ]
    heading = f"{plural(len(rows), 'entry', 'entries')}" + (f" of {len(entries)}" if len(rows) < len(entries) else "")
    further = [it for it in (_BY_USER, _LOGIN) if any(row[it.key] for row in rows)]
    columns = [*_ENTRIES[:3], *further, *_ENTRIES[3:]]
    return Answer(columns, rows, heading, hint="Proof that none was altered: kathodos ledger verify")


def entry_shown(histories: Histories, number: int, form: str) -> Answer:
    """One entry in full; `form`: table, csv, json, jsonl."""
    entry = next((it for it in map(entry_of, histories.reader.entries()) if it.number == number), None)
    if entry is None:
        raise CallError(f"The ledger has no entry {number}.", f"Its last is {histories.newest.entry}.")
    if form != "table":
        columns = [Field(it.name, it.name) for it in fields(Entry)] if form == "csv" else ()
        return Answer(columns, [_record(entry)], document=_record(entry))
    origin = "; ".join(f"{name} {value}" for name, value in entry.origin.items())
    own = [f"when: {entry.time}", f"by whom: {entry.actor}", *([f"why: {entry.reason}"] if entry.reason else [])]
    branches = [Branch(it) for it in (*own, *([f"from where: {origin}"] if origin else []))]
    listed = []
    for name, rows in entry.rows.items():
        opened, closed = (sum(map(len, ranges_in(rows[part]))) for part in ("opened", "closed"))
        listed.append(f"{name.replace('_', ' ')}: {opened} written, {closed} ended")
    for title, content in (
        ("about", entry.subjects),
        ("what was done", entry.payload),
        ("records", listed),
        ("settings in force, by their digests", entry.settings),
    ):
        branches += _branch(title, content)
    branches += [Branch("signed by the actor's own key")] if entry.proof else []
    trees = [Branch(f"entry {entry.number}: {entry.kind}", branches, "bold")]
    hint = f"The catalogue as it was then: kathodos list identities --as-of {entry.number}"
    return Answer(trees=trees, hint=hint)


_MOST_SUBJECTS = 20


def _branch(title: str, content: Any) -> list[Branch]:
    """Something that an entry holds, line by line; nothing where there is nothing."""
    if content in (None, "", {}, []):
        return []
    if isinstance(content, dict):
        inner = [branch for name, value in content.items() for branch in _branch(str(name).replace("_", " "), value)]
        return [Branch(title, inner)]
    if isinstance(content, list):
        more = [Branch(f"and {len(content) - _MOST_SUBJECTS} more")] if len(content) > _MOST_SUBJECTS else []
        return [Branch(title, [*(Branch(plain(it)) for it in content[:_MOST_SUBJECTS]), *more])]
    return [Branch(f"{title}: {plain(content)}")]


def _settings_changes(entries: Sequence[Entry]) -> Answer:
    """What changed in configuration, rules and controls, with the difference of the texts."""
    text: list[str] = []
    for entry in entries:
        changed = payload_of(entry, SettingsPayload)
        text += [
            "",
            f"Entry {entry.number}, {entry.time}: {', '.join(changed.files)}; found changed when {entry.actor} wrote.",
        ]
        text += [f"  {line}" for line in changed.difference.splitlines()]
    heading = f"{plural(len(entries), 'change', 'changes')} of configuration, rules and controls"
    if not entries:
        heading = "No entry that was asked for changed configuration, rules or controls."
    return Answer(heading=heading, text=text, hint="A file as it was: kathodos show setting:FILE --as-of ENTRY")


def _record(entry: Entry) -> dict[str, Any]:
    return asdict(entry)


def _what(entry: Entry) -> str:
    """How many rows of what the entry opened and closed."""
    parts = []
    for name, rows in entry.rows.items():
        opened, closed = (sum(map(len, ranges_in(rows[part]))) for part in ("opened", "closed"))
        parts.append((opened, closed, f"{name}{f' +{opened}' if opened else ''}{f' -{closed}' if closed else ''}"))
    if len(parts) > 3:
        return f"+{sum(it[0] for it in parts)} -{sum(it[1] for it in parts)} in {len(parts)} kinds"
    return ", ".join(text for _, _, text in parts)


def _user(entry: Entry) -> str:
    """The user of the operating system and the host, where the actor has another name."""
    user, host = (entry.origin.get(name, "") for name in ("user", "host"))
    return "" if normal_name(user) == normal_name(entry.actor) or not user else f"{user} on {host}"


def _login(entry: Entry) -> str:
    """The login with which the store was opened, and from which address, as a database knows them."""
    login, address = (entry.origin.get(name, "") for name in ("login", "address"))
    return f"{login} from {address}" if address else login


def _some(subjects: list[str]) -> str:
    more = f" and {len(subjects) - 3} more" if len(subjects) > 3 else ""
    return ", ".join(subjects[:3]) + more


def _moment(entry: Entry) -> int:
    return first_moment(entry.time)


def _bound(text: str | None, option: str) -> tuple[int, int] | None:
    if text is None:
        return None
    try:
        normal = normal_moment(text)
    except ValueError as error:
        raise CallError(f"{option} {text} is no date or time.", sentence(error)) from None
    return first_moment(normal), max(end_moment(normal), first_moment(normal) + 1)


def _about(histories: Histories, entries: Sequence[Entry], text: str) -> set[int]:
    """The entries that name a subject, or opened or closed a record of it or one that points at it."""
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


def verified(found: Verification) -> Answer:
    """Whether all is as signed, and if not, what is not."""
    rows = [asdict(discrepancy) for discrepancy in found.discrepancies]
    counted = f"{plural(found.entries, 'entry', 'entries')} and {plural(found.rows, 'catalogue row')}"
    document = {
        "intact": not rows,
        "entries": found.entries,
        "rows": found.rows,
        "discrepancies": rows,
        "notes": found.notes,
    }
    if rows:
        shown = [{**row, "kind": _BY[row["kind"]]} for row in rows]
        heading = f"NOT as signed: {plural(len(rows), 'discrepancy', 'discrepancies')} in {counted}"
        hint = "Keep the store as it is for the auditor; put a copy from before in its place."
        return Answer(_WRONG, shown, heading, found.notes, hint=hint, status=Status.FOUND, document=document)
    head = f"; head {found.head.root.hex()[:16]} of {found.head.time}" if found.head else ""
    hint = "For an auditor to keep: kathodos ledger head --format jsonl > head.json"
    return Answer(heading=f"As signed: {counted}{head}.", text=found.notes, hint=hint, document=document)


def newest_head(heads: Sequence[Head], form: str) -> Answer:
    """The newest signed head, to be kept; `form`: table, csv, json, jsonl."""
    if not heads:
        return Answer(heading="The ledger is empty.", hint="It begins with `kathodos gather`.")
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
    document = None if form == "csv" else record
    return Answer(() if form == "table" else fields, [record], text=text, hint=hint, document=document)
