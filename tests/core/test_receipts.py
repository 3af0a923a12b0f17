from __future__ import annotations

import io
import unittest
import zipfile
from decimal import Decimal

import openpyxl
import polars as pl
import xlsxwriter

from tests.core.examples import BERTH, CATALOGUE, cells, matches, plan
from tests.support import temporary_folder
from vexo.core.columns.carried_values import Reading, carry
from vexo.core.columns.marks import CHANGE, CLEAR, KEEP, LEAVE, VALUE, read_marks
from vexo.core.planning.frame import FieldColumns
from vexo.core.records import Catalogue, UnknownName
from vexo.core.sheets import Column, SheetError, SheetProfile, read_sheet
from vexo.core.sheets.readers.cell_values import day_of, shortest
from vexo.core.writing.receipts import Evidence, not_in, receipt

FOLDER = temporary_folder(lasting=True)
PROFILE = SheetProfile("csv", (Column("c0", "Code", 3, 3), Column("c1", "Rate, new", 3, 3)), 1, 3, 0, ())


ALL_AS_SENT = pl.DataFrame(schema={"row_id": pl.UInt32, "read_back": pl.String})


class Receipts(unittest.TestCase):
    sheet = [("A", "6"), ("B", "x"), ("C", "5")]
    now = [("1", "v", "A", "5"), ("2", "v", "B", "5"), ("3", "v", "C", "5")]
    made = plan(["code", "rate"], sheet, now)
    states = pl.DataFrame(
        {
            "row_id": pl.Series([0, 1, 2], dtype=pl.UInt32),
            "row": pl.Series([2, 3, 4], dtype=pl.UInt32),
            "state": ["updated", "rejected", "same"],
            "reason": [None, "Daily rate is not a number.", None],
            "@id": ["1", None, "3"],
        }
    )

    def test_the_sheets_columns_come_first_in_their_order(self) -> None:
        columns = receipt(
            cells(*self.sheet), PROFILE, self.states, [self.done(1, "5", "6")], [BERTH.field("rate")], ALL_AS_SENT
        )
        headers = [column.header for column in columns]
        self.assertEqual(headers[:3], ["Code", "Rate, new", "Row"])
        self.assertEqual(headers[-2:], ["Daily rate, before", "Daily rate, now"])
        told = {column.header: column.cells.to_list() for column in columns}
        self.assertEqual(told["What became of it"], ["updated", "rejected", "same"])
        self.assertEqual(told["Daily rate, before"], ["5.00", None, None])
        self.assertEqual(told["Daily rate, now"], ["6.00", None, None])
        self.assertEqual(told["Record ID in the application"], ["1", None, "3"])
        self.assertEqual(told["Pass"], ["1", None, None])

    def done(self, number: int, before: str, now: str) -> Evidence:
        """A pass that wrote the first row's rate."""
        money = [pl.Series([Decimal(value)], dtype=pl.Decimal(38, 2)) for value in (before, now)]
        columns = FieldColumns("rate")
        page = pl.DataFrame(
            {"row_id": [0], "state": ["updated"], columns.wrote: [True]}, schema_overrides={"row_id": pl.UInt32}
        )
        page = page.with_columns(money[0].alias(columns.before), money[1].alias(columns.base_app))
        return Evidence(number, page, pl.DataFrame(schema={"row_id": pl.UInt32}))

    def test_of_several_passes_the_first_says_what_was_and_the_last_what_is(self) -> None:
        passes = [self.done(1, "5", "6"), self.done(2, "6", "7.5")]
        columns = receipt(cells(*self.sheet), PROFILE, self.states, passes, [BERTH.field("rate")], ALL_AS_SENT)
        told = {column.header: column.cells.to_list()[0] for column in columns}
        self.assertEqual((told["Daily rate, before"], told["Daily rate, now"], told["Pass"]), ("5.00", "7.50", "2"))

    def test_of_a_deleted_record_it_says_all_that_it_held(self) -> None:
        page = pl.DataFrame({"row_id": [2], "state": ["deleted"]}, schema_overrides={"row_id": pl.UInt32})
        gone = pl.DataFrame({"row_id": [2], "code": ["C"], "rate": ["5"]}, schema_overrides={"row_id": pl.UInt32})
        fields = [BERTH.field("code"), BERTH.field("rate")]
        columns = receipt(cells(*self.sheet), PROFILE, self.states, [Evidence(1, page, gone)], fields, ALL_AS_SENT)
        told = {column.header: column.cells.to_list()[2] for column in columns}
        self.assertEqual(
            (told["Code, before"], told["Daily rate, before"], told["Daily rate, now"]), ("C", "5.00", None)
        )

    def test_rows_that_are_not_in_keep_their_cells_and_gain_the_reason(self) -> None:
        columns = not_in(cells(*self.sheet), PROFILE, self.states)
        self.assertEqual(
            [column.cells.to_list() for column in columns], [["B"], ["x"], ["3"], ["Daily rate is not a number."]]
        )


