"""Upkeep over HTTP: what takes room, how long things are kept, deleting a trip."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from django.http import FileResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.exceptions import NotFound
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from ..asked import Asked
from ..errors import PlainError
from ..installation.services import installation_settings
from ..jobs.models import Job
from ..jobs.views import JobSerializer
from ..jobs.worker import enqueue
from ..people.permissions import person_of
from ..people.rights import Action
from ..queries import one_of, whole_number
from ..trips.views import TripView
from .deleting import delete_by_hand
from .disk import KINDS, room_free, room_taken
from .kept_receipts import take_receipt
from .models import KeptReceipt
from .retention import KEPT_KINDS, KeepFor, set_retention, what_is_over

_KINDS = KEPT_KINDS


class KeepForSerializer(Asked):
    """Days for which each kind is kept; 0 for as long as Vexo is there."""

    trips = serializers.IntegerField(min_value=0, required=False)
    receipts = serializers.IntegerField(min_value=0, required=False)
    copies = serializers.IntegerField(min_value=0, required=False)
    uploads = serializers.IntegerField(min_value=0, required=False)
    journal = serializers.IntegerField(min_value=0, required=False)


class SettingsSerializer(KeepForSerializer):
    idle_minutes = serializers.IntegerField(min_value=0, required=False)


class RoomSerializer(serializers.Serializer[Any]):
    kind = serializers.ChoiceField(choices=KINDS)
    bytes = serializers.IntegerField()
    files = serializers.IntegerField()


class OverSerializer(serializers.Serializer[Any]):
    """How many of a kind would be taken away, and the bytes that this frees."""

    kind = serializers.ChoiceField(choices=_KINDS)
    count = serializers.IntegerField()
    bytes = serializers.IntegerField()


class KeptReceiptSerializer(serializers.ModelSerializer[KeptReceipt]):
    class Meta:
        model = KeptReceipt
        fields = ("id", "trip", "part", "title", "application", "record_type", "size", "kept_at")


class UpkeepSerializer(serializers.Serializer[Any]):
    keep = KeepForSerializer()
    idle_minutes = serializers.IntegerField()
    room = RoomSerializer(many=True)
    free = serializers.IntegerField(help_text="Bytes free on the disk.")
    over = OverSerializer(many=True)
    receipts = KeptReceiptSerializer(many=True)
    thinned_at = serializers.DateTimeField(allow_null=True, help_text="When was last looked what is over its time.")


class DeletedSerializer(serializers.Serializer[Any]):
    bytes = serializers.IntegerField(help_text="Bytes that are free now.")
    receipts = serializers.IntegerField(help_text="Receipts that are kept of it.")


def _told() -> dict[str, Any]:
    settings = installation_settings()
    keep = KeepFor.of(settings)
    last = Job.objects.filter(kind="thin", state=Job.DONE).order_by("-id").first()
    return {
        "keep": asdict(keep),
        "idle_minutes": settings.idle_minutes,
        "room": room_taken(),
        "free": room_free(),
        "over": what_is_over(keep),
        "receipts": KeptReceipt.objects.all(),
        "thinned_at": last.ended_at if last is not None else None,
    }


class UpkeepView(APIView):
    rights = {"GET": Action.TIDY, "PUT": Action.TIDY, "POST": Action.TIDY}

    @extend_schema(responses=UpkeepSerializer)
    def get(self, request: Request) -> Response:
        return Response(UpkeepSerializer(_told()).data)

    @extend_schema(request=SettingsSerializer, responses=UpkeepSerializer)
    def put(self, request: Request) -> Response:
        """Say how long things are kept; what is not said stays as it is. Nothing is deleted before the next look."""
        serializer = SettingsSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        set_retention(person_of(request), **serializer.validated_data)
        return Response(UpkeepSerializer(_told()).data)

    @extend_schema(request=None, responses={202: JobSerializer})
    def post(self, request: Request) -> Response:
        """Take away now what is over its time."""
        return Response(JobSerializer(enqueue("thin", person_of(request).username)).data, status=202)


class OverView(APIView):
    """What would be taken away if things were kept for so long; nothing is."""

    rights = {"GET": Action.TIDY}
    asks = _KINDS

    @extend_schema(
        responses=OverSerializer(many=True), parameters=[OpenApiParameter(kind, OpenApiTypes.INT) for kind in _KINDS]
    )
    def get(self, request: Request) -> Response:
        query = request.query_params
        keep = KeepFor.of(installation_settings())
        days = {kind: whole_number(query, kind, getattr(keep, kind), 36_500) for kind in _KINDS}
        return Response(OverSerializer(what_is_over(KeepFor(**days)), many=True).data)


class KeptReceiptView(APIView):
    rights = {"GET": Action.TIDY}

    @extend_schema(responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def get(self, request: Request, pk: int) -> FileResponse:
        """The receipt of a trip that was deleted."""
        try:
            name, path = take_receipt(person_of(request), pk)
        except PlainError as error:
            raise NotFound from error
        return FileResponse(path.open("rb"), as_attachment=True, filename=name)


class DeletableTripView(TripView):
    """A trip, and its end."""

    rights = {**getattr(TripView, "rights", {}), "DELETE": Action.TIDY}
    asks = ("receipts",)

    @extend_schema(
        request=None,
        responses={200: DeletedSerializer},
        parameters=[OpenApiParameter("receipts", enum=["keep", "delete"], description="`keep` where nothing is said.")],
    )
    def delete(self, request: Request, pk: int) -> Response:
        """Delete a trip with its sheets, kept copies, plans and passes. The journal keeps what was done, and a receipt
        of what was written is kept."""
        keep = one_of(request.query_params, "receipts", ("keep", "delete")) != "delete"
        deleted = delete_by_hand(person_of(request), pk, keep_receipts=keep)
        return Response(DeletedSerializer(deleted).data)
