"""Signing in and out."""

from __future__ import annotations

import os
from typing import Any

from django.contrib.auth import authenticate, login, logout, update_session_auth_hash
from django.db import transaction
from django.middleware.csrf import get_token
from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from ..asked import Asked
from ..errors import PlainError
from ..journal.services import note
from ..locales import CHOICES
from . import throttle
from .authentication import BrowserAuthentication
from .models import Person
from .permissions import person_of
from .rights import TABLE, Action, allowed
from .services import set_password
from .sessions import begin
from .sso import is_first_administrator
from .sso_settings import sso_settings


class PersonSerializer(serializers.ModelSerializer[Person]):
    """Who is signed in, and what their role allows."""

    role_label = serializers.CharField(source="get_role_display", read_only=True)
    may = serializers.SerializerMethodField()
    locale = serializers.ChoiceField(choices=CHOICES)
    zone = serializers.CharField(allow_blank=True)

    class Meta:
        model = Person
        fields = ("username", "name", "role", "role_label", "may", "locale", "zone")

    @extend_schema_field(serializers.ListField(child=serializers.ChoiceField(choices=list(TABLE))))
    def get_may(self, person: Person) -> list[str]:
        return [str(action) for action in allowed(person)]


class DemoPersonSerializer(serializers.Serializer[Any]):
    username = serializers.CharField()
    name = serializers.CharField()
    role_label = serializers.CharField()
    password = serializers.CharField()


class SsoSerializer(serializers.Serializer[Any]):
    """Single sign-on, as the page for signing in offers it; ``trouble`` is why it failed just now."""

    provider = serializers.CharField()
    passwords = serializers.BooleanField(help_text="People may sign in with a password too.")
    trouble = serializers.CharField(allow_blank=True)


class SessionSerializer(serializers.Serializer[Any]):
    person = PersonSerializer(allow_null=True)
    demo = DemoPersonSerializer(many=True)
    sso = SsoSerializer(allow_null=True)


class SignInSerializer(Asked):
    username = serializers.CharField(max_length=150)
    password = serializers.CharField(trim_whitespace=False, max_length=1000)


def _session(request: Request) -> dict[str, Any]:
    get_token(request._request)
    person = request.user if isinstance(request.user, Person) else None
    demo: list[dict[str, str]] = []
    if os.environ.get("VEXO_DEMO") and person is None:
        from .demo import PASSWORD, PEOPLE

        demo = [{"username": u, "name": n, "role_label": r.label, "password": PASSWORD} for u, n, r in PEOPLE]
    sso = sso_settings() if person is None else None
    offered = None
    if sso is not None:
        trouble = request.session.pop("sso_trouble", "") if "sso_trouble" in request.session else ""
        offered = {"provider": sso.label, "passwords": sso.local_passwords, "trouble": trouble}
    return {"person": PersonSerializer(person).data if person else None, "demo": demo, "sso": offered}


class SessionView(APIView):
    """Who is signed in."""

    permission_classes = (AllowAny,)

    @extend_schema(responses=SessionSerializer)
    def get(self, request: Request) -> Response:
        return Response(_session(request))

    @extend_schema(request=SignInSerializer, responses=SessionSerializer)
    def post(self, request: Request) -> Response:
        BrowserAuthentication().enforce_csrf(request)
        serializer = SignInSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        username, address = serializer.validated_data["username"], str(request.META.get("REMOTE_ADDR", ""))
        throttle.look(username, address)
        person = authenticate(request._request, **serializer.validated_data)
        if not isinstance(person, Person):
            throttle.missed(username, address)
            # A name that is nobody's may be a password typed in the wrong place: it is not written down.
            named = f" as {username}" if Person.objects.filter(username=username).exists() else ""
            note("someone", "sign-in failed", f"A sign-in{named} from {address} failed")
            raise ValidationError({"password": "That name and password do not belong together."})
        sso = sso_settings()
        if sso is not None and not sso.local_passwords and not is_first_administrator(person):
            raise PlainError(f"Sign in with {sso.label}: passwords are off here.", "sso")
        throttle.succeeded(username, address)
        with transaction.atomic():
            login(request._request, person)
            begin(request._request, address)
            note(person.username, "signed in", f"Signed in from {address}")
        request.user = person
        return Response(_session(request))

    @extend_schema(responses={204: None})
    def delete(self, request: Request) -> Response:
        logout(request._request)
        return Response(status=204)


class OwnPasswordSerializer(Asked):
    old = serializers.CharField(trim_whitespace=False, max_length=1000)
    new = serializers.CharField(trim_whitespace=False, max_length=1000)


class OwnPasswordView(APIView):
    """One's own password; it ends one's other sessions."""

    rights = {"PUT": Action.LOOK}
    only_browser = ("PUT",)

    @extend_schema(request=OwnPasswordSerializer, responses={204: None})
    def put(self, request: Request) -> Response:
        own_password_serializer = OwnPasswordSerializer(data=request.data)
        own_password_serializer.is_valid(raise_exception=True)
        person, address = person_of(request), str(request.META.get("REMOTE_ADDR", ""))
        throttle.look(person.username, address)
        if not person.check_password(own_password_serializer.validated_data["old"]):
            throttle.missed(person.username, address)
            raise ValidationError({"old": "That is not your password as it is now."})
        changed = set_password(person, person.username, own_password_serializer.validated_data["new"])
        update_session_auth_hash(request._request, changed)
        return Response(status=204)
