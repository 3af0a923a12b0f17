"""Record types, fields and keys: what an application says of its records."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass, replace
from enum import StrEnum
from typing import Any

from .errors import MendableError

IDENTIFIER = "@id"
VERSION = "@version"


class Kind(StrEnum):
    """What a field holds."""

    TEXT = "text"
    WHOLE = "whole number"
    DECIMAL = "decimal"
    YES_NO = "yes or no"
    DATE = "date"
    MOMENT = "moment"
    CHOICE = "choice"
    CHOICES = "choices"
    REFERENCE = "reference"


class Ignored(StrEnum):
    """What makes no difference between two keys, where a person says so."""

    CAPITALS = "capitals"
    ACCENTS = "accents"


EXACT: frozenset[Ignored] = frozenset()
"""Keys compare exactly but for spaces at their ends."""


class UnknownName(MendableError):
    """A record type or field that the application does not have."""

    code = "name"


@dataclass(frozen=True)
class Choice:
    """One allowed value and its label for people."""

    value: str
    label: str


FREE_DECIMALS = 18
"""Decimals that are kept of numbers of which the application does not say how many they have: a number of 64 binary
digits has no more from 0.1 on, and 19 digits are left before the point."""


@dataclass(frozen=True)
class Field:
    """One field of a record type.

    ``target`` is the record type a reference points to; ``quoted`` tells whether its values are written as text in
    conditions; ``path`` is the way to a field of a referenced record, over any number of references, from which it can
    only be read, and ``way`` the same in the application's own names. ``tree`` tells that a reference makes its type a
    tree; ``only_for`` are the field and value that a record has where this field belongs to one kind of record only;
    ``create_only`` is set when a record is made and never changed. ``also`` are other names that people have for it.
    ``long_form`` tells that a value of figures only is short for these letters with the figures, padded with zeros to
    so many. ``warning`` is what a person should know who changes it: what depends on it outside.
    """

    name: str
    label: str
    kind: Kind
    help: str = ""
    required: bool = False
    read_only: bool = False
    has_default: bool = False
    max_length: int | None = None
    precision: int | None = None
    scale: int | None = None
    choices: tuple[Choice, ...] = ()
    target: str | None = None
    navigation: str | None = None
    quoted: bool = True
    path: tuple[str, ...] | None = None
    way: tuple[str, ...] = ()
    tree: bool = False
    only_for: tuple[str, str] | None = None
    create_only: bool = False
    also: tuple[str, ...] = ()
    long_form: tuple[str, int] | None = None
    warning: str = ""

    @property
    def is_number(self) -> bool:
        return self.kind in (Kind.WHOLE, Kind.DECIMAL)

    @property
    def decimals(self) -> int:
        """How many decimals its numbers have at most; ``FREE_DECIMALS`` where the application names no number."""
        if self.kind == Kind.WHOLE:
            return 0
        return self.scale if self.scale is not None else FREE_DECIMALS

    @property
    def signature(self) -> str:
        """All by which its values are read, compared and written, as one text; a label may change without it."""
        choices = ",".join(choice.value for choice in self.choices)
        parts = (self.kind, self.scale, self.precision, self.max_length, self.target, self.required, self.read_only)
        rules = (*parts, self.create_only, self.long_form)
        return f"{'|'.join(map(str, rules))}|{choices}"


@dataclass(frozen=True)
class NewField:
    """A field that is to be added to a record type. ``kind`` is text, number, date, yes or no, or choice; ``existing``
    the value that the records which are there get, needed where it is required."""

    name: str
    label: str
    kind: str = "text"
    required: bool = False
    choices: tuple[str, ...] = ()
    existing: str = ""


@dataclass(frozen=True)
class RecordType:
    """One type of record. ``keys`` are the field groups that are unique together, ``identifier`` its record ID;
    ``alternatives`` are fields that set one value, of which a record has at most one; ``versioned`` types promise a
    version of each record, on which its writes can depend; ``warning`` as of a field; ``unread`` are the properties
    that are no fields here, since nothing is known of what they hold, each with its type."""

    name: str
    label: str
    plural: str
    source: str
    identifier: str
    fields: tuple[Field, ...]
    keys: tuple[tuple[str, ...], ...] = ()
    alternatives: tuple[tuple[str, ...], ...] = ()
    versioned: bool = False
    warning: str = ""
    unread: tuple[str, ...] = ()

    def instead_of(self, name: str) -> tuple[str, ...]:
        """The other fields that set the same value as this one."""
        return tuple(other for group in self.alternatives if name in group for other in group if other != name)

    def find(self, name: str) -> Field | None:
        return next((field for field in self.fields if field.name == name), None)

    def field(self, name: str) -> Field:
        """The field with this name. Raises UnknownName, naming the nearest."""
        known = self.find(name)
        if known is None:
            names = [field.name for field in self.fields]
            raise UnknownName(f"{self.plural} have no field {name!r}.{_nearest(name, names)}")
        return known

    @property
    def key_fields(self) -> frozenset[str]:
        """The fields of all its keys."""
        return frozenset(name for key in self.keys for name in key)

    @property
    def natural_key(self) -> tuple[str, ...]:
        """The key by which people know its records: the first; empty where it has none."""
        return self.keys[0] if self.keys else ()

    @property
    def shown_by(self) -> str:
        """The field by which people know a record in another record's field."""
        for key in self.keys:
            if len(key) == 1 and self.field(key[0]).required:
                return key[0]
        return self.identifier


