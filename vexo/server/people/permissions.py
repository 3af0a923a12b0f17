"""Rights as Django REST framework asks for them."""

from __future__ import annotations

from django.http import HttpRequest
from rest_framework.permissions import SAFE_METHODS, BasePermission
from rest_framework.request import Request

from .models import Person
from .rights import Action, require


def person_of(request: Request | HttpRequest) -> Person:
    """The person who is signed in."""
    assert isinstance(request.user, Person)
    return request.user


class _OrReading(BasePermission):
    action: Action

    def has_permission(self, request: Request, view: object) -> bool:
        if not isinstance(request.user, Person):
            return False
        if request.method not in SAFE_METHODS:
            require(request.user, self.action)
        return True


class PreparerOrReading(_OrReading):
    """Everyone signed in may look; preparing needs the role."""

    action = Action.PREPARE


class AdministratorOrReading(_OrReading):
    """Everyone signed in may look; connecting applications needs the role."""

    action = Action.CONNECT
