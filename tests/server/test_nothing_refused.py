"""Where every row is in, nobody gets an empty file of those that are not."""

from __future__ import annotations

from tests.server.upkeep_case import UpkeepCase


class NothingRefused(UpkeepCase):
    def test_no_file_is_written_and_it_is_said(self) -> None:
        trip = self.applied("all in", "C-011")
        target = self.vexo.files / "not-in.csv"
        receipt = self.vexo.files / "receipt.csv"
        done = self.vexo.run("outcome", str(trip.pk), "--rejects", str(target), "--receipt", str(receipt))
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn("Every row of pass 1 is in", done.stderr)
        self.assertFalse(target.exists())
        self.assertIn("all in", receipt.read_text(encoding="utf-8-sig"))
        answer = self.client.get(f"/api/trips/{trip.pk}/files/not-in.csv")
        self.assertEqual((answer.status_code, answer.json()["code"]), (422, "nothing"))
