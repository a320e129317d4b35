"""From where an entry is written: the user of the operating system and the host."""

from __future__ import annotations

import getpass
import os
import platform


def system_user() -> str:
    """The user of the operating system."""
    try:
        return getpass.getuser()
    except (OSError, KeyError):
        return f"uid:{os.getuid()}"


def place_of_work() -> dict[str, str]:
    """The user of the operating system and the host, as an entry keeps them."""
    return {"user": system_user(), "host": platform.node()}
