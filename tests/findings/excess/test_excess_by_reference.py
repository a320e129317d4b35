"""What each kind of excess finds is what a plain reading of the records and of the meaning of reach says."""

import unittest
from datetime import datetime, timedelta

from hypothesis import given
from hypothesis import strategies as st

from kathodos.columns.csr import ints
from kathodos.findings.excess.batches import ExcessContext, findings
from kathodos.findings.excess.kinds import find_excess
from kathodos.findings.excess.peers import upper_share
from tests.evidence import Plain
from tests.reference import Reference, instant, matches, split
from tests.support import NOW, basis_of, catalogues, naming_actions, rules_of, searching

AT = datetime.fromisoformat(NOW)
PIN = "s:/a/b"
MANY = searching(30)


def found(kind, catalogue):
    """The findings of a kind in words."""
    (batch,) = find_excess(ExcessContext(basis_of(catalogue)), [kind])
    return list(findings(batch))


def is_live(row):
    return instant(row.get("from")) <= AT < instant(row.get("until"), end=True)


def live_permits(catalogue):
    return [row for row in catalogue["grants"] if is_live(row) and row.get("effect", "permit") == "permit"]


def address(node):
    return f"{node[0]}:/{'/'.join(node[1:])}"


def names(pattern, node):
    """Whether a pattern has the node as its target."""
    path = split(pattern)[1:]
    return matches(path[:-1] if path[-1:] == ("**",) else path, node[1:])


class Reading(Reference):
    """The reference, with what kinds of excess ask of it."""

    def reach_something(self, node):
        """Those who reach any action on a node."""
        return {
            asker
            for asker in self.askers()
            if any(self.reaches(asker, action, node, AT) for action in self.actions(node[0]))
        }

    def permits_on(self, node):
        """Grants and patterns by which something is permitted on a node, by whatever action."""
        for grant in filter(is_live, self.rows("grants")):
            if self.scope_anchor(grant.get("on"), node) is not None:
                for action, pattern, denies in self.given[grant["grant"]]:
                    speaks = action == "*" or action in self.actions(node[0])
                    if speaks and not denies and self.targets_reaching(pattern, node):
                        yield grant, pattern

    def askers_as(self, holder):
        return {asker for asker in self.askers() if holder in self.principals(asker, AT)}


class Resources(unittest.TestCase):
    @given(catalogues())
    @MANY
    def test_a_detached_resource_is_told_where_somebody_does_not_reach_its_parent(self, catalogue):
        reading, expected = Reading(catalogue), set()
        for node in reading.nodes:
            is_cut = len(node) > 1 and reading.resources.get(node, {}).get("detached")
            if is_cut and reading.reach_something(node) - reading.reach_something(node[:-1]):
                expected.add(address(node))
        told = found("detached-wider", catalogue)
        self.assertEqual({it.subject for it in told}, expected)
        for it in told:
            node = split(it.subject)
            inside, outside = reading.reach_something(node), reading.reach_something(node[:-1])
            self.assertIn(f"{len(inside)} reach it, {len(outside)} its parent", it.evidence)

    @given(catalogues(gates=(None,)))
    @MANY
    def test_a_grant_brings_the_most_sensitive_where_somebody_reaches_it_by_it_unnamed(self, catalogue):
        resources = [row for row in catalogue["resources"] if row["resource"] != PIN]
        catalogue = {**catalogue, "resources": [*resources, {"resource": PIN, "sensitivity": 3}]}
        reading, node, expected = Reading(catalogue), split(PIN), set()
        reaching, said = reading.reach_something(node), list(reading.permits_on(node))
        naming = {grant["grant"] for grant, pattern in said if names(pattern, node)}
        for grant, _ in said:
            if grant["grant"] not in naming and reading.askers_as(grant["holder"]) & reaching:
                expected.add(f"grant:{grant['grant']}")
        told = found("sensitive-field", catalogue)
        self.assertEqual({it.rests_on for it in told}, expected)
        for it in told:
            holder = next(row["holder"] for row in catalogue["grants"] if f"grant:{row['grant']}" == it.rests_on)
            who = reading.askers_as(holder) & reaching
            people, accounts = (sum(it.startswith(kind) for it in who) for kind in ("identity", "account"))
            words = [f"{people} {'person' if people == 1 else 'people'}"] if people else []
            words += [f"{accounts} account{'' if accounts == 1 else 's'} of nobody"] if accounts else []
            self.assertIn(f"brings {' and '.join(words)} to {PIN}", it.evidence)


