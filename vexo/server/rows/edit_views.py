"""Edits of a trip's sheet over HTTP: made where a cell is seen, planned at once where nothing has to be asked."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vexo.core.sheets.long_cells import CELL_CHARACTERS
from vexo.core.wording import thousands

from ..asked import Asked
from ..edits import edits
from ..edits.lapsed import Lapsed, lapsed_of
from ..edits.row_filter import carry_only, expect
from ..people.permissions import person_of
from ..people.rights import Action
from ..planning.inline import plan_inline
from ..trips.models import Edit
from ..trips.serializers import TripDetailSerializer
from ..trips.views import SEEN, detail, find_view, unchanged
from ..who import WhoSerializer
from .edit_requests import EditRequest, make_edit

_TEXTS = serializers.CharField
_MOST_PASTED = 100_000
"""Rows of one pasted block."""
_MOST_LISTED = 200
"""Edits that are listed: older ones are undone by the command line."""


class ShownSerializer(Asked):
    """Which rows are shown, and in which order: an edit of many rows reaches only these."""

    state = _TEXTS(required=False, allow_blank=True, default="")
    column = _TEXTS(required=False, allow_blank=True, default="")
    text = _TEXTS(required=False, allow_blank=True, default="", trim_whitespace=False)
    code = _TEXTS(required=False, allow_blank=True, default="")
    order = _TEXTS(required=False, allow_blank=True, default="")
    decision = _TEXTS(required=False, allow_blank=True, default="")
    change = _TEXTS(required=False, allow_blank=True, default="", trim_whitespace=False)
    reason = _TEXTS(required=False, allow_blank=True, default="", trim_whitespace=False)
    moved = _TEXTS(required=False, allow_blank=True, default="")


class ReplaceSerializer(Asked):
    find = _TEXTS(trim_whitespace=False, max_length=CELL_CHARACTERS)
    put = _TEXTS(allow_blank=True, trim_whitespace=False, max_length=CELL_CHARACTERS)
    pattern = serializers.BooleanField(required=False, default=False)
    whole = serializers.BooleanField(required=False, default=False)
    capitals = serializers.BooleanField(required=False, default=True)


@extend_schema_field({"type": "array", "items": {"type": "array", "items": {"type": "string"}}})
class BlockField(serializers.Field[list[list[str]], Any, Any, Any]):
    """Lines of texts, looked at all at once: a field for each of a hundred thousand cells would take half a minute."""

    def to_internal_value(self, data: Any) -> list[list[str]]:
        if not isinstance(data, list) or not all(type(line) is list for line in data):
            raise serializers.ValidationError("A block is a list of lines, each a list of texts.")
        if len(data) > _MOST_PASTED:
            raise serializers.ValidationError(f"A block has at most {thousands(_MOST_PASTED)} lines.")
        for at, line in enumerate(data, 1):
            if not all(type(text) is str for text in line):
                raise serializers.ValidationError(f"Line {thousands(at)} of the block holds something else than texts.")
            if any(len(text) > CELL_CHARACTERS or "\0" in text for text in line):
                what = f"over {thousands(CELL_CHARACTERS)} characters, or with a character of value zero"
                raise serializers.ValidationError(
                    f"Line {thousands(at)} of the block has a text that no cell can hold: {what}."
                )
        return data

    def to_representation(self, value: Any) -> Any:
        return value


class MakeEditSerializer(Asked):
    """An edit of the newest sheet. ``cell``: ``text`` in ``column`` of ``row_id``. ``fill``: that row's cell put into
    the ``rows`` rows below it, as they are shown. ``paste``: ``block`` from that cell on. ``replace``: what ``replace``
    says, in ``column`` or, where that is empty, in all columns. ``repair``: damage of the kind ``damage`` in
    ``column``, or all, as plan ``plan`` has it."""

    only_with = {
        "row_id": ("kind", ["cell", "fill", "paste"]),
        "text": ("kind", ["cell"]),
        "rows": ("kind", ["fill"]),
        "block": ("kind", ["paste"]),
        "replace": ("kind", ["replace"]),
        "damage": ("kind", ["repair"]),
        "plan": ("kind", ["repair"]),
        "shown": ("kind", ["fill", "paste", "replace"]),
    }

    kind = serializers.ChoiceField(choices=["cell", "fill", "replace", "paste", "repair"])
    row_id = serializers.IntegerField(required=False, min_value=0, max_value=2**32 - 1)
    column = _TEXTS(required=False, allow_blank=True, default="", max_length=20)
    text = _TEXTS(required=False, allow_blank=True, allow_null=True, trim_whitespace=False, max_length=CELL_CHARACTERS)
    rows = serializers.IntegerField(required=False, min_value=1, max_value=2**31)
    block = BlockField(required=False)
    replace = ReplaceSerializer(required=False)
    damage = _TEXTS(required=False, allow_blank=True, default="", max_length=20)
    plan = serializers.IntegerField(required=False, min_value=1)
    shown = ShownSerializer(required=False)

    def validate(self, attrs: dict[str, Any]) -> dict[str, Any]:
        if attrs["kind"] == "cell" and "text" not in attrs:
            raise serializers.ValidationError({"text": "Say what the cell holds; null for nothing."})
        return attrs


class EditedCellSerializer(serializers.Serializer[Any]):
    header = _TEXTS()
    before = _TEXTS(allow_null=True)
    after = _TEXTS(allow_null=True)


class EditSerializer(serializers.ModelSerializer[Edit]):
    by = WhoSerializer()
    first = serializers.SerializerMethodField()
    lapsed = serializers.SerializerMethodField(help_text="How many of its cells do not count over the newest sheet.")
    why = serializers.SerializerMethodField(help_text="Why these do not count; empty where all do.")

    class Meta:
        model = Edit
        fields = ("id", "kind", "words", "count", "by", "at", "first", "lapsed", "why")

    @extend_schema_field(EditedCellSerializer(many=True))
    def get_first(self, edit: Edit) -> Any:
        return edits.first_cells(edit)

    def _lapsed(self, edit: Edit) -> Lapsed:
        known: dict[int, Lapsed] = self.context.get("lapsed", {})
        return known.get(edit.pk, Lapsed())

    def get_lapsed(self, edit: Edit) -> int:
        return self._lapsed(edit).count

    def get_why(self, edit: Edit) -> str:
        return self._lapsed(edit).why


class EditsView(APIView):
    rights = {"POST": Action.PREPARE}

    @extend_schema(responses=EditSerializer(many=True))
    def get(self, request: Request, pk: int) -> Response:
        """The newest edits that lie over the trip's sheet."""
        view = find_view(pk, request)
        listed = Edit.listed(view.trip, _MOST_LISTED)
        context = {"lapsed": lapsed_of(view, listed)}
        return Response(EditSerializer(listed, many=True, context=context).data)

    @extend_schema(request=MakeEditSerializer, responses=TripDetailSerializer, parameters=[SEEN])
    def post(self, request: Request, pk: int) -> Response:
        """Edit the newest sheet; the rows are planned anew."""
        view = find_view(pk, request)
        unchanged(request, view)
        serializer = MakeEditSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        _, job = make_edit(view, person_of(request), EditRequest.of(serializer.validated_data))
        plan_inline(view, job)
        return detail(pk, request)


