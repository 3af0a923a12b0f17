"""What spreadsheets do to cells: found in files that one saved, put back to exactly what was, and no false alarm."""

from __future__ import annotations

import unittest
from datetime import date
from pathlib import Path
from tempfile import TemporaryDirectory

import polars as pl
from hypothesis import event, example, given
from hypothesis import strategies as st

from tests.core.examples import read_here
from tests.damaged import FIELDS, FILES, HERE, SENT
from vexo.core.cell_parser import parse
from vexo.core.records import Field, Kind
from vexo.core.sheets.damage.kinds import harm
from vexo.core.sheets.damage.search import Looked, find_damage, find_lost_keys, unharmed_by_value
from vexo.core.sheets.sheet import ROW, ROW_ID
from vexo.core.values import normal, to_text

EXPECTED = {
    "british.xlsx": {"lost-zeros": 6, "long-number": 5, "date": 3},
    "british.ods": {"lost-zeros": 6, "long-number": 3, "date": 3},
    "western.xlsx": {"lost-zeros": 6, "long-number": 5, "accents": 3},
    "shown.csv": {"lost-zeros": 5, "long-number": 6, "date": 3},
    "errors.xlsx": {"error": 3},
    "errors.ods": {"error": 3},
}


_DAYS = st.dates(date(1999, 1, 1), date(2040, 1, 1))
WRITTEN = st.one_of(
    st.none(),
    st.text("0123456789.,-/ 'Ee:#RFDec", max_size=12),
    st.decimals(-99999, 99999, places=2).map(str),
    _DAYS.map(str),
    _DAYS.map(lambda day: day.strftime("%d.%m.%Y")),
    _DAYS.map(lambda day: day.strftime("%d-%b")),
    _DAYS.map(lambda day: str((day - date(1899, 12, 30)).days)),
    st.sampled_from(
        ["2026-06-30", "2030-07-01", "2022-06-29", "46203", "3.12", "2026-12-03", "#REF!", "12 03", "1,234"]
    ),
)
"""What may stand in a cell of numbers or days, and what may have gone out: near to each other now and then."""


def opened(name: str) -> pl.DataFrame:
    with TemporaryDirectory() as folder:
        target = Path(folder) / "cells.parquet"
        read_here(HERE / name, target)
        return pl.read_parquet(target)


def looked(cells: pl.DataFrame) -> list[Looked]:
    sent = [pl.Series(list(texts), dtype=pl.String) for texts in zip(*SENT, strict=True)]
    return [Looked(f"c{at}", field, cells[f"c{at}"], sent[at]) for at, field in enumerate(FIELDS)]


class SavedByASpreadsheet(unittest.TestCase):
    def test_each_kind_is_found_and_put_back_to_exactly_what_went_out(self) -> None:
        self.assertEqual(set(EXPECTED), set(FILES))
        for name, kinds in EXPECTED.items():
            with self.subTest(name):
                cells = opened(name)
                found = find_damage(cells, looked(cells))
                counts = dict(found["kind"].value_counts().iter_rows())
                self.assertEqual(counts, kinds)
                repairs = {(row, column): text for row, column, text in found.select(ROW_ID, "column", "repair").rows()}
                for row, line in enumerate(SENT):
                    for at, was in enumerate(line):
                        now = repairs.get((row, f"c{at}"), cells[f"c{at}"][row])
                        read = parse(FIELDS[at], pl.Series([now, was], dtype=pl.String)).values
                        self.assertEqual(read[0], read[1], (name, row, FIELDS[at].name))

    def test_what_was_not_touched_raises_no_alarm(self) -> None:
        for name in FILES:
            cells = opened(name)
            own = [Looked(f"c{at}", field, cells[f"c{at}"], cells[f"c{at}"]) for at, field in enumerate(FIELDS)]
            self.assertEqual(len(find_damage(cells, own)), 0, name)