@dataclass(frozen=True)
class Promises:
    """What an application can do: how many writes one batch takes, and how many all or nothing; whether a request sent
    twice with the same number is done once; whether it adds up its own records; where new fields and new choices can be
    added, empty where they cannot; and whether a condition may name several values in a list."""

    atomic_batch: int = 0
    batch: int = 1
    repeatable: bool = False
    sums: bool = False
    fields_at: str = ""
    choices_at: str = ""
    lists: bool = True


@dataclass(frozen=True)
class Catalogue:
    """All that an application says of itself. ``version`` changes when any of it does; ``unread`` are the lists of
    records that are no type here, since no one property tells their records apart."""

    label: str
    types: tuple[RecordType, ...]
    promises: Promises
    version: str = ""
    unread: tuple[str, ...] = ()

    def type(self, name: str) -> RecordType:
        """The record type with this name, in any capitals. Raises UnknownName, naming the nearest."""
        for record_type in self.types:
            if name.lower() in (record_type.name.lower(), record_type.plural.lower()):
                return record_type
        names = [record_type.name for record_type in self.types]
        raise UnknownName(f"{self.label} has no record type {name!r}.{_nearest(name, names)}")

    def field(self, record_type: RecordType, name: str) -> Field:
        """A field of the type, or of a record it refers to as ``holder/last_name``, over any number of references; such
        a field is for reading only. Raises UnknownName."""
        reference, slash, rest = name.partition("/")
        outer = record_type.field(reference)
        if not slash:
            return outer
        if outer.target is None:
            raise UnknownName(f"{outer.label} refers to no other record type, so {name!r} leads nowhere.")
        inner = self.field(self.type(outer.target), rest)
        return replace(
            inner,
            name=name,
            label=f"{outer.label} › {inner.label}",
            help="",
            required=False,
            read_only=True,
            has_default=False,
            navigation=None,
            path=(reference, *(inner.path or (rest,))),
            way=(outer.navigation or reference, *(inner.way or (rest,))),
            tree=False,
            only_for=None,
        )

    def shown_field(self, field: Field) -> Field | None:
        """For a reference: the field of the other record by which people know it, or None if that is its ID."""
        if field.target is None:
            return None
        target = self.type(field.target)
        if target.shown_by == target.identifier:
            return None
        return self.field(_owner(self, field), f"{field.name}/{target.shown_by}")

    def to_json(self) -> dict[str, Any]:
        return asdict(self)

    @classmethod
    def from_json(cls, data: Mapping[str, Any]) -> Catalogue:
        promises = dict(data["promises"])
        # Until 0.1.0 it was a promise of the application.
        versioned = promises.pop("conditional_writes", False)
        types = tuple(
            RecordType(
                **{
                    "versioned": versioned,
                    **entry,
                    "fields": tuple(_field_from_json(field) for field in entry["fields"]),
                    "keys": tuple(tuple(key) for key in entry["keys"]),
                    "alternatives": tuple(tuple(group) for group in entry["alternatives"]),
                    "unread": tuple(entry.get("unread", ())),
                }
            )
            for entry in data["types"]
        )
        return cls(data["label"], types, Promises(**promises), data["version"], tuple(data.get("unread", ())))


def _owner(catalogue: Catalogue, field: Field) -> RecordType:
    return next(record_type for record_type in catalogue.types if field in record_type.fields)


def _field_from_json(data: Mapping[str, Any]) -> Field:
    choices = tuple(Choice(**choice) for choice in data["choices"])
    tuples = {
        "path": tuple(data["path"]) if data["path"] else None,
        "way": tuple(data["way"]),
        "only_for": tuple(data["only_for"]) if data["only_for"] else None,
        "also": tuple(data["also"]),
        "long_form": tuple(data["long_form"]) if data["long_form"] else None,
    }
    return Field(**{**data, **tuples, "kind": Kind(data["kind"]), "choices": choices})


def _nearest(name: str, names: list[str]) -> str:
    from rapidfuzz import process

    best = process.extractOne(name, names, score_cutoff=60)
    return f" Did you mean {best[0]!r}?" if best else f" It has: {', '.join(names[:12])}."
