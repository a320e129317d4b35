"""Rules as written in `rules/*.toml`, one topic a file, read into records.

A file may say what a duty means itself, or name duties that `rules/duties.toml` says for the systems at hand.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from kathodos.errors import DataError
from kathodos.model.addresses import Pattern, parse_pattern
from kathodos.model.filters import FilterError, Node, parse_filter

SEVERITIES = ("low", "medium", "high", "critical")
DUTIES_FILE = "duties.toml"


@dataclass(frozen=True)
class Permission:
    """An action, or `*`, on a resource pattern."""

    action: str
    pattern: Pattern

    def __str__(self) -> str:
        return f"{self.action} {self.pattern}"


@dataclass(frozen=True)
class Duty:
    """One side of a conflict: held by whoever reaches one of `permissions`, if there are any, and all of `every`."""

    name: str
    permissions: tuple[Permission, ...]
    every: tuple[Permission, ...] = ()

    @property
    def is_mapped(self) -> bool:
        """Whether it means anything in the systems at hand."""
        return bool(self.permissions or self.every)


@dataclass(frozen=True)
class Rule:
    """What all rules say of themselves. `reference`: where a control framework asks for it."""

    id: str
    title: str
    topic: str
    severity: str = field(default="medium", kw_only=True)
    description: str = field(default="", kw_only=True)
    remedy: str = field(default="", kw_only=True)
    reference: str = field(default="", kw_only=True)
    excepted: Node | None = field(default=None, kw_only=True)
    file: str = field(default="", kw_only=True)


@dataclass(frozen=True)
class Conflicting(Rule):
    """A conflict rule: broken by whoever holds `threshold` or more of its duties."""

    threshold: int = 2
    within: str | None = None
    duties: tuple[Duty, ...] = ()


@dataclass(frozen=True)
class Need(Rule):
    """What the identities that `who` selects must be able to do."""

    who: Node
    must: tuple[Permission, ...]


@dataclass(frozen=True)
class Fence(Rule):
    """What the identities that `who` selects must never reach."""

    who: Node
    never: tuple[Permission, ...]


@dataclass(frozen=True)
class Rules:
    """All rules, and the generic duties that are said in one place for all of them."""

    conflicts: list[Conflicting] = field(default_factory=list)
    needs: list[Need] = field(default_factory=list)
    fences: list[Fence] = field(default_factory=list)
    duties: dict[str, Duty] = field(default_factory=dict)

    def every(self) -> list[Rule]:
        return [*self.conflicts, *self.fences, *self.needs]

    def topics(self) -> list[str]:
        return sorted({rule.topic for rule in self.every()})


_OF_ALL = {"id", "title", "severity", "description", "remedy", "reference", "except"}
_KEYS = {
    "conflict": _OF_ALL | {"threshold", "within", "duty", "duties"},
    "duty": {"name", "any", "all"},
    "fence": _OF_ALL | {"who", "never"},
    "need": _OF_ALL | {"who", "must"},
}


def read_rules(files: Sequence[tuple[str, Mapping[str, Any], str]], folder: str = "rules/") -> Rules:
    """The rules of several files, each given as name, parsed TOML and text. Raises DataError with file and line.

    `folder`: what stands before the names where an error tells them.
    """
    rules = Rules()
    for name, content, text in files:
        if name == DUTIES_FILE:
            rules.duties.update(_Reader(folder + name, text, {}).generic(content))
    seen: dict[str, str] = {}
    for name, content, text in files:
        if name == DUTIES_FILE:
            continue
        reader = _Reader(folder + name, text, rules.duties)
        reader.rules(content, rules)
        for rule in reader.ids:
            if rule in seen:
                raise reader.error(
                    rule, f"the id {rule} stands in {seen[rule]} too", "Give each rule an id of its own."
                )
            seen[rule] = name
    return rules


class _Reader:
    """Reads one file, and knows the line of a rule by its id."""

    def __init__(self, file: str, text: str, duties: Mapping[str, Duty]) -> None:
        self.file = file
        self.lines = text.splitlines()
        self.duties = duties
        self.ids: list[str] = []

    def error(self, mark: str, what: str, remedy: str) -> DataError:
        line = next((at for at, line in enumerate(self.lines, 1) if mark and mark in line), 1)
        return DataError(f"{self.file}, line {line}: {what}.", remedy)

    def rules(self, content: Mapping[str, Any], rules: Rules) -> None:
        """Adds what the file says."""
        topic = self.text(content, "topic", "the file")
        unknown = sorted(content.keys() - {"topic", "conflict", "need", "fence"})
        if unknown:
            remedy = "A file of rules has a topic, and [[conflict]], [[fence]] and [[need]]."
            raise self.error(unknown[0], f"there is a {unknown[0]}", remedy)
        rules.conflicts.extend(self.conflict(table, topic) for table in self.tables(content, "conflict"))
        rules.needs.extend(self.need(table, topic) for table in self.tables(content, "need"))
        rules.fences.extend(self.fence(table, topic) for table in self.tables(content, "fence"))

    def generic(self, content: Mapping[str, Any]) -> dict[str, Duty]:
        """The duties that `[duties]` says: a list of permissions of which one is enough, or a table of any and all."""
        table = content.get("duties")
        if not isinstance(table, dict):
            raise self.error("", "expected a table [duties]", 'Write "pay suppliers" = ["pay dues:/*/payments"] in it.')
        found = {}
        for name, said in table.items():
            said = {"any": said} if isinstance(said, list) else said
            if not isinstance(said, dict) or not said.keys() <= {"any", "all"}:
                remedy = 'Write "duty" = ["ACTION PATTERN"], or { any = [...], all = [...] }.'
                raise self.error(name, f"the duty {name!r} is neither a list nor any and all", remedy)
            sides = (self.permissions(said, key, name, may_be_empty=True) for key in ("any", "all"))
            found[name] = Duty(name, *sides)
        return found

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

    def of_all(self, table: Mapping[str, Any], topic: str) -> dict[str, Any]:
        """What all kinds of rule have."""
        mark = str(table["id"])
        if "/" in mark or mark != mark.strip():
            raise self.error(mark, f"the id {mark!r} holds a slash or a blank at an end", "Write it without.")
        severity = table.get("severity", "medium")
        if severity not in SEVERITIES:
            raise self.error(mark, f"{mark} has the severity {severity!r}", f"Write one of {', '.join(SEVERITIES)}.")
        texts = {key: str(table.get(key, "")).strip() for key in ("description", "remedy", "reference")}
        excepted = self.filter(table, "except", mark) if "except" in table else None
        named = {"id": mark, "title": str(table.get("title", mark)), "topic": topic, "severity": severity}
        return {**named, **texts, "excepted": excepted, "file": self.file.removeprefix("rules/")}

    def conflict(self, table: Mapping[str, Any], topic: str) -> Conflicting:
        mark, said = str(table["id"]), self.of_all(table, topic)
        duties = (
            *(self.duty(duty, mark) for duty in self.tables({"duty": table.get("duty", [])}, "duty")),
            *(self.named(name, mark) for name in self.names(table, mark)),
        )
        threshold = table.get("threshold", 2)
        if isinstance(threshold, bool) or not isinstance(threshold, int) or not 2 <= threshold <= len(duties):
            raise self.error(
                mark,
                f"{mark} has {len(duties)} duties and the threshold {threshold!r}",
                "Needs 2 or more duties, and a threshold from 2 to their number.",
            )
        within = table.get("within")
        if within is not None and not isinstance(within, str):
            raise self.error(mark, f"expected within = the name of an attribute in {mark}", "Mend it.")
        return Conflicting(**said, threshold=threshold, within=within, duties=duties)

    def duty(self, table: Mapping[str, Any], mark: str) -> Duty:
        name = self.text(table, "name", f"a duty of {mark}")
        if "all" not in table:
            return Duty(name, self.permissions(table, "any", mark))
        any_of = self.permissions(table, "any", mark) if "any" in table else ()
        return Duty(name, any_of, self.permissions(table, "all", mark))

    def names(self, table: Mapping[str, Any], mark: str) -> list[str]:
        """The generic duties that a rule names."""
        names = table.get("duties", [])
        if not isinstance(names, list) or not all(isinstance(name, str) for name in names):
            raise self.error(mark, f"expected duties = [names of duties] in {mark}", f"Name them as in {DUTIES_FILE}.")
        return names

    def named(self, name: str, mark: str) -> Duty:
        if name not in self.duties:
            what = f"{mark} names the duty {name!r}, which rules/{DUTIES_FILE} does not have"
            raise self.error(mark, what, f'Write "{name}" = [] there; its permissions can follow.')
        return self.duties[name]

    def need(self, table: Mapping[str, Any], topic: str) -> Need:
        mark = str(table["id"])
        who, must = self.filter(table, "who", mark), self.permissions(table, "must", mark)
        return Need(**self.of_all(table, topic), who=who, must=must)

    def fence(self, table: Mapping[str, Any], topic: str) -> Fence:
        mark = str(table["id"])
        who, never = self.filter(table, "who", mark), self.permissions(table, "never", mark)
        return Fence(**self.of_all(table, topic), who=who, never=never)

    def filter(self, table: Mapping[str, Any], key: str, mark: str) -> Node:
        try:
            return parse_filter(self.text(table, key, mark))
        except FilterError as error:
            raise self.error(
                mark, f"{key} of {mark} does not parse: {error}", "Write a filter over identities."
            ) from None

    def permissions(
        self, table: Mapping[str, Any], key: str, mark: str, may_be_empty: bool = False
    ) -> tuple[Permission, ...]:
        listed = table.get(key, [] if may_be_empty else None)
        is_list = isinstance(listed, list) and all(isinstance(text, str) for text in listed)
        if not is_list or not (listed or may_be_empty):
            raise self.error(
                mark, f'expected {key} = ["ACTION PATTERN", ...] in {mark}', "Add at least one permission."
            )
        return tuple(self.permission(text, mark) for text in listed or ())

    def permission(self, text: str, mark: str) -> Permission:
        action, _, pattern = text.strip().partition(" ")
        try:
            return Permission(action, parse_pattern(pattern.strip()))
        except ValueError as error:
            raise self.error(
                text, f"{text!r} in {mark} is no permission: {error}", "Write ACTION system:/path."
            ) from None
