"""The screens: one page, built beforehand, that the front end fills."""

from __future__ import annotations

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.views.decorators.csrf import ensure_csrf_cookie

_MISSING = "<!doctype html><title>Vexo</title><p>The screens have not been built yet. Run <code>make setup</code>.</p>"


@ensure_csrf_cookie
def screen(request: HttpRequest) -> HttpResponse:
    page = settings.WEB / "index.html"
    if not page.exists():
        return HttpResponse(_MISSING, status=503)
    return HttpResponse(page.read_bytes(), headers={"Cache-Control": "no-cache"})
