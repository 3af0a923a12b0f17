"""An upload → its cells, read in a child process; no file can take the server down."""

from __future__ import annotations

import json
import uuid

import polars as pl

from vexo.core.sheets import SheetProfile, read_sheet

from .. import stages
from ..data_folder import absolute
from .models import Upload

_VERSION = 1


def _place(upload: Upload) -> str:
    return f"stages/reading/{upload.pk}-{upload.began_at:%Y%m%d%H%M%S%f}-{_VERSION}"


def read_upload(upload: Upload) -> tuple[pl.DataFrame, SheetProfile]:
    """The cells and what was found. A file is read once: whoever asks again is given what was read before.

    Raises:
        SheetError
    """
    place = _place(upload)
    cells, told = absolute(f"{place}.parquet"), absolute(f"{place}.json")
    try:
        return stages.read(f"{place}.parquet"), SheetProfile.from_json(json.loads(told.read_text(encoding="utf-8")))
    except (OSError, ValueError, KeyError, TypeError, stages.StageLost):
        cells.parent.mkdir(parents=True, exist_ok=True)
    aside = cells.with_name(f".{uuid.uuid4().hex}.parquet")
    try:
        profile = read_sheet(absolute(upload.path), aside, upload.name)
        words = aside.with_suffix(".json")
        words.write_text(json.dumps(profile.to_json()), encoding="utf-8")
        stages.settle(aside, cells)
        stages.settle(words, told)
    finally:
        aside.unlink(missing_ok=True)
    return stages.read(f"{place}.parquet"), profile


def forget(upload: Upload) -> None:
    """The upload has come in: its cells stand in the trip now."""
    for ending in ("parquet", "json"):
        absolute(f"{_place(upload)}.{ending}").unlink(missing_ok=True)
