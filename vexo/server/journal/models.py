"""The journal."""

from __future__ import annotations

from django.db import models


class Entry(models.Model):
    """One thing that was done. Entries are only ever added, in the order of time; the database refuses anything else.

    ``seal`` is a keyed digest of the entry and of the seal before it, so that a change made past the program shows.
    """

    at = models.DateTimeField(db_index=True)
    who = models.CharField(max_length=150)
    what = models.CharField(max_length=40, db_index=True)
    message = models.TextField()
    application = models.CharField(max_length=60, blank=True, db_index=True)
    stage = models.CharField(max_length=10, blank=True)
    trip = models.PositiveBigIntegerField(null=True, db_index=True)
    rows = models.PositiveIntegerField(null=True)
    file = models.CharField(max_length=200, blank=True)
    way = models.CharField(max_length=120, blank=True, default="")
    """By which way it came in: ``browser``, a token's name, the command line of a machine; empty: Vexo by itself, or
    not known."""
    seal = models.CharField(max_length=64)

    class Meta:
        ordering = ("-id",)
