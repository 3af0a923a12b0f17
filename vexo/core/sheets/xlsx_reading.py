"""XLSX → cells, read column-wise: the sheet's XML is cut into cells and pulled apart with string operations.

Source: ECMA-376 part 1, SpreadsheetML.
"""

from __future__ import annotations

import html
import json
import posixpath
import re
import zipfile
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from decimal import Decimal
from pathlib import Path
from typing import Any
from xml.etree import ElementTree as ET

import polars as pl

from ..values import on_unique
from .sheet import ROW, SheetError, Stamp

STAMP_PROPERTY = "vexo-stamp-"
_MOST_CELLS = 60_000_000
_MOST_COLUMNS = 4_096
_DATE_NUMBERS = {*range(14, 23), *range(27, 37), 45, 46, 47, *range(50, 59)}
_TEXT = r"<t(?:\s[^>]*)?>([^<]*)</t>"


@dataclass(frozen=True)
class _Styles:
    """Style numbers by what they make of a stored number."""

    dates: tuple[str, ...]
    padding: dict[str, int]


def _local(tag: str) -> str:
    return tag.rpartition("}")[2]


def _parse_xml(archive: zipfile.ZipFile, name: str) -> ET.Element:
    content = archive.read(name)
    if b"<!DOCTYPE" in content[:2048] or b"<!ENTITY" in content[:2048]:
        raise SheetError("The workbook declares entities of its own, which no spreadsheet writes. Save it anew.")
    try:
        return ET.fromstring(content)  # noqa: S314 - entities were refused above
    except ET.ParseError as error:
        raise SheetError(f"The workbook is damaged ({error}). Open it in a spreadsheet and save it anew.") from error


def _sheets(archive: zipfile.ZipFile) -> tuple[list[tuple[str, str]], bool]:
    """Visible sheets as (name, part), in order, and whether days count from 1904."""
    names = set(archive.namelist())
    relations = _parse_xml(archive, "_rels/.rels")
    book = next((r.get("Target", "") for r in relations if r.get("Type", "").endswith("/officeDocument")), "")
    book = book.lstrip("/")
    if book not in names or not book.endswith(".xml"):
        raise SheetError("The file is an archive, but no workbook. Save the sheet as XLSX or CSV.")
    folder = posixpath.dirname(book)
    links = _parse_xml(archive, posixpath.join(folder, "_rels", posixpath.basename(book) + ".rels"))
    targets = {link.get("Id"): link.get("Target", "") for link in links}
    found: list[tuple[str, str]] = []
    from_1904 = False
    for element in _parse_xml(archive, book).iter():
        if _local(element.tag) == "workbookPr":
            from_1904 = element.get("date1904") in ("1", "true")
        if _local(element.tag) == "sheet" and element.get("state", "visible") == "visible":
            link = next((value for key, value in element.attrib.items() if _local(key) == "id"), "")
            target = targets.get(link, "")
            part = target.lstrip("/") if target.startswith("/") else posixpath.normpath(f"{folder}/{target}")
            if part in names:
                found.append((element.get("name", ""), part))
    if not found:
        raise SheetError("The workbook has no visible sheet of cells.")
    return found, from_1904


def _is_date_format(code: str) -> bool:
    plain = re.sub(r'"[^"]*"|\\.|\[[^\]]*\]|_.|\*.', "", code.split(";", maxsplit=1)[0])
    return bool(re.search(r"[ymdhs]", plain, re.IGNORECASE)) and "0" not in plain.replace("ss.0", "")


def _read_styles(archive: zipfile.ZipFile) -> _Styles:
    part = next((name for name in archive.namelist() if name.endswith("xl/styles.xml")), None)
    if part is None:
        return _Styles((), {})
    root = _parse_xml(archive, part)
    codes = {int(e.get("numFmtId", 0)): e.get("formatCode", "") for e in root.iter() if _local(e.tag) == "numFmt"}
    dates, padding = [], {}
    formats = next((e for e in root if _local(e.tag) == "cellXfs"), None)
    for at, style in enumerate(formats if formats is not None else []):
        number = int(style.get("numFmtId", 0))
        code = codes.get(number, "")
        if number in _DATE_NUMBERS or (code and _is_date_format(code)):
            dates.append(str(at))
        elif re.fullmatch(r"0{2,}", code):
            padding[str(at)] = len(code)
    return _Styles(tuple(dates), padding)


