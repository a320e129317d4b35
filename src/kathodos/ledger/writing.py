"""Writing: every write is one transaction together with its ledger entry, or it does not happen."""

from __future__ import annotations

import contextlib
import itertools
from collections.abc import Callable, Iterable, Iterator, Sequence
from datetime import datetime, timedelta
from functools import partial
from typing import TYPE_CHECKING, Any

import msgspec
import numpy as np
from msgspec.structs import replace

from kathodos.columns.dictionary import DictionaryColumn, Scalar, always, dictionary_column
from kathodos.columns.ranges import range_text, ranges_text
from kathodos.errors import CallError, DataError
from kathodos.ledger import merkle
from kathodos.ledger.actors import Actor
from kathodos.ledger.anchors import Anchor
from kathodos.ledger.entries import Digest, Entry, read_heads, row_of
from kathodos.ledger.hand import Hand
from kathodos.ledger.keys import Head, Keys, is_signed
from kathodos.ledger.origin import place_of_work
from kathodos.ledger.payloads import Act, UpgradePayload
from kathodos.ledger.settings import SettingsChange, change_of
from kathodos.model import times
from kathodos.model.kinds import SETTINGS, Kind
from kathodos.store.base import Store, Writer
from kathodos.store.blocks import FOREVER, Block
from kathodos.store.computed import DamagedError
from kathodos.store.history import Histories, Opened
from kathodos.store.marks import marks_of
from kathodos.store.records import Stored
from kathodos.store.versions import checked_of

if TYPE_CHECKING:
    from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey, Ed25519PublicKey

_MOST_APART = timedelta(minutes=5)  # that two clocks may be


class Draft(msgspec.Struct):
    """The entry being written. `open_rows` and `close_rows` change the catalogue as part of it."""

    writer: Writer
    number: int
    time: datetime
    actor: Actor
    records: Stored  # as they were when the entry was begun
    subjects: list[str] = msgspec.field(default_factory=list)
    payload: dict[str, Any] = msgspec.field(default_factory=dict)
    opened: dict[str, list[Opened]] = msgspec.field(default_factory=dict)
    is_kept_empty: bool = False
    _digests: dict[str, Digest] = msgspec.field(default_factory=dict)
    _closed: dict[str, list[int]] = msgspec.field(default_factory=dict)

    def open_rows(self, kind: Kind, values: Sequence[tuple[Scalar, ...]], source: str | None = None) -> None:
        """Opens a row for each tuple of values, in the order of the kind's columns."""
        columns = [dictionary_column(column) for column in zip(*values, strict=True)]
        if columns:
            self.open_columns(kind, columns, always(source, len(values)))

    def open_columns(self, kind: Kind, columns: Sequence[DictionaryColumn], sources: DictionaryColumn) -> None:
        """Opens a row for each row of some columns, which are in the kind's order, each with its source."""
        total = len(sources)
        if not total:
            return
        first = self.writer.next_row(kind)
        checked = checked_of(kind, self.writer.version, columns)
        self._digests.setdefault(kind.name, Digest()).add(first, [sources, *checked])
        rows = np.arange(first, first + total)
        since, until = np.full(total, self.number), np.full(total, FOREVER)
        self.writer.put_rows(kind, Block(rows, since, until, marks_of(rows, checked), sources, columns))
        self.opened.setdefault(kind.name, []).append(Opened(self.number, first, columns, sources))

    def close_rows(self, kind: Kind, ids: Iterable[int]) -> None:
        """Ends the rows with these numbers."""
        ids = list(ids)
        if ids:
            self.writer.close_rows(kind, self.number, ids)
            self._closed.setdefault(kind.name, []).extend(ids)

    @property
    def row_count(self) -> int:
        """How many rows are opened and closed."""
        opened = sum(len(it.sources) for parts in self.opened.values() for it in parts)
        return opened + sum(map(len, self._closed.values()))

    @property
    def is_kept(self) -> bool:
        """Whether there is anything to write."""
        return bool(self.opened or self._closed or self.is_kept_empty)

    def rows(self) -> dict[str, dict[str, str]]:
        """What is kept of the opened and closed rows, by table."""
        kept: dict[str, dict[str, str]] = {}
        for name in sorted({*self.opened, *self._closed}):
            kept[name] = {
                "opened": ",".join(range_text(it.rows) for it in self.opened.get(name, [])),
                "closed": ranges_text(self._closed.get(name, [])),
                "digest": self._digests.get(name, Digest()).text(),
            }
        return kept


