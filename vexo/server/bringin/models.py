"""Files on their way in, and the edits that lie over a trip's sheet."""

from __future__ import annotations

from django.db import models

from vexo.core.sheets import Choices

from ..trips.models import Sheet, Trip


class Upload(models.Model):
    """A file that someone brings. On the disk its name is its number; what it was called is here.

    It waits at File until it is said what it is about. ``choices`` is how a person wants it read, ``profile`` what was
    found in it, ``totals`` its columns in figures, ``known`` where it may belong, ``trouble`` why it cannot be read.
    ``recognising`` and ``bringing`` are the jobs that were asked for when it was whole; each is asked for once.
    ``trip`` is where it came in; ``left`` are files that nobody wanted; ``read`` are those whose cells are in the
    cache. A file that ``continues`` another is one of its parts: their rows are one list.
    """

    name = models.CharField(max_length=300)
    size = models.PositiveBigIntegerField()
    received = models.PositiveBigIntegerField(default=0)
    by = models.CharField(max_length=150)
    began_at = models.DateTimeField(auto_now_add=True)
    whole = models.BooleanField(default=False)
    digest = models.CharField(max_length=64, blank=True)
    choices = models.JSONField(default=dict)
    profile = models.JSONField(null=True)
    known = models.JSONField(null=True)
    totals = models.JSONField(default=dict)
    trouble = models.TextField(blank=True)
    recognising = models.PositiveBigIntegerField(null=True)
    bringing = models.PositiveBigIntegerField(null=True)
    trip = models.ForeignKey(Trip, models.SET_NULL, null=True, related_name="uploads")
    left = models.BooleanField(default=False)
    read = models.BooleanField(default=False)
    continues = models.ForeignKey("self", models.CASCADE, null=True, related_name="parts")

    class Meta:
        ordering = ("id",)

    @property
    def path(self) -> str:
        """Where its bytes are, in the data folder."""
        return f"files/uploads/{self.pk}"

    @property
    def whole_list(self) -> list[Upload]:
        """The files that make up the list that it begins, itself first."""
        return [self, *self.parts.order_by("id")]

    @property
    def said(self) -> Choices:
        """How a person wants it read."""
        return Choices(**self.choices)


class Edit(models.Model):
    """What a person changed in a trip's sheet. The file stays as it came.

    ``kind`` is how (cell, fill, replace, paste or repair) and ``words`` what was done; ``cells`` which cells that
    were, as a Parquet file: ``row_id``, ``column``, ``base`` (the text of the file), ``before`` and ``text``. ``sheet``
    is the one that it was made on: over a newer version it counts where the file says what it said then.
    """

    trip = models.ForeignKey(Trip, models.CASCADE, related_name="edits")
    sheet = models.ForeignKey(Sheet, models.CASCADE, related_name="edits")
    kind = models.CharField(max_length=10)
    words = models.CharField(max_length=300)
    cells = models.BinaryField()
    count = models.PositiveIntegerField()
    by = models.CharField(max_length=150)
    at = models.DateTimeField(auto_now_add=True)
    undone_by = models.CharField(max_length=150, blank=True)
    undone_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ("id",)
