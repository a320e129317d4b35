"""The resources that there are to point at: whether there is one at an address, or any that a pattern matches."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from kathodos.model.addresses import Pattern, parse_address, segment_expression


class KnownAddresses:
    """Addresses, and all that stands above them."""

    def __init__(self) -> None:
        self._all: set[str] = set()

    def __contains__(self, address: str) -> bool:
        return address in self._all

    def __iter__(self) -> Iterator[str]:
        return iter(self._all)

    def add(self, texts: Iterable[str]) -> None:
        """Adds resources and all that stands above them; what is no address is passed over."""
        for text in texts:
            try:
                pattern = parse_address(text)
            except ValueError:
                continue
            while str(pattern) not in self._all:
                self._all.add(str(pattern))
                pattern = Pattern(pattern.system, pattern.segments[:-1])

    def matched(self, patterns: Iterable[Pattern]) -> list[bool]:
        """Of each pattern whether any address matches it. All addresses are gone through once, for all patterns."""
        asked = list(patterns)
        starts = [_before_stars(pattern.target) for pattern in asked]
        below = self._below(
            {start for pattern, start in zip(asked, starts, strict=True) if not pattern.target.is_address}
        )
        return [
            start in self._all and _is_met(start, pattern.target.segments[_depth(start) :], below)
            for pattern, start in zip(asked, starts, strict=True)
        ]

    def _below(self, starts: set[str]) -> dict[str, list[str]]:
        """The last segments of what stands directly below each address that is at or below one of some."""
        found: dict[str, list[str]] = {}
        if not starts:
            return found
        ends = tuple(start.removesuffix("/") + "/" for start in starts)
        for address in self._all:
            if address.startswith(ends):
                parent, _, segment = address.rpartition("/")
                if segment:
                    found.setdefault(parent if not parent.endswith(":") else f"{parent}/", []).append(segment)
        return found


def _before_stars(pattern: Pattern) -> str:
    """The address of what stands above the first segment with a star."""
    size = next((at for at, segment in enumerate(pattern.segments) if "*" in segment), len(pattern.segments))
    return str(Pattern(pattern.system, pattern.segments[:size]))


def _depth(address: str) -> int:
    path = address.partition(":/")[2]
    return path.count("/") + 1 if path else 0


def _is_met(address: str, rest: tuple[str, ...], below: dict[str, list[str]]) -> bool:
    """Whether anything at or below an address matches the segments that are left of a pattern."""
    if not rest:
        return True
    if rest[0] == "**" and _is_met(address, rest[1:], below):
        return True
    fits = segment_expression(rest[0]).fullmatch
    following = rest if rest[0] == "**" else rest[1:]
    return any(
        _is_met(f"{address.removesuffix('/')}/{segment}", following, below)
        for segment in below.get(address, ())
        if rest[0] == "**" or fits(segment)
    )
