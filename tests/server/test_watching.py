"""What whoever watches over the server sees: its health, and its logs."""

from __future__ import annotations

import json
import logging
import shutil
from types import SimpleNamespace
from typing import Any
from unittest.mock import patch

from tests.server.services import ServiceCase
from tests.support import BIN, kill, start, template, wait_until

template()

from django.db import DatabaseError, connection  # noqa: E402
from django.db.migrations.loader import MigrationLoader  # noqa: E402
from django.db.migrations.recorder import MigrationRecorder  # noqa: E402
from django.test import Client  # noqa: E402

from vexo.server import health, logs  # noqa: E402
from vexo.server.jobs import heartbeat  # noqa: E402
from vexo.server.trips.part_view import PartView  # noqa: E402


class Health(ServiceCase):
    def health(self) -> tuple[int, str, list[str]]:
        answer = Client().get("/api/health")
        told = answer.json()
        return answer.status_code, told["status"], [one["code"] for one in told["wrong"]]

    def test_a_worker_that_is_gone_is_said_until_one_is_back(self) -> None:
        self.assertEqual(self.health(), (200, "troubled", ["worker"]), "none at all is said once")
        worker = start(str(BIN / "vexo"), "--data", str(self.vexo.data), "worker", "--queue", "planning")
        wait_until(lambda: self.health()[2] == ["worker"] * 4, what="the worker")
        self.assertIn("nothing is sent", str(Client().get("/api/health").json()["wrong"]))
        kill(worker)
        with patch.object(heartbeat, "GONE", 0.0):
            self.assertEqual(self.health()[2], ["worker"], "killed, it is missed soon")
        with heartbeat.heartbeat(()):
            self.assertEqual(self.health(), (200, "up", []))
        self.assertEqual(self.health()[1], "troubled")

    def test_a_full_disk_an_older_database_and_none_at_all_are_said(self) -> None:
        with heartbeat.heartbeat(()):
            little = SimpleNamespace(free=100 * 1024**2)
            with patch.object(shutil, "disk_usage", lambda _: little):
                self.assertEqual(self.health(), (200, "troubled", ["disk"]))
            recorder = MigrationRecorder(connection)
            newest = MigrationLoader(connection).graph.leaf_nodes("jobs")[0]
            recorder.record_unapplied(*newest)
            self.assertEqual(self.health(), (503, "down", ["migrations"]))
            recorder.record_applied(*newest)
            self.assertEqual(self.health(), (200, "up", []))
            with patch.object(health, "without_worker", side_effect=DatabaseError("no such table")):
                self.assertEqual(self.health(), (503, "down", ["database"]))


class Queues(ServiceCase):
    def test_a_long_sheet_waits_where_no_short_one_has_to_wait_for_it(self) -> None:
        from vexo.server.ingest.bring_in import ImportRequest, start_bringing_in
        from vexo.server.jobs.leases import claim
        from vexo.server.jobs.queues import LARGE_FILE, LARGE_SHEET
        from vexo.server.trips.plan_jobs import enqueue_plan
        from vexo.server.uploads.receive import take_file
        from vexo.server.uploads.waiting import start_recognising

        trip = self.bring("harbour,berth_no,notes\nTERNISLAND,B-001,x\n")
        line = "TERNISLAND,B-001," + "x" * 900 + "\n"
        for times, queues in ((2, ["reading", "reading", "planning"]), (LARGE_FILE // 900 + 1, ["large"] * 3)):
            upload = take_file(self.text("harbour,berth_no,notes\n" + line * times), "ada")
            trip.sheets.update(rows=2 if times == 2 else LARGE_SHEET + 1)
            jobs = [
                start_recognising(upload, self.person),
                start_bringing_in(self.practice, "Berth", upload, self.person, ImportRequest()),
                enqueue_plan("ada", PartView.of(trip), fresh=True),
            ]
            self.assertEqual([job.queue for job in jobs], queues)
        taken = [claim("one", ("reading", "planning")) for _ in range(4)]
        self.assertEqual([job and job.queue for job in taken], ["reading", "reading", "planning", None])
        self.assertEqual([job and job.queue for job in (claim("other", ("large",)), claim("any"))], ["large"] * 2)


class Logs(ServiceCase):
    def lines(self) -> list[dict[str, Any]]:
        """What is in the log of this folder, written as the server does."""
        path = self.vexo.data / "logs" / "vexo.jsonl"
        return [json.loads(line) for line in path.read_text().splitlines()] if path.exists() else []

    def setUp(self) -> None:
        super().setUp()
        with patch.dict("os.environ", VEXO_LOGS="file"):
            wanted = logs.logging_settings(self.vexo.data / "logs")
        handler = logging.config.dictConfig(wanted)
        self.addCleanup(logging.config.dictConfig, {"version": 1, "disable_existing_loggers": False})
        self.client = Client(raise_request_exception=False)
        self.client.force_login(self.person)
        self.assertIsNone(handler)

    def test_a_request_is_a_line_with_its_route_but_nothing_of_what_was_in_it(self) -> None:
        self.client.get("/api/trips/987654321/rows?text=Quillfeather")
        self.client.post("/api/applications/harbour-live/preview", {"condition": "notes eq 'a-secret'"})
        told = self.lines()[-2:]
        route = ("GET", "api/trips/<int:pk>/rows", 404, "ada")
        self.assertEqual((told[0]["method"], told[0]["route"], told[0]["status"], told[0]["who"]), route)
        self.assertEqual(told[1]["method"], "POST")
        text = json.dumps(told)
        for value in ("Quillfeather", "987654321", "a-secret", "harbour-live"):
            self.assertNotIn(value, text)
        self.assertEqual((self.vexo.data / "logs" / "vexo.jsonl").stat().st_mode & 0o777, 0o600)

    def test_a_mistake_is_a_kind_and_a_place_but_no_value(self) -> None:
        with patch("vexo.server.trips.views.find_trip", side_effect=ValueError("could not read 0020418")):
            self.assertEqual(self.client.get("/api/trips/1").status_code, 500)
        mistake = next(line for line in self.lines() if "mistake" in line)
        self.assertEqual(mistake["mistake"], "ValueError")
        self.assertTrue(any("views.py" in place for place in mistake["places"]), mistake)
        self.assertNotIn("0020418", json.dumps(self.lines()))

    def test_a_full_log_is_turned_over_and_none_is_kept_for_ever(self) -> None:
        with patch.object(logs, "_LARGEST", 2_000), patch.dict("os.environ", VEXO_LOGS="file"):
            logging.config.dictConfig(logs.logging_settings(self.vexo.data / "logs"))
        for _ in range(150):
            self.client.get("/api/trips/987")
        kept = sorted(path.name for path in (self.vexo.data / "logs").glob("vexo.jsonl*"))
        self.assertEqual(len([name for name in kept if "lock" not in name]), 6, kept)
