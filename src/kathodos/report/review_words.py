"""What stands with a line of a review, in words: whom it is about, how it is held and used, what was said of it."""

from __future__ import annotations

from typing import Any

from kathodos.model.words import plural
from kathodos.review.authority import Capacity
from kathodos.review.lines import CORRECT, REDUCE
from kathodos.review.reducing import Reduction
from kathodos.review.remarks import Sort
from kathodos.review.subjects import About

_MOST_TOLD = 40  # permissions in all evidence


def whose(line: dict[str, Any]) -> list[str]:
    """Whom a line is about: the name and the id; of what is nobody's who holds it."""
    if line["identity"] is not None:
        return [line["name"] or "", line["identity"]]
    if line["account"] is not None:
        return ["", f"account:{line['account']}"]
    return [line["how"].partition(",")[0].removeprefix("by ") if line["about"] == About.RESOURCES else ""]


def shares(line: dict[str, Any]) -> tuple[str, str]:
    """How many peers have the same, and how many of everybody."""
    peers = "" if line["about"] != About.ACCESS else "no peers"
    if line["peers_counted"]:
        peers = f"{line['peers_having']} of {line['peers_counted']}"
    everyone = f"{line['everyone_having']} of {line['everyone_counted']}" if line["everyone_counted"] else ""
    return peers, everyone


def asked_for_by(line: dict[str, Any]) -> str:
    """The needs that ask for something in it, and of which what they ask for comes by another way too."""
    return ", ".join([*line["needed_by"], *(f"{it} (given otherwise too)" for it in line["also_needed"])])


def shares_in_words(line: dict[str, Any]) -> str:
    """As `shares`, in a sentence with what parts these are; empty where nothing is known."""
    told = [
        f"{line[f'{some}_having']} of {line[f'{some}_counted']} {whom} ({_part(line, some)} %)"
        for some, whom in (("peers", "peers"), ("everyone", "people"))
        if line[f"{some}_counted"]
    ]
    alone = "no peers; " if line["about"] == About.ACCESS and not line["peers_counted"] else ""
    return f"{alone}held by {' and by '.join(told)}" if told else ""


def _part(line: dict[str, Any], some: str) -> str:
    """How many of a hundred have the same."""
    having, of = line[f"{some}_having"], line[f"{some}_counted"]
    return f"{100 * having // of}" if 100 * having >= of or not having else "under 1"


def last_use(line: dict[str, Any]) -> str:
    """When it was used last, or since when it never was; of a cover when its control was confirmed."""
    if line["last_used"]:
        return str(line["last_used"])[:10]
    if line["use"] is None:
        return ""
    since = line["use_recorded_since"]
    return f"never since {since[:10]}" if since else "not recorded"


def decision_in_words(line: dict[str, Any]) -> list[str]:
    """What is decided, by whom and why, and what was said before."""
    words = [line["decision"] or "undecided"]
    if line["decision"] in (REDUCE, CORRECT):
        words = [f"{line['decision']} {Reduction(**line['reduced']).in_words}"]
    if line["decision"]:
        capacity = f" ({line['capacity']})" if line["capacity"] not in (None, Capacity.REVIEWER) else ""
        words += [f"by {line['decided_by']}{capacity}"]
        words += [line["decision_reason"]] if line["decision_reason"] else []
    words += [line["ordered"]] if line["ordered"] else []
    return words


_SAID = {
    Sort.PASSED_ON: "{said_by} passed it on to {whom}",
    Sort.QUESTION: "{said_by} asks {whom}",
    Sort.ANSWER: "{said_by} answers",
    Sort.COMMENT: "{said_by} says",
}


def remark_in_words(remark: dict[str, Any]) -> str:
    """Who said what of a line."""
    text = f": {remark['text']}" if remark["text"] else ""
    return _SAID[Sort(remark["sort"])].format(**remark) + text


