"""Which kind of record a table holds, and which of its columns is which: by headers, content, and other tables."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime
from functools import cached_property, lru_cache

import msgspec
import numpy as np

from kathodos.columns.csr import distinct
from kathodos.columns.dictionary import DictionaryColumn
from kathodos.formats.raw import Raw
from kathodos.formats.totals import without_totals
from kathodos.ingest.proposing.vocabulary import FAMILY, GIVEN, HEADERS, LOCKED, MEANINGS, NO, ROLE, YES
from kathodos.model.kinds import (
    ACCOUNTS,
    ACTIONS,
    ACTIVITY,
    GRANTS,
    GROUPS,
    IDENTITIES,
    MEMBERS,
    RESOURCES,
    ROLE_PERMISSIONS,
    ROLES,
    Kind,
)
from kathodos.model.names import bare_text
from kathodos.model.times import normal_moment

DATE_FORMS = ("%d.%m.%Y", "%d/%m/%Y", "%m/%d/%Y", "%d-%m-%Y", "%Y/%m/%d", "%Y%m%d", "%d %b %Y", "%d.%m.%y", "%d/%m/%y")
TIME_FORMS = (
    *("%Y-%m-%d %H:%M:%S", "%Y-%m-%dT%H:%M:%S", "%Y-%m-%d %H:%M", "%d.%m.%Y %H:%M:%S", "%d.%m.%Y %H:%M"),
    *("%d/%m/%Y %H:%M:%S", "%d/%m/%Y %H:%M", "%m/%d/%Y %H:%M", "%Y%m%d%H%M%SZ"),
)
THING_TITLE = "title of a thing"
_OF_KIND: dict[Kind, tuple[str, ...]] = {
    IDENTITIES: (
        *("id", "name", GIVEN, FAMILY, "kind", "status", "email", "department", "title", "manager", "location"),
        *("employment", "starts", "ends", "previous_department", "sponsor"),
    ),
    ACCOUNTS: (
        *("login", "identity", "status", "last_login", "privileged", "email", "name", "responsible", "system"),
        *(GIVEN, FAMILY),
    ),
    GROUPS: ("group", THING_TITLE, "owner", "system"),
    MEMBERS: ("group", "member", "system"),
    ROLES: (ROLE, THING_TITLE, "owner", "system"),
    ACTIONS: ("action", "kind", THING_TITLE, "system"),
    ROLE_PERMISSIONS: (ROLE, "action", "resource", "effect", "system"),
    RESOURCES: ("resource", "type", THING_TITLE, "owner", "sensitivity", "system"),
    GRANTS: (
        *("holder", ROLE, "action", "resource", "gives", "on", "effect", "from", "until", "given_by", "given_at"),
        *("reason", "last_used", "system"),
    ),
    ACTIVITY: ("time", "holder", "action", "resource", "record", "count", "system"),
}
_ESSENTIAL: dict[Kind, tuple[tuple[str, ...], ...]] = {
    IDENTITIES: (("id",), ("name", GIVEN, "email"), ("department", "title", "manager", "starts", "name", FAMILY)),
    ACCOUNTS: (("login",), ("identity", "status", "last_login", "email", "name", FAMILY)),
    GROUPS: (("group",), (THING_TITLE, "owner")),
    MEMBERS: (("group",), ("member",)),
    ROLES: ((ROLE,), (THING_TITLE, "owner")),
    ACTIONS: (("action",), ("kind", THING_TITLE)),
    ROLE_PERMISSIONS: ((ROLE,), ("action",), ("resource",)),
    RESOURCES: (("resource",), ("type", THING_TITLE, "owner", "sensitivity")),
    GRANTS: (("holder",), (ROLE, "gives", "action")),
    ACTIVITY: (("time",), ("holder",), ("action",)),
}
_DATES = ("starts", "ends", "from", "until", "given_at", "last_login", "last_used", "time")
_PEOPLE = ("manager", "identity", "sponsor", "responsible", "owner")
_USERS = ("holder", "member", "login")
_MAY_BE_MAIL = ("email", "login", "identity", "manager", "holder", "member", "owner", "id")
_LEAST = 0.55
_MAIL = re.compile(r"[^@\s]+@[^@\s]+\.[^@\s]+")
_PATH = re.compile(r"([^:/\s]+:)?/\S*")
_SAMPLE = 3000


class KnownValues(msgspec.Struct):
    """What the tables at hand hold that others may point at."""

    ids: set[str] = msgspec.field(default_factory=set)
    mails: set[str] = msgspec.field(default_factory=set)
    names: set[str] = msgspec.field(default_factory=set)
    logins: set[str] = msgspec.field(default_factory=set)
    roles: set[str] = msgspec.field(default_factory=set)
    groups: set[str] = msgspec.field(default_factory=set)

    def of(self, target: str) -> set[str]:
        """What a column of a target points at."""
        if target in _PEOPLE:
            return self.ids
        return {
            "holder": self.logins | self.ids,
            "member": self.logins | self.ids | self.groups,
            ROLE: self.roles,
            "group": self.groups,
        }.get(target, set())


class Facts(msgspec.Struct, frozen=True, dict=True):
    """What a column holds, as shares of the cells that are filled, over its distinct values."""

    header: str
    values: Sequence[str]
    rows: int
    filled: int

    @cached_property
    def dates(self) -> float:
        return _share(self.values, lambda it: is_moment(it) or date_form(it) is not None)

    @cached_property
    def mails(self) -> float:
        return _share(self.values, lambda it: bool(_MAIL.fullmatch(it)))

    @cached_property
    def yes_no(self) -> float:
        return _share(self.values, lambda it: plain(it) in YES | NO)

    @cached_property
    def numbers(self) -> float:
        return _share(self.values, lambda it: it.isdecimal())

    @cached_property
    def paths(self) -> float:
        return _share(self.values, lambda it: bool(_PATH.fullmatch(it)))

    @property
    def is_unique(self) -> bool:
        return self.filled > 0 and len(self.values) >= 0.97 * self.filled

    def pointing(self, known: set[str]) -> float:
        """Which share of the values are among some known ones."""
        return _share(self.values, lambda it: it.casefold() in known)


class Match(msgspec.Struct, frozen=True):
    """One column: what it is, and how sure that is in per cent."""

    target: str
    sure: int


class Judgement(msgspec.Struct, frozen=True):
    """The kind of record that a table holds, what its columns are by header, and how well that fits."""

    kind: Kind
    matches: Mapping[str, Match]
    fit: float

    def header(self, *targets: str) -> str | None:
        """The header of the first of some targets that there is."""
        for target in targets:
            for header, match in self.matches.items():
                if match.target == target:
                    return header
        return None


def facts_of(raw: Raw) -> list[Facts]:
    """What each column of a table holds, lines with totals left out."""
    raw = without_totals("", raw)
    found = []
    for header, column in zip(raw.header, raw.columns, strict=True):
        used = distinct(column.codes[column.codes >= 0])[:_SAMPLE]
        values = [str(it) for it in DictionaryColumn(used.astype(np.int32), column.values).listed()]
        filled = int((column.codes >= 0).sum())
        found.append(Facts(header, values, len(raw.lines), filled))
    return found


def judged(columns: Sequence[Facts], known: KnownValues, kind: Kind | None = None, name: str = "") -> Judgement:
    """The kind that fits a table best, or how one kind fits it; `name`: of its file or sheet."""
    kinds = [kind] if kind is not None else [*_OF_KIND]
    found = [_fit(it, columns, known, name) for it in kinds]
    return max(found, key=lambda it: it.fit)


def _fit(kind: Kind, columns: Sequence[Facts], known: KnownValues, name: str) -> Judgement:
    targets = _OF_KIND.get(kind, tuple(column.name for column in kind.columns))
    scores = [
        (_score(target, facts, known), -at, -order, facts.header, target)
        for at, facts in enumerate(columns)
        for order, target in enumerate(targets)
        if facts.header.strip()
    ]
    matches: dict[str, Match] = {}
    taken: set[str] = set()
    total = 0.0
    for score, _, _, header, target in sorted(scores, reverse=True):
        if score >= _LEAST and header not in matches and target not in taken:
            matches[header] = Match(target, int(min(99, max(30, round(66 * score)))))
            taken.add(target)
            total += score
    missing = sum(not taken & set(some) for some in _ESSENTIAL.get(kind, ()))
    further = sum(bool(facts.header.strip()) for facts in columns) - len(matches)
    ordered = {facts.header: matches[facts.header] for facts in columns if facts.header in matches}
    hint = 0.6 if _is_named(kind, name) else 0.0
    return Judgement(kind, ordered, total + hint - 3 * missing - (0.1 if kind.open_ended else 0.4) * further)


_FILES: dict[Kind, str] = {
    IDENTITIES: "personal staff people employees mitarbeiter personnel empleados plantilla dipendenti personas",
    ACCOUNTS: "accounts users benutzer konten comptes utilisateurs cuentas usuarios utenti gebruikers logins",
    GROUPS: "groups gruppen groupes grupos gruppi",
    MEMBERS: "members mitglieder membres miembros membri leden",
    ROLES: "roles rollen perfiles profils ruoli profile",
    ACTIONS: "actions aktionen acciones azioni operaciones",
    ROLE_PERMISSIONS: "rolepermissions rollenrechte berechtigungen permisos permissions droits permessi rechte",
    RESOURCES: "resources objekte ressourcen recursos objets risorse ressources",
    GRANTS: "grants rights zuweisungen asignaciones attributions assegnazioni toewijzingen rechte zuordnungen",
    ACTIVITY: "activity log zugriffe accesses accesos acces registro protokoll journal",
}


def _is_named(kind: Kind, name: str) -> bool:
    """Whether a file or sheet is called after a kind."""
    return any(word in plain(name) for word in _FILES.get(kind, "").split())


def _score(target: str, facts: Facts, known: KnownValues) -> float:
    score = header_score(facts.header, target)
    if not facts.filled:
        return score
    if target in _DATES:
        score += 0.5 if facts.dates >= 0.8 else -1.2
    elif facts.dates >= 0.8:
        score -= 1.2
    if target == "email":
        score += 0.8 if facts.mails >= 0.8 else -0.8
    elif facts.mails >= 0.8 and target not in _MAY_BE_MAIL:
        score -= 0.8
    elif facts.mails >= 0.8:
        score -= 0.2
    pointed = known.of(target)
    if pointed:
        share = facts.pointing(pointed)
        score += 0.7 if share >= 0.6 else -0.7 if share < 0.2 and target != "owner" else 0.0
    if target in ("id", "login"):
        score += 0.25 if facts.is_unique and facts.filled >= 0.9 * facts.rows else -0.6
    if target in ("status", "privileged", "effect", "kind"):
        score += -0.6 if len(facts.values) > 12 else _meaning(target, facts)
    if target == "privileged" and facts.yes_no < 0.9:
        score -= 0.7
    if target in ("sensitivity", "count") and facts.numbers < 0.9:
        score -= 0.6
    if target in ("resource", "on"):
        score += 0.4 if facts.paths >= 0.5 else 0.0
    elif facts.paths >= 0.8:
        score -= 0.5
    return score


def _meaning(target: str, facts: Facts) -> float:
    """Whether the few values of a column are such as a choice has."""
    choices = {
        "status": ("active", "left", "suspended", "invited", "enabled", "disabled"),
        "effect": ("permit", "deny"),
        "kind": ("person", "service", "agent", "read", "write", "export", "approve", "administer"),
        "privileged": (),
    }[target]
    known = {word for choice in choices for word in MEANINGS[choice].split()} | YES | NO
    share = _share(facts.values, lambda it: plain(it) in known)
    return 0.4 if share >= 0.6 else -0.3 if share < 0.3 else 0.0


@lru_cache(maxsize=20_000)
def header_score(header: str, target: str) -> float:
    """How much a header is one of the words for a target: 1 where it is one, less where it holds or is like one."""
    from rapidfuzz import fuzz

    theirs = plain(header)
    words = _words(target)
    if theirs in words:
        return 1.0 - 0.001 * words.index(theirs)
    if any(len(word) >= 5 and (theirs.startswith(word) or theirs.endswith(word)) for word in words):
        return 0.7
    best = max((fuzz.ratio(theirs, word) for word in words if len(word) >= 5), default=0.0)
    return 0.6 if best >= 85 and len(theirs) >= 5 else 0.0


@lru_cache
def _words(target: str) -> list[str]:
    own = plain(target)
    return list(dict.fromkeys([own, *HEADERS.get(target, "").split()]))


def plain(text: str) -> str:
    """A header or value without case, accents, blanks and marks; a sign by itself stays."""
    bare = re.sub(r"[^a-z0-9]", "", bare_text(text))
    return bare or text.strip()


def meant(value: str, choices: Iterable[str], header: str = "") -> str:
    """The choice that a value means, empty where that is open; under a header such as `locked` yes is disabled."""
    word, choices = plain(value), tuple(choices)
    if plain(header) in LOCKED and {"enabled", "disabled"} <= {*choices} and word in YES | NO:
        return "disabled" if word in YES else "enabled"
    if plain(header) in LOCKED and {"active", "left"} <= {*choices} and word in YES | NO:
        return "left" if word in YES else "active"
    return next((it for it in choices if word == it or word in MEANINGS.get(it, "").split()), "")


def is_moment(text: str) -> bool:
    """Whether a text is a date or a time in our own form."""
    try:
        normal_moment(text)
    except ValueError:
        return False
    return True


def date_form(text: str) -> str | None:
    """The first of the known forms of dates that a text has."""
    return next((form for form in (*DATE_FORMS, *TIME_FORMS) if has_form(text, form)), None)


@lru_cache(maxsize=50_000)
def has_form(text: str, form: str) -> bool:
    """Whether a text is a date in a form."""
    try:
        datetime.strptime(text, form)
    except ValueError:
        return False
    return True


def _share(values: Sequence[str], holds: object) -> float:
    assert callable(holds)
    some = values[:400]
    return sum(bool(holds(it)) for it in some) / len(some) if some else 0.0