def _shared_strings(archive: zipfile.ZipFile) -> list[str]:
    part = next((name for name in archive.namelist() if name.endswith("xl/sharedStrings.xml")), None)
    if part is None:
        return []
    strings: list[str] = []
    with archive.open(part) as file:
        for _, element in ET.iterparse(file):  # noqa: S314 - expat's own limits on entities hold
            if _local(element.tag) == "rPh":
                element.clear()
            elif _local(element.tag) == "si":
                strings.append("".join(e.text or "" for e in element.iter() if _local(e.tag) == "t"))
                element.clear()
    return strings


def _stamp(archive: zipfile.ZipFile) -> Stamp | None:
    if "docProps/custom.xml" not in archive.namelist():
        return None
    parts: dict[int, str] = {}
    for element in _parse_xml(archive, "docProps/custom.xml"):
        number = element.get("name", "").removeprefix(STAMP_PROPERTY)
        if number.isdigit() and len(element):
            parts[int(number)] = element[0].text or ""
    try:
        return Stamp.from_json(json.loads("".join(parts[at] for at in sorted(parts)))) if parts else None
    except (ValueError, KeyError, TypeError):
        return None


def _cut(xml: str) -> pl.DataFrame:
    """The cells of a sheet as strings: place, type, style and content."""
    prefix = re.search(r"<(\w+):sheetData", xml)
    if prefix:
        xml = re.sub(rf"<(/?){prefix[1]}:", r"<\1", xml)
    begin, end = xml.find("<sheetData"), xml.rfind("</sheetData>")
    body = xml[begin:end] if begin >= 0 and end >= 0 else ""
    pieces = pl.Series("piece", [body]).str.split("<c ").explode().slice(1)
    split = pl.DataFrame({"piece": pieces}).select(
        pl.col("piece").str.extract(r"^([^>]*)>", 1).alias("head"),
        pl.col("piece").str.extract(r"(?s)^[^>]*[^/]>(.*?)</c>", 1).alias("content"),
    )
    return split.select(
        pl.col("head").str.extract(r'\br=["\']([A-Z]+)\d+["\']', 1).alias("letter"),
        pl.col("head").str.extract(r'\br=["\'][A-Z]+(\d+)["\']', 1).cast(pl.UInt32).alias(ROW),
        pl.col("head").str.extract(r'\bt=["\'](\w+)["\']', 1).fill_null("n").alias("type"),
        pl.col("head").str.extract(r'\bs=["\'](\d+)["\']', 1).fill_null("0").alias("style"),
        pl.col("content"),
    )


def _cut_slowly(content: bytes) -> pl.DataFrame:
    """The same from a sheet whose cells do not say their place, which the standard allows."""
    rows: list[tuple[str, int, str, str, str | None]] = []
    row = 0
    for line in (e for e in ET.fromstring(content).iter() if _local(e.tag) == "row"):  # noqa: S314
        row = int(line.get("r", row + 1))
        column = 0
        for cell in line:
            place = re.match(r"([A-Z]+)\d+$", cell.get("r", ""))
            column = _letter_number(place[1]) if place else column + 1
            text = "".join(ET.tostring(e, encoding="unicode") for e in cell)
            text = re.sub(r"<(/?)\w+:", r"<\1", text)
            rows.append((column_letters(column), row, cell.get("t", "n"), cell.get("s", "0"), text))
    schema = {"letter": pl.String, ROW: pl.UInt32, "type": pl.String, "style": pl.String, "content": pl.String}
    return pl.DataFrame(rows, schema=schema, orient="row")


