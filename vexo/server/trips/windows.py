"""Windows of rows as they go over HTTP, and a sheet's rows as they came."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers

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
    cells = CellSerializer(many=True)


class WindowSerializer(serializers.Serializer[Any]):
    total = serializers.IntegerField()
    offset = serializers.IntegerField()
    rows = RowSerializer(many=True)


def edited(text: str | None, came: str | None) -> dict[str, Any]:
    """A cell, and what it was in the file where that is something else."""
    return {"text": text} if text == came else {"text": text, "edited": True, "came": came}


def sheet_window(cells: str, names: list[str], rows: int, offset: int, limit: int, came: str = "") -> dict[str, Any]:
    """A window of a sheet, without verdicts. A sheet of no trip yet has row numbers only.

    Args:
        came: where the cells are as they came, if edits lie over them.
    """
    table = stages.scan(cells).slice(offset, min(limit, MOST)).collect()
    columns = [table[name].to_list() for name in names]
    numbers = table[ROW].to_list()
    ids = table[ROW_ID].to_list() if ROW_ID in table.columns else numbers
    if came and came != cells:
        before = stages.scan(came).slice(offset, min(limit, MOST)).collect()
        made = [[edited(*pair) for pair in zip(table[n], before[n], strict=True)] for n in names]
    else:
        made = [[{"text": text} for text in column] for column in columns]
    lines = [
        {"row": row, "row_id": row_id, "cells": texts} for row, row_id, *texts in zip(numbers, ids, *made, strict=True)
    ]
    return {"total": rows, "offset": offset, "rows": lines}
