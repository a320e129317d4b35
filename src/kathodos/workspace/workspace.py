"""A workspace: a folder with `kathodos.toml`, the store, the signing key and the rules."""

from __future__ import annotations

import os
import re
import tomllib
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any

from kathodos.errors import CallError, DataError

if TYPE_CHECKING:
    import pandas as pd

    from kathodos.connectors.settings import Source
    from kathodos.findings.excess.batches import Thresholds
    from kathodos.findings.risk import Weights
    from kathodos.ingest.gather import Terms
    from kathodos.ingest.tying import TieRule
    from kathodos.ledger.keys import Keys
    from kathodos.store.sqlite import Store

CONFIGURATION = "kathodos.toml"
TEMPLATE = """\
# A Kathodos workspace. Paths are relative to this folder.

[store]
url = "sqlite:///catalogue.db"   # the catalogue and its ledger
wait = 10                        # seconds to wait while another command writes

# What `kathodos gather` reads: a folder of CSV tables (systems.csv, identities.csv, grants.csv ...).
[[source]]
name = "files"
kind = "tables"
path = "tables"

# Where a file has other headers, values or dates than ours, say so, one block a table:
# [source.tables.identities]
# file = "staff_export.csv"
# columns = { "Pers. No" = "id", "Full name" = "name" }
# values = { status = { "employed" = "active", "gone" = "left" } }
# dates = ["%d.%m.%Y"]
"""


@dataclass(frozen=True)
class Workspace:
    """An open workspace: what a command or a notebook works on."""

    folder: Path
    configuration: Mapping[str, Any]

    @classmethod
    def find(cls, start: Path | str | None = None) -> Workspace:
        """The workspace in a folder, else the one that `KATHODOS_WORKSPACE` names, else the nearest one upward."""
        named = start or os.environ.get("KATHODOS_WORKSPACE")
        here = Path(named) if named else Path.cwd()
        for folder in (here,) if named else (here, *here.parents):
            if (folder / CONFIGURATION).is_file():
                return cls(folder.resolve(), read_toml(folder / CONFIGURATION))
        where = f"{here} is" if named else f"Neither {here} nor a folder above it is"
        raise CallError(
            f"{where} a workspace: there is no {CONFIGURATION}." if not named else f"{where} no workspace.",
            "Make one with `kathodos init DIR`, or name one with --workspace DIR.",
        )

    @classmethod
    def create(cls, folder: Path) -> Workspace:
        """Makes a new workspace: configuration, empty store, signing key, folders for tables and rules."""
        if (folder / CONFIGURATION).exists():
            raise CallError(f"{folder} is a workspace already.", "Work in it, or name another folder.")
        made: list[Path] = []
        try:
            folder.mkdir(parents=True, exist_ok=True)
            for name in ("tables", "rules"):
                (folder / name).mkdir(exist_ok=True)
            workspace = cls(folder.resolve(), tomllib.loads(TEMPLATE))
            made = workspace._files()
            for file in made:
                if file.exists():
                    made = []
                    raise CallError(
                        f"{file} is there already, and is never written over.",
                        "Take it away if an earlier init was stopped half-way, or name another folder.",
                    )
            workspace.keys.create()
            workspace.store.create()
            (folder / CONFIGURATION).write_text(TEMPLATE, encoding="utf-8")
        except BaseException as error:
            for file in made:
                file.unlink(missing_ok=True)
            if isinstance(error, OSError):
                what = f"{folder} cannot be written: {error.strerror}."
                raise DataError(what, "Name a folder that you may write, on a disk with room.") from None
            raise
        return workspace

    def _files(self) -> list[Path]:
        """The files that `create` makes, the configuration last."""
        store = self.store.file
        beside = [store.with_name(store.name + end) for end in ("", "-wal", "-shm")]
        return [self.keys.private_file, self.keys.public_file, *beside, self.folder / CONFIGURATION]

    @cached_property
    def store(self) -> Store:
        from kathodos.store.sqlite import Store

        settings = self.section("store")
        url, wait = settings.get("url", "sqlite:///catalogue.db"), settings.get("wait", 10)
        if not isinstance(url, str) or isinstance(wait, bool) or not isinstance(wait, int | float):
            raise self.expected("[store] with url = a text and wait = a number of seconds")
        return Store(url, self.folder, float(wait))

    @cached_property
    def keys(self) -> Keys:
        from kathodos.ledger.keys import Keys

        return Keys(self.folder)

    def sources(self) -> list[Source]:
        """The configured sources, in order."""
        from kathodos.connectors.settings import Source

        listed = self.configuration.get("source", [])
        if not isinstance(listed, list) or not all(isinstance(entry, dict) for entry in listed):
            raise self.expected("[[source]] with two brackets for each source")
        for entry in listed:
            for key in ("name", "kind"):
                if not isinstance(entry.get(key), str):
                    raise self.expected(f"{key} = a text in each [[source]]")
            if ";" in entry["name"]:
                raise self.expected(f"a name without a semicolon for the source {entry['name']}")
        names = [entry["name"] for entry in listed]
        if len(set(names)) < len(names):
            raise self.expected("a name of its own for each [[source]]")
        return [
            Source(it["name"], it["kind"], self.folder, {key: it[key] for key in it if key not in ("name", "kind")})
            for it in listed
        ]

    def terms(self, source: Source, may_lose: bool = False) -> Terms:
        """On what terms the source's gathers are applied."""
        from kathodos.ingest.gather import Terms
        from kathodos.ingest.merging import Precedence

        chosen = self.section("precedence")
        for kind, columns in chosen.items():
            if not isinstance(columns, dict) or not all(isinstance(order, list) for order in columns.values()):
                raise self.expected(f'[precedence.{kind}] with attribute = ["source", "source"]')
        order = Precedence([it.name for it in self.sources()], chosen)
        guard = source.settings.number("guard", Terms(order).guard)
        return Terms(order, guard, may_lose, self.tie_rules())

    def tie_rules(self) -> list[TieRule]:
        """The rules that tie accounts to identities, in order."""
        from kathodos.ingest.tying import rules_in

        return rules_in(self.configuration.get("tie", []))

    def weights(self) -> Weights:
        """How much each part of a risk score can add, as the section [risk] says; 100 together."""
        from dataclasses import fields, replace

        from kathodos.findings.risk import Weights

        said, known = self.section("risk"), [it.name for it in fields(Weights)]
        for key, value in said.items():
            if key not in known or isinstance(value, bool) or not isinstance(value, int | float) or value < 0:
                raise self.expected(f"in [risk] weights from 0 on for {', '.join(known)}")
        weights = replace(Weights(), **said)
        if abs(weights.total() - 100) > 1e-9:
            raise self.expected(f"weights in [risk] that are 100 together; these are {weights.total():g}")
        return weights

    def thresholds(self) -> Thresholds:
        """From when on something is excess, as the section [findings] says."""
        from dataclasses import fields

        from kathodos.findings.excess.batches import Thresholds

        said, usual = self.section("findings"), Thresholds()
        known = {it.name: getattr(usual, it.name) for it in fields(Thresholds)}
        chosen: dict[str, Any] = {}
        for key, value in said.items():
            fit = tuple(value) if isinstance(value, list) else value
            if key not in known or not _is_alike(known[key], fit):
                listed = ", ".join(f"{name} = {_toml(it)}" for name, it in known.items())
                raise self.expected(f"in [findings] only such as {listed}")
            chosen[key] = fit
        return Thresholds(**chosen)

    def frame(self, kind: str, point: int | None = None) -> pd.DataFrame:
        """The records of a kind after ledger entry `point` (default: the present), one row each, as a DataFrame."""
        import pandas as pd

        from kathodos.model.kinds import BY_NAME
        from kathodos.store.sqlite import read_rows

        with self.store.connect() as connection:
            rows = read_rows(connection, BY_NAME[kind], point)
        return pd.DataFrame(rows.columns)

    def reach(self, by: str | None = None, moment: str | None = None, point: int | None = None) -> pd.DataFrame:
        """Who reaches what at a moment (default: now): a DataFrame of who, action and resource.

        `by` is a full reference such as `identity:p0412`; everyone where it is left out.
        """
        import pandas as pd

        from kathodos.engine.everyone import triples
        from kathodos.model.times import first_moment, microseconds, normal_moment, now
        from kathodos.workspace.saved_index import view_at

        with self.store.connect() as connection:
            index = view_at(self.store, connection, point).index
        when = first_moment(normal_moment(moment)) if moment else microseconds(now())
        return pd.DataFrame(triples(index, by, when), columns=["who", "action", "resource"])

    def rule_files(self) -> list[tuple[str, dict[str, Any], str]]:
        """Each file of rules: its name, what it says, its text."""
        files = sorted((self.folder / "rules").glob("*.toml"))
        return [(file.name, read_toml(file), file.read_text(encoding="utf-8")) for file in files]

    def section(self, name: str) -> Mapping[str, Any]:
        """A section of the configuration; empty where it is not there."""
        section = self.configuration.get(name, {})
        if not isinstance(section, dict):
            raise self.expected(f"a section [{name}]")
        return section

    def expected(self, what: str) -> DataError:
        """The error of a configuration that is not as expected."""
        return DataError(
            f"{self.folder / CONFIGURATION}: expected {what}.", "Mend the file; `kathodos init` shows one."
        )


