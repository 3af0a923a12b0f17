"""What an application sends is a value or an error, never an empty one by itself."""

from __future__ import annotations

import unittest
from decimal import ROUND_HALF_EVEN, Context, Decimal
from typing import Any

import polars as pl
from hypothesis import example, given
from hypothesis import strategies as st

from tests.core.examples import BERTH, CATALOGUE
from vexo.applications import ApplicationError
from vexo.applications.odata.records import to_frame, to_json, typed
from vexo.core.cell_parser import parse
from vexo.core.columns.fast_parse import plain_values
from vexo.core.records import Field, Kind
from vexo.core.values import to_text

WIDE = Context(prec=400)


def frame(**values: Any) -> Any:
    return to_frame([{"id": 1, **values}], list(values), BERTH, CATALOGUE)


class Records(unittest.TestCase):
    def test_a_value_beyond_the_catalogue_is_said_with_its_field(self) -> None:
        for values in (
            {"rate": Decimal("12.345")},
            {"rate": Decimal(10) ** 17},
            {"nights": Decimal("3.5")},
            {"until": "soon"},
            {"until": ""},
            {"rate": ""},
            {"nights": " "},
            {"seen": "2026-13-01T00:00:00Z"},
        ):
            with self.subTest(values), self.assertRaisesRegex(ApplicationError, "says '.*' for .+ leave the field out"):
                frame(**values)

    def test_what_is_within_it_is_taken_as_it_is(self) -> None:
        read = frame(rate=Decimal("12.340"), nights=3, until=None, seen="2026-01-02T03:04:05.1234567Z")
        self.assertEqual(read["rate"][0], Decimal("12.34"))
        self.assertEqual((read["nights"][0], read["until"][0]), (3, None))
        self.assertEqual(read["seen"][0].microsecond, 123456)

    @given(st.integers(-(2**63), 2**63 - 1))
    @example(2**63 - 1)
    @example(10**18)
    def test_every_whole_number_of_64_bits_goes_out_and_comes_back(self, value: int) -> None:
        field = Field("n", "N", Kind.WHOLE)
        [held] = typed([(field, [value])])
        texts = to_text(field, held)
        self.assertEqual((held[0], texts[0]), (value, str(value)))
        self.assertEqual(parse(field, texts).values[0], value)
        self.assertEqual(plain_values(field, texts)[0][0], value)

    def test_what_has_more_bits_is_said_to_be_too_large(self) -> None:
        field = Field("n", "N", Kind.WHOLE)
        for text in (str(2**63), str(-(2**63) - 1), "9" * 30):
            with self.assertRaisesRegex(ApplicationError, "says"):
                typed([(field, [Decimal(text)])])
            read = parse(field, pl.Series([text]))
            self.assertEqual((read.values[0], read.problems[0]), (None, "too-large"))
            self.assertEqual(plain_values(field, pl.Series([text]))[0][0], None)

    @given(st.floats(-1e18, 1e18))
    @example(0.1 + 0.2)
    @example(1e-7)
    @example(5e-324)
    @example(-0.0)
    @example(54.123456789012)
    def test_a_number_of_no_fixed_decimals_goes_out_and_comes_back(self, value: float) -> None:
        field, said = Field("d", "D", Kind.DECIMAL), Decimal(repr(value))
        [held] = typed([(field, [said])])
        kept = said.quantize(Decimal("1e-18"), ROUND_HALF_EVEN, WIDE)
        self.assertEqual(held[0], kept, "to eighteen decimals")
        texts = to_text(field, held)
        self.assertEqual(texts[0], format(WIDE.normalize(kept) + 0, "f"), "in the shortest form")
        self.assertEqual(parse(field, texts).values[0], held[0])
        self.assertEqual(plain_values(field, texts)[0][0], held[0])
        self.assertEqual(str(to_json(field, held[0])), str(Decimal(texts[0])), "and so it is written")

    def test_zeros_before_the_point_stay_also_of_what_was_kept_without_decimals(self) -> None:
        field = Field("d", "D", Kind.DECIMAL)
        for scale in (0, 2, 10, 18):
            kept = pl.Series(["100", "0", "-1200", "10.5" if scale else "10"]).cast(pl.Decimal(38, scale))
            self.assertEqual(to_text(field, kept).to_list(), ["100", "0", "-1200", "10.5" if scale else "10"])

    def test_one_that_is_larger_than_can_be_held_is_said(self) -> None:
        for value in (Decimal("1e300"), Decimal(10) ** 19):
            with self.assertRaisesRegex(ApplicationError, "too large"):
                typed([(Field("d", "D", Kind.DECIMAL), [value])])