class Harm(unittest.TestCase):
    def test_one_harm_of_each_kind(self) -> None:
        cases = {
            "lost-zeros": [("20418", "0020418"), ("0", "000"), ("1.1", "1.10")],
            "long-number": [("1.23457E+15", "1234567890123456"), ("2,04E+6", "2040418"), ("12000", "12E3")],
            "date": [("2026-03-12", "3-12"), ("12-Mar", "12-3"), ("2026-03-01", "MAR1"), ("Sep-02", "SEPT2")],
            "error": [("#REF!", "x"), ("Err:502", "1"), ("########", "20418")],
            "accents": [("Jos\u00c3\u00a9", "Jos\u00e9"), ("Jos?", "Jos\u00e9"), ("Jos\ufffd", "Jos\u00e9")],
            "spaces": [("a\u00a0b ", "a b")],
            "quotes": [("\u201ca\u201d", '"a"')],
            "cut-off": [("x" * 255, "x" * 300)],
        }
        for kind, pairs in cases.items():
            for text, was in pairs:
                with self.subTest(kind, text=text):
                    self.assertEqual(harm(text, was, Kind.TEXT), kind)
        self.assertEqual(harm("46203", "2026-06-30", Kind.DATE), "serial")
        self.assertEqual(harm("2030-07-01", "2026-06-30", Kind.DATE), "serial")
        self.assertEqual(harm("2026-12-03", "3.12", Kind.DECIMAL), "date")

    def test_an_edit_is_no_harm(self) -> None:
        pairs = [("B-015", "B-014"), ("20419", "0020418"), ("2026-03-13", "3-12"), ("Jose", "Jos\u00e9"), ("a", "b")]
        pairs += [("2.1", "2.2"), ("1.23E+14", "1234567890123456"), ("x" * 200, "x" * 300), ("12001", "12E3")]
        for text, was in pairs:
            self.assertIsNone(harm(text, was, Kind.TEXT), (text, was))
        self.assertIsNone(harm("2.1", "2.10", Kind.DECIMAL))
        self.assertIsNone(harm("2026-07-01", "2026-06-30", Kind.DATE))

    @given(st.sampled_from([Kind.DECIMAL, Kind.WHOLE, Kind.DATE]), st.lists(st.tuples(WRITTEN, WRITTEN), max_size=4))
    @example(Kind.DATE, [("2030-07-01", "2026-06-30")])
    @example(Kind.DECIMAL, [("1", "3.12"), ("2026-12-03", "3.12")])
    def test_where_values_tell_of_no_harm_the_texts_tell_of_none(
        self, kind: Kind, rows: list[tuple[str | None, str | None]]
    ) -> None:
        field = Field("f", "F", kind, scale=2 if kind == Kind.DECIMAL else None)
        texts, was = (pl.Series("c0", [row[at] for row in rows], dtype=pl.String) for at in (0, 1))
        sent = parse(field, was).values
        unharmed = unharmed_by_value(field, texts, parse(field, texts).values, sent)
        cells = pl.DataFrame({ROW_ID: range(len(rows)), ROW: range(2, 2 + len(rows)), "c0": texts})
        found = find_damage(cells, [Looked("c0", field, texts, to_text(field, sent))])
        event(f"unharmed {unharmed}, found {len(found)}")
        self.assertFalse(unharmed and len(found), (texts.to_list(), was.to_list(), found.to_dicts()))

    @given(
        st.text(st.characters(codec="utf-8", exclude_categories=["Cc", "Cs"]), max_size=20), st.sampled_from(list(Kind))
    )
    def test_what_is_as_it_was_is_never_harmed(self, text: str, kind: Kind) -> None:
        cells = pl.DataFrame({ROW_ID: [0], ROW: [2], "c0": [text]})
        field = Field("f", "F", kind, scale=2 if kind == Kind.DECIMAL else None)
        self.assertEqual(len(find_damage(cells, [Looked("c0", field, cells["c0"], cells["c0"])])), 0)

    @given(st.from_regex(r"\A0{1,3}[1-9]\d{3,8}\Z"))
    def test_zeros_come_back_however_many_there_were(self, was: str) -> None:
        self.assertEqual(harm(was.lstrip("0"), was, Kind.TEXT), "lost-zeros")


class LostFigures(unittest.TestCase):
    """Of a code of so many figures, some that were lost at either end."""

    FIELD = Field("f", "F", Kind.TEXT)
    codes = st.lists(st.from_regex(r"\A[1-9]\d{11}\Z"), min_size=3, max_size=6, unique=True)

    def find(self, texts: list[str], was: list[str], sent: list[str] | None) -> list[tuple[str, str | None]]:
        cells = pl.DataFrame({ROW_ID: range(len(texts)), ROW: range(2, len(texts) + 2), "c0": texts})
        column = Looked("c0", self.FIELD, cells["c0"], pl.Series(was), sent=lambda: sent and pl.Series(sent))
        return list(find_damage(cells, [column]).select("kind", "repair").iter_rows())

    @given(codes, st.integers(1, 11), st.booleans())
    def test_what_is_left_of_a_code_is_damage_where_all_codes_are_as_long(
        self, codes: list[str], lost: int, front: bool
    ) -> None:
        left = codes[0][lost:] if front else codes[0][:-lost]
        self.assertEqual(self.find([left, *codes[1:]], codes, codes), [("lost-figures", codes[0])])
        for others in (None, codes[:1], [*codes, "1234"], [*codes, "12345678901a"]):
            self.assertEqual(self.find([left, *codes[1:]], codes, others), [], "they are of no one form")

    @given(codes)
    def test_another_code_of_the_form_is_an_edit(self, codes: list[str]) -> None:
        self.assertEqual(self.find([codes[1], *codes[1:]], codes, codes), [])

    def test_without_a_copy_exactly_one_value_has_to_be_it(self) -> None:
        known = pl.Series([f"4021{n:04d}98" for n in range(30)])
        cases = (("021000798", "4021000798"), ("402100079", "4021000798"), ("4021000", None), ("98", None))
        for text, wanted in cases:
            cells = pl.DataFrame({ROW_ID: [0], ROW: [2], "c0": [text]})
            found = find_damage(cells, [Looked("c0", self.FIELD, cells["c0"], known=lambda: known)])
            one = [text for kind, text in found.select("kind", "repair").iter_rows() if kind == "lost-figures"]
            self.assertEqual(one, [wanted] if wanted else [], text)


