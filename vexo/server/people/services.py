"""People: who there is, their roles and passwords. There is always an administrator once there was one."""

from __future__ import annotations

import re
import unicodedata

from django.contrib.auth.password_validation import validate_password
from django.contrib.auth.validators import ASCIIUsernameValidator
from django.core.exceptions import ValidationError
from django.db import transaction

from ..errors import PlainError
from ..journal.services import note
from ..lengths import at_most
from ..locales import LOCALES, zone_named
from .models import Person, Role
from .rights import Action, require

LONGEST_NAME = 80
"""Characters of a person's full name."""
_TAKEN = ("someone", "command line", "vexo")


def people() -> list[Person]:
    """Everyone who can sign in, by name."""
    return list(Person.objects.filter(is_active=True).order_by("username"))


def find_person(username: str) -> Person:
    """Raises PlainError where nobody has the name."""
    known_person = Person.objects.filter(username=username, is_active=True).first()
    if known_person is None:
        words = ", ".join(person.username for person in people()) or "none yet"
        raise PlainError(f"Nobody here is called {username!r}. People: {words}.")
    return known_person


def _role(role: str) -> Role:
    if role not in Role.values:
        raise PlainError(f"Unknown role {role!r}. Use {', '.join(Role.values)}.")
    return Role(role)


def checked_password(person: Person, password: str) -> str:
    """A password that is good enough. Raises PlainError with what it lacks."""
    try:
        validate_password(password, person)
    except ValidationError as error:
        raise PlainError(" ".join(error.messages)) from error
    return password


def is_last_administrator(person: Person) -> bool:
    """Whether there would be no administrator without this person."""
    others = Person.objects.filter(role=Role.ADMINISTRATOR, is_active=True).exclude(pk=person.pk)
    return person.role == Role.ADMINISTRATOR and not others.exists()


def _stays_one(person: Person) -> None:
    if is_last_administrator(person):
        raise PlainError(f"{person} is the only administrator. Make another one first.")


def _refuse_mixed(full: str) -> None:
    """Raises PlainError for a word of letters of several scripts: it can look like another's name."""
    for word in re.findall(r"[^\W\d_]+", full):
        scripts = {unicodedata.name(letter, "?").split()[0] for letter in word if not unicodedata.combining(letter)}
        if len(scripts & {"LATIN", "CYRILLIC", "GREEK", "ARMENIAN", "CHEROKEE"}) > 1:
            raise PlainError(f"{word} has letters of several scripts, and could be read as another's name.")


def full_name(username: str, name: str) -> str:
    """The name by which somebody new is read; the one to sign in with where none is said.

    Raises:
        PlainError: where it could be taken for another's.
    """
    full = " ".join(unicodedata.normalize("NFKC", name).split())[:LONGEST_NAME] or username
    if not full.isprintable():
        raise PlainError(f"{full!r} has characters that nobody can read.")
    _refuse_mixed(full)
    # Not by the database, to which only the capitals of English letters are the same letters.
    taken = {*_TAKEN, *(other.casefold() for other in Person.objects.values_list("name", flat=True))}
    if username.casefold() in _TAKEN or full.casefold() in taken:
        raise PlainError(f"{full} is another's name in the journal. Add what tells them apart.")
    return full


def add(by: Person, username: str, name: str, role: str, password: str | None = None) -> Person:
    """A new person; without a password they choose one by a link.

    A name that someone had once, to sign in with or in full, is not given again: what was done is written down under
    it.

    Raises:
        NotAllowed, PlainError
    """
    require(by, Action.PEOPLE)
    try:
        ASCIIUsernameValidator()(username)
    except ValidationError as error:
        raise PlainError(f"{username!r} is not a name to sign in with: {' '.join(error.messages)}") from error
    if not any(one.isalnum() for one in username):
        raise PlainError(f"{username!r} is not a name to sign in with: it needs a letter or a figure.")
    if len(username) > 150:
        raise PlainError("A name to sign in with has at most 150 characters.")
    with transaction.atomic():
        before = Person.objects.filter(username__iexact=username).first()
        if before is not None:
            words = "there already" if before.is_active else "the name of someone who was here before"
            raise PlainError(f"{username} is {words}. Choose another name.")
        full = full_name(username, at_most(LONGEST_NAME, name, "A person's name", "name"))
        person = Person(username=username, name=full, role=_role(role))
        if password is not None:
            checked_password(person, password)
        person.set_password(password)
        person.save()
        note(by.username, "people", f"Added {username}, {person.get_role_display().lower()}")
    return person


def set_role(by: Person, username: str, role: str) -> Person:
    """Raises NotAllowed, PlainError."""
    require(by, Action.PEOPLE)
    with transaction.atomic():
        person = find_person(username)
        wanted = _role(role)
        if wanted == person.role:
            return person
        if wanted != Role.ADMINISTRATOR:
            _stays_one(person)
        person.role = wanted
        person.save(update_fields=["role"])
        note(by.username, "people", f"{username} is {person.get_role_display().lower()} now")
    return person


def set_password(by: Person, username: str, password: str) -> Person:
    """A new password ends the person's sessions. One's own can be set by anyone.

    Raises:
        NotAllowed, PlainError
    """
    if by.username != username:
        require(by, Action.PEOPLE)
    with transaction.atomic():
        person = find_person(username)
        person.set_password(checked_password(person, password))
        person.save(update_fields=["password"])
        note(by.username, "people", f"{username} has a new password")
    return person


def change(by: Person, username: str, *, role: str = "", password: str = "") -> Person:
    """Another role, a new password, or both at once. Raises NotAllowed, PlainError."""
    require(by, Action.PEOPLE)
    with transaction.atomic():
        person = set_role(by, username, role) if role else find_person(username)
        return set_password(by, username, password) if password else person


def set_reading(person: Person, locale: str, zone: str) -> Person:
    """Say how numbers and times are written for oneself, and in which zone; empty for the browser's.

    Raises:
        PlainError
    """
    if locale not in LOCALES:
        raise PlainError(f"Unknown way of writing numbers {locale!r}. Use {', '.join(LOCALES)}.")
    if zone and zone_named(zone) is None:
        raise PlainError(f"{zone!r} is not a time zone; one is Europe/London.")
    person.locale, person.zone = locale, zone
    person.save(update_fields=["locale", "zone"])
    return person


def remove(by: Person, username: str) -> None:
    """The person can no longer sign in, from now on. Raises NotAllowed, PlainError."""
    require(by, Action.PEOPLE)
    with transaction.atomic():
        person = find_person(username)
        _stays_one(person)
        person.is_active = False
        person.set_unusable_password()
        person.save(update_fields=["is_active", "password"])
        note(by.username, "people", f"Removed {username}")
