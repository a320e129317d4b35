"""Roles compared: two beside each other, and those that are nearly the same."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from kathodos.model.words import people_and_accounts, plural
from kathodos.report.answers import Answer, Field
from kathodos.report.long import first_rows
from kathodos.roles.compare import NearPair, Side
from kathodos.workspace.combining import ComparedRoles

_ORDER = (Side.FIRST, Side.SECOND, Side.OTHER_RIGHTS, Side.BOTH)
_NEAR = (
    Field("first", "Role", 9, least=14),
    Field("second", "And", 9, least=14),
    Field("share", "In common", 8, is_number=True, shown=lambda share: f"{100 * share:.0f} %"),
    Field("both", "Both", 5, is_number=True),
    Field("only_first", "Only the first", 6, is_number=True),
    Field("only_second", "Only the other", 6, is_number=True),
    Field("held_first", "Hold the first", 6, is_number=True),
    Field("held_second", "Hold the other", 6, is_number=True),
)


def compared(found: ComparedRoles, most: int | None) -> Answer:
    """What two roles say of each resource: only here, only there, in both with other rights."""
    one, other = found.first.reference, found.second.reference
    lines = sorted(found.lines, key=lambda it: (_ORDER.index(it.side), it.resource))
    rows = [
        {"side": str(it.side), "resource": it.resource, "here": list(it.here), "there": list(it.there)} for it in lines
    ]
    counts = Counter(it.side for it in lines)
    heading = f"{one} and {other}: {', '.join(f'{counts[side]:,} {side}' for side in _ORDER)}."
    held = [people_and_accounts(*count) if any(count) else "nobody" for count in found.holding]
    text = [f"{one} is held by {held[0]}, {other} by {held[1]}."]
    fields = (
        Field("side", "Resource is", 8, least=10),
        Field("resource", "Resource", 9, least=20),
        Field("here", one, 7, least=10),
        Field("there", other, 7, least=10),
    )
    shown, more = first_rows(rows, most)
    hint = f"One in place of the other: kathodos role compare {_plain(one)} {_plain(other)} --replace --dry-run"
    document = {
        "first": one,
        "second": other,
        "held_first": sum(found.holding[0]),
        "held_second": sum(found.holding[1]),
        **{str(side).replace(" ", "_"): counts[side] for side in _ORDER},
        "resources": rows,
    }
    return Answer(fields, shown, heading, text, hint=f"{more} {hint}".strip(), document=document)


def _plain(reference: str) -> str:
    return reference.removeprefix("role:")


def near(found: Sequence[tuple[NearPair, int, int]], alike: float, most: int | None) -> Answer:
    """Pairs of roles that are nearly the same, with how many hold each."""
    rows = [
        {
            "first": pair.first.reference,
            "second": pair.second.reference,
            "share": round(pair.share, 4),
            "both": pair.both,
            "only_first": pair.only_first,
            "only_second": pair.only_second,
            "held_first": first,
            "held_second": second,
        }
        for pair, first, second in found
    ]
    pairs = plural(len(rows), "pair") + " of roles have" if len(rows) != 1 else "1 pair of roles has"
    heading = f"{pairs if rows else 'No two roles have'} at least {100 * alike:.0f} % of their entries in common."
    shown, more = first_rows(rows, most)
    hint = "What one lacks: kathodos role compare A B" if rows else ""
    return Answer(_NEAR, shown, heading, hint=f"{more} {hint}".strip())
