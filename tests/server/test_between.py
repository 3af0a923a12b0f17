"""Whatever happens in between, what reaches the application is what the confirmed plan said, at most once, or nothing.

The application is the fake: colleagues, lost and late answers, kills, newer sheets, decisions and second people are
drawn at random, and its list of effects is held against the plan.
"""

from __future__ import annotations

import os
from collections import Counter
from contextlib import ExitStack, suppress
from dataclasses import replace
from decimal import Decimal
from typing import Any
from unittest.mock import patch

from hypothesis import example, given
from hypothesis import strategies as st

from tests import whole_rounds
from tests.core.examples import CATALOGUE, read_here
from tests.server.killing import Killed
from tests.server.services import ServiceCase
from tests.support import Vexo, template

template()

from vexo.applications.fake import SERVED, FakeClient, Store  # noqa: E402
from vexo.core.planning.frame import FieldColumns  # noqa: E402
from vexo.core.planning.verdicts import CellAction  # noqa: E402
from vexo.core.records import Promises  # noqa: E402
from vexo.server import artifacts  # noqa: E402
from vexo.server.decisions.decisions import undo  # noqa: E402
from vexo.server.errors import PlainError, Stale  # noqa: E402
from vexo.server.jobs.models import Job  # noqa: E402
from vexo.server.jobs.worker import do, run_inline  # noqa: E402
from vexo.server.passes.recording import Recorder  # noqa: E402
from vexo.server.passes.starting import start_pass  # noqa: E402
from vexo.server.planning.context import newest_plan  # noqa: E402
from vexo.server.trips.part_view import PartView  # noqa: E402

CODES = ("A", "B", "C", "N")
RATES = ("5", "6", "7", "8")
sheets = st.lists(
    st.tuples(st.sampled_from(CODES), st.sampled_from(RATES)), min_size=1, max_size=4, unique_by=lambda r: r[0]
)
colleague = st.tuples(st.just("colleague"), st.sampled_from(CODES[:3]), st.sampled_from(RATES))
before = st.one_of(
    colleague,
    st.tuples(st.just("sheet"), sheets),
    st.tuples(st.just("aside"), st.integers(0, 3)),
    st.tuples(st.just("operation"), st.sampled_from(["update", "upsert"])),
    st.tuples(st.just("plan")),
)
rounds = st.lists(
    st.one_of(
        before,
        st.tuples(st.just("undo")),
        st.tuples(st.just("gone"), st.sampled_from(CODES)),
        st.tuples(st.just("apply")),
        st.tuples(st.just("apply")),
    ),
    min_size=2,
    max_size=7,
)
during = st.one_of(
    colleague,
    st.tuples(st.just("lose")),
    st.tuples(st.just("drop")),
    st.tuples(st.just("kill"), st.sampled_from(["prepare", "sent", "answered"])),
    st.tuples(st.just("second person")),
)


