"""The demo's people, one a role."""

from __future__ import annotations

from .models import Person, Role

PASSWORD = "saltmarsh"  # noqa: S105 - shown on the demo's sign-in page
PEOPLE = [
    ("ada", "Ada Quillfeather", Role.ADMINISTRATOR),
    ("bram", "Bram Tidewell", Role.OPERATOR),
    ("ines", "Ines Gullane-Marsh", Role.PREPARER),
]


def load_people() -> None:
    """Those that are not there yet."""
    for username, name, role in PEOPLE:
        if not Person.objects.filter(username=username).exists():
            first, _, last = name.partition(" ")
            Person.objects.create_user(
                username, password=PASSWORD, name=name, role=role, first_name=first, last_name=last
            )
