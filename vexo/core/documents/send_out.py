"""What goes out, as data."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import asdict, dataclass, replace
from typing import Any

from ..conditions import read_condition
from ..conditions.parser import ConditionError
from ..conditions.to_sentence import to_sentence
from ..records import Catalogue, RecordType, UnknownName
from ..wording import thousands
from .base import VERSION, DocumentError, Lost, texts

FORMATS = ("xlsx", "ods", "csv", "tsv")
MOST_KEYS = 100_000
"""Keys of a list that is picked by: a thousand requests."""


@dataclass(frozen=True)
class Picked:
    """Records by hand: the fields of a key, and the key of each record as texts, in the order wanted."""

    key: tuple[str, ...]
    values: tuple[tuple[str, ...], ...]


@dataclass(frozen=True)
class Share:
    """How a trip is shared out: one sheet for each value of a field, or for each named group of values.

    A value that no group names is a sheet of its own.
    """

    field: str
    groups: tuple[tuple[str, tuple[str, ...]], ...] = ()


@dataclass(frozen=True)
class SendOut:
    """What goes out.

    ``order`` are fields, with a minus in front where the highest come first; ``headers_only`` is a sheet to be filled
    by hand, ``help`` a second worksheet that explains its columns with an example.
    """

    record_type: str
    fields: tuple[str, ...] = ()
    condition: str = ""
    order: tuple[str, ...] = ()
    picked: Picked | None = None
    share: Share | None = None
    format: str = "xlsx"
    headers_only: bool = False
    help: bool = False

    def to_json(self) -> dict[str, Any]:
        return {"version": VERSION, **asdict(self)}

    @classmethod
    def from_json(cls, data: Mapping[str, Any]) -> SendOut:
        """Raises DocumentError."""
        try:
            if data.get("version", VERSION) != VERSION:
                raise DocumentError(f"Version {data['version']!r} of this document is not known here.")
            picked, share = data.get("picked"), data.get("share")
            return cls(
                record_type=str(data["record_type"]),
                fields=texts(data.get("fields", ())),
                condition=str(data.get("condition", "")),
                order=texts(data.get("order", ())),
                picked=Picked(texts(picked["key"]), tuple(texts(v) for v in picked["values"])) if picked else None,
                share=Share(str(share["field"]), tuple((str(n), texts(v)) for n, v in share.get("groups", ())))
                if share
                else None,
                format=str(data.get("format", "xlsx")),
                headers_only=bool(data.get("headers_only", False)),
                help=bool(data.get("help", False)),
            )
        except (KeyError, TypeError, ValueError, AttributeError) as error:
            raise DocumentError(f"This is not a document of what goes out: {error}.") from error


def default_fields(record_type: RecordType) -> list[str]:
    """Fields of a sheet when nobody chose: the identifier, the keys, then all that can be carried back; of fields that
    set one value the first."""
    names = list(dict.fromkeys([record_type.identifier, *record_type.natural_key]))
    for field in record_type.fields:
        if not field.read_only and field.name not in names and not set(record_type.instead_of(field.name)) & set(names):
            names.append(field.name)
    return names


def with_keys(fields: tuple[str, ...], record_type: RecordType) -> list[str]:
    """The chosen fields in their order, behind the identifier and the keys where those were not chosen."""
    first = [record_type.identifier, *record_type.natural_key]
    return [*[name for name in first if name not in fields], *fields]


def required_first(fields: list[str], record_type: RecordType, catalogue: Catalogue) -> list[str]:
    """Fields of a sheet to be filled by hand: no record ID, which a new record has none of, and nothing to be read
    only; required fields first."""
    known = [catalogue.field(record_type, name) for name in fields if name != record_type.identifier]
    wanted = [field for field in known if not field.read_only]
    for field in record_type.fields:
        if field.required and not field.read_only and field.name not in [f.name for f in wanted]:
            wanted.append(field)
    return [f.name for f in sorted(wanted, key=lambda f: not f.required)]


def check(document: SendOut, catalogue: Catalogue) -> SendOut:
    """The document made whole: fields as they go out, names as the catalogue has them.

    Raises:
        UnknownName, ConditionError, DocumentError
    """
    record_type = catalogue.type(document.record_type)
    chosen = tuple(dict.fromkeys(document.fields))
    fields = with_keys(chosen, record_type) if chosen else default_fields(record_type)
    for name in [*fields, *[name.removeprefix("-") for name in document.order]]:
        catalogue.field(record_type, name)
    if document.headers_only:
        fields = required_first(fields, record_type, catalogue)
    if document.format not in FORMATS:
        raise DocumentError(f"Unknown format {document.format!r}. Use {', '.join(FORMATS)}.")
    if document.share is not None:
        catalogue.field(record_type, document.share.field)
        named = [name for name, _ in document.share.groups]
        if len(set(named)) < len(named) or any(not name.strip() for name in named):
            raise DocumentError("Each group needs a name of its own.")
        values = Counter(value for _, of_group in document.share.groups for value in dict.fromkeys(of_group))
        twice = [value for value, count in values.items() if count > 1]
        if twice:
            raise DocumentError(f"{twice[0]!r} is in two groups. A record goes on one sheet: leave it in one.")
        if document.headers_only:
            raise DocumentError("A sheet with headers only has no records to share out.")
    read_condition(document.condition, record_type, catalogue)
    check_picked(document.picked, record_type)
    return replace(document, record_type=record_type.name, fields=tuple(fields))


def check_picked(picked: Picked | None, record_type: RecordType) -> None:
    """Raises UnknownName and DocumentError where records by hand are not named by whole keys of the type."""
    if picked is None:
        return
    key_fields = [record_type.field(name) for name in picked.key]
    if not key_fields or any(len(values) != len(key_fields) for values in picked.values):
        raise DocumentError("Each key needs a value for each of its fields.")
    if len(picked.values) > MOST_KEYS:
        raise DocumentError(f"At most {thousands(MOST_KEYS)} records can be picked by hand; use a condition for more.")


def fitted(document: SendOut, catalogue: Catalogue) -> tuple[SendOut, list[Lost]]:
    """As much of a document as still fits, and what does not. A condition with a lost field is left out whole, since
    what is left of it would mean something else.

    Raises:
        UnknownName: where the record type itself is gone.
    """
    record_type = catalogue.type(document.record_type)
    lost: list[Lost] = []

    def there(name: str, use: str) -> bool:
        try:
            catalogue.field(record_type, name.removeprefix("-"))
        except UnknownName:
            lost.append(Lost(name.removeprefix("-"), use))
            return False
        return True

    fields = tuple(name for name in document.fields if there(name, "column"))
    order = tuple(name for name in document.order if there(name, "order"))
    share = document.share if document.share is None or there(document.share.field, "share") else None
    picked = document.picked
    if picked is not None:
        known = [name for name in picked.key if there(name, "picked")]
        picked = picked if len(known) == len(picked.key) else None
    condition = document.condition
    try:
        read_condition(condition, record_type, catalogue)
    except ConditionError as error:
        lost.append(Lost(error.message, "condition"))
        condition = ""
    return replace(document, fields=fields, order=order, picked=picked, share=share, condition=condition), lost


def sentence(document: SendOut, catalogue: Catalogue) -> str:
    """What goes out, as one sentence. The document fits the catalogue."""
    record_type = catalogue.type(document.record_type)

    def label(name: str) -> str:
        field_label = catalogue.field(record_type, name.removeprefix("-")).label
        return f"{field_label}, highest first" if name.startswith("-") else field_label

    if document.headers_only:
        words = f"An empty sheet for {record_type.plural}"
    elif document.picked is not None:
        words = f"{thousands(len(document.picked.values))} {record_type.plural} picked by hand"
    else:
        words = f"Every {record_type.label}"
        condition = read_condition(document.condition, record_type, catalogue)
        if condition is not None:
            words += f" where {to_sentence(condition, record_type, catalogue)}"
    if document.order:
        words += f", in order of {', '.join(label(name) for name in document.order)}"
    if document.share is not None:
        groups = f" {len(document.share.groups)} groups of" if document.share.groups else ""
        words += f", one sheet for each{groups} {label(document.share.field)}"
    count = len(document.fields) or len(default_fields(record_type))
    return f"{words}: {count} {'field' if count == 1 else 'fields'}, as {document.format.upper()}."
