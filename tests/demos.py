"""The demo workspace, laid out once for all tests that look at it; each works on a copy of its own."""

import fcntl
import shutil
import subprocess
import sys
from pathlib import Path

from tests import SHARED

COMMAND = Path(sys.executable).parent / "kathodos"


def copied(folder):
    """A copy of the demo workspace below a folder."""
    shutil.copytree(_ready() / "tarnholm", Path(folder) / "tarnholm")
    return Path(folder) / "tarnholm"


def printed():
    """What laying it out has printed."""
    return (_ready() / "printed.txt").read_text(encoding="utf-8")


def lay_out(folder):
    """Lays a demo out as a user would; gives what is printed."""
    from tools import docs

    done = subprocess.run(
        [COMMAND, "demo", "tarnholm"],
        cwd=folder,
        env=docs.surroundings(),
        check=True,
        capture_output=True,
        encoding="utf-8",
    )
    return done.stdout


def _warm(workspace):
    """Asks what takes long, so that its results are kept in every copy."""
    from tools import docs

    for words in (("excess",), ("risk", "top")):
        environment = {**docs.surroundings(), "KATHODOS_NOW": docs.NOW}
        subprocess.run([COMMAND, *words], cwd=workspace, env=environment, capture_output=True, check=False)


def _ready():
    """The folder with the workspace that all copy; whoever comes first lays it out, the others wait."""
    SHARED.mkdir(exist_ok=True)
    with (SHARED / "lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not (SHARED / "printed.txt").exists():
            text = lay_out(SHARED)
            _warm(SHARED / "tarnholm")
            (SHARED / "printed.txt").write_text(text, encoding="utf-8")
    return SHARED
