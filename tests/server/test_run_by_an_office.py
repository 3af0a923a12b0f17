"""What comes with time and slips: clocks that are set back, an office behind one address, folders not meant."""

from __future__ import annotations

import time
from typing import Any

from tests.server.services import ServiceCase, view_of
from tests.server.test_people import GOOD, SignInCase
from tests.support import template, temporary_folder

template()

from vexo.server.applications.services import Connection, connect  # noqa: E402
from vexo.server.backups import back_up, check, restore  # noqa: E402
from vexo.server.data_folder import FolderError, demo_mark, hold_alone  # noqa: E402
from vexo.server.errors import PlainError  # noqa: E402
from vexo.server.jobs import heartbeat  # noqa: E402
from vexo.server.jobs.models import Worker  # noqa: E402
from vexo.server.people import services, throttle  # noqa: E402
from vexo.server.trips.titles import retitle  # noqa: E402


class OneAddress(SignInCase):
    def test_slips_of_others_shut_nobody_out_who_signed_in_from_there(self) -> None:
        self.assertEqual(self.sign_in(GOOD).status_code, 200)
        for at in range(60):
            self.sign_in("wrong", name=f"other{at}")
        services.add(self.person, f"new{self.name}", f"New {self.name}", "operator", GOOD)
        self.assertEqual(self.sign_in(GOOD, name=f"new{self.name}").status_code, 429, "of whom nothing is known waits")
        self.assertEqual(self.sign_in(GOOD).status_code, 200)
        self.assertEqual(self.sign_in(GOOD, name=f"new{self.name}").status_code, 200, "people are there, not guessers")

    def test_what_counts_against_an_address_falls_with_time_and_success(self) -> None:
        for at in range(14):
            self.sign_in("wrong", name=f"other{at}")
        self.now += 3 * 3600
        self.assertEqual([self.sign_in("wrong", name=f"late{at}").status_code for at in range(10)], [400] * 10)
        self.assertEqual(self.sign_in(GOOD).status_code, 200)
        self.assertEqual([self.sign_in("wrong", name=f"more{at}").status_code for at in range(5)], [400] * 5)

    def test_a_clock_that_was_set_back_makes_no_wait_longer(self) -> None:
        while self.sign_in("wrong").status_code != 429:
            pass
        self.now -= 3600
        answer = self.sign_in(GOOD)
        self.assertEqual(answer.status_code, 429)
        self.assertLessEqual(int(answer["Retry-After"]), 8)
        self.assertLessEqual(int(answer["Retry-After"]), throttle.LONGEST)

    def test_a_heartbeat_in_the_future_is_none(self) -> None:
        Worker.objects.all().delete()
        Worker.objects.create(owner="here:1:1", queues=[], seen_at=time.time() + 3600)
        self.assertTrue(heartbeat.without_worker())
        Worker.objects.update(seen_at=time.time())
        self.assertEqual(heartbeat.without_worker(), [])


class Names(ServiceCase):
    def test_names_that_could_be_read_as_anothers_are_refused(self) -> None:
        for username in ("..", "@", "\u0430da", "ad\u0430", "a/b", "\uff41da"):
            with self.subTest(username), self.assertRaises(PlainError):
                services.add(self.person, username, "Somebody Else", "viewer", GOOD)
        for full in ("\u0410da Quillfeather", "Ada Qu\u0456llfeather"):
            with self.subTest(full), self.assertRaisesRegex(PlainError, "several scripts"):
                services.add(self.person, "fine", full, "viewer", GOOD)
        made = services.add(self.person, "olga", "\u041e\u043b\u044c\u0433\u0430 Tern", "viewer", GOOD)
        self.assertEqual(made.name, "\u041e\u043b\u044c\u0433\u0430 Tern", "each word in its own script is a name")

    def test_the_page_of_a_record_is_an_address(self) -> None:
        def wanted(pages: str) -> Any:
            made = Connection(
                "harbour-practice", self.practice.address, "practice", "saltmarsh-vexo-token", pages=pages
            )
            return connect(self.person, made, change=True, inside=True)

        for odd in (
            "http://x/{nope}",
            "http://x/{",
            "http://x/{0}",
            "http://x/{id:>50000000}",
            "http://x/{id!r}",
            "javascript:alert(1)//{id}",
            "x/{id}",
        ):
            with self.subTest(odd), self.assertRaisesRegex(PlainError, "such as https://"):
                wanted(odd)
        before = self.practice.pages
        self.assertEqual(wanted("http://127.0.0.1:9/{source}/{id}/").pages, "http://127.0.0.1:9/{source}/{id}/")
        wanted(before)


