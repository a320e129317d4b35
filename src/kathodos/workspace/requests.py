"""Requests and kits of a workspace: what granting would do, the evidence beside it, what somebody would need."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec
from msgspec.structs import replace

from kathodos.analysis.basis import Basis
from kathodos.change.applying import Rehearsed
from kathodos.change.composition import Desk
from kathodos.change.edit_sets import EditSet
from kathodos.change.effect import Effect
from kathodos.change.mandates import MandateCheck, Verdict, refusals
from kathodos.engine.reach import who_reaches
from kathodos.errors import CallError, DataError
from kathodos.model.kinds import IDENTITIES
from kathodos.model.references import reference_to
from kathodos.model.times import now as moment_now
from kathodos.model.toml import TomlText
from kathodos.request.checking import Fault, KitCheck, broken_by, tried_on_nobody
from kathodos.request.content import brought_by, give_entries, holder_of
from kathodos.request.deciding import Giving, content_of, giving
from kathodos.request.evidence import Evidence, evidence_of
from kathodos.request.kits import ApprovalStep, Kit, KitEntry, checked_kit, kits_in, may_ask
from kathodos.request.nearest import Candidate, candidates
from kathodos.request.records import Less, Request, running_for, steps_of
from kathodos.workspace.configuration import read_toml
from kathodos.workspace.rehearsing import rehearse, rehearse_between, verdicts

if TYPE_CHECKING:
    from kathodos.ledger.actors import Actor
    from kathodos.workspace.view import View

FOLDER = "kits"
_NOTHING = Less()
_REMEDY = "Correct the file; docs/requests.md says what may stand in it."


def desk_of(view: View, author: str = "", at: datetime | None = None) -> Desk:
    """What is composed on: the catalogue with all that is decided."""
    return Desk(view.decided.catalogue, at or moment_now(), author)


# Granting


class Trial(msgspec.Struct, frozen=True):
    """What granting a request would do: its edits, their effect on everyone, the evidence, what mandates say."""

    giving: Giving
    effect: Effect
    evidence: Evidence
    verdicts: Sequence[Verdict]
    rehearsed: Rehearsed
    pending: int


def trial(view: View, request: Request, less: Less = _NOTHING, actor: Actor | None = None) -> Trial:
    """What granting a request would do, as an actor would decide it now. Raises CallError where it cannot be given."""
    author = actor.name if actor is not None else ""
    found = giving(desk_of(view, author), view.stored, request, less)
    effect = rehearse(view, _once_active(found.edits) if request.is_guest else found.edits)
    state = view.decided
    entries = content_of(state.catalogue, request, less)
    peers = view.workspace.configuration.thresholds.peers
    now_and_decided = effect.before if effect.is_whole else Basis(state.catalogue, view.at_hand[0], view.moment)
    evidence = evidence_of(now_and_decided, effect, request, found.person, entries, found.composition, peers)
    said: Sequence[Verdict] = []
    if actor is not None:
        steps = steps_of(view.stored, [request.number])[request.number] if request.row else []
        others = {str(it.values["decided_by"]) for it in steps if it.decision == "grant"}
        others |= {it.approver for it in steps if it.number > request.step}  # who decides later may hold the mandate
        said = verdicts(view, found.edits, actor, others)
    counts = (effect.gained, effect.lost)
    rehearsed = Rehearsed(view.point.entry, effect.digest, *counts, effect.stops, refusals(said))
    return Trial(found, effect, evidence, said, rehearsed, len(view.pending))


def _once_active(edits: EditSet) -> EditSet:
    """Edits in which whoever is invited has come, since only then it is seen what somebody reaches."""
    return EditSet(
        replace(it, after={**it.after, "status": "active"}) if it.kind is IDENTITIES and it.after is not None else it
        for it in edits
    )


def must_reach_no_more(view: View, request: Request, less: Less) -> None:
    """Raises CallError where a scope that is to be less lets the person reach what the request as asked would not."""
    if less.on is None:
        return
    desk = desk_of(view)
    asked, lessened = (giving(desk, view.stored, request, it).edits for it in (Less(), less))
    differences = rehearse_between(view, asked, lessened).differences
    person = reference_to("identity", request.whom)
    if person in differences.askers and differences.gained[differences.askers.index(person)]:
        what = f"On {less.on} request {request.number} would give more than was asked for."
        raise CallError(what, "Name a part of what was asked.")


# What somebody would need


class Nearest(msgspec.Struct, frozen=True):
    """One thing that would give what is wanted: how much it would give besides, and what it would break.

    `beyond`: combinations of action and resource that are gained beside what is wanted.
    """

    candidate: Candidate
    gained: int
    beyond: int
    breaks: Sequence[str]


def nearest_to(view: View, person: str, node: int, action: int, until: str) -> list[Nearest]:
    """What would let somebody do an action on a resource, that which gives least besides first."""
    state = view.decided
    desk = desk_of(view)
    kits = [it for it in kits_in(state.catalogue) if may_ask(state.catalogue, it, person, desk.moment)]
    brought = brought_by(view.stored, running_for(view.stored, person))
    found = []
    for one in candidates(state.index, node, action, kits):
        lasting = until
        try:
            wanted = [(it, holder_of(desk, it, person)) for it in one.entries]
            edits = give_entries(desk, wanted, lasting, brought, "").composition.edits
        except CallError:  # it cannot be given to this person
            continue
        effect = rehearse(view, edits)
        after = effect.after
        reference = reference_to("identity", person)
        asker = after.index.holders.find(reference)
        there = after.index.tree.addresses.find(state.index.tree.addresses[node])
        if asker < 0 or not who_reaches(after.index, there, action, view.moment)[asker]:
            continue
        differences = effect.differences
        at = differences.askers.index(reference) if reference in differences.askers else -1
        gained = int(differences.gained[at]) if at >= 0 else 0
        breaks = [f"{it.rule} ({it.title})" for it in effect.broken[0] if it.who == reference]
        found.append(Nearest(one, gained, max(gained - 1, 0), breaks))
    order = {id(it): number for number, it in enumerate(found)}
    return sorted(found, key=lambda it: (bool(it.breaks), it.gained, it.candidate.kit is None, order[id(it)]))


# Kits


class KitApproval(ApprovalStep, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A step of `[[approve]]`."""


