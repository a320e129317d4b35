"""Reviews of accounts, resources, roles, identity data and covers: each line and its evidence, against going through
the catalogue by hand."""

import json
import unittest
from datetime import datetime

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from kathodos.analysis.role_table import RoleTable
from kathodos.columns.csr import csr_from_lists
from kathodos.columns.dictionary import dictionary_column
from kathodos.findings.conflicts.covers import Confirmation, Control, Cover, Register
from kathodos.findings.conflicts.states import no_conflicts
from kathodos.findings.excess.batches import ExcessContext
from kathodos.findings.excess.thresholds import Thresholds
from kathodos.model.kinds import REVIEW_LINES, REVIEW_THINGS
from kathodos.review.drafts.accounts import equal_rows, unions
from kathodos.review.drafts.draft import Asked
from kathodos.review.drafts.holder_evidence import Found
from kathodos.review.opening import Opening, draft_review
from kathodos.review.subjects import SUBJECTS, About
from kathodos.rules.reading import Rules
from tests import stores
from tests.evidence import Plain
from tests.reference import Reference, instant, split
from tests.support import basis_of, catalogues, searching, unique

NOW = "2026-06-15T00:00:00Z"
MOMENT = datetime.fromisoformat(NOW)


def drafted(catalogue, about, chosen=None, register=None, of_things=None, parts=(), only=None, chain=None):
    """The basis, and the lines of a review of one kind as tables with what stands of their things."""
    basis = basis_of(catalogue, NOW)
    context = ExcessContext(basis, [], Thresholds())
    everything = {
        About.ACCOUNTS: len(basis.index.holders.accounts),
        About.ROLES: len(catalogue.get("roles", ())),
        About.IDENTITY_DATA: basis.people,
        About.COVERS: basis.people,
        About.ACCESS: basis.people,
    }
    some = np.arange(everything.get(about, 0)) if chosen is None else np.array(chosen, dtype=np.int64)
    found = Found(np.zeros(0, dtype=np.int64), (), of_things or {})
    asked = Asked(context, no_conflicts([]), Rules(), found, register or Register({}, [], []), some, parts)
    made = draft_review(Opening(asked, chain or SUBJECTS[about].chain, "opener", about, only))
    names = REVIEW_THINGS.names[1:]
    things = [dict(zip(names, row, strict=True)) for row in zip(*(it.listed() for it in made.things), strict=True)]
    of = {it["thing"]: it for it in things}
    rows = zip(*(column.listed() for column in made.lines), strict=True)
    lines = [dict(zip(REVIEW_LINES.names[1:], row, strict=True)) for row in rows]
    return basis, [{**line, "of": of[line["thing"]]} for line in lines]


def in_force_or_to_come(row):
    return instant(row.get("until"), end=True) > MOMENT


USE = st.tuples(
    st.sampled_from(("2026-05-01", "2026-05-02", "2026-06-01T08:00:00Z")),
    st.sampled_from(("s/l1", "s/l2")),
    st.sampled_from(("view", "edit")),
)


