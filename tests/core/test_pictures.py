"""Pictures of a field before and after: every value in one bar, every change counted, against plain counting."""

from __future__ import annotations

import unittest
from collections import Counter
from datetime import date, timedelta
from decimal import Decimal
from itertools import pairwise
from typing import Any

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from tests.core.examples import BERTH
from vexo.core.planning.distributions import Bar, Counted, day_bars, number_bars
from vexo.core.planning.frame import VERDICT, FieldColumns
from vexo.core.planning.pictures import Change, Shown, picture_of
from vexo.core.planning.verdicts import CellAction, Verdict
from vexo.core.records import Field, Kind
from vexo.core.sheets.sheet import ROW_ID
from vexo.core.values import dtype
from vexo.core.writing.pictures import as_written

NUMBERS = st.lists(
    st.one_of(
        st.decimals(min_value=Decimal(-50), max_value=Decimal(50), places=2),
        st.decimals(min_value=Decimal("-99999999999999.99"), max_value=Decimal("99999999999999.99"), places=2),
    ),
    max_size=60,
)
DAYS = st.lists(st.dates(min_value=date(1900, 1, 1), max_value=date(2200, 1, 1)), max_size=60)
DAY, WHOLE, NOTES = Field("day", "Day", Kind.DATE), Field("n", "N", Kind.WHOLE), Field("notes", "Notes", Kind.TEXT)


def within(bar: Bar, value: Any, read: Any) -> bool:
    return (not bar.low or read(bar.low) <= value) and (not bar.high or value < read(bar.high))


class Bars(unittest.TestCase):
    def held(self, bars: list[Bar], before: list[Any], after: list[Any], read: Any) -> None:
        """Each value lies in exactly one bar, and the bars follow one another."""
        for bar in bars:
            self.assertEqual(
                (bar.before, bar.after),
                (sum(within(bar, v, read) for v in before), sum(within(bar, v, read) for v in after)),
                bar,
            )
        self.assertEqual((sum(b.before for b in bars), sum(b.after for b in bars)), (len(before), len(after)))
        self.assertTrue(all(one.high == other.low for one, other in pairwise(bars)))
        self.assertLessEqual(len(bars), 23)
        self.assertFalse(any(bar.far for bar in bars[1:-1]))

    @given(NUMBERS, NUMBERS)
    def test_numbers(self, before: list[Decimal], after: list[Decimal]) -> None:
        kind = pl.Decimal(18, 2)
        bars = number_bars(Counted.of(pl.Series(before, dtype=kind), pl.Series(after, dtype=kind)))
        self.held(bars, before, after, Decimal)

    @given(st.lists(st.integers(-(2**63), 2**63 - 1), max_size=40), st.lists(st.integers(-20, 20), max_size=40))
    def test_whole_numbers(self, before: list[int], after: list[int]) -> None:
        bars = number_bars(Counted.of(pl.Series(before, dtype=pl.Int64), pl.Series(after, dtype=pl.Int64)))
        self.held(bars, before, after, Decimal)

    @given(DAYS, DAYS)
    def test_days(self, before: list[date], after: list[date]) -> None:
        bars = day_bars(Counted.of(pl.Series(before, dtype=pl.Date), pl.Series(after, dtype=pl.Date)))
        self.held(bars, before, after, date.fromisoformat)

    def test_what_lies_far_out_shares_a_bar_of_its_own(self) -> None:
        kind = pl.Decimal(18, 2)
        usual = [Decimal(n) for n in range(20, 60)]
        dear = pl.Series([*usual[1:], Decimal("99999.99")], dtype=kind)
        bars = number_bars(Counted.of(pl.Series(usual, dtype=kind), dear))
        self.assertEqual([bar for bar in bars if bar.far], [Bar(bars[-1].low, "", 0, 1, far=True)])
        days = [date(2026, 1, 1) + timedelta(days=n) for n in range(60)]
        bars = day_bars(Counted.of(pl.Series(days), pl.Series([*days[1:], date(2072, 1, 1)])))
        self.assertEqual([bar.after for bar in bars if bar.far], [1])
        self.assertEqual(number_bars(Counted.of(pl.Series([], dtype=kind), pl.Series([], dtype=kind))), [])


ROWS = st.lists(
    st.tuples(
        st.sampled_from([Verdict.CREATE, Verdict.UPDATE, Verdict.SAME, Verdict.HELD, Verdict.DELETE, Verdict.ASIDE]),
        st.sampled_from([CellAction.NOTHING, CellAction.WRITE, CellAction.HELD, CellAction.BAD]),
        st.sampled_from([None, "1.00", "2.00", "30.50"]),
        st.sampled_from([None, "1.00", "2.00", "4050.00"]),
    ),
    max_size=40,
)


def plan(rows: list[tuple[Any, ...]], field: Field) -> pl.DataFrame:
    columns = FieldColumns(field.name)
    names = [VERDICT, columns.action, columns.current, columns.proposed]
    parts = list(zip(*rows, strict=True)) if rows else [(), (), (), ()]
    kinds = [pl.String(), pl.UInt8(), dtype(field), dtype(field)]
    as_values = [parts[0], parts[1], *[[_typed(text, field) for text in part] for part in parts[2:]]]
    return pl.DataFrame([pl.Series(n, list(v), dtype=k) for n, v, k in zip(names, as_values, kinds, strict=True)])


