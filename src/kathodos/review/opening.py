"""A review opened: its lines made, with their evidence and who decides them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from kathodos.analysis.basis import Basis
from kathodos.columns.csr import Ints, distinct
from kathodos.columns.dictionary import DictionaryColumn, always, dictionary_column
from kathodos.columns.ordered import insertion_points
from kathodos.engine.compiled.index import Holders
from kathodos.errors import CallError
from kathodos.findings.conflicts.states import Conflicts
from kathodos.findings.excess.batches import ExcessContext
from kathodos.ledger.operations import Operation, Plan
from kathodos.ledger.payloads import Act, OpenReviewPayload
from kathodos.model.kinds import DECISIONS, REVIEW_LINES, REVIEW_THINGS, REVIEWS
from kathodos.model.references import reference_to
from kathodos.review.authority import Capacity
from kathodos.review.carrying import OF_THINGS, Certified, unchanged
from kathodos.review.evidence import Evidence
from kathodos.review.holder_evidence import Found, HolderEvidence
from kathodos.review.items import Items, beyond_items, items_of
from kathodos.review.lines import CERTIFY, OPEN, numbered
from kathodos.review.reviewers import Reviewers
from kathodos.review.standing_out import Facts, standing_out
from kathodos.rules.reading import Rules
from kathodos.store.records import positions_holding


@dataclass(frozen=True)
class Drafted:
    """A review about to be opened: its lines and things, about how many, and what is no line of theirs.

    `without_reviewer`: about how many of them whoever opens it decides; `reviewers`: the chain, as it is kept;
    `carried`: what stands decided of lines that are carried over; `has_findings`: whether excess and risk stand beside.
    """

    lines: Sequence[DictionaryColumn]
    things: Sequence[DictionaryColumn]
    people: int
    accounts: int
    beyond: int
    without_reviewer: int
    reviewers: str
    carried: Sequence[DictionaryColumn]
    has_findings: bool

    def __len__(self) -> int:
        return len(self.lines[0])


@dataclass(frozen=True)
class Opening:
    """What a review is made of. `chosen`: the identities and accounts of nobody that it is about.

    `chain`: who decides, by choice; of an account that is nobody's its manager is who answers for it, or else the owner
    of its system. `opener`: who decides what nobody of the chain may. `only_changed`: what was certified before and has
    not changed since is carried over.
    """

    context: ExcessContext
    conflicts: Conflicts
    rules: Rules
    found: Found
    chosen: Ints
    chain: Sequence[str]
    opener: str
    only_changed: bool = False


def draft_review(asked: Opening) -> Drafted:
    """The lines of a review, with their evidence."""
    basis, index, chosen = asked.context.basis, asked.context.basis.index, asked.chosen
    items = items_of(index, chosen, basis.moment)
    mine = np.zeros(basis.size, dtype=bool)
    mine[chosen] = True
    evidence = Evidence(asked.context, items, asked.conflicts.taken(mine[asked.conflicts.asker]))
    holder = HolderEvidence(basis, items, asked.found)
    reviewers = Reviewers(basis, items, asked.chain, asked.opener)
    known = _known(evidence, asked.rules)
    limits = asked.context.thresholds
    idle_after = np.array(limits.unused)[np.clip(evidence.sensitivity[evidence.thing], 0, 3)]
    stands_out, speaks = standing_out(
        Facts(known, evidence.used_at, evidence.watched, basis.moment, idle_after, limits.peer_share)
    )
    certified = holder.certified()
    columns = _columns(items, evidence, holder, known) | {
        "reviewer": reviewers.column(),
        "spoken": evidence.spoken(asked.rules.needs),
        "certified_at": certified.at,
        "certified_by": certified.by,
        "speaks": speaks,
        "stands_out": stands_out,
    }
    lines = [columns[name] for name in REVIEW_LINES.names[1:]]
    things = [numbered(evidence.used), *evidence.thing_columns()]
    carried = _carried(asked, evidence, certified, columns, things)
    beyond = beyond_items(index, chosen, items, basis.moment)
    people = int((chosen < basis.people).sum())
    without = len(distinct(items.asker[reviewers.deciders < 0]))
    counts = (people, len(chosen) - people, beyond, without)
    return Drafted(lines, things, *counts, ";".join(asked.chain), carried, asked.found.is_known)


def _known(evidence: Evidence, rules: Rules) -> dict[str, DictionaryColumn]:
    """What is known of each line from which something may stand out, and the last day."""
    (having, counted), (status, ends, former) = evidence.peers(), evidence.of_whom()
    return {
        "having": numbered(having),
        "counted": numbered(counted),
        "recorded": evidence.recorded(),
        "needed_by": evidence.needed_by(rules.needs),
        "conflicts": evidence.taking_part(),
        "fences": evidence.crossing(rules.fences),
        "status": status,
        "ends": ends,
        "former": former,
    }


def _columns(
    items: Items, evidence: Evidence, holder: HolderEvidence, known: Mapping[str, DictionaryColumn]
) -> dict[str, DictionaryColumn]:
    """What each line says of the access and of who holds it."""
    basis, index = holder.basis, holder.basis.index
    given = {name: _of_grants(basis, items, name) for name in ("until", "given_by", "given_at", "reason")}
    return {
        "line": numbered(np.arange(1, len(items) + 1)),
        "identity": _names_of_askers(index.holders, items.asker),
        "holder": DictionaryColumn(items.holder.astype(np.int32), index.holders.references),
        "grant": DictionaryColumn(items.grant.astype(np.int32), index.grants.ids),
        "group": DictionaryColumn(
            np.where(items.group >= 0, items.group, -1).astype(np.int32), index.holders.references
        ),
        "thing": numbered(evidence.thing),
        "peers_having": known["having"],
        "peers_counted": known["counted"],
        **{name: known[name] for name in ("needed_by", "conflicts", "fences", "status", "ends", "former")},
        "last_used": evidence.last_used(),
        **{name: given[name] for name in ("until", "given_by", "given_at")},
        "given_for": given["reason"],
        "signed_in": holder.signed_in(),
        "risk": holder.risk(),
        "excess": holder.excess(),
    }


def _carried(
    asked: Opening,
    evidence: Evidence,
    certified: Certified,
    columns: Mapping[str, DictionaryColumn],
    things: Sequence[DictionaryColumn],
) -> Sequence[DictionaryColumn]:
    """What stands decided of lines that are carried over, in the order of the kind; none where that is not wanted."""
    is_it = np.zeros(len(evidence.items), dtype=bool)
    if asked.only_changed:
        named = dict(zip(REVIEW_THINGS.names[1:], things, strict=True))
        of_line = insertion_points(evidence.used, evidence.thing)
        own = {name: named[name].taken(of_line) for name in OF_THINGS}
        is_it = unchanged(asked.context.basis.records, certified.line, columns, own)
    size, at = int(is_it.sum()), is_it.nonzero()[0]
    why = certified.review.taken(at).compact().mapped(lambda name: f"not changed since {name}")
    return [
        *(numbered(at + 1), always(CERTIFY, size), certified.by.taken(at), certified.at.taken(at), why),
        *(always(0, size), always(Capacity.CARRIED, size), always(None, size)),
    ]


def _of_grants(basis: Basis, items: Items, name: str) -> DictionaryColumn:
    """What stands with the grant of each item; nothing with memberships."""
    column = basis.grant(name)
    return DictionaryColumn(np.append(column.codes, np.int32(-1))[items.grant], column.values)


def _names_of_askers(holders: Holders, askers: Ints) -> DictionaryColumn:
    """What the lines call those whom they are about."""
    if not len(askers) or (int(askers.max()) < holders.people and not holders.has_odd_ids):
        return DictionaryColumn(askers.astype(np.int32), holders.identities)
    used, codes = np.unique(askers, return_inverse=True)
    names = dictionary_column(holders.asker_name(asker) for asker in used.tolist())
    return DictionaryColumn(names.codes[codes], names.values)


@dataclass(frozen=True)
class OpenReview(Operation[None]):
    """Puts a drafted review into the catalogue. `declared`: the name under which it was declared, if it was."""

    act: ClassVar[Act] = Act.OPEN_REVIEW
    name: str
    where: str
    due: str
    drafted: Drafted
    declared: str | None = None

    def compose(self, plan: Plan) -> None:
        """Raises CallError where the name is taken."""
        if len(positions_holding(plan.records, REVIEWS, {"review": self.name})):
            raise CallError(f"There is a review {self.name} already.", "Give this one another name.")
        plan.open_rows(
            REVIEWS,
            [
                (
                    self.name,
                    self.where,
                    plan.now,
                    plan.actor.name,
                    self.due,
                    OPEN,
                    None,
                    None,
                    self.drafted.reviewers,
                    self.declared,
                )
            ],
        )
        drafted = ((REVIEW_THINGS, self.drafted.things), (REVIEW_LINES, self.drafted.lines))
        for kind, columns in (*drafted, (DECISIONS, self.drafted.carried)):
            size = len(columns[0])
            compact = [always(self.name, size), *(column.compact() for column in columns)]
            plan.open_columns(kind, compact, always(None, size))
        plan.subjects.append(reference_to("review", self.name))
        plan.payload = OpenReviewPayload(self.name, len(self.drafted), self.due)
