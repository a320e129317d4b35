"""What a PostgreSQL server or its client library says, in words about the store, without what was sent."""

from __future__ import annotations

import psycopg

from kathodos.errors import DataError

REFUSED = "KD001"  # the state of an error by which history is kept from being changed
_UNCHANGED = "Nothing was changed"
_BY_STATE = {
    "53100": ("has no room left on its disk", f"{_UNCHANGED}; make room on the server and run the command again."),
    "53200": ("is out of memory", f"{_UNCHANGED}; try again when less is asked of the server."),
    "53300": ("has as many connections as it takes", f"{_UNCHANGED}; try again when others are done."),
    "42501": (
        "refuses this to the login ({said})",
        f"{_UNCHANGED}; the roles that it takes are what `kathodos store setup` prints.",
    ),
    "42P01": (
        "holds no catalogue ({said})",
        "Make one with `kathodos init DIR --store URL`, or look whether the url names the right database.",
    ),
    "42703": ("is not as its version has it ({said})", "See what was altered with `kathodos ledger verify`."),
    "25006": ("may only be read ({said})", f"{_UNCHANGED}; name the server that takes changes, not its copy."),
    "3D000": ("is not there ({said})", "Make the database with `createdb`, or correct the url."),
    "28": ("refuses the login ({said})", "Look at the user of the url, and at ~/.pgpass or PGPASSFILE."),
    "57014": ("stopped the statement ({said})", f"{_UNCHANGED}; let the login's statement_timeout be longer."),
    "57P": ("was shut down or is starting", f"{_UNCHANGED}; run the command again when the server answers."),
    "23505": (
        "was written to out of turn ({said})",
        f"{_UNCHANGED}; run the command again, and find out who writes without this tool.",
    ),
    "40": ("could not let two go on at once ({said})", f"{_UNCHANGED}; run the command again."),
    "22021": ("cannot keep a text that was gathered ({said})", f"{_UNCHANGED}; correct the text in its source."),
    "54000": ("cannot hold this much in one place ({said})", f"{_UNCHANGED}; shorten what was gathered."),
    REFUSED: ("keeps its history ({said})", f"{_UNCHANGED}: what is in the ledger stays as it is."),
}
_BY_WORD = (
    (("password", "authentication", "pg_hba", "role "), "refuses the login", _BY_STATE["28"][1]),
    (("does not exist",), "is not there", _BY_STATE["3D000"][1]),
    (("timeout", "timed out"), "did not answer in time", "Look whether it runs and can be reached from here."),
    (("starting up", "shutting down", "recovery"), "was shut down or is starting", _BY_STATE["57P"][1]),
    (("too many", "remaining connection slots"), "has as many connections as it takes", _BY_STATE["53300"][1]),
    (("definition of service", "service file"), "names a service that is not set up", "Look at ~/.pg_service.conf."),
    (("certificate", "ssl"), "cannot be reached over TLS as asked", "Look at sslmode and sslrootcert in the url."),
    (("translate host", "name or service"), "has a host that is not known here", "Correct the host in the url."),
    (
        ("server closed", "terminat", "connection is lost", "connection is closed", "no connection", "reset by"),
        "broke off the connection",
        f"{_UNCHANGED}; run the command again when the server answers.",
    ),
)


def explained(place: str, error: psycopg.Error, wait: float) -> DataError:
    """An error of the database as words about the store."""
    state = error.sqlstate or ""
    if state == "55P03":
        what = f"The store {place} could not be used: another command has been writing for more than {wait:g} s."
        return DataError(what, f"{_UNCHANGED}; try again when it is done.")
    said = (error.diag.message_primary or type(error).__name__).rstrip(".")
    for known, (what, remedy) in _BY_STATE.items():
        if state.startswith(known):
            return DataError(f"The store {place} {what.format(said=said)}.", remedy)
    if isinstance(error, psycopg.OperationalError):
        lowered = str(error).lower()
        for words, what, remedy in _BY_WORD:
            if any(word in lowered for word in words):
                return DataError(f"The store {place} {what}.", remedy)
        return DataError(f"The store {place} does not answer.", "Look whether it runs and can be reached from here.")
    return DataError(
        f"The store {place} could not be used: {said}.", f"{_UNCHANGED}; show this to who runs the server."
    )


def half_character(place: str) -> DataError:
    """The error of a text that is none."""
    what = f"The store {place} cannot keep a text with half a character in it."
    return DataError(what, f"{_UNCHANGED}; correct the text in its source.")


def too_old(place: str, version: int) -> DataError:
    """The error of a server that is older than what this tool relies on."""
    what = f"The store {place} is on PostgreSQL {version // 10000}, which is too old."
    return DataError(what, "Use a server of version 12 or later.")


def not_kept(place: str) -> DataError:
    """The error of a change that the server took back."""
    what = f"The store {place} has not kept the change: a part of it had failed."
    return DataError(what, f"{_UNCHANGED}; run the command again.")


def not_known(place: str, entry: int) -> DataError:
    """The error of a connection that was lost while a change was being kept, and could not be had again."""
    what = f"The store {place} broke off while entry {entry} was being kept, and has not answered since."
    return DataError(what, f"Before doing it again, see with `kathodos ledger list` whether entry {entry} is there.")
