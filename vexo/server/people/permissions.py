"""Rights as Django REST framework asks for them: each view names the action that a method is."""

from __future__ import annotations

from django.http import HttpRequest
from rest_framework.permissions import SAFE_METHODS, BasePermission
from rest_framework.request import Request

from ..errors import NotAllowed
from .models import AccessToken, Person
from .rights import Action, require


def person_of(request: Request | HttpRequest) -> Person:
    """The person who is signed in."""
    assert isinstance(request.user, Person)
    return request.user


def action_of(view: object, method: str) -> Action | None:
    """What a method of a view is, by the view's ``rights``: reading is looking unless it says otherwise, and a change
    that it does not name is nobody's. None where the view has no such method."""
    if not hasattr(view, "get" if method in SAFE_METHODS else method.lower()):
        return None
    rights: dict[str, Action] = getattr(view, "rights", {})
    action = rights.get("GET" if method in SAFE_METHODS else method)
    return action or (Action.LOOK if method in SAFE_METHODS else Action.NOTHING)


class Rights(BasePermission):
    """Whether the person's role allows what is asked; that a pass writes to live records its service asks again. A
    view's ``only_browser`` names the methods that no token may use: those that give or take someone's way in."""

    def has_permission(self, request: Request, view: object) -> bool:
        if not isinstance(request.user, Person):
            return False
        if isinstance(request.auth, AccessToken) and request.method in getattr(view, "only_browser", ()):
            raise NotAllowed("A token cannot do that. Sign in with a browser.")
        action = action_of(view, str(request.method))
        if action is not None:
            require(request.user, action)
        return True
