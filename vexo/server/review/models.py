"""Plans and decisions."""

from __future__ import annotations

from django.db import models

from ..trips.models import Sheet, Trip


class Plan(models.Model):
    """What would be written, with all that it is made of.

    ``revision`` is the trip's when it was made: a plan counts as long as that stays. ``shape`` is the part of the
    catalogue that it was made with, so that it can be read whatever the application says later; ``natures`` tells of
    each carried and key field how its values are read and compared. ``values`` are the rows as they were typed,
    ``records`` the application as it was read, ``whole`` the records to be deleted with all their fields, ``pages`` the
    ledger, ``edits`` the edits that lay over the sheet, ``only`` which of its rows were carried, ``damage`` what a
    spreadsheet did to its cells, where it did anything; ``path`` the plan itself and ``questions`` what it asks of
    people. ``reading`` are counts and totals of the application then.
    """

    trip = models.ForeignKey(Trip, models.CASCADE, related_name="plans")
    number = models.PositiveIntegerField()
    sheet = models.ForeignKey(Sheet, models.CASCADE, related_name="plans")
    revision = models.PositiveIntegerField()
    operation = models.CharField(max_length=10)
    key = models.JSONField()
    carried = models.JSONField()
    lanes = models.JSONField()
    catalogue = models.CharField(max_length=80)
    shape = models.JSONField()
    natures = models.JSONField()
    last_decision = models.PositiveBigIntegerField(default=0)
    pages = models.JSONField(default=list)
    edits = models.JSONField(default=list)
    only = models.JSONField(default=dict)
    damage = models.CharField(max_length=300, blank=True)
    values = models.CharField(max_length=300)
    records = models.CharField(max_length=300)
    whole = models.CharField(max_length=300, blank=True)
    path = models.CharField(max_length=300)
    questions = models.CharField(max_length=300)
    reading = models.JSONField(default=dict)
    summary = models.JSONField()
    made_by = models.CharField(max_length=150)
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("number",)
        constraints = [models.UniqueConstraint(fields=["trip", "number"], name="one_plan_a_number")]


class Decision(models.Model):
    """A person's answer to what a plan asked.

    ``scope`` is what was said (rows, or all with one fault); ``cells`` which questions that was, each with the digest
    of the values seen, as a Parquet file: one decision is one row here, whatever it covers.
    """

    trip = models.ForeignKey(Trip, models.CASCADE, related_name="decisions")
    plan = models.ForeignKey(Plan, models.SET_NULL, null=True, related_name="decisions")
    scope = models.JSONField()
    answer = models.CharField(max_length=20)
    argument = models.CharField(max_length=200, blank=True)
    cells = models.BinaryField()
    count = models.PositiveIntegerField()
    by = models.CharField(max_length=150)
    at = models.DateTimeField(auto_now_add=True)
    undone_by = models.CharField(max_length=150, blank=True)
    undone_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ("id",)
