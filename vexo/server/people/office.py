"""People over HTTP, for administrators: who there is, what each may do, who comes and goes."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from ..asked import Asked
from . import services
from .models import Person, Role
from .permissions import person_of
from .rights import Action


class SomeoneSerializer(serializers.ModelSerializer[Person]):
    """Someone who can sign in; ``last_login`` is when they did last."""

    role_label = serializers.CharField(source="get_role_display", read_only=True)

    class Meta:
        model = Person
        fields = ("username", "name", "role", "role_label", "last_login")


class AddPersonSerializer(Asked):
    """Without a password the person cannot sign in until they chose one by a link."""

    username = serializers.CharField(max_length=150)
    name = serializers.CharField(max_length=80)
    role = serializers.ChoiceField(choices=Role.choices)
    password = serializers.CharField(trim_whitespace=False, max_length=1000, write_only=True, required=False)


class ChangePersonSerializer(Asked):
    """What is to be changed; what is not said stays."""

    role = serializers.ChoiceField(choices=Role.choices, required=False)
    password = serializers.CharField(trim_whitespace=False, max_length=1000, write_only=True, required=False)


class PeopleView(APIView):
    rights = {"GET": Action.PEOPLE, "POST": Action.PEOPLE}
    only_browser = ("POST",)

    @extend_schema(responses=SomeoneSerializer(many=True))
    def get(self, request: Request) -> Response:
        return Response(SomeoneSerializer(services.people(), many=True).data)

    @extend_schema(request=AddPersonSerializer, responses={201: SomeoneSerializer})
    def post(self, request: Request) -> Response:
        serializer = AddPersonSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        values = services.add(person_of(request), **serializer.validated_data)
        return Response(SomeoneSerializer(values).data, status=201)


class SomeoneView(APIView):
    rights = {"PATCH": Action.PEOPLE, "DELETE": Action.PEOPLE}
    only_browser = ("PATCH", "DELETE")

    @extend_schema(request=ChangePersonSerializer, responses=SomeoneSerializer)
    def patch(self, request: Request, username: str) -> Response:
        """Another role, or a new password: that ends the person's sessions."""
        change_person_serializer = ChangePersonSerializer(data=request.data)
        change_person_serializer.is_valid(raise_exception=True)
        values = services.change(person_of(request), username, **change_person_serializer.validated_data)
        return Response(SomeoneSerializer(values).data)

    @extend_schema(responses={204: None})
    def delete(self, request: Request, username: str) -> Response:
        """The person can no longer sign in; what they did stays written down."""
        services.remove(person_of(request), username)
        return Response(status=204)