@stores.ABOUT_ANSWERS
class Accounts(unittest.TestCase):
    @searching(40)
    @given(catalogues(), st.data())
    def test_each_with_all_that_it_holds_itself(self, catalogue, data):
        days = st.sampled_from((None, "2026-01-02", "2026-06-10"))
        catalogue["accounts"] = [
            {**row, "last_login": data.draw(days), "privileged": 0} for row in catalogue["accounts"]
        ]
        _, lines = drafted(catalogue, About.ACCOUNTS)
        self.assertEqual(len(lines), len(catalogue["accounts"]))
        by_name = {f"account:{row['system']}/{row['login']}": row for row in catalogue["accounts"]}
        for line in lines:
            row = by_name.pop(line["holder"])
            held = [it for it in catalogue["grants"] if it["holder"] == line["holder"] and in_force_or_to_come(it)]
            direct = {
                ("deny " if it["effect"] == "deny" else "") + it["gives"] + (f" on {it['on']}" if it["on"] else "")
                for it in held
            }
            groups = {f"group:s/{it['group']}" for it in catalogue["members"] if it["member"] == line["holder"]}
            told = set(json.loads(line["of"]["brings"]))
            self.assertEqual(told - groups, direct)
            self.assertLessEqual(told & groups, groups)
            self.assertEqual((line["status"], line["signed_in"]), (row["status"], row["last_login"]))
            whose = row["identity"] if row["identity"] else line["holder"]
            self.assertEqual(line["identity"], whose)
            self.assertEqual(json.loads(line["of"]["within"]), ["system:s"])

    @searching(40)
    @given(catalogues(), st.lists(USE, max_size=6))
    def test_it_was_used_when_anything_that_it_holds_was(self, catalogue, uses):
        rows = [
            {"time": day, "account": account, "action": action, "resource": "s:/a"} for day, account, action in uses
        ]
        catalogue = {**catalogue, "activity": unique(("time", "account", "action"), rows)}
        askers = basis_of(catalogue, NOW).index.holders.askers
        _, lines = drafted(catalogue, About.ACCESS, askers)
        _, accounts = drafted(catalogue, About.ACCOUNTS)
        for account in accounts:
            own = [it for it in lines if it["holder"] == account["holder"]]
            used = [it["last_used"] for it in own if it["last_used"]]
            self.assertEqual(account["last_used"], max(used, default=None))
            top = max((-1 if it["of"]["sensitivity"] is None else it["of"]["sensitivity"] for it in own), default=-1)
            self.assertEqual(account["of"]["sensitivity"], top if top >= 0 else None)

    @searching(40)
    @given(st.lists(st.lists(st.integers(0, 5), unique=True), max_size=30))
    def test_rows_that_hold_the_same_have_one_number(self, rows):
        rows = [sorted(it) for it in rows]
        kind, sample = equal_rows(csr_from_lists(rows))
        for one, number in zip(rows, kind.tolist(), strict=True):
            self.assertEqual(one, rows[sample[number]])
        self.assertEqual(len(set(map(tuple, rows))), len(sample))

    @searching(40)
    @given(st.lists(st.tuples(st.integers(0, 4), st.sampled_from((None, "a", "b;c", "a;c"))), max_size=20))
    def test_lists_of_many_are_put_together(self, pairs):
        column = dictionary_column(text for _, text in pairs)
        found = unions(column, np.array([row for row, _ in pairs], dtype=np.int64), 5).listed()
        for row in range(5):
            names = {it for at, text in pairs if at == row and text for it in text.split(";")}
            self.assertEqual(found[row], ";".join(sorted(names)) or None)


@stores.ABOUT_ANSWERS
class Resources(unittest.TestCase):
    @searching(40)
    @given(catalogues())
    def test_each_grant_that_permits_something_there(self, catalogue):
        reference, basis = Reference(catalogue), basis_of(catalogue, NOW)
        nodes = [basis.index.tree.addresses.find(row["resource"]) for row in catalogue["resources"]]
        _, lines = drafted(catalogue, About.RESOURCES, sorted(nodes))
        found = {(line["part"], line["grant"]) for line in lines}
        self.assertEqual(len(found), len(lines))
        self.assertEqual(found, set(self.expected(reference, catalogue)))
        for line in lines:
            grant = next(it for it in catalogue["grants"] if it["grant"] == line["grant"])
            self.assertEqual(line["holder"], grant["holder"])
            self.assertEqual(line["value"], str(self.people(reference, grant["holder"])))

    def expected(self, reference, catalogue):
        for grant in catalogue["grants"]:
            if grant["effect"] == "deny" or not in_force_or_to_come(grant):
                continue
            for row in catalogue["resources"]:
                node = split(row["resource"])
                if reference.scope_anchor(grant["on"], node) is None or not reference.actions(node[0]):
                    continue
                entries = (it for it in reference.given[grant["grant"]] if not it[2])
                if any(reference.targets_reaching(pattern, node) for _, pattern, _ in entries):
                    yield row["resource"], grant["grant"]

    def people(self, reference, holder):
        if not holder.startswith(("group:", "everyone")):
            return 1
        active = Plain(reference.catalogue, MOMENT).active()
        return sum(holder in reference.principals(f"identity:{name}", MOMENT) for name in active)


