"""What a cell, a treatment or an answer means is what a person would read in it: each rule beside a plain reading of
it, and its neighbours that used to be taken for it."""

from __future__ import annotations

import re
import unicodedata
import unittest
from typing import Any

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from tests.core.examples import BERTH, CATALOGUE, HOLDER, cells, codes, matches, plan, profile, verdicts
from tests.core.test_treatments import done, one, why
from vexo.core.columns.carried_values import Reading, carry
from vexo.core.columns.lanes import Blank, Lane
from vexo.core.columns.references import naming_fields
from vexo.core.columns.treatments import TreatmentError, treatment_from_json
from vexo.core.columns.treatments.numbers import _CURRENCIES
from vexo.core.columns.value_formats import find_forms
from vexo.core.conditions import ConditionError, read_condition
from vexo.core.operations import Operation
from vexo.core.patterns import PatternError, replacement
from vexo.core.planning.damaged import hold_damaged
from vexo.core.planning.decisions import DECISIONS
from vexo.core.sheets.damage.search import DAMAGE
from vexo.core.sheets.file_parts import FilePart, join_parts
from vexo.core.sheets.overlay.edits import Replacement, as_edits, as_seen, fill_down, one_cell, put, replace
from vexo.core.sheets.row_filter import excluded_rows

RATE, NAME, SERVICES = (BERTH.field(name) for name in ("rate", "name", "services"))


def reading_of(put_: str, groups: list[str]) -> str:
    """A replacement read character by character: as many figures behind ``$`` as name a group."""
    made, at = "", 0
    while at < len(put_):
        if put_.startswith("$$", at):
            made, at = made + "$", at + 2
            continue
        figures = re.match(r"\$(\d+)", put_[at:])
        if figures is None:
            made, at = made + put_[at], at + 1
            continue
        length = next((n for n in range(len(figures[1]), 0, -1) if int(figures[1][:n]) <= len(groups)), 0)
        if not length:
            raise PatternError(put_)
        number = int(figures[1][:length])
        made += groups[number - 1] if number else "".join(groups)
        at += 1 + length
    return made


class Patterns(unittest.TestCase):
    @given(st.text("$120x_a{}", max_size=8))
    def test_a_replacement_means_the_groups_that_there_are(self, put_: str) -> None:
        if re.search(r"\$\{", put_):
            return
        pattern, asked = {"do": "replace", "how": "pattern", "find": "^(Q)(-)$"}, "Q-"
        try:
            expected: str | None = reading_of(put_, ["Q", "-"])
        except PatternError:
            with self.assertRaises(TreatmentError):
                treatment_from_json({**pattern, "put": put_})
            return
        self.assertEqual(one(asked, {**pattern, "put": put_}), expected or None)
        edited = replace(cells((asked,)), ["c0"], Replacement("^(Q)(-)$", put_, pattern=True))["text"].to_list()
        self.assertEqual(edited, [expected] if expected != asked else [])

    def test_what_used_to_swallow_a_group(self) -> None:
        for find, put_, text, told in (
            (r"^(Q-)(\d)$", "$100$2", "Q-1", "Q-001"),
            (r"^(\w+)-(\d)$", "$1_$2", "Jansen-5", "Jansen_5"),
            (r"^(\d)$", "a$1x", "7", "a7x"),
            (r"(\d+)", "US$$1", "7", "US$1"),
            (r"^7$", "$ 7", "7", "$ 7"),
        ):
            self.assertEqual(one(text, {"do": "replace", "how": "pattern", "find": find, "put": put_}), told)
        with self.assertRaisesRegex(PatternError, "has 1 group in brackets"):
            replacement("(a)", "$2")
        with self.assertRaisesRegex(PatternError, "not a regular expression"):
            replacement("(a", "$1")


