"""Each kind of excess is found where it is, and not where it is not."""

import unittest

import numpy as np

from kathodos.analysis.basis import Basis
from kathodos.columns.csr import ints
from kathodos.findings.excess.batches import ExcessContext, Thresholds, findings
from kathodos.findings.excess.kinds import KINDS, NAMES, find_excess
from kathodos.findings.excess.peers import most_few, upper_share
from kathodos.store.records import InMemory
from tests.support import (
    OFFICE,
    Prepared,
    basis_of,
    lay_out,
    records,
    rules_of,
    run,
    write_tables,
)

NEEDS = 'topic = "T"\n[[need]]\nid = "N"\nwho = \'title eq "Clerk"\'\nmust = ["view s:/desk"]\n'
BASE = {
    "systems": [{"system": "s", "owner": "boss"}],
    "actions": [
        {"system": "s", "action": "view", "kind": "read"},
        {"system": "s", "action": "edit", "kind": "write", "implies": "view"},
        {"system": "s", "action": "export", "kind": "export", "implies": "view"},
        {"system": "s", "action": "manage", "kind": "administer", "implies": "edit;export"},
    ],
    "resources": [
        {"resource": "s:/desk", "sensitivity": 0},
        {"resource": "s:/safe", "sensitivity": 2},
        {"resource": "s:/safe/pin", "sensitivity": 3, "type": "field"},
    ],
    "identities": [{"id": "boss", "department": "D", "title": "Boss"}],
}


def clerks(count, **more):
    return [{"id": f"c{at}", "department": "D", "title": "Clerk", **more} for at in range(count)]


def with_more(**more):
    """The base catalogue with more records of some kinds."""
    return {**BASE, **{kind: [*BASE.get(kind, []), *records] for kind, records in more.items()}}


def to(holder, gives, name="g", **more):
    return {"grant": name, "holder": holder, "gives": gives, **more}


def uses(*rows):
    return [
        {"time": time, "identity": who, "action": action, "resource": resource, "count": 1}
        for time, who, action, resource in rows
    ]


