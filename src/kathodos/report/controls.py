"""Controls and covers in words: their lists, and what is said of each that is entered."""

from __future__ import annotations

from msgspec.structs import asdict

from kathodos.errors import CallError, found_if
from kathodos.findings.conflicts.covers import HOLDS, Control
from kathodos.model.times import day_text
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field
from kathodos.report.conflicts import ChosenConflicts, chosen_rules
from kathodos.workspace.view import View

_LIST = (
    Field("control", "Control", 9),
    Field("title", "Title", 6, least=12),
    Field("owner", "Owner", 8),
    Field("period", "Every", 7),
    Field("covers", "Covers", 7, is_number=True),
    Field("last", "Confirmed", 8, least=10, shown=lambda value: str(value or "never")[:10]),
    Field("due", "Due", 8, least=10),
    Field("state", "State", 9, style=lambda value: "red" if value == "late" else ""),
    Field("does", "What is done", 4, least=20),
)
_REGISTER = (
    Field("conflict", "Conflict", 9, least=14),
    Field("name", "Name", 5, least=12),
    Field("state", "State", 9, least=8, style=lambda value: "" if value == "holds" else "yellow"),
    Field("control", "Control", 8),
    Field("until", "Until", 8, least=10),
    Field("covered_by", "By", 7),
    Field("covered_at", "Since", 7, least=10, shown=lambda value: str(value or "")[:10]),
    Field("reason", "Why", 6, least=16),
    Field("ended_by", "Ended by", 3),
)


def control_list(view: View) -> Answer:
    """All controls: what they cover, and which are late."""
    register = view.register
    dues = {due.control.id: due for due in register.dues(view.moment)}
    rows = []
    for control in register.controls.values():
        due = dues.get(control.id)
        confirmed = [it.confirmed_at for it in register.confirmations if it.control == control.id]
        rows.append(
            {
                **asdict(control),
                "control": control.id,
                "covers": due.covers if due else 0,
                "last": max(confirmed, default=None),
                "due": day_text(due.due) if due else None,
                "state": ("late" if due.is_late else "in time") if due else "covers nothing",
            }
        )
    late = sum(row["state"] == "late" for row in rows)
    heading = f"{plural(len(rows), 'control')}, {late} late"
    hint = "Confirm one: kathodos control confirm NAME --as OWNER --reason TEXT"
    if not rows:
        hint = "Add one with `kathodos control add`, or write controls.toml."
    return Answer(_LIST, rows, heading, hint=hint, status=found_if(late))


def control_added(control: Control, entry: int | None) -> Answer:
    """What is said once a control is added."""
    heading = f"Added the control {control.id}, which {control.owner} answers for; entry {entry} of the ledger."
    hint = f"Use it: kathodos conflicts cover RULE/IDENTITY --control {control.id} --until DATE --reason TEXT"
    return Answer(heading=heading, hint=hint, document={"control": control.id, "entry": entry})


def control_confirmed(control: Control, actor: str, entry: int | None) -> Answer:
    """What is said once a control was confirmed."""
    heading = f"{control.id} was carried out, says {actor}; entry {entry} of the ledger."
    hint = "All of them: kathodos control list"
    return Answer(heading=heading, hint=hint, document={"control": control.id, "entry": entry})


def cover_list(view: View) -> Answer:
    """The register of all covers, past and present."""
    register, holders = view.register, view.index.holders
    concerned = {holders.asker_with_name(cover.identity) for cover in register.covers}
    names = {it.id: it.name for it in view.asked(sorted(concerned - {-1})).values()}
    rows = [
        {
            **asdict(cover),
            "conflict": f"{cover.rule}/{cover.identity}",
            "name": names.get(cover.identity),
            "state": register.state(cover, view.moment),
        }
        for cover in reversed(register.covers)
    ]
    held = sum(row["state"] == HOLDS for row in rows)
    heading = f"{plural(len(rows), 'cover')}; {held or 'none'} {'are' if held > 1 else 'is'} in force"
    hint = "What is to be confirmed of the controls: kathodos control list" if rows else ""
    return Answer(_REGISTER, rows, heading, hint=hint)


def conflict_named(view: View, text: str, must_stand: bool) -> tuple[str, str]:
    """The rule and the identity of a conflict such as PERMIT-1/p0096. Raises CallError where there is none such."""
    rule, _, person = text.partition("/")
    if not person:
        raise CallError(f"{text} names no conflict.", "Write the rule and who breaks it: PERMIT-1/p0096.")
    found, number = ChosenConflicts(view, chosen_rules(view, None, rule)), view.asker(person)
    identity = view.index.holders.asker_name(number)
    if must_stand and not found.of(number):
        raise CallError(f"There is no conflict {rule}/{identity} now.", "See `kathodos conflicts --format csv`.")
    return rule, identity


def what_is_covered(conflict: tuple[str, str], control: str | None, until: str | None) -> str:
    """What is to be left standing, or, without a control, which cover is to end."""
    name = "/".join(conflict)
    return f"{name} under {control} until {until}" if control else f"the cover of {name}"


def would_cover(what: str, is_ending: bool) -> Answer:
    """What is said where nothing is done yet."""
    hint = "As you want it? The same without --dry-run."
    return Answer(heading=f"Would {'end' if is_ending else 'cover'} {what}.", hint=hint)


def covered(what: str, conflict: tuple[str, str], control: str | None, until: str | None, entry: int | None) -> Answer:
    """What is said once a conflict is covered, or, without a control, its cover ended."""
    heading = f"{'Covered' if control else 'Ended'} {what}; entry {entry} of the ledger."
    document = {"conflict": "/".join(conflict), "control": control, "until": until, "entry": entry}
    return Answer(heading=heading, hint="The register: kathodos conflicts covers", document=document)
