"""Who may open what a workspace keeps: the owner alone, unless it is configured otherwise."""

from __future__ import annotations

import os
from pathlib import Path

OWNER = 0o600


def made(file: Path, mode: int) -> None:
    """Makes a file that is not there, with this mode whatever the process would give it. Raises FileExistsError."""
    handle = os.open(file, os.O_WRONLY | os.O_CREAT | os.O_EXCL, mode)
    try:
        os.fchmod(handle, mode)
    finally:
        os.close(handle)


def folder_mode(mode: int) -> int:
    """The mode of a folder whose files have one: who may read them may look into it."""
    return mode | (mode & 0o444) >> 2
