"""A trip over several groups (harbours, owners): the sum for each."""

from __future__ import annotations

from typing import Any

import polars as pl
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vexo.core.planning.verdicts import in_order
from vexo.core.sheets.shape import column_titles

from .. import artifacts
from ..errors import PlainError
from ..planning.context import PlanContext, plan_of
from ..planning.row_states import states_now
from ..trips.part_view import PartView
from ..trips.views import find_view

_MOST_GROUPS = 50
"""Groups that a person reads as a list; a column with more values is not a grouping."""


class GroupSumSerializer(serializers.Serializer[Any]):
    """Rows that have one value in a column, by what will become, or became, of them."""

    value = serializers.CharField(allow_blank=True)
    rows = serializers.IntegerField()
    sum = serializers.DictField(child=serializers.IntegerField())


def group_sums(view: PartView, header: str) -> list[dict[str, Any]]:
    """The sum for each value of a column of the trip's sheet, the largest group first; of the pass that sent the newest
    plan, where one did.

    Raises:
        PlainError: where the sheet has no such column, or it has too many values.
    """
    plan = plan_of(view)
    context = PlanContext.of_plan(plan)
    column = next((c for c, title in column_titles(context.profile.columns).items() if title == header), None)
    if column is None:
        raise PlainError(f"The sheet has no column {header!r}.", "column")
    row_states = states_now(view, plan).select("row_id", "state")
    values = artifacts.read(context.cells_path, ["row_id", column])
    both = row_states.join(values, on="row_id", how="left").with_columns(pl.col(column).fill_null("").alias("value"))
    if both["value"].n_unique() > _MOST_GROUPS:
        raise PlainError(f"{header} has more than {_MOST_GROUPS} values here; choose a column with fewer.", "column")
    counted = both.group_by("value", "state").len()
    by_value: dict[str, dict[str, int]] = {}
    for value, state, count in counted.iter_rows():
        by_value.setdefault(value, {})[state] = count
    groups = [
        {"value": value, "rows": sum(counts.values()), "sum": in_order(counts)} for value, counts in by_value.items()
    ]
    return sorted(groups, key=lambda one: (-int(str(one["rows"])), str(one["value"])))


class GroupsView(APIView):
    asks = ("column",)

    @extend_schema(responses=GroupSumSerializer(many=True), parameters=[OpenApiParameter("column", str, required=True)])
    def get(self, request: Request, pk: int) -> Response:
        """The sum for each value of a column, named by its header."""
        return Response(group_sums(find_view(pk, request), request.query_params.get("column", "")))
