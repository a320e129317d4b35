"""Sources of the kind `postgres`: a database read through its own catalogs, in one transaction that only reads."""

from __future__ import annotations

import time
from collections.abc import Sequence
from typing import Any

from kathodos.connectors.mapping import Reading, digest_of_tables, tables_of
from kathodos.connectors.postgres_catalogs import read_records
from kathodos.connectors.settings import Settings, Source
from kathodos.errors import DataError

_KEYS = ("guard", "url", "system", "password_from", "timeout")


def place(source: Source) -> str:
    """The database's address."""
    return _url(source.settings)


def glance(source: Source, mark: str) -> str:
    """Nothing: the database has to be asked."""
    return ""


def read(source: Source, mark: str) -> Reading:
    """Who may do what in the database."""
    import psycopg

    settings = source.settings
    settings.only(*_KEYS)
    url, timeout = _url(settings), int(settings.number("timeout", 30)) or 1
    waited = 0.0
    options = f"-c default_transaction_read_only=on -c statement_timeout={timeout * 1000}"
    words: dict[str, Any] = {"connect_timeout": timeout, "options": options, "application_name": "kathodos"}
    words["client_encoding"] = "utf8"  # a database in SQL_ASCII would else give bytes
    if "password_from" in settings.values:
        words["password"] = settings.secret("password_from")
    try:
        with psycopg.connect(url, **words) as connection:
            connection.isolation_level = psycopg.IsolationLevel.REPEATABLE_READ

            def ask(query: str) -> Sequence[tuple[Any, ...]]:
                nonlocal waited
                began = time.monotonic()
                try:
                    return connection.execute(query.encode()).fetchall()
                finally:
                    waited += time.monotonic() - began

            records = read_records(ask, settings.text("system"))
    except psycopg.errors.InsufficientPrivilege as error:
        what = f"{url}: this login may not read the catalogs ({error.diag.message_primary})."
        remedy = "Nothing was changed; let it read pg_catalog, as everybody may by default."
        raise DataError(what, remedy) from None
    except UnicodeDecodeError:
        what = f"{url} has a name that is not UTF-8."
        raise DataError(what, "Rename it; names of a database in SQL_ASCII may be in any encoding.") from None
    except psycopg.OperationalError as error:
        raise DataError(f"{url} {_why(str(error))}.", "Check url and password_from, and that it runs.") from None
    except psycopg.Error as error:
        raise DataError(f"{url} could not be read: {type(error).__name__}.", "Nothing was changed.") from None
    tables = tables_of(records, url)
    return Reading(tables, [], digest_of_tables(tables), waited=waited)


def database_of(source: Source) -> str:
    """The name of the database that a source's address leads to."""
    from psycopg.conninfo import conninfo_to_dict

    found = conninfo_to_dict(_url(source.settings))
    return str(found.get("dbname") or found.get("user") or "")


def _url(settings: Settings) -> str:
    """The address, in which no password may stand."""
    from psycopg import ProgrammingError
    from psycopg.conninfo import conninfo_to_dict

    url = settings.text("url")
    try:
        parameters = conninfo_to_dict(url)
    except ProgrammingError:
        raise settings.expected("url = postgresql://USER@HOST/DATABASE") from None
    if "password" in parameters:
        raise settings.expected("a url without a password; name where it is with password_from")
    return url


def _why(text: str) -> str:
    """What a failed connection means, without what was sent."""
    lowered = text.lower()
    if "password" in lowered or "authentication" in lowered:
        return "refuses the login"
    if "does not exist" in lowered:
        return "has no such database or login"
    if "timeout" in lowered:
        return "did not answer in time"
    return "does not answer"
