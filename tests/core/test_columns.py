"""Columns into fields: by what headers and cells say, in which form and unit, with lanes; what is not sure is asked."""

from __future__ import annotations

import unittest
from dataclasses import replace
from datetime import date
from decimal import Decimal
from typing import Any

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from tests.core.examples import BERTH, CATALOGUE, profile
from vexo.core.cell_parser import parse
from vexo.core.columns.carried_values import Reading, carry
from vexo.core.columns.fast_parse import KINDS
from vexo.core.columns.lanes import Blank, Lane, LaneError, check_lane, lanes_from_json
from vexo.core.columns.matches import ColumnMatch, MappingError, conflicts, match_columns, refuse_conflicts, with_lanes
from vexo.core.columns.references import key_texts, make_lookup
from vexo.core.columns.synonyms import alike, sense
from vexo.core.columns.treatments.numbers import FORMS
from vexo.core.columns.units import doubt_unit, unit_in
from vexo.core.columns.value_formats import find_forms, find_separator
from vexo.core.documents import BringIn, DocumentError, fitted_bringing, lane_sentence, sentence_of_bringing
from vexo.core.records import Choice, Field, Kind, RecordType

DAY = Field("until", "Until", Kind.DATE)
RATE = Field("rate", "Rate", Kind.DECIMAL, scale=2, precision=8)
LENGTH = Field("length_m", "Length, m", Kind.DECIMAL, scale=1, precision=5, also=("LOA",))
MANY = Field("services", "Services", Kind.CHOICES, choices=tuple(Choice(c, c) for c in ("water", "power", "wifi")))
FOB = Field("fob", "Fob", Kind.TEXT, long_form=("F", 5))


def forms(field: Field, *texts: str) -> list[Any]:
    found = find_forms(field, pl.Series(list(texts), dtype=pl.String))
    return [form.treatment.to_json().get("written") if form.treatment else None for form in found.fitting]


class Forms(unittest.TestCase):
    def test_one_that_fits_is_sure_two_are_asked_and_none_is_guessed(self) -> None:
        self.assertEqual(forms(DAY, "03/04/2026", "05/06/2026"), ["day", "month"])
        self.assertEqual(forms(DAY, "03/04/2026", "31/12/2026"), ["day"])
        self.assertEqual(forms(DAY, "03/04/2026", "12/31/2026"), ["month"])
        self.assertEqual(forms(DAY, "2026-04-03"), [])
        self.assertEqual(forms(DAY, "04/05/06"), ["day", "month", "year"])
        self.assertEqual(forms(DAY, "44927", "45000"), ["1900", "1904"])
        self.assertEqual(forms(RATE, "39,4", "n/k"), ["1234,5"])
        self.assertEqual(forms(RATE, "1,234", "2,500"), ["1234,5", "1,234.5"])
        self.assertEqual(forms(RATE, "1.234", "2.500"), [None, "1.234,5"])
        self.assertEqual(forms(RATE, "1.234,50"), ["1.234,5"])
        self.assertEqual(forms(RATE, "12 %", "3.5 %"), ["12.5 %"])
        self.assertEqual(forms(RATE, "12", "3.5"), [])
        self.assertEqual(forms(RATE, "€ 12.50"), ["1234.5"])
        self.assertEqual(forms(Field("t", "T", Kind.TEXT), "1,5"), [])

    def test_an_example_shows_where_two_readings_differ(self) -> None:
        found = find_forms(DAY, pl.Series(["05/05/2026", "03/04/2026"]))
        told = [(form.example, form.reading) for form in found.fitting]
        self.assertEqual(told, [("03/04/2026", "2026-04-03"), ("03/04/2026", "2026-03-04")])

    @given(st.lists(st.dates(date(1971, 1, 1), date(2060, 1, 1)), min_size=1), st.sampled_from(["day", "month"]))
    def test_the_true_form_of_days_is_always_among_those_that_fit(self, days: list[date], order: str) -> None:
        form = "%d/%m/%Y" if order == "day" else "%m/%d/%Y"
        fitting = forms(DAY, *[day.strftime(form) for day in days])
        if any(day.day != day.month for day in days):
            self.assertIn(order, fitting)
        else:
            self.assertLessEqual(len(fitting), 1, "both readings say the same, so neither is asked about")

    @given(st.lists(st.decimals(-99999, 99999, places=2, allow_nan=False), min_size=1), st.sampled_from(sorted(FORMS)))
    def test_numbers_in_any_form_are_read_in_full(self, numbers: list[Decimal], form: str) -> None:
        decimal, thousands, percent = FORMS[form]
        plain = [f"{n:,.2f}" if thousands else f"{n:.2f}" for n in numbers]
        texts = [t.replace(",", "T").replace(".", decimal).replace("T", thousands) for t in plain]
        column = pl.Series([text + (" %" if percent else "") for text in texts])
        found = find_forms(replace(RATE, scale=4, precision=18), column)
        self.assertEqual(found.read, len(column))

    @given(
        st.sampled_from((DAY, RATE, LENGTH, Field("n", "N", Kind.WHOLE))),
        st.lists(st.one_of(st.none(), st.text("0123456789.,-+ e", max_size=6), st.dates().map(str)), min_size=1),
    )
    def test_columns_that_are_read_at_a_glance_are_told_as_with_care(
        self, field: Field, texts: list[str | None]
    ) -> None:
        # A space at the end of a cell changes nothing of what it says, but it is not seen through at a glance.
        careful = pl.Series([f"{text} " if text else text for text in texts], dtype=pl.String)
        self.assertEqual(find_forms(field, pl.Series(texts, dtype=pl.String)), find_forms(field, careful))

    def test_what_stands_between_items(self) -> None:
        self.assertEqual(find_separator(MANY, pl.Series(["water / power", "wifi"])), ("/", 1.0))
        self.assertEqual(find_separator(MANY, pl.Series(["water; power", "wifi"])), (";", 1.0))
        self.assertEqual(find_separator(MANY, pl.Series(["water\npower", "crane"])), ("\n", 0.5))


