"""Cell marks explained: as a page shows them, and as a sheet of examples."""

from __future__ import annotations

import io
from typing import Any

import xlsxwriter
from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vexo.core.columns.marks import EXAMPLES

_SHEET = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"


class MarkSerializer(serializers.Serializer[Any]):
    """A cell, the fields that it is for, and what it means."""

    cell = serializers.CharField(allow_blank=True)
    of = serializers.CharField()
    means = serializers.CharField()


class MarksView(APIView):
    @extend_schema(responses=MarkSerializer(many=True))
    def get(self, request: Request) -> Response:
        """All marks, each by an example."""
        return Response([{"cell": cell, "of": of, "means": means} for cell, of, means in EXAMPLES])


class MarksSheetView(APIView):
    @extend_schema(responses={(200, _SHEET): OpenApiTypes.BINARY})
    def get(self, request: Request) -> HttpResponse:
        """The same as a workbook, its cells to be copied from."""
        file = io.BytesIO()
        with xlsxwriter.Workbook(file, {"in_memory": True, "strings_to_formulas": False}) as book:
            sheet = book.add_worksheet("Marks")
            bold, text = book.add_format({"bold": True}), book.add_format({"num_format": "@"})
            sheet.write_row(0, 0, ["Cell", "For", "What it does"], bold)
            for row, (cell, of, means) in enumerate(EXAMPLES, start=1):
                sheet.write_string(row, 0, cell, text)
                sheet.write_string(row, 1, of)
                sheet.write_string(row, 2, means)
            sheet.set_column(0, 1, 30)
            sheet.set_column(2, 2, 90)
            sheet.freeze_panes(1, 0)
        answer = HttpResponse(file.getvalue(), content_type=_SHEET)
        answer["Content-Disposition"] = 'attachment; filename="marks.xlsx"'
        return answer
