"""The store of a workspace set up as a database, copied, and moved."""

from __future__ import annotations

import contextlib
from typing import TYPE_CHECKING

import msgspec

from kathodos.errors import CallError
from kathodos.store.base import SERVER
from kathodos.store.opening import named_store
from kathodos.workspace.workspace import CONFIGURATION

if TYPE_CHECKING:
    from kathodos.ledger.verify import Verification
    from kathodos.store.base import Store
    from kathodos.store.copying import Copied
    from kathodos.store.postgres import PostgresStore
    from kathodos.workspace.workspace import Workspace


class StoreUpgrade(msgspec.Struct, frozen=True):
    """From which version a store would be brought up to which, behind which entry, and what is done for it."""

    before: int
    after: int
    entry: int
    steps: list[str]

    @property
    def is_needed(self) -> bool:
        """Whether it is of an earlier version."""
        return self.before < self.after


def database(store: Store) -> PostgresStore:
    """A store that is a database. Raises CallError where it is a file."""
    from kathodos.store.postgres import PostgresStore

    if not isinstance(store, PostgresStore):
        what = f"The store {store.place} is a file: there is nothing to set up."
        raise CallError(what, f"Name a database: --store {SERVER}USER@HOST/DATABASE")
    return store


def copy_store(workspace: Workspace, url: str, is_move: bool) -> tuple[Store, Copied, Verification]:
    """Copies the workspace's store to another place, verifies the copy, and works there from now on if asked to.

    Raises CallError where there is something already, and DataError where a store cannot be used.
    """
    from kathodos.ledger.verify import verify
    from kathodos.store.copying import copied

    target = named_store(url, workspace.folder, workspace.configuration.store.wait)
    if target.place == workspace.store.place:
        raise CallError(f"The store is {target.place} already.", "Name another place.")
    source = workspace.store.write() if is_move else workspace.store.reading()  # nobody writes while it moves
    with source as reader:
        found = copied(reader, target)
        verification = verify(target, workspace.keys)
        if is_move and not verification.discrepancies:
            _note(workspace, url)
    return target, found, verification


def upgrade_of(workspace: Workspace) -> StoreUpgrade:
    """What bringing the workspace's store up to the newest version would do; nothing is written."""
    from kathodos.store.upgrades import NEWEST, steps_between

    with workspace.store.reading() as reader:
        version, newest = reader.version, reader.newest()
    return StoreUpgrade(version, NEWEST, newest.entry, [step.said for step in steps_between(version, NEWEST)])


def _note(workspace: Workspace, url: str) -> None:
    """Writes the url into the configuration, of which all else stays as it is written."""
    import tomlkit

    file = workspace.folder / CONFIGURATION
    content = tomlkit.parse(file.read_text(encoding="utf-8"))
    content.setdefault("store", tomlkit.table())["url"] = url
    aside = file.with_name(f"{file.name}.new")
    with contextlib.suppress(FileNotFoundError):
        aside.unlink()
    aside.write_text(tomlkit.dumps(content), encoding="utf-8")
    aside.replace(file)
