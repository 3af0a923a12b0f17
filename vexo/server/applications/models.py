"""Connected applications."""

from __future__ import annotations

from typing import Any

from django.db import models
from django.db.models.signals import post_save
from django.dispatch import receiver

from vexo.core.records import Catalogue
from vexo.core.rules_of_use import UseRules, under_rules

from ..people.models import Person

_MOST_READ = 50
"""Catalogues that a process keeps read: more applications than anyone connects."""
_READ: dict[tuple[int, str], Catalogue] = {}


class Stage(models.TextChoices):
    """Whether records are the real ones."""

    LIVE = "live", "Live"
    PRACTICE = "practice", "Practice"


class Application(models.Model):
    """A system that holds records: its address, its token (encrypted) and what it says of itself.

    ``longest_request`` are the seconds after which a request that got no answer can no longer be under way there;
    ``repeats`` tells that its answers have shown that it keeps its promise of repeatable requests. ``guards`` are what
    guards do on its trips, as ``core.guards.GuardSettings``; ``rules`` what may be done to its records, as
    ``core.rules_of_use.UseRules``; ``personal``: each person writes with a token of their own.
    """

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
    longest_request = models.FloatField(default=120)
    repeats = models.BooleanField(default=False)
    guards = models.JSONField(default=dict)
    rules = models.JSONField(default=dict)
    personal = models.BooleanField(default=False)
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("id",)

    @property
    def known(self) -> Catalogue | None:
        """What the application said of itself when it was last asked, under its rules."""
        catalogue = self.told
        if catalogue is None or not self.rules:
            return catalogue
        return under_rules(catalogue, UseRules.from_json(self.rules))

    @property
    def told(self) -> Catalogue | None:
        """What the application itself said when it was last asked."""
        if not self.catalogue:
            return None
        try:
            at = (self.pk, self.catalogue["version"])
            if at not in _READ:
                if len(_READ) > _MOST_READ:
                    _READ.clear()
                _READ[at] = Catalogue.from_json(self.catalogue)
        except (KeyError, TypeError, ValueError, AttributeError):
            return None
        return _READ[at]


class PersonalToken(models.Model):
    """The token that a person has given an application for what they read and write themselves, encrypted."""

    application = models.ForeignKey(Application, models.CASCADE, related_name="personal_tokens")
    person = models.ForeignKey(Person, models.CASCADE, related_name="+")
    secret = models.TextField()
    given_at = models.DateTimeField(auto_now=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["application", "person"], name="one_token_a_person")]


@receiver(post_save, sender=Person)
def _withdraw_with_access(sender: type[Person], instance: Person, **_: Any) -> None:
    """Whoever may not sign in any more leaves no token behind."""
    if not instance.is_active:
        PersonalToken.objects.filter(person=instance).delete()
