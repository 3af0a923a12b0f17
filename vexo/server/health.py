"""Whether the server is up and reaches its database."""

from django.db import connection
from django.http import HttpRequest, JsonResponse

from vexo import __version__


def health(request: HttpRequest) -> JsonResponse:
    with connection.cursor() as cursor:
        cursor.execute("SELECT 1")
    return JsonResponse({"status": "up", "version": __version__})
