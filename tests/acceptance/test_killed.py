"""Killed half-way, the state is before or after; two at once, both are right."""

import os
import random
import signal
import subprocess
import time
import unittest
from dataclasses import dataclass
from typing import ClassVar
from unittest import mock

from kathodos.ledger.operations import Operation
from kathodos.ledger.payloads import Act
from kathodos.model.kinds import GRANTS
from kathodos.model.requests import RequestState
from kathodos.request.content import Item, put_items
from kathodos.request.kits import KitEntry
from kathodos.request.records import Request, put_requests
from kathodos.workspace.workspace import Workspace
from tests.packets import answers_to, saved
from tests.support import (
    COMMAND,
    NOW,
    OFFICE,
    SEARCH,
    Scratch,
    at_once,
    inside,
    lay_out,
    records,
    records_inside,
    run,
    write_tables,
)

PEOPLE, MANY = 6_000, 300
TURNS = 25 if SEARCH else 4


class KilledInTheMiddleOfAGather(Scratch, unittest.TestCase):
    def test_at_any_point_the_ledger_verifies_and_the_gather_can_be_repeated(self):
        at = lay_out(self.folder / "office", OFFICE)
        run("gather", cwd=at)
        grown = {**OFFICE, "identities": OFFICE["identities"] + [{"id": f"x{number}"} for number in range(PEOPLE)]}
        write_tables(at / "tables", grown)
        began = time.monotonic()
        run("gather", cwd=at)
        whole = time.monotonic() - began
        write_tables(at / "tables", OFFICE)
        inside("gather", "--accept-loss", cwd=at)
        write_tables(at / "tables", grown)
        seeded, outcomes = random.Random(4), set()
        for turn in range(TURNS):
            point = whole * (0.3 + 0.75 * (turn + seeded.random()) / TURNS)
            process = subprocess.Popen(
                [COMMAND, "gather"], cwd=at, env={**os.environ, "KATHODOS_NOW": NOW}, stdout=subprocess.DEVNULL
            )
            time.sleep(point)
            process.send_signal(signal.SIGKILL)
            process.wait()
            inside("ledger", "verify", cwd=at)
            count = len(records_inside("list", "identities", cwd=at))
            self.assertIn(count, (3, 3 + PEOPLE))
            outcomes.add(count)
            if count > 3:
                write_tables(at / "tables", OFFICE)
                inside("gather", "--accept-loss", cwd=at)
                write_tables(at / "tables", grown)
        self.assertIn(3, outcomes)
        inside("gather", cwd=at)
        self.assertEqual(len(records_inside("list", "identities", cwd=at)), 3 + PEOPLE)
        inside("ledger", "verify", cwd=at)


class KilledInTheMiddleOfApplying(Scratch, unittest.TestCase):
    def test_a_change_that_half_applies_does_not_exist(self):
        at = lay_out(self.folder / "office", OFFICE)
        write_tables(
            at / "tables", {**OFFICE, "identities": OFFICE["identities"] + [{"id": f"x{n}"} for n in range(MANY)]}
        )
        inside("gather", cwd=at)
        compose = ("change", "give", "role:dues/setter", "--where", 'id sw "x"', "--reason", "all hands")
        inside(*compose, "--into", "whole", cwd=at)
        began = time.monotonic()
        run("change", "apply", "whole", "--yes", cwd=at)
        whole = time.monotonic() - began
        (applied,) = records_inside("change", "show", "whole", cwd=at)
        self.assertEqual(len(applied["edits"]), MANY)
        inside("change", "undo", "whole", "--yes", "--reason", "once more", cwd=at)
        seeded, outcomes = random.Random(5), set()
        for turn in range(TURNS):
            if "next" not in {it["change"] for it in records_inside("change", "list", cwd=at)}:
                inside(*compose, "--into", "next", cwd=at)
            settled = self.standing(at)
            process = subprocess.Popen(
                [COMMAND, "change", "apply", "next", "--yes"],
                cwd=at,
                env={**os.environ, "KATHODOS_NOW": NOW},
                stdout=subprocess.DEVNULL,
            )
            time.sleep(whole * (0.4 + 0.7 * (turn + seeded.random()) / TURNS))
            process.send_signal(signal.SIGKILL)
            process.wait()
            inside("ledger", "verify", cwd=at)
            (state,) = (it["state"] for it in records_inside("change", "list", cwd=at) if it["change"] == "next")
            standing = self.standing(at)
            self.assertEqual(standing, settled if state == "draft" else settled + MANY)
            outcomes.add(state)
            if state != "draft":
                break
        self.assertIn("draft", outcomes)
        if outcomes == {"draft"}:
            inside("change", "apply", "next", "--yes", cwd=at)
            self.assertEqual(self.standing(at), settled + MANY)

    def standing(self, at):
        """How many orders and grants there are, over all."""
        orders = records_inside("orders", "list", "--state", "all", cwd=at)
        return len(orders) + len(records_inside("list", "grants", cwd=at))


