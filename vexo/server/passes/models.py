"""Passes: what was sent, and what came back."""

from __future__ import annotations

from django.db import models

from ..trips.models import Sheet, Trip


class Run(models.Model):
    """One pass of a trip. ``plan`` is frozen: the very one that was seen and confirmed."""

    WAITING, RUNNING, DONE, STOPPED = "waiting", "running", "done", "stopped"

    trip = models.ForeignKey(Trip, models.CASCADE, related_name="runs")
    sheet = models.ForeignKey(Sheet, models.CASCADE, related_name="runs")
    plan = models.CharField(max_length=300)
    key = models.JSONField()
    carried = models.JSONField()
    state = models.CharField(max_length=10, default=WAITING)
    rows = models.PositiveIntegerField()
    outcome = models.CharField(max_length=300, blank=True)
    totals = models.JSONField(null=True)
    read_back = models.JSONField(null=True)
    by = models.CharField(max_length=80)
    started_at = models.DateTimeField(auto_now_add=True)
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ("id",)
        constraints = [
            models.UniqueConstraint(
                fields=["trip"],
                condition=models.Q(state__in=["waiting", "running"]),
                name="one_run_of_a_trip_at_a_time",
            )
        ]


class Batch(models.Model):
    """About 200 rows: the intent is written before they go out, the answers when they are back."""

    run = models.ForeignKey(Run, models.CASCADE, related_name="batches")
    number = models.PositiveIntegerField()
    rows = models.JSONField()
    answers = models.JSONField(null=True)
    sent_at = models.DateTimeField(auto_now_add=True)
    answered_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ("number",)
        constraints = [models.UniqueConstraint(fields=["run", "number"], name="one_batch_a_number")]


class RowNotIn(models.Model):
    """A row of a pass that was refused or stayed unclear."""

    run = models.ForeignKey(Run, models.CASCADE, related_name="not_in")
    row = models.PositiveIntegerField()
    state = models.CharField(max_length=10)
    reason = models.TextField(blank=True)
    field = models.CharField(max_length=120, blank=True)
    code = models.CharField(max_length=120, blank=True)
