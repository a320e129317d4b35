"""What is said about units is what a plain reading says that removes them one by one."""

import json
import unittest
from datetime import datetime

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from kathodos.analysis.evidence.asked import Asked
from kathodos.analysis.evidence.held import Units
from kathodos.analysis.evidence.units import UnitEvidence
from kathodos.analysis.evidence.usual import Peers, Terms
from kathodos.model.times import BEGINNING, microseconds
from kathodos.rules.asked import asked_by
from tests import stores
from tests.evidence import Plain
from tests.reference import split
from tests.support import NOW, basis_of, catalogues, naming_actions, rules_of, searching

AT = datetime.fromisoformat(NOW)
WHO = {"Dock": 'department eq "dock"', "Crane": 'department eq "crane"', None: 'kind eq "person"'}
WANTED = ("view s:/**", "edit s:/a/**", "own s:/a/b", "* s:/a/b/c", "view s:/a/*", "edit t:/**", "view s:/*/b")
DAYS = ("2026-01-02T00:00:00Z", "2026-05-04T10:00:00Z", "2026-06-14T00:00:00Z")


def units_of(basis, plain):
    """The units of the reference as numbers."""
    holders, units = basis.index.holders, list(plain.units())
    grants = {name: at for at, name in enumerate(basis.index.grants.ids)}
    columns = [
        (
            holders.find(unit.asker),
            holders.find(unit.holder),
            grants[unit.row["grant"]] if unit.kind == "grants" else -1,
            holders.find(unit.group) if unit.kind == "members" else -1,
        )
        for unit in units
    ]
    return units, Units(*np.array(columns, dtype=np.int64).reshape(-1, 4).T)


@st.composite
def used(draw, catalogue):
    """Rows of activity of what is in a catalogue."""
    people = [("identity", row["id"]) for row in catalogue["identities"]]
    people += [("account", f"{row['system']}/{row['login']}") for row in catalogue["accounts"]]
    places = [row["resource"] for row in catalogue["resources"]]
    rows = st.fixed_dictionaries(
        {
            "who": st.sampled_from(people),
            "action": st.sampled_from(("view", "edit", "own")),
            "resource": st.sampled_from(places),
            "time": st.sampled_from(DAYS),
            "count": st.integers(1, 3),
        }
    )
    return draw(st.lists(rows, max_size=12))


def with_uses(catalogue, rows):
    """The catalogue with this activity, and the uses of what its systems know as the reference takes them."""
    activity = [{**{key: row[key] for key in row if key != "who"}, row["who"][0]: row["who"][1]} for row in rows]
    uses = [(":".join(row["who"]), row["action"], split(row["resource"]), row["time"], row["count"]) for row in rows]
    return {**catalogue, "activity": activity}, uses


def text_of(needs):
    """Needs as a file of rules."""
    blocks = [
        f"[[need]]\nid = \"N-{at}\"\nwho = '{WHO[who]}'\nmust = {json.dumps(list(wanted))}\n"
        for at, (who, wanted) in enumerate(needs)
    ]
    return 'topic = "t"\n' + "".join(blocks)


def read_needs(needs):
    """Needs as the reference takes them."""
    return [
        (lambda row, who=who: who in (None, row.get("department")), [tuple(it.split(" ")) for it in wanted])
        for who, wanted in needs
    ]


NEEDS = st.lists(
    st.tuples(st.sampled_from(list(WHO)), st.lists(st.sampled_from(WANTED), min_size=1, max_size=2)), max_size=3
)


