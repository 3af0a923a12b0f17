"""What outlives a trip that was deleted."""

from __future__ import annotations

from django.db import models


class KeptReceipt(models.Model):
    """The receipt of a trip that was deleted: a workbook that says what was written, by whom, when."""

    trip = models.PositiveBigIntegerField()
    """Number of the trip that it was of; no trip has it any more."""
    part = models.PositiveIntegerField(default=1)
    title = models.CharField(max_length=160)
    application = models.CharField(max_length=60)
    record_type = models.CharField(max_length=120)
    path = models.CharField(max_length=300)
    size = models.PositiveBigIntegerField()
    kept_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("-id",)
