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


def sheet_window(cells: str, names: list[str], rows: int, offset: int, limit: int) -> dict[str, Any]:
    """A window of a sheet as it came, without verdicts. A sheet of no trip yet has row numbers only."""
    table = stages.scan(cells).slice(offset, min(limit, MOST)).collect()
    columns = [table[name].to_list() for name in names]
    numbers = table[ROW].to_list()
    ids = table[ROW_ID].to_list() if ROW_ID in table.columns else numbers
    lines = [
        {"row": row, "row_id": row_id, "cells": [{"text": text} for text in texts]}
        for row, row_id, *texts in zip(numbers, ids, *columns, strict=True)
    ]
    return {"total": rows, "offset": offset, "rows": lines}
