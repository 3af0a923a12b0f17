"""Who may do what: one table, for the API, the command line and the screens alike."""

from __future__ import annotations

from enum import StrEnum

from ..errors import NotAllowed
from .models import Person, Role


class Action(StrEnum):
    """What needs a right. ``NOTHING`` is what nobody may."""

    LOOK = "look"
    PREPARE = "prepare"
    APPLY_TO_PRACTICE = "apply to practice"
    APPLY_TO_LIVE = "apply to live"
    CONNECT = "connect"
    PEOPLE = "people"
    KEEP = "keep"
    TIDY = "tidy"
    NOTHING = "nothing"


TABLE: dict[Action, Role] = {
    Action.LOOK: Role.VIEWER,
    Action.PREPARE: Role.PREPARER,
    Action.APPLY_TO_PRACTICE: Role.PREPARER,
    Action.APPLY_TO_LIVE: Role.OPERATOR,
    Action.CONNECT: Role.ADMINISTRATOR,
    Action.PEOPLE: Role.ADMINISTRATOR,
    Action.KEEP: Role.ADMINISTRATOR,
    Action.TIDY: Role.ADMINISTRATOR,
}
_WORDS: dict[Action, str] = {
    Action.LOOK: "Sign in to look.",
    Action.NOTHING: "Nobody may do that here.",
    Action.PREPARE: "Preparing trips needs a preparer. Your role lets you look.",
    Action.APPLY_TO_PRACTICE: "Writing to a practice application needs a preparer. Your role lets you look.",
    Action.APPLY_TO_LIVE: "Writing to a live application needs an operator. You can prepare the trip up to here.",
    Action.CONNECT: "Connecting applications is for administrators.",
    Action.PEOPLE: "Who may do what is for administrators to say.",
    Action.TIDY: "What is kept, and for how long, is for administrators to say.",
    Action.KEEP: "A backup holds everything, so it is for administrators.",
}


def applying(stage: str) -> Action:
    """What writing to an application of this stage is."""
    return Action.APPLY_TO_LIVE if stage == "live" else Action.APPLY_TO_PRACTICE


def may(person: Person, action: Action) -> bool:
    """Whether the person's role allows it."""
    return action in TABLE and person.may(TABLE[action])


def allowed(person: Person) -> list[Action]:
    """All that the person's role allows."""
    return [action for action in TABLE if may(person, action)]


def require(person: Person, action: Action) -> None:
    """Raises NotAllowed, which says what role it needs."""
    if not may(person, action):
        raise NotAllowed(_WORDS[action])
