"""Which record somebody means: references looked up in the columns, with the nearest names where there is none."""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence

import numpy as np

from kathodos.columns.csr import Ints, distinct
from kathodos.errors import CallError
from kathodos.model.kinds import ACCOUNTS, IDENTITIES, MERGES, ORDERS, Kind
from kathodos.model.orders import PENDING
from kathodos.model.references import PREFIXES, name_in, reference_to
from kathodos.model.referring import columns_pointing, key_named
from kathodos.model.suggestions import nearest
from kathodos.store.finding import people_called
from kathodos.store.records import Records, positions_holding

_MOST_COMPARED = 5000
_MOST_LISTED = 12  # people who may be meant
_MOST_NAMED = 3  # kinds of record, beyond which an error does not list them


def resolved(records: Records, text: str, among: Sequence[Kind]) -> str:
    """The full reference, as in `group:directory/pilots`, that a text means. Raises CallError with the nearest."""
    prefix, _, rest = text.partition(":")
    of_prefix = [kind for kind in among if PREFIXES[kind.name] == prefix and rest]
    among, shown = (of_prefix, rest) if of_prefix else (among, text)
    found: list[str] = []
    for kind in among:
        name = rest if prefix == PREFIXES[kind.name] else text
        exact = _exact(records, kind, name)
        if exact and name is rest:
            return text
        found += [f"{PREFIXES[kind.name]}:{it}" for it in ([name] if exact else _ending_in(records, kind, name))]
    if len(found) == 1:
        return found[0]
    own = _one_person(records, found)
    if own:
        return own
    if found:
        raise CallError(f"{text} may be {' or '.join(sorted(found))}.", "Write one of them in full.")
    if IDENTITIES in among and prefix == PREFIXES[IDENTITIES.name] and _merged(records, rest):
        return reference_to("identity", _merged(records, rest))
    if IDENTITIES in among and prefix not in PREFIXES.values():
        return _person(records, text, among)
    raise _unknown(records, shown, among)


def _person(records: Records, text: str, among: Sequence[Kind]) -> str:
    """The one person whom a name, a mail or a login means. Raises CallError where there is none, or are several."""
    merged = _merged(records, text)
    if merged:
        return reference_to("identity", merged)
    found = people_called(records, text)
    ids, names = (records.column(IDENTITIES, name).listed(found[:_MOST_LISTED]) for name in ("id", "name"))
    if len(found) == 1:
        return reference_to("identity", str(ids[0]))
    if len(found):
        listed = [f"{one} ({name})" if name else str(one) for one, name in zip(ids, names, strict=True)]
        more = f" and {len(found) - len(listed)} more" if len(found) > len(listed) else ""
        raise CallError(f"{text} may be {', '.join(listed)}{more}.", "Write the id of one of them.")
    if ACCOUNTS not in among:
        held = records.holding(ACCOUNTS, {"login": [text.rpartition("/")[2]]})
        systems, owners = held["system"], held["identity"]
        wanted = text.rpartition("/")[0]
        of = {str(owner) for system, owner in zip(systems, owners, strict=True) if owner and wanted in ("", system)}
        if len(of) == 1:
            return reference_to("identity", of.pop())
        if of:
            raise CallError(f"{text} is the login of {' and of '.join(sorted(of))}.", "Write the id of one of them.")
    raise _unknown(records, text, among)


def _merged(records: Records, text: str) -> str:
    """The identity that a merged one is now, by its former id or mail; empty where it is none."""
    for column in ("identity", "email"):
        for it in records.holding(MERGES, {column: [text]})["into"]:
            return str(it)
    return ""


def _unknown(records: Records, shown: str, among: Sequence[Kind]) -> CallError:
    """What is said of a name that nothing bears."""
    names = [name for kind in among for name in _some_names(records, kind)]
    what = "no " + " or ".join(PREFIXES[kind.name] for kind in among) if len(among) <= _MOST_NAMED else "nothing called"
    order = _bringing(records, shown.split(":", 1)[-1], among)
    if order:
        still = f"Order {order} is to bring it; until a gather confirms that, it is not there"
        return CallError(f"There is {what} {shown} yet.", f"{still}. Asked as if it were: --assume orders")
    remedy = f"{nearest(shown.split(':', 1)[-1], names)} Parts of names: kathodos find TEXT"
    return CallError(f"There is {what} {shown}.", remedy)


def _bringing(records: Records, name: str, among: Sequence[Kind]) -> int:
    """The number of a pending order that is to bring what bears a name; 0 where none is."""
    kinds = [kind.name for kind in among]
    orders = records.holding(ORDERS, {"state": list(map(str, PENDING)), "kind": kinds})
    for number, record, before in zip(orders["order"], orders["record"], orders["before"], strict=True):
        parts = [str(it) for it in json.loads(str(record))]
        if before is None and name in ("/".join(parts), parts[-1]):
            return int(str(number))
    return 0


def _one_person(records: Records, found: Sequence[str]) -> str:
    """The identity among some references, where all others are accounts of its own; empty where that is not so."""
    people = [it for it in found if it.startswith("identity:")]
    accounts = [it.partition(":")[2].partition("/") for it in found if it.startswith("account:")]
    if len(people) != 1 or len(people) + len(accounts) < len(found):
        return ""
    for system, _, login in accounts:
        held = records.with_key(ACCOUNTS, (system, login))
        if held is None or held["identity"] != name_in("identity", people[0]):
            return ""
    return people[0]


def _exact(records: Records, kind: Kind, name: str) -> bool:
    parts = key_named(kind, name)
    return len(parts) == len(kind.key) and records.with_key(kind, tuple(parts)) is not None


def _ending_in(records: Records, kind: Kind, name: str) -> Iterator[str]:
    """The full names of the records whose last part is the name."""
    if len(kind.key) > 1:
        yield from ("/".join(map(str, parts)) for parts in records.holding(kind, {kind.key[-1]: [name]}).record_keys())


def _some_names(records: Records, kind: Kind) -> list[str]:
    some = np.arange(min(_MOST_COMPARED, len(records.rows(kind))))
    columns = (records.column(kind, part).listed(some) for part in kind.key)
    return ["/".join(map(str, parts)) for parts in zip(*columns, strict=True)]


def pointing_at(records: Records, other: Kind, kind: Kind, reference: str) -> Ints:
    """The positions of the records of `other` that point at the record of `kind` that a full reference names."""
    if kind.name not in PREFIXES and kind.name != "resources":
        return np.zeros(0, dtype=np.int64)
    found = [positions_holding(records, other, wanted) for wanted in columns_pointing(other, kind, reference)]
    return distinct(np.concatenate(found)) if found else np.zeros(0, dtype=np.int64)