class Marks(unittest.TestCase):
    def read(self, name: str, *texts: str | None, on: bool = True) -> list[tuple[int, str | None, bool]]:
        marked = read_marks(BERTH.field(name), pl.Series(list(texts), dtype=pl.String), on)
        return list(zip(marked.say, marked.texts, marked.problems.is_not_null(), strict=True))

    def test_what_a_cell_can_say(self) -> None:
        self.assertEqual(
            self.read("rate", "5", None, "  ", "[clear]", " [Keep]\u00a0"),
            [
                (VALUE, "5", False),
                (LEAVE, None, False),
                (LEAVE, "  ", False),
                (CLEAR, None, False),
                (KEEP, None, False),
            ],
        )

    def test_a_real_bracket_is_doubled(self) -> None:
        self.assertEqual(self.read("name", "[[x] y"), [(VALUE, "[x] y", False)])

    def test_list_marks_belong_to_fields_with_several_values(self) -> None:
        self.assertEqual(self.read("services", "[set] water; wifi"), [(VALUE, "water; wifi", False)])
        self.assertTrue(self.read("rate", "[set] 5")[0][2])
        self.assertTrue(self.read("rate", "[add] 5")[0][2])
        self.assertTrue(self.read("services", "[add] a [add] b")[0][2])
        self.assertTrue(self.read("services", "[add] wifi [set] power")[0][2])
        self.assertTrue(self.read("services", "[clear] [remove] wifi")[0][2])
        self.assertTrue(self.read("services", "[ad] wifi")[0][2])
        self.assertTrue(self.read("rate", "[clear] 5")[0][2])

    def test_items_are_added_and_taken_away_together(self) -> None:
        on = (pl.Series(["[ADD] a; b", "\u00a0[remove] a", "[add] a [remove] b; c", "[remove] b [add] a"]), True)
        marked = read_marks(BERTH.field("services"), *on)
        self.assertEqual(marked.texts.to_list(), ["a; b", "", "a", "a"])
        self.assertEqual(marked.without.to_list(), ["", "a", "b; c", "b"])
        self.assertEqual(marked.say.to_list(), [CHANGE] * 4)
        self.assertEqual(marked.problems.null_count(), 4)

    def test_a_real_bracket_of_an_item_is_doubled_too(self) -> None:
        self.assertEqual(self.read("services", "[[new]; wifi"), [(VALUE, "[new]; wifi", False)])
        self.assertEqual(self.read("services", "wifi; [[new]"), [(VALUE, "wifi; [new]", False)])
        self.assertEqual(self.read("services", r"c\\d; [[a\;b]"), [(VALUE, r"c\\d; [a\;b]", False)])
        self.assertEqual(self.read("services", "[set] [[new]"), [(VALUE, "[new]", False)])
        self.assertEqual(self.read("services", "[add] [[remove]"), [(CHANGE, "[remove]", False)])

    def test_in_a_sheet_from_elsewhere_a_bracket_is_a_bracket(self) -> None:
        self.assertEqual(self.read("name", "[clear]", on=False), [(VALUE, "[clear]", False)])


class Carrying(unittest.TestCase):
    def test_any_rows_alone_read_as_among_the_others(self) -> None:
        table = cells(("A", "5"), ("B", "x"), ("C", None))
        whole = carry(table, matches("code", "rate"), BERTH, Reading(), {})
        for at in range(3):
            alone = carry(table[at : at + 1], matches("code", "rate"), BERTH, Reading(), {})
            self.assertEqual(alone.rows(), whole[at : at + 1].rows())

    def test_the_harmless_prefix_goes_only_where_it_was_put(self) -> None:
        table = cells(("'=x", "5"), ("''y", "5"), ("'plain", "5"))
        ours = carry(table, matches("code", "rate"), BERTH, Reading(prefixed=True), {})
        self.assertEqual(ours["value.code"].to_list(), ["=x", "'y", "'plain"])
        theirs = carry(table, matches("code", "rate"), BERTH, Reading(), {})
        self.assertEqual(theirs["value.code"].to_list(), ["'=x", "''y", "'plain"])