class Phones(unittest.TestCase):
    def phone(self, text: str, country: str = "44") -> str | None:
        told = {"do": "phone", "country": country}
        return None if why(text, told) else one(text, told)

    def test_a_number_that_may_be_another_one_is_not_read(self) -> None:
        for text in ("441632960001", "44 1632 960001", "01632 960003/4", "01632 960003/960004", "960003/4", "12345"):
            self.assertIsNone(self.phone(text), text)

    def test_what_people_write_is_one_form(self) -> None:
        for text, told in (
            ("01632 960002", "+441632960002"),
            ("+44 01632 960002", "+441632960002"),
            ("0044 (0)1632 960002", "+441632960002"),
            ("01632/960002", "+441632960002"),
            ("\u0660\u0661\u0666\u0663\u0662 960002", "+441632960002"),
            ("+49 030 1234567", "+49301234567"),
            ("+39 06 1234567", "+39061234567"),
            ("1632 960002", "+441632960002"),
        ):
            self.assertEqual(self.phone(text), told, text)
        self.assertEqual(self.phone("1 212 555 0100", "1"), "+12125550100")
        self.assertEqual(self.phone("212 555 0100", "1"), "+12125550100")


class Numbers(unittest.TestCase):
    def test_a_word_behind_a_number_is_no_currency_unless_it_is_one(self) -> None:
        form = {"do": "number", "written": "1234,5"}
        for text in ("354 ins", "12 lbs", "3 Mio", "7 kWh", "9 yds", "5 cms", "8 abc", "4 all"):
            self.assertTrue(why(text, form), text)
        for code in _CURRENCIES.split():
            self.assertEqual(done([f"{code} 4,5", f"4,5 {code}"], form), ["4.5", "4.5"])
        self.assertEqual(one("\u20ac 4,5", form), "4.5")

    def test_among_percentages_a_bare_number_is_not_read(self) -> None:
        form = {"do": "number", "written": "12.5 %"}
        self.assertEqual(done(["50%", "40 %"], form), ["0.5", "0.4"])
        self.assertTrue(why("0.5", form) and why("5", form))

    def test_only_what_fits_every_cell_and_means_one_thing_is_sure(self) -> None:
        def sure(*texts: str) -> bool | None:
            forms = find_forms(RATE, pl.Series(texts))
            return forms.sure if forms.fitting else None

        self.assertTrue(sure("45,50", "1.234,00"))
        self.assertTrue(sure("45,50", "n/k"), "a word without a figure is a number in no form")
        for doubtful in (["45,50", "45.50.1"], ["EUR 45.00", "GBP 45.00"], ["50%", "0.5"], ["45,50", "30 ins"]):
            self.assertFalse(sure(*doubtful), doubtful)
        self.assertIsNone(sure("0.125", "1.250", "2.375"), "a group of thousands does not begin with 0")
        self.assertFalse(sure("1.250", "2.375"))

    def test_a_number_too_long_to_be_compared_is_refused(self) -> None:
        for text in ("1" * 37, "1" * 39, "0." + "1" * 40, "-" + "9" * 60):
            with self.subTest(text=text), self.assertRaisesRegex(ConditionError, "more figures than can be compared"):
                read_condition(f"rate eq {text}", BERTH, CATALOGUE)
        read_condition(f"rate eq {'1' * 36}", BERTH, CATALOGUE)


