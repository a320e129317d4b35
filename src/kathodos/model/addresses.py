"""Addresses of resources, `system:/a/b`, and the patterns that match them.

`*` matches any characters within one segment, `**` as a whole segment any number of segments, none included.
`%2F` escapes a slash in a segment, `%2A` a star, `%25` a per cent sign, and `%FF` stands for a byte that is not UTF-8.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence

import msgspec

from kathodos.model.carried import uncarried, written_out

_ESCAPE = re.compile(r"%2[fa5]")
_PATTERN = re.compile(r"(?P<system>[^:/\s]+):(?P<path>/.*)\Z", re.DOTALL)


class Pattern(msgspec.Struct, frozen=True):
    """`system` and the segments below its root; `()` is the root itself."""

    system: str
    segments: tuple[str, ...]

    def __str__(self) -> str:
        return f"{self.system}:/{'/'.join(self.segments)}"

    def matches(self, segments: Sequence[str]) -> bool:
        """Whether it matches the whole path that these segments make."""
        reached = [True] + [False] * len(segments)  # which lengths of the path the pattern so far can have matched
        for part in self.segments:
            if part == "**":
                reached = [any(reached[: size + 1]) for size in range(len(reached))]
            else:
                fits = segment_expression(part).fullmatch
                reached = [
                    False,
                    *(before and bool(fits(text)) for before, text in zip(reached, segments, strict=False)),
                ]
        return reached[-1]

    @property
    def is_address(self) -> bool:
        return not any("*" in segment for segment in self.segments)

    @property
    def holds_everything_below(self) -> bool:
        """Whether it is of the form `P/**`, which holds what is below, detached or not."""
        return bool(self.segments) and self.segments[-1] == "**"

    @property
    def target(self) -> Pattern:
        """What its targets match: `P` of `P/**`, else itself."""
        return Pattern(self.system, self.segments[:-1]) if self.holds_everything_below else self


def parse_pattern(text: str) -> Pattern:
    """`text` as a pattern. Raises ValueError with a remedy where it is none."""
    found = _PATTERN.match(text)
    if not found:
        raise ValueError("write a resource as system:/segment/segment")
    path = _ESCAPE.sub(lambda escape: escape[0].upper(), found["path"]).removesuffix("/")
    segments = tuple(path.split("/")[1:])
    if "" in segments:
        raise ValueError("a segment is empty; take one slash out, or write %2F for a slash in a name")
    if any("**" in segment and segment != "**" for segment in segments):
        raise ValueError("** stands for whole segments only; write /**/ or a single *")
    return Pattern(found["system"], segments)


def parse_address(text: str) -> Pattern:
    """`text` as an address. Raises ValueError with a remedy where it is a pattern or neither."""
    pattern = parse_pattern(text)
    if not pattern.is_address:
        raise ValueError("an address has no *; write %2A for a star in a name")
    return pattern


def address_of(system: str, path: Iterable[str]) -> str:
    """The address of a path whose names may hold anything; what an address gives a meaning to is escaped."""
    return f"{system}:/{'/'.join(_escaped(name) for name in path)}"


def names_in(address: str) -> tuple[str, ...]:
    """The names of which `address_of` made an address."""
    return tuple(uncarried(segment) for segment in parse_address(address).segments)


def _escaped(name: str) -> str:
    return written_out(name.replace("%", "%25").replace("/", "%2F").replace("*", "%2A"))


def segment_expression(segment: str) -> re.Pattern[str]:
    """The expression that the whole of one segment has to match."""
    return re.compile(".*".join(map(re.escape, re.split(r"\*+", segment))), re.DOTALL)
