"""The process that reads files.

``python -m vexo.core.sheets.readers.child MEMORY`` loads all that it needs, and for each line that says which file
prints one that says what it found.
"""

from __future__ import annotations

import errno
import json
import lzma
import resource
import struct
import sys
import zipfile
import zlib
from dataclasses import replace
from pathlib import Path
from typing import Any

import polars as pl

from ...os_errors import FORBIDDEN, FULL, TOO_MANY_OPEN, errno_of
from ..long_cells import long_cells
from ..shape import shape_cells
from ..sheet import Choices, SheetError
from .cell_values import write_shaped
from .ods import read_ods
from .text import read_text
from .xls import SIGNATURE, read_xls
from .xlsx import read_xlsx

DAMAGED = (
    zipfile.BadZipFile,
    zlib.error,
    EOFError,
    KeyError,
    IndexError,
    NotImplementedError,
    RuntimeError,
    UnicodeError,
    ValueError,
    OverflowError,
    struct.error,
    lzma.LZMAError,
    pl.exceptions.PolarsError,
)
"""What readers of archives and tables raise where a file is cut, twisted or locked by a password."""

_OF_THE_MACHINE = (*FULL, *FORBIDDEN, *TOO_MANY_OPEN, errno.EIO)
"""What the system says of itself and not of the file. Too little memory is not of these: the limit is this process's
own, and the file needs more than it may."""


def _is_ods(path: Path) -> bool:
    with zipfile.ZipFile(path) as archive:
        return "content.xml" in archive.namelist() and "[Content_Types].xml" not in archive.namelist()


def read(path: Path, target: Path, name: str, said: dict[str, Any] | None = None) -> dict[str, Any]:
    """Read a file, by the choices that were ``said``: its profile, what is wrong with it under ``error``, or what the
    machine said under ``errno``."""
    choices = Choices(**(said or {}))
    try:
        with path.open("rb") as file:
            begin = file.read(8)
        if begin.startswith(b"PK") and zipfile.is_zipfile(path):
            read_book = read_ods if _is_ods(path) else read_xlsx
            raw, profile = read_book(path, name, choices)
        elif begin.startswith(b"PK\x03\x04"):
            raise zipfile.BadZipFile
        elif begin.startswith(SIGNATURE):
            raw, profile = read_xls(path, name, choices)
        elif begin.startswith((b"%PDF", b"\x89PNG", b"\xff\xd8\xff", b"GIF8", b"\x1f\x8b")):
            raise SheetError(f"{name} is not a sheet that can be read here. Save it as XLSX or CSV.")
        else:
            raw, profile = read_text(path, name, choices)
        shaped = shape_cells(raw, choices, **profile)
        long = long_cells(shaped.cells, shaped.profile.columns)
    except SheetError as error:
        return {"error": str(error)}
    except (*DAMAGED, OSError) as error:
        # An archive whose parts lie where no file has any makes the reading itself fail; a full disk is another thing.
        number = errno_of(error)
        if number in _OF_THE_MACHINE:
            return {"errno": number}
        if isinstance(error, OSError) and number != errno.EINVAL:
            raise
        return {"error": f"{name} is damaged. Open it in a spreadsheet and save it anew."}
    try:
        write_shaped(shaped, target)
    except (OSError, pl.exceptions.PolarsError) as error:
        number = errno_of(error)
        if number not in _OF_THE_MACHINE:
            raise
        return {"errno": number}
    return replace(shaped.profile, findings=(*shaped.profile.findings, *long)).to_json()


def main() -> None:
    """Read each file that is asked for; where nobody asks any more, end."""
    limit = int(sys.argv[1])
    resource.setrlimit(resource.RLIMIT_AS, (limit, limit))
    for line in sys.stdin:
        data = json.loads(line)
        print(json.dumps(read(Path(data["file"]), Path(data["cells"]), data["name"], data["choices"])), flush=True)


if __name__ == "__main__":
    main()
