"""The store in a PostgreSQL database, for several people on several machines."""

from __future__ import annotations

import contextlib
import hashlib
import os
from collections.abc import Iterator, Sequence
from datetime import UTC, datetime
from functools import cache, cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any

from kathodos import thresholds
from kathodos.columns.dictionary import DictionaryColumn
from kathodos.errors import DataError
from kathodos.model.kinds import Kind
from kathodos.store import postgres_errors as errors
from kathodos.store.base import SERVER, Reader, Store, Writer
from kathodos.store.blocks import LAST, Block, block_of
from kathodos.store.computed import ComputedFolder
from kathodos.store.sql import SQLReader, SQLWriter, columns_of, columns_read, columns_written
from kathodos.store.upgrades import names_then
from kathodos.store.upgrades.schema import stored_name
from kathodos.store.versions import VersionRow, Versions, must_be_known, new_versions

if TYPE_CHECKING:
    import psycopg

    from kathodos.store.postgres_setup import Check

_OLDEST = 120000  # the first server that checks what this relies on
_LEAST_WAIT = 10  # seconds for a connection, and for telling whether a change was kept, however short `wait` is
_ADDRESS = ("user", "host", "port", "dbname", "service")  # what is shown of where a store is
_SETTINGS = "-c idle_in_transaction_session_timeout=0 -c client_min_messages=warning -c jit=off"
# All is asked by key and in its order; a table that was just filled has no statistics yet by which that would be found.
_BY_KEY = "-c enable_seqscan=off -c enable_bitmapscan=off -c enable_sort=off"
KEY = "hashtextextended('kathodos ' || coalesce(to_regclass('ledger')::oid::text, ''), 0)"


