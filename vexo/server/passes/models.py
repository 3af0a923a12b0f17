"""Passes: what was sent, and what came back."""

from __future__ import annotations

from django.db import models

from ..planning.models import Plan
from ..trips.models import Trip


class Pass(models.Model):
    """One sending of a plan that was seen and confirmed.

    ``plan_file`` is the whole plan and ``rows_file`` the rows that go, in their order, both frozen; ``cursor`` how many
    of these are in batches. ``absent_file`` is what was planned for records that have no row, ``absent_page`` what
    became of those that were sent, and ``absent`` their sum. From ``stop_after`` refusals on no further batch goes;
    with ``take_back`` what it wrote is to be taken back then. ``lifted`` says why it went without an approval.
    ``totals`` and ``report`` (read back) are there when it has ended; ``reason`` says why one was interrupted or
    paused, or by which rule it stopped.
    """

    RUNNING, INTERRUPTED, ENDED, STOPPED, GIVEN_UP = "running", "interrupted", "ended", "stopped", "given up"
    PAUSED = "paused"
    OPEN = (RUNNING, INTERRUPTED, PAUSED)

    trip = models.ForeignKey(Trip, models.CASCADE, related_name="passes")
    number = models.PositiveIntegerField()
    plan = models.ForeignKey(Plan, models.CASCADE, related_name="passes")
    state = models.CharField(max_length=12, default=RUNNING)
    atomic = models.BooleanField(default=False)
    stop_after = models.PositiveIntegerField(null=True)
    take_back = models.BooleanField(default=False)
    lifted = models.TextField(blank=True, default="")
    plan_file = models.CharField(max_length=300)
    rows_file = models.CharField(max_length=300)
    absent_file = models.CharField(max_length=300, blank=True, default="")
    absent_page = models.CharField(max_length=300, blank=True, default="")
    absent = models.JSONField(null=True)
    rows = models.PositiveIntegerField()
    cursor = models.PositiveIntegerField(default=0)
    totals = models.JSONField(null=True)
    sums = models.JSONField(null=True)
    reasons = models.JSONField(default=list)
    report = models.JSONField(null=True)
    page = models.CharField(max_length=300, blank=True)
    reason = models.TextField(blank=True)
    by = models.CharField(max_length=150)
    started_at = models.DateTimeField(auto_now_add=True)
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ("number",)
        constraints = [
            models.UniqueConstraint(fields=["trip", "number"], name="one_pass_a_number"),
            models.UniqueConstraint(
                fields=["trip"],
                condition=models.Q(state__in=["running", "interrupted", "paused"]),
                name="one_open_pass_a_trip",
            ),
        ]


class Scheduled(models.Model):
    """A plan that was confirmed and is to be sent at a time: as it was seen, or not at all. ``frozen`` are the files of
    its pass, as fields of that; ``reason`` says why nothing was sent."""

    WAITING, BEGUN, LAPSED, CANCELLED = "waiting", "begun", "lapsed", "cancelled"

    trip = models.ForeignKey(Trip, models.CASCADE, related_name="scheduled")
    part = models.PositiveIntegerField(default=1)
    plan = models.ForeignKey(Plan, models.CASCADE, related_name="scheduled")
    at = models.DateTimeField()
    state = models.CharField(max_length=12, default=WAITING)
    atomic = models.BooleanField(default=False)
    stop_after = models.PositiveIntegerField(null=True)
    take_back = models.BooleanField(default=False)
    frozen = models.JSONField(default=dict)
    by = models.CharField(max_length=150)
    made_at = models.DateTimeField(auto_now_add=True)
    reason = models.TextField(blank=True, default="")

    class Meta:
        ordering = ("id",)
        constraints = [
            models.UniqueConstraint(
                fields=["trip", "part"], condition=models.Q(state="waiting"), name="one_scheduled_pass_a_part"
            ),
        ]


class Approval(models.Model):
    """What somebody else said of a plan, or was asked to say. It is of that very plan: any change makes another.
    ``frozen`` are the files of its pass, as fields of that."""

    trip = models.ForeignKey(Trip, models.CASCADE, related_name="approvals")
    plan = models.ForeignKey(Plan, models.CASCADE, related_name="approvals")
    state = models.CharField(max_length=12, default="asked")
    asked_by = models.CharField(max_length=150)
    asked_at = models.DateTimeField(auto_now_add=True)
    note = models.TextField(blank=True)
    frozen = models.JSONField(default=dict)
    by = models.CharField(max_length=150, blank=True)
    at = models.DateTimeField(null=True)
    word = models.TextField(blank=True)

    class Meta:
        ordering = ("id",)


class Batch(models.Model):
    """One request: its writes and their numbers are written down before it goes, and it is sent as it is here.

    ``items`` are its writes (see ``core.writing.batches.Item``); ``rejected`` tells that the application no longer knew
    its numbers, so that it is settled by reading.
    """

    PREPARED, SENT, ANSWERED = "prepared", "sent", "answered"

    of_pass = models.ForeignKey(Pass, models.CASCADE, related_name="batches")
    state = models.CharField(max_length=10, default=PREPARED)
    items = models.JSONField()
    first_sent = models.CharField(max_length=40, blank=True)
    sent_at = models.FloatField(default=0)
    rejected = models.BooleanField(default=False)
    answers = models.JSONField(default=list)

    class Meta:
        ordering = ("id",)
        indexes = [models.Index(fields=["of_pass", "state"])]


class RowNotIn(models.Model):
    """A row of a pass that was refused or stayed unclear."""

    of_pass = models.ForeignKey(Pass, models.CASCADE, related_name="not_in")
    row_id = models.PositiveIntegerField()
    row = models.PositiveIntegerField()
    state = models.CharField(max_length=10)
    code = models.CharField(max_length=40)
    field = models.CharField(max_length=120, blank=True)
    arguments = models.JSONField(default=list)
