"""`kathodos role`: roles made from what was used, put together, taken apart, compared and moved."""

from __future__ import annotations

import argparse

from kathodos.cli import role_exchange, role_from_roles, role_from_use, role_grid, role_suggest
from kathodos.cli.options import Commands, Formatter


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = commands.add_parser(
        "role",
        help="make roles from what work touches; combine, split, compare, move and suggest them",
        description="Shape roles. Each result is a change: what it does to everyone is shown before it is applied.",
        epilog="example:\n  kathodos role distil berths/morning --by p0201 --since 2026-06-01 --dry-run\n"
        "  kathodos role against berths/planner --by p0201 --since 2026-06-01     # each step has its own --help",
        formatter_class=formatter,
    )
    steps = parser.add_subparsers(prog=parser.prog, dest="step", metavar="STEP", required=True)
    role_from_use.add(steps, common, formatter)
    role_from_roles.add(steps, common, formatter)
    role_exchange.add(steps, common, formatter)
    role_grid.add(steps, common, formatter)
    role_suggest.add(steps, common, formatter)
