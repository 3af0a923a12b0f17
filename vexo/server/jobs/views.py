"""Jobs: how far they are, and stopping them."""

from __future__ import annotations

from typing import Any

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from ..asked import Asked
from ..error_codes import ERROR_CODES
from ..people.models import Person
from ..people.permissions import person_of
from ..people.rights import Action, applying, require
from .ending import pause, stop
from .models import Job


class JobResultSerializer(serializers.Serializer[Any]):
    """What a job gives, by its kind; ``next`` is the job that follows from it. Of a sheet that came in ``begun`` tells
    whether a trip began with it: one that was there keeps its own way and title, whatever route was said."""

    next = serializers.IntegerField(required=False)
    trip = serializers.IntegerField(required=False, allow_null=True)
    sheet = serializers.IntegerField(required=False)
    rows = serializers.IntegerField(required=False)
    name = serializers.CharField(required=False)
    application = serializers.CharField(required=False)
    record_type = serializers.CharField(required=False)
    begun = serializers.BooleanField(required=False)
    unchanged = serializers.BooleanField(required=False)
    parts = serializers.IntegerField(required=False)
    missing = serializers.IntegerField(required=False)
    formulas = serializers.IntegerField(required=False)
    cells = serializers.IntegerField(required=False)
    upload = serializers.IntegerField(required=False)
    outcome = serializers.DictField(child=serializers.IntegerField(), required=False)


class JobSerializer(serializers.ModelSerializer[Job]):
    code = serializers.ChoiceField(choices=ERROR_CODES, allow_blank=True)
    result = serializers.SerializerMethodField()

    @extend_schema_field(JobResultSerializer(allow_null=True))
    def get_result(self, job: Job) -> Any:
        described = JobResultSerializer().fields
        return {name: job.result[name] for name in described if name in job.result} if job.result else job.result

    class Meta:
        model = Job
        fields = ("id", "kind", "trip", "state", "done", "total", "message", "error", "code", "result", "wanted")


class WantSerializer(Asked):
    """What is wanted of a job under way: that it pauses where nothing is half done, and waits to be gone on with."""

    want = serializers.ChoiceField(choices=["pause"])


def _may_end(person: Person, job: Job) -> None:
    """Raises NotAllowed where a person may neither stop nor pause a job."""
    writes = job.kind in ("apply", "apply later") and job.trip is not None
    require(person, applying(job.trip.application.stage) if writes and job.trip else Action.PREPARE)


class JobView(APIView):
    rights = {"DELETE": Action.PREPARE, "POST": Action.PREPARE}

    @extend_schema(responses=JobSerializer)
    def get(self, request: Request, pk: int) -> Response:
        return Response(JobSerializer(get_object_or_404(Job, pk=pk)).data)

    @extend_schema(request=None, responses={200: JobSerializer})
    def delete(self, request: Request, pk: int) -> Response:
        """Ask a job to stop; it ends at the next point where nothing is half done."""
        job = get_object_or_404(Job.objects.select_related("trip__application"), pk=pk)
        person = person_of(request)
        _may_end(person, job)
        stop(job, person)
        job.refresh_from_db()
        return Response(JobSerializer(job).data)

    @extend_schema(request=WantSerializer, responses={200: JobSerializer})
    def post(self, request: Request, pk: int) -> Response:
        """Ask a pass under way to pause; it does so after the batch that is out, and is gone on with by hand."""
        job = get_object_or_404(Job.objects.select_related("trip__application"), pk=pk)
        person = person_of(request)
        _may_end(person, job)
        serializer = WantSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        pause(job, person)
        job.refresh_from_db()
        return Response(JobSerializer(job).data)
