"""How long things are kept, deleting, and room: nothing goes that is needed, nothing stays that should go."""

from __future__ import annotations

import sqlite3
from datetime import timedelta
from pathlib import Path
from typing import Any
from unittest.mock import patch

from tests.server.services import ServiceCase, view_of
from tests.support import Vexo, template

template()

from django.test import Client  # noqa: E402
from django.utils import timezone  # noqa: E402

from vexo.server import artifacts  # noqa: E402
from vexo.server.backups import _named_files  # noqa: E402
from vexo.server.errors import NotAllowed, PlainError  # noqa: E402
from vexo.server.installation.models import InstallationSettings  # noqa: E402
from vexo.server.jobs.models import Job  # noqa: E402
from vexo.server.jobs.worker import enqueue, enqueue_due, run_inline  # noqa: E402
from vexo.server.journal.models import Entry  # noqa: E402
from vexo.server.journal.seals import verify  # noqa: E402
from vexo.server.journal.services import note  # noqa: E402
from vexo.server.passes.models import Pass, Scheduled  # noqa: E402
from vexo.server.people import services  # noqa: E402
from vexo.server.people.models import Session  # noqa: E402
from vexo.server.trips.models import KeptCopy, Trip  # noqa: E402
from vexo.server.upkeep import deleting, disk, retention  # noqa: E402
from vexo.server.upkeep.models import KeptReceipt  # noqa: E402
from vexo.server.uploads import receive  # noqa: E402
from vexo.server.uploads.models import Upload  # noqa: E402

BERTHS = "harbour,berth_no,notes\nTERNISLAND,{},{}\n"


class UpkeepCase(ServiceCase):
    def setUp(self) -> None:
        super().setUp()
        InstallationSettings.objects.all().delete()
        self.client = Client()
        self.client.force_login(self.person)

    def files(self) -> set[str]:
        """All files of the folder but those of the database and the log."""
        return {
            str(path.relative_to(self.vexo.data))
            for part in ("files", "stages")
            for path in (self.vexo.data / part).rglob("*")
            if path.is_file()
        }

    def nothing_named_is_missing(self) -> None:
        missing = {name for name in _named_files(self.vexo.data / "vexo.db") if not (self.vexo.data / name).exists()}
        self.assertEqual(missing, set())

    def applied(self, text: str, letter: str = "B-003") -> Trip:
        trip: Trip = self.bring(BERTHS.format(letter, text))
        self.vexo.run("--as", "ada", "apply", str(trip.pk), "--yes")
        self.assertEqual(Pass.objects.filter(trip=trip, state=Pass.ENDED).count(), 1)
        return Trip.objects.get(pk=trip.pk)

    def aged(self, trip: Trip, days: int) -> None:
        Trip.objects.filter(pk=trip.pk).update(touched_at=timezone.now() - timedelta(days=days))

    def thin(self) -> dict[str, int]:
        job = run_inline(enqueue("thin", "", run_here=True))
        self.assertEqual(job.error, "")
        result: dict[str, int] = job.result
        return result


