"""Reviews of accounts: a line is one account, whoever uses it, and what it can do."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from kathodos.analysis.evidence.held import Units, units_of
from kathodos.columns.csr import CSRList, Ints, csr_from_distinct
from kathodos.columns.dictionary import DictionaryColumn, Numbers, dictionary_column, row_numbers
from kathodos.model.times import BEGINNING, DAY
from kathodos.model.words import plural
from kathodos.review.drafts.access import evidence_of
from kathodos.review.drafts.access_evidence import Evidence
from kathodos.review.drafts.draft import Asked, Draft, names_of_askers, read_list, things_of
from kathodos.review.drafts.holder_evidence import HolderEvidence, moments_column
from kathodos.review.drafts.standing_out import MONTH, Sentences, Speaks
from kathodos.review.lines import numbered
from kathodos.review.owners import owners_of_systems

_PRIVILEGED = "privileged"


def draft_accounts(asked: Asked) -> Draft:
    """The lines of some accounts, given by their numbers less that of the first; also of those that hold nothing."""
    basis, holders = asked.context.basis, asked.context.basis.index.holders
    numbers = asked.chosen + basis.people
    held = units_of(basis.index, numbers, basis.moment)
    whose = Units(holders.asker_of[held.asker], held.holder, held.grant, held.group)
    evidence = evidence_of(asked, whose)
    position = np.full(basis.size, -1, dtype=np.int64)
    position[numbers] = np.arange(len(numbers))
    of_account = csr_from_distinct(position[held.holder], evidence.thing, len(numbers), evidence.things.total)
    systems = basis.account("system").taken(asked.chosen)
    kind = row_numbers([equal_rows(of_account)[0], systems.codes])
    _, samples, kind = np.unique(kind, return_index=True, return_inverse=True)
    owners = holders.asker_of[numbers]
    nothing = np.full(len(numbers), -1, dtype=np.int64)
    holder = HolderEvidence(basis, Units(owners, numbers, nothing, nothing), asked.found)
    used = np.full(len(numbers), BEGINNING, dtype=np.int64)
    np.maximum.at(used, position[held.holder], evidence.of_units.used.last)
    columns = {
        "identity": names_of_askers(holders, owners),
        "holder": DictionaryColumn(numbers.astype(np.int32), holders.references),
        "thing": numbered(kind),
        "value": _privileged(asked),
        "status": basis.account("status").taken(asked.chosen),
        "ends": basis.asker("ends").taken(owners),
        "conflicts": unions(evidence.taking_part(), position[held.holder], len(numbers)),
        "fences": unions(evidence.crossing(asked.rules.fences), position[held.holder], len(numbers)),
        "last_used": moments_column(used),
        "signed_in": moments_column(basis.moments(basis.account("last_login"))[asked.chosen]),
        "risk": holder.risk(),
        "excess": holder.excess(),
    }
    stands_out, speaks = _standing_out(asked, columns, owners, used, of_account.sizes())
    columns |= {"stands_out": stands_out, "speaks": speaks}
    named = [f"system:{it}" for it in systems.listed(samples)]
    things = _described(evidence, [of_account[at] for at in samples.tolist()], named)
    return Draft(owners, lambda: owners_of_systems(basis, systems), columns, things)


def equal_rows(lists: CSRList) -> tuple[Ints, Ints]:
    """A number for each row of a list, the same for rows that hold the same, and one row of each number."""
    marks = np.random.default_rng().integers(1, 1 << 62, int(lists.items.max(initial=0)) + 1, dtype=np.int64)
    sums = np.zeros(len(lists) + 1, dtype=np.int64)
    np.add.at(sums, lists.rows(), marks[lists.items])
    _, sample, kind = np.unique(sums[:-1], return_index=True, return_inverse=True)
    same = lists.picked(sample[kind])
    if not (np.array_equal(same.starts, lists.starts) and np.array_equal(same.items, lists.items)):
        return equal_rows(lists)  # two different rows had the same sum: with other marks they have not
    return kind.astype(np.int64), sample.astype(np.int64)


def unions(column: DictionaryColumn, row: Ints, size: int) -> DictionaryColumn:
    """The kept lists of many items as one list for each row that they belong to."""
    there = column.codes >= 0
    width = max(len(column.values), 1)
    kind, samples = equal_rows(
        of_row := csr_from_distinct(row[there], column.codes[there].astype(np.int64), size, width)
    )
    texts = []
    for at in samples.tolist():
        names = {name for code in of_row[at].tolist() for name in str(column.values[code]).split(";")}
        texts.append(";".join(sorted(names)) or None)
    known = dictionary_column(texts)
    return DictionaryColumn(known.codes[kind], known.values)


def _privileged(asked: Asked) -> DictionaryColumn:
    held = asked.context.basis.account("privileged").taken(asked.chosen).holding(1)
    return DictionaryColumn(np.where(held, 0, -1).astype(np.int32), [_PRIVILEGED])


def _described(evidence: Evidence, sets: Sequence[Ints], systems: Sequence[str]) -> list[DictionaryColumn]:
    """What accounts hold, each set of it once."""
    known = evidence.thing_columns()
    gives, contains = known[0].listed(), known[2].listed()
    at = {thing: position for position, thing in enumerate(evidence.used.tolist())}
    found = []
    for things, system in zip(sets, systems, strict=True):
        some = [at[thing] for thing in things.tolist()]
        parts = sorted({it for one in some for it in read_list(contains[one])})
        count = plural(len(some), "thing") if some else "nothing of its own"
        level = [known[7].value(it) for it in some]
        top = max((int(it) for it in level if it is not None), default=-1)
        found.append(
            {
                "gives": f"an account that holds {count}",
                "brings": sorted({str(gives[one]) for one in some}),
                "contains": parts,
                "within": [system],
                "sensitivity": top if top >= 0 else None,
            }
        )
    return things_of(found)


def _standing_out(
    asked: Asked, columns: dict[str, DictionaryColumn], owners: Ints, used: Ints, held: Ints
) -> tuple[DictionaryColumn, DictionaryColumn]:
    basis, size = asked.context.basis, len(owners)
    seen = basis.moments(basis.account("last_login"))[asked.chosen]
    newest = np.maximum(seen, used)
    months, codes = np.unique(np.maximum(basis.moment - newest, 0) // MONTH, return_inverse=True)
    of_owner = basis.asker("status").taken(owners)
    said = Sentences({**columns, "months": DictionaryColumn(codes.astype(np.int32), Numbers(months))}, size)
    is_nobodys, is_open = owners >= basis.people, columns["status"].holding("enabled")
    said.add(is_open & of_owner.holding("left"), Speaks.AGAINST, "Its person has left, and it is enabled.")
    said.add(is_open & of_owner.holding("suspended"), Speaks.AGAINST, "Its person is suspended, and it is enabled.")
    said.add(columns["fences"].codes >= 0, Speaks.AGAINST, "It leads across the fence {}.", "fences")
    said.add(columns["conflicts"].codes >= 0, Speaks.AGAINST, "It is part of a conflict of duties: {}.", "conflicts")
    known, idle_after = newest > BEGINNING, asked.context.thresholds.unused[0]
    idle = known & (basis.moment - np.maximum(newest, 0) > idle_after * DAY)
    said.add(is_nobodys & (columns["value"].codes >= 0), Speaks.AGAINST, "It is privileged, and nobody's.")
    said.add(is_open & idle, Speaks.AGAINST, "Nobody has signed in with it, or used it, for {} months.", "months")
    said.add(is_nobodys, Speaks.AGAINST, "It is nobody's.")
    said.add(known & ~idle & is_open, Speaks.FOR, "It is in use.")
    said.add(held == 0, Speaks.AGAINST, "It holds nothing of its own, and nobody uses it.")
    return said.columns()
