"""Lost and late answers, odd statuses, stopping: what is in doubt is settled, and nothing is done twice."""

from __future__ import annotations

from collections import Counter
from typing import Any
from unittest.mock import patch

from tests.server.holders import ROWS, HolderCase
from tests.server.killing import Killed, die, take_over
from tests.server.services import view_of
from tests.support import register, template

template()

from vexo.server.errors import PlainError  # noqa: E402
from vexo.server.jobs.models import Job  # noqa: E402
from vexo.server.jobs.worker import do, run_inline  # noqa: E402
from vexo.server.mapping.columns import Changes, change  # noqa: E402
from vexo.server.rows.edit_requests import EditRequest, make_edit  # noqa: E402


class Settling(HolderCase):
    def test_an_unclear_row_is_settled_by_a_person(self) -> None:
        self.promise(versions=True, repeatable=False, keys=False)
        trip, beginning = self.begin("upsert", keyless=True)
        register().trouble("dropping")
        self.apply(trip)
        self.plan(trip)
        there = self.holders(beginning)
        self.decide(trip, "record", [0], argument=str(there[0]["id"]))
        self.decide(trip, "aside", [1])
        self.decide(trip, "new", [2])
        self.assertEqual(self.verdicts(trip), ["same", "aside", "create"])
        self.assertEqual(self.apply(trip).totals["refused"], 1)
        self.assertEqual(len(self.holders(beginning)), ROWS)

    def test_a_gateway_that_fails_after_saving_is_not_sent_to_again(self) -> None:
        for status in (502, 504, 500, 408):
            for repeatable in (True, False):
                with self.subTest(status, repeatable=repeatable):
                    self.promise(versions=True, repeatable=repeatable)
                    trip, beginning = self.begin("upsert")
                    register().trouble("status", status=status, after=True)
                    self.apply(trip)
                    self.judge(trip, beginning, "upsert")

    def test_an_answer_that_is_late_is_waited_for_before_anything_is_sent_again(self) -> None:
        from vexo.server.applications.models import Application

        Application.objects.filter(pk=self.practice.pk).update(longest_request=1.5)
        self.addCleanup(Application.objects.filter(pk=self.practice.pk).update, longest_request=0.2)
        for operation in ("upsert", "update", "delete"):
            with self.subTest(operation):
                self.promise(versions=operation != "update", repeatable=False)
                trip, beginning = self.begin(operation, anew=True)
                register().trouble("late", seconds=0.6)
                self.apply(trip)
                self.judge(trip, beginning, operation)

    def test_statuses_of_a_batch_that_was_not_taken_interrupt_or_wait_and_leave_no_doubt(self) -> None:
        for status, state in ((401, "interrupted"), (403, "interrupted"), (404, "interrupted"), (429, "ended")):
            with self.subTest(status):
                self.promise(versions=True, repeatable=False)
                trip, beginning = self.begin("upsert")
                register().trouble("status", status=status)
                one = self.apply(trip)
                self.assertEqual((one.state, one.totals["unclear"]), (state, 0))
                if state == "interrupted":
                    self.assertEqual((self.effects(), one.sums["waiting"]), (Counter(), ROWS))
                    self.assertTrue(one.reason)
                    self.go_on(trip)
                self.judge(trip, beginning, "upsert")

    def test_a_batch_sent_three_times_without_an_answer_interrupts_however_it_was_settled(self) -> None:
        """Each time it is settled by reading that nothing of it is in."""
        for operation in ("upsert", "update", "delete"):
            with self.subTest(operation):
                self.promise(versions=True, repeatable=False)
                trip, beginning = self.begin(operation)
                register().trouble("status", times=50, status=503)
                one = self.apply(trip)
                register().trouble("none")
                self.assertEqual((one.state, self.effects()), ("interrupted", Counter()))
                self.assertIn("no answer", one.reason)
                self.go_on(trip)
                self.judge(trip, beginning, operation)

    def test_what_rows_are_for_stays_while_a_pass_has_not_ended(self) -> None:
        self.promise(versions=True, repeatable=False)
        trip, beginning = self.begin("update")
        register().trouble("status", status=401)
        self.assertEqual(self.apply(trip).state, "interrupted")
        trip.refresh_from_db()
        for changes in (
            Changes(operation="delete"),
            Changes(key=["id"]),
            Changes(columns={"last_name": ""}),
            Changes(reach="all"),
        ):
            with self.assertRaisesRegex(PlainError, "was interrupted"):
                change(view_of(trip), self.person, changes, run_here=True)
        told = self.vexo.run("--as", "ada", "columns", str(trip.pk), "--operation", "delete")
        self.assertEqual(told.returncode, 2)
        trip.refresh_from_db()
        self.assertEqual((trip.operation, trip.reach, trip.columns), ("update", "", {}))
        self.go_on(trip)
        self.judge(trip, beginning, "update")

    def test_what_was_edited_while_it_was_interrupted_is_planned_with_what_is_in(self) -> None:
        self.promise(versions=True, repeatable=False)
        trip, beginning = self.begin("upsert")
        register().trouble("status", status=401)
        self.assertEqual(self.apply(trip).state, "interrupted")
        row = self.table(trip)["row_id"].to_list()[0]
        asked = {"kind": "cell", "column": "c1", "row_id": row, "text": "Better"}
        self.assertEqual(
            run_inline(make_edit(view_of(trip), self.person, EditRequest.of(asked), run_here=True)[1]).error, ""
        )
        self.assertEqual(self.verdicts(trip), ["create"] * ROWS)
        self.go_on(trip)
        self.assertEqual(self.last_pass(trip).totals["created"], ROWS, "what was confirmed, and nothing else")
        self.assertEqual(self.verdicts(trip), ["update", "same", "same"], "and the newest plan knows that they are in")
        trip.refresh_from_db()
        self.assertEqual(self.newest(trip).revision, trip.revision)
        self.assertEqual(self.apply(trip).totals["updated"], 1)
        self.assertEqual([one["last_name"] for one in self.holders(beginning)].count("Better"), 1)

    def test_an_odd_status_interrupts_with_the_reason_and_can_be_given_up(self) -> None:
        self.promise(versions=True, repeatable=False)
        trip, beginning = self.begin("upsert")
        register().trouble("status", status=400)
        self.assertEqual(self.apply(trip).state, "interrupted")
        one = self.go_on(trip, give_up=True)
        self.assertEqual((one.state, one.sums["waiting"], self.holders(beginning)), ("given up", ROWS, []))
        self.plan(trip)
        self.apply(trip)
        self.judge(trip, beginning, "upsert")

    def test_a_batch_that_is_too_large_is_halved_and_a_single_row_refused(self) -> None:
        self.promise(versions=True, repeatable=False, most=1)
        trip, beginning = self.begin("upsert")
        self.apply(trip)
        self.judge(trip, beginning, "upsert")
        self.promise(versions=True, repeatable=False, most=0)
        trip, beginning = self.begin("upsert")
        one = self.apply(trip)
        self.assertEqual((one.totals["refused"], one.reasons[0]["code"]), (ROWS, "batch-too-large"))

    def test_one_write_without_an_answer_is_settled_and_the_others_stand(self) -> None:
        for status in (503, 500, 429, 408):
            with self.subTest(status):
                self.promise(versions=True, repeatable=False, rows=status)
                trip, beginning = self.begin("upsert")
                job = self.start(trip)
                from vexo.server.jobs.worker import run_inline
                from vexo.server.passes.settling import Settler

                settle = Settler.settle

                def calmed(own: Any, *arguments: Any, settle: Any = settle) -> None:
                    register().behave(rows=0)
                    settle(own, *arguments)

                with patch.object(Settler, "settle", calmed):
                    run_inline(job)
                self.judge(trip, beginning, "upsert")

    def test_after_a_failure_writes_that_nobody_answered_go_again(self) -> None:
        self.promise(versions=True, repeatable=False, continues=False)
        trip, beginning = self.begin("upsert")
        with register().client() as client:
            client.post("Holders", json={"holder_no": f"{beginning}00", "last_name": "Theirs"}).raise_for_status()
        self.before = len(register().effects())
        one = self.apply(trip)
        self.assertEqual((one.totals["created"], one.totals["refused"], one.totals["unclear"]), (2, 1, 0))
        self.assertEqual(sum(self.effects().values()), 2)

    def test_a_number_that_is_no_longer_kept_is_settled_by_reading(self) -> None:
        self.promise(versions=True, repeatable=True)
        trip, beginning = self.begin("upsert")
        die("saved", self.start(trip))
        register().behave(repeatable="rejecting")
        take_over()
        self.judge(trip, beginning, "upsert")

    def test_a_promise_that_no_answer_has_shown_is_not_trusted(self) -> None:
        from vexo.server.applications.models import Application

        self.promise(versions=True, repeatable=True)
        Application.objects.filter(pk=self.practice.pk).update(repeats=False)
        trip, beginning = self.begin("upsert", anew=True)
        die("saved", self.start(trip))
        self.assertEqual(trip.passes.last().batches.get().rejected, False)
        take_over()
        self.judge(trip, beginning, "upsert")
        trip, beginning = self.begin("upsert", anew=True)
        self.apply(trip)
        self.assertTrue(Application.objects.get(pk=self.practice.pk).repeats)

    def test_stopping_settles_what_is_in_doubt_first(self) -> None:
        from vexo.server.jobs.models import Job

        self.promise(versions=True, repeatable=False)
        trip, _ = self.begin("upsert")
        job = self.start(trip)
        die("saved", job)
        Job.objects.filter(pk=job.pk).update(wanted="stop")
        self.assertEqual(take_over().state, "stopped")
        one = self.last_pass(trip)
        self.assertEqual((one.state, one.totals["created"]), ("stopped", ROWS))
        self.assertEqual(set(self.effects().values()), {1})

    def test_a_worker_that_is_to_end_hands_the_pass_back_between_two_batches(self) -> None:
        """Also where the application went first: that is for the next worker to wait for, and interrupts nothing."""
        from vexo.server.jobs.leases import ENDING
        from vexo.server.jobs.worker import do
        from vexo.server.passes.recording import Recorder

        self.addCleanup(ENDING.clear)
        sent, written = Recorder.sent, Recorder.answered
        for trouble in ({"kind": "dropping"}, {"kind": "status", "status": 401}, None):
            for operation in ("upsert", "delete"):
                with self.subTest(trouble, operation=operation):
                    self.promise(versions=True, repeatable=False, most=1)
                    trip, beginning = self.begin(operation)
                    job = self.start(trip)

                    def before(own: Any, *arguments: Any, trouble: Any = trouble) -> None:
                        sent(own, *arguments)
                        ENDING.set()
                        register().trouble(**trouble)

                    def after(own: Any, *arguments: Any) -> None:
                        written(own, *arguments)
                        ENDING.set()

                    step = patch.object(Recorder, *(("sent", before) if trouble else ("answered", after)))
                    with step, patch("vexo.applications.http.TRIES", 1):
                        do(job)
                    ENDING.clear()
                    job.refresh_from_db()
                    self.assertEqual((job.state, job.error, self.last_pass(trip).state), ("running", "", "running"))
                    self.assertLess(sum(self.effects().values()), ROWS)
                    take_over()
                    self.judge(trip, beginning, operation)

    def test_a_sender_that_is_not_dead_after_all_sends_nothing_more(self) -> None:
        """Its lease is taken over just before the body goes: nothing of it leaves."""
        from vexo.server.jobs.models import Job
        from vexo.server.jobs.worker import do
        from vexo.server.passes.recording import Recorder

        self.promise(versions=True, repeatable=False)
        trip, beginning = self.begin("upsert")
        job = self.start(trip)
        sent = Recorder.sent

        def thought_dead(own: Any, batch: Any) -> None:
            sent(own, batch)
            Job.objects.filter(pk=job.pk).update(fencing_token=job.fencing_token + 1)

        with patch.object(Recorder, "sent", thought_dead):
            do(job)
        self.assertEqual(self.effects(), Counter())
        Job.objects.filter(pk=job.pk).update(lease_until=1.0)
        take_over()
        self.judge(trip, beginning, "upsert")

    def test_a_mark_that_grew_old_before_the_body_is_made_anew(self) -> None:
        self.promise(versions=True, repeatable=False)
        trip, beginning = self.begin("upsert")
        with patch("vexo.server.passes.sending.OLDEST_MARK", -1.0), patch("vexo.server.passes.sending.PATIENCE", 0.2):
            self.assertEqual(self.apply(trip).state, "interrupted")
        self.assertEqual(self.effects(), Counter())
        self.go_on(trip)
        self.judge(trip, beginning, "upsert")

    def test_three_sendings_without_an_answer_interrupt_though_processes_died_in_between(self) -> None:
        from vexo.applications.base import NoAnswer
        from vexo.server.passes.sending import Sender

        self.promise(versions=True, repeatable=False)
        trip, beginning = self.begin("upsert")
        job = self.start(trip)
        transmit, sent = Sender.transmit, []

        def never(own: Any, batch: Any, *arguments: Any, **options: Any) -> Any:
            sent.append(batch.pk)
            raise NoAnswer("It went out, and nothing came.")

        def once(own: Any, batch: Any, *arguments: Any, **options: Any) -> Any:
            if sent:
                raise Killed
            return never(own, batch)

        for at, step in enumerate((once, once, never)):
            sent.clear()
            with patch.object(Sender, "transmit", step):
                try:
                    take_over() if at else do(job)
                except Killed:
                    Job.objects.filter(pk=job.pk).update(lease_until=1.0)
        self.assertEqual(self.last_pass(trip).state, "interrupted")
        self.assertEqual(len(sent), 1, "it was sent twice before")
        self.assertEqual(self.effects(), Counter())
        with patch.object(Sender, "transmit", transmit):
            self.go_on(trip)
        self.judge(trip, beginning, "upsert")

    def test_an_application_that_is_down_interrupts_and_the_pass_goes_on(self) -> None:
        from vexo.server.applications.models import Application

        self.promise(versions=True, repeatable=False)
        trip, beginning = self.begin("upsert")
        job = self.start(trip)
        address = self.practice.address
        Application.objects.filter(pk=self.practice.pk).update(address="http://127.0.0.1:9/")
        with patch("vexo.applications.http.TRIES", 1):
            from vexo.server.jobs.worker import run_inline

            self.assertIn("does not answer", run_inline(job).error)
        self.assertEqual(self.last_pass(trip).state, "interrupted")
        Application.objects.filter(pk=self.practice.pk).update(address=address)
        self.go_on(trip)
        self.judge(trip, beginning, "upsert")

    def test_where_a_clash_cannot_be_read_again_the_other_answers_stand(self) -> None:
        """Creates without a key would be unclear for good if their answers were forgotten."""
        from vexo.applications import ApplicationError
        from vexo.server.passes.record_reader import Reader

        self.promise(versions=True, repeatable=False)
        _, beginning = self.begin("update")
        self.promise(versions=True, repeatable=False, keys=False)
        theirs = self.holders(beginning)[0]["id"]
        content = f"id,holder_no,last_name\n,{beginning}90,New\n{theirs},{beginning}00,Ours\n"
        trip = self.bring(content, record_type="Holder", operation="upsert", key=["id"])
        register().change(f"Holders({theirs})", last_name="Theirs")
        with patch.object(Reader, "of_writes", side_effect=ApplicationError("It does not answer.")):
            one = self.apply(trip)
        self.assertEqual((one.state, one.totals["created"], one.totals["unclear"]), ("interrupted", 1, 0))
        one = self.go_on(trip)
        self.assertEqual((one.state, one.totals["created"], one.totals["refused"]), ("ended", 1, 1))
        self.assertEqual([h["last_name"] for h in self.holders(f"{beginning}90")], ["New"])

    def test_a_record_type_that_vanished_interrupts_with_the_reason(self) -> None:
        from vexo.core.records import UnknownName

        self.promise(versions=True, repeatable=False)
        trip, beginning = self.begin("upsert")
        with patch("vexo.server.passes.running.describe", side_effect=UnknownName("There are no holders any more.")):
            one = self.apply(trip)
        self.assertEqual((one.state, one.reason), ("interrupted", "There are no holders any more."))
        self.go_on(trip)
        self.judge(trip, beginning, "upsert")

    def test_a_pass_whose_own_files_are_lost_waits_for_a_person(self) -> None:
        from vexo.server.data_folder import absolute

        self.promise(versions=True, repeatable=False)
        trip, beginning = self.begin("upsert", anew=True)
        job = self.start(trip)
        kept = absolute(self.last_pass(trip).plan_file)
        aside = kept.with_suffix(".aside")
        kept.rename(aside)
        from vexo.server.jobs.worker import run_inline

        self.assertIn("missing", run_inline(job).error)
        one = self.last_pass(trip)
        self.assertEqual((one.state, trip.status["passes"][-1]["state"]), ("interrupted", "interrupted"))
        aside.rename(kept)
        self.go_on(trip)
        self.judge(trip, beginning, "upsert")

    def test_without_versions_a_record_changed_while_it_was_planned_is_not_deleted(self) -> None:
        """What was reviewed and what the delete is held against come from one reading."""
        from vexo.server.planning import plan_trip

        make = plan_trip.make_plan

        def meanwhile(*arguments: Any) -> Any:
            for holder in self.holders(self.beginning):
                register().change(f"Holders({holder['id']})", last_name="Theirs")
            return make(*arguments)

        self.promise(versions=False, repeatable=False)
        trip, self.beginning = self.begin("delete")
        with patch.object(plan_trip, "make_plan", meanwhile):
            self.plan(trip)
        one = self.apply(trip)
        self.assertEqual((one.totals["refused"], one.totals["deleted"]), (ROWS, 0))
        self.assertEqual(len(self.holders(self.beginning)), ROWS)
