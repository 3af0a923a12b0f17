"""Trips over HTTP: the list, one trip, its rows, decisions, passes and files."""

from __future__ import annotations

from collections import Counter
from datetime import timedelta
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from django.http import FileResponse, HttpResponse
from django.shortcuts import get_object_or_404
from django.utils import timezone
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.exceptions import NotFound
from rest_framework.parsers import BaseParser, JSONParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vexo.core.planning.verdicts import Operation

from ..api.problems import Stale
from ..api.rights import PreparerOrReading, person_of, require_apply
from ..applications.models import Application
from ..applications.services import client_of
from ..data_folder import absolute
from ..jobs.api import JobSerializer
from ..jobs.models import Job
from ..jobs.working import PlainError, do_now, enqueue
from ..journal.services import note
from ..runs.models import Run
from ..runs.receipts import write_receipt, write_rejects
from ..runs.services import DONE, is_applied, start_run
from . import serializers as s
from . import uploads
from .bringing import start_bringing_in
from .models import Decision, Mapping, Trip
from .planning import load, newest_sheet
from .sending import new_trip
from .stations import Standing
from .windows import Wanted, plan_window, reasons, sheet_window

_FEW_ROWS = 20_000
_SHEET_TYPES = {"xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", "csv": "text/csv"}


def trip_json(trip: Trip, request: Request, full: bool = False) -> dict[str, Any]:
    """A trip for the list, or with columns and figures for its own screen."""
    standing = Standing(trip)
    known = trip.application.known
    plural = known.type(trip.record_type).plural if known else trip.record_type
    made = s.TripSerializer(trip, context={"request": request}).data | {"plural": plural} | standing.as_json()
    made["job"] = JobSerializer(standing.job).data if standing.job else None
    if full:
        made |= {
            "plan": trip.plan,
            "applied": is_applied(trip),
            "summary": trip.summary,
            "columns": s.columns_json(trip, standing.sheet),
            "sheets": s.SheetSerializer(trip.sheets.all(), many=True).data,
            "runs": s.RunSerializer(trip.runs.all(), many=True).data,
            "reasons": reasons(trip) if standing.planned else [],
            "decided": trip.decisions.filter(undone=False).count(),
            "trouble": standing.failed.error if standing.failed and standing.failed.state == Job.FAILED else "",
        }
    return made


def _trip(pk: int) -> Trip:
    return get_object_or_404(Trip.objects.select_related("application"), pk=pk)


class TripsView(APIView):
    permission_classes = (PreparerOrReading,)

    @extend_schema(responses=s.TripSummarySerializer(many=True))
    def get(self, request: Request) -> Response:
        trips = Trip.objects.select_related("application").prefetch_related("sheets__mappings", "runs")[:200]
        listed = [trip_json(trip, request) for trip in trips]
        return Response(sorted(listed, key=lambda t: not t["asks"]))

    @extend_schema(request=s.SendOutSerializer, responses=JobSerializer)
    def post(self, request: Request) -> Response:
        """Send records out: a new trip, its sheet made in the background."""
        asked = s.SendOutSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        values = asked.validated_data
        application = get_object_or_404(Application, name=values["application"])
        who = str(person_of(request))
        trip = new_trip(application, values["record_type"], who, values["chosen"], values["condition"], values["title"])
        return Response(JobSerializer(enqueue("send out", who, trip, format=values["format"])).data, status=202)


class TripView(APIView):
    permission_classes = (PreparerOrReading,)

    @extend_schema(responses=s.TripDetailSerializer)
    def get(self, request: Request, pk: int) -> Response:
        trip = _trip(pk)
        return Response(trip_json(trip, request, full=True), headers={"ETag": f'"{trip.version}"'})

    @extend_schema(request=s.TripEditSerializer, responses=s.TripDetailSerializer)
    def patch(self, request: Request, pk: int) -> Response:
        """Change title, key, operation or where columns go; the rows are planned anew."""
        trip = _trip(pk)
        match = request.headers.get("If-Match", "").strip('W/"')
        if match and match != str(trip.version):
            raise Stale(trip_json(trip, request, full=True))
        asked = s.TripEditSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        values = asked.validated_data
        again = {"key", "operation", "said"} & set(values)
        if again and trip.jobs.filter(state__in=Job.OPEN).exists():
            raise PlainError("Work on this trip is under way. Wait until it is done, then change it.")
        if values.get("operation") and values["operation"] not in [o.value for o in Operation]:
            raise PlainError(f"{values['operation']!r} is no operation.")
        if "said" in values:
            _remap(trip, values["said"])
        for name in ("title", "key", "operation"):
            if name in values:
                setattr(trip, name, values[name])
        trip.version += 1
        trip.save()
        if again:
            job = enqueue("plan", str(person_of(request)), trip, fresh=True)
            return Response(trip_json(_trip(pk), request, full=True) | {"job": JobSerializer(job).data})
        return Response(trip_json(_trip(pk), request, full=True), headers={"ETag": f'"{trip.version}"'})