class Deleting(UpkeepCase):
    def test_a_trip_goes_with_all_that_is_its_own_and_with_nothing_of_others(self) -> None:
        before = self.files()
        sent, sheet = self.out("D")
        stays = self.applied("stays")
        self.back(sheet)
        at_first = self.files()
        trip = self.applied("goes", "B-004")
        self.assertGreater(len(self.files() - at_first), 3)
        answer = self.client.delete(f"/api/trips/{trip.pk}")
        self.assertEqual(answer.status_code, 200, answer.content)
        told = answer.json()
        self.assertGreater(told["bytes"], 1000)
        receipt = KeptReceipt.objects.get(trip=trip.pk)
        self.assertEqual(self.files() - at_first, {receipt.path})
        self.assertEqual(at_first - self.files(), set(), "of the other trips nothing went")
        self.assertLess(before, self.files())
        self.nothing_named_is_missing()
        for gone in (Trip, Pass, Job):
            self.assertFalse(gone.objects.filter(**{"pk" if gone is Trip else "trip": trip.pk}).exists())
        for kept in (stays, sent):
            self.assertEqual(self.client.get(f"/api/trips/{kept.pk}").status_code, 200)
        self.assertEqual(self.client.get(f"/api/trips/{stays.pk}/rows").status_code, 200)
        self.assertEqual(self.client.get(f"/api/trips/{trip.pk}").status_code, 404)
        self.assertEqual(self.client.delete(f"/api/trips/{trip.pk}").status_code, 422)
        entry = Entry.objects.filter(what="deleted").latest("id")
        self.assertEqual((entry.trip, entry.application), (trip.pk, "harbour-practice"))
        self.assertIn("its receipt is kept", entry.message)
        self.assertNotIn("goes", entry.message)
        self.assertGreater(Entry.objects.filter(trip=trip.pk).count(), 2, "what was done stays written down")

    def test_its_receipt_tells_what_was_written_after_it_has_gone(self) -> None:
        trip = self.applied("as evidence", "B-005")
        self.client.delete(f"/api/trips/{trip.pk}")
        number = next(one["id"] for one in self.client.get("/api/upkeep").json()["receipts"] if one["trip"] == trip.pk)
        answer = self.client.get(f"/api/upkeep/receipts/{number}")
        path = self.vexo.data / "r.xlsx"
        path.write_bytes(b"".join(answer.streaming_content))
        import openpyxl

        book = openpyxl.load_workbook(path)
        text = "\n".join(str(cell.value) for sheet in book for line in sheet for cell in line if cell.value)
        self.assertIn("as evidence", text)
        self.assertIn("ada", text.lower())

    def test_without_its_receipt_nothing_of_it_stays_and_no_nonsense_is_taken_for_yes(self) -> None:
        trip = self.applied("without", "B-006")
        self.assertEqual(self.client.delete(f"/api/trips/{trip.pk}?receipts=no").status_code, 400)
        self.assertEqual(self.client.delete(f"/api/trips/{trip.pk}?receipt=delete").status_code, 422)
        self.assertTrue(Trip.objects.filter(pk=trip.pk).exists())
        told = self.client.delete(f"/api/trips/{trip.pk}?receipts=delete").json()
        self.assertEqual(told["receipts"], 0)
        self.assertFalse(any(f"/{trip.pk}/" in name for name in self.files()))
        self.assertFalse(KeptReceipt.objects.filter(trip=trip.pk).exists())

    def test_never_while_a_pass_is_open_a_plan_waits_or_work_goes_on(self) -> None:
        trip = self.applied("open", "B-007")
        for state in Pass.OPEN:
            Pass.objects.filter(trip=trip).update(state=state)
            self.assertIn("has not ended", self.client.delete(f"/api/trips/{trip.pk}").json()["detail"])
            self.aged(trip, 9)
            self.assertNotIn(
                trip.pk, [one.pk for one in retention.old_trips(retention.KeepFor(trips=1), timezone.now())]
            )
        Pass.objects.filter(trip=trip).update(state=Pass.ENDED)
        plan = Pass.objects.get(trip=trip).plan
        waits = Scheduled.objects.create(trip=trip, plan=plan, at=timezone.now(), by="ada")
        self.assertIn("waits for its time", self.client.delete(f"/api/trips/{trip.pk}").json()["detail"])
        waits.delete()
        job = enqueue("plan", "ada", view_of(trip))
        self.assertIn("under way", self.client.delete(f"/api/trips/{trip.pk}").json()["detail"])
        job.delete()
        self.assertEqual(self.client.delete(f"/api/trips/{trip.pk}").status_code, 200)

    def test_only_administrators_by_any_way(self) -> None:
        trip = self.bring(BERTHS.format("B-008", "mine"))
        for role in ("viewer", "preparer", "operator"):
            one = services.add(self.person, f"u-{role}", role, role)
            client = Client()
            client.force_login(one)
            self.assertEqual(client.delete(f"/api/trips/{trip.pk}").status_code, 403)
            self.assertEqual(client.get("/api/upkeep").status_code, 403)
            with self.assertRaises(NotAllowed):
                deleting.delete_by_hand(one, trip.pk)
            with self.assertRaises(NotAllowed):
                retention.set_retention(one, trips=3)
            for command in (("delete", str(trip.pk), "--yes"), ("disk",), ("retention", "--trips", "3", "--keep")):
                self.assertEqual(self.vexo.run("--as", one.username, *command).returncode, 2, command)
        told = self.vexo.json("--as", "ada", "delete", str(trip.pk), "--yes")
        self.assertEqual((told["deleted"], told["receipts"]), (trip.pk, 0))

    def test_a_moved_trip_lives_on_without_the_one_it_came_from_and_the_other_way_round(self) -> None:
        _, sheet = self.out("E")
        job = self.back(sheet)
        first = self.trip_of(job)
        self.vexo.run("--as", "ada", "move", str(first.pk), "harbour-live")
        moved = Trip.objects.latest("id")
        self.assertEqual(moved.moved_from_id, first.pk)
        self.client.delete(f"/api/trips/{first.pk}")
        self.nothing_named_is_missing()
        self.assertEqual(run_inline(enqueue("plan", "ada", view_of(moved), run_here=True)).error, "")
        self.client.delete(f"/api/trips/{moved.pk}")
        self.nothing_named_is_missing()

    def test_a_receipt_that_cannot_be_made_leaves_the_trip(self) -> None:
        trip = self.applied("lost", "B-009")
        pass_ = Pass.objects.get(trip=trip)
        (self.vexo.data / pass_.plan_file).unlink()
        self.assertEqual(self.client.delete(f"/api/trips/{trip.pk}").status_code, 422)
        self.assertTrue(Trip.objects.filter(pk=trip.pk).exists())
        self.assertEqual([name for name in self.files() if name.startswith(f"files/receipts/receipt-{trip.pk}")], [])
        self.assertEqual(self.client.delete(f"/api/trips/{trip.pk}?receipts=delete").status_code, 200)


