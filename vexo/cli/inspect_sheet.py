"""Reading a sheet without any application."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import click
import polars as pl

from vexo.core.sheets import Choices, SheetProfile
from vexo.core.wording import many

from .common import json_option, print_json
from .terminal import console, plain_table

_SHOWN = 20
"""Rows that are printed: a screenful."""


def told(profile: SheetProfile, cells: pl.DataFrame) -> dict[str, Any]:
    """A sheet that was read, as one JSON object: its columns' names, its rows with their cells, what was noticed."""
    names = [column.name for column in profile.columns]
    shown = [name for name in names if f"shown.{name}" in cells.columns]
    cells = cells.with_columns(pl.coalesce(f"shown.{name}", name).alias(name) for name in shown)
    return {
        "format": profile.format,
        "encoding": profile.encoding,
        "delimiter": profile.delimiter,
        "worksheet": profile.sheet,
        "header_row": profile.header_row,
        "columns": [column.header for column in profile.columns],
        "rows": [{"row": row, "cells": list(line)} for row, *line in cells.select("row", *names).iter_rows()],
        "findings": [finding.to_json() for finding in profile.findings],
    }


def reading_options(command: Callable[..., Any]) -> Callable[..., Any]:
    """How a person wants a file read, as options of a command."""
    for option in (
        click.option("--delimiter", default="", help="What stands between the cells of a text file."),
        click.option("--encoding", default="", help="The encoding of a text file, such as utf-8, cp1252 or cp850."),
        click.option("--header", type=click.IntRange(min=0), help="The row of the header; 0 where there is none."),
        click.option("--worksheet", default="", help="The worksheet to read; by default the first that has a table."),
    ):
        command = option(command)
    return command


@click.command()
@click.argument("file", type=click.Path(path_type=Path))
@reading_options
@json_option
def read(file: Path, worksheet: str, header: int | None, encoding: str, delimiter: str, as_json: bool) -> None:
    """Read a sheet and say what is in it. No application is asked, and nothing is kept."""
    from vexo.core.sheets import read_sheet

    choices = Choices(worksheet, header, encoding, delimiter)
    with TemporaryDirectory() as folder:
        target = Path(folder) / "cells.parquet"
        profile = read_sheet(file, target, file.name, choices=choices)
        cells = pl.read_parquet(target)
    summary = told(profile, cells)
    if as_json:
        print_json(summary)
        return
    out = console()
    what = [
        summary["format"].upper(),
        summary["worksheet"],
        summary["encoding"],
        f"header in row {summary['header_row']}",
    ]
    rows, columns = many(profile.rows, "row", "rows"), many(len(profile.columns), "column", "columns")
    out.print(f"{file.name}: {rows}, {columns} ({', '.join(w for w in what if w)})")
    for finding in profile.findings:
        out.print(f"  {finding.text}")
    table = plain_table("Row", *[header or "—" for header in summary["columns"]])
    for line in summary["rows"][:_SHOWN]:
        table.add_row(str(line["row"]), *[cell or "" for cell in line["cells"]])
    out.print(table)
    if profile.rows > _SHOWN:
        out.print(f"{many(profile.rows - _SHOWN, 'row is', 'rows are')} not shown; see all with --json.")
