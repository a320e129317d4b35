"""Step of `kathodos role` that looks for roles in what people hold: suggest."""

from __future__ import annotations

import argparse

from msgspec.structs import replace

from kathodos.cli.changing import desk, take_up
from kathodos.cli.options import Commands, Formatter, collecting, command
from kathodos.cli.session import Session
from kathodos.errors import CallError


def add(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    """Adds the step."""
    what = "suggest few roles that give everybody what they were given one by one, and explain whom each is for"
    example = (
        "  kathodos role suggest --system dues\n"
        "  kathodos role suggest --where 'department eq \"Dues office\"' --make --into tidy"
    )
    parser = command(steps, "suggest", common, formatter, run_suggest, what, example)
    parser.add_argument("--system", nargs="+", metavar="SYSTEM", default=[], help="only in these systems")
    parser.add_argument("--where", metavar="FILTER", help="only what the people that this filter selects hold")
    used = "only what was used within P6M, P30D ...; the rest stays given by itself"
    parser.add_argument("--used-within", metavar="PERIOD", help=used)
    fewest = "people and accounts that a role has to be for (default: 3)"
    parser.add_argument("--fewest", type=int, metavar="N", default=3, help=fewest)
    parser.add_argument("--most", type=int, metavar="N", help="roles at most in a system; the rest stay exceptions")
    lack = "share of a role that whoever gets it may lack, and would get (default: 0, nobody gets anything new)"
    parser.add_argument("--tolerate", type=float, metavar="SHARE", default=0.0, help=lack)
    seconds = "seconds for the search in whole numbers, in each system (default: 30)"
    parser.add_argument("--seconds", type=float, metavar="N", default=30.0, help=seconds)
    parser.add_argument("--only", nargs="+", metavar="ROLE", default=[], help="only these of the suggested roles")
    parser.add_argument("--make", action="store_true", help="make the roles and move everybody onto them")
    parser.add_argument("--inactive", action="store_true", help="make the roles, but let them give nothing yet")
    collecting(parser)


def run_suggest(session: Session) -> int:
    from kathodos.model.periods import later
    from kathodos.model.times import microseconds, now
    from kathodos.report.shaping.suggest import suggestion
    from kathodos.roles.mining.cover import MiningTerms
    from kathodos.workspace.suggesting import moving, only_named, suggested

    asked, here = session.arguments, desk(session)
    if asked.fewest < 1 or (asked.most is not None and asked.most < 1) or asked.seconds <= 0:
        raise CallError("--fewest, --most and --seconds are at least 1.", "Correct it.")
    if not 0 <= asked.tolerate < 1:
        raise CallError(f"--tolerate {asked.tolerate} is no share.", "Write it as 0.2.")
    weights = session.workspace.configuration.mining_weights
    terms = MiningTerms(weights, asked.fewest, asked.most, asked.tolerate, asked.seconds)
    since = None
    if asked.used_within is not None:
        try:
            since = microseconds(later(now(), asked.used_within, -1))
        except ValueError as error:
            raise CallError(f"--used-within {asked.used_within} is no period.", f"{error}.") from None
    found = suggested(session.view, here, terms, asked.system, asked.where, since)
    found = only_named(found, asked.only) if asked.only else found
    answer = suggestion(found, session.most)
    if not asked.make:
        if asked.into is not None or asked.inactive:
            raise CallError("Nothing is made yet.", "Add --make to make the roles that are suggested.")
        return session.answer(answer)
    return take_up(session, moving(here, found, not asked.inactive), "suggested", replace(answer, hint=""))