class Units(unittest.TestCase):
    def test_a_range_that_does_not_fit_is_asked(self) -> None:
        feet = pl.Series(["39.4", "59.1", "n/k"])
        doubt = doubt_unit(LENGTH, "LOA", feet, Decimal(6), Decimal(18))
        assert doubt is not None
        self.assertEqual((doubt.unit, doubt.others[0].name, doubt.others[0].factor), ("metres", "feet", "0.3048"))
        self.assertIsNone(doubt_unit(LENGTH, "LOA", pl.Series(["9.4", "12"]), Decimal(6), Decimal(18)))
        self.assertIsNone(doubt_unit(RATE, "Rate (feet)", feet, Decimal(6), Decimal(18)))

    def test_a_header_that_names_another_unit_is_asked(self) -> None:
        doubt = doubt_unit(LENGTH, "Length (cm)", pl.Series(["940"]), None, None)
        assert doubt is not None
        self.assertEqual([unit.factor for unit in doubt.others], ["0.01"])
        units = {"LOA (feet)": "feet", "Length, m": "metres", "Depth in metres": "metres", "Weight [kg]": "kilograms"}
        self.assertEqual({text: unit_in(text) for text in units}, units)
        self.assertIsNone(unit_in("I am in a hurry"))


class Words(unittest.TestCase):
    def test_names_say_the_same_in_other_words(self) -> None:
        for one, other in (("Surname", "Last name"), ("Mail", "E-mail"), ("Tel.", "Phone"), ("berth_ref", "Berth no.")):
            self.assertEqual(sense(one), sense(other), one)
            self.assertEqual(alike(one, other), 100.0)
        self.assertLess(alike("bollard cond.", "Ring no."), 50)

    def test_contents_that_do_not_fit_make_it_an_offer(self) -> None:
        own = RecordType("T", "T", "Ts", "T", "id", (LENGTH, RATE), ())
        for cells, taken in ((["9.5", "12"], True), (["good", "fair"], False)):
            found = match_columns(profile("LOA (feet)"), own, CATALOGUE, cells=pl.DataFrame({"c0": cells}))[0]
            self.assertEqual((found.field is not None, found.open), (taken, not taken))
            self.assertEqual([offer.field for offer in found.offers], ["length_m"])

    def test_two_that_say_the_same_are_both_asked(self) -> None:
        own = RecordType("T", "T", "Ts", "T", "id", (LENGTH,), ())
        found = match_columns(profile("LOA", "loa (m)"), own, CATALOGUE)
        self.assertEqual([match.open for match in found], [True, True])

    def test_a_route_says_what_is_left_out_too(self) -> None:
        found = match_columns(profile("Code", "Mine"), BERTH, CATALOGUE, route={"Code": "name", "Mine": ""})
        self.assertEqual([(m.field.name if m.field else "", m.how) for m in found], [("name", "route"), ("", "route")])


