"""The texts that fields hold in the application, which alone tell some damaged cells from meant ones."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Mapping
from typing import Any

import polars as pl

from vexo.applications import Client
from vexo.core.columns.matches import ColumnMatch
from vexo.core.records import Kind
from vexo.core.sheets.damage.search import only_known_tell

from .. import artifacts
from .basis import Basis

_MOST = 200_000
"""Records of a type up to which all their texts of a field are read: a minute's answer of a service that gives a
thousand records at a time. Of more it is said that they were not looked at."""
_TEXTS, _NOT_READ = "known_texts", "patterns_not_read"


def of_patterns(basis: Basis) -> list[ColumnMatch]:
    """Columns of texts that are held against the patterns of all that their fields hold: those of which nothing went
    out are."""
    context, kept = basis.context, basis.kept
    return [
        match
        for match in context.matches
        if match.column
        and match.carried
        and match.field is not None
        and match.field.kind == Kind.TEXT
        # Record IDs are not searched for damage.
        and match.field.name != context.record_type.identifier
        and (kept is None or match.field.name not in kept.columns)
    ]


def read_known_texts(basis: Basis, total: int, client: Client) -> dict[str, Any]:
    """What a plan is told of them where not all records are read: where they are kept, for the fields in whose columns
    is anything that they would tell; else which fields those are.

    Args:
        total: how many records the type has.
    """
    cells = basis.context.cells
    fields = [one.field.name for one in of_patterns(basis) if one.field and only_known_tell(cells[one.column])]
    if not fields:
        return {}
    if total > _MOST:
        return {_NOT_READ: fields}
    pages = client.read(basis.context.record_type, fields)
    texts = pl.concat([page.select(fields).unique() for page in pages])
    path = artifacts.named(basis.context.trip.pk, "texts", uuid.uuid4().hex)
    return {_TEXTS: {"fields": fields, "path": artifacts.write(texts, path)}}


def fields_told(counts: Mapping[str, Any]) -> set[str]:
    """The fields of which a plan has the texts, or says that it has not."""
    return {*counts.get(_NOT_READ, []), *counts.get(_TEXTS, {}).get("fields", [])}


def text_paths(counts: Mapping[str, Any]) -> list[str]:
    """Where the texts are kept, if they are."""
    return [counts[_TEXTS]["path"]] if _TEXTS in counts else []


def all_texts(counts: Mapping[str, Any], whole: Callable[[str], pl.Series | None]) -> Callable[[str], pl.Series | None]:
    """Gives all that a field holds in the application, where that is known.

    Args:
        counts: what the plan was told.
        whole: gives the values of a field of all records, where all were read.
    """

    def of_field(name: str) -> pl.Series | None:
        if name in counts.get(_TEXTS, {}).get("fields", []):
            return artifacts.read(counts[_TEXTS]["path"], [name])[name]
        return whole(name)

    return of_field
