"""Numbers as applications have them that name no number of decimals, and of 64 bits: out, back, changed, and told."""

from __future__ import annotations

import json
from decimal import Decimal
from pathlib import Path
from typing import Any

import openpyxl
import polars as pl

from tests.server.services import ServiceCase, view_of
from tests.support import template

template()

from vexo.applications.fake import SERVED, Store  # noqa: E402
from vexo.applications.odata.records import typed  # noqa: E402
from vexo.core.records import Catalogue, Field, Kind, Promises, RecordType  # noqa: E402
from vexo.core.values import to_text  # noqa: E402
from vexo.server.applications.models import Application  # noqa: E402
from vexo.server.applications.services import Connection, connect  # noqa: E402
from vexo.server.data_folder import absolute  # noqa: E402
from vexo.server.jobs.worker import enqueue, run_inline  # noqa: E402
from vexo.server.passes.receipts import write_receipt  # noqa: E402
from vexo.server.rows.pictures import field_picture  # noqa: E402
from vexo.server.sendout.send_out import new_trip  # noqa: E402
from vexo.server.trips.facts import to_json  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402
from vexo.server.trips.trip_pages import totals_of  # noqa: E402

LEVEL, SERIAL = Field("level", "Level", Kind.DECIMAL), Field("serial", "Serial", Kind.WHOLE)
FIELDS = (Field("id", "Record ID", Kind.TEXT, read_only=True), Field("no", "No.", Kind.TEXT), LEVEL, SERIAL)
GAUGE = RecordType("Gauge", "Gauge", "Gauges", "Gauges", "id", FIELDS, (("no",),))
LEVELS = ["0.30000000000000004", "1e-7", "54.123456789012", "-0.5", "123456789.125", "7", "5e-324", "2.50"]
SERIALS = [2**63 - 1, -(2**63), 1_834_567_890_123_456_789, 10**18, 10**15 + 1, 0, 42, 9_007_199_254_740_993]


