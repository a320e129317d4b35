"""A workspace: a folder with `kathodos.toml`, the store, the signing key and the rules."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar

import msgspec
from msgspec.structs import replace

from kathodos import thresholds
from kathodos.errors import CallError, DataError, NotAllowedError

if TYPE_CHECKING:
    import pandas as pd

    from kathodos.connectors.settings import Source
    from kathodos.findings.conflicts.covers import Control
    from kathodos.ingest.gather import Terms
    from kathodos.ledger.actors import Acting
    from kathodos.ledger.anchors import Anchor
    from kathodos.ledger.hand import Proof
    from kathodos.ledger.keys import Head, Keys
    from kathodos.ledger.operations import Done, Operation
    from kathodos.ledger.verify import Verification
    from kathodos.model.toml import TomlText
    from kathodos.rules.reading import Rules
    from kathodos.store.base import Store
    from kathodos.workspace.configuration import Configuration
    from kathodos.workspace.view import View

R = TypeVar("R")
CONFIGURATION = "kathodos.toml"


class Workspace(msgspec.Struct, frozen=True, dict=True):
    """An open workspace: what a command or a notebook works on."""

    folder: Path

    @classmethod
    def find(cls, start: Path | str | None = None) -> Workspace:
        """The workspace in a folder, else the one that `KATHODOS_WORKSPACE` names, else the nearest one upward."""
        named = start or os.environ.get("KATHODOS_WORKSPACE")
        here = Path(named) if named else Path.cwd()
        for folder in (here,) if named else (here, *here.parents):
            if (folder / CONFIGURATION).is_file():
                return cls(folder.resolve())
        where = f"{here} is" if named else f"Neither {here} nor a folder above it is"
        raise CallError(
            f"{where} a workspace: there is no {CONFIGURATION}." if not named else f"{where} no workspace.",
            "Make one with `kathodos init DIR`, or name one with --workspace DIR.",
        )

    @classmethod
    def create(
        cls, folder: Path, url: str | None = None, keys_from: Path | None = None, has_files: bool = False
    ) -> Workspace:
        """Makes a new workspace: configuration, empty store, signing key, folders for tables and rules.

        `url`: where its store is (default: a file in the folder). Where that holds a workspace already, the folder
        joins it with the keys that are in the folder `keys_from`. `has_files`: its sources are still to be proposed.
        Raises CallError and DataError.
        """
        from kathodos.ledger.origin import system_user
        from kathodos.store.modes import OWNER
        from kathodos.store.modes import made as make_file
        from kathodos.store.opening import named_store
        from kathodos.workspace.configuration import FILE_STORE, new_configuration

        if (folder / CONFIGURATION).exists():
            raise CallError(f"{folder} is a workspace already.", "Work in it, or name another folder.")
        named_store(url or FILE_STORE, folder)
        made: list[Path] = []
        text = new_configuration(url or FILE_STORE, system_user(), has_files)
        try:
            folder.mkdir(mode=0o700, parents=True, exist_ok=True)
            for name in ("tables", "rules"):
                (folder / name).mkdir(mode=0o700, exist_ok=True)
            workspace = cls(folder.resolve())
            workspace.__dict__["configuration"] = _configuration(text, workspace.folder)
            made = workspace._files_to_be_made()
            if keys_from is None:
                workspace.keys.create()
            else:
                workspace.keys.take(keys_from)
            workspace.store.create()
            if workspace._join(is_with_keys=keys_from is not None):
                text = workspace._taken_over(text, url or FILE_STORE)
            make_file(folder / CONFIGURATION, OWNER)
            (folder / CONFIGURATION).write_text(text, encoding="utf-8")
        except BaseException as error:
            for file in made:
                file.unlink(missing_ok=True)
            if isinstance(error, OSError):
                what = f"{folder} cannot be written: {error.strerror}."
                raise DataError(what, "Name a folder that you may write, on a disk with room.") from None
            raise
        return workspace

    def _files_to_be_made(self) -> list[Path]:
        """The files that a new workspace consists of. Raises CallError where one is there already."""
        files = self._files()
        for file in files:
            if file.exists():
                what = f"{file} is there already, and is never written over."
                raise CallError(what, "Take it away if an earlier init was stopped half-way, or name another folder.")
        return files

    def _taken_over(self, text: str, url: str) -> str:
        """Writes the rules, controls and the like as the store's others last had them; what the configuration says."""
        from kathodos.ledger.settings import files_recorded
        from kathodos.store.history import Histories
        from kathodos.store.records import Stored
        from kathodos.workspace.configuration import with_store

        with self.store.reading() as reader:
            files = files_recorded(Stored(Histories(reader, self.store.computed)))
        theirs = files.pop(CONFIGURATION, None)
        for name, content in files.items():
            file = self.folder / name
            if file.parent.is_dir() and not file.exists():
                file.write_text(content, encoding="utf-8")
        return with_store(theirs, url) if theirs is not None else text

    def _join(self, is_with_keys: bool) -> bool:
        """Where the store holds a workspace already: sees that the keys are its own, and notes how long its ledger is.

        Gives whether there was one. Raises CallError where the keys are not its own.
        """
        from kathodos.ledger.entries import read_heads
        from kathodos.ledger.keys import is_signed
        from kathodos.model.words import plural

        with self.store.reading() as reader:
            heads = read_heads(reader)
        if not heads:
            if is_with_keys:
                what = f"The store {self.store.place} holds no workspace that could be joined."
                raise CallError(what, "Name the store that does with --store URL, or begin a workspace without --keys.")
            return False
        what = f"The store {self.store.place} holds a workspace already"
        if not is_with_keys:
            remedy = "To join it, name a folder with its ledger.pub, and ledger.key for who makes changes: --keys DIR"
            raise CallError(f"{what}, with {plural(heads[-1].size, 'entry', 'entries')}.", remedy)
        if not is_signed(heads[-1], self.keys.public()):
            raise CallError(f"{what}, which other keys than these have signed.", "Name a folder with its own keys.")
        self.keys.witness(heads[-1])
        return True

    def _files(self) -> list[Path]:
        """The files that `create` makes, the configuration last."""
        own = [self.keys.private_file, self.keys.public_file, self.keys.witness_file]
        return [*own, *self.store.files, self.folder / CONFIGURATION]

    @cached_property
    def configuration(self) -> Configuration:
        """What `kathodos.toml` says."""
        from kathodos.workspace.configuration import read_configuration

        return read_configuration(self.folder)

    @cached_property
    def store(self) -> Store:
        """The store that the configuration names."""
        from kathodos.store.opening import open_store

        settings = self.configuration.store
        return open_store(settings.url, self.folder, settings.wait, self.configuration.mode)

    @cached_property
    def keys(self) -> Keys:
        from kathodos.ledger.keys import Keys

        return Keys(self.folder, self.configuration.mode)

    # Asking

    @contextmanager
    def view(self, as_of: str | None = None, at: str | None = None) -> Iterator[View]:
        """The catalogue, to the end of the block: as it is, or as of a baseline, a date, a time or a ledger number.

        `at`: the moment asked about, a date or a time (default: now, or the moment that `as_of` means).
        """
        from kathodos.model.times import microseconds
        from kathodos.store.history import Histories
        from kathodos.workspace.points import moment_in, point_in
        from kathodos.workspace.view import View

        with self.store.reading() as reader:
            histories = Histories(reader, self.store.computed)
            point = point_in(histories, as_of)
            moment = moment_in(at) or point.moment
            yield View(self, histories, point.entry, microseconds(moment))

    def frame(self, kind: str, where: str | None = None, as_of: str | None = None) -> pd.DataFrame:
        """As `View.frame`, of the catalogue as it is, or as of a point."""
        with self.view(as_of) as view:
            return view.frame(kind, where)

    def reach(self, by: str | None = None, at: str | None = None, as_of: str | None = None) -> pd.DataFrame:
        """As `View.reach`, at a moment (default: now)."""
        with self.view(as_of, at) as view:
            return view.reach(by)

    def rules(self) -> Rules:
        """The rules in `rules/*.toml`. Raises DataError where one is wrong."""
        from kathodos.rules.reading import read_rules

        return read_rules(self.rule_files())

    def draft_rules(self, file: Path) -> Rules:
        """The rules of a file that is not in force, read with the duties that are; their own duties are left out."""
        from kathodos.rules.reading import DUTIES_FILE, read_rules
        from kathodos.workspace.configuration import read_toml

        duties = [it for it in self.rule_files() if it.name.endswith(f"/{DUTIES_FILE}")]
        return replace(read_rules([*duties, read_toml(file)]), duties={})

    def rule_files(self) -> list[TomlText]:
        """Each file of rules, by name."""
        from kathodos.workspace.configuration import read_toml

        files = sorted((self.folder / "rules").glob("*.toml"))
        return [read_toml(file, f"rules/{file.name}") for file in files]

    def controls(self) -> list[Control]:
        """The compensating controls that `controls.toml` says."""
        from kathodos.findings.conflicts.controls import controls_in
        from kathodos.workspace.configuration import read_toml

        file = self.folder / "controls.toml"
        return controls_in(read_toml(file, file.name)) if file.exists() else []

    @cached_property
    def digests(self) -> list[str]:
        """The files that findings rest on beside the catalogue, each as a digest: configuration, controls, rules."""
        import hashlib

        there = self._files_in_force()
        return [f"{it.name} {hashlib.blake2b(it.read_bytes(), digest_size=16).hexdigest()}" for it in there]

    # Writing

    def carry_out(self, operation: Operation[R], actor: str, reason: str = "", accept_clock: bool = False) -> Done[R]:
        """Plans an operation from the newest state and writes it with its ledger entry, or writes nothing.

        `accept_clock`: also where the clock is behind the last entry. Raises CallError or DataError where it must not.
        """
        from kathodos.ledger.hand import Hand
        from kathodos.ledger.operations import carry_out
        from kathodos.ledger.powers import NoteRefusal
        from kathodos.ledger.settings import Settings

        if self.configuration.is_actor_the_login and actor != self.login:
            what = f"{actor} is not the login {self.login}, which [actors] proof in kathodos.toml takes for who acts."
            raise CallError(what, "Leave --as and KATHODOS_ACTOR out, or open the store with that person's login.")
        settings, may = Settings(self.settings), self.configuration.powers.check
        hand = Hand(self.acting(actor), reason, settings, self.proof, self.anchor, accept_clock, may)
        try:
            return carry_out(operation, self.store, self.keys, hand)
        except NotAllowedError as error:  # a try that is refused is on record
            carry_out(NoteRefusal(error), self.store, self.keys, hand)
            raise

    def keep_up(self) -> None:
        """Brings what is computed up to date where much was written here, so that nobody who asks next waits for it."""
        from kathodos.store.computed import DamagedError

        if "store" not in self.__dict__ or self.store.computed.rows_written <= thresholds.FEW_BEHIND:
            return
        from kathodos.workspace.saved_index import keep_up

        with contextlib.suppress(DamagedError, DataError), self.view() as view:  # else it is told to who asks next
            keep_up(view.histories)

    def acting(self, actor: str) -> Acting:
        """A name that somebody gives for who acts, with those that the configuration lists."""
        from kathodos.ledger.actors import Acting

        return Acting(actor, self.configuration.who_may_act)

    @property
    def settings(self) -> dict[str, str]:
        """The files in force beside the catalogue, by name: configuration, rules, controls, whose key is whose."""
        from kathodos.model.carried import carried, written_out
        from kathodos.workspace.configuration import in_force

        found = {}
        for file in self._files_in_force():
            name = carried(str(file.relative_to(self.folder))) if file.is_relative_to(self.folder) else file.name
            text = written_out(file.read_bytes().decode("utf-8", "surrogateescape")).replace("\0", "%00")
            found[name] = in_force(text) if name == CONFIGURATION else text
        return found

    def _files_in_force(self) -> list[Path]:
        named = [self.folder / CONFIGURATION, self.folder / "controls.toml"]
        if self.configuration.actors.proof:
            named.append(self.folder / self.configuration.actors.allowed_signers)
        named += [it for room in ("rules", "reviews", "kits") for it in sorted((self.folder / room).glob("*.toml"))]
        return [it for it in named if it.is_file()]

    @cached_property
    def proof(self) -> Proof | None:
        """What proves who acts, where the configuration wants it in each entry."""
        from kathodos.ledger.ssh import SSHProof
        from kathodos.workspace.configuration import SSH

        actors = self.configuration.actors
        return SSHProof(self.folder / actors.allowed_signers, actors.key or None) if actors.proof == SSH else None

    @cached_property
    def anchor(self) -> Anchor | None:
        """The place outside the folder that receives each head, if one is configured."""
        named = self.configuration.anchor
        return self.anchor_at(named) if named else None

    def anchor_at(self, named: str) -> Anchor:
        """The anchor at a path or URL."""
        from kathodos.ledger.anchors import open_anchor

        return open_anchor(named, self.folder, self.keys.fingerprint())

    def verify(self, kept: Sequence[Head] = (), anchor: Anchor | None = None) -> Verification:
        """Whether the ledger and the catalogue are as signed; `kept`: heads that an auditor has kept elsewhere.

        `anchor`: where heads were sent to (default: the configured one). Where all is as signed, the newest head is
        noted beside the heads of the changes made here.
        """
        from kathodos.ledger.verify import verify
        from kathodos.ledger.verify_heads import Witnesses

        found = verify(self.store, self.keys, Witnesses(kept, anchor or self.anchor))
        if found.discrepancies:  # what was altered may be what the settings would be held against
            return found
        if found.head is not None:
            with contextlib.suppress(OSError):  # who may not write here has others who note it
                self.keys.witness_new(found.head)
        return replace(found, notes=[*found.notes, *self._changed_settings()])

    def _changed_settings(self) -> list[str]:
        """What has changed in the files in force since they were last written, in words."""
        from kathodos.ledger.settings import Settings, change_of

        with self.view() as view:
            changed = change_of(view.stored, Settings(self.settings)) if view.point.entry else None
        names = ", ".join(changed.payload.files) if changed else ""
        return [f"Changed since the last entry, which the next one will say: {names}."] if names else []

    @cached_property
    def login(self) -> str:
        """The login with which the store is opened. Raises DataError where it knows of none."""
        login = self.store.login()
        if not login:
            what = f'[actors] proof = "database" in kathodos.toml, and the store {self.store.place} knows of no logins.'
            raise DataError(
                what, "Take it out, or keep the store in PostgreSQL: docs/manual.md, From one laptop to a team."
            )
        return login

    # Gathering

    def source(self, name: str) -> Source:
        """A configured source. Raises CallError with the nearest."""
        from kathodos.model.suggestions import nearest

        for source in self.configuration.sources:
            if source.name == name:
                return source
        names = [source.name for source in self.configuration.sources]
        raise CallError(f"There is no source {name}.", nearest(name, names))

    def terms(self, source: Source, may_lose: bool = False) -> Terms:
        """On what terms the source's gathers are applied."""
        from kathodos.ingest.gather import Terms
        from kathodos.ingest.merging import Precedence

        settings = self.configuration
        order = Precedence([it.name for it in settings.sources], settings.precedence)
        guard = source.settings.number("guard", Terms(order).guard)
        return Terms(order, guard, may_lose, settings.tie_rules)


def _configuration(text: str, folder: Path) -> Configuration:
    """The configuration that a text is."""
    from kathodos.model.toml import toml_text
    from kathodos.workspace.configuration import Configuration

    return Configuration(toml_text(CONFIGURATION, text), folder)
