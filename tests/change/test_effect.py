"""The effect of a change is the difference of what everybody reaches before and after, whatever the edits are."""

import unittest
from datetime import datetime

from hypothesis import given
from hypothesis import strategies as st

from kathodos.analysis.basis import Basis
from kathodos.analysis.concerned import concerned
from kathodos.analysis.differences import ReachDifferences, Side
from kathodos.change.edit_sets import EditSet, RecordEdit
from kathodos.change.effect import Effect
from kathodos.columns.csr import distinct, joined
from kathodos.columns.strings import string_table
from kathodos.engine.compiled.among import groups_touched, index_among, with_owners
from kathodos.engine.compiled.index import NEEDED
from kathodos.engine.compiled.patch import patched, updated
from kathodos.findings.conflicts.states import who_breaks
from kathodos.findings.escalation import is_administered
from kathodos.findings.fences import crossings, lacks
from kathodos.model.kinds import BY_NAME
from kathodos.model.times import microseconds
from kathodos.rules.reading import Rules
from kathodos.store.edited import Edit, edited
from kathodos.store.records import InMemory
from tests.engine.compiled.test_patch import edits_towards
from tests.engine.test_decide import everything
from tests.reference import Reference
from tests.support import NOW, catalogues, index_of, record_of, rules_of, searching, state_of

AT = datetime.fromisoformat(NOW)
MOMENT = microseconds(AT)
KINDS = [kind.name for kind in NEEDED]
CONFLICT = """
[[conflict]]
id = "C"
title = "views and owns"
severity = "high"
[[conflict.duty]]
name = "view"
any = ["view s:/a/**"]
[[conflict.duty]]
name = "edit"
any = ["edit s:/b", "own t:/**"]
"""
RULES = """
topic = "T"
[[fence]]
id = "F"
title = "nobody of the docks"
severity = "low"
who = 'department eq "Dock"'
never = ["edit s:/**"]
[[need]]
id = "N"
title = "cranes look"
severity = "low"
who = 'department eq "Crane"'
must = ["view s:/"]
"""
RULES += CONFLICT + CONFLICT.replace('id = "C"', """id = "E"\nexcept = 'department eq "Dock"'""")


def edit_set(edits):
    """Edits by kind, record by record."""
    found = EditSet()
    for name, edit in edits.items():
        kind = BY_NAME[name]
        gone, come = ({tuple(it[part] for part in kind.key): it for it in some} for some in (edit.gone, edit.come))
        for key in dict.fromkeys([*gone, *come]):
            found.put(RecordEdit(kind, key, gone.get(key), come.get(key)))
    return found


def moved_accounts(first, second):
    """The accounts that became somebody's, or nobody's: what they reach is told apart."""
    owners = [
        {f"account:{it['system']}/{it['login']}": it.get("identity") for it in some["accounts"]}
        for some in (first, second)
    ]
    there = [{it["id"] for it in some["identities"]} for some in (first, second)]
    tied = [{name: owner in known for name, owner in of.items()} for of, known in zip(owners, there, strict=True)]
    return {name for name in tied[0].keys() & tied[1].keys() if tied[0][name] != tied[1][name]}


def told(differences):
    """What differences say, as triples that came and that went."""
    found = ([], [])
    for at, who in enumerate(differences.askers):
        for side, texts in zip(found, differences.texts(at), strict=True):
            side += [(who, *text.split(" ", 1)) for text in texts]
    return {*found[0]}, {*found[1]}


def administered(catalogue):
    """A made-up catalogue in which whoever may write administers."""
    kinds = {"write": "administer"}
    actions = [{**it, "kind": kinds.get(it["kind"], it["kind"])} for it in catalogue.get("actions", [])]
    return {**catalogue, "actions": actions}


def everything_broken(basis):
    """Every rule that somebody breaks, and who."""
    name, rules = basis.index.holders.references, rules_of(RULES)
    found = {("conflict", it.rule.id, name[who]) for it in who_breaks(basis, rules.conflicts) for who in it.askers}
    found |= {("fence", it.fence.id, name[it.asker]) for it in crossings(basis, rules.fences)}
    return found | {("need", it.need.id, name[it.asker]) for it in lacks(basis, rules.needs)}