def _letter_number(letters: str) -> int:
    number = 0
    for letter in letters:
        number = number * 26 + ord(letter) - 64
    return number


def column_letters(number: int) -> str:
    """The letters of a column, the first being 1."""
    letters = ""
    while number:
        number, rest = divmod(number - 1, 26)
        letters = chr(65 + rest) + letters
    return letters


def _unescape(texts: pl.Series) -> pl.Series:
    """XML entities, and the ``_x000A_`` form that spreadsheets use for characters XML cannot hold."""
    touched = texts.str.contains("&|_x[0-9A-Fa-f]{4}_|\r").fill_null(value=False)
    if not touched.any():
        return texts

    def plain(text: str) -> str:
        lines = text.replace("\r\n", "\n").replace("\r", "\n")
        return re.sub(r"_x([0-9A-Fa-f]{4})_", lambda m: chr(int(m[1], 16)), html.unescape(lines))

    made = on_unique(texts.set(~touched, None), plain)
    return pl.select(pl.when(touched).then(made).otherwise(texts)).to_series()


def _number(text: str) -> str:
    """The shortest decimal that gives the stored number."""
    digits = text.lstrip("-").replace(".", "").lstrip("0")
    if "e" in text.lower() or len(digits) > 15:
        try:
            return format(Decimal(repr(float(text))), "f").removesuffix(".0")
        except ValueError:
            return text
    return text


def _day(text: str, from_1904: bool) -> str:
    """A day number as ISO 8601; times of day only where there is one."""
    try:
        serial = Decimal(text)
    except ArithmeticError:
        return text
    if not 0 <= serial < 2_958_466:
        return text
    if from_1904:
        start = datetime(1904, 1, 1)
    else:
        # Day 60 is a 29 February 1900 that never was; only days after it count from the 30 December before.
        start = datetime(1899, 12, 30) if serial >= 60 else datetime(1899, 12, 31)
    seconds = round(serial * 86_400)
    moment = start + timedelta(seconds=seconds)
    if serial < 1 and not from_1904:
        return moment.time().isoformat()
    if seconds % 86_400 == 0:
        return date(moment.year, moment.month, moment.day).isoformat()
    return moment.isoformat()


def _rich_text(content: pl.Series) -> pl.Series:
    """The runs of inline text joined, reading aids left out."""
    runs = content.str.replace_all(r"(?s)<rPh.*?</rPh>", "").str.extract_all(_TEXT)
    return runs.list.eval(pl.element().str.extract(_TEXT, 1)).list.join("")


