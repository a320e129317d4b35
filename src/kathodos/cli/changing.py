"""What every command that composes edits does with them: collect them, or rehearse, show, ask and apply."""

from __future__ import annotations

from typing import TYPE_CHECKING

import msgspec
from msgspec.structs import replace

from kathodos.cli.session import Session
from kathodos.errors import Status

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from kathodos.change.applying import Applied, ApplyChange, Rehearsed
    from kathodos.change.composition import Composition, Desk
    from kathodos.change.edit_sets import EditSet
    from kathodos.change.files import Block
    from kathodos.ledger.operations import Operation
    from kathodos.report.answers import Answer
    from kathodos.report.rehearsals import Told
    from kathodos.workspace.view import View


class Applying(msgspec.Struct, frozen=True):
    """What is to be applied: edits under a name, how they were composed, and where they came from.

    `is_kept`: they are those of a draft; `next_step`: the command that applies them, where it is another than this one;
    `wrap`: what is done beside applying them; `tell`: tells people once it is applied, and says what is said of it.
    """

    name: str
    edits: EditSet
    composition: Composition | None = None
    origin: str = ""
    is_kept: bool = False
    next_step: str = ""
    wrap: Callable[[ApplyChange], Operation[Applied]] = lambda operation: operation
    tell: Callable[[], Sequence[str]] = tuple


def desk(session: Session) -> Desk:
    """What is composed on: what has been decided, with what is collected already where it goes into a draft."""
    from kathodos.change.composition import Desk
    from kathodos.model.times import now
    from kathodos.store.edited import edited

    records, edits = session.view.stored, edits_so_far(session)
    return Desk(edited(records, edits.edits) if len(edits) else records, now(), session.actor)


def edits_so_far(session: Session) -> EditSet:
    """What pending orders would still alter, and what is collected in the draft that something is composed into."""
    from kathodos.change.applying import must_be_draft
    from kathodos.change.edit_sets import EditSet
    from kathodos.change.kept import change_called, edits_kept
    from kathodos.change.orders import pending_edits

    records = session.view.stored
    into = getattr(session.arguments, "into", None)
    edits = EditSet(pending_edits(records))
    known = change_called(records, into) if into is not None else None
    if known is not None:
        must_be_draft(known)
        edits = EditSet([*edits, *edits_kept(records, known.name)])
    return edits


def take_up(session: Session, composition: Composition, origin: str = "", found: Answer | None = None) -> int:
    """Collects what was composed in the change that `--into` names; else rehearses, shows, asks, and applies it.

    `found`: what it was composed of, shown first; as data it is the whole answer of a dry run.
    """
    from kathodos.change.applying import Compose
    from kathodos.change.kept import free_name
    from kathodos.report.changes import collected, nothing_to_do

    into = session.arguments.into
    if found is not None and session.format == "table":
        session.answer(found)
    elif found is not None and session.arguments.dry_run:
        return session.answer(found)
    if not len(composition.edits):
        return session.answer(nothing_to_do(composition))
    if into is not None:
        if session.arguments.dry_run:
            return show_rehearsal(session, Applying(into, composition.edits, composition))
        done = session.carry_out(Compose(into, composition.edits, origin))
        return session.answer(collected(done.result, composition))
    name = free_name(session.view.stored, "change")
    return apply(session, Applying(name, composition.edits, composition, origin))


def keep_remedies(session: Session, answer: Answer, blocks: Sequence[Block], origin: str) -> int:
    """Shows what was found; its remedies go into the file that `--change` names, or the change that `--into` does.

    `origin`: the command that found them.
    """
    from kathodos.change.applying import Compose
    from kathodos.change.composition import Composition
    from kathodos.change.edits import edits_of
    from kathodos.change.files import changes_text
    from kathodos.report.changes import collected

    asked = session.arguments
    if asked.into is None or not blocks:
        content = changes_text(f"Remedies, as kathodos {origin} found them.", blocks) if asked.change and blocks else ""
        return session.answer_with_file(answer, asked.change, content)
    view = session.view.decided
    edits = edits_of(blocks, view.catalogue, view.index)
    if session.format == "table":
        session.found(replace(answer, hint=""))
    done = session.carry_out(Compose(asked.into, edits, origin))
    return session.answer(collected(done.result, Composition(edits, asked=len(edits))))


