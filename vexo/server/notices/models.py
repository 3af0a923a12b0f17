"""Notices, and which of them somebody wants."""

from __future__ import annotations

from django.db import models

from ..people.models import Person


class Notice(models.Model):
    """Something that one person is told."""

    person = models.ForeignKey(Person, models.CASCADE, related_name="notices")
    kind = models.CharField(max_length=24)
    text = models.CharField(max_length=400)
    trip = models.PositiveBigIntegerField(null=True)
    """Number of the trip that it is about; the trip may be deleted meanwhile."""
    at = models.DateTimeField(auto_now_add=True, db_index=True)
    listed = models.BooleanField(default=True)
    read_at = models.DateTimeField(null=True)
    to_mail = models.BooleanField(default=False, db_index=True)
    """It is still to go by e-mail."""
    mailed_at = models.DateTimeField(null=True)
    trouble = models.CharField(max_length=200, blank=True)
    """Why it could not be sent the last time."""

    class Meta:
        ordering = ("-id",)


class Wish(models.Model):
    """How a person wants to be told of a kind; who has said nothing sees all in the list, and gets no e-mail."""

    person = models.ForeignKey(Person, models.CASCADE, related_name="notice_wishes")
    kind = models.CharField(max_length=24)
    listed = models.BooleanField(default=True)
    mailed = models.BooleanField(default=False)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["person", "kind"], name="one_wish_a_kind")]
