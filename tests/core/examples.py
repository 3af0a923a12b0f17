"""A small catalogue and small sheets to test the core with."""

from __future__ import annotations

from typing import Any

import polars as pl

from vexo.core.columns.carrying import Reading, carry
from vexo.core.columns.matching import ColumnMatch
from vexo.core.planning import Inputs, Operation, Settings, make_plan
from vexo.core.planning.planning import DECISIONS
from vexo.core.records import IDENTIFIER, VERSION, Catalogue, Choice, Field, Kind, Promises, RecordType
from vexo.core.values import parse

SERVICES = tuple(Choice(name, name.title()) for name in ("water", "power", "wifi"))
BERTH = RecordType(
    name="Berth",
    label="Berth",
    plural="Berths",
    source="Berths",
    identifier="id",
    fields=(
        Field("id", "Record ID", Kind.TEXT, read_only=True, quoted=False),
        Field("code", "Code", Kind.TEXT, required=True, max_length=10),
        Field("rate", "Daily rate", Kind.DECIMAL, precision=18, scale=2),
        Field("services", "Services", Kind.CHOICES, choices=SERVICES),
        Field(
            "status", "Status", Kind.CHOICE, choices=(Choice("free", "Free"), Choice("let", "Let")), has_default=True
        ),
        Field("name", "Name", Kind.TEXT, required=True),
        Field("due", "Due", Kind.DECIMAL, scale=2, precision=12, read_only=True),
        Field("until", "Insured until", Kind.DATE),
        Field("open", "Open", Kind.YES_NO),
        Field("nights", "Nights", Kind.WHOLE),
        Field("seen", "Seen", Kind.MOMENT),
        Field("holder", "Holder", Kind.REFERENCE, target="Holder", navigation="to_holder", quoted=False),
    ),
    keys=(("code",),),
)
HOLDER = RecordType(
    name="Holder",
    label="Holder",
    plural="Holders",
    source="Holders",
    identifier="id",
    fields=(
        Field("id", "Record ID", Kind.TEXT, read_only=True, quoted=False),
        Field("number", "Holder no.", Kind.TEXT, required=True),
    ),
    keys=(("number",),),
)
CATALOGUE = Catalogue("Test register", (BERTH, HOLDER), Promises())


def cells(*rows: tuple[Any, ...], columns: int | None = None) -> pl.DataFrame:
    """Rows of texts as the cells of a sheet, its first row being 2."""
    width = columns or len(rows[0])
    data: dict[str, Any] = {"row": pl.Series(range(2, len(rows) + 2), dtype=pl.UInt32)}
    data |= {f"c{at}": pl.Series([row[at] for row in rows], dtype=pl.String) for at in range(width)}
    return pl.DataFrame(data)


def matches(*names: str) -> list[ColumnMatch]:
    return [ColumnMatch(f"c{at}", name, BERTH.field(name), "name") for at, name in enumerate(names)]


def records(names: list[str], *rows: tuple[Any, ...]) -> pl.DataFrame:
    """Records by their texts; the first text is the record ID, the second the version."""
    columns = [
        pl.Series(IDENTIFIER, [row[0] for row in rows], dtype=pl.String),
        pl.Series("id", [row[0] for row in rows], dtype=pl.String),
        pl.Series(VERSION, [row[1] for row in rows], dtype=pl.String),
    ]
    for at, name in enumerate(names):
        texts = pl.Series([row[at + 2] for row in rows], dtype=pl.String)
        columns.append(parse(BERTH.field(name), texts).values.alias(name))
    return pl.DataFrame(columns)


def plan(
    names: list[str],
    sheet: list[tuple[Any, ...]],
    now: list[tuple[Any, ...]],
    kept: list[tuple[Any, ...]] | None = None,
    *,
    operation: Operation = Operation.UPDATE,
    key: tuple[str, ...] = ("code",),
    decisions: list[tuple[int, str | None, str]] | None = None,
    marks: bool = True,
) -> pl.DataFrame:
    """Plan a small sheet against small records."""
    own = [name for name in names if name != "id"]
    carried = carry(cells(*sheet, columns=len(names)), matches(*names), BERTH, Reading(marks=marks), {})
    said = pl.DataFrame(decisions or [], schema=DECISIONS, orient="row")
    inputs = Inputs(BERTH, carried, records(own, *now), records(own, *kept) if kept is not None else None, said)
    return make_plan(inputs, Settings(operation, key, tuple(own)))


def verdicts(made: pl.DataFrame) -> list[str]:
    return made["verdict"].to_list()
