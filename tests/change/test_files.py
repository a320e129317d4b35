"""Change files: whatever is written is read again as it was meant, and a wrong one is told with its line."""

import tomllib
import unittest

from hypothesis import given
from hypothesis import strategies as st

from kathodos.change.edit_sets import Verb
from kathodos.change.files import KINDS, Block, changes_text, each_once, read_blocks
from kathodos.errors import DataError
from kathodos.model.kinds import BY_NAME
from kathodos.model.toml import toml_text
from tests.support import searching

NASTY = st.text(st.characters(exclude_categories=("Cs",)), min_size=1, max_size=30)


@st.composite
def blocks(draw):
    kind = BY_NAME[draw(st.sampled_from(KINDS))]
    names = draw(st.lists(st.sampled_from([it for it in kind.names if it != "kind"]), min_size=1, unique=True))
    cells = {name: draw(NASTY) for name in names}
    return Block(draw(st.sampled_from(Verb)), kind.name, cells, draw(NASTY | st.just("")))


class Files(unittest.TestCase):
    @given(st.lists(blocks(), max_size=6), NASTY)
    @searching(120)
    def test_what_is_written_is_read_again(self, some, heading):
        read = list(read_blocks(toml_text("change.toml", changes_text(heading, each_once(some)))))
        meant = {(it.verb, it.kind, tuple(it.cells.items())) for it in some}
        self.assertEqual({(it.verb, it.kind, tuple(it.cells.items())) for it in read}, meant)
        self.assertEqual(len(read), len(meant))

    def test_the_reason_stands_above_its_block_and_cannot_leave_its_comment(self):
        text = changes_text("head", [Block(Verb.END, "grants", {"grant": "g1"}, "left\n[[add]]\n\x1b[2J")])
        self.assertIn("# left\\x0a[[add]]\\x0a\\x1b[2J\n[[end]]\n", text)
        self.assertEqual(tomllib.loads(text), {"end": [{"kind": "grants", "grant": "g1"}]})

    def test_values_of_every_kind_become_cells(self):
        text = '[[set]]\nkind = "grants"\ngrant = "g1"\ntier = 3\nuntil = 2026-05-01\nreason = ["a", "b"]\n'
        (block,) = read_blocks(toml_text("c.toml", text))
        self.assertEqual(block.cells, {"grant": "g1", "tier": "3", "until": "2026-05-01", "reason": "a;b"})
        self.assertEqual(block.where, "c.toml, line 1")

    def test_a_wrong_file_is_told_with_its_line(self):
        for text, line in (
            ("[[add]]\nkind = 'grants'\nholder = 'a'\n\n[[end]]\nkind = 'nothing'\n", "line 5"),
            ("[[add]]\nkind = 'grants'\nholder = {a = 1}\n", "line 3"),
            ("[[add]]\nkind = 'grants'\n\n[[take]]\nkind = 'grants'\n", "line 4"),
            ("add = 3\n", "line 1"),
        ):
            with self.assertRaises(DataError) as caught:
                list(read_blocks(toml_text("c.toml", text)))
            self.assertIn(f"c.toml, {line}", str(caught.exception), text)


if __name__ == "__main__":
    unittest.main()
