"""Rules over HTTP: what may be done to the records of an application."""

from __future__ import annotations

from typing import Any

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vexo.core.planning.verdicts import WRITTEN
from vexo.core.rules_of_use import DAYS

from ..asked import Asked
from ..people.permissions import person_of
from ..people.rights import Action
from .models import Application
from .use_rules import rules_of, set_rules

_DOINGS = [(verdict.value, verdict.name) for verdict in WRITTEN]


class ApproveSerializer(Asked):
    """Which plans somebody else approves first: every one, those that delete, those that write more than so many."""

    always = serializers.BooleanField(required=False)
    deletes = serializers.BooleanField(required=False)
    above = serializers.IntegerField(required=False, min_value=0)


class TimesSerializer(Asked):
    """When records may be written: on these days, from one time to another (as 20:00) of a time zone."""

    days = serializers.ListField(child=serializers.ChoiceField(choices=DAYS), required=False)
    from_ = serializers.CharField(max_length=5)
    to = serializers.CharField(max_length=5)
    zone = serializers.CharField(max_length=60, required=False)

    def get_fields(self) -> dict[str, Any]:
        """``from`` cannot be the name of a class's attribute."""
        fields = super().get_fields()
        return {name.rstrip("_"): field for name, field in fields.items()}


class SaidRulesSerializer(Asked):
    """What is off for one record type: of create, update and delete (``deny``), the fields never written, what somebody
    else approves first, when it may be written, and the fields of which nothing is kept once a trip is over
    (``masked``)."""

    deny = serializers.ListField(child=serializers.CharField(), required=False)
    never = serializers.ListField(child=serializers.CharField(), required=False)
    approve = ApproveSerializer(required=False)
    times = TimesSerializer(required=False)
    masked = serializers.ListField(child=serializers.CharField(), required=False)


class RuleFieldSerializer(serializers.Serializer[Any]):
    """A field that could be written, and whether it never is."""

    name = serializers.CharField()
    title = serializers.CharField()
    never = serializers.BooleanField()


class MaskedFieldSerializer(serializers.Serializer[Any]):
    """A field, and whether nothing of it is kept once a trip is over."""

    name = serializers.CharField()
    title = serializers.CharField()
    masked = serializers.BooleanField()


class TypeRulesSerializer(serializers.Serializer[Any]):
    """What is off for one record type, and its fields that could be written."""

    name = serializers.CharField()
    plural = serializers.CharField()
    deny = serializers.ListField(child=serializers.ChoiceField(choices=_DOINGS))
    writable = RuleFieldSerializer(many=True)
    approve = ApproveSerializer()
    times = TimesSerializer(allow_null=True)
    kept = MaskedFieldSerializer(many=True)


class RulesSerializer(serializers.Serializer[Any]):
    """All record types; ``said`` is what is off, as it is given back to change it."""

    types = TypeRulesSerializer(many=True)
    said = serializers.DictField(child=SaidRulesSerializer())


class SetRulesSerializer(Asked):
    """What is to be off: the name of each record type of which anything is. All else may be done."""

    said = serializers.DictField(child=SaidRulesSerializer())


class RulesView(APIView):
    rights = {"PUT": Action.CONNECT}

    @extend_schema(responses=RulesSerializer)
    def get(self, request: Request, name: str) -> Response:
        """What may be done to the records of an application."""
        return Response(rules_json(get_object_or_404(Application, name=name)))

    @extend_schema(request=SetRulesSerializer, responses=RulesSerializer)
    def put(self, request: Request, name: str) -> Response:
        """Set what may be done to the records of an application."""
        serializer = SetRulesSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        application = get_object_or_404(Application, name=name)
        by_type = {of: dict(one) for of, one in serializer.validated_data["said"].items()}
        return Response(rules_json(set_rules(person_of(request), application, by_type)))


def rules_json(application: Application) -> Any:
    """The rules of an application as the screens need them; no types where it is not known what it holds."""
    rules, told = rules_of(application), application.told
    types = [
        {
            "name": one.name,
            "plural": one.plural,
            "approve": rules.of(one.name).approve.to_json(),
            "times": times.to_json() if (times := rules.of(one.name).times) is not None else None,
            "kept": [
                {"name": field.name, "title": field.label, "masked": field.name in rules.of(one.name).masked}
                for field in one.fields
                if field.path is None
            ],
            "deny": [verdict.value for verdict in WRITTEN if verdict in rules.of(one.name).deny],
            "writable": [
                {"name": field.name, "title": field.label, "never": field.name in rules.of(one.name).never}
                for field in one.fields
                if not field.read_only and field.path is None
            ],
        }
        for one in (told.types if told is not None else ())
    ]
    return RulesSerializer({"types": types, "said": rules.to_json()}).data
