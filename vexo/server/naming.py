"""Who someone is, for people: what was done is written down under the name that a person signs in with."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from django.contrib.auth import get_user_model
from rest_framework import serializers

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


class WhoSerializer(serializers.Serializer[Any]):
    """A person as what they did is shown: ``username`` tells who, ``name`` is for reading."""

    username = serializers.CharField()
    name = serializers.CharField()

    def to_representation(self, instance: Any) -> dict[str, str]:
        username = str(instance)
        return {"username": username, "name": names_of([username])[username]}