class Workbooks(unittest.TestCase):
    def test_days_in_both_date_systems(self) -> None:
        self.assertEqual(day_of("1", False), "1900-01-01")
        self.assertEqual(day_of("59", False), "1900-02-28")
        self.assertEqual(day_of("61", False), "1900-03-01")
        self.assertEqual(day_of("46342", False), "2026-11-16")
        self.assertEqual(day_of("46342.5", False), "2026-11-16T12:00:00")
        self.assertEqual(day_of("0.25", False), "06:00:00")
        self.assertEqual(day_of("44880", True), "2026-11-16")
        self.assertEqual(day_of("-5", False), "-5")

    def test_numbers_are_the_shortest_that_give_the_stored_one(self) -> None:
        cases = {"0.10000000000000001": "0.1", "1E+16": "10000000000000000", "12345678901234.561": "12345678901234.56"}
        for stored, text in {**cases, "38.5": "38.5", "1.5e-3": "0.0015"}.items():
            self.assertEqual(shortest(stored), text)

    def rewritten(self, name: str, **parts: str) -> str:
        """A small workbook with some of its parts replaced."""
        book, out = io.BytesIO(), FOLDER / name
        with xlsxwriter.Workbook(book) as workbook:
            sheet = workbook.add_worksheet()
            sheet.write_row(0, 0, ["a", "b"])
            sheet.write_row(1, 0, ["x", 1])
        with zipfile.ZipFile(book) as source, zipfile.ZipFile(out, "w") as target:
            for entry in source.namelist():
                key = entry.rpartition("/")[2].replace(".", "_")
                target.writestr(entry, parts.get(key, source.read(entry)))
        return str(out)

    def test_rich_text_is_joined_and_reading_aids_are_left_out(self) -> None:
        strings = (
            '<sst xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><si><t>a</t></si><si><t>b</t></si>'
            "<si><r><t>bold </t></r><r><t>&amp; plain</t></r><rPh sb='0' eb='1'><t>aid</t></rPh></si></sst>"
        )
        path = self.rewritten("rich.xlsx", sharedStrings_xml=strings)
        read_sheet(FOLDER / path.rpartition("/")[2], FOLDER / "rich.parquet")
        self.assertEqual(pl.read_parquet(FOLDER / "rich.parquet")["c0"].to_list(), ["bold & plain"])

    def test_entities_of_its_own_are_refused(self) -> None:
        bomb = '<?xml version="1.0"?><!DOCTYPE x [<!ENTITY a "aaaa">]><workbook/>'
        path = self.rewritten("entities.xlsx", workbook_xml=bomb)
        with self.assertRaises(SheetError) as caught:
            read_sheet(FOLDER / path.rpartition("/")[2], FOLDER / "e.parquet")
        self.assertIn("entities", str(caught.exception))

    def test_broken_xml_is_a_sentence(self) -> None:
        path = self.rewritten("broken.xlsx", workbook_xml="<workbook")
        with self.assertRaises(SheetError) as caught:
            read_sheet(FOLDER / path.rpartition("/")[2], FOLDER / "b.parquet")
        self.assertIn("save it anew", str(caught.exception))

    def test_the_first_visible_sheet_with_cells_is_read(self) -> None:
        workbook = openpyxl.Workbook()
        workbook.active.title = "Cover"
        workbook.create_sheet("Hidden").append(["secret"])
        workbook["Hidden"].sheet_state = "hidden"
        workbook.create_sheet("Berths").append(["Code"])
        workbook["Berths"].append(["A-1"])
        workbook.save(FOLDER / "several.xlsx")
        profile = read_sheet(FOLDER / "several.xlsx", FOLDER / "several.parquet")
        self.assertEqual((profile.sheet, profile.other_sheets), ("Berths", ("Cover",)))

    def test_a_profile_comes_back_from_json(self) -> None:
        import json

        profile = (
            read_sheet(FOLDER / "several.xlsx", FOLDER / "again.parquet")
            if (FOLDER / "several.xlsx").exists()
            else PROFILE
        )
        self.assertEqual(SheetProfile.from_json(json.loads(json.dumps(profile.to_json()))), profile)


class Records(unittest.TestCase):
    def test_a_catalogue_comes_back_from_json(self) -> None:
        import json

        self.assertEqual(Catalogue.from_json(json.loads(json.dumps(CATALOGUE.to_json()))), CATALOGUE)

    def test_types_are_found_in_any_capitals_and_by_their_plural(self) -> None:
        for name in ("Berth", "berth", "BERTHS"):
            self.assertEqual(CATALOGUE.type(name), BERTH)
        with self.assertRaises(UnknownName) as caught:
            CATALOGUE.type("Birth")
        self.assertIn("Did you mean 'Berth'", str(caught.exception))

    def test_a_field_of_a_referenced_record_is_for_reading(self) -> None:
        path = CATALOGUE.field(BERTH, "holder/number")
        self.assertEqual((path.label, path.read_only, path.path), ("Holder › Holder no.", True, ("holder", "number")))
        shown = CATALOGUE.shown_field(BERTH.field("holder"))
        self.assertEqual(shown, path)
        self.assertIsNone(CATALOGUE.shown_field(BERTH.field("name")))
        with self.assertRaises(UnknownName):
            CATALOGUE.field(BERTH, "name/number")
