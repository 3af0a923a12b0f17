"""Plans and decisions."""

from __future__ import annotations

from django.db import models

from ..trips.models import Sheet, Trip


class Plan(models.Model):
    """What would be written, with all that it is made of. The paths are those of artifacts (``server.artifacts``)."""

    trip = models.ForeignKey(Trip, models.CASCADE, related_name="plans")
    number = models.PositiveIntegerField()
    sheet = models.ForeignKey(Sheet, models.CASCADE, related_name="plans")
    revision = models.PositiveIntegerField()
    """The trip's revision when it was made: a plan counts as long as that stays."""
    operation = models.CharField(max_length=20)
    key = models.JSONField()
    ignores = models.JSONField(default=list)
    """What made no difference between keys: a list of ``core.keys.record_keys.Ignored``."""
    reach = models.TextField(blank=True, default="")
    """Which records it may touch, as ``core.planning.inputs.Settings``."""
    deny = models.JSONField(default=list)
    """What the application's rules had switched off: verdicts."""
    guards = models.JSONField(default=dict)
    """What guards did, as ``core.guards.GuardSettings``."""
    carried = models.JSONField()
    """Names of the fields whose values go in."""
    columns = models.JSONField()
    """Columns of the sheet with their fields and lanes, as they were."""
    catalogue_version = models.CharField(max_length=80)
    catalogue_json = models.JSONField()
    """The part of the catalogue that it was made with, so that it can be read whatever the application says later."""
    field_signatures = models.JSONField()
    """Carried or key field → how its values are read and compared."""
    last_decision = models.PositiveBigIntegerField(default=0)
    ledger_pages = models.JSONField(default=list)
    """Paths of the ledger's pages that it counts."""
    counted_decisions = models.JSONField(null=True)
    """Numbers of the decisions that it counts; null in plans of releases that did not write them down."""
    made_with = models.CharField(max_length=60, blank=True)
    """What made it (``planning.stored_plans.MADE_WITH``): a plan made by another release is not carried on in part."""
    edits = models.JSONField(default=list)
    """Numbers of the edits that lay over the sheet."""
    row_filter = models.JSONField(default=dict)
    """Which rows were carried, as ``Trip.row_filter``."""
    damage_path = models.CharField(max_length=300, blank=True)
    """What a spreadsheet did to its cells; empty where it did nothing."""
    values_path = models.CharField(max_length=300)
    """The carried values (``core.columns.carried_columns``)."""
    records_path = models.CharField(max_length=300)
    """The application's records as they were read."""
    deleted_path = models.CharField(max_length=300, blank=True)
    """The records to be deleted with all their fields; empty where there are none."""
    absent_path = models.CharField(max_length=300, blank=True, default="")
    """What becomes of the records in reach that no row is about (``core.planning.absent``); empty where the plan may
    delete none of them."""
    pointed_path = models.CharField(max_length=300, blank=True, default="")
    """What points to records that it deletes or renames (``planning.pointing``); empty where nothing was asked."""
    path = models.CharField(max_length=300)
    """The plan itself (``core.planning.frame``)."""
    questions_path = models.CharField(max_length=300)
    """What it asks of people (``core.planning.plan.make_plan``)."""
    counts = models.JSONField(default=dict)
    """Counts and totals of the application when it was read."""
    summary = models.JSONField()
    """The plan in figures (``planning.figures``)."""
    made_by = models.CharField(max_length=150)
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("number",)
        constraints = [models.UniqueConstraint(fields=["trip", "number"], name="one_plan_a_number")]

    @property
    def checks(self) -> list[str]:
        """Names of the fields that are compared and never written."""
        return [column["field"] for column in self.columns if column.get("check") and column["field"]]


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

    @classmethod
    def listed(cls, trip: Trip) -> list[Decision]:
        """Those of a trip that are not undone, newest first."""
        return list(cls.objects.filter(trip=trip, undone_at=None).order_by("-id").defer("cells"))
