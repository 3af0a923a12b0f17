"""A plan as a page to print."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import polars as pl
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from vexo.core.planning.verdicts import Verdict
from vexo.core.sheets.writers.outgoing import OutgoingColumn
from vexo.core.wording import many

_PRINTED = 2_000
"""Rows of a page to print at most: more are a sheet, not a page."""


@dataclass(frozen=True)
class Document:
    """A plan, or what became of it, in words and rows: what is said of it, headed lists of lines, each some texts; and
    the columns of its rows, of which ``verdict`` is the header of the one that says what happens to each."""

    title: str
    nothing_written: str
    lists: list[tuple[str, list[list[str]]]]
    columns: list[OutgoingColumn]
    rows: int
    verdict: str = "Verdict"


_STYLE = (
    "body{font:14px/1.45 'Atkinson Hyperlegible Next',system-ui,sans-serif;color:#14232b;margin:24px}"
    "h1{font-size:20px;margin:0}h2{font-size:15px;margin:18px 0 4px}p{margin:4px 0}.said{font-weight:700}"
    "table{border-collapse:collapse;font-size:12px}th,td{text-align:left;vertical-align:top;padding:2px 10px 2px 0;"
    "border-bottom:1px solid #dad5c8}thead{display:table-header-group}tr{break-inside:avoid}"
    "@page{margin:14mm;size:landscape}"
)


def as_page(document: Document) -> str:
    """A page to print: what it does, then its rows but for those that stay the same."""
    table = pl.DataFrame([column.cells.alias(str(at)) for at, column in enumerate(document.columns)])
    verdict = next(str(at) for at, column in enumerate(document.columns) if column.header == document.verdict)
    telling = table.filter(pl.col(verdict) != Verdict.SAME)
    shown = telling.head(_PRINTED)
    left = len(telling) - len(shown)
    stay = len(table) - len(telling)
    notes = [f"{many(stay, 'row that stays the same is', 'rows that stay the same are')} not listed."] if stay else []
    notes += [f"{many(left, 'more row is', 'more rows are')} in the workbook."] if left else []
    sections = format_html_join("", "<h2>{}</h2>{}", ((head, _table([], lines)) for head, lines in document.lists))
    return format_html(
        '<!doctype html><html lang="en"><meta charset="utf-8"><title>{}</title><style>{}</style>'
        '<h1>{}</h1><p class="said">{}</p>{}<h2>Rows</h2><p>{}</p>{}</html>',
        document.title,
        SafeString(_STYLE),
        document.title,
        document.nothing_written,
        sections,
        " ".join(notes),
        _table([column.header for column in document.columns], shown.rows()),
    )


def _table(headers: Sequence[str], lines: Sequence[Sequence[str | None]]) -> SafeString:
    head = format_html("<thead><tr>{}</tr></thead>", _cells("th", headers)) if headers else SafeString("")
    body = format_html_join("", "<tr>{}</tr>", ((_cells("td", [text or "" for text in line]),) for line in lines))
    return format_html("<table>{}<tbody>{}</tbody></table>", head, body)


def _cells(kind: str, texts: Sequence[str]) -> SafeString:
    tag = SafeString(kind)
    return format_html_join("", "<{}>{}</{}>", ((tag, text, tag) for text in texts))
