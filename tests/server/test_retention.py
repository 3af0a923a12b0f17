"""How long things are kept: nothing goes that is needed, nothing stays that should go."""

from __future__ import annotations

import sqlite3
from datetime import timedelta
from typing import Any
from unittest.mock import patch

from tests.server.services import view_of
from tests.support import Vexo, template, temporary_folder

template()

from django.test import Client  # noqa: E402
from django.utils import timezone  # noqa: E402

from tests.server.upkeep_case import BERTHS, UpkeepCase  # noqa: E402
from vexo.core.documents import SendOut, Share  # noqa: E402
from vexo.server import artifacts  # noqa: E402
from vexo.server.data_folder import absolute  # noqa: E402
from vexo.server.errors import PlainError  # noqa: E402
from vexo.server.installation.models import InstallationSettings  # noqa: E402
from vexo.server.jobs.models import Job  # noqa: E402
from vexo.server.jobs.worker import enqueue, enqueue_due, run_inline  # noqa: E402
from vexo.server.journal.models import Entry  # noqa: E402
from vexo.server.journal.seals import verify  # noqa: E402
from vexo.server.journal.services import note  # noqa: E402
from vexo.server.passes.models import Pass  # noqa: E402
from vexo.server.people.models import Session  # noqa: E402
from vexo.server.sendout.selection import begin  # noqa: E402
from vexo.server.trips.models import KeptCopy, Trip  # noqa: E402
from vexo.server.trips.part_view import PartView  # noqa: E402
from vexo.server.trips.status import TripStatus  # noqa: E402
from vexo.server.upkeep import disk, retention, thinning  # noqa: E402
from vexo.server.upkeep.models import KeptReceipt  # noqa: E402
from vexo.server.uploads import receive  # noqa: E402
from vexo.server.uploads.models import Upload  # noqa: E402


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
        with patch.object(thinning, "old_trips", then_touched):
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

    def test_a_trip_with_rows_that_are_not_in_is_not_over(self) -> None:
        """Rows that were not sent when its pass was stopped, and refused rows of a part that came in before another."""
        self.rules(masked=["notes"])
        stopped = self.bring(BERTHS.format("B-014", "not sent"))
        job = self.start(stopped)
        Job.objects.filter(pk=job.pk).update(wanted="stop")
        run_inline(job)
        self.assertEqual(self.last_pass(stopped).state, Pass.STOPPED)
        where = "harbour in ('OLDBASIN','TERNISLAND') and startswith(berth_no,'B-') and holder eq null"
        parts = begin(
            self.practice,
            SendOut("Berth", ("notes", "status"), where, share=Share("harbour"), format="xlsx"),
            "ada",
            "Two harbours",
        )
        out = run_inline(enqueue("send out", "ada", PartView.of(parts), run_here=True))
        self.assertEqual(out.error, "")
        edits = ((5, "let"), (4, "masked"))
        for sheet, edit in zip(parts.sheets.order_by("part__number"), edits, strict=True):
            path = temporary_folder() / sheet.name
            path.write_bytes(absolute(sheet.path).read_bytes())
            job = self.back(self.edited(path, lambda book, edit=edit: book.cell(2, *edit)))
            self.assertEqual(job.error, "")
            sent = self.apply(Trip.objects.get(pk=parts.pk))
            self.assertEqual(sent.totals["refused"], int(edit[1] == "let"), sent.totals)
        states = [TripStatus(PartView.of(Trip.objects.get(pk=parts.pk), number)).finished for number in (1, 2)]
        for one in (stopped, parts):
            self.aged(one, 2)
        self.assertEqual(self.thin()["masked"], 0, states)

    def test_a_trip_on_which_nothing_is_to_be_written_is_over(self) -> None:
        """Nobody would ever apply it, so what is masked would stand there for ever."""
        self.rules(masked=["notes"])
        text = "Same as before, and secret"
        self.applied(text, "B-015")
        same = self.bring(BERTHS.format("B-015", text))
        self.assertEqual(self.verdicts(same), ["same"])
        held = self.bring("harbour,berth_no,notes\nTERNISLAND,B-0I5,near\n")
        self.aged(same, 2)
        self.aged(held, 2)
        self.assertEqual(self.thin()["masked"], 1)
        self.assertFalse(Trip.objects.filter(pk=same.pk).exists())
        self.assertTrue(Trip.objects.filter(pk=held.pk).exists(), "a row of it waits for somebody")

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
