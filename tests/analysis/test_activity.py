"""Who used what: the uses of one asker are those that, looked at one by one, are its own."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from kathodos.analysis.activity import Activity
from kathodos.store.records import InMemory
from tests.support import index_of, searching, state_of

NAMES = ("ann", "bo", "ANN", "nobody", None)
LOGINS = ("s/a", "s/b", "s/shared", "s/unknown", None)


@st.composite
def catalogues_with_use(draw):
    owner = st.sampled_from(("ann", "bo", None))
    return {
        "systems": [{"system": "s"}],
        "actions": [{"system": "s", "action": "view", "kind": "read"}],
        "identities": [{"id": "ann"}, {"id": "bo"}, {"id": "ANN"}],
        "accounts": [{"system": "s", "login": it, "identity": draw(owner)} for it in ("a", "b", "shared")],
        "resources": [{"resource": address} for address in ("s:/x", "s:/x/y", "s:/xy")],
        "activity": [
            {
                "time": f"2026-01-0{draw(st.integers(1, 9))}",
                "identity": draw(st.sampled_from(NAMES)),
                "account": draw(st.sampled_from(LOGINS)),
                "action": "view",
                "resource": draw(st.sampled_from(("s:/x", "s:/x/y", "s:/xy", "s:/"))),
                "count": draw(st.integers(1, 3)),
            }
            for _ in range(draw(st.integers(0, 8)))
        ],
    }


def whose(catalogue, use):
    """By the plain rule: who is named and there; else the owner of the account; else the account itself."""
    people = {it["id"] for it in catalogue["identities"]}
    owners = {f"{it['system']}/{it['login']}": it["identity"] for it in catalogue["accounts"]}
    if use["identity"] in people:
        return f"identity:{use['identity']}"
    if owners.get(use["account"]) is not None:
        return f"identity:{owners[use['account']]}"
    return f"account:{use['account']}"


class Use(unittest.TestCase):
    @given(catalogues_with_use())
    @searching(150)
    def test_the_uses_of_one_are_its_own(self, catalogue):
        activity = Activity(InMemory(state_of(catalogue)), index_of(catalogue).holders)
        holders, uses = activity.holders, catalogue["activity"]
        for asker in range(holders.first_group):
            name = holders.references[asker]
            expected = [whose(catalogue, use) == name for use in uses]
            self.assertEqual(activity.by(asker).tolist(), expected, name)
        for at, use in enumerate(uses):
            if use["account"] or use["identity"] in ("ann", "bo", "ANN"):
                self.assertEqual(activity.name(int(activity.who(np.array([at]))[0])), whose(catalogue, use))
        some = [it for it, use in zip(range(len(uses)), uses, strict=True) if use["identity"] in ("ann", "bo")]
        chosen = np.isin(np.arange(len(uses)), some)
        folded = activity.folded(chosen)
        self.assertEqual(sum(it.count for it in folded), sum(uses[at]["count"] for at in some))

    @given(catalogues_with_use(), st.sampled_from(("s:/", "s:/x", "s:/x/y", "s:/none")))
    @searching(60)
    def test_what_lies_below(self, catalogue, address):
        activity = Activity(InMemory(state_of(catalogue)), index_of(catalogue).holders)
        beginning = f"{address}/".replace("//", "/")
        expected = [f"{use['resource']}/".replace("//", "/").startswith(beginning) for use in catalogue["activity"]]
        self.assertEqual(activity.below(beginning).tolist(), expected)


if __name__ == "__main__":
    unittest.main()
