"""The data folder: closed to others, its key in order, made once by many at once, and a machine that cannot write."""

from __future__ import annotations

import errno
import gzip
import io
import json
import logging.config
import os
import shutil
import sqlite3
import stat
import subprocess
import tarfile
from pathlib import Path
from typing import Any
from unittest.mock import patch

from tests.server.services import ServiceCase
from tests.support import BIN, TOKEN, Done, Vexo, new_folder, register, start, template, temporary_folder, wait_until

template()

from django.test import Client  # noqa: E402

from vexo.server.logs import logging_settings  # noqa: E402
from vexo.server.people import services  # noqa: E402

PASSWORD = "low water at noon"
ADD_ADA = ("person", "add", "ada", "--password-from-input")


def vexo(data: Path, *arguments: str, typed: str | None = None, **environment: str) -> Done:
    """The command in a process that lets others look at what it makes, if nothing hinders it."""
    done = subprocess.run(
        [str(BIN / "vexo"), "--data", str(data), *arguments],
        capture_output=True,
        text=True,
        input=typed,
        umask=0,
        env={**os.environ, **environment},
        check=False,
    )
    return Done(done.returncode, done.stdout, done.stderr)


class Folders(ServiceCase):
    def test_nobody_else_can_look_into_it_also_at_what_is_made_later(self) -> None:
        self.out("A", "notes")
        self.bring("harbour,berth_no,notes\nTERNISLAND,A-001,a\n")
        new = temporary_folder() / "new"
        made = vexo(new, *ADD_ADA, typed=PASSWORD)
        self.assertEqual(made.returncode, 0, made.stderr)
        for folder in (self.vexo.data, new):
            self.vexo.use() if folder == self.vexo.data else None
            for path in [folder, *folder.rglob("*")]:
                mode = stat.S_IMODE(path.stat().st_mode)
                self.assertEqual(oct(mode & 0o077), "0o0", path)

    def test_a_folder_that_was_open_is_closed(self) -> None:
        data = new_folder()
        for path in (data, data / "files", data / "vexo.db", data / "key"):
            path.chmod(0o777)
        self.assertEqual(vexo(data, "applications").returncode, 0)
        for path in (data, data / "files", data / "vexo.db", data / "key"):
            self.assertEqual(stat.S_IMODE(path.stat().st_mode) & 0o077, 0, path)

    def test_a_key_that_is_missing_empty_or_short_is_refused_with_the_remedy(self) -> None:
        data = new_folder()
        key = data / "key"
        for content, told in ((None, "is missing"), ("", "is empty"), ("short", "is too short")):
            with self.subTest(told):
                key.unlink(missing_ok=True)
                if content is not None:
                    key.write_text(content)
                done = vexo(data, "applications")
                self.assertEqual((done.returncode, "Traceback" in done.stderr), (2, False), done.stderr)
                self.assertIn(told, done.stderr)
                self.assertIn("VEXO_KEY", done.stderr)
        self.assertEqual(vexo(data, "applications", VEXO_KEY="k" * 40).returncode, 0)
        self.assertIn("VEXO_KEY is too short", vexo(data, "applications", VEXO_KEY="k").stderr)

    def test_five_commands_at_once_make_one_folder_with_one_first_administrator(self) -> None:
        data = temporary_folder() / "together"
        names = [f"person{number}" for number in range(5)]
        running = [
            subprocess.Popen(
                [str(BIN / "vexo"), "--data", str(data), "person", "add", name, "--password-from-input"],
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                stderr=subprocess.PIPE,
            )
            for name in names
        ]
        for process in running:
            assert process.stdin
            process.stdin.write(PASSWORD.encode())
            process.stdin.close()
            process.stdin = None
        said = [process.communicate() for process in running]
        self.assertEqual(sorted(process.returncode for process in running), [0, 2, 2, 2, 2], said)
        refused = [err.decode() for _, err in said if err]
        self.assertEqual(["is for administrators to say" in told for told in refused], [True] * 4, said)
        self.assertEqual(len((data / "key").read_text()), 64)
        with sqlite3.connect(data / "vexo.db") as database:
            people = database.execute("SELECT role FROM people_person WHERE username LIKE 'person%'").fetchall()
        self.assertEqual(people, [("administrator",)])


