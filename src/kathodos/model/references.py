"""References: `identity:p0412`, `group:directory/pilots`, or only `pilots` where one thing alone bears the name."""

from __future__ import annotations

import itertools
from collections.abc import Iterable

from kathodos.errors import UnfitError
from kathodos.model import kinds
from kathodos.model.kinds import KINDS, Kind
from kathodos.model.known_addresses import KnownAddresses
from kathodos.model.suggestions import nearest

Scalar = str | int | None
PREFIXES = {
    kind.name: kind.one
    for kind in (
        kinds.IDENTITIES,
        kinds.ACCOUNTS,
        kinds.GROUPS,
        kinds.ROLES,
        kinds.GRANTS,
        kinds.AREAS,
        kinds.SYSTEMS,
        kinds.ACTIONS,
        kinds.REVIEWS,
        kinds.BASELINES,
        kinds.CONTROLS,
        kinds.SETTINGS,
        kinds.CHANGES,
        kinds.ORDERS,
        kinds.KITS,
        kinds.REQUESTS,
    )
}
_MOST_COMPARED = 5000


def reference_to(one: str, *key: object) -> str:
    """The reference to a thing of a kind, as in `account:dues/mmorag`; no system's name holds a slash or a colon."""
    return f"{one}:{'/'.join(map(str, key))}"


def name_in(one: str, reference: str) -> str:
    """The name in a reference to a thing of a kind; what is none is a name already."""
    return reference.removeprefix(f"{one}:")


class Names:
    """What there is to point at: by kind the names in use, and by last part every full name that ends in it."""

    def __init__(self) -> None:
        self.of: dict[str, set[str]] = {kind.name: set() for kind in KINDS}
        self._bare: dict[str, dict[str, list[str]]] = {}
        self._aside: dict[str, dict[str, str]] = {kind.name: {} for kind in KINDS}
        self.addresses = KnownAddresses()

    def add(self, kind: Kind, keys: Iterable[tuple[Scalar, ...]]) -> None:
        """Notes records of a kind by their keys."""
        names = self.of[kind.name]
        bare = self._bare.setdefault(kind.name, {}) if kind.name in PREFIXES else None
        for key in keys:
            name = "/".join(map(str, key))
            if name not in names:
                names.add(name)
                if bare is not None and len(key) > 1:
                    bare.setdefault(str(key[-1]), []).append(name)

    def set_aside(self, kind: Kind, key: tuple[Scalar, ...], where: str) -> None:
        """Notes that a record is not there because its row was set aside."""
        name = "/".join(map(str, key))
        self.of[kind.name].discard(name)
        self._aside[kind.name][name] = where

    def resolve(self, text: str, among: Iterable[str], system: str | None = None) -> str:
        """The full reference, as in `group:directory/pilots`, that `text` means. Raises UnfitError."""
        if text == "everyone" and "everyone" in among:
            return text
        found: list[str] = []
        prefix, _, rest = text.partition(":")
        for kind in among:
            if prefix == PREFIXES.get(kind) and rest in self.of[kind]:
                return text
        named = [kind for kind in among if kind in PREFIXES]
        for kind in named:
            if system and f"{system}/{text}" in self.of[kind]:
                return f"{PREFIXES[kind]}:{system}/{text}"  # a name is what it is, also where it begins like a prefix
        for kind in named:
            name = rest if prefix == PREFIXES[kind] else text
            if system and f"{system}/{name}" in self.of[kind]:
                return f"{PREFIXES[kind]}:{system}/{name}"
            if name in self.of[kind]:
                found.append(f"{PREFIXES[kind]}:{name}")
            else:
                found += [f"{PREFIXES[kind]}:{full}" for full in self._bare.get(kind, {}).get(name, ())]
        if len(found) == 1:
            return found[0]
        if found:
            raise UnfitError(f"{text} may be {' or '.join(sorted(found))}", "Write one of them in full.")
        for kind in named:
            where = self._aside[kind].get(text.removeprefix(f"{PREFIXES[kind]}:"))
            if where:
                raise UnfitError(f"{text} is not there: its own row was set aside", f"Correct {where} first.")
        names = [name for kind in named for name in itertools.islice(self.of[kind], _MOST_COMPARED)]
        what = " or ".join(PREFIXES[kind] for kind in named)
        raise UnfitError(f"there is no {what} {text}", nearest(text.split(":", 1)[-1], names))


def key_of_membership(member: str, group: str) -> tuple[str, str, str]:
    """The key of a membership, given by the references of both."""
    system, _, name = group.partition(":")[2].partition("/")
    return system, name, member
