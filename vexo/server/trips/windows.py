"""Windows of rows as they go over HTTP, and a sheet's rows as they came."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

import polars as pl
from rest_framework import serializers

from vexo.core.sheets.editing import lay_edits
from vexo.core.sheets.sheet import ROW, ROW_ID

from .. import stages

MOST = 500
_TEXTS = serializers.CharField


class CellSerializer(serializers.Serializer[Any]):
    text = _TEXTS(allow_null=True)
    do = _TEXTS(required=False)
    old = _TEXTS(allow_null=True, required=False)
    new = _TEXTS(allow_null=True, required=False)
    kept = _TEXTS(allow_null=True, required=False)
    edited = serializers.BooleanField(required=False)
    came = _TEXTS(allow_null=True, required=False)
    now = _TEXTS(allow_null=True, required=False)


class FaultSerializer(serializers.Serializer[Any]):
    code = _TEXTS()
    field_name = _TEXTS(allow_blank=True)  # type: ignore[assignment]
    says = _TEXTS()


class RowSerializer(serializers.Serializer[Any]):
    row = serializers.IntegerField()
    row_id = serializers.IntegerField()
    state = _TEXTS(required=False)
    verdict = _TEXTS(required=False)
    reason = _TEXTS(allow_null=True, required=False)
    field = _TEXTS(allow_null=True, required=False)
    code = _TEXTS(allow_null=True, required=False)
    faults = FaultSerializer(many=True, required=False)
    warnings = serializers.ListField(child=_TEXTS(), required=False)
    identifier = _TEXTS(allow_null=True, required=False)
    left_out = serializers.BooleanField(required=False)
    cells = CellSerializer(many=True)


class WindowSerializer(serializers.Serializer[Any]):
    total = serializers.IntegerField()
    offset = serializers.IntegerField()
    rows = RowSerializer(many=True)


def edited(text: str | None, came: str | None) -> dict[str, Any]:
    """A cell, and what it was in the file where that is something else."""
    return {"text": text} if text == came else {"text": text, "edited": True, "came": came}


def sheet_window(
    cells: str,
    names: list[str],
    rows: int,
    offset: int,
    limit: int,
    edits: pl.DataFrame | None = None,
    left_out: Collection[int] = (),
) -> dict[str, Any]:
    """A window of a sheet, without verdicts. A sheet of no trip yet has row numbers only.

    Args:
        edits: what lies over the cells, if anything does.
        left_out: numbers of rows that a person left out.
    """
    came = stages.scan(cells).slice(offset, min(limit, MOST)).collect()
    table = came if edits is None or edits.is_empty() else lay_edits(came, edits)
    numbers = table[ROW].to_list()
    ids = table[ROW_ID].to_list() if ROW_ID in table.columns else numbers
    made = [[edited(*pair) for pair in zip(table[name], came[name], strict=True)] for name in names]
    lines = [
        {"row": row, "row_id": row_id, "cells": texts, **({"left_out": True} if row_id in left_out else {})}
        for row, row_id, *texts in zip(numbers, ids, *made, strict=True)
    ]
    return {"total": rows, "offset": offset, "rows": lines}
