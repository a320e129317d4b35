"""Random people ask, decide and give back, time passes, systems obey or do not: what has to hold, holds."""

import inspect
import os
import random
import shutil
import tempfile
import unittest
from datetime import timedelta
from pathlib import Path
from unittest import mock

import numpy as np
from hypothesis import HealthCheck, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, precondition, rule

from kathodos.change.orders import decided
from kathodos.errors import CallError
from kathodos.model.kinds import GRANTS, MEMBERS
from kathodos.model.requests import RequestState
from kathodos.model.times import end_moment, microseconds, time_text
from kathodos.request.asking import Ask, Remark, Renew, Wish, Withdraw
from kathodos.request.content import item_from
from kathodos.request.deciding import DENY, GRANT, DecideRequest
from kathodos.request.emergency import BreakGlass, LookBack
from kathodos.request.ending import EndRequests, TendRequests
from kathodos.request.records import LOOK_BACK, Less, Sort, items_of_requests, requests_at, steps_of, waiting
from kathodos.workspace.workspace import Workspace
from tests import stores
from tests.request.office import NOW, PEOPLE, make_office, moment
from tests.support import SEARCH, inside

ABOVE = {"ann": "mia", "bo": "mia", "cy": "mia", "mia": "boss", "olga": "boss", "boss": ""}
KITS = ("desk", "one", "stuck")
WHATS = (*KITS, "role:s/writer", "view s:/y", "group:s/g")
WHOM = ("ann", "bo", "cy", "mia", "account:s/ann1", "account:s/bo1")
# What may happen, and how often beside the rest.
ACTS = {
    "ask": 3,
    "ask_and_be_granted": 5,
    "grant": 2,
    "whoever_waits_grants": 4,
    "say_otherwise": 2,
    "renew_and_be_granted": 3,
    "end": 3,
    "break_glass": 1,
    "look_back": 2,
    "time_passes": 4,
    "systems_do_what_was_ordered": 3,
}
_OFFICE = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)


