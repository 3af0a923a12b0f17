"""Edits that lie over a sheet's cells, control totals, and only some rows."""

from __future__ import annotations

import unittest
from decimal import Decimal

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from tests.core.examples import cells
from vexo.core.conditions import ConditionError
from vexo.core.sheets.overlay.edits import (
    CHANGES,
    EditError,
    Replacement,
    as_edits,
    fill_down,
    lay_edits,
    one_cell,
    paste,
    replace,
)
from vexo.core.sheets.row_filter import excluded_rows, read_choice, safe_names
from vexo.core.sheets.sheet import Column
from vexo.core.sheets.totals import as_typed, checked, column_totals

SHEET = cells(("A", "5"), ("B", None), ("C", "7"))


def columns(*headers: str) -> list[Column]:
    return [Column(f"c{at}", header, 0, 0) for at, header in enumerate(headers)]


class Laid(unittest.TestCase):
    def test_the_last_edit_of_a_cell_counts_and_taking_it_back_shows_the_one_before(self) -> None:
        first = as_edits(one_cell(1, "c1", "6"), SHEET, SHEET)
        now = lay_edits(SHEET, first)
        second = as_edits(one_cell(1, "c1", "8"), SHEET, now)
        self.assertEqual(second["before"].to_list(), ["6"])
        both = pl.concat([first, second])
        self.assertEqual(lay_edits(SHEET, both)["c1"].to_list(), ["5", "8", "7"])
        self.assertEqual(lay_edits(SHEET, first)["c1"].to_list(), ["5", "6", "7"])
        self.assertEqual(lay_edits(SHEET, second)["c1"].to_list(), ["5", "8", "7"])

    def test_an_edit_lapses_where_the_file_says_something_else_now(self) -> None:
        edit = as_edits(one_cell(0, "c1", "6"), SHEET, SHEET)
        self.assertEqual(lay_edits(cells(("A", "5.5")), edit)["c1"].to_list(), ["5.5"])

    def test_a_blank_text_empties_a_cell_and_what_is_so_already_is_no_edit(self) -> None:
        edit = as_edits(one_cell(0, "c1", ""), SHEET, SHEET)
        self.assertEqual(lay_edits(SHEET, edit)["c1"].to_list(), [None, None, "7"])
        self.assertEqual(len(as_edits(one_cell(1, "c1", ""), SHEET, SHEET)), 0)
        self.assertEqual(len(as_edits(one_cell(0, "c1", "5"), SHEET, SHEET)), 0)

    def test_the_shown_form_goes_with_the_text(self) -> None:
        sheet = SHEET.with_columns(pl.Series("shown.c1", ["005", None, "007"]))
        laid = lay_edits(sheet, as_edits(one_cell(0, "c1", "9"), sheet, sheet))
        self.assertEqual(laid["shown.c1"].to_list(), [None, None, "007"])

    @given(st.lists(st.tuples(st.integers(0, 2), st.sampled_from(["c0", "c1"]), st.sampled_from(["", "x", "y"]))))
    def test_undoing_everything_gives_the_file_back(self, steps: list[tuple[int, str, str]]) -> None:
        now, done = SHEET, []
        for step in steps:
            edit = as_edits(pl.DataFrame([step], schema=CHANGES, orient="row"), SHEET, now)
            if len(edit):
                done.append(edit)
                now = now.with_columns(lay_edits(SHEET, pl.concat(done)))
        for left in range(len(done), -1, -1):
            laid = lay_edits(SHEET, pl.concat(done[:left])) if left else SHEET
            wanted = {(row, column): text or None for e in done[:left] for row, column, text in _told(e)}
            for (row, column), text in wanted.items():
                self.assertEqual(laid.filter(pl.col("row_id") == row)[column][0], text)


def _told(edit: pl.DataFrame) -> list[tuple[int, str, str | None]]:
    return list(edit.select("row_id", "column", "text").iter_rows())


class Kinds(unittest.TestCase):
    def test_fill_down_copies_the_first_cell_also_a_blank_one(self) -> None:
        made = fill_down(SHEET, "c1", [2, 0, 1])
        self.assertEqual(_told(made), [(0, "c1", "7"), (1, "c1", "7")])
        self.assertEqual(_told(fill_down(SHEET, "c1", [1, 2])), [(2, "c1", None)])
        with self.assertRaises(EditError):
            fill_down(SHEET, "c1", [1])

    def test_replace_plain_and_by_pattern(self) -> None:
        sheet = cells(("a.b", "$1"), ("A.B", "x1y22"), (None, ""))
        self.assertEqual(_told(replace(sheet, ["c0"], Replacement(".", "-"))), [(0, "c0", "a-b"), (1, "c0", "A-B")])
        self.assertEqual(
            _told(replace(sheet, ["c0"], Replacement("a", "$0", capitals=False))),
            [(0, "c0", "$0.b"), (1, "c0", "$0.B")],
        )
        swapped = Replacement(r"([a-z])(\d)", "$2$1", pattern=True)
        self.assertEqual(_told(replace(sheet, ["c0", "c1"], swapped)), [(1, "c1", "1x2y2")])
        self.assertEqual(_told(replace(sheet, ["c0"], Replacement("a.b", "z", whole=True))), [(0, "c0", "z")])
        large = "(a{1000}){1000}"
        for find, why in (("(", "unclosed group"), (large, "too large"), ("", "what is to be found")):
            with self.assertRaisesRegex(EditError, why):
                replace(sheet, ["c0"], Replacement(find, "x", pattern=bool(find)))

    @given(st.text(max_size=6), st.text(min_size=1, max_size=3), st.text(max_size=3))
    def test_a_plain_replace_is_what_a_person_would_do_by_hand(self, text: str, find: str, put: str) -> None:
        made = replace(cells((text,)), ["c0"], Replacement(find, put))
        now = made["text"][0] if len(made) else text
        self.assertEqual(now, text.replace(find, put))

    def test_a_block_reaches_down_and_right_and_never_beyond_the_sheet(self) -> None:
        made = paste([1, 2], ["c0", "c1"], [["x", "1"], ["y"]])
        self.assertEqual(_told(made), [(1, "c0", "x"), (1, "c1", "1"), (2, "c0", "y")])
        with self.assertRaisesRegex(EditError, "2 rows by 1 columns"):
            paste([2], ["c1"], [["a"], ["b"]])


