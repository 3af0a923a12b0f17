"""Whatever goes out and comes back unedited is what it was: for every kind of field, in every format."""

from __future__ import annotations

import json
import unittest
from pathlib import Path
from typing import Any

import polars as pl
from hypothesis import example, given
from hypothesis import strategies as st

from tests import whole_rounds
from tests.core.examples import HOLDER
from tests.support import temporary_folder
from vexo.core.cell_parser import parse
from vexo.core.columns.carried_values import Reading, carry
from vexo.core.columns.matches import match_columns
from vexo.core.operations import Operation
from vexo.core.planning.frame import FieldColumns
from vexo.core.planning.inputs import Inputs, Settings
from vexo.core.planning.plan import make_plan
from vexo.core.records import IDENTIFIER, VERSION, Catalogue, Choice, Field, Kind, Promises, RecordType
from vexo.core.sheets import SheetProfile
from vexo.core.sheets.readers import child
from vexo.core.sheets.sheet import Stamp
from vexo.core.sheets.writers.delimited import fill_csv
from vexo.core.sheets.writers.ods import fill_ods
from vexo.core.sheets.writers.outgoing import Heads, cells_of
from vexo.core.sheets.writers.xlsx import fill_xlsx
from vexo.core.values import bare, dtype, normal, same

ITEMS = ("plain", "a; b", "c\\d", "[clear]", "[x", "=1+1", "e;", "007", "ünïcode 🚤", "שלום")
FIELDS = (
    Field("id", "Record ID", Kind.TEXT, read_only=True, quoted=False),
    Field("note", "Note", Kind.TEXT),
    Field("code", "=Code", Kind.TEXT),
    Field("rate", "Rate", Kind.DECIMAL, precision=20, scale=2),
    Field("deep", "Deep", Kind.DECIMAL, precision=30, scale=12),
    Field("nights", "Nights", Kind.WHOLE),
    Field("day", "Day", Kind.DATE),
    Field("seen", "Seen", Kind.MOMENT),
    Field("open", "Open", Kind.YES_NO),
    Field("one", "One", Kind.CHOICE, choices=tuple(Choice(i, i) for i in ITEMS)),
    Field("many", "Many", Kind.CHOICES, choices=tuple(Choice(i, i) for i in ITEMS)),
    Field("computed", "Computed", Kind.DECIMAL, precision=20, scale=4, read_only=True),
)
TYPE = RecordType("Thing", "Thing", "Things", "Things", "id", FIELDS)
CATALOGUE = Catalogue("Test", (TYPE, HOLDER), Promises())

TEXTS = st.one_of(
    st.sampled_from(
        [
            "0020418", "007", "4021000000000016", "12345678901234567890", "1E5", "03/04/2026", "2026-01-02", "TRUE",
            "=1+1", "+44 1632 960001", "-5", "@here", "'quoted", "''", "[clear]", "[[x", " [add] a", "[keep",
            'say "hi"', "a;b", "a,b", "a\tb", "two\nlines", "\n", " ", "\u00a0", "  padded  ", "é", "e\u0301", "ﬁ",
            "🚤⚓", "שלום עולם", "مرحبا", "x_x0041_x", "_x000D_", "<b>&amp;</b>", "#N/A", "NULL", "12,50", "%", "\\",
        ]
    ),
    st.text(
        alphabet=st.characters(exclude_categories=("Cc", "Cs", "Cn", "Co"), include_characters="\n\t"), max_size=12
    ),
)  # fmt: skip
VALUES: dict[str, st.SearchStrategy[Any]] = {
    "note": TEXTS,
    "code": TEXTS,
    "rate": st.decimals(-(10**17), 10**17, places=2, allow_nan=False).map(lambda d: format(d, "f")),
    "deep": st.decimals(-1000, 1000, places=12, allow_nan=False).map(lambda d: format(d, "f")),
    "nights": st.integers(-(2**62), 2**62).map(str),
    "day": st.dates().map(lambda d: d.isoformat()),
    "seen": st.datetimes().map(lambda d: d.isoformat() + "Z"),
    "open": st.sampled_from(["true", "false"]),
    "one": st.sampled_from(ITEMS),
    "computed": st.decimals(-1000, 1000, places=4, allow_nan=False).map(lambda d: format(d, "f")),
}
RECORDS = st.lists(
    st.fixed_dictionaries(
        {
            **{name: st.none() | own for name, own in VALUES.items()},
            "many": st.lists(st.sampled_from(ITEMS), unique=True),
        }
    ),
    min_size=1,
    max_size=6,
)
EDGES = [
    {"note": " ", "code": "0020418", "rate": "12345678901234567.89", "day": "0001-01-01", "many": ["a; b", "c\\d"]},
    {"note": "=1+1", "code": "\n", "nights": "9007199254740993", "day": "1899-12-31", "many": list(ITEMS)},
    {"note": "\u202eright to left", "seen": "1000-01-01T00:00:00.000001Z", "day": "1900-02-28", "many": []},
]


