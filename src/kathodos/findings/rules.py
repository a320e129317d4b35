"""Rules as written in `rules/*.toml`, one topic a file, read into records."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from kathodos.catalogue.addresses import Pattern, parse_pattern
from kathodos.catalogue.filters import FilterError, Node, parse_filter
from kathodos.errors import DataError

SEVERITIES = ("low", "medium", "high", "critical")


@dataclass(frozen=True)
class Permission:
    """An action, or `*`, on a resource pattern."""

    action: str
    pattern: Pattern

    def __str__(self) -> str:
        return f"{self.action} {self.pattern}"


@dataclass(frozen=True)
class Duty:
    """One side of a conflict: whoever reaches one of its permissions holds it."""

    name: str
    permissions: tuple[Permission, ...]


@dataclass(frozen=True)
class Conflicting:
    """A conflict rule: broken by whoever holds `threshold` or more of its duties."""

    id: str
    title: str
    topic: str
    severity: str
    threshold: int
    within: str | None
    duties: tuple[Duty, ...]


@dataclass(frozen=True)
class Need:
    """What the identities that `who` selects must be able to do."""

    id: str
    title: str
    topic: str
    who: Node
    must: tuple[Permission, ...]


@dataclass(frozen=True)
class Rules:
    conflicts: list[Conflicting]
    needs: list[Need]

    def topics(self) -> list[str]:
        return sorted({rule.topic for rule in self.conflicts} | {need.topic for need in self.needs})


_KEYS = {
    "conflict": {"id", "title", "severity", "threshold", "within", "duty"},
    "duty": {"name", "any"},
    "fence": {"id", "title", "who", "never"},
    "need": {"id", "title", "who", "must"},
}


def read_rules(files: Sequence[tuple[str, Mapping[str, Any], str]]) -> Rules:
    """The rules of several files, each given as name, parsed TOML and text. Raises DataError with file and line."""
    rules = Rules([], [])
    seen: dict[str, str] = {}
    for name, content, text in files:
        reader = _Reader(name, text)
        topic = reader.text(content, "topic", "the file")
        for table in reader.tables(content, "conflict"):
            rules.conflicts.append(reader.conflict(table, topic))
        for table in reader.tables(content, "need"):
            rules.needs.append(reader.need(table, topic))
        for table in reader.tables(content, "fence"):
            reader.text(table, "id", "a fence")
        for rule in reader.ids:
            if rule in seen:
                raise reader.error(
                    rule, f"the id {rule} stands in {seen[rule]} too", "Give each rule an id of its own."
                )
            seen[rule] = name
    return rules


class _Reader:
    """Reads one file, and knows the line of a rule by its id."""

    def __init__(self, file: str, text: str) -> None:
        self.file = file
        self.lines = text.splitlines()
        self.ids: list[str] = []

    def error(self, mark: str, what: str, remedy: str) -> DataError:
        line = next((at for at, line in enumerate(self.lines, 1) if mark and mark in line), 1)
        return DataError(f"rules/{self.file}, line {line}: {what}.", remedy)

    def tables(self, content: Mapping[str, Any], name: str) -> list[Mapping[str, Any]]:
        """The `[[name]]` tables of the file, with their keys checked."""
        tables = content.get(name, [])
        if not isinstance(tables, list) or not all(isinstance(table, dict) for table in tables):
            raise self.error(name, f"expected [[{name}]] with two brackets", "Mend it; the manual shows a rule.")
        for table in tables:
            if name != "duty":
                self.ids.append(self.text(table, "id", f"a {name}"))
            unknown = sorted(table.keys() - _KEYS[name])
            if unknown:
                known = ", ".join(sorted(_KEYS[name]))
                raise self.error(unknown[0], f"a {name} has no key {unknown[0]}", f"Its keys are {known}.")
        return tables

    def text(self, table: Mapping[str, Any], key: str, what: str) -> str:
        value = table.get(key)
        if not isinstance(value, str) or not value:
            raise self.error(str(table.get("id", "")), f'expected {key} = "..." in {what}', "Add it.")
        return value

    def conflict(self, table: Mapping[str, Any], topic: str) -> Conflicting:
        mark = str(table["id"])
        severity = table.get("severity", "medium")
        if severity not in SEVERITIES:
            raise self.error(mark, f"{mark} has the severity {severity!r}", f"Write one of {', '.join(SEVERITIES)}.")
        duties = tuple(
            Duty(self.text(duty, "name", f"a duty of {mark}"), self.permissions(duty, "any", mark))
            for duty in self.tables({"duty": table.get("duty", [])}, "duty")
        )
        threshold = table.get("threshold", 2)
        if not isinstance(threshold, int) or not 2 <= threshold <= len(duties):
            raise self.error(
                mark,
                f"{mark} has {len(duties)} duties and the threshold {threshold!r}",
                "Needs 2 or more duties, and a threshold from 2 to their number.",
            )
        within = table.get("within")
        if within is not None and not isinstance(within, str):
            raise self.error(mark, f"expected within = the name of an attribute in {mark}", "Mend it.")
        return Conflicting(mark, str(table.get("title", mark)), topic, str(severity), threshold, within, duties)

    def need(self, table: Mapping[str, Any], topic: str) -> Need:
        mark = str(table["id"])
        try:
            who = parse_filter(self.text(table, "who", mark))
        except FilterError as error:
            raise self.error(
                mark, f"who of {mark} does not parse: {error}", "Write a filter over identities."
            ) from None
        return Need(mark, str(table.get("title", mark)), topic, who, self.permissions(table, "must", mark))

    def permissions(self, table: Mapping[str, Any], key: str, mark: str) -> tuple[Permission, ...]:
        listed = table.get(key)
        if not isinstance(listed, list) or not listed or not all(isinstance(text, str) for text in listed):
            raise self.error(
                mark, f'expected {key} = ["ACTION PATTERN", ...] in {mark}', "Add at least one permission."
            )
        return tuple(self.permission(text, mark) for text in listed)

    def permission(self, text: str, mark: str) -> Permission:
        action, _, pattern = text.strip().partition(" ")
        try:
            return Permission(action, parse_pattern(pattern.strip()))
        except ValueError as error:
            raise self.error(
                text, f"{text!r} in {mark} is no permission: {error}", "Write ACTION system:/path."
            ) from None
