"""Who did something, as the API tells it."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers

from .naming import names_of


class WhoSerializer(serializers.Serializer[Any]):
    """A person as what they did is shown: ``username`` tells who, ``name`` is for reading."""

    username = serializers.CharField()
    name = serializers.CharField()

    def to_representation(self, instance: Any) -> dict[str, str]:
        username = str(instance)
        return {"username": username, "name": names_of([username])[username]}
