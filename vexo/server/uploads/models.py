"""Files on their way in, and the edits that lie over a trip's sheet."""

from __future__ import annotations

from typing import TYPE_CHECKING

from django.db import models

from ..jobs.queues import LARGE_FILE
from ..trips.models import Trip

if TYPE_CHECKING:
    from vexo.core.sheets import Choices, SheetProfile


class Upload(models.Model):
    """A file that someone brings, and that waits until it is said what it is about. On the disk its name is its number.

    A file that ``continues`` another is one of its parts: their rows are one list.
    """

    name = models.CharField(max_length=300)
    size = models.PositiveBigIntegerField()
    received = models.PositiveBigIntegerField(default=0)
    """Bytes that are there."""
    by = models.CharField(max_length=150)
    began_at = models.DateTimeField(auto_now_add=True)
    complete = models.BooleanField(default=False)
    """All of its bytes are there."""
    digest = models.CharField(max_length=64, blank=True)
    choices = models.JSONField(default=dict)
    """How a person wants it read: ``core.sheets.Choices`` as JSON."""
    profile_json = models.JSONField(null=True)
    """What was found in it: ``core.sheets.SheetProfile`` as JSON; null until it was read."""
    belongs_to = models.JSONField(null=True)
    """The trip that it is known to belong to, or where it may belong; null until that was looked for."""
    totals = models.JSONField(default=dict)
    """Column → its figures."""
    trouble = models.TextField(blank=True)
    """Why it cannot be read."""
    recognising = models.PositiveBigIntegerField(null=True)
    """The job that finds out where it belongs; asked for once."""
    bringing = models.PositiveBigIntegerField(null=True)
    """The job that brings it in; asked for once."""
    trip = models.ForeignKey(Trip, models.SET_NULL, null=True, related_name="uploads")
    discarded = models.BooleanField(default=False)
    """A person said that nobody wants it."""
    cached = models.BooleanField(default=False)
    """Its cells are in the cache."""
    continues = models.ForeignKey("self", models.CASCADE, null=True, related_name="parts")

    class Meta:
        ordering = ("id",)

    @property
    def path(self) -> str:
        """Where its bytes are, in the data folder."""
        return f"files/uploads/{self.pk}"

    @property
    def is_large(self) -> bool:
        """Whether it takes so long to be read that nobody with a small file should wait for it."""
        return sum(file.size for file in self.whole_list) > LARGE_FILE

    @property
    def whole_list(self) -> list[Upload]:
        """The files that make up the list that it begins, itself first."""
        return [self, *self.parts.order_by("id")]

    @property
    def read_options(self) -> Choices:
        """How a person wants it read."""
        from vexo.core.sheets import Choices

        return Choices(**self.choices)

    @property
    def profile(self) -> SheetProfile | None:
        """What was found in it, once it was read."""
        from vexo.core.sheets import SheetProfile

        return SheetProfile.from_json(self.profile_json) if self.profile_json is not None else None
