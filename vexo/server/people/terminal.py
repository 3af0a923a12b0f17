"""Who is at the command line."""

from __future__ import annotations

import getpass
import os
import pwd

from ..errors import PlainError
from .models import Person, Role
from .services import find_person


def _login() -> str:
    try:
        return getpass.getuser()
    except (KeyError, OSError):
        return "command line"


def login_of_machine() -> str:
    """Whose process this is, as the system knows it: what the environment says can be said by anyone."""
    try:
        return pwd.getpwuid(os.getuid()).pw_name
    except KeyError:
        return f"user {os.getuid()}"


def person_at_terminal(username: str = "") -> Person:
    """The person that the command line acts as.

    Someone named, else the person whose name is that of the login. In a folder that has no people yet its owner may do
    everything; in one that has, a stranger may only look.

    Raises:
        PlainError: where nobody has the name that was said.
    """
    if username:
        return find_person(username)
    login = _login()
    person = Person.objects.filter(username=login, is_active=True).first()
    if person is not None:
        return person
    role = Role.VIEWER if Person.objects.exists() else Role.ADMINISTRATOR
    return Person(username=login, name=login, role=role)


def known_person(person: Person) -> Person:
    """The person, where it is one that signs in: a login of the machine that is nobody's has nothing of its own.

    Raises:
        PlainError
    """
    if person.pk is None:
        raise PlainError(f"Nobody here is called {person.username!r}, so there is nobody to have it.", "rights")
    return person
