"""A folder whose trips can be aged, and whose files are counted."""

from __future__ import annotations

from datetime import timedelta

from tests.server.services import ServiceCase
from tests.support import template

template()

from django.test import Client  # noqa: E402
from django.utils import timezone  # noqa: E402

from vexo.server.backups import _named_files  # noqa: E402
from vexo.server.installation.models import InstallationSettings  # noqa: E402
from vexo.server.jobs.worker import enqueue, run_inline  # noqa: E402
from vexo.server.passes.models import Pass  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402

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
