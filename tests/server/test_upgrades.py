from __future__ import annotations

import json
import os
import shutil
import sqlite3
import subprocess
import sys
import unittest
from concurrent.futures import ThreadPoolExecutor
from functools import cache
from pathlib import Path

from tests.support import BIN, Done, Vexo, kill, register, start, temporary_folder, wait_until
from tests.upgrades.make import HERE, KEY

RELEASES = sorted(path.name.removesuffix(".tar.gz") for path in HERE.glob("*.tar.gz"))
LATER = {"DJANGO_SETTINGS_MODULE": "tests.upgrades.settings", "PYTHONPATH": str(Path(__file__).parents[2])}


@cache
def restored(release: str) -> Path:
    """A folder as that release left it, with its key."""
    folder = temporary_folder() / release
    done = Vexo.at(folder).process("restore", str(HERE / f"{release}.tar.gz"), str(folder))
    assert done.returncode == 0, done.stderr
    (folder / "key").write_text(KEY)
    return folder


@cache
def brought_forward() -> Path:
    """The oldest folder, brought forward by this release."""
    folder = temporary_folder() / "forward"
    shutil.copytree(restored("0.1.0"), folder, copy_function=shutil.copy)
    done = Vexo.at(folder).process("applications", "--json")
    assert "is being brought forward" in done.stderr, done.stderr
    return folder


