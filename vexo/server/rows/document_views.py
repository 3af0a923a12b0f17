"""The plan as a document, over HTTP."""

from __future__ import annotations

from pathlib import Path
from tempfile import TemporaryDirectory

from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework.exceptions import NotFound
from rest_framework.request import Request
from rest_framework.views import APIView

from ..people.permissions import person_of
from ..planning.context import plan_of
from ..rendering import reader_of
from ..trips.sheets import downloaded
from ..trips.views import find_view
from .document import write_document

_TYPES = {
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    "csv": "text/csv",
    "tsv": "text/tab-separated-values",
    "html": "text/html; charset=utf-8",
}


class DocumentView(APIView):
    """The newest plan as a workbook, a text file or a page to print (``xlsx``, ``csv``, ``tsv``, ``html``)."""

    @extend_schema(responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def get(self, request: Request, pk: int, ending: str) -> HttpResponse:
        view = find_view(pk, request)
        if ending not in _TYPES:
            raise NotFound
        name = f"trip-{view.trip.pk}-plan-{plan_of(view).number}.{ending}"
        with TemporaryDirectory() as folder:
            path = Path(folder) / name
            write_document(view, path, person_of(request).username, reader_of(request))
            content = path.read_bytes()
        downloaded(view.trip, person_of(request), name)
        shown = "inline" if ending == "html" else "attachment"
        headers = {"Content-Disposition": f'{shown}; filename="{name}"'}
        return HttpResponse(content, content_type=_TYPES[ending], headers=headers)
