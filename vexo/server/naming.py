"""Who someone is, for people: what was done is written down under the name that a person signs in with."""

from __future__ import annotations

from collections.abc import Iterable

from django.contrib.auth import get_user_model

_known: dict[str, str] = {}


def names_of(usernames: Iterable[str]) -> dict[str, str]:
    """Full names by the names people sign in with; one that is nobody's (a login of the terminal) stands for itself.

    Neither is ever given to another or changed, so each is asked for once.
    """
    wanted = set(usernames)
    missing = wanted - _known.keys()
    if missing:
        people = get_user_model().objects.filter(username__in=missing)
        _known.update({username: name for username, name in people.values_list("username", "name") if name})
    return {username: _known.get(username, username) for username in wanted}
