"""Notices over HTTP: one's list, and how one wants to be told."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from ..asked import Asked
from ..people.permissions import person_of
from ..people.rights import Action
from . import services
from .kinds import KINDS, SAYS, NoticeKind
from .mail import mail_server
from .models import Notice, Wish


class NoticeSerializer(serializers.ModelSerializer[Notice]):
    kind = serializers.ChoiceField(choices=KINDS)

    class Meta:
        model = Notice
        fields = ("id", "kind", "text", "trip", "at", "read_at", "mailed_at", "trouble")


class WishSerializer(serializers.ModelSerializer[Wish]):
    """How one kind is told; ``says`` is what it is about."""

    kind = serializers.ChoiceField(choices=KINDS)
    says = serializers.SerializerMethodField()

    class Meta:
        model = Wish
        fields = ("kind", "says", "listed", "mailed")

    @extend_schema_field(serializers.CharField())
    def get_says(self, wish: Wish) -> str:
        return SAYS[NoticeKind(wish.kind)]


class NoticesSerializer(serializers.Serializer[Any]):
    notices = NoticeSerializer(many=True)
    unread = serializers.IntegerField()
    email = serializers.CharField(allow_blank=True)
    wishes = WishSerializer(many=True)
    can_mail = serializers.BooleanField(help_text="A mail server was said when Vexo was started.")


class UnreadSerializer(serializers.Serializer[Any]):
    unread = serializers.IntegerField()


class ReadSerializer(Asked):
    up_to = serializers.IntegerField(min_value=0, max_value=2**62)


class WishedSerializer(Asked):
    kind = serializers.ChoiceField(choices=KINDS)
    listed = serializers.BooleanField()
    mailed = serializers.BooleanField()


class WishesSerializer(Asked):
    """Where one's e-mail goes, and how one wants to be told; what is not said stays."""

    email = serializers.CharField(allow_blank=True, max_length=254, required=False)
    wishes = WishedSerializer(many=True, required=False)

    def validate_wishes(self, value: list[dict[str, Any]]) -> list[dict[str, Any]]:
        if len({wish["kind"] for wish in value}) < len(value):
            raise serializers.ValidationError("Say each kind once.")
        return value


def _told(request: Request) -> Response:
    person = person_of(request)
    values = {
        "notices": services.listed(person),
        "unread": services.unread(person),
        "email": person.email,
        "wishes": services.wishes_of(person),
        "can_mail": mail_server() is not None,
    }
    return Response(NoticesSerializer(values).data)


class NoticesView(APIView):
    rights = {"POST": Action.LOOK, "PUT": Action.LOOK}

    @extend_schema(responses=NoticesSerializer)
    def get(self, request: Request) -> Response:
        return _told(request)

    @extend_schema(request=ReadSerializer, responses=NoticesSerializer)
    def post(self, request: Request) -> Response:
        """One has seen the list up to a notice."""
        serializer = ReadSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        services.mark_read(person_of(request), serializer.validated_data["up_to"])
        return _told(request)

    @extend_schema(request=WishesSerializer, responses=NoticesSerializer)
    def put(self, request: Request) -> Response:
        serializer = WishesSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        values = serializer.validated_data
        wishes = {
            wish["kind"]: {"listed": wish["listed"], "mailed": wish["mailed"]} for wish in values.get("wishes", [])
        }
        services.set_wishes(person_of(request), values.get("email"), wishes)
        return _told(request)


class UnreadView(APIView):
    """How many notices are new: asked every now and then by each page."""

    @extend_schema(responses=UnreadSerializer)
    def get(self, request: Request) -> Response:
        return Response({"unread": services.unread(person_of(request))})