def show_rehearsal(session: Session, applying: Applying) -> int:
    """Shows what edits do to everyone."""
    from kathodos.report.rehearsals import rehearsal

    told, _ = _rehearsed(session, session.view, applying)
    return session.answer(rehearsal(session.view, told, session.format))


def apply(session: Session, applying: Applying, view: View | None = None) -> int:
    """Rehearses edits, shows what they do, asks, and applies them; once more where the state moved meanwhile."""
    from kathodos.change.applying import MovedError
    from kathodos.report.changes import applied, differs, not_applied
    from kathodos.report.rehearsals import rehearsal

    view, asked, earlier = view or session.view, session.arguments, None
    while True:
        told, found = _rehearsed(session, view, applying)
        shown = rehearsal(view, told, session.format)
        if earlier is not None and earlier.effect != found.effect:
            session.complain(differs(earlier, found))
            if asked.yes:  # that was said to something else
                return session.answer(not_applied(applying.name, replace(shown, status=Status.FOUND)))
        if asked.dry_run:
            return session.answer(shown)
        if session.format == "table":
            session.answer(shown)
        if shown.status is not Status.DONE:  # not what --expect says
            return session.answer(not_applied(applying.name, shown))
        is_open = not found.refused and (not found.stops or asked.despite)
        if is_open and not session.agrees(f"Apply {applying.name}?"):
            return session.answer(not_applied(applying.name, shown))
        try:
            done = session.carry_out(applying.wrap(_operation(session, applying, found)))
        except MovedError as error:
            view = session.view_of(None)
            if view.point.entry == found.entry:
                raise
            session.complain(f"{error.what} It is rehearsed again.")
            earlier = found
            if applying.is_kept:
                continue
            applying = replace(applying, name=free_name_like(view, applying.name))
            continue
        answer = applied(done.result, done.entry, shown.document)
        return session.answer(replace(answer, text=[*answer.text, *applying.tell()]))


def _operation(session: Session, applying: Applying, found: Rehearsed) -> ApplyChange:
    from kathodos.change.applying import ApplyChange, ApplyTerms

    configuration = session.workspace.configuration
    terms = ApplyTerms(configuration.order_terms, "apply" in configuration.powers.four_eyes)
    edits = None if applying.is_kept else applying.edits
    return ApplyChange(applying.name, found, terms, edits, applying.origin, session.arguments.despite or "")


def free_name_like(view: View, name: str) -> str:
    """A name that no change has yet: the next number of one that was numbered."""
    from kathodos.change.kept import change_called, free_name

    is_taken = name[-1:].isdigit() and change_called(view.stored, name) is not None
    return free_name(view.stored, name.rpartition("-")[0]) if is_taken else name


def _rehearsed(session: Session, view: View, applying: Applying) -> tuple[Told, Rehearsed]:
    """What edits do, as it is told and as it is applied. Raises CallError where they do not fit any more."""
    from kathodos.change.applying import Rehearsed, moved_error
    from kathodos.change.mandates import refusals
    from kathodos.change.orders import decided
    from kathodos.change.settling import settled
    from kathodos.model.references import reference_to
    from kathodos.report.rehearsals import Told
    from kathodos.workspace.rehearsing import rehearse, verdicts

    asked, edits = session.arguments, applying.edits
    fits = settled(edits, decided(view.stored))
    if fits.moved:
        raise moved_error(fits.moved)
    author = next((it for it in sorted(session.acts.identities) if view.index.holders.find(f"identity:{it}") >= 0), "")
    author = reference_to("identity", author) if author else ""
    effect = rehearse(view, fits.edits, author, asked.thorough)
    said = verdicts(view, fits.edits, session.acts, {edit.author for edit in edits} - {""})
    pending = len(view.pending)
    whose = getattr(asked, "whose", None)
    who = view.index.holders.references[view.asker(whose)] if whose is not None else None
    told = Told(
        applying.name,
        fits.edits,
        effect,
        said,
        applying.composition,
        getattr(asked, "expect", None),
        pending,
        who,
        session.most,
        applying.next_step or ("the same without --dry-run" if asked.dry_run else ""),
        can_be_named=bool(applying.next_step),
    )
    counts = (effect.gained, effect.lost)
    return told, Rehearsed(view.point.entry, effect.digest, *counts, effect.stops, refusals(said))
