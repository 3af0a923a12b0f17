"""Sending out in a test: a trip made at once, and the sheets that went out."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import polars as pl

from tests.core.examples import read_here
from tests.server.services import ServiceCase
from tests.support import register, template, temporary_folder

template()

from vexo.core.documents import SendOut  # noqa: E402
from vexo.server.data_folder import absolute  # noqa: E402
from vexo.server.jobs.worker import enqueue, run_inline  # noqa: E402
from vexo.server.sendout.selection import begin  # noqa: E402
from vexo.server.trips.models import Sheet, Trip  # noqa: E402
from vexo.server.trips.part_view import PartView  # noqa: E402

EELGRASS = "harbour eq 'EELGRASS'"


def rows_of(path: Path) -> tuple[list[str], list[tuple[Any, ...]]]:
    """A sheet as Vexo reads it: headers, and the texts of its rows."""
    cells = temporary_folder() / "cells.parquet"
    profile = read_here(path, cells)
    frame = pl.read_parquet(cells).select([column.name for column in profile.columns])
    return [column.header for column in profile.columns], list(frame.iter_rows())


class SendingCase(ServiceCase):
    def send(self, document: SendOut, **more: Any) -> Trip:
        trip = begin(more.pop("application", self.practice), document, "ada", **more)
        job = run_inline(enqueue("send out", "ada", PartView.of(trip), run_here=True))
        self.assertEqual(job.error, "")
        self.result = job.result
        trip.refresh_from_db()
        return trip

    def sheets(self, trip: Trip) -> list[Path]:
        return [absolute(sheet.path) for sheet in trip.sheets.filter(direction=Sheet.OUT)]

    def berths(self, condition: str) -> list[dict[str, Any]]:
        with register().client() as client:
            asked = {"$filter": condition, "$orderby": "id"}
            answer = client.get("Berths", params=asked, headers={"Prefer": "odata.maxpagesize=5000"})
        return list(answer.json()["value"])
