"""What runs by itself, and each time that it did."""

from __future__ import annotations

from django.db import models

from ..people.models import Person
from ..routes.models import Route


class Unattended(models.Model):
    """A route on which sheets come in by themselves, under the rights of its owner."""

    route = models.OneToOneField(Route, models.CASCADE, related_name="unattended")
    owner = models.ForeignKey(Person, models.CASCADE, related_name="+")
    folder = models.CharField(max_length=120)
    """Name of the folder, below the one that the machine's administrator gave (VEXO_FOLDERS)."""
    at = models.TimeField(null=True)
    """When it looks into the folder, each day in ``days``; null: every minute."""
    days = models.JSONField(default=list)
    """Places of days in the week, Monday being 0; empty for all."""
    zone = models.CharField(max_length=60, default="UTC")
    applies = models.BooleanField(default=False)
    """Where nothing is open and the plan stays under its limits, it is applied without anybody; else it waits."""
    most = models.PositiveIntegerField(default=0)
    """Records that it may write by itself at most."""
    most_deletes = models.PositiveIntegerField(default=0)
    """Of these, records that it may delete by itself at most."""
    agreed = models.CharField(max_length=64, blank=True, default="")
    """Digest of what the route did when its owner said that it may apply: to what it does since, nobody agreed."""
    looked_at = models.DateTimeField(null=True)
    """When it looked last."""
    trouble = models.CharField(max_length=300, blank=True)
    """Why it could not look the last time, or what lies there and is no sheet."""


class Arrival(models.Model):
    """A sheet that lay in the folder: known by its name, content and time, so that it comes in once."""

    FOUND, COMING, APPLYING, WAITS, DONE, FAILED = "found", "coming in", "applying", "waits", "done", "failed"
    OPEN = (FOUND, COMING, APPLYING)

    unattended = models.ForeignKey(Unattended, models.CASCADE, related_name="arrivals")
    name = models.CharField(max_length=200)
    digest = models.CharField(max_length=64)
    modified = models.CharField(max_length=40)
    """The file's own time, in nanoseconds: the same file put there again is another arrival."""
    upload = models.PositiveBigIntegerField(null=True)
    job = models.PositiveBigIntegerField(null=True)
    trip = models.PositiveBigIntegerField(null=True)
    part = models.PositiveIntegerField(default=1)
    plan = models.PositiveIntegerField(null=True)
    """Number of the plan that it applied by itself."""
    state = models.CharField(max_length=12, default=FOUND)
    says = models.CharField(max_length=400, blank=True)
    """Why it waits or failed, or what it did."""
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("-id",)
        constraints = [
            models.UniqueConstraint(fields=["unattended", "name", "digest", "modified"], name="one_arrival_a_file")
        ]