def _remap(trip: Trip, said: dict[str, str]) -> None:
    """Columns go where a person says; each field is taken once."""
    known = trip.application.known
    if known is None:
        raise PlainError("The application has not said yet what it holds. Test its connection first.")
    record_type = known.type(trip.record_type)
    sheet = newest_sheet(trip)
    for header, name in said.items():
        field = record_type.field(name) if name else None
        other = Mapping.objects.filter(sheet=sheet, field=name).exclude(header=header).first() if name else None
        if other is not None and other.header not in said:
            raise PlainError(
                f"{field.label if field else name} is taken by the column {other.header!r}. Free it first."
            )
        carried = field is not None and not field.read_only
        Mapping.objects.filter(sheet=sheet, header=header).update(field=name, how="said", carried=carried)
    trip.said = {**trip.said, **said}


class RowsView(APIView):
    """A window of rows."""

    @extend_schema(
        responses=s.WindowSerializer,
        parameters=[
            *[OpenApiParameter(name) for name in ("view", "state", "column", "text")],
            *[OpenApiParameter(name, OpenApiTypes.INT) for name in ("offset", "limit")],
        ],
    )
    def get(self, request: Request, pk: int) -> Response:
        trip, asked = _trip(pk), request.query_params
        offset, limit = (int(v) if v.isdigit() else 0 for v in (asked.get("offset", "0"), asked.get("limit", "100")))
        sheet = newest_sheet(trip)
        if asked.get("view") == "file" or not trip.plan:
            names = [mapping.column for mapping in sheet.mappings.order_by("id")]
            return Response(sheet_window(sheet.cells, names, sheet.rows, offset, limit))
        wanted = Wanted(asked.get("state", ""), asked.get("column", ""), asked.get("text", ""))
        return Response(plan_window(load(trip), wanted, offset, limit))


class DecisionsView(APIView):
    permission_classes = (PreparerOrReading,)

    @extend_schema(request=s.DecisionSerializer, responses=s.TripDetailSerializer)
    def post(self, request: Request, pk: int) -> Response:
        """Answer for rows; the plan follows. ``undo`` takes the latest answers of these rows back."""
        trip = _trip(pk)
        asked = s.DecisionSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        values, who = asked.validated_data, str(person_of(request))
        if trip.runs.filter(state__in=[Run.WAITING, Run.RUNNING]).exists():
            raise PlainError("A pass is under way; decide again when it is done.")
        if values["answer"] == "undo":
            trip.decisions.filter(row__in=values["rows"]).update(undone=True)
        else:
            Decision.objects.bulk_create(
                Decision(trip=trip, row=row, field=values["field"], answer=values["answer"], by=who)
                for row in values["rows"]
            )
        count = len(values["rows"])
        note(who, "decided", f"Decided {count:,} rows: {values['answer']}", trip.application, trip.pk, count)
        job = enqueue("plan", who, trip, fresh=False)
        if newest_sheet(trip).rows <= _FEW_ROWS:
            do_now(job)
        return Response(trip_json(_trip(pk), request, full=True))


class PlanView(APIView):
    permission_classes = (PreparerOrReading,)

    @extend_schema(request=None, responses=JobSerializer)
    def post(self, request: Request, pk: int) -> Response:
        """Ask the application again and plan anew."""
        return Response(JobSerializer(enqueue("plan", str(person_of(request)), _trip(pk), fresh=True)).data, status=202)


class RunsView(APIView):
    permission_classes = (PreparerOrReading,)

    @extend_schema(request=s.ApplySerializer, responses=JobSerializer)
    def post(self, request: Request, pk: int) -> Response:
        """Write the plan that was seen."""
        trip = _trip(pk)
        require_apply(person_of(request), trip.application)
        asked = s.ApplySerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        _, job = start_run(trip, str(person_of(request)), asked.validated_data["seen"])
        return Response(JobSerializer(job).data, status=202)


