"""How a PostgreSQL database keeps history from being changed: triggers, roles and rights, and whether they hold.

A row of the catalogue can be written, and once be closed; the ledger, its tree and its heads can only be added to.
Triggers see to it for whoever writes, rights for the roles that are not the owner's.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

import msgspec

from kathodos.errors import DataError
from kathodos.store.base import ANCHOR_TABLE
from kathodos.store.blocks import FOREVER
from kathodos.store.postgres_errors import REFUSED
from kathodos.store.sql import VERSIONS
from kathodos.store.upgrades import NEWEST, schema, steps_between
from kathodos.store.upgrades.schema import BYTES, NUMBER, TEXT, Schema, stored_name
from kathodos.version import __version__

if TYPE_CHECKING:
    import psycopg

_FUNCTION = "kathodos_keeps_history"
_CHANGED, _TAKEN = "kathodos_is_changed", "kathodos_is_taken_away"
_BODY = f"""
BEGIN
  RAISE EXCEPTION 'what % holds is not changed', TG_TABLE_NAME USING ERRCODE = '{REFUSED}';
END
"""
_ALWAYS = "A"  # how the catalogs say that a trigger goes off whatever a session asks for
_ROW_UPDATE, _STATEMENT_UPDATE, _TAKING = 1 | 2 | 16, 2 | 16, 2 | 8 | 32  # bits of a trigger's type, all of them before
_MOST_DAMAGES = 20
_TYPES = {TEXT: "text", NUMBER: "bigint", BYTES: "bytea"}


def _these(here: Schema) -> str:
    """Which relations of the database are the tables of a version, as a condition."""
    names = ", ".join(f"'{name}'" for name in here.tables)
    return f"relnamespace = current_schema()::regnamespace AND relkind = 'r' AND relname IN ({names})"


def protections(version: int) -> Iterator[str]:
    """The statements that make the triggers of a version's tables, anew where they are there."""
    yield (
        f"CREATE OR REPLACE FUNCTION {_FUNCTION}() RETURNS trigger LANGUAGE plpgsql "
        f"SET search_path = pg_catalog AS $body${_BODY}$body$"
    )
    here = schema(version)
    for name in here.tables:
        yield from _triggers(here, name)


def _triggers(here: Schema, table: str) -> Iterator[str]:
    each = f"ROW WHEN ({_is_more_than_closing(here, table)})" if here.tables[table].is_record else "STATEMENT"
    yield from _trigger(table, _CHANGED, "UPDATE", each)
    yield from _trigger(table, _TAKEN, "DELETE OR TRUNCATE", "STATEMENT")


def _trigger(table: str, name: str, event: str, each: str) -> Iterator[str]:
    yield f'DROP TRIGGER IF EXISTS {name} ON "{table}"'
    yield f'CREATE TRIGGER {name} BEFORE {event} ON "{table}" FOR EACH {each} EXECUTE FUNCTION {_FUNCTION}()'
    yield f'ALTER TABLE "{table}" ENABLE ALWAYS TRIGGER {name}'


def _is_more_than_closing(here: Schema, table: str) -> str:
    """Whether an update does anything but close an open row."""
    own = (f'"{stored_name(it.name)}"' for it in here.columns(table))
    others = ['"row"', "since", "checksum", "source", *own]
    before, after = (", ".join(f"{row}.{name}" for name in others) for row in ("OLD", "NEW"))
    return (
        f'OLD."until" <> {FOREVER} OR NEW."until" >= {FOREVER} OR NEW."until" <= OLD.since '
        f"OR ROW({before}) IS DISTINCT FROM ROW({after})"
    )


class Roles(msgspec.Struct, frozen=True):
    """The roles of a store: who owns it, who works with it, who may only read it."""

    owner: str
    working: str
    reading: str


