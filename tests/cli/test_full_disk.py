"""What a full disk does: it is named as what it is, and what lay there before is not lost."""

from __future__ import annotations

import errno
import io
import os
import shlex
import sqlite3
import stat
import subprocess
import sys
import unittest
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager
from pathlib import Path
from typing import Any
from unittest.mock import patch

import polars as pl
import xlsxwriter

from tests.server.services import ServiceCase
from tests.support import register, temporary_folder, use_folder

FULL = Path("/dev/full")
"""A device of the system on which there is never room."""
CELLS = pl.DataFrame({"a": range(100_000), "b": [f"text {at}" for at in range(100_000)]})


def _workbook() -> None:
    book = xlsxwriter.Workbook(str(FULL))
    book.add_worksheet().write(0, 0, "x")
    book.close()


def _database() -> None:
    """A database that may not grow any more, as on a full disk."""
    with closing(sqlite3.connect(temporary_folder() / "small.db")) as database:
        database.execute("PRAGMA max_page_count=2")
        database.execute("CREATE TABLE t (x)")
        database.execute("INSERT INTO t VALUES (?)", ["x" * 100_000])


@unittest.skipUnless(FULL.exists(), "this system has no device that is always full")
class EveryWriter(ServiceCase):
    """Each library that Vexo writes files with says of a full disk what it will; Vexo says one thing."""

    def test_it_is_told_as_a_full_disk(self) -> None:
        from vexo.server.errors import machine_trouble

        writers: dict[str, Callable[[], Any]] = {
            "parquet": lambda: CELLS.write_parquet(FULL),
            "pieces": lambda: CELLS.lazy().sink_parquet(FULL),
            "text": lambda: CELLS.write_csv(FULL),
            "workbook": _workbook,
            "bytes": lambda: FULL.write_bytes(b"x"),
            "database": _database,
        }
        from vexo.cli.main import _without_late_closing

        # A workbook tries to be written once more when it is let go.
        self.enterContext(patch("sys.unraisablehook", _without_late_closing))
        for name, write in writers.items():
            with self.subTest(name):
                try:
                    write()
                except Exception as error:
                    self.assertIn("is full", machine_trouble(error) or repr(error))
                else:
                    self.fail("it was written")

    def test_a_broken_disk_and_too_little_memory_are_the_machine_s_too(self) -> None:
        from vexo.server.errors import machine_trouble

        for error, words in (
            (OSError(errno.EIO, "x"), "Input/output error"),
            (OSError(errno.EMFILE, "x"), "Too many open files"),
            (OSError("Too many open files (os error 24)"), "Too many open files"),
            (MemoryError(), "Cannot allocate memory"),
        ):
            self.assertIn(words, machine_trouble(error) or "")
        self.assertIsNone(machine_trouble(OSError(errno.ENOENT, "x")))

    def test_other_errors_of_these_libraries_are_no_trouble_of_the_machine(self) -> None:
        from vexo.server.errors import machine_trouble

        for error in (
            pl.exceptions.ComputeError("os error is no number"),
            ValueError("[Errno 28] No space left on device"),
            xlsxwriter.exceptions.DuplicateWorksheetName("x"),
        ):
            self.assertIsNone(machine_trouble(error))
        with self.assertRaises(pl.exceptions.PolarsError) as caught:
            pl.read_parquet(io.BytesIO(b"PAR1 but not really PAR1"))
        self.assertIsNone(machine_trouble(caught.exception))


@contextmanager
def no_room() -> Iterator[None]:
    """While this goes on, no result can be written: the device that is always full stands for each of them."""

    @contextmanager
    def onto_the_full(target: Path, ending: str = "") -> Iterator[Path]:
        yield FULL

    with patch("vexo.server.artifacts.replacing", onto_the_full):
        yield


