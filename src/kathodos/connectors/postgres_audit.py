"""A database's audit lines per relation as uses, mapped onto the database as it was gathered.

Each statement leaves a line for every relation that it reads or writes, those that a view reads for it included. How
often a view's rule names a relation is known from the catalogs; only what a statement names beyond that it reads
directly. What runs within a function that runs with its owner's rights is done with these, and no use of one's own.
"""

from __future__ import annotations

import csv
import io
import json
import re
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from pathlib import Path

import msgspec

from kathodos.connectors.mapping import Table
from kathodos.connectors.postgres_catalogs import DRAWS_ON, FIRES, OWNER, READS, RUNS_AS, address_in_database
from kathodos.connectors.postgres_needs import Needs, statement_of
from kathodos.connectors.recordings import Recording, Through
from kathodos.errors import DataError
from kathodos.formats.postgres_log import LogLine, read_log
from kathodos.formats.raw import Problem, shown
from kathodos.model.kinds import ACTIVITY
from kathodos.model.references import reference_to

_MARK = "AUDIT: "
_ACTIONS = {"SELECT": "select", "INSERT": "insert", "UPDATE": "update", "DELETE": "delete"}
_TRUNCATE, _EXECUTE = "TRUNCATE TABLE", "EXECUTE"
_ONCE = "<previously logged>"
_NONE = ("<not logged>", "<none>", "")
_OWN = ("pg_catalog", "information_schema", "pg_toast")
_TEMPORARY = re.compile(r"pg_(toast_)?temp_\d+")


class Relation(msgspec.Struct, frozen=True):
    """What is known of a table, view or sequence. `reads`: how often a view names which relation."""

    kind: str = ""
    runs_as: str = ""
    reads: Mapping[str, int] = msgspec.field(default_factory=dict)
    draws_on: Sequence[tuple[int, str, str]] = ()
    fires: Sequence[str] = ()


class Gathered(msgspec.Struct, frozen=True):
    """A database as it was gathered: relations by address; functions by the address without arguments.

    `of_owners`: the functions that run with their owner's rights; `reaches`: whether a login reaches something itself.
    """

    system: str
    database: str
    relations: Mapping[str, Relation]
    functions: Mapping[str, Sequence[str]]
    of_owners: frozenset[str]
    reaches: Callable[[str, str, str], bool]

    def address(self, schema: str, name: str) -> str:
        """The address of a relation."""
        return address_in_database(self.system, self.database, schema, name)


class _Audited(msgspec.Struct, frozen=True):
    """One audit line."""

    log: LogLine
    statement: str
    part: int
    command: str
    kind: str
    named: tuple[str, str]
    text: str


def relation_of(kind: str, attributes: Mapping[str, str]) -> Relation:
    """What the gathered attributes of a table, view or sequence say."""
    reads, draws_on, fires = (json.loads(attributes.get(name, "[]")) for name in (READS, DRAWS_ON, FIRES))
    draws = [(int(number), str(column), str(address)) for number, column, address in draws_on]
    return Relation(kind, attributes.get(RUNS_AS, ""), Counter(reads), draws, fires)


def read_recording(path: Path, known: Gathered) -> Recording:
    """The uses that the audit lines of a log show. Raises DataError where it holds none of the gathered database."""
    problems: list[Problem] = []
    reader = _Reader(known)
    lines = list(_audited(path, problems, reader.passed))
    by_statement: dict[tuple[str, str], list[_Audited]] = {}
    for line in lines:
        by_statement.setdefault((line.log.session, line.statement), []).append(line)
    for some in by_statement.values():
        if some[0].log.database == known.database:
            reader.take(some)
        else:
            reader.passed[f"audit lines of the database {some[0].log.database}"] += len(some)
    if not reader.uses:
        what = f"{path.name} has {len(lines):,} audit lines, none that shows a use of the database {known.database}."
        remedy = "On the server: pgaudit.log = 'read, write, function' and pgaudit.log_relation = on."
        raise DataError(what, remedy)
    reader.sign_in()
    columns = zip(*reader.uses, strict=True)
    names = ("time", "account", "action", "resource")
    table = Table.of_cells(ACTIVITY, path.name, dict(zip(names, columns, strict=True)))
    through, doubtful = (
        [Through(action, resource, via, count) for (action, resource, via), count in some.items()]
        for some in (reader.through, reader.doubtful)
    )
    return Recording(table, problems, None, through, doubtful, list(reader.passed.items()))


