"""Anchors: places outside the folder that receive each signed head, so that what the folder alone cannot show is seen.

An anchor is a file that is only added to, a git repository, or a table in a PostgreSQL database, best where whoever
works in the folder may add but not take away.
"""

from __future__ import annotations

import abc
import contextlib
import os
import subprocess
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from kathodos.errors import DataError
from kathodos.ledger.keys import Head, read_head
from kathodos.store.base import ANCHOR_TABLE, SERVER

if TYPE_CHECKING:
    from kathodos.store.postgres import PostgresStore

_PATIENCE = 60.0  # seconds for git


class Anchor(abc.ABC):
    """A place that receives heads. `place` is where it is, in words that hold no secret."""

    place: str

    @abc.abstractmethod
    def check(self) -> None:
        """Raises DataError where it could not receive anything now."""

    @abc.abstractmethod
    def heads(self) -> list[Head]:
        """All heads that it has received. Raises DataError where it cannot be asked."""

    @abc.abstractmethod
    def add(self, heads: Sequence[Head]) -> None:
        """Gives it some heads. Raises DataError where it does not take them."""

    def newest(self) -> int:
        """The size of the largest head that it has received; 0 where it has none."""
        return max((head.size for head in self.heads()), default=0)

    def _unusable(self, why: str) -> DataError:
        what = f"The anchor {self.place} cannot be used: {why}."
        return DataError(
            what, "Correct it, or [ledger] anchor in kathodos.toml; what it missed is given to it next time."
        )


class FileAnchor(Anchor):
    """A file of heads, one a line."""

    def __init__(self, file: Path) -> None:
        self.file = file
        self.place = str(file)

    def check(self) -> None:
        place = self.file if self.file.exists() else self.file.parent
        if not place.exists() or not os.access(place, os.W_OK):
            raise self._unusable("it may not be written" if place.exists() else "its folder is not there")

    def newest(self) -> int:
        return super().newest() if self.file.exists() else 0  # the first head makes it

    def heads(self) -> list[Head]:
        if not self.file.exists():
            raise self._unusable("it is not there")
        try:
            text = self.file.read_text(encoding="utf-8", errors="replace")
        except OSError as error:
            raise self._unusable(error.strerror or "it cannot be read") from None
        return list(_heads_in(text))

    def add(self, heads: Sequence[Head]) -> None:
        try:
            with self.file.open("a", encoding="utf-8") as file:
                file.write("".join(f"{head.line()}\n" for head in heads))
                file.flush()
                os.fsync(file.fileno())
        except OSError as error:
            raise self._unusable(error.strerror or "it does not take it") from None


class GitAnchor(Anchor):
    """A git repository, with a file for each key that signs. What was ever committed counts, also where it is gone."""

    def __init__(self, folder: Path, name: str) -> None:
        self.folder = folder
        self.file = f"{name}.heads"
        self.place = f"{folder} (git)"

    def check(self) -> None:
        self._git("rev-parse", "--git-dir")
        if not os.access(self.folder, os.W_OK):
            raise self._unusable("it may not be written")

    def heads(self) -> list[Head]:
        if not self._git("rev-list", "--all", "--max-count=1"):
            return []
        history = self._git(
            "log", "--all", "--reverse", "--format=", "--patch", "--no-color", "--no-ext-diff", "--", self.file
        )
        return list(_heads_in("\n".join(line[1:] for line in history.splitlines() if line.startswith("+"))))

    def add(self, heads: Sequence[Head]) -> None:
        try:
            with (self.folder / self.file).open("a", encoding="utf-8") as file:
                file.write("".join(f"{head.line()}\n" for head in heads))
        except OSError as error:
            raise self._unusable(error.strerror or "it does not take it") from None
        self._git("add", "--", self.file)
        who = ("-c", "user.name=kathodos", "-c", "user.email=kathodos@localhost", "-c", "commit.gpgsign=false")
        self._git(*who, "commit", "--quiet", "--message", f"Head of entry {heads[-1].size}", "--", self.file)

    def _git(self, *words: str) -> str:
        command = ["git", "-C", str(self.folder), *words]
        surroundings = {name: value for name, value in os.environ.items() if not name.startswith("GIT_")}
        try:
            done = subprocess.run(command, capture_output=True, timeout=_PATIENCE, env=surroundings)
        except (OSError, subprocess.TimeoutExpired) as error:
            raise self._unusable(f"git does not answer ({getattr(error, 'strerror', None) or 'too late'})") from None
        if done.returncode:
            said = done.stderr.decode("utf-8", "replace").strip().splitlines()
            raise self._unusable(said[-1].rstrip(".") if said else f"git ended with {done.returncode}")
        return done.stdout.decode("utf-8", "replace")


class DatabaseAnchor(Anchor):
    """A table in a PostgreSQL database. Who may insert and select, and nothing else, can add but not take away."""

    def __init__(self, store: PostgresStore, name: str) -> None:
        self.store = store
        self.name = name
        self.place = store.place

    def check(self) -> None:
        with self._connected() as connection:
            connection.execute("SELECT 1")

    def heads(self) -> list[Head]:
        query = f"SELECT size, time, root, signature FROM {ANCHOR_TABLE} WHERE workspace = %s ORDER BY number"
        with self._connected() as connection:
            rows = connection.execute(query.encode(), (self.name,)).fetchall()
        return [Head(size, time, bytes(root), bytes(signature)) for size, time, root, signature in rows]

    def newest(self) -> int:
        query = f"SELECT coalesce(max(size), 0) FROM {ANCHOR_TABLE} WHERE workspace = %s"
        with self._connected() as connection:
            (size,) = connection.execute(query.encode(), (self.name,)).fetchone() or (0,)
        return int(size)

    def add(self, heads: Sequence[Head]) -> None:
        statement = f"INSERT INTO {ANCHOR_TABLE} (workspace, size, time, root, signature) VALUES (%s, %s, %s, %s, %s)"
        with self._connected() as connection, connection.transaction():
            for head in heads:
                connection.execute(statement.encode(), (self.name, head.size, head.time, head.root, head.signature))

    @contextlib.contextmanager
    def _connected(self) -> Iterator[Any]:
        """A connection to the database, in which the table is made if it is not there."""
        try:
            with self.store.explaining(), self.store.connected() as connection:
                if connection.execute(f"SELECT to_regclass('{ANCHOR_TABLE}')".encode()).fetchone() == (None,):
                    connection.execute(
                        f"CREATE TABLE IF NOT EXISTS {ANCHOR_TABLE} ("
                        "number bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY, "
                        "workspace text NOT NULL, size bigint NOT NULL, time text NOT NULL, root bytea NOT NULL, "
                        "signature bytea NOT NULL, received timestamptz NOT NULL DEFAULT now(), "
                        "login text NOT NULL DEFAULT session_user)".encode()
                    )
                yield connection
        except DataError as error:
            raise self._unusable(error.what.removeprefix(f"The store {self.place} ").rstrip(".")) from None


def _heads_in(text: str) -> Iterator[Head]:
    for line in text.splitlines():
        with contextlib.suppress(ValueError):
            yield read_head(line)


def open_anchor(named: str, folder: Path, name: str) -> Anchor:
    """The anchor at a path (relative to a folder) or URL. `name`: by which it knows the workspace. Raises DataError."""
    if named.startswith(SERVER):
        from kathodos.store.postgres import PostgresStore

        return DatabaseAnchor(PostgresStore(named, 10), name)
    path = (folder / Path(named).expanduser()).resolve()
    if path.is_dir():
        return GitAnchor(path, name)
    return FileAnchor(path)
