"""What is wrong with kits: what can never be given, what breaks a rule by itself, what nobody may approve."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import msgspec

from kathodos.analysis.basis import Basis
from kathodos.change.composition import Desk
from kathodos.change.edit_sets import EditSet, edit_of
from kathodos.change.effect import Effect
from kathodos.change.giving import Giving, give, join
from kathodos.change.mandates import MandateCheck
from kathodos.columns.csr import Bools, Ints, distinct
from kathodos.errors import CallError
from kathodos.ledger.actors import Actor
from kathodos.model.addresses import parse_pattern
from kathodos.model.filters import parse_filter
from kathodos.model.kinds import ACCOUNTS, GROUPS, IDENTITIES, ROLES, SYSTEMS
from kathodos.model.periods import later
from kathodos.model.references import reference_to
from kathodos.request.kits import ACCOUNT, MANAGER, OWNER, ApprovalStep, Kit, KitEntry
from kathodos.review.reviewers import managers_of
from kathodos.rules.reading import Fence
from kathodos.rules.targets import PermissionTargets
from kathodos.store.attributes import AttributeColumns
from kathodos.store.records import Records, columns_of

NEVER_GIVEN, BREAKS_RULE, NOT_APPROVED = "never given", "breaks a rule", "not approved"
TRIED = "kit-check"  # the id of the person, whom nobody knows, that a kit is tried on


class Fault(msgspec.Struct, frozen=True):
    """Something wrong with a kit: of which sort, about which part of it, and what, in a sentence."""

    kit: str
    sort: str
    part: str
    what: str


class KitCheck:
    """Looks at kits against the catalogue as it is decided, at a moment."""

    def __init__(self, basis: Basis, mandates: MandateCheck, desk: Desk) -> None:
        self.basis, self.mandates, self.desk = basis, mandates, desk
        self.records: Records = basis.records
        self._status = dict(zip(*columns_of(self.records, SYSTEMS, "system", "owner"), strict=True))

    def of(self, kit: Kit) -> Iterator[Fault]:
        """What is wrong with a kit, rules apart."""
        receivers = self.receivers(kit)
        if not receivers.any() and not kit.domains:
            what = f"Nobody may ask for it: nobody is one of those with {kit.receivers}."
            yield Fault(kit.name, NEVER_GIVEN, "for", what)
        if later(self.desk.now, kit.longest) < later(self.desk.now, kit.lasts):
            what = f"It lasts {kit.lasts} unless somebody says so, which is longer than the longest, {kit.longest}."
            yield Fault(kit.name, NEVER_GIVEN, "lasts", what)
        for entry in kit.entries:
            why = self._never(entry)
            if why:
                yield Fault(kit.name, NEVER_GIVEN, entry.text, why)
        for number, step in enumerate(kit.steps, 1):
            for why in self._unapproved(kit, step, receivers):
                yield Fault(kit.name, NOT_APPROVED, f"step {number}", why)
        if kit.hours:
            for why in self._unapproved(kit, ApprovalStep(list(kit.looked_at_by)), receivers):
                yield Fault(kit.name, NOT_APPROVED, "look back", why)
        yield from self._beyond_mandates(kit)

    def receivers(self, kit: Kit) -> Bools:
        """Which identities may ask for a kit, in the order of their records: active, and selected by its filter."""
        active = self.records.column(IDENTITIES, "status").holding("active")
        if not kit.receivers:
            return active
        columns = AttributeColumns(self.records, IDENTITIES, today=self.desk.moment)
        return active & columns.selected(parse_filter(kit.receivers))

    def _never(self, entry: KitEntry) -> str:
        """Why an entry can never be given, or gives nothing; empty where it can."""
        index = self.basis.index
        if entry.system not in self._status:
            return f"There is no system {entry.system} any more."
        if entry.to == ACCOUNT and not len(self.records.rows_holding(ACCOUNTS, {"system": [entry.system]})):
            return f"It is held by an account, and {entry.system} has none."
        if entry.gives.startswith("group:"):
            system, _, group = entry.gives.partition(":")[2].partition("/")
            held = self.records.with_key(GROUPS, (system, group))
            if held is None:
                return f"There is no {entry.gives} any more."
            return f"Nobody joins {entry.gives} by hand: a filter selects its members." if held["filter"] else ""
        if entry.gives.startswith("role:"):
            system, _, role = entry.gives.partition(":")[2].partition("/")
            held = self.records.with_key(ROLES, (system, role))
            if held is None:
                return f"There is no {entry.gives} any more."
            return "" if held["active"] else f"{entry.gives} is switched off, and gives nothing."
        pattern = parse_pattern(entry.gives.partition(" ")[2])
        if not len(index.tree.matches(pattern.target)):
            return f"There is no resource {pattern} any more."
        return ""

    def _unapproved(self, kit: Kit, step: ApprovalStep, receivers: Bools) -> Iterator[str]:
        """Why a step may be left without anybody."""
        able, without = [], 0
        for word in step.by:
            if word == MANAGER:
                without = int((receivers & (self._managers < 0)).sum())
                able += [word] if without < int(receivers.sum()) else []
            elif word == OWNER:
                names = [kit.owner] if kit.owner else [str(self._status.get(it.system) or "") for it in kit.entries]
                able += [it for it in names if self._is_active(it)]
            elif self._is_active(word):
                able.append(word)
        if not able:
            yield f"Nobody may approve it: {step.text} is nobody who is active."
            return
        if able == [MANAGER] and without:
            yield f"{without} of those who may ask {'has' if without == 1 else 'have'} no manager who is active."
        if step.takes == "all" and len(able) < len(step.by):
            yield f"All of {step.text} have to approve, and not all of them are there."

    def _is_active(self, name: str) -> bool:
        held = self.records.with_key(IDENTITIES, (name,)) if name else None
        return held is not None and held["status"] == "active"

    @property
    def _managers(self) -> Ints:
        """The manager of each identity, in the order of the records; -1 where nobody above is active."""
        ids, manager = self.records.column(IDENTITIES, "id"), self.records.column(IDENTITIES, "manager")
        active = self.records.column(IDENTITIES, "status").holding("active")
        return managers_of(manager, active, ids.listed())

    def _beyond_mandates(self, kit: Kit) -> Iterator[Fault]:
        """What nobody who approves may hand out, in systems over whose roles there are mandates."""
        if not any(mandate.is_about_system(it.system) for mandate in self.mandates.mandates for it in kit.entries):
            return
        words = {word for step in kit.steps for word in step.by}
        named = [it for it in sorted(words) if it not in (MANAGER, OWNER)]
        named += [kit.owner] if kit.owner and OWNER in words else []
        if MANAGER in words:
            above = self._managers[self.receivers(kit)]
            named += [str(it) for it in self.records.column(IDENTITIES, "id").listed(distinct(above[above >= 0]))]
        actors = [Actor(name, self.records) for name in dict.fromkeys(named)]
        for entry in kit.entries:
            if not any(it.is_about_system(entry.system) for it in self.mandates.mandates):
                continue
            if not entry.gives.startswith("role:"):
                if not entry.gives.startswith("group:"):
                    what = f"A mandate is about roles, and {entry.gives} is a permission."
                    yield Fault(kit.name, NOT_APPROVED, entry.text, what)
                continue
            role = entry.gives.partition(":")[2]
            holding = [it for actor in actors for it in self.mandates.mandates if self.mandates.holds(actor, it)]
            if not any(it.names(role) and "give" in it.may for it in holding):
                what = f"Nobody who approves it holds a mandate to give {entry.gives}."
                yield Fault(kit.name, NOT_APPROVED, entry.text, what)


def tried_on_nobody(desk: Desk, kit: Kit) -> EditSet:
    """A person who holds a kit and nothing else, so that it is seen what it does by itself."""
    record = {**dict.fromkeys(IDENTITIES.names), "id": TRIED, "kind": "person", "status": "active"}
    found = EditSet([edit_of(IDENTITIES, None, record)])
    holder = reference_to("identity", TRIED)
    for entry in kit.entries:
        try:
            if entry.gives.startswith("group:"):
                composed = join(desk, [entry.gives], [holder])
            else:
                composed = give(desk, Giving([entry.gives], [holder], [entry.on]))
        except CallError:  # it can never be given, which is told elsewhere
            continue
        for edit in composed.edits:
            found.put(edit)
    return found


def broken_by(kit: Kit, effect: Effect, fences: Sequence[Fence]) -> Iterator[Fault]:
    """The rules that a kit breaks by itself, given the effect of somebody having it and nothing else."""
    for broken in effect.broken[0]:
        if broken.kind == "conflict":
            what = f"Whoever has it breaks {broken.rule} ({broken.title}): it holds {broken.what}."
            yield Fault(kit.name, BREAKS_RULE, broken.rule, what)
    after, reference = effect.after, reference_to("identity", TRIED)
    asker = after.index.holders.find(reference)
    differences = effect.differences
    is_there = reference in differences.askers
    reached = differences.texts(differences.askers.index(reference))[0] if is_there else []
    targets = PermissionTargets(after)
    for fence in fences if asker >= 0 and reached else ():
        for permission in fence.never:
            actions, nodes = targets.of_permission(permission)
            addresses = {after.index.tree.addresses[it] for it in nodes.tolist()}
            names = {after.index.actions[it][1] for it in actions}
            if any(text.partition(" ")[0] in names and text.partition(" ")[2] in addresses for text in reached):
                what = f"It gives {permission}, which the fence {fence.id} ({fence.title}) keeps some people from."
                yield Fault(kit.name, BREAKS_RULE, fence.id, what)
                break
