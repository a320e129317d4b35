"""Where the tests keep their stores: in files, or with KATHODOS_TEST_STORE=postgres in databases of a server.

The server is each process's own; it is started when it is first needed.
"""

import functools
import itertools
import json
import os
import re
import shutil
import sqlite3
import time
import unittest
from contextlib import closing
from pathlib import Path

from kathodos import thresholds
from kathodos.demo import services
from kathodos.ledger.origin import system_user
from tests.servers import Postgres

ON_POSTGRES = os.environ.get("KATHODOS_TEST_STORE") == "postgres"
ONLY_IN_A_FILE = unittest.skipIf(ON_POSTGRES, "about the file of a store")
ABOUT_ANSWERS = unittest.skipIf(ON_POSTGRES, "about answers, which other tests hold to be the same in every store")
ONLY_WITH_A_SERVER = unittest.skipIf(services.postgres_programs() is None, "needs a PostgreSQL server's programs")
# What is about databases alone is tested once, beside the tests on files.
ABOUT_DATABASES = unittest.skipIf(ON_POSTGRES or services.postgres_programs() is None, "about databases alone")
BELOW_THRESHOLDS = unittest.skipIf(thresholds.SET == thresholds.SMALLEST, "about what lies below a threshold")
_BYTES = re.compile(r"x'([0-9a-f]*)'")
_NUMBERS = itertools.count(1)
_URL = re.compile(r'url = "(postgresql\+psycopg://[^"]*)"')


@functools.cache
def server():
    """This process's server. Skips the tests where there is none."""
    if services.postgres_programs() is None:
        raise unittest.SkipTest("needs a PostgreSQL server's programs")
    return Postgres()


@functools.cache
def cache():
    """Where this process's commands keep what they compute from stores in databases: beside its server."""
    os.environ.setdefault("MPLCONFIGDIR", str(Path.home() / ".cache" / "matplotlib"))
    os.environ["XDG_CACHE_HOME"] = str(server().folder / "cache")
    return Path(os.environ["XDG_CACHE_HOME"])


def new_database():
    """The name of a database that is not there yet."""
    return f"w{os.getpid()}_{next(_NUMBERS)}"


def new_url():
    """Where a new workspace keeps its store; None for a file in its folder."""
    if not ON_POSTGRES:
        return None
    name = new_database()
    server().create(name)
    return server().url(name)


def url_of(folder):
    """The URL of a workspace's store in a database; None for a file."""
    configuration = Path(folder) / "kathodos.toml"
    found = _URL.search(configuration.read_text(encoding="utf-8")) if configuration.exists() else None
    return found[1] if found else None


def copied(folder, other):
    """A workspace with its store copied to another folder."""
    shutil.copytree(folder, other)
    for configuration in Path(other).rglob("kathodos.toml"):
        url = url_of(configuration.parent)
        if url is not None:
            name, before = new_database(), computed(configuration.parent).parent
            _clone(database_in(url), name)
            text = configuration.read_text(encoding="utf-8")
            configuration.write_text(text.replace(url, server().url(name)), encoding="utf-8")
            if before.exists():
                shutil.copytree(before, computed(configuration.parent).parent)
    return other


def _clone(name, other):
    """A database copied; waits until nobody is connected to it any more."""
    for patience in range(100, -1, -1):
        try:
            server().create(other, f'TEMPLATE "{name}"')
            return
        except Exception:
            if not patience:
                raise
            time.sleep(0.05)


ACTORS = ("auditor", "boss", "head", "me", "x", "r.lund")


def may_act(folder, *names):
    """Lists the names under which tests act in a workspace's configuration, beside the system's user."""
    file = Path(folder) / "kathodos.toml"
    file.write_text(with_actors(file.read_text(encoding="utf-8"), *names), encoding="utf-8")


def prove(folder, proof):
    """Asks for a proof of who acts in a workspace's configuration."""
    file = Path(folder) / "kathodos.toml"
    file.write_text(file.read_text(encoding="utf-8").replace("[actors]\n", f'[actors]\nproof = "{proof}"\n'), "utf-8")


def with_actors(text, *names):
    listed = f"names = {json.dumps([system_user(), *(names or ACTORS)])}"
    if "[actors]" in text:
        return re.sub(r"^names = \[.*\]$", lambda _: listed, text, count=1, flags=re.MULTILINE)
    return f"{text}\n[actors]\n{listed}\n"


def configured(folder, text):
    """Writes a workspace's configuration; where its store is stays as it was, and the tests' names may act."""
    text, url = with_actors(text), url_of(folder)
    more = f'\n[store]\nurl = "{url}"\n' if url and not text.lstrip("[").startswith("store") else ""
    (Path(folder) / "kathodos.toml").write_text(text + more, encoding="utf-8")


def replaced(folder, untouched):
    """A workspace put back as it was when another one was copied."""
    shutil.rmtree(folder)
    return copied(untouched, folder)


def database_in(url):
    return url.rpartition("/")[2].partition("?")[0]


def altered(folder, *statements):
    """Alters a store behind the tool's back, as somebody could who may do everything there."""
    url = url_of(folder)
    if url is None:
        with closing(sqlite3.connect(Path(folder) / "catalogue.db")) as connection, connection:
            for statement in statements:
                connection.execute(statement)
        return
    query = (
        "SELECT tgrelid::regclass::text, tgname FROM pg_trigger JOIN pg_class ON pg_class.oid = tgrelid "
        "WHERE tgname LIKE 'kathodos%' AND relkind = 'r'"
    )
    with server().connect(database_in(url)) as connection:
        for table, name in connection.execute(query).fetchall():
            connection.execute(f"ALTER TABLE {table} DISABLE TRIGGER {name}".encode())
        for statement in statements:
            connection.execute(_BYTES.sub(r"'\\x\1'::bytea", statement).encode())
        for table, name in connection.execute(query).fetchall():
            connection.execute(f"ALTER TABLE {table} ENABLE ALWAYS TRIGGER {name}".encode())


def told(folder, query):
    """What a query of the store gives, asked past the tool."""
    url = url_of(folder)
    if url is None:
        with closing(sqlite3.connect(Path(folder) / "catalogue.db")) as connection:
            return connection.execute(query).fetchall()
    with server().connect(database_in(url)) as connection:
        return connection.execute(query.encode()).fetchall()


def computed(folder):
    """The folder of what is computed from a workspace's store."""
    from kathodos.workspace.workspace import Workspace

    if ON_POSTGRES:
        cache()
    return Workspace.find(folder).store.folder