def _typed(text: str | None, field: Field) -> Any:
    return Decimal(text) if text is not None and field.is_number else text


class Pictures(unittest.TestCase):
    @given(ROWS)
    def test_before_and_after_and_changes_against_plain_counting(self, rows: list[tuple[Any, ...]]) -> None:
        picture = picture_of(plan(rows, BERTH.field("rate")), BERTH.field("rate"))
        going = (Verdict.CREATE, Verdict.UPDATE)
        writes = [row for row in rows if row[0] in going and row[1] == CellAction.WRITE]
        before = [Decimal(row[2]) for row in rows if row[2] is not None]
        after = [row[3] if row in writes else row[2] for row in rows if row[0] != Verdict.DELETE]
        values = [Decimal(text) for text in after if text is not None]
        self.assertEqual((picture.before.filled, picture.after.filled), (len(before), len(values)))
        self.assertEqual(
            (Decimal(picture.before.sum or 0), Decimal(picture.after.sum or 0)), (sum(before), sum(values))
        )
        ends = [str(f(part)) if part else None for part in (before, values) for f in (min, max)]
        told = [picture.before.least, picture.before.greatest, picture.after.least, picture.after.greatest]
        self.assertEqual(told, ends)
        counted = Counter((row[2] or "", row[3] or "") for row in writes)
        self.assertEqual({(c.old, c.new): c.count for c in picture.changes}, dict(counted))
        self.assertEqual(picture.different_changes, len(counted))
        self.assertEqual(picture.held, sum(row[1] == CellAction.HELD for row in rows))
        self.assertEqual(picture.unreadable, sum(row[1] == CellAction.BAD for row in rows))
        self.assertEqual(sum(bar.after for bar in picture.bars), len(values))

    @given(
        st.lists(st.tuples(st.sampled_from(["a", "b", "c", None]), st.sampled_from(["a", "b", "d", None])), max_size=30)
    )
    def test_values(self, pairs: list[tuple[str | None, str | None]]) -> None:
        rows = [(Verdict.UPDATE, CellAction.WRITE, old, new) for old, new in pairs]
        picture = picture_of(plan(rows, NOTES), NOTES)
        self.assertEqual(picture.shown, Shown.VALUES)
        before, after = Counter(old for old, _ in pairs if old), Counter(new for _, new in pairs if new)
        wanted = {value: (before[value], after[value]) for value in {*before, *after}}
        self.assertEqual({bar.value: (bar.before, bar.after) for bar in picture.values}, wanted)
        self.assertEqual((picture.bars, picture.other_values), ([], 0))

    def test_many_different_texts_are_lengths_with_the_commonest(self) -> None:
        rows = [(Verdict.UPDATE, CellAction.WRITE, f"text {n}" * n, "same") for n in range(1, 30)]
        picture = picture_of(plan(rows, NOTES), NOTES)
        self.assertEqual(picture.shown, Shown.LENGTHS)
        self.assertEqual(sum(bar.before for bar in picture.bars), 29)
        self.assertEqual((picture.values[0].value, picture.values[0].after), ("same", 29))
        self.assertEqual((len(picture.changes), picture.different_changes), (12, 29))

    def test_many_valued_fields_count_their_items(self) -> None:
        field = BERTH.field("services")
        columns = FieldColumns("services")
        made = pl.DataFrame(
            {
                VERDICT: [Verdict.UPDATE.value, Verdict.SAME.value],
                columns.action: pl.Series([CellAction.WRITE, CellAction.NOTHING], dtype=pl.UInt8),
                columns.current: pl.Series([["water"], ["water", "power"]], dtype=dtype(field)),
                columns.proposed: pl.Series([["water", "wifi"], None], dtype=dtype(field)),
            }
        )
        picture = picture_of(made, field)
        self.assertEqual(
            {bar.value: (bar.before, bar.after) for bar in picture.values},
            {"water": (2, 2), "power": (1, 1), "wifi": (0, 1)},
        )
        self.assertEqual(picture.changes, [Change("water", "water; wifi", 1)])


class Written(unittest.TestCase):
    def test_passes_under_a_field_of_other_places_are_one_picture(self) -> None:
        field = Field("rate", "Rate", Kind.DECIMAL, scale=2)
        columns = FieldColumns("rate")

        def page(row: int, before: str, after: str, places: int) -> pl.DataFrame:
            kind = pl.Decimal(18, places)
            return pl.DataFrame(
                {
                    ROW_ID: [row],
                    "state": ["updated"],
                    columns.before: pl.Series([Decimal(before)], dtype=kind),
                    columns.base_app: pl.Series([Decimal(after)], dtype=kind),
                    columns.wrote: [True],
                }
            )

        now = pl.Series([Decimal("2.50"), Decimal("4.25")], dtype=dtype(field))
        plan = pl.DataFrame({ROW_ID: pl.Series([1, 2], dtype=pl.UInt32), columns.current: now, columns.proposed: now})
        table = as_written(plan, [page(1, "1", "3", 0), page(1, "3.00", "2.50", 2), page(2, "4", "4.25", 2)], field)
        self.assertEqual(table[columns.current].to_list(), [Decimal("1.00"), Decimal("4.00")])
        self.assertEqual(table[columns.proposed].to_list(), [Decimal("2.50"), Decimal("4.25")])