@contextlib.contextmanager
def writing(
    store: Store, keys: Keys, kind: str, hand: Hand, begin: Callable[[Writer], None] = lambda writer: None
) -> Iterator[Draft]:
    """One change with its entry. Nothing is kept where the body raises, nor where it opens and closes no row.

    What was altered since the last entry and nobody has entered yet, the settings or the version of the store, is
    entered before it. `begin`: what is done first of all in the transaction.
    """
    key = keys.private()
    keys.must_take_heads()
    if hand.anchor is not None:
        hand.anchor.check()
    with store.write() as writer:
        newest = writer.newest().entry
        now = _time_after(writer, newest)
        _must_be_as_signed(writer, newest, key.public_key())
        begin(writer)
        records = Stored(Histories(writer, store.computed))
        actor = hand.acting.among(records)
        changed = change_of(records, hand.settings) if hand.settings.files else None
        is_raised = kind != Act.UPGRADE and writer.versions.newest.entry > newest
        before = [it for it in (is_raised, changed) if it] if newest else []  # the first entry says all that itself
        draft = Draft(writer, newest + len(before) + 1, now, actor, records)
        yield draft
        heads = []
        if draft.is_kept:
            _must_be_in_time(writer, newest, now, hand)
            for act, earlier in _entered_before(draft, newest, is_raised, changed):
                heads.append(_entered(earlier, act, hand, key))
            heads.append(_entered(draft, kind, hand, key))
    if heads:
        _noted(heads, keys)
        store.computed.rows_written += draft.row_count
        if hand.anchor is not None:
            _anchored(heads, store, hand.anchor)
        with contextlib.suppress(DamagedError, DataError), store.reading() as reader:  # else made by who asks next
            Histories(reader, store.computed).take_in(draft.opened)


def _entered_before(
    draft: Draft, newest: int, is_raised: bool, changed: SettingsChange | None
) -> Iterator[tuple[Act, Draft]]:
    """The entries that stand before a draft's; where it is the first of all, what they would say is put into it."""
    writer, numbers = draft.writer, itertools.count(newest + 1)
    if is_raised and newest:
        raised = Draft(writer, next(numbers), draft.time, draft.actor, draft.records)
        payload = UpgradePayload(writer.versions.before, writer.version)
        raised.payload |= msgspec.to_builtins(payload)
        yield Act.UPGRADE, raised
    if changed is not None:
        told = draft
        if newest:
            told = Draft(writer, next(numbers), draft.time, draft.actor, draft.records, changed.subjects)
            told.payload |= msgspec.to_builtins(changed.payload)
            told.close_rows(SETTINGS, changed.closed)
        told.open_rows(SETTINGS, changed.opened)
        if newest:
            yield Act.SETTINGS, told


def _time_after(writer: Writer, newest: int) -> datetime:
    """The time of the next entry: now, or that of the last one where this clock is only a little behind it."""
    now = times.now()
    last = times.moment_of(writer.time_of(newest)) if newest else now
    return last if now < last <= now + _MOST_APART else now


