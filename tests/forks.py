"""Commands as if each were started anew, in half the time: forks of one process in which the libraries are loaded.

The libraries only: what the command has of its own each fork loads for itself, in the order in which it asks for it.
"""

import atexit
import functools
import importlib
import io
import json
import os
import runpy
import subprocess
import sys
import tempfile
from pathlib import Path

COMMAND = Path(sys.executable).parent / "kathodos"
LIBRARIES = (
    *("cryptography.hazmat.primitives.asymmetric.ed25519", "msgspec", "numpy", "openpyxl", "pandas", "pyarrow.compute"),
    *("pyarrow.parquet", "rfc8785", "rich.table", "rich_argparse", "scipy.sparse.csgraph", "sqlalchemy", "tomlkit"),
)


STREAMS = (("stdin", 0, "r", "surrogateescape"), ("stdout", 1, "w", "strict"), ("stderr", 2, "w", "backslashreplace"))


def run(words, cwd, environment, printed=("out", "err")):
    """What a command does, given in words: its status and what it printed, each stream into a file of its own or one.

    Where both are `printed` into one file, it is given twice.
    """
    with tempfile.TemporaryDirectory() as scratch:
        files = [f"{scratch}/{name}" for name in printed]
        call = {"words": list(map(str, words)), "cwd": str(cwd), "environment": environment, "files": files}
        parent = _parent(environment.get("PYTHONPATH", ""))
        parent.stdin.write(json.dumps(call) + "\n")
        parent.stdin.flush()
        status = int(parent.stdout.readline())
        text = [Path(file).read_text(encoding="utf-8") for file in files]
    return subprocess.CompletedProcess(words, status, *text)


@functools.cache
def _parent(path):
    """The process that is forked; `path`: where Python looks first."""
    found = subprocess.Popen(
        [sys.executable, __file__],
        env={**os.environ, "PYTHONPATH": path},
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        text=True,
    )
    atexit.register(_end, found)
    return found


def _end(parent):
    parent.stdin.close()
    parent.wait()
    parent.stdout.close()


def _serve():
    for name in LIBRARIES:
        importlib.import_module(name)
    for line in sys.stdin:
        child = os.fork()
        if not child:
            _become(json.loads(line))
        _, status = os.waitpid(child, 0)
        print(os.waitstatus_to_exitcode(status), flush=True)


def _become(call):
    """Does what a call asks in place of this process; does not come back."""
    code = 70
    try:
        for number, file in ((0, os.devnull), *enumerate(call["files"], 1)):
            os.dup2(os.open(file, os.O_RDWR | os.O_CREAT | os.O_APPEND), number)
        for name, number, mode, errors in STREAMS:
            binary = os.fdopen(number, f"{mode}b", closefd=False)
            setattr(sys, name, io.TextIOWrapper(binary, "utf-8", errors, line_buffering=name == "stderr"))
        os.chdir(call["cwd"])
        os.environ.clear()
        os.environ.update(call["environment"])
        sys.argv, sys.path[0] = [str(COMMAND), *call["words"]], str(COMMAND.parent)
        try:
            runpy.run_path(str(COMMAND), run_name="__main__")
        except SystemExit as stopped:
            code = stopped.code if isinstance(stopped.code, int) else int(bool(stopped.code))
        except BaseException:
            sys.excepthook(*sys.exc_info())
            code = 1
        sys.stdout.flush()
        sys.stderr.flush()
    finally:
        os._exit(code)


if __name__ == "__main__":
    _serve()
