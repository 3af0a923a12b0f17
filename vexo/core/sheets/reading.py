"""Reading a file in a child process with a memory limit, so that no file can take the program down."""

from __future__ import annotations

import json
import subprocess
import sys
import zipfile
from dataclasses import asdict
from pathlib import Path

import polars as pl

from .sheet import AS_FOUND, Choices, SheetError, SheetProfile

MEMORY_LIMIT = 6 * 1024**3
SECONDS = 300
_LARGEST = 2 * 1024**3


def _refuse_early(path: Path, name: str) -> None:
    """Cheap looks before anything is unpacked."""
    if not path.is_file():
        raise SheetError(f"There is no file {name}. Check its name and folder.")
    if path.stat().st_size == 0:
        raise SheetError(f"{name} is empty. Put a header in its first row and the records below it.")
    if path.stat().st_size > _LARGEST:
        raise SheetError(f"{name} is larger than 2 GB. Divide it into several sheets.")
    if zipfile.is_zipfile(path):
        with zipfile.ZipFile(path) as archive:
            unpacked = sum(entry.file_size for entry in archive.infolist())
        if unpacked > _LARGEST:
            raise SheetError(f"{name} would unpack to {unpacked:,} bytes. Divide it into several sheets.")


def read_sheet(
    path: Path, cells: Path, name: str = "", memory: int = MEMORY_LIMIT, choices: Choices = AS_FOUND
) -> SheetProfile:
    """Read a file; its cells are written to ``cells`` as Parquet.

    Args:
        name: what people call the file, for what is said of it.
        choices: how a person wants it read; what is not said is found.

    Raises:
        SheetError: saying why it is no sheet, or cannot be read, and what to do.
    """
    name = name or path.name
    _refuse_early(path, name)
    command = [sys.executable, "-m", "vexo.core.sheets.child", str(path), str(cells), str(memory), name]
    command.append(json.dumps(asdict(choices)))
    try:
        run = subprocess.run(command, capture_output=True, text=True, timeout=SECONDS, check=False)  # noqa: S603
    except subprocess.TimeoutExpired:
        raise SheetError(f"{name} took longer than {SECONDS} seconds to read. Divide it.") from None
    try:
        answer = json.loads(run.stdout)
    except ValueError:
        raise SheetError(
            f"{name} needs more memory than a sheet may take, or is damaged. "
            "Open it in a spreadsheet, keep only the rows you need, and save it anew."
        ) from None
    if "error" in answer:
        raise SheetError(answer["error"])
    return SheetProfile.from_json(answer)


def write_cells(cells: pl.DataFrame, path: Path) -> None:
    """Cells in row groups small enough for a window of rows to be cheap."""
    cells.write_parquet(path, compression="lz4", row_group_size=16_384)
