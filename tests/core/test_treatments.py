"""Each treatment by its own law, for all inputs; and what people write, by example."""

from __future__ import annotations

import re
import unittest
from datetime import date, timedelta
from decimal import ROUND_HALF_UP, Decimal
from typing import Any

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from tests.core.examples import BERTH
from vexo.core.columns.treatments import (
    KINDS,
    TreatmentError,
    make_table,
    problem_of,
    steps,
    treat,
    treatment_from_json,
)
from vexo.core.columns.treatments.look_up import LookUp
from vexo.core.columns.treatments.numbers import FORMS
from vexo.core.columns.value_formats import forms_by_file

TEXT = st.text(st.characters(codec="utf-8", exclude_characters="\x1e\x1f", exclude_categories=("Cs",)), max_size=12)
TEXTS = st.lists(TEXT | st.none(), min_size=1, max_size=6)
WORDS = st.text("abcxyzÀéß019 -_/", max_size=12).filter(lambda text: not text or bool(text.strip()))
SOLID = st.text("abcxyzÀéß019-_/", max_size=8)
"""Words without a space, of which no part is blank."""
NUMBERS = st.decimals(-999_999, 999_999, places=4, allow_nan=False)


def done(texts: list[str | None], *treatments: dict[str, Any], **more: Any) -> list[str | None]:
    column = pl.Series(texts, dtype=pl.String)
    return treat(column, [treatment_from_json(one) for one in treatments], **more).to_list()


def one(text: str | None, *treatments: dict[str, Any], **more: Any) -> str | None:
    return done([text], *treatments, **more)[0]


def why(text: str, *treatments: dict[str, Any], **more: Any) -> str:
    treated = treat(pl.Series([text]), [treatment_from_json(t) for t in treatments], **more)
    return str(problem_of(treated)[0] or "")


