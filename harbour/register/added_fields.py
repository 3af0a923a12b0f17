"""Fields and choices that are added while the register runs. Both of its sets share what they are.

An added field is a column of its own in both databases and a field of the model; it is told of in ``$metadata`` like any
other. Definitions are kept as rows, and taken up again when the register starts.
"""

from __future__ import annotations

import re
import threading
from collections.abc import Mapping
from typing import Any

from django.conf import settings
from django.db import DatabaseError, connections, models, transaction

from .fields import ScaledDecimalField
from .models import TYPES, AddedChoice, AddedField, Record
from .rules import Refusal

KINDS = {
    "text": lambda label, _: models.TextField(label, blank=True),
    "number": lambda label, _: ScaledDecimalField(label, precision=18, scale=4, null=True),
    "date": lambda label, _: models.DateField(label, null=True),
    "yes or no": lambda label, _: models.BooleanField(label, null=True),
    "choice": lambda label, choices: models.CharField(label, max_length=60, choices=choices, null=True),
}
_NAME = re.compile(r"[a-z][a-z0-9_]{1,39}$")
_lock = threading.Lock()
_state = {"loaded": False}


def _model(name: str) -> type[Record]:
    known_model = next((model for model in TYPES if model.__name__ == name), None)
    if known_model is None:
        raise Refusal(f"There is no record type {name!r}.", "no-such-type", "record_type")
    return known_model


def _take_up(added: AddedField) -> None:
    model = _model(added.record_type)
    field: Any = KINDS[added.kind](added.label, [tuple(pair) for pair in added.choices])
    model.add_to_class(added.name, field)
    model.added = {**model.added, added.name: added.required}


def load() -> None:
    """Take up what was added before; once, at the first question."""
    if _state["loaded"]:
        return
    with _lock:
        if _state["loaded"]:
            return
        try:
            for added in AddedField.objects.order_by("id"):
                _take_up(added)
            for choice in AddedChoice.objects.order_by("id"):
                _choose(choice)
        except DatabaseError:
            return
        _state["loaded"] = True


def _choose(choice: AddedChoice) -> None:
    field: Any = _model(choice.record_type)._meta.get_field(choice.field)
    field.choices = [*(field.choices or ()), (choice.value, choice.label)]


def _forget() -> None:
    from .odata import metadata, properties

    properties.forget()
    metadata.document.cache_clear()


def add_field(body: Mapping[str, Any]) -> dict[str, Any]:
    """A new field of a record type. ``existing`` is the value that records have which are there; a required one needs
    it. Raises Refusal."""
    from .odata.properties import from_json, properties

    load()
    model = _model(str(body.get("record_type", "")))
    name, label, kind = (str(body.get(key, "")).strip() for key in ("name", "label", "kind"))
    choices = [[str(one), str(one)] for one in body.get("choices") or ()]
    required = bool(body.get("required", False))
    if not _NAME.match(name):
        raise Refusal("A field's name is small letters, figures and low lines.", "bad-name", "name")
    if name in properties(model):
        raise Refusal(f"{model.__name__} has a field {name!r} already.", "taken", "name")
    if not label or kind not in KINDS:
        raise Refusal(f"A field needs a label and a kind: {', '.join(KINDS)}.", "bad-kind", "kind")
    if (kind == "choice") != bool(choices):
        raise Refusal("A choice needs its choices, and no other field has any.", "bad-choices", "choices")
    existing = body.get("existing")
    if required and existing in (None, ""):
        raise Refusal("A required field needs a value for the records that are there.", "no-existing", "existing")
    with _lock:
        added = AddedField(
            record_type=model.__name__, name=name, label=label, kind=kind, required=required, choices=choices
        )
        field: Any = KINDS[kind](label, [tuple(pair) for pair in choices])
        field.set_attributes_from_name(name)
        _columns(model, field)
        _take_up(added)
        _forget()
        if existing not in (None, ""):
            value = from_json(properties(model)[name], existing)
            for alias in settings.ALIAS.values():
                model._default_manager.using(alias).update(**{name: value})
        added.save()
    return {"record_type": model.__name__, "name": name, "label": label, "kind": kind, "required": required}


def _columns(model: type[Record], field: Any) -> None:
    for alias in settings.ALIAS.values():
        connection = connections[alias]
        quote = connection.ops.quote_name
        empty = " NOT NULL DEFAULT ''" if not field.null else ""
        with transaction.atomic(using=alias), connection.cursor() as cursor:
            kind = field.db_type(connection)
            cursor.execute(f"ALTER TABLE {quote(model._meta.db_table)} ADD COLUMN {quote(field.column)} {kind}{empty}")


def add_choice(body: Mapping[str, Any]) -> dict[str, Any]:
    """A new choice of a field that has choices. Raises Refusal."""
    from .odata.properties import properties

    load()
    model = _model(str(body.get("record_type", "")))
    name, value = str(body.get("field", "")), str(body.get("value", "")).strip()
    prop = properties(model).get(name)
    if prop is None or not prop.choices or prop.many:
        raise Refusal(f"{name!r} is not a field to which a choice can be added.", "no-choice", "field")
    if not value or len(value) > (prop.max_length or 60) or "|" in value:
        raise Refusal(f"{value!r} cannot be a choice of {prop.label}.", "bad-choice", "value")
    if value in [code for code, _ in prop.choices]:
        raise Refusal(f"{prop.label} has the choice {value!r} already.", "taken", "value")
    with _lock:
        choice = AddedChoice.objects.create(record_type=model.__name__, field=name, value=value, label=value)
        _choose(choice)
        _forget()
    return {"record_type": model.__name__, "field": name, "value": value}
