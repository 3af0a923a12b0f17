"""``python -m tests.upgrades.make`` keeps a small data folder of this release, for every later one to open.

It has a trip that went out, came back edited, was decided, applied and came back once more, and waits at Review.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import openpyxl

KEY = "a key for data folders that tests keep, and for no other"
HERE = Path(__file__).parent


def change(path: Path, *cells: tuple[int, int, Any]) -> None:
    book = openpyxl.load_workbook(path)
    for row, column, value in cells:
        book.active.cell(row, column, value)
    book.save(path)


def main() -> None:
    from tests.support import Vexo, register, template
    from vexo import __version__

    (template() / "key").write_text(KEY)
    vexo = Vexo()
    path = vexo.files / "upgrade.xlsx"
    where = "harbour eq 'TERNISLAND' and startswith(berth_no,'B-00')"
    fields = [part for name in ("harbour", "berth_no", "notes", "daily_rate") for part in ("--field", name)]
    vexo.json("send-out", "harbour-practice", "Berth", *fields, "--where", where, "-o", str(path))
    change(path, (2, 4, "first"), (3, 4, "second"))
    register().change(f"Berths({openpyxl.load_workbook(path).active.cell(3, 1).value})", notes="the office's own")
    brought = vexo.json("bring-in", "harbour-practice", "Berth", str(path), code=1)
    trip = str(brought["trip"])
    vexo.json("decide", trip, "file", "--code", "both-changed")
    vexo.json("apply", trip, "--yes")
    change(path, (4, 4, "third"))
    vexo.json("bring-in", "harbour-practice", "Berth", str(path))
    target = HERE / f"{__version__}.tar.gz"
    target.unlink(missing_ok=True)
    done = vexo.run("backup", str(target))
    assert done.returncode == 0, done.stderr


if __name__ == "__main__":
    main()
