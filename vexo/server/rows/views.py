"""Plans, decisions and rows over HTTP."""

from __future__ import annotations

from dataclasses import fields

from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vexo.core.faults import ALL_CODES
from vexo.core.planning.verdicts import ELSEWHERE_CODE

from ..errors import PlainError
from ..mapping.lane_preview import lane_window
from ..people.permissions import person_of
from ..planning.context import PlanContext, newest_plan, plan_of
from ..queries import one_of, whole_number
from ..serializing import serializer_for
from ..trips.facts import to_json
from ..trips.facts.decisions import RowStory
from ..trips.row_windows import WindowSerializer, sheet_window
from ..trips.sheet_cells import edits_of, edits_over
from ..trips.sheets import newest_sheet
from ..trips.views import find_view
from .story import story_of
from .windows import STATES, Source, Wanted, plan_window

_FILTERS = [field.name for field in fields(Wanted)]


VIEWS = ("file", "lanes", "review", "outcome")
WINDOW = ("view", *_FILTERS, "offset", "limit")
"""Names in the query of the endpoints that give windows of rows."""


def window_parameters() -> list[OpenApiParameter]:
    """Query parameters of the endpoints that give windows of rows."""
    return [
        OpenApiParameter("view", enum=VIEWS),
        *[OpenApiParameter(name) for name in _FILTERS],
        *[OpenApiParameter(name, OpenApiTypes.INT) for name in ("offset", "limit")],
    ]


def wanted_of(request: Request) -> tuple[Wanted, tuple[int, int]]:
    """The filter of a window, and its place: the first row, and how many are wanted."""
    query = request.query_params
    one_of(query, "state", STATES)
    one_of(query, "view", VIEWS)
    one_of(query, "code", [*ALL_CODES, ELSEWHERE_CODE])
    one_of(query, "moved", ["differs"])
    whole_number(query, "decision", 0)
    filters = Wanted(**{name: query.get(name, "") for name in _FILTERS})
    return filters, (whole_number(query, "offset", 0), whole_number(query, "limit", 100))


class RowView(APIView):
    @extend_schema(responses=serializer_for(RowStory), operation_id="trips_row_retrieve")
    def get(self, request: Request, pk: int, row: int) -> Response:
        """One row of the newest plan in sentences, and what people decided about it; by its number in the trip."""
        return Response(to_json(story_of(find_view(pk, request), row, person_of(request).username)))


class RowsView(APIView):
    """A window of rows: the sheet as it came (``view=file``), as its lanes make it (``view=lanes``), or the newest plan
    of it."""

    asks = WINDOW

    @extend_schema(responses=WindowSerializer, parameters=window_parameters())
    def get(self, request: Request, pk: int) -> Response:
        view = find_view(pk, request)
        wanted, place = wanted_of(request)
        shown = request.query_params.get("view")
        if shown in ("file", "lanes") and wanted != Wanted():
            raise PlainError(f"Filters and an order are for planned rows, not with 'view' {shown!r}.", "beside")
        if shown == "lanes":
            return Response(to_json(lane_window(view, place)))
        sheet, plan = newest_sheet(view), newest_plan(view) if wanted == Wanted() else plan_of(view)
        if shown == "file" or plan is None:
            names = [mapping.column for mapping in sheet.mappings.all()]
            over = edits_over(sheet, edits_of(view.trip))
            out = set(view.trip.row_filter.get("left_out", []))
            return Response(to_json(sheet_window(sheet.cells, names, sheet.rows, place, over, out)))
        context = PlanContext.of_plan(plan)
        source = Source(plan.path, context.cells_path, came=sheet.cells, pointed=plan.pointed_path)
        return Response(to_json(plan_window(context, source, wanted, place)))
