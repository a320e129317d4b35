"""`kathodos kit`: what is asked for and given together, who may ask for it and who approves it."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from kathodos.cli.options import Commands, Formatter, as_of, command, rehearsing
from kathodos.cli.session import Session
from kathodos.errors import CallError

if TYPE_CHECKING:
    from kathodos.request.kits import ApprovalStep, Kit


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = commands.add_parser(
        "kit",
        help="kits: what is asked for and given together, who may ask for it and who approves",
        description="Make, read, change and check kits: what people ask for, who may ask and who approves.",
        epilog="example:\n  kathodos kit read quay-summer --yes --reason 'the season'\n"
        "  kathodos kit check     # each step has its own --help",
        formatter_class=formatter,
    )
    steps = parser.add_subparsers(prog=parser.prog, dest="step", metavar="STEP", required=True)
    for add_step in (_add_list, _add_show, _add_check, _add_make, _add_set, _add_read, _add_drop):
        add_step(steps, common, formatter)


def _add_list(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "list the kits, or those that somebody may ask for"
    whom = "only those that this person may ask for"
    listing = command(steps, "list", common, formatter, run_list, what, "  kathodos kit list --for p0201", whom)
    as_of(listing)


def _add_show(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "show one kit: what it gives, who may ask and approve, how many have it"
    showing = command(steps, "show", common, formatter, run_show, what, "  kathodos kit show quay-summer")
    showing.add_argument("kit", metavar="KIT", help="which kit")
    as_of(showing)


def _add_check(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "find what can never be given, what breaks a rule by itself, and what nobody may approve"
    checking = command(steps, "check", common, formatter, run_check, what, "  kathodos kit check")
    checking.add_argument("kits", nargs="*", metavar="KIT", help="which kits (default: all)")


def _content(parser: argparse.ArgumentParser, is_new: bool) -> None:
    gives = "roles, groups, or permissions as in 'view dues:/tariffs/**', each with ' on SCOPE' where it is given so"
    parser.add_argument("--gives", nargs="+", metavar="WHAT", default=[], help=gives)
    if not is_new:
        parser.add_argument("--drops", nargs="+", metavar="WHAT", default=[], help="what it gives no longer")
    parser.add_argument("--to-account", action="store_true", help="--gives: to the person's account in that system")
    approve = "who approves, a step each: manager, owner, people; a,b is one of them, a+b all of them"
    parser.add_argument("--approve", nargs="+", metavar="WHO", help=approve)
    parser.add_argument("--title", metavar="TEXT", help="what it is, in a few words")
    parser.add_argument("--owner", metavar="WHO", help="who keeps it")
    parser.add_argument("--who", metavar="FILTER", help="who may ask: a filter over people (default: everybody)")
    parser.add_argument("--domains", nargs="+", metavar="DOMAIN", help="whose mail may ask without being invited")
    parser.add_argument("--lasts", metavar="PERIOD", help="for how long unless said otherwise, as in P3M")
    parser.add_argument("--longest", metavar="PERIOD", help="for how long at most, as in P1Y")
    parser.add_argument("--says", nargs="+", metavar="NAME", help="what a request has to say")
    parser.add_argument("--hours", type=int, metavar="N", help="in an emergency it is given at once for so long")
    parser.add_argument("--told", nargs="+", metavar="WHO", help="who is told of an emergency at once")
    parser.add_argument("--looked-at-by", nargs="+", metavar="WHO", help="who looks back on an emergency")
    rehearsing(parser)


def _add_make(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "make a kit"
    example = (
        "  kathodos kit make rota --gives role:pilots/roster-reader --approve manager owner --owner p0025 --lasts P1M\n"
        "  kathodos kit make gates --gives 'view gates:/plates' role:gates/guard --approve p0107,p0110"
    )
    making = command(steps, "make", common, formatter, run_make, what, example)
    making.add_argument("kit", metavar="KIT", help="what it is called")
    _content(making, is_new=True)


def _add_set(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "change a kit: it is rehearsed, and whoever has it is told what comes and goes"
    example = "  kathodos kit set quay-summer --drops role:berths/planner --reason 'the viewer is enough' --dry-run"
    setting = command(steps, "set", common, formatter, run_set, what, example)
    setting.add_argument("kit", metavar="KIT", help="which kit")
    _content(setting, is_new=False)


def _add_read(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "make or change kits as files kits/NAME.toml say"
    example = "  kathodos kit read quay-summer --reason 'the season'"
    reading = command(steps, "read", common, formatter, run_read, what, example)
    reading.add_argument("kits", nargs="*", metavar="KIT", help="which kits (default: of every file)")
    rehearsing(reading)


def _add_drop(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "drop a kit that nobody has and nobody asks for"
    example = "  kathodos kit drop quay-summer --reason 'the season is over'"
    dropping = command(steps, "drop", common, formatter, run_drop, what, example)
    dropping.add_argument("kit", metavar="KIT", help="which kit")
    rehearsing(dropping)


def run_list(session: Session) -> int:
    from kathodos.model.kinds import IDENTITIES
    from kathodos.report.kits import kit_list
    from kathodos.request.kits import kits_in, may_ask
    from kathodos.store.naming import resolved

    view, whom = session.view, session.arguments.whom
    kits = kits_in(view.catalogue)
    if whom is not None:
        whom = resolved(view.catalogue, whom, (IDENTITIES,)).removeprefix("identity:")
        kits = [it for it in kits if may_ask(view.catalogue, it, whom, view.moment)]
    return session.answer(kit_list(view, kits, whom))


def run_show(session: Session) -> int:
    from kathodos.report.kits import kit_shown
    from kathodos.request.kits import find_kit

    return session.answer(kit_shown(session.view, find_kit(session.view.catalogue, session.arguments.kit)))


def run_check(session: Session) -> int:
    from kathodos.report.kits import kits_checked
    from kathodos.request.kits import find_kit, kits_in
    from kathodos.workspace.requests import faults_of

    view, names = session.view, session.arguments.kits
    kits = [find_kit(view.catalogue, it) for it in names] if names else kits_in(view.catalogue)
    return session.found(kits_checked(faults_of(view, kits), len(kits)))


def chain_said(words: list[str]) -> list[ApprovalStep]:
    """A chain as it is said on the command line: a step each; `a,b` is one of them, `a+b` all of them."""
    from kathodos.request.kits import ApprovalStep

    found = []
    for word in words:
        takes_all = "+" in word
        parts = [it.strip() for it in word.split("+" if takes_all else ",") if it.strip()]
        if not parts or (takes_all and "," in word):
            raise CallError(f"{word!r} is no step of a chain.", "Write manager, owner, p0101,p0102 or p0101+p0102.")
        found.append(ApprovalStep(parts, "all" if takes_all else "one"))
    return found


def _said_kit(session: Session, before: Kit | None) -> Kit:
    """The kit that the options say, beside what it is already. Raises CallError where something of it is wrong."""
    from msgspec.structs import replace

    from kathodos.request.kits import ACCOUNT, PERSON, Kit, KitEntry, checked_kit, entry_named
    from kathodos.workspace.requests import desk_of

    asked, desk = session.arguments, desk_of(session.view, session.actor)
    to = ACCOUNT if asked.to_account else PERSON
    entries = list(before.entries) if before is not None else []
    for word in getattr(asked, "drops", []):
        what, _, scope = word.partition(" on ")
        named = [it for it in entries if what in (it.gives, it.gives.partition(":")[2]) and scope in ("", it.on)]
        if not named:
            raise CallError(f"{asked.kit} does not give {word}.", f"It gives {'; '.join(it.text for it in entries)}.")
        entries = [it for it in entries if it not in named]
    for word in asked.gives:
        what, _, scope = word.partition(" on ")
        entries.append(entry_named(desk, what, scope or None, to))
    if before is None:
        steps = chain_said(asked.approve) if asked.approve else []
        kit = Kit(asked.kit, steps, [KitEntry(it.gives, it.on, it.to) for it in entries])
    else:
        kit = replace(before, entries=entries)
    values = {
        "title": asked.title,
        "owner": asked.owner,
        "receivers": asked.who,
        "domains": asked.domains,
        "lasts": asked.lasts,
        "longest": asked.longest,
        "says": asked.says,
        "hours": asked.hours,
        "told": asked.told,
        "looked_at_by": asked.looked_at_by,
    }
    kit = replace(kit, **{name: value for name, value in values.items() if value is not None})
    if before is not None and asked.approve:
        kit = replace(kit, steps=chain_said(asked.approve))
    return checked_kit(desk, kit)


def run_make(session: Session) -> int:
    from kathodos.request.kits import is_kit

    name = session.arguments.kit
    if is_kit(session.view.catalogue, name):
        raise CallError(f"There is a kit {name} already.", f"Change it: kathodos kit set {name}")
    return _change(session, None, _said_kit(session, None))


def run_set(session: Session) -> int:
    from kathodos.request.kits import find_kit

    before = find_kit(session.view.catalogue, session.arguments.kit)
    return _change(session, before, _said_kit(session, before))


def run_drop(session: Session) -> int:
    from kathodos.request.kits import find_kit

    return _change(session, find_kit(session.view.catalogue, session.arguments.kit), None)


def run_read(session: Session) -> int:
    from kathodos.report.answers import Answer
    from kathodos.request.kits import find_kit, is_kit, kit_edits
    from kathodos.workspace.requests import desk_of, kit_files, kit_of_file

    files = list(kit_files(session.workspace.folder, session.arguments.kits))
    if not files:
        raise CallError("There is no file kits/NAME.toml.", "See docs/requests.md for how one is written.")
    desk = desk_of(session.view, session.actor)
    kits = [kit_of_file(desk, name, text) for name, text in files]  # all of them are looked at before one is changed
    status, stood = 0, []
    for kit in kits:
        before = find_kit(session.view.catalogue, kit.name) if is_kit(session.view.catalogue, kit.name) else None
        if not len(kit_edits(before, kit)):
            stood.append(kit.name)
            continue
        status = max(status, _change(session, before, kit))
    if stood:
        text = f"As the file says already: {', '.join(stood)}."
        session.answer(Answer(heading=text, document={"standing": stood}))
    return status


def _change(session: Session, before: Kit | None, after: Kit | None) -> int:
    """Rehearses a change of a kit, shows it with what it does to whoever has it, asks, and applies it."""
    from kathodos.change.kept import free_name
    from kathodos.cli.changing import Applying, apply
    from kathodos.cli.telling import Delivery
    from kathodos.model.references import reference_to
    from kathodos.report.answers import Answer
    from kathodos.report.changes import nothing_to_do
    from kathodos.report.kits import kit_changed
    from kathodos.report.notices import of_kit_change
    from kathodos.request.kit_changes import ChangeKit, kit_change
    from kathodos.workspace.requests import desk_of

    kit = after or before
    assert kit is not None
    view = session.view_of(None)
    change = kit_change(desk_of(view, session.actor), view.stored, before, after)
    if not len(change.composition.edits):
        return session.answer(nothing_to_do(change.composition))
    if session.format == "table":
        session.answer(Answer(text=kit_changed(view, change)))
    applying = Applying(
        free_name(view.stored, f"kit-{kit.name}", is_plain_first=True),
        change.composition.edits,
        change.composition if change.composition.asked or change.composition.notes else None,
        reference_to("kit", kit.name),
        wrap=lambda operation: ChangeKit(before, after, operation),
        tell=lambda: Delivery(session).tell(of_kit_change(change)),
    )
    return apply(session, applying, view)
