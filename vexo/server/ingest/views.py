"""Sheets that come in, over HTTP: uploads in parts, columns and keys."""

from __future__ import annotations

from dataclasses import replace

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vexo.core.sheets import Choices

from ..applications.models import Application
from ..asked import Asked
from ..jobs.views import JobSerializer
from ..people.permissions import person_of
from ..people.rights import Action
from ..trips.sheet_serializers import ChoicesSerializer
from ..trips.views import SEEN, find_view, unchanged
from ..uploads import receive, waiting
from .bring_in import ImportRequest, bring_in_otherwise, start_bringing_in
from .move import move_trip
from .refill import start_refilling
from .serializers import BringInSerializer, RefillSerializer


class BringInView(APIView):
    rights = {"POST": Action.PREPARE}

    @extend_schema(request=BringInSerializer, responses={202: JobSerializer})
    def post(self, request: Request, number: int) -> Response:
        """All parts are there: bring it in as records of a type. Asked twice, it is done once."""
        serializer = BringInSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        values, person = serializer.validated_data, person_of(request)
        upload = waiting.find_waiting(number) if waiting.waits(number) else receive.finish(number, person.username)
        application = get_object_or_404(Application, name=values.pop("application"))
        record_type = values.pop("record_type")
        choices = replace(upload.read_options, prefix=values.pop("prefix"), marks=values.pop("marks"))
        job = start_bringing_in(application, record_type, upload, person, ImportRequest(choices=choices, **values))
        return Response(JobSerializer(job).data, status=202)


class RefillView(APIView):
    rights = {"POST": Action.PREPARE}

    @extend_schema(request=RefillSerializer, responses={202: JobSerializer})
    def post(self, request: Request, number: int) -> Response:
        """Fill a file whose header names fields and whose key column names records, with what the application holds."""
        refill_serializer = RefillSerializer(data=request.data)
        refill_serializer.is_valid(raise_exception=True)
        values, person = refill_serializer.validated_data, person_of(request)
        upload = waiting.find_waiting(number) if waiting.waits(number) else receive.finish(number, person.username)
        application = get_object_or_404(Application, name=values["application"])
        formulas = values["formulas"]
        job = start_refilling(application, values["record_type"], upload, person, values["key"], formulas=formulas)
        return Response(JobSerializer(job).data, status=202)


class SheetChoicesView(APIView):
    rights = {"PATCH": Action.PREPARE}

    @extend_schema(request=ChoicesSerializer, responses={202: JobSerializer}, parameters=[SEEN])
    def patch(self, request: Request, pk: int) -> Response:
        """Have the trip's newest sheet read otherwise: it comes in as a newer version."""
        view = find_view(pk, request)
        unchanged(request, view)
        choices_serializer = ChoicesSerializer(data=request.data)
        choices_serializer.is_valid(raise_exception=True)
        job = bring_in_otherwise(view, person_of(request), Choices(**choices_serializer.validated_data))
        return Response(JobSerializer(job).data, status=202)


class MoveSerializer(Asked):
    """Where a trip is to be moved."""

    application = serializers.CharField(max_length=60)


class MoveView(APIView):
    rights = {"POST": Action.PREPARE}

    @extend_schema(request=MoveSerializer, responses={202: JobSerializer})
    def post(self, request: Request, pk: int) -> Response:
        """Move a trip to another application: a new trip there with its sheet, edits, columns, lanes, key and rules."""
        move_serializer = MoveSerializer(data=request.data)
        move_serializer.is_valid(raise_exception=True)
        target = get_object_or_404(Application, name=move_serializer.validated_data["application"])
        return Response(JobSerializer(move_trip(find_view(pk, request), person_of(request), target)).data, status=202)