class Grants(unittest.TestCase):
    @given(catalogues())
    @MANY
    def test_everyone(self, catalogue):
        expected = {f"grant:{row['grant']}" for row in live_permits(catalogue) if row["holder"] == "everyone"}
        self.assertEqual({it.rests_on for it in found("everyone", catalogue)}, expected)

    @given(catalogues(), st.integers(0, 3))
    @MANY
    def test_direct_where_a_group_of_five_carries_the_same(self, catalogue, which):
        crowd = [f"q{at}" for at in range(5)]
        single = catalogue["grants"][which % len(catalogue["grants"])]
        group = {"system": "s", "group": "crowd"}
        catalogue = {
            **catalogue,
            "identities": [*catalogue["identities"], *({"id": name} for name in crowd)],
            "groups": [*catalogue["groups"], group],
            "members": [*catalogue["members"], *({**group, "member": f"identity:{name}"} for name in crowd)],
            "grants": [
                *catalogue["grants"],
                {"grant": "carried", "holder": "group:s/crowd", "gives": single["gives"], "on": single["on"]},
            ],
        }
        reading, expected = Reading(catalogue), set()
        for row in live_permits(catalogue):
            kind = row["holder"].partition(":")[0]
            same = (row["gives"], row["on"]) == (single["gives"], single["on"])
            if kind in ("identity", "account") and same and row["grant"] != "carried":
                owner = reading.owner(row["holder"]) if kind == "account" else None
                if "group:s/crowd" not in reading.principals(f"identity:{owner}" if owner else row["holder"], AT):
                    expected.add(f"grant:{row['grant']}")
        told = [it for it in found("direct", catalogue) if "group:s/crowd" in it.evidence]
        self.assertEqual({it.rests_on for it in told}, expected)
        for it in told:
            self.assertEqual([edit.verb for edit in it.edits], ["end", "add"])
            self.assertEqual(it.edits[1].cells["member"], it.subject)

    @given(catalogues())
    @MANY
    def test_past_its_end(self, catalogue):
        grants = {f"grant:{row['grant']}" for row in catalogue["grants"] if instant(row.get("until"), end=True) <= AT}
        people = {
            f"identity:{row['id']}"
            for row in catalogue["identities"]
            if row.get("status", "active") == "active" and instant(row.get("ends"), end=True) <= AT
        }
        self.assertEqual({it.rests_on for it in found("past-end", catalogue)}, grants | people)

    @given(catalogues())
    @MANY
    def test_open_ended(self, catalogue):
        reading, expected = Reading(catalogue), {}
        for row in live_permits(catalogue):
            kind, _, _ = row["holder"].partition(":")
            owner = reading.owner(row["holder"]) if kind == "account" else row["holder"]
            ends = reading.identities.get((owner or "").removeprefix("identity:"), {}).get("ends")
            if kind in ("identity", "account") and ends and not row.get("until"):
                expected[f"grant:{row['grant']}"] = "ended" if instant(ends, end=True) <= AT else "ends"
        told = found("open-ended", catalogue)
        self.assertEqual({it.rests_on for it in told}, set(expected))
        for it in told:
            self.assertIn(f" {expected[it.rests_on]} on ", it.evidence)
            verb = "end" if expected[it.rests_on] == "ended" else "set"
            self.assertEqual([edit.verb for edit in it.edits], [verb])


