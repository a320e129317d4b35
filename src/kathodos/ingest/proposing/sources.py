"""Sources proposed for some files together: a block of kathodos.toml for each, its mapping, and what stayed open."""

from __future__ import annotations

import os
import re
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any

import msgspec

from kathodos.ingest.proposing.judging import (
    DATE_FORMS,
    THING_TITLE,
    TIME_FORMS,
    Facts,
    Judgement,
    KnownValues,
    Match,
    facts_of,
    has_form,
    is_moment,
    judged,
    meant,
    plain,
)
from kathodos.ingest.proposing.looking import LDIF, LOGS, Sheet, sheets_of
from kathodos.ingest.proposing.vocabulary import FAMILY, GIVEN, HEADERS, ROLE
from kathodos.model.kinds import (
    ACCOUNTS,
    ACTIONS,
    ACTIVITY,
    GATHERED,
    GRANTS,
    GROUPS,
    IDENTITIES,
    MEMBERS,
    RESOURCES,
    ROLE_PERMISSIONS,
    ROLES,
    SYSTEMS,
    Form,
    Kind,
)
from kathodos.model.words import plural

_FROM_OTHERS = (ROLE_PERMISSIONS, GRANTS, ACTIVITY)
_TIMES = tuple(
    name for name in HEADERS if name in ("starts", "ends", "from", "until", "time", "last_login", "given_at")
)


class Block(msgspec.Struct):
    """One table of a source: its settings, and for each header what it is and how sure that is."""

    kind: Kind
    settings: dict[str, Any]
    columns: dict[str, Match] = msgspec.field(default_factory=dict)
    further: list[str] = msgspec.field(default_factory=list)
    is_derived: bool = False


class ProposedSource(msgspec.Struct):
    """One `[[source]]`: its name, kind and settings, its tables, and the questions that stayed open."""

    name: str
    kind: str
    settings: dict[str, Any]
    blocks: list[Block] = msgspec.field(default_factory=list)
    questions: list[str] = msgspec.field(default_factory=list)

    @property
    def has_people(self) -> bool:
        """Whether it brings identities."""
        return "identities" in self.settings.get("as", ()) or any(it.kind is IDENTITIES for it in self.blocks)


class Proposal(msgspec.Struct, frozen=True):
    """What is proposed for some files: sources, and rules that tie accounts."""

    sources: list[ProposedSource]
    ties: list[dict[str, Any]]

    @property
    def questions(self) -> list[str]:
        return [question for source in self.sources for question in source.questions]


class _Table(msgspec.Struct):
    """A table that is looked at: its columns, and what it was judged to hold."""

    sheet: Sheet
    facts: list[Facts]
    judgement: Judgement
    system: str

    @property
    def kind(self) -> Kind:
        return self.judgement.kind

    def of(self, *targets: str) -> str | None:
        return self.judgement.header(*targets)

    def values(self, header: str | None) -> Sequence[str]:
        return next((it.values for it in self.facts if it.header == header), ())


def proposed(paths: Sequence[Path], folder: Path, kind: Kind | None = None) -> Proposal:
    """Looks at some files together. `folder`: of the workspace; `kind`: what they hold, where that is known.

    Raises DataError where a file cannot be read, or holds nothing.
    """
    ldifs = [path for path in paths if path.suffix == LDIF]
    sheets = [sheet for path in paths if path.suffix != LDIF for sheet in sheets_of(path)]
    own = {path.parent for path in paths if path.stem in {it.name for it in GATHERED}}
    tables: list[_Table] = []
    for sheet in sheets:
        facts = facts_of(sheet.raw)
        name = f"{sheet.path.stem} {sheet.name}"
        judgement = judged(facts, KnownValues(), _kind_of(sheet.path, kind), name)
        tables.append(_Table(sheet, facts, judgement, _system_of(sheet.path, own)))
    directories = [_of_ldif(path, folder, any(it.kind is IDENTITIES for it in tables)) for path in ldifs]
    for _ in range(2):  # what points at what is seen once it is known what there is
        known = _known(tables, directories)
        for table in tables:
            name = f"{table.sheet.path.stem} {table.sheet.name}"
            table.judgement = judged(table.facts, known, _kind_of(table.sheet.path, kind), name)
    _put_together(tables)
    sources = [it.source for it in directories]
    for system in dict.fromkeys(table.system for table in tables):
        sources += _sources_of([table for table in tables if table.system == system], system, folder)
    sources.sort(key=lambda it: not it.has_people)  # before those that point at people
    return Proposal(sources, _ties(tables, directories, known))


