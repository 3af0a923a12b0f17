"""Changing what an application's records are, where it lets people do so: new fields, and new choices of a field."""

from __future__ import annotations

import re
import unicodedata
from decimal import Decimal, InvalidOperation

from vexo.applications import ApplicationError
from vexo.core.records import Catalogue, Kind, NewField

from ..errors import PlainError
from ..journal.services import note
from ..lengths import at_most
from ..people.models import Person
from ..people.rights import Action, require
from .models import Application
from .services import asking, describe

LONGEST_LABEL, LONGEST_CHOICE, LONGEST_EXISTING = 80, 60, 500
"""Characters of a new field's label, of a choice, and of what the records get that are there."""
KINDS = ("text", "number", "date", "yes or no", "choice")


def name_from(label: str) -> str:
    """A field's name made of its label: small letters, figures and low lines."""
    plain = unicodedata.normalize("NFKD", label).encode("ascii", "ignore").decode().lower()
    name = re.sub(r"[^a-z0-9]+", "_", plain).strip("_")
    return name if name[:1].isalpha() else f"field_{name}".strip("_")


def add_field(person: Person, application: Application, record_type: str, field: NewField) -> Catalogue:
    """Add a field to a record type; the application is described anew.

    Raises:
        NotAllowed, PlainError, UnknownName
        ApplicationError: where it cannot, or refuses.
    """
    require(person, Action.CONNECT)
    if field.kind not in KINDS:
        raise PlainError(f"Unknown kind of field {field.kind!r}. Use {', '.join(KINDS)}.")
    if not field.label.strip():
        raise PlainError("A field needs a label.")
    at_most(LONGEST_LABEL, field.label, "A field's label", "name")
    at_most(LONGEST_EXISTING, field.existing, "What the records get that are there", "value")
    for choice in field.choices:
        at_most(LONGEST_CHOICE, choice, "A choice", "value")
    if field.required and not field.existing.strip():
        raise PlainError("Say which value the records get that are there: a required field cannot be empty in them.")
    if field.kind == "number" and field.existing:
        try:
            Decimal(field.existing)
        except InvalidOperation as error:
            raise PlainError(f"{field.existing!r} is not a number for the records that are there.") from error
    if field.kind == "choice" and not field.choices:
        raise PlainError("Say the choices of the field.")
    if field.kind != "choice" and field.choices:
        raise PlainError(f"A field of kind {field.kind} has no choices. Leave them out, or make its kind choice.")
    with asking(application) as client:
        known = client.describe().type(record_type)
        client.add_field(known, field)
        fresh = describe(application, client)
    needed = ", required" if field.required else ""
    needed += f": {field.existing} in the records that were there" if field.existing.strip() else ""
    words = f"Added the field {field.label} ({field.kind}{needed}) to {known.plural}"
    note(person.username, "added", words[:300], application)
    return fresh


def add_choice(person: Person, application: Application, record_type: str, name: str, value: str) -> Catalogue:
    """Add a choice to a field's list; the application is described anew. Raises as ``add_field`` does."""
    require(person, Action.CONNECT)
    value = at_most(LONGEST_CHOICE, value, "A choice", "value")
    with asking(application) as client:
        known = client.describe().type(record_type)
        field = known.field(name)
        if field.kind not in (Kind.CHOICE, Kind.CHOICES):
            raise ApplicationError(f"{field.label} has no list of choices.")
        client.add_choice(known, name, value)
        fresh = describe(application, client)
    note(person.username, "added", f"Added the choice {value} to {field.label} of {known.plural}", application)
    return fresh