class Lanes(unittest.TestCase):
    def carried(self, lanes: dict[str, Any], fields: tuple[Field, ...], marks: bool = False, **cells: list[Any]) -> Any:
        own = RecordType("T", "T", "Ts", "T", "id", fields, ())
        names = list(cells)
        table = pl.DataFrame({"row_id": range(len(cells[names[0]])), "row": range(len(cells[names[0]]))})
        table = table.with_columns([pl.Series(f"c{at}", cells[name], dtype=pl.String) for at, name in enumerate(names)])
        told = lanes_from_json(lanes)
        matches = with_lanes(match_columns(profile(*names), own, CATALOGUE), told, own)
        headers = {name: f"c{at}" for at, name in enumerate(names)}
        return carry(table, matches, own, Reading(marks=marks), {}, told, headers)

    def test_one_column_into_two_fields_and_one_for_every_row(self) -> None:
        first, last, town = (Field(name, name.title(), Kind.TEXT) for name in ("first", "last", "town"))
        lanes = {
            "first": {"source": "Name", "treatments": [{"do": "split", "take": "head"}]},
            "last": {"source": "Name", "treatments": [{"do": "split", "take": "last"}]},
            "town": {"fixed": "Gull Point"},
        }
        made = self.carried(lanes, (first, last, town), Name=["Ada Maria Reed", "Bram"])
        self.assertEqual(made["value.first"].to_list(), ["Ada Maria", None])
        self.assertEqual(made["value.last"].to_list(), ["Reed", "Bram"])
        self.assertEqual(made["value.town"].to_list(), ["Gull Point"] * 2)

    def test_marked_cells_skip_treatments_but_their_items_pass_the_value_list(self) -> None:
        lanes = {
            "services": {
                "treatments": [{"do": "case"}, {"do": "values", "pairs": [["WATER", "water"], ["h2o", "water"]]}]
            }
        }
        cells = ["water", "[add] h2o", "[set] h2o; power", "[clear]", "[keep]", "[remove] h2o"]
        made = self.carried(lanes, (MANY,), marks=True, services=list(cells))
        self.assertEqual(made["value.services"].to_list(), [["water"], ["water"], ["water", "power"], None, None, None])
        self.assertEqual(made["removed_items.services"].to_list()[-1], ["water"])
        self.assertEqual(made["problem.services"].null_count(), 6)

    def test_cells_without_a_mark_add_where_their_lane_says_so(self) -> None:
        made = self.carried({"services": {"adds": True, "separator": "/"}}, (MANY,), services=["water / power", ""])
        self.assertEqual(made["cell_says.services"].to_list(), [3, 0])
        self.assertEqual(made["value.services"].to_list()[0], ["water", "power"])

    def test_treated_to_blank_is_blank_and_unread_is_never_blank(self) -> None:
        lanes = {"rate": {"treatments": [{"do": "blank", "texts": ["n/k"]}, {"do": "number"}], "blank": "clear"}}
        made = self.carried(lanes, (RATE,), rate=["n/k", "12,5", "soon"])
        self.assertEqual(made["cell_says.rate"].to_list(), [5, 1, 1])
        self.assertEqual(made["problem.rate"].to_list(), [None, None, "no-number-form"])
        self.assertEqual(made["raw_text.rate"].to_list(), [None, None, "soon"])

    def test_what_a_lane_cannot_be(self) -> None:
        for field, lane, words in (
            (replace(RATE, read_only=True), Lane(), "only for reading"),
            (RATE, Lane(fixed="1", source="A"), "not both"),
            (RATE, Lane(fixed="soon"), "not a value of Rate"),
            (RATE, Lane(adds=True), "holds one value"),
            (MANY, Lane(separator=" "), "what stands between"),
            (RATE, Lane(source="B"), "no column 'B'"),
            (RATE, Lane(source="D"), "More than one"),
        ):
            with self.assertRaisesRegex(LaneError, words):
                check_lane(field, lane, ["A", "D", "D"])
        check_lane(replace(RATE, read_only=True), Lane(check=True), ["A"])
        for data in ({"loud": True}, {"adds": "yes"}, {"blank": "maybe"}, {"treatments": "trim"}, {"source": 3}):
            with self.assertRaises(LaneError):
                Lane.from_json(data)

    def test_two_fields_of_one_value_and_two_columns_of_one_field_are_named(self) -> None:
        own = RecordType("T", "T", "Ts", "T", "id", (RATE, LENGTH), (), (("rate", "length_m"),))
        found = match_columns(profile("rate", "length_m"), own, CATALOGUE)
        self.assertEqual([(a.header, b.header) for a, b in conflicts(found, own)], [("rate", "length_m")])
        with self.assertRaisesRegex(MappingError, "'rate' .* and 'length_m' .* same value"):
            refuse_conflicts(found, own)


