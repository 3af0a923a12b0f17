"""Plans, decisions and rows over HTTP."""

from __future__ import annotations

from typing import Any

from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vexo.core.planning.verdicts import Answer

from ..bringin.edits import edits_of, edits_over
from ..bringin.previewing import lane_window
from ..jobs.models import Job
from ..jobs.views import JobSerializer
from ..jobs.working import do_now, enqueue
from ..naming import WhoSerializer
from ..people.permissions import person_of
from ..people.rights import Action, require
from ..trips.models import Trip
from ..trips.serializers import TripDetailSerializer
from ..trips.sheets import newest_sheet
from ..trips.views import detail, find_trip
from ..trips.windows import WindowSerializer, sheet_window
from . import decisions
from .decisions import Scope
from .models import Decision
from .planning import at_hand
from .plans import newest_plan, reviewed_with
from .windows import Source, Wanted, plan_window

FEW_ROWS = 20_000
_TEXTS = serializers.CharField


class DecideSerializer(serializers.Serializer[Any]):
    """An answer to what plan ``plan`` asks: of these rows, or of all with fault ``code``; of one field or all."""

    plan = serializers.IntegerField(min_value=1)
    rows = serializers.ListField(
        child=serializers.IntegerField(min_value=0, max_value=2**32 - 1),
        max_length=100_000,
        required=False,
        default=list,
    )
    code = _TEXTS(required=False, allow_blank=True, default="")
    field_name = _TEXTS(required=False, allow_blank=True, default="")  # type: ignore[assignment]
    answer = serializers.ChoiceField(choices=[answer.value for answer in Answer])
    argument = _TEXTS(required=False, allow_blank=True, default="", max_length=200)


class DecisionSerializer(serializers.ModelSerializer[Decision]):
    by = WhoSerializer()

    class Meta:
        model = Decision
        fields = ("id", "answer", "argument", "scope", "count", "by", "at")


def window_parameters() -> list[OpenApiParameter]:
    """What a window of rows is asked by."""
    return [
        *[OpenApiParameter(name) for name in ("view", "state", "column", "text", "code", "order")],
        *[OpenApiParameter(name, OpenApiTypes.INT) for name in ("offset", "limit")],
    ]


def wanted_of(request: Request) -> tuple[Wanted, int, int]:
    """The filter and the place of a window."""
    asked = request.query_params
    whole = {
        n: int(v) if (v := asked.get(n, "")).isdecimal() and len(v) < 10 else d
        for n, d in (("offset", 0), ("limit", 100))
    }
    filters = Wanted(*[asked.get(name, "") for name in ("state", "column", "text", "code", "order")])
    return filters, whole["offset"], whole["limit"]


class RowsView(APIView):
    """A window of rows: the sheet as it came (``view=file``), as its lanes make it (``view=lanes``), or the newest plan
    of it."""

    @extend_schema(responses=WindowSerializer, parameters=window_parameters())
    def get(self, request: Request, pk: int) -> Response:
        trip = find_trip(pk, request)
        wanted, offset, limit = wanted_of(request)
        if request.query_params.get("view") == "lanes":
            return Response(lane_window(trip, offset, limit))
        sheet, plan = newest_sheet(trip), newest_plan(trip)
        if request.query_params.get("view") == "file" or plan is None:
            names = [mapping.column for mapping in sheet.mappings.all()]
            over = edits_over(sheet, edits_of(trip))
            out = set(trip.only.get("left_out", []))
            return Response(sheet_window(sheet.cells, names, sheet.rows, offset, limit, over, out))
        reviewed = reviewed_with(plan)
        source = Source(plan.path, reviewed.place, came=sheet.cells)
        return Response(plan_window(reviewed, source, wanted, offset, limit))


def at_once(trip: Trip, answer: str = "") -> bool:
    """Whether a trip is planned in the request, so that its answer shows the plan: few rows, nothing to be asked."""
    return newest_sheet(trip).rows <= FEW_ROWS and answer != Answer.RECORD and at_hand(trip)


def soon(job: Job) -> None:
    """Do a job that this process was to do itself."""
    if job.state == Job.RUNNING:
        do_now(job)


class DecisionsView(APIView):
    rights = {"POST": Action.PREPARE}

    @extend_schema(responses=DecisionSerializer(many=True))
    def get(self, request: Request, pk: int) -> Response:
        return Response(DecisionSerializer(decisions.listed(find_trip(pk, request)), many=True).data)

    @extend_schema(request=DecideSerializer, responses=TripDetailSerializer)
    def post(self, request: Request, pk: int) -> Response:
        """Answer what a plan asks; the next plan follows."""
        trip = find_trip(pk, request)
        asked = DecideSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        v = asked.validated_data
        scope = Scope(tuple(v["rows"]), v["code"], v["field_name"])
        _, job = decisions.decide(
            trip, person_of(request), v["plan"], scope, v["answer"], v["argument"], mine=at_once(trip, v["answer"])
        )
        soon(job)
        return detail(pk, request)


class DecisionView(APIView):
    rights = {"DELETE": Action.PREPARE}

    @extend_schema(responses={200: TripDetailSerializer})
    def delete(self, request: Request, pk: int, number: int) -> Response:
        """Take one decision back."""
        trip = find_trip(pk, request)
        soon(decisions.undo(trip, person_of(request), number, mine=at_once(trip)))
        return detail(pk, request)


class PlanView(APIView):
    rights = {"POST": Action.PREPARE}

    @extend_schema(request=None, responses=JobSerializer)
    def post(self, request: Request, pk: int) -> Response:
        """Ask the application again and plan anew; asked twice, it is done once."""
        person = person_of(request)
        require(person, Action.PREPARE)
        trip = find_trip(pk, request)
        waiting = Job.objects.filter(trip=trip, kind="plan", state=Job.QUEUED).first()
        job = waiting or enqueue("plan", person.username, trip, fresh=True)
        return Response(JobSerializer(job).data, status=202)
