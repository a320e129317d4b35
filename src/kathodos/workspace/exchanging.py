"""Roles moved between installations: written to an exchange file, planned on the other side, answered, taken in."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from fnmatch import fnmatchcase
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from kathodos.analysis.role_entries import RoleKey
from kathodos.analysis.role_table import RoleTable
from kathodos.change.composition import Desk
from kathodos.columns.csr import ints
from kathodos.errors import CallError, DataError
from kathodos.model.kinds import AREAS, GRANTS, MANDATES, split_list
from kathodos.model.times import time_text
from kathodos.roles.companions import companions_of_each
from kathodos.roles.exchange import (
    AreaBlock,
    Content,
    ExchangeFile,
    Made,
    RoleBlock,
    digest_of,
    fingerprint_of,
    lines_of,
    read_exchange,
)
from kathodos.roles.planning import CHOICES, Choice, ExchangePlan, Renaming, RoleState, own_juniors, planned
from kathodos.roles.references import Reading, References
from kathodos.store.records import columns_of
from kathodos.workspace.configuration import read_toml
from kathodos.workspace.rehearsing import desk_view
from kathodos.workspace.shaping import roles_named

if TYPE_CHECKING:
    from kathodos.workspace.view import View
    from kathodos.workspace.workspace import Workspace

_LARGEST = 1 << 28  # bytes of a file


def exported(view: View, desk: Desk, names: Sequence[str], by: str, depth: int, reads: Mapping[str, str]) -> Content:
    """Chosen roles with those below them, what their writing needs to read, and the areas on which they are given."""
    view = desk_view(view, desk)
    table = RoleTable(desk.records)
    chosen = [RoleKey.of(it) for it in roles_named(desk, names)]
    below = {it for key in chosen for it in table.below(key) if table.exists(it)} - {*chosen}
    references, reading = References(view.index, view.catalogue), Reading(view.index, reads)
    held = table.given.picked(ints(table.number[key] for key in chosen))
    some = companions_of_each(view.index, references, reading, table.entries, held, held, depth)
    companions = dict(zip(chosen, some, strict=True))
    roles = []
    for key in sorted({*chosen, *below}):
        record = table.record(key)
        assert record is not None
        roles.append(
            RoleBlock(
                key.system,
                key.role,
                lines_of(table.own(key)),
                record["title"],
                bool(record["active"]),
                key in companions,
                [f"{it.system}/{it.role}" for it in own_juniors(table, key)],
                lines_of(it.entry for it in companions.get(key, ())),
            )
        )
    made = Made(time_text(desk.now), by, view.point.entry)
    return Content("kathodos-roles/1", made, roles, _areas(desk, {*chosen, *below}))


def _areas(desk: Desk, keys: set[RoleKey]) -> list[AreaBlock]:
    """The areas on which some roles are given, or may be."""
    references = {key.reference for key in keys}
    gives, scopes = desk.records.column(GRANTS, "gives"), desk.records.column(GRANTS, "on")
    at = gives.holding_any(sorted(references)).nonzero()[0]
    named = {str(it).removeprefix("area:") for it in scopes.listed(at) if str(it).startswith("area:")}
    patterns, areas = columns_of(desk.records, MANDATES, "roles", "area")
    names = [f"{key.system}/{key.role}" for key in keys]
    for some, area in zip(patterns, areas, strict=True):
        if area and any(fnmatchcase(name, it) for it in split_list(some) for name in names):
            named.add(str(area))
    return [
        AreaBlock(str(area), split_list(resources), split_list(excepted), where)
        for area, resources, excepted, where in zip(*columns_of(desk.records, AREAS, *AREAS.names), strict=True)
        if area in named
    ]


def read_file(file: Path) -> ExchangeFile:
    """The exchange file at a path. Raises DataError where it cannot be read, or is not as it was signed."""
    try:
        if file.stat().st_size > _LARGEST:
            raise DataError(f"{file} is larger than any file of roles.", "Nothing was taken. Name another file.")
        text = file.read_text(encoding="utf-8")
    except UnicodeDecodeError:
        raise DataError(f"{file} is no exchange file of roles: it is not UTF-8.", "Nothing was taken.") from None
    except OSError as error:
        raise DataError(f"{file} cannot be read: {error.strerror}.", "Name a file that `role export` wrote.") from None
    return read_exchange(file.name, text)


def is_known(workspace: Workspace, found: ExchangeFile) -> bool:
    """Whether a file was signed by this workspace itself, or by a key that the configuration lists."""
    from cryptography.hazmat.primitives.serialization import Encoding, PublicFormat

    own = workspace.keys.public().public_bytes(Encoding.Raw, PublicFormat.Raw)
    return found.fingerprint in {fingerprint_of(own), *workspace.configuration.exchange_keys}


def exchange_plan(view: View, desk: Desk, found: ExchangeFile, renames: Mapping[str, str]) -> ExchangePlan:
    """How the roles of a file stand to what is here, their systems and addresses called as they are here."""
    view = desk_view(view, desk)
    digest = digest_of([msgspec.to_builtins(found.content), sorted(renames.items())])
    return planned(desk, view.index, found.content, Renaming.of(renames), digest)


# Answers in a file


class _Answer(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    role: str
    state: str
    here: str
    choice: str = ""


class _Answers(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    file: str
    role: list[_Answer] = []


def answers_text(plan: ExchangePlan, name: str) -> str:
    """A file in which a plan is answered: for each role what may be chosen, and what is if nothing is written."""
    lines = [
        f"# What becomes of the roles of {name}. Write a choice for each role that is different.",
        f"# Then: kathodos role take {name} --answers FILE",
        f"file = {json.dumps(plan.digest)}",
    ]
    for it in plan.roles:
        usual = {RoleState.NEW: Choice.ADD, RoleState.DIFFERENT: ""}.get(it.state, Choice.LEAVE)
        lines += [
            "",
            "[[role]]",
            f"role = {json.dumps(f'{it.key.system}/{it.key.role}')}",
            f"state = {json.dumps(str(it.state))}",
            f"here = {json.dumps(it.digest)}",
            f"choice = {json.dumps(str(usual))}   # {', '.join(it.choices)}",
        ]
    return "\n".join(lines) + "\n"


def read_answers(file: Path, plan: ExchangePlan) -> dict[RoleKey, Choice]:
    """What a file answers. Raises DataError where it is of another plan, or of roles that are another now."""
    toml = read_toml(file, str(file))
    answers = toml.as_type(_Answers, "Make one anew: kathodos role plan FILE --answers NEW")
    if answers.file != plan.digest:
        what = f"{file} answers the plan of another file of roles, or one with other names."
        raise DataError(what, "Make one anew: kathodos role plan FILE --answers NEW")
    known = {f"{it.key.system}/{it.key.role}": it for it in plan.roles}
    choices: dict[RoleKey, Choice] = {}
    moved = []
    for at, answer in enumerate(answers.role):
        it = known.get(answer.role)
        if it is None:
            raise toml.error(["role", at, "role"], f"the file has no role {answer.role}", "Take the block out.")
        if answer.here != it.digest or answer.state != it.state:
            moved.append(answer.role)
        elif answer.choice:
            if answer.choice not in CHOICES[it.state]:
                what = f"{answer.role} is {it.state}, and cannot be answered with {answer.choice!r}"
                raise toml.error(["role", at, "choice"], what, f"Write {', '.join(it.choices)}.")
            choices[it.key] = Choice(answer.choice)
    if moved:
        more = f" and {len(moved) - 5} more" if len(moved) > 5 else ""
        what = f"Since the plan was answered {', '.join(moved[:5])}{more} changed here."
        raise DataError(what, "Nothing was taken. Plan again: kathodos role plan FILE --answers NEW")
    return choices


def exchange_text(workspace: Workspace, content: Content) -> str:
    """An exchange file with this content, signed with the workspace's key."""
    from kathodos.roles.exchange import written

    return written(content, workspace.keys.private())


def rename_pairs(texts: Sequence[str]) -> dict[str, str]:
    """What `OLD=NEW` says. Raises CallError where one says nothing."""
    pairs = [text.partition("=") for text in texts]
    for text, (old, _, new) in zip(texts, pairs, strict=True):
        if not old or not new:
            raise CallError(f"--rename {text} says no name.", "Write it as in --rename berths-trial=berths")
    return {old: new for old, _, new in pairs}
