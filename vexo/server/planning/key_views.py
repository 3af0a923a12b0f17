"""Measured keys over HTTP."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from tempfile import TemporaryDirectory

from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vexo.core.keys.candidates import Finds

from ..asked import Asked
from ..jobs.views import JobSerializer
from ..people.models import Person
from ..people.permissions import person_of
from ..people.rights import Action
from ..queries import whole_number
from ..serializing import serializer_for
from ..trips.facts import to_json
from ..trips.facts.keys import AbsentRecords, MeasuredKeys
from ..trips.part_view import PartView
from ..trips.row_windows import WindowSerializer
from ..trips.sheets import downloaded
from ..trips.views import find_view
from .absent_records import absent_records, write_absent
from .key_rows import rows_that_find, write_rows_that_find
from .measured_keys import measured_keys, start_measuring

_PLACES = [
    OpenApiParameter("key", str, required=True, description="Names of its fields, with a comma between them."),
    OpenApiParameter("finds", str, required=True, enum=[one.value for one in Finds]),
]


class MeasureSerializer(Asked):
    """Keys that are measured beside those that suggest themselves, each the names of its fields."""

    keys = serializers.ListField(
        child=serializers.ListField(child=serializers.CharField(max_length=120), min_length=1, max_length=8),
        required=False,
        default=list,
        max_length=20,
    )


class MeasuredKeysView(APIView):
    rights = {"POST": Action.PREPARE}

    @extend_schema(responses=serializer_for(MeasuredKeys))
    def get(self, request: Request, pk: int) -> Response:
        """The keys as they were measured last, the best first."""
        return Response(to_json(measured_keys(find_view(pk, request))))

    @extend_schema(request=MeasureSerializer, responses={202: JobSerializer})
    def post(self, request: Request, pk: int) -> Response:
        """Read the records and measure the keys; asked twice, it is done once."""
        serializer = MeasureSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        job = start_measuring(find_view(pk, request), person_of(request), serializer.validated_data["keys"])
        return Response(JobSerializer(job).data, status=202)


class KeyRowsView(APIView):
    asks = ("key", "finds", "offset", "limit")

    @extend_schema(
        responses=WindowSerializer,
        parameters=[*_PLACES, OpenApiParameter("offset", int), OpenApiParameter("limit", int)],
    )
    def get(self, request: Request, pk: int) -> Response:
        """A window of the rows behind a number."""
        query = request.query_params
        place = whole_number(query, "offset", 0), whole_number(query, "limit", 100)
        key = [name for name in query.get("key", "").split(",") if name]
        return Response(to_json(rows_that_find(find_view(pk, request), key, query.get("finds", ""), place)))


class AbsentView(APIView):
    @extend_schema(responses=serializer_for(AbsentRecords))
    def get(self, request: Request, pk: int) -> Response:
        """Records in reach that no row of the sheet is about, the first of them listed."""
        return Response(to_json(absent_records(find_view(pk, request))))


class AbsentFileView(APIView):
    @extend_schema(responses={(200, "text/csv"): OpenApiTypes.BINARY})
    def get(self, request: Request, pk: int) -> HttpResponse:
        """All of them with their record ID and key, as CSV."""
        view = find_view(pk, request)
        name = f"trip-{view.trip.pk}-not-in-the-sheet.csv"
        return _file(view, person_of(request), name, lambda path: write_absent(view, path))


def _file(view: PartView, person: Person, name: str, write: Callable[[Path], object]) -> HttpResponse:
    with TemporaryDirectory() as folder:
        path = Path(folder) / "rows.csv"
        write(path)
        content = path.read_bytes() if path.exists() else b""
    downloaded(view.trip, person, name)
    disposition = f'attachment; filename="{name}"'
    return HttpResponse(content, content_type="text/csv", headers={"Content-Disposition": disposition})


class KeyRowsFileView(APIView):
    asks = ("key", "finds")

    @extend_schema(responses={(200, "text/csv"): OpenApiTypes.BINARY}, parameters=_PLACES)
    def get(self, request: Request, pk: int) -> HttpResponse:
        """All rows behind a number, as they came, as CSV."""
        view, asked = find_view(pk, request), request.query_params
        key = [name for name in asked.get("key", "").split(",") if name]
        name = f"trip-{view.trip.pk}-{'-'.join(key)}-{asked.get('finds', '')}.csv"
        finds = asked.get("finds", "")
        return _file(view, person_of(request), name, lambda path: write_rows_that_find(view, key, finds, path))
