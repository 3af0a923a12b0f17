"""Passes over HTTP: start, go on, give up; the rows of an outcome, and its files."""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import partial
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.exceptions import NotFound
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from ..asked import Asked
from ..errors import PlainError
from ..jobs.views import JobSerializer
from ..people.permissions import person_of
from ..people.rights import Action
from ..planning.context import PlanContext
from ..rows.views import WINDOW, wanted_of, window_parameters
from ..rows.windows import Source, plan_window
from ..serializing import serializer_for
from ..trips.facts import to_json
from ..trips.facts.approval import Approval
from ..trips.facts.passes import TroubleRule
from ..trips.part_view import PartView
from ..trips.refusal_rules import rule_of_trip
from ..trips.row_windows import WindowSerializer
from ..trips.sheet_cells import cells_now
from ..trips.sheets import downloaded, newest_sheet
from ..trips.status import TripStatus
from ..trips.trip_pages import approval_told
from ..trips.views import find_view, names_part
from .approving import LONGEST_WORD, answer_approval, ask_for_approval
from .receipts import last_pass, write_absent_outcome, write_receipt, write_rejects, write_touched
from .scheduling import cancel, schedule
from .starting import give_up, go_on, may_write, plan_to_approve, start_pass
from .take_back import Wanted, start_taking_back

_ZONE = re.compile(r"(Z|[+-]\d{2}:?\d{2})$", re.IGNORECASE)
_NUMBER = re.compile(r"\d{1,9}", re.ASCII)
_SHEET_TYPES = {"xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", "csv": "text/csv"}
_RECEIPT_TYPES = {**_SHEET_TYPES, "jsonl": "application/jsonl", "html": "text/html; charset=utf-8"}


class ZonedField(serializers.DateTimeField):
    """A moment with its time zone: without one it could be any of two dozen."""

    def to_internal_value(self, value: Any) -> Any:
        if isinstance(value, str) and not _ZONE.search(value.strip()):
            raise serializers.ValidationError("Say its time zone too, as 2026-12-01T20:00+00:00.")
        return super().to_internal_value(value)


class ApplySerializer(Asked):
    """The plan that was seen and confirmed. ``at``: when it is sent; at once where nothing is said. Where neither
    ``stop_after`` nor ``take_back`` is said, it does where rows are refused as the trip's last pass did, or as its
    route says."""

    plan = serializers.IntegerField(min_value=1)
    atomic = serializers.BooleanField(required=False, default=False)
    stop_after = serializers.IntegerField(min_value=1, max_value=10**9, required=False, allow_null=True)
    take_back = serializers.BooleanField(required=False)
    at = ZonedField(required=False, allow_null=True, default=None)
    lift = serializers.CharField(required=False, allow_blank=True, max_length=LONGEST_WORD, default="")


class AgainSerializer(Asked):
    only_with = {"lift": ("do", ["go on"])}

    do = serializers.ChoiceField(choices=["go on", "give up"])
    lift = serializers.CharField(required=False, allow_blank=True, max_length=LONGEST_WORD, default="")


class PassesView(APIView):
    rights = {"POST": Action.APPLY_TO_PRACTICE}

    @extend_schema(request=ApplySerializer, responses={202: JobSerializer})
    def post(self, request: Request, pk: int) -> Response:
        """Write the plan that was seen."""
        view, person = find_view(pk, request), person_of(request)
        may_write(view.trip, person)
        serializer = ApplySerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        values = serializer.validated_data
        trouble = rule_of_trip(view.trip)
        if values["atomic"] or "stop_after" in values or "take_back" in values:
            trouble = TroubleRule(values.get("stop_after"), values.get("take_back", False))
        if values["at"] is not None:
            if values["lift"]:
                raise PlainError("The approval is not lifted for a time ahead. Apply now, or have it approved.", "lift")
            job = schedule(view, person, values["plan"], values["at"], atomic=values["atomic"], trouble=trouble)
        else:
            more = {"atomic": values["atomic"], "trouble": trouble, "lift": values["lift"]}
            _, job = start_pass(view, person, values["plan"], **more)
        return Response(JobSerializer(job).data, status=202)


class ScheduledView(APIView):
    rights = {"DELETE": Action.APPLY_TO_PRACTICE}

    @extend_schema(request=None, responses={204: None})
    def delete(self, request: Request, pk: int) -> Response:
        """Send nothing at the time that was said."""
        cancel(find_view(pk, request), person_of(request))
        return Response(status=204)


class PassView(APIView):
    rights = {"POST": Action.APPLY_TO_PRACTICE}

    @extend_schema(operation_id="trips_passes_again", request=AgainSerializer, responses={202: JobSerializer})
    def post(self, request: Request, pk: int, number: int) -> Response:
        """Go on with a pass that was interrupted, or give it up."""
        view, person = find_view(pk, request), person_of(request)
        may_write(view.trip, person)
        again_serializer = AgainSerializer(data=request.data)
        again_serializer.is_valid(raise_exception=True)
        values = again_serializer.validated_data
        if values["do"] == "go on":
            _, job = go_on(view, person, number, lift=values["lift"])
        else:
            _, job = give_up(view, person, number)
        return Response(JobSerializer(job).data, status=202)


