"""One's own access: the browsers in which one is signed in, tokens for scripts, a link to choose a password by."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from ..asked import Asked
from ..locales import CHOICES, zones
from . import links, throttle
from .access_tokens import LONGEST_DAYS, make_token, tokens_of, withdraw_token
from .authentication import BrowserAuthentication
from .models import AccessToken, Role, Session
from .permissions import person_of
from .rights import Action
from .services import find_person, set_reading
from .sessions import end_sessions, is_this, public_number, sessions_of


class SignedInSerializer(serializers.ModelSerializer[Session]):
    """A browser that is signed in; ``this`` is the one that asks."""

    number = serializers.SerializerMethodField()
    this = serializers.SerializerMethodField()

    class Meta:
        model = Session
        fields = ("number", "this", "began_at", "used_at", "address", "browser")

    def get_number(self, session: Session) -> str:
        return public_number(session)

    def get_this(self, session: Session) -> bool:
        return is_this(session, self.context["request"])


class TokenSerializer(serializers.ModelSerializer[AccessToken]):
    """A token for scripts, without its text."""

    role_label = serializers.CharField(source="get_role_display", read_only=True)

    class Meta:
        model = AccessToken
        fields = ("id", "name", "role", "role_label", "made_at", "ends_at", "used_at")


class AccessSerializer(serializers.Serializer[Any]):
    """How a person is known: browsers that are signed in, and tokens."""

    sessions = SignedInSerializer(many=True)
    tokens = TokenSerializer(many=True)


class ReadingSerializer(Asked):
    """How numbers and times are written for a person; ``zone`` empty for that of the browser."""

    locale = serializers.ChoiceField(choices=CHOICES)
    zone = serializers.CharField(max_length=60, allow_blank=True)


class MakeTokenSerializer(Asked):
    name = serializers.CharField(max_length=60)
    role = serializers.ChoiceField(choices=Role.choices)
    days = serializers.IntegerField(min_value=1, max_value=LONGEST_DAYS, default=90)


class NewTokenSerializer(TokenSerializer):
    """A new token; its text is told this once."""

    token = serializers.CharField()

    class Meta(TokenSerializer.Meta):
        fields = (*TokenSerializer.Meta.fields, "token")  # type: ignore[assignment]


class EndedSerializer(serializers.Serializer[Any]):
    ended = serializers.IntegerField(help_text="Sessions that were ended.")


class PasswordLinkSerializer(serializers.Serializer[Any]):
    """The end of the address at which the person chooses a password."""

    path = serializers.CharField()
    hours = serializers.IntegerField(help_text="For how long it can be used.")


class ChoosePasswordSerializer(Asked):
    username = serializers.CharField(max_length=150)
    link = serializers.CharField(max_length=200)
    password = serializers.CharField(trim_whitespace=False, max_length=1000, write_only=True)


class AccessView(APIView):
    """The browsers in which one is signed in, and one's tokens."""

    @extend_schema(responses=AccessSerializer)
    def get(self, request: Request) -> Response:
        person = person_of(request)
        values = {"sessions": sessions_of(person), "tokens": tokens_of(person)}
        return Response(AccessSerializer(values, context={"request": request}).data)


class ReadingOfferSerializer(ReadingSerializer):
    """The same, with the zones to choose from."""

    zones = serializers.ListField(child=serializers.CharField())


class ReadingView(APIView):
    """How numbers and times are written for oneself, in the API's sentences as on the screens."""

    rights = {"PUT": Action.LOOK}

    @extend_schema(responses=ReadingOfferSerializer)
    def get(self, request: Request) -> Response:
        person = person_of(request)
        values = {"locale": person.locale, "zone": person.zone, "zones": zones()}
        return Response(ReadingOfferSerializer(values).data)

    @extend_schema(request=ReadingSerializer, responses=ReadingSerializer)
    def put(self, request: Request) -> Response:
        serializer = ReadingSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        return Response(ReadingSerializer(set_reading(person_of(request), **serializer.validated_data)).data)


class TokensView(APIView):
    rights = {"POST": Action.LOOK}
    only_browser = ("POST",)

    @extend_schema(request=MakeTokenSerializer, responses={201: NewTokenSerializer})
    def post(self, request: Request) -> Response:
        serializer = MakeTokenSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        token, text = make_token(person_of(request), **serializer.validated_data)
        token.token = text  # type: ignore[attr-defined]
        return Response(NewTokenSerializer(token).data, status=201, headers={"Cache-Control": "no-store"})


class TokenView(APIView):
    rights = {"DELETE": Action.LOOK}

    @extend_schema(responses={204: None})
    def delete(self, request: Request, pk: int) -> Response:
        person = person_of(request)
        withdraw_token(person, person, pk)
        return Response(status=204)


class OtherSessionsView(APIView):
    rights = {"DELETE": Action.LOOK}
    only_browser = ("DELETE",)

    @extend_schema(responses={200: EndedSerializer})
    def delete(self, request: Request) -> Response:
        """Sign out everywhere but here."""
        person = person_of(request)
        return Response({"ended": end_sessions(person, person, but=request._request)})


class OneSessionView(APIView):
    rights = {"DELETE": Action.LOOK}
    only_browser = ("DELETE",)

    @extend_schema(operation_id="access_session_destroy", responses={200: EndedSerializer})
    def delete(self, request: Request, number: str) -> Response:
        person = person_of(request)
        return Response({"ended": end_sessions(person, person, number=number)})


class AccessOfView(APIView):
    """How someone else is known, for administrators; DELETE signs them out everywhere."""

    rights = {"GET": Action.PEOPLE, "DELETE": Action.PEOPLE}
    only_browser = ("DELETE",)

    @extend_schema(responses=AccessSerializer)
    def get(self, request: Request, username: str) -> Response:
        person = find_person(username)
        values = {"sessions": sessions_of(person), "tokens": tokens_of(person)}
        return Response(AccessSerializer(values, context={"request": request}).data)

    @extend_schema(responses={200: EndedSerializer})
    def delete(self, request: Request, username: str) -> Response:
        return Response({"ended": end_sessions(person_of(request), find_person(username))})


class TokenOfView(APIView):
    rights = {"DELETE": Action.PEOPLE}

    @extend_schema(responses={204: None})
    def delete(self, request: Request, username: str, pk: int) -> Response:
        withdraw_token(person_of(request), find_person(username), pk)
        return Response(status=204)


class PasswordLinkView(APIView):
    rights = {"POST": Action.PEOPLE}
    only_browser = ("POST",)

    @extend_schema(request=None, responses={201: PasswordLinkSerializer})
    def post(self, request: Request, username: str) -> Response:
        """A link by which the person chooses a password; it is told this once."""
        secret = links.make_link(person_of(request), username)
        body = {"path": f"/choose-password#{username}/{secret}", "hours": links.HOURS}
        return Response(body, status=201, headers={"Cache-Control": "no-store"})


class ChoosePasswordView(APIView):
    """Choosing a password by a link, without being signed in."""

    permission_classes = (AllowAny,)

    @extend_schema(request=ChoosePasswordSerializer, responses={204: None})
    def post(self, request: Request) -> Response:
        BrowserAuthentication().enforce_csrf(request)
        serializer = ChoosePasswordSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        username, address = serializer.validated_data["username"], str(request.META.get("REMOTE_ADDR", ""))
        throttle.look(username, address)
        try:
            links.choose_password(**serializer.validated_data)
        except links.WrongLink:
            throttle.missed(username, address)
            raise
        return Response(status=204)