class Laws(unittest.TestCase):
    @given(TEXTS)
    def test_trimmed_once_is_trimmed(self, texts: list[str | None]) -> None:
        once = done(texts, {"do": "trim"})
        self.assertEqual(done(once, {"do": "trim"}), once)
        for text in once:
            self.assertTrue(text is None or (text == text.strip("\u00a0 \t\n") and "  " not in text))

    @given(TEXTS, st.sampled_from(["upper", "lower", "title", "name"]))
    def test_capitals_change_letters_only_and_once(self, texts: list[str | None], style: str) -> None:
        once = done(texts, {"do": "case", "style": style})
        self.assertEqual(done(once, {"do": "case", "style": style}), once)

    @given(WORDS)
    def test_a_name_keeps_its_letters(self, text: str) -> None:
        made = one(text, {"do": "case", "style": "name"}) or ""
        self.assertEqual(made.lower().replace("ss", "ß"), text.lower().replace("ss", "ß"))

    @given(TEXTS, st.lists(WORDS.filter(str.strip), min_size=1, max_size=3))
    def test_what_counts_as_blank_is_blank_and_nothing_else(self, texts: list[str | None], blank: list[str]) -> None:
        meant = [text.strip().lower() for text in blank]
        for text, made in zip(texts, done(texts, {"do": "blank", "texts": blank}), strict=True):
            if text and text.strip("\u00a0\ufeff\u2007\u202f \t\n\r\x0b\x0c").lower() in meant:
                self.assertIsNone(made)
            elif text and not text.strip():
                self.assertFalse((made or "").strip(), "white space is blank whatever else is")
            elif text and text.strip().lower() not in meant:
                self.assertEqual(made, text)

    @given(SOLID, st.text("abc", min_size=1, max_size=2), SOLID)
    def test_replaced_as_a_text_is_replaced_everywhere(self, text: str, find: str, put: str) -> None:
        self.assertEqual(one(text, {"do": "replace", "find": find, "put": put}) or "", text.replace(find, put))

    @given(WORDS, st.text("abc", min_size=1, max_size=2), WORDS)
    def test_a_pattern_of_plain_letters_is_that_text(self, text: str, find: str, put: str) -> None:
        plain = {"do": "replace", "find": find, "put": put}
        self.assertEqual(one(text, {**plain, "how": "pattern"}), one(text, plain))

    @given(st.lists(SOLID.filter(bool), max_size=3).map(" ".join), st.sampled_from([" ", "-", "/", "ab"]))
    def test_split_then_joined_is_the_text(self, text: str, at: str) -> None:
        for first, second in (("first", "rest"), ("head", "last")):
            parts = [one(text, {"do": "split", "at": at, "take": part}) or "" for part in (first, second)]
            self.assertEqual(at.join(parts) if at in text else "".join(parts), text)

    @given(WORDS, WORDS, st.sampled_from([" ", "-", ", "]))
    def test_joined_then_split_is_the_text(self, text: str, other: str, between: str) -> None:
        columns = {"B": pl.Series([other])}
        joined = one(text, {"do": "join", "columns": ["B"], "between": between}, columns=columns) or ""
        parts = [part for part in (text, other) if part.strip()]
        self.assertEqual(joined, between.join(parts))

    @given(SOLID, st.integers(1, 15))
    def test_first_and_last_characters_are_the_text(self, text: str, count: int) -> None:
        first = one(text, {"do": "take", "end": "first", "count": count}) or ""
        last = one(text, {"do": "take", "end": "last", "count": max(1, len(text) - count)}) or ""
        self.assertEqual(first, text[:count])
        if len(text) > count:
            self.assertEqual(first + last, text)

    @given(st.lists(st.text("abcdeé", min_size=1, max_size=6), min_size=1, max_size=3))
    def test_initials_are_the_first_letters(self, names: list[str]) -> None:
        made = one(" ".join(names), {"do": "initial", "dot": "yes"})
        self.assertEqual(made, " ".join(f"{name[0].upper()}." for name in names))

    @given(st.from_regex(r"\A[0-9]{1,9}\Z"), st.integers(1, 12))
    def test_zeros_come_back_and_the_number_stays(self, text: str, length: int) -> None:
        made = one(text, {"do": "pad", "length": length}) or ""
        self.assertEqual((len(made), int(made)), (max(length, len(text)), int(text)))

    @given(WORDS.filter(bool), WORDS.filter(bool))
    def test_in_front_and_behind_once(self, text: str, more: str) -> None:
        front, behind = one(text, {"do": "prefix", "text": more}) or "", one(text, {"do": "suffix", "text": more}) or ""
        self.assertIn((front, behind), [(a, b) for a in (text, more + text) for b in (text, text + more)])
        self.assertTrue(front.startswith(more) and behind.endswith(more))
        self.assertEqual(one(front, {"do": "prefix", "text": more}), front)
        self.assertEqual(one(behind, {"do": "suffix", "text": more}), behind)

    @given(
        st.lists(WORDS, min_size=1, max_size=6),
        st.dictionaries(WORDS.map(str.strip).filter(bool), WORDS.map(str.strip), min_size=1, max_size=4),
        st.sampled_from(["keep", "blank", "reject"]),
    )
    def test_a_value_list_twice_is_a_value_list_once(
        self, texts: list[str], pairs: dict[str, str], others: str
    ) -> None:
        asked = {"do": "values", "pairs": [list(pair) for pair in pairs.items()], "others": others}
        try:
            once = done(list(texts), asked)
        except TreatmentError:
            self.assertTrue(any(pairs.get(to, to) != to for to in pairs.values()))
            return
        good = [text for text in once if text is None or not text.startswith("\x1e")]
        self.assertEqual(done(list(good), asked), good)
        for text, made in zip(texts, once, strict=True):
            if text.strip() in pairs:
                self.assertEqual(made or "", pairs[text.strip()])

    @given(NUMBERS, st.sampled_from(sorted(FORMS)))
    def test_a_number_written_in_a_form_is_read_as_it_is(self, number: Decimal, form: str) -> None:
        decimal, thousands, percent = FORMS[form]
        plain = f"{number:,.4f}" if thousands else f"{number:.4f}"
        written = plain.replace(",", "T").replace(".", decimal).replace("T", thousands) + (" %" if percent else "")
        read = Decimal(one(written, {"do": "number", "written": form}) or "")
        self.assertEqual(read, number / 100 if percent else number)

    @given(NUMBERS, st.decimals("0.0001", 1000, places=4))
    def test_multiplied_is_exact(self, number: Decimal, factor: Decimal) -> None:
        made = one(str(number), {"do": "multiply", "by": str(factor)}) or ""
        self.assertEqual(Decimal(made), number * factor)

    @given(NUMBERS, st.integers(0, 4))
    def test_rounded_as_people_round(self, number: Decimal, to: int) -> None:
        made = one(str(number), {"do": "round", "to": to}) or ""
        self.assertEqual(Decimal(made), number.quantize(Decimal(1).scaleb(-to), ROUND_HALF_UP))
        self.assertEqual(one(made, {"do": "round", "to": to}), made)

    @given(st.dates(date(1970, 1, 1), date(2069, 12, 31)), st.sampled_from("./- "), st.booleans())
    def test_a_day_written_in_a_form_is_that_day(self, day: date, sign: str, short: bool) -> None:
        year = "%y" if short else "%Y"
        for written, form in (("day", ["%d", "%m", year]), ("month", ["%m", "%d", year]), ("year", [year, "%m", "%d"])):
            text = day.strftime(sign.join(form))
            self.assertEqual(one(text, {"do": "date", "written": written}), day.isoformat())
        self.assertEqual(one(day.isoformat(), {"do": "date", "written": "month"}), day.isoformat())
        for name, epoch in (("1900", date(1899, 12, 30)), ("1904", date(1904, 1, 1))):
            count = str((day - epoch) // timedelta(days=1))
            self.assertEqual(one(count, {"do": "date", "written": name}), day.isoformat())

    @given(st.from_regex(r"\A[1-9][0-9]{8,9}\Z"), st.sampled_from(["+44{}", "0044{}", "0{}", "+44 (0){}", "(0){}"]))
    def test_phones_of_one_number_have_one_form(self, number: str, shape: str) -> None:
        spaced = f"{number[:4]} {number[4:7]}-{number[7:]}"
        asked = {"do": "phone", "country": "44"}
        self.assertEqual(one(shape.format(spaced), asked), f"+44{number}")
        self.assertEqual(one(f"+44{number}", asked), f"+44{number}")

    @given(st.dictionaries(st.text("abc", min_size=1, max_size=3), st.text("xyz", max_size=3), min_size=1), WORDS)
    def test_looked_up_is_what_stands_beside_it_or_a_problem(self, table: dict[str, str], text: str) -> None:
        look = {"do": "look up", "table": "T", "by": "k", "take": "v"}
        made_of = make_table(pl.Series(list(table)), pl.Series(list(table.values())), "k")
        tables = {LookUp("T", "k", "v").name: made_of}
        for asked in [*table, text]:
            made = one(asked, look, tables=tables)
            if not asked.strip():
                self.assertIn(made, (asked or None, None))
            elif asked.strip() in table:
                self.assertEqual(made or "", table[asked.strip()])
            else:
                self.assertIn("look-up-none", made or "")

    @given(st.lists(WORDS | st.none(), min_size=1, max_size=5), st.lists(st.sampled_from(sorted(KINDS)), max_size=4))
    def test_a_blank_cell_stays_blank_and_a_bad_one_stays_bad(self, texts: list[str | None], names: list[str]) -> None:
        more = {"blank": {"texts": ["x"]}, "replace": {"find": "a"}, "values": {"pairs": [["a", "b"]]}}
        more |= {"prefix": {"text": "p"}, "suffix": {"text": "s"}}
        more |= {"look up": {"table": "T", "by": "k", "take": "v"}}
        more |= {"by file": {"columns": ["File"], "pairs": [["a.csv", "1234,5"]]}}
        asked = [treatment_from_json({"do": n, **more.get(n, {})}) for n in names if n != "join"]
        column = pl.Series([None, *texts], dtype=pl.String)
        made = treat(column, asked)
        self.assertIsNone(made[0])
        after = treat(made, [treatment_from_json({"do": "case"}), treatment_from_json({"do": "prefix", "text": "q"})])
        for before, text in zip(made, after, strict=True):
            if before is not None and before.startswith("\x1e"):
                self.assertTrue(str(text).startswith("\x1e") or text == f"q{before.upper()}")
        told = steps(column, asked)
        self.assertEqual((told[-1].texts if told else treat(column, [])).to_list(), made.to_list())


class EachFileItsForm(unittest.TestCase):
    """A list in several files: each cell as if its file were alone, and none of a file that was not said."""

    NUMBERS = st.sampled_from(["45.50", "45,50", "1.250", "1,250.5", "1.250,5", "7", "x", "", " ", None])
    FILES = st.sampled_from(["a.csv", "b.csv", "cafe\u0301.csv", "other.csv"])
    FORMS = st.dictionaries(
        st.sampled_from(["a.csv", "b.csv", "caf\u00e9.csv"]), st.sampled_from(sorted(FORMS)), min_size=1
    )

    @given(st.lists(st.tuples(NUMBERS, FILES), min_size=1, max_size=8), FORMS)
    def test_each_cell_is_read_in_the_form_of_its_file(
        self, cells: list[tuple[str | None, str]], forms: dict[str, str]
    ) -> None:
        columns = {"File": pl.Series([file for _, file in cells])}
        own = {"do": "by file", "columns": ["File"], "pairs": [list(pair) for pair in forms.items()]}
        made = done([text for text, _ in cells], own, columns=columns)
        for (text, file), now in zip(cells, made, strict=True):
            written = forms.get(file.replace("e\u0301", "\u00e9"))
            if written is not None:
                self.assertEqual(now, one(text, {"do": "number", "written": written}))
            elif (text or "").strip():
                self.assertIn("no-number-form", now or "")

    def test_what_is_asked_of_a_list_whose_files_differ(self) -> None:
        rate = BERTH.field("rate")
        cases: list[tuple[list[str], list[str], tuple[bool, bool], list[str]]] = [
            (["45.50", "1.25"], ["45,50", "51,25"], (True, False), ["1234.5", "1234,5"]),
            (["45.50", "1.250,"], ["45,50"], (False, False), ["1234.5", "1234,5"]),
            (["1.250", "2.375"], ["45,50", "51,25"], (False, True), []),
            (["45.50"], ["51.25"], (True, False), []),
            (["1,5"], ["51,25"], (True, False), []),
        ]
        for first, second, (sure, doubtful), forms in cases:
            files = pl.Series(["a"] * len(first) + ["b"] * len(second))
            told = forms_by_file(rate, pl.Series([*first, *second]), files)
            self.assertEqual((told.sure, told.doubtful), (sure, doubtful), (first, second))
            self.assertEqual([form for _, form in told.pairs], forms)


class AsPeopleWrite(unittest.TestCase):
    def test_names(self) -> None:
        names = ["MCKEE", "van der berg", "DE LA MARE", "Ada van Dyk", "o'brien-smith", "JÜRGEN VON DEM REED"]
        made = ["McKee", "van der Berg", "de la Mare", "Ada van Dyk", "O'Brien-Smith", "Jürgen von Dem Reed"]
        self.assertEqual(done(list(names), {"do": "case", "style": "name"}), made)
        self.assertEqual(one("3rd house, james's", {"do": "case", "style": "title"}), "3rd House, James's")

    def test_money_and_what_is_none(self) -> None:
        asked = {"do": "number", "written": "1.234,5"}
        for text, made in {
            "€ 12,50": "12.50",
            "1.234,50 EUR": "1234.50",
            "(12,00)": "-12.00",
            "12,5-": "-12.5",
        }.items():
            self.assertEqual(one(text, asked), made)
        for text in ("1.23", "12,5 %", "n/k", "--3", "(3", "1,2,3"):
            self.assertEqual(why(text, asked), "no-number-form", text)

    def test_feet_to_metres(self) -> None:
        asked = [{"do": "multiply", "by": "0.3048"}, {"do": "round", "to": 2}]
        self.assertEqual(done(["39.4", "45.9", None], *asked), ["12.01", "13.99", None])
        self.assertEqual([why("n/k", *asked), why("9" * 25, *asked)], ["no-arithmetic"] * 2)

    def test_days_that_are_none_are_told(self) -> None:
        for text in ("31/02/2026", "32.1.2026", "3/4/2026 10:00", "April", "2026-13-01"):
            self.assertIn("no-date-form", why(text, {"do": "date", "written": "day"}), text)
        self.assertEqual(one("3 Apr 26", {"do": "date", "written": "day"}), "2026-04-03")

    def test_phones_that_are_none_are_told(self) -> None:
        for text in ("by post", "12345", "01632 960018 ext 3", "+0 44"):
            self.assertEqual(why(text, {"do": "phone"}), "no-phone", text)

    def test_several_values_beside_a_key_are_told(self) -> None:
        tables = {LookUp("T", "k", "v").name: make_table(pl.Series(["a", "a"]), pl.Series(["1", "2"]), "k")}
        self.assertIn(
            "look-up-several", why("a", {"do": "look up", "table": "T", "by": "k", "take": "v"}, tables=tables)
        )

    def test_many_equal_texts_are_treated_as_each(self) -> None:
        column = pl.Series([" a ", "b", None, ""] * 600)
        self.assertEqual(treat(column, [treatment_from_json({"do": "trim"})]).to_list(), ["a", "b", None, None] * 600)


class AsData(unittest.TestCase):
    def test_each_is_data_and_back(self) -> None:
        for do, kind in KINDS.items():
            made = kind()
            told = made.to_json()
            self.assertEqual(told["do"], do)
            self.assertTrue(kind.says and kind.title and made.short)
            parts = set(re.findall(r"\{(\w+)\}", kind.says))
            self.assertEqual(parts, {argument.name for argument in kind.arguments})

    def test_what_is_no_treatment_says_why(self) -> None:
        for told, words in (
            ({"do": "shout"}, "Unknown treatment"),
            ("trim", "Unknown treatment"),
            ({"do": "trim", "hard": True}, "knows no 'hard'"),
            ({"do": "case", "style": "wide"}, "Unknown style"),
            ({"do": "replace", "find": "("}, "x"),
            ({"do": "replace", "find": "(", "how": "pattern"}, "not a regular expression: unclosed group"),
            (
                {"do": "replace", "find": "(a{1000}){1000}", "how": "pattern"},
                "expression: it is too large",
            ),
            ({"do": "multiply", "by": "a foot"}, "not a factor"),
            ({"do": "multiply", "by": "NaN"}, "not a factor"),
            ({"do": "multiply", "by": 0}, "not a factor"),
            ({"do": "round", "to": "two"}, "whole number"),
            ({"do": "round", "to": True}, "whole number"),
            ({"do": "blank", "texts": "n/k"}, "is a list"),
            ({"do": "blank", "texts": [1]}, "list of texts"),
            ({"do": "values", "pairs": [["a", "b"], ["b", "c"]]}, "which becomes 'c'"),
            ({"do": "values", "pairs": [["a", "b"], ["a", "c"]]}, "stands twice"),
            ({"do": "values", "pairs": [["a"]]}, "pairs of texts"),
            ({"do": "pad", "character": "00"}, "one character"),
            ({"do": "phone", "country": "GB"}, "not a country code"),
            ({"do": "split", "take": "middle"}, "Unknown part"),
            ({"do": "take", "count": 0}, "how many"),
            ({"do": "look up", "table": "T"}, "where to look"),
        ):
            if words == "x":
                treatment_from_json(told)
                continue
            with self.assertRaises(TreatmentError) as caught:
                treatment_from_json(told)
            self.assertIn(words, str(caught.exception))
