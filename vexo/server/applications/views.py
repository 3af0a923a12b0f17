"""Applications: list, look into, connect, test; preview of what would go out."""

from __future__ import annotations

import time
from datetime import datetime
from typing import Any

import msgspec
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vexo.core.records import Catalogue, NewField
from vexo.core.wording import many

from ..asked import Asked
from ..people.permissions import person_of
from ..people.rights import Action, applying, may
from ..serializing import serializer_for
from . import shaping
from .facts import RecordType
from .models import Application, Stage
from .own_tokens import give, given_at, withdraw
from .services import LONGEST_ADDRESS, LONGEST_LABEL, Connection, asking, connect, describe


class ApplicationSerializer(serializers.ModelSerializer[Application]):
    types = serializers.SerializerMethodField()
    may_apply = serializers.SerializerMethodField()
    token_given_at = serializers.SerializerMethodField()

    class Meta:
        model = Application
        fields = (
            "name",
            "label",
            "stage",
            "protocol",
            "address",
            "pages",
            "answers_ms",
            "described_at",
            "trouble",
            "types",
            "may_apply",
            "personal",
            "token_given_at",
        )

    def get_types(self, application: Application) -> int:
        return len((application.catalogue or {}).get("types", []))

    def get_token_given_at(self, application: Application) -> datetime | None:
        """When the person gave a token of their own, where the application asks for one."""
        return given_at(application, person_of(self.context["request"])) if application.personal else None

    def get_may_apply(self, application: Application) -> bool:
        return may(person_of(self.context["request"]), applying(application.stage))


class CatalogueSerializer(serializers.Serializer[Any]):
    application = ApplicationSerializer()
    types = serializer_for(RecordType)(many=True)
    adds_fields = serializers.BooleanField()
    adds_choices = serializers.BooleanField()
    unread = serializers.ListField(
        child=serializers.CharField(),
        help_text="Lists whose records no one property tells apart: they are no types here.",
    )


class NewFieldSerializer(Asked):
    """A field to be added; ``existing`` is what the records get that are there. An empty name is made of the label."""

    record_type = serializers.CharField(max_length=120)
    name = serializers.CharField(required=False, allow_blank=True, default="", max_length=40)
    label = serializers.CharField(max_length=shaping.LONGEST_LABEL)  # type: ignore[assignment]
    kind = serializers.ChoiceField(choices=list(shaping.KINDS), default="text")
    required = serializers.BooleanField(required=False, default=False)  # type: ignore[assignment]
    choices = serializers.ListField(
        child=serializers.CharField(max_length=shaping.LONGEST_CHOICE), required=False, default=list
    )
    existing = serializers.CharField(required=False, allow_blank=True, default="", max_length=shaping.LONGEST_EXISTING)


class NewChoiceSerializer(Asked):
    """A choice to be added to a field's list."""

    record_type = serializers.CharField(max_length=120)
    name = serializers.CharField(max_length=120)
    value = serializers.CharField(max_length=shaping.LONGEST_CHOICE)


class ChangeConnectionSerializer(Asked):
    """A connection; an empty token leaves the one that is kept. ``inside``: its address may be one of Vexo's own
    machine or network; ``personal``: each person writes with a token of their own."""

    label = serializers.CharField(required=False, allow_blank=True, default="", max_length=LONGEST_LABEL)  # type: ignore[assignment]
    address = serializers.URLField(max_length=LONGEST_ADDRESS)
    token = serializers.CharField(allow_blank=True, write_only=True, max_length=4000)
    stage = serializers.ChoiceField(choices=Stage.choices)
    pages = serializers.CharField(required=False, allow_blank=True, default="", max_length=LONGEST_ADDRESS)
    inside = serializers.BooleanField(required=False, default=False)
    personal = serializers.BooleanField(required=False, allow_null=True, default=None)


class ConnectSerializer(ChangeConnectionSerializer):
    name = serializers.SlugField(max_length=50)


class ProbeSerializer(serializers.Serializer[Any]):
    ok = serializers.BooleanField()
    said = serializers.CharField()


def _described(application: Application) -> Catalogue:
    with asking(application) as client:
        return describe(application, client)


class ApplicationsView(APIView):
    rights = {"POST": Action.CONNECT}

    @extend_schema(responses=ApplicationSerializer(many=True))
    def get(self, request: Request) -> Response:
        return Response(ApplicationSerializer(Application.objects.all(), many=True, context={"request": request}).data)

    @extend_schema(request=ConnectSerializer, responses={201: ApplicationSerializer})
    def post(self, request: Request) -> Response:
        serializer = ConnectSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        application = _connected(request, serializer.validated_data, change=False)
        return Response(ApplicationSerializer(application, context={"request": request}).data, status=201)


