from __future__ import annotations

import unicodedata
import unittest
from datetime import UTC, date, datetime
from decimal import Context, Decimal
from typing import Any

import polars as pl
from hypothesis import example, given
from hypothesis import strategies as st

from tests.core.examples import BERTH
from vexo.core.cell_parser import parse, parse_all
from vexo.core.problems import BETWEEN
from vexo.core.records import Field, Kind
from vexo.core.values import (
    SPACE_CHARACTERS,
    bare,
    count_different,
    dtype,
    exact_sum,
    join_items,
    normal_all,
    rounded_to_15,
    same,
    split_items,
    to_text,
)

RATE = BERTH.field("rate")
_WHOLE = st.integers(1 - 10**18, 10**18 - 1)
_DECIMAL = st.integers(1 - 10**38, 10**38 - 1).map(lambda digits: Decimal(digits).scaleb(-2, Context(prec=60)))


class Different(unittest.TestCase):
    @given(st.integers(0, 3), st.lists(st.integers(0, 29_999), max_size=3), st.sampled_from(["t{}", "00{}", "{}"]))
    def test_are_counted_as_one_by_one(self, alike: int, blanks: list[int], form: str) -> None:
        texts: list[str | None] = [form.format(n) for n in range(30_000)]
        for n in range(alike):
            texts[20_000 + n] = texts[n * 7]
        for n in blanks:
            texts[n] = None
        told = count_different(pl.Series(texts, dtype=pl.String))
        self.assertEqual(told, len({one for one in texts if one is not None}))


class Sums(unittest.TestCase):
    @given(st.lists(st.none() | _WHOLE, max_size=60))
    def test_of_whole_numbers_have_all_digits(self, values: list[int | None]) -> None:
        told = exact_sum(pl.Series(values, dtype=pl.Int64))
        self.assertEqual(int(told), sum(one for one in values if one is not None))

    @given(st.lists(st.none() | _DECIMAL, max_size=30))
    @example([Decimal("9" * 36 + ".99")] * 30)
    def test_of_decimals_have_all_digits(self, values: list[Decimal | None]) -> None:
        told = exact_sum(pl.Series(values, dtype=pl.Decimal(38, 2)))
        plain = Decimal(0)
        for one in values:
            plain = Context(prec=200).add(plain, one or 0)
        self.assertEqual(told, plain)


def read(field: Field, *texts: str | None) -> tuple[list[object], list[str | None]]:
    parsed = parse(field, pl.Series(list(texts), dtype=pl.String))
    return parsed.values.to_list(), parsed.problems.to_list()


CELLS = st.one_of(
    st.none(),
    st.text(max_size=6),
    st.text(alphabet="0123456789.,-+oOlIeE \u00a0\u0663", max_size=9),
    st.sampled_from(("yes", "NEIN", "s\u00ed", "2026-01-05", "2026-01-05T12:30Z", "water; power", ";", "\r\n", "free")),
)


def read_plainly(text: str | None, scale: int, digits: int) -> tuple[Decimal | None, str | None]:
    """A cell as a number, cell by cell and by Python's own means: the value, or the code of what is wrong."""
    plain = (text or "").strip(SPACE_CHARACTERS)
    plain = "".join(str(unicodedata.decimal(c, c)) for c in plain)
    if not plain:
        return None, None
    whole, _, places = plain.lstrip("+-").partition(".")
    figures = "0123456789"
    if plain[1:].strip("+-") != plain[1:] or not (whole + places) or (set(whole + places) - set(figures)):
        return None, "not a number"
    if len(whole.lstrip("0")) > digits - scale:
        return None, "too-large"
    return (None, "too-fine") if len(places.rstrip("0")) > scale else (Decimal(plain), None)


def plainly_normal(text: str | None) -> str | None:
    lines = (text or "").replace("\r\n", "\n").replace("\r", "\n")
    return unicodedata.normalize("NFC", lines) or None