def setup_sql(database: str, roles: Roles) -> str:
    """What an administrator runs, once or again: roles, tables, triggers and rights in a database of its own."""
    from sqlalchemy.dialects import postgresql

    from kathodos.store.postgres import KEY
    from kathodos.store.tables import statements_where_lacking

    owner, working, reading = (_quoted(it) for it in (roles.owner, roles.working, roles.reading))
    here = _quoted(database) if database else "the database"
    dialect = postgresql.dialect()  # type: ignore[no-untyped-call]
    parts = [
        f"""\
-- A store of Kathodos in PostgreSQL: run this as an administrator of the server, in the store's own database:
--   createdb --encoding=UTF8 --template=template0 {here}
--   psql --dbname {here} --set ON_ERROR_STOP=1 --file THIS-FILE
-- It can be run again, and has to be where a later kathodos is to be worked with; nothing that is kept is changed.
BEGIN;
SET LOCAL client_min_messages = warning;
SELECT pg_advisory_xact_lock({KEY});  -- whoever is writing is waited for
""",
        *(_role(name) for name in (roles.owner, roles.working, roles.reading)),
        f"""
-- Nobody comes in who is not let in.
DO $do$ BEGIN
  EXECUTE format('REVOKE ALL ON DATABASE %I FROM PUBLIC', current_database());
  EXECUTE format('GRANT CONNECT ON DATABASE %I TO {working}, {reading}', current_database());
END $do$;
REVOKE ALL ON SCHEMA public FROM PUBLIC;
GRANT USAGE ON SCHEMA public TO {owner}, {working}, {reading};

-- The tables.""",
        *(f"{statement};" for statement in statements_where_lacking(dialect, NEWEST)),
        "\n-- What keeps history from being changed.",
        *(f"{statement};" for statement in protections(NEWEST)),
        "\n-- Of which version it is from the next entry on; a new store says so itself.",
        f"INSERT INTO {VERSIONS} SELECT {NEWEST}, max(number) + 1, {_text(__version__)} FROM ledger "
        f"HAVING count(*) > 0 AND NOT EXISTS (SELECT FROM {VERSIONS} WHERE version >= {NEWEST});",
        "\n-- Whose it is, and who may do what: those who work with it write rows and close them, auditors read.",
        *_rights(owner, working, reading),
        f"""COMMIT;

-- Then give each person a login of their own, and one of the roles:
--   CREATE ROLE "NAME" LOGIN PASSWORD '...' IN ROLE {working};     -- who gathers, decides, changes
--   CREATE ROLE "NAME" LOGIN PASSWORD '...' IN ROLE {reading};     -- auditors
-- Let them come over TLS alone: ssl = on in postgresql.conf, and in pg_hba.conf, before any other line:
--   hostssl   {here}  +{working}  all  scram-sha-256
--   hostssl   {here}  +{reading}  all  scram-sha-256
--   hostnossl {here}  all  all  reject
-- Afterwards, as one of those who work with it: kathodos store setup --check""",
    ]
    return "\n".join(parts) + "\n"


def _rights(owner: str, working: str, reading: str) -> Iterator[str]:
    """The statements that say whose the tables are, and who may do what with them."""
    newest = schema(NEWEST)
    every = ", ".join(f'"{name}"' for name in newest.tables)
    yield f"ALTER FUNCTION {_FUNCTION}() OWNER TO {owner};"
    yield from (f'ALTER TABLE "{name}" OWNER TO {owner};' for name in newest.tables)
    yield f"REVOKE ALL ON {every} FROM PUBLIC, {working}, {reading};"
    yield f"GRANT SELECT, INSERT ON {every} TO {working};"
    yield f"GRANT SELECT ON {every} TO {reading};"
    yield from (f'GRANT UPDATE ("until") ON "{name}" TO {working};' for name in newest.records)


def _role(name: str) -> str:
    return (
        f"DO $do$ BEGIN IF NOT EXISTS (SELECT FROM pg_roles WHERE rolname = {_text(name)}) "
        f"THEN CREATE ROLE {_quoted(name)} NOLOGIN; END IF; END $do$;"
    )


def _quoted(name: str) -> str:
    return '"' + name.replace('"', '""') + '"'


def _text(text: str) -> str:
    return "'" + text.replace("'", "''") + "'"


class Check(msgspec.Struct, frozen=True):
    """One thing that has to hold, whether it does, and what was found."""

    what: str
    holds: bool
    found: str = ""


