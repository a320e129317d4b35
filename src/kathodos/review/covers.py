"""Controls and covers entered: who may, what is checked first, and what the catalogue keeps of it."""

from __future__ import annotations

from collections.abc import Sequence

from kathodos.errors import CallError, sentence
from kathodos.findings.conflicts.controls import control_for_use
from kathodos.findings.conflicts.covers import HOLDS, Control, Cover, Register, register_of
from kathodos.ledger.entries import writing
from kathodos.ledger.keys import Keys
from kathodos.model.kinds import CONFIRMATIONS, CONTROLS, COVERS
from kathodos.model.suggestions import nearest
from kathodos.model.times import first_moment, last_moment_of, microseconds, normal_moment, time_text
from kathodos.review.actors import identities_of
from kathodos.store.base import Store
from kathodos.store.records import Records
from kathodos.store.tables import read_rows


def add_control(store: Store, keys: Keys, control: Control, actor: str, reason: str) -> int:
    """Adds a control; gives the ledger entry. Raises CallError where its name is taken."""
    control = control_for_use(control)
    with writing(store, keys, "control add", actor, reason) as draft:
        if control.id in read_rows(draft.connection, CONTROLS)["control"]:
            raise CallError(f"There is a control {control.id} already.", "Give this one another name.")
        values = (control.id, control.title, control.owner, control.does, control.period, control.until)
        draft.open_rows(CONTROLS, [(*values, time_text(draft.time))])
        draft.subjects += [f"control:{control.id}", f"identity:{control.owner}"]
        draft.payload |= {"control": control.id, "period": control.period}
        return draft.number


def confirm_control(
    store: Store, keys: Keys, configured: Sequence[Control], name: str, actor: str, note: str
) -> tuple[Control, int]:
    """The owner's word that a control was carried out; gives the control and the ledger entry."""
    with writing(store, keys, "control confirm", actor, note) as draft:
        register = register_of(draft.records, configured)
        control = _owned(draft.records, register, name, actor)
        at = time_text(draft.time)
        if any(it.control == control.id and it.confirmed_at == at for it in register.confirmations):
            raise CallError(f"{control.id} was confirmed at this very moment.", "There is nothing to do.")
        draft.open_rows(CONFIRMATIONS, [(control.id, at, actor, note)])
        draft.subjects.append(f"control:{control.id}")
        draft.payload |= {"control": control.id}
        return control, draft.number


def cover_conflict(
    store: Store,
    keys: Keys,
    configured: Sequence[Control],
    conflict: tuple[str, str],
    name: str,
    until: str,
    actor: str,
    reason: str,
) -> int:
    """Leaves a conflict, given by rule and identity, standing under a control; gives the ledger entry."""
    with writing(store, keys, "cover", actor, reason) as draft:
        control = _owned(draft.records, register_of(draft.records, configured), name, actor)
        end = _end_of(until, control, time_text(draft.time))
        if conflict[1] in {actor, *identities_of(draft.records, actor)}:
            raise CallError(f"The conflict is {actor}'s own, and nobody covers their own.", "Leave it to another.")
        values = (*conflict, control.id, end, reason, actor, time_text(draft.time), None, None)
        draft.open_rows(COVERS, [values])
        draft.subjects += [f"identity:{conflict[1]}", f"rule:{conflict[0]}", f"control:{control.id}"]
        draft.payload |= {"conflict": "/".join(conflict), "control": control.id, "until": end}
        return draft.number


def end_cover(
    store: Store, keys: Keys, configured: Sequence[Control], conflict: tuple[str, str], actor: str, reason: str
) -> int:
    """Ends the cover of a conflict before its time; gives the ledger entry."""
    with writing(store, keys, "uncover", actor, reason) as draft:
        register, rows = register_of(draft.records, configured), read_rows(draft.connection, COVERS)
        for number, values in zip(rows.ids, rows.values(), strict=True):
            cover = Cover(*values)
            is_it = (cover.rule, cover.identity) == conflict
            if is_it and register.state(cover, microseconds(draft.time)) == HOLDS:
                _owned(draft.records, register, cover.control, actor)
                draft.close_rows(COVERS, [number])
                draft.open_rows(COVERS, [(*values[:-2], actor, time_text(draft.time))])
                draft.subjects += [f"identity:{conflict[1]}", f"rule:{conflict[0]}", f"control:{cover.control}"]
                return draft.number
        raise CallError(f"No cover holds on {'/'.join(conflict)}.", "See `kathodos conflicts covers`.")


def _owned(records: Records, register: Register, name: str, actor: str) -> Control:
    """The control of this name, if the actor is its owner. Raises CallError."""
    control = register.controls.get(name)
    if control is None:
        remedy = f"{nearest(name, list(register.controls))} Add one with `kathodos control add`."
        raise CallError(f"There is no control {name}.", remedy)
    if control.owner not in {actor, *identities_of(records, actor)}:
        raise CallError(
            f"{actor} is not the owner of {name}; that is {control.owner}.",
            "Only the owner may use a control: let them do it, or name the owner with --as.",
        )
    return control


def _end_of(until: str, control: Control, now: str) -> str:
    """The day to which a cover is to last, which has to be ahead and within the control's own time."""
    try:
        end = normal_moment(until)
    except ValueError as error:
        raise CallError(f"--until {until} is no date.", sentence(error)) from None
    if time_text(last_moment_of(end)) <= now:
        raise CallError(f"--until {end} is over already.", "Name a day ahead; a cover is not entered backwards.")
    if control.until and first_moment(end) > first_moment(control.until):
        raise CallError(f"The control {control.id} itself ends on {control.until}.", "Cover to that day at most.")
    return end
