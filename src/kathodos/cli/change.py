"""`kathodos change`: compose edits of access, see what they do to everyone, apply them, take them back."""

from __future__ import annotations

import argparse
from functools import partial

from kathodos.cli.changing import Applying, apply, desk, edits_so_far, show_rehearsal, take_up
from kathodos.cli.options import (
    Commands,
    Formatter,
    acting,
    as_of,
    collecting,
    command,
    confirming,
    long_answer,
)
from kathodos.cli.session import Session
from kathodos.errors import CallError

_EXPECTATIONS = ("nothing", "no-gain", "no-loss", "no-conflict")


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = commands.add_parser(
        "change",
        help="give, take and move access; see what a change does to everyone, apply it, undo it",
        description="Compose edits of access, see what they would do to everyone, apply them, take them back.",
        epilog="example:\n  kathodos change give role:dues/viewer --to p0063 --until 2026-09-30\n"
        "  kathodos change rehearse summer     # each step has its own --help",
        formatter_class=formatter,
    )
    steps = parser.add_subparsers(prog=parser.prog, dest="step", metavar="STEP", required=True)
    composing = (
        _add_give,
        _add_take,
        _add_join,
        _add_leave,
        _add_swap,
        _add_same_as,
        _add_to_group,
        _add_until,
        _add_read,
    )
    for add_step in (*composing, _add_list, _add_show, _add_rehearse, _add_apply, _add_undo, _add_restore, _add_drop):
        add_step(steps, common, formatter)


def _holders(parser: argparse.ArgumentParser, option: str, meaning: str) -> None:
    parser.add_argument(option, dest="holders", nargs="+", metavar="WHO", default=[], help=meaning)
    parser.add_argument("--where", metavar="FILTER", help="also the people that this filter selects")


