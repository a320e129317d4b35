"""Reviews of identity data: a line is one attribute of one person, such as the title, the manager or the location."""

from __future__ import annotations

import numpy as np

from kathodos.analysis.basis import Basis
from kathodos.analysis.evidence.held import Units
from kathodos.analysis.evidence.usual import counted, others_in, peer_groups
from kathodos.columns.csr import Ints
from kathodos.columns.dictionary import DictionaryColumn, joined_columns, positions_among, row_numbers
from kathodos.review.drafts.draft import Asked, Draft, names_of_askers, things_of
from kathodos.review.drafts.holder_evidence import HolderEvidence, last_sign_in
from kathodos.review.drafts.standing_out import Sentences, Speaks
from kathodos.review.lines import numbered

PARTS = ("department", "title", "manager", "location")  # what is reviewed where nothing is named
_SHARED = 0.9  # the share of a department from which on all others of it have the same value


def draft_identity_data(asked: Asked) -> Draft:
    """The lines of some identities: for each of them one for each attribute."""
    basis, holders, parts = asked.context.basis, asked.context.basis.index.holders, list(asked.parts or PARTS)
    person = np.repeat(asked.chosen, len(parts))
    part = np.tile(np.arange(len(parts)), len(asked.chosen))
    values = joined_columns([basis.identity(name).taken(asked.chosen).compact().mapped(str) for name in parts])
    value = DictionaryColumn(values.codes.reshape(len(parts), -1).T.ravel(), values.values)
    nothing = np.full(len(person), -1, dtype=np.int64)
    known = HolderEvidence(basis, Units(person, person, nothing, nothing), asked.found)
    columns = {
        "identity": names_of_askers(holders, person),
        "holder": DictionaryColumn(person.astype(np.int32), holders.references),
        "part": DictionaryColumn(part.astype(np.int32), parts),
        "value": value,
        "thing": numbered(part),
        "status": basis.identity("status").taken(person),
        "ends": basis.identity("ends").taken(person),
        "signed_in": last_sign_in(basis, person),
        "risk": known.risk(),
        "excess": known.excess(),
    }
    stands_out, speaks = _standing_out(asked, columns, parts, person)
    columns |= {"stands_out": stands_out, "speaks": speaks}
    having, of = _alike(basis, parts, asked.chosen)
    columns |= {"all_having": numbered(having), "all_counted": numbered(of)}
    things = things_of([{"gives": name} for name in parts])
    return Draft(person, lambda: np.full(len(person), -1, dtype=np.int64), columns, things)


def _alike(basis: Basis, parts: list[str], chosen: Ints) -> tuple[Ints, Ints]:
    """How many others have the same value as each of some people, of each attribute, and of how many others."""
    is_counted, kind = counted(basis), peer_groups(basis, ())
    having = np.stack([others_in(peer_groups(basis, (name,)), is_counted, chosen) for name in parts], axis=1)
    return having.ravel(), np.repeat(others_in(kind, is_counted, chosen), len(parts))


def _standing_out(
    asked: Asked, columns: dict[str, DictionaryColumn], parts: list[str], person: Ints
) -> tuple[DictionaryColumn, DictionaryColumn]:
    basis, ids = asked.context.basis, asked.context.basis.index.holders.identities
    status, value, part = basis.identity("status"), columns["value"], columns["part"]
    size = len(person)
    said = Sentences(columns, size)
    said.add(value.codes < 0, Speaks.AGAINST, "Nothing is entered.")
    points = part.holding_any([it for it in parts if it in ("manager", "sponsor")])
    named = np.append(positions_among(value.values, ids), -1)[value.codes].astype(np.int64)
    said.add(points & (named < 0), Speaks.AGAINST, "There is nobody {}.", "value")
    of_named = status.taken(named)
    said.add(points & of_named.holding("left"), Speaks.AGAINST, "{} has left.", "value")
    said.add(points & of_named.holding("suspended"), Speaks.AGAINST, "{} is suspended.", "value")
    said.add(points & (named == person), Speaks.AGAINST, "It names the person as their own {}.", "part")
    leads = np.isin(person, positions_among(basis.identity("manager").compact().values, ids))
    for name in (it for it in parts if it != "department"):
        is_odd = part.holding(name) & _is_odd(asked, name, person)
        if name == "manager":  # whoever leads a department has another manager than those who are led
            is_odd &= ~leads
        said.add(is_odd, Speaks.AGAINST, _ODD, "part")
    return said.columns()


_ODD = "Nearly everybody else of the department has another {}."


def _is_odd(asked: Asked, name: str, person: Ints) -> np.ndarray[tuple[int], np.dtype[np.bool_]]:
    """Whose value is another than the one that nearly all of their department have."""
    basis = asked.context.basis
    department, held = basis.identity("department"), basis.identity(name)
    there = (department.codes >= 0) & (held.codes >= 0) & ~basis.identity("status").holding("left")
    pair = row_numbers([department.codes, held.codes])
    _, of, counts = np.unique(pair[there], return_inverse=True, return_counts=True)
    sizes = np.bincount(department.codes[there], minlength=len(department.values) + 1)
    most = np.zeros(len(department.values) + 1, dtype=np.int64)
    np.maximum.at(most, department.codes[there], counts[of])
    own = np.zeros(len(department.codes), dtype=np.int64)
    own[there] = counts[of]
    size = sizes[department.codes]
    usual = (size >= 10) & (most[department.codes] >= _SHARED * size)
    found = there & usual & (own < most[department.codes])
    return found[person]
