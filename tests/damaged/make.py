"""Make the damaged sheets anew: ``python -m tests.damaged.make``; needs LibreOffice."""

from __future__ import annotations

import csv
import shutil
import subprocess
import tempfile
from pathlib import Path

import openpyxl

from tests.damaged import FIELDS, HERE, SENT

BRITISH = "CSV:44,34,76,1,,2057"
AS_SHOWN = "csv:Text - txt - csv (StarCalc):44,34,76,1,,2057,false,true"


def saved(path: Path, target: Path, reading: str = "", writing: str = "") -> None:
    """Open a file in LibreOffice and save it under another name."""
    with tempfile.TemporaryDirectory() as folder:
        command = ["soffice", f"-env:UserInstallation=file://{folder}/profile", "--headless"]
        command += [f"--infilter={reading}"] if reading else []
        subprocess.run(
            [*command, "--convert-to", writing or target.suffix[1:], "--outdir", folder, str(path)], check=True
        )
        shutil.copy(Path(folder) / path.with_suffix(target.suffix).name, target)


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        plain = Path(folder) / "plain.csv"
        with plain.open("w", newline="", encoding="utf-8") as file:
            csv.writer(file).writerows([[field.label for field in FIELDS], *SENT])
        saved(plain, HERE / "british.xlsx", BRITISH)
        saved(plain, HERE / "british.ods", BRITISH)
        saved(plain, HERE / "western.xlsx")
        # Shown as a narrow column shows it, and saved as it is shown.
        book = openpyxl.load_workbook(HERE / "british.xlsx")
        for row in book.active.iter_rows(min_row=2):
            row[1].number_format = "0.00E+00"
            row[2].number_format = "d-mmm"
        book.save(Path(folder) / "shown.xlsx")
        saved(Path(folder) / "shown.xlsx", HERE / "shown.csv", writing=AS_SHOWN)
        book = openpyxl.Workbook()
        book.active.append([field.label for field in FIELDS])
        for line in SENT:
            book.active.append(list(line))
        book.active["E2"], book.active["E3"], book.active["G4"] = "=NA()", "=1/0", '="x"+1'
        book.save(Path(folder) / "errors.xlsx")
        for ending in ("xlsx", "ods"):
            saved(Path(folder) / "errors.xlsx", HERE / f"errors.{ending}")


if __name__ == "__main__":
    main()