def _system_of(path: Path, own: set[Path]) -> str:
    """The system that a file is about: the first word of its name.

    `own`: folders with files in our own format, where all files are of one source, and the folder's name is taken.
    """
    name = path.resolve().parent.name if path.parent in own else re.split(r"[_\-. ]+", path.stem.casefold())[0]
    return re.sub(r"[:/\s]", "", name) or "system"


def _kind_of(path: Path, kind: Kind | None) -> Kind | None:
    """What a file holds, where its name says it: the name of a kind, or of a log."""
    named = {it.name: it for it in GATHERED}
    return kind or (ACTIVITY if path.suffix in LOGS else named.get(path.stem))


def _put_together(tables: Sequence[_Table]) -> None:
    """Gives a table without accounts of its system the system whose logins it names."""
    logins: dict[str, set[str]] = {}
    for table in tables:
        if table.kind is ACCOUNTS:
            found = logins.setdefault(table.system, set())
            found |= {it.casefold() for it in table.values(table.of("login"))}
    for table in tables:
        used = {it.casefold() for it in table.values(table.of("holder", "member"))}
        if table.kind in (GRANTS, ACTIVITY, MEMBERS) and used and table.system not in logins:
            best = max(logins, key=lambda it: len(used & logins[it]), default="")
            if best and len(used & logins[best]) >= 0.8 * len(used):
                table.system = best


# What one table can point at in another


class _Directory(msgspec.Struct, frozen=True):
    source: ProposedSource
    logins: set[str]
    mails: set[str]


def _of_ldif(path: Path, folder: Path, has_people: bool) -> _Directory:
    """A source for a directory's export: accounts where people come from elsewhere, else people too."""
    from kathodos.connectors.ldif import read_ldif
    from kathodos.formats.raw import Problem

    problems: list[Problem] = []
    logins: set[str] = set()
    mails: set[str] = set()
    for entry in read_ldif(path, problems):
        for value, found in ((entry.first("uid"), logins), (entry.first("mail"), mails)):
            if value:
                found.add(value.casefold())
    becomes = ["accounts"] if has_people else ["identities", "accounts"]
    name = re.sub(r"[:/\s]", "", path.stem.casefold()) or "directory"
    settings = {"path": _relative(path, folder), "system": name, "as": becomes}
    questions = [f"{path.name}: {plural(len(problems), 'entry', 'entries')} cannot be read"] if problems else []
    return _Directory(ProposedSource(name, "ldif", settings, [], questions), logins, mails)


def _known(tables: Sequence[_Table], directories: Sequence[_Directory]) -> KnownValues:
    known = KnownValues()
    for directory in directories:
        known.logins |= directory.logins
    for table in tables:
        folded = {header: {it.casefold() for it in table.values(header)} for header in table.judgement.matches}
        for header, match in table.judgement.matches.items():
            if table.kind is IDENTITIES and match.target == "id":
                known.ids |= folded[header]
            elif table.kind is IDENTITIES and match.target == "email":
                known.mails |= folded[header]
            elif table.kind is ACCOUNTS and match.target == "login":
                known.logins |= folded[header]
            elif table.kind in (ROLES, ROLE_PERMISSIONS) and match.target == ROLE:
                known.roles |= folded[header]
            elif table.kind is GROUPS and match.target == "group":
                known.groups |= folded[header]
    return known


# Blocks


def _sources_of(tables: Sequence[_Table], system: str, folder: Path) -> Iterator[ProposedSource]:
    """The sources for the tables of one system, a folder each, and for its logs of text."""
    for at, place in enumerate(dict.fromkeys(table.sheet.path.parent for table in tables)):
        here = [it for it in tables if it.sheet.path.parent == place and it.sheet.path.suffix not in LOGS]
        if here:
            source = _source(here, system, _relative(place, folder))
            source.name = f"{system}-{place.name}" if at else system
            yield source
    for table in tables:
        if table.sheet.path.suffix in LOGS:
            source = ProposedSource(f"{system}-log", "activity", {"path": _relative(table.sheet.path, folder)})
            source.blocks.append(_block(table, system, source.questions))
            yield source


