"""People, their roles, and the ways in which they are known again."""

from __future__ import annotations

from django.contrib.auth.models import AbstractUser
from django.contrib.sessions.base_session import AbstractBaseSession
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
    sso_subject = models.CharField(max_length=300, blank=True, default="")
    """Who they are to the provider of single sign-on: its address and its own name for them; empty where they are not
    known by it."""
    locale = models.CharField(max_length=12, default="en-GB")
    """How numbers and times are written for them, a tag of ``locales.LOCALES``."""
    zone = models.CharField(max_length=60, blank=True, default="")
    """In which time zone they read times, of the IANA database; empty for their browser's."""
    role_cap: str | None = None
    """The most that may be done in this request, where it came with a token; never kept."""

    class Meta(AbstractUser.Meta):
        constraints = [
            models.UniqueConstraint(
                fields=["sso_subject"], condition=~models.Q(sso_subject=""), name="one_person_a_subject"
            )
        ]

    def may(self, role: str) -> bool:
        """Whether this person's role includes another, and so does the cap of the token that they came with."""
        order = [choice.value for choice in Role]
        return min(order.index(self.role), order.index(self.role_cap or self.role)) >= order.index(role)

    def __str__(self) -> str:
        return self.name or self.username


class AccessToken(models.Model):
    """What a script shows to act for a person: kept as a digest, with an end and the most that it may do."""

    person = models.ForeignKey(Person, models.CASCADE, related_name="tokens")
    name = models.CharField(max_length=60)
    """What the journal calls it by."""
    digest = models.CharField(max_length=64, unique=True)
    """SHA-256 of the token: it has 256 random bits, so that nothing slower is needed."""
    role = models.CharField(max_length=16, choices=Role.choices)
    """Its cap: it may do what both this role and its person's allow."""
    made_at = models.DateTimeField()
    ends_at = models.DateTimeField()
    used_at = models.DateTimeField(null=True)
    """When it was last shown, to within a minute."""
    withdrawn_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ("id",)


class Session(AbstractBaseSession):
    """A browser that is signed in. Its key here is a digest of the real one."""

    person = models.ForeignKey(Person, models.CASCADE, null=True, related_name="sessions")
    began_at = models.DateTimeField(null=True)
    used_at = models.DateTimeField(null=True, db_index=True)
    """When a key or the mouse was last used there, to within a minute."""
    address = models.CharField(max_length=60, blank=True)
    browser = models.CharField(max_length=300, blank=True)
    """What the browser says that it is."""

    @classmethod
    def get_session_store_class(cls) -> type:
        from .sessions import SessionStore

        return SessionStore


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
