"""An answer of a command: the rows as data with stable keys, and how they are named to a person."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any

import msgspec

from kathodos.errors import Status


def plain(value: object) -> str:
    """A value as text: nothing for none, lists separated by `; `."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, list | tuple):
        return "; ".join(plain(part) for part in value)
    if isinstance(value, dict):
        return "; ".join(f"{key} {plain(part)}" for key, part in value.items())
    return str(value)


class Lines(tuple[str, ...]):
    """A cell of several lines."""


Row = Mapping[str, Any]


class Field(msgspec.Struct, frozen=True):
    """One column: the key in the data, the title in the table. Those of lower `weight` give way in a narrow window."""

    key: str
    title: str
    weight: int = 5
    is_number: bool = False
    least: int = 6
    shown: Callable[[Any], str] = plain
    style: Callable[[Any], str] | None = None


class Branch(msgspec.Struct, frozen=True):
    """A line of a tree and what hangs on it."""

    text: str
    branches: Sequence[Branch] = ()
    style: str = ""


class Answer(msgspec.Struct, frozen=True):
    """What a command found. `text` and `trees` are for people only; `rows` are for people and programs.

    `document` stands in for the rows in JSON, where the answer is one thing and not a list. `is_verbatim`: another
    program is to read the text, so that no line of it is broken. `rules`: the digest of the rules that it was found by.
    """

    fields: Sequence[Field] = ()
    rows: Iterable[Row] = ()
    heading: str = ""
    text: Sequence[str] = ()
    trees: Sequence[Branch] = ()
    hint: str = ""
    status: Status = Status.DONE
    document: Row | None = None
    extra_keys: Sequence[str] = msgspec.field(default=())
    is_verbatim: bool = False
    rules: str = ""
