"""Edits of a file against the records: what they make is what a gather of the same cells would make."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from kathodos.change.edit_sets import Verb
from kathodos.change.edits import edits_in
from kathodos.change.files import KINDS, Block, changes_text
from kathodos.connectors.mapping import Table
from kathodos.engine.compiled.compile import compile_index
from kathodos.errors import DataError
from kathodos.ingest.checking import check_table
from kathodos.model.kinds import BY_NAME
from kathodos.model.references import Names
from kathodos.model.toml import toml_text
from kathodos.store.edited import edited
from kathodos.store.records import InMemory, columns_of
from tests.support import OFFICE, catalogues, searching, state_of


def names_in(records):
    names = Names()
    for name in KINDS:
        kind = BY_NAME[name]
        names.add(kind, zip(*columns_of(records, kind, *kind.key), strict=True))
    return names


def as_cells(kind, record):
    return {name: str(value) for name, value in record.items() if value is not None and name in kind.names}


class Against(unittest.TestCase):
    @given(catalogues(), st.data())
    @searching(60)
    def test_a_record_added_again_is_what_a_gather_of_its_cells_is(self, catalogue, data):
        records = InMemory(state_of(catalogue))
        filled = [
            name for name in ("grants", "members", "accounts", "roles", "resources") if len(records.rows(BY_NAME[name]))
        ]
        if not filled:
            return
        kind = BY_NAME[data.draw(st.sampled_from(filled))]
        rows = records.state[kind.name].values()
        record = dict(zip(kind.names, data.draw(st.sampled_from(rows)), strict=True))
        cells = as_cells(kind, {name: value for name, value in record.items() if name != "attributes"})
        checked = check_table(
            Table.of_cells(kind, "t", {name: [cell] for name, cell in cells.items()}), names_in(records)
        )
        gathered = [dict(zip(kind.names, row, strict=True)) for row in checked.rows().values()]
        text = changes_text("again", [Block(Verb.SET, kind.name, cells)])
        try:
            edits = edits_in(toml_text("c.toml", text), records, compile_index(records)).edits
        except DataError:
            self.assertFalse(gathered)
            return
        self.assertEqual(len(gathered), 1, cells)
        after = edits[kind.name].come[0] if edits else record  # what leaves it as it is comes to nothing
        kept = {name: value for name, value in after.items() if name != "attributes"}
        self.assertEqual(kept, {name: value for name, value in gathered[0].items() if name != "attributes"})

    def test_added_ended_and_set_records_stand_where_they_should(self):
        records = InMemory(state_of({name: rows for name, rows in OFFICE.items() if name in BY_NAME}))
        text = "[[end]]\nkind = 'grants'\ngrant = 'g1'\n[[add]]\nkind = 'identities'\nid = 'new'\nname = 'N'\n"
        text += "[[set]]\nkind = 'identities'\nid = 'ann'\nstatus = 'left'\n"
        after = edited(records, edits_in(toml_text("c.toml", text), records, compile_index(records)).edits)
        grants, people = BY_NAME["grants"], BY_NAME["identities"]
        self.assertIsNone(after.with_key(grants, ("g1",)))
        self.assertEqual(after.with_key(people, ("ann",))["status"], "left")
        self.assertEqual(after.with_key(people, ("new",))["kind"], "person")
        self.assertEqual(len(after.rows(people)), len(records.rows(people)) + 1)
        numbers = after.rows(people)
        self.assertEqual(sorted(numbers[numbers < 0].tolist()), [-2, -1])
        ids = [row[0] for row in after.some(people, numbers.tolist()).values()]
        self.assertEqual(ids, after.column(people, "id").listed())
        self.assertTrue(np.array_equal(after.sources(people).codes, np.full(len(numbers), -1)))


if __name__ == "__main__":
    unittest.main()
