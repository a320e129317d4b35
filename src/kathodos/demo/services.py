"""The services that the demo reads: a simulated one always, a real directory and database where they are installed."""

from __future__ import annotations

import contextlib
import os
import shutil
import socket
import subprocess
import threading
import time
from collections.abc import Iterator, Sequence
from pathlib import Path

from kathodos.standin.scim import Standin, read_data

SUFFIX = "dc=tarnholm,dc=example"
READER, PASSWORD = f"cn=reader,{SUFFIX}", "made up for the demo"
ROSTER_PORT = 18643
_PATIENCE = 400  # quarters of a second
_SCHEMAS = Path("/etc/ldap/schema")


@contextlib.contextmanager
def roster(file: Path) -> Iterator[str]:
    """The pilots' roster as a SCIM service; its address. Where another demo has the port, it waits for its turn."""
    for patience in range(_PATIENCE, -1, -1):
        try:
            server = Standin(ROSTER_PORT if patience else 0, read_data(file))
            break
        except OSError:
            time.sleep(0.25)
    threading.Thread(target=server.serve_forever, args=(0.05,), daemon=True).start()
    try:
        yield server.url
    finally:
        server.shutdown()
        server.server_close()


def slapd() -> Path | None:
    """The directory server's program, where it is installed with its schemas."""
    found = shutil.which("slapd") or "/usr/sbin/slapd"
    return Path(found) if Path(found).exists() and (_SCHEMAS / "inetorgperson.schema").exists() else None


def free_port() -> int:
    """A port on this machine that nobody uses."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


@contextlib.contextmanager
def directory(folder: Path, ldif: Path, settings: str = "", further: Sequence[str] = ()) -> Iterator[str]:
    """A slapd in a folder of its own with some LDIF in it; its address. `settings` and `further` are its own words."""
    program = slapd()
    if program is None:
        raise FileNotFoundError("slapd")
    (folder / "data").mkdir(parents=True)
    url = f"ldap://127.0.0.1:{free_port()}"
    schemas = "".join(f"include {_SCHEMAS / name}.schema\n" for name in ("core", "cosine", "nis", "inetorgperson"))
    (folder / "slapd.conf").write_text(
        f"{schemas}modulepath /usr/lib/ldap\nmoduleload back_mdb\npidfile {folder}/pid\n{settings}\ndatabase mdb\n"
        f'suffix "{SUFFIX}"\nrootdn "{READER}"\nrootpw "{PASSWORD}"\ndirectory {folder}/data\nmaxsize 104857600\n'
        "sizelimit size.soft=50 size.hard=soft size.prtotal=unlimited\naccess to * by anonymous auth\n",
        encoding="utf-8",
    )
    load: list[str | Path] = [program.parent / "slapadd", "-q", "-f", folder / "slapd.conf", "-l", ldif]
    subprocess.run(load, check=True, capture_output=True)
    words: list[str | Path] = [program, "-f", folder / "slapd.conf", "-h", " ".join([url, *further]), "-d", "0"]
    with subprocess.Popen(words, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL) as process:
        try:
            _wait_for([url, *further])
            yield url
        finally:
            process.terminate()


def _wait_for(urls: Sequence[str]) -> None:
    """Waits until servers answer at their ports."""
    for url in (url for url in urls if url[-1].isdigit()):
        for _ in range(200):
            with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", int(url.rpartition(":")[2])), 1):
                break
            time.sleep(0.05)


def postgres_programs() -> Path | None:
    """The folder of the database server's programs; None where there is none, or no way to run it as another user."""
    newest = sorted(Path("/usr/lib/postgresql").glob("*/bin/initdb"))[-1:]
    found = shutil.which("initdb") or next(iter(newest), None)
    if found is None or (os.geteuid() == 0 and not shutil.which("setpriv")):
        return None
    return Path(found).resolve().parent


@contextlib.contextmanager
def database(folder: Path, sql: str) -> Iterator[str]:
    """A PostgreSQL server in a folder of its own, after some SQL; the address of its database."""
    import psycopg

    programs = postgres_programs()
    if programs is None:
        raise FileNotFoundError("initdb")
    folder.mkdir()
    folder.chmod(0o777)
    as_server = ("setpriv", "--reuid=65534", "--clear-groups") if os.geteuid() == 0 else ()

    def run(program: str, *words: str) -> None:
        subprocess.run([*as_server, str(programs / program), *words], cwd=folder, check=True, capture_output=True)

    data = f"{folder}/data"
    run("initdb", "--pgdata", data, "--username", "postgres", "--auth", "trust", "--no-sync", "--locale=C")
    port = free_port()
    options = f"-c listen_addresses=127.0.0.1 -c port={port} -c unix_socket_directories= -c fsync=off"
    run("pg_ctl", "start", "--pgdata", data, "--wait", "--log", f"{folder}/log", "--options", options)
    try:
        url = f"postgresql://postgres@127.0.0.1:{port}/postgres"
        with psycopg.connect(url, autocommit=True) as connection:
            connection.execute(sql.encode())
        yield url
    finally:
        run("pg_ctl", "stop", "--pgdata", data, "--mode", "immediate")
