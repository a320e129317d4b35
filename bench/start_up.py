#!/usr/bin/env python3
"""How long read commands take on the demo workspace, against the time Python takes to import what they need.

    bench/start_up.py [--rounds N]

For each command: the modules that are loaded when it has answered are imported by a fresh Python (the floor), and the
command is run as a whole process, in turn; printed are both medians, their ratio, and the command's peak memory.
"""

import argparse
import os
import shlex
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

NOW = "2026-06-15T10:00:00Z"
COMMANDS = (
    "list identities",
    "list resources --format csv",
    "show p0063",
    "reach --by p0063",
    "reach --on archive:/board/minutes",
    "reach --by p0063 --on dues:/northmole/tariffs/2026 --do view --trace",
    "reach --by p0067 --on dues:/northmole/tariffs/2026 --do edit --trace",
    "reach",
    "reach --format jsonl",
    "conflicts",
    "conflicts --by p0096",
    "review lines june",
    "review status",
    "baseline compare before-review",
    "ledger list",
    "ledger verify",
)
LOADED = "import sys; from kathodos.cli.main import main; main(sys.argv[1:]); sys.stderr.write('\\n'.join(sys.modules))"


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--rounds", type=int, default=7)
    rounds = parser.parse_args().rounds
    environment = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
    environment |= {"KATHODOS_NOW": NOW}
    with tempfile.TemporaryDirectory() as scratch:
        kathodos = str(Path(sys.executable).parent / "kathodos")
        subprocess.run([kathodos, "demo", "tarnholm"], cwd=scratch, env=environment, check=True, capture_output=True)
        here = Path(scratch) / "tarnholm"
        print(f"{'command':<72} {'import':>8} {'command':>8} {'ratio':>6} {'memory':>8}")
        for command in COMMANDS:
            words = shlex.split(command)
            floor = floor_of(words, here, environment)
            imports, whole, memory = [], [], 0
            for _ in range(rounds):
                imports.append(seconds([sys.executable, "-c", floor], here, environment)[0])
                took, peak = seconds([kathodos, *words], here, environment)
                whole.append(took)
                memory = max(memory, peak)
            low, high = statistics.median(imports), statistics.median(whole)
            print(f"{command:<72} {low:7.3f}s {high:7.3f}s {high / low:6.2f} {memory / 1024:5.0f} MB")
    return 0


def floor_of(words: list[str], folder: Path, environment: dict[str, str]) -> str:
    """A program that imports every module which the command has loaded when it is done, and nothing else."""
    done = subprocess.run(
        [sys.executable, "-c", LOADED, *words],
        cwd=folder,
        env=environment,
        stdout=subprocess.DEVNULL,
        stderr=subprocess.PIPE,
    )
    names = done.stderr.decode().splitlines()
    entries = "".join(
        f"try:\n import {name}\nexcept ImportError: pass\n" for name in names if name.isidentifier() or "." in name
    )
    return entries.replace(" import __main__\n", " pass\n")


def seconds(command: list[str], folder: Path, environment: dict[str, str]) -> tuple[float, int]:
    """Wall seconds of a process, and its peak memory in kilobytes."""
    began = time.perf_counter()
    process = subprocess.Popen(
        command, cwd=folder, env=environment, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    )
    _, _, usage = os.wait4(process.pid, 0)
    process.returncode = 0
    return time.perf_counter() - began, usage.ru_maxrss


if __name__ == "__main__":
    sys.exit(main())