def table(rows: list[dict[str, Any]]) -> pl.DataFrame:
    columns = [pl.Series(IDENTIFIER, [str(n + 1) for n in range(len(rows))], dtype=pl.String)]
    columns += [columns[0].alias("id"), pl.Series(VERSION, ["v"] * len(rows), dtype=pl.String)]
    for field in FIELDS[1:]:
        texts = [row.get(field.name) for row in rows]
        if field.kind == Kind.CHOICES:
            columns.append(pl.Series(field.name, [sorted(t or [], key=ITEMS.index) for t in texts], dtype=dtype(field)))
        elif field.kind in (Kind.TEXT, Kind.CHOICE):
            columns.append(normal(pl.Series(field.name, texts, dtype=pl.String)).alias(field.name))
        else:
            columns.append(parse(field, pl.Series(texts, dtype=pl.String)).values.alias(field.name))
    return pl.DataFrame(columns)


def write(records: pl.DataFrame, path: Path, names: list[str]) -> Stamp:
    """The records as a sheet, written two rows at a time."""
    fields = [TYPE.field(name) for name in names]
    heads = Heads(fields, TYPE, CATALOGUE)
    for piece in records.iter_slices(2):
        heads.look(cells_of(fields, piece, TYPE, CATALOGUE))
    pieces = (cells_of(fields, piece, TYPE, CATALOGUE) for piece in records.iter_slices(2))
    stamp = Stamp(1, 1, "o", "a", "live", "Thing", tuple((f.name, f.label) for f in fields))
    if path.suffix == ".xlsx":
        fill_xlsx(heads.made(), pieces, len(records), path, "Things", stamp)
    elif path.suffix == ".ods":
        fill_ods(heads.made(), pieces, len(records), path, "Things", stamp)
    else:
        fill_csv(heads.made(), pieces, path, "\t" if path.suffix == ".tsv" else ",")
    return stamp


def read(path: Path) -> tuple[pl.DataFrame, SheetProfile]:
    cells = path.with_suffix(".parquet")
    told = child.read(path, cells, path.name, {})
    assert "error" not in told, told
    return pl.read_parquet(cells), SheetProfile.from_json(json.loads(json.dumps(told)))


class RoundTrip(unittest.TestCase):
    folder: Path

    @classmethod
    def setUpClass(cls) -> None:
        cls.folder = temporary_folder()

    @whole_rounds
    @given(RECORDS, st.permutations([field.name for field in FIELDS]))
    @example(EDGES, [field.name for field in FIELDS])
    def test_unedited_it_is_the_same_in_every_format(self, rows: list[dict[str, Any]], names: list[str]) -> None:
        records = table(rows)
        for ending in ("xlsx", "ods", "csv", "tsv"):
            path = self.folder / f"any.{ending}"
            stamp = write(records, path, names)
            cells, profile = read(path)
            self.assertEqual(profile.rows, len(records))
            matches = match_columns(profile, TYPE, CATALOGUE, stamp=stamp)
            self.assertEqual([m.field.name for m in matches if m.field], names, ending)
            reading = Reading(marks=True, prefixed=ending in ("csv", "tsv"))
            carried = carry(cells, matches, TYPE, reading, {})
            own = tuple(f.name for f in FIELDS if not f.read_only)
            inputs = Inputs(TYPE, carried, records, records)
            plan = make_plan(inputs, Settings(Operation.UPDATE, ("id",), own)).plan
            self.assertEqual(set(plan["verdict"]), {"same"}, (ending, plan["faults"].to_list()))
            for name in own:
                field = TYPE.field(name)
                both = carried.select(pl.col(FieldColumns(name).value).alias("came")).hstack(
                    [records[name].alias("went")]
                )
                alike = both.select(same("came", "went", field)).to_series()
                if field.kind == Kind.TEXT:
                    # White space alone is a blank cell, which leaves the record as it is.
                    alike |= both["came"].is_null() & bare(both["went"]).is_null()
                wrong = both.filter(~alike)
                self.assertTrue(wrong.is_empty(), (ending, name, wrong.rows()))
