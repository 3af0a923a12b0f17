"""What the server keeps: jobs under a lease, secrets, the journal, uploads, windows of rows."""

from __future__ import annotations

import json
import logging
import sqlite3
import sys
import threading
import time
import unittest
from typing import Any

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from tests.support import new_folder, template, use_folder

template()
FOLDER = new_folder()

from django.db import connection  # noqa: E402

from vexo.core.faults import CODES, OUTCOME_CODES  # noqa: E402
from vexo.core.records import IDENTIFIER  # noqa: E402
from vexo.server import artifacts  # noqa: E402
from vexo.server.applications.models import Application  # noqa: E402
from vexo.server.applications.secrets import SecretError, lock, unlock  # noqa: E402
from vexo.server.applications.services import UnknownApplication, find_application  # noqa: E402
from vexo.server.artifacts import read_rows  # noqa: E402
from vexo.server.data_folder import absolute, make_data_folder, secret_key  # noqa: E402
from vexo.server.errors import PlainError  # noqa: E402
from vexo.server.faults import known, words  # noqa: E402
from vexo.server.jobs.leases import Lease, LeaseLost, claim, end_leases_of_process  # noqa: E402
from vexo.server.jobs.models import Job  # noqa: E402
from vexo.server.jobs.worker import enqueue, run_inline  # noqa: E402
from vexo.server.journal.models import Entry  # noqa: E402
from vexo.server.journal.services import note  # noqa: E402
from vexo.server.logs import Lines  # noqa: E402
from vexo.server.people.models import Person, Role  # noqa: E402
from vexo.server.sendout.sheet_writer import file_name  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402
from vexo.server.trips.part_view import PartView  # noqa: E402
from vexo.server.trips.row_windows import sheet_window  # noqa: E402
from vexo.server.trips.sheets import keep_copy, kept_records, part_of, stamp_fits, stamp_of  # noqa: E402
from vexo.server.uploads import receive  # noqa: E402


def setUpModule() -> None:
    use_folder(FOLDER)


def application() -> Application:
    found, _ = Application.objects.get_or_create(
        name="test", defaults={"label": "Test", "stage": "practice", "address": "http://127.0.0.1:9/"}
    )
    return found


def new_trip(title: str = "Berths of May & June") -> Trip:
    return Trip.objects.create(title=title, application=application(), record_type="Berth", created_by="ada")


class Leases(unittest.TestCase):
    def setUp(self) -> None:
        Job.objects.all().delete()

    def job(self, **values: Any) -> Job:
        return Job.objects.create(kind="plan", by="ada", **values)

    def test_a_job_is_claimed_once(self) -> None:
        made = self.job()
        first = claim("one:1")
        self.assertEqual((first and first.pk, claim("two:2")), (made.pk, None))
        self.assertEqual(Job.objects.get().fencing_token, 1)

    def test_the_oldest_of_its_queues_comes_first(self) -> None:
        heavy, quick = self.job(queue="passes"), self.job(queue="planning")
        self.assertEqual(claim("one:1", ("planning",)), quick)
        self.assertEqual(claim("one:1"), heavy)

    def test_a_lapsed_lease_is_taken_over_and_the_old_holder_writes_nothing(self) -> None:
        made = self.job()
        first = claim("one:1")
        assert first is not None
        lease = Lease(first)
        Job.objects.update(lease_until=time.time() - 1)
        second = claim("two:2")
        self.assertEqual(second and second.fencing_token, 2)
        with self.assertRaises(LeaseLost), lease.writing():
            Trip.objects.create(title="lost", application=application(), record_type="Berth", created_by="x")
        self.assertFalse(Trip.objects.filter(title="lost").exists())
        self.assertEqual(Job.objects.get(pk=made.pk).owner, "two:2")

    def test_a_dead_workers_jobs_are_free_at_once(self) -> None:
        self.job()
        claim("host:77:1")
        self.assertIsNone(claim("other:1"))
        end_leases_of_process("host:77")
        self.assertIsNotNone(claim("other:1"))

    def test_a_held_lease_is_renewed(self) -> None:
        self.job()
        held = claim("one:1")
        assert held is not None
        Job.objects.update(lease_until=1.0)
        with Lease(held).writing():
            pass
        self.assertGreater(Job.objects.get().lease_until, time.time())

    def test_what_a_person_can_mend_ends_as_a_sentence(self) -> None:
        ended = run_inline(enqueue("plan", "ada", PartView.of(new_trip())))
        self.assertEqual(ended.state, Job.FAILED)
        self.assertIn("No sheet has come in", ended.error)

    def test_a_fault_of_the_program_is_said_as_one(self) -> None:
        ended = run_inline(self.job(trip=None))
        self.assertEqual(ended.state, Job.FAILED)
        self.assertIn("mistake of its own", ended.error)


