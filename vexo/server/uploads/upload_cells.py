"""An upload → its cells, read in a child process; no file can take the server down."""

from __future__ import annotations

import hashlib
import json
import uuid
from datetime import timedelta
from pathlib import Path
from typing import Any

import polars as pl
from django.utils import timezone

from vexo.core.sheets import Choices, SheetProfile, read_sheet
from vexo.core.sheets.file_parts import FilePart, join_parts
from vexo.core.sheets.readers.cell_values import aside_of, write_shaped
from vexo.core.sheets.shape import Shaped, reshape
from vexo.core.sheets.sheet import ROW, ROW_ID

from .. import artifacts
from ..data_folder import absolute, replacing
from .models import Upload

_VERSION = 3
"""Raised whenever reading changes: cells that an older reading left are read anew."""
_SHOWN_FOR = timedelta(hours=1)


def place_of(upload: Upload, choices: Choices) -> str:
    """Where the cells of an upload are once they are read by these choices, with those of its parts."""
    return _place(upload, choices, [[part.pk, part.choices] for part in upload.parts.order_by("id")])


def _place(upload: Upload, choices: Choices, parts: list[Any]) -> str:
    read_choices = Choices(choices.worksheet, choices.header, choices.encoding, choices.delimiter)
    made_of = hashlib.sha256(json.dumps([_VERSION, read_choices.to_json(), *parts]).encode()).hexdigest()[:16]
    return f"stages/reading/{upload.pk}-{upload.began_at:%Y%m%d%H%M%S%f}-{made_of}.parquet"


def _kept(place: str) -> Shaped | None:
    """What was read before, if it is still there, whole."""
    path = absolute(place)
    try:
        data = json.loads(path.with_suffix(".json").read_text(encoding="utf-8"))
        return Shaped(_cells(place), pl.read_parquet(aside_of(path)), SheetProfile.from_json(data))
    except (OSError, ValueError, KeyError, TypeError, pl.exceptions.PolarsError, artifacts.ArtifactLost):
        return None


def _cells(place: str) -> pl.DataFrame:
    """Cells that were read, without the numbers that their rows may get."""
    return artifacts.read(place).drop(ROW_ID)


def _settle(part: Path, profile: SheetProfile, target: Path) -> None:
    """Name what was written aside; the profile last, since a reading without one does not count."""
    part.with_suffix(".json").write_text(json.dumps(profile.to_json()), encoding="utf-8")
    for ending in (".parquet", ".aside", ".json"):
        with replacing(target.with_suffix(ending)) as aside:
            part.with_suffix(ending).rename(aside)


def read_upload(upload: Upload) -> tuple[pl.DataFrame, SheetProfile]:
    """The cells and what was found, as a person wants it read; of a list in parts, those of all its files. A file is
    read once: whoever asks again is given what was read before, and another header is found without the file.

    Raises:
        SheetError
    """
    parts = list(upload.parts.order_by("id"))
    if not parts:
        return _read_one(upload)
    place = place_of(upload, upload.read_options)
    before = _kept(place)
    if before is not None:
        return before.cells, before.profile
    read = [FilePart(one.name, *_read_one(one)) for one in (upload, *parts)]
    cells, profile = join_parts(read)
    target = absolute(place)
    part = target.with_name(f".{uuid.uuid4().hex}.parquet")
    try:
        write_shaped(Shaped(cells, cells.head(0), profile), part)
        _settle(part, profile, target)
    finally:
        for ending in (".parquet", ".aside", ".json"):
            part.with_suffix(ending).unlink(missing_ok=True)
    return cells, profile


def _read_one(upload: Upload) -> tuple[pl.DataFrame, SheetProfile]:
    choices = upload.read_options
    place = _place(upload, choices, [])
    before = _kept(place)
    if before is not None:
        return before.cells, before.profile
    target = absolute(place)
    target.parent.mkdir(parents=True, exist_ok=True)
    part = target.with_name(f".{uuid.uuid4().hex}.parquet")
    read = _kept(_place(upload, choices.of_the_file, [])) if choices.header is not None else None
    try:
        if read is not None:
            shaped = reshape(read, choices)
            write_shaped(shaped, part)
            profile = shaped.profile
        else:
            profile = read_sheet(absolute(upload.path), part, upload.name, choices=choices)
        _settle(part, profile, target)
    finally:
        for ending in (".parquet", ".aside", ".json"):
            part.with_suffix(ending).unlink(missing_ok=True)
    return _cells(place), profile


def raw_of(upload: Upload) -> pl.DataFrame:
    """All rows of a file that hold anything, those above the header too, with its columns by place."""
    cells, profile = _read_one(upload)
    kept = _kept(_place(upload, upload.read_options, []))
    aside = kept.aside if kept is not None else cells.head(0)
    back = {f"c{at}": name for at, name in enumerate(profile.places)}
    raw = cells.rename(back).select(ROW, *profile.places)
    return pl.concat([aside.cast({ROW: raw[ROW].dtype}), raw], how="diagonal").select(ROW, *profile.places)


def forget(upload: Upload) -> None:
    """Drop what was read of a file."""
    for path in absolute("stages/reading").glob(f"{upload.pk}-*"):
        path.unlink(missing_ok=True)


def forget_old() -> None:
    """Drop what was read of files that came in a while ago: their cells stand in their trips, and no page that shows
    them here is open any more."""
    before = timezone.now() - _SHOWN_FOR
    for upload in Upload.objects.filter(trip__isnull=False, cached=True, began_at__lt=before):
        forget(upload)
        Upload.objects.filter(pk=upload.pk).update(cached=False)
