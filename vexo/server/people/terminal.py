"""Who is at the command line."""

from __future__ import annotations

import getpass

from .models import Person, Role
from .services import find_person


def _login() -> str:
    try:
        return getpass.getuser()
    except (KeyError, OSError):
        return "command line"


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