@stores.ABOUT_ANSWERS
class Roles(unittest.TestCase):
    @searching(40)
    @given(catalogues())
    def test_each_role_with_each_of_its_entries(self, catalogue):
        _, lines = drafted(catalogue, About.ROLES)
        themselves = {line["holder"]: line for line in lines if line["part"] is None}
        self.assertEqual(set(themselves), {f"role:s/{row['role']}" for row in catalogue["roles"]})
        entries = {(line["holder"], line["part"], line["value"]) for line in lines if line["part"] is not None}
        written = {
            (
                f"role:s/{row['role']}",
                ("never " if row["effect"] == "deny" else "") + f"{row['action']} {row['resource']}",
                row["effect"],
            )
            for row in catalogue["role_permissions"]
        }
        self.assertEqual(entries, written)
        reference = Reference(catalogue)
        for row in catalogue["roles"]:
            line = themselves[f"role:s/{row['role']}"]
            self.assertEqual(line["status"], "on" if row["active"] else "off")
            self.assertEqual(line["of"]["having"], len(self.having(reference, line["holder"])))

    def having(self, reference, role):
        """The people who hold a role by a live grant of it, or of a role above it."""
        above, rest = set(), [role]
        while rest:
            now = rest.pop()
            if now not in above:
                above.add(now)
                rows = reference.rows("role_juniors")
                rest += [f"role:{it['system']}/{it['role']}" for it in rows if it["junior"] == now]
        found = set()
        for grant in reference.rows("grants"):
            is_live = instant(grant["from"]) <= MOMENT < instant(grant["until"], end=True)
            if is_live and grant["gives"] in above and grant["effect"] != "deny":
                for name in Plain(reference.catalogue, MOMENT).active():
                    principals = reference.principals(f"identity:{name}", MOMENT)
                    if grant["holder"] in principals:
                        found.add(name)
        return found

    def test_what_was_found_of_a_role_stands_out(self):
        catalogue = {
            "systems": [{"system": "s", "owner": "boss"}],
            "identities": [{"id": "boss"}, {"id": "p"}],
            "roles": [{"system": "s", "role": "a"}, {"system": "s", "role": "b", "owner": "p"}],
            "role_permissions": [{"system": "s", "role": "a", "action": "view", "resource": "s:/x", "effect": "deny"}],
            "grants": [{"grant": "g", "holder": "identity:p", "gives": "role:s/a"}],
        }
        _, lines = drafted(catalogue, About.ROLES, of_things={"role:s/a": ["near-roles"]})
        told = {(line["holder"], line["part"]): (line["stands_out"], line["reviewer"]) for line in lines}
        self.assertEqual(told["role:s/a", None], ("Found of it: near-roles.", "boss"))
        self.assertEqual(told["role:s/b", None], ("It has no entry of its own.", "p"))
        self.assertIn("It denies", told["role:s/a", "never view s:/x"][0])


PEOPLE = st.fixed_dictionaries(
    {
        "title": st.sampled_from((None, "Clerk", "Head")),
        "manager": st.sampled_from((None, "p0", "p1", "p2")),
        "department": st.sampled_from((None, "Dock", "Crane")),
        "status": st.sampled_from(("active", "active", "left", "suspended")),
        "floor": st.sampled_from((None, "1", "2")),
    }
)


@stores.ABOUT_ANSWERS
class IdentityData(unittest.TestCase):
    @searching(40)
    @given(st.lists(PEOPLE, min_size=3, max_size=14))
    def test_each_attribute_of_each_person(self, people):
        rows = [{**row, "id": f"p{at}", "attributes": row.pop("floor")} for at, row in enumerate(map(dict, people))]
        catalogue = {"identities": [{name: it for name, it in row.items() if name != "attributes"} for row in rows]}
        parts = ["title", "manager", "department"]
        _, lines = drafted(catalogue, About.IDENTITY_DATA, parts=parts)
        found = {(line["identity"], line["part"]): line for line in lines}
        self.assertEqual(len(found), len(rows) * len(parts))
        status = {row["id"]: row["status"] for row in rows}
        for row in rows:
            for part in parts:
                line = found[row["id"], part]
                self.assertEqual(line["value"], row[part])
                self.assertEqual(line["reviewer"], row["id"] if row["status"] == "active" else self.above(rows, row))
                if row[part] is None:
                    self.assertEqual(line["stands_out"], "Nothing is entered.")
                elif part == "manager" and status[row["manager"]] == "left":
                    self.assertEqual(line["stands_out"], f"{row['manager']} has left.")
                elif part == "manager" and row["manager"] == row["id"] and status[row["id"]] == "active":
                    self.assertIn("as their own manager", line["stands_out"])
                others = [it for it in rows if it["status"] == "active" and it is not row]
                alike = sum(row[part] is not None and it[part] == row[part] for it in others)
                self.assertEqual((line["all_having"], line["all_counted"]), (alike, len(others)))

    def above(self, rows, row):
        by_id, seen, name = {it["id"]: it for it in rows}, {row["id"]}, row["manager"]
        if name == row["id"]:
            return "opener"
        while name is not None and name not in seen:
            if by_id[name]["status"] == "active":
                return name
            seen.add(name)
            name = by_id[name]["manager"] if by_id[name]["manager"] != name else None
        return "opener"

    def test_who_differs_from_nearly_all_of_the_department(self):
        rows = [{"id": f"p{at}", "department": "Dock", "location": "north"} for at in range(12)]
        rows[3]["location"] = "south"
        _, lines = drafted({"identities": rows}, About.IDENTITY_DATA, parts=["location"])
        odd = [line["identity"] for line in lines if line["speaks"] == "against"]
        self.assertEqual(odd, ["p3"])


