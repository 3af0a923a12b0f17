"""Saved ways of making a trip."""

from __future__ import annotations

from typing import TYPE_CHECKING

from django.db import models

from ..applications.models import Application

if TYPE_CHECKING:
    from vexo.core.documents import BringIn, SendOut


class Route(models.Model):
    """A saved way of making a trip."""

    name = models.CharField(max_length=120, unique=True)
    application = models.ForeignKey(Application, models.CASCADE, related_name="routes")
    record_type = models.CharField(max_length=120)
    send_document = models.JSONField(default=dict)
    """What goes out, ``core.documents.SendOut`` as JSON; empty where that was not said."""
    import_document = models.JSONField(default=dict)
    """How a sheet comes in, ``core.documents.BringIn`` as JSON; empty where that was not said."""
    guards = models.JSONField(default=dict)
    """What guards do on its trips where that is not as its application says, ``core.guards.GuardSettings`` as JSON."""
    on_refusals = models.JSONField(default=dict)
    """What passes of its trips do where rows are refused, ``trips.facts.passes.TroubleRule`` as JSON; empty where that
    was not said."""
    version = models.PositiveIntegerField(default=1)
    """Rises with each change, so that a change of what someone else changed meanwhile is noticed."""
    made_by = models.CharField(max_length=150)
    made_at = models.DateTimeField(auto_now_add=True)
    used_at = models.DateTimeField(null=True)
    used = models.PositiveIntegerField(default=0)
    """How often it was used."""
    rows = models.PositiveIntegerField(null=True)
    """Rows of the last trip on it."""

    class Meta:
        ordering = ("name",)

    @property
    def document(self) -> SendOut | None:
        """What goes out on it."""
        from vexo.core.documents import SendOut

        return SendOut.from_json(self.send_document) if self.send_document else None

    @property
    def bringing(self) -> BringIn | None:
        """How a sheet comes in on it."""
        from vexo.core.documents import BringIn

        return BringIn.from_json(self.import_document) if self.import_document else None
