"""What the screens do the command line does too: files, what did not go out, notices, kept receipts, groups."""

from __future__ import annotations

import csv
import io
import zipfile
from typing import Any

import openpyxl

from tests.server.services import ServiceCase, view_of
from tests.support import register, template, temporary_folder

template()

from django.test import Client  # noqa: E402

from vexo.server.applications.models import Application  # noqa: E402
from vexo.server.jobs.worker import enqueue, run_inline  # noqa: E402
from vexo.server.journal.models import Entry  # noqa: E402
from vexo.server.notices.kinds import NoticeKind  # noqa: E402
from vexo.server.notices.services import tell_people, unread  # noqa: E402
from vexo.server.sendout.send_out import new_trip  # noqa: E402
from vexo.server.upkeep.models import KeptReceipt  # noqa: E402

BERTHS = "harbour eq 'TERNISLAND' and startswith(berth_no,'{}-')"


class ByCommand(ServiceCase):
    def setUp(self) -> None:
        super().setUp()
        self.client, self.folder = Client(), temporary_folder()
        self.client.force_login(self.person)

    def told(self, *words: str) -> Any:
        return self.vexo.json("--as", "ada", *words)

    def last_note(self) -> tuple[str, str]:
        entry = Entry.objects.order_by("-id")[0]
        return entry.what, entry.file

    def test_the_files_of_a_trip_are_listed_and_written_as_they_went_and_came(self) -> None:
        trip, path = self.out("B", "notes", format_="csv")
        self.assertEqual(self.back(path).error, "")
        listed = self.told("files", str(trip.pk))["files"]
        self.assertEqual([(one["number"], one["direction"]) for one in listed], [("1", "out"), ("2", "in")])
        self.assertIn(listed[0]["name"], self.vexo.run("--as", "ada", "files", str(trip.pk)).stdout)
        for one in listed:
            target = self.folder / f"{one['number']}.csv"
            self.told("files", str(trip.pk), "--save", one["number"], "-o", str(target))
            same = b"".join(self.client.get(f"/api/trips/{trip.pk}/sheets/{one['sheet']}"))
            self.assertEqual(target.read_bytes(), same)
            self.assertEqual(self.last_note(), ("downloaded", one["name"]), "the API's")
        self.told("files", str(trip.pk), "--sent", "-o", str(self.folder / "all.zip"))
        self.assertEqual(zipfile.ZipFile(self.folder / "all.zip").namelist(), [listed[0]["name"]])
        self.told("files", str(trip.pk), "--kept", "-o", str(self.folder / "kept.csv"))
        self.assertEqual(self.last_note(), ("downloaded", "kept.csv"))
        kept = list(csv.reader(io.StringIO((self.folder / "kept.csv").read_text(encoding="utf-8-sig"))))
        self.assertEqual(len(kept) - 1, listed[0]["rows"])
        for wrong in (
            ("--save", "9", "-o", str(self.folder / "x")),
            ("--save", "1", "-o", str(self.folder / "no" / "x")),
            ("--kept", "-o", str(self.folder / "x.pdf")),
            ("--kept", "--sent", "-o", str(self.folder / "x")),
            ("--save", "1"),
        ):
            self.vexo.fails("--as", "ada", "files", str(trip.pk), *wrong)
        self.assertFalse((self.folder / "x").exists())
        own = self.bring("harbour,berth_no,notes\nTERNISLAND,A-001,x\n")
        self.vexo.fails("--as", "ada", "files", str(own.pk), "--sent", "-o", str(self.folder / "x.zip"))

    def test_while_a_sheet_is_planned_by_somebody_else_that_is_said(self) -> None:
        trip = self.bring("harbour,berth_no,notes\nTERNISLAND,A-005,x\n")
        trip.plans.all().delete()
        self.assertIn("Plan it first", self.vexo.fails("--as", "ada", "review", str(trip.pk)))
        job = enqueue("plan", "ada", view_of(trip), fresh=True)
        self.assertIn("is being planned just now", self.vexo.fails("--as", "ada", "review", str(trip.pk)))
        run_inline(job)
        self.assertEqual(self.told("review", str(trip.pk))["trip"], trip.pk)

    def test_what_did_not_go_out_goes_on(self) -> None:
        trip = new_trip(self.practice, "Berth", "ada", ("notes",), BERTHS.format("B"), "Letter B")
        target = self.folder / "b.xlsx"
        place = Application.objects.filter(pk=self.practice.pk)
        place.update(address="http://127.0.0.1:9/")
        self.vexo.fails("--as", "ada", "send-on", str(trip.pk), "-o", str(target))
        place.update(address=self.practice.address)
        told = self.told("send-on", str(trip.pk), "-o", str(target))
        there = register().get("Berths", **{"$filter": BERTHS.format("B"), "$top": "500"})["value"]
        self.assertEqual(told["rows"], len(there))
        self.assertTrue(target.exists())
        self.assertIn("Nothing is left to send out", self.vexo.fails("--as", "ada", "send-on", str(trip.pk), "-o", "x"))

    def test_notices_are_listed_seen_and_wished_for(self) -> None:
        tell_people(NoticeKind.PASS_ENDED, ["ada"], "Pass 1 of trip 7 ended: 1,204 updated", 7)
        self.assertEqual(self.told("notices")["notices"][0]["new"], True)
        self.assertIn("Pass 1 of trip 7 ended", self.vexo.run("--as", "ada", "notices", "--seen").stdout)
        self.assertEqual(unread(self.person), 0)
        done = self.vexo.run("--as", "ada", "notices", "--email", "ada@example.org", "--tell", "pass ended=both")
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertEqual(self.told("notices")["wishes"]["pass ended"], {"listed": True, "mailed": True})
        for wrong in ("pass ended", "pass ended=loudly", "nothing=list"):
            self.vexo.fails("--as", "ada", "notices", "--tell", wrong)
        self.assertIn("e-mail address", self.vexo.fails("--as", "ada", "notices", "--email", "nobody"))
        self.assertIn("--as PERSON", self.vexo.fails("notices"))

    def test_receipts_of_deleted_trips_are_listed_and_written(self) -> None:
        trip = self.bring("harbour,berth_no,notes\nTERNISLAND,A-002,kept\n")
        self.apply(trip)
        self.assertIn("No receipt", self.vexo.run("--as", "ada", "receipts").stdout)
        self.told("delete", str(trip.pk), "--yes")
        [receipt] = self.told("receipts")["receipts"]
        self.assertEqual((receipt["trip"], receipt["title"]), (trip.pk, trip.title))
        target = self.folder / "receipt.xlsx"
        self.told("receipts", "--save", str(receipt["id"]), "-o", str(target))
        self.assertEqual(self.last_note(), ("downloaded", f"receipt-of-trip-{trip.pk}.xlsx"))
        texts = {cell for row in openpyxl.load_workbook(target).active.iter_rows(values_only=True) for cell in row}
        self.assertIn("kept", texts)
        self.assertEqual(b"".join(self.client.get(f"/api/upkeep/receipts/{receipt['id']}")), target.read_bytes())
        self.assertEqual(self.client.get("/api/upkeep/receipts/999").status_code, 404)
        for wrong in (("--save", "999", "-o", str(target)), ("--save", "1"), ("-o", str(target))):
            self.vexo.fails("--as", "ada", "receipts", *wrong)
        KeptReceipt.objects.all().delete()

    def test_the_sum_for_each_value_of_a_column(self) -> None:
        rows = [("TERNISLAND", "A-003", "by group"), ("TERNISLAND", "A-0O4", "x"), ("EELGRASS", "A-001", "by group")]
        trip = self.bring("harbour,berth_no,notes\n" + "".join(f"{','.join(row)}\n" for row in rows))
        self.decide(trip, "aside", [1])
        self.apply(trip)
        groups = self.told("outcome", str(trip.pk), "--by", "harbour")["groups"]
        refused = self.bring("harbour,berth_no,daily_rate\nTERNISLAND,A-006,0.00\n")
        self.apply(refused)
        told = self.vexo.run("--as", "ada", "outcome", str(refused.pk), "--by", "harbour", "--json")
        self.assertEqual((told.returncode, told.stdout.count("\n")), (1, 1), "one row is open, and that is one object")
        answer = self.client.get(f"/api/trips/{trip.pk}/groups?column=harbour").json()
        self.assertEqual(groups, answer)
        told = self.vexo.run("--as", "ada", "outcome", str(trip.pk), "--by", "harbour").stdout
        self.assertIn("TERNISLAND: 2 rows read = 1 updated + 1 aside\nEELGRASS: 1 row read = 1 updated\n", told)
        self.assertIn("has no column", self.vexo.fails("--as", "ada", "outcome", str(trip.pk), "--by", "nothing"))