def checks(connection: psycopg.Connection[Any], version: int) -> list[Check]:
    """Whether what `setup_sql` sets up is in force for the login that asks, in a store of some version."""
    here = schema(version)
    return [
        *_of_the_connection(connection),
        *_of_the_login(connection, here),
        _joined("Whoever is not let in may do nothing.", _open_to_all(connection, here)),
        _joined("History is kept from being changed in every table.", missing_triggers(connection, here)),
    ]


def _joined(what: str, wrong: list[str]) -> Check:
    more = f" and {len(wrong) - 3} more" if len(wrong) > 3 else ""
    return Check(what, not wrong, "; ".join(wrong[:3]) + more)


def _of_the_connection(connection: psycopg.Connection[Any]) -> Iterator[Check]:
    encoding = connection.info.parameter_status("server_encoding")
    yield Check("The database is in UTF-8.", encoding == "UTF8", str(encoding))
    is_local, is_encrypted = _one(
        connection,
        "SELECT inet_client_addr() IS NULL OR inet_client_addr() <<= '127.0.0.0/8' OR inet_client_addr() = '::1', "
        "coalesce(bool_or(ssl), false) "
        "FROM pg_stat_ssl WHERE pid = pg_backend_pid()",
    )
    how = "over TLS" if is_encrypted else "from this machine" if is_local else "without TLS"
    yield Check("The connection is over TLS, or does not leave the machine.", is_encrypted or is_local, how)


def _of_the_login(connection: psycopg.Connection[Any], here: Schema) -> Iterator[Check]:
    whole = len(here.tables)
    login, is_super = _one(connection, "SELECT current_user, rolsuper FROM pg_roles WHERE rolname = current_user")
    yield Check("The login is no administrator of the server.", not is_super, str(login))
    own = [
        str(name)
        for name, is_own in _of_tables(connection, here, "pg_has_role(current_user, relowner, 'MEMBER')")
        if is_own and not is_super
    ]
    yield _joined("The login does not own what it works with.", own)
    may_write = [name for name, may in _of_tables(connection, here, "has_table_privilege(oid, 'INSERT')") if may]
    how = "it reads" if not may_write else "it works" if len(may_write) == whole else "some tables only"
    yield Check("The login works with all tables, or only reads.", len(may_write) in (0, whole), how)
    may_read = [name for name, may in _of_tables(connection, here, "has_table_privilege(oid, 'SELECT')") if not may]
    yield _joined("The login may read every table.", may_read)
    beyond = [
        f"{privilege.lower()} of {name}"
        for privilege in ("DELETE", "TRUNCATE", "UPDATE", "TRIGGER")
        for name, may in _of_tables(connection, here, f"has_table_privilege(oid, '{privilege}')")
        if may
    ]
    beyond += [
        f"update of {name}.{column}"
        for name, column in _rows(
            connection,
            "SELECT relname, attname FROM pg_class JOIN pg_attribute ON attrelid = pg_class.oid "
            f"WHERE {_these(here)} AND attnum > 0 AND NOT attisdropped AND attname <> 'until' "
            "AND has_column_privilege(pg_class.oid, attnum, 'UPDATE') ORDER BY relname, attnum",
        )
    ]
    yield _joined("The login may close rows of the catalogue, and change nothing else.", beyond)


def _open_to_all(connection: psycopg.Connection[Any], here: Schema) -> list[str]:
    query = (
        "SELECT lower(privilege_type) || ' of ' || relname FROM pg_class, aclexplode(relacl) "
        f"WHERE {_these(here)} AND grantee = 0 UNION ALL "
        "SELECT 'create in the schema' FROM pg_namespace, aclexplode(nspacl) "
        "WHERE nspname = current_schema() AND grantee = 0 AND privilege_type = 'CREATE'"
    )
    return [str(text) for (text,) in _rows(connection, query)]