class Secrets(unittest.TestCase):
    @given(st.text(min_size=1))
    def test_a_secret_opens_again_and_does_not_show(self, secret: str) -> None:
        stored = lock(secret)
        self.assertEqual(unlock(stored), secret)
        if len(secret) > 3:
            self.assertNotIn(secret, stored)

    def test_another_key_does_not_open_it(self) -> None:
        with self.assertRaises(SecretError):
            unlock(lock("x")[:-4] + "AAAA")
        self.assertEqual((lock(""), unlock("")), ("", ""))

    def test_a_signal_that_comes_while_another_is_taken_down_does_not_wait_for_it(self) -> None:
        from vexo.server.jobs.leases import ENDING

        self.addCleanup(ENDING.clear)
        again = 0

        def at_each_line(frame: Any, event: str, _: Any) -> Any:
            nonlocal again
            if event == "line" and frame.f_code.co_name == "set":
                again += 1
                ENDING.set()
            return at_each_line

        def told_to_end() -> None:
            sys.settrace(at_each_line)
            ENDING.set()

        thread = threading.Thread(target=told_to_end, daemon=True)
        thread.start()
        thread.join(10)
        self.assertFalse(thread.is_alive())
        self.assertGreater(again, 0)
        self.assertTrue(ENDING.is_set())

    def test_the_key_is_made_once_and_private(self) -> None:
        before = secret_key()
        make_data_folder()
        self.assertEqual(secret_key(), before)
        self.assertEqual((FOLDER / "key").stat().st_mode & 0o777, 0o600)

    def test_a_fault_in_the_log_shows_where_but_no_values(self) -> None:
        def fail(token: str) -> None:
            raise ZeroDivisionError(str(len(token)))

        with self.assertLogs(level="ERROR") as logged:
            try:
                fail("-".join(["very", "secret", "token"]))
            except ZeroDivisionError:
                logging.getLogger("vexo.jobs").exception("job failed", extra={"job": 1})
        line = json.loads(Lines().format(logged.records[0]))
        self.assertNotIn("very-secret-token", str(line))
        told = {name: line[name] for name in ("event", "level", "logger", "job", "mistake")}
        self.assertEqual(
            told,
            {"event": "job failed", "level": "error", "logger": "vexo.jobs", "job": 1, "mistake": "ZeroDivisionError"},
        )
        self.assertIn("test_keeping.py", line["places"][0])
        self.assertEqual(set(line) - set(told), {"places", "timestamp"})

    def test_what_others_attach_to_a_line_is_not_in_the_log(self) -> None:
        with self.assertLogs(level="WARNING") as logged:
            attached = {"request": "GET /x", "sql": "secret", "status_code": 500, "params": ("secret",)}
            logging.getLogger("django.some").warning("slow", extra=attached)
        line = json.loads(Lines().format(logged.records[0]))
        self.assertEqual((line.pop("timestamp") is not None, line.pop("status_code")), (True, 500))
        self.assertEqual(line, {"event": "slow", "level": "warning", "logger": "django.some"})

    def test_an_unknown_application_names_those_there_are(self) -> None:
        application()
        with self.assertRaises(UnknownApplication) as caught:
            find_application("tset")
        self.assertIn("test", str(caught.exception))


class Journal(unittest.TestCase):
    def test_entries_are_only_added(self) -> None:
        entry = note("ada", "applied", "Pass of trip 1: 3 updated", application(), 1, 3)
        self.assertEqual((entry.stage, entry.application), ("practice", "test"))
        for change in (lambda: Entry.objects.update(who="nobody"), lambda: Entry.objects.all().delete()):
            with self.assertRaises(Exception) as caught:
                change()
            self.assertIn("only ever added to", str(caught.exception))
        self.assertTrue(Entry.objects.filter(pk=entry.pk, who="ada").exists())

    def test_the_database_is_set_up_to_last(self) -> None:
        with connection.cursor() as cursor:
            settings_ = [
                cursor.execute(f"PRAGMA {name}").fetchone()[0]
                for name in ("journal_mode", "synchronous", "foreign_keys")
            ]
        self.assertEqual(settings_, ["wal", 2, 1])
        self.assertGreater(sqlite3.sqlite_version_info, (3, 31))


class People(unittest.TestCase):
    def test_each_role_includes_those_before_it(self) -> None:
        roles = [Role.VIEWER, Role.PREPARER, Role.OPERATOR, Role.ADMINISTRATOR]
        for at, role in enumerate(roles):
            self.assertEqual([Person(role=role).may(other) for other in roles], [n <= at for n in range(4)])
        self.assertEqual(str(Person(username="ada", name="Ada Quillfeather")), "Ada Quillfeather")