class RolesAndGroups(unittest.TestCase):
    @given(catalogues())
    @MANY
    def test_a_role_is_empty_that_no_live_grant_brings(self, catalogue):
        reading, given_roles = Reading(catalogue), set()
        for row in live_permits(catalogue):
            if row["gives"].startswith("role:"):
                given_roles |= reading.roles_below(row["gives"].removeprefix("role:"))
        expected = {
            f"role:s/{row['role']}"
            for row in catalogue["roles"]
            if row.get("active", 1) and f"s/{row['role']}" not in given_roles
        }
        self.assertEqual({it.subject for it in found("empty-role", catalogue)}, expected)

    @given(catalogues())
    @MANY
    def test_a_group_is_empty_that_gives_something_to_nobody(self, catalogue):
        reading = Reading(catalogue)
        inhabited = set().union(*(reading.principals(asker, AT) for asker in reading.askers()))
        carrying = {row["holder"] for row in live_permits(catalogue) if row["holder"].startswith("group:")}
        expected = set()
        for row in catalogue["groups"]:
            name = f"group:s/{row['group']}"
            above, fresh = {name}, [name]
            for group in fresh:
                fresh += sorted(reading.groups_of(group) - above)
                above |= reading.groups_of(group)
            if name not in inhabited and above & carrying:
                expected.add(name)
        self.assertEqual({it.subject for it in found("empty-group", catalogue)}, expected)

    @given(catalogues(), st.lists(st.tuples(st.sampled_from(("r1", "r2", "r3")), st.integers(0, 5)), max_size=16))
    @MANY
    def test_roles_are_near_that_share_four_fifths(self, catalogue, entries):
        more = [
            {"system": "s", "role": role, "action": "view", "resource": f"s:/more/{at}"} for role, at in set(entries)
        ]
        catalogue = {**catalogue, "role_permissions": [*catalogue["role_permissions"], *more]}
        reading, active = Reading(catalogue), sorted(row["role"] for row in catalogue["roles"] if row.get("active", 1))
        below = {role: reading.roles_below(f"s/{role}") for role in active}
        package = {
            role: {entry for junior in below[role] for entry in reading.lines.get(junior, ())} for role in active
        }
        expected = set()
        for one in active:
            for other in (it for it in active if it > one):
                shared, whole = len(package[one] & package[other]), len(package[one] | package[other])
                enough = min(len(package[one]), len(package[other])) >= 3 and shared >= 0.8 * whole
                apart = f"s/{other}" not in below[one] and f"s/{one}" not in below[other]
                if whole and apart and (enough or shared == whole):
                    expected.add((f"role:s/{one}", f"role:s/{other}"))
        self.assertEqual({(it.subject, it.rests_on) for it in found("near-roles", catalogue)}, expected)


class Positions(unittest.TestCase):
    @given(
        catalogues(gates=(None,)),
        st.lists(st.sampled_from((None, "view", "view")), min_size=12, max_size=12),
        st.lists(st.integers(0, 11), min_size=1, max_size=2),
    )
    @MANY
    def test_who_may_export_where_peers_only_look(self, catalogue, looking, exporting):
        """Twelve clerks look at and export from a system of their own, beside what the catalogue has."""
        people = [f"q{at}" for at in range(12)]
        crew = [{"id": name, "department": "D", "title": "T"} for name in people]
        grants = [
            {"grant": f"x{at}", "holder": f"identity:q{at}", "gives": f"{action} s:/a/**"}
            for at, action in enumerate("export" if at in exporting else it for at, it in enumerate(looking))
            if action
        ]
        actions = [
            {"system": "s", "action": "view", "kind": "read"},
            {"system": "s", "action": "export", "kind": "export", "implies": "view"},
        ]
        actions += [row for row in catalogue["actions"] if row["action"] != "view" or row["system"] != "s"]
        catalogue = {
            **catalogue,
            "identities": [*catalogue["identities"], *crew],
            "actions": actions,
            "grants": [*catalogue["grants"], *grants],
        }
        reading = Reading(catalogue)
        looks = {row["action"] for row in actions if row["system"] == "s" and row["kind"] == "read"}
        reaching = {
            action: {
                name
                for name in people
                for node in reading.nodes
                if node[0] == "s" and any(reading.reaches(f"identity:{name}", it, node, AT) for it in names)
            }
            for action, names in (("view", looks), ("export", {"export"}))
        }
        expected = set()
        for name in reaching["export"]:
            having, looking = (len(reaching[action] - {name}) for action in ("export", "view"))
            if upper_share(ints([having]), ints([11]), 0.95)[0] < 0.25 and 2 * looking > 11:
                expected.add((f"identity:{name}", having, looking))
        told = found("export-beyond-peers", catalogue)
        self.assertEqual({it.subject for it in told}, {name for name, _, _ in expected})
        for name, having, looking in expected:
            evidence = next(it.evidence for it in told if it.subject == name)
            self.assertIn(f"{having} of 11 others of D and T may, {looking} of them may look", evidence)

    @given(catalogues(gates=(None,)), st.sampled_from(("view", "edit", "*")), st.sampled_from(("s:/a", "s:/a/**")))
    @MANY
    def test_what_no_need_asks_for(self, catalogue, action, pattern):
        resources = [{**row, "sensitivity": at % 2} for at, row in enumerate(catalogue["resources"])]
        known = [
            {"system": system, "action": name, "kind": kind}
            for system in ("s", "t")
            for name, kind in (("view", "read"), ("edit", "write"), ("own", "read"))
        ]
        people = [{**row, "department": row["department"] or "Dock"} for row in catalogue["identities"]]
        catalogue = {**catalogue, "resources": resources, "actions": known, "identities": people}
        need = f'topic = "T"\n[[need]]\nid = "N"\nwho = \'department pr\'\nmust = ["{action} {pattern}"]\n'
        (batch,) = find_excess(ExcessContext(basis_of(catalogue), rules_of(need).needs), ["beyond-needs"])
        reading, kinds = Reading(catalogue), {(row["system"], row["action"]): row["kind"] for row in known}
        held, asked = {}, set()
        for asker, unit, holders in units(reading):
            gives = list(permitted_cells(reading, holders))
            held[asker, unit] = gives
            wanted = {
                (one, node)
                for node in reading.nodes
                if node[0] == "s" and reading.targets_reaching(pattern, node)
                for one in (reading.actions("s") if action == "*" else {action} & reading.actions("s"))
            }
            if reading.identities[asker].get("department") and wanted & set(gives):
                asked.add((asker, unit))
        expected = set()
        for (asker, unit), gives in held.items():
            row = reading.identities[asker]
            there = row.get("status") != "left" and instant(row.get("ends"), end=True) > AT
            level = max((sensitivity(reading, node) for _, node in gives), default=-1)
            grave = any(kinds.get((node[0], one), "read") != "read" for one, node in gives)
            is_judged = there and row.get("department") and any(asker == who for who, _ in asked)
            if is_judged and (asker, unit) not in asked and level > 0 and grave:
                expected.add((f"identity:{asker}", unit))
        self.assertEqual({(it.subject, it.rests_on) for it in findings(batch)}, expected)


