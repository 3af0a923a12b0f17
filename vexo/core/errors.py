"""The base of all errors that a person can mend."""

from __future__ import annotations


class MendableError(Exception):
    """Something that a person can mend. The message is a sentence for them: what is wrong, where, and what to do.

    ``code`` tells the edge (a screen, a command) which way of its own to add: a button, an option.
    """

    code: str = ""