class Retention(UpkeepCase):
    def test_by_default_nothing_goes_but_what_nobody_could_use(self) -> None:
        trip = self.applied("old", "C-001")
        self.aged(trip, 5000)
        before, entries = self.files(), Entry.objects.count()
        gone = self.thin()
        self.assertEqual({kind: count for kind, count in gone.items() if count and kind != "sessions"}, {})
        self.assertEqual((self.files(), Entry.objects.count()), (before, entries))

    def test_what_is_shown_before_is_what_goes_kind_by_kind(self) -> None:
        old, new = self.applied("old", "C-002"), self.applied("new", "C-003")
        out, sheet = self.out("A")
        self.aged(old, 100)
        self.aged(out, 100)
        upload = receive.take_file(sheet, "ada")
        Upload.objects.filter(pk=upload.pk).update(began_at=timezone.now() - timedelta(days=50))
        shown = {one["kind"]: one for one in self.client.get("/api/upkeep/over?trips=99&copies=99&uploads=40").json()}
        self.assertEqual(shown["trips"]["count"], 2)
        self.assertEqual(shown["uploads"]["count"], 1)
        self.assertTrue(Trip.objects.filter(pk=old.pk).exists(), "only shown")
        told = self.client.put("/api/upkeep", {"trips": 99, "uploads": 40}, content_type="application/json").json()
        self.assertEqual({one["kind"]: one["count"] for one in told["over"]}["trips"], 2)
        size = sum(room.bytes for room in disk.room_taken() if room.kind != "database")
        gone = self.thin()
        self.assertEqual((gone["trips"], gone["uploads"]), (2, 1))
        freed = size - sum(room.bytes for room in disk.room_taken() if room.kind != "database")
        receipts = sum(KeptReceipt.objects.filter(trip=old.pk).values_list("size", flat=True))
        self.assertAlmostEqual(freed + receipts, shown["trips"]["bytes"] + shown["uploads"]["bytes"], delta=4096)
        self.assertFalse(Trip.objects.filter(pk__in=[old.pk, out.pk]).exists())
        self.assertTrue(Trip.objects.filter(pk=new.pk).exists())
        self.assertTrue(KeptReceipt.objects.filter(trip=old.pk).exists())
        self.nothing_named_is_missing()
        self.assertEqual(self.thin()["trips"], 0, "twice is as once")

    def test_a_trip_that_somebody_takes_up_again_meanwhile_stays(self) -> None:
        trip = self.bring(BERTHS.format("C-010", "taken up"))
        self.aged(trip, 100)
        InstallationSettings.objects.create(pk=1, keep_trips_days=50, keep_copies_days=50)
        now = timezone.now()
        listed, original = retention.old_trips(retention.KeepFor(trips=50), now), retention.old_trips

        def then_touched(*arguments: Any) -> Any:
            found = original(*arguments)
            Trip.objects.filter(pk=trip.pk).update(touched_at=timezone.now())
            return found

        self.assertIn(trip.pk, [one.pk for one in listed])
        with patch.object(retention, "old_trips", then_touched):
            self.assertEqual(self.thin()["trips"], 0)
        self.assertTrue(Trip.objects.filter(pk=trip.pk).exists())

    def test_a_kept_copy_that_went_is_said_wherever_it_would_be_needed(self) -> None:
        trip, sheet = self.out("F")
        self.aged(trip, 20)
        InstallationSettings.objects.create(pk=1, keep_copies_days=10)
        self.assertEqual(self.thin()["copies"], 1)
        self.assertEqual(KeptCopy.objects.get(trip=trip).path, artifacts.THINNED)
        job = self.back(sheet, trip=str(trip.pk))
        self.assertIn("not kept any more", job.error)
        self.assertIn("not kept any more", run_inline(enqueue("compare", "ada", view_of(trip), run_here=True)).error)
        self.assertEqual(self.client.get(f"/api/trips/{trip.pk}").status_code, 200)
        kept = self.client.get(f"/api/trips/{trip.pk}/kept.csv")
        self.assertEqual(kept.status_code, 422)
        self.assertIn("Send the records out again", kept.json()["detail"])
        again, _ = self.out("F")
        self.assertTrue(KeptCopy.objects.filter(trip=again).exclude(path=artifacts.THINNED).exists())
        self.nothing_named_is_missing()

    def test_receipts_of_deleted_trips_go_after_their_time(self) -> None:
        trip = self.applied("receipt", "C-004")
        self.client.delete(f"/api/trips/{trip.pk}")
        receipt = KeptReceipt.objects.get(trip=trip.pk)
        InstallationSettings.objects.create(pk=1, keep_receipts_days=10)
        self.assertEqual(self.thin()["receipts"], 0)
        KeptReceipt.objects.filter(pk=receipt.pk).update(kept_at=timezone.now() - timedelta(days=11))
        self.assertEqual(self.thin()["receipts"], 1)
        self.assertFalse((self.vexo.data / receipt.path).exists())

    def test_the_journal_loses_its_beginning_and_can_be_verified_all_the_same(self) -> None:
        vexo = Vexo(connect=False)
        vexo.use()
        for message in ("one", "two", "three"):
            note("ada", "tried", message)
        kept = Entry.objects.latest("id").seal
        with sqlite3.connect(vexo.data / "vexo.db") as database:
            database.execute("DROP TRIGGER journal_no_update")
            long_ago = (timezone.now() - timedelta(days=100)).replace(tzinfo=None).isoformat(" ")
            database.execute("UPDATE journal_entry SET at = ?", (long_ago,))
        # Written anew with the time that it would have had, so that the seals are those of that time.
        from vexo.server.journal.seals import SEALED, seal

        before = ""
        for entry in Entry.objects.order_by("id").values("id", "way", *SEALED):
            before = seal(before, entry)
            with sqlite3.connect(vexo.data / "vexo.db") as database:
                database.execute("UPDATE journal_entry SET seal = ? WHERE id = ?", (before, entry["id"]))
        last = Entry.objects.latest("id")
        self.assertIsNone(verify(last.seal).broken)
        new = note("ada", "tried", "today")
        InstallationSettings.objects.create(pk=1, keep_journal_days=90)
        self.assertEqual(self.thin()["journal"], last.pk)
        verified = verify(new.seal)
        self.assertEqual((verified.broken, verified.first, verified.sealed_so), (None, last.pk + 1, new.pk))
        self.assertIsNone(verify(kept).sealed_so)
        with sqlite3.connect(vexo.data / "vexo.db") as database, self.assertRaises(sqlite3.IntegrityError):
            database.execute("DELETE FROM journal_entry")
        # Whoever takes more off shows.
        with sqlite3.connect(vexo.data / "vexo.db") as database:
            database.execute("DROP TRIGGER journal_no_delete")
            database.execute("DELETE FROM journal_entry WHERE id = ?", (new.pk,))
        self.assertIsNotNone(verify().broken)

    def test_numbers_that_cannot_be_meant_are_refused_and_a_change_is_written_down(self) -> None:
        for body in ({"journal": 5}, {"trips": 40_000}, {"idle_minutes": 10**6}, {"trips": -1}, {"trip": 3}):
            answer = self.client.put("/api/upkeep", body, content_type="application/json")
            self.assertIn(answer.status_code, (400, 422), body)
        self.assertEqual(InstallationSettings.objects.count(), 0)
        with self.assertRaises(PlainError):
            retention.set_retention(self.person, tripz=3)
        self.client.put("/api/upkeep", {"trips": 365, "idle_minutes": 60}, content_type="application/json")
        entry = Entry.objects.filter(what="settings").latest("id")
        self.assertEqual(entry.message, "Changed how long things are kept: trips 0 → 365, idle 720 → 60")
        count = Entry.objects.filter(what="settings").count()
        self.client.put("/api/upkeep", {"trips": 365}, content_type="application/json")
        self.assertEqual(Entry.objects.filter(what="settings").count(), count)
        told = self.vexo.json("--as", "ada", "retention", "--trips", "30")
        self.assertEqual((told["keep"]["trips"], InstallationSettings.objects.get().keep_trips_days), (30, 365))
        told = self.vexo.json("--as", "ada", "retention", "--trips", "30", "--keep", "--now")
        self.assertEqual(InstallationSettings.objects.get().keep_trips_days, 30)
        self.assertIsNotNone(told["gone"])
        self.assertEqual(self.vexo.run("--as", "ada", "retention", "--trips", "3", "--now").returncode, 2)

    def test_a_worker_looks_four_times_a_day_and_of_several_one_does(self) -> None:
        Job.objects.filter(kind="thin").delete()
        enqueue_due()
        enqueue_due()
        job = Job.objects.get(kind="thin")
        run_inline(job)
        enqueue_due()
        self.assertEqual(Job.objects.filter(kind="thin").count(), 1)
        Job.objects.filter(pk=job.pk).update(created_at=timezone.now() - timedelta(hours=7))
        enqueue_due()
        self.assertEqual(Job.objects.filter(kind="thin").count(), 2)
        Job.objects.filter(kind="thin").update(state=Job.DONE, created_at=timezone.now() + timedelta(days=9))
        enqueue_due()
        self.assertEqual(Job.objects.filter(kind="thin").count(), 3, "a clock that was set back stops nothing")
        Job.objects.filter(kind="thin").delete()

    def test_sessions_that_have_ended_go(self) -> None:
        Session.objects.all().delete()
        for _ in range(3):
            Client().force_login(self.person)
        Session.objects.filter(pk__in=Session.objects.values("pk")[:2]).update(expire_date=timezone.now())
        self.assertEqual(self.thin()["sessions"], 2)
        self.assertEqual(Session.objects.count(), 1)


