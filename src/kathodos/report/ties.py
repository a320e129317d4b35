"""Ties of accounts in words: how all are tied, which are not, and who may be one person."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

from kathodos.analysis.duplicates import likely_duplicates
from kathodos.ingest.candidates import candidates_of
from kathodos.model.references import reference_to
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field
from kathodos.report.long import first_rows
from kathodos.workspace.view import View

_COUNTS = (
    Field("system", "System", 9),
    Field("how", "Tied by", 9),
    Field("accounts", "Accounts", 9, is_number=True),
)
_OPEN = (
    Field("account", "Account", 9, least=16),
    Field("how", "State", 8, least=9),
    Field("candidates", "May be", 7),
)
_AT_A_TIME = 200
_DUPLICATES = (
    Field("first", "One", 9, least=14),
    Field("second", "Other", 9, least=14),
    Field("reasons", "What speaks for it", 8, least=24),
)


def untied(view: View, most: int | None, is_table: bool) -> Answer:
    """The accounts that are tied to nobody, and whose they may be; `most`: so many rows of a table (None: all)."""
    _, found = view.findings.ties
    if not is_table:
        return Answer(_OPEN, _untied_rows(view, found))
    shown, more = first_rows(found, most)
    hint = (
        "Say whose it is: kathodos tie ACCOUNT PERSON; of a shared one, who answers for it: "
        "kathodos tie ACCOUNT nobody --responsible PERSON"
    )
    heading = f"{plural(len(found), 'account is', 'accounts are')} tied to nobody."
    return Answer(_OPEN, [*_untied_rows(view, shown)], heading, hint=f"{more} {hint}".strip() if found else "")


def _untied_rows(view: View, found: Sequence[tuple[str, str, list[str], int]]) -> Iterator[dict[str, Any]]:
    """A row for each account; those whose names are like its own are looked for some at a time."""
    for first in range(0, len(found), _AT_A_TIME):
        some = found[first : first + _AT_A_TIME]
        likely = iter(candidates_of(view.catalogue, [at for *_, at in some if at >= 0]))
        for account, how, candidates, at in some:
            like = next(likely) if at >= 0 else []
            words = [f"{one.identity} ({one.name}, {one.likeness} % alike)" for one in like]
            yield {"account": account, "how": how, "candidates": [*candidates, *words]}


def tie_counts(view: View) -> Answer:
    """How all accounts are tied, by system and rule."""
    counts, _ = view.findings.ties
    counted = [{"system": system, "how": how, "accounts": count} for system, how, count, _ in counts]
    total, tied = sum(count for _, _, count, _ in counts), sum(tied for *_, tied in counts)
    heading = f"{tied} of {plural(total, 'account is', 'accounts are')} tied to a person, a service or an agent."
    hint = "The others: `kathodos tie --open`." if tied < total else ""
    return Answer(_COUNTS, counted, heading, hint=hint)


def duplicates(view: View) -> Answer:
    """Identities that may be one person."""
    found = likely_duplicates(view.catalogue)
    rows = [
        {
            "first": reference_to("identity", it.first),
            "second": reference_to("identity", it.second),
            "reasons": "; ".join(it.reasons),
        }
        for it in found
    ]
    heading = f"{plural(len(rows), 'pair')} of identities that may be one person."
    hint = "Look at both: `kathodos show REF`. A namesake is no duplicate." if rows else ""
    return Answer(_DUPLICATES, rows, heading, hint=hint)


def tied(account: str, identity: str, responsible: str | None, entry: int | None) -> Answer:
    """What is said once a person has said whose an account is; no identity: nobody's."""
    whose = f"belongs to {identity}" if identity else "is shared and belongs to nobody"
    whose += f"; {responsible} answers for it" if responsible else ""
    heading = f"account:{account} {whose} (entry {entry} of the ledger)."
    return Answer(heading=heading, hint="How all accounts are tied: kathodos tie")


def tied_again(account: str, entry: int | None) -> Answer:
    """What is said once a person's word on an account is taken back."""
    what = f"account:{account} is tied by its source and the rules again"
    return Answer(heading=f"{what}; entry {entry} of the ledger.", hint="How all accounts are tied: kathodos tie")