def units(reading):
    """What each identity holds and could lose: its grants and its accounts', and listed memberships that give."""
    for row in live_permits(reading.catalogue):
        kind, _, name = row["holder"].partition(":")
        owner = reading.owner(row["holder"]) if kind == "account" else name
        if kind in ("identity", "account") and owner:
            yield owner, f"grant:{row['grant']}", [row]
    for row in reading.rows("members"):
        kind, _, name = row["member"].partition(":")
        owner = reading.owner(row["member"]) if kind == "account" else name
        above, fresh = set(), [f"group:{row['system']}/{row['group']}"]
        for group in fresh:
            fresh += sorted(reading.groups_of(group) - above - set(fresh))
            above.add(group)
        carried = [grant for grant in live_permits(reading.catalogue) if grant["holder"] in above]
        if kind in ("identity", "account") and owner and carried:
            yield owner, f"group:{row['system']}/{row['group']}", carried


def permitted_cells(reading, grants):
    """Each action and node that a line of one of the live grants permits, whatever denies it."""
    for grant in grants:
        entries = [(action, pattern) for action, pattern, denies in reading.given[grant["grant"]] if not denies]
        for node in reading.nodes:
            if reading.scope_anchor(grant.get("on"), node) is not None:
                said = {action for action, pattern in entries if reading.targets_reaching(pattern, node)}
                for one in reading.actions(node[0]):
                    if any(it == "*" or reading.implies(node[0], it, one) for it in said):
                        yield one, node


def sensitivity(reading, node):
    own = (reading.resources.get(node[:size], {}).get("sensitivity") for size in range(len(node), 0, -1))
    return next((it for it in own if it is not None), 0)


