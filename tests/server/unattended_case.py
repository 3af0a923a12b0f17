"""A route that runs by itself, its folder, and the looks of a worker."""

from __future__ import annotations

import os
import time
from pathlib import Path
from typing import Any
from unittest.mock import patch

from tests.server.services import ServiceCase, view_of
from tests.support import register, template

template()


from vexo.server.jobs.models import Job  # noqa: E402
from vexo.server.jobs.worker import enqueue, run_inline  # noqa: E402
from vexo.server.notices.models import Notice  # noqa: E402
from vexo.server.routes.models import Route  # noqa: E402
from vexo.server.routes.saved_routes import keep_trip  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402
from vexo.server.unattended import folders  # noqa: E402
from vexo.server.unattended.models import Unattended  # noqa: E402

SHEET = "harbour,berth_no,notes\n{}"
ROW = "TERNISLAND,{},{}\n"


class UnattendedCase(ServiceCase):
    def setUp(self) -> None:
        super().setUp()
        self.root = self.vexo.data / "by-itself"
        self.folder = self.root / "notes"
        self.folder.mkdir(parents=True, exist_ok=True)
        for path in self.folder.rglob("*.csv"):
            path.unlink()
        self.enterContext(patch.dict("os.environ", VEXO_FOLDERS=str(self.root)))
        Unattended.objects.all().delete()
        Notice.objects.all().delete()
        self.route = self.a_route()
        self.last = Trip.objects.order_by("-id").values_list("id", flat=True)[0]

    def a_route(self, application: Any = None) -> Route:
        name = f"Notes of {(application or self.practice).name}"
        known = Route.objects.filter(name=name).first()
        if known is not None:
            return known
        trip = self.bring(SHEET.format(ROW.format("A-001", "first")), application=application or self.practice)
        return keep_trip(self.person, view_of(trip), name)

    def put(self, *rows: tuple[str, str], name: str = "notes.csv", old: float = 60) -> Path:
        """A sheet put into the folder a while ago."""
        path = self.folder / name
        path.write_text(SHEET.format("".join(ROW.format(*row) for row in rows)))
        then = time.time() - old
        os.utime(path, (then, then))
        return path

    def look(self, times: int = 6, *, still: float = 0.0) -> None:
        """As workers do it: the look itself, and between two of them the work that it asked for."""
        with patch.multiple(folders, _STILL_SECONDS=still, _EMPTY_SECONDS=still):
            for _ in range(times):
                job = run_inline(enqueue("look", "", run_here=True))
                self.assertEqual(job.error, "")
                for other in Job.objects.filter(state=Job.QUEUED).exclude(kind__in=("look", "mail")):
                    run_inline(other)

    def trips(self) -> list[Trip]:
        return list(Trip.objects.filter(pk__gt=self.last).order_by("pk"))

    def told(self, name: str = "ada") -> list[str]:
        notices = Notice.objects.filter(person__username=name, kind="route waits").order_by("id")
        return list(notices.values_list("text", flat=True))

    def notes_of(self, berth: str, source: str = "practice") -> Any:
        return register().berth("TERNISLAND", berth, source)["notes"]
