"""The Merkle tree of RFC 9162, section 2.1, over leaf hashes, grown one leaf at a time."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterator, Sequence

Lookup = Callable[[int, int], bytes]


def leaf_hash(data: bytes) -> bytes:
    """The hash of one entry (2.1.1)."""
    return hashlib.sha256(b"\x00" + data).digest()


def node_hash(left: bytes, right: bytes) -> bytes:
    """The hash of an inner node (2.1.1)."""
    return hashlib.sha256(b"\x01" + left + right).digest()


def grown(size: int, leaf: bytes, node: Lookup) -> Iterator[tuple[int, int, bytes]]:
    """The nodes (level, position, hash) that become complete when `leaf` is put behind `size` leaves.

    `node` looks up complete nodes already kept; position p at level l covers leaves [p * 2**l, (p + 1) * 2**l).
    """
    level, position, value = 0, size, leaf
    yield level, position, value
    while position % 2 == 1:
        value = node_hash(node(level, position - 1), value)
        level, position = level + 1, position // 2
        yield level, position, value


def root(size: int, node: Lookup) -> bytes:
    """The tree's hash over its first `size` leaves (2.1.1), from complete nodes."""
    if size == 0:
        return hashlib.sha256(b"").digest()
    value: bytes | None = None
    level, rest = 0, size
    while rest:
        if rest % 2 == 1:
            peak = node(level, rest - 1)
            value = peak if value is None else node_hash(peak, value)
        level, rest = level + 1, rest // 2
    assert value is not None
    return value


def roots_of(leaves: Sequence[bytes]) -> list[bytes]:
    """The tree's hash over the first n of `leaves`, for every n from 0 to their number."""
    nodes: dict[tuple[int, int], bytes] = {}

    def node(level: int, position: int) -> bytes:
        return nodes[level, position]

    roots = [root(0, node)]
    for size, leaf in enumerate(leaves):
        for level, position, value in grown(size, leaf, node):
            nodes[level, position] = value
        roots.append(root(size + 1, node))
    return roots


def inclusion_path(index: int, size: int, node: Lookup) -> list[bytes]:
    """The hashes that lead from one of the first `size` leaves to the tree's hash over them (2.1.3.1).

    `node` looks up complete nodes, as in `grown`.
    """

    def over(first: int, count: int) -> bytes:
        level = count.bit_length() - 1
        if count == 1 << level and first % count == 0:
            return node(level, first // count)
        split = _split(count)
        return node_hash(over(first, split), over(first + split, count - split))

    path, first, count = [], 0, size
    while count > 1:
        split = _split(count)
        if index - first < split:
            path.append(over(first + split, count - split))
            count = split
        else:
            path.append(over(first, split))
            first, count = first + split, count - split
    return path[::-1]


def _split(count: int) -> int:
    """The largest power of two below a number of leaves greater than one."""
    return 1 << ((count - 1).bit_length() - 1)


def is_included(leaf: bytes, index: int, size: int, path: Sequence[bytes], whole: bytes) -> bool:
    """Whether a path leads from a leaf to the tree's hash over its first `size` leaves (2.1.3.2)."""
    if not 0 <= index < size:
        return False
    position, last, value = index, size - 1, leaf
    for sibling in path:
        if last == 0:
            return False
        if position % 2 == 1 or position == last:
            value = node_hash(sibling, value)
            while position % 2 == 0 and position:
                position, last = position // 2, last // 2
        else:
            value = node_hash(value, sibling)
        position, last = position // 2, last // 2
    return last == 0 and value == whole
