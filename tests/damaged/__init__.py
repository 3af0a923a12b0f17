"""Sheets that LibreOffice 7.4 opened and saved, and what they held before it did; ``make.py`` makes them anew."""

from __future__ import annotations

from pathlib import Path

from vexo.core.records import Field, Kind

HERE = Path(__file__).parent
FIELDS = (
    Field("number", "Number", Kind.TEXT),
    Field("print_no", "Print no.", Kind.TEXT),
    Field("part", "Part", Kind.TEXT),
    Field("batch", "Batch", Kind.TEXT),
    Field("note", "Note", Kind.TEXT),
    Field("seen", "Seen", Kind.DATE),
    Field("rate", "Rate", Kind.DECIMAL, scale=2, precision=12),
)
SENT = (
    ("0020418", "1234567890123456", "3-12", "12E3", "Café au lait", "2026-06-30", "12.50"),
    ("0000007", "9007199254740993", "10/11", "1.10", "naïve “quoted” text", "2026-07-01", "3.12"),
    ("0300001", "0123456789012345", "B-014", "X-1", "Zoë’s", "1999-12-31", "1000.00"),
    ("0004444", "4000000000000007", "1-2", "7E1", "plain", "2026-02-28", "7.25"),
)
FILES = ("british.xlsx", "british.ods", "western.xlsx", "shown.csv", "errors.xlsx", "errors.ods")
