"""A review brought to its end in time: reminders by mail, and lines that go to the next one up."""

import datetime
import email
import email.policy
import ssl
import unittest

from kathodos.demo import services
from tests import stores
from tests.support import OFFICE, Prepared, inside, lay_out, records_inside

LATE = "2026-07-02T09:00:00Z"
PEOPLE = [
    {"id": "chief", "name": "Cara Chief", "email": "cara@office.example", "department": "", "title": "", "manager": ""},
    *({**row, "email": row.get("email") or ""} for row in OFFICE["identities"]),
]
PEOPLE[1] |= {"manager": "chief"}


class Chased(Prepared):
    @classmethod
    def prepare(cls, folder):
        at = lay_out(folder / "office", {**OFFICE, "identities": PEOPLE})
        inside("gather", cwd=at)
        inside(
            "review",
            "open",
            "--yes",
            "june",
            "--where",
            "title pr",
            "--by-manager",
            "--due",
            "2026-06-30",
            "--as",
            "x",
            cwd=at,
        )
        return at

    def mails(self, folder="outbox"):
        files = sorted((self.here / folder).glob("*.eml"))
        return [email.message_from_bytes(file.read_bytes(), policy=email.policy.default) for file in files]

    def remind(self, *words, status=0, now="2026-06-20T09:00:00Z"):
        return inside("review", "remind", *words, "--yes", "--as", "x", cwd=self.here, status=status, now=now)


@stores.ABOUT_ANSWERS
class Reminders(Chased, unittest.TestCase):
    def test_each_gets_one_mail_that_tells_no_secret(self):
        self.assertIn("Reminded 1 person of 3 lines", self.remind().stdout)
        (mail,) = self.mails()
        self.assertEqual((mail["To"], mail["Subject"]), ("hanna@office.example", "3 lines to decide in june"))
        text = mail.get_content()
        self.assertIn("Hanna Head,", text)
        self.assertIn('In the review "june" 3 lines wait for your decision, due in 10 days.', text)
        self.assertIn("kathodos review walk june --as head", text)
        self.assertNotIn("dues:", text)
        (entry,) = records_inside("ledger", "list", "--kind", "review remind", cwd=self.here)
        self.assertEqual(entry["subjects"], ["review:june"])

    def test_questions_wait_too_and_nothing_is_left_unsaid(self):
        inside("review", "decide", "all", "certify", "--as", "head", cwd=self.here)
        self.assertIn("Nothing waits for anybody", self.remind().stdout)
        inside(
            "review",
            "open",
            "--yes",
            "july",
            "--where",
            "title pr",
            "--by-manager",
            "--due",
            "2026-07-30",
            "--as",
            "x",
            cwd=self.here,
        )
        inside("review", "ask", "1", "--of", "ann", "--say", "Why?", "--review", "july", "--as", "head", cwd=self.here)
        said = self.remind("july").stdout
        self.assertIn("No mail address is known of ann", said)
        self.assertEqual([it["To"] for it in self.mails()], ["hanna@office.example"])

    def test_a_template_of_one_s_own_and_what_is_wrong_with_it(self):
        own = self.here / "mail" / "reminder.txt"
        own.parent.mkdir()
        own.write_text("{{ reviewer }}: {{ reviews[0].left }} bis {{ reviews[0].due }}\n")
        self.remind()
        self.assertEqual(self.mails()[0].get_content(), "head: 3 bis 2026-06-30\n")
        for text, told in (
            ("{{ reviewer", "line 1"),
            ("{{ nothing }}", "is undefined"),
            ("\n", "says nothing"),
            ("{{ reviewer.__class__.__mro__ }}", "unsafe"),
        ):
            own.write_text(text)
            said = self.remind("--outbox", "second", status=3).stderr
            self.assertIn("reminder.txt", said)
            self.assertIn(told, said)
        self.assertFalse((self.here / "second").exists())

    def test_names_are_no_headers_and_no_template(self):
        table = self.here / "tables" / "identities.csv"
        name = '"{{ 7 * 7 }}\nBcc: all@office.example"'
        table.write_text(table.read_text().replace("Hanna Head", name))
        inside("gather", cwd=self.here)
        self.remind()
        (mail,) = self.mails()
        self.assertIsNone(mail["Bcc"])
        self.assertIn("{{ 7 * 7 }}", mail.get_content())


