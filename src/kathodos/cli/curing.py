"""`kathodos conflicts cure`: the smallest set of withdrawals that clears the chosen conflicts."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, Any

from kathodos.cli.options import Commands, Formatter, as_of, command
from kathodos.cli.session import Session
from kathodos.errors import CallError
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Branch, Field

if TYPE_CHECKING:
    from kathodos.findings.conflicts.cure import Cures, Withdrawal
    from kathodos.report.conflicts import ChosenConflicts

_FIELDS = [Field(key, key) for key in ("withdrawal", "people", "others", "uses", "clears")]


def add(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    example = (
        "  kathodos conflicts cure --for p0063\n"
        '  kathodos conflicts cure --topic "Dangerous goods" --protect role:permits/officer --change cure.toml'
    )
    what = "find the fewest withdrawals that clear conflicts and take away the least that people use"
    parser = command(steps, "cure", common, formatter, run, what, example)
    parser.add_argument("--for", dest="whose", metavar="REF", help="the conflicts of one identity")
    parser.add_argument("--topic", metavar="TOPIC", help="the conflicts of one topic")
    parser.add_argument("--rule", metavar="ID", help="the conflicts of one rule")
    parser.add_argument("--where", metavar="FILTER", help="the conflicts of the people that this filter selects")
    parser.add_argument(
        "--protect", metavar="REF", action="append", default=[], help="a grant, role, group or holder to leave alone"
    )
    parser.add_argument("--days", type=int, default=90, help="the uses of so many last days count (default: 90)")
    parser.add_argument("--seconds", type=float, default=50.0, help="stop after so long with the best (default: 50)")
    parser.add_argument("--change", metavar="FILE", help="write the first cure as a change file")
    as_of(parser)


def run(session: Session) -> int:
    from kathodos.findings.conflicts.cure import cure, edits_of, still_standing
    from kathodos.report.conflicts import ChosenConflicts, chosen_rules

    asked = session.arguments
    if asked.days < 0 or asked.seconds <= 0:
        raise CallError("--days and --seconds count upward from 0.", "Leave them out for 90 days and 50 seconds.")
    view = session.view
    found = ChosenConflicts(view, chosen_rules(view, asked.topic, asked.rule), asked.where)
    chosen = found.of(view.identity(asked.whose)) if asked.whose else found.each()
    chosen = [it for it in chosen if not found.is_covered(it)]
    if not chosen:
        return session.answer(Answer(_FIELDS, [], "There is no open conflict to clear."))
    protected = [_protected(found, text) for text in asked.protect]
    cures = cure(found.view.basis, chosen, protected, asked.days, asked.seconds)
    edits = edits_of(found.view.basis, cures.withdrawals())
    standing = still_standing(found.view.basis, chosen, edits) if edits else chosen
    if asked.change:
        _write(session, found, cures)
    return session.answer(_answer(session, found, cures, len(chosen), len(standing)))


def _protected(found: ChosenConflicts, text: str) -> str:
    """The full reference of something to be left alone. Raises CallError where nothing bears that name."""
    from kathodos.model.suggestions import nearest

    index = found.view.basis.index
    prefix, _, name = text.partition(":")
    known = {"grant": index.grants.ids, "role": index.roles}
    if prefix in known and known[prefix].find(name) >= 0:
        return text
    if index.holders.find(text) >= 0:
        return text
    some = list(known[prefix])[:5000] if prefix in known else [f"group:{it}" for it in index.holders.groups]
    remedy = (
        f"Write it in full, as in grant:G-0001, role:dues/clerk or group:directory/x. {nearest(name or text, some)}"
    )
    raise CallError(f"There is nothing called {text}.", remedy)


def _record(one: Withdrawal) -> dict[str, Any]:
    return {"withdrawal": one.text, "people": one.people, "others": one.others, "uses": one.uses}


def _answer(session: Session, found: ChosenConflicts, cures: Cures, chosen: int, standing: int) -> Answer:
    names = [it.name(found.view.basis.index) for it in cures.uncured]
    rows, trees = [], []
    for one in cures.cures:
        clears = [it.name(found.view.basis.index) for it in one.conflicts]
        rows += [{**_record(it), "clears": clears} for it in one.withdrawals]
        others = [
            Branch(f"as small: {'; '.join(f'{it.text} ({_loses(it)})' for it in other)}", style="dim")
            for other in one.others
        ]
        many = f" and {len(clears) - 6} more" if len(clears) > 6 else ""
        head = f"clears {', '.join(clears[:6])}{many}"
        trees.append(Branch(head, [*(Branch(f"{it.text} ({_loses(it)})") for it in one.withdrawals), *others]))
    count = len(cures.withdrawals())
    proof = "proven to be the least" if cures.gap < 1e-6 else f"at most {cures.gap:.1%} above the least"
    heading = f"{plural(count, 'withdrawal')} {'clears' if count == 1 else 'clear'} {chosen - len(names)} of "
    heading += f"{plural(chosen, 'conflict')}; {proof}"
    text = [f"Rehearsed: {standing} of them would still stand."]
    if names:
        text.append(f"Nothing that may be withdrawn clears {', '.join(names[:8])}{' ...' if len(names) > 8 else ''}.")
    if cures.unseen:
        unseen = plural(len(cures.unseen), "conflict")
        text.append(f"Stopped after {session.arguments.seconds:g} s, before {unseen} could be looked at.")
    file = session.arguments.change
    hint = f"Ask as if it were done: kathodos conflicts --assume {file}" if file else "Keep it: --change FILE"
    document = {
        "withdrawals": rows,
        "cures": [
            {
                "clears": [it.name(found.view.basis.index) for it in one.conflicts],
                "withdrawals": [_record(it) for it in one.withdrawals],
                "as_small": [[_record(it) for it in other] for other in one.others],
            }
            for one in cures.cures
        ],
        "uncured": names,
        "gap": cures.gap,
        "not_looked_at": [it.name(found.view.basis.index) for it in cures.unseen],
        "still_standing": standing,
    }
    is_csv = session.format == "csv"
    return Answer(_FIELDS if is_csv else (), rows, heading, text, trees, hint, 1 if standing else 0, document)


def _loses(one: Withdrawal) -> str:
    """Who loses by it, and what."""
    uses = f"{plural(one.uses, 'recent use')} through it" if one.uses else "not used lately"
    return f"{plural(one.people, 'person', 'people')}, {uses}"


def _write(session: Session, found: ChosenConflicts, cures: Cures) -> None:
    from kathodos.change.files import Block, Verb, changes_text
    from kathodos.output.files import write_new

    blocks = []
    for one in cures.cures:
        why = f"clears {', '.join(it.name(found.view.basis.index) for it in one.conflicts)}"
        for it in one.withdrawals:
            if it.grant:
                blocks.append(Block(Verb.END, "grants", {"grant": it.grant}, why))
            else:
                cells = dict(zip(("system", "group", "member"), it.key(), strict=True))
                blocks.append(Block(Verb.END, "members", cells, why))
    content, _ = changes_text("A cure of conflicts, as kathodos conflicts cure found it.", blocks)
    write_new(session.arguments.change, content)
