"""Sending out over HTTP: what would go out, and a new trip."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vexo.core.conditions import read_condition
from vexo.core.conditions.clauses import from_clauses, to_clauses
from vexo.core.conditions.to_filter import to_text
from vexo.core.conditions.to_sentence import to_sentence
from vexo.core.keys.key_lists import read_keys

from ..applications.models import Application
from ..applications.services import asking, describe
from ..jobs.views import JobSerializer
from ..jobs.worker import enqueue
from ..people.permissions import person_of
from ..people.rights import Action
from ..routes import documents
from ..routes.models import Route
from ..serializing import serializer_for
from ..trips.facts import to_json
from ..trips.models import Trip
from ..trips.part_view import PartView
from . import previews as questions
from . import serializers as s
from .previews import FieldValue, Preview, Selection
from .selection import begin
from .send_out import go_on


def _application(name: str) -> Application:
    return get_object_or_404(Application, name=name)


class PreviewView(APIView):
    """The first rows of a sheet as it would be, and how many there would be."""

    rights = {"POST": Action.PREPARE}

    @extend_schema(request=documents.ChoosingSerializer, responses=serializer_for(Preview))
    def post(self, request: Request, name: str) -> Response:
        serializer = documents.ChoosingSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        with asking(_application(name), person_of(request).username) as client:
            return Response(to_json(questions.preview(client, documents.document_of(serializer.validated_data))))


class SelectionView(APIView):
    """Sums of a selection, and who has some of its records out already."""

    rights = {"POST": Action.PREPARE}

    @extend_schema(request=documents.ChoosingSerializer, responses=serializer_for(Selection))
    def post(self, request: Request, name: str) -> Response:
        serializer = documents.ChoosingSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        application = _application(name)
        with asking(application, person_of(request).username) as client:
            document = documents.document_of(serializer.validated_data)
            return Response(to_json(questions.selection(client, application, document)))


class ConditionView(APIView):
    """A condition said one way, told in all of them. No application is asked."""

    rights = {"POST": Action.PREPARE}

    @extend_schema(request=s.AskConditionSerializer, responses=s.ConditionSerializer)
    def post(self, request: Request, name: str) -> Response:
        serializer = s.AskConditionSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        values, application = serializer.validated_data, _application(name)
        catalogue = application.known or describe(application)
        record_type = catalogue.type(values["record_type"])
        if values.get("clauses") is not None:
            condition = from_clauses(values["clauses"], record_type, catalogue)
        else:
            condition = read_condition(values.get("text", ""), record_type, catalogue)
        if condition is None:
            return Response({"text": "", "clauses": None, "sentence": ""})
        answer = {"text": values.get("text") or to_text(condition, record_type), "clauses": to_clauses(condition)}
        return Response({**answer, "sentence": to_sentence(condition, record_type, catalogue)})


class ValuesView(APIView):
    """The values that a field has in the application."""

    asks = ("record_type", "field", "like")

    rights = {"GET": Action.PREPARE}

    @extend_schema(
        responses=serializer_for(FieldValue, "Value")(many=True),
        parameters=[
            OpenApiParameter("record_type", str, required=True),
            OpenApiParameter("field", str, required=True),
            OpenApiParameter("like", str),
        ],
    )
    def get(self, request: Request, name: str) -> Response:
        query = {n: request.query_params.get(n, "")[:200] for n in ("record_type", "field", "like")}
        with asking(_application(name), person_of(request).username) as client:
            record_type = client.describe().type(query["record_type"])
            return Response(to_json(questions.values_of(client, record_type, query["field"], query["like"])))


class KeysView(APIView):
    """The keys that a pasted list names."""

    rights = {"POST": Action.PREPARE}

    @extend_schema(request=s.AskKeysSerializer, responses=documents.PickedSerializer)
    def post(self, request: Request, name: str) -> Response:
        serializer = s.AskKeysSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        values, application = serializer.validated_data, _application(name)
        record_type = (application.known or describe(application)).type(values["record_type"])
        picked = read_keys(values["text"], record_type, values["key"])
        return Response({"key": list(picked.key), "values": [list(key) for key in picked.values]})


class SendOutSerializer(documents.DocumentSerializer):
    """What goes out, and the trip that it begins; ``route`` is the one that it was said on."""

    application = serializers.CharField()
    title = serializers.CharField(required=False, allow_blank=True, default="", max_length=160)
    route = serializers.IntegerField(required=False, allow_null=True, default=None)


class SendOutView(APIView):
    rights = {"POST": Action.PREPARE}

    @extend_schema(request=SendOutSerializer, responses={202: JobSerializer})
    def post(self, request: Request) -> Response:
        """Send records out: a new trip, its sheets made in the background."""
        serializer = SendOutSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        values = serializer.validated_data
        who = person_of(request).username
        route = get_object_or_404(Route, pk=values["route"]) if values["route"] is not None else None
        trip = begin(_application(values["application"]), documents.document_of(values), who, values["title"], route)
        return Response(
            JobSerializer(enqueue("send out", who, PartView.of(trip), format=trip.send_document["format"])).data,
            status=202,
        )


class GoOnView(APIView):
    rights = {"POST": Action.PREPARE}

    @extend_schema(request=None, responses={202: JobSerializer})
    def post(self, request: Request, pk: int) -> Response:
        """Go on with a sending out that was stopped or broke off."""
        trip = get_object_or_404(Trip.objects.select_related("application"), pk=pk)
        return Response(JobSerializer(go_on(PartView.of(trip), person_of(request))).data, status=202)