class EditView(APIView):
    rights = {"DELETE": Action.PREPARE}

    @extend_schema(responses={200: TripDetailSerializer})
    def delete(self, request: Request, pk: int, number: int) -> Response:
        """Take one edit back; later ones of the same cells stay."""
        view = find_view(pk, request)
        plan_inline(view, edits.undo(view, person_of(request), number, run_here=True))
        return detail(pk, request)


class OnlySerializer(Asked):
    """Which rows are carried: those for which ``condition`` on the sheet's own columns holds, without those that are
    left out by their numbers in the trip (``carry``: all or none of them first). What is not said stays."""

    condition = _TEXTS(required=False, allow_blank=True, max_length=20_000)
    leave_out = serializers.ListField(
        child=serializers.IntegerField(min_value=0, max_value=2**32 - 1), required=False, max_length=100_000
    )
    carry = serializers.ChoiceField(choices=["", "all", "none"], required=False, default="")
    take_in = serializers.ListField(
        child=serializers.IntegerField(min_value=0, max_value=2**32 - 1), required=False, max_length=100_000
    )


class OnlyView(APIView):
    rights = {"PATCH": Action.PREPARE}

    @extend_schema(request=OnlySerializer, responses=TripDetailSerializer, parameters=[SEEN])
    def patch(self, request: Request, pk: int) -> Response:
        """Carry only some of the sheet's rows; the others are set aside, with that reason."""
        view = find_view(pk, request)
        unchanged(request, view)
        only_serializer = OnlySerializer(data=request.data)
        only_serializer.is_valid(raise_exception=True)
        plan_inline(view, carry_only(view, person_of(request), run_here=True, **only_serializer.validated_data))
        return detail(pk, request)


class ExpectSerializer(Asked):
    """How many rows, and which sums by header, a person expects; null or an empty text takes it back. What is not said
    stays."""

    rows = serializers.IntegerField(required=False, allow_null=True, min_value=0, max_value=2**31)
    sums = serializers.DictField(child=_TEXTS(allow_blank=True, max_length=60), required=False)


class ExpectView(APIView):
    rights = {"PATCH": Action.PREPARE}

    @extend_schema(request=ExpectSerializer, responses=TripDetailSerializer)
    def patch(self, request: Request, pk: int) -> Response:
        """Say what is expected of the sheet; it is checked from then on."""
        view = find_view(pk, request)
        expect_serializer = ExpectSerializer(data=request.data)
        expect_serializer.is_valid(raise_exception=True)
        expect(view, person_of(request), **expect_serializer.validated_data)
        return detail(pk, request)