class Owners(unittest.TestCase):
    @given(catalogues(), st.lists(st.sampled_from((None, "p1", "p2", "stranger")), min_size=9, max_size=9))
    @MANY
    def test_who_owns_and_has_gone(self, catalogue, owners):
        def owned(kind, first):
            return [{**row, "owner": owners[(at + first) % 9]} for at, row in enumerate(catalogue[kind])]

        people = [{**row, "status": "left"} if row["id"] == "p2" else row for row in catalogue["identities"]]
        kinds = ("systems", "groups", "roles", "resources")
        catalogue = {**catalogue, "identities": people, **{kind: owned(kind, at) for at, kind in enumerate(kinds)}}
        there = {row["id"] for row in people if row.get("status") != "left" and instant(row.get("ends"), end=True) > AT}
        expected = {}
        for kind in kinds:
            for row in catalogue[kind]:
                if row["owner"] and row["owner"] not in there:
                    name = {
                        "systems": f"system:{row.get('system')}",
                        "groups": f"group:{row.get('system')}/{row.get('group')}",
                        "roles": f"role:{row.get('system')}/{row.get('role')}",
                        "resources": row.get("resource"),
                    }[kind]
                    gone = "is not known" if row["owner"] == "stranger" else "has left"
                    expected[name] = f"owner {row['owner']} {gone}"
        self.assertEqual({it.subject: it.evidence for it in found("owner-gone", catalogue)}, expected)


USES = st.lists(
    st.tuples(
        st.sampled_from(("identity:p1", "identity:p2", "identity:p3", "account:s/l1", "account:s/l2")),
        st.sampled_from(("view", "edit", "own")),
        st.sampled_from(("s:/", "s:/a", "s:/a/b", "s:/b", "t:/", "t:/b")),
        st.sampled_from(("2025-01-01", "2025-11-01", "2026-03-01", "2026-06-01")),
    ),
    max_size=8,
)


def with_uses(catalogue, used):
    activity = [
        {"time": time, who.partition(":")[0]: who.partition(":")[2], "action": action, "resource": resource}
        for who, action, resource, time in used
    ]
    return {**catalogue, "activity": activity}


def known_uses(reading):
    """Who used what when: the owner or the account that has none, action, node and time; what is unknown left out."""
    for row in reading.rows("activity"):
        node, who = split(row["resource"]), f"identity:{row['identity']}" if "identity" in row else None
        if who is None:
            owner = reading.owner(f"account:{row['account']}")
            who = f"identity:{owner}" if owner else f"account:{row['account']}"
        if node in reading.nodes and row["action"] in reading.actions(node[0]):
            yield who, row["action"], node, instant(row["time"])


def watched_since(reading, nodes):
    """Since when all systems of these nodes have been watched; None where one never was."""
    firsts = []
    for system in {node[0] for node in nodes}:
        times = [time for _, _, node, time in known_uses(reading) if node[0] == system]
        firsts.append(min(times, default=None))
    return max(firsts) if firsts and None not in firsts else None


class Use(unittest.TestCase):
    @given(catalogues(gates=(None,)), USES, st.lists(st.sampled_from((None, 0, 1, 2, 3)), min_size=9, max_size=9))
    @MANY
    def test_unused_for_longer_than_its_sensitivity_allows(self, catalogue, used, levels):
        resources = [{**row, "sensitivity": it} for row, it in zip(catalogue["resources"], levels, strict=False)]
        catalogue = with_uses(naming_actions({**catalogue, "resources": resources}), used)
        reading = Reading(catalogue)
        uses = [(who, action, node, time.isoformat(), 1) for who, action, node, time in known_uses(reading)]
        plain = Plain(catalogue, AT, uses)
        expected = {"unused": set(), "never-used": set()}
        for unit in plain.units():
            cells, adds = set(permitted_cells(reading, plain.carried(unit))), plain.adds(unit)
            row, since = reading.identities.get(unit.asker[9:]), watched_since(reading, {node for _, node in cells})
            level = max((sensitivity(reading, node) for _, node in cells), default=0)
            allowed = (180, 120, 90, 60)[level]
            if not adds or since is None or row is None or row["id"] not in plain.active():
                continue
            since = max(since, instant(row.get("starts")), instant(unit.row.get("from")))
            last = plain.used(unit, adds, {action for action, _ in plain.names(unit)})[1]
            name = f"grant:{unit.row['grant']}" if unit.kind == "grants" else unit.group
            if (AT - since).days > allowed:
                if last is None:
                    expected["never-used"].add((unit.asker, name))
                elif (AT - datetime.fromisoformat(last)).days > allowed:
                    expected["unused"].add((unit.asker, name))
        for kind, those in expected.items():
            told = {(it.subject, it.rests_on) for it in found(kind, catalogue) if it.subject.startswith("identity:")}
            self.assertEqual(told, those, kind)

    @given(catalogues(gates=(None,)), USES)
    @MANY
    def test_a_role_is_unused_that_nobody_who_has_it_used(self, catalogue, used):
        present = {"status": "active", "starts": None, "ends": None}  # of those who are not, uses count all the same
        people = [{**row, **present} for row in catalogue["identities"]]
        accounts = [{**row, "status": "enabled"} for row in catalogue["accounts"]]
        catalogue = with_uses({**catalogue, "identities": people, "accounts": accounts}, used)
        reading = Reading(catalogue)
        uses, expected = list(known_uses(reading)), set()
        for row in catalogue["roles"]:
            name = f"role:s/{row['role']}"
            grants = [grant for grant in live_permits(catalogue) if grant["gives"] == name]
            nodes = {node for grant in grants for _, node in permitted_cells(reading, [grant])}
            since = watched_since(reading, nodes)
            is_used = any(
                (action, node) in set(permitted_cells(reading, [grant])) and who in reading.askers_as(grant["holder"])
                for grant in grants
                for who, action, node, _ in uses
            )
            if since is not None and not is_used and (AT - since).days > 180:
                expected.add(name)
        self.assertEqual({it.subject for it in found("unused-role", catalogue)}, expected)