@stores.ABOUT_ANSWERS
class Covers(unittest.TestCase):
    def test_those_that_hold_and_what_their_control_says(self):
        catalogue = {"identities": [{"id": "boss"}, {"id": "p"}, {"id": "q", "status": "left"}]}
        control = Control("C-1", "Look", "boss", "looks", "P7D", added_at="2026-01-01T00:00:00Z")

        def cover(rule, whose, until="2026-12-31", ended=None):
            return Cover(rule, whose, "C-1", until, "needed", "boss", "2026-05-01T00:00:00Z", ended, ended)

        covers = [cover("R-1", "p"), cover("R-2", "q"), cover("R-3", "p", "2026-05-02"), cover("R-4", "p", ended="x")]
        register = Register({"C-1": control}, covers, [Confirmation("C-1", "2026-05-03T00:00:00Z", "boss", "done")])
        _, lines = drafted(catalogue, About.COVERS, register=register)
        told = {(line["part"], line["identity"]): line for line in lines}
        self.assertEqual(set(told), {("R-1", "p"), ("R-2", "q")})
        self.assertEqual(told["R-2", "q"]["stands_out"], "The person has left and still holds it.")
        self.assertIn("not there any more", told["R-1", "p"]["stands_out"])
        line = told["R-1", "p"]
        self.assertEqual((line["value"], line["until"], line["reviewer"]), ("C-1", "2026-12-31", "boss"))
        self.assertEqual((line["last_used"], line["given_by"]), ("2026-05-03T00:00:00Z", "boss"))


@stores.ABOUT_ANSWERS
class Chosen(unittest.TestCase):
    @searching(40)
    @given(catalogues(), st.sampled_from(("system eq s", 'role eq "s/r1"', "action eq view", "holder pr")))
    def test_only_the_lines_that_a_filter_selects_stay_and_are_numbered_anew(self, catalogue, only):
        text = only.replace(" s", ' "s"').replace(" view", ' "view"') if " eq " in only and '"' not in only else only
        try:
            _, every = drafted(catalogue, About.ROLES)
            _, some = drafted(catalogue, About.ROLES, only=text)
        except Exception as error:
            raise AssertionError(text) from error
        self.assertEqual([line["line"] for line in some], list(range(1, len(some) + 1)))
        wanted = [line for line in every if self.fits(only, line)]
        self.assertEqual([(it["holder"], it["part"]) for it in some], [(it["holder"], it["part"]) for it in wanted])

    def fits(self, only, line):
        named = [line["holder"], *json.loads(line["of"]["brings"])]
        entries = [*json.loads(line["of"]["contains"]), line["part"] or ""]
        if "role" in only:
            return "role:s/r1" in named
        if "action" in only:
            return any(it.removeprefix("never ").split(" ")[0] == "view" for it in entries)
        return True


@stores.ABOUT_ANSWERS
class Tables(unittest.TestCase):
    @searching(40)
    @given(catalogues())
    def test_the_entries_of_a_role_are_those_of_the_table(self, catalogue):
        basis = basis_of(catalogue, NOW)
        table = RoleTable(basis.records)
        _, lines = drafted(catalogue, About.ROLES)
        own = [line for line in lines if line["part"] is not None]
        self.assertEqual(len(own), int(table.lines.sizes().sum()))
