"""Whether the signed heads, in the store and outside it, are those of the entries."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

import msgspec

from kathodos.errors import DataError
from kathodos.ledger import merkle
from kathodos.ledger.anchors import Anchor
from kathodos.ledger.discrepancies import ALTERED, DAMAGED, Discrepancy, about_entries
from kathodos.ledger.hand import Proof
from kathodos.ledger.keys import Head, Keys, is_signed
from kathodos.ledger.ssh import SSHProof

_UNSIGNED = "no signed head: inserted, or the head was taken away"


class Witnesses(msgspec.Struct, frozen=True):
    """What the ledger is held against besides itself: heads that an auditor kept, an anchor, and what proves actors."""

    kept: Sequence[Head] = ()
    anchor: Anchor | None = None
    proof: Proof = msgspec.field(default_factory=SSHProof)


def head_discrepancies(
    leaves: list[bytes], heads: list[Head], keys: Keys, witnesses: Witnesses
) -> Iterator[Discrepancy]:
    """What is wrong with the signed heads, in the store and outside it, over entries with these leaves."""
    roots = merkle.roots_of(leaves)
    public = keys.public()
    newest, first_wrong, last = len(leaves), None, 0
    for head in heads:
        if not is_signed(head, public):
            yield Discrepancy(f"head {head.size}", "does not carry this workspace's signature")
        elif first_wrong is None and head.size < len(roots) and head.root != roots[head.size]:
            first_wrong = head.size
            yield Discrepancy(f"entry {head.size}", "is the first that differs from what was signed")
        if last + 1 < head.size <= newest:
            yield about_entries(last + 1, head.size - 1, _UNSIGNED, "has", "have")
        last = head.size
    if last < newest:
        yield about_entries(last + 1, newest, _UNSIGNED, "has", "have")
    noted = list(keys.witnessed())
    yield from _outside("the heads kept beside the store", noted, public, roots, newest)
    yield from _outside("the given head", list(witnesses.kept), public, roots, newest)
    if heads and heads[-1].size > newest:
        yield about_entries(newest + 1, heads[-1].size, "dropped: signed heads go on to there")
    yield from _witness_discrepancies(keys, newest, noted)
    if witnesses.anchor is not None:
        yield from _anchor_discrepancies(witnesses.anchor, public, roots, newest)


def _witness_discrepancies(keys: Keys, newest: int, noted: list[Head]) -> Iterator[Discrepancy]:
    """What is wrong with the file of heads beside the store."""
    name = keys.witness_file.name
    if not newest:
        return
    if not keys.witness_file.exists():
        yield Discrepancy(name, "is missing: nothing outside the store shows its last length")
    elif not noted:
        yield Discrepancy(name, "holds no head any more: somebody emptied it or wrote something else into it")
    for line in keys.junk_lines():
        kind = DAMAGED if line.is_cut_short else ALTERED
        why = (
            "was cut short, as by a crash"
            if line.is_cut_short
            else "is no signed head, and was never written by this tool"
        )
        yield Discrepancy(f"{name}, line {line.number}", why, kind)


def _anchor_discrepancies(anchor: Anchor, public: Any, roots: list[bytes], newest: int) -> Iterator[Discrepancy]:
    where = f"the anchor {anchor.place}"
    try:
        heads = anchor.heads()
    except DataError as error:
        yield Discrepancy(where, f"cannot be asked: {error.what}", DAMAGED)
        return
    if newest and not heads:
        yield Discrepancy(where, "has never received a head of this ledger: it is another one, or signed anew")
    yield from _outside(where, heads, public, roots, newest)


def _outside(where: str, heads: list[Head], public: Any, roots: list[bytes], newest: int) -> Iterator[Discrepancy]:
    for head in heads:
        if not is_signed(head, public):
            what = f"holds a head of size {head.size} that this workspace's key did not sign: another key signs now"
            yield Discrepancy(where, what)
            return
        if head.size >= len(roots):
            largest = max(it.size for it in heads)
            yield about_entries(newest + 1, largest, f"dropped: {where} go on to there")
            return
        if head.root != roots[head.size]:
            yield Discrepancy(f"entry {head.size}", f"or one before it differs from {where}")
            return