def _source(tables: Sequence[_Table], system: str, path: str) -> ProposedSource:
    source = ProposedSource(system, "tables", {"path": path})
    first: dict[Kind, _Table] = {}
    for table in sorted(tables, key=lambda it: -it.judgement.fit):
        if table.kind in first:
            where = _where(table)
            other = _where(first[table.kind])
            source.questions.append(
                f"{where} looks like {table.kind.name} as well as {other}: give it a source of its own"
            )
            continue
        first[table.kind] = table
        if not _is_ours(table):
            source.blocks.append(_block(table, system, source.questions))
    order = (ROLE_PERMISSIONS, GRANTS, ACCOUNTS, MEMBERS)  # in which tables are asked for what none lists by itself
    about = [table for table in first.values() if table.kind is not IDENTITIES and not _is_ours(table)]
    about.sort(key=lambda it: order.index(it.kind) if it.kind in order else len(order))
    if about:
        source.blocks += _derived(first, about, system)
    return source


def _is_ours(table: _Table) -> bool:
    """Whether a table is in our own format, so that nothing has to be said about it."""
    names = {facts.header for facts in table.facts}
    required = {column.name for column in table.kind.columns if column.required}
    return (
        table.sheet.path.stem == table.kind.name
        and not table.sheet.settings
        and required <= names
        and (table.kind.open_ended or names <= {*table.kind.names})
    )


def _where(table: _Table) -> str:
    sheet = f", sheet {table.sheet.name}" if table.sheet.name else ""
    return f"{table.sheet.path.name}{sheet}"


def _derived(first: Mapping[Kind, _Table], about: Sequence[_Table], system: str) -> Iterator[Block]:
    """What no table lists by itself: the system, and roles, groups, actions and resources that others name."""
    if not any(table.of("system") for table in about):
        yield Block(
            SYSTEMS, {**_file(about[0]), "once": True, "only": True, "constants": {"system": system}}, is_derived=True
        )
    for kind, target in ((ROLES, ROLE), (GROUPS, "group"), (ACTIONS, "action")):
        named = [it for it in about if it.kind in (*_FROM_OTHERS, MEMBERS) and it.of(target)]
        if kind not in first and named:
            header = str(named[0].of(target))
            settings: dict[str, Any] = {**_file(named[0]), "once": True, "only": True, "constants": {"system": system}}
            if kind is ACTIONS:
                settings |= _of_actions(header, named[0].values(header))
            yield Block(
                kind, settings, {header: Match({ROLES: "role", GROUPS: "group"}.get(kind, "action"), 90)}, [], True
            )
    if RESOURCES not in first:
        named = [it for it in about if it.kind in _FROM_OTHERS and it.of("resource")]
        plainly = [it for it in named if not any("*" in value for value in it.values(it.of("resource")))]
        if plainly or named:
            table = (plainly or named)[0]
            header = str(table.of("resource"))
            settings = {**_file(table), "once": True, "only": True}
            if not plainly:
                name = re.sub(r"\W+", "_", header.strip())
                settings["where"] = f'not ({name} co "*")'
            settings["build"] = {"resource": _address(system, header, table.values(header), "path")}
            yield Block(RESOURCES, settings, {}, [], True)


def _of_actions(header: str, values: Sequence[str]) -> dict[str, Any]:
    """The kinds of some actions, by their names, as far as these are known words; names without blanks."""
    kinds = {}
    for value in values:
        first = re.split(r"[\s_\-]+", value.strip())
        found = next((it for it in (meant(word, _ACTION_KINDS) for word in (value, *reversed(first))) if it), "")
        kinds[_hyphened(value)] = found
    blanks = {value: _hyphened(value) for value in values if _hyphened(value) != value}
    chosen: dict[str, Any] = {"build": {"kind": f"{{{header}}}"}, "values": {"kind": kinds}}
    if blanks:
        chosen["values"]["action"] = blanks
    return chosen


_ACTION_KINDS = ("read", "write", "export", "approve", "administer")


def _hyphened(text: str) -> str:
    return re.sub(r"\s+", "-", text.strip())


def _file(table: _Table) -> dict[str, Any]:
    return {"file": table.sheet.path.name, **table.sheet.settings}