class RecordView(APIView):
    """The page of a record in the application."""

    @extend_schema(responses=s.LinkSerializer)
    def get(self, request: Request, pk: int, identifier: str) -> Response:
        trip = _trip(pk)
        known = trip.application.known
        if known is None:
            raise NotFound
        with client_of(trip.application) as client:
            return Response({"link": client.link(known.type(trip.record_type), identifier)})


class FileView(APIView):
    """Sheets of a trip, its receipt, and the rows that are not in."""

    @extend_schema(responses={200: OpenApiTypes.BINARY})
    def get(self, request: Request, pk: int, what: str) -> HttpResponse | FileResponse:
        trip = _trip(pk)
        if what.isdigit():
            sheet = get_object_or_404(trip.sheets, pk=what)
            return FileResponse(absolute(sheet.path).open("rb"), as_attachment=True, filename=sheet.name)
        name, _, ending = what.rpartition(".")
        makers = {"receipt": write_receipt, "not-in": write_rejects}
        if name not in makers or ending not in _SHEET_TYPES:
            raise NotFound
        with TemporaryDirectory() as folder:
            path = Path(folder) / f"{name}.{ending}"
            makers[name](trip, path)
            content = path.read_bytes()
        disposition = f'attachment; filename="trip-{trip.pk}-{name}.{ending}"'
        return HttpResponse(content, content_type=_SHEET_TYPES[ending], headers={"Content-Disposition": disposition})


class _Bytes(BaseParser):
    """A part of a file as it is."""

    media_type = "application/octet-stream"

    def parse(self, stream: Any, media_type: str | None = None, parser_context: Any = None) -> Any:
        return bytes(stream.read())


class UploadsView(APIView):
    permission_classes = (PreparerOrReading,)

    @extend_schema(request=s.UploadSerializer, responses=s.UploadStateSerializer)
    def post(self, request: Request) -> Response:
        """Announce a file; its parts follow."""
        asked = s.UploadSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        return Response({"id": uploads.begin(**asked.validated_data), "received": 0}, status=201)


class UploadView(APIView):
    permission_classes = (PreparerOrReading,)
    parser_classes = (_Bytes, JSONParser)

    @extend_schema(
        request={"application/octet-stream": OpenApiTypes.BINARY},
        responses=s.UploadStateSerializer,
        parameters=[OpenApiParameter("offset", OpenApiTypes.INT)],
    )
    def put(self, request: Request, identifier: str) -> Response:
        """One part of the file, at its offset."""
        offset = request.query_params.get("offset", "0")
        part = request.data if isinstance(request.data, bytes) else b""
        received = uploads.add(identifier, int(offset) if offset.isdigit() else 0, part)
        return Response({"id": identifier, "received": received})

    @extend_schema(request=s.BringInSerializer, responses=JobSerializer)
    def post(self, request: Request, identifier: str) -> Response:
        """All parts are there: find out what it is, or bring it in where that is said."""
        asked = s.BringInSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        values, who, file = asked.validated_data, str(person_of(request)), uploads.finish(identifier)
        if not values["application"]:
            return Response(JobSerializer(enqueue("recognise", who, file=file)).data, status=202)
        application = get_object_or_404(Application, name=values["application"])
        job = start_bringing_in(
            application,
            values["record_type"],
            file,
            who,
            key=values["key"],
            operation=values["operation"],
            trip=values["trip"],
        )
        return Response(JobSerializer(job).data, status=202)


class CarriedView(APIView):
    """Rows carried in, day by day."""

    @extend_schema(responses=s.CarriedSerializer(many=True))
    def get(self, request: Request) -> Response:
        today = timezone.localdate()
        carried: Counter[Any] = Counter()
        refused: Counter[Any] = Counter()
        for run in Run.objects.exclude(totals=None).filter(ended_at__date__gt=today - timedelta(days=14)):
            day = timezone.localdate(run.ended_at)
            carried[day] += sum((run.totals or {}).get(name, 0) for name in DONE)
            refused[day] += (run.totals or {}).get("refused", 0)
        days = [today - timedelta(days=back) for back in range(13, -1, -1)]
        return Response([{"day": day.isoformat(), "carried": carried[day], "refused": refused[day]} for day in days])