class Backups(ServiceCase):
    def test_one_is_tried_without_being_laid_out_and_says_what_it_lacks(self) -> None:
        trip = self.bring("harbour,berth_no,notes\nTERNISLAND,B-004,kept\n")
        self.apply(trip)
        target = temporary_folder() / "b.tar.gz"
        back_up(target)
        told = self.vexo.process("restore", "--check", str(target))
        self.assertEqual((told.returncode, "is whole" in told.stdout), (0, True), told.stderr)
        self.assertGreater(check(target).named, 3)
        lost = next(path for path in (self.vexo.data / "files").rglob("*.parquet"))
        aside = lost.with_suffix(".aside")
        lost.rename(aside)
        self.addCleanup(aside.rename, lost)
        without = temporary_folder() / "w.tar.gz"
        back_up(without)
        told = self.vexo.process("restore", "--check", str(without))
        self.assertEqual(told.returncode, 2)
        self.assertIn(lost.name, told.stderr)
        made = self.vexo.process("--as", "ada", "backup", str(temporary_folder() / "again.tar.gz"))
        self.assertEqual((made.returncode, lost.name in made.stderr), (2, True), "a backup says what it could not take")
        laid = self.vexo.process("restore", str(without), str(temporary_folder() / "laid"))
        self.assertEqual((laid.returncode, lost.name in laid.stderr), (2, True), laid.stderr)
        cut = temporary_folder() / "cut.tar.gz"
        cut.write_bytes(target.read_bytes()[:-2000])
        self.assertEqual(self.vexo.process("restore", "--check", str(cut)).returncode, 2)
        self.assertEqual(self.vexo.process("restore", str(target)).returncode, 2, "the folder is to be said")

    def test_files_on_another_disk_and_files_with_two_names_are_in_it(self) -> None:
        trip = self.bring("harbour,berth_no,notes\nTERNISLAND,B-005,kept\n")
        retitle(view_of(trip), self.person, "files/of June")
        files, elsewhere = self.vexo.data / "files", temporary_folder() / "another-disk"
        content = {path.relative_to(files): path.read_bytes() for path in files.rglob("*") if path.is_file()}
        self.assertTrue(content)
        files.rename(elsewhere)
        self.addCleanup(elsewhere.rename, files)
        files.symlink_to(elsewhere)
        self.addCleanup(files.unlink)
        for path in content:
            twin = elsewhere / path.with_name(f"twin-{path.name}")
            twin.hardlink_to(elsewhere / path)
            self.addCleanup(twin.unlink)
        target, folder = temporary_folder() / "linked.tar.gz", temporary_folder() / "again"
        self.assertEqual(back_up(target).missing, [])
        self.assertEqual(check(target).missing, [])
        self.assertEqual(restore(target, folder), [])
        for path, was in content.items():
            self.assertEqual((folder / "files" / path).read_bytes(), was)
            self.assertEqual((folder / "files" / path.with_name(f"twin-{path.name}")).read_bytes(), was)

    def test_a_backup_of_a_demo_stays_one(self) -> None:
        demo_mark().touch()
        self.addCleanup(demo_mark().unlink)
        target, folder = temporary_folder() / "demo.tar.gz", temporary_folder() / "again"
        back_up(target)
        restore(target, folder)
        self.assertTrue((folder / demo_mark().name).exists(), "its people sign in with a password that everyone knows")


class Folders(ServiceCase):
    def test_a_folder_that_is_not_there_is_named_and_not_made(self) -> None:
        nowhere = temporary_folder() / "nowhere"
        for command in (("applications",), ("journal",), ("backup", "x.tar.gz"), ("worker",), ("person", "list")):
            with self.subTest(command):
                done = self.vexo.process("--data", str(nowhere), *command)
                self.assertEqual((done.returncode, str(nowhere) in done.stderr), (2, True), done.stderr)
        self.assertFalse(nowhere.exists())

    def test_a_port_that_is_taken_and_an_address_without_its_scheme_are_said(self) -> None:
        import socket

        with socket.socket() as taken:
            taken.bind(("127.0.0.1", 0))
            taken.listen()
            done = self.vexo.process("serve", "--port", str(taken.getsockname()[1]))
        self.assertEqual(done.returncode, 2)
        self.assertIn("Nothing can listen", done.stderr)
        self.assertNotIn("Traceback", done.stderr)
        self.assertEqual(self.vexo.process("serve", "--port", "70000").returncode, 2)
        done = self.vexo.process("serve", "--port", "1", VEXO_ADDRESS="vexo.example.org")
        self.assertIn("https://vexo.example.org", done.stderr)

    def test_one_demo_runs_on_a_folder(self) -> None:
        held = hold_alone()
        with self.assertRaisesRegex(FolderError, "runs on"):
            hold_alone()
        import os

        os.close(held)
        os.close(hold_alone())
