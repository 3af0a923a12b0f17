"""What goes out, as it is said and told over HTTP."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from vexo.core.conditions import LONGEST

from ..asked import Asked
from ..routes.documents import names

_TEXT = serializers.CharField


@extend_schema_field({"type": "object", "additionalProperties": {}})
class ClauseField(serializers.JSONField):
    """Clauses as plain JSON."""


class AskConditionSerializer(Asked):
    """A condition as its text, or as clauses (null for none): a clause names a field, what it does and its values; a
    group is all, any or none of its parts."""

    not_with = {"clauses": "text"}

    record_type = _TEXT(max_length=120)
    text = _TEXT(required=False, allow_blank=True, max_length=LONGEST)
    clauses = ClauseField(required=False, allow_null=True)


class ConditionSerializer(serializers.Serializer[Any]):
    """A condition as text, as clauses and as a sentence."""

    text = _TEXT(allow_blank=True)
    clauses = ClauseField(allow_null=True)
    sentence = _TEXT(allow_blank=True)


class AskKeysSerializer(Asked):
    """A pasted list of keys."""

    record_type = _TEXT(max_length=120)
    text = _TEXT(required=False, allow_blank=True, default="", max_length=5_000_000)
    key = names(8, required=False, default=list)
