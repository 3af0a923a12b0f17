"""Model columns as OData properties: their types, and their values to and from JSON."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, date, datetime
from decimal import Decimal
from functools import cache
from typing import Any

from django.db import models

from .. import added_fields
from ..fields import ManyChoiceField, ScaledDecimalField
from ..models import Record
from ..rules import Refusal

KEPT_BY_THE_REGISTER = ("changed_by", "changed_at")


@dataclass(frozen=True)
class Property:
    """One structural property. ``path`` is its column for queries, ``target`` the type it refers to."""

    name: str
    label: str
    help: str
    edm: str
    column: str
    required: bool
    computed: bool
    max_length: int | None
    precision: int | None
    scale: int | None
    choices: tuple[tuple[str, str], ...]
    many: bool
    null: bool
    target: type[Record] | None
    default: bool

    @property
    def navigation(self) -> str:
        return f"to_{self.name}"


def _edm(field: models.Field[Any, Any]) -> str:
    kinds: list[tuple[type[models.Field[Any, Any]], str]] = [
        (ScaledDecimalField, "Edm.Decimal"),
        (models.BooleanField, "Edm.Boolean"),
        (models.DateTimeField, "Edm.DateTimeOffset"),
        (models.DateField, "Edm.Date"),
        (models.AutoField, "Edm.Int64"),
        (models.IntegerField, "Edm.Int64"),
    ]
    return next((edm for kind, edm in kinds if isinstance(field, kind)), "Edm.String")


def properties(model: type[Record]) -> dict[str, Property]:
    """The properties of a type by name, in the order of its columns, those that were added among them."""
    added_fields.load()
    return _properties(model)


def forget() -> None:
    """What a type has was changed."""
    _properties.cache_clear()


@cache
def _properties(model: type[Record]) -> dict[str, Property]:
    found: dict[str, Property] = {}
    fields: list[models.Field[Any, Any]] = [*model._meta.local_fields]
    fields.sort(key=lambda field: field.name in ("version", *KEPT_BY_THE_REGISTER))
    for field in fields:
        if field.name == "version":
            continue
        target = field.related_model if isinstance(field, models.ForeignKey) else None
        if target == "self":
            target = model
        plain = target._meta.pk if target is not None else field  # type: ignore[union-attr]
        computed = field.name in (*model.computed, *KEPT_BY_THE_REGISTER) or isinstance(field, models.AutoField)
        found[field.name] = Property(
            name=field.name,
            label=str(field.verbose_name),
            help=str(field.help_text),
            edm=_edm(plain),
            column=field.attname,
            required=model.added.get(
                field.name, not field.null and not field.blank and not field.has_default() and not computed
            ),
            computed=computed,
            max_length=getattr(plain, "max_length", None),
            precision=getattr(field, "precision", None),
            scale=getattr(field, "scale", None),
            choices=tuple((str(v), str(t)) for v, t in field.choices or ()),
            many=isinstance(field, ManyChoiceField),
            null=field.null,
            target=target,  # type: ignore[arg-type]
            default=field.has_default(),
        )
    return found


def _moment(value: datetime) -> str:
    return value.astimezone(UTC).isoformat().replace("+00:00", "Z")


def to_json(prop: Property) -> Callable[[Any], Any]:
    """How a column's value is written in JSON. Decimals stay numbers, exactly."""
    if prop.edm == "Edm.DateTimeOffset":
        return lambda value: None if value is None else _moment(value)
    if prop.edm == "Edm.Date":
        return lambda value: None if value is None else value.isoformat()
    if prop.edm == "Edm.String" and not prop.many and not prop.target:
        return lambda value: value or None
    return lambda value: value


def _refuse(prop: Property, said: str, code: str) -> Refusal:
    return Refusal(f"{prop.label} {said}.", code, prop.name, 400 if code == "wrong-type" else 422)


def _decimal(prop: Property, value: Any) -> Decimal:
    if isinstance(value, bool) or not isinstance(value, (int, Decimal)):
        raise _refuse(prop, "must be a number", "wrong-type")
    number = Decimal(value)
    scale, precision = prop.scale or 0, prop.precision or 18
    if number != round(number, scale):
        raise _refuse(prop, f"takes at most {scale} decimals", "too-many-decimals")
    if abs(number) >= Decimal(10) ** (precision - scale):
        raise _refuse(prop, "is too large", "too-large")
    return number


def _text(prop: Property, value: Any) -> str:
    if not isinstance(value, str):
        raise _refuse(prop, "must be text", "wrong-type")
    if prop.max_length is not None and len(value) > prop.max_length:
        raise _refuse(prop, f"is longer than {prop.max_length} characters", "too-long")
    return value


def _list(prop: Property, value: Any) -> list[str]:
    if not isinstance(value, list) or not all(isinstance(item, str) for item in value):
        raise _refuse(prop, "must be a list of texts", "wrong-type")
    allowed = [code for code, _ in prop.choices]
    for item in value:
        if item not in allowed:
            raise _refuse(prop, f"has no choice {item!r}", "no-such-choice")
    return [code for code in allowed if code in value]


def from_json(prop: Property, value: Any) -> Any:
    """A JSON value as the column keeps it.

    Raises:
        Refusal: where its type, length, decimals or choice are not those of the property.
    """
    if value is None or value == "":
        if prop.required:
            raise _refuse(prop, "must not be empty", "required")
        if prop.many:
            return []
        return "" if prop.edm == "Edm.String" and not prop.null else None
    if prop.many:
        return _list(prop, value)
    if prop.edm == "Edm.Decimal":
        return _decimal(prop, value)
    if prop.edm == "Edm.Int64":
        if isinstance(value, bool) or not isinstance(value, int):
            raise _refuse(prop, "must be a whole number", "wrong-type")
        return value
    if prop.edm == "Edm.Boolean":
        if not isinstance(value, bool):
            raise _refuse(prop, "must be true or false", "wrong-type")
        return value
    text = _text(prop, value)
    try:
        if prop.edm == "Edm.Date":
            return date.fromisoformat(text)
        if prop.edm == "Edm.DateTimeOffset":
            return datetime.fromisoformat(text).astimezone(UTC)
    except ValueError:
        raise _refuse(prop, "is not a date", "wrong-type") from None
    if prop.choices and text not in [code for code, _ in prop.choices]:
        raise _refuse(prop, f"has no choice {text!r}", "no-such-choice")
    return text