def _is_alike(usual: Any, value: Any) -> bool:
    """Whether a value of the configuration is of the form of the usual one."""
    if isinstance(usual, tuple):
        same_length = len(value) == len(usual) if isinstance(usual[0], int) and isinstance(value, tuple) else True
        return isinstance(value, tuple) and bool(value) and same_length and all(_is_alike(usual[0], it) for it in value)
    if isinstance(usual, str):
        return isinstance(value, str) and bool(value)
    is_number = isinstance(value, int | float) and not isinstance(value, bool) and value >= 0
    return is_number and (isinstance(usual, float) or isinstance(value, int))


def _toml(value: Any) -> str:
    """A value as the configuration would say it."""
    if isinstance(value, tuple):
        return f"[{', '.join(map(_toml, value))}]"
    return f'"{value}"' if isinstance(value, str) else str(value)


def read_toml(file: Path) -> dict[str, Any]:
    """What a TOML file says. Raises DataError with file, line and what was expected there."""
    try:
        return tomllib.loads(file.read_text(encoding="utf-8"))
    except tomllib.TOMLDecodeError as error:
        place = re.search(r"\(at line (\d+), column (\d+)\)", str(error))
        line, column = place.groups() if place else ("the last", "1")
        what = re.sub(r" \(at .*\)$", "", str(error))
        raise DataError(
            f"{file}, line {line}, column {column}: {what}.", "Mend that line; the file is TOML 1.0."
        ) from None
    except UnicodeDecodeError as error:
        line = str(file.read_bytes()[: error.start].count(b"\n") + 1)
        raise DataError(f"{file}, line {line}: expected UTF-8 text.", "Save the file as UTF-8.") from None
    except OSError as error:
        raise DataError(f"{file} cannot be read: {error.strerror}.", "Check the file.") from None
