"""A trip and what is kept with it."""

from __future__ import annotations

from django.db import models

from vexo.core.columns.lanes import lanes_from_json
from vexo.core.documents import BringIn, SendOut
from vexo.core.planning.verdicts import Operation

from ..applications.models import Application


def no_origin() -> dict[str, str]:
    """Of a sheet that nothing is known of, or that went out."""
    return {"how": "", "account": ""}


class Route(models.Model):
    """A saved way of making a trip. ``sends`` is its document of what goes out, ``brings`` the one of how a sheet comes
    in, either empty where that was not said; ``used`` tells how often it was used, ``used_at`` and ``rows`` of the last
    time."""

    name = models.CharField(max_length=120, unique=True)
    application = models.ForeignKey(Application, models.CASCADE, related_name="routes")
    record_type = models.CharField(max_length=120)
    sends = models.JSONField(default=dict)
    brings = models.JSONField(default=dict)
    version = models.PositiveIntegerField(default=1)
    made_by = models.CharField(max_length=150)
    made_at = models.DateTimeField(auto_now_add=True)
    used_at = models.DateTimeField(null=True)
    used = models.PositiveIntegerField(default=0)
    rows = models.PositiveIntegerField(null=True)

    class Meta:
        ordering = ("name",)

    @property
    def document(self) -> SendOut | None:
        """What goes out on it."""
        return SendOut.from_json(self.sends) if self.sends else None

    @property
    def bringing(self) -> BringIn | None:
        """How a sheet comes in on it."""
        return BringIn.from_json(self.brings) if self.brings else None


class Trip(models.Model):
    """One round of records: out, edited, and back in.

    ``sends`` is the document of what went out (empty for a sheet from elsewhere) and ``route`` the one that it was said
    on; ``selection`` its records and sums as they went; ``last_part`` the number of the part whose sheet came in last,
    where the trip was shared out. ``said`` is header → field as a person wants it, ``lanes`` field → its rules where it
    has any; ``only`` which rows of its sheet are carried (``condition`` on the sheet's own columns, ``left_out`` rows
    by number), ``expected`` how many rows and which sums a person expects; ``key`` the chosen key fields. ``revision``
    rises with everything that makes a plan another one (a sheet, a decision, a column, the key, the operation, a pass),
    ``version`` with everything that is shown. ``next_row`` is the number of rows that the trip has ever had; each has
    its number below it for good. ``standing`` is what Home shows, written by whoever changed it; ``reports`` what each
    pass read back, for the trip's own page.
    """

    title = models.CharField(max_length=160)
    application = models.ForeignKey(Application, models.PROTECT, related_name="trips")
    record_type = models.CharField(max_length=120)
    sends = models.JSONField(default=dict)
    route = models.ForeignKey(Route, models.SET_NULL, null=True, related_name="trips")
    selection = models.JSONField(default=dict)
    last_part = models.PositiveIntegerField(default=1)
    operation = models.CharField(max_length=10, default="update")
    key = models.JSONField(default=list)
    said = models.JSONField(default=dict)
    lanes = models.JSONField(default=dict)
    only = models.JSONField(default=dict)
    expected = models.JSONField(default=dict)
    revision = models.PositiveIntegerField(default=0)
    version = models.PositiveIntegerField(default=1)
    next_row = models.PositiveIntegerField(default=0)
    standing = models.JSONField(default=dict)
    reports = models.JSONField(default=dict)
    created_by = models.CharField(max_length=150)
    created_at = models.DateTimeField(auto_now_add=True)
    touched_at = models.DateTimeField(auto_now=True, db_index=True)

    class Meta:
        ordering = ("-touched_at",)

    @property
    def part(self) -> int:
        """The number of the part that it is looked at: the one that was said, or whose sheet came in last."""
        return int(self.__dict__.get("_part") or self.last_part)

    def at(self, part: int) -> Trip:
        """The same trip, looked at one of its parts; 0 for the one whose sheet came in last."""
        self.__dict__["_part"] = part
        return self

    @property
    def document(self) -> SendOut | None:
        """What went out, or None for a trip whose sheet came from elsewhere."""
        return SendOut.from_json(self.sends) if self.sends else None

    @property
    def bringing(self) -> BringIn:
        """How its sheets come in, as far as it was said."""
        return BringIn(
            self.record_type,
            dict(self.said),
            lanes_from_json(self.lanes),
            tuple(self.key),
            Operation(self.operation),
            str(self.only.get("condition", "")),
        )

    @property
    def fields(self) -> list[str]:
        """The fields sent out, in the order of the sheet."""
        return list(self.sends.get("fields", ()))

    @property
    def condition(self) -> str:
        """Which records went out."""
        return str(self.sends.get("condition", ""))


class Part(models.Model):
    """One of the sheets that a trip was shared out into; a trip that was not has one.

    ``holder`` is the person who has it, as someone wrote it down; ``facts`` what the trip's standing said of its sheet
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
    """A file that went out or came in.

    ``profile`` is what was found in a file that came in, ``cells`` its cells with the number of each row in the trip;
    rows from ``first_row`` on are new to the trip with this sheet, ``known_rows`` counts those that it was known by.
    ``choices`` is how a person wanted it read, ``origin`` what it was known by (``how``, ``account``) or where else it
    comes from (``label``, ``stage``), and ``differs`` what it has other than the version before. ``totals`` are its
    columns in figures, as they came; ``files`` its other files (``name``, ``path``), where it is a list in parts.
    """

    OUT, IN = "out", "in"

    trip = models.ForeignKey(Trip, models.CASCADE, related_name="sheets")
    part = models.ForeignKey(Part, models.SET_NULL, null=True, related_name="sheets")
    direction = models.CharField(max_length=3, choices=[(OUT, "out"), (IN, "in")])
    name = models.CharField(max_length=200)
    path = models.CharField(max_length=300)
    digest = models.CharField(max_length=64, blank=True)
    cells = models.CharField(max_length=300, blank=True)
    rows = models.PositiveIntegerField(default=0)
    first_row = models.PositiveIntegerField(default=0)
    known_rows = models.JSONField(default=dict)
    profile = models.JSONField(null=True)
    choices = models.JSONField(default=dict)
    recognised = models.BooleanField(default=False)
    origin = models.JSONField(default=no_origin)
    differs = models.JSONField(null=True)
    totals = models.JSONField(default=dict)
    files = models.JSONField(default=list)
    added_by = models.CharField(max_length=150)
    added_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("id",)


class Mapping(models.Model):
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
