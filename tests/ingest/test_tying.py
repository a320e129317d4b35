"""Accounts are tied as going through them one by one says."""

import json
import unittest

from hypothesis import given
from hypothesis import strategies as st

from kathodos.ingest.tie_rules import ATTRIBUTE, ID, LOGIN, MAIL, NAME, TieRule
from kathodos.ingest.tying import AMBIGUOUS, NO_LOGIN, ORPHAN, PERSON, SOURCE, tied_accounts
from kathodos.model.kinds import TIES
from kathodos.model.names import name_skeleton
from kathodos.model.rows import rows_from
from kathodos.store.records import InMemory
from tests.support import searching, state_of

WORDS = st.sampled_from(("ann", "Ann", "bo", "Åse", "bo@x.y", "ANN@x.y", None))
RULES = st.lists(
    st.sampled_from(
        (
            *(TieRule(ID), TieRule(MAIL), TieRule(NAME), TieRule(NAME, ("t",))),
            *(TieRule(ATTRIBUTE, (), "staff", "number"), TieRule(LOGIN, ("s",), of="t"), TieRule(LOGIN, of="s")),
        )
    ),
    max_size=3,
    unique=True,
)
ACCOUNT = st.fixed_dictionaries(
    {"system": st.sampled_from("st"), "login": WORDS.filter(bool), "identity": st.sampled_from((None, "i0", "gone"))},
    optional=dict.fromkeys(("email", "mail", "name", "displayName", "staff", "can_login"), WORDS),
)
PERSON_ROW = st.fixed_dictionaries({"email": WORDS, "name": WORDS, "number": WORDS})


def name_of(account):
    return f"{account['system']}/{account['login']}"


def tied_alone(account, people, ties, rules, accounts):
    """What ties one account: the identity, how, and the candidates."""
    tie = ties.get(name_of(account))
    if tie and tie[1] == PERSON:
        return (tie[0] if tie[0] in people else None, PERSON, [])
    stated = account.get("identity")
    if stated and not (tie and tie[0] == stated):
        return (stated if stated in people else None, SOURCE, [])
    several = []
    for at, rule in enumerate(rules):
        if rule.by == LOGIN:
            if rule.systems and account["system"] not in rule.systems:
                continue
            same = [
                it
                for it in accounts
                if it["system"] == rule.of and it["login"].casefold() == account["login"].casefold()
            ]
            owners = {tied_alone(it, people, ties, rules[:at], accounts)[0] for it in same}
            fits = [name for name in people if name in owners]
            if len(fits) == 1:
                return (fits[0], rule.text, [])
            several = several or fits
            continue
        key = {
            ID: lambda: account["login"].casefold(),
            MAIL: lambda: next((account[it] for it in ("email", "mail", "login") if account.get(it)), "").casefold(),
            NAME: lambda: name_skeleton(account.get("name") or account.get("displayName") or ""),
            ATTRIBUTE: lambda: (account.get("staff") or "").casefold(),
        }[rule.by]()
        if (rule.systems and account["system"] not in rule.systems) or (rule.by == MAIL and "@" not in key):
            continue
        of = {ID: "id", MAIL: "email", NAME: "name", ATTRIBUTE: "number"}[rule.by]
        fold = name_skeleton if rule.by == NAME else str.casefold
        fits = [name for name, person in people.items() if key and person.get(of) and fold(person[of]) == key]
        if len(fits) == 1:
            return (fits[0], rule.text, [])
        several = several or fits
    if several:
        return (None, AMBIGUOUS, several)
    return (None, NO_LOGIN if account.get("can_login") == "false" else ORPHAN, [])


class Tying(unittest.TestCase):
    @given(
        st.lists(ACCOUNT, max_size=5, unique_by=lambda row: (row["system"], row["login"])),
        st.lists(PERSON_ROW, max_size=4),
        st.lists(st.tuples(st.sampled_from(("i0", "i1", "")), st.sampled_from((PERSON, ID, MAIL))), max_size=5),
        RULES,
    )
    @searching(600)
    def test_all_at_once_is_one_by_one(self, accounts, rows, made, rules):
        accounts = [{**row, "can_login": "false"} if row.get("can_login") == "bo" else row for row in accounts]
        people = {f"i{at}": {**row, "id": f"i{at}"} for at, row in enumerate(rows)}
        names = [name_of(row) for row in accounts]
        ties = dict(zip(names, made, strict=False))
        state = dict(state_of({"identities": list(people.values()), "accounts": accounts}))
        records = [(at, name, tie[0], tie[1], "", "", "", None, None) for at, (name, tie) in enumerate(ties.items(), 1)]
        state["ties"] = rows_from(TIES, records)
        found = tied_accounts(InMemory(state), rules)
        told = [found.tied(at) for at in range(len(found))]
        expected = [tied_alone(row, people, ties, rules, accounts) for row in accounts]
        self.assertEqual([(it.identity, it.how, list(it.candidates)) for it in told], expected, json.dumps(accounts))


if __name__ == "__main__":
    unittest.main()
