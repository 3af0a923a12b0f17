"""Trips that are shared out, for tests of their parts."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from tests.server.services import ServiceCase
from tests.support import template, temporary_folder

template()


from vexo.core.documents import SendOut, Share  # noqa: E402
from vexo.server.data_folder import absolute  # noqa: E402
from vexo.server.jobs.worker import enqueue, run_inline  # noqa: E402
from vexo.server.passes.starting import start_pass  # noqa: E402
from vexo.server.planning.context import plan_of  # noqa: E402
from vexo.server.sendout.selection import begin  # noqa: E402
from vexo.server.trips.models import Sheet, Trip  # noqa: E402
from vexo.server.trips.part_view import PartView  # noqa: E402
from vexo.server.trips.parts import part_named, parts_of  # noqa: E402

FIVE = ["EELGRASS", "GULLPOINT", "NORTHHAVEN", "OLDBASIN", "TERNISLAND"]


class SharingCase(ServiceCase):
    def share(self, letter: str, share: Share | None = None, format_: str = "xlsx") -> Trip:
        where = f"startswith(berth_no,'{letter}-00')"
        document = SendOut("Berth", ("notes", "status"), where, share=share or Share("harbour"), format=format_)
        trip = begin(self.practice, document, "ada", "Insurance round")
        job = run_inline(enqueue("send out", "ada", PartView.of(trip), run_here=True))
        self.assertEqual(job.error, "")
        return self.seen(trip).trip

    def seen(self, trip: Trip, part: str = "") -> PartView:
        found = Trip.objects.get(pk=trip.pk)
        return PartView.of(found, part_named(found, part).number if part else 0)

    def path(self, trip: Trip, label: str) -> Path:
        sheet = trip.sheets.get(direction=Sheet.OUT, part__label=label)
        target = temporary_folder() / sheet.name
        target.write_bytes(absolute(sheet.path).read_bytes())
        return target

    def noted(self, path: Path, words: str, *rows: int) -> Path:
        return self.edited(path, lambda sheet: [sheet.cell(row, 4, words) for row in rows])

    def states(self, trip: Trip) -> dict[str, tuple[str, int]]:
        return {part.label: (part.state, part.came) for part in parts_of(self.seen(trip))}

    def apply_part(self, trip: Trip, label: str) -> Any:
        found = self.seen(trip, label)
        made, job = start_pass(found, self.person, plan_of(found).number, run_here=True)
        run_inline(job)
        made.refresh_from_db()
        return made
