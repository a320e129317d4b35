"""A change rehearsed, in words and as data: counts first, then by person, system and role, then each combination."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from typing import Any

import msgspec
import numpy as np
import numpy.typing as npt
from msgspec.structs import asdict

from kathodos import thresholds
from kathodos.change.composition import Composition
from kathodos.change.edit_sets import EditSet
from kathodos.change.effect import Effect, RuleBroken
from kathodos.change.kept import edits_kept, entry_applied, find_change
from kathodos.change.mandates import Verdict
from kathodos.change.orders import decided
from kathodos.change.settling import settled
from kathodos.columns.csr import distinct
from kathodos.columns.strings import string_table
from kathodos.errors import Status, found_if
from kathodos.findings.pictures import NO_DEPARTMENT, Table
from kathodos.model.words import people_and_accounts, plural
from kathodos.report.answers import Answer, Field
from kathodos.report.edits import Wording, does, edit_row
from kathodos.report.long import first_rows
from kathodos.workspace.rehearsing import rehearse
from kathodos.workspace.view import View

EXPECTATIONS = ("nothing", "no-gain", "no-loss", "no-conflict")
_MOST_NAMED, _MOST_EDITS, _MOST_PEOPLE, _MOST_DEPARTMENTS = 8, 12, 12, 20
_COMBINATION, _COMBINATIONS = "combination of action and resource", "combinations of action and resource"
_PEOPLE = (
    Field("who", "Who", 9, least=14),
    Field("name", "Name", 6, least=10),
    Field("gained", "Gains", 8, is_number=True),
    Field("lost", "Loses", 8, is_number=True),
    Field("examples", "For example", 5, least=24),
)


class Told(msgspec.Struct, frozen=True):
    """What is told of a rehearsal. `name`: of the change; `whose`: only this person's combinations, each of them.

    `next_step`: how it is applied; `can_be_named`: it is rehearsed again by its name, a draft or a file.
    """

    name: str
    edits: EditSet
    effect: Effect
    verdicts: Sequence[Verdict]
    composed: Composition | None = None
    expects: str | None = None
    pending: int = 0
    whose: str | None = None
    most: int | None = None
    next_step: str = ""
    can_be_named: bool = False


def rehearsal(view: View, told: Told, form: str) -> Answer:
    """The effect of a change; `form`: table, csv, json, jsonl."""
    effect, wording = told.effect, Wording(view.catalogue, list(told.edits))
    fails = failed(effect, told.expects) if told.expects else ""
    status = found_if(fails)
    if form in ("json", "jsonl"):
        return Answer(document=_document(view, told, wording, fails), status=status)
    if told.whose is not None:
        return _of_one(told, status)
    if form == "csv":
        return Answer(_PEOPLE, list(_people(view, effect, None)), status=status)
    most = None if told.most is None else min(told.most, _MOST_PEOPLE)
    rows, more = first_rows(list(_people(view, effect, most)), most)
    left = len(effect.differences) - len(rows)
    more = f"{left:,} more people: --all shows them." if left > 0 else more
    text = [*_composed(told), *_sentences(told, wording), "", *_counts(effect), *_rules(effect), *_findings(effect)]
    text += [*_administration(effect), *_mandates(told), *_expected(told, fails)]
    heading = f"{told.name}: {plural(len(told.edits), 'edit')}"
    return Answer(_PEOPLE, rows, heading, text, hint=f"{more} {_further(told)}".strip(), status=status)


def _further(told: Told) -> str:
    """What can be asked of a rehearsal next, and how it is applied."""
    asked = told.effect.differences.askers if told.can_be_named else []
    every = f"Every combination of one of them: kathodos change rehearse {told.name} --of {asked[0]}. " if asked else ""
    return f"{every}Apply it: {told.next_step}" if told.next_step else ""


def failed(effect: Effect, expects: str) -> str:
    """What is not as it was expected, in a sentence; empty where it is."""
    gains = f"{plural(effect.gaining, 'person gains', 'people gain')} something"
    loses = f"{plural(effect.losing, 'person loses', 'people lose')} something"
    made = effect.conflicts_made if expects == "no-conflict" else []
    wrong = {
        "nothing": [gains] * bool(effect.gained) + [loses] * bool(effect.lost),
        "no-gain": [gains] * bool(effect.gained),
        "no-loss": [loses] * bool(effect.lost),
        "no-conflict": [f"{plural(len(made), 'conflict')} would be made"] * bool(made),
    }[expects]
    return " and ".join(wrong)


def _composed(told: Told) -> list[str]:
    composed = told.composed
    if composed is None:
        return []
    counts = f"Asked {composed.asked}, stand already {composed.standing}, {does(composed.edits)}."
    return [counts, *composed.notes]


def _sentences(told: Told, wording: Wording) -> list[str]:
    edits = list(told.edits)
    some = edits if told.most is None else edits[:_MOST_EDITS]
    lines = [f"  {wording.sentence(edit)}" + (f" - {edit.why}" if edit.why else "") for edit in some]
    left = len(edits) - len(some)
    return [*lines, *([f"  and {left:,} more edits: --all shows them"] if left else [])]


def _counts(effect: Effect) -> list[str]:
    """Who gains and loses, in all, by system and by role."""
    if effect.changes_nothing:
        return ["Nobody's reach changes: looked at over all combinations of everybody whom the edits bear on."]
    differences = effect.differences
    who = people_and_accounts(*differences.kinds_of(differences.gained > 0), "gains", "gain")
    gains = f"{who} {plural(effect.gained, _COMBINATION, _COMBINATIONS)}" if effect.gained else "Nobody gains anything"
    who = people_and_accounts(*differences.kinds_of(differences.lost > 0), "loses", "lose")
    said = f"{effect.lost:,}" if effect.gained else plural(effect.lost, _COMBINATION, _COMBINATIONS)
    loses = f"{who} {said}" if effect.lost else "nobody loses anything"
    text = [f"{gains}; {loses}."]
    for system, (gaining, losing, gained, lost) in effect.differences.by_system.items():
        parts = [f"{plural(gaining, 'gains', 'gain')} {gained:,}"] if gained else []
        parts += [f"{plural(losing, 'loses', 'lose')} {lost:,}"] if lost else []
        text.append(f"  in {system}: {'; '.join(parts)}")
    for role in effect.by_role:
        parts = [f"{plural(role.came, 'comes', 'come')} to hold it"] if role.came else []
        parts += [f"{plural(role.went, 'holds', 'hold')} it no longer"] if role.went else []
        text.append(f"  {role.role}: {'; '.join(parts)}")
    return text


_SAYS = {
    "conflict": ("Conflicts made", "Conflicts settled"),
    "fence": ("Fences crossed", "Fences no longer crossed"),
    "need": ("Needs no longer met", "Needs met"),
}


def _rules(effect: Effect) -> list[str]:
    """The rules that are broken or mended, by kind."""
    text = []
    for kind, titles in _SAYS.items():
        for title, some in zip(titles, effect.broken, strict=True):
            of_kind = [it for it in some if it.kind == kind]
            if of_kind:
                text.append(f"{title}: {len(of_kind)}")
                text += [f"  {_rule_text(it)}" for it in of_kind[:_MOST_NAMED]]
                text += [f"  and {len(of_kind) - _MOST_NAMED} more"] if len(of_kind) > _MOST_NAMED else []
    return text or ["No conflict is made or settled, no fence crossed, no need left unmet."]


def _rule_text(it: RuleBroken) -> str:
    return f"{it.rule} ({it.severity}) by {it.who}: {it.title} ({it.what})"


def _findings(effect: Effect) -> list[str]:
    """Excess that comes and goes, and whose risk is another."""
    if effect.findings is None:
        return ["Excess and risk were not looked at, for the catalogue is large: --thorough does."]
    text = []
    for title, some in (("Excess made", effect.findings.made), ("Excess settled", effect.findings.settled)):
        if some:
            by_kind = Counter(kind for kind, _, _ in some)
            text.append(f"{title}: {', '.join(f'{kind} {count}' for kind, count in by_kind.most_common())}")
    risks = effect.findings.risks
    if risks:
        named = ", ".join(f"{who} from {before:g} to {after:g}" for who, before, after in risks[:3])
        more = f" and {len(risks) - 3} more" if len(risks) > 3 else ""
        text.append(f"Risk: {named}{more}")
    return text


def _administration(effect: Effect) -> list[str]:
    text = [
        f"Can administer {lost.system} no longer: {', '.join(lost.who[:_MOST_NAMED])}"
        + (f" and {len(lost.who) - _MOST_NAMED} more" if len(lost.who) > _MOST_NAMED else "")
        for lost in effect.administration_lost
    ]
    if effect.author_gains:
        count = plural(len(effect.author_gains), "combination")
        text.append(f"{effect.author}, who composed it, gains {count}: {effect.author_gains[0]} ...")
    return text + [f"It stops here: {stop} If that is meant, say --despite WHY." for stop in effect.stops]


def _mandates(told: Told) -> list[str]:
    """Which mandates allow it, and what none does."""
    allowed = Counter(it.why for it in told.verdicts if it.is_allowed)
    text = [f"Allowed by {why} ({plural(count, 'time')})" for why, count in allowed.items()]
    refused = [it for it in told.verdicts if not it.is_allowed]
    text += [f"Not allowed: to {it.what}, for {it.why}." for it in refused[:_MOST_NAMED]]
    return text + ([f"Nor {len(refused) - _MOST_NAMED} more."] if len(refused) > _MOST_NAMED else [])


def _expected(told: Told, fails: str) -> list[str]:
    text = []
    if told.pending:
        text.append(f"Counted from where {plural(told.pending, 'open order')} will have been carried out.")
    if told.expects:
        text.append(f"Not as expected ({told.expects}): {fails}." if fails else f"As expected: {told.expects}.")
    return text


def _people(view: View, effect: Effect, most: int | None) -> Iterator[dict[str, Any]]:
    """Those whose reach is another, most first, each with an example."""
    found = effect.differences
    count = len(found) if most is None else min(most, len(found))
    wording = _names(effect, found.askers[:count])
    for at in range(count):
        gained, lost = found.texts(at)
        examples = [f"+ {text}" for text in gained[:1]] + [f"- {text}" for text in lost[:1]]
        counts = {"gained": int(found.gained[at]), "lost": int(found.lost[at])}
        yield {"who": found.askers[at], "name": wording.get(found.askers[at]), **counts, "examples": examples}


def _of_one(told: Told, status: Status) -> Answer:
    """Every combination that one person gains or loses."""
    found = told.effect.differences
    if told.whose not in found.askers:
        return Answer(heading=f"{told.name}: {told.whose} gains and loses nothing.", status=status)
    gained, lost = found.texts(found.askers.index(told.whose))
    rows = [{"side": side, "what": text} for side, some in (("gains", gained), ("loses", lost)) for text in some]
    shown, more = first_rows(rows, told.most)
    heading = f"{told.name}: {told.whose} gains {len(gained):,} and loses {len(lost):,} {_COMBINATIONS}"
    return Answer((Field("side", "Side", 8), Field("what", "What", 9)), shown, heading, hint=more, status=status)


def _document(view: View, told: Told, wording: Wording, fails: str) -> dict[str, Any]:
    effect = told.effect
    found = effect.differences
    with_pairs = effect.gained + effect.lost <= thresholds.PAIRS_TOLD or told.most is None
    people = []
    for at, who in enumerate(found.askers):
        counts: dict[str, Any] = {"who": who, "gained": int(found.gained[at]), "lost": int(found.lost[at])}
        if with_pairs:
            gained, lost = found.texts(at)
            counts |= {"gains": gained, "loses": lost}
        people.append(counts)
    composed = told.composed
    return {
        "change": told.name,
        "edits": [edit_row(edit, wording) for edit in told.edits],
        "asked": composed.asked if composed else None,
        "standing": composed.standing if composed else None,
        "notes": composed.notes if composed else [],
        "entry": view.point.entry,
        "open_orders_counted_as_done": told.pending,
        "gaining": effect.gaining,
        "losing": effect.losing,
        "gained": effect.gained,
        "lost": effect.lost,
        "people": people,
        "with_combinations": with_pairs,
        "by_system": [
            {"system": system, "gaining": some[0], "losing": some[1], "gained": some[2], "lost": some[3]}
            for system, some in found.by_system.items()
        ],
        "by_role": [{"role": it.role, "came": it.came, "went": it.went} for it in effect.by_role],
        **_found_by(effect),
        "author": effect.author or None,
        "author_gains": effect.author_gains,
        "stops": effect.stops,
        "mandates": [{"what": it.what, "is_allowed": it.is_allowed, "why": it.why} for it in told.verdicts],
        "expected": told.expects,
        "failed": fails or None,
        "effect": effect.digest,
    }


def _found_by(effect: Effect) -> dict[str, Any]:
    """What rules, excess, risk and administration come to."""
    made, settled = ([asdict(it) for it in some] for some in effect.broken)
    findings = effect.findings
    return {
        "rules_broken": made,
        "rules_mended": settled,
        "excess_made": _finding_rows(findings.made) if findings else None,
        "excess_settled": _finding_rows(findings.settled) if findings else None,
        "risk": [{"who": who, "before": before, "after": after} for who, before, after in findings.risks]
        if findings
        else None,
        "administration_lost": [
            {"system": it.system, "who": list(it.who), "is_last": it.is_last} for it in effect.administration_lost
        ],
    }


def _finding_rows(some: Sequence[tuple[str, str, str]]) -> list[dict[str, str]]:
    return [{"kind": kind, "subject": subject, "rests_on": rests_on} for kind, subject, rests_on in some]


def _names(effect: Effect, askers: Sequence[str]) -> dict[str, str | None]:
    """The names of those whose reach is another."""
    found: dict[str, str | None] = {}
    for basis in (effect.before, effect.after):
        numbers = basis.index.holders.numbers_of(string_table(askers))
        names = basis.identity("name")
        for who, number in zip(askers, numbers.tolist(), strict=True):
            if 0 <= number < basis.people:
                name = names.value(number)
                found[who] = None if name is None else str(name)
    return found


def differences_by_department(view: View, name: str) -> tuple[Table, Table]:
    """How many people of each department gain, and how many lose, something in each system by a change.

    Of one that was applied as it was then. The departments where most do, at the most twenty.
    """
    change, edits = find_change(view.stored, name), edits_kept(view.stored, name)
    if not change.is_applied:
        return _by_department(rehearse(view, settled(edits, decided(view.stored)).edits))
    with view.workspace.view(str(entry_applied(view.stored, name) - 1)) as before:
        return _by_department(rehearse(before, settled(edits, decided(before.stored)).edits))


def _by_department(effect: Effect) -> tuple[Table, Table]:
    names, concerned = effect.differences.systems_of_each
    systems = distinct(concerned.nonzero()[2])
    departments, of = np.unique(_departments(effect), return_inverse=True)
    counts = np.zeros((2, len(departments), len(systems)), dtype=np.int64)
    who = np.zeros((2, len(departments)), dtype=np.int64)
    for side in range(2):
        np.add.at(counts[side], of, concerned[side][:, systems])
        np.add.at(who[side], of, concerned[side].any(axis=1))
    most = np.sort(np.argsort(-who.sum(axis=0), kind="stable")[:_MOST_DEPARTMENTS])
    rows, columns = departments[most].tolist(), [names[it] for it in systems.tolist()]
    gaining, losing = (Table(rows, columns, counts[side][most], who[side]) for side in range(2))
    return gaining, losing


def _departments(effect: Effect) -> npt.NDArray[np.object_]:
    """The department of each of those whose reach is another; as it is afterwards, of who is there then."""
    found = np.full(len(effect.differences), NO_DEPARTMENT, dtype=object)
    for at, basis in enumerate((effect.before, effect.after)):
        department, numbers = basis.asker("department"), effect.differences.numbers_in(at)
        names = np.array([*(str(it) for it in department.values), NO_DEPARTMENT], dtype=object)
        found[numbers >= 0] = names[department.codes[numbers[numbers >= 0]]]
    return found
