"""What differs between two states is exactly what the plain reference reaches in one and not in the other."""

import json
import unittest
from datetime import datetime

from hypothesis import given
from hypothesis import strategies as st

from kathodos.analysis.differences import ReachDifferences, Side
from kathodos.engine.compiled.compile import compile_index
from kathodos.engine.compiled.index import NEEDED
from kathodos.model.times import microseconds
from kathodos.store.edited import Edit
from kathodos.store.records import InMemory
from tests.reference import Reference
from tests.support import NOW, Prepared, catalogues, lay_out, run, searching, state_of

KINDS = ("grants", "members", "resources", "roles", "role_permissions", "areas", "groups", "accounts")
AT = datetime.fromisoformat(NOW)
LATER = datetime.fromisoformat("2026-08-01T00:00:00Z")


def edits_from(first, second):
    """What turns one state into the other, record by record."""
    found = {}
    for kind in NEEDED:
        before, after = (
            {tuple(values): dict(zip(kind.names, values, strict=True)) for values in state[kind.name].values()}
            for state in (first, second)
        )
        gone = [record for values, record in before.items() if values not in after]
        come = [record for values, record in after.items() if values not in before]
        if gone or come:
            found[kind.name] = Edit(gone, come)
    return found


def owned_by_others(catalogue):
    """The accounts that are somebody's, who is there."""
    people = {row["id"] for row in catalogue.get("identities", ())}
    return {f"{it['system']}/{it['login']}" for it in catalogue.get("accounts", ()) if it.get("identity") in people}


def accounts_in(catalogue):
    return {f"account:{it['system']}/{it['login']}" for it in catalogue.get("accounts", ())}


def told(differences):
    return {
        (who, sign, text)
        for at, who in enumerate(differences.askers)
        for sign, texts in zip("+-", differences.texts(at), strict=True)
        for text in texts
    }


class Differences(unittest.TestCase):
    @given(
        catalogues(),
        catalogues(),
        st.just({"role_permissions"}) | st.sets(st.sampled_from(KINDS)),
        st.sampled_from((AT, LATER)),
    )
    @searching(30, shrinks=False)
    def test_who_reaches_more_or_less(self, first, other, changed, then):
        second = {kind: other[kind] if kind in changed else rows for kind, rows in first.items()}
        before, after = state_of(first), state_of(second)
        sides = [Side(compile_index(InMemory(state)), microseconds(at)) for state, at in ((before, AT), (after, then))]
        had, has = Reference(first).everything(AT), Reference(second).everything(then)
        gained = {(who, "+", f"{action} {address}") for who, action, address in has - had}
        lost = {(who, "-", f"{action} {address}") for who, action, address in had - has}
        moved = {f"account:{name}" for name in owned_by_others(first) ^ owned_by_others(second)}
        moved &= accounts_in(first) & accounts_in(second)
        alone = Reference({**second, "accounts": [{**it, "identity": None} for it in second.get("accounts", ())]})
        reached = {(who, f"{action} {address}") for who, action, address in alone.everything(then) if who in moved}
        for edits in (None, edits_from(before, after)):
            found = ReachDifferences(*sides, edits)
            self.assertEqual(told(found), {it for it in gained | lost if it[0] not in moved})
            self.assertEqual(
                {it.account: (it.was is None) != (it.is_now is None) for it in found.moved}, dict.fromkeys(moved, True)
            )
            self.assertEqual({(it.account, text) for it in found.moved for text in it.reaches}, reached)
            for at in range(len(found)):
                self.assertEqual((found.gained[at], found.lost[at]), tuple(map(len, found.texts(at))))


class Records(Prepared, unittest.TestCase):
    @classmethod
    def prepare(cls, folder):
        at = lay_out(
            folder / "house",
            {"systems": [{"system": "s"}, {"system": "t"}], "roles": [{"system": "s", "role": "r"}]},
        )
        run("gather", cwd=at)
        (at / "tables" / "systems.csv").write_text("system,title\ns,S\n")
        (at / "tables" / "roles.csv").write_text("system,role\ns,r\ns,q\n")
        run("gather", "--accept-loss", cwd=at)
        return at

    def test_by_kind(self):
        found = json.loads(run("baseline", "compare", "1", "2", "--format", "json", cwd=self.here, status=1).stdout)[
            "kinds"
        ]
        self.assertEqual(
            found,
            [
                {"kind": "systems", "came": 0, "changed": 1, "went": 1},
                {"kind": "roles", "came": 1, "changed": 0, "went": 0},
            ],
        )


if __name__ == "__main__":
    unittest.main()
