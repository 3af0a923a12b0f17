"""A trip that was shared out is deleted with all of its parts, and each that wrote leaves its receipt."""

from __future__ import annotations

import openpyxl

import tests.server.test_sharing as sharing
from tests.server.services import ServiceCase
from tests.support import template

template()

from vexo.server.data_folder import absolute  # noqa: E402
from vexo.server.upkeep.deleting import delete_by_hand  # noqa: E402
from vexo.server.upkeep.models import KeptReceipt  # noqa: E402


class DeletingParts(ServiceCase):
    share, seen, path = sharing.Sharing.share, sharing.Sharing.seen, sharing.Sharing.path
    noted, apply_part = sharing.Sharing.noted, sharing.Sharing.apply_part

    def test_each_part_that_wrote_leaves_its_receipt_and_no_part_a_file(self) -> None:
        trip = self.share("C")
        labels = {"NORTHHAVEN", "EELGRASS"}
        for label in sorted(labels):
            self.back(self.noted(self.path(trip, label), f"evidence of {label}", 2, 3))
            self.assertEqual(self.apply_part(trip, label).state, "ended")
        self.assertEqual(delete_by_hand(self.person, trip.pk).receipts, 2)
        for receipt in KeptReceipt.objects.filter(trip=trip.pk):
            book = openpyxl.load_workbook(absolute(receipt.path))
            text = " ".join(str(cell.value) for sheet in book for line in sheet for cell in line)
            written = {label for label in labels if f"evidence of {label}" in text}
            self.assertEqual(len(written), 1, "its own part's, and no other's")
            labels -= written
        self.assertEqual(labels, set())
        for folder in ("files", "stages"):
            self.assertFalse((self.vexo.data / folder / str(trip.pk)).exists())