def facts_about(line: dict[str, Any]) -> list[str]:
    """What is to be known of the person, where it is not as usual."""
    facts = [line["status"]] if line["status"] not in (None, "active", "enabled", "on") else []
    facts += [f"until {line['ends'][:10]}"] if line["ends"] else []
    facts += [f"risk {line['risk']}"] if line["risk"] is not None else []
    facts += [f"signed in {line['signed_in'][:10]}"] if line["signed_in"] else []
    facts += [f"no account in {', '.join(line['no_account'])}"] if line["no_account"] else []
    return facts + ([f"came from {line['former_department']}"] if line["former_department"] else [])


def words_about(evidence: dict[str, Any], most: int = 3) -> list[str]:
    """How it is held, who gave it and why, when it ends, and what it contains, in plain words."""
    held = evidence["how"] if evidence["about"] in _SAID_ALREADY else f"held {evidence['how']}"
    if evidence["given_by"] or evidence["given_at"]:
        held += "; given" + (f" by {evidence['given_by']}" if evidence["given_by"] else "")
        held += f" on {evidence['given_at'][:10]}" if evidence["given_at"] else ""
    held += f" ({evidence['given_for']})" if evidence["given_for"] else ""
    held += f"; stands {evidence['stands_by']}" if evidence["stands_by"] else ""
    held += f"; ends {evidence['until']}" if evidence["until"] else ""
    brings = [f"brings {', '.join(evidence['brings'])}"] if evidence["brings"] else []
    if (evidence["sensitivity"] or 0) > 1:
        brings.append(f"opens what has sensitivity {evidence['sensitivity']} of 3")
    if evidence["certified_at"]:
        brings.append(f"last certified on {evidence['certified_at'][:10]} by {evidence['certified_by']}")
    if evidence["redundant"]:
        brings.append("nobody would lose anything if it went: the same comes by another way")
    contains = evidence["contains"]
    more = f" and {len(contains) - most} more" if len(contains) > most else ""
    is_bare = evidence["about"] == About.ACCOUNTS and not contains
    told = [] if is_bare else [f"contains {'; '.join(contains[:most])}{more}" if contains else "contains nothing"]
    is_part = "entry" in evidence["item"] or evidence["about"] in (About.IDENTITY_DATA, About.COVERS)
    return [it for it in (held, *([] if is_part else brings), *([] if is_part else told)) if it]


_SAID_ALREADY = (About.ACCOUNTS, About.ROLES, About.IDENTITY_DATA, About.COVERS)


def use_in_words(line: dict[str, Any]) -> str:
    """When it was used last and how often, and whether a rule needs it; of a cover when its control was confirmed."""
    if line["about"] == About.COVERS:
        when = f"last on {line['last_used'][:10]}" if line["last_used"] else "never"
        return f"the control was confirmed {when}"
    often = f", {plural(line['uses'], 'use')} known" if line["uses"] else ""
    told = [f"last used: {last_use(line)}{often}"] if last_use(line) else []
    told += ["all of it possible without this too"] if line["used_otherwise"] else []
    told += [f"never used: {', '.join(line['never_used'])}"] if line["last_used"] and line["never_used"] else []
    needed = asked_for_by(line)
    told += [f"needed: {needed or line['needed']}"] if line["needed"] is not None else []
    told += [f"beyond what is needed: {line['beyond_need']}"] if line["beyond_need"] else []
    return "; ".join(told)


def evidence_of(line: dict[str, Any], most: int = _MOST_TOLD) -> list[str]:
    """Everything that stands beside a line, one sentence each."""
    facts = words_about(line, most)
    facts += [told] if line["about"] != About.IDENTITY_DATA and (told := shares_in_words(line)) else []
    facts += [it] if (it := use_in_words(line)) else []
    if line["conflicts"] or line["fences"]:
        facts.append(f"rules broken: {', '.join([*line['conflicts'], *line['fences']])}")
    person = facts_about(line)
    facts += [f"of the person: {'; '.join(person)}"] if person else []
    facts += [f"found of it: {', '.join(line['excess'])}"] if line["excess"] else []
    facts += [f"found about them: {', '.join(line['found_about'])}"] if line["found_about"] else []
    return [*facts, *map(remark_in_words, line["remarks"])]