class Masked(UpkeepCase):
    def rules(self, **said: Any) -> None:
        body = {"said": {"Berth": said} if said else {}}
        answer = self.client.put("/api/applications/harbour-practice/rules", body, content_type="application/json")
        self.assertEqual(answer.status_code, 200, answer.content)
        self.addCleanup(
            self.client.put, "/api/applications/harbour-practice/rules", {"said": {}}, content_type="application/json"
        )

    def holds(self, text: str) -> list[str]:
        """Files in which a text stands, as it is or within a workbook or a table."""
        import polars as pl

        found = []
        for path in self.vexo.data.rglob("*"):
            if not path.is_file() or "harbour" in path.parts:
                continue
            content = path.read_bytes()
            if path.suffix == ".parquet":
                content = str(pl.read_parquet(path).to_dicts()).encode()
            elif path.suffix == ".xlsx":
                import zipfile

                with zipfile.ZipFile(path) as archive:
                    content = b"".join(archive.read(name) for name in archive.namelist())
            if text.encode() in content:
                found.append(str(path.relative_to(self.vexo.data)))
        return sorted(found)

    def test_nothing_of_a_masked_field_stands_anywhere_a_day_after_its_trip_is_over(self) -> None:
        secret = "Telephone of the mistress"
        self.rules(masked=["notes"])
        trip = self.applied(secret, "B-011")
        self.assertGreater(len(self.holds(secret)), 3, "while it is open its files have it")
        self.assertEqual(self.thin()["masked"], 0, "it can still be looked at, and taken back")
        open_trip = self.bring(BERTHS.format("B-012", "still open, and so kept"))
        for one in (trip, open_trip):
            self.aged(one, 2)
        self.assertEqual(self.thin()["masked"], 1)
        self.assertFalse(Trip.objects.filter(pk=trip.pk).exists())
        self.assertTrue(Trip.objects.filter(pk=open_trip.pk).exists(), "it is not over")
        from django.db import connection

        connection.close()
        # What was written stands in the application now, and so in what the trip that is open has read of it.
        own = (f"stages/{open_trip.pk}/", f"files/{open_trip.pk}/")
        self.assertEqual([name for name in self.holds(secret) if not name.startswith(own)], [])
        receipt = KeptReceipt.objects.get(trip=trip.pk)
        import openpyxl

        book = openpyxl.load_workbook(self.vexo.data / receipt.path)
        cells = [str(cell.value) for sheet in book for line in sheet for cell in line]
        self.assertIn("B-011", cells)
        self.assertIn("updated", cells)
        self.assertFalse([cell for cell in cells if "notes" in cell.lower()], cells)

    def test_other_types_applications_and_fields_are_kept(self) -> None:
        self.rules(masked=["notes"])
        holder = self.bring("holder_no,name\nH-0001,Someone\n", record_type="Holder")
        live = self.bring(BERTHS.format("B-013", "live"), application=self.live)
        for one in (holder, live):
            self.aged(one, 99)
        self.assertEqual(self.thin()["masked"], 0)
        self.assertEqual(retention.masked_trips(timezone.now()), [])

    def test_a_field_that_is_not_there_cannot_be_masked_and_the_command_line_says_it_too(self) -> None:
        body = {"said": {"Berth": {"masked": ["no-such"]}}}
        answer = self.client.put("/api/applications/harbour-practice/rules", body, content_type="application/json")
        self.assertEqual(answer.status_code, 422)
        rules = ("--as", "ada", "rules", "harbour-practice")
        said = self.vexo.json(*rules, "--mask", "berth.notes", "--mask", "Berth.berth_no")
        self.assertEqual(said["said"], {"Berth": {"masked": ["berth_no", "notes"]}})
        said = self.vexo.json("--as", "ada", "rules", "harbour-practice", "--unmask", "Berth.notes")
        self.assertEqual(said["said"], {"Berth": {"masked": ["berth_no"]}})
        self.rules()