class Machine(ServiceCase):
    def failing(self, number: int) -> Any:
        return patch("vexo.server.data_folder._sync", side_effect=OSError(number, os.strerror(number)))

    def test_a_full_disk_or_a_closed_folder_is_a_sentence_and_the_work_goes_on_when_it_is_mended(self) -> None:
        for number, told in ((errno.ENOSPC, "disk"), (errno.EROFS, "cannot be written"), (errno.EACCES, "cannot be")):
            with self.subTest(told):
                content = f"harbour,berth_no,notes\nTERNISLAND,B-001,{number}\n"
                from vexo.server.ingest.bring_in import ImportRequest, start_bringing_in
                from vexo.server.jobs.worker import run_inline
                from vexo.server.trips.models import Trip
                from vexo.server.uploads.receive import take_file

                before = Trip.objects.count()
                upload = take_file(self.text(content), str(self.person))
                with self.failing(number):
                    job = run_inline(
                        start_bringing_in(
                            self.practice, "Berth", upload, self.person, ImportRequest(trip="new"), run_here=True
                        )
                    )
                self.assertIn(told, job.error)
                self.assertEqual(Trip.objects.count(), before)
                again = run_inline(
                    start_bringing_in(
                        self.practice, "Berth", upload, self.person, ImportRequest(trip="new"), run_here=True
                    )
                )
                self.assertEqual(again.error, "")
        parts = [path for path in self.vexo.data.rglob(".*.part") if path.is_file()]
        self.assertEqual(parts, [], "half-written files stay")

    def test_a_pass_on_a_full_disk_waits_and_goes_on(self) -> None:
        trip = self.bring("harbour,berth_no,notes\nTERNISLAND,B-002,full\n")
        job = self.start(trip)
        from vexo.server.jobs.worker import run_inline

        with self.failing(errno.ENOSPC):
            self.assertIn("disk", run_inline(job).error)
        self.assertEqual(self.last_pass(trip).state, "interrupted")
        self.assertEqual(self.go_on(trip).totals["updated"], 1)

    def test_a_busy_database_is_a_sentence_and_nothing_is_lost(self) -> None:
        from django.db import connection

        trip = self.bring("harbour,berth_no,notes\nTERNISLAND,B-003,busy\n")
        with sqlite3.connect(self.vexo.data / "vexo.db") as other:
            other.execute("BEGIN IMMEDIATE")
            connection.close()
            with patch.dict(connection.settings_dict["OPTIONS"], timeout=0.05):
                done = self.vexo.run("--as", "ada", "apply", str(trip.pk), "--yes", "--json")
            other.rollback()
        connection.close()
        self.assertEqual(done.returncode, 2)
        self.assertIn("The database was busy", json.loads(done.stdout)["error"])
        self.assertEqual(self.apply(trip).totals["updated"], 1)

    def test_a_worker_outlasts_a_database_that_does_not_answer(self) -> None:
        from django.db import OperationalError

        from vexo.server.jobs import worker

        answers: list[Any] = [OperationalError("database is locked"), OSError(errno.ENOSPC, "full")]

        def claim(*_: Any) -> None:
            if answers:
                raise answers.pop(0)
            raise KeyboardInterrupt

        with (
            patch.object(worker, "claim", claim),
            patch.object(worker, "TROUBLE_PAUSE", 0),
            patch.object(worker.signal, "signal"),
            self.assertRaises(KeyboardInterrupt),
        ):
            worker.work(pause=0)
        self.assertEqual(answers, [])


