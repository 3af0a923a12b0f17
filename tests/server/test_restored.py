"""A data folder that was laid out from a backup, or copied, while work was under way in it."""

from __future__ import annotations

from tests.server.test_lanes import LaneCase
from tests.support import Vexo, register, template

template()

from vexo.server.backups import back_up, restore  # noqa: E402
from vexo.server.jobs.models import Job  # noqa: E402
from vexo.server.passes.models import Pass  # noqa: E402


class Restored(LaneCase):
    def test_a_restored_folder_sends_nothing_by_itself(self) -> None:
        self.make(("01", "a"), ("02", "b"))
        trip = self.trip(self.sheet(("01", "x", "1"), ("02", "y", "2")))
        self.start(trip)
        backup, again = self.vexo.files / "mid.tar.gz", self.vexo.files / "again"
        back_up(backup)
        restore(backup, again)
        (again / "key").write_bytes((self.vexo.data / "key").read_bytes())
        before = register().effects()
        done = Vexo.at(again).process("--as", "ada", "open", str(trip.pk))
        self.assertIn("Pass 1", done.stderr)
        self.assertIn("is interrupted", done.stderr)
        told = Vexo.at(again).process("--as", "ada", "outcome", str(trip.pk))
        self.assertEqual(told.returncode, 2)
        self.assertIn("is interrupted: 0 of its 2 rows are sent so far", told.stderr)
        self.assertIn("--go-on PASS", told.stderr)
        told = Vexo.at(again).process("--as", "ada", "apply", str(trip.pk), "--yes")
        self.assertIn("has not ended", told.stderr)
        self.assertEqual(register().effects(), before)
        self.vexo.use()
        states = Pass.objects.get(trip=trip).state, Job.objects.filter(trip=trip).latest("id").state
        self.assertEqual(states, ("running", "running"))
        self.assertNotIn("is interrupted", Vexo.at(self.vexo.data).process("open", str(trip.pk)).stderr)
        gone_on = Vexo.at(again).process("--as", "ada", "apply", str(trip.pk), "--go-on", "1")
        self.assertEqual((gone_on.returncode, self.of("01")["last_name"]), (0, "x"))
