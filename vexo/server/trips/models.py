"""A trip and what is kept with it."""

from __future__ import annotations

from django.db import models

from ..applications.models import Application


class Trip(models.Model):
    """One round of records: out, edited, and back in.

    ``fields`` are those sent out, in the order of the sheet; ``said`` is header → field as a person wants it; ``key``
    the chosen key fields; ``plan`` the path of the newest plan and ``summary`` its figures.
    """

    title = models.CharField(max_length=160)
    application = models.ForeignKey(Application, models.PROTECT, related_name="trips")
    record_type = models.CharField(max_length=120)
    condition = models.TextField(blank=True)
    order = models.JSONField(default=list)
    fields = models.JSONField(default=list)
    operation = models.CharField(max_length=10, default="update")
    key = models.JSONField(default=list)
    said = models.JSONField(default=dict)
    plan = models.CharField(max_length=300, blank=True)
    summary = models.JSONField(null=True)
    version = models.PositiveIntegerField(default=1)
    created_by = models.CharField(max_length=80)
    created_at = models.DateTimeField(auto_now_add=True)
    touched_at = models.DateTimeField(auto_now=True, db_index=True)

    class Meta:
        ordering = ("-touched_at",)


class KeptCopy(models.Model):
    """The records as they were when the sheet went out, or as a pass left them. The newest one counts."""

    trip = models.ForeignKey(Trip, models.CASCADE, related_name="kept_copies")
    path = models.CharField(max_length=300)
    rows = models.PositiveIntegerField()
    taken_at = models.DateTimeField(auto_now_add=True)


class Sheet(models.Model):
    """A file that went out or came in. ``profile`` is what was found in a file that came in."""

    OUT, IN = "out", "in"

    trip = models.ForeignKey(Trip, models.CASCADE, related_name="sheets")
    direction = models.CharField(max_length=3, choices=[(OUT, "out"), (IN, "in")])
    name = models.CharField(max_length=200)
    path = models.CharField(max_length=300)
    digest = models.CharField(max_length=64, blank=True)
    cells = models.CharField(max_length=300, blank=True)
    rows = models.PositiveIntegerField(default=0)
    profile = models.JSONField(null=True)
    recognised = models.BooleanField(default=False)
    added_by = models.CharField(max_length=80)
    added_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("id",)


class Mapping(models.Model):
    """How a column of a sheet was matched to a field."""

    sheet = models.ForeignKey(Sheet, models.CASCADE, related_name="mappings")
    column = models.CharField(max_length=12)
    header = models.TextField(blank=True)
    field = models.CharField(max_length=120, blank=True)
    how = models.CharField(max_length=10, blank=True)
    carried = models.BooleanField(default=False)


class Decision(models.Model):
    """A person's answer for a row or one of its cells; the newest counts, an undone one does not."""

    trip = models.ForeignKey(Trip, models.CASCADE, related_name="decisions")
    row = models.PositiveIntegerField()
    field = models.CharField(max_length=120, blank=True)
    answer = models.CharField(max_length=20)
    by = models.CharField(max_length=80)
    at = models.DateTimeField(auto_now_add=True)
    undone = models.BooleanField(default=False)

    class Meta:
        ordering = ("id",)