class AnyNumbers(ServiceCase):
    def setUp(self) -> None:
        super().setUp()
        self.store = SERVED["fake:gauges"] = Store(Catalogue("Gauges", (GAUGE,), Promises(batch=200), "gauges"))
        [levels] = typed([(LEVEL, list(map(Decimal, LEVELS)))])
        for at, (level, serial) in enumerate(zip(levels, SERIALS, strict=True)):
            self.store.put("Gauge", {"no": f"G{at}", "level": level, "serial": serial})
        self.texts = to_text(LEVEL, levels).to_list()
        wanted = Connection("gauges", "fake:gauges", "practice", label="Gauges", protocol="fake", longest_request=0)
        self.gauges = connect(self.person, wanted, change=Application.objects.filter(name="gauges").exists())

    def sent(self, format_: str) -> tuple[Any, Path]:
        trip = new_trip(self.gauges, "Gauge", "ada", ("no", "level", "serial"), "", "Gauges")
        job = run_inline(enqueue("send out", "ada", view_of(trip), run_here=True, format=format_))
        self.assertEqual(job.error, "")
        return trip, absolute(job.result["file"])

    def held(self, name: str) -> list[Any]:
        return [record[name] for record in self.store.records["Gauge"].values()]

    def test_a_sheet_that_comes_back_as_it_went_changes_nothing_in_any_format(self) -> None:
        before = self.held("level"), self.held("serial")
        for format_ in ("csv", "tsv", "xlsx", "ods"):
            with self.subTest(format_):
                trip, path = self.sent(format_)
                job = self.back(path, self.gauges, "Gauge", trip=trip.pk)
                self.assertEqual(job.error, "")
                self.assertEqual(self.verdicts(trip), ["same"] * len(LEVELS))
                self.assertEqual(self.table(trip)["current.serial"].to_list(), SERIALS)
        self.assertEqual((self.held("level"), self.held("serial")), before)

    def test_they_stand_in_the_shortest_form_and_a_workbook_shows_their_decimals(self) -> None:
        _, path = self.sent("csv")
        lines = [line.split(",") for line in path.read_text(encoding="utf-8-sig").splitlines()]
        at = lines[0].index("Level")
        self.assertEqual([line[at] for line in lines[1:]], self.texts)
        self.assertEqual(self.texts[:4], ["0.30000000000000004", "0.0000001", "54.123456789012", "-0.5"])
        _, path = self.sent("xlsx")
        book = openpyxl.load_workbook(path)
        sheet = book[book.sheetnames[0]]
        shown = {cell.number_format for cell in sheet["C"][1:] if not isinstance(cell.value, str)}
        self.assertLessEqual(shown, {"General"}, "no decimals are hidden")

    def test_their_sums_stand_in_the_shortest_form(self) -> None:
        for record in self.store.records["Gauge"].values():
            record["level"] = Decimal("1250.5").quantize(Decimal("1e-18"))
        trip, path = self.sent("csv")
        text = path.read_text(encoding="utf-8-sig")
        path.write_text(text.replace("1250.5", "1250", 1), encoding="utf-8")
        self.assertEqual(self.back(path, self.gauges, "Gauge", trip=trip.pk).error, "")
        trip.refresh_from_db()
        sums = to_json(totals_of(view_of(trip)))["fields"]["level"]
        self.assertEqual((sums["sheet"], sums["planned"], sums["before"]), ("10003.5", "10003.5", "10004"))
        [column] = [one for one in self.newest(trip).summary["columns"] if one["field"] == "level"]
        self.assertEqual((column["before"], column["after"], column["difference"]), ("1250.5", "1250", "-0.5"))
        self.assertEqual(Trip.objects.get(pk=trip.pk).selection["totals"]["level"], "10004")
        for name in ("level", "serial"):
            self.assertNotRegex(json.dumps(to_json(field_picture(view_of(trip), name))), r"\.\d*0{6}|E\+")

    def test_what_is_edited_is_written_to_the_last_digit_and_told_so(self) -> None:
        trip, path = self.sent("csv")
        text = path.read_text(encoding="utf-8-sig")
        edited = text.replace(self.texts[0], "0.123456789012345678").replace(str(SERIALS[2]), str(SERIALS[2] + 1))
        path.write_text(edited, encoding="utf-8")
        self.assertEqual(self.back(path, self.gauges, "Gauge", trip=trip.pk).error, "")
        self.assertEqual(self.verdicts(trip)[:3], ["update", "same", "update"])
        done = self.apply(trip)
        self.assertEqual((done.totals["updated"], done.report["as_sent"]), (2, 2))
        self.assertEqual(self.held("level")[0], Decimal("0.123456789012345678"))
        self.assertEqual(self.held("serial")[2], SERIALS[2] + 1)
        sums = to_json(totals_of(view_of(trip)))["fields"]
        self.assertEqual(Decimal(sums["level"]["after"]), sum(self.held("level")))
        self.assertEqual(int(sums["serial"]["after"]), sum(self.held("serial")))
        receipt = self.vexo.files / "gauges.csv"
        write_receipt(view_of(trip), receipt)
        told = pl.read_csv(receipt, infer_schema=False)
        self.assertIn("0.123456789012345678", told.filter(pl.col("Row") == "2").row(0))

    def test_more_than_can_be_held_is_the_cells_fault_with_its_remedy(self) -> None:
        wrong = ("1e5", "0.1234567890123456789", "12345678901234567890")
        self.assertEqual(
            self.told(*[f"G{at},{text},{SERIALS[at]}" for at, text in enumerate(wrong)]),
            [
                "not-a-number",
                "too-fine",
                "too-large",
            ],
        )
        longest = [f"G{at},{LEVELS[at]},{SERIALS[at]}" for at in (4, 5, 7)]
        self.assertEqual(self.told("G3,-0.5,9223372036854775808", *longest), ["too-large", None, None, None])

    def told(self, *lines: str) -> list[str | None]:
        """The first fault of each row of a sheet of these lines."""
        text = "\n".join(("No.,Level,Serial", *lines))
        job = self.back(self.text(text), self.gauges, "Gauge", trip="new", key=("no",))
        self.assertEqual(job.error, "")
        return [codes[0] if codes else None for codes in self.codes(self.trip_of(job))]
