"""The picture of a field: how its values lie before and after the plan, and its commonest changes."""

from __future__ import annotations

from functools import lru_cache

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vexo.core.planning.pictures import Picture, columns_of_picture, picture_of
from vexo.core.records import Field

from .. import artifacts
from ..errors import PlainError
from ..planning.context import PlanContext, plan_of
from ..serializing import serializer_for
from ..trips.facts import to_json
from ..trips.part_view import PartView
from ..trips.views import find_view


@lru_cache(maxsize=64)
def _picture(plan: str, field: Field) -> Picture:
    """The picture of a field in a plan's file. Files never change under their name, so this is made once."""
    return picture_of(artifacts.read(plan, columns_of_picture(field.name)), field)


def field_picture(view: PartView, name: str) -> Picture:
    """The picture of a field in the newest plan of a trip.

    Raises:
        PlainError: where the plan carries no such field.
    """
    plan = plan_of(view)
    return _picture(plan.path, carried_field(PlanContext.of_plan(plan), name))


def carried_field(context: PlanContext, name: str) -> Field:
    """A field that a plan carries. Raises PlainError where it carries none of that name."""
    carried = context.settings.carried
    if name not in carried:
        raise PlainError(f"The plan carries no field {name!r}. It carries: {', '.join(carried)}.", "field")
    return context.record_type.field(name)


class PictureView(APIView):
    asks = ("field",)

    @extend_schema(responses=serializer_for(Picture), parameters=[OpenApiParameter("field", str, required=True)])
    def get(self, request: Request, pk: int) -> Response:
        """How the values of a field lie before and after the newest plan, and its commonest changes."""
        return Response(to_json(field_picture(find_view(pk, request), request.query_params.get("field", ""))))