class Columns(unittest.TestCase):
    """All columns of a table are parsed together: none may touch another."""

    @given(st.lists(CELLS, max_size=4))
    def test_each_column_is_read_as_if_it_stood_alone(self, cells: list[str | None]) -> None:
        columns = [(field, pl.Series("same name", cells, dtype=pl.String)) for field in BERTH.fields]
        for (field, column), together in zip(columns, parse_all(columns), strict=True):
            alone = parse(field, column)
            self.assertEqual(together.values.to_list(), alone.values.to_list(), (field.name, column.to_list()))
            self.assertEqual(together.problems.to_list(), alone.problems.to_list(), (field.name, column.to_list()))
            self.assertEqual((together.values.dtype, together.values.name), (dtype(field), "same name"))
        self.assertEqual(parse_all([]), [])

    @given(st.lists(st.lists(CELLS, min_size=3, max_size=3), max_size=3), st.integers(0, 3))
    def test_each_is_as_it_is_compared_whatever_stands_beside_it(self, columns: list[list[Any]], rows: int) -> None:
        texts = [pl.Series(f"c{at}", cells[:rows], dtype=pl.String) for at, cells in enumerate(columns)]
        for long in (1, 400):
            repeated = [pl.concat([one] * long) for one in texts]
            for column, normal in zip(repeated, normal_all(repeated), strict=True):
                self.assertEqual(normal.to_list(), [plainly_normal(text) for text in column], column.name)
                self.assertEqual(normal.name, column.name)

    @given(st.lists(CELLS, max_size=4))
    def test_numbers_are_as_one_reads_them_cell_by_cell(self, cells: list[str | None]) -> None:
        parsed = parse(RATE, pl.Series(cells, dtype=pl.String))
        scale, digits = RATE.scale or 0, RATE.precision or 38
        for text, value, problem in zip(cells, parsed.values.to_list(), parsed.problems.to_list(), strict=True):
            expected, wrong = read_plainly(text, scale, digits)
            self.assertEqual(value, expected, repr(text))
            code = (problem or "").split(BETWEEN)[0]
            self.assertEqual(code in ("too-large", "too-fine"), wrong in ("too-large", "too-fine"), repr(text))
            self.assertEqual(bool(code), bool(wrong), repr(text))


class Numbers(unittest.TestCase):
    def test_digits_are_kept_exactly(self) -> None:
        values, problems = read(RATE, "0.1", "12345678901234.56", " 5 ", "-3", "+1.10", None)
        self.assertEqual(problems, [None] * 6)
        self.assertEqual(values[:2], [Decimal("0.10"), Decimal("12345678901234.56")])

    def test_what_is_no_number_is_said_with_its_remedy(self) -> None:
        values, problems = read(RATE, "4O.50", "1,5", "1.005", "x", "1e5", "99999999999999999")
        self.assertEqual(values, [None] * 6)
        codes = [(problem or "").split(BETWEEN) for problem in problems]
        self.assertEqual(
            codes,
            [
                ["letter-for-figure"],
                ["decimal-comma"],
                ["too-fine", "2"],
                ["not-a-number"],
                ["not-a-number"],
                ["too-large"],
            ],
        )

    @given(st.text(min_size=1, max_size=6))
    def test_a_cell_with_anything_in_it_is_never_empty_by_itself(self, text: str) -> None:
        for field in BERTH.fields:
            parsed = parse(field, pl.Series([text], dtype=pl.String))
            if bare(pl.Series([text]))[0] is not None:
                read_as = parsed.values[0] is not None and not (
                    isinstance(parsed.values[0], pl.Series) and parsed.values[0].is_empty()
                )
                self.assertTrue(read_as or parsed.problems[0] is not None, (field.name, text))

    @given(st.lists(st.characters(categories=["Nd"]), min_size=1, max_size=9))
    def test_decimal_digits_of_every_script_are_read(self, digits: list[str]) -> None:
        plain = "".join(str(unicodedata.decimal(digit)) for digit in digits)
        values, problems = read(RATE, "".join(digits), f"-{''.join(digits)}.{digits[0]}")
        self.assertEqual(problems, [None, None])
        self.assertEqual(values, [Decimal(plain), Decimal(f"-{plain}.{plain[0]}")])

    def test_other_signs_that_look_like_digits_are_no_digits(self) -> None:
        self.assertEqual(read(RATE, "5²", "½", "①", "１２，５")[0], [None] * 4)
        self.assertEqual(read(BERTH.field("until"), "２０２６-01-02")[0], [date(2026, 1, 2)])

    @given(st.decimals(min_value=-(10**15), max_value=10**15, places=2, allow_nan=False))
    def test_every_decimal_comes_back(self, number: Decimal) -> None:
        text = to_text(RATE, pl.Series([number], dtype=dtype(RATE)))
        self.assertEqual(read(RATE, text.item())[0], [number])

    @given(st.integers(min_value=-(10**17), max_value=10**17))
    def test_every_whole_number_comes_back(self, number: int) -> None:
        self.assertEqual(read(BERTH.field("nights"), str(number), f"{number}.0")[0], [number, number])

    def test_rounding_as_a_spreadsheet_does(self) -> None:
        values = pl.Series(["12345678901234.56", "38.50"]).cast(dtype(RATE))
        self.assertEqual(rounded_to_15(values).to_list(), [Decimal("12345678901234.60"), None])