class Totals(unittest.TestCase):
    def told(self, *texts: str | None) -> tuple[int, str, str, str]:
        made = column_totals(pl.Series(list(texts), dtype=pl.String))
        return made.numbers, made.sum, made.least, made.greatest

    def test_sums_are_exact_and_read_as_the_column_is_written(self) -> None:
        self.assertEqual(self.told("0.1", "0.2", None), (2, "0.3", "0.1", "0.2"))
        self.assertEqual(self.told("30,2", "1.039,4", "7"), (3, "1076.6", "7.0", "1039.4"))
        self.assertEqual(self.told("1,234.50", "-2"), (2, "1232.50", "-2.00", "1234.50"))
        self.assertEqual(self.told("1,234", "2,345"), (0, "", "", ""))
        self.assertEqual(self.told("0020418", "0020419"), (0, "", "", ""))
        self.assertEqual(self.told("1", "2", "3", "4", "n/k"), (4, "10", "1", "4"))
        self.assertEqual(self.told("1", "2", "n/k"), (0, "", "", ""))
        self.assertEqual(self.told(*["12345678901234.56"] * 3)[1], "37037036703703.68")

    @given(st.lists(st.decimals(-(10**12), 10**12, allow_nan=False, places=3), min_size=1, max_size=9))
    def test_a_sum_is_what_decimal_arithmetic_gives(self, numbers: list[Decimal]) -> None:
        made = column_totals(pl.Series([format(n, "f") for n in numbers], dtype=pl.String))
        self.assertEqual(Decimal(made.sum), sum(numbers))
        self.assertEqual((Decimal(made.least), Decimal(made.greatest)), (min(numbers), max(numbers)))

    @given(
        st.lists(st.decimals(-(10**9), 10**9, allow_nan=False, places=2), max_size=9),
        st.sampled_from([(" 1,234.50", "1234.50"), ("+7\u00a0", "7"), ("n/k", "0"), ("0.125", "0.125"), ("-0", "0")]),
    )
    def test_a_cell_of_another_kind_changes_a_sum_by_what_it_says(
        self, numbers: list[Decimal], odd: tuple[str, str]
    ) -> None:
        texts = [format(n, "f") for n in numbers]
        made = column_totals(pl.Series([*texts, None, odd[0]], dtype=pl.String))
        too_few = odd[0] == "n/k" and len(numbers) < 4
        self.assertEqual(made.sum == "", too_few)
        if not too_few:
            self.assertEqual(Decimal(made.sum), sum(numbers) + Decimal(odd[1]))
            self.assertEqual(made.numbers, len(numbers) + (odd[0] != "n/k"))

    def test_what_is_expected_is_checked(self) -> None:
        typed = [str(as_typed(text)) for text in ("1,234.50", "1.234,5", "1 234", "x", "1e999999", "NaN")]
        self.assertEqual(typed, ["1234.50", "1234.5", "1234", "None", "None", "None"])
        told = checked({"rows": 4, "sums": {"Rate": "12.50", "Name": "3"}}, 3, {"Rate": "12.5", "Name": ""})
        self.assertEqual([(one["what"], one["off"]) for one in told], [("", "-1"), ("Rate", ""), ("Name", "?")])


class OnlySome(unittest.TestCase):
    sheet = cells(("yes", "30,2", "2026-01-05"), ("no", "40,5", "2026-02-05"), (None, "50", None))
    headers = columns("Done?", "LOA (feet)", "Seen")

    def out(self, condition: str, *by_hand: int) -> list[tuple[int, bool]]:
        only = {"condition": condition, "left_out": list(by_hand)}
        return list(excluded_rows(self.sheet, self.headers, only).iter_rows())

    def test_columns_have_safe_names_each_its_own(self) -> None:
        named = safe_names(columns("Done?", "Done!", "", "2026", "and", "Größe"))
        self.assertEqual(list(named.values()), ["Done", "Done_2", "column_C", "_2026", "_and", "Groe"])

    def test_rows_are_left_out_by_what_their_own_cells_say(self) -> None:
        self.assertEqual(self.out("Done eq 'yes'"), [(1, False), (2, False)])
        self.assertEqual(self.out("LOA_feet gt 35.5 and not (Done eq 'no')"), [(0, False), (1, False)])
        self.assertEqual(self.out("Seen ge 2026-02-01", 1), [(0, False), (1, True), (2, False)])
        self.assertEqual(self.out("", 2), [(2, True)])

    def test_a_slip_names_the_columns(self) -> None:
        with self.assertRaisesRegex(ConditionError, "Did you mean 'Done'"):
            read_choice("Doen eq 'yes'", self.sheet, self.headers)