class Uploads(UpkeepCase):
    def begin(self, size: int = 1000, by: str = "ada") -> Upload:
        return receive.begin("half.csv", size, by)

    def test_a_half_upload_can_be_left_and_is_gone_after_a_day(self) -> None:
        Upload.objects.all().delete()
        half, other = self.begin(), self.begin(by="ines")
        receive.add(half.pk, "ada", 0, b"x" * 500)
        self.assertEqual(self.client.delete(f"/api/uploads/{other.pk}").status_code, 422, "another's")
        self.assertEqual(self.client.delete(f"/api/uploads/{half.pk}").status_code, 200)
        self.assertFalse((self.vexo.data / half.path).exists())
        self.assertEqual(self.thin()["uploads"], 0)
        Upload.objects.filter(pk=other.pk).update(began_at=timezone.now() - timedelta(hours=25))
        self.assertEqual(self.thin()["uploads"], 1)
        self.assertFalse((self.vexo.data / other.path).exists())

    def test_one_person_cannot_fill_the_disk_with_halves_but_others_go_on(self) -> None:
        Upload.objects.all().delete()
        for _ in range(20):
            self.begin(10)
        with self.assertRaisesRegex(PlainError, "have not come whole"):
            self.begin(10)
        self.begin(10, "ines")
        Upload.objects.all().delete()
        for _ in range(60):
            receive.add(self.begin(10).pk, "ada", 0, b"x" * 10)
        Upload.objects.all().delete()
        self.begin(receive.LARGEST)
        self.begin(receive.LARGEST)
        with self.assertRaises(PlainError):
            self.begin(1)
        Upload.objects.all().delete()

    def test_a_backup_has_no_halves(self) -> None:
        Upload.objects.all().delete()
        half = self.begin()
        whole = receive.take_file(self.text("a,b\n1,2\n"), "ada")
        target = self.vexo.data / "b.tar.gz"
        self.vexo.run("--as", "ada", "backup", str(target))
        import tarfile

        with tarfile.open(target) as tar:
            names = tar.getnames()
        self.assertIn(whole.path, names)
        self.assertNotIn(half.path, names)
        self.assertIn("is whole", self.vexo.run("restore", "--check", str(target)).stdout)