class Kinds(unittest.TestCase):
    def found(self, kind, catalogue, needs="", **limits):
        """The findings of a kind: subject, what it rests on, severity."""
        context = ExcessContext(basis_of(catalogue), rules_of(needs).needs if needs else (), Thresholds(**limits))
        (batch,) = find_excess(context, [kind])
        self.told = list(findings(batch))
        return [(it.subject, it.rests_on, it.severity) for it in self.told]

    def says(self, text):
        self.assertIn(text, self.told[0].evidence)

    def test_every_kind_is_silent_about_an_empty_catalogue_and_speaks_in_words_about_the_office(self):
        for catalogue in ({}, OFFICE):
            for batch in find_excess(ExcessContext(basis_of(catalogue))):
                for it in findings(batch):
                    self.assertTrue(it.evidence and it.remedy and it.subject and it.rests_on, it)
                    self.assertIn(it.severity, ("low", "medium", "high", "critical"))
                    self.assertTrue(0 < it.confidence <= 100)
        self.assertEqual(len(NAMES), len(KINDS) + 1)
        self.assertEqual(len(set(NAMES)), len(NAMES))

    def test_groups_nested_thousands_deep_or_in_a_circle_are_looked_at_all_the_same(self):
        depth = 3000
        members = [{"system": "s", "group": f"g{at + 1}", "member": f"group:s/g{at}"} for at in range(depth - 1)]
        members.append({"system": "s", "group": "g0", "member": "identity:c0"})
        circle = [*members, {"system": "s", "group": "g0", "member": f"group:s/g{depth - 1}"}]
        for listed in (members, circle):
            catalogue = with_more(
                identities=clerks(1),
                groups=[{"system": "s", "group": f"g{at}"} for at in range(depth)],
                members=listed,
                grants=[to(f"group:s/g{depth - 1}", "view s:/safe")],
            )
            self.assertEqual(self.found("sensitive-field", catalogue)[0][1], "grant:g")
            self.assertEqual(self.found("beyond-peers", catalogue), [])

    def test_unused_and_never_used_by_how_sensitive_it_is(self):
        old, recent = "2025-06-01", "2026-06-01"
        people = clerks(2)
        grants = [to("identity:c0", "view s:/desk", "a"), to("identity:c1", "edit s:/safe", "b")]
        watched = uses((old, "boss", "view", "s:/desk"))
        for used, unused, never in (
            ((), [], ["a", "b"]),
            ((recent, "c0", "view", "s:/desk"), [], ["b"]),
            (("2026-03-01", "c0", "view", "s:/desk"), [], ["b"]),  # 106 days: too few for what is not sensitive
            (("2025-09-01", "c0", "view", "s:/desk"), ["a"], ["b"]),
            (("2026-03-01", "c1", "edit", "s:/safe"), ["b"], ["a"]),  # too many for what is
            (("2026-06-01", "c1", "view", "s:/safe"), [], ["a", "b"]),  # who only looks does not use what lets edit
        ):
            more = uses(used) if used else []
            catalogue = with_more(identities=people, grants=grants, activity=[*watched, *more])
            for kind, expected in (("unused", unused), ("never-used", never)):
                rests = [rests for _, rests, _ in self.found(kind, catalogue)]
                self.assertEqual(rests, [f"grant:{name}" for name in expected], (kind, used))
        self.assertIn("edit never; view 1 time, last on 2026-06-01", self.told[1].evidence)
        self.assertEqual((self.told[1].remedy[:11], self.told[1].edits), ("Leave what ", ()))
        fresh = with_more(identities=people, grants=grants, activity=uses((recent, "boss", "view", "s:/desk")))
        self.assertEqual(self.found("never-used", fresh), [], "not watched for long enough to say so")
        given = [{**grants[1], "given_at": "2026-06-10"}]
        self.assertEqual(self.found("never-used", with_more(identities=people, grants=given, activity=watched)), [])

    def test_a_group_that_nobody_uses_is_told_once(self):
        group = [{"system": "s", "group": "g"}]
        members = [{"system": "s", "group": "g", "member": f"identity:c{at}"} for at in range(6)]
        catalogue = with_more(
            identities=clerks(6),
            groups=group,
            members=members,
            grants=[to("group:s/g", "view s:/desk")],
            activity=uses(("2025-06-01", "boss", "view", "s:/desk")),
        )
        self.assertEqual(self.found("never-used", catalogue), [("group:s/g", "group:s/g", "low")])
        self.says("none of its 6 members")
        catalogue["activity"] += uses(("2026-06-01", "c3", "view", "s:/desk"))
        self.assertEqual(len(self.found("never-used", catalogue)), 5)

    def test_accounts(self):
        accounts = [
            {"system": "s", "login": "fresh", "identity": "c0", "last_login": "2026-06-01"},
            {"system": "s", "login": "idle", "identity": "c0", "last_login": "2026-01-01"},
            {"system": "s", "login": "off", "identity": "c0", "last_login": "2026-01-01", "status": "disabled"},
            {"system": "s", "login": "never", "identity": "c0"},
            {"system": "s", "login": "gone", "identity": "left", "last_login": "2026-04-30"},
            {"system": "s", "login": "nobody", "last_login": "2026-06-01"},
            {"system": "s", "login": "role", "can_login": "false", "last_login": "2026-06-01"},
        ]
        people = [*clerks(1), {"id": "left", "status": "left", "ends": "2026-04-30"}]
        catalogue = with_more(identities=people, accounts=accounts)
        self.assertEqual(self.found("dormant-account", catalogue), [("account:s/idle", "account:s/idle", "medium")])
        self.says("165 days ago")
        self.assertEqual([it[0] for it in self.found("never-signed-in", catalogue)], ["account:s/never"])
        self.assertEqual([it[0] for it in self.found("orphan-account", catalogue)], ["account:s/nobody"])
        self.assertEqual([it[2] for it in self.found("leaver-account", catalogue)], ["high"])
        catalogue["activity"] = uses(("2026-04-30T12:00:00Z", "left", "view", "s:/desk"))
        self.assertEqual(
            [it[2] for it in self.found("leaver-account", catalogue)], ["high"], "the last day still counts"
        )
        catalogue["activity"] += uses(("2026-05-01T00:00:00Z", "left", "edit", "s:/desk"))
        self.assertEqual([it[2] for it in self.found("leaver-account", catalogue)], ["critical"])
        self.says("once after that, last on 2026-05-01: edit s:/desk")

    def test_which_account_of_a_leaver_was_used_since(self):
        def severities(rows, **seen):
            accounts = [
                {"system": system, "login": "l", "identity": "gone", "last_login": seen.get(system)}
                for system in ("s", "t", "u")
            ]
            catalogue = with_more(
                identities=[{"id": "gone", "status": "left", "ends": "2026-04-30"}],
                systems=[{"system": name} for name in ("t", "u", "v")],
                accounts=accounts,
                actions=[{"system": name, "action": "view"} for name in ("t", "u", "v")],
                activity=[{"time": "2026-05-03", "action": "view", **row} for row in rows],
            )
            return {rests[8]: severity for _, rests, severity in self.found("leaver-account", catalogue)}

        quiet = dict.fromkeys("stu", "high")
        self.assertEqual(severities([]), quiet)
        self.assertEqual(severities([], t="2026-04-30"), quiet)
        self.assertEqual(severities([], t="2026-05-01"), {**quiet, "t": "critical"})
        self.assertIn(
            "left on 2026-04-30 and was signed in to after that, last on 2026-05-01",
            next(it.evidence for it in self.told if it.severity == "critical"),
        )
        by_account = {"account": "t/l", "resource": "u:/"}
        self.assertEqual(severities([by_account]), {**quiet, "t": "critical"}, "the account that was named")
        by_owner = {"identity": "gone", "resource": "u:/"}
        self.assertEqual(severities([by_owner]), {**quiet, "u": "critical"}, "the account of the system")
        elsewhere = {"identity": "gone", "resource": "v:/"}
        self.assertEqual(severities([elsewhere]), dict.fromkeys("stu", "critical"), "any may have been it")

    def test_beyond_peers_needs_enough_peers(self):
        for peers, expected in ((2, []), (9, []), (12, [("identity:c0", "grant:g", "medium")])):
            catalogue = with_more(identities=clerks(peers), grants=[to("identity:c0", "edit s:/safe/x")])
            catalogue["resources"] = [*catalogue["resources"], {"resource": "s:/safe/x", "sensitivity": 2}]
            self.assertEqual(self.found("beyond-peers", catalogue), expected, peers)
        self.says("0 of 11 others of D and Clerk have it, 0 of 12 others in all")
        inner = [{"system": "s", "group": "in"}, {"system": "s", "group": "out"}]
        members = [{"system": "s", "group": "out", "member": "group:s/in"}]
        members += [{"system": "s", "group": "in", "member": f"identity:c{at}"} for at in range(1, 15)]
        members += [{"system": "s", "group": "out", "member": "identity:c0"}]
        by_group = with_more(
            identities=clerks(15), groups=inner, members=members, grants=[to("group:s/out", "edit s:/safe")]
        )
        self.assertEqual(self.found("beyond-peers", by_group), [], "the others have it through a group within")
        of_all = with_more(
            identities=clerks(15), grants=[to("identity:c0", "view s:/desk"), to("everyone", "view s:/desk", "e")]
        )
        self.assertEqual(self.found("beyond-peers", of_all), [], "everyone has it")

    def test_the_upper_bound_is_clopper_s_and_pearson_s(self):
        from scipy.stats import beta

        having, of = np.array([0, 0, 1, 5, 3, 0]), np.array([2, 12, 12, 40, 3, 0])
        expected = [beta.ppf(0.95, k + 1, n - k) if k < n else 1.0 for k, n in zip(having, of, strict=True)]
        np.testing.assert_allclose(upper_share(having, of, 0.95), expected)
        self.assertGreater(upper_share(ints([0]), ints([10]), 0.95)[0], 0.23)

    def test_few_are_those_whose_upper_bound_is_below_the_share(self):
        for share in (0.01, 0.25, 0.9):
            for confidence in (0.5, 0.95, 0.99):
                for of in (*range(60), 399, 5000, 200_000):
                    having = np.unique(np.linspace(0, of, 500).astype(np.int64))
                    bound = upper_share(having, np.full(len(having), of), confidence)
                    surely = abs(bound - share) > 1e-9
                    few = having <= most_few(of, share, confidence)
                    np.testing.assert_array_equal(few[surely], ((bound < share) & (of > 0))[surely], f"{share} of {of}")
        self.assertEqual([most_few(10, it, 0.95) for it in (0, 1)], [-1, 9])

    def test_export_where_peers_only_look(self):
        grants = [to(f"identity:c{at}", "view s:/safe", f"v{at}") for at in range(13)]
        catalogue = with_more(identities=clerks(13), grants=[*grants, to("identity:c0", "export s:/safe", "x")])
        self.assertEqual(self.found("export-beyond-peers", catalogue), [("identity:c0", "grant:x", "high")])
        self.says("0 of 12 others of D and Clerk may, 12 of them may look")
        denied = [*catalogue["grants"], to("identity:c0", "export s:/safe", "n", effect="deny")]
        self.assertEqual(self.found("export-beyond-peers", {**catalogue, "grants": denied}), [])
        blind = with_more(identities=clerks(13), grants=[to("identity:c0", "export s:/safe", "x")])
        self.assertEqual(self.found("export-beyond-peers", blind), [], "peers may not look either: not this kind")

    def test_position(self):
        grants = [to("identity:c0", "view s:/desk", "a"), to("identity:c0", "edit s:/safe", "b")]
        catalogue = with_more(identities=clerks(1), grants=grants)
        self.assertEqual(self.found("beyond-needs", catalogue, NEEDS), [("identity:c0", "grant:b", "medium")])
        self.assertEqual(self.found("beyond-needs", catalogue), [], "no need speaks about anybody")
        moved = [{"id": "m", "department": "D", "title": "Clerk", "previous_department": "Old"}]
        old = [{"id": f"o{at}", "department": "Old", "title": "Clerk"} for at in range(3)]
        systems = [{"system": "t"}]
        held = [to(f"identity:o{at}", "view t:/", f"o{at}") for at in range(3)]
        held += [to("identity:m", "view t:/", "m"), to("identity:m", "view s:/desk", "s"), *grants]
        catalogue = with_more(identities=[*clerks(1), *moved, *old], systems=systems, grants=held)
        self.assertEqual(self.found("former-position", catalogue), [("identity:m", "grant:m", "medium")])
        self.says("view t:/, kept from Old: 3 of 3 have it there, and 0 of 2 others in D")
        wider = [{**row, "gives": "view t:/**"} if row["holder"].startswith("identity:o") else row for row in held]
        self.assertEqual(
            self.found("former-position", {**catalogue, "grants": wider}),
            [("identity:m", "grant:m", "medium")],
            "by whatever the others have it",
        )

    def test_grants_that_give_too_much(self):
        catalogue = with_more(
            identities=clerks(7),
            groups=[{"system": "s", "group": "g"}],
            members=[{"system": "s", "group": "g", "member": f"identity:c{at}"} for at in range(5)],
            grants=[
                to("group:s/g", "view s:/desk", "group"),
                to("identity:c0", "view s:/desk", "same"),
                to("identity:c6", "view s:/desk", "single"),
                to("identity:c5", "manage s:/", "all"),
                to("identity:c6", "view s:/safe", "broad"),
                to("everyone", "view s:/safe", "every"),
            ],
        )
        self.assertIn(("identity:c0", "grant:same", "low"), self.found("redundant", catalogue))
        self.assertEqual(self.found("direct", catalogue), [("identity:c6", "grant:single", "low")])
        self.assertEqual(self.found("wildcard-administration", catalogue), [("identity:c5", "grant:all", "high")])
        self.assertEqual(self.found("everyone", catalogue), [("everyone", "grant:every", "high")])
        brings = [rests for _, rests, _ in self.found("sensitive-field", catalogue)]
        self.assertEqual(brings, ["grant:all", "grant:broad", "grant:every"])
        denied = [*catalogue["grants"], to("everyone", "view s:/safe/pin", "no", effect="deny")]
        self.assertEqual(self.found("sensitive-field", {**catalogue, "grants": denied}), [])
        later = with_more(identities=clerks(1, starts="2026-07-01"), grants=[to("identity:c0", "view s:/safe")])
        self.assertEqual(self.found("sensitive-field", later), [], "nobody is brought there yet")

    def test_a_detached_resource_that_more_reach_than_its_parent(self):
        cut = [{"resource": "s:/safe/box", "detached": 1}, {"resource": "s:/desk/tray", "detached": 1}]
        grants = [to("identity:c0", "view s:/safe", "a"), to("identity:c1", "view s:/safe/box", "b")]
        grants += [to("identity:c0", "view s:/desk/tray", "c"), to("identity:c0", "view s:/desk", "d")]
        catalogue = with_more(identities=clerks(2), resources=cut, grants=grants)
        self.assertEqual(self.found("detached-wider", catalogue), [("s:/safe/box", "grant:b", "medium")])
        self.says("1 reach it, 1 its parent s:/safe")
        denied = [to("identity:c0", "view s:/safe/box", "e"), to("identity:c0", "view s:/safe", "n", effect="deny")]
        catalogue = with_more(identities=clerks(2), resources=cut, grants=[grants[0], *denied])
        self.assertEqual(self.found("detached-wider", catalogue), [("s:/safe/box", "grant:e", "medium")])
        self.says("1 reach it, 0 its parent s:/safe")
        whole = [to("identity:c0", "view s:/safe/**", "w"), denied[1]]
        catalogue = with_more(identities=clerks(2), resources=cut, grants=whole)
        self.assertEqual(self.found("detached-wider", catalogue), [("s:/safe/box", "grant:w", "medium")])
        self.assertEqual((self.told[0].remedy[:16], self.told[0].edits), ("Deny it here too", ()))

    def test_ends(self):
        people = [{"id": "c0", "ends": "2026-12-31"}, {"id": "c1", "ends": "2026-05-31"}, {"id": "c2"}]
        grants = [to(f"identity:c{at}", "view s:/desk", f"g{at}") for at in range(3)]
        grants += [
            to("identity:c0", "edit s:/desk", "u", until="2026-12-31"),
            to("identity:c2", "edit s:/desk", "o", until="2026-06-01"),
        ]
        catalogue = with_more(identities=people, grants=grants)
        self.assertEqual(
            self.found("open-ended", catalogue),
            [("identity:c0", "grant:g0", "low"), ("identity:c1", "grant:g1", "high")],
        )
        self.assertEqual(self.told[0].edits[0].cells["until"], "2026-12-31")
        self.assertEqual(
            self.found("past-end", catalogue),
            [("identity:c2", "grant:o", "low"), ("identity:c1", "identity:c1", "medium")],
        )

    def test_owners(self):
        catalogue = with_more(
            identities=[{"id": "gone", "status": "left"}, {"id": "bot", "kind": "agent", "sponsor": "gone"}],
            roles=[{"system": "s", "role": "r", "owner": "nobody"}, {"system": "s", "role": "q", "owner": "boss"}],
        )
        self.assertEqual(
            [(subject, severity) for subject, _, severity in self.found("owner-gone", catalogue)],
            [("role:s/r", "low"), ("identity:bot", "medium")],
        )

    def test_roles_and_groups(self):
        def entry(role, action, resource="s:/desk"):
            return {"system": "s", "role": role, "action": action, "resource": resource}

        entries = [entry(role, action) for role in ("one", "two") for action in ("view", "edit", "export")]
        entries += [
            entry("two", "view", "s:/safe"),
            entry("one", "view", "s:/safe"),
            entry("two", "manage"),
            entry("far", "view"),
        ]
        catalogue = with_more(
            identities=clerks(1),
            roles=[{"system": "s", "role": name} for name in ("one", "two", "far", "empty")],
            role_permissions=entries,
            groups=[{"system": "s", "group": name} for name in ("void", "bare")],
            grants=[
                to("identity:c0", "role:s/one", "1"),
                to("group:s/void", "role:s/two", "2"),
                to("identity:c0", "role:s/far", "3"),
            ],
            activity=uses(("2025-06-01", "boss", "view", "s:/safe"), ("2026-06-01", "c0", "view", "s:/safe")),
        )
        self.assertEqual([it[0] for it in self.found("empty-role", catalogue)], ["role:s/empty"])
        self.assertEqual([it[0] for it in self.found("empty-group", catalogue)], ["group:s/void"])
        self.assertEqual([it[:2] for it in self.found("near-roles", catalogue)], [("role:s/one", "role:s/two")])
        self.says("4 of 5 permissions in common")
        self.assertEqual({it[0] for it in self.found("unused-role", catalogue)}, {"role:s/far", "role:s/two"})

    def test_a_mandate_over_a_role_with_which_others_can_be_changed_is_worth_more_than_it_looks(self):
        def mandate(holder, roles, may="give"):
            return {"holder": holder, "roles": roles, "may": may}

        catalogue = with_more(
            identities=clerks(2),
            resources=[{"resource": "s:/roles/one", "type": "role"}],
            actions=[{"system": "s", "action": "rule", "kind": "administer"}],
            roles=[{"system": "s", "role": name} for name in ("one", "editor", "senior", "shut", "looks")],
            role_juniors=[{"system": "s", "role": "senior", "junior": "role:s/editor"}],
            role_permissions=[
                {"system": "s", "role": "editor", "action": "rule", "resource": "s:/roles"},
                {"system": "s", "role": "shut", "action": "rule", "resource": "s:/roles", "effect": "deny"},
                {"system": "s", "role": "looks", "action": "view", "resource": "s:/roles"},
                {"system": "s", "role": "one", "action": "rule", "resource": "s:/desk"},
            ],
            mandates=[
                mandate("identity:c0", "s/*"),
                mandate("identity:c1", "s/one;s/shut;s/looks"),
                mandate("identity:c1", "s/editor", "take"),
                mandate("everyone", "s/sen*"),
            ],
        )
        found = [("everyone", "mandate:s/sen*", "high"), ("identity:c0", "mandate:s/*", "high")]
        self.assertEqual(sorted(self.found("wide-mandate", catalogue)), found)
        told = "; ".join(it.evidence for it in self.told)
        self.assertIn("2 roles with which others can be changed: s/editor, s/senior", told)

    def test_what_came_back_and_who_was_hasty(self):
        catalogue = with_more(identities=clerks(1), grants=[to("identity:c0", "view s:/desk", "back")])
        kept = basis_of(catalogue)
        from kathodos.model.kinds import DECISIONS, RETURNED
        from kathodos.model.rows import Rows

        def rows(kind, values):
            columns = dict(zip(kind.names, map(list, zip(*values, strict=True)), strict=True))
            return Rows(kind, list(range(1, len(values) + 1)), columns)

        def with_state(**more):
            state = InMemory({**kept.records.state, **more})
            return ExcessContext(Basis(state, kept.index, kept.moment))

        times = ["2026-01-01T10:00:00Z"] * 49 + ["2026-01-01T10:01:00Z"]
        for extra, expected in (([], 1), (["2026-01-01T10:00:30Z"], 1)):
            decisions = [
                ("r", at, "certify", "c0", time, "", 1, "reviewer", None, None)
                for at, time in enumerate([*times, *extra])
            ]
            back = ("grants", '["back"]', "hr", 3, "2026-01-01T00:00:00Z", "review", "2026-06-01T00:00:00Z")
            context = with_state(decisions=rows(DECISIONS, decisions), returned=rows(RETURNED, [back]))
            found = {it.kind: list(findings(it)) for it in find_excess(context, ["came-back", "hasty-review"])}
            self.assertEqual([(it.subject, it.rests_on) for it in found["came-back"]], [("identity:c0", "grant:back")])
            self.assertEqual(len(found["hasty-review"]), expected)
        self.assertIn("certified 51 lines", found["hasty-review"][0].evidence)
        few = rows(DECISIONS, [("r", at, "certify", "c0", times[0], "", 1, "reviewer", None, None) for at in range(49)])
        (batch,) = find_excess(with_state(decisions=few), ["hasty-review"])
        self.assertEqual(len(batch), 0)


class History(Prepared, unittest.TestCase):
    @classmethod
    def prepare(cls, folder):
        people = [{"id": "m", "department": "Old"}, {"id": "o", "department": "Old"}, {"id": "d", "department": "D"}]
        grants = [to("identity:m", "view s:/desk", "m"), to("identity:o", "view s:/desk", "o")]
        at = lay_out(folder / "house", with_more(identities=people, grants=grants))
        run("gather", cwd=at)
        write_tables(at / "tables", {"identities": [{**people[0], "department": "D"}, *people[1:]]})
        run("gather", cwd=at)
        return at

    def test_former_departments_also_come_from_the_history(self):
        found = records("excess", "--kind", "former-position", cwd=self.here, status=1)
        self.assertEqual([(it["subject"], it["rests_on"]) for it in found], [("identity:m", "grant:m")])


if __name__ == "__main__":
    unittest.main()
