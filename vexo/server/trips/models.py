"""A trip and what is kept with it.

Models import what reads their documents when it is asked for: a command that only lists rows needs no data frames.
"""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

from django.db import models

from ..applications.models import Application
from ..errors import PlainError

if TYPE_CHECKING:
    from vexo.core.documents import BringIn, SendOut
    from vexo.core.sheets import SheetProfile


OF_RECEIPT = "receipt"
"""How a sheet is known that is a receipt of the same application, about records of another type."""


def no_origin() -> dict[str, str]:
    """Of a sheet that nothing is known of, or that went out."""
    return {"how": "", "account": ""}


class Trip(models.Model):
    """One round of records: out, edited, and back in."""

    title = models.CharField(max_length=160)
    application = models.ForeignKey(Application, models.PROTECT, related_name="trips")
    record_type = models.CharField(max_length=120)
    """Name of the record type in the application's catalogue."""
    send_document = models.JSONField(default=dict)
    """What went out, ``core.documents.SendOut`` as JSON; empty for a sheet from elsewhere."""
    route = models.ForeignKey("routes.Route", models.SET_NULL, null=True, related_name="trips")
    """The route that it was made on."""
    moved_from = models.ForeignKey("self", models.SET_NULL, null=True, related_name="moved_to")
    """The trip on another application from which it was moved."""
    takes_back = models.ForeignKey("self", models.SET_NULL, null=True, related_name="taken_back_by")
    """The trip that it takes back."""
    reversal = models.JSONField(default=dict)
    """What of it: ``facts.reversal.Reversal``."""
    selection = models.JSONField(default=dict)
    """The records and sums that went out, and what changed since (``since``) where that was asked."""
    last_part = models.PositiveIntegerField(default=1)
    """Number of the part whose sheet came in last; 1 where it was not shared out."""
    operation = models.CharField(max_length=20, default="update")
    """What the rows are for: a ``core.operations.Operation``."""
    key = models.JSONField(default=list)
    """Names of the key fields that were chosen; empty where the sheet tells them."""
    ignores = models.JSONField(default=list)
    """What makes no difference between keys: a list of ``core.keys.record_keys.Ignored``."""
    reach = models.TextField(blank=True, default="")
    """Which records it may touch: ``all``, ``sent``, a condition; empty: those that went out, where any did, else all.
    """
    columns = models.JSONField(default=dict)
    """Header → field as a person or a route wants it; an empty field for a column that is not carried."""
    lanes = models.JSONField(default=dict)
    """Field → lane as JSON, of fields of which anything was said."""
    row_filter = models.JSONField(default=dict)
    """Which rows are carried: ``condition`` on the sheet's own columns, ``left_out`` rows by number."""
    expected = models.JSONField(default=dict)
    """What a person expects of the sheet: ``rows``, and ``sums`` by header."""
    revision = models.PositiveIntegerField(default=0)
    """Rises with everything that makes a plan another one (a sheet, a decision, an edit, a column, the key, the
    operation, a pass): a plan counts while its revision is the trip's."""
    version = models.PositiveIntegerField(default=1)
    """Rises with everything that is shown: the ETag of the trip."""
    next_row = models.PositiveIntegerField(default=0)
    """Rows that the trip has ever had; each keeps its number, which is below this one."""
    status = models.JSONField(default=dict)
    """What Home and the trip's page show (``trips.facts``), written by whoever changes the trip."""
    reports = models.JSONField(default=dict)
    """Number of a pass → what it read back. Apart from ``status``, since it can be long and lists do not need it."""
    created_by = models.CharField(max_length=150)
    created_at = models.DateTimeField(auto_now_add=True)
    touched_at = models.DateTimeField(auto_now=True, db_index=True)

    class Meta:
        ordering = ("-touched_at",)

    @property
    def document(self) -> SendOut | None:
        """What went out, or None for a trip whose sheet came from elsewhere."""
        from vexo.core.documents import SendOut

        return SendOut.from_json(self.send_document) if self.send_document else None

    @property
    def bringing(self) -> BringIn:
        """How its sheets come in, as far as it was said."""
        from vexo.core.columns.lanes import lanes_from_json
        from vexo.core.documents import BringIn
        from vexo.core.operations import Operation

        return BringIn(
            self.record_type,
            dict(self.columns),
            lanes_from_json(self.lanes),
            tuple(self.key),
            Operation(self.operation),
            str(self.row_filter.get("condition", "")),
            ignores=tuple(self.ignores),
            reach=self.reach,
        )

    @property
    def fields(self) -> list[str]:
        """The fields sent out, in the order of the sheet."""
        return list(self.send_document.get("fields", ()))

    @property
    def condition(self) -> str:
        """Which records went out."""
        return str(self.send_document.get("condition", ""))