class OtherKinds(unittest.TestCase):
    def test_days_and_moments(self) -> None:
        values, problems = read(BERTH.field("until"), "2026-11-16", "2026-11-16T00:00:00", "2026-02-30", "16.11.2026")
        self.assertEqual([str(v) for v in values], ["2026-11-16", "2026-11-16", "None", "None"])
        self.assertEqual(problems[2:], ["not-a-date"] * 2)
        values, _ = read(BERTH.field("seen"), "2026-11-16T09:30:00+02:00", "2026-11-16T07:30Z", "2026-11-16")
        self.assertEqual(values[0], values[1])
        self.assertEqual(values[2], datetime(2026, 11, 16, tzinfo=UTC))

    def test_yes_and_no_in_any_words(self) -> None:
        self.assertEqual(read(BERTH.field("open"), "TRUE", "yes", "X", "no", "0")[0], [True, True, True, False, False])
        self.assertEqual(read(BERTH.field("open"), "perhaps")[1], ["not-yes-or-no"])

    def test_choices_by_value_or_label(self) -> None:
        self.assertEqual(read(BERTH.field("status"), "let", "Free")[0], ["let", "free"])
        self.assertIn("free, let", read(BERTH.field("status"), "gone")[1][0] or "")

    def test_several_choices_are_a_set(self) -> None:
        values, _ = read(BERTH.field("services"), "wifi; Water; wifi", "water;wifi")
        self.assertEqual(values, [["water", "wifi"], ["water", "wifi"]])

    @given(st.lists(st.text(alphabet="ab;\\ c", min_size=1).map(str.strip).filter(bool), max_size=5))
    def test_items_with_separators_come_back(self, items: list[str]) -> None:
        self.assertEqual(split_items(join_items(items)), items)

    @given(st.sampled_from(list(Kind)), st.lists(st.none() | st.text(max_size=12), max_size=6))
    def test_any_text_gives_a_value_or_a_problem_never_both_and_never_an_error(
        self, kind: Kind, texts: list[str | None]
    ) -> None:
        field = Field("f", "F", kind, scale=2, precision=12, choices=BERTH.field("status").choices)
        parsed = parse(field, pl.Series(texts, dtype=pl.String))
        self.assertEqual(parsed.values.dtype, dtype(field))
        self.assertEqual(len(parsed.values), len(texts))
        if kind not in (Kind.TEXT, Kind.REFERENCE):
            both = parsed.values.is_not_null() & parsed.problems.is_not_null()
            self.assertFalse(both.any())

    def test_equality_by_meaning(self) -> None:
        services, name = BERTH.field("services"), BERTH.field("name")
        frame = pl.DataFrame({"a": [["water"], None, []], "b": [["water"], [], ["wifi"]]})
        self.assertEqual(frame.select(same("a", "b", services)).to_series().to_list(), [True, True, False])
        composed, decomposed = "caf\u00e9\r\nx", "cafe\u0301\nx"
        values = parse(name, pl.Series([composed, decomposed])).values
        self.assertEqual(values[0], values[1])