@unittest.skipUnless(FULL.exists(), "this system has no device that is always full")
class Work(ServiceCase):
    def test_a_plan_says_that_the_disk_is_full_and_is_made_once_there_is_room(self) -> None:
        from vexo.server.jobs.worker import enqueue, run_inline

        trip = self.bring("holder_no,email\nH-00001,a@example.org\n", record_type="Holder", key=["holder_no"])
        before = self.newest(trip).number
        with no_room():
            job = run_inline(enqueue("plan", "ada", self.view(trip), run_here=True, fresh=True))
            self.assertIn("is full", job.error)
            done = self.vexo.run("--as", "ada", "only", str(trip.pk), "--where", "email eq 'a@example.org'")
        self.assertEqual((done.returncode, "is full" in done.stderr), (2, True), done.stderr)
        self.assertEqual(self.newest(trip).number, before)
        self.assertGreater(self.plan(trip).number, before)

    def view(self, trip: Any) -> Any:
        from tests.server.services import view_of

        return view_of(trip)

    def test_a_file_that_was_read_but_not_kept_is_not_called_damaged(self) -> None:
        """The reader is a process of its own, and has to say so across."""
        from vexo.core.sheets.readers.sandbox import read_sheet
        from vexo.server.errors import machine_trouble

        source = self.vexo.files / "sheet.csv"
        source.write_text("no,place\n" + "".join(f"{at},here\n" for at in range(50_000)))
        folder = temporary_folder()
        (folder / "cells.parquet").symlink_to(FULL)
        with self.assertRaises(OSError) as caught:
            read_sheet(source, folder / "cells.parquet")
        self.assertIn("is full", machine_trouble(caught.exception) or "")
        self.assertEqual(read_sheet(source, folder / "elsewhere.parquet").rows, 50_000)

    def test_a_file_for_which_its_reader_has_no_memory_is_the_file_s_own(self) -> None:
        from vexo.core.sheets.readers import child

        source = self.vexo.files / "memory.csv"
        source.write_text("no,place\n1,here\n")
        for number, mine in ((errno.ENOMEM, False), (errno.ENOSPC, True), (errno.EMFILE, True)):
            for error in (OSError(number, "x"), pl.exceptions.ComputeError(f"x (os error {number})")):
                with self.subTest(error), patch("vexo.core.sheets.readers.child.write_shaped", side_effect=error):
                    if mine:
                        read = child.read(source, temporary_folder() / "cells.parquet", "memory.csv")
                        self.assertEqual(read, {"errno": number})
                    else:
                        with self.assertRaises(type(error)):
                            child.read(source, temporary_folder() / "cells.parquet", "memory.csv")

    def test_deleting_says_what_needs_no_room(self) -> None:
        holder = register().get("Holders", **{"$top": "1", "$filter": "email ne null"})["value"][0]["holder_no"]
        trip = self.bring(f"holder_no,email\n{holder},c@example.org\n", record_type="Holder", key=["holder_no"])
        self.apply(trip)
        at = ("--as", "ada", "delete", str(trip.pk), "--yes")
        with patch("vexo.server.upkeep.deleting.write_receipt", side_effect=OSError(errno.ENOSPC, "x")):
            done = self.vexo.run(*at)
            self.assertEqual(done.returncode, 2)
            self.assertIn("is full. Make room", done.stderr)
            self.assertIn("With --no-receipt no room is needed", " ".join(done.stderr.split()))
            self.assertEqual(self.vexo.run(*at, "--no-receipt").returncode, 0)

    def test_a_backup_says_whose_disk_it_is(self) -> None:
        target = temporary_folder() / "backup.tar.gz"
        full = sqlite3.OperationalError("database or disk is full")
        with patch("vexo.server.backups._copy_of_database", side_effect=full):
            done = self.vexo.run("--as", "ada", "backup", str(target))
        self.assertEqual(done.returncode, 2)
        self.assertIn(f"The disk of {self.vexo.data} is full.", done.stderr)
        self.assertFalse(target.exists())


def no_room_in(folder: Path) -> Callable[[Path], None]:
    """In place of putting a file onto the disk: in this folder there is no room."""
    from vexo.server.data_folder import _sync

    def sync(path: Path) -> None:
        if folder in path.parents:
            raise OSError(errno.ENOSPC, "No space left on device")
        _sync(path)

    return sync