def missing_triggers(connection: psycopg.Connection[Any], here: Schema) -> list[str]:
    """The tables that a trigger is missing of, is off, or is another than was made."""
    query = (
        "SELECT relname, tgname, tgtype, tgenabled = 'A', tgqual IS NOT NULL, prosrc FROM pg_trigger "
        f"JOIN pg_class ON pg_class.oid = tgrelid JOIN pg_proc ON pg_proc.oid = tgfoid WHERE {_these(here)}"
    )
    there = {(table, name): rest for table, name, *rest in _rows(connection, query)}
    wrong = []
    for table, it in here.tables.items():
        changing = [_ROW_UPDATE, True, True, _BODY] if it.is_record else [_STATEMENT_UPDATE, True, False, _BODY]
        for name, expected in ((_CHANGED, changing), (_TAKEN, [_TAKING, True, False, _BODY])):
            if there.get((table, name)) != expected:
                wrong.append(f"{table}: the trigger {name} is missing, off, or another one")
    return wrong


def damages(connection: psycopg.Connection[Any]) -> list[str]:
    """What the server finds wrong with tables and indexes, by `amcheck` where that is there."""
    import psycopg

    found, these = list[str](), _these(schema(NEWEST))
    query = (
        f"SELECT relname, indexrelid::regclass::text FROM pg_index JOIN pg_class ON pg_class.oid = indrelid "
        f"WHERE {these} AND NOT (indisvalid AND indisready)"
    )
    found += [f"{table}: the index {index} does not hold" for table, index in _rows(connection, query)]
    if _rows(connection, "SELECT FROM pg_extension WHERE extname = 'amcheck'"):
        query = (
            "SELECT format('SELECT bt_index_check(%s::regclass, true)', quote_literal(indexrelid::regclass::text)) "
            f"FROM pg_index JOIN pg_class ON pg_class.oid = indrelid WHERE {these} ORDER BY 1"
        )
        for (check,) in _rows(connection, query):
            try:
                with connection.transaction():
                    connection.execute(check.encode())
            except psycopg.errors.InsufficientPrivilege:
                break  # the login may not: the server's owner can
            except psycopg.Error as error:
                found.append(str(error.diag.message_primary))
    return found[:_MOST_DAMAGES]


def strangers(connection: psycopg.Connection[Any], version: int) -> list[str]:
    """What is in the schema, or at a version's tables, and was not made by this tool, or is not as it was made."""
    here = schema(version)
    found, these = missing_triggers(connection, here), _these(here)
    kinds = {"r": "table", "v": "view", "m": "view", "p": "table", "f": "table", "c": "type"}
    relations = _rows(
        connection,
        "SELECT relkind::text, relname FROM pg_class WHERE relnamespace = current_schema()::regnamespace "
        "AND relkind NOT IN ('i', 'I', 'S', 't') ORDER BY relname",
    )
    there = {str(name): str(kind) for kind, name in relations}
    for name in here.tables:
        if there.get(name) != "r":
            found.append(f"the table {name} is missing" if name not in there else f"{name} is no table")
    for name, kind in there.items():
        if name not in (*here.tables, ANCHOR_TABLE):
            found.append(f"the {kinds.get(kind, 'relation')} {name} was not made by this tool")
    found += _odd_columns(connection, here)
    for query, what in (
        (
            f"SELECT relname, tgname FROM pg_trigger JOIN pg_class ON pg_class.oid = tgrelid WHERE {these} "
            f"AND NOT tgisinternal AND tgname NOT IN ('{_CHANGED}', '{_TAKEN}')",
            "the trigger",
        ),
        (
            f"SELECT relname, rulename FROM pg_rewrite JOIN pg_class ON pg_class.oid = ev_class WHERE {these}",
            "the rule",
        ),
        (
            f"SELECT relname, polname FROM pg_policy JOIN pg_class ON pg_class.oid = polrelid WHERE {these}",
            "the policy",
        ),
        (
            f"SELECT relname, inhrelid::regclass::text FROM pg_inherits JOIN pg_class ON pg_class.oid = inhparent "
            f"WHERE {these}",
            "the part",
        ),
    ):
        found += [f"{what} {name} at {table} was not made by this tool" for table, name in _rows(connection, query)]
    return found


