#!/usr/bin/env python3
"""Runs every command that the documentation shows, in the demo workspace, and writes its output below it.

    tools/docs.py            refreshes README.md and docs/*.md
    tools/docs.py --check    says where what is shown is not what comes out

A block ```console holds lines `$ kathodos ...`, each followed by what it prints; after a line `...` the rest is left
out. The blocks of one file run one after another in a workspace of their own, laid out by `kathodos demo`.
"""

from __future__ import annotations

import functools
import os
import re
import shlex
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Mapping
from pathlib import Path

from tests import forks

ROOT = Path(__file__).resolve().parent.parent
OFFICE = str(ROOT / "tools" / "office")  # where another user and host stand in for those of this machine
NOW = "2026-07-07T09:00:00Z"
CLOCK = re.compile(r"<!-- the clock: (\S+) -->")  # of a page whose commands are asked on another day
BLOCK = re.compile(r"```console\n(.*?)```", re.DOTALL)
HEAD = re.compile(r"\b(head) [0-9a-f]{16}\b")  # another one on each machine: entries say from where they were written
KEY = re.compile(r"(\bkey|--trust) [0-9a-f]{32}\b")  # another one in each workspace
SERVER = "postgresql+psycopg://"
EARLIER = "last-year"  # a workspace of the first version, beside that of the demo
MOST = 14


def files() -> list[Path]:
    """The documents whose commands are run."""
    return [ROOT / "README.md", *sorted((ROOT / "docs").glob("*.md"))]


def demo(folder: Path) -> Path:
    """A demo workspace below a folder."""
    command = [Path(sys.executable).parent / "kathodos", "demo", "tarnholm"]
    subprocess.run(command, cwd=folder, env=surroundings(), check=True, capture_output=True)
    return folder / "tarnholm"


def surroundings() -> dict[str, str]:
    """The variables under which a demo is laid out: who works where is made up too."""
    return {**os.environ, "COLUMNS": "110", "PYTHONPATH": OFFICE}


@functools.cache
def database() -> dict[str, str]:
    """Variables by which the server that the documentation names is one of this machine, made for it; none without."""
    sys.path.insert(0, str(ROOT))
    from kathodos.demo.services import postgres_programs
    from tests.servers import Postgres

    programs = postgres_programs()
    if programs is None:
        return {}
    server = Postgres()
    path = f"{os.environ['PATH']}:{programs}"
    return {"PGHOSTADDR": "127.0.0.1", "PGPORT": str(server.port), "PATH": path, "XDG_CACHE_HOME": str(server.folder)}


def run(command: str, workspace: Path, variables: Mapping[str, str], now: str = NOW) -> list[str]:
    """The lines that a command line prints, errors included."""
    path = f"{Path(sys.executable).parent}:{variables.get('PATH', os.environ['PATH'])}"
    own = {"KATHODOS_NOW": now, "COLUMNS": "110", "PATH": path, "KATHODOS_ACTOR": "r.lund", "PYTHONPATH": OFFICE}
    environment = {**os.environ, **variables, **own}
    words = shlex.split(command, comments=True)
    if words[0] == "kathodos" and not set(re.sub("'[^']*'", "", command)) & set('|&;<>$*?~`"'):
        done = forks.run(words[1:], workspace, environment, ("both", "both"))
    else:
        both = {"stdout": subprocess.PIPE, "stderr": subprocess.STDOUT}
        done = subprocess.run(["bash", "-c", command], cwd=workspace, env=environment, text=True, **both)
    if "Traceback" in done.stdout or (done.returncode > 1 and "# refused" not in command):
        raise AssertionError(f"{command}\n{done.stdout}")
    lines = (HEAD.sub(r"\1 3b13585d7c6b55f7", line.rstrip()) for line in done.stdout.splitlines())
    return [KEY.sub(r"\1 5d1c0f3be2a94c7790d6a1e8f4b32c15", line) for line in lines]


def refreshed(text: str, workspace: Path) -> str:
    """The document with what its commands print now; one that names a server as it is where there is none."""
    if EARLIER in text:
        shutil.copytree(ROOT / "tests" / "landed" / "0.1", workspace.parent / EARLIER, dirs_exist_ok=True)
    variables = database() if SERVER in "".join(BLOCK.findall(text)) else {"LANG": "C.UTF-8"}
    if not variables:
        return text
    clock = CLOCK.search(text)
    now = clock[1] if clock else NOW
    return BLOCK.sub(lambda block: f"```console\n{_filled(block[1], workspace, variables, now)}```", text)


def _filled(block: str, workspace: Path, variables: Mapping[str, str], now: str) -> str:
    parts = re.split(r"^(\$ .*)\n", block, flags=re.MULTILINE)[1:]
    written = ""
    for command, shown in zip(parts[::2], parts[1::2], strict=True):
        lines = run(command[2:], workspace, variables, now)
        kept = shown.splitlines()
        most = len(kept) - 1 if kept[-1:] == ["..."] else MOST
        cut = [*lines[:most], "..."] if len(lines) > most + 1 else lines
        written += f"{command}\n" + "".join(f"{line}\n" for line in cut)
    return written


def main() -> int:
    status = 0
    with tempfile.TemporaryDirectory() as scratch:
        ready = demo(Path(scratch))
        for file in files():
            workspace = Path(scratch) / file.stem / "tarnholm"
            shutil.copytree(ready, workspace)
            text = file.read_text(encoding="utf-8")
            fresh = refreshed(text, workspace)
            if text != fresh:
                print(f"{file.relative_to(ROOT)} shows something else than what comes out")
                status = 1
                if "--check" not in sys.argv:
                    file.write_text(fresh, encoding="utf-8")
    return status


if __name__ == "__main__":
    sys.exit(main())
