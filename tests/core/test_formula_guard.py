"""The guard against formulas: put on by the writers, taken off when a sheet comes back, and never lost or doubled."""

from __future__ import annotations

import unittest
from pathlib import Path

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from vexo.core.sheets.formula_guard import FORMULA_BEGIN, PREFIXED, put_on, take_off

DANGEROUS = "=+-@\t\r\n＝＋－＠'"
TEXTS = st.lists(st.one_of(st.none(), st.text(alphabet=DANGEROUS + "a1 é", max_size=6)), max_size=20)


class FormulaGuard(unittest.TestCase):
    @given(TEXTS)
    def test_what_is_guarded_comes_back_and_begins_with_nothing_dangerous(self, texts: list[str | None]) -> None:
        column = pl.Series(texts, dtype=pl.String)
        guarded = put_on(column)
        self.assertEqual(take_off(guarded).to_list(), texts)
        for before, after in zip(texts, guarded, strict=True):
            if before and before[0] in DANGEROUS:
                self.assertEqual(after, "'" + before)
            else:
                self.assertEqual(after, before)

    def test_both_beginnings_are_of_the_same_characters(self) -> None:
        for sign in DANGEROUS:
            column = pl.Series([f"{sign}x", f"'{sign}x", f"x{sign}"])
            self.assertEqual(column.str.contains(FORMULA_BEGIN).to_list(), [True, True, False], repr(sign))
            self.assertEqual(column.str.contains(PREFIXED).to_list()[1:], [True, False], repr(sign))

    def test_no_other_place_keeps_a_list_of_its_own(self) -> None:
        for path in (Path(__file__).parents[2] / "vexo").rglob("*.py"):
            if path.name != "formula_guard.py":
                self.assertNotRegex(path.read_text(encoding="utf-8"), r"\[=\+\\*-@", path.name)
