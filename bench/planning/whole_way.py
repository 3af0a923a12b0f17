"""A data folder from which the records went out, and the command that brings the edited sheet in."""

from __future__ import annotations

import json
import os
import shutil
import time
from collections.abc import Iterator, Sequence
from contextlib import redirect_stdout
from functools import wraps
from io import StringIO
from pathlib import Path
from typing import Any

import polars as pl

from vexo.applications import PROTOCOLS
from vexo.applications.fake import FakeClient, Store
from vexo.core.conditions import Condition
from vexo.core.records import IDENTIFIER, VERSION, RecordType

from .records import catalogue

SPENT: dict[str, float] = {}
"""CPU seconds of the stages that are told apart."""


class FileClient(FakeClient):
    """An application whose records are a Parquet file, in place of HTTP. It is only read."""

    def __init__(self, address: str, token: str = "", pages: str = "", *, quick: bool = False) -> None:
        self.store, self._path = Store(catalogue()), address

    def _frame(self, record_type: RecordType, fields: Sequence[str]) -> pl.DataFrame:
        records = pl.scan_parquet(self._path).with_columns(pl.col(IDENTIFIER).alias(record_type.identifier))
        return records.select(IDENTIFIER, VERSION, *dict.fromkeys(fields)).collect()

    def read(
        self,
        record_type: RecordType,
        fields: Sequence[str],
        condition: Condition | None = None,
        order: Sequence[str] = (),
        top: int | None = None,
        after: str = "",
    ) -> Iterator[pl.DataFrame]:
        # A few of the records are no reason to read all.
        if top is None or condition is not None or after or [*order] not in ([], [record_type.identifier]):
            yield from super().read(record_type, fields, condition, order, top, after)
            return
        records = pl.scan_parquet(self._path).with_columns(pl.col(IDENTIFIER).alias(record_type.identifier))
        yield records.select(IDENTIFIER, VERSION, *dict.fromkeys(fields)).head(top).collect()

    def count(self, record_type: RecordType, condition: Condition | None = None) -> int:
        if condition is not None:
            return super().count(record_type, condition)
        return int(pl.scan_parquet(self._path).select(pl.len()).collect().item())


PROTOCOLS["file"] = f"{__name__}:FileClient"


def command(data: Path, *words: str) -> Any:
    """A command of Vexo's in this process, and what it tells."""
    from vexo.cli.main import main

    output = StringIO()
    with redirect_stdout(output):
        try:
            main(["--data", str(data), "--as", "ada", *words, "--json"])
        except SystemExit as end:
            if end.code not in (0, 1, None):
                raise
    return json.loads(output.getvalue())


def send_out(folder: Path) -> None:
    """Make the data folder ``out`` and send all records out from it."""
    from vexo.server.setting_up import set_up

    data = folder / "out"
    set_up(data)
    from vexo.server.applications.models import Application
    from vexo.server.people.models import Person, Role

    Person.objects.create(username="ada", name="Ada", role=Role.ADMINISTRATOR)
    Application.objects.create(
        name="bench", label="Bench", stage="practice", protocol="file", address=str(folder / "then.parquet")
    )
    command(data, "send-out", "bench", "Reading", "--format", "csv", "-o", str(folder / "sent.csv"))
    Application.objects.update(address=str(folder / "now.parquet"))


def copied(folder: Path) -> Path:
    """A copy of the data folder; what never changes in it is shared."""
    data = folder / "copy"
    shutil.rmtree(data, ignore_errors=True)
    shutil.copytree(folder / "out", data, copy_function=lambda a, b: (shutil.copy2 if ".db" in a else os.link)(a, b))
    return data


def bring_in(folder: Path) -> dict[str, int]:
    """Bring the edited sheet in, up to its stored plan; the verdicts."""
    from vexo.server.setting_up import set_up

    set_up(folder / "copy")
    _count_stages()
    words = ("bring-in", "bench", "Reading", str(folder / "sheet.csv"), "--trip", "1")
    plan = command(folder / "copy", *words)
    return {name: count for name, count in plan["verdicts"].items() if count}


def _count_stages() -> None:
    """Count the CPU of some stages apart."""
    from vexo.server import artifacts
    from vexo.server.ingest import bring_in as bringing
    from vexo.server.ingest import prepare_sheet
    from vexo.server.planning import damage, materials, plan_trip
    from vexo.server.trips import sheet_cells

    places = (
        ("recognising", bringing, "incoming_of"),
        ("storing", artifacts, "write"),
        ("damage", damage.DamageSearch, "run"),
        ("totals", prepare_sheet, "sheet_totals"),
        ("reading", bringing, "read_upload"),
        ("totals", sheet_cells, "sheet_totals"),
        ("make_plan", plan_trip, "make_plan"),
        ("carrying", materials, "carry"),
    )
    for name, owner, attribute in places:
        setattr(owner, attribute, _counted(name, getattr(owner, attribute)))


def _counted(name: str, work: Any) -> Any:
    @wraps(work)
    def counted(*arguments: Any, **options: Any) -> Any:
        began = time.process_time()
        try:
            return work(*arguments, **options)
        finally:
            SPENT[name] = SPENT.get(name, 0.0) + time.process_time() - began

    return counted
