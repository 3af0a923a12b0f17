"""Who may do what."""

from __future__ import annotations

from django.http import HttpRequest
from rest_framework.exceptions import PermissionDenied
from rest_framework.permissions import SAFE_METHODS, BasePermission
from rest_framework.request import Request

from ..applications.models import Application, Stage
from ..people.models import Person, Role


def person_of(request: Request | HttpRequest) -> Person:
    """The person who is signed in."""
    assert isinstance(request.user, Person)
    return request.user


class PreparerOrReading(BasePermission):
    """Everyone signed in may look; preparing needs the role."""

    message = "Your role lets you look, not change. Ask a preparer."

    def has_permission(self, request: Request, view: object) -> bool:
        if not isinstance(request.user, Person):
            return False
        return request.method in SAFE_METHODS or request.user.may(Role.PREPARER)


class AdministratorOrReading(BasePermission):
    """Everyone signed in may look; connecting applications needs the role."""

    message = "Connecting applications is for administrators."

    def has_permission(self, request: Request, view: object) -> bool:
        if not isinstance(request.user, Person):
            return False
        return request.method in SAFE_METHODS or request.user.may(Role.ADMINISTRATOR)


def may_apply(person: Person, application: Application) -> bool:
    """Writing to a live application needs an operator; to practice, a preparer."""
    return person.may(Role.OPERATOR if application.stage == Stage.LIVE else Role.PREPARER)


def require_apply(person: Person, application: Application) -> None:
    """Raises PermissionDenied."""
    if not may_apply(person, application):
        raise PermissionDenied(
            f"Writing to {application.label} needs an operator. You can prepare the trip up to here."
        )
