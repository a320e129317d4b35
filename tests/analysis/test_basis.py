"""Columns stand where the index numbers things, filters select as they do in lists, uses are whose they are."""

import unittest
import unittest.mock

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from kathodos import thresholds
from kathodos.analysis.basis import Basis
from kathodos.model.filters import Comparison, Day, Negation, parse_filter
from kathodos.model.kinds import IDENTITIES
from kathodos.report.records import records_of
from kathodos.store.records import InMemory, rows_of
from tests.support import OFFICE, basis_of, catalogues, searching, state_of

FILTERS = st.sampled_from(
    (
        'department eq "dock"',
        "department pr",
        "not (department pr)",
        'department eq "crane" or status eq "suspended"',
        'status ne "active" and id sw "p"',
        'team eq "blue"',
        'team co "e" or not (team pr)',
        'starts gt "2026-06-14"',
        'starts le "2026-06"',
        'starts ge "2026-06-15" and not (starts gt "2026")',
        "starts lt today+1d or ends gt today-P1M",
        'ends eq "2026-06"',
        "missing pr",
        'badge gt 5 and badge le "9"',
    )
)


STRETCHES = {  # what each date of the filters above stands for, up to the second day and without it; now is NOW
    "2026-06-14": ("2026-06-14", "2026-06-15"),
    "2026-06-15": ("2026-06-15", "2026-06-16"),
    "2026-06": ("2026-06-01", "2026-07-01"),
    "2026": ("2026-01-01", "2027-01-01"),
    "today+1d": ("2026-06-16", "2026-06-17"),
    "today-p1m": ("2026-05-15", "2026-05-16"),
}


def holds_of_date(node, held):
    """What a comparison says of one date: by the days that a person would name."""
    if not held:
        return False
    begin, end = STRETCHES[(node.value.text if isinstance(node.value, Day) else node.value).lower()]
    day = str(held)[:10]  # in the catalogues times are in UTC
    return {
        "gt": day >= end,
        "le": day < end,
        "ge": day >= begin,
        "lt": day < begin,
        "eq": begin <= day < end,
    }[node.operator]


def holds(node, record):
    """What a filter says of one record, looked at by itself."""
    if isinstance(node, Comparison) and node.attribute in ("starts", "ends"):
        return holds_of_date(node, record.get(node.attribute))
    if isinstance(node, Comparison):
        return node.holds({name.lower(): value for name, value in record.items()}.get(node.attribute.lower()))
    if isinstance(node, Negation):
        return not holds(node.part, record)
    return (all if node.word == "and" else any)(holds(part, record) for part in node.parts)


