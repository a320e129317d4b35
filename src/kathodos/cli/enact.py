"""`kathodos enact`: carries open orders out, as worklists for owners or as corrected copies of tables."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from kathodos.cli.options import Commands, Formatter, acting, command, confirming
from kathodos.cli.session import Session

if TYPE_CHECKING:
    from kathodos.change.orders import Order
    from kathodos.report.orders import Enacted


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = command(
        commands,
        "enact",
        common,
        formatter,
        run,
        "carry open orders out: as worklists for the systems' owners, or as corrected copies of tables",
        "  kathodos enact --dry-run\n"
        "  kathodos enact dues --by worklist --out june\n"
        "  kathodos enact --by tables --out corrected   # put the copies in place, then: kathodos gather",
    )
    parser.add_argument("system", nargs="?", metavar="SYSTEM", help="only the orders of one system")
    parser.add_argument(
        "--by", choices=("worklist", "tables"), help="how (default: as kathodos.toml says for the system)"
    )
    parser.add_argument("--change", metavar="CHANGE", help="only the orders of one change")
    parser.add_argument("--out", metavar="DIR", default="enacted", help="the folder for the files (default: enacted)")
    acting(parser)
    confirming(parser)


def run(session: Session) -> int:
    from kathodos.change.orders import SetOrders
    from kathodos.model.orders import OrderState
    from kathodos.report.orders import enacted
    from kathodos.workspace.enacting import open_orders

    asked = session.arguments
    orders = open_orders(session.view, asked.system, asked.change)
    found, about = _written(session, orders, is_dry=True)
    count = len(found.files)
    if asked.dry_run or not found.about or not session.agrees(f"Write {count} files into {asked.out}?"):
        return session.answer(enacted(found))
    session.acts  # noqa: B018  # raises where that is nobody who may
    found, about = _written(session, orders, is_dry=False)
    session.carry_out(SetOrders([it.number for it in about], OrderState.HANDED_OVER))
    return session.answer(enacted(found))


def _written(session: Session, orders: list[Order], is_dry: bool) -> tuple[Enacted, list[Order]]:
    """Writes, or would write, the files that carry orders out; which orders these are."""
    from kathodos.model.times import now
    from kathodos.output.files import write_all_new
    from kathodos.output.worklists import pages_of
    from kathodos.report.orders import Enacted, worklists
    from kathodos.workspace.enacting import handed_over

    asked, view = session.arguments, session.view
    by_way: dict[tuple[str, str], list[Order]] = {}
    for order in orders:
        by_way.setdefault(_way(session, order), []).append(order)
    by_source = [(session.workspace.source(source), some) for (_, source), some in by_way.items() if source]
    found = handed_over(view, by_source, [it for (_, source), some in by_way.items() if not source for it in some])
    files = {f"{made.source}/{file.name}": file.content for made in found.copies for file in made.files}
    if found.listed:
        files |= pages_of(worklists(view, found.listed), now().date().isoformat())
    folder = Path(asked.out)
    if not is_dry:
        write_all_new(folder, files)
    carried = found.carried
    return Enacted([str(folder / name) for name in files], len(carried), found.left, found.copies, is_dry), carried


def _way(session: Session, order: Order) -> tuple[str, str]:
    """How an order is carried out, and for tables of which source."""
    way = session.arguments.by or session.workspace.configuration.way_of(str(order.values["system"] or ""))
    return (way, str(order.values["source_named"]).split(";")[0]) if way == "tables" else (way, "")
