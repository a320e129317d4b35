#!/usr/bin/env python3
"""Runs a command line in a real terminal window and saves what it shows as a PNG of 1280 by 800.

    tools/terminal_shot.py OUT.png 'kathodos conflicts' [--folder DIR] [--columns N]

Needs Xvfb, xterm, ImageMagick's import and the DejaVu fonts (Debian: xvfb xterm imagemagick fonts-dejavu-core).
"""

import argparse
import os
import shlex
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

BIN = Path(__file__).resolve().parent.parent / ".venv" / "bin"
PATIENCE = 30
COLOURED = "export TERM=xterm-256color COLORTERM=truecolor"


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("out", type=Path)
    parser.add_argument("command")
    parser.add_argument("--folder", type=Path, default=Path.cwd())
    parser.add_argument("--columns", type=int, default=127, help="width of the terminal in characters")
    asked = parser.parse_args()
    missing = [tool for tool in ("Xvfb", "xterm", "import") if not shutil.which(tool)]
    if missing:
        print(f"{', '.join(missing)} is not installed; see the top of this script.", file=sys.stderr)
        return 3
    with tempfile.TemporaryDirectory() as scratch:
        done = Path(scratch) / "done"
        shown = f"printf '$ %s\\n' {shlex.quote(asked.command)}"
        script = f"{COLOURED}; clear; {shown}; {asked.command}; touch {done}; sleep {PATIENCE}"
        with virtual_screen(scratch) as display:
            terminal = subprocess.Popen(
                ["xterm", "-geometry", f"{asked.columns}x50+0+0", "-fa", "DejaVu Sans Mono", "-fs", size(asked.columns),
                 "-bg", "white", "-fg", "black", "+sb", "-e", "bash", "-c", script],
                cwd=asked.folder,
                env={**os.environ, "DISPLAY": display, "PATH": f"{BIN}:{os.environ['PATH']}"},
            )  # fmt: skip
            wait_for(done)
            time.sleep(0.7)
            subprocess.run(["import", "-display", display, "-window", "root", str(asked.out)], check=True)
            terminal.terminate()
    return 0


def size(columns: int) -> str:
    """The font size at which that many characters fit into 1280 pixels; a character is whole pixels wide."""
    pixels = 1276 // columns
    return str(round(pixels / 0.602 * 0.75, 1))


class virtual_screen:  # noqa: N801  # used as a function
    """A screen of its own for as long as the block lasts; gives the display's name."""

    def __init__(self, scratch: str) -> None:
        self.scratch = scratch

    def __enter__(self) -> str:
        read, write = os.pipe()
        self.server = subprocess.Popen(
            ["Xvfb", "-displayfd", str(write), "-screen", "0", "1280x800x24", "-wr", "-nolisten", "tcp"],
            pass_fds=(write,),
            stderr=subprocess.DEVNULL,
        )
        os.close(write)
        with os.fdopen(read) as pipe:
            return f":{pipe.readline().strip()}"

    def __exit__(self, *_: object) -> None:
        self.server.terminate()
        self.server.wait()


def wait_for(file: Path) -> None:
    end = time.monotonic() + PATIENCE
    while not file.exists() and time.monotonic() < end:
        time.sleep(0.1)


if __name__ == "__main__":
    sys.exit(main())
