"""Rules as written in `rules/*.toml`, one topic a file, read into records.

A file may say what a duty means itself, or name duties that `rules/duties.toml` says for the systems at hand.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import msgspec

from kathodos.model.addresses import Pattern, parse_pattern
from kathodos.model.comparing import check_comparisons
from kathodos.model.filters import FilterError, Node, parse_filter
from kathodos.model.kinds import IDENTITIES
from kathodos.model.severities import Severity
from kathodos.model.toml import Path, TomlText

SEVERITIES = tuple(Severity)
_NEEDS = 'Write must = ["ACTION PATTERN", ...] for what all of them need, or any = [...] where one of these is enough.'
DUTIES_FILE = "duties.toml"


class Permission(msgspec.Struct, frozen=True):
    """An action, or `*`, on a resource pattern."""

    action: str
    pattern: Pattern

    def __str__(self) -> str:
        return f"{self.action} {self.pattern}"


class Duty(msgspec.Struct, frozen=True):
    """One side of a conflict: held by whoever reaches one of `permissions`, if there are any, and all of `every`."""

    name: str
    permissions: tuple[Permission, ...]
    every: tuple[Permission, ...] = ()

    @property
    def is_mapped(self) -> bool:
        """Whether it means anything in the systems at hand."""
        return bool(self.permissions or self.every)


class _Said(msgspec.Struct, frozen=True, kw_only=True):
    severity: Severity = Severity.MEDIUM
    description: str = ""
    remedy: str = ""
    reference: str = ""
    excepted: Node | None = None
    file: str = ""


class Rule(_Said, frozen=True):
    """What all rules say of themselves. `reference`: where a control framework asks for it."""

    id: str
    title: str
    topic: str


class Conflicting(Rule, frozen=True):
    """A conflict rule: broken by whoever holds `threshold` or more of its duties."""

    threshold: int = 2
    within: str | None = None
    duties: tuple[Duty, ...] = ()


class Need(Rule, frozen=True):
    """What those that `who` selects must be able to do: all of `must`, and of `any` one on one resource."""

    who: Node
    must: tuple[Permission, ...] = ()
    any: tuple[Permission, ...] = ()

    @property
    def permissions(self) -> tuple[Permission, ...]:
        """All that it asks for, in whichever way."""
        return (*self.must, *self.any)


class Fence(Rule, frozen=True):
    """What the identities that `who` selects must never reach."""

    who: Node
    never: tuple[Permission, ...]


class Rules(msgspec.Struct, frozen=True):
    """All rules, and the generic duties that are said in one place for all of them."""

    conflicts: list[Conflicting] = msgspec.field(default_factory=list)
    needs: list[Need] = msgspec.field(default_factory=list)
    fences: list[Fence] = msgspec.field(default_factory=list)
    duties: dict[str, Duty] = msgspec.field(default_factory=dict)

    def every(self) -> list[Rule]:
        return [*self.conflicts, *self.fences, *self.needs]

    def topics(self) -> list[str]:
        return sorted({rule.topic for rule in self.every()})


class _Block(msgspec.Struct, forbid_unknown_fields=True, kw_only=True):
    """What a block of any kind of rule may say."""

    id: str
    title: str = ""
    severity: Severity = Severity.MEDIUM
    description: str = ""
    remedy: str = ""
    reference: str = ""
    excepted: str | None = msgspec.field(default=None, name="except")


class _DutyBlock(msgspec.Struct, forbid_unknown_fields=True):
    """`[[conflict.duty]]`."""

    name: str
    any: list[str] | None = None
    all: list[str] | None = None


class _ConflictBlock(_Block, forbid_unknown_fields=True, kw_only=True):
    """`[[conflict]]`."""

    threshold: int = 2
    within: str | None = None
    duty: list[_DutyBlock] = []
    duties: list[str] = []


class _FenceBlock(_Block, forbid_unknown_fields=True, kw_only=True):
    """`[[fence]]`."""

    who: str
    never: list[str]


class _NeedBlock(_Block, forbid_unknown_fields=True, kw_only=True):
    """`[[need]]`."""

    who: str
    must: list[str] | None = None
    any: list[str] | None = None


class _File(msgspec.Struct, forbid_unknown_fields=True):
    """A file of rules."""

    topic: str
    conflict: list[_ConflictBlock] = []
    fence: list[_FenceBlock] = []
    need: list[_NeedBlock] = []


class _AnyAll(msgspec.Struct, forbid_unknown_fields=True):
    """What gives a generic duty: one of these, and all of those."""

    any: list[str] = []
    all: list[str] = []


class _DutiesFile(msgspec.Struct, forbid_unknown_fields=True):
    """`duties.toml`."""

    duties: dict[str, list[str] | _AnyAll]


def read_rules(files: Sequence[TomlText]) -> Rules:
    """The rules of several files. Raises DataError with file, line and key where one is not as it has to be."""
    rules = Rules()
    for file in files:
        if _is_duties(file):
            rules.duties.update(_generic_duties(file))
    seen: dict[str, str] = {}
    for file in files:
        if not _is_duties(file):
            reader = _Reader(file, rules.duties)
            reader.add_to(rules)
            for rule, path in reader.ids.items():
                if rule in seen:
                    what = f"the id {rule} stands in {seen[rule]} too"
                    raise file.error(path, what, "Give each rule an id of its own.")
                seen[rule] = file.name
    return rules


def _is_duties(file: TomlText) -> bool:
    return file.name.rpartition("/")[2] == DUTIES_FILE


def _generic_duties(file: TomlText) -> dict[str, Duty]:
    """The duties that `[duties]` says: a list of permissions of which one is enough, or a table of any and all."""
    remedy = 'Write "pay suppliers" = ["pay dues:/*/payments"] in [duties], or { any = [...], all = [...] }.'
    found = {}
    for name, stated in file.as_type(_DutiesFile, remedy).duties.items():
        sides = _AnyAll(any=stated) if isinstance(stated, list) else stated
        path = ["duties", name]
        found[name] = Duty(name, _permissions(file, path, sides.any), _permissions(file, path, sides.all))
    return found


class _Reader:
    """Reads one file of rules."""

    def __init__(self, file: TomlText, duties: Mapping[str, Duty]) -> None:
        self.file = file
        self.duties = duties
        self.ids: dict[str, Path] = {}

    def add_to(self, rules: Rules) -> None:
        """Adds what the file says."""
        remedy = "A severity is low, medium, high or critical; the manual shows all keys of a file of rules."
        content = self.file.as_type(_File, remedy)
        if not content.topic:
            raise self.file.error(["topic"], "the topic is empty", "Name it.")
        for at, conflict in enumerate(content.conflict):
            rules.conflicts.append(self.conflict(conflict, content.topic, ["conflict", at]))
        for at, need in enumerate(content.need):
            path: list[str | int] = ["need", at]
            about = self.common(need, content.topic, path)
            if need.must is None and need.any is None:
                raise self.file.error(path, f"{need.id} says neither must nor any", _NEEDS)
            must, one_of = (
                self.permissions(it, [*path, key]) if it is not None else ()
                for key, it in (("must", need.must), ("any", need.any))
            )
            rules.needs.append(Need(**about, who=self.filter(need.who, [*path, "who"]), must=must, any=one_of))
        for at, fence in enumerate(content.fence):
            path = ["fence", at]
            about = self.common(fence, content.topic, path)
            who, never = self.filter(fence.who, [*path, "who"]), self.permissions(fence.never, [*path, "never"])
            rules.fences.append(Fence(**about, who=who, never=never))

    def common(self, block: _Block, topic: str, path: list[str | int]) -> dict[str, Any]:
        """What all kinds of rule have."""
        name = block.id
        if not name or set("/;") & set(name) or name != name.strip():
            what = f"the id {name!r} is empty, or holds a slash, a semicolon or a blank at an end"
            raise self.file.error([*path, "id"], what, "Write it without.")
        if name in self.ids:
            remedy = "Give each rule an id of its own."
            raise self.file.error([*path, "id"], f"the id {name} stands in this file twice", remedy)
        self.ids[name] = [*path, "id"]
        excepted = self.filter(block.excepted, [*path, "except"]) if block.excepted is not None else None
        texts = {key: getattr(block, key).strip() for key in ("description", "remedy", "reference")}
        named = {"id": name, "title": block.title or name, "topic": topic, "severity": block.severity}
        return {**named, **texts, "excepted": excepted, "file": self.file.name.removeprefix("rules/")}

    def conflict(self, block: _ConflictBlock, topic: str, path: list[str | int]) -> Conflicting:
        about = self.common(block, topic, path)
        duties = (
            *(self.duty(duty, [*path, "duty", at]) for at, duty in enumerate(block.duty)),
            *(self.named(name, block.id, [*path, "duties"]) for name in block.duties),
        )
        if not 2 <= block.threshold <= len(duties):
            what = f"{block.id} has {len(duties)} duties and the threshold {block.threshold}"
            remedy = "Needs 2 or more duties, and a threshold from 2 to their number."
            raise self.file.error([*path, "threshold"], what, remedy)
        return Conflicting(**about, threshold=block.threshold, within=block.within, duties=duties)

    def duty(self, block: _DutyBlock, path: list[str | int]) -> Duty:
        every = self.permissions(block.all, [*path, "all"]) if block.all is not None else ()
        if block.any is None and block.all is not None:
            return Duty(block.name, (), every)
        return Duty(block.name, self.permissions(block.any or [], [*path, "any"]), every)

    def named(self, name: str, rule: str, path: Path) -> Duty:
        """A generic duty that a rule names."""
        if name not in self.duties:
            what = f"{rule} names the duty {name!r}, which rules/{DUTIES_FILE} does not have"
            raise self.file.error(path, what, f'Write "{name}" = [] there; its permissions can follow.')
        return self.duties[name]

    def filter(self, text: str, path: Path) -> Node:
        try:
            node = parse_filter(text)
            check_comparisons(node, IDENTITIES.form, 0)
            return node
        except FilterError as error:
            what = f"the filter {path[-1]} cannot be read: {error}"
            raise self.file.error(path, what, "Write a filter over identities.") from None

    def permissions(self, listed: Sequence[str], path: Path) -> tuple[Permission, ...]:
        if not listed:
            remedy = f'Write {path[-1]} = ["ACTION PATTERN", ...] with at least one permission.'
            raise self.file.error(path, f"{path[-1]} names no permission", remedy)
        return _permissions(self.file, path, listed)


def _permissions(file: TomlText, path: Path, listed: Sequence[str]) -> tuple[Permission, ...]:
    return tuple(_permission(file, path, text) for text in listed)


def _permission(file: TomlText, path: Path, text: str) -> Permission:
    action, _, pattern = text.strip().partition(" ")
    try:
        return Permission(action, parse_pattern(pattern.strip()))
    except ValueError as error:
        raise file.error(path, f"{text!r} is no permission: {error}", "Write ACTION system:/path.") from None