class Office(RuleBasedStateMachine):
    """A workspace of its own for each run, on a clock of its own."""

    def __init__(self):
        super().__init__()
        self.scratch = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.here = Path(self.scratch.name) / "office"
        prepared = Path(_OFFICE.name) / "office"
        if not prepared.exists():
            make_office(_OFFICE.name)
        shutil.copytree(prepared, self.here)
        self.now = moment(NOW)
        self.tended, self.lost = False, set()

    def teardown(self):
        self.scratch.cleanup()

    @initialize()
    def begin(self):
        with self.view() as view:
            self.base = self.records(view.stored)

    @rule(seed=st.integers(0, 2**32 - 1))
    def step(self, seed):
        """One thing happens, drawn by a seed, so that what comes is not mostly what is listed first."""
        draw = random.Random(seed)
        choices = {
            "actor": draw.choice(PEOPLE),
            "whom": draw.choice(WHOM),
            "kit": draw.choice(WHATS),
            "pick": draw.randrange(10),
            "days": draw.choice((1, 4, 15, 40)),
            "flag": draw.random() < 0.5,
        }
        act = getattr(self, draw.choices(list(ACTS), list(ACTS.values()))[0])
        act(**{name: choices[name] for name in inspect.signature(act).parameters})

    # What people do

    def clock(self):
        return mock.patch.dict(os.environ, {"KATHODOS_NOW": time_text(self.now)})

    def view(self):
        return Workspace(self.here).view()

    def do(self, operation, actor, reason="because"):
        """Does what somebody wants, where they may; whether they might."""
        workspace = Workspace(self.here)
        with self.clock():
            try:
                workspace.carry_out(operation(workspace.configuration.request_terms, workspace.acting), actor, reason)
            except CallError:
                return False
        self.tended = False
        return True

    def day(self, days):
        """So many days from now."""
        return f"{self.now + timedelta(days=days):%Y-%m-%d}"

    def chosen(self, pick, state=None):
        """The number of one of the newest requests in a state, or mostly so; 1 where there is none."""
        with self.view() as view:
            every = self.requests(view.stored)
        some = [it.number for it in every if it.state == state or (pick == 9 and state is not None)]
        some = sorted(some or (it.number for it in every))[-4:] or [1]
        return some[-1 - pick % len(some)]

    def ask(self, actor, whom, kit, days, flag):
        wish = Wish(kit, whom, "s:/x/2" if flag and kit in KITS else None, self.day(days))
        self.do(lambda terms, acting: Ask(wish, terms, acting), actor)

    def grant(self, actor, pick, days, flag):
        number = self.chosen(pick, RequestState.OPEN)
        until = self.day(days) if days < 40 else None
        some = ()
        if flag:
            with self.view() as view, self.clock():
                found = [it for it in self.requests(view.stored) if it.number == number and it.kit == "one"]
                from kathodos.request.deciding import content_of

                some = tuple(content_of(view.stored, found[0])[:1]) if found else ()
        less = Less(until, None, some)
        self.do(lambda terms, acting: DecideRequest(number, GRANT, terms, acting, less), actor)

    def whoever_waits_grants(self, pick):
        self.let_grant(self.chosen(pick, RequestState.OPEN))

    def let_grant(self, number):
        """Lets the first who may decide a request grant it."""
        with self.view() as view:
            steps = steps_of(view.stored, [number])[number]
            found = [it for it in self.requests(view.stored) if it.number == number]
            names = [it.approver for it in waiting(found[0], steps)] if found else []
        for name in names[:1]:
            self.do(lambda terms, acting: DecideRequest(number, GRANT, terms, acting), name)

    def renew_and_be_granted(self, pick, days):
        number = self.chosen(pick, RequestState.GRANTED)
        until = self.day(days)
        with self.view() as view:
            whom = [it.whom for it in self.requests(view.stored) if it.number == number]
        if whom and self.do(lambda terms, acting: Renew(number, until, terms, acting), whom[0]):
            for _ in range(2):
                self.let_grant(self.chosen(0, RequestState.OPEN))

    def ask_and_be_granted(self, whom, kit, days):
        wish = Wish(kit, whom, None, self.day(days))
        if self.do(lambda terms, acting: Ask(wish, terms, acting), whom.removeprefix("account:s/").removesuffix("1")):
            for _ in range(2):
                self.let_grant(self.chosen(0, RequestState.OPEN))

    def say_otherwise(self, actor, pick, days):
        number = self.chosen(pick, RequestState.OPEN)
        what = ("deny", "withdraw", *Sort)[(pick + days) % 5]
        if what == "deny":
            self.do(lambda terms, acting: DecideRequest(number, DENY, terms, acting), actor)
        elif what == "withdraw":
            self.do(lambda terms, acting: Withdraw(number), actor)
        else:
            self.do(lambda terms, acting: Remark(number, what, "a word", terms), actor)

    def end(self, actor, pick):
        number = self.chosen(pick, RequestState.GRANTED)
        with self.view() as view:
            whom = [it.whom for it in self.requests(view.stored) if it.number == number]
        self.do(lambda terms, acting: EndRequests([number], terms, lambda _: False), (whom or [actor])[0])

    def break_glass(self, actor):
        self.do(lambda terms, acting: BreakGlass("stuck", "", terms, acting), actor)

    def look_back(self, actor, pick, flag):
        number, verdict = self.chosen(pick, RequestState.GRANTED), "right" if flag else "wrong"
        self.do(lambda terms, acting: LookBack(number, verdict, terms, acting), actor)

    # What happens by itself

    def time_passes(self, days, pick, flag):
        self.now += timedelta(hours=6) if pick < 4 else timedelta(days=min(days, 9))
        self.tended = False
        if flag:
            self.do(lambda terms, acting: TendRequests(terms, acting), "x")
            self.tended = True

    def systems_do_what_was_ordered(self, pick):
        """Orders are carried out and gathered; sometimes a row is lost on the way, that nobody ordered away."""
        with tempfile.TemporaryDirectory() as folder:
            done = inside("enact", "--by", "tables", "--out", Path(folder) / "out", "--yes", "--as", "x",
                          cwd=self.here, now=time_text(self.now), status=None)  # fmt: skip
            made = Path(folder) / "out" / "files"
            if done.returncode == 0 and made.exists():
                for file in made.iterdir():
                    shutil.copy(file, self.here / "tables" / file.name)
        loses = pick - 6
        if loses > 0:
            file = self.here / "tables" / "grants.csv"
            lines = file.read_text(encoding="utf-8").splitlines(keepends=True)
            if len(lines) > 3:
                del lines[min(2 + loses, len(lines) - 1)]
                file.write_text("".join(lines), encoding="utf-8")
        with self.view() as view:
            before = self.records(decided(view.stored))
        inside("gather", "--accept-loss", "--as", "x", cwd=self.here, now=time_text(self.now))
        with self.view() as view:
            self.lost |= {*before} - {*self.records(decided(view.stored))}

    # What has to hold

    def requests(self, records):
        from kathodos.model.kinds import REQUESTS

        return requests_at(records, np.arange(len(records.rows(REQUESTS))))

    def records(self, records):
        """What gives somebody something: the key of each membership, and of each grant what it gives until when."""
        columns = [records.column(MEMBERS, name).listed() for name in MEMBERS.key]
        found = {("members", *values): None for values in zip(*columns, strict=True)}
        names = ("holder", "gives", "on", "until", "effect")
        for values in zip(*(records.column(GRANTS, name).listed() for name in names), strict=True):
            found["grants", *values[:3]] = max(values[3] or "9999", found.get(("grants", *values[:3])) or "")
        return found

    @invariant()
    def nothing_is_had_beyond_what_was_granted(self):
        with self.view() as view, self.clock():
            stored, now = view.stored, microseconds(self.now)
            requests = self.requests(stored)
            numbers = [it.number for it in requests]
            items = items_of_requests(stored, numbers) if numbers else {}
            steps = steps_of(stored, numbers) if numbers else {}
            # What is decided: each record that was not there at the beginning is an item of a request in force.
            given = {}
            for request in requests:
                if request.state == RequestState.GRANTED:
                    for _, record in items[request.number]:
                        item = item_from(record)
                        is_member = item.kind is MEMBERS
                        key = ("members", *item.key) if is_member else ("grants", item.holder, item.gives, item.on)
                        given[key] = max(request.ends, given.get(key, ""), key=lambda it: end_moment(it) if it else 0)
            for key, until in self.records(decided(stored)).items():
                if key in self.base and (until is None or until == self.base[key]):
                    continue
                assert key in given, (key, "came by no request that runs")
                if until is not None:
                    assert end_moment(until) <= end_moment(given[key]), (key, until, given[key])
            there = self.records(decided(stored))
            for key, until in given.items():
                assert key in there or key in self.lost or end_moment(until) <= now, (key, "was taken too early")
            for request in requests:
                self.check(request, steps[request.number], now)
            if self.tended:
                over = [it.number for it in requests if it.state == RequestState.GRANTED and end_moment(it.ends) <= now]
                assert not over, (over, "outlived its end")

    def check(self, request, steps, now):
        concerned = {request.asked_by, request.whom}
        for step in steps:
            assert step.approver not in concerned, (request.number, "decided by who asks or gets it")
            if step.decision:
                assert step.values["decided_by"] == step.approver, step
        chain = [it for it in steps if it.number != LOOK_BACK]
        numbers = {it.number for it in chain}
        if request.state in (RequestState.GRANTED, RequestState.ENDED) and not request.is_emergency:
            for number in numbers:
                decisions = [it.decision for it in chain if it.number == number]
                assert "grant" in decisions, (request.number, number, "given without a decision")
                assert "deny" not in decisions
        if request.state == RequestState.OPEN:
            left = waiting(request, steps)
            assert left, (request.number, "nobody can move it")
            for step in left:
                assert step.approver in ABOVE
            assert request.lapses
        if request.is_emergency:
            assert steps, "nobody looks back on it"
            assert [it for it in steps if it.decision or it.number == LOOK_BACK]
        if request.state not in (RequestState.OPEN, RequestState.GRANTED):
            assert request.closed_at, request.number

    @precondition(lambda self: SEARCH)
    @invariant()
    def the_ledger_is_as_signed(self):
        inside("ledger", "verify", cwd=self.here, now=time_text(self.now))


@stores.ABOUT_ANSWERS
class RandomPeople(unittest.TestCase):
    def test_what_has_to_hold_holds(self):
        from hypothesis.stateful import run_state_machine_as_test

        run_state_machine_as_test(
            Office,
            settings=settings(
                max_examples=12 * SEARCH if SEARCH else 4,
                stateful_step_count=50 if SEARCH else 32,
                derandomize=not SEARCH,
                deadline=None,
                suppress_health_check=list(HealthCheck),
            ),
        )