class EffectEqualsTheReference(unittest.TestCase):
    @given(catalogues(), catalogues(), st.sets(st.sampled_from(KINDS), min_size=1, max_size=3), st.data())
    @searching(60, shrinks=False)
    def test_over_edits_of_every_kind(self, first, second, names, data):
        kinds = [BY_NAME[name] for name in sorted(names)]
        first, second = map(administered, (first, second))
        mixed = self.some_of(first, second, kinds, data)
        edits = edits_towards(first, mixed, kinds)
        moved = moved_accounts(first, mixed)
        before, after = (Reference(it).everything(AT) for it in (first, mixed))
        expected = [{it for it in some if it[0] not in moved} for some in (after - before, before - after)]
        whole = self.effect(first, edits)
        self.assertEqual([*told(whole.differences)], expected)
        self.assertEqual((whole.gained, whole.lost), tuple(map(len, expected)))
        self.by_system(whole, expected)
        broken = [everything_broken(it) for it in (whole.before, whole.after)]
        keys = [{(it.kind, it.rule, it.who) for it in some} for some in whole.broken]
        self.assertEqual(keys, [broken[1] - broken[0], broken[0] - broken[1]])
        lately = [BY_NAME[name] for name in sorted(data.draw(st.sets(st.sampled_from(KINDS), max_size=2)))]
        earlier = self.some_of(first, second, lately, data)
        for few in (self.effect_on_few(first, edits), self.effect_on_few(first, edits, earlier, lately)):
            if few is None:
                continue
            self.assertEqual([*told(few.differences)], expected)
            self.by_system(few, expected)
            self.assertEqual(self.rules(few), self.rules(whole))
            lost = [[(it.system, it.who, it.is_last) for it in effect.administration_lost] for effect in (few, whole)]
            self.assertEqual(*lost)

    @staticmethod
    def some_of(first, second, kinds, data):
        """The first catalogue with some records of these kinds as the second has them, and some gone."""
        mixed = dict(first)
        for kind in kinds:
            rows = {tuple(record_of(kind, row)[part] for part in kind.key): row for row in first.get(kind.name, [])}
            for row in second.get(kind.name, []):
                if data.draw(st.booleans()):
                    rows[tuple(record_of(kind, row)[part] for part in kind.key)] = row
            can_go = rows and kind.name not in ("systems", "areas", "groups", "roles")  # to which others have to lead
            dropped = data.draw(st.sets(st.sampled_from(sorted(rows, key=str)), max_size=2)) if can_go else set()
            mixed[kind.name] = [row for key, row in rows.items() if key not in dropped]
        return mixed

    def effect(self, first, edits):
        """The effect over everybody."""
        records, index = InMemory(state_of(first)), index_of(first)
        after = edited(records, edits)
        bases = Basis(records, index, MOMENT), Basis(after, updated(index, edits, after), MOMENT)
        return Effect(*bases, edit_set(edits), self.known_rules(), is_whole=True)

    def effect_on_few(self, first, edits, earlier=None, lately=()):
        """The effect on an index of those alone whom the edits bear on; None where that is everybody.

        `earlier`: a state of which there is an index, and since which the records of some kinds were edited.
        """
        records, index = InMemory(state_of(first)), index_of(first)
        since = self.edits_since(earlier, first, lately) if earlier is not None else {}
        base = index_of(earlier) if earlier is not None else index
        some = [concerned(base, MOMENT, it) for it in (since, edits)]
        groups = [groups_touched(base, it) for it in (since, edits)]
        if any(it is None for it in some):
            return None
        named = None if any(it is None for it in groups) else joined(groups)
        few = index_among(base, *with_owners(base.holders, distinct(joined(some))), named)
        if since:
            few = patched(few, since, records)
            if few is None:
                return None
        after = edited(records, edits)
        found = patched(few, edits, after)
        if found is None:
            return None
        bases = Basis(records, few, MOMENT), Basis(after, found, MOMENT)

        def administers(system, gone):
            numbers = index.holders.numbers_of(string_table(gone))
            return is_administered(Basis(records, index, MOMENT), system, numbers)

        return Effect(*bases, edit_set(edits), self.known_rules(), administers=administers)

    @staticmethod
    def edits_since(earlier, first, kinds):
        """What has made one catalogue of another, each record that came with its row."""
        state, found = state_of(first), {}
        for name, edit in edits_towards(earlier, first, kinds).items():
            rows = dict(zip(state[name].record_keys(), state[name].ids, strict=True))
            key = BY_NAME[name].key
            come = [{"row": rows[tuple(it[part] for part in key)], **it} for it in edit.come]
            found[name] = Edit(edit.gone, come)
        return found

    @staticmethod
    def known_rules():
        return rules_of(RULES)

    @staticmethod
    def rules(effect):
        return [sorted((it.kind, it.rule, it.who, it.what) for it in some) for some in effect.broken]

    def by_system(self, effect, expected):
        """What is counted by system is what the triples say."""
        found = {}
        for side, triples in enumerate(expected):
            for who, _, resource in triples:
                people, pairs = found.setdefault(resource.partition(":")[0], [[set(), set()], [0, 0]])
                people[side].add(who)
                pairs[side] += 1
        counted = {
            name: (len(people[0]), len(people[1]), pairs[0], pairs[1]) for name, (people, pairs) in found.items()
        }
        self.assertEqual(effect.differences.by_system, counted)


class FewAreAsTheWhole(unittest.TestCase):
    @given(catalogues(), st.data())
    @searching(60)
    def test_an_index_of_some_people_answers_for_them_as_the_whole_does(self, catalogue, data):
        index = index_of(catalogue)
        some = data.draw(st.sets(st.sampled_from(index.holders.askers.tolist()))) if len(index.holders.askers) else ()
        people, accounts = with_owners(index.holders, _array(some))
        few = index_among(index, people, accounts)
        names = {few.holders.references[it] for it in few.holders.askers.tolist()}
        self.assertGreaterEqual(names, {index.holders.references[it] for it in some})
        whole = {it for it in everything(index, MOMENT) if it[0] in names}
        self.assertEqual(set(everything(few, MOMENT)), whole)
        for login in ("l1", "l2"):
            found = [few.holders.references[it] for it in few.holders.askers_named(login)]
            kept = [index.holders.references[it] for it in index.holders.askers_named(login)]
            known = {few.holders.references[it] for it in range(few.holders.first_group)}
            self.assertEqual(found, [it for it in kept if it in known])


def _array(numbers):
    import numpy as np

    return np.array(sorted(numbers), dtype=np.int64)


class Nothing(unittest.TestCase):
    @given(catalogues())
    @searching(20)
    def test_a_change_that_leaves_all_as_it_is_changes_nothing(self, catalogue):
        side = Side(index_of(catalogue), MOMENT)
        self.assertEqual(len(ReachDifferences(side, Side(index_of(catalogue), MOMENT), None)), 0)
        basis = Basis(InMemory(state_of(catalogue)), side.index, MOMENT)
        effect = Effect(basis, basis, EditSet(), Rules(), is_whole=True)
        self.assertTrue(effect.changes_nothing)
        self.assertEqual((effect.broken, effect.by_role, effect.stops), (([], []), [], []))


if __name__ == "__main__":
    unittest.main()
