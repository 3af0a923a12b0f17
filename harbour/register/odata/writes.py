"""Creates, updates and deletes, each checked against the rules of its type before it is kept."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from copy import copy
from datetime import UTC, datetime
from typing import Any

from django.db import connections, models
from django.db.models import ProtectedError

from .. import effects, trouble
from ..models import BY_SET, Record
from ..rules import Refusal, check_delete, check_write
from .properties import KEPT_BY_THE_REGISTER, from_json, properties, to_json
from .queries import url_key


def model_of(entity_set: str) -> type[Record]:
    """The type behind an entity set's name. Raises Refusal 404."""
    model = BY_SET.get(entity_set)
    if not model:
        raise Refusal(f"There is no {entity_set!r} here.", "no-such-set", None, 404)
    return model


def read_key(model: type[Record], text: str) -> Any:
    """The key between the parentheses of an address. Raises Refusal 404."""
    quoted = text.startswith("'") and text.endswith("'") and len(text) > 1
    if isinstance(model._meta.pk, models.CharField):
        if quoted:
            return text[1:-1].replace("''", "'")
    elif text.isdigit():
        return int(text)
    raise Refusal(f"{model.__name__} has no record {text}.", "no-such-record", None, 404)


class Records:
    """The records that one request works on, read together where a batch names many."""

    def __init__(self, alias: str) -> None:
        self.alias = alias
        self._read: dict[tuple[type[Record], Any], Any] = {}

    def read(self, wanted: Iterable[tuple[type[Record], Any]]) -> None:
        """Read these records in as few queries as there are types, 500 at a time."""
        keys: dict[type[Record], list[Any]] = {}
        for model, key in wanted:
            keys.setdefault(model, []).append(key)
        for model, named in keys.items():
            for start in range(0, len(named), 500):
                rows = model._default_manager.using(self.alias).in_bulk(named[start : start + 500])
                self._read.update({(model, key): record for key, record in rows.items()})

    def find(self, model: type[Record], key: Any) -> Any:
        """The record with this key, unshared. Raises Refusal 404."""
        if (model, key) not in self._read:
            self.read([(model, key)])
        record = self._read.get((model, key))
        if record is None:
            raise Refusal(f"{model.__name__} {key} does not exist.", "no-such-record", None, 404)
        return copy(record)

    def keep(self, record: Any) -> None:
        """Remember a record as it is saved now."""
        self._read[(type(record), record.pk)] = record

    def forget(self) -> None:
        """What was read may have been undone."""
        self._read.clear()


def as_json(record: Any) -> dict[str, Any]:
    """One saved record as JSON."""
    model = type(record)
    out: dict[str, Any] = {"@odata.id": url_key(model, record.pk)}
    if trouble.carries_version(model, record.pk):
        out["@odata.etag"] = f'W/"{record.version}"'
    if trouble.behaviour("warnings"):
        out["@Core.Messages"] = [
            {"code": "looked-at", "message": "The office looks at this one.", "severity": "warning"}
        ]
    for prop in properties(model).values():
        out[prop.name] = to_json(prop)(getattr(record, prop.column))
    return out


def _check_version(record: Any, expected: str | None) -> None:
    if expected in (None, "*") or not trouble.carries_version(type(record), record.pk):
        return
    if expected not in (f'W/"{record.version}"', f'"{record.version}"'):
        raise Refusal("The record was changed since it was read.", "version-clash", None, 412)


def _assign(record: Any, body: Mapping[str, Any], alias: str, creating: bool) -> set[str]:
    known = properties(type(record))
    changed: set[str] = set()
    for name, value in body.items():
        if name.startswith("@"):
            continue
        prop = known.get(name)
        if not prop:
            raise Refusal(f"{type(record).__name__} has no property {name!r}.", "no-such-property", name, 400)
        if prop.computed:
            raise Refusal(f"{prop.label} is computed and cannot be written.", "computed", name)
        new = from_json(prop, value)
        if creating or getattr(record, prop.column) != new:
            changed.add(name)
            if not creating and name in type(record).immutable:
                raise Refusal(f"{prop.label} is set when the record is made and stays.", "immutable", name)
            target = prop.target if new is not None else None
            if target and not target._default_manager.using(alias).filter(pk=new).exists():
                raise Refusal(f"There is no {target.__name__} {new}.", "no-such-reference", name)
        setattr(record, prop.column, new)
    if creating:
        for prop in known.values():
            if prop.required and prop.name not in body:
                raise Refusal(f"{prop.label} must not be empty.", "required", prop.name)
    return changed


def _stamp(record: Any, who: str) -> None:
    record.changed_by, record.changed_at = who, datetime.now(UTC)


def _save_columns(record: Any, alias: str, names: Iterable[str]) -> None:
    """One plain UPDATE; the ORM's own takes five times as long, and batches are what the register is asked for."""
    connection, meta = connections[alias], type(record)._meta
    fields = [meta.get_field(name) for name in (*names, "version", *KEPT_BY_THE_REGISTER)]
    values = [field.get_db_prep_save(getattr(record, field.attname), connection) for field in fields]
    quote = connection.ops.quote_name
    columns = ", ".join(f"{quote(field.column)} = %s" for field in fields)
    where = f"{quote(meta.pk.column)} = %s"
    with connection.cursor() as cursor:
        cursor.execute(f"UPDATE {quote(meta.db_table)} SET {columns} WHERE {where}", [*values, record.pk])  # noqa: S608


def create(model: type[Record], alias: str, body: Mapping[str, Any], who: str) -> Any:
    """A new record, with defaults where the body says nothing."""
    record: Any = model()
    changed = _assign(record, body, alias, creating=True)
    check_write(record, alias, changed)
    _stamp(record, who)
    record.save(using=alias, force_insert=True)
    effects.note(alias, "create", record, who, body)
    return record


def update(record: Any, alias: str, body: Mapping[str, Any], match: str | None, who: str) -> None:
    """Set the body's properties; the version rises only where a value differs."""
    _check_version(record, match)
    changed = _assign(record, body, alias, creating=False)
    if changed:
        check_write(record, alias, changed)
        record.version += 1
        _stamp(record, who)
        _save_columns(record, alias, changed)
        effects.note(alias, "update", record, who, body)


def delete(record: Any, alias: str, match: str | None, who: str) -> None:
    """Take a record away, unless a rule or another record holds it."""
    _check_version(record, match)
    check_delete(record, alias)
    effects.note(alias, "delete", record, who, {})
    try:
        record.delete(using=alias)
    except ProtectedError as error:
        kinds = {str(type(other)._meta.verbose_name).lower() for other in error.protected_objects}
        raise Refusal(
            f"Other records point to it: {len(error.protected_objects)} ({', '.join(sorted(kinds))}).", "pointed-to"
        ) from error
