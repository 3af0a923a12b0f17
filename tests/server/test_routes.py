"""Routes: saved ways of making a trip, out and in."""

from __future__ import annotations

import csv
import io

from tests.server.sending_case import EELGRASS, SendingCase
from tests.support import template, temporary_folder

template()

from vexo.core.documents import BringIn, SendOut, Share  # noqa: E402
from vexo.server.errors import PlainError  # noqa: E402
from vexo.server.routes.models import Route  # noqa: E402
from vexo.server.routes.saved_routes import Wanted, fit_of, keep_route  # noqa: E402


class SavedWays(SendingCase):
    def test_kept_used_changed_and_kept_under_another_name(self) -> None:
        document = SendOut("Berth", ("status", "notes"), EELGRASS, ("-berth_no",))
        route = keep_route(self.person, Wanted("Eelgrass round", self.practice, document))
        says = fit_of(route).says
        self.assertEqual(
            says, "Every Berth where Harbour is EELGRASS, in order of Berth no., highest first: 5 fields, as XLSX."
        )
        trip = self.send(fit_of(route).document or document, route=route)
        route.refresh_from_db()
        self.assertEqual((trip.title, route.used, route.rows), ("Eelgrass round", 1, self.result["rows"]))
        with self.assertRaisesRegex(Exception, "called Eelgrass round already"):
            keep_route(self.person, Wanted("Eelgrass round", self.practice, document))
        changed = keep_route(self.person, Wanted("Eelgrass", self.practice, SendOut("Berth", ("notes",))), route, 1)
        self.assertEqual((changed.version, changed.document.fields), (2, ("id", "harbour", "berth_no", "notes")))
        with self.assertRaisesRegex(Exception, "changed elsewhere"):
            keep_route(self.person, Wanted("Late", self.practice, document), route, 1)

    def test_both_halves_are_of_one_record_type(self) -> None:
        route = keep_route(self.person, Wanted("Both ways", self.practice, SendOut("Berth", ("notes",))))
        holders = Wanted("Both ways", self.practice, bringing=BringIn("Holder", columns={"No.": "holder_no"}))
        with self.assertRaisesRegex(PlainError, "send out Berth and bring in Holder. Keep it under another name"):
            keep_route(self.person, holders, route)
        route.refresh_from_db()
        self.assertEqual((route.record_type, route.import_document), ("Berth", {}))
        berths = Wanted("Both ways", self.practice, bringing=BringIn("Berth", columns={"Remarks": "notes"}))
        self.assertEqual(keep_route(self.person, berths, route).record_type, "Berth")

    def test_one_that_no_longer_fits_says_what_is_gone_and_works_for_the_rest(self) -> None:
        document = SendOut(
            "Berth",
            ("id", "status", "mooring", "notes"),
            "mooring eq 'x'",
            ("mooring", "berth_no"),
            share=Share("mooring"),
        )
        route = Route.objects.create(
            name="Old", application=self.practice, send_document=document.to_json(), made_by="ada"
        )
        fit = fit_of(route)
        self.assertEqual(len(fit.lost), 4)
        self.assertTrue(all("mooring" in lost for lost in fit.lost))
        assert fit.document is not None
        self.assertEqual(
            (fit.document.fields, fit.document.order, fit.document.share, fit.document.condition),
            (("id", "status", "notes"), ("berth_no",), None, ""),
        )
        Route.objects.filter(pk=route.pk).update(send_document=SendOut("Mooring").to_json())
        route.refresh_from_db()
        self.assertIsNone(fit_of(route).document)

    def test_on_the_command_line(self) -> None:
        target = temporary_folder() / "round.csv"
        first = (
            "send-out",
            "harbour-practice",
            "Berth",
            "--field",
            "status",
            "--where",
            EELGRASS,
            "--order",
            "-berth_no",
        )
        self.vexo.json("--as", "ada", *first, "--keep-as", "Nightly", "-o", str(target))
        before = target.read_bytes()
        again = temporary_folder() / "again.csv"
        self.vexo.json("--as", "ada", "send-out", "--route", "Nightly", "-o", str(again))
        self.assertEqual(again.read_bytes(), before)
        listed = self.vexo.json("--as", "ada", "routes")["routes"]
        self.assertIn("highest first", next(r["says"] for r in listed if r["name"] == "Nightly"))
        zipped = temporary_folder() / "parts.zip"
        told = self.vexo.json(
            "--as", "ada", "send-out", "--route", "Nightly", "--share-by", "status", "-o", str(zipped)
        )
        self.assertEqual(
            told["parts"], len({row[3] for row in csv.reader(io.StringIO(before.decode("utf-8-sig")))}) - 1
        )
        ways = ("--share-by", "holder_no", "--keep-as", "By holder", "-o", str(zipped.with_name("holders.zip")))
        failed = self.vexo.run("--as", "ada", "send-out", "harbour-practice", "Holder", *ways)
        self.assertEqual(failed.returncode, 2)
        self.assertIn("Nothing went out. The route By holder is kept all the same.", failed.stderr)
        self.assertIn("at most 500", failed.stderr)
        self.assertTrue(Route.objects.filter(name="By holder").exists())
        done = self.vexo.json("--as", "ada", "routes", "--delete", "Nightly")
        self.assertNotIn("Nightly", [r["name"] for r in done["routes"]])