class Between(ServiceCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.vexo = Vexo(connect=False)
        from vexo.server.people.models import Person, Role

        cls.enterClassContext(patch("vexo.server.uploads.upload_cells.read_sheet", read_here))
        cls.person = Person.objects.create(username="ada", name="Ada Quillfeather", role=Role.ADMINISTRATOR)

    def setUp(self) -> None:
        self.vexo.use()

    def connect(self, versions: bool, repeatable: bool) -> None:
        from vexo.server.applications.models import Application
        from vexo.server.applications.services import Connection, connect

        self.address = f"memory:{os.urandom(6).hex()}"
        promises = Promises(atomic_batch=10, batch=2, repeatable=repeatable)
        types = tuple(replace(record_type, versioned=versions) for record_type in CATALOGUE.types)
        version = f"{versions} {repeatable}"
        self.store = Store(replace(CATALOGUE, types=types, promises=promises, version=version))
        SERVED[self.address] = self.store
        for code in CODES[:3]:
            self.store.put("Berth", {"code": code, "rate": Decimal("5.00"), "name": code})
        wanted = Connection("fake", self.address, "practice", label="Fake", protocol="fake", longest_request=0)
        self.practice = connect(self.person, wanted, change=Application.objects.filter(name="fake").exists())

    def theirs(self, code: str, rate: str) -> None:
        own = self.store.records["Berth"]
        identifier = next((i for i, record in own.items() if record["code"] == code), None)
        if identifier is not None:
            self.store.put("Berth", {"rate": Decimal(rate)}, identifier)

    def content(self, rows: Any) -> str:
        return "\n".join(["code,rate,name", *[f"{code},{rate},{code}" for code, rate in rows]])

    def step(self, trip: Any, event: Any) -> bool:
        """Something that happens before applying; whether it changes what a plan is made of."""
        kind, *more = event
        if kind == "colleague":
            self.theirs(*more)
        elif kind == "sheet":
            job = self.back(self.text(self.content(more[0])), record_type="Berth", trip=str(trip.pk))
            # The very same sheet again is not a newer one.
            return not (job.result or {}).get("unchanged")
        elif kind == "aside":
            if more[0] < len(self.table(trip)):
                self.decide(trip, "aside", [more[0]])
                return True
        elif kind == "operation":
            from vexo.server.mapping.columns import Changes, change

            run_inline(change(PartView.of(trip), self.person, Changes(operation=more[0]), run_here=True))
            return True
        elif kind == "undo":
            last = trip.decisions.filter(undone_at=None).last()
            if last is not None:
                run_inline(undo(PartView.of(trip), self.person, last.pk, run_here=True))
        elif kind == "gone":
            own = self.store.records["Berth"]
            for identifier in [i for i, record in own.items() if record["code"] == more[0]]:
                del own[identifier]
        else:
            self.plan(trip)
        return False

    def planned(self, plan: Any) -> Counter[Any]:
        """What a plan says that is to be written."""
        told: Counter[Any] = Counter()
        for line in artifacts.read(plan.path).iter_rows(named=True):
            if line["verdict"] in ("create", "update"):
                values = {
                    n: line[FieldColumns(n).proposed]
                    for n in plan.carried
                    if line[FieldColumns(n).action] == CellAction.WRITE
                }
                told[line["verdict"], line["@id"], tuple(sorted(values.items()))] += 1
        return told

    def reached(self, since: int) -> Counter[Any]:
        """What reached the application."""
        told: Counter[Any] = Counter()
        for one in self.store.effects[since:]:
            told[str(one.what), one.identifier if one.before else None, tuple(sorted(one.values.items()))] += 1
        return told

    def overwritten(self, plan: Any, since: int) -> list[Any]:
        """Effects on records that no longer held what the plan showed as old."""
        shown = {line["@id"]: line for line in artifacts.read(plan.path).iter_rows(named=True) if line["@id"]}
        return [
            one
            for one in self.store.effects[since:]
            if one.before
            and any(one.before[name] != shown[one.identifier][FieldColumns(name).current] for name in one.values)
        ]

    def send(self, trip: Any, job: Any, events: list[Any]) -> None:
        """The pass, with things that happen while it is sent; taken over until it has ended or waits for a person."""
        waiting = list(events)
        for _ in range(len(events) + 2):
            self.fencing_token(trip, job, waiting)
            job.refresh_from_db()
            if job.state != Job.RUNNING:
                return
            Job.objects.filter(pk=job.pk).update(lease_until=1.0)
            from vexo.server.jobs.leases import claim

            taken = claim("another:1:1", only=job.pk)
            assert taken is not None
            job = taken

    def fencing_token(self, trip: Any, job: Any, waiting: list[Any]) -> None:
        """One event before each question to the application; a kill waits for its step."""
        originals = {name: getattr(Recorder, name) for name in ("prepare", "sent", "answered")}

        def happens() -> None:
            if not waiting or waiting[0][0] == "kill":
                return
            kind, *more = waiting.pop(0)
            if kind == "colleague":
                self.theirs(*more)
            elif kind == "lose":
                self.store.lose += 1
            elif kind == "drop":
                self.store.drop += 1
            else:
                with suppress(PlainError):
                    start_pass(PartView.of(trip), self.person, self.newest(trip).number)

        def after(original: Any) -> Any:
            def asking(own: Any, *arguments: Any, **options: Any) -> Any:
                happens()
                return original(own, *arguments, **options)

            return asking

        asked = [patch.object(FakeClient, name, after(getattr(FakeClient, name))) for name in ("write", "read_by_keys")]

        def dying(name: str) -> Any:
            def step(*arguments: Any, **options: Any) -> Any:
                dies = bool(waiting) and waiting[0] == ("kill", name if name != "prepare" else "prepare")
                if dies:
                    waiting.pop(0)
                    if name != "answered":
                        originals[name](*arguments, **options)
                    raise Killed
                return originals[name](*arguments, **options)

            return step

        patches = [patch.object(Recorder, name, dying(name)) for name in originals]
        with ExitStack() as stack:
            for one in [*asked, *patches]:
                stack.enter_context(one)
            with suppress(Killed):
                do(job)

    @whole_rounds
    @given(
        sheets,
        st.booleans(),
        st.booleans(),
        st.lists(before, max_size=3),
        st.lists(during, max_size=3),
        st.sampled_from(["update", "upsert"]),
    )
    @example([("A", "7")], False, False, [("colleague", "A", "8")], [], "update")
    @example([("A", "7")], True, False, [], [("lose",), ("colleague", "A", "5")], "update")
    @example([("N", "7")], True, True, [], [("lose",), ("kill", "answered")], "upsert")
    @example([("A", "6")], False, False, [("sheet", [("A", "6")])], [], "update")
    def test_what_reaches_the_application_is_what_was_confirmed_at_most_once(
        self, rows: Any, versions: bool, repeatable: bool, earlier: list[Any], later: list[Any], operation: str
    ) -> None:
        self.connect(versions, repeatable)
        trip = self.bring(self.content(rows), record_type="Berth", operation=operation, key=["code"])
        seen = self.newest(trip)
        steps = [self.step(trip, event) for event in earlier]
        voided = any(steps)
        trip.refresh_from_db()
        since = len(self.store.effects)
        try:
            one, job = start_pass(PartView.of(trip), self.person, seen.number, run_here=True)
        except Stale:
            self.assertTrue(voided)
            self.assertEqual(self.reached(since), Counter())
            return
        except PlainError as error:
            self.assertEqual(error.code, "nothing")
            self.assertEqual(self.planned(seen), Counter())
            return
        self.assertFalse(voided)
        self.send(trip, job, later)
        one.refresh_from_db()
        reached, confirmed = self.reached(since), self.planned(seen)
        busy = any(event[0] == "colleague" for event in later)
        if versions or repeatable or not busy:
            self.assertLessEqual(reached, confirmed, (one.totals, one.reason))
        if versions or not busy:
            self.assertEqual(self.overwritten(seen, since), [], "a colleague's change since the plan was overwritten")
        if one.state == "interrupted":
            return
        self.assertEqual(one.state, "ended")
        done = one.totals["created"] + one.totals["updated"]
        self.assertLessEqual(done, sum(reached.values()))
        self.assertLessEqual(sum(reached.values()), done + one.totals["unclear"])
        self.assertEqual(sum(one.sums.values()), len(artifacts.read(seen.path)))
        self.assertEqual(trip.passes.count(), 1)
        self.plan(trip)
        again = dict(zip(self.table(trip)["row_id"].to_list(), self.verdicts(trip), strict=True))
        page = artifacts.read(one.page)
        for row_id, state in zip(page["row_id"].to_list(), page["state"].to_list(), strict=True):
            if state in ("created", "updated"):
                self.assertEqual(again[row_id], "same")
            if state == "unclear":
                self.assertEqual(again[row_id], "held")

    @whole_rounds
    @given(sheets, rounds, st.sampled_from(["update", "upsert"]))
    @example([("N", "5"), ("A", "6")], [("aside", 1), ("apply",), ("undo",), ("apply",)], "upsert")
    @example([("N", "5")], [("apply",), ("gone", "N"), ("plan",), ("apply",)], "upsert")
    def test_pass_after_pass_no_row_makes_two_records_and_nothing_is_overwritten(
        self, rows: Any, events: list[Any], operation: str
    ) -> None:
        self.connect(versions=True, repeatable=False)
        trip = self.bring(self.content(rows), record_type="Berth", operation=operation, key=["code"])
        for event in events:
            trip.refresh_from_db()
            if event[0] == "apply":
                self.round(trip)
            else:
                self.step(trip, event)
        created = [r for page in trip.ledger.all() for r in self.done(page.path, "created")]
        self.assertEqual(len(created), len(set(created)), "a row made two records")

    def done(self, path: str, *states: str) -> list[int]:
        """Rows of a page of the ledger that came to these states."""
        page = artifacts.read(path)
        return list(page.filter(page["state"].is_in(states))["row_id"].to_list())

    def round(self, trip: Any) -> None:
        """The newest plan, made anew if it no longer counts, is sent; what was done is then the same."""
        seen = newest_plan(PartView.of(trip))
        if seen is None or seen.revision != trip.revision:
            seen = self.plan(trip)
        since = len(self.store.effects)
        try:
            one, job = start_pass(PartView.of(trip), self.person, seen.number, run_here=True)
        except PlainError as error:
            self.assertEqual((error.code, self.planned(seen)), ("nothing", Counter()))
            return
        run_inline(job)
        one.refresh_from_db()
        self.assertLessEqual(self.reached(since), self.planned(seen), (one.totals, one.reason))
        self.assertEqual(self.overwritten(seen, since), [])
        self.assertEqual((one.state, sum(one.sums.values())), ("ended", len(artifacts.read(seen.path))))
        self.plan(trip)
        again = dict(zip(self.table(trip)["row_id"].to_list(), self.verdicts(trip), strict=True))
        for row_id in self.done(one.page, "created", "updated"):
            self.assertEqual(again[row_id], "same")
