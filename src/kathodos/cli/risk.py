"""`kathodos risk`: scores from 0 to 100 whose parts add up - who is highest, why, and how it moved."""

from __future__ import annotations

import argparse

from kathodos.cli.options import Commands, Formatter, about_state, command
from kathodos.cli.session import Session

KINDS = ("identities", "accounts", "roles", "resources", "systems")


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = commands.add_parser(
        "risk",
        help="risk scores: the highest, one explained, how they moved",
        description="Risk from 0 to 100, made of parts that add up; kathodos.toml says their weights.",
        epilog="example:\n  kathodos risk top        # each step has its own --help",
        formatter_class=formatter,
    )
    steps = parser.add_subparsers(prog=parser.prog, dest="step", metavar="STEP", required=True)
    example = "  kathodos risk top\n  kathodos risk top --of roles --most 5\n"
    example += "  kathodos list identities --where 'risk gt 40'"
    top = command(steps, "top", common, formatter, run_top, "list the highest scores", example)
    top.add_argument("--of", choices=KINDS, default="identities", help="of what (default: identities)")
    top.add_argument("--most", type=int, default=15, help="how many (default: 15)")
    what = "explain one score: each part, what it adds, and why"
    show = command(steps, "show", common, formatter, run_show, what, "  kathodos risk show p0063")
    show.add_argument("reference", metavar="REF", help="an identity, account, role, resource or system")
    what = "show how scores moved over the baselines to the present"
    trend = command(steps, "trend", common, formatter, run_trend, what, "  kathodos risk trend --by p0063")
    trend.add_argument("--by", metavar="REF", help="one identity")
    for parser in (top, show):
        about_state(parser)


def run_top(session: Session) -> int:
    from kathodos.report.risk import highest

    return session.found(highest(session.view, session.arguments.of, session.arguments.most))


def run_show(session: Session) -> int:
    from kathodos.report.risk import explained

    return session.found(explained(session.view, session.arguments.reference, session.format == "csv"))


def run_trend(session: Session) -> int:
    from kathodos.report.risk import trend

    return session.answer(trend(session.view, session.view_of, session.arguments.by))
