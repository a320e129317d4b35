"""Two people, roles, groups or resources compared in words."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable

from kathodos.analysis.side_by_side import Line, Side, of_askers, of_groups, of_resources, of_roles
from kathodos.errors import CallError
from kathodos.model.kinds import ACCOUNTS, GROUPS, IDENTITIES, ROLES
from kathodos.report.answers import Answer, Field, Lines
from kathodos.report.long import first_rows
from kathodos.report.marks import told_of_orders
from kathodos.store.naming import resolved
from kathodos.workspace.view import View

_ORDER = (Side.FIRST, Side.SECOND, Side.BOTH)
_REMEDY = "Name two people or accounts, two roles, two groups, or two resources."


def compared(view: View, first: str, second: str, most: int | None, is_table: bool) -> Answer:
    """What only the first has, only the second, and both; `most`: so many rows of a table (None: all)."""
    one, other = _thing(view, first), _thing(view, second)
    if one == other:
        raise CallError(f"Both names mean {one[2]}.", _REMEDY)
    kinds = {"people" if kind in ("identities", "accounts") else kind for kind, _, _ in (one, other)}
    if len(kinds) > 1:
        raise CallError(f"{one[2]} and {other[2]} are things of two kinds.", _REMEDY)
    lines = sorted(_lines(view, kinds.pop(), one[1], other[1]), key=lambda it: _ORDER.index(it.side))
    count = Counter(it.side for it in lines)
    names = {Side.FIRST: f"only {one[2]}", Side.SECOND: f"only {other[2]}", Side.BOTH: "both"}
    said = ", ".join(f"{names[side]} {count[side]:,}" for side in _ORDER)
    heading = f"What {one[2]} and {other[2]} have: {said}"
    rows = [
        {
            "side": it.side if not is_table else names[it.side],
            "what": it.what,
            "first": Lines(it.first) if is_table else list(it.first),
            "second": Lines(it.second) if is_table else list(it.second),
        }
        for it in lines
    ]
    fields = (
        Field("side", "Who has it", 9, least=10),
        Field("what", "What", 9, least=24),
        Field("first", f"Through what: {one[2]}", 7, least=16),
        Field("second", f"Through what: {other[2]}", 7, least=16),
    )
    if not is_table:
        return Answer(fields, rows)
    shown, more = first_rows(rows, most)
    hint = more or ("In full: kathodos reach --by NAME" if rows else "Neither of the two has anything.")
    about = [it if ":" in it else f"identity:{it}" for it in (one[2], other[2])]
    return Answer(fields, shown, heading, told_of_orders(view, *about), hint=hint)


def _lines(view: View, kind: str, first: int, second: int) -> Iterable[Line]:
    index, moment = view.index, view.moment
    if kind == "people":
        return of_askers(index, first, second, moment)
    if kind == "roles":
        return of_roles(index, first, second)
    if kind == "groups":
        start = index.holders.first_group
        return of_groups(index, start + first, start + second, moment)
    return of_resources(index, first, second, moment)


def _thing(view: View, text: str) -> tuple[str, int, str]:
    """The kind and number of what somebody named, and what it is called."""
    if ":" not in text:
        text = resolved(view.catalogue, text, (IDENTITIES, ACCOUNTS, ROLES, GROUPS))
    kind, number = view.thing(text)
    if kind == "systems":
        kind, number = "resources", view.index.systems_in_order[number].root
    holders = view.index.holders
    asker = number + (holders.people if kind == "accounts" else 0)
    names = {
        "identities": lambda: holders.asker_name(asker),
        "accounts": lambda: holders.asker_name(asker),
        "roles": lambda: f"role:{view.index.roles[number]}",
        "groups": lambda: f"group:{holders.groups[number]}",
        "resources": lambda: view.index.tree.addresses[number],
    }
    return kind, asker if kind in ("identities", "accounts") else number, names[kind]()
