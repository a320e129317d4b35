"""What is said about units is what a plain reading says that removes them one by one."""

import json
import unittest
from datetime import datetime

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from kathodos.analysis.evidence.asked import Asked
from kathodos.analysis.evidence.held import Units
from kathodos.analysis.evidence.held import units_of as held_units
from kathodos.analysis.evidence.units import UnitEvidence
from kathodos.analysis.evidence.usual import Peers, Terms
from kathodos.engine.everyone import count_pairs
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
            self.assertEqual(beyond.get(at, {}), plain.beyond(unit), vars(unit))

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


def evidence_of(catalogue, needs=()):
    """The units of a catalogue, what is known of them, and how many (action, resource) each asker reaches."""
    basis = basis_of(catalogue)
    units = held_units(basis.index, np.arange(basis.size), basis.moment)
    found = UnitEvidence(basis, units, asked_by(basis, rules_of(text_of(needs)).needs if needs else []))
    index, holders = basis.index, basis.index.holders
    names = [
        (
            holders.references[units.asker[at]],
            index.grants.ids[units.grant[at]] if units.grant[at] >= 0 else "",
            f"{holders.references[units.holder[at]]} in {holders.references[units.group[at]]}"
            if units.group[at] >= 0
            else "",
        )
        for at in range(len(units))
    ]
    return basis, names, found


def reach_of(basis):
    """How many (action, resource) each asker reaches."""
    askers, pairs = count_pairs(basis.index, basis.moment)
    references = [basis.index.holders.references[it] for it in askers.tolist()]
    return {name: count for name, count in zip(references, pairs.tolist(), strict=True) if count}


@stores.ABOUT_ANSWERS
class Altered(unittest.TestCase):
    """How what is said alters with the catalogue."""

    @searching(60)
    @given(catalogues(), NEEDS, st.data())
    def test_what_is_given_twice_is_credited_to_neither_and_needed_of_neither(self, catalogue, needs, data):
        again = [{**row, "grant": f"{row['grant']}-again"} for row in catalogue["grants"]]
        catalogue = naming_actions({**catalogue, "grants": [*catalogue["grants"], *again]})
        catalogue, _ = with_uses(catalogue, data.draw(used(catalogue)))
        _, names, found = evidence_of(catalogue, needs)
        of_grants = np.array([bool(grant) for _, grant, _ in names], dtype=bool)
        for column in (found.adds, found.withholds, found.credited.times, *found.needed):
            self.assertFalse(np.any(column[of_grants]))

    @searching(60)
    @given(catalogues(), st.booleans())
    def test_who_reaches_nothing_alters_only_the_number_of_all(self, catalogue, is_peer):
        catalogue = naming_actions({**catalogue, "groups": [{**it, "filter": None} for it in catalogue["groups"]]})
        catalogue["grants"] = [it for it in catalogue["grants"] if it["holder"] != "everyone"]
        more = {"id": "nobody", "status": "active", "department": "Dock" if is_peer else "Elsewhere"}
        usual = []
        for people in (catalogue["identities"], [*catalogue["identities"], more]):
            basis, names, found = evidence_of({**catalogue, "identities": people})
            told = Peers(found, Terms(["department"])).usual()
            dock = basis.identity("department").holding("Dock")
            at_dock = [who in {basis.index.holders.references[it] for it in dock.nonzero()[0]} for who, _, _ in names]
            usual.append((names, told, np.array(at_dock, dtype=bool), basis))
        (names, before, at_dock, _), (same, after, _, _) = usual
        self.assertEqual(names, same)
        of_people = np.array([who.startswith("identity:") for who, _, _ in names], dtype=bool)
        self.assertTrue(np.array_equal(before.having, after.having))
        self.assertTrue(np.array_equal(before.all_having, after.all_having))
        self.assertTrue(np.array_equal(before.all_of + of_people, after.all_of))
        self.assertTrue(np.array_equal(before.of + (at_dock & is_peer), after.of))

    @searching(240)
    @given(catalogues(), st.sampled_from(list(WHO)))
    def test_a_weaker_need_never_speaks_for_a_stronger_right(self, catalogue, who):
        weakest = [it for it in catalogue.get("actions", []) if it["action"] != "view"]  # that implies nothing itself
        catalogue = naming_actions({**catalogue, "actions": weakest})
        needs = [(who, ["view s:/**", "view t:/**"])]
        plain, basis = Plain(catalogue, AT), basis_of(catalogue)
        units, numbers = units_of(basis, plain)
        found = UnitEvidence(basis, numbers, asked_by(basis, rules_of(text_of(needs)).needs))
        is_needed = (found.needed[0] | found.also_needed[0]) > 0
        actions = [basis.index.actions[it] for it in found.beyond.action.tolist()]
        beyond = set(zip(found.beyond.unit.tolist(), actions, strict=True))
        for at in is_needed.nonzero()[0].tolist():
            possible = {(node[0], action) for action, node in plain.content(units[at])}
            for system, action in possible & {(node[0], it) for it, node in plain.names(units[at])}:
                if action != "view":
                    self.assertIn((at, (system, action)), beyond, vars(units[at]))

    @searching(60)
    @given(catalogues())
    def test_ending_what_adds_nothing_alters_nothing(self, catalogue):
        catalogue = naming_actions(catalogue)
        basis, names, found = evidence_of(catalogue)
        matters = {grant for at, (_, grant, _) in enumerate(names) if grant and found.adds[at] + found.withholds[at]}
        shared = {
            grant for grant in (row["grant"] for row in catalogue["grants"]) if grant not in {it[1] for it in names}
        }
        before = reach_of(basis)
        for row in catalogue["grants"]:
            if row["grant"] not in matters | shared:
                rest = [it for it in catalogue["grants"] if it is not row]
                self.assertEqual(reach_of(basis_of({**catalogue, "grants": rest})), before, row)


if __name__ == "__main__":
    unittest.main()