def _audited(path: Path, problems: list[Problem], passed: Counter[str]) -> Iterator[_Audited]:
    """The audit lines of a log, each with the text of its statement."""
    texts: dict[tuple[str, str, str], str] = {}
    for line in read_log(path, problems):
        if not line.message.startswith(_MARK):
            if line.level == "ERROR" and "permission denied" in line.message:
                passed[f"statements that the server refused ({line.message.splitlines()[0]})"] += 1
            continue
        fields = next(csv.reader(io.StringIO(line.message.removeprefix(_MARK), newline="")), [])
        if len(fields) < 8 or not fields[2].isdecimal():  # as the extension writes it
            reason, remedy = "is no whole audit line", "Let the server log whole messages."
            problems.append(Problem(path.name, line.line, "", shown(line.message), reason, remedy))
            continue
        sort, statement, part, _, command, kind, name, text = fields[:8]
        if sort != "SESSION":
            passed["lines of object auditing, which do not tell how a table was reached"] += 1
            continue
        key = (line.session, statement, part)
        text = texts.get(key, "") if text == _ONCE else "" if text in _NONE else text
        texts[key] = text
        named = _names_in(name)
        if named is None:
            problems.append(Problem(path.name, line.line, "", shown(name), "is no name of a relation", "Look at it."))
            continue
        yield _Audited(line, statement, int(part), command, kind, named, text)


def _names_in(text: str) -> tuple[str, str] | None:
    """Schema and name of an object as the server quotes them; both empty where there is none."""
    if not text:
        return "", ""
    found = re.fullmatch(r'(?P<schema>"(?:[^"]|"")+"|[^".]+)\.(?P<name>"(?:[^"]|"")+"|[^".]+)', text)
    if not found:
        return None
    return _plain(found["schema"]), _plain(found["name"])


def _plain(name: str) -> str:
    return name[1:-1].replace('""', '"') if name.startswith('"') else name


