"""Cells → ODS: the document's parts around one table, whose rows are built column by column and written in pieces.

Source: OASIS OpenDocument 1.3, parts 2 (packages) and 3 (schema).
"""

from __future__ import annotations

import json
import re
import zipfile
from collections.abc import Iterable, Sequence
from pathlib import Path
from xml.sax.saxutils import escape, quoteattr

import polars as pl

from ...records import Kind
from ...values import on_unique
from ...wording import thousands
from ..sheet import STAMP_PROPERTY, Stamp
from .outgoing import MOST_ROWS, Head, OutgoingColumn, in_pieces

MIMETYPE = "application/vnd.oasis.opendocument.spreadsheet"
_ROWS_TO_FILL = 1000
"""Rows of an empty sheet that have the lists of their choices."""
_LONGEST_PROPERTY = 250
"""Characters of a property of a document: spreadsheets cut longer ones at 255."""
_FORBIDDEN = r"[\x00-\x08\x0b\x0c\x0e-\x1f\x{fffe}\x{ffff}]"
_ODD = r"^ | $|  |\t|\n"
"""Texts with white space that XML would lose."""
_NAMES = (
    ' xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0"'
    ' xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0"'
    ' xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0"'
    ' xmlns:style="urn:oasis:names:tc:opendocument:xmlns:style:1.0"'
    ' xmlns:fo="urn:oasis:names:tc:opendocument:xmlns:xsl-fo-compatible:1.0"'
    ' xmlns:number="urn:oasis:names:tc:opendocument:xmlns:datastyle:1.0"'
    ' xmlns:meta="urn:oasis:names:tc:opendocument:xmlns:meta:1.0"'
    ' xmlns:dc="http://purl.org/dc/elements/1.1/"'
    ' xmlns:of="urn:oasis:names:tc:opendocument:xmlns:of:1.2"'
    ' xmlns:ooo="http://openoffice.org/2004/office"'
    ' xmlns:config="urn:oasis:names:tc:opendocument:xmlns:config:1.0" office:version="1.3"'
)
_HEAD = '<?xml version="1.0" encoding="UTF-8"?>'


def _paragraphs(text: str) -> str:
    """A text's paragraphs as XML, its white space kept."""
    paragraphs = []
    for line in text.split("\n"):
        plain = escape(line).replace("\t", "<text:tab/>")
        plain = re.sub(r"^ +| +$", lambda m: f'<text:s text:c="{len(m[0])}"/>', plain)
        plain = re.sub(r" ( +)", lambda m: f' <text:s text:c="{len(m[1])}"/>', plain)
        paragraphs.append(f"<text:p>{plain}</text:p>")
    return "".join(paragraphs)


def _styles(heads: Sequence[Head]) -> str:
    """One cell style a column, and the header's."""
    styles = [
        '<number:date-style style:name="day"><number:year number:style="long"/><number:text>-</number:text>'
        '<number:month number:style="long"/><number:text>-</number:text><number:day number:style="long"/>'
        '</number:date-style><number:text-style style:name="text"><number:text-content/></number:text-style>',
        '<style:style style:name="head" style:family="table-cell" style:data-style-name="text">'
        '<style:table-cell-properties fo:background-color="#EFECE3" fo:border-bottom="1pt solid #B9B2A1"/>'
        '<style:text-properties fo:font-weight="bold"/></style:style>',
    ]
    for at, head in enumerate(heads):
        scale = head.field.scale or 0
        words = "text"
        if head.field.kind == Kind.DATE:
            words = "day"
        elif head.as_number:
            words = f"n{at}"
            # Where the application names no number of decimals each cell shows those that it has.
            places = f' number:decimal-places="{scale}" number:min-decimal-places="{scale}"'
            if head.field.kind == Kind.DECIMAL and head.field.scale is None:
                places = ""
            styles.append(
                f'<number:number-style style:name="{words}"><number:number{places} number:min-integer-digits="1"/>'
                "</number:number-style>"
            )
        quiet = (
            '<style:table-cell-properties fo:background-color="#EFECE3"/>'
            '<style:text-properties fo:color="#51626B" fo:font-style="italic"/>'
        )
        styles.append(
            f'<style:style style:name="c{at}" style:family="table-cell" style:data-style-name="{words}">'
            f"{quiet if head.reading else ''}</style:style>"
        )
        styles.append(
            f'<style:style style:name="w{at}" style:family="table-column">'
            f'<style:table-column-properties style:column-width="{head.width * 0.19:.2f}cm"/></style:style>'
        )
    return f"<office:automatic-styles>{''.join(styles)}</office:automatic-styles>"


