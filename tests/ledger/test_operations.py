"""Operations: what is planned is what is written, planning writes nothing, and two at once are both right."""

import threading
import unittest

import numpy as np

from kathodos.errors import CallError
from kathodos.ledger.actors import Actor
from kathodos.ledger.baselines import MarkBaseline
from kathodos.ledger.entries import read_entries
from kathodos.ledger.hand import hand_of
from kathodos.ledger.operations import Operation, Plan, carry_out
from kathodos.ledger.payloads import Act, MarkPayload
from kathodos.model.kinds import AREAS, BASELINES
from kathodos.store.records import columns_of
from kathodos.workspace.workspace import Workspace
from tests import stores
from tests.support import Scratch


class Areas(Operation):
    """Opens some areas, closes others by number, and withdraws some of what it opened."""

    act = Act.GATHER

    def __init__(self, opened, closed=(), withdrawn=()):
        self.opened, self.closed, self.withdrawn = opened, closed, withdrawn

    def compose(self, plan):
        for name in self.opened:
            plan.open_rows(AREAS, [(name, "s:/", None, None)], f"source {name}")
        plan.close_rows(AREAS, [*self.closed, *(-1 - at for at in self.withdrawn)])
        return len(self.opened)


class Operations(Scratch, unittest.TestCase):
    def setUp(self):
        super().setUp()
        self.workspace = Workspace.create(self.folder / "office", stores.new_url())
        stores.may_act(self.workspace.folder)
        self.workspace = Workspace.find(self.workspace.folder)

    def areas(self):
        with self.workspace.view() as view:
            return columns_of(view.stored, AREAS, "area")[0]

    def test_what_is_planned_is_what_is_written(self):
        self.workspace.carry_out(Areas(["a", "b", "c"]), "me")
        operation = Areas(["d", "e", "f"], closed=[2], withdrawn=[1])
        with self.workspace.view() as view:
            plan, result = view.plan(operation, "me")
            planned = plan.after()
            named, sources = planned.column(AREAS, "area").listed(), planned.sources(AREAS).listed()
            self.assertEqual((result, named), (3, ["a", "c", "d", "f"]))
        self.assertEqual(self.areas(), ["a", "b", "c"])
        done = self.workspace.carry_out(operation, "me")
        self.assertEqual((done.result, done.entry, self.areas()), (3, 2, named))
        with self.workspace.view() as view:
            self.assertEqual(view.stored.sources(AREAS).listed(), sources)
        self.assertEqual(self.workspace.verify().discrepancies, [])

    def test_with_nothing_to_write_there_is_no_entry(self):
        done = self.workspace.carry_out(Areas([]), "me")
        self.assertEqual((done.result, done.entry), (0, None))
        self.assertTrue(Plan(self.stored(), Actor("me", self.stored())).is_empty)

    def stored(self):
        with self.workspace.view() as view:
            return view.stored

    def test_what_must_not_be_leaves_everything_as_it_was(self):
        self.workspace.carry_out(MarkBaseline("spring"), "me", "why")
        for name in ("spring", "2026-01-01", "12", " "):
            with self.assertRaises(CallError):
                self.workspace.carry_out(MarkBaseline(name), "me")
        with self.workspace.store.reading() as reader:
            (entry,) = read_entries(reader)
        self.assertEqual(
            (entry.kind, entry.payload, entry.reason), ("baseline mark", {"baseline": "spring", "entry": 0}, "why")
        )
        self.assertEqual(MarkPayload("spring", 0).baseline, entry.payload["baseline"])

    def test_two_at_once_are_both_right(self):
        failures = []

        def mark(at):
            try:
                carry_out(MarkBaseline(f"mark-{at}"), self.workspace.store, self.workspace.keys, hand_of("me"))
            except Exception as error:
                failures.append(error)

        threads = [threading.Thread(target=mark, args=(at,)) for at in range(8)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(failures, [])
        with self.workspace.view() as view:
            names, entries = columns_of(view.stored, BASELINES, "baseline", "entry")
        self.assertEqual(sorted(names), sorted(f"mark-{at}" for at in range(8)))
        self.assertTrue(np.array_equal(entries, np.arange(8)))
        self.assertEqual(self.workspace.verify().discrepancies, [])


if __name__ == "__main__":
    unittest.main()
