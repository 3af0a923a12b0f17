"""What is said of a sheet that is to come in."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers

from vexo.core.records import Ignored

from ..asked import Asked
from ..errors import PlainError

_TEXTS = serializers.CharField


class BringInSerializer(Asked):
    """Where a sheet belongs, and how it comes in; ``route`` says that of a sheet which begins a trip."""

    application = _TEXTS()
    record_type = _TEXTS()
    trip = _TEXTS(required=False, allow_blank=True, default="")
    operation = _TEXTS(required=False, allow_blank=True, default="")
    key = serializers.ListField(child=_TEXTS(), required=False, default=list)
    ignores = serializers.ListField(
        child=serializers.ChoiceField(choices=list(Ignored)), required=False, allow_null=True, default=None
    )
    reach = serializers.CharField(required=False, allow_blank=True, max_length=8000, default="")
    route = serializers.IntegerField(required=False, allow_null=True, default=None)
    prefix = serializers.ChoiceField(required=False, choices=["", "off", "keep"], default="")
    marks = serializers.BooleanField(required=False, default=False)

    def validate(self, attrs: dict[str, Any]) -> dict[str, Any]:
        if attrs["route"] is not None and attrs["trip"] not in ("", "new"):
            raise PlainError("A route says how a sheet comes in that begins a trip. Leave one of them out.", "beside")
        return attrs


class RefillSerializer(Asked):
    """A file to be filled from the application; ``key`` finds its records, where that does not tell itself. Cells that
    hold a formula are filled with ``formulas`` only."""

    application = _TEXTS()
    record_type = _TEXTS()
    key = serializers.ListField(child=_TEXTS(), required=False, default=list)
    formulas = serializers.BooleanField(required=False, default=False)