@unittest.skipUnless(hasattr(os, "mkfifo"), "this system has no pipes with names")
class WhereItIsWanted(ServiceCase):
    """A file that a command writes is there whole, or what was there before still is."""

    def setUp(self) -> None:
        super().setUp()
        use_folder(self.vexo.data)
        self.trip = self.bring("holder_no,email\nH-00001,b@example.org\n", record_type="Holder", key=["holder_no"])

    def commands(self, folder: Path, name: str) -> dict[str, Path]:
        """Each command that writes a file, with where."""
        number = str(self.trip.pk)
        return {
            f"review {number} -o": folder / f"{name}.xlsx",
            f"--as ada review {number} -o": folder / f"{name}.html",
            "journal -o": folder / f"{name}.csv",
            f"files {number} --save 1 -o": folder / f"{name}-1.csv",
            'send-out harbour-practice Holder --where "id eq 1" -o': folder / f"{name}-out.csv",
        }

    def test_what_was_there_stays_where_the_new_file_cannot_be_written(self) -> None:
        folder = temporary_folder()
        for words, path in self.commands(folder, "kept").items():
            with self.subTest(words):
                path.write_text("mine")
                with patch("vexo.server.data_folder._sync", no_room_in(folder)):
                    done = self.vexo.run("--as", "ada", *shlex.split(words), str(path))
                self.assertEqual((done.returncode, path.read_text()), (2, "mine"), done.stderr)
                self.assertIn(f"{path} cannot be written: No space left on device.", " ".join(done.stderr.split()))
                self.assertEqual([one.name for one in folder.iterdir() if one.name.startswith(".")], [])
                done = self.vexo.run("--as", "ada", *shlex.split(words), str(path))
                self.assertEqual(done.returncode in (0, 1), True, done.stderr)
                self.assertGreater(path.stat().st_size, 20)

    def test_a_folder_that_is_not_there_is_named_and_not_made(self) -> None:
        folder = temporary_folder() / "nowhere"
        for words, path in self.commands(folder, "x").items():
            with self.subTest(words):
                done = self.vexo.run("--as", "ada", *shlex.split(words), str(path))
                self.assertEqual((done.returncode, folder.exists()), (2, False))
                self.assertIn(f"There is no folder {folder}.", " ".join(done.stderr.split()))

    def test_whoever_could_read_it_still_can(self) -> None:
        path = temporary_folder() / "shared.csv"
        path.write_text("old")
        path.chmod(0o644)
        self.assertEqual(self.vexo.run("--as", "ada", "journal", "-o", str(path)).returncode, 0)
        self.assertEqual((path.stat().st_mode & 0o777, path.read_text() == "old"), (0o644, False))

    def test_a_folder_that_takes_no_new_file(self) -> None:
        folder = temporary_folder()
        path = folder / "only.csv"
        path.write_text("old")
        allowed = os.access
        with patch("os.access", lambda place, mode: place != folder and allowed(place, mode)):
            done = self.vexo.run("--as", "ada", "journal", "-o", str(path))
        self.assertEqual((done.returncode, path.read_text() == "old"), (0, False), done.stderr)

    def test_a_disk_that_syncs_no_folders_has_the_file_all_the_same(self) -> None:
        folder = temporary_folder()
        sync = os.fsync

        def files_alone(descriptor: int) -> None:
            if stat.S_ISDIR(os.fstat(descriptor).st_mode):
                raise OSError(errno.EINVAL, "Invalid argument")
            sync(descriptor)

        with patch("os.fsync", files_alone):
            done = self.vexo.run("--as", "ada", "journal", "-o", str(folder / "x.csv"))
        self.assertEqual((done.returncode, (folder / "x.csv").stat().st_size > 100), (0, True), done.stderr)

    def test_links_and_pipes_stay_what_they_are(self) -> None:
        folder = temporary_folder()
        behind, link = folder / "behind.csv", folder / "link.csv"
        behind.write_text("old")
        link.symlink_to(behind)
        self.vexo.run("--as", "ada", "journal", "-o", str(link))
        self.assertTrue(link.is_symlink())
        self.assertNotEqual(behind.read_text(), "old")
        pipe = folder / "pipe.csv"
        os.mkfifo(pipe)
        code = "import sys; print(len(open(sys.argv[1]).read()))"
        with subprocess.Popen([sys.executable, "-c", code, str(pipe)], stdout=subprocess.PIPE, text=True) as reader:
            done = self.vexo.run("--as", "ada", "journal", "-o", str(pipe))
            self.assertEqual(done.returncode, 0, done.stderr)
            out, _ = reader.communicate(timeout=60)
        self.assertGreater(int(out), 100)
