"""Links by which a person chooses a password: valid once, and for a day."""

from __future__ import annotations

from django.contrib.auth.tokens import default_token_generator
from django.db import transaction

from ..errors import PlainError
from ..journal.services import note
from .models import Person
from .rights import Action, require
from .services import checked_password, find_person

HOURS = 24
"""Hours for which a link can be used."""


class WrongLink(PlainError):
    """A link that is worth nothing, or none at all."""


def make_link(by: Person, username: str) -> str:
    """The secret of a link. Any sign-in or new password after it takes its worth away; it is told this once.

    Raises:
        NotAllowed, PlainError
    """
    require(by, Action.PEOPLE)
    with transaction.atomic():
        person = find_person(username)
        note(by.username, "people", f"Made a link with which {username} chooses a password")
        return default_token_generator.make_token(person)


def choose_password(username: str, link: str, password: str) -> Person:
    """Use a link: the password is the person's from now on, and their sessions end. Raises PlainError."""
    with transaction.atomic():
        person = Person.objects.filter(username=username, is_active=True).first()
        if person is None or not default_token_generator.check_token(person, link):
            raise WrongLink("That link was used already, or is too old. Ask an administrator for another.", "link")
        person.set_password(checked_password(person, password))
        person.save(update_fields=["password"])
        note(username, "people", f"{username} chose a password by a link")
    return person
