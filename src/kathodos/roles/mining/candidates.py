"""Candidates for roles: sets of things that several hold together.

Closed sets (formal concepts) are what rows have in common: the rows themselves and the intersections of the weightiest
of them, in two rounds. Where what is held is noisy such sets are broken, so that sets by association come beside them:
with a thing, or a pair of things, whatever most who hold it hold as well (P. Miettinen et al., The Discrete Basis
Problem, IEEE TKDE 20, 2008).
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator

import numpy as np
from scipy.sparse import csr_array

from kathodos.columns.csr import Ints
from kathodos.roles.mining.holdings import Kinds

_MOST_KINDS, _MOST_SETS, _MOST = 1500, 1200, 6000
_CONFIDENCES = (0.5, 0.6, 0.7, 0.8, 0.9)
_MOST_THINGS, _PARTNERS = 4000, 3
_FIRST = 1e15  # what is heavier comes before all that is only held together
Things = tuple[int, ...]


def candidates_of(kinds: Kinds, fewest: int) -> list[Ints]:
    """Sets of at least two things that at least so many rows hold together or nearly so, each once.

    Those by association come first, then the weightiest: by how many cells a set stands for.
    """
    found: dict[Things, float] = {}
    weight = kinds.counts * np.diff(kinds.held.indptr)
    top = np.argsort(-weight, kind="stable")[:_MOST_KINDS]
    rows = csr_array(kinds.held[top])
    _note(found, _sets(rows), kinds.counts[top])
    first = _common(rows, kinds.counts[top])
    _note(found, (things for things, _ in first), [count for _, count in first])
    if first:
        again = _common(_matrix([things for things, _ in first], kinds.things), np.ones(len(first), dtype=np.int64))
        _note(found, (things for things, _ in again), [count for _, count in again])
    for things, count in _associated(kinds, fewest):
        found[things] = max(found.get(things, 0.0), _FIRST + float(count) * len(things))
    ordered = sorted(found.items(), key=lambda it: (-it[1], it[0]))[:_MOST]
    return [np.array(things, dtype=np.int64) for things, _ in ordered]


def _note(found: dict[Things, float], sets: Iterable[Things], counts: Iterable[int] | Ints) -> None:
    """Notes sets with how many cells each stands for."""
    for things, count in zip(sets, counts, strict=True):
        if len(things) > 1:
            found[things] = max(found.get(things, 0.0), float(count) * len(things))


def _sets(rows: csr_array) -> Iterator[Things]:
    for at in range(rows.shape[0]):
        yield tuple(np.sort(rows.indices[rows.indptr[at] : rows.indptr[at + 1]]).tolist())


def _matrix(sets: list[Things], things: int) -> csr_array:
    indptr = np.concatenate([[0], np.cumsum([len(it) for it in sets])])
    indices = np.array([thing for it in sets for thing in it], dtype=np.int64)
    return csr_array((np.ones(len(indices), dtype=np.int32), indices, indptr), shape=(len(sets), things))


def _common(rows: csr_array, counts: Ints) -> list[tuple[Things, int]]:
    """The distinct intersections of two of the rows, and how weighty the pairs are that give each.

    They are told apart by two sums of random numbers over the things that both hold, exact below 2**53.
    """
    random = np.random.default_rng(2).integers(1, 1 << 38, size=(2, rows.shape[1])).astype(np.float64)
    plain = rows.astype(np.float64)
    turned = csr_array(plain.T)
    sizes = np.asarray((plain @ turned).todense()).astype(np.int64)
    sums = [np.asarray((csr_array(plain * random[at]) @ turned).todense()) for at in (0, 1)]
    one, other = np.triu_indices(rows.shape[0], 1)
    kept = sizes[one, other] > 1
    one, other = one[kept], other[kept]
    if not len(one):
        return []
    keys = np.stack([it[one, other] for it in sums])
    _, first, which = np.unique(keys, axis=1, return_index=True, return_inverse=True)
    weight = np.bincount(which.reshape(-1), weights=np.minimum(counts[one], counts[other]))
    weight = weight * sizes[one[first], other[first]]
    best = np.argsort(-weight, kind="stable")[:_MOST_SETS]
    found = []
    for at in best.tolist():
        pair = first[at]
        both = rows[[one[pair]]].multiply(rows[[other[pair]]])
        things = tuple(np.sort(both.tocsr().indices).tolist())
        found.append((things, int(weight[at] // len(things))))
    return found


def _associated(kinds: Kinds, fewest: int) -> Iterator[tuple[Things, int]]:
    """What most of those who hold a thing, or a pair of things, hold as well; and how many these are."""
    weighted = csr_array(kinds.held.multiply(kinds.counts[:, None])).tocsr()
    support = np.asarray(weighted.sum(axis=0)).reshape(-1)
    often = np.argsort(-support, kind="stable")[:_MOST_THINGS]
    often = often[support[often] >= max(fewest, 2)]
    if not len(often):
        return
    columns = kinds.held.tocsc()
    together = csr_array(csr_array(columns[:, often]).T @ weighted)
    for at, thing in enumerate(often.tolist()):
        others = together.indices[together.indptr[at] : together.indptr[at + 1]].astype(np.int64)
        counts = together.data[together.indptr[at] : together.indptr[at + 1]]
        yield from _confident(others, counts, int(support[thing]))
        partners = others[np.argsort(-counts, kind="stable")]
        rows = columns.indices[columns.indptr[thing] : columns.indptr[thing + 1]]
        for partner in partners[partners > thing][:_PARTNERS].tolist():
            with_both = rows[np.isin(rows, columns.indices[columns.indptr[partner] : columns.indptr[partner + 1]])]
            total = int(kinds.counts[with_both].sum())
            if total >= fewest:
                sums = np.asarray(weighted[with_both].sum(axis=0)).reshape(-1)
                held = sums.nonzero()[0]
                yield from _confident(held, sums[held], total)


def _confident(things: Ints, counts: Ints, total: int) -> Iterator[tuple[Things, int]]:
    for confidence in _CONFIDENCES:
        kept = np.sort(things[counts >= confidence * total])
        if len(kept) > 1:
            yield tuple(kept.tolist()), total
