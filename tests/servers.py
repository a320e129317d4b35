"""Real servers that tests start for themselves in a temporary folder: a directory, and what stands between."""

import contextlib
import datetime
import ipaddress
import socket
import subprocess
import threading
import urllib.parse

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
