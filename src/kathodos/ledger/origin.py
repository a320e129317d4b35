"""From where an entry is written: the user of the operating system and the host."""

from __future__ import annotations

import os
import platform
import pwd

from kathodos.model import times
from kathodos.version import __version__


def system_user() -> str:
    """The user of the operating system."""
    try:
        return pwd.getpwuid(os.getuid()).pw_name  # as the system says, whatever variables are set
    except KeyError:
        return f"uid:{os.getuid()}"


def place_of_work(store_version: int) -> dict[str, str]:
    """What an entry keeps of where it is written: the system's user, the host, the versions of program and store.

    And that another clock than the machine's was used.
    """
    place = {"user": system_user(), "host": platform.node(), "program": __version__, "store": str(store_version)}
    return {**place, "clock": "KATHODOS_NOW"} if times.is_set() else place