class Texts(unittest.TestCase):
    def carried(self, rows: pl.DataFrame, lane: Lane, name: str = "name", **more: Any) -> list[Any]:
        reading = Reading(**more)
        made = carry(rows, matches(name), BERTH, reading, {}, {name: lane}, {"Other": "c1", name: "c0"})
        return list(zip(made[f"value.{name}"].to_list(), made[f"problem.{name}"].to_list(), strict=True))

    def lane(self, *treatments: dict[str, Any], **more: Any) -> Lane:
        return Lane(treatments=tuple(treatment_from_json(one) for one in treatments), **more)

    @given(st.text("e\u0301aoMILE ", min_size=1, max_size=8))
    def test_accents_written_apart_are_treated_as_one_letter(self, text: str) -> None:
        for how in ({"do": "case", "style": "name"}, {"do": "take", "count": 1}, {"do": "trim"}):
            apart, together = (
                self.carried(cells((unicodedata.normalize(form, text),)), self.lane(how)) for form in ("NFD", "NFC")
            )
            self.assertEqual(apart, together)

    def test_a_value_list_knows_accents_written_apart(self) -> None:
        apart = "Cafe\u0301"
        listed = self.lane({"do": "values", "pairs": [[apart, "Bar"]]})
        for text in (apart, unicodedata.normalize("NFC", apart)):
            self.assertEqual(self.carried(cells((text,)), listed), [("Bar", None)])

    def test_a_name_may_begin_with_a_particle(self) -> None:
        name = {"do": "case", "style": "name"}
        self.assertEqual(
            done(["VAN DER BERG", "von stein", "LE BLANC"], name), ["van der Berg", "von Stein", "Le Blanc"]
        )

    def test_other_columns_are_seen_as_they_are_shown_and_without_a_prefix(self) -> None:
        rows = cells(("n", "42"), ("n", "'=b")).with_columns(pl.Series("shown.c1", ["00042", None]))
        joined = self.lane({"do": "join", "columns": ["Other"], "between": "/"})
        self.assertEqual(self.carried(rows, joined, prefixed=True), [("n/00042", None), ("n/=b", None)])

    @given(st.text("/; \\", min_size=1, max_size=4), st.sampled_from(["/", ";"]), st.booleans())
    def test_separators_alone_are_never_blank(self, text: str, separator: str, listed: bool) -> None:
        steps = ({"do": "values", "pairs": [["x", "water"]]},) if listed else ()
        lane = self.lane(*steps, separator=separator, blank=Blank.CLEAR)
        made = carry(cells((text,)), matches("services"), BERTH, Reading(), {}, {"services": lane}, {})
        says, problem = made["cell_says.services"][0], made["problem.services"][0]
        self.assertEqual(problem is None, not text.strip(), (text, says, problem))

    def test_an_escaped_separator_is_a_character(self) -> None:
        lane = self.lane(separator="/")
        self.assertTrue(self.carried(cells((r"crane\/wifi",)), lane, "services")[0][1])
        self.assertEqual(self.carried(cells(("water/wifi",)), lane, "services")[0][0], ["water", "wifi"])


class Rows(unittest.TestCase):
    def kept(self, condition: str, *texts: str) -> list[str]:
        rows = cells(*[(text,) for text in texts])
        out = excluded_rows(rows, profile("Length").columns, {"condition": condition})
        return [text for at, text in enumerate(texts) if at not in out["row_id"].to_list()]

    def test_a_number_s_comparison_bears_odd_cells(self) -> None:
        self.assertEqual(self.kept("Length gt 35", "36", "n/k", "34", "36.5"), ["36", "36.5"])
        self.assertEqual(self.kept("Length gt 35", "36,5", "?", "34,9"), ["36,5"])
        self.assertEqual(self.kept("Length eq 'n/k'", "36", "n/k"), ["n/k"])
        self.assertEqual(self.kept("not (Length gt 35)", "36", "n/k", "34"), ["n/k", "34"])

    def test_marks_that_name_nothing_are_none(self) -> None:
        for text in ("[add]", "[remove] ;", "[add] ; ;", "[add] water [remove]"):
            made = carry(cells((text,)), matches("services"), BERTH, Reading(marks=True), {}, {}, {})
            self.assertIn("unknown-mark", str(made["problem.services"][0]), text)

    def test_files_whose_headers_differ_in_capitals_and_spaces_are_one_list(self) -> None:
        one_, other = (
            FilePart(name, cells(("a", "1")).drop("row_id"), profile(*headers))
            for name, headers in (("n.csv", ("Harbour", "Berth no.")), ("s.csv", ("harbour ", "BERTH NO.")))
        )
        joined, made = join_parts([one_, other])
        self.assertEqual([column.header for column in made.columns][:2], ["Harbour", "Berth no."])
        self.assertEqual(joined["c1"].to_list(), ["1", "1"])
        twice = FilePart("t.csv", cells(("a", "b")).drop("row_id"), profile("Notes", "notes "))
        self.assertEqual(len(join_parts([twice, twice])[1].columns), 4)


