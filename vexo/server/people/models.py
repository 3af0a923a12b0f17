"""People and their roles."""

from __future__ import annotations

from django.contrib.auth.models import AbstractUser
from django.db import models


class Role(models.TextChoices):
    """What a person may do; each includes those before it."""

    VIEWER = "viewer", "Viewer"
    PREPARER = "preparer", "Preparer"
    OPERATOR = "operator", "Operator"
    ADMINISTRATOR = "administrator", "Administrator"


class Person(AbstractUser):
    """Someone who uses Vexo."""

    role = models.CharField(max_length=16, choices=Role.choices, default=Role.VIEWER)
    name = models.CharField(max_length=80, default="")

    def may(self, role: str) -> bool:
        """Whether this person's role includes another."""
        order = [choice.value for choice in Role]
        return order.index(self.role) >= order.index(role)

    def __str__(self) -> str:
        return self.name or self.username


class Misses(models.Model):
    """Sign-ins that failed: of a name from an address, of an address, or of a name.

    ``key`` is a digest of who or what it is about, ``until`` when the next try is looked at; ``known`` tells that this
    name has signed in from this address before.
    """

    key = models.CharField(max_length=64, primary_key=True)
    known = models.BooleanField(default=False)
    count = models.PositiveIntegerField(default=0)
    until = models.FloatField(default=0)
    last = models.FloatField(default=0)