class Disk(UpkeepCase):
    def test_each_file_counts_once_under_one_kind(self) -> None:
        self.applied("room", "C-009")
        self.out("B")
        (self.vexo.data / "files" / "uploads").mkdir(exist_ok=True)
        told = self.vexo.json("--as", "ada", "disk")
        self.assertEqual([one["kind"] for one in told["room"]], list(disk.KINDS))
        files = [path for path in self.vexo.data.rglob("*") if path.is_file()]
        self.assertAlmostEqual(sum(one["files"] for one in told["room"]), len(files), delta=2)
        by_kind = {one["kind"]: one for one in told["room"]}
        for kind in ("database", "sheets", "kept copies", "plans and passes", "uploads", "cache"):
            self.assertGreater(by_kind[kind]["bytes"], 0, kind)
        self.assertGreater(told["free"], 0)
        self.assertIn("are free on its disk", self.vexo.run("--as", "ada", "disk").stdout)
        self.assertEqual(disk.kind_of(Path("files/7/kept-1.parquet")), "kept copies")
        self.assertEqual(disk.kind_of(Path("files/uploads/7")), "uploads")
        self.assertEqual(disk.kind_of(Path("stages/7/plan-1.parquet")), "cache")

    def test_metrics_are_for_who_is_known_and_say_what_is_open(self) -> None:
        self.assertEqual(Client().get("/metrics").status_code, 401)
        text = self.client.get("/metrics").content.decode()
        for name in (
            "vexo_up{",
            "vexo_jobs",
            "vexo_disk_bytes{kind=",
            "vexo_requests_total{",
            "vexo_request_seconds_bucket",
        ):
            self.assertIn(name, text)
        self.assertIn('vexo_trouble{code="worker"}', text)
        self.assertNotIn("Quillfeather", text)
        from prometheus_client.parser import text_string_to_metric_families

        self.assertGreater(len(list(text_string_to_metric_families(text))), 8)