class Quick(unittest.TestCase):
    days = ("2026-06-30", "2026-06-30T10:00:00Z", "9/2", "SEPT2", "JUN-30", "12/11/2026")
    days_harmed = ("2022-06-29", " 2030-07-01 ", "46203", "44741", "2. Sept", "september,2", "Jun-30", "30 June 2026")
    texts = st.sampled_from(
        ["0020418", "000", "12E3", "1.10", "MAR1", "3-12", "Jos\u00e9", "a b", '"a"', "x" * 300, "1" * 16, *days]
    )
    harmed = st.sampled_from(
        ["20418", "0", "12000", "1.1", "2026-03-01", "12-Mar", "Jos\u00c3\u00a9", "a\u00a0b ", "x" * 255, *days_harmed]
    )

    @given(texts | st.text(max_size=8), harmed | st.text(max_size=8), st.sampled_from(list(Kind)))
    def test_what_is_looked_at_in_columns_passes_over_no_harm(self, was: str, text: str, kind: Kind) -> None:
        cells = pl.DataFrame({ROW_ID: [0], ROW: [2], "c0": [text]})
        field = Field("f", "F", kind, scale=2 if kind == Kind.DECIMAL else None)
        found = find_damage(cells, [Looked("c0", field, cells["c0"], pl.Series([was]))])
        other = normal(pl.Series([text, was]))
        if other[0] is not None and other[1] is not None and other[0] != other[1]:
            self.assertEqual(len(found), int(harm(text, was, kind) is not None))


class WithoutACopy(unittest.TestCase):
    def find(self, texts: list[str | None], known: list[str] | None = None) -> list[tuple[str, bool, str | None]]:
        cells = pl.DataFrame({ROW_ID: range(len(texts)), ROW: range(2, len(texts) + 2)})
        column = pl.Series("c0", texts, dtype=pl.String)
        values = pl.Series(known, dtype=pl.String) if known is not None else None
        found = find_damage(cells, [Looked("c0", Field("f", "F", Kind.TEXT), column, None, lambda: values)])
        return list(found.select("kind", "sure", "repair").iter_rows())

    def test_one_plain_pattern_of_all_values_gives_the_zeros_back(self) -> None:
        known = [f"{n:07d}" for n in range(100, 130)]
        self.assertEqual(
            self.find(["104", "9", "0000104"], known),
            [("lost-zeros", True, "0000104"), ("lost-zeros", False, "0000009")],
        )
        self.assertEqual(self.find(["104"], [*known, "12"]), [])
        self.assertEqual(self.find(["104"]), [])

    def test_what_shows_by_itself(self) -> None:
        told = self.find(["#N/A", "1.23E+11", "Jos\u00c3\u00a9", "x ", "plain", None, "\u00c3gua"])
        self.assertEqual(
            told,
            [
                ("error", True, None),
                ("long-number", True, None),
                ("accents", False, "Jos\u00e9"),
                ("spaces", True, "x"),
            ],
        )

    def test_codes_that_became_days_are_found_by_the_codes_there_are(self) -> None:
        self.assertEqual(self.find(["2026-03-12"], ["3-12", "4-15", "9-30"]), [("date", False, "3-12")])


class LostKeys(unittest.TestCase):
    def find(self, texts: list[str], unmet: list[str]) -> list[tuple[str, str | None]]:
        cells = pl.DataFrame({ROW_ID: range(len(texts)), ROW: range(2, len(texts) + 2)})
        column = pl.Series(texts, dtype=pl.String)
        key = [("c0", Field("k", "K", Kind.TEXT), column)]
        found = find_lost_keys(cells, key, pl.Series([True] * len(texts)), pl.DataFrame({"k": unmet}))
        return list(found.select("kind", "repair").iter_rows())

    def test_the_key_that_it_was_is_found_among_those_that_no_row_has(self) -> None:
        unmet = ["0020418", "1234567890123456", "3-12", "caf\u00e9"]
        found = self.find(["20418", "1.23457E+15", "2026-03-12", "caf\u00c3\u00a9", "other"], unmet)
        self.assertEqual(found, list(zip(["lost-zeros", "long-number", "date", "accents"], unmet, strict=True)))

    def test_where_several_may_have_been_it_none_is_chosen(self) -> None:
        self.assertEqual(self.find(["7"], ["007", "07"]), [("lost-zeros", None)])
