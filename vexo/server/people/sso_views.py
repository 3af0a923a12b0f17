"""Going to the provider of single sign-on, and coming back: pages that a browser follows, not parts of the API."""

from __future__ import annotations

import hmac

from django.conf import settings as django_settings
from django.contrib.auth import login
from django.db import transaction
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.views.decorators.http import require_GET

from ..errors import PlainError
from ..journal.services import note
from . import sso
from .sessions import begin as begin_session
from .sso_settings import SsoSettings, sso_settings

_REMEMBERED, TROUBLE = "sso", "sso_trouble"


def _back(request: HttpRequest) -> str:
    """Where the provider sends people: at the one address of this server, whatever the request calls it."""
    address = django_settings.ADDRESS
    base = f"{address.scheme}://{address.netloc}" if address.hostname else f"{request.scheme}://{request.get_host()}"
    return f"{base}/api/sso/back"


def _refused(request: HttpRequest, error: PlainError) -> HttpResponse:
    """Back to the page for signing in, which says why."""
    request.session[TROUBLE] = str(error)
    return HttpResponseRedirect("/")


def _settings() -> SsoSettings:
    settings = sso_settings()
    if settings is None:
        raise sso.SsoError("There is no single sign-on here.")
    return settings


@require_GET
def start(request: HttpRequest) -> HttpResponse:
    try:
        address, remembered = sso.begin(_settings(), _back(request))
    except PlainError as error:
        return _refused(request, error)
    request.session[_REMEMBERED] = remembered
    return HttpResponseRedirect(address)


@require_GET
def back(request: HttpRequest) -> HttpResponse:
    remembered = request.session.pop(_REMEMBERED, None)
    state, code = request.GET.get("state", ""), request.GET.get("code", "")
    try:
        settings = _settings()
        if not remembered or not hmac.compare_digest(remembered["state"].encode(), state.encode()):
            raise sso.SsoError("That sign-in was not begun in this browser, or was ended already. Begin it again.")
        if request.GET.get("error") or not code:
            raise sso.SsoError(f"{settings.label} did not let you in.")
        claims = sso.claims_of(settings, _back(request), code, remembered)
        person = sso.person_of_claims(settings, claims)
    except PlainError as error:
        note("someone", "sign-in failed", f"A single sign-on from {request.META.get('REMOTE_ADDR', '')} failed")
        return _refused(request, error)
    address = str(request.META.get("REMOTE_ADDR", ""))
    with transaction.atomic():
        login(request, person, backend="django.contrib.auth.backends.ModelBackend")
        begin_session(request, address)
        note(person.username, "signed in", f"Signed in by single sign-on from {address}")
    return HttpResponseRedirect("/")