class PaddedCells(unittest.TestCase):
    """Cells that a number format shows with zeros in front."""

    rows = cells(("42",), ("43",), ("144",)).with_columns(pl.Series("shown.c0", ["00042", "00043", "00144"]))

    def edited(self, changes: pl.DataFrame) -> list[str | None]:
        made = put(self.rows, as_edits(changes, self.rows, as_seen(self.rows)))
        return as_seen(made)["c0"].to_list()

    def test_fill_down_and_replace_see_what_is_shown(self) -> None:
        seen = as_seen(self.rows)
        self.assertEqual(self.edited(fill_down(seen, "c0", [0, 1, 2])), ["00042"] * 3)
        self.assertEqual(self.edited(replace(seen, ["c0"], Replacement("14", "99"))), ["00042", "00043", "00994"])

    def test_what_is_stored_can_be_typed_though_it_is_shown_otherwise(self) -> None:
        self.assertEqual(self.edited(one_cell(1, "c0", "43")), ["00042", "43", "00144"])
        self.assertEqual(self.edited(one_cell(1, "c0", "00043")), ["00042", "00043", "00144"])


class WhatIsAsked(unittest.TestCase):
    now = (("1", "1", "A", "12.00", "a"), ("2", "1", "B", "13.00", "b"))

    def planned(self, *rows: tuple[str, ...], **more: Any) -> pl.DataFrame:
        return plan(names=["code", "rate", "name"], sheet=list(rows), now=list(self.now), key=("code",), **more)

    def test_nothing_is_written_from_a_column_of_which_something_is_asked(self) -> None:
        sheet = [("A", "30", "x"), ("B", "13", "y"), ("A2", "5", "z")]
        made = self.planned(*sheet, asked=frozenset({"rate"}), operation=Operation.UPSERT)
        self.assertEqual(verdicts(made), ["held", "update", "held"])
        self.assertEqual(codes(made)[0], ["column-asked"])
        unread = self.planned(("A", "30,5", "x"), asked=frozenset({"rate"}))
        self.assertEqual(codes(unread), [["column-asked"]])
        self.assertEqual(codes(self.planned(("A", "30,5", "x"))), [["decimal-comma"]])

    def test_a_lane_that_makes_what_cannot_be_written_is_a_fault_though_the_text_went_out(self) -> None:
        kept = [("1", "1", "A", "12.01", "a")]
        by = Lane(treatments=(treatment_from_json({"do": "multiply", "by": "1.035"}),))
        asked: dict[str, Any] = {"now": kept, "kept": kept, "names": ["code", "rate", "name"], "key": ("code",)}
        made = plan(sheet=[("A", "12.01", "a")], lanes={"rate": by}, **asked)
        self.assertEqual(codes(made), [["too-fine"]])

    def test_damage_that_would_be_sent_holds_its_row_until_it_is_meant(self) -> None:
        made = self.planned(("A", "12", "1.2E+15"), ("B", "13", "b"))
        harm = {"kind": "long-number", "sure": True, "repair": None, "column": "c2"}
        lines = [{"row_id": at, "row": at + 2, "text": text, **harm} for at, text in ((0, "1.2E+15"), (1, "b"))]
        damage = pl.DataFrame(lines, schema=DAMAGE)
        none = pl.DataFrame(schema=DECISIONS)

        def held(found: pl.DataFrame, said: pl.DataFrame) -> tuple[pl.DataFrame, pl.DataFrame]:
            questions = none.select("row_id", "code", "field", "digest")
            return hold_damaged(made, questions, found, said, {"c2": "name"})

        after, asked = held(damage, none)
        self.assertEqual((verdicts(made), verdicts(after)), (["update", "same"], ["held", "same"]))
        self.assertEqual(codes(after), [["damaged"], []])
        meant = asked.with_columns(answer=pl.lit("file"), argument=pl.lit("")).select(list(DECISIONS))
        self.assertEqual(verdicts(held(damage, meant)[0]), ["update", "same"])
        self.assertEqual(verdicts(held(damage.with_columns(text=pl.lit("9.9E+15")), meant)[0]), ["held", "same"])
        self.assertEqual(verdicts(held(damage.with_columns(kind=pl.lit("read-only")), none)[0]), ["update", "same"])

    def test_a_record_s_id_names_it_only_where_it_is_this_application_s(self) -> None:
        self.assertEqual(naming_fields(HOLDER, by_identifier=True), ["number", "id"])
        self.assertEqual(naming_fields(HOLDER, by_identifier=False), ["number"])
        self.assertEqual(len(profile("a").columns), 1)
