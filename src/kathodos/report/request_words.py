"""Requests in words: what is asked for, the evidence beside it, who decides, what became of it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import TYPE_CHECKING, Any

from msgspec.structs import asdict

from kathodos.change.settling import records_held
from kathodos.model.kinds import IDENTITIES
from kathodos.model.rows import Record
from kathodos.model.times import first_moment
from kathodos.model.words import plural
from kathodos.request.records import LOOK_BACK, NAME, Request, Step, less_from
from kathodos.store.records import Records

if TYPE_CHECKING:
    from kathodos.request.approving import StepDecided
    from kathodos.request.evidence import Evidence, Share

_MOST_TOLD = 4  # of what a role or a group brings
_WAYS = {"manager": "as the manager", "owner": "as the owner"}


def names_of(records: Records, ids: Iterable[str]) -> dict[str, str]:
    """The names of some people, by id."""
    wanted = [(it,) for it in dict.fromkeys(ids) if it]
    held = records_held(records, IDENTITIES, wanted) if wanted else {}
    return {str(key[0]): str(it.record["name"]) for key, it in held.items() if it.record["name"]}


def named(person: str, names: Mapping[str, str]) -> str:
    """Somebody as people read it: the name, and the id in brackets."""
    return f"{names[person]} ({person})" if person in names else person


def who_decides(steps: Sequence[StepDecided], names: Mapping[str, str]) -> list[str]:
    """Who will decide a request, step by step."""
    lines = []
    for number, step in enumerate(steps, 1):
        people = [f"{named(it.name, names)}{_as(it.as_)}" for it in step.approvers]
        joined = people[0] if len(people) == 1 else f"{', '.join(people[:-1])} {_between(step.takes)} {people[-1]}"
        lines.append(f"  {number}. {joined}")
    return lines


def _between(takes: str) -> str:
    return "and" if takes == "all" else "or"


def _as(way: str) -> str:
    return f", {_WAYS[way]}" if way in _WAYS else f", {way}" if way.startswith("above ") else ""


def step_lines(steps: Sequence[Step], request: Request, names: Mapping[str, str]) -> Iterator[str]:
    """What became of each step of a request, in sentences."""
    for it in steps:
        values = it.values
        start = "Looking back" if it.number == LOOK_BACK else f"Step {it.number}"
        who = f"{named(it.approver, names)}{_as(str(values['as'] or ''))}"
        if it.decision:
            by = named(str(values["decided_by"]), names)
            instead = f", in place of {who}" if values["decided_by"] != it.approver else _as(str(values["as"] or ""))
            less = f", {less_from(values['less']).text}" if values["less"] else ""
            why = f": {values['reason']}" if values["reason"] else ""
            yield f"{start}: {_DONE[it.decision]} by {by}{instead}, on {_day(values['decided_at'])}{less}{why}"
        elif it.number == LOOK_BACK or (request.state == "open" and it.number == request.step):
            late = f", due on {_day(values['due'])}" if values["due"] else ""
            yield f"{start}: waits for {who}{late}"
        elif request.state == "open" and it.number > request.step:
            yield f"{start}: then {who}"


_DONE = {"grant": "granted", "deny": "denied", "right": "found right", "wrong": "found wrong"}


def _day(text: object) -> str:
    return str(text or "")[:16].replace("T", " ")


def said_lines(request: Request) -> list[str]:
    """What was said with a request that its kit wants to be told."""
    return [f"{name}: {text}" for name, text in request.says.items() if name != NAME]


# Evidence


def evidence_lines(evidence: Evidence, pending: int = 0) -> Iterator[str]:
    """The evidence beside a request, in sentences; what stands out first."""
    text, way = evidence.stands_out
    if text:
        yield f"{'! ' if way == 'against' else ''}{text}"
    person = evidence.person
    if person is not None:
        yield _person_line(person)
    else:
        yield "They are not in the catalogue yet: granting it invites them, and they reach it once they are active."
    held, asked = evidence.composition.standing, evidence.composition.asked
    if held:
        yield f"{held} of {plural(asked, 'entry', 'entries')} {'is' if held == 1 else 'are'} held already, for as long."
    if evidence.gained:
        systems = ", ".join(f"{count:,} in {name}" for name, count in evidence.by_system.items())
        yield f"It would add {plural(evidence.gained, 'combination')} of action and resource: {systems}."
        yield f"For example: {'; '.join(evidence.examples)}."
    else:
        yield "It would add nothing to what they reach."
    if evidence.sensitive is not None:
        count, level, address = evidence.sensitive
        more = f", and {count - 1} more" if count > 1 else ""
        yield f"The most sensitive of it: {address}, sensitivity {level}{more}."
    for gives, texts in evidence.contains:
        more = f" and {len(texts) - _MOST_TOLD} more" if len(texts) > _MOST_TOLD else ""
        yield f"{gives} brings {'; '.join(texts[:_MOST_TOLD]) or 'nothing'}{more}."
    for account, last in evidence.signed_in:
        yield f"{account} was last used to sign in on {last[:10]}." if last else f"No sign-in of {account} is known."
    if not evidence.conflicts and not evidence.fences:
        yield "It would make no conflict and cross no fence."
    for verb, what, found in (("make", "conflict", evidence.conflicts), ("cross", "fence", evidence.fences)):
        if found:
            yield f"It would {verb} {plural(len(found), what)}: {'; '.join(found)}."
    if evidence.needs:
        yield f"It would give something that they need: {'; '.join(evidence.needs)}."
    if evidence.beyond:
        yield f"It also allows what no rule asks for: {'; '.join(evidence.beyond)}."
    if evidence.risk is not None:
        was, is_then = evidence.risk
        yield f"Their risk would be {is_then:.0f} of 100, and is {was:.0f}."
    yield from (_share_line(it) for it in evidence.shares)
    yield evidence.before.text
    for it in evidence.reviewed[:3]:
        why = f": {it.reason}" if it.reason else ""
        done = {"certify": "certified", "revoke": "took away", "reduce": "made less"}.get(it.decision, it.decision)
        yield f"In the review {it.review} {it.by} {done} {it.what} on {it.at[:10]}{why}."
    if pending:
        yield f"This is as it will be once the {plural(pending, 'open order')} are carried out."


def _person_line(person: Record) -> str:
    parts = [str(person[name]) for name in ("title", "department", "location") if person[name]]
    manager = f"; the manager is {person['manager']}" if person["manager"] else ""
    status = "" if person["status"] == "active" else f"; {person['status']}"
    ends = f"; the last day is {person['ends']}" if person["ends"] else ""
    return f"{', '.join(parts) or 'Nothing is known of what they do'}{manager}{status}{ends}."


def _share_line(it: Share) -> str:
    everybody = f"{it.having} of {it.everybody} others in all"
    if it.peers:
        return f"{it.peers_having} of {it.peers} peers have {it.entry.text}, and {everybody}."
    return f"{everybody} have {it.entry.text}; they have no peers."


def evidence_data(evidence: Evidence) -> dict[str, Any]:
    """The evidence as data."""
    text, way = evidence.stands_out
    sensitive = evidence.sensitive
    return {
        "stands_out": text or None,
        "speaks": way or None,
        "gained": evidence.gained,
        "gained_by_system": dict(evidence.by_system),
        "standing": evidence.composition.standing,
        "most_sensitive": {"resource": sensitive[2], "sensitivity": sensitive[1]} if sensitive else None,
        "contains": [{"gives": gives, "brings": list(texts)} for gives, texts in evidence.contains],
        "signed_in": [{"account": account, "last": last or None} for account, last in evidence.signed_in],
        "conflicts": list(evidence.conflicts),
        "fences": list(evidence.fences),
        "needs": list(evidence.needs),
        "beyond_need": list(evidence.beyond),
        "risk": {"was": evidence.risk[0], "is": evidence.risk[1]} if evidence.risk else None,
        "shares": [
            {
                "entry": it.entry.text,
                "peers_having": it.peers_having,
                "peers": it.peers,
                "people_having": it.having,
                "people": it.everybody,
            }
            for it in evidence.shares
        ],
        "before": asdict(evidence.before),
        "reviewed": [asdict(it) for it in evidence.reviewed],
    }


def age_in_days(asked_at: str, moment: int) -> int:
    """How many days ago something was."""
    return max((moment - first_moment(asked_at)) // 86_400_000_000, 0)
