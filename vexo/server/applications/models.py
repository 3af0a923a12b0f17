"""Connected applications."""

from __future__ import annotations

from django.db import models

from vexo.core.records import Catalogue

_MOST_READ = 50
_READ: dict[tuple[int, str], Catalogue] = {}


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
        if not self.catalogue:
            return None
        at = (self.pk, self.catalogue["version"])
        if at not in _READ:
            if len(_READ) > _MOST_READ:
                _READ.clear()
            _READ[at] = Catalogue.from_json(self.catalogue)
        return _READ[at]
