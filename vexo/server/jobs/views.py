"""Jobs: how far they are, and stopping them."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from ..people.permissions import PreparerOrReading
from .models import Job


class JobSerializer(serializers.ModelSerializer[Job]):
    class Meta:
        model = Job
        fields = ("id", "kind", "trip", "state", "done", "total", "message", "error", "code", "result", "wanted")


class JobView(APIView):
    permission_classes = (PreparerOrReading,)

    @extend_schema(responses=JobSerializer)
    def get(self, request: Request, pk: int) -> Response:
        return Response(JobSerializer(get_object_or_404(Job, pk=pk)).data)

    @extend_schema(request=None, responses=JobSerializer)
    def delete(self, request: Request, pk: int) -> Response:
        """Ask a job to stop; it ends at the next point where nothing is half done."""
        job = get_object_or_404(Job, pk=pk)
        Job.objects.filter(pk=pk, state=Job.QUEUED).update(state=Job.STOPPED, message="stopped before it began")
        Job.objects.filter(pk=pk, state=Job.RUNNING).update(wanted="stop")
        job.refresh_from_db()
        return Response(JobSerializer(job).data)