def _connected(request: Request, values: dict[str, Any], *, change: bool) -> Application:
    inside = values.pop("inside")
    return connect(person_of(request), Connection(**values), change=change, inside=inside)


class ApplicationView(APIView):
    rights = {"PUT": Action.CONNECT}

    @extend_schema(responses=CatalogueSerializer)
    def get(self, request: Request, name: str) -> Response:
        application = get_object_or_404(Application, name=name)
        known = application.known or _described(application)
        return _catalogue(application, known, request)

    @extend_schema(request=ChangeConnectionSerializer, responses=ApplicationSerializer)
    def put(self, request: Request, name: str) -> Response:
        """Change a connection; the application must answer there."""
        change_connection_serializer = ChangeConnectionSerializer(data=request.data)
        change_connection_serializer.is_valid(raise_exception=True)
        application = _connected(request, {**change_connection_serializer.validated_data, "name": name}, change=True)
        return Response(ApplicationSerializer(application, context={"request": request}).data)


def _catalogue(application: Application, known: Catalogue, request: Request, status: int = 200) -> Response:
    return Response(
        {
            "application": ApplicationSerializer(application, context={"request": request}).data,
            "types": msgspec.to_builtins([RecordType.of(one) for one in known.types]),
            "adds_fields": bool(known.promises.fields_at),
            "adds_choices": bool(known.promises.choices_at),
            "unread": list(known.unread),
        },
        status=status,
    )


class FieldsView(APIView):
    rights = {"POST": Action.CONNECT}

    @extend_schema(request=NewFieldSerializer, responses={201: CatalogueSerializer})
    def post(self, request: Request, name: str) -> Response:
        """Add a field to a record type, where the application can."""
        new_field_serializer = NewFieldSerializer(data=request.data)
        new_field_serializer.is_valid(raise_exception=True)
        values, application = new_field_serializer.validated_data, get_object_or_404(Application, name=name)
        record_type, field_name = values.pop("record_type"), values.pop("name")
        field = NewField(
            field_name or shaping.name_from(values["label"]), **{**values, "choices": tuple(values["choices"])}
        )
        known = shaping.add_field(person_of(request), application, record_type, field)
        application.refresh_from_db()
        return _catalogue(application, known, request, 201)


class ChoicesView(APIView):
    rights = {"POST": Action.CONNECT}

    @extend_schema(request=NewChoiceSerializer, responses={201: CatalogueSerializer})
    def post(self, request: Request, name: str) -> Response:
        """Add a choice to a field's list, where the application can."""
        new_choice_serializer = NewChoiceSerializer(data=request.data)
        new_choice_serializer.is_valid(raise_exception=True)
        application = get_object_or_404(Application, name=name)
        known = shaping.add_choice(person_of(request), application, **new_choice_serializer.validated_data)
        application.refresh_from_db()
        return _catalogue(application, known, request, 201)


class OwnTokenSerializer(Asked):
    """A person's own token for an application."""

    token = serializers.CharField(max_length=4000, write_only=True)


class OwnTokenView(APIView):
    """The token under which what a person reads and writes in an application goes. It is never told."""

    rights = {"PUT": Action.PREPARE, "DELETE": Action.PREPARE}

    @extend_schema(request=OwnTokenSerializer, responses=ApplicationSerializer)
    def put(self, request: Request, name: str) -> Response:
        """Give a token of one's own; the application must answer to it."""
        own_token_serializer = OwnTokenSerializer(data=request.data)
        own_token_serializer.is_valid(raise_exception=True)
        application = get_object_or_404(Application, name=name)
        give(person_of(request), application, own_token_serializer.validated_data["token"])
        return Response(ApplicationSerializer(application, context={"request": request}).data)

    @extend_schema(request=None, responses={200: ApplicationSerializer})
    def delete(self, request: Request, name: str) -> Response:
        """Withdraw it."""
        application = get_object_or_404(Application, name=name)
        withdraw(person_of(request), application)
        return Response(ApplicationSerializer(application, context={"request": request}).data)


class ProbeView(APIView):
    """Ask an application now whether it answers."""

    rights = {"POST": Action.PREPARE}

    @extend_schema(request=None, responses=ProbeSerializer)
    def post(self, request: Request, name: str) -> Response:
        application = get_object_or_404(Application, name=name)
        began = time.monotonic()
        catalogue = _described(application)
        took = int((time.monotonic() - began) * 1000)
        return Response(
            {"ok": True, "said": f"Answers in {took} ms, {many(len(catalogue.types), 'record type', 'record types')}."}
        )
