"""A key that a spreadsheet harmed, in a sheet that records are made the same as."""

from __future__ import annotations

from typing import Any

from tests.server.test_make_same import SameCase
from tests.support import template

template()

from vexo.server.data_folder import absolute  # noqa: E402
from vexo.server.jobs.worker import enqueue, run_inline  # noqa: E402
from vexo.server.sendout.send_out import new_trip  # noqa: E402
from vexo.server.trips.part_view import PartView  # noqa: E402


class Damaged(SameCase):
    def test_a_key_that_a_spreadsheet_turned_into_a_day_keeps_the_record_that_it_was(self) -> None:
        fields = ["season", "length_band", "harbour", "amount"]
        trip = new_trip(self.practice, "TariffLine", "ada", fields, "harbour eq 'TERNISLAND'", "Tariff")
        job = run_inline(enqueue("send out", "ada", PartView.of(trip), run_here=True, format="xlsx"))
        self.assertEqual(job.error, "")

        def harm(sheet: Any) -> None:
            header = [cell.value for cell in sheet[1]]
            band = header.index("Length band") + 1
            for row in range(2, sheet.max_row + 1):
                if sheet.cell(row, band).value == "5-7":
                    sheet.cell(row, band).value = "2026-07-05"
            sheet.delete_cols(1)

        path = self.edited(absolute(job.result["file"]), harm)
        ended = self.back(path, record_type="TariffLine", operation="make-same", key=fields[:3])
        self.assertEqual(ended.error, "")
        found = self.trip_of(ended)
        self.assertEqual(found.pk, trip.pk)
        goes = [one for one, (becomes, _) in self.absent(found).items() if becomes == "delete"]
        self.assertEqual(goes, [], (self.codes(found)[:6], self.absent(found)))