class Documents(unittest.TestCase):
    def test_as_data_and_back_and_as_a_sentence(self) -> None:
        lane = Lane.from_json({"source": "Price", "treatments": [{"do": "number"}], "only_empty": True})
        made = BringIn("Berth", {"Code": "code", "Mine": ""}, {"rate": lane}, ("code",), row_condition="Done eq 'yes'")
        self.assertEqual(BringIn.from_json(made.to_json()), made)
        self.assertEqual(made.headers, {"Code", "Price"})
        says = sentence_of_bringing(made, CATALOGUE)
        self.assertTrue(says.startswith("Update Berths by Code, from Code, Daily rate; 1 cleaned on the way"), says)
        self.assertEqual(
            lane_sentence(BERTH.field("rate"), lane, "Price"),
            "Take Price, read numbers written as 1234,5, only where it is empty.",
        )

    def test_what_no_longer_fits_is_named(self) -> None:
        made = BringIn("Berth", {"A": "gone", "B": "code"}, {"lost": Lane(fixed="x")}, ("gone",))
        fits, lost = fitted_bringing(made, CATALOGUE)
        self.assertEqual((dict(fits.columns), dict(fits.lanes), fits.key), ({"B": "code"}, {}, ()))
        self.assertEqual(sorted({one.name for one in lost}), ["gone", "lost"])
        for data in ({}, {"record_type": "T", "version": 9}, {"record_type": "T", "operation": "burn"}):
            with self.assertRaises(DocumentError):
                BringIn.from_json(data)


ODD = [
    "[",
    "]",
    "\ufffd",
    "\u00a0",
    "\r",
    "\n",
    "\x1e",
    "e",
    "é",
    "+",
    "-",
    ".",
    "0",
    "7",
    "12",
    " ",
    "2026-01-02",
    "2026-01-02T03:04:59Z",
    "/",
    "wet",
    "dry ",
]
OPTIONS = tuple(
    Choice(value, label) for value, label in (("wet", "Wet"), ("7", "dry"), ("dry ", "7"), ("e\u0301", "e"))
)
CELLS = st.lists(st.lists(st.sampled_from(ODD), max_size=4).map("".join) | st.none(), min_size=1, max_size=8)


class PlainCells(unittest.TestCase):
    """Cells that are plainly values are read at once, and to the same end as with care."""

    @given(CELLS, st.sampled_from(KINDS), st.booleans())
    def test_read_at_once_is_read_with_care(self, texts: list[str | None], kind: Kind, marks: bool) -> None:
        field = Field("f", "F", kind, scale=2 if kind == Kind.DECIMAL else None, precision=6, max_length=9)
        field = replace(field, choices=OPTIONS if kind == Kind.CHOICE else ())
        cells = pl.DataFrame(
            {"row_id": range(len(texts)), "row": range(len(texts)), "c0": pl.Series(texts, dtype=pl.String)}
        )
        match = ColumnMatch("c0", "F", field, "name")
        own = RecordType("T", "T", "Ts", "T", "id", (field,), ())
        made = carry(cells, [match], own, Reading(marks=marks), {})
        careful = carry(cells, [match], own, Reading(marks=marks), {}, {"f": Lane(blank=Blank.CLEAR)})
        careful = careful.with_columns(pl.col("cell_says.f").replace(5, 0))
        self.assertEqual(made.to_dicts(), careful.to_dicts())

    def test_a_long_sheet_is_read_as_a_short_one(self) -> None:
        cells = pl.DataFrame({"row_id": range(50_000), "row": range(50_000)})
        cells = cells.with_columns((pl.col("row") / 4).cast(pl.String).alias("c0"), pl.lit("soon").alias("c1"))
        fields = (RATE, replace(RATE, name="other"))
        own = RecordType("T", "T", "Ts", "T", "id", fields, ())
        matches = [ColumnMatch(f"c{at}", field.name, field, "name") for at, field in enumerate(fields)]
        made = carry(cells, matches, own, Reading(), {})
        self.assertEqual(made["value.rate"].sum(), Decimal("312493750.00"))
        self.assertEqual(made["problem.other"].unique().to_list(), ["not-a-number"])


class LongForms(unittest.TestCase):
    @given(st.integers(0, 99999))
    def test_the_short_form_is_the_long_one(self, number: int) -> None:
        texts = pl.Series([str(number), f" {number} ", f"F{number:05}", f"{number:05}"])
        self.assertEqual(parse(FOB, texts).values.unique().to_list(), [f"F{number:05}"])

    def test_a_reference_is_found_by_either_and_an_unknown_one_names_the_nearest(self) -> None:
        target = RecordType("Fob", "Fob", "Fobs", "Fobs", "id", (replace(FOB, required=True),), (("fob",),))
        found = {"fob": pl.DataFrame({"fob": ["F00012"], "@id": ["7"]})}
        texts = key_texts(pl.Series(["12", "F00012", "F00O12"]))
        told = make_lookup(texts, target, found, {"F00O12": ["F00012"]})
        self.assertEqual(
            dict(told.select("text", "identifier").iter_rows()), {"12": "7", "F00012": "7", "F00O12": None}
        )
        self.assertIn("F00012", told["problem"].drop_nulls()[0])