class Part(models.Model):
    """One of the sheets that a trip was shared out into; a trip that was not has one.

    ``holder`` is the person who has it, as someone wrote it down; ``facts`` what the trip's status said of its sheet
    when another part was worked on.
    """

    trip = models.ForeignKey(Trip, models.CASCADE, related_name="parts")
    number = models.PositiveIntegerField()
    label = models.CharField(max_length=120, blank=True)
    holder = models.CharField(max_length=120, blank=True)
    facts = models.JSONField(default=dict)

    class Meta:
        ordering = ("number",)
        constraints = [models.UniqueConstraint(fields=["trip", "number"], name="one_part_a_number")]


class KeptCopy(models.Model):
    """The records of a part as they were when its sheet went out."""

    trip = models.ForeignKey(Trip, models.CASCADE, related_name="kept_copies")
    part = models.ForeignKey(Part, models.CASCADE, null=True, related_name="kept_copies")
    path = models.CharField(max_length=300)
    rows = models.PositiveIntegerField()
    taken_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("id",)


class Sheet(models.Model):
    """A file that went out or came in."""

    OUT, IN = "out", "in"

    trip = models.ForeignKey(Trip, models.CASCADE, related_name="sheets")
    part = models.ForeignKey(Part, models.SET_NULL, null=True, related_name="sheets")
    direction = models.CharField(max_length=3, choices=[(OUT, "out"), (IN, "in")])
    name = models.CharField(max_length=200)
    path = models.CharField(max_length=300)
    digest = models.CharField(max_length=64, blank=True)
    """SHA-256 of its bytes; of a list in parts that of the digests of its files."""
    cells = models.CharField(max_length=300, blank=True)
    """Artifact with its cells and the number of each row in the trip."""
    rows = models.PositiveIntegerField(default=0)
    first_row = models.PositiveIntegerField(default=0)
    """Rows with this number or a higher one are new to the trip with this sheet."""
    known_rows = models.JSONField(default=dict)
    """How many rows were known from earlier sheets, by what they were known."""
    format = models.CharField(max_length=10, blank=True)
    profile_json = models.JSONField(null=True)
    """What was found in a file that came in: ``core.sheets.SheetProfile`` as JSON."""
    choices = models.JSONField(default=dict)
    """How a person wanted it read: ``core.sheets.Choices`` as JSON."""
    recognised = models.BooleanField(default=False)
    """It went out from here on this trip, so it is compared three ways."""
    origin = models.JSONField(default=no_origin)
    """By what it was known (``how``, ``account``), or where else it comes from (``label``, ``stage``)."""
    differs = models.JSONField(null=True)
    """What it has other than the version before it."""
    totals = models.JSONField(default=dict)
    """Column → its figures, as they ``came`` and as they are ``now``, with the edits."""
    files = models.JSONField(default=list)
    """The other files (``name``, ``path``) of a list in parts."""
    added_by = models.CharField(max_length=150)
    added_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("id",)

    @cached_property
    def profile(self) -> SheetProfile:
        """What was found in the file. Raises PlainError for a sheet that went out, which nobody read."""
        from vexo.core.sheets import SheetProfile

        if self.profile_json is None:
            raise PlainError(f"{self.name} went out from here, and nothing was read of it. Bring a sheet in first.")
        return SheetProfile.from_json(self.profile_json)


class ColumnMapping(models.Model):
    """How a column of a sheet was matched to a field; ``offers`` are what it may be where that is not sure."""

    sheet = models.ForeignKey(Sheet, models.CASCADE, related_name="mappings")
    column = models.CharField(max_length=12)
    header = models.TextField(blank=True)
    field = models.CharField(max_length=120, blank=True)
    how = models.CharField(max_length=10, blank=True)
    carried = models.BooleanField(default=False)
    offers = models.JSONField(default=list)

    class Meta:
        ordering = ("id",)


class LedgerPage(models.Model):
    """What one pass did with its rows. Passes write it, planning reads all of a trip's."""

    trip = models.ForeignKey(Trip, models.CASCADE, related_name="ledger")
    number = models.PositiveIntegerField()
    path = models.CharField(max_length=300)
    created = models.PositiveIntegerField(default=0)

    class Meta:
        ordering = ("number",)
        constraints = [models.UniqueConstraint(fields=["trip", "number"], name="one_page_a_pass")]


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

    @classmethod
    def listed(cls, trip: Trip, most: int | None = None) -> list[Edit]:
        """Those of a trip that are not undone, newest first."""
        return list(cls.objects.filter(trip=trip, undone_at=None).order_by("-id").select_related("sheet")[:most])