class DemoFolders(ServiceCase):
    def test_a_folder_of_the_demo_is_not_served_to_the_office_and_no_real_one_becomes_the_demos(self) -> None:
        data = new_folder()
        (data / "demo").touch()
        done = vexo(data, "serve", "--port", "1", VEXO_DEMO="")
        self.assertEqual(done.returncode, 2)
        self.assertIn("password that everyone knows", done.stderr)
        real = Vexo(connect=False)
        done = vexo(real.data, "demo", "--port", "11000", "--data", str(real.data))
        self.assertEqual(done.returncode, 2)
        self.assertIn("holds more than a demo", done.stderr)


class Backups(ServiceCase):
    def test_a_backup_taken_while_it_works_comes_back_whole_with_its_key_apart(self) -> None:
        trip = self.bring("harbour,berth_no,notes\nTERNISLAND,E-001,kept\n")
        self.apply(trip)
        target, folder = self.vexo.files / "kept.tar.gz", self.vexo.files / "again"
        with sqlite3.connect(self.vexo.data / "vexo.db") as other:
            other.execute("BEGIN IMMEDIATE")
            other.execute("UPDATE trips_trip SET title = 'not committed'")
            self.assertEqual(self.vexo.run("--as", "ada", "backup", str(target)).returncode, 0)
            other.rollback()
        self.assertEqual(stat.S_IMODE(target.stat().st_mode), 0o600)
        with tarfile.open(target) as tar:
            self.assertNotIn("key", [Path(name).name for name in tar.getnames()])
        self.assertNotIn((self.vexo.data / "key").read_bytes(), gzip.decompress(target.read_bytes()))
        self.assertEqual(self.vexo.run("restore", str(target), str(folder)).returncode, 0)
        self.assertIn("key is missing", vexo(folder, "outcome", str(trip.pk)).stderr)
        shutil.copy(self.vexo.data / "key", folder / "key")
        here = self.vexo.json("outcome", str(trip.pk))
        self.assertEqual(json.loads(vexo(folder, "outcome", str(trip.pk), "--json").stdout), here)

    def test_what_is_no_backup_leaves_nothing_and_a_folder_in_use_is_not_overwritten(self) -> None:
        folder = self.vexo.files / "nothing"
        for content in (b"", b"no archive", gzip.compress(b"no archive")):
            path = self.vexo.files / "odd.tar.gz"
            path.write_bytes(content)
            self.assertIn("not a backup", self.vexo.fails("restore", str(path), str(folder)))
            self.assertFalse(folder.exists())
        evil = self.vexo.files / "evil.tar.gz"
        for outside in ("../../out", "files/../../out", str(self.vexo.files / "out")):
            with tarfile.open(evil, "w:gz") as tar:
                entry = tarfile.TarInfo(outside)
                entry.size = 2
                tar.addfile(entry, io.BytesIO(b"hi"))
            self.assertIn("outside of the folder", self.vexo.fails("restore", str(evil), str(folder)))
            self.assertEqual([*self.vexo.files.rglob("out")], [])
        target = self.vexo.files / "good.tar.gz"
        self.vexo.run("--as", "ada", "backup", str(target))
        whole = target.read_bytes()
        for damaged in (whole[: len(whole) // 2], whole[:2000] + bytes(100) + whole[2100:]):
            path.write_bytes(damaged)
            self.assertIn("not a backup", self.vexo.fails("restore", str(path), str(folder)))
            self.assertFalse(folder.exists())
        self.assertIn("not empty", self.vexo.fails("restore", str(target), str(self.vexo.data)))
        self.assertIn("there already", self.vexo.fails("--as", "ada", "backup", str(target)))
        self.assertEqual([p for p in self.vexo.files.iterdir() if p.name.endswith(".part")], [])


class Secrets(ServiceCase):
    """The key, a token and a password are planted; then everything is searched for them."""

    KEY_FREE = ("key",)

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.wrong, cls.password = "a-planted-wrong-token", "a-planted-password"
        cls.key = (cls.vexo.data / "key").read_text()
        services.add(cls.person, "planted", "Planted", "administrator", cls.password)

    def searched(self, said: dict[str, bytes]) -> None:
        self.assertTrue(said)
        for where, content in said.items():
            for secret in (TOKEN, self.wrong, self.password, *([self.key] if where not in self.KEY_FREE else [])):
                self.assertNotIn(secret.encode(), content, where)

    def test_neither_files_nor_logs_nor_the_journal_nor_a_backup(self) -> None:
        trip = self.bring("harbour,berth_no,notes\nTERNISLAND,E-002,kept\n")
        self.apply(trip)
        asked = ("--as", "planted", "connect", "odd", register().odata(), "--stage", "practice", "--inside")
        said = self.vexo.run(*asked, VEXO_TOKEN=self.wrong)
        self.assertIn("refuses the token", said.stderr)
        with patch.dict("os.environ", VEXO_LOGS="file"):
            logging.config.dictConfig(logging_settings(self.vexo.data / "logs"))
        self.addCleanup(logging.config.dictConfig, {"version": 1, "disable_existing_loggers": False})
        client = Client(raise_request_exception=False)
        for body in ({"username": "planted", "password": self.password}, {"username": self.password, "password": "x"}):
            client.post("/api/session", body, content_type="application/json")
        with patch("vexo.server.applications.views.connect", side_effect=RuntimeError(self.wrong)):
            body = {"name": "x", "address": "https://x.example/", "token": self.wrong, "stage": "live"}
            answer = client.post("/api/applications", body, content_type="application/json")
        self.assertEqual(answer.status_code, 500, "even a mistake of Vexo's own tells nothing")
        self.vexo.run("--as", "ada", "backup", str(self.vexo.files / "secrets.tar.gz"))
        everything = {p.name: p.read_bytes() for p in self.vexo.data.rglob("*") if p.is_file()}
        self.assertIn("vexo.jsonl", everything)
        told = {
            "backup": gzip.decompress((self.vexo.files / "secrets.tar.gz").read_bytes()),
            "said": (said.stdout + said.stderr).encode(),
            "answer": answer.content,
            "journal": self.vexo.run("journal", "--json").stdout.encode(),
        }
        self.searched(everything | told)

    def test_neither_answers_nor_downloads(self) -> None:
        trip = self.bring("harbour,berth_no,notes\nTERNISLAND,E-003,kept\nTERNISLAND,E-999,not there\n")
        self.apply(trip)
        client = Client()
        client.force_login(self.person)
        sheet, job = trip.sheets.last().pk, trip.jobs.last().pk
        paths = [
            *(
                "session",
                "people",
                "applications",
                "applications/harbour-live",
                "trips",
                "journal",
                "carried",
                "health",
            ),
            *(f"trips/{trip.pk}{rest}" for rest in ("", "/rows", "/decisions", "/outcome", f"/sheets/{sheet}")),
            *(f"trips/{trip.pk}/files/{name}" for name in ("receipt.csv", "receipt.xlsx", "not-in.csv")),
            *(f"jobs/{job}", "schema"),
        ]
        answers = {}
        for path in paths:
            answer = client.get(f"/api/{path}")
            self.assertEqual(answer.status_code, 200, path)
            content = b"".join(answer.streaming_content) if answer.streaming else answer.content
            answers[path] = content + str(dict(answer.headers)).encode()
        self.searched(answers)

    def test_nor_the_list_of_processes_while_a_command_has_one(self) -> None:
        register().trouble("slow", times=3, seconds=3)
        command = [str(BIN / "vexo"), "--data", str(self.vexo.data), "--as", "ada", "connect", "slowly"]
        more = [register().odata(), "--stage", "practice", "--inside"]
        process = start(*command, *more, VEXO_TOKEN=self.wrong)
        lines = wait_until(lambda: Path(f"/proc/{process.pid}/cmdline").read_bytes(), what="the command")
        listed = {str(p): p.read_bytes() for p in Path("/proc").glob("[0-9]*/cmdline") if os.access(p, os.R_OK)}
        process.wait(120)
        self.searched({**listed, "own": lines})
        self.assertIn("No such option", self.vexo.run(*command[3:], *more, "--token", "t").stderr)
