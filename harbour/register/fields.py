"""Columns that SQLite has no exact type for."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from django.db import models


class ScaledDecimalField(models.BigIntegerField):
    """An exact decimal, stored as an integer of its smallest unit.

    Django's own decimal column passes through a float on SQLite, which loses digits beyond the fifteenth.
    """

    def __init__(self, *args: Any, precision: int = 18, scale: int = 2, **kwargs: Any) -> None:
        self.precision, self.scale = precision, scale
        super().__init__(*args, **kwargs)

    def deconstruct(self) -> Any:
        name, path, args, kwargs = super().deconstruct()
        return name, path, args, {**kwargs, "precision": self.precision, "scale": self.scale}

    def from_db_value(self, value: int | None, *_: object) -> Decimal | None:
        return None if value is None else Decimal(value).scaleb(-self.scale)

    def to_python(self, value: Any) -> Decimal | None:
        return None if value is None else Decimal(value)

    def get_prep_value(self, value: Any) -> Any:
        if value is None or hasattr(value, "resolve_expression"):
            return value
        scaled = Decimal(value).scaleb(self.scale)
        return int(scaled) if scaled == scaled.to_integral_value() else float(scaled)

    @property
    def validators(self) -> list[Any]:  # type: ignore[override]
        return []


class ManyChoiceField(models.TextField):
    """Several of the choices, kept as ``|water|power|`` so that one of them can be searched for."""

    def from_db_value(self, value: str | None, *_: object) -> list[str]:
        return [item for item in (value or "").split("|") if item]

    def to_python(self, value: Any) -> Any:
        return value

    def get_prep_value(self, value: Any) -> Any:
        if isinstance(value, (list, tuple)):
            return "|" + "|".join(value) + "|" if value else ""
        return value
