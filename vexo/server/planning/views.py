"""Planning over HTTP."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from ..jobs.models import Job
from ..jobs.views import JobSerializer
from ..people.permissions import person_of
from ..people.rights import Action, require
from ..trips.plan_jobs import enqueue_plan
from ..trips.views import find_view


class PlanView(APIView):
    rights = {"POST": Action.PREPARE}

    @extend_schema(request=None, responses={202: JobSerializer})
    def post(self, request: Request, pk: int) -> Response:
        """Ask the application again and plan anew; asked twice, it is done once."""
        person = person_of(request)
        require(person, Action.PREPARE)
        view = find_view(pk, request)
        waiting = view.trip.jobs.filter(kind="plan", state=Job.QUEUED, arguments__part=view.part).first()
        job = waiting or enqueue_plan(person.username, view, fresh=True)
        return Response(JobSerializer(job).data, status=202)
