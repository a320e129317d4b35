"""Proof of who acts by SSH keys: signatures in the SSHSIG format, made and checked by `ssh-keygen -Y`.

A file in the format of `allowed_signers` (ssh-keygen(1)) says whose key is whose. The key itself may lie in an agent.
"""

from __future__ import annotations

import os
import subprocess
import tempfile
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from kathodos.errors import DataError
from kathodos.ledger.hand import Proof, Signed

NAMESPACE = "kathodos"
KEY_VARIABLE = "KATHODOS_SSH_KEY"
_KEYS = ("id_ed25519", "id_ecdsa", "id_rsa")
_PATIENCE = 120.0  # seconds for somebody to type a passphrase or to touch a key
_AT_ONCE = 8


class SSHProof(Proof):
    """`allowed_signers`: the file that says whose key is whose now; `key`: the one to sign with (None: the usual)."""

    def __init__(self, allowed_signers: Path = Path("allowed_signers"), key: str | None = None) -> None:
        self.allowed_signers = allowed_signers
        self.key = key

    def signed(self, actor: str, statement: bytes, time: str) -> str:
        key = self._key()
        words = ["ssh-keygen", "-Y", "sign", "-q", "-n", NAMESPACE, "-f", str(key)]
        done = _run(words, statement)
        if done.returncode or not done.stdout.startswith(b"-----BEGIN SSH SIGNATURE-----"):
            what = f"The key {key} could not sign: {_said(done)}."
            raise DataError(what, f"Nothing was changed. Name your key with {KEY_VARIABLE}, or add it to your agent.")
        signature = done.stdout.decode("ascii")
        wrong = self._is_wrong(Signed(actor, statement, signature, time))
        if wrong:
            what = f"The key {key} is not one of {actor}'s: {wrong}."
            remedy = f"Nothing was changed. Act in your own name, or let your key be entered in {self.allowed_signers}."
            raise DataError(what, remedy)
        return signature

    def wrong_among(self, statements: Sequence[Signed]) -> list[str]:
        with ThreadPoolExecutor(_AT_ONCE) as pool:
            return list(pool.map(self._is_wrong, statements))

    def _is_wrong(self, signed: Signed) -> str:
        if signed.allowed_signers is None and not self.allowed_signers.is_file():
            raise DataError(
                f"{self.allowed_signers} is not there, and says whose key is whose.",
                "Write a line for each person: NAME KEYTYPE KEY, as ssh-keygen(1) describes allowed_signers.",
            )
        when = "".join(letter for letter in signed.time[:19] if letter.isdigit())
        with tempfile.TemporaryDirectory() as scratch:
            signature, signers = Path(scratch) / "signature", self.allowed_signers
            signature.write_text(signed.signature, encoding="utf-8", errors="replace")
            if signed.allowed_signers is not None:
                signers = Path(scratch) / "allowed_signers"
                signers.write_text(signed.allowed_signers, encoding="utf-8", errors="replace")
            words = ["ssh-keygen", "-Y", "verify", "-n", NAMESPACE, "-f", str(signers)]
            words += ["-I", signed.actor, "-s", str(signature), f"-Overify-time={when}"]
            done = _run(words, signed.statement)
        return _said(done) if done.returncode else ""

    def _key(self) -> str:
        named = os.environ.get(KEY_VARIABLE) or self.key
        if named:
            return str(Path(named).expanduser())
        folder = Path.home() / ".ssh"
        for name in _KEYS:
            for file in (folder / name, folder / f"{name}.pub"):
                if file.is_file():
                    return str(file)
        what = '[actors] proof = "ssh" in kathodos.toml wants each entry signed, and there is no SSH key in ~/.ssh.'
        raise DataError(what, f"Nothing was changed. Make one with ssh-keygen, or name yours with {KEY_VARIABLE}.")


def _run(words: Sequence[str], statement: bytes) -> subprocess.CompletedProcess[bytes]:
    surroundings = {**os.environ, "TZ": "UTC", "LC_ALL": "C"}
    try:
        return subprocess.run(words, input=statement, capture_output=True, env=surroundings, timeout=_PATIENCE)
    except FileNotFoundError:
        remedy = "Nothing was changed. Install OpenSSH's client programs."
        raise DataError("ssh-keygen is not installed, and entries are signed with SSH keys here.", remedy) from None
    except subprocess.TimeoutExpired:
        remedy = "Nothing was changed. Unlock the key, or add it to your agent, and run the command again."
        raise DataError(f"ssh-keygen did not answer within {_PATIENCE:g} s.", remedy) from None


def _said(done: subprocess.CompletedProcess[bytes]) -> str:
    said = (done.stderr or done.stdout).decode("utf-8", "replace").strip().splitlines()
    return said[-1].rstrip(".") if said else f"ssh-keygen ended with {done.returncode}"
