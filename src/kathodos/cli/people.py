"""`kathodos people`: invite, activate, suspend, bring back, let go, merge; lists by status."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from kathodos.cli.changing import desk, take_up
from kathodos.cli.options import Commands, Formatter, acting, assuming, collecting, command, confirming, long_answer
from kathodos.cli.session import Session
from kathodos.errors import CallError

if TYPE_CHECKING:
    from kathodos.change.people import Invitation
    from kathodos.store.records import Stored

_STATUSES = ("invited", "active", "suspended", "left")


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = commands.add_parser(
        "people",
        help="invite, activate, suspend, bring back, let go and merge people; lists by status",
        description="Change who is there: what a source brings is ordered, who is kept here is altered at once.",
        epilog="example:\n  kathodos people invite 'Ane Holm, ane.holm@example.org'   # each step has its own --help",
        formatter_class=formatter,
    )
    steps = parser.add_subparsers(prog=parser.prog, dest="step", metavar="STEP", required=True)
    for add_step in (_add_list, _add_invite, _add_activate, _add_suspend, _add_back, _add_leave, _add_merge):
        add_step(steps, common, formatter)


def _add_list(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "list people by status: when they were invited, last signed in, suspended, left"
    listing = command(steps, "list", common, formatter, run_list, what, "  kathodos people list --status invited")
    listing.add_argument("--status", choices=_STATUSES, help="only those with this status")
    listing.add_argument("--where", metavar="FILTER", help="only those that this filter selects")
    long_answer(listing)
    assuming(listing)


def _add_invite(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "invite people, by a line each or from a table with name and email"
    example = (
        "  kathodos people invite 'Ane Holm, ane.holm@example.org' --reason 'summer staff'\n"
        "  kathodos people invite --file summer.csv"
    )
    inviting = command(steps, "invite", common, formatter, run_invite, what, example)
    inviting.add_argument("lines", nargs="*", metavar="LINE", help="as in 'Ane Holm, ane.holm@example.org'")
    inviting.add_argument(
        "--file", metavar="FILE", help="a table with the columns name and email, and any others of people"
    )
    inviting.add_argument("--namesake", action="store_true", help="also who bears the name of somebody who is there")
    collecting(inviting)


def _about(
    steps: Commands, common: argparse.ArgumentParser, formatter: Formatter, name: str, what: str
) -> argparse.ArgumentParser:
    runs = {"activate": run_activate, "suspend": run_suspend, "back": run_back, "leave": run_leave}
    parser = command(steps, name, common, formatter, runs[name], what, f"  kathodos people {name} p0151 p0152")
    parser.add_argument("who", nargs="*", metavar="WHO", help="people")
    parser.add_argument("--where", metavar="FILTER", help="also those that this filter selects")
    parser.add_argument("--file", metavar="FILE", help="also those that a table names in its column id or email")
    collecting(parser)
    return parser


def _add_activate(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    _about(steps, common, formatter, "activate", "make those active who were invited")


def _add_suspend(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "suspend people: their accounts are disabled, and what they hold waits for them"
    _about(steps, common, formatter, "suspend", what)


def _add_back(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "bring people back who were suspended or have left, with what they held"
    _about(steps, common, formatter, "back", what)


def _add_leave(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "let people go: accounts are disabled, and what they were given themselves ends"
    leaving = _about(steps, common, formatter, "leave", what)
    leaving.add_argument("--on", metavar="DATE", help="the last day (default: today)")


def _add_merge(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "merge two identities of one person for good: all of the first moves to the second"
    example = "  kathodos people merge p0209 p0208 --reason 'hired twice; both are Sindre Hegge'"
    merging = command(steps, "merge", common, formatter, run_merge, what, example)
    merging.add_argument("gone", metavar="ONE", help="who goes; its id and mail stay as aliases")
    merging.add_argument("stays", metavar="OTHER", help="who stays")
    long_answer(merging)
    acting(merging)
    confirming(merging)


def run_list(session: Session) -> int:
    from kathodos.report.people import people_list

    asked = session.arguments
    is_table = session.format == "table"
    return session.answer(people_list(session.view, asked.status, asked.where, session.most, is_table))


def run_invite(session: Session) -> int:
    from kathodos.change.people import invitation_of, invite

    asked = session.arguments
    invitations = [invitation_of(line) for line in asked.lines]
    if asked.file is not None:
        invitations += _invitations_in(asked.file)
    if not invitations:
        raise CallError("Nobody is named.", "Write a line as in 'Ane Holm, ane.holm@example.org', or --file FILE.")
    return take_up(session, invite(desk(session), invitations, asked.namesake))


def _invitations_in(file: str) -> list[Invitation]:
    from kathodos.change.people import Invitation
    from kathodos.report.people import rows_of_file

    return [
        Invitation({name: cell for name, cell in cells.items() if cell}, where) for cells, where in rows_of_file(file)
    ]


def _ids(session: Session) -> list[str]:
    """The ids of the people who are meant. Raises CallError that tells all who are unknown."""
    from kathodos.model.kinds import IDENTITIES
    from kathodos.report.people import rows_of_file

    asked, view = session.arguments, session.view
    names = list(asked.who)
    if asked.file is not None:
        for cells, where in rows_of_file(asked.file):
            name = cells.get("id") or cells.get("email") or cells.get("name")
            if not name:
                raise CallError(f"{where} names nobody.", "Give it a column id or email.")
            names.append(name)
    found = [it.partition(":")[2] for it in desk(session).holders(names, (IDENTITIES,), with_everyone=False)]
    if asked.where is not None:
        numbers = view.askers_selected(asked.where)
        found += [view.index.holders.identities[it] for it in numbers.tolist() if it < view.index.holders.people]
    if not found:
        raise CallError("Nobody is named.", "Name people, or select them with --where FILTER or --file FILE.")
    return list(dict.fromkeys(found))


def run_activate(session: Session) -> int:
    from kathodos.change.people import activate

    return take_up(session, activate(desk(session), _ids(session)), "people activate")


def run_suspend(session: Session) -> int:
    from kathodos.change.people import suspend

    return take_up(session, suspend(desk(session), _ids(session)), "people suspend")


def run_leave(session: Session) -> int:
    from kathodos.change.people import depart
    from kathodos.model.times import normal_moment

    asked = session.arguments
    try:
        day = normal_moment(asked.on) if asked.on else None
    except ValueError as error:
        raise CallError(f"--on {asked.on} is no day: {error}.") from None
    return take_up(session, depart(desk(session), _ids(session), day), "people leave")


def run_back(session: Session) -> int:
    from kathodos.change.people import bring_back

    records = session.view.stored
    ids = _ids(session)
    return take_up(
        session, bring_back(desk(session), records, {one: _before(session, one) for one in ids}), "people back"
    )


def _before(session: Session, one: str) -> Stored:
    """The catalogue as it was just before somebody was suspended or left."""
    from kathodos.change.people import last_there
    from kathodos.store.records import Stored

    records = session.view.stored
    entry = last_there(records, desk(session).records, one)
    if entry is None:
        raise CallError(f"{one} is neither suspended nor has left.", "There is nobody to bring back.")
    return Stored(records.histories, entry)


def run_merge(session: Session) -> int:
    from kathodos.change.merging import MergeIdentities, must_not_be_merged
    from kathodos.model.kinds import IDENTITIES
    from kathodos.report.people import merge_told, merged
    from kathodos.store.naming import resolved
    from kathodos.workspace.rehearsing import rehearse_plan

    asked, view = session.arguments, session.view
    must_not_be_merged(view.stored, asked.gone)
    gone, stays = (resolved(view.stored, it, (IDENTITIES,)).partition(":")[2] for it in (asked.gone, asked.stays))
    operation = MergeIdentities(gone, stays)
    plan, planned = view.plan(operation, session.actor, session.reason)
    told = merge_told(planned, rehearse_plan(view, plan))
    if asked.dry_run or session.format == "table":
        session.answer(told)
    if asked.dry_run:
        return 0
    if not session.agrees(f"Merge {gone} into {stays}? It cannot be undone."):
        return 0
    done = session.carry_out(operation)
    return session.answer(merged(done.result, done.entry))