def _add_give(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "give roles or permissions to people, accounts or groups; what stands already is not given twice"
    example = (
        "  kathodos change give role:dues/viewer --to p0063 p0072 --on dues:/northmole --until 2026-09-30\n"
        "  kathodos change give role:berths/planner 'view dues:/tariffs/**' --to p0201 --where 'title eq \"Planner\"'"
    )
    giving = command(steps, "give", common, formatter, run_give, what, example)
    giving.add_argument("gives", nargs="+", metavar="WHAT", help="roles, or permissions as in 'view dues:/tariffs/**'")
    _holders(giving, "--to", "people, accounts, groups, or everyone")
    giving.add_argument("--on", nargs="+", metavar="SCOPE", default=[], help="addresses, patterns or area:NAME")
    giving.add_argument("--from", dest="begins", metavar="DATE", help="the first day (default: at once)")
    giving.add_argument("--until", metavar="DATE", help="the last day (default: none)")
    giving.add_argument("--deny", action="store_true", help="deny it instead")
    collecting(giving)


def _add_take(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "end what people, accounts or groups were given themselves"
    example = "  kathodos change take role:dues/tariff-editor --from p0063 --reason 'moved to pilotage'"
    taking = command(steps, "take", common, formatter, run_take, what, example)
    taking.add_argument("gives", nargs="+", metavar="WHAT", help="roles, or permissions as in 'view dues:/tariffs/**'")
    _holders(taking, "--from", "from whom: people, accounts, groups, or everyone")
    taking.add_argument("--on", nargs="+", metavar="SCOPE", default=[], help="only on these scopes (default: on any)")
    collecting(taking)


def _add_join(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "make people, accounts or groups members of groups"
    example = "  kathodos change join group:directory/pilots --who p0063 p0072"
    joining = command(steps, "join", common, formatter, run_join, what, example)
    joining.add_argument("groups", nargs="+", metavar="GROUP", help="which groups")
    _holders(joining, "--who", "who joins")
    collecting(joining)


def _add_leave(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "end memberships"
    example = "  kathodos change leave group:directory/pilots --who p0063"
    leaving = command(steps, "leave", common, formatter, run_leave, what, example)
    leaving.add_argument("groups", nargs="+", metavar="GROUP", help="which groups")
    _holders(leaving, "--who", "who leaves")
    collecting(leaving)


def _add_swap(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = (
        "give one role where another was held; what a person was given beside the old one is shown, and kept or ended"
    )
    example = "  kathodos change swap role:dues/clerk role:dues/viewer --who p0063 --exceptions keep"
    swapping = command(steps, "swap", common, formatter, run_swap, what, example)
    swapping.add_argument("old", metavar="OLD", help="the role that is held")
    swapping.add_argument("new", metavar="NEW", help="the role that comes in its place")
    _holders(swapping, "--who", "whose role is swapped (default: all who hold the old one themselves)")
    meaning = "what becomes of what they were given beside the old role, in its system"
    swapping.add_argument("--exceptions", choices=("keep", "drop"), help=meaning)
    collecting(swapping)


def _add_same_as(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "give people the same access as others have: what they lack, or in place of what they hold"
    example = "  kathodos change same-as p0060 --to p0059 --used-within P6M"
    copying = command(steps, "same-as", common, formatter, run_same_as, what, example)
    copying.add_argument("models", nargs="+", metavar="MODEL", help="whose access is the model")
    _holders(copying, "--to", "who gets it")
    copying.add_argument("--replace", action="store_true", help="end what they hold and no model does")
    copying.add_argument("--used-within", metavar="PERIOD", help="only what a model has used within P6M, P30D ...")
    copying.add_argument(
        "--only", nargs="+", metavar="WHAT", default=[], help="only in these systems, or like 'role:dues/*'"
    )
    copying.add_argument("--even-if-broken", action="store_true", help="also what would break a rule")
    collecting(copying)


def _add_to_group(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "turn what several people hold directly into one grant of a group that they are all in"
    example = "  kathodos change to-group group:directory/gate-guards 'view gates:/gate-a/**' --who p0151 p0152"
    moving = command(steps, "to-group", common, formatter, run_to_group, what, example)
    moving.add_argument("group", metavar="GROUP", help="the group; one that is not there is made")
    moving.add_argument("gives", nargs="+", metavar="WHAT", help="roles or permissions that they hold directly")
    _holders(moving, "--who", "who holds it directly (default: all who do)")
    moving.add_argument("--expect", choices=_EXPECTATIONS, help="what it has to come to, or it is not applied")
    collecting(moving)


def _add_until(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "set, prolong or lift the last day of grants and people"
    example = "  kathodos change until 2026-12-31 grant:G-0815 p0250\n  kathodos change until never grant:G-0815"
    ending = command(steps, "until", common, formatter, run_until, what, example)
    ending.add_argument("until", metavar="DATE", help="the last day, or `never`")
    ending.add_argument("references", nargs="+", metavar="REF", help="grants as grant:ID, and people")
    collecting(ending)


def _add_read(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "take the edits of a TOML file; docs/file-formats.md says how one is written"
    reading = command(steps, "read", common, formatter, run_read, what, "  kathodos change read cure.toml --into june")
    reading.add_argument("file", metavar="FILE", help="a change file")
    collecting(reading)


def _add_list(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    command(steps, "list", common, formatter, run_list, "list the changes, the newest first", "  kathodos change list")


def _add_show(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "show a change: each edit as a sentence, and how far its order has come"
    showing = command(steps, "show", common, formatter, run_show, what, "  kathodos change show summer")
    showing.add_argument("name", metavar="NAME", help="which change")
    long_answer(showing)
    as_of(showing)


def _add_rehearse(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "say what a change would do to everyone; nothing is applied"
    example = "  kathodos change rehearse summer\n  kathodos change rehearse move.toml --expect nothing"
    rehearsing = command(steps, "rehearse", common, formatter, run_rehearse, what, example)
    rehearsing.add_argument("name", metavar="CHANGE", help="a change, or a change file")
    meaning = "answer no (exit status 1) where it comes to more than this"
    rehearsing.add_argument("--expect", choices=_EXPECTATIONS, help=meaning)
    rehearsing.add_argument(
        "--of", dest="whose", metavar="WHO", help="every combination that one of them gains or loses"
    )
    rehearsing.add_argument(
        "--thorough", action="store_true", help="look at excess and risk however many people there are"
    )
    long_answer(rehearsing)
    rehearsing.add_argument("--as", dest="actor", metavar="NAME", help="who would apply it (else KATHODOS_ACTOR)")


def _add_apply(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "apply a change: what a source brings is ordered, what is kept here is edited at once"
    example = "  kathodos change apply summer --yes --reason 'summer staff'"
    applying = command(steps, "apply", common, formatter, run_apply, what, example)
    applying.add_argument("name", metavar="CHANGE", help="which change")
    applying.add_argument("--expect", choices=_EXPECTATIONS, help="what it has to come to, or it is not applied")
    applying.add_argument("--despite", metavar="WHY", help="why it is done although it locks somebody out")
    applying.add_argument(
        "--thorough", action="store_true", help="look at excess and risk however many people there are"
    )
    long_answer(applying)
    acting(applying)
    confirming(applying)


def _add_undo(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "take an applied change back, as a change of its own"
    undoing = command(
        steps, "undo", common, formatter, run_undo, what, "  kathodos change undo summer --reason 'too early'"
    )
    undoing.add_argument("name", metavar="CHANGE", help="which change")
    collecting(undoing)


def _add_restore(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "put one role, person, group, grant or system, or everything, back to an earlier state, as a change"
    example = (
        "  kathodos change restore role:dues/clerk --to 2026-06-11\n"
        "  kathodos change restore everything --to before-summer --dry-run"
    )
    restoring = command(steps, "restore", common, formatter, run_restore, what, example)
    restoring.add_argument("reference", metavar="REF", help="what is put back, or `everything`")
    restoring.add_argument(
        "--to", dest="point", metavar="POINT", required=True, help="a baseline, a date, a time, an entry"
    )
    collecting(restoring)


def _add_drop(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    dropping = command(
        steps,
        "drop",
        common,
        formatter,
        run_drop,
        "give a draft up",
        "  kathodos change drop summer --reason 'not needed'",
    )
    dropping.add_argument("name", metavar="CHANGE", help="which change")
    acting(dropping)


# Who and what is meant


def _whom(session: Session, is_needed: bool = True, is_given: bool = False) -> list[str]:
    """The holders that are named, and those that the filter selects. Raises CallError where there is none.

    `is_given`: to receive something, for which who has left is left out of what the filter selects.
    """
    asked, view, on = session.arguments, session.view, desk(session)
    found = on.holders(asked.holders)
    if asked.where is not None:
        selected = [view.index.holders.references[it] for it in view.askers_selected(asked.where).tolist()]
        gone = {f"identity:{it}" for it in on.left_among(selected)} if is_given else set()
        if gone:
            session.complain(f"Who has left is given nothing, and was left out: {len(gone):,} that the filter selects.")
        selected = [it for it in selected if it not in gone]
        if not selected:
            remedy = "Try it with: kathodos list identities --where"
            raise CallError(f"The filter {asked.where} selects nobody.", remedy)
        found += selected
    if not found and is_needed:
        raise CallError("Nobody is named.", "Name who is meant, or select people with --where FILTER.")
    return list(dict.fromkeys(found))


def _day(text: str | None, option: str) -> str | None:
    from kathodos.model.times import normal_moment

    if text is None:
        return None
    try:
        return normal_moment(text)
    except ValueError as error:
        raise CallError(f"{option} {text} is no day: {error}.") from None


# Composing


def run_give(session: Session) -> int:
    from kathodos.change.composition import all_named
    from kathodos.change.giving import Giving, give

    asked, on = session.arguments, desk(session)
    begins, until = _day(asked.begins, "--from"), _day(asked.until, "--until")
    gives, whom, scopes = all_named(
        lambda: on.given(asked.gives), lambda: _whom(session, is_given=True), lambda: on.scopes(asked.on)
    )
    giving = Giving(gives, whom, scopes, begins, until, asked.deny, session.reason)
    return take_up(session, give(on, giving))


def run_take(session: Session) -> int:
    from kathodos.change.composition import all_named
    from kathodos.change.giving import Giving, take

    asked, on = session.arguments, desk(session)
    named = all_named(lambda: on.given(asked.gives), lambda: _whom(session), lambda: on.scopes(asked.on))
    taking = Giving(*named)
    return take_up(session, take(on, taking, is_everywhere=not asked.on))


def run_join(session: Session) -> int:
    from kathodos.change.composition import all_named
    from kathodos.change.giving import join
    from kathodos.model.kinds import GROUPS

    on, groups = desk(session), session.arguments.groups
    return take_up(
        session, join(on, *all_named(lambda: on.holders(groups, (GROUPS,)), lambda: _whom(session, is_given=True)))
    )


def run_leave(session: Session) -> int:
    from kathodos.change.composition import all_named
    from kathodos.change.giving import leave
    from kathodos.model.kinds import GROUPS

    on, groups = desk(session), session.arguments.groups
    return take_up(session, leave(on, *all_named(lambda: on.holders(groups, (GROUPS,)), lambda: _whom(session))))


def run_swap(session: Session) -> int:
    from kathodos.change.composition import all_named
    from kathodos.change.giving import exceptions_beside, holding, swap

    asked, on = session.arguments, desk(session)
    words = ([asked.old], [asked.new])
    (old,), (new,), whom = all_named(*(partial(on.given, it) for it in words), lambda: _whom(session, is_needed=False))
    if old == new:
        raise CallError(f"{old} is not swapped for itself.", "Name what is given in its place.")
    whom = whom or holding(on, old)
    beside = exceptions_beside(on, old, whom)
    choice = asked.exceptions
    if beside and choice is None:
        told = [f"Beside {old} in its system:", *(f"  {it.text}" for it in beside[:_MOST_TOLD])]
        more = len(beside) - _MOST_TOLD
        session.complain("\n".join(told + ([f"  and {more} more"] if more > 0 else [])))
        choice = session.choice("Keep or end what they were given beside it?", ("keep", "drop"))
        if choice is None:
            raise CallError("What becomes of these is not said.", "Say --exceptions keep, or --exceptions drop.")
    return take_up(session, swap(on, old, new, whom, drops_exceptions=choice == "drop"))


_MOST_TOLD = 12


def run_same_as(session: Session) -> int:
    from kathodos.change.composition import all_named
    from kathodos.change.like import Likeness, same_access
    from kathodos.model.kinds import IDENTITIES
    from kathodos.model.periods import later
    from kathodos.model.times import microseconds
    from kathodos.workspace.rehearsing import basis_of_few

    asked, on = session.arguments, desk(session)
    models, whom = all_named(
        lambda: on.holders(asked.models, (IDENTITIES,), with_everyone=False), lambda: _whom(session, is_given=True)
    )
    receivers = [it for it in whom if it not in models]
    people = [it for it in receivers if not it.startswith("identity:")]
    if people or not receivers:
        raise CallError("Access is given to people as others have it.", "Name people that are no models with --to.")
    since = None
    if asked.used_within is not None:
        try:
            since = microseconds(later(on.now, asked.used_within.upper(), -1))
        except ValueError as error:
            raise CallError(f"--used-within {asked.used_within} is no period: {error}.") from None
    likeness = Likeness(models, receivers, asked.replace, since, asked.only, asked.even_if_broken)
    basis = basis_of_few(session.view, on.records, [*models, *receivers])
    return take_up(session, same_access(on, basis, session.view.rules, likeness), f"same as {', '.join(models)}")


def run_to_group(session: Session) -> int:
    from kathodos.change.composition import all_named
    from kathodos.change.giving import holding, to_group

    asked, on = session.arguments, desk(session)
    gives, whom = all_named(lambda: on.given(asked.gives), lambda: _whom(session, is_needed=False))
    whom = whom or [it for what in gives for it in holding(on, what)]
    whom = [it for it in dict.fromkeys(whom) if it != "everyone"]
    return take_up(session, to_group(on, gives, whom, on.group_to_be(asked.group)))


def run_until(session: Session) -> int:
    from kathodos.change.giving import move_end
    from kathodos.model.kinds import GRANTS, IDENTITIES

    asked, on = session.arguments, desk(session)
    until = None if asked.until == "never" else _day(asked.until, "DATE")
    return take_up(session, move_end(on, on.holders(asked.references, (GRANTS, IDENTITIES)), until))


def run_read(session: Session) -> int:
    return take_up(session, _of_file(session, session.arguments.file), f"file {session.arguments.file}")


def _of_file(session: Session, name: str):  # type: ignore[no-untyped-def]  # the type is imported late
    from pathlib import Path

    from kathodos.change.composition import Composition
    from kathodos.change.edits import edits_in
    from kathodos.store.edited import edited
    from kathodos.workspace.configuration import read_toml

    so_far, view = edits_so_far(session), session.view
    if len(so_far):
        view = view.assuming(edited(view.stored, so_far.edits))
    edits = edits_in(read_toml(Path(name), name), view.catalogue, view.index)
    return Composition(edits, asked=len(edits))


# What is kept


def run_list(session: Session) -> int:
    from kathodos.report.changes import change_list

    return session.answer(change_list(session.view))


def run_show(session: Session) -> int:
    from kathodos.report.changes import change_shown

    return session.answer(change_shown(session.view, session.arguments.name, session.most, session.format))


def run_rehearse(session: Session) -> int:
    from pathlib import Path

    from kathodos.change.applying import must_be_draft
    from kathodos.change.kept import change_called, edits_kept, find_change
    from kathodos.report.changes import nothing_to_do

    name, records = session.arguments.name, session.view.stored
    if change_called(records, name) is not None or not Path(name).exists():
        must_be_draft(find_change(records, name))
        step = f"kathodos change apply {name}"
        return show_rehearsal(session, Applying(name, edits_kept(records, name), is_kept=True, next_step=step))
    composition = _of_file(session, name)
    if not len(composition.edits):
        return session.answer(nothing_to_do(composition))
    return show_rehearsal(session, Applying(name, composition.edits, next_step=f"kathodos change read {name}"))


def run_apply(session: Session) -> int:
    from kathodos.change.applying import must_be_draft
    from kathodos.change.kept import edits_kept, find_change

    name, records = session.arguments.name, session.view.stored
    must_be_draft(find_change(records, name))
    return apply(session, Applying(name, edits_kept(records, name), is_kept=True))


def run_undo(session: Session) -> int:
    from kathodos.change.composition import Composition
    from kathodos.change.kept import find_change
    from kathodos.change.orders import decided
    from kathodos.change.restoring import undoing
    from kathodos.change.standing import UNDO

    records = session.view.stored
    change = find_change(records, session.arguments.name)
    edits = undoing(records, change, decided(records))
    return take_up(session, Composition(edits, asked=len(edits)), f"{UNDO}{change.name}")


def run_restore(session: Session) -> int:
    from kathodos.change.composition import Composition
    from kathodos.change.restoring import EVERYTHING, Part, part_of, restoring
    from kathodos.report.restoring import reference_of_part

    asked, records = session.arguments, session.view.stored
    then = session.view_of(asked.point).stored
    reference = asked.reference
    part = Part(EVERYTHING)
    if reference != EVERYTHING:
        part = part_of(records, then, reference_of_part(records, then, reference))
    edits = restoring(records, then, part)
    return take_up(session, Composition(edits, asked=len(edits)), f"restore of {part.reference} to {asked.point}")


def run_drop(session: Session) -> int:
    from kathodos.change.applying import DropChange
    from kathodos.report.changes import dropped

    return session.answer(dropped(session.carry_out(DropChange(session.arguments.name)).result))
