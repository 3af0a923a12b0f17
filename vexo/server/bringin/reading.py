"""An upload → its cells, read in a child process; no file can take the server down."""

from __future__ import annotations

import uuid

import polars as pl

from vexo.core.sheets import SheetProfile, read_sheet

from .. import stages
from ..data_folder import absolute
from .models import Upload


def read_upload(upload: Upload) -> tuple[pl.DataFrame, SheetProfile]:
    """The cells and what was found. Raises SheetError."""
    relative = f"stages/reading/{uuid.uuid4().hex}.parquet"
    target = absolute(relative)
    target.parent.mkdir(parents=True, exist_ok=True)
    try:
        profile = read_sheet(absolute(upload.path), target, upload.name)
        return stages.read(relative), profile
    finally:
        target.unlink(missing_ok=True)
