"""What an XLSX file is made of besides cells: its worksheets, styles and stamp.

Source: ECMA-376 parts 1 and 2.
"""

from __future__ import annotations

import json
import posixpath
import re
import zipfile
from dataclasses import dataclass, field
from xml.etree import ElementTree as ET

from ..sheet import STAMP_PROPERTY, SheetError, Stamp

_DATE_NUMBERS = {*range(14, 23), *range(27, 37), 45, 46, 47, *range(50, 59)}
_LARGEST_PART = 64 * 1024 * 1024
"""Bytes of a part of a package that is not cells, unpacked."""


# Source: ECMA-376 part 1, 18.8.30.
_BUILT_IN = {
    1: "0",
    2: "0.00",
    3: "#,##0",
    4: "#,##0.00",
    9: "0%",
    10: "0.00%",
    37: "#,##0",
    38: "#,##0",
    39: "#,##0.00",
    40: "#,##0.00",
    5: "$#,##0",
    6: "$#,##0",
    7: "$#,##0.00",
    8: "$#,##0.00",
    42: "$#,##0",
    44: "$#,##0.00",
}


@dataclass(frozen=True)
class Styles:
    """Style numbers by what they make of a stored number; ``decimals`` is how many are shown."""

    dates: tuple[str, ...]
    padding: dict[str, int]
    percent: tuple[str, ...] = ()
    currency: tuple[str, ...] = ()
    decimals: dict[str, int] = field(default_factory=dict)


def _local(tag: str) -> str:
    return tag.rpartition("}")[2]


def _parse_xml(archive: zipfile.ZipFile, name: str) -> ET.Element:
    if archive.getinfo(name).file_size > _LARGEST_PART:
        raise SheetError("The workbook's own notes are larger than any spreadsheet writes. Save it anew.")
    content = archive.read(name)
    if b"<!DOCTYPE" in content or b"<!ENTITY" in content:
        raise SheetError("The workbook declares entities of its own, which no spreadsheet writes. Save it anew.")
    try:
        return ET.fromstring(content)  # noqa: S314 - entities were refused above
    except ET.ParseError as error:
        raise SheetError(f"The workbook is damaged ({error}). Open it in a spreadsheet and save it anew.") from error


def worksheets(archive: zipfile.ZipFile) -> tuple[list[tuple[str, str]], bool]:
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
    sheets: list[tuple[str, str]] = []
    from_1904 = False
    for element in _parse_xml(archive, book).iter():
        if _local(element.tag) == "workbookPr":
            from_1904 = element.get("date1904") in ("1", "true")
        if _local(element.tag) == "sheet" and element.get("state", "visible") == "visible":
            link = next((value for key, value in element.attrib.items() if _local(key) == "id"), "")
            target = targets.get(link, "")
            part = target.lstrip("/") if target.startswith("/") else posixpath.normpath(f"{folder}/{target}")
            if part in names:
                sheets.append((element.get("name", ""), part))
    if not sheets:
        raise SheetError("The workbook has no visible sheet of cells.")
    return sheets, from_1904


def _is_date_format(code: str) -> bool:
    plain = re.sub(r'"[^"]*"|\\.|\[[^\]]*\]|_.|\*.', "", code.split(";", maxsplit=1)[0])
    return bool(re.search(r"[ymdhs]", plain, re.IGNORECASE)) and "0" not in plain.replace("ss.0", "")


def read_styles(archive: zipfile.ZipFile) -> Styles:
    """Which styles make a date, a percentage or money of a number, write zeros in front of it, or round it."""
    part = next((name for name in archive.namelist() if name.endswith("xl/styles.xml")), None)
    if part is None:
        return Styles((), {})
    root = _parse_xml(archive, part)
    codes = {int(e.get("numFmtId", 0)): e.get("formatCode", "") for e in root.iter() if _local(e.tag) == "numFmt"}
    dates, padding, percent, currency, decimals = [], {}, [], [], {}
    formats = next((e for e in root if _local(e.tag) == "cellXfs"), None)
    for at, style in enumerate(formats if formats is not None else []):
        number = int(style.get("numFmtId", 0))
        code = codes.get(number, "")
        if number in _DATE_NUMBERS or (code and _is_date_format(code)):
            dates.append(str(at))
            continue
        code = code or _BUILT_IN.get(number, "")
        if re.fullmatch(r"0{2,}", code):
            padding[str(at)] = len(code)
        elif code and code != "General":
            plain = code.split(";", maxsplit=1)[0]
            if "%" in plain:
                percent.append(str(at))
            elif re.search(r"\[\$[^\]\-]|[$\u20ac\u00a3\u00a5]", plain.replace("[$-", "")):
                currency.append(str(at))
            digits = re.sub(r'"[^"]*"|\[[^\]]*\]|\\.|_.', "", plain)
            if re.search(r"[0#]", digits) and "E" not in digits.upper() and "/" not in digits:
                shown = re.search(r"\.([0#?]+)", digits)
                decimals[str(at)] = (len(shown[1]) if shown else 0) + 2 * ("%" in plain)
    return Styles(tuple(dates), padding, tuple(percent), tuple(currency), decimals)


def read_stamp(archive: zipfile.ZipFile) -> Stamp | None:
    """What a sheet carries to be recognised by, if it was sent out from here."""
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
