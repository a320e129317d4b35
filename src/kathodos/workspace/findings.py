"""What is found in a view, each found once: conflicts, climbers, excess and risk, as kept results where they hold."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from functools import cached_property
from typing import TYPE_CHECKING, Any

import numpy as np
import numpy.typing as npt

from kathodos.columns.csr import Bools, CSRList, csr_from_arrays, ints
from kathodos.findings.conflicts.roles import RoleConflict
from kathodos.findings.conflicts.states import Conflict, Conflicts
from kathodos.findings.escalation import Administration, Climb
from kathodos.findings.excess.batches import FindingColumns
from kathodos.model.kinds import ACCOUNTS, TIES
from kathodos.workspace.results import Result, kept, kept_already

if TYPE_CHECKING:
    from kathodos.findings.excess.batches import Batch
    from kathodos.findings.risk.judging import Judged
    from kathodos.findings.risk.scores import Scores
    from kathodos.rules.reading import Conflicting
    from kathodos.workspace.view import View


class Findings:
    """What is found in a view. Everything is looked for when it is first asked for."""

    def __init__(self, view: View) -> None:
        self.view = view

    # Conflicts

    @cached_property
    def conflicts(self) -> Conflicts:
        """Every conflict that reach alone gives, by all rules."""
        return self._conflicts[0]

    @cached_property
    def faults(self) -> list[RoleConflict]:
        """The roles that break a rule by themselves."""
        return self._conflicts[1]

    def faults_of(self, asker: int, rules: Sequence[Conflicting]) -> list[RoleConflict]:
        """The roles of one identity or account that break one of some rules by themselves; no other is looked at."""
        if not rules:
            return []
        if "_conflicts" not in self.__dict__ and kept_already(self.view, "conflicts") is None:
            from kathodos.findings.conflicts.roles import roles_at_fault

            return roles_at_fault(self.view.basis, rules, asker)
        names = {rule.id for rule in rules}
        return [fault for fault in self.faults if fault.rule.id in names]

    @cached_property
    def _conflicts(self) -> tuple[Conflicts, list[RoleConflict]]:
        rules = self.view.rules.conflicts
        return _conflicts_from(kept(self.view, "conflicts", self._conflicts_made), rules)

    def _conflicts_made(self) -> Result:
        from kathodos.findings.conflicts.roles import roles_at_fault, with_roles
        from kathodos.findings.conflicts.states import all_conflicts

        rules, basis = self.view.rules.conflicts, self.view.basis
        faults = roles_at_fault(basis, rules)
        return _conflicts_kept(with_roles(all_conflicts(basis, rules), faults), faults)

    @cached_property
    def latent(self) -> list[Conflict]:
        """The conflicts into which people could bring themselves, beside the others."""
        rules = self.view.rules.conflicts
        return list(_conflicts_from(kept(self.view, "latent", self._latent_made), rules)[0].each(self.view.basis))

    def _latent_made(self) -> Result:
        from kathodos.findings.conflicts.states import no_conflicts
        from kathodos.findings.escalation import latent_conflicts

        rules = self.view.rules.conflicts
        if not self.climbs:
            return _conflicts_kept(no_conflicts(rules), [])
        found = list(latent_conflicts(self.view.basis, rules, self.conflicts, self._climbers))
        return _conflicts_kept(no_conflicts(rules).followed_by(found), [])

    def covered(self, conflicts: Conflicts) -> Bools:
        """Which of some conflicts a cover holds."""
        from kathodos.findings.conflicts.covers import covered

        return covered(conflicts, self.view.register, self.view.index.holders, self.view.moment)

    # Escalation

    @cached_property
    def _climbers(self) -> Any:
        from kathodos.findings.escalation import climbers

        return climbers(self.view.basis)

    @cached_property
    def climbs(self) -> list[Climb]:
        """Everyone who can reach more by using what it holds, those who would gain most first."""
        found = kept(self.view, "escalation", self._climbs_made)
        askers = CSRList(found.arrays["starts"], found.arrays["askers"])
        return [Climb(askers[at].astype(np.int64), *texts) for at, texts in enumerate(found.rest)]

    def _climbs_made(self) -> Result:
        climbs = [it.climb for it in self._climbers]
        askers = csr_from_arrays([it.askers for it in climbs])
        return Result({"starts": askers.starts, "askers": askers.items}, [[it.gains, it.steps] for it in climbs])

    @cached_property
    def administrations(self) -> list[Administration]:
        """Who administers each system, and who of them can unseat whom."""
        found = kept(self.view, "administrators", self._administrations_made)
        askers = CSRList(found.arrays["starts"], found.arrays["askers"])
        return [
            Administration(system, askers[at].astype(np.int64), [(first, second) for first, second in pairs])
            for at, (system, pairs) in enumerate(found.rest)
        ]

    def _administrations_made(self) -> Result:
        from kathodos.findings.escalation import administrations

        made = administrations(self.view.basis)
        askers = csr_from_arrays([it.administrators for it in made])
        return Result({"starts": askers.starts, "askers": askers.items}, [[it.system, it.pairs] for it in made])

    @property
    def unknown_administration(self) -> list[str]:
        """The systems of which no source says who may change groups, roles and grants."""
        from kathodos.findings.escalation import unknown_administration

        return unknown_administration(self.view.basis)

    # Excess

    @cached_property
    def excess(self) -> list[Batch]:
        """All findings of excess, which can be put into words."""
        from kathodos.findings.excess.kinds import find_excess

        return list(find_excess(self.view.context, register=self.view.register))

    @cached_property
    def excess_columns(self) -> list[FindingColumns]:
        """All findings of excess, kind by kind, without words."""
        found = kept(self.view, "excess", self._excess_made)
        columns = ("whose", "severity", "confidence", "days", "thing")
        return [
            FindingColumns(kind, *(found.arrays[f"{kind}/{name}"].astype(np.int64) for name in columns))
            for kind in found.rest
        ]

    def excess_of(self, kinds: Collection[str]) -> list[Batch]:
        """The findings of some kinds of excess, which can be put into words."""
        from kathodos.findings.excess.kinds import find_excess

        if "excess" in self.__dict__:
            return [batch for batch in self.excess if batch.kind in kinds]
        return list(find_excess(self.view.context, kinds, self.view.register))

    def _excess_made(self) -> Result:
        arrays: dict[str, npt.NDArray[Any]] = {}
        for batch in self.excess:
            arrays[f"{batch.kind}/whose"] = batch.whose.astype(np.int32)
            arrays[f"{batch.kind}/severity"] = batch.severity.astype(np.int8)
            arrays[f"{batch.kind}/confidence"] = batch.confidence.astype(np.int8)
            arrays[f"{batch.kind}/days"] = batch.days.astype(np.int32)
            arrays[f"{batch.kind}/thing"] = batch.thing.astype(np.int32)
        return Result(arrays, [batch.kind for batch in self.excess])

    # Ties

    @cached_property
    def ties(self) -> tuple[list[tuple[str, str, int, int]], list[tuple[str, str, list[str], int]]]:
        """How accounts are tied: by system and way how many, and how many of them to somebody; and those to nobody.

        Of these the account, how it stands with it, the identities that a rule found, and the account's position where
        it is to be compared with the names of people (-1: it is not).
        """
        found = kept(self.view, "ties", self._ties_made).rest
        return found["counts"], found["open"]

    def _ties_made(self) -> Result:
        from kathodos.ingest.tying import NO_LOGIN, PERSON, tied_accounts

        found = tied_accounts(self.view.catalogue, self.view.workspace.configuration.tie_rules)
        tied, words = (self.view.catalogue.column(TIES, name).listed() for name in ("account", "responsible"))
        answers = dict(zip(tied, words, strict=True))
        said = self.view.catalogue.column(ACCOUNTS, "responsible")
        system = self.view.catalogue.column(ACCOUNTS, "system")
        pairs, of = np.unique(system.codes.astype(np.int64) * len(found.hows) + found.how, return_inverse=True)
        count, owned = np.bincount(of), np.bincount(of, weights=found.identity >= 0).astype(np.int64)
        names = [
            (str(system.values[pair // len(found.hows)]), found.hows[pair % len(found.hows)]) for pair in pairs.tolist()
        ]
        counts = [(*name, *numbers) for name, *numbers in zip(names, count.tolist(), owned.tolist(), strict=True)]
        untied = ((found.identity < 0) & (found.how != found.hows.index(NO_LOGIN))).nonzero()[0].tolist()
        texts = []
        for at in untied:
            it = found.tied(at)
            responsible = answers.get(it.account) or said.value(at)
            how = "shared, and nobody answers for it" if it.how == PERSON else it.how
            how = f"shared, answered for by {responsible}" if responsible else how
            texts.append((it.account, how, [*it.candidates], -1 if it.candidates or responsible else at))
        return Result({}, {"counts": sorted(counts), "open": texts})

    # Risk

    @cached_property
    def judged(self) -> Judged:
        """Everything that has been found and counts for risk."""
        from kathodos.findings.risk.judging import Judged

        conflicts = self.conflicts.followed_by(self.latent)
        view = self.view
        weights = view.workspace.configuration.weights
        covered = self.covered(conflicts)
        rest = self.excess, self.climbs, weights, view.rules.fences
        return Judged(view.context, conflicts, covered, self.faults, *rest)

    def scores(self, kind: str) -> Scores:
        """The risk of all of a kind; the points of what has been judged before are kept, and what was measured."""
        from kathodos.findings.fences import crossed_by
        from kathodos.findings.risk.scores import References, Scores, rules_broken, why_of_asker

        found = kept(self.view, f"risk-{kind}", lambda: self._scores_made(kind))
        points, weights = found.arrays["points"], self.view.workspace.configuration.weights
        if kind not in ("identities", "accounts"):
            return Scores(kind, found.rest, points, weights, lambda at, part: self._scored(kind).why(at, part))
        holders = self.view.index.holders
        measured = {name: found.arrays[name] for name in found.arrays if name != "points"}
        first = 0 if kind == "identities" else holders.people
        conflicts = self.conflicts.followed_by(self.latent)

        def broken(at: int) -> str:
            crossed = crossed_by(self.view.basis, self.view.rules.fences, at + first)
            return rules_broken(conflicts, self.covered(conflicts), crossed, at + first)

        why = why_of_asker(kind, measured, len(self.view.index.systems), broken)
        names = References(holders.references, first, len(points))
        return Scores(kind, names, points, weights, why, measured)

    def scores_of_resource(self, node: int) -> Scores:
        """The risk of one resource."""
        from kathodos.findings.risk.judging import Risk

        return Risk(self.judged).resources([node])

    def _scores_made(self, kind: str) -> Result:
        scores = self._scored(kind)
        names = [] if scores.measured else list(scores.subjects)
        arrays: dict[str, npt.NDArray[Any]] = {"points": scores.points}
        arrays.update(scores.measured)
        return Result(arrays, names)

    def _scored(self, kind: str) -> Scores:
        from kathodos.findings.risk.judging import Risk

        found: Scores = getattr(Risk(self.judged), kind)()
        return found


def _conflicts_kept(conflicts: Conflicts, faults: list[RoleConflict]) -> Result:
    names = [[duty.name for duty in rule.duties] for rule in conflicts.rules]
    number = {rule.id: at for at, rule in enumerate(conflicts.rules)}
    of_held = np.zeros(len(conflicts.held_alike), dtype=np.int64)
    of_held[conflicts.held] = conflicts.rule
    held = [
        (rule, [names[rule].index(duty.name) for duty in duties], values)
        for rule, (duties, values) in zip(of_held.tolist(), conflicts.held_alike, strict=True)
    ]
    people = csr_from_arrays([it.askers for it in faults])
    arrays: dict[str, npt.NDArray[Any]] = {
        "rule": conflicts.rule.astype(np.int32),
        "asker": conflicts.asker.astype(np.int32),
        "held": conflicts.held.astype(np.int32),
        "state": conflicts.state.astype(np.int8),
        "by_role": conflicts.by_role,
        "starts": people.starts,
        "people": people.items,
    }
    texts = [
        (number[it.rule.id], it.role, [names[number[it.rule.id]].index(duty.name) for duty in it.duties])
        for it in faults
    ]
    return Result(arrays, {"held": held, "faults": texts})


def _conflicts_from(found: Result, rules: list[Conflicting]) -> tuple[Conflicts, list[RoleConflict]]:
    held = [
        (tuple(rules[rule].duties[at] for at in duties), tuple(values)) for rule, duties, values in found.rest["held"]
    ]
    columns = (found.arrays[name].astype(np.int64) for name in ("rule", "asker", "held"))
    rule, asker, number = columns
    state, by_role = found.arrays["state"].astype(np.int64), found.arrays["by_role"]
    conflicts = Conflicts(rules, rule, asker, number, held, state, by_role)
    people = CSRList(found.arrays["starts"], found.arrays["people"])
    faults = [
        RoleConflict(rules[rule], role, tuple(rules[rule].duties[it] for it in duties), ints(people[at]))
        for at, (rule, role, duties) in enumerate(found.rest["faults"])
    ]
    return conflicts, faults