class Upgrades(unittest.TestCase):
    def folder(self, release: str, forward: bool = False) -> Vexo:
        """A folder as that release left it, or brought forward, connected to the running register."""
        folder = temporary_folder() / release
        made = brought_forward() if forward else restored(release)
        shutil.copytree(made, folder, copy_function=shutil.copy)
        vexo = Vexo.at(folder)
        with sqlite3.connect(folder / "vexo.db") as database:
            for stage in ("live", "practice"):
                values = (register().odata(stage), f"harbour-{stage}")
                database.execute("UPDATE applications_application SET address = ? WHERE name = ?", values)
        return vexo

    def answer(self, done: Done) -> dict[str, object]:
        self.assertEqual(done.returncode, 0, f"{done.stdout} {done.stderr}")
        answer: dict[str, object] = json.loads(done.stdout)
        return answer

    def columns(self, vexo: Vexo) -> list[str]:
        with sqlite3.connect(vexo.data / "vexo.db") as database:
            return [line[1] for line in database.execute("PRAGMA table_info(trips_trip)")]

    def test_a_folder_of_every_release_is_planned_and_applied_by_this_one(self) -> None:
        self.assertIn("0.1.0", RELEASES)
        for release in RELEASES:
            with self.subTest(release):
                vexo = self.folder(release)
                plan = self.answer(vexo.process("plan", "1", "--json"))
                self.assertEqual(plan["verdicts"]["update"], 1)  # type: ignore[index]
                outcome = self.answer(vexo.process("apply", "1", "--yes", "--json"))
                self.assertEqual(outcome["outcome"]["updated"], 1)  # type: ignore[index]
                self.assertIn("third", [berth["notes"] for berth in register().get("Berths", **QUERY)["value"]])

    def test_a_folder_is_brought_forward_once_after_a_backup_and_then_is_a_newer_ones(self) -> None:
        vexo = self.folder("0.1.0")
        with ThreadPoolExecutor(4) as at_once:
            done = list(at_once.map(lambda _: vexo.process("applications", "--json", **LATER), range(4)))
        for one in done:
            self.assertEqual(one.returncode, 0, f"{one.stdout} {one.stderr}")
        said = [one.stderr for one in done if "is being brought forward" in one.stderr]
        self.assertEqual(len(said), 1, "one of them brings it forward, the others find it done")
        (backup,) = (vexo.data / "backups").iterdir()
        self.assertIn(str(backup), said[0])
        self.assertIn("mood", self.columns(vexo))
        with sqlite3.connect(vexo.data / "vexo.db") as database:
            self.assertEqual(database.execute("SELECT mood FROM trips_trip").fetchall(), [("calm 1",)])
        self.answer(vexo.process("plan", "1", "--json", **LATER))
        refused = vexo.process("applications")
        self.assertEqual(refused.returncode, 2)
        self.assertIn("newer version", refused.stderr)
        self.assertIn("trips m9000_mood", refused.stderr)
        self.assertNotIn("mood", self.columns(self.restored(backup)))

    def restored(self, backup: Path) -> Vexo:
        folder = temporary_folder() / "restored"
        done = Vexo.at(folder).process("restore", str(backup), str(folder))
        self.assertEqual(done.returncode, 0, done.stderr)
        return Vexo.at(folder)

    def test_a_backup_of_a_newer_release_is_not_restored(self) -> None:
        vexo = self.folder("0.1.0", forward=True)
        kept = temporary_folder() / "later.tar.gz"
        self.assertEqual(vexo.process("backup", str(kept), **LATER).returncode, 0)
        folder = temporary_folder() / "no"
        done = vexo.process("restore", str(kept), str(folder))
        self.assertEqual(done.returncode, 2)
        self.assertIn("newer version", done.stderr)
        self.assertFalse(folder.exists())

    def test_where_no_backup_can_be_kept_nothing_is_brought_forward(self) -> None:
        vexo = self.folder("0.1.0")
        (vexo.data / "backups").rmdir() if (vexo.data / "backups").exists() else None
        (vexo.data / "backups").write_text("in the way")
        done = vexo.process("applications", **LATER)
        self.assertEqual(done.returncode, 2, done.stderr)
        self.assertNotIn("mood", self.columns(vexo))

    def test_a_folder_in_which_a_worker_still_works_is_left_alone_until_it_is_gone(self) -> None:
        vexo = self.folder("0.1.0", forward=True)
        worker = start(str(BIN / "vexo"), "--data", str(vexo.data), "worker", "--queue", "planning")
        database = f"file:{vexo.data / 'vexo.db'}?mode=ro"

        def there() -> bool:
            with sqlite3.connect(database, uri=True) as connection:
                return bool(connection.execute("SELECT count(*) FROM jobs_worker").fetchone()[0])

        wait_until(there, what="the worker")
        refused = vexo.process("applications", **LATER)
        self.assertEqual((refused.returncode, "still running" in refused.stderr), (2, True), refused.stderr)
        self.assertNotIn("mood", self.columns(vexo))
        self.answer(vexo.process("applications", "--json"))
        kill(worker)
        self.assertTrue(there(), "a killed worker takes no leave")
        self.answer(vexo.process("applications", "--json", **LATER))
        self.assertIn("mood", self.columns(vexo))

    def test_a_first_start_that_was_killed_in_its_migrations_goes_on_with_the_next_command(self) -> None:
        for at in ("contenttypes", "trips"):
            with self.subTest(at):
                vexo = Vexo.at(temporary_folder() / "half")
                environment = {"VEXO_DATA": str(vexo.data), "DJANGO_SETTINGS_MODULE": "vexo.server.settings"}
                code = (
                    "import django; django.setup(); from django.core.management import call_command;"
                    "from vexo.server.data_folder import make_data_folder, make_key; make_data_folder(); make_key();"
                    f"call_command('migrate', '{at}', verbosity=0)"
                )
                done = subprocess.run(
                    [sys.executable, "-c", code], env={**os.environ, **environment}, capture_output=True, check=False
                )
                self.assertEqual(done.returncode, 0, done.stderr)
                self.assertEqual(self.answer(vexo.process("applications", "--json")), {"applications": []})

    def test_a_command_that_only_lists_loads_no_data_frames_no_http_and_no_migrations(self) -> None:
        vexo = self.folder("0.1.0", forward=True)
        self.answer(vexo.process("applications", "--json"))
        heavy = ("polars", "httpx", "cryptography", "rich", "django.db.migrations.loader")
        code = (
            "import sys\nfrom vexo.cli.main import main\n"
            "try: main()\nexcept SystemExit as end: assert not end.code, end.code\n"
            f"print([name for name in {heavy} if name in sys.modules])"
        )
        lists = ["edits 1", "journal", "applications"]
        frames = ["totals 1", "decisions 1"]
        for command, loaded in (*((one, "[]") for one in lists), *((one, "['polars']") for one in frames)):
            with self.subTest(command):
                words = [sys.executable, "-c", code, "--data", str(vexo.data), *command.split(), "--json"]
                done = subprocess.run(words, capture_output=True, text=True, check=False)
                self.assertEqual((done.stdout.splitlines()[-1:], done.stderr), ([loaded], ""))

    def test_a_number_that_is_not_this_release_s_is_only_a_reason_to_look(self) -> None:
        from vexo.server.releases import numbered

        vexo = self.folder("0.1.0", forward=True)
        self.answer(vexo.process("applications", "--json"))
        own = numbered(vexo.data / "vexo.db")
        self.assertGreater(own, 0)
        for number in (0, 1, -5, 2**31 - 1):
            with sqlite3.connect(vexo.data / "vexo.db") as database:
                database.execute(f"PRAGMA user_version={number}")
            done = vexo.process("applications", "--json")
            self.answer(done)
            self.assertEqual(done.stderr, "")
            self.assertEqual(numbered(vexo.data / "vexo.db"), own)
        with sqlite3.connect(vexo.data / "vexo.db", isolation_level=None) as busy:
            busy.execute("PRAGMA user_version=1")
            busy.execute("BEGIN IMMEDIATE")
            self.answer(vexo.process("applications", "--json"))
            busy.execute("ROLLBACK")
        with sqlite3.connect(vexo.data / "vexo.db") as database:
            database.execute("PRAGMA user_version=1")
            database.execute("INSERT INTO django_migrations (app, name, applied) VALUES ('trips', 'x', '')")
        self.assertIn("newer version", vexo.process("applications").stderr)

    def test_the_release_is_said_and_settings_make_nothing(self) -> None:
        from vexo import __version__

        self.assertEqual(Vexo.at(temporary_folder()).process("--version").stdout.strip(), __version__)
        nowhere = temporary_folder() / "nowhere"
        code = "import django; django.setup()"
        environment = {"VEXO_DATA": str(nowhere), "DJANGO_SETTINGS_MODULE": "vexo.server.settings"}
        done = subprocess.run([sys.executable, "-c", code], env=environment, capture_output=True, check=False)
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertFalse(nowhere.exists())


QUERY = {"$filter": "harbour eq 'TERNISLAND' and startswith(berth_no,'B-00')"}