class OutcomeRowsView(APIView):
    """A window of what became of each row, by the pass that ended last."""

    asks = WINDOW

    @extend_schema(responses=WindowSerializer, parameters=window_parameters())
    def get(self, request: Request, pk: int) -> Response:
        view = find_view(pk, request)
        pass_ = last_pass(view)
        context = PlanContext.of_plan(pass_.plan)
        newest = newest_sheet(view)
        now = cells_now(newest) if newest.pk == pass_.plan.sheet_id else ""
        source = Source(
            pass_.plan_file, context.cells_path, pass_.page, pass_.plan.sheet.cells, now, pass_.plan.pointed_path
        )
        return Response(to_json(plan_window(context, source, *wanted_of(request))))


class ApproveOrAskSerializer(Asked):
    """What is said of plan ``plan``: its approval is asked for, given, or it is sent back, with ``words``."""

    plan = serializers.IntegerField(min_value=1)
    do = serializers.ChoiceField(choices=["ask", "approve", "send back"])
    words = serializers.CharField(required=False, allow_blank=True, max_length=LONGEST_WORD, default="")


class ApprovalView(APIView):
    rights = {"POST": Action.PREPARE}

    @extend_schema(request=ApproveOrAskSerializer, responses=serializer_for(Approval))
    def post(self, request: Request, pk: int) -> Response:
        """Ask somebody else to approve the plan that was seen; approve it, or send it back."""
        serializer = ApproveOrAskSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        values, view, person = serializer.validated_data, find_view(pk, request), person_of(request)
        plan = plan_to_approve(view, values["plan"])
        if values["do"] == "ask":
            ask_for_approval(view, person, plan, values["words"])
        else:
            answer_approval(view, person, plan, approve=values["do"] == "approve", words=values["words"])
        return Response(to_json(approval_told(TripStatus(view), person)))


class TakeBackSerializer(Asked):
    """What is to be taken back: of some passes, or some rows by the numbers that people see; all where none is said."""

    passes = serializers.ListField(
        child=serializers.IntegerField(min_value=1), required=False, default=list, allow_empty=False
    )
    rows = serializers.ListField(
        child=serializers.IntegerField(min_value=1), required=False, default=list, allow_empty=False
    )


class TakeBackView(APIView):
    rights = {"POST": Action.PREPARE}

    @extend_schema(request=TakeBackSerializer, responses={202: JobSerializer})
    def post(self, request: Request, pk: int) -> Response:
        """Make a trip that takes back what this one wrote; nothing is written before that is reviewed and applied."""
        serializer = TakeBackSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        values, view = serializer.validated_data, find_view(pk, request)
        part = view.part if names_part(request) else 0
        wanted = Wanted(tuple(values["passes"]), tuple(values["rows"]), part)
        job = start_taking_back(view, person_of(request), wanted)
        return Response(JobSerializer(job).data, status=202)


class FileView(APIView):
    """The receipt, the rows that are not in, what became of records that the sheet does not have, and the IDs of the
    records that were written."""

    asks = ("pass",)

    @extend_schema(
        responses={(200, "application/octet-stream"): OpenApiTypes.BINARY},
        parameters=[OpenApiParameter("pass", int, description="Of a receipt: this pass alone.")],
    )
    def get(self, request: Request, pk: int, what: str) -> HttpResponse:
        view = find_view(pk, request)
        alone = request.query_params.get("pass", "")
        name, _, ending = what.rpartition(".")
        number = int(alone) if _NUMBER.fullmatch(alone) else None
        if alone and (number is None or name != "receipt"):
            raise PlainError(f"A receipt can be of one pass, by its number; not {alone!r}.", "no-pass")
        makers: dict[str, Callable[[PartView, Path], None]] = {
            "receipt": partial(write_receipt, number=number),
            "not-in": write_rejects,
            "touched": write_touched,
            "not-in-the-sheet": write_absent_outcome,
        }
        kinds = _RECEIPT_TYPES if name == "receipt" else _SHEET_TYPES
        if name not in makers or ending not in kinds:
            raise NotFound
        with TemporaryDirectory() as folder:
            path = Path(folder) / f"{name}.{ending}"
            makers[name](view, path)
            content = path.read_bytes()
        downloaded(view.trip, person_of(request), path.name)
        shown = "inline" if ending == "html" else "attachment"
        disposition = f'{shown}; filename="trip-{view.trip.pk}-{name}.{ending}"'
        return HttpResponse(content, content_type=kinds[ending], headers={"Content-Disposition": disposition})
