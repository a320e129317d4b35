"""How much each measure of risk comes to, from what was found."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from functools import cached_property

import msgspec
import numpy as np

from kathodos.analysis.evidence.usual import counted, others_in, peer_groups
from kathodos.analysis.exposure import KINDS
from kathodos.columns.csr import Bools, Ints, distinct, ints, joined, reachable
from kathodos.engine.decide import who_has
from kathodos.engine.potential import ADMINISTERED
from kathodos.engine.reach import permits_on, who_reaches_something
from kathodos.findings.conflicts.roles import RoleConflict
from kathodos.findings.conflicts.states import Conflicts
from kathodos.findings.escalation import Climb
from kathodos.findings.excess.batches import Batch, ExcessContext
from kathodos.findings.excess.kinds import NAMES
from kathodos.findings.excess.people import ORPHAN
from kathodos.findings.excess.use import UNUSED_ROLE
from kathodos.findings.fences import crossing
from kathodos.findings.risk.scores import Floats, Lift, References, Scores, rules_broken, why_of_asker
from kathodos.findings.risk.weights import PARTS, Weights
from kathodos.model.references import reference_to
from kathodos.model.severities import SEVERITIES, Severity
from kathodos.model.times import BEGINNING, DAY
from kathodos.model.words import plural
from kathodos.rules.reading import Conflicting, Fence

LEVELS = np.array([0.0, 0.2, 0.6, 1.0])  # by the highest sensitivity, 0 to 3
ACTIONS = np.array([0.1, 0.4, 0.6, 0.6, 1.0])  # by the gravest kind of action: read, write, export, approve, administer
SEVERE = np.array([0.1, 0.3, 0.6, 1.0])  # by the severity of a conflict's rule, from low to critical
GONE = np.array([0.3, 0.6, 0.9, 1.0])  # by how far a conflict has gone, from latent to on the same record
OFFICE = 0.05  # a latent conflict of an administrator against whom nothing else speaks
OFFICE_GAIN = 0.5  # of what an administrator could gain
IN_ORDER = 0.1  # of what the parts come to, above a floor: so those who are lifted keep their order
CROSSED = 0.6  # of the severity of a fence that is crossed, as of a conflict that is held
CERTAIN = 90  # the least confidence with which a finding sets a floor
COVERED = 0.3  # of what a conflict counts while a cover holds
EXCESSIVE = np.array([0.03, 0.12, 0.35, 0.7])  # by the severity of a finding
_MOST_RESOURCES = 2000


class Judged(msgspec.Struct, frozen=True):
    """What has been found, and counts for risk."""

    context: ExcessContext
    conflicts: Conflicts
    covered: Bools
    faults: Sequence[RoleConflict] = ()
    excess: Sequence[Batch] = ()
    climbers: Sequence[Climb] = ()
    weights: Weights = msgspec.field(default_factory=Weights)
    fences: Sequence[Fence] = ()


class Risk:
    """The scores of each kind of thing."""

    def __init__(self, judged: Judged) -> None:
        self.judged = judged
        self.context = judged.context
        self.basis = judged.context.basis
        self.index = judged.context.basis.index

    # Identities and accounts, which are asked alike

    @cached_property
    def level(self) -> Ints:
        """The highest sensitivity that each identity or account reaches; 0 where it is nothing more."""
        found = np.zeros(self.index.holders.first_group, dtype=np.int64)
        levels = self.basis.sensitivity
        for system in self.index.systems_in_order:
            for level in (1, 2, 3):
                nodes = (levels[system.root : system.end] == level).nonzero()[0] + system.root
                if len(nodes) and len(system.actions):
                    mask = who_reaches_something(self.index, nodes, self.basis.moment)
                    found[mask] = np.maximum(found[mask], level)
        return found

    @cached_property
    def idle_days(self) -> Ints:
        """For each account, if it is enabled, the days without a sign-in where they are too many; else 0."""
        basis = self.basis
        seen = basis.moments(basis.account("last_login"))
        days = np.where(seen > BEGINNING, basis.days_since(seen), 0)
        late = self.index.holders.is_enabled & (days > self.context.thresholds.dormant)
        return np.where(late, days, 0)

    @cached_property
    def excess_of(self) -> tuple[Floats, Ints]:
        """For each identity 1 less the product of what each finding leaves, and how many findings there are."""
        left, count = np.zeros(self.basis.people), np.zeros(self.basis.people, dtype=np.int64)
        for batch in self.judged.excess:
            known = (batch.whose >= 0) & (batch.whose < self.basis.people)
            whose = batch.whose[known]
            left += np.bincount(whose, weights=_leaves(batch)[known], minlength=self.basis.people)
            count += np.bincount(whose, minlength=self.basis.people)
        return 1 - np.exp(left), count

    @cached_property
    def crossing(self) -> list[tuple[Fence, Bools]]:
        """The fences, and which identities and accounts are across each."""
        return crossing(self.context.targets, self.judged.fences)

    @cached_property
    def conflicts_of(self) -> Floats:
        """For each identity and account what its conflicts, and the fences that it is across, come to."""
        conflicts = self.judged.conflicts
        gone = np.where(conflicts.is_latent & self.is_office[conflicts.asker], OFFICE, GONE[conflicts.state])
        share = SEVERE[conflicts.severity()] * gone * np.where(self.judged.covered, COVERED, 1.0)
        lost = np.log1p(-np.minimum(share, 0.999))
        left = np.bincount(conflicts.asker, weights=lost, minlength=self.basis.size).astype(np.float64)
        for fence, across in self.crossing:
            left[across] += np.log1p(-SEVERE[SEVERITIES.index(fence.severity)] * CROSSED)
        return 1 - np.exp(left)

    @cached_property
    def speaks_more(self) -> Bools:
        """Against which identities and accounts more speaks than what they could do: a conflict, a finding."""
        conflicts, found = self.judged.conflicts, np.zeros(self.basis.size, dtype=bool)
        found[conflicts.asker[~conflicts.is_latent & ~self.judged.covered]] = True
        for _, across in self.crossing:
            found |= across
        for batch in self.judged.excess:
            found[batch.whose[(batch.whose >= 0) & (batch.severity >= SEVERITIES.index(Severity.MEDIUM))]] = True
        return found

    @cached_property
    def administers(self) -> Bools:
        """Which identities and accounts were given an action that administers."""
        found: Bools = self.context.usage.kinds_of >> KINDS.index("administer") & 1 > 0
        return found

    @cached_property
    def is_office(self) -> Bools:
        """Whose office it is to administer, and against whom nothing else speaks."""
        return self.administers & ~self.speaks_more & ~self.is_alone

    @cached_property
    def is_alone(self) -> Bools:
        """Who administers, and of their peers fewer than half do."""
        basis, found = self.basis, np.zeros(self.basis.size, dtype=bool)
        group = np.where(counted(basis), peer_groups(basis, self.context.thresholds.peers), -1)
        people = (group >= 0).nonzero()[0]
        others = others_in(group, counted(basis), people)
        mine = self.administers[people]
        doing = np.bincount(group[people], weights=mine, minlength=int(group.max(initial=-1)) + 1)[group[people]] - mine
        found[people] = mine & (2 * doing < others)
        return found

    @cached_property
    def floors(self) -> tuple[Floats, Ints]:
        """For each identity and account the least that its score is, and what lifts it."""
        weights, size = self.judged.weights, self.basis.size
        least, why = np.zeros(size), np.full(size, int(Lift.NOTHING), dtype=np.int64)
        conflicts = self.judged.conflicts
        severe = conflicts.severity() >= SEVERITIES.index(Severity.HIGH)
        used = conflicts.asker[conflicts.is_exercised & severe & ~self.judged.covered]
        lifting = [(ints([]), weights.critical, 0)]
        for batch in self.judged.excess:
            certain = (batch.severity == SEVERITIES.index(Severity.CRITICAL)) & (batch.confidence >= CERTAIN)
            lifting.append((batch.whose[certain & (batch.whose >= 0)], weights.critical, NAMES.index(batch.kind)))
            if batch.account is not None:
                accounts = batch.account[certain] + self.basis.people
                lifting.append((accounts, weights.critical, NAMES.index(batch.kind)))
        lifting.append((used, weights.exercised, Lift.CONFLICT))
        across = (mask.nonzero()[0] for fence, mask in self.crossing if fence.severity == Severity.CRITICAL)
        lifting += [(some, weights.exercised, Lift.FENCE) for some in across]
        lifting.append((self._unowned_in_use, weights.unguarded, Lift.UNOWNED))
        lifting.append((self._climbing_out_of_office, weights.unguarded, Lift.CLIMB))
        for some, floor, by in lifting:
            lifted = some[floor > least[some]]
            least[lifted], why[lifted] = floor, by
        return least, why

    @property
    def _unowned_in_use(self) -> Ints:
        """The accounts that nobody owns or answers for, and that were signed in to, or used, lately."""
        basis, orphans = self.basis, [it.account for it in self.judged.excess if it.kind == ORPHAN]
        accounts = joined([it for it in orphans if it is not None])
        since = basis.moment - self.context.thresholds.dormant * DAY
        seen = basis.moments(basis.account("last_login"))
        last = np.full(basis.size, BEGINNING)
        np.maximum.at(last, basis.uses.user, basis.uses.time)
        is_used = np.maximum(seen[accounts], last[accounts + basis.people]) >= since
        found: Ints = accounts[is_used].astype(np.int64) + basis.people
        return found

    @property
    def _climbing_out_of_office(self) -> Ints:
        """Who could give itself everything in a system, and whose office that is not."""
        whole = {it.name: len(it.actions) * it.size for it in self.index.systems_in_order}
        some = [
            it.askers for it in self.judged.climbers if any(now + more == whole[name] for name, now, more in it.gains)
        ]
        askers = joined(some).astype(np.int64)
        return askers[~self.is_office[askers]]

    def rules_broken(self, asker: int) -> str:
        """The rules that an identity or account breaks, in words."""
        crossed = [fence.id for fence, across in self.crossing if across[asker]]
        return rules_broken(self.judged.conflicts, self.judged.covered, crossed, asker)

    @cached_property
    def gain(self) -> Floats:
        """For each asker what it could gain, as the root of its share of everything; of administrators less."""
        found = np.zeros(self.index.holders.first_group)
        whole = sum(len(it.actions) * it.size for it in self.index.systems_in_order)
        for climber in self.judged.climbers:
            found[climber.askers] = min((climber.gain / max(whole, 1)) ** 0.5, 1.0)
        return np.where(self.administers, OFFICE_GAIN * found, found)

    def identities(self) -> Scores:
        """The risk of every identity."""
        people, accounts = self.basis.people, self.index.holders.owner
        idle = np.zeros(people, dtype=np.int64)
        owned = accounts >= 0
        np.maximum.at(idle, accounts[owned], self.idle_days[owned])
        excess, count = self.excess_of
        measures = [
            *self._reach_measures(slice(0, people)),
            self.conflicts_of[:people],
            excess,
            np.minimum(idle / 365, 1),
        ]
        measured = {**self._measured(slice(0, people)), "findings": count, "idle": idle}
        why = why_of_asker("identities", measured, len(self.index.systems), self.rules_broken)
        return self._scores("identities", None, measures, why, 0, measured)

    def accounts(self) -> Scores:
        """The risk of every account, asked on its own."""
        people, holders = self.basis.people, self.index.holders
        size = holders.first_group - people
        left, counts = np.zeros(size), np.zeros(size, dtype=np.int64)
        for batch in self.judged.excess:
            at, account = self._accounts_in(batch)
            left += np.bincount(account, weights=_leaves(batch)[at], minlength=size)
            counts += np.bincount(account, minlength=size)
        excess = 1 - np.exp(left)
        idle = np.minimum(self.idle_days / 365, 1)
        measures = [*self._reach_measures(slice(people, None)), self.conflicts_of[people:], excess, idle]

        measured = {**self._measured(slice(people, None)), "findings": counts, "idle": self.idle_days}
        named = lambda at: self.rules_broken(at + people)  # noqa: E731
        why = why_of_asker("accounts", measured, len(self.index.systems), named)
        return self._scores("accounts", None, measures, why, people, measured)

    def _reach_measures(self, some: slice) -> list[Floats]:
        """Sensitivity, breadth and kinds of action of some identities or accounts."""
        kinds, systems = self.context.usage.kinds_of, self.context.usage.systems_of.sum(axis=1)
        worst = np.zeros(len(kinds))
        for bit, weight in enumerate(ACTIONS.tolist()):
            worst = np.where(kinds >> bit & 1, np.maximum(worst, weight), worst)
        return [LEVELS[self.level][some], (systems / max(len(self.index.systems), 1))[some], worst[some]]

    def _measured(self, some: slice) -> dict[str, Ints]:
        """What is known of some identities or accounts: sensitivity, systems, kinds of action, possible gain."""
        gain = np.zeros(self.index.holders.first_group, dtype=np.int64)
        for climber in self.judged.climbers:
            gain[climber.askers] = climber.gain
        kinds, systems = self.context.usage.kinds_of, self.context.usage.systems_of.sum(axis=1)
        lifted = self.floors[1][some]
        measured = {"level": self.level[some], "systems": systems[some], "kinds": kinds[some], "gain": gain[some]}
        return {**measured, "lifted": lifted}

    def _scores(
        self,
        kind: str,
        subjects: Sequence[str] | None,
        measures: list[Floats],
        why: Callable[[int, int], str],
        first: int,
        measured: Mapping[str, Ints] | None = None,
    ) -> Scores:
        size = len(measures[0])
        if len(measures) == len(PARTS) - 1:
            measures = [*measures, self.gain[first : first + size]]
        points = np.round(np.stack(measures, axis=1) * np.array(self.judged.weights.listed()), 1)
        is_asker = kind in ("identities", "accounts")
        floor, total = self.floors[0][first : first + size] if is_asker else np.zeros(size), points.sum(axis=1)
        least = np.minimum(floor + IN_ORDER * total, 100)
        lift = np.round(np.where(floor > 0, np.maximum(least - total, 0), 0), 1)
        points = np.concatenate([points, lift[:, None]], axis=1)
        names = subjects if subjects is not None else References(self.index.holders.references, first, size)
        return Scores(kind, names, points, self.judged.weights, why, measured or {})

    # Roles, resources, systems

    def roles(self) -> Scores:
        """The risk of every active role: by what it gives, and to how many."""
        index, exposure = self.index, self.context.exposure
        names = list(index.roles)
        people = max(int((self.basis.is_person & self.basis.is_there).sum()), 1)
        size = len(names)
        top, kinds = np.zeros(size, dtype=np.int64), np.zeros(size, dtype=np.int64)
        role = index.entitlements.role
        known = role >= 0
        np.maximum.at(top, role[known], np.maximum(exposure.top[known], 0))
        np.bitwise_or.at(kinds, role[known], exposure.kinds[known])
        having = np.array([self._having(number) for number in range(size)], dtype=np.int64)
        worst = np.max(np.where(kinds[:, None] >> np.arange(len(KINDS)) & 1, ACTIONS, 0.0), axis=1, initial=0.0)
        conflicts = np.zeros(size)
        for fault in self.judged.faults:
            conflicts[fault.role] = max(conflicts[fault.role], float(SEVERE[SEVERITIES.index(fault.rule.severity)]))
        about = self._excess_by_subject()
        excess = np.array([about.get(reference_to("role", name), 0.0) for name in names])
        unused = {
            batch.subject(at) for batch in self.judged.excess if batch.kind == UNUSED_ROLE for at in range(len(batch))
        }
        idle = np.array([float(reference_to("role", name) in unused) for name in names])
        climbs = np.array([float(self._administers(number)) for number in range(size)])
        measures = [LEVELS[top], having / people, worst, conflicts, excess, idle, climbs]

        def why(at: int, part: int) -> str:
            rules = [fault.rule.id for fault in self.judged.faults if fault.role == at]
            named = [name for bit, name in enumerate(KINDS) if kinds[at] >> bit & 1]
            return (
                f"gives what is of sensitivity {top[at]}",
                f"{having[at]} of {plural(people, 'person has', 'people have')} it",
                f"gives {', '.join(named)}" if named else "gives nothing to anybody now",
                f"breaks {', '.join(rules)} by itself" if rules else "breaks no rule by itself",
                "something is said about it in kathodos excess" if excess[at] else "no finding",
                "nobody uses it" if idle[at] else "in use, or not known",
                "administers groups, roles or grants" if climbs[at] else "gives no right over groups, roles or grants",
            )[part]

        return self._scores("roles", [reference_to("role", name) for name in names], measures, why, 0)

    def _having(self, role: int) -> int:
        """How many people who are there have a role, or one senior to it."""
        index = self.index
        seniors = reachable(index.seniors, ints([role]))
        entitlements = np.concatenate([self._entitlements_of_roles[it] for it in seniors.tolist()])
        grants = index.entitlement_grants.all_of(entitlements.astype(np.int64)).astype(np.int64)
        grants = grants[self.basis.live[grants] & ~index.grants.denies[grants]]
        if not len(grants):
            return 0
        mask = who_has(index, distinct(index.grants.holder[grants]).astype(np.int64), self.basis.moment)
        return int((mask[: self.basis.people] & self.basis.is_person & self.basis.is_there).sum())

    @cached_property
    def _entitlements_of_roles(self) -> list[Ints]:
        found: list[list[int]] = [[] for _ in range(len(self.index.roles))]
        for entitlement, role in enumerate(self.index.entitlements.role.tolist()):
            if role >= 0:
                found[role].append(entitlement)
        return [np.array(it, dtype=np.int64) for it in found]

    def _administers(self, role: int) -> bool:
        """Whether a role, as it is given somewhere, administers a group, a role or grants that are resources."""
        index = self.index
        types = [at for at, name in enumerate(index.type_names) if name in ADMINISTERED]
        nodes = np.isin(index.types, types)
        before = np.concatenate([[0], np.cumsum(nodes[index.tree.node_at])])
        administer = 1 << KINDS.index("administer")
        for entitlement in self._entitlements_of_roles[role].tolist():
            if self.context.exposure.kinds[entitlement] & administer:
                rules = index.entitlements.scoped[entitlement].astype(np.int64)
                intervals = index.scoped_intervals.all_of(rules)
                if (before[index.intervals.end[intervals]] > before[index.intervals.first[intervals]]).any():
                    return True
        return False

    def _excess_by_subject(self) -> dict[str, float]:
        """What the findings about nobody in particular come to, by what they are about."""
        left: dict[str, float] = {}
        for batch in self.judged.excess:
            for at in (batch.whose < 0).nonzero()[0].tolist():
                weight = EXCESSIVE[batch.severity[at]] * batch.confidence[at] / 100
                name = batch.subject(at)
                left[name] = left.get(name, 1.0) * (1 - float(weight))
        return {name: 1 - it for name, it in left.items()}

    def resources(self, only: Sequence[int] | None = None) -> Scores:
        """The risk of resources: the most sensitive that any source lists, or those that were asked for."""
        index, levels = self.index, self.basis.sensitivity
        listed = (self.basis.node("resource").codes >= 0).nonzero()[0]
        chosen = listed[np.lexsort((listed, -levels[listed]))][:_MOST_RESOURCES]
        nodes = np.array(only, dtype=np.int64) if only is not None else chosen
        askers = index.holders.askers
        reaching, kinds = [], []
        for node in nodes.tolist():
            reaching.append(int(who_reaches_something(index, ints([node]), self.basis.moment)[askers].sum()))
            kinds.append(self._kinds_on(node))
        count, given = np.array(reaching, dtype=np.int64), np.array(kinds, dtype=np.int64)
        worst = np.max(np.where(given[:, None] >> np.arange(len(KINDS)) & 1, ACTIONS, 0.0), axis=1, initial=0.0)
        about = self._excess_by_subject()
        excess = np.array([about.get(index.tree.addresses[node], 0.0) for node in nodes.tolist()])
        nothing = np.zeros(len(nodes))
        measures = [LEVELS[levels[nodes]], count / max(len(askers), 1), worst, nothing, excess, nothing, nothing]

        def why(at: int, part: int) -> str:
            named = [name for bit, name in enumerate(KINDS) if given[at] >> bit & 1]
            return (
                f"is of sensitivity {levels[nodes[at]]}",
                f"{count[at]} of {len(askers)} reach it",
                f"somebody was given {', '.join(named)} on it" if named else "nobody was given anything on it",
                "counted with people and roles",
                "something is said about it in kathodos excess" if excess[at] else "no finding",
                "counted with accounts and roles",
                "counted with people",
            )[part]

        names = [index.tree.addresses[node] for node in nodes.tolist()]
        return self._scores("resources", names, measures, why, 0)

    def _kinds_on(self, node: int) -> int:
        """The kinds of action that somebody was given on a node, as bits."""
        system = self.index.system_of(node)
        bits = 0
        for number, kind in zip(system.actions.tolist(), system.kinds, strict=True):
            if kind in KINDS and len(permits_on(self.index, node, self.index.actions[number][1], self.basis.moment)):
                bits |= 1 << KINDS.index(kind)
        return bits

    def systems(self) -> Scores:
        """The risk of every system."""
        index, basis = self.index, self.basis
        people = max(int((basis.is_person & basis.is_there).sum()), 1)
        rows, part_texts = [], []
        conflicts = self.conflicts_of
        in_systems = [_systems_of(rule) for rule in self.judged.conflicts.rules]
        held = self.judged.conflicts.taken(~self.judged.conflicts.is_latent)
        gains = {name for it in self.judged.climbers for name in (gain[0] for gain in it.gains)}
        for number, system in enumerate(index.systems_in_order):
            top = int(basis.sensitivity[system.root : system.end].max(initial=0))
            inside = self._holding_in(number)
            administrators = self._administrators(system.name)
            sided = held.taken(np.array([system.name in it for it in in_systems], dtype=bool)[held.rule])
            worst = float(conflicts[sided.asker].max(initial=0.0))
            resting = self._resting_on(system.name)
            idle, enabled = self._idle_accounts(system.name)
            rows.append(
                [
                    float(LEVELS[top]),
                    inside / people,
                    min((administrators / people) ** 0.5, 1.0),
                    worst,
                    1 - float(np.exp(-resting / 10)),
                    idle / max(enabled, 1),
                    float(system.name in gains),
                ]
            )
            part_texts.append(
                (
                    f"holds what is of sensitivity {top}",
                    f"{inside} of {plural(people, 'person holds', 'people hold')} something in it",
                    f"{plural(administrators, 'person', 'people')} may administer it",
                    f"{plural(len(sided), 'conflict')} with a side in it",
                    f"{plural(resting, 'finding')} about it",
                    f"{idle} of {plural(enabled, 'enabled account')} idle",
                    "somebody could reach more of it" if system.name in gains else "nobody could reach more of it",
                )
            )
        measures = [np.array(column) for column in zip(*rows, strict=True)] if rows else [np.zeros(0)] * len(PARTS)
        names = [reference_to("system", system.name) for system in index.systems_in_order]
        return self._scores("systems", names, measures, lambda at, part: part_texts[at][part], 0)

    def _holding_in(self, system: int) -> int:
        """How many people were given something in a system."""
        mask = self.context.usage.systems_of[: self.basis.people, system]
        return int((mask & self.basis.is_person & self.basis.is_there).sum())

    def _administrators(self, name: str) -> int:
        """How many people were given something that administers in a system."""
        index, usage = self.index, self.context.usage
        number = [it.name for it in index.systems_in_order].index(name)
        administer = 1 << KINDS.index("administer")
        owner = usage.identity[usage.in_system(number) & ((usage.kinds & administer) > 0)]
        return len(distinct(owner[owner >= 0]))

    def _resting_on(self, system: str) -> int:
        """How many findings are about a system, an account in it, a role of it or a resource in it."""
        prefixes = (f"role:{system}/", f"group:{system}/", f"{system}:/")
        here = self.basis.account("system").holding(system)
        total = 0
        for batch in self.judged.excess:
            total += int(here[self._accounts_in(batch)[1]].sum())
            if batch.account is None:
                names = map(batch.subject, (batch.whose < 0).nonzero()[0].tolist())
                total += sum(name.startswith(prefixes) or name == reference_to("system", system) for name in names)
        return total

    def _accounts_in(self, batch: Batch) -> tuple[Ints, Ints]:
        """The findings of a batch that are about an account: their positions, and the accounts."""
        if batch.account is not None:
            return np.arange(len(batch)), batch.account
        found = (batch.whose >= self.basis.people).nonzero()[0]
        return found, batch.whose[found] - self.basis.people

    def _idle_accounts(self, system: str) -> tuple[int, int]:
        here = self.basis.account("system").holding(system)
        return int((here & (self.idle_days > 0)).sum()), int((here & self.index.holders.is_enabled).sum())


def _leaves(batch: Batch) -> Floats:
    """What each finding leaves of a whole, as a logarithm."""
    left: Floats = np.log1p(-EXCESSIVE[batch.severity] * batch.confidence / 100)
    return left


def _systems_of(rule: Conflicting) -> set[str]:
    """The systems in which the duties of a rule lie."""
    return {it.pattern.system for duty in rule.duties for it in (*duty.permissions, *duty.every)}