def _validations(heads: Sequence[Head]) -> str:
    """Drop-downs for choices; what is typed otherwise is only warned of."""
    validations = []
    for at, head in enumerate(heads):
        if not head.choices:
            continue
        listed = ";".join('"' + choice.replace('"', '""') + '"' for choice in head.choices)
        condition = quoteattr(f"of:cell-content-is-in-list({listed})")
        validations.append(
            f'<table:content-validation table:name="v{at}" table:condition={condition}'
            ' table:allow-empty-cell="true" table:display-list="unsorted">'
            '<table:error-message table:message-type="warning" table:display="true"/></table:content-validation>'
        )
    return f"<table:content-validations>{''.join(validations)}</table:content-validations>" if validations else ""


def _opening(heads: Sequence[Head], title: str) -> str:
    widths = "".join(
        f'<table:table-column table:style-name="w{at}" table:default-cell-style-name="c{at}"/>'
        for at in range(len(heads))
    )
    head = "".join(
        '<table:table-cell table:style-name="head" office:value-type="string">'
        + (f"<office:annotation>{_paragraphs(head.note)}</office:annotation>" if head.note else "")
        + _paragraphs(head.header)
        + "</table:table-cell>"
        for head in heads
    )
    return (
        f"{_HEAD}<office:document-content{_NAMES}>{_styles(heads)}<office:body><office:spreadsheet>"
        f"{_validations(heads)}<table:table table:name={quoteattr(title)}>{widths}"
        f"<table:table-header-rows><table:table-row>{head}</table:table-row></table:table-header-rows>"
    )


def _cell(name: str, head: Head, at: int) -> pl.Expr:
    rule = f' table:content-validation-name="v{at}"' if head.choices else ""
    opened = f'<table:table-cell table:style-name="c{at}"{rule}'
    text = pl.col(name)
    if head.as_number:
        cell = pl.concat_str(
            [pl.lit(f'{opened} office:value-type="float" office:value="'), text, pl.lit('"><text:p>'), text]
        )
        filled = cell + "</text:p></table:table-cell>"
    elif head.field.kind == Kind.DATE:
        cell = pl.concat_str(
            [pl.lit(f'{opened} office:value-type="date" office:date-value="'), text, pl.lit('"><text:p>'), text]
        )
        filled = cell + "</text:p></table:table-cell>"
    else:
        filled = pl.concat_str([pl.lit(f'{opened} office:value-type="string">'), text, pl.lit("</table:table-cell>")])
    return filled.fill_null(f"{opened}/>").alias(f"x{name}")


def _as_paragraphs(cells: pl.Series) -> pl.Series:
    """Texts as XML; those with odd white space one by one, once for each different text."""
    odd = cells.str.contains(_ODD).fill_null(value=False)
    frame = pl.DataFrame({"text": cells, "odd": on_unique(cells.set(~odd, None), _paragraphs)})
    text = pl.col("text")
    for sign, named in (("&", "&amp;"), ("<", "&lt;"), (">", "&gt;")):
        text = text.str.replace_all(sign, named, literal=True)
    return frame.select(pl.coalesce("odd", pl.lit("<text:p>") + text + "</text:p>")).to_series()


def _rows(heads: Sequence[Head], piece: pl.DataFrame) -> str:
    """The XML of some rows. Raises ValueError for a character that the format cannot hold."""
    frame = {}
    for at, head in enumerate(heads):
        cells = piece[f"c{at}"]
        if cells.str.contains(_FORBIDDEN).any():
            raise ValueError(
                f"{head.header} holds a character that no ODS file can hold. Send the records out as XLSX or CSV."
            )
        plain = head.as_number or head.field.kind == Kind.DATE
        frame[f"c{at}"] = cells if plain else _as_paragraphs(cells)
    row_cells = pl.DataFrame(frame).with_columns([_cell(f"c{at}", head, at) for at, head in enumerate(heads)])
    row = pl.concat_str(
        [pl.lit("<table:table-row>"), *[f"xc{at}" for at in range(len(heads))], pl.lit("</table:table-row>")]
    )
    return str(row_cells.select(row.str.join("")).item() or "")


def _rows_to_fill(heads: Sequence[Head]) -> str:
    """Empty rows that offer the choices, for a sheet to be filled by hand."""
    cells = "".join(
        f'<table:table-cell table:style-name="c{at}"'
        + (f' table:content-validation-name="v{at}"' if head.choices else "")
        + "/>"
        for at, head in enumerate(heads)
    )
    return f'<table:table-row table:number-rows-repeated="{_ROWS_TO_FILL}">{cells}</table:table-row>'


