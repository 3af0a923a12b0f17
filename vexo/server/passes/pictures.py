"""The picture of a field as passes wrote it."""

from __future__ import annotations

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vexo.core.planning.pictures import Picture, columns_of_picture, picture_of
from vexo.core.sheets.sheet import ROW_ID
from vexo.core.writing.pictures import as_written, columns_of_page

from .. import artifacts
from ..planning.context import PlanContext
from ..rows.pictures import carried_field
from ..serializing import serializer_for
from ..trips.facts import to_json
from ..trips.part_view import PartView
from ..trips.views import find_view
from .receipts import last_pass


def written_picture(view: PartView, name: str) -> Picture:
    """The picture of a field before all passes of the sheet that was sent last, and as they left it.

    Raises:
        PlainError: where nothing was written yet, or the plan carries no such field.
    """
    pass_ = last_pass(view)
    field = carried_field(PlanContext.of_plan(pass_.plan), name)
    plan = artifacts.read(pass_.plan_file, [ROW_ID, *columns_of_picture(name)])
    passes = view.trip.passes.filter(plan__sheet=pass_.plan.sheet).exclude(page="").order_by("number")
    names = set(columns_of_page(name))
    # What an earlier pass did not carry its page has no columns for.
    pages = [
        artifacts.read(path, sorted(names & artifacts.columns_of(path)))
        for path in passes.values_list("page", flat=True)
    ]
    return picture_of(as_written(plan, pages, field), field)


class OutcomePictureView(APIView):
    asks = ("field",)

    @extend_schema(responses=serializer_for(Picture), parameters=[OpenApiParameter("field", str, required=True)])
    def get(self, request: Request, pk: int) -> Response:
        """How the values of a field lay before what was written, and lie after it, with its commonest changes."""
        return Response(to_json(written_picture(find_view(pk, request), request.query_params.get("field", ""))))
