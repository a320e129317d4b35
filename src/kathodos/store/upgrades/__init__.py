"""The versions of the store: what its tables were in each, and what brings one version up to the next.

A change of a kind's columns, a new kind, another name: each is a new `version_N.py` here, beside the change of the
model.
"""

from __future__ import annotations

from functools import cache

from kathodos.store.upgrades import version_1, version_2, version_3
from kathodos.store.upgrades.schema import Schema, StoredTable, tables_in
from kathodos.store.upgrades.steps import Step, Upgrade

UPGRADES: tuple[Upgrade, ...] = (version_2.UPGRADE, version_3.UPGRADE)
NEWEST = UPGRADES[-1].version


@cache
def schema(version: int) -> Schema:
    """What the tables are in a version."""
    if version == 1:
        listed = (*tables_in(version_1.RECORDS, True), *tables_in(version_1.LEDGER, False))
        return Schema(1, "0.1.0", {it.name: it for it in listed})
    before, upgrade = schema(version - 1), UPGRADES[version - 2]
    tables: dict[str, StoredTable] = dict(before.tables)
    for step in upgrade.steps:
        step.applied(tables)
    return Schema(version, upgrade.program, tables)


def steps_between(before: int, after: int) -> list[Step]:
    """The steps from one version to a later one."""
    return [step for upgrade in UPGRADES[before - 1 : after - 1] for step in upgrade.steps]


@cache
def names_now(table: str) -> dict[str, str]:
    """What the columns of a table are called in the newest version, by the names under which they came."""
    return {it.known: it.name for it in schema(NEWEST).columns(table)}


@cache
def checked_columns(table: str, version: int) -> tuple[str, ...]:
    """The columns by which rows of a version are checked and signed, in order, by their names of now."""
    return tuple(names_now(table)[it.known] for it in schema(version).columns(table))


@cache
def held_before(table: str) -> dict[str, tuple[str | int, int]]:
    """What records written before a column came are read as having in it, and with which version it came."""
    found: dict[str, tuple[str | int, int]] = {}
    for version in range(2, NEWEST + 1):
        known = {it.known for it in schema(version - 1).columns(table)}
        for it in schema(version).columns(table):
            if it.known not in known and it.before is not None:
                found[names_now(table)[it.known]] = (it.before, version)
    return found


@cache
def names_then(table: str, version: int) -> dict[str, str]:
    """What the columns of a table were called in a version, by their names of now; those that were there."""
    return {names_now(table)[it.known]: it.name for it in schema(version).columns(table)}
