"""Cures of conflicts in words, and as changes."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import msgspec

from kathodos.change.edit_sets import Verb
from kathodos.change.files import Block, each_once
from kathodos.errors import CallError, found_if
from kathodos.findings.conflicts.cure import Cures, cure, still_standing
from kathodos.findings.conflicts.cure_problem import Withdrawal, edits_of
from kathodos.model.references import reference_to
from kathodos.model.suggestions import nearest
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Branch, Field
from kathodos.report.conflicts import ChosenConflicts

_FIELDS = [Field(key, key) for key in ("withdrawal", "people", "others", "uses", "clears")]


class CureQuestion(msgspec.Struct, frozen=True):
    """Which conflicts are to be cleared, what is to be left alone, and how long to look.

    `whose`: one identity, or all whom `conflicts` are about; `protected`: references; `days`: of use that counts;
    `file`: where the cure will be written as a change, if anywhere.
    """

    conflicts: ChosenConflicts
    whose: str | None
    protected: Sequence[str]
    days: int
    seconds: float
    file: str | None


def cured(asked: CureQuestion, is_csv: bool) -> tuple[Answer, list[Block]]:
    """The fewest withdrawals that clear the conflicts, in words and as blocks of a change file."""
    if asked.days < 0 or asked.seconds <= 0:
        raise CallError("--days and --seconds count upward from 0.", "Leave them out for 90 days and 50 seconds.")
    found, basis = asked.conflicts, asked.conflicts.view.basis
    chosen = found.of(found.view.asker(asked.whose)) if asked.whose else found.each()
    chosen = [it for it in chosen if not found.is_covered(it)]
    if not chosen:
        return Answer(_FIELDS, [], "There is no open conflict to clear."), []
    protected = [_protected(found, text) for text in asked.protected]
    cures = cure(basis, chosen, protected, asked.days, asked.seconds)
    edits = edits_of(basis, cures.withdrawals())
    standing = still_standing(basis, chosen, edits) if edits else chosen
    return _answer(asked, cures, len(chosen), len(standing), is_csv), _as_blocks(found, cures)


def _protected(found: ChosenConflicts, text: str) -> str:
    """The full reference of something to be left alone. Raises CallError where nothing bears that name."""
    index = found.view.basis.index
    prefix, _, name = text.partition(":")
    known = {"grant": index.grants.ids, "role": index.roles}
    if prefix in known and known[prefix].find(name) >= 0:
        return text
    if index.holders.find(text) >= 0:
        return text
    some = list(known[prefix])[:5000] if prefix in known else [reference_to("group", it) for it in index.holders.groups]
    remedy = (
        f"Write it in full, as in grant:G-0001, role:dues/clerk or group:directory/x. {nearest(name or text, some)}"
    )
    raise CallError(f"There is nothing called {text}.", remedy)


def _record(one: Withdrawal) -> dict[str, Any]:
    return {"withdrawal": one.text, "people": one.people, "others": one.others, "uses": one.uses}


def _answer(asked: CureQuestion, cures: Cures, chosen: int, standing: int, is_csv: bool) -> Answer:
    found = asked.conflicts
    names = [it.name(found.view.basis.index) for it in cures.uncured]
    rows, trees = [], []
    for one in cures.cures:
        clears = [it.name(found.view.basis.index) for it in one.conflicts]
        rows += [{**_record(it), "clears": clears} for it in one.withdrawals]
        others = [
            Branch(f"just as small: {'; '.join(f'{it.text} ({_loses(it)})' for it in other)}", style="dim")
            for other in one.others
        ]
        many = f" and {len(clears) - 6} more" if len(clears) > 6 else ""
        head = f"clears {', '.join(clears[:6])}{many}"
        trees.append(Branch(head, [*(Branch(f"{it.text} ({_loses(it)})") for it in one.withdrawals), *others]))
    count = len(cures.withdrawals())
    proof = "proven to be the least" if cures.gap < 1e-6 else f"at most {cures.gap:.1%} above the least"
    heading = f"{plural(count, 'withdrawal')} {'clears' if count == 1 else 'clear'} {chosen - len(names)} of "
    heading += f"{plural(chosen, 'conflict')}; {proof}"
    text = [_tried(standing)]
    if names:
        text.append(f"Nothing that may be withdrawn clears {', '.join(names[:8])}{' ...' if len(names) > 8 else ''}.")
    if cures.unseen:
        unseen = plural(len(cures.unseen), "conflict")
        text.append(f"Stopped after {asked.seconds:g} s, before {unseen} could be looked at.")
    file = asked.file
    hint = f"Ask as if it were done: kathodos conflicts --assume {file}" if file else "Keep it: --into CHANGE"
    document = {
        "withdrawals": rows,
        "cures": [
            {
                "clears": [it.name(found.view.basis.index) for it in one.conflicts],
                "withdrawals": [_record(it) for it in one.withdrawals],
                "as_small": [[_record(it) for it in other] for other in one.others],
            }
            for one in cures.cures
        ],
        "uncured": names,
        "gap": cures.gap,
        "not_looked_at": [it.name(found.view.basis.index) for it in cures.unseen],
        "still_standing": standing,
    }
    return Answer(_FIELDS if is_csv else (), rows, heading, text, trees, hint, found_if(standing), document)


def _tried(standing: int) -> str:
    """What came of trying a cure on the whole catalogue."""
    if not standing:
        return "Tried on the whole catalogue: all of these conflicts would be gone."
    return f"Tried on the whole catalogue: {plural(standing, 'conflict')} of these would still be there."


def _loses(one: Withdrawal) -> str:
    """Who loses by it, and what."""
    uses = f"{plural(one.uses, 'recent use')} through it" if one.uses else "not used lately"
    return f"{plural(one.people, 'person', 'people')}, {uses}"


def _as_blocks(found: ChosenConflicts, cures: Cures) -> list[Block]:
    """The first cure as blocks of a change file."""
    blocks = []
    for one in cures.cures:
        why = f"clears {', '.join(it.name(found.view.basis.index) for it in one.conflicts)}"
        for it in one.withdrawals:
            if it.grant:
                blocks.append(Block(Verb.END, "grants", {"grant": it.grant}, why))
            else:
                cells = dict(zip(("system", "group", "member"), it.key(), strict=True))
                blocks.append(Block(Verb.END, "members", cells, why))
    return each_once(blocks)
