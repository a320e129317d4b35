"""Filters in the syntax of RFC 7644, section 3.4.2.2, over flat records.

Values compare without regard to case, as attributes do by default (RFC 7643, section 2.2). An attribute with several
values is true where one of them is. Value paths (`emails[type eq "work"]`) have nothing to select in a flat record
and are refused.
"""

from __future__ import annotations

import json
import re

import msgspec
import numpy as np
import numpy.typing as npt

Mask = npt.NDArray[np.bool_]

_TOKEN = re.compile(
    r"""\s*(?:(?P<open>\()|(?P<close>\))|(?P<string>"(?:[^"\\]|\\.)*")
    |(?P<day>today(?:[+-]\w+)?(?![\w.:$-])|\d{4}-\d{2}(?:-\d{2}(?:[Tt][\w:.+-]*\w)?)?(?![\w.:-]))
    |(?P<number>-?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][+-]?\d+)?(?![\w.:]))
    |(?P<word>[A-Za-z$][\w.:$-]*)|(?P<other>\S))""",
    re.VERBOSE | re.IGNORECASE,
)
_OPERATORS = ("eq", "ne", "co", "sw", "ew", "gt", "ge", "lt", "le", "pr")
_DEEPEST = 200


class FilterError(ValueError):
    """A filter that does not parse; says at which character and what was expected."""


class Day(msgspec.Struct, frozen=True):
    """A day or a time written without quotes: `2026-05`, `today`, `today+30d`; what it is, `comparing` says."""

    text: str


Value = str | int | float | bool | Day | None


class Comparison(msgspec.Struct, frozen=True):
    attribute: str
    operator: str
    value: Value

    def attributes(self) -> set[str]:
        return {self.attribute}

    def holds(self, held: object) -> bool:
        """Whether it is true of a text or number, of one of several, or of none (None)."""
        values = held if isinstance(held, list) else [held]
        values = [value for value in values if value not in (None, "")]
        if self.operator == "pr":
            return bool(values)
        if self.operator == "ne":
            return not any(_compare(value, "eq", self.value) for value in values) and not (
                self.value is None and not values
            )
        if self.value is None:
            return self.operator == "eq" and not values
        return any(_compare(value, self.operator, self.value) for value in values)


class Combination(msgspec.Struct, frozen=True):
    """Parts joined by `and` or `or`."""

    word: str
    parts: tuple[Node, ...]

    def attributes(self) -> set[str]:
        return set().union(*(part.attributes() for part in self.parts))


class Negation(msgspec.Struct, frozen=True):
    part: Node

    def attributes(self) -> set[str]:
        return self.part.attributes()


Node = Comparison | Combination | Negation


def parse_filter(text: str) -> Node:
    """The filter that `text` writes. Raises FilterError."""
    return _Parser(text).whole()


def _compare(held: object, operator: str, wanted: Value) -> bool:
    if isinstance(wanted, Day):
        return False
    if isinstance(wanted, bool):
        return operator == "eq" and str(held).lower() == str(wanted).lower()
    if isinstance(wanted, int | float):
        try:
            return _ordered(float(str(held)), operator, float(wanted))
        except ValueError:
            return False
    return _ordered(str(held).casefold(), operator, str(wanted).casefold())


def _ordered(held: str | float, operator: str, wanted: str | float) -> bool:
    if isinstance(held, float) or isinstance(wanted, float):
        if operator in ("co", "sw", "ew"):
            return False
    elif operator == "co":
        return wanted in held
    elif operator == "sw":
        return held.startswith(wanted)
    elif operator == "ew":
        return held.endswith(wanted)
    return {
        "eq": held == wanted,
        "gt": held > wanted,  # type: ignore[operator]  # both are text or both are numbers
        "ge": held >= wanted,  # type: ignore[operator]
        "lt": held < wanted,  # type: ignore[operator]
        "le": held <= wanted,  # type: ignore[operator]
    }[operator]


class _Parser:
    """Recursive descent over the grammar of RFC 7644, figure 1: `or` binds least, then `and`, then `not`."""

    def __init__(self, text: str) -> None:
        self.text = text
        self.tokens = [(str(found.lastgroup), found[str(found.lastgroup)], found) for found in _TOKEN.finditer(text)]
        self.at = 0
        self.depth = 0

    def whole(self) -> Node:
        node = self.alternatives()
        if self.at < len(self.tokens):
            raise self.error("'and', 'or' or the end")
        return node

    def alternatives(self) -> Node:
        self.depth += 1
        if self.depth > _DEEPEST:
            raise FilterError(f"brackets are nested more than {_DEEPEST} deep")
        parts = [self.conjunction()]
        while self.take_word("or"):
            parts.append(self.conjunction())
        self.depth -= 1
        return parts[0] if len(parts) == 1 else Combination("or", tuple(parts))

    def conjunction(self) -> Node:
        parts = [self.term()]
        while self.take_word("and"):
            parts.append(self.term())
        return parts[0] if len(parts) == 1 else Combination("and", tuple(parts))

    def term(self) -> Node:
        if self.peek() == "word" and self.tokens[self.at][1].lower() == "not":
            self.at += 1
            if self.peek() != "open":
                raise self.error("'(' after not")
            return Negation(self.term())
        if self.peek() == "open":
            self.at += 1
            node = self.alternatives()
            if self.peek() != "close":
                raise self.error("')'")
            self.at += 1
            return node
        return self.comparison()

    def comparison(self) -> Node:
        if self.peek() != "word" and not (self.peek() == "day" and self.tokens[self.at][1] == "today"):
            raise self.error("the name of an attribute")
        attribute = self.tokens[self.at][1]
        self.at += 1
        if self.peek() != "word" or self.tokens[self.at][1].lower() not in _OPERATORS:
            raise self.error("one of " + ", ".join(_OPERATORS))
        operator = self.tokens[self.at][1].lower()
        self.at += 1
        return Comparison(attribute, operator, None if operator == "pr" else self.value())

    def value(self) -> Value:
        kind = self.peek()
        word = self.tokens[self.at][1] if kind else ""
        if kind == "day":
            self.at += 1
            return Day(word)
        if kind in ("string", "number") or (kind == "word" and word.lower() in ("true", "false", "null")):
            self.at += 1
            try:
                read: Value = json.loads(word if kind != "word" else word.lower(), strict=False)
            except ValueError:
                self.at -= 1
                raise self.error("a value with valid escapes") from None
            return read
        raise self.error('a value: "text", a number, a date, today, true, false or null')

    def peek(self) -> str:
        return self.tokens[self.at][0] if self.at < len(self.tokens) else ""

    def take_word(self, word: str) -> bool:
        found = self.peek() == "word" and self.tokens[self.at][1].lower() == word
        self.at += found
        return found

    def error(self, expected: str) -> FilterError:
        if self.at >= len(self.tokens):
            return FilterError(f"the filter ends where {expected} was expected: {self.text}")
        kind, word, found = self.tokens[self.at]
        return FilterError(f"at character {found.start(kind) + 1}, {word}: expected {expected}")
