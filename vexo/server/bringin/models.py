"""Files on their way in."""

from __future__ import annotations

from django.db import models


class Upload(models.Model):
    """A file that someone brings. On the disk its name is its number; what it was called is here.

    ``recognising`` and ``bringing`` are the jobs that were asked for when it was whole; each is asked for once.
    """

    name = models.CharField(max_length=300)
    size = models.PositiveBigIntegerField()
    received = models.PositiveBigIntegerField(default=0)
    by = models.CharField(max_length=150)
    began_at = models.DateTimeField(auto_now_add=True)
    whole = models.BooleanField(default=False)
    recognising = models.PositiveBigIntegerField(null=True)
    bringing = models.PositiveBigIntegerField(null=True)

    class Meta:
        ordering = ("id",)

    @property
    def path(self) -> str:
        """Where its bytes are, in the data folder."""
        return f"files/uploads/{self.pk}"
