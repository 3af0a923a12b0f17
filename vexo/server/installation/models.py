"""The settings of the installation, in one row."""

from __future__ import annotations

from django.db import models


class InstallationSettings(models.Model):
    """What administrators set for everyone; days and minutes of 0 mean that there is no limit."""

    idle_minutes = models.PositiveIntegerField(default=720)
    """Minutes without a key or a click after which a session ends."""
    keep_trips_days = models.PositiveIntegerField(default=0)
    """Days after its last change for which an ended trip is kept, with all that belongs to it."""
    keep_receipts_days = models.PositiveIntegerField(default=0)
    """Days for which the receipts of deleted trips are kept."""
    keep_uploads_days = models.PositiveIntegerField(default=30)
    """Days for which a sheet that waits, and was never brought in, is kept."""
    keep_copies_days = models.PositiveIntegerField(default=0)
    """Days after a trip's last change for which the kept copies of its records stay."""
    keep_journal_days = models.PositiveIntegerField(default=0)
    """Days for which entries of the journal are kept; those that are taken off are summed up in one."""

    class Meta:
        db_table = "installation_settings"
