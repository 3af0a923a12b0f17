"""The cells of a worksheet that is written as spreadsheets write it, cut apart in columns.

Every cell has to fit one pattern from its first character to the next cell's, or the whole sheet is left to the XML
parser (``xlsx_cells``): comments, CDATA, white space between tags, prefixes, reading aids and rich text fit none.

Source: ECMA-376 part 1, SpreadsheetML.
"""

from __future__ import annotations

import re
import zipfile

import polars as pl

from ...values import on_unique
from ..sheet import ROW
from .xlsx_cells import SCHEMA, UNCALCULATED, placed

_LARGEST = 512 * 1024 * 1024
"""Bytes of a sheet that is read whole; larger ones are read event by event."""
_OPENS, _CLOSES = "<sheetData>", "</sheetData>"
_ROWS = r"(?:</row>|<row(?: [^<>]*)?>)*"
_TEXT = r"[^<\x00-\x08\x0b-\x1f]*"
_CELL = (
    r'^r="([A-Z]{1,3}\d{1,7})"(?: s="(\d+)")?(?: t="([A-Za-z]+)")?'
    rf"(?:/>|>(?:<f(?: [^<>]*)?(?:/>|>({_TEXT})</f>))?"
    rf'(?:<v(?:/>|>({_TEXT})</v>)|<is><t(?: xml:space="preserve")?>({_TEXT})</t></is>)?</c>)'
    rf"({_ROWS})$"
)
_NAMES = ("place", "style", "kind", "formula", "value", "inline", "rows")
_LONGEST = 1024 * 1024
"""Bytes of a row that is plain: a longer one is something else."""
_REFERENCE = re.compile(r"&(?:(amp|lt|gt|quot|apos)|#(\d{1,7})|#x([0-9A-Fa-f]{1,6}));|&")
_MEANS = {"amp": "&", "lt": "<", "gt": ">", "quot": '"', "apos": "'"}


class _OddReference(Exception):
    """A reference that XML does not know, or to no character."""


def _means(match: re.Match[str]) -> str:
    if match[1]:
        return _MEANS[match[1]]
    code = int(match[2]) if match[2] else int(match[3], 16) if match[3] else 0
    if code not in (9, 10, 13) and not (
        0x20 <= code <= 0xD7FF or 0xE000 <= code <= 0xFFFD or 0x10000 <= code <= 0x10FFFF
    ):
        raise _OddReference
    return chr(code)


def _body(archive: zipfile.ZipFile, part: str) -> str | None:
    """What stands between the tags of the sheet's data, where the part is plain UTF-8 without declarations."""
    if archive.getinfo(part).file_size > _LARGEST:
        return None
    try:
        text = archive.read(part).decode("utf-8-sig")
    except UnicodeDecodeError:
        return None
    begin, end = text.find(_OPENS), text.rfind(_CLOSES)
    head = text[: max(begin, 0)]
    declared = re.match(r'<\?xml[^>]*encoding=["\']([^"\']+)', head)
    if begin < 0 or end < begin or "<!" in head or (declared and declared[1].lower() not in ("utf-8", "us-ascii")):
        return None
    return text[begin + len(_OPENS) : end]


def read_plain_cells(archive: zipfile.ZipFile, part: str) -> pl.DataFrame | None:
    """The filled cells of a worksheet as ``read_cells`` gives them; None where it is written in another way.

    Raises:
        SheetError: where a cell is beyond the last row or column of a sheet.
    """
    body = _body(archive, part)
    if body is None:
        return None
    pieces = pl.Series("cell", [body], dtype=pl.String).str.split("<c ").explode()
    if not re.fullmatch(_ROWS, pieces[0] or "") or (pieces.str.len_bytes() > _LONGEST).any():
        return None
    groups = pieces[1:].str.extract_groups(_CELL).struct.unnest()
    cells = groups.rename(dict(zip(groups.columns, _NAMES, strict=True)))
    if cells["rows"].null_count():
        return None
    cells = cells.with_columns(pl.coalesce("value", "inline").replace("", None), pl.col("formula").replace("", None))
    alone = pl.col("value").is_null() & pl.col("formula").is_not_null()
    cells = cells.select(
        "place",
        pl.when(alone).then(pl.lit(UNCALCULATED)).otherwise(pl.col("kind").fill_null("n")).alias("kind"),
        pl.col("style").fill_null("0"),
        pl.when(alone).then("=" + pl.col("formula")).otherwise("value").alias("value"),
    ).filter(pl.col("value").is_not_null())
    escaped = cells["value"].str.contains("&", literal=True)
    if escaped.any():
        try:
            plain_values = on_unique(cells["value"].set(~escaped, None), lambda text: _REFERENCE.sub(_means, text))
        except _OddReference:
            return None
        cells = cells.with_columns(pl.select(pl.coalesce(plain_values, cells["value"])).to_series().alias("value"))
    column, row = placed(cells["place"])
    numbers = column.cast(SCHEMA["column"]).alias("column"), row.cast(SCHEMA[ROW]).alias(ROW)
    return cells.select(*numbers, "kind", "style", "value")