def _block(table: _Table, system: str, questions: list[str]) -> Block:
    """How one table is mapped."""
    kind, settings = table.kind, (_file(table) if table.sheet.path.suffix not in LOGS else {})
    columns: dict[str, Match] = {}
    values: dict[str, dict[str, str]] = {}
    build: dict[str, str] = {}
    dates: dict[str, None] = {}
    for header, match in table.judgement.matches.items():
        target = {THING_TITLE: "title", ROLE: "role"}.get(match.target, match.target)
        facts = next(it for it in table.facts if it.header == header)
        if target in _DATE_TARGETS:
            forms, doubts = _forms(facts)
            dates |= dict.fromkeys(forms)
            questions += [f"{_where(table)}: {it}" for it in doubts]
        if target == "action":
            blanks = {value: _hyphened(value) for value in facts.values if _hyphened(value) != value}
            values |= {header if _is_built(kind, target) else target: blanks} if blanks else {}
        if _is_built(kind, target):
            continue
        columns[header] = Match(target, match.sure)
        if target in kind.names and target != "attributes" and kind.column(target).form is Form.CHOICE:
            known, doubts = _values(facts, kind.column(target).choices)
            values |= {target: known} if known else {}
            questions += [f"{_where(table)}: {it}" for it in doubts]
        if target == "privileged":
            known, _ = _values(facts, ("true", "false"))
            values |= {target: known} if known else {}
    build |= _built(table, system)
    for header in [it for it in columns if columns[it].target == "resource"]:
        if kind is ROLE_PERMISSIONS and not all(":/" in it or it.startswith("/") for it in table.values(header)):
            build["resource"] = _address(system, header, table.values(header), "pattern")
            del columns[header]
    given, family = table.of(GIVEN), table.of(FAMILY)
    if kind in (IDENTITIES, ACCOUNTS) and table.of("name") is None and (given or family):
        build["name"] = " ".join(f"{{{it}}}" for it in (given, family) if it)
    needs_system = kind in (ACCOUNTS, GROUPS, MEMBERS, ROLES, ACTIONS, ROLE_PERMISSIONS) and table.of("system") is None
    settings |= {"dates": [*dates]} if dates else {}
    settings |= {"constants": {"system": system}} if needs_system else {}
    settings |= {"build": build} if build else {}
    settings |= {"values": values} if values else {}
    for essential in _REQUIRED.get(kind, ()):
        if not any(it.target == essential for it in columns.values()) and essential not in build:
            questions.append(
                f"{_where(table)}: no column looks like {essential}; name it in columns, build or constants"
            )
    used = {*table.judgement.matches}
    further = [it.header for it in table.facts if it.header.strip() and it.header not in used]
    return Block(kind, settings, columns, further)


_DATE_TARGETS = (*_TIMES, "last_used")
_REQUIRED: dict[Kind, tuple[str, ...]] = {
    IDENTITIES: ("id",),
    ACCOUNTS: ("login",),
    GROUPS: ("group",),
    MEMBERS: ("group", "member"),
    ROLES: ("role",),
    ROLE_PERMISSIONS: ("role", "action", "resource"),
    RESOURCES: ("resource",),
    ACTIONS: ("action",),
    GRANTS: ("holder", "gives"),
    ACTIVITY: ("time", "action", "resource"),
}


def _is_built(kind: Kind, target: str) -> bool:
    """Whether a target is no column of ours as it stands, but goes into one."""
    if target in (GIVEN, FAMILY):
        return True
    if kind is GRANTS:
        return target in ("holder", "role", "action", "resource", "on", "gives")
    if kind is ACTIVITY:
        return target in ("holder", "resource")
    if kind is RESOURCES:
        return target == "resource"
    return kind is MEMBERS and target == "member"


def _built(table: _Table, system: str) -> dict[str, str]:
    """The columns that are put together from theirs."""
    kind, build = table.kind, {}
    user = table.of("holder", "member")
    if user and kind in (GRANTS, MEMBERS):
        name = "holder" if kind is GRANTS else "member"
        build[name] = f"{{{user}}}" if _are_references(table.values(user)) else f"account:{system}/{{{user}}}"
    if user and kind is ACTIVITY:
        build["account"] = f"{system}/{{{user}}}"
    resource, action = table.of("resource"), table.of("action")
    if kind is GRANTS:
        if role := table.of(ROLE):
            build["gives"] = f"role:{system}/{{{role}}}"
        elif (gives := table.of("gives")) is not None:
            build["gives"] = f"{{{gives}}}"
        elif action and resource:
            build["gives"] = f"{{{action}}} {_address(system, resource, table.values(resource), 'pattern')}"
        scope = table.of("on") or (resource if table.of(ROLE) else None)
        if scope:
            build["on"] = _address(system, scope, table.values(scope), "pattern")
    elif kind in (ACTIVITY, RESOURCES) and resource:
        build["resource"] = _address(system, resource, table.values(resource), "path")
    return build