@stores.ABOUT_ANSWERS
class OfUnits(unittest.TestCase):
    @searching(60)
    @given(catalogues(), st.data())
    def test_what_units_add_and_how_they_were_used(self, catalogue, data):
        given = st.sampled_from((None, None, "2026-05-04", "2026-06-14"))
        catalogue["grants"] = [{**row, "given_at": data.draw(given)} for row in catalogue["grants"]]
        catalogue, uses = with_uses(naming_actions(catalogue), data.draw(used(catalogue)))
        plain, basis = Plain(catalogue, AT, uses), basis_of(catalogue)
        units, numbers = units_of(basis, plain)
        found = UnitEvidence(basis, numbers, asked_by(basis, []))
        adds, withholds = found.adds, found.withholds
        folded = found.used, found.credited, found.used_as_named
        for at, unit in enumerate(units):
            gives, content = plain.adds(unit), plain.content(unit)
            self.assertEqual((adds[at], withholds[at]), (len(gives), len(plain.withholds(unit))), vars(unit))
            named = {action for action, _ in plain.names(unit)}
            expected = plain.used(unit, content), plain.used(unit, gives), plain.used(unit, gives, named)
            for it, (times, last) in zip(folded, expected, strict=True):
                moment = BEGINNING if last is None else microseconds(datetime.fromisoformat(last))
                self.assertEqual((it.times[at], it.last[at]), (times, moment), vars(unit))
        told = {}
        for unit, action, is_named, times in zip(
            *(getattr(found.by_action, name).tolist() for name in ("unit", "action", "is_named", "times")), strict=True
        ):
            told.setdefault(unit, {})[basis.index.actions[action][1], basis.index.actions[action][0]] = is_named, times
        for at, unit in enumerate(units):
            content, named = plain.content(unit), {(action, node[0]) for action, node in plain.names(unit)}
            expected = {}
            for action, node in content:
                times = plain.used(unit, {(action, node)})[0]
                if times:
                    key = action, node[0]
                    expected[key] = key in named, expected.get(key, (False, 0))[1] + times
            self.assertEqual(told.get(at, {}), expected, vars(unit))

    @searching(60)
    @given(catalogues(), NEEDS)
    def test_what_units_are_needed_for_and_what_is_more(self, catalogue, needs):
        catalogue = naming_actions(catalogue)
        plain, basis = Plain(catalogue, AT, (), read_needs(needs)), basis_of(catalogue)
        units, numbers = units_of(basis, plain)
        found = UnitEvidence(basis, numbers, asked_by(basis, rules_of(text_of(needs)).needs))
        beyond = {}
        for unit, action, resources in zip(
            *(
                it.tolist()
                for it in (
                    found.beyond.unit,
                    found.beyond.action,
                    found.beyond_resources(np.arange(len(found.beyond.unit))),
                )
            ),
            strict=True,
        ):
            beyond.setdefault(unit, {})[basis.index.actions[action]] = resources
        for at, unit in enumerate(units):
            expected = plain.needed(unit)
            for columns, numbers_ in zip((found.needed, found.also_needed), expected, strict=True):
                bits = int(columns[0][at]) if needs else 0
                self.assertEqual({bit for bit in range(len(needs)) if bits >> bit & 1}, numbers_, vars(unit))
            by_action = {}
            content = plain.content(unit)
            asked = set().union(*(plain.asked(plain.needs[it][1]) for it in plain.needs_of(unit.asker)))
            if any(expected):
                for action, node in plain.names(unit) & content:
                    if (action, node) not in asked:
                        left = {other for what, other in content - asked if what == action and other[0] == node[0]}
                        by_action[node[0], action] = len(left)
            self.assertEqual(beyond.get(at, {}), by_action, vars(unit))

    @searching(60)
    @given(catalogues(), st.lists(st.sampled_from(("person", "service")), min_size=3, max_size=3), st.booleans())
    def test_how_many_others_have_what_units_name(self, catalogue, kinds, is_widened):
        catalogue = naming_actions(catalogue)
        people = zip(catalogue["identities"], kinds, strict=True)
        catalogue = {**catalogue, "identities": [{**row, "kind": kind} for row, kind in people]}
        plain, basis = Plain(catalogue, AT), basis_of(catalogue)
        units, numbers = units_of(basis, plain)
        found = Peers(UnitEvidence(basis, numbers, Asked()), Terms(["department", "kind"], 1, is_widened)).usual()
        for at, unit in enumerate(units):
            peers, everybody = plain.others(unit, "department", "kind"), plain.others(unit)
            level = 0
            if is_widened and not peers and plain.others(unit, "kind"):
                peers, level = plain.others(unit, "kind"), 1
            expected = (
                plain.having(unit, peers),
                len(peers),
                plain.having(unit, everybody),
                len(everybody),
                level,
                len(peers) >= 1,
            )
            told = (found.having, found.of, found.all_having, found.all_of, found.level, found.is_enough)
            self.assertEqual(tuple(it[at] for it in told), expected, vars(unit))


if __name__ == "__main__":
    unittest.main()
