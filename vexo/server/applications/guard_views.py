"""Guards over HTTP: those of an application."""

from __future__ import annotations

from typing import Any

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vexo.core.guards import USUAL, GuardMode, GuardName, GuardSettings

from ..asked import Asked
from ..people.permissions import person_of
from ..people.rights import Action
from .guarding import GuardFact, set_guards, told_guards
from .models import Application


class GuardLimitSerializer(serializers.Serializer[Any]):
    """A number from which on a guard speaks; ``otherwise`` is the one that counts where nothing is ``said``."""

    name = serializers.CharField()
    value = serializers.CharField()
    otherwise = serializers.CharField()
    least = serializers.CharField()
    most = serializers.CharField()
    said = serializers.BooleanField()


class GuardModeSerializer(serializers.Serializer[Any]):
    """What a guard can do, in words."""

    mode = serializers.ChoiceField(choices=[(mode.value, mode.name) for mode in GuardMode])
    says = serializers.CharField()


class GuardSerializer(serializers.Serializer[Any]):
    """A guard: what it looks for (``when``, with its limits by their names in braces), what it does, and what it would
    do (``otherwise``) where nothing is ``said``."""

    name = serializers.ChoiceField(choices=[(guard.value, guard.name) for guard in GuardName])
    title = serializers.CharField()
    when = serializers.CharField()
    mode = serializers.ChoiceField(choices=[(mode.value, mode.name) for mode in GuardMode])
    otherwise = serializers.ChoiceField(choices=[(mode.value, mode.name) for mode in GuardMode])
    said = serializers.BooleanField()
    modes = GuardModeSerializer(many=True)
    limits = GuardLimitSerializer(many=True)


class GuardsSerializer(serializers.Serializer[Any]):
    """All guards; ``said`` is what is set, as it is given back to change it."""

    guards = GuardSerializer(many=True)
    said = serializers.DictField(child=serializers.DictField())


class SetGuardsSerializer(Asked):
    """What guards are to do: the name of each that is to be otherwise than by itself, with its ``mode`` and ``limits``.
    All others are as they are by themselves."""

    said = serializers.DictField(child=serializers.DictField())


def guards_json(settings: GuardSettings, beneath: GuardSettings) -> dict[str, Any]:
    """All guards as the screens need them."""
    return {"guards": [_guard_json(guard) for guard in told_guards(settings, beneath)], "said": settings.to_json()}


def _guard_json(guard: GuardFact) -> dict[str, Any]:
    names = ("name", "title", "when", "mode", "otherwise", "said", "limits")
    modes = [{"mode": mode, "says": says} for mode, says in guard.modes]
    return {**{name: getattr(guard, name) for name in names}, "modes": modes}


def said_in(request: Request) -> dict[str, Any]:
    """What a request says of guards."""
    serializer = SetGuardsSerializer(data=request.data)
    serializer.is_valid(raise_exception=True)
    return dict(serializer.validated_data["said"])


class GuardsView(APIView):
    rights = {"PUT": Action.CONNECT}

    @extend_schema(responses=GuardsSerializer)
    def get(self, request: Request, name: str) -> Response:
        """What guards do on the trips of an application."""
        return Response(_of(get_object_or_404(Application, name=name)))

    @extend_schema(request=SetGuardsSerializer, responses=GuardsSerializer)
    def put(self, request: Request, name: str) -> Response:
        """Set what guards do on the trips of an application."""
        application = get_object_or_404(Application, name=name)
        return Response(_of(set_guards(person_of(request), application, said_in(request))))


def _of(application: Application) -> Any:
    return GuardsSerializer(guards_json(GuardSettings.from_json(application.guards), USUAL)).data