class Accounts(unittest.TestCase):
    @given(
        catalogues(),
        st.lists(st.integers(0, 200), min_size=2, max_size=2),
        st.booleans(),
        st.lists(
            st.tuples(
                st.sampled_from((0, 1, 2, 30, 200)),
                st.sampled_from(("identity:p1", "identity:p2", "account:s/l1", "account:s/l2")),
                st.sampled_from(("s:/a", "t:/")),
            ),
            max_size=4,
        ),
    )
    @MANY
    def test_dormant_orphaned_and_of_leavers(self, catalogue, days, has_left, used):
        seen = [(AT - timedelta(days=at)).date().isoformat() for at in days]
        accounts = [{**row, "last_login": day} for row, day in zip(catalogue["accounts"], seen, strict=True)]
        status = "left" if has_left else "active"
        people = [{**row, "status": status} if row["id"] == "p1" else row for row in catalogue["identities"]]
        uses = [
            {
                "time": (AT - timedelta(days=at)).isoformat(),
                who.partition(":")[0]: who.partition(":")[2],
                "action": "view",
                "resource": where,
            }
            for at, who, where in used
        ]
        actions = [{"system": it, "action": "view", "kind": "read"} for it in ("s", "t")]
        actions += [row for row in catalogue["actions"] if row["action"] != "view"]
        resources = [*catalogue["resources"], *({"resource": it} for it in ("s:/a",))]
        resources = list({row["resource"]: row for row in resources}.values())
        more = {"activity": uses, "actions": actions, "resources": resources}
        catalogue = {**catalogue, **more, "accounts": accounts, "identities": people}
        enabled = [row for row in accounts if row.get("status", "enabled") == "enabled"]
        gone = {row["id"] for row in people if row.get("status") == "left" or instant(row.get("ends"), end=True) <= AT}

        def names(rows):
            return {f"account:s/{row['login']}" for row in rows}

        dormant = [row for row, day in zip(accounts, days, strict=True) if row in enabled and day > 90]
        self.assertEqual({it.rests_on for it in found("dormant-account", catalogue)}, names(dormant))
        orphaned = [row for row in enabled if row.get("identity") is None]
        self.assertEqual({it.rests_on for it in found("orphan-account", catalogue)}, names(orphaned))
        left = [row for row in enabled if row.get("identity") in gone]
        told = found("leaver-account", catalogue)
        self.assertEqual({it.rests_on for it in told}, names(left))
        for it in told:
            row = next(row for row in left if f"account:s/{row['login']}" == it.rests_on)
            ends = next(person.get("ends") for person in people if person["id"] == row["identity"])
            seen = [row["last_login"]]
            for use in uses:  # with accounts in s only, what names the owner may be by any of them
                if use.get("account") == f"s/{row['login']}" or use.get("identity") == row["identity"]:
                    seen.append(use["time"])
            since = bool(ends) and max(map(instant, seen)) >= instant(ends, end=True)
            self.assertEqual(it.severity, "critical" if since else "high")


if __name__ == "__main__":
    unittest.main()