def _must_be_as_signed(writer: Writer, newest: int, public: Ed25519PublicKey) -> None:
    """Raises DataError where the tree is not what the last head says: the next would sign what somebody altered."""
    heads = [Head(*row) for row in writer.heads_from(max(newest, 1))]
    if not newest and not heads:
        return
    whole = len(heads) == 1 and heads[0].size == newest
    if not whole or not is_signed(heads[0], public) or heads[0].root != _root(writer, newest):
        what = f"The ledger is not as it was signed at its last entry, {newest}."
        raise DataError(what, "Nothing was changed. See what was altered with `kathodos ledger verify`.")


def _must_be_in_time(writer: Writer, newest: int, now: datetime, hand: Hand) -> None:
    """Raises CallError where the clock is behind the last entry, or is not the database's, unless that is accepted."""
    last = times.moment_of(writer.time_of(newest)) if newest else now
    there = None if times.is_set() else writer.clock()
    if now < last:
        what = f"It is {times.time_text(now)} by this clock, and the last entry was written at {times.time_text(last)}."
    elif there is not None and abs(now - there) > _MOST_APART:
        what = f"It is {times.time_text(now)} by this clock, and {times.time_text(there)} by the database's."
    else:
        return
    if not hand.may_precede:
        remedy = "Nothing was changed. Set the clock; where it is right, say so with --accept-clock and --reason."
        raise CallError(what, remedy)
    if not hand.reason.strip():
        raise CallError(f"{what} To write all the same needs a reason.", "Add --reason TEXT; the ledger keeps it.")


def _entered(draft: Draft, kind: str, hand: Hand, key: Ed25519PrivateKey) -> Head:
    """Writes the entry of a draft and its signed head."""
    time = times.time_text(draft.time)
    origin = {**place_of_work(draft.writer.version), **draft.writer.origin()}
    subjects = sorted(set(draft.subjects))
    under = hand.settings.digests() if hand.settings.files else {}
    entry = Entry(
        draft.number, time, draft.actor.name, origin, kind, subjects, hand.reason, draft.payload, draft.rows(), under
    )
    if hand.proof is not None:
        entry = replace(entry, proof=hand.proof.signed(entry.actor, entry.statement(), time))
    unsigned = Head(draft.number, time, _append(draft.writer, entry))
    head = Head(unsigned.size, unsigned.time, unsigned.root, key.sign(unsigned.statement()))
    draft.writer.put_head(head.size, head.time, head.root, head.signature)
    return head


def _noted(heads: Sequence[Head], keys: Keys) -> None:
    """Notes heads beside the store."""
    try:
        for head in heads:
            keys.witness(head)
    except OSError as error:
        raise DataError(
            f"The change was made (entry {heads[-1].size}), but its head could not be noted: {error.strerror}.",
            f"Make {keys.witness_file} writable; the next change notes its own head there.",
        ) from error


def _anchored(heads: Sequence[Head], store: Store, anchor: Anchor) -> None:
    """Gives the anchor the heads that it has not received."""
    try:
        known = anchor.newest()
        if known < heads[0].size - 1:
            with store.reading() as reader:
                heads = read_heads(reader)
        missing = [head for head in heads if head.size > known]
        if missing:
            anchor.add(missing)
    except DataError as error:
        raise DataError(f"The change was made (entry {heads[-1].size}). {error.what}", error.remedy) from None


def _append(writer: Writer, entry: Entry) -> bytes:
    """Puts the entry into the ledger and its leaf into the tree; returns the new root."""
    leaf = entry.leaf()
    writer.put_entry(row_of(entry, leaf))
    for level, position, value in merkle.grown(entry.number - 1, leaf, partial(_node, writer)):
        writer.put_node(level, position, value)
    return _root(writer, entry.number)


def _root(writer: Writer, size: int) -> bytes:
    return merkle.root(size, partial(_node, writer))


def _node(writer: Writer, level: int, position: int) -> bytes:
    found = writer.node(level, position)
    if found is None:
        what = f"The ledger's tree has no node {position} of level {level}: nothing can be written behind it."
        raise DataError(what, "See what was altered with `kathodos ledger verify`.")
    return found