def _meta(stamp: Stamp | None) -> str:
    text = json.dumps(stamp.to_json()) if stamp else ""
    parts = [text[at : at + _LONGEST_PROPERTY] for at in range(0, len(text), _LONGEST_PROPERTY)]
    words = "".join(
        f'<meta:user-defined meta:name="{STAMP_PROPERTY}{at}">{escape(part)}</meta:user-defined>'
        for at, part in enumerate(parts)
    )
    return f"{_HEAD}<office:document-meta{_NAMES}><office:meta>{words}</office:meta></office:document-meta>"


def _settings(title: str, keys: int) -> str:
    """Header and keys stay in sight."""

    def item(name: str, value: int) -> str:
        kind = "int" if "Position" in name else "short"
        return f'<config:config-item config:name="{name}" config:type="{kind}">{value}</config:config-item>'

    frozen = item("HorizontalSplitMode", 2 if keys else 0) + item("VerticalSplitMode", 2)
    frozen += item("HorizontalSplitPosition", keys) + item("VerticalSplitPosition", 1) + item("ActiveSplitRange", 3)
    frozen += item("PositionLeft", 0) + item("PositionRight", keys) + item("PositionTop", 0) + item("PositionBottom", 1)
    names_xml, table = (
        f'<config:config-item config:name="{n}" config:type="string">' for n in ("ViewId", "ActiveTable")
    )
    return (
        f"{_HEAD}<office:document-settings{_NAMES}><office:settings>"
        '<config:config-item-set config:name="ooo:view-settings"><config:config-item-map-indexed config:name="Views">'
        f"<config:config-item-map-entry>{names_xml}view1</config:config-item>"
        '<config:config-item-map-named config:name="Tables">'
        f"<config:config-item-map-entry config:name={quoteattr(title)}>{frozen}</config:config-item-map-entry>"
        f"</config:config-item-map-named>{table}{escape(title)}</config:config-item></config:config-item-map-entry>"
        "</config:config-item-map-indexed>"
        "</config:config-item-set></office:settings></office:document-settings>"
    )


def _manifest() -> str:
    parts = {"/": MIMETYPE, **dict.fromkeys(("content.xml", "meta.xml", "settings.xml", "styles.xml"), "text/xml")}
    listed = "".join(
        f'<manifest:file-entry manifest:full-path="{name}" manifest:media-type="{kind}"/>'
        for name, kind in parts.items()
    )
    named = 'xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0" manifest:version="1.3"'
    return f"{_HEAD}<manifest:manifest {named}>{listed}</manifest:manifest>"


def fill_ods(
    heads: Sequence[Head],
    pieces: Iterable[pl.DataFrame],
    rows: int,
    path: Path,
    title: str,
    stamp: Stamp | None = None,
) -> None:
    """Write the sheet piece by piece: header and keys frozen, drop-downs for choices, notes, real numbers and days, the
    stamp.

    Args:
        rows: how many rows the pieces have together.

    Raises:
        ValueError: where a worksheet cannot hold so many rows, or a cell a character.
    """
    if rows > MOST_ROWS:
        raise ValueError(
            f"A worksheet holds {thousands(MOST_ROWS)} records, these are {thousands(rows)}. Send them out as CSV."
        )
    title = re.sub(r"[\[\]:*?/\\']", " ", title)[:31]
    keys = next((at for at, head in enumerate(heads) if not head.is_key), len(heads))
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED, compresslevel=2) as out:
        out.writestr(zipfile.ZipInfo("mimetype"), MIMETYPE, zipfile.ZIP_STORED)
        with out.open("content.xml", "w", force_zip64=True) as content:
            content.write(_opening(heads, title).encode())
            for piece in pieces:
                content.write(_rows(heads, piece).encode())
            if not rows:
                content.write(_rows_to_fill(heads).encode())
            content.write(b"</table:table></office:spreadsheet></office:body></office:document-content>")
        out.writestr("meta.xml", _meta(stamp))
        out.writestr("settings.xml", _settings(title, keys))
        out.writestr("styles.xml", f"{_HEAD}<office:document-styles{_NAMES}/>")
        out.writestr("META-INF/manifest.xml", _manifest())


def write_ods(columns: Sequence[OutgoingColumn], path: Path, title: str, stamp: Stamp | None = None) -> None:
    """Write columns that are there as a whole. Raises ValueError as ``fill_ods``."""
    fill_ods([column.head for column in columns], in_pieces(columns), len(columns[0].cells), path, title, stamp)