def _are_references(values: Sequence[str]) -> bool:
    return bool(values) and all(re.match(r"(identity|account|group):", it) or it == "everyone" for it in values)


def _address(system: str, header: str, values: Sequence[str], form: str) -> str:
    """A template for an address or pattern: cells may name the system, and may begin with a slash."""
    if values and all(":/" in value for value in values):
        return f"{{{header}:pattern}}"
    slash = "" if values and all(value.startswith("/") for value in values) else "/"
    return f"{system}:{slash}{{{header}:{form}}}"


def _forms(facts: Facts) -> tuple[list[str], list[str]]:
    """The forms of dates that a column's values have beside ours, and what remains open."""
    rest = [value for value in facts.values if not is_moment(value)]
    chosen: list[str] = []
    while rest:
        counts = {form: sum(has_form(value, form) for value in rest) for form in (*DATE_FORMS, *TIME_FORMS)}
        best = max(counts, key=lambda form: counts[form])
        if not counts[best]:
            doubt = (
                f"{facts.header}: {rest[0]!r} is no date that was recognised; if it is one, its form goes into dates"
            )
            return chosen, [doubt]
        chosen.append(best)
        rest = [value for value in rest if not has_form(value, best)]
    both = {"%d/%m/%Y", "%m/%d/%Y"}
    if any(form in both for form in chosen):
        fit = [form for form in both if all(has_form(value, form) for value in facts.values)]
        if len(fit) == 2:
            return chosen, [f"{facts.header}: day and month cannot be told apart; check the form in dates"]
    return chosen, []


def _values(facts: Facts, choices: Sequence[str]) -> tuple[dict[str, str], list[str]]:
    """Their values onto our choices, and those whose meaning is open."""
    pairs, open_ones = {}, []
    for value in facts.values[:50]:
        if value.lower() in choices:
            continue
        found = meant(value, choices, facts.header)
        if choices == ("true", "false"):
            found = "true" if plain(value) in _TRUE else "false"
        pairs[value] = found or "?"
        open_ones += [] if found else [value]
    doubt = f"{facts.header}: what do {', '.join(map(repr, open_ones[:8]))} mean? One of {', '.join(choices)}"
    return pairs, [doubt] if open_ones else []


_TRUE = frozenset(
    ["yes", "y", "1", "true", "ja", "j", "oui", "o", "si", "s", "sim", "x", "wahr", "vrai", "verdadero", "vero", "tak"]
)


# Whose accounts they are


def _ties(tables: Sequence[_Table], directories: Sequence[_Directory], known: KnownValues) -> list[dict[str, Any]]:
    """Rules for the accounts of which no table says whose they are: by mail, by id, by a login elsewhere, by name."""
    tied = {it.system: it for it in tables if it.kind is ACCOUNTS and it.of("identity")}
    rules: list[dict[str, Any]] = []
    for system, logins, mails, named in _untied(tables, directories):
        if mails & known.mails:
            rules.append({"by": "mail", "systems": [system]})
        if logins & known.ids:
            rules.append({"by": "id", "systems": [system]})
        for other, table in tied.items():
            theirs = {it.casefold() for it in table.values(table.of("login"))}
            if len(logins & theirs) >= max(1, len(logins) // 4):
                rules.append({"by": "login", "systems": [system], "of": other})
                break
        if named:
            rules.append({"by": "name", "systems": [system]})
    return rules


def _untied(
    tables: Sequence[_Table], directories: Sequence[_Directory]
) -> Iterator[tuple[str, set[str], set[str], bool]]:
    """Each system whose accounts name no owner: its logins, the mails of its accounts, whether they have names."""
    for directory in directories:
        if directory.source.settings["as"] == ["accounts"]:
            yield directory.source.name, directory.logins, directory.mails, True
    for table in tables:
        if table.kind is ACCOUNTS and not table.of("identity"):
            logins, mails = ({it.casefold() for it in table.values(table.of(target))} for target in ("login", "email"))
            yield table.system, logins, mails, table.of("name", GIVEN, FAMILY) is not None


def _relative(path: Path, folder: Path) -> str:
    """A path as the configuration has it: relative to the workspace where it lies in or beside it."""
    found = os.path.relpath(path.resolve(), folder.resolve())
    return str(path.resolve()) if found.startswith("../../..") else found
