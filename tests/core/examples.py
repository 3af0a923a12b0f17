"""A small catalogue and small sheets to test the core with."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import polars as pl

from vexo.core.cell_parser import parse
from vexo.core.columns.carried_values import Reading, carry
from vexo.core.columns.lanes import Lane
from vexo.core.columns.matches import ColumnMatch
from vexo.core.guards import USUAL, GuardSettings
from vexo.core.operations import Operation
from vexo.core.planning.decisions import DECISIONS
from vexo.core.planning.inputs import Inputs, Settings
from vexo.core.planning.merge_base import Ledger
from vexo.core.planning.plan import make_plan
from vexo.core.records import IDENTIFIER, VERSION, Catalogue, Choice, Field, Ignored, Kind, Promises, RecordType
from vexo.core.sheets import Choices, SheetError, SheetProfile
from vexo.core.sheets.readers import child
from vexo.core.sheets.sheet import AS_FOUND, Column

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
    data: dict[str, Any] = {
        "row_id": pl.Series(range(len(rows)), dtype=pl.UInt32),
        "row": pl.Series(range(2, len(rows) + 2), dtype=pl.UInt32),
    }
    data |= {f"c{at}": pl.Series([row[at] for row in rows], dtype=pl.String) for at in range(width)}
    return pl.DataFrame(data)


def matches(*names: str) -> list[ColumnMatch]:
    return [ColumnMatch(f"c{at}", name, BERTH.field(name), "name") for at, name in enumerate(names)]


def guards(**modes: str) -> GuardSettings:
    """Guards of these modes, their names with underscores."""
    return GuardSettings.from_json({name.replace("_", "-"): {"mode": mode} for name, mode in modes.items()})


EMPTYING = GuardSettings.from_json({"field-emptied": {"limits": {"share": 100}}})
"""Guards that let whole columns be emptied."""


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


def carried_rows(
    names: list[str], sheet: list[tuple[Any, ...]], *, marks: bool = True, lanes: dict[str, Lane] | None = None
) -> pl.DataFrame:
    """A small sheet's values."""
    return carry(cells(*sheet, columns=len(names)), matches(*names), BERTH, Reading(marks=marks), {}, lanes)


def plan_and_questions(
    names: list[str],
    sheet: list[tuple[Any, ...]],
    now: list[tuple[Any, ...]],
    kept: list[tuple[Any, ...]] | None = None,
    *,
    operation: Operation = Operation.UPDATE,
    key: tuple[str, ...] = ("code",),
    decisions: pl.DataFrame | None = None,
    marks: bool = True,
    ledger: Ledger | None = None,
    lanes: dict[str, Lane] | None = None,
    guarded_by: GuardSettings = USUAL,
    asked: frozenset[str] = frozenset(),
    ignores: frozenset[Ignored] = frozenset(),
    fields: list[str] | None = None,
    **more: Any,
) -> tuple[pl.DataFrame, pl.DataFrame]:
    """Plan a small sheet against small records, which have ``fields`` where these are not those of the sheet."""
    own = [name for name in names if name != "id"]
    carried = carried_rows(names, sheet, marks=marks, lanes=lanes)
    inputs = Inputs(
        BERTH,
        carried,
        records(fields or own, *now),
        records(own, *kept) if kept is not None else None,
        ledger or Ledger.empty(),
        decisions if decisions is not None else pl.DataFrame(schema=DECISIONS),
        **more,
    )
    planned = make_plan(inputs, Settings(operation, key, tuple(own), lanes or {}, guarded_by, (), asked, ignores))
    return planned.plan, planned.questions


def plan(
    names: list[str],
    sheet: list[tuple[Any, ...]],
    now: list[tuple[Any, ...]],
    kept: list[tuple[Any, ...]] | None = None,
    *,
    said: list[tuple[int, str | None, str]] | None = None,
    **more: Any,
) -> pl.DataFrame:
    """A plan after people's answers: for each (row, field or None, answer), all that the row is asked then.

    The answers are given to a first plan of the same sheet, as a person would give them.
    """
    made, questions = plan_and_questions(names, sheet, now, kept, **more)
    if not said:
        return made
    decisions = answers(made, questions, said)
    return plan_and_questions(names, sheet, now, kept, **{**more, "decisions": decisions})[0]


def answers(
    made: pl.DataFrame, questions: pl.DataFrame, said: list[tuple[int, str | None, str]], argument: str = ""
) -> pl.DataFrame:
    """People's answers to what a plan asks, by the person's row numbers."""
    lines = []
    rows = dict(zip(made["row"].to_list(), made["row_id"].to_list(), strict=True))
    for row, field, answer in said:
        if row not in rows:
            continue
        if answer == "aside":
            lines.append((rows[row], "set-aside", "", "", "aside", ""))
        for line in questions.filter(pl.col("row_id") == rows[row]).iter_rows(named=True):
            if field in (None, line["field"]):
                lines.append((rows[row], line["code"], line["field"], line["digest"], answer, argument))
    return pl.DataFrame(lines, schema=DECISIONS, orient="row")


def codes(made: pl.DataFrame) -> list[list[str]]:
    """The fault codes of each row."""
    return [[fault["code"] for fault in row] for row in made["faults"].to_list()]


def verdicts(made: pl.DataFrame) -> list[str]:
    return made["verdict"].to_list()


def read_here(path: Path, cells: Path, name: str = "", choices: Choices = AS_FOUND) -> SheetProfile:
    """A file read in this process, as the child would."""
    told = child.read(path, cells, name, choices.to_json())
    if "error" in told:
        raise SheetError(told["error"])
    return SheetProfile.from_json(json.loads(json.dumps(told)))


def profile(*headers: str) -> SheetProfile:
    columns = tuple(Column(f"c{n}", header, 1, 1) for n, header in enumerate(headers))
    return SheetProfile("csv", columns, 1, 1, 0, ())