class KeptCopies(unittest.TestCase):
    def test_the_newest_copy_counts_and_older_ones_stay(self) -> None:
        trip = new_trip()
        self.assertIsNone(kept_records(trip))
        part = part_of(trip)
        first = keep_copy(trip, part, pl.DataFrame({IDENTIFIER: ["1"]}))
        keep_copy(trip, part, pl.DataFrame({IDENTIFIER: ["1", "2"]}))
        newest = kept_records(trip)
        self.assertEqual(0 if newest is None else len(newest), 2)
        self.assertTrue(artifacts.there(first.path))

    def test_each_part_has_a_copy_of_its_own(self) -> None:
        trip = new_trip()
        for number in (1, 2):
            keep_copy(trip, part_of(trip, number), pl.DataFrame({IDENTIFIER: [f"{number}"]}))
        both, second = kept_records(trip), kept_records(trip, part_of(trip, 2))
        assert both is not None and second is not None
        self.assertEqual((sorted(both[IDENTIFIER]), second[IDENTIFIER].to_list()), (["1", "2"], ["2"]))
        self.assertEqual(stamp_of(trip, [], 2).part, 2)

    def test_a_stamp_fits_its_own_trip_only(self) -> None:
        one, other = new_trip(), new_trip()
        self.assertTrue(stamp_fits(one, stamp_of(one, [])))
        self.assertFalse(stamp_fits(other, stamp_of(one, [])))
        self.assertEqual(file_name(one, "csv"), f"berths-of-may-june-{one.pk}.csv")

    def test_a_stages_name_changes_with_what_it_is_made_of(self) -> None:
        self.assertEqual(artifacts.named(1, "plan", "a", 2), artifacts.named(1, "plan", "a", 2))
        self.assertNotEqual(artifacts.named(1, "plan", "a", 2), artifacts.named(1, "plan", "a", 3))


class Uploads(unittest.TestCase):
    @given(st.binary(min_size=1, max_size=200), st.integers(1, 64))
    def test_parts_make_the_file_whatever_their_size(self, content: bytes, size: int) -> None:
        number = receive.begin("../../etc/berths Mai.csv", len(content), "ada").pk
        for offset in range(0, len(content), size):
            receive.add(number, "ada", offset, content[offset : offset + size])
        receive.add(number, "ada", 0, content[:size])
        upload = receive.finish(number, "ada")
        self.assertEqual(absolute(upload.path).read_bytes(), content)
        self.assertEqual((upload.name, absolute(upload.path).name), ("berths Mai.csv", str(number)))
        self.assertEqual(receive.finish(number, "ada").path, upload.path)

    def test_what_cannot_be_taken_is_a_sentence(self) -> None:
        with self.assertRaises(PlainError):
            receive.begin("x.csv", 0, "ada")
        with self.assertRaises(PlainError):
            receive.begin("x.csv", 10**13, "ada")
        with self.assertRaises(PlainError):
            receive.add(999_999, "ada", 0, b"x")


class Words(unittest.TestCase):
    def test_every_fault_and_every_reason_has_words(self) -> None:
        for code in (*CODES, *OUTCOME_CODES):
            self.assertTrue(known(code), code)
            self.assertNotEqual(words(code, "Daily rate", []), code)


class Windows(unittest.TestCase):
    table = pl.DataFrame({"row": pl.int_range(2, 40_002, dtype=pl.UInt32, eager=True)}).with_columns(
        pl.col("row").cast(pl.String).alias("c0"), pl.col("row").alias("row_id")
    )

    @classmethod
    def setUpClass(cls) -> None:
        cls.path = "stages/windows.parquet"
        cls.table.write_parquet(absolute(cls.path), row_group_size=16_384)

    @given(st.integers(0, 41_000), st.integers(0, 700))
    def test_a_window_is_a_slice(self, offset: int, limit: int) -> None:
        window = sheet_window(self.path, ["c0"], len(self.table), (offset, limit))
        wanted = self.table.slice(offset, min(limit, 500))
        self.assertEqual([line.row for line in window.rows], wanted["row"].to_list())
        self.assertEqual([line.cells[0].text for line in window.rows], wanted["c0"].to_list())

    @given(st.lists(st.integers(0, 39_999), unique=True, max_size=60))
    def test_scattered_rows_are_those_asked_for(self, places: list[int]) -> None:
        wanted = pl.Series(sorted(places), dtype=pl.UInt32)
        self.assertEqual(read_rows(self.path, wanted)["row"].to_list(), [place + 2 for place in sorted(places)])
