"""From where an entry is written: the user of the operating system and the host."""

from __future__ import annotations

import os
import platform
import pwd

from kathodos.model import times


def system_user() -> str:
    """The user of the operating system."""
    try:
        return pwd.getpwuid(os.getuid()).pw_name  # as the system says, whatever variables are set
    except KeyError:
        return f"uid:{os.getuid()}"


def place_of_work() -> dict[str, str]:
    """The system's user and the host, as an entry keeps them, and that another clock than the machine's was used."""
    place = {"user": system_user(), "host": platform.node()}
    return {**place, "clock": "KATHODOS_NOW"} if times.is_set() else place