class _Reader:
    """Takes statements one after the other, and notes what whoever made them used."""

    def __init__(self, known: Gathered) -> None:
        self.known = known
        self.uses: list[tuple[str, str, str, str]] = []
        self.through: Counter[tuple[str, str, str]] = Counter()
        self.doubtful: Counter[tuple[str, str, str]] = Counter()
        self.passed: Counter[str] = Counter()
        self._sessions: dict[str, LogLine] = {}

    def take(self, lines: Sequence[_Audited]) -> None:
        """Notes what one statement used: first itself, then what runs within the functions that it calls."""
        self._sessions.setdefault(lines[0].log.session, lines[0].log)
        top = lines[0].text
        parts: dict[int, list[_Audited]] = {}
        for line in lines:
            parts.setdefault(line.part, []).append(line)
        called: list[str] = []  # functions that were called so far, and the triggers' functions of what was written
        for some in parts.values():
            within = called if some[0].text != top else []
            self._part(some, within)
            called += [it for line in some for it in self._calls(line)]

    def sign_in(self) -> None:
        """Each session has connected to the database."""
        database = address_in_database(self.known.system, self.known.database)
        for line in self._sessions.values():
            self.uses.insert(0, (line.time, self._account(line), "connect", database))

    def _account(self, line: LogLine) -> str:
        return reference_to("account", self.known.system, line.user)

    def _calls(self, line: _Audited) -> Iterator[str]:
        """The functions that a line calls, or that may be called by what it writes."""
        if line.command == _EXECUTE:
            yield from self._functions(line)
        elif line.command == "DO":
            yield "a block"
        elif line.command in ("INSERT", "UPDATE", "DELETE") and line.named[1]:
            yield from self.known.relations.get(self.known.address(*line.named), Relation()).fires

    def _functions(self, line: _Audited) -> Sequence[str]:
        """The functions of a name; several where arguments tell them apart, which the log does not say."""
        bare = self.known.address(*line.named)
        return self.known.functions.get(bare, ())

    def _part(self, lines: Sequence[_Audited], within: Sequence[str]) -> None:
        """One query of a statement. `within`: the functions among which is the one that it runs in."""
        found: list[tuple[str, str]] = []
        relations = [line for line in lines if line.command in _ACTIONS and line.named[1]]
        found += self._relations(relations)
        for line in lines:
            if line.command == _EXECUTE and line.named[0] not in _OWN:
                functions = self._functions(line)
                if not functions:
                    self.passed[f"calls of {'.'.join(line.named)}, which is not gathered"] += 1
                found += [(it, "execute") for it in functions]
            elif line.command == _TRUNCATE:
                found += [(it, "truncate") for need in statement_of(line.text).truncates for it in self._named(need)]
            elif not line.named[1]:
                needs = (it for it in statement_of(line.text).needs if it.action in ("usage", "update"))
                found += [(it, need.action) for need in needs for it in self._named(need) if self._is_sequence(it)]
        for address, action in dict.fromkeys(found):
            self._note(lines[0].log, action, address, within)

    def _relations(self, lines: Sequence[_Audited]) -> list[tuple[str, str]]:
        """What a query uses of its relations itself, and not by way of a view; and what it needs there besides."""
        counted: dict[str, list[str]] = {}
        for line in lines:
            if line.named[0] in _OWN:
                self.passed["reads of the server's own catalogs, which everybody may read"] += 1
            elif _TEMPORARY.fullmatch(line.named[0]):
                self.passed["uses of temporary tables"] += 1
            else:
                counted.setdefault(self.known.address(*line.named), []).append(line.command)
        by_way = self._by_way_of_views({address: len(some) for address, some in counted.items()})
        direct: dict[str, list[str]] = {}
        for address, commands in counted.items():
            indirect, via = by_way.get(address, (0, ""))
            ordered = sorted(commands, key=lambda it: it != "SELECT")  # of several, those that read are the views'
            for command in ordered[:indirect]:
                self.through[_ACTIONS[command], address, via] += 1
            direct[address] = ordered[indirect:]
        found = [(address, _ACTIONS[command]) for address, some in direct.items() for command in some]
        return [*found, *self._besides(lines, {address for address, some in direct.items() if some})]

    def _by_way_of_views(self, counts: Mapping[str, int]) -> dict[str, tuple[int, str]]:
        """How many lines of each relation are there because a view reads it with its owner's rights, and which view."""
        found: dict[str, tuple[int, str]] = {}
        for _ in range(len(counts)):  # a view in a view is itself read by way of the outer one
            now: dict[str, tuple[int, str]] = {}
            for view, count in counts.items():
                known = self.known.relations.get(view, Relation())
                times = count if known.runs_as == OWNER else found.get(view, (0, ""))[0]
                for address, each in known.reads.items():
                    if address in counts and times:
                        before = now.get(address, (0, ""))[0]
                        now[address] = (min(before + times * each, counts[address]), view)
            if now == found:
                break
            found = now
        return found

    def _besides(self, lines: Sequence[_Audited], direct: set[str]) -> Iterator[tuple[str, str]]:
        """What a query needs on the relations that it uses itself beside what is logged of them."""
        for text in dict.fromkeys(line.text for line in lines):
            if not text:
                self.passed["statements without their text, of which only what is logged is known"] += 1
                continue
            statement = statement_of(text)
            if not statement.is_understood:
                self.passed["statements that could not be taken apart, of which only what is logged is known"] += 1
            for need in statement.needs:
                for address in self._named(need):
                    if address in direct or self._is_sequence(address):
                        yield address, need.action
            for made in statement.inserts:
                for address in self._named(Needs("", made.schema, made.name)):
                    if address in direct:
                        for number, column, sequence in self.known.relations[address].draws_on:
                            is_given = column in made.columns if made.columns is not None else number <= made.width
                            if not is_given:
                                yield sequence, "usage"

    def _named(self, need: Needs) -> list[str]:
        """The gathered relations that a name in a statement may mean."""
        if need.schema:
            address = self.known.address(need.schema, need.name)
            return [address] if address in self.known.relations else []
        ending = self.known.address("", need.name).rpartition("/")[2]
        return [it for it in self.known.relations if it.rpartition("/")[2] == ending]

    def _is_sequence(self, address: str) -> bool:
        return self.known.relations.get(address, Relation()).kind == "sequence"

    def _note(self, log: LogLine, action: str, address: str, within: Iterable[str]) -> None:
        """Notes a use, unless it was done with the rights of a function's owner, or may have been."""
        functions = list(within)
        owners = [it for it in functions if it in self.known.of_owners]
        if owners:
            if len(owners) == len(functions) or not self.known.reaches(log.user, action, address):
                self.through[action, address, owners[-1]] += 1
            else:
                self.doubtful[action, address, owners[-1]] += 1
            return
        self.uses.append((log.time, self._account(log), action, address))


def function_without_arguments(address: str) -> str:
    """The address of a function up to its bracket, by which the log names it."""
    return address.partition("(")[0]