def _odd_columns(connection: psycopg.Connection[Any], here: Schema) -> Iterator[str]:
    """The tables of which the columns are not as they were made, in words."""
    columns: dict[str, list[tuple[str, str, bool]]] = {}
    for table, name, kind, is_needed in _rows(
        connection,
        "SELECT relname, attname, format_type(atttypid, atttypmod), attnotnull FROM pg_class "
        f"JOIN pg_attribute ON attrelid = pg_class.oid WHERE {_these(here)} AND attnum > 0 AND NOT attisdropped "
        "ORDER BY relname, attnum",
    ):
        columns.setdefault(str(table), []).append((str(name), str(kind), bool(is_needed)))
    for table, expected in _columns_made(here):
        if table in columns and columns[table] != expected:
            odd = sorted({name for name, *_ in set(columns[table]) ^ set(expected)})
            yield f"the columns of {table} are not as they were made: {', '.join(odd) or 'their order'}"


def _columns_made(here: Schema) -> Iterator[tuple[str, list[tuple[str, str, bool]]]]:
    """The columns of each table as they are made: name, type, and whether there must be a value."""
    for table in here.tables.values():
        made = [] if not table.is_record else [(name, "bigint", True) for name in ("row", "since", "until", "checksum")]
        made += [("source", "text", False)] if table.is_record else []
        for it in table.columns:
            name = stored_name(it.name) if table.is_record else it.name
            made.append((name, _TYPES[it.form], not table.is_record))
        yield table.name, made


def upgrade(connection: psycopg.Connection[Any], before: int, after: int) -> None:
    """Makes the tables of one version those of a later one, with triggers; who may use the ledger may use new ones.

    Raises DataError where the login does not own the tables.
    """
    import psycopg
    from sqlalchemy.dialects import postgresql

    dialect, here = postgresql.dialect(), schema(after)  # type: ignore[no-untyped-call]
    steps = steps_between(before, after)
    try:
        connection.execute("LOCK TABLE ledger IN ACCESS EXCLUSIVE MODE")  # nobody reads by the old names
        for step in steps:
            connection.execute(step.statement(dialect).encode())
        for table in dict.fromkeys(step.table for step in steps):
            for statement in _triggers(here, table):
                connection.execute(statement.encode())
        for table in (name for name in here.tables if name not in schema(before).tables):
            for statement in _rights_as_to_the_ledger(connection, table, here.tables[table].is_record):
                connection.execute(statement.encode())
    except psycopg.errors.InsufficientPrivilege:
        what = "The login does not own the tables of the store, so that it may not bring it up."
        remedy = "Let an administrator run what `kathodos store setup` prints, once more; nothing was changed."
        raise DataError(what, remedy) from None


def _rights_as_to_the_ledger(connection: psycopg.Connection[Any], table: str, is_record: bool) -> Iterator[str]:
    """The statements that give a new table's rights to whoever has those to the ledger."""
    query = (
        "SELECT grantee::regrole::text, privilege_type FROM pg_class, aclexplode(relacl) "
        "WHERE oid = to_regclass('ledger') AND grantee <> relowner AND grantee <> 0 "
        "AND privilege_type IN ('SELECT', 'INSERT') ORDER BY 1, 2"
    )
    for role, privilege in _rows(connection, query):
        yield f'GRANT {privilege} ON "{table}" TO {role}'
        if is_record and privilege == "INSERT":
            yield f'GRANT UPDATE ("until") ON "{table}" TO {role}'


def _of_tables(connection: psycopg.Connection[Any], here: Schema, asked: str) -> list[tuple[str, bool]]:
    rows = _rows(connection, f"SELECT relname, {asked} FROM pg_class WHERE {_these(here)} ORDER BY relname")
    return [(str(name), bool(answer)) for name, answer in rows]


def _rows(connection: psycopg.Connection[Any], query: str) -> list[tuple[Any, ...]]:
    return connection.execute(query.encode()).fetchall()


def _one(connection: psycopg.Connection[Any], query: str) -> tuple[Any, ...]:
    (row,) = _rows(connection, query)
    return row
