"""This tool as its next version might be: with a column more here and there, another name, another kind of record.

Run as a program it is that version's command; KATHODOS_DIES_AT=N has it killed at its N-th statement that is no query.
"""

import os
import signal

from msgspec.structs import replace

from kathodos.model import kinds
from kathodos.model.kinds import Column, Form, Kind
from kathodos.store import upgrades
from kathodos.store.upgrades.steps import AddedColumn, AddedTable, RenamedColumn, Upgrade


def _altered(kind, columns):
    """A kind with other columns, everywhere in place of itself."""
    fresh = Kind(kind.name, kind.one, tuple(columns), kind.key, kind.open_ended, kind.bears_id, kind.a_log)
    for name, value in vars(kinds).items():
        if value is kind:
            setattr(kinds, name, fresh)
        elif isinstance(value, tuple) and any(it is kind for it in value):
            setattr(kinds, name, tuple(fresh if it is kind else it for it in value))
    kinds.BY_NAME[kind.name] = fresh


grants, identities, ties = kinds.GRANTS, kinds.IDENTITIES, kinds.TIES
_altered(grants, [*grants.columns, Column("weight", Form.NUMBER, default=1)])
at = [it.name for it in identities.columns].index("email") + 1  # in the middle of the others
_altered(identities, [*identities.columns[:at], Column("phone"), *identities.columns[at:]])
_altered(ties, [replace(it, name="asserted") if it.name == "said" else it for it in ties.columns])
badges = Kind("badges", "badge", (Column("badge", Form.NAME, required=True), Column("doors", Form.NUMBER)), ("badge",))
kinds.KINDS, kinds.BY_NAME["badges"] = (*kinds.KINDS, badges), badges
upgrades.UPGRADES = (
    *upgrades.UPGRADES,
    Upgrade(
        upgrades.NEWEST + 1,
        "9.9.0",
        (
            AddedColumn("grants", "weight#", "A grant says how much it weighs.", before=7),
            AddedColumn("identities", "phone", "A person has a telephone."),
            RenamedColumn("ties", "said", "asserted", "What is said of a tie is called otherwise."),
            AddedTable("badges", "badge doors#", "Badges are kept."),
        ),
    ),
)
upgrades.NEWEST += 1
import kathodos.version  # noqa: E402

kathodos.version.__version__ = "9.9.0"


def _dying(connection_of, names, last):
    """Connections that kill this process at a statement that changes something."""
    left = [last]

    class Dying(connection_of):
        pass

    def counted(name):
        real = getattr(connection_of, name)

        def run(self, statement, *more, **options):
            text = statement.decode() if isinstance(statement, bytes) else str(statement)
            if not text.lstrip().upper().startswith(("SELECT", "PRAGMA", "SET")):
                left[0] -= 1
                if not left[0]:
                    os.kill(os.getpid(), signal.SIGKILL)
            return real(self, statement, *more, **options)

        return run

    for name in names:
        setattr(Dying, name, counted(name))
    return Dying


def _may_die(last):
    import sqlite3
    from functools import partial

    import psycopg

    sqlite3.connect = partial(sqlite3.connect, factory=_dying(sqlite3.Connection, ("execute", "executemany"), last))
    dying = _dying(psycopg.Connection, ("execute",), last)
    psycopg.connect = dying.connect


if __name__ == "__main__":
    from kathodos.cli.main import run

    if "KATHODOS_DIES_AT" in os.environ:
        _may_die(int(os.environ["KATHODOS_DIES_AT"]))
    run()
