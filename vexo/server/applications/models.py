"""Connected applications."""

from __future__ import annotations

from django.db import models

from vexo.core.records import Catalogue


class Stage(models.TextChoices):
    """Whether records are the real ones."""

    LIVE = "live", "Live"
    PRACTICE = "practice", "Practice"


class Application(models.Model):
    """A system that holds records: its address, its token (encrypted) and what it says of itself."""

    name = models.SlugField(unique=True)
    label = models.CharField(max_length=120)
    stage = models.CharField(max_length=10, choices=Stage.choices)
    protocol = models.CharField(max_length=20, default="odata")
    address = models.CharField(max_length=300)
    pages = models.CharField(max_length=300, blank=True)
    secret = models.TextField(blank=True)
    catalogue = models.JSONField(null=True)
    described_at = models.DateTimeField(null=True)
    answers_ms = models.PositiveIntegerField(null=True)
    trouble = models.TextField(blank=True)
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("id",)

    @property
    def known(self) -> Catalogue | None:
        """What the application said of itself when it was last asked."""
        return Catalogue.from_json(self.catalogue) if self.catalogue else None