class PostgresStore(Store):
    """A store in a database. `url` is libpq's, without a password; `wait`: seconds to wait while another writes."""

    def __init__(self, url: str, wait: float) -> None:
        from psycopg import ProgrammingError
        from psycopg.conninfo import conninfo_to_dict

        self._database: tuple[str, ...] = ()  # where it is, once it has been asked
        self.url = url
        self.wait = wait
        try:
            self._words = conninfo_to_dict(f"postgresql://{url.removeprefix(SERVER)}")
        except ProgrammingError:
            what = "The url of the store is no address of a database."
            raise DataError(what, f"Write it as {SERVER}USER@HOST/DATABASE.") from None
        if any("password" in name or "secret" in name for name in self._words):
            what = "The url of the store holds a password."
            remedy = "Take it out, and give it where PostgreSQL's programs look: ~/.pgpass, PGPASSFILE, a service file."
            raise DataError(what, remedy)

    @property
    def files(self) -> list[Path]:
        return []

    @property
    def place(self) -> str:
        shown = {name: str(self._words[name]) for name in _ADDRESS if self._words.get(name)}
        user = f"{shown['user']}@" if "user" in shown else ""
        port = f":{shown['port']}" if "port" in shown else ""
        service = f"?service={shown['service']}" if "service" in shown else ""
        return f"postgresql://{user}{shown.get('host', '')}{port}/{shown.get('dbname', '')}{service}"

    @cached_property
    def folder(self) -> Path:  # type: ignore[override]  # asked of the server once
        """Where what is computed is kept: in the cache of whoever asks, a folder for each database."""
        if not self._database:
            with self.explaining(), self.connected():
                pass
        name = "\n".join([*self._database, str(self._words.get("options", ""))])
        cache = Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache")
        return cache / "kathodos" / hashlib.blake2b(name.encode(), digest_size=12).hexdigest() / "computed"

    @cached_property
    def computed(self) -> ComputedFolder:
        with contextlib.suppress(OSError):  # who may not write there computes, and keeps nothing
            self.folder.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
        return super().computed

    @contextlib.contextmanager
    def connected(self) -> Iterator[psycopg.Connection[Any]]:
        """A connection of which each statement stands for itself."""
        import psycopg

        words: dict[str, Any] = {**self._words, "client_encoding": "utf8", "fallback_application_name": "kathodos"}
        words.setdefault("connect_timeout", int(max(self.wait, _LEAST_WAIT)))
        for name, seconds in (("keepalives_idle", 30), ("keepalives_interval", 10), ("keepalives_count", 3)):
            words.setdefault(name, seconds)
        words.setdefault("tcp_user_timeout", 60_000)  # milliseconds after which a dead line is given up
        words["options"] = f"{_SETTINGS} {_BY_KEY} {words.get('options', '')}"
        with contextlib.closing(psycopg.connect(autocommit=True, **words)) as connection:
            if connection.info.server_version < _OLDEST:
                raise errors.too_old(self.place, connection.info.server_version)
            self._database = (connection.info.host, str(connection.info.port), connection.info.dbname)
            yield connection

    @contextlib.contextmanager
    def explaining(self) -> Iterator[None]:
        """Turns the database's own errors into words about this store."""
        import psycopg

        try:
            yield
        except psycopg.Error as error:
            raise errors.explained(self.place, error, self.wait) from None
        except UnicodeEncodeError:
            raise errors.half_character(self.place) from None

    def login(self) -> str:
        with self.explaining(), self.connected() as connection:
            (login,) = connection.execute("SELECT session_user").fetchone() or ("",)
            return str(login)

    def create(self, versions: Versions | None = None) -> None:
        from sqlalchemy.dialects import postgresql

        from kathodos.store.postgres_setup import protections
        from kathodos.store.tables import statements

        with self.explaining(), self.connected() as connection:
            encoding = connection.info.parameter_status("server_encoding")
            if encoding != "UTF8":
                what = f"The database {self.place} is in the encoding {encoding}."
                raise DataError(what, "Make one with `createdb --encoding=UTF8 --template=template0 NAME`.")
            self._begin_to_write(connection)
            writer, versions = _PostgresWriter(connection), versions or new_versions()
            version = versions.newest.version
            if not writer.is_made:
                dialect = postgresql.dialect()  # type: ignore[no-untyped-call]
                for statement in (*statements(dialect, 0, version), *protections(version)):
                    connection.execute(statement.encode())
            writer.say_versions(versions)
            connection.execute("COMMIT")

    def setup_sql(self, owner: str, working: str, reading: str) -> str:
        """What an administrator of the server runs to set the store up, with the names of its three roles."""
        from kathodos.store.postgres_setup import Roles, setup_sql

        return setup_sql(str(self._words.get("dbname") or ""), Roles(owner, working, reading))

    def checks(self) -> list[Check]:
        """Whether what `setup_sql` sets up is in force for the login with which the store is opened."""
        from kathodos.store.postgres_setup import checks

        with self.explaining(), self.connected() as connection:
            return checks(connection, _PostgresReader(connection).version)

    @contextlib.contextmanager
    def reading(self) -> Iterator[Reader]:
        with self.explaining(), self.connected() as connection:
            reader = _PostgresReader(connection)
            is_made = reader.is_made
            connection.execute("BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY")
            if is_made:  # whoever brings the store up waits for us, or we for them, before we look: tables have no past
                connection.execute("LOCK TABLE ledger IN ACCESS SHARE MODE")
            must_be_known(reader.versions, self.place)
            yield reader

    @contextlib.contextmanager
    def write(self) -> Iterator[Writer]:
        import psycopg

        with self.explaining(), self.connected() as connection:
            self._begin_to_write(connection)
            writer = _PostgresWriter(connection)
            try:
                must_be_known(writer.versions, self.place)
                yield writer
            except BaseException:
                with contextlib.suppress(psycopg.Error):
                    connection.execute("ROLLBACK")
                raise
            try:
                kept = connection.execute("COMMIT").statusmessage
            except psycopg.OperationalError:
                if not self._was_kept(writer):
                    raise
            else:
                if kept != "COMMIT":  # a statement had failed, and nobody said so
                    raise errors.not_kept(self.place)

    def _begin_to_write(self, connection: psycopg.Connection[Any]) -> None:
        """Begins a transaction that alone may write, once no other does; the wait for that is bounded."""
        connection.execute("BEGIN ISOLATION LEVEL READ COMMITTED READ WRITE")
        connection.execute(f"SET LOCAL lock_timeout = {max(int(self.wait * 1000), 1)}")
        connection.execute(f"SELECT pg_advisory_xact_lock({KEY})")

    def _was_kept(self, writer: _PostgresWriter) -> bool:
        """Whether the entry is there whose transaction was about to be kept when the connection was lost."""
        import psycopg

        if writer.entry is None:
            return False
        number, leaf = writer.entry
        try:
            with self.connected() as connection:
                connection.execute("BEGIN")
                connection.execute(f"SET LOCAL lock_timeout = {max(int(self.wait), _LEAST_WAIT) * 1000}")
                connection.execute(f"SELECT pg_advisory_xact_lock({KEY})")  # the lost one has ended when it is had
                return _PostgresReader(connection).leaf(number) == leaf.hex()
        except psycopg.Error:
            raise errors.not_known(self.place, number) from None


