"""Who acts is somebody who may, under whichever of their names, and can be made to prove it."""

import json
import os
import shutil
import subprocess
import unittest

from msgspec.structs import replace

from kathodos.ledger.origin import system_user
from tests import stores
from tests.support import Prepared, inside, lay_out, records_inside

PEOPLE = [
    {"id": "p0096", "name": "Nils Engen", "email": "nils@office.example", "manager": "boss1", "status": "active"},
    {"id": "p0097", "name": "Ånsgar Lie", "email": "", "manager": "boss1", "status": "active"},
    {"id": "boss1", "name": "Bo Sæther", "email": "bo@office.example", "manager": "", "status": "active"},
    {"id": "p0099", "name": "Nils Engen", "email": "NILS@office.example", "manager": "boss1", "status": "active"},
]
OFFICE = {
    "systems": [{"system": "s"}, {"system": "t"}],
    "identities": PEOPLE,
    "accounts": [
        {"system": "s", "login": "nengen", "identity": "p0096"},
        {"system": "t", "login": "nengen", "identity": "p0096"},
        {"system": "s", "login": "shared", "identity": "p0097"},
        {"system": "t", "login": "shared", "identity": "boss1"},
        {"system": "s", "login": "nobodys", "identity": ""},
        {"system": "s", "login": "ghostly", "identity": "p9999"},
    ],
    "actions": [{"system": "s", "action": "view"}],
    "resources": [{"resource": "s:/a"}],
    "grants": [
        {"grant": "g1", "holder": "identity:p0096", "gives": "view s:/a"},
        {"grant": "g2", "holder": "identity:p0097", "gives": "view s:/a"},
        {"grant": "g3", "holder": "identity:boss1", "gives": "view s:/a"},
    ],
}
OPEN = ("review", "open", "r", "--by-manager", "--due", "2026-07-01", "--yes")


class WhoActs(Prepared, unittest.TestCase):
    @classmethod
    def prepare(cls, folder):
        office = lay_out(folder / "office", OFFICE)
        stores.may_act(office, "auditor", "Engen, Nils", "N.E.")
        inside("gather", cwd=office)
        return office

    def mark(self, name, actor, status=0):
        return inside("baseline", "mark", name, "--as", actor, cwd=self.here, status=status)

    def actors(self):
        return [it["actor"] for it in records_inside("ledger", "list", "--kind", "baseline mark", cwd=self.here)]

    def test_one_person_is_one_actor_whatever_they_are_called(self):
        names = (" p0096", "P0096", "identity:p0096", "s/nengen", "account:t/nengen", "NENGEN", "bo@office.example ")
        for at, name in enumerate(names):
            self.mark(f"m{at}", name)
        self.assertEqual(self.actors(), ["p0096"] * 6 + ["boss1"])
        self.assertEqual(
            len(records_inside("ledger", "list", "--actor", " identity:P0096", cwd=self.here)), 6, "any of the names"
        )

    def test_whoever_is_not_known_is_refused_with_the_nearest(self):
        for name, said in (
            ("p0096.", "p0096"),
            ("nobody-at-all", "Nearest"),
            ("Nils Engen", "That is the name of p0096 and of p0099"),
            ("Ånsgar Lie", "That is the name of p0097"),
            ("shared", "may be boss1 or p0097"),
            ("nobodys", "is tied to nobody"),
            ("ghostly", "is tied to nobody"),
            ("p9999", "nobody called"),
            ("account:s/none", "nobody called"),
            ("identity:auditor", "nobody called"),
        ):
            told = self.mark("m", name, status=2).stderr
            self.assertIn(said, told, name)
            self.assertLessEqual(len(told.splitlines()), 2)
        self.assertEqual(self.actors(), [])

    def test_the_systems_user_is_no_exception(self):
        stores.may_act(self.here, "auditor")
        file = self.here / "kathodos.toml"
        file.write_text(file.read_text().replace(json.dumps(system_user()), '"somebody"'))
        self.assertIn("nobody called", inside("baseline", "mark", "m", cwd=self.here, status=2).stderr)

    def test_what_nobody_may_do_to_themselves_holds_under_every_one_of_their_names(self):
        inside(*OPEN, "--where", 'id eq "p0096"', "--as", "auditor", cwd=self.here)
        for name in ("p0096", " P0096 ", "s/nengen", "nengen", "N.E.", "p0099"):
            file = self.here / "kathodos.toml"
            if name == "N.E." and "[actors.identities]" not in file.read_text():
                file.write_text(file.read_text() + '\n[actors.identities]\n"N.E." = "p0096"\n')
            said = inside("review", "decide", "1", "certify", "--as", name, cwd=self.here, status=2).stderr
            self.assertIn("nobody decides about themselves", said, name)
        inside("review", "decide", "1", "certify", "--as", "boss1", cwd=self.here)

    def test_a_listed_name_is_whoever_bears_it(self):
        inside(*OPEN, "--where", 'id eq "p0097"', "--as", "auditor", cwd=self.here)
        stores.may_act(self.here, "auditor", "ånsgar LIE")
        said = inside("review", "decide", "1", "certify", "--as", "ånsgar LIE", cwd=self.here, status=2).stderr
        self.assertIn("nobody decides about themselves", said)

    def test_nobody_signs_off_alone_what_is_about_themselves(self):
        inside(*OPEN, "--where", 'id sw "p00" or id eq "boss1"', "--as", "auditor", cwd=self.here)
        lines = {it["identity"]: str(it["line"]) for it in records_inside("review", "lines", "r", cwd=self.here)}
        inside("review", "decide", lines["p0096"], "certify", "--as", "boss1", cwd=self.here)
        for more in ((), ("--undecided", "certify")):
            said = inside("review", "close", "r", *more, "--as", "boss1", "--yes", cwd=self.here, status=2).stderr
            self.assertIn("Nobody signs off alone", said)
        inside("review", "decide", lines["boss1"], "certify", "--as", "auditor", cwd=self.here)
        inside("review", "close", "r", "--as", "boss1", "--yes", cwd=self.here)
        self.assertEqual(
            records_inside("review", "lines", "r", "--whose", "p0096", cwd=self.here)[0]["decision"], "certify"
        )

    def test_entries_show_where_the_systems_user_is_another(self):
        self.mark("one", "auditor")
        shown = inside("ledger", "list", cwd=self.here, COLUMNS="200").stdout
        self.assertIn("By system user", shown)
        (row,) = [line for line in shown.splitlines() if "auditor" in line and "baseline mark" in line]
        self.assertIn(f"{system_user()} on ", row)
        (own,) = [line for line in shown.splitlines() if "gather" in line]
        self.assertNotIn(" on ", own)
        self.assertEqual(
            [it["origin"]["clock"] for it in records_inside("ledger", "list", cwd=self.here)], ["KATHODOS_NOW"] * 2
        )


