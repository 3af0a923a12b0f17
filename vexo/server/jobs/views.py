"""Jobs: how far they are, and stopping them."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from ..journal.services import note
from ..people.permissions import person_of
from ..people.rights import Action, applying, require
from .models import Job


class JobResultSerializer(serializers.Serializer[Any]):
    """What a job gives, by its kind; ``next`` is the job that follows from it."""

    next = serializers.IntegerField(required=False)
    trip = serializers.IntegerField(required=False, allow_null=True)
    sheet = serializers.IntegerField(required=False)
    rows = serializers.IntegerField(required=False)
    name = serializers.CharField(required=False)
    application = serializers.CharField(required=False)
    record_type = serializers.CharField(required=False)
    unchanged = serializers.BooleanField(required=False)
    parts = serializers.IntegerField(required=False)
    missing = serializers.IntegerField(required=False)
    formulas = serializers.IntegerField(required=False)
    cells = serializers.IntegerField(required=False)
    upload = serializers.IntegerField(required=False)
    outcome = serializers.DictField(child=serializers.IntegerField(), required=False)


class JobSerializer(serializers.ModelSerializer[Job]):
    result = serializers.SerializerMethodField()

    @extend_schema_field(JobResultSerializer(allow_null=True))
    def get_result(self, job: Job) -> Any:
        described = JobResultSerializer().fields
        return {name: job.result[name] for name in described if name in job.result} if job.result else job.result

    class Meta:
        model = Job
        fields = ("id", "kind", "trip", "state", "done", "total", "message", "error", "code", "result", "wanted")


class JobView(APIView):
    rights = {"DELETE": Action.PREPARE}

    @extend_schema(responses=JobSerializer)
    def get(self, request: Request, pk: int) -> Response:
        return Response(JobSerializer(get_object_or_404(Job, pk=pk)).data)

    @extend_schema(request=None, responses={200: JobSerializer})
    def delete(self, request: Request, pk: int) -> Response:
        """Ask a job to stop; it ends at the next point where nothing is half done."""
        job = get_object_or_404(Job.objects.select_related("trip__application"), pk=pk)
        person = person_of(request)
        application = job.trip.application if job.trip else None
        writes = job.kind == "apply" and application is not None
        require(person, applying(application.stage) if writes and application else Action.PREPARE)
        with transaction.atomic():
            job.refresh_from_db(fields=["state"])
            if job.state in Job.OPEN:
                words = f"Asked to stop: {job.kind}" + (f", trip {job.trip_id}" if job.trip_id else "")
                note(person.username, "stopping", words, application, job.trip_id)
            Job.objects.filter(pk=pk, state=Job.QUEUED).update(state=Job.STOPPED, message="stopped before it began")
            Job.objects.filter(pk=pk, state=Job.RUNNING).update(wanted="stop")
        job.refresh_from_db()
        return Response(JobSerializer(job).data)
