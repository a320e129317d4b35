"""An index as named arrays and a little JSON, and back: what the saved index holds. No I/O of its own."""

from __future__ import annotations

import dataclasses
from collections.abc import Iterator, Mapping
from functools import cache
from typing import Any, get_type_hints

import msgspec
import numpy as np
import numpy.typing as npt

from kathodos.columns.csr import ints
from kathodos.columns.parted import PartedArray
from kathodos.engine.compiled.index import Index, Mandate, System
from kathodos.engine.compiled.scopes import AnchoredIntervals, Scope

Arrays = dict[str, npt.NDArray[Any]]
_OBJECTS = ("systems", "actions", "mandates", "scopes")  # lists of other things than texts and numbers


def arrays_of(index: Index) -> tuple[Arrays, dict[str, Any]]:
    """The arrays of an index by dotted name, and the rest as values that JSON can hold."""
    arrays: Arrays = {}
    rest: dict[str, Any] = {}
    _take_apart("", index, arrays, rest)
    return arrays, {**rest, "form": _form()}


def index_from(arrays: Mapping[str, npt.NDArray[Any]], rest: Mapping[str, Any]) -> Index:
    """The index that was taken apart; each part of it is made when it is first asked for.

    Raises ValueError where it was taken apart by a version to which an index is something else.
    """
    if rest.get("form") != _form():
        raise ValueError("another version's index")
    index: Index = _put_together("", Index, arrays, rest)
    return index


@cache
def _fields(kind: Any) -> tuple[tuple[str, Any], ...]:
    return tuple(get_type_hints(kind).items())


@cache
def _form() -> list[str]:
    """What an index consists of: the dotted names of its parts, and what a system and a mandate say."""
    return [*_paths("", Index), *(name for kind in (System, Mandate) for name, _ in _fields(kind))]


def _paths(prefix: str, kind: Any) -> Iterator[str]:
    for name, hint in _fields(kind):
        if name not in _OBJECTS and dataclasses.is_dataclass(hint):
            yield from _paths(f"{prefix}{name}.", hint)
        else:
            yield prefix + name


def _take_apart(prefix: str, value: Any, arrays: Arrays, rest: dict[str, Any]) -> None:
    for name, _ in _fields(value.__class__):
        held, path = getattr(value, name), prefix + name
        if name in _OBJECTS:
            rest[path] = _plain(name, held)
        elif dataclasses.is_dataclass(held):
            _take_apart(path + ".", held, arrays, rest)
        elif isinstance(held, np.ndarray | PartedArray):
            arrays[path] = np.asarray(held)
        else:
            rest[path] = list(held)


def _put_together(prefix: str, kind: Any, arrays: Mapping[str, npt.NDArray[Any]], rest: Mapping[str, Any]) -> Any:
    made = object.__new__(_made_when_asked(kind))
    object.__setattr__(made, "_parts", (prefix, arrays, rest))
    return made


@cache
def _made_when_asked(kind: Any) -> Any:
    """A subclass of a dataclass whose fields are made of arrays when they are first asked for."""
    hints = dict(_fields(kind))

    def part(self: Any, name: str) -> Any:
        if name not in hints:
            raise AttributeError(name)
        prefix, arrays, rest = self._parts
        path = prefix + name
        if name in _OBJECTS:
            value = _made(name, rest[path])
        elif dataclasses.is_dataclass(hints[name]):
            value = _put_together(path + ".", hints[name], arrays, rest)
        else:
            value = arrays[path] if path in arrays else rest[path]
        object.__setattr__(self, name, value)
        return value

    return type(kind.__name__, (kind,), {"__getattr__": part})


def _plain(name: str, held: Any) -> Any:
    if name == "systems":
        return [_plain_system(system) for system in held.values()]
    if name == "scopes":
        return [[scope.node, _plain_runs(scope.intervals)] for scope in held]
    return [msgspec.structs.astuple(it) if name == "mandates" else it for it in held]


def _made(name: str, plain: Any) -> Any:
    if name == "systems":
        return {fields["name"]: _made_system(fields) for fields in plain}
    if name == "scopes":
        return [
            Scope(node, AnchoredIntervals(*map(ints, intervals)) if intervals is not None else None)
            for node, intervals in plain
        ]
    if name == "mandates":
        return [Mandate(holder, tuple(roles), *more) for holder, roles, *more in plain]
    return [tuple(it) for it in plain]


def _plain_runs(intervals: AnchoredIntervals | None) -> list[list[int]] | None:
    return (
        [intervals.first.tolist(), intervals.end.tolist(), intervals.anchor.tolist()] if intervals is not None else None
    )


def _plain_system(system: System) -> dict[str, Any]:
    fields = {name: getattr(system, name) for name, _ in _fields(System)}
    return {**fields, "actions": system.actions.tolist(), "covers": system.covers.astype(int).tolist()}


def _made_system(fields: Mapping[str, Any]) -> System:
    size = len(fields["actions"])
    covers = np.array(fields["covers"], dtype=bool).reshape(size, size)
    gates = [(kind, action) for kind, action in fields["gates"]]
    return System(**{**fields, "actions": ints(fields["actions"]), "covers": covers, "gates": gates})