class Columns(unittest.TestCase):
    @given(catalogues(), FILTERS, st.lists(st.sampled_from((None, "blue", "Red")), min_size=3, max_size=3))
    @searching(30)
    def test_filters_select_as_they_do_over_rows(self, catalogue, text, teams):
        people = [
            {**row, **({"team": team} if team else {}), "badge": 3 * at}
            for at, (row, team) in enumerate(zip(catalogue["identities"], teams, strict=True), 1)
        ]
        basis = basis_of({**catalogue, "identities": people[::-1]})
        rows = rows_of(basis.records, IDENTITIES, *IDENTITIES.names)
        node = parse_filter(text)
        expected = {str(record["id"]): holds(node, record) for record in records_of(rows)}
        found = dict(zip(basis.index.holders.identities, basis.selected(node)[: basis.people].tolist(), strict=True))
        self.assertEqual(found, expected)

    def test_columns_stand_where_the_index_numbers(self):
        basis = basis_of(OFFICE)
        index = basis.index
        holders = index.holders
        names = dict(zip(holders.identities, basis.identity("name").listed(), strict=True))
        self.assertEqual(names, {row["id"]: row["name"] for row in OFFICE["identities"]})
        reasons = dict(zip(index.grants.ids, basis.grant("reason").listed(), strict=True))
        self.assertEqual(reasons["g1"], "first day")
        sites = dict(zip(index.tree.addresses, basis.node("site").listed(), strict=True))
        self.assertEqual((sites["dues:/waivers/2025"], sites["dues:/waivers"]), ("south", None))
        owners = dict(zip(holders.accounts, basis.account("identity").listed(), strict=True))
        self.assertEqual(owners["dues/ann1"], "ann")
        self.assertEqual(basis.role("title").listed(), [None, None])
        self.assertEqual(basis.group("owner").listed(), [None, None])

    def test_many_are_found_as_few_are(self):
        count = 60_000
        people = [
            {"id": f"p{at}", "kind": "person" if at % 3 else "service", "title": f"t{at % 7}"} for at in range(count)
        ]
        accounts = [{"system": "s", "login": f"l{at}", "identity": f"p{at}"} for at in range(0, count, 2)]
        uses = [
            {"time": "2026-01-01", "account": f"s/l{at}", "action": "view", "resource": "s:/a"}
            for at in range(0, count, 20)
        ]
        state = state_of(
            {
                "systems": [{"system": "s"}],
                "actions": [{"system": "s", "action": "view"}],
                "resources": [{"resource": "s:/a"}],
                "identities": people,
                "accounts": accounts,
                "activity": [*uses, {"time": "2026-01-01", "account": "s/none", "action": "view", "resource": "s:/a"}],
            }
        )
        from kathodos.engine.compiled.compile import compile_index

        basis = Basis(InMemory(state), compile_index(InMemory(state)), 0)
        names = list(basis.index.holders.identities)
        at = names.index("p41")
        self.assertEqual((basis.identity("title").value(at), bool(basis.is_person[at])), ("t6", True))
        users = sorted(int(names[user][1:]) for user in basis.uses.user.tolist())
        self.assertEqual(users, list(range(0, count, 20)))
        peers = basis.peers_by(("title",))
        self.assertEqual(len(np.unique(peers[peers >= 0])), 7)
        self.assertEqual(set(basis.identity("title").taken(peers == peers[at]).listed()), {"t6"})

    def test_sensitivity_comes_down_from_above_where_a_resource_has_none(self):
        resources = [
            {"resource": "s:/a", "sensitivity": 2},
            {"resource": "s:/a/b"},
            {"resource": "s:/a/b/c", "sensitivity": 0},
            {"resource": "s:/d", "sensitivity": 9},
        ]
        basis = basis_of({"systems": [{"system": "s"}], "resources": resources})
        found = dict(zip(basis.index.tree.addresses, basis.sensitivity.tolist(), strict=True))
        self.assertEqual(found, {"s:/": 0, "s:/a": 2, "s:/a/b": 2, "s:/a/b/c": 0, "s:/d": 3})

    @given(st.data())
    @searching(60)
    def test_uses_of_some_are_those_among_all(self, data):
        who = st.sampled_from((None, "p1", "p2", "gone"))
        account = st.sampled_from((None, "s/own", "s/other", "s/alone", "s/gone"))
        uses = data.draw(
            st.lists(
                st.fixed_dictionaries(
                    {
                        "time": st.sampled_from(("2026-01-01", "2026-01-02T03:04:05Z")),
                        "identity": who,
                        "account": account,
                        "action": st.sampled_from(("view", "edit", "unheard of")),
                        "resource": st.sampled_from(("s:/", "s:/a", "s:/nowhere")),
                        "record": st.sampled_from((None, "7")),
                        "count": st.integers(1, 3),
                    }
                ),
                max_size=8,
            )
        )
        accounts = [("own", "p1"), ("other", "p2"), ("alone", None)]
        basis = basis_of(
            {
                "systems": [{"system": "s"}],
                "actions": [{"system": "s", "action": action} for action in ("view", "edit")],
                "resources": [{"resource": "s:/a"}],
                "identities": [{"id": "p1"}, {"id": "p2"}],
                "accounts": [{"system": "s", "login": login, "identity": owner} for login, owner in accounts],
                "activity": [{**use, "activity": str(at)} for at, use in enumerate(uses)],
            }
        )
        users = np.array(data.draw(st.lists(st.booleans(), min_size=5, max_size=5)))
        columns = ("user", "account", "action", "node", "time", "count")

        every = basis.uses
        chosen = users[every.user]
        expected = [it for it, kept in zip(_rows(every, columns), chosen.tolist(), strict=True) if kept]
        for limit in (0, 20_000):
            with unittest.mock.patch.object(thresholds, "MANY_USERS", limit):
                self.assertEqual(sorted(map(str, _rows(basis.uses_of(users), columns))), sorted(map(str, expected)))

    @given(st.integers(0, 2**32), st.integers(0, 400), st.integers(0, 6))
    @searching(40)
    def test_each_system_is_watched_since_its_first_use_by_somebody_known(self, seed, count, unknown):
        random = np.random.default_rng(seed)
        uses = [
            {
                "activity": str(at),
                "time": f"2026-{month:02}-{day:02}T{hour:02}:00:00Z",
                "identity": "gone" if month <= unknown else random.choice(["p1", "gone"]),
                "action": random.choice(["view", "unheard of"], p=[0.9, 0.1]),
                "resource": random.choice(["s:/a", "t:/", "s:/nowhere"], p=[0.6, 0.1, 0.3]),
            }
            for at, (month, day, hour) in enumerate(random.integers([1, 1, 0], [13, 29, 24], (count, 3)).tolist())
        ]
        catalogue = {
            "systems": [{"system": name} for name in "stu"],
            "actions": [{"system": name, "action": "view"} for name in "stu"],
            "resources": [{"resource": "s:/a"}],
            "identities": [{"id": "p1"}],
            "activity": uses,
        }
        first = {}
        for it in sorted(uses, key=lambda it: it["time"], reverse=True):
            if it["identity"] == "p1" and it["action"] == "view" and it["resource"] != "s:/nowhere":
                first[it["resource"][0]] = it["time"][:19]
        basis = basis_of(catalogue)
        for _ in "12":  # by the earliest uses alone, and by all uses
            since = {name: str(np.datetime64(at, "us"))[:19] for name, at in basis.watched_since.items()}
            self.assertEqual(since, first)
            self.assertGreaterEqual(len(basis.uses), len(first))
            del basis.watched_since


def _rows(found, columns):
    records = [found.records[at] if at >= 0 else None for at in found.record.tolist()]
    return list(zip(*(getattr(found, name).tolist() for name in columns), records, strict=True))


if __name__ == "__main__":
    unittest.main()
