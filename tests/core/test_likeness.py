"""How like a sheet is to one that went out, beside the rule read cell by cell; and what is not looked at for it."""

from __future__ import annotations

import random
import unittest
from decimal import Decimal, InvalidOperation

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from tests.core.examples import profile
from vexo.core.columns.likeness import ComparedSheet, Likeness, Sent, likeness, renamed
from vexo.core.records import Field, Kind

ID = Field("id", "Record ID", Kind.TEXT)
HARBOUR = Field("harbour", "Harbour", Kind.TEXT)
BERTH = Field("berth_no", "Berth no.", Kind.TEXT)
RATE = Field("rate", "Rate", Kind.DECIMAL, scale=2, precision=8)
NOTES = Field("notes", "Notes", Kind.TEXT)
FIELDS = (ID, HARBOUR, BERTH, RATE, NOTES)
KEYS = (("id",), ("harbour", "berth_no"))
Row = tuple[str | None, ...]


def sent_of(rows: list[Row]) -> tuple[Sent, list[str]]:
    """What went out, and the names of the fields that were asked for."""
    asked: list[str] = []
    columns = dict(zip([f.name for f in FIELDS], zip(*rows, strict=True), strict=True))

    def cells(field: Field) -> pl.Series:
        asked.append(field.name)
        return pl.Series(field.name, columns[field.name], dtype=pl.String)

    return Sent(FIELDS, cells), asked


def sheet_of(headers: list[str], rows: list[Row]) -> ComparedSheet:
    columns = list(zip(*rows, strict=True))
    cells = pl.DataFrame([pl.Series(f"c{at}", own, dtype=pl.String) for at, own in enumerate(columns)])
    return ComparedSheet(profile(*headers), cells)


def plainly(text: str | None) -> str | None:
    """A cell as a person reads it: nothing where it is blank, and a number by its value."""
    text = (text or "").strip()
    if not text:
        return None
    try:
        number = Decimal(text)
    except InvalidOperation:
        return text
    return str(number.normalize())


def as_read(sheet: list[Row], sent: list[Row]) -> Likeness:
    """The rule, row by row: by each key, the cells of rows that are met, and those that are equal."""
    best = Likeness(0, 0, 0)
    for key in ((0,), (1, 2)):
        known = equal = 0
        for row in sheet:
            own = [(row[at] or "").strip() for at in key]
            met = [other for other in sent if all(own) and [other[at] for at in key] == own]
            if len(met) != 1:
                continue
            known += 1
            equal += sum(plainly(row[at]) is not None and plainly(row[at]) == plainly(met[0][at]) for at in (3, 4))
        filled = sum(plainly(row[at]) is not None for row in sheet for at in (3, 4))
        if known:
            best = max(best, Likeness(equal, filled, known), key=lambda one: (one.equal, one.rows))
    return best


class OneKeyAndCells(unittest.TestCase):
    @given(st.integers(0, 2**32))
    def test_as_one_reads_it_row_by_row(self, seed: int) -> None:
        draw = random.Random(seed)
        sent: list[Row] = [
            (str(700 + n), draw.choice("AB"), f"{draw.randrange(4):03}", f"{draw.randrange(4)}.50", draw.choice("xyz "))
            for n in range(draw.randrange(1, 9))
        ]
        sheet: list[Row] = []
        for row in draw.choices(sent, k=draw.randrange(1, 9)):
            ways: dict[int, list[str | None]] = {
                0: [row[0], row[0], f" {row[0]} ", "", "999"],
                1: [row[1], row[1], "C", None],
                2: [row[2], row[2], " " + (row[2] or "")],
                3: [row[3], (row[3] or "").rstrip("0"), "7.00", "seven", "", None],
                4: [row[4], "w", f"{row[4]} ", None],
            }
            sheet.append(tuple(draw.choice(ways[at]) for at in range(5)))
        found = likeness(sheet_of([f.label for f in FIELDS], sheet), sent_of(sent)[0], KEYS)
        self.assertEqual(found, as_read(sheet, sent))

    def test_of_a_trip_that_shares_no_key_nothing_else_is_read(self) -> None:
        sent, asked = sent_of([(str(n), "A", f"{n:03}", "1.50", "x") for n in range(50)])
        stranger = sheet_of([f.label for f in FIELDS], [("X-1", "Z", "001", "1.50", "x")])
        self.assertEqual(likeness(stranger, sent, KEYS), Likeness(0, 0, 0))
        self.assertLessEqual(set(asked), {"id", "harbour", "berth_no"})

    def test_rows_that_one_key_knows_wholly_are_met_by_no_other(self) -> None:
        rows: list[Row] = [(str(n), "A", f"{n:03}", "1.50", "x") for n in range(50)]
        sent, asked = sent_of(rows)
        self.assertEqual(likeness(sheet_of([f.label for f in FIELDS], rows), sent, KEYS), Likeness(100, 100, 50))
        self.assertNotIn("berth_no", asked)

    def test_keys_and_columns_under_other_headers_are_known_by_what_stands_in_them(self) -> None:
        rows: list[Row] = [(str(700 + n), "A", f"{n:03}", f"{n}.50", f"note {n}") for n in range(12)]
        sent, _ = sent_of(rows)
        foreign = sheet_of(["mine", "site", "where", "what it costs", "remarks"], rows)
        self.assertEqual(likeness(foreign, sent, KEYS).equal, 24)
        again = sheet_of(["Record ID", "Harbour", "Berth no.", "what it costs", "remarks"], rows)
        found = renamed(again, sent, KEYS, ["c3", "c4"], ["rate", "notes"])
        self.assertEqual(found, {"c3": "rate", "c4": "notes"})


if __name__ == "__main__":
    unittest.main()
