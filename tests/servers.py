"""Real servers that tests start for themselves in a temporary folder: a directory, and what stands between."""

import contextlib
import datetime
import ipaddress
import shutil
import socket
import subprocess
import threading
import time
from pathlib import Path

SCHEMAS = Path("/etc/ldap/schema")
ROOT, PASSWORD = "cn=reader,dc=tarnholm,dc=example", "a secret of the tests"
SLAPD = shutil.which("slapd") or ("/usr/sbin/slapd" if Path("/usr/sbin/slapd").exists() else None)


def free_port():
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


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
    """A slapd with the given LDIF in it."""

    def __init__(self, folder, ldif):
        self.folder = folder
        (folder / "data").mkdir(parents=True)
        certificate(folder)
        self.port, self.tls_port = free_port(), free_port()
        self.url, self.tls_url = f"ldap://127.0.0.1:{self.port}", f"ldaps://localhost:{self.tls_port}"
        includes = "".join(f"include {SCHEMAS / name}.schema\n" for name in ("core", "cosine", "nis", "inetorgperson"))
        (folder / "slapd.conf").write_text(
            f"{includes}modulepath /usr/lib/ldap\nmoduleload back_mdb\npidfile {folder}/pid\n"
            f"TLSCertificateFile {folder}/server.pem\nTLSCertificateKeyFile {folder}/server.key\n"
            f'database mdb\nsuffix "dc=tarnholm,dc=example"\nrootdn "{ROOT}"\nrootpw "{PASSWORD}"\n'
            f"directory {folder}/data\nmaxsize 104857600\n"
            "sizelimit size.soft=50 size.hard=soft size.prtotal=unlimited\n"
            f"access to * by anonymous auth\n"
        )
        (folder / "first.ldif").write_text(ldif)
        load = ["slapadd", "-q", "-f", folder / "slapd.conf", "-l", folder / "first.ldif"]
        subprocess.run([Path(SLAPD).parent / load[0], *load[1:]], check=True, capture_output=True)
        address = f"{self.url} {self.tls_url.replace('localhost', '127.0.0.1')}"
        words = [SLAPD, "-f", folder / "slapd.conf", "-h", address, "-d", "0"]
        self.process = subprocess.Popen(words, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        for _ in range(200):
            with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", self.tls_port), 1):
                return
            time.sleep(0.05)
        raise AssertionError("slapd did not start")

    def change(self, ldif):
        words = ["ldapmodify", "-x", "-H", self.url, "-D", ROOT, "-w", PASSWORD]
        subprocess.run(words, input=ldif, text=True, check=True, capture_output=True)

    def stop(self):
        self.process.terminate()
        self.process.wait()


class Cutting:
    """A way to a server that breaks off after so many bytes of its answers."""

    def __init__(self, port, after):
        self.server = socket.create_server(("127.0.0.1", 0))
        self.port = self.server.getsockname()[1]
        self.thread = threading.Thread(target=self._serve, args=(port, after), daemon=True)
        self.thread.start()

    def _serve(self, port, left):
        client, _ = self.server.accept()
        with client, socket.create_connection(("127.0.0.1", port)) as behind:
            threading.Thread(target=_pass_on, args=(client, behind), daemon=True).start()
            while left > 0 and (data := behind.recv(min(4096, left))):
                client.sendall(data)
                left -= len(data)
        self.server.close()


def _pass_on(client, behind):
    with contextlib.suppress(OSError):
        while data := client.recv(4096):
            behind.sendall(data)
