"""How long the texts may be that people give: the same wherever they come in."""

from __future__ import annotations

from vexo.core.wording import thousands

from .error_codes import Coded
from .errors import PlainError


def at_most(most: int, text: str, what: str, code: Coded = "too-large") -> str:
    """A text without the blanks around it.

    Args:
        what: it is, as a sentence about it begins.

    Raises:
        PlainError: where it is longer than is kept.
    """
    text = text.strip()
    if len(text) > most:
        raise PlainError(f"{what} has at most {thousands(most)} characters; this one has {thousands(len(text))}.", code)
    return text