@unittest.skipIf(shutil.which("ssh-keygen") is None, "needs ssh-keygen")
class ProvenActors(Prepared, unittest.TestCase):
    """Each entry is signed by its actor's SSH key."""

    @classmethod
    def prepare(cls, folder):
        office = lay_out(folder / "office", OFFICE)
        stores.may_act(office, "auditor")
        for name in ("auditor", "boss1", "other"):
            words = ["ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-C", name, "-f", str(office / f"{name}.key")]
            subprocess.run(words, check=True)
        allowed = "".join(f"{name} {(office / f'{name}.key.pub').read_text()}" for name in ("auditor", "boss1"))
        (office / "allowed_signers").write_text(allowed)
        stores.prove(office, "ssh")
        inside("gather", "--as", "auditor", cwd=office, KATHODOS_SSH_KEY=str(office / "auditor.key"))
        return office

    def mark(self, name, actor, key, status=0):
        words = ("baseline", "mark", name, "--as", actor)
        return inside(*words, cwd=self.here, status=status, KATHODOS_SSH_KEY=str(self.here / f"{key}.key"))

    def verify(self, status=0):
        found = json.loads(inside("ledger", "verify", "--format", "json", cwd=self.here, status=status).stdout)
        return {(it["where"], it["what"]) for it in found["discrepancies"]}

    def test_each_acts_with_their_own_key_and_nobody_with_anothers(self):
        self.mark("one", "boss1", "boss1")
        for key in ("auditor", "other"):
            said = self.mark("two", "boss1", key, status=3).stderr
            self.assertIn("is not one of boss1's", said)
        self.assertIn("could not sign", self.mark("two", "boss1", "none", status=3).stderr)
        entries = records_inside("ledger", "list", cwd=self.here)
        self.assertEqual([it["actor"] for it in entries], ["auditor", "boss1"])
        for entry in entries:
            self.assertTrue(entry["proof"].startswith("-----BEGIN SSH SIGNATURE-----"))
        self.assertEqual(self.verify(), set())

    def test_verify_finds_an_entry_that_its_actor_did_not_sign(self):
        self.mark("one", "boss1", "boss1")
        (self.here / "allowed_signers").write_text("")  # who has gone signed all the same while they were there
        self.assertEqual(self.verify(), set())
        entry = records_inside("ledger", "list", cwd=self.here)[1]
        self.forge(2, entry["proof"].replace("A", "B", 1) if "A" in entry["proof"] else entry["proof"][:-40])
        self.assertTrue(any("entry 2" in where and "boss1" in what for where, what in self.verify(status=1)))

    def test_another_hand_cannot_act_in_their_name(self):
        self.mark("one", "auditor", "auditor")
        proof = records_inside("ledger", "list", cwd=self.here)[1]["proof"]
        self.mark("two", "boss1", "boss1")
        self.forge(3, proof)
        self.assertTrue(any("entry 3" in where and "boss1" in what for where, what in self.verify(status=1)))

    def test_an_entry_that_was_to_be_signed_and_is_not_is_found(self):
        self.mark("one", "boss1", "boss1")
        text = (self.here / "kathodos.toml").read_text()
        (self.here / "kathodos.toml").write_text(text.replace('proof = "ssh"\n', ""))
        self.mark("two", "boss1", "other")  # what follows on a recorded change of the settings need not be signed
        (self.here / "kathodos.toml").write_text(text)
        self.mark("three", "boss1", "boss1")
        self.assertEqual(self.verify(), set())
        unproven = [it["number"] for it in records_inside("ledger", "list", cwd=self.here) if not it["proof"]]
        self.assertEqual(unproven, [3, 4])
        self.forge(2)
        self.assertIn(
            ("entry 2", "bears no signature of its actor, which the configuration asked for then"), self.verify(1)
        )

    def forge(self, number, proof=""):
        """Writes an entry anew with another signature, or none, with the tree and all heads: who has the key can."""
        from kathodos.ledger import merkle
        from kathodos.ledger.entries import read_entries
        from kathodos.ledger.keys import Head
        from kathodos.workspace.workspace import Workspace

        workspace = Workspace.find(self.here)
        with workspace.store.reading() as reader:
            entries = read_entries(reader)
        entries[number - 1] = replace(entries[number - 1], proof=proof)
        statements, nodes = [f"UPDATE ledger SET proof = '{proof}' WHERE number = {number}"], {}
        key, lines = workspace.keys.private(), []
        for at, entry in enumerate(entries):
            leaf = entry.leaf()
            statements.append(f"UPDATE ledger SET leaf_hash = x'{leaf.hex()}' WHERE number = {entry.number}")
            for level, position, value in merkle.grown(at, leaf, lambda *it: nodes[it]):
                nodes[level, position] = value
                where = f"level = {level} AND position = {position}"
                statements.append(f"UPDATE ledger_tree SET hash = x'{value.hex()}' WHERE {where}")
            unsigned = Head(entry.number, entry.time, merkle.root(at + 1, lambda *it: nodes[it]))
            head = Head(unsigned.size, unsigned.time, unsigned.root, key.sign(unsigned.statement()))
            values = f"root = x'{head.root.hex()}', signature = x'{head.signature.hex()}'"
            statements.append(f"UPDATE ledger_heads SET {values} WHERE size = {head.size}")
            lines.append(head.line())
        stores.altered(self.here, *statements)
        (self.here / "ledger.heads").write_text("\n".join(lines) + "\n")
        shutil.rmtree(stores.computed(self.here))

    @unittest.skipIf(shutil.which("ssh-agent") is None, "needs ssh-agent")
    def test_the_key_may_lie_in_an_agent(self):
        socket = self.folder / "agent"
        agent = subprocess.Popen(["ssh-agent", "-D", "-a", str(socket)], stdout=subprocess.DEVNULL)
        self.addCleanup(agent.wait)
        self.addCleanup(agent.terminate)
        while not socket.exists():
            pass
        environment = {**os.environ, "SSH_AUTH_SOCK": str(socket)}
        subprocess.run(["ssh-add", "-q", str(self.here / "boss1.key")], env=environment, check=True)
        (self.here / "boss1.key").unlink()
        words = ("baseline", "mark", "one", "--as", "boss1")
        public = str(self.here / "boss1.key.pub")
        inside(*words, cwd=self.here, KATHODOS_SSH_KEY=public, SSH_AUTH_SOCK=str(socket))
        self.assertEqual(self.verify(), set())


if __name__ == "__main__":
    unittest.main()
