"""What is told of an application's catalogue, as typed data."""

from __future__ import annotations

from dataclasses import dataclass

from vexo.core import records
from vexo.core.conditions.clauses import comparisons


@dataclass(frozen=True, slots=True)
class Field:
    """A field. ``unique``: no two records have the same value; ``only_for``: the kind of record that has it, where not
    all do; ``instead_of``: the fields that set the same value; ``comparisons``: what can be asked of it; ``warning``:
    what whoever changes it should know."""

    unique: bool
    only_for: str
    instead_of: list[str]
    comparisons: list[str]
    name: str
    label: str
    kind: str
    help: str
    warning: str
    required: bool
    read_only: bool
    is_key: bool
    has_default: bool
    create_only: bool
    target: str | None
    choices: list[str]

    @classmethod
    def of(cls, field: records.Field, record_type: records.RecordType) -> Field:
        """A field of a record type."""
        keys = {name for key in record_type.keys[:1] for name in key}
        return cls(
            unique=field.name == record_type.identifier or (field.name,) in record_type.keys,
            only_for=field.only_for[1] if field.only_for else "",
            instead_of=list(record_type.instead_of(field.name)),
            comparisons=list(comparisons(field)),
            name=field.name,
            label=field.label,
            kind=field.kind.value,
            help=field.help,
            warning=field.warning,
            required=field.required,
            read_only=field.read_only,
            is_key=field.name in keys,
            has_default=field.has_default,
            create_only=field.create_only,
            target=field.target,
            choices=[choice.value for choice in field.choices],
        )


@dataclass(frozen=True, slots=True)
class RecordType:
    """A record type; ``warning``: what whoever changes its records should know; ``unread``: properties that are no
    fields here, each with its type."""

    name: str
    label: str
    plural: str
    identifier: str
    keys: list[list[str]]
    warning: str
    unread: list[str]
    all_fields: list[Field]

    @classmethod
    def of(cls, record_type: records.RecordType) -> RecordType:
        """A record type with all its fields."""
        return cls(
            name=record_type.name,
            label=record_type.label,
            plural=record_type.plural,
            identifier=record_type.identifier,
            keys=[list(key) for key in record_type.keys],
            warning=record_type.warning,
            unread=list(record_type.unread),
            all_fields=[Field.of(field, record_type) for field in record_type.fields],
        )