class KitGives(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One of `[[gives]]`: a role, a permission or a group; on which scopes; to the person or their account."""

    role: str = ""
    permission: str = ""
    group: str = ""
    on: tuple[str, ...] = ()
    to: str = "person"


class KitEmergency(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """`[emergency]`: for how many hours it is given at once, who is told, and who looks back on it."""

    hours: int
    looked_at_by: tuple[str, ...]
    told: tuple[str, ...] = ()


class KitFile(msgspec.Struct, frozen=True, forbid_unknown_fields=True, rename={"receivers": "for"}):
    """`kits/NAME.toml`."""

    gives: list[KitGives]
    approve: list[KitApproval]
    title: str = ""
    owner: str = ""
    receivers: str = ""
    domains: tuple[str, ...] = ()
    lasts: str = "P3M"
    longest: str = "P1Y"
    says: tuple[str, ...] = ()
    emergency: KitEmergency | None = None


def kit_files(folder: Path, names: Sequence[str] = ()) -> Iterator[tuple[str, TomlText]]:
    """The files of kits of a workspace, of all or of some names. Raises CallError where there is none of a name."""
    files = {it.stem: it for it in sorted((folder / FOLDER).glob("*.toml"))}
    for name in names or files:
        if name not in files:
            raise CallError(f"There is no {FOLDER}/{name}.toml.", "See docs/requests.md for how one is written.")
        yield name, read_toml(files[name], f"{FOLDER}/{name}.toml")


def kit_of_file(desk: Desk, name: str, text: TomlText) -> Kit:
    """The kit that a file says. Raises DataError with file, line and what was expected there."""
    content = text.as_type(KitFile, _REMEDY)
    entries = []
    for at, it in enumerate(content.gives):
        named = [one for one in (f"role:{it.role.removeprefix('role:')}" if it.role else "", it.permission) if one]
        named += [f"group:{it.group.removeprefix('group:')}"] if it.group else []
        if len(named) != 1:
            raise text.error(["gives", at], "each [[gives]] names one role, permission or group", _REMEDY)
        if it.to not in ("person", "account"):
            raise text.error(["gives", at, "to"], f"to is {it.to!r}, and not person or account", _REMEDY)
        entries += [KitEntry(named[0], scope, it.to) for scope in it.on or (None,)]
    emergency = content.emergency or KitEmergency(0, ())
    kit = Kit(
        name,
        [ApprovalStep(list(it.by), it.takes) for it in content.approve],
        entries,
        content.title,
        content.owner,
        content.receivers,
        content.domains,
        content.lasts,
        content.longest,
        content.says,
        emergency.hours,
        emergency.told,
        emergency.looked_at_by,
    )
    try:
        return checked_kit(desk, kit)
    except CallError as error:
        raise DataError(f"{text.name}: {error.what}", error.remedy) from None


def faults_of(view: View, kits: Sequence[Kit]) -> list[Fault]:
    """What is wrong with some kits."""
    state = view.decided
    check = KitCheck(state.basis, MandateCheck(state.catalogue, state.index, view.moment), desk_of(view))
    found: list[Fault] = []
    for kit in kits:
        found += check.of(kit)
        effect = rehearse(view, tried_on_nobody(check.desk, kit))
        found += broken_by(kit, effect, view.rules.fences)
    return found