class _PostgresReader(SQLReader):
    def __init__(self, connection: psycopg.Connection[Any]) -> None:
        self._connection = connection

    def _ask(self, query: str, *parameters: Any) -> Iterator[tuple[Any, ...]]:
        yield from self._connection.execute(query.replace("?", "%s").encode(), parameters, binary=True)

    @property
    def is_made(self) -> bool:
        """Whether the database holds a store."""
        return self._is_there("ledger")

    def _is_there(self, table: str) -> bool:
        return list(self._ask("SELECT to_regclass(?) IS NOT NULL", table)) == [(True,)]

    def damages(self) -> list[str]:
        from kathodos.store.postgres_setup import damages

        return damages(self._connection)

    def strangers(self) -> list[str]:
        from kathodos.store.postgres_setup import strangers

        return strangers(self._connection, self.version)

    def blocks(self, kind: Kind, first: int = 1, last: int = LAST) -> Iterator[Block]:
        if not names_then(kind.name, self.version):
            return
        most = thresholds.BLOCK if last - first >= thresholds.POSTGRES_FITTING else thresholds.POSTGRES_FITTING
        while True:
            block = self._block(kind, first, last, most)
            if block is None:
                most //= 2
                continue
            if len(block):
                yield block
            if len(block) < most:
                return
            first = int(block.rows[-1]) + 1

    def _block(self, kind: Kind, first: int, last: int, most: int) -> Block | None:
        """The first rows of a range, at most so many; None where they do not fit into one answer."""
        import psycopg

        from kathodos.store.postgres_binary import number_column, numbers_in, text_column

        query = _query(kind, self.version).format(most=most).encode()
        scope = self._connection.transaction() if most > thresholds.POSTGRES_FITTING else contextlib.nullcontext()
        try:
            with scope:
                found = self._connection.execute(query, (first, last), binary=True).pgresult
        except psycopg.errors.ProgramLimitExceeded:
            if most <= thresholds.POSTGRES_FITTING:
                raise
            return None
        assert found is not None
        values = iter([found.get_value(0, at) for at in range(found.nfields)])
        numbers = [numbers_in(next(values) or bytes(20)) for _ in range(4)]
        held: list[DictionaryColumn] = []
        for is_number in (False, *_are_numbers(kind)):
            one = next(values) or bytes(20)
            held.append(number_column(one) if is_number else text_column(one, next(values)))
        return block_of(numbers, held)


class _PostgresWriter(_PostgresReader, SQLWriter):
    entry: tuple[int, bytes] | None = None  # the number and the leaf of the entry that was written

    def _do(self, statement: str, *parameters: Any) -> None:
        self._connection.execute(statement.replace("?", "%s").encode(), parameters)

    def put_entry(self, entry: Any) -> None:
        super().put_entry(entry)
        self.entry = entry[0], entry[-1]

    def upgrade(self, row: VersionRow) -> None:
        from kathodos.store.postgres_setup import upgrade

        upgrade(self._connection, self.version, row.version)
        self.put_version(row)

    def origin(self) -> dict[str, str]:
        query = "SELECT session_user, host(inet_client_addr()), current_setting('application_name')"
        ((login, address, application),) = self._ask(query)
        known = {"login": login, "address": address, "application": application}
        return {name: str(value) for name, value in known.items() if value}

    def clock(self) -> datetime:
        ((now,),) = self._ask("SELECT clock_timestamp()")
        found: datetime = now.astimezone(UTC)
        return found

    def put_rows(self, kind: Kind, block: Block) -> None:
        from kathodos.store.postgres_binary import copied

        names, positions = columns_written(kind, self.version)
        statement, block = f'COPY "{kind.name}" ({names}) FROM STDIN (FORMAT binary)', block.only(positions)
        with self._connection.cursor().copy(statement.encode()) as copy:
            if len(block) > thresholds.FEW_READ:
                for part in copied(block):
                    copy.write(part)
                return
            are_numbers = [False, *(_are_numbers(kind)[at] for at in positions)]
            copy.set_types(["int8"] * 4 + ["int8" if it else "text" for it in are_numbers])
            for lists in block.lists(max(thresholds.FEW_READ, 1)):
                for row in zip(*lists, strict=True):
                    copy.write_row(row)

    def close_rows(self, kind: Kind, entry: int, numbers: Sequence[int]) -> None:
        statement = f'UPDATE "{kind.name}" SET "until" = %s WHERE "row" = ANY(%s::int8[])'
        closed = 0
        for at in range(0, len(numbers), thresholds.POSTGRES_CLOSED):
            closed += self._connection.execute(
                statement.encode(), (entry, list(numbers[at : at + thresholds.POSTGRES_CLOSED]))
            ).rowcount
        if closed != len(set(numbers)):
            what = f"{len(set(numbers)) - closed} of the rows of {kind.name} that were to be ended are not there."
            raise DataError(what, "See what was altered with `kathodos ledger verify`.")


def _are_numbers(kind: Kind) -> list[bool]:
    """For each column of a kind whether it holds numbers."""
    return [is_number for _, is_number in columns_of(kind)]


@cache
def _query(kind: Kind, version: int) -> str:
    """Asks for rows as one row of whole columns: the numbers of each, or the lengths and the bytes of its texts."""
    from kathodos.store.postgres_binary import NO_NUMBER

    parts = [f'array_agg("{name}")' for name in ("row", "since", "until", "checksum")]
    for name, is_number in (("source", False), *((stored_name(name), it) for name, it in columns_of(kind))):
        if is_number:
            parts.append(f"array_agg(coalesce(\"{name}\", '{NO_NUMBER}'::int8))")
        else:
            parts += [f'array_agg(coalesce(octet_length("{name}"), -1))', f"string_agg(\"{name}\", '')"]
    asked = columns_read(kind, version)
    rows = f'SELECT {asked} FROM "{kind.name}" WHERE "row" BETWEEN %s AND %s ORDER BY "row" LIMIT {{most}}'
    return f"SELECT {', '.join(parts)} FROM ({rows}) AS part"