def _texts(cells: pl.DataFrame, strings: list[str], styles: _Styles, from_1904: bool) -> pl.DataFrame:
    """Each cell's stored value as text, and its zero-padded form where its format has one."""
    value = cells["content"].str.extract(r"<v[^>]*>([^<]*)</v>", 1)
    kind, style = cells["type"], cells["style"]
    inline = cells["content"].str.extract(_TEXT, 1)
    rich = cells["content"].str.contains(r"<r>|<r |<rPh").fill_null(value=False)
    if rich.any():
        inline = pl.select(
            pl.when(rich).then(_rich_text(cells["content"].set(~rich, None))).otherwise(inline)
        ).to_series()
    number = value.set((kind != "n").fill_null(value=True), None)
    odd = number.str.contains(r"(?i)e|^-?0*(?:\.?\d){16,}").fill_null(value=False)
    day = style.is_in(styles.dates) & number.is_not_null() if styles.dates else pl.repeat(False, len(cells), eager=True)
    shortest = on_unique(number.set(~odd, None), _number)
    iso = on_unique(number.set(~day, None), lambda text: _day(text, from_1904))
    table = pl.DataFrame(
        {
            "kind": kind,
            "value": _unescape(value),
            "inline": _unescape(inline),
            "day": day,
            "iso": iso,
            "odd": odd,
            "shortest": shortest,
        }
    )
    shared = pl.Series("strings", strings, dtype=pl.String)
    at = table["value"].set((kind != "s").fill_null(value=True), None).cast(pl.UInt32, strict=False)
    if len(shared) and at.drop_nulls().len():
        at = at.set((at >= len(shared)).fill_null(value=False), None)
        looked = pl.DataFrame({"at": at}).join(
            pl.DataFrame({"at": pl.int_range(len(shared), dtype=pl.UInt32, eager=True), "text": shared}),
            on="at",
            how="left",
            maintain_order="left",
        )["text"]
    else:
        looked = pl.Series([None], dtype=pl.String).new_from_index(0, len(cells))
    looked = _unescape(looked)
    is_kind = pl.col("kind")
    text = (
        pl.when(is_kind == "s")
        .then(looked)
        .when(is_kind == "inlineStr")
        .then(pl.col("inline"))
        .when(is_kind == "b")
        .then(pl.when(pl.col("value") == "1").then(pl.lit("TRUE")).otherwise(pl.lit("FALSE")))
        .when(pl.col("day"))
        .then(pl.col("iso"))
        .when(pl.col("odd"))
        .then(pl.col("shortest"))
        .otherwise(pl.col("value"))
    )
    out = cells.select("letter", ROW).with_columns(table.select(text.alias("text"))["text"])
    shown = pl.lit(None, dtype=pl.String)
    if styles.padding:
        width = style.replace_strict(styles.padding, default=None, return_dtype=pl.Int64)
        padded = (width.is_not_null() & number.str.contains(r"^\d+$")).fill_null(value=False)
        sized = pl.DataFrame({"v": number, "w": width}).select(pl.col("v").str.zfill(pl.col("w")))["v"]
        return out.with_columns(sized.set(~padded, None).alias("shown"))
    return out.with_columns(shown.alias("shown"))


def _spread(cells: pl.DataFrame) -> pl.DataFrame:
    """Cells by place → one column a letter; only rows and columns that are used."""
    cells = cells.filter(pl.col("text").is_not_null() & (pl.col("text") != ""))
    letters = sorted(cells["letter"].unique().to_list(), key=_letter_number)
    rows = cells.select(ROW).unique().sort(ROW)
    if len(letters) > _MOST_COLUMNS or len(letters) * len(rows) > _MOST_CELLS:
        raise SheetError(
            f"The sheet spans {len(rows):,} rows and {len(letters):,} columns, most of them empty. "
            "Delete the stray cells far from the records, or divide the sheet."
        )
    wide = rows
    for letter in letters:
        own = cells.filter(pl.col("letter") == letter)
        columns = [pl.col(ROW), pl.col("text").alias(letter)]
        if own["shown"].drop_nulls().len():
            columns.append(pl.col("shown").alias(f"shown.{letter}"))
        wide = wide.join(own.select(columns).unique(ROW, keep="last"), on=ROW, how="left", maintain_order="left")
    return wide


def read_xlsx(path: Path, name: str = "The file") -> tuple[pl.DataFrame, dict[str, Any]]:
    """The raw cells of the first visible sheet that has any, and what was found.

    Raises:
        SheetError: where it is no workbook, or one that spreadsheets do not write.
    """
    with zipfile.ZipFile(path) as archive:
        if "[Content_Types].xml" not in archive.namelist():
            raise SheetError(f"{name} is an archive, but no workbook. Save the sheet as XLSX or CSV.")
        sheets, from_1904 = _sheets(archive)
        styles, strings, stamp = _read_styles(archive), _shared_strings(archive), _stamp(archive)
        raw = pl.DataFrame({ROW: pl.Series([], dtype=pl.UInt32)})
        name = sheets[0][0]
        for name, part in sheets:
            content = archive.read(part)
            cells = _cut(content.decode("utf-8-sig"))
            if cells["letter"].null_count():
                cells = _cut_slowly(content)
            raw = _spread(_texts(cells, strings, styles, from_1904))
            if len(raw):
                break
    others = tuple(other for other, _ in sheets if other != name)
    return raw, {"format": "xlsx", "sheet": name, "other_sheets": others, "stamp": stamp}