class KilledInTheMiddleOfAReview(Scratch, unittest.TestCase):
    def setUp(self):
        super().setUp()
        self.at = lay_out(self.folder / "office", OFFICE)
        people = [{"id": f"x{n}", "manager": "head", "title": "Clerk"} for n in range(MANY)]
        grants = [{"grant": f"x{n}", "holder": f"identity:x{n}", "gives": "role:dues/setter"} for n in range(MANY)]
        grown = {"identities": OFFICE["identities"] + people, "grants": OFFICE["grants"] + grants}
        write_tables(self.at / "tables", {**OFFICE, **grown})
        inside("gather", cwd=self.at)
        self.open = ("review", "open", "all", "--where", 'id sw "x"', "--by-manager", "--due", "2026-06-30", "--yes")

    def killed(self, words, state, outcomes):
        """Kills a command at points of its time; after each the state has to be one of some. Gives which there were."""
        began = time.monotonic()
        run("review", "status", cwd=self.at)
        least, found = time.monotonic() - began, set()
        for turn in range(TURNS):
            process = subprocess.Popen(
                [COMMAND, *map(str, words)],
                cwd=self.at,
                env={**os.environ, "KATHODOS_NOW": NOW},
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
            )
            time.sleep(least * (0.5 + 2.5 * turn / TURNS))
            process.send_signal(signal.SIGKILL)
            process.wait()
            inside("ledger", "verify", cwd=self.at)
            self.assertIn(state(), outcomes)
            found.add(state())
            if state() == outcomes[-1]:
                break
        return found

    def decided(self):
        lines = records_inside("review", "lines", "all", cwd=self.at)
        return sum(it["decision"] is not None for it in lines), sum(it["signed_off"] for it in lines)

    def test_opened_taken_and_closed_whole_or_not_at_all(self):
        def opened():
            rows = records_inside("review", "status", cwd=self.at)
            return sum(it["left"] for it in rows)

        self.killed(self.open, opened, (0, MANY))
        if not opened():
            inside(*self.open, cwd=self.at)
        inside("review", "packets", "all", "--out", "packets", cwd=self.at)
        answers = ({"line": n, "decision": "revoke", "reason": "x"} for n in range(1, MANY + 1))
        file = saved(self.at / "answers.json", answers_to(self.at / "packets" / "head.html", *answers))
        taking = ("review", "take", file)
        self.killed(taking, self.decided, ((0, 0), (MANY, 0)))
        if not self.decided()[0]:
            inside(*taking, cwd=self.at)
        self.assertEqual(self.decided(), (MANY, 0))
        closing = ("review", "close", "all", "--yes", "--reason", "x", "--as", "auditor")

        def closed():
            return (*self.decided(), len(records_inside("orders", "list", "--state", "all", cwd=self.at)))

        self.killed(closing, closed, ((MANY, 0, 0), (MANY, MANY, MANY)))
        if not closed()[1]:
            inside(*closing, cwd=self.at)
        self.assertEqual(closed(), (MANY, MANY, MANY))


class SeveralWritersAtOnce(Scratch, unittest.TestCase):
    def test_of_eight_none_is_lost_and_none_counts_twice(self):
        at = lay_out(self.folder / "office", OFFICE)
        words = [["gather"], *(["baseline", "mark", f"mark-{number}"] for number in range(7))]
        done = at_once(*words, cwd=at)
        self.assertEqual([it.returncode for it in done], [0] * 8, [it.stderr for it in done])
        entries = records("ledger", "list", cwd=at)
        self.assertEqual([entry["number"] for entry in entries], list(range(1, 9)))
        self.assertEqual(sorted(entry["kind"] for entry in entries), ["baseline mark"] * 7 + ["gather"])
        self.assertEqual(len(records("baseline", "list", cwd=at)), 7)
        run("ledger", "verify", cwd=at)


@dataclass(frozen=True)
class ManyRun(Operation[None]):
    """Many requests run that end on one day, each with a grant that it brought."""

    act: ClassVar[Act] = Act.ASK
    count: int

    def compose(self, plan):
        requests, grants = [], []
        for number in range(1, self.count + 1):
            what = [KitEntry("role:dues/clerk", f"dues:/{number}")]
            requests.append(Request(0, number, RequestState.GRANTED, "", what, "head", "head", NOW, "r", "2026-06-30"))
            record = {"grant": f"r{number}", "holder": "identity:head", "gives": "role:dues/clerk", "effect": "permit"}
            grants.append(record | {"on": f"dues:/{number}", "tier": 0, "until": "2026-06-30"})
            put_items(plan, number, [Item(GRANTS, (f"r{number}",), "identity:head", "role:dues/clerk", None, True)])
        put_requests(plan, requests)
        plan.open_rows(GRANTS, [tuple(it.get(name) for name in GRANTS.names) for it in grants])


class KilledInTheMiddleOfTending(Scratch, unittest.TestCase):
    def test_all_that_ran_out_is_over_or_nothing_is(self):
        at = lay_out(self.folder / "office", OFFICE)
        run("gather", cwd=at)
        with mock.patch.dict(os.environ, KATHODOS_NOW=NOW):
            Workspace(at).carry_out(ManyRun(MANY), "head")
        after = "2026-07-01T09:00:00Z"
        began = time.monotonic()
        inside("request", "tend", "--dry-run", "--as", "head", cwd=at, now=after)
        whole, seeded = time.monotonic() - began, random.Random(22)
        for turn in range(TURNS):
            command = [COMMAND, "request", "tend", "--yes", "--as", "head"]
            process = subprocess.Popen(
                command, cwd=at, env={**os.environ, "KATHODOS_NOW": after}, stdout=subprocess.DEVNULL
            )
            time.sleep(whole * (0.5 + 2 * (turn + seeded.random()) / TURNS))
            process.send_signal(signal.SIGKILL)
            process.wait()
            inside("ledger", "verify", cwd=at, now=after)
            running = len(records_inside("request", "list", "--state", "running", cwd=at, now=after))
            grants = [
                it for it in records_inside("list", "grants", cwd=at, now=after) if it["ref"].startswith("grant:r")
            ]
            self.assertIn((running, len(grants)), {(MANY, MANY), (0, 0)})
        inside("request", "tend", "--yes", "--as", "head", cwd=at, now=after)
        self.assertEqual(records_inside("request", "list", "--state", "running", cwd=at, now=after), [])


if __name__ == "__main__":
    unittest.main()