class Escalation(Chased, unittest.TestCase):
    def escalate(self, *words, status=0, now=LATE):
        return inside("review", "escalate", "--yes", *words, "--as", "x", cwd=self.here, status=status, now=now)

    def test_what_is_late_goes_to_the_next_one_up(self):
        inside("review", "decide", "1", "certify", "--as", "head", cwd=self.here)
        self.assertIn("is not overdue", self.escalate("--yes", status=2, now="2026-06-30T20:00:00Z").stderr)
        self.assertIn("Would pass on 2 lines", self.escalate("--dry-run").stdout)
        said = self.escalate("--yes").stdout
        self.assertIn("2 lines of head to chief", said)
        found = {it["line"]: it["reviewer"] for it in records_inside("review", "lines", "june", cwd=self.here)}
        self.assertEqual(found, {1: "head", 2: "chief", 3: "chief"})
        said = self.escalate("--yes", status=2).stderr
        self.assertIn("could go to somebody above its reviewer", said)
        lines = records_inside("review", "lines", "june", "--reviewer", "chief", cwd=self.here)
        self.assertEqual(lines[0]["remarks"][0]["text"], "not decided by 2026-06-30")

    def test_never_to_the_one_whom_it_is_about(self):
        words = ("--where", 'id eq "ann"', "--reviewers", "bo", "--due", "2026-06-30", "--as", "x")
        inside("review", "open", "--yes", "own", *words, cwd=self.here)
        table = self.here / "tables" / "identities.csv"
        rows = table.read_text().replace("Bo Clerk,Dues,Clerk,head", "Bo Clerk,Dues,Clerk,ann")
        table.write_text(rows.replace("bo,Bo Clerk,,Dues,Clerk,head", "bo,Bo Clerk,,Dues,Clerk,ann"))
        inside("gather", cwd=self.here)
        self.assertEqual(
            records_inside("list", "identities", "--where", 'id eq "bo"', cwd=self.here)[0]["manager"], "ann"
        )
        self.assertIn("could go to somebody above", self.escalate("own", "--yes", status=2).stderr)

    def test_nor_to_another_identity_with_the_same_mail(self):
        table = self.here / "tables" / "identities.csv"
        rows = table.read_text().replace("hanna@office.example", "Ann@Office.example").splitlines(keepends=True)
        table.write_text("".join(it.replace(",,Dues,Clerk", ",ann@office.example,Dues,Clerk") for it in rows))
        inside("gather", cwd=self.here)
        words = ("--where", 'id eq "ann"', "--reviewers", "bo", "--due", "2026-06-30", "--as", "x")
        inside("review", "open", "--yes", "twin", *words, cwd=self.here)
        mails = {it["id"]: it["email"] for it in records_inside("list", "identities", cwd=self.here)}
        self.assertEqual((mails["ann"], mails["head"]), ("ann@office.example", "Ann@Office.example"))
        self.assertIn("could go to somebody above", self.escalate("twin", "--yes", status=2).stderr)


@stores.ABOUT_ANSWERS
class AServer(Chased, unittest.TestCase):
    """A real mail server on this machine, which takes nothing before the connection is encrypted."""

    def setUp(self):
        super().setUp()
        from aiosmtpd.controller import Controller
        from aiosmtpd.smtp import AuthResult

        self.taken = taken = []

        class Keeps:
            async def handle_DATA(self, server, session, envelope):  # noqa: N802  # the name that the server calls
                taken.append((envelope.rcpt_tos, bool(session.ssl), email.message_from_bytes(envelope.content)))
                return "250 kept"

        key, certificate = _certificate(self.folder)
        context = ssl.create_default_context(ssl.Purpose.CLIENT_AUTH)
        context.load_cert_chain(certificate, key)

        def login(server, session, envelope, mechanism, data):
            return AuthResult(success=(data.login, data.password) == (b"office", b"sesame street"), handled=False)

        options = {"require_starttls": True, "auth_required": True, "authenticator": login}
        port = services.free_port()
        self.server = Controller(Keeps(), hostname="127.0.0.1", port=port, tls_context=context, **options)
        self.server.start()
        self.addCleanup(self.server.stop)
        (self.here / "secret").write_text("sesame street\n")
        self.block = f'\n[mail]\nfrom = "reviews@office.example"\nsmtp = "localhost:{port}"\nca = "{certificate}"\n'
        self.block += 'user = "office"\npassword = "file:secret"\n'
        self.configuration = (self.here / "kathodos.toml").read_text()

    def configured(self, block):
        (self.here / "kathodos.toml").write_text(self.configuration + block)

    def test_mail_is_sent_encrypted(self):
        self.configured(self.block)
        said = self.remind()
        self.assertIn("through localhost:", said.stdout)
        ((to, is_encrypted, mail),) = self.taken
        self.assertEqual((to, is_encrypted), (["hanna@office.example"], True))
        self.assertEqual(mail["From"], "reviews@office.example")
        self.assertFalse((self.here / "outbox").exists())

    def test_what_goes_wrong_is_told_and_no_secret_with_it(self):
        for block, told in (
            (self.block.replace(self.block.split('ca = "')[1].split('"')[0], "no-such-file"), "no-such-file"),
            (self.block.replace('user = "office"', 'user = "nobody"'), "535"),
            (self.block + "starttls = false\n", "not encrypted"),
            ('\n[mail]\nsmtp = "localhost:1"\n', "localhost:1"),
            ('\n[mail]\nsmtp = "localhost"\n', "smtp"),
            (self.block.replace("file:secret", "sesame street"), "no secret stands"),
        ):
            self.configured(block)
            said = self.remind(status=None)
            self.assertIn(said.returncode, (2, 3), block)
            self.assertIn(told, said.stderr)
            self.assertNotIn("Traceback", said.stderr)
        self.assertEqual(self.taken, [])


def _certificate(folder):
    """A key and a certificate for localhost, signed by itself."""
    from cryptography import x509
    from cryptography.hazmat.primitives import hashes, serialization
    from cryptography.hazmat.primitives.asymmetric import ec
    from cryptography.x509.oid import NameOID

    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "localhost")])
    now = datetime.datetime.now(datetime.UTC)
    made = x509.CertificateBuilder().subject_name(name).issuer_name(name).public_key(key.public_key())
    made = (
        made.serial_number(1).not_valid_before(now - datetime.timedelta(1)).not_valid_after(now + datetime.timedelta(1))
    )
    made = made.add_extension(x509.SubjectAlternativeName([x509.DNSName("localhost")]), critical=False)
    certificate = made.sign(key, hashes.SHA256()).public_bytes(serialization.Encoding.PEM)
    private = key.private_bytes(
        serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    )
    files = folder / "key.pem", folder / "certificate.pem"
    for file, content in zip(files, (private, certificate), strict=True):
        file.write_bytes(content)
    return files


if __name__ == "__main__":
    unittest.main()
