"""By keyboard alone: a tariff made the same as its sheet, a copied row made new, a record renamed."""

from __future__ import annotations

import httpx
import openpyxl
from selenium.webdriver.common.keys import Keys

from tests.browser.case import OFFICE, BrowserCase


class MadeSame(BrowserCase):
    def test_what_the_sheet_lacks_is_listed_asked_and_deleted(self) -> None:
        browser = self.browser("/trips/6/keys")
        browser.see("4 records in reach are not in the sheet", "of 36: 4 to delete")
        self.assertEqual(browser.serious(), [])
        browser.open("/trips/6/review")
        browser.see("4 to delete", "4 records that the sheet does not have would be deleted.")
        self.assertEqual(browser.serious(), [])
        self.assertFalse(browser.find("[data-testid=apply]").is_enabled())
        browser.tab_to("[data-testid=open] button.answer")
        browser.keys(Keys.ENTER)
        browser.until(lambda: browser.find("[data-testid=apply]").is_enabled(), "the answer")
        browser.tab_to("[data-testid=apply]")
        browser.keys(Keys.ENTER)
        browser.see("4 records that the sheet does not have deleted", "Type 4 to delete 4 records")
        self.assertEqual(browser.serious(), [])
        browser.tab_to("[role=dialog] input[inputmode]")
        browser.keys("3")
        self.assertFalse(browser.find("[data-testid=confirm]").is_enabled())
        browser.keys(Keys.BACKSPACE, "4")
        browser.tab_to("[data-testid=confirm]")
        browser.keys(Keys.ENTER)
        browser.see("4 of 4 gone", "2 updated", "4 deleted")
        self.assertEqual(browser.serious(), [])
        told = self.trip(browser, "6")["passes"][-1]
        self.assertEqual((told["absent"]["deleted"], told["totals"]["deleted"]), (4, 4))
        office = f"{self.demo.register}/practice/odata/TariffLines"
        query = {"$filter": "harbour eq 'GULLPOINT' and length_band eq '5-7'"}
        left = httpx.get(office, params=query, headers=OFFICE, trust_env=False).json()["value"]
        self.assertEqual(left, [])


class Berths(BrowserCase):
    def test_a_copied_row_is_a_new_record_and_a_renamed_one_shows_what_points_to_it(self) -> None:
        browser = self.browser()
        trip, path = self.sent_out("D")
        book = openpyxl.load_workbook(path)
        sheet = book.active
        header = [cell.value for cell in sheet[1]]
        number, status = (header.index(label) + 1 for label in ("Berth no.", "Status"))
        let, free = (
            next(row for row in range(2, sheet.max_row + 1) if sheet.cell(row, status).value == wanted)
            for wanted in ("let", "free")
        )
        copied = [cell.value for cell in sheet[free]]
        copied[number - 1] = "R-902"
        sheet.append(copied)
        sheet.cell(let, number).value = "R-901"
        book.save(path)
        browser.drop(path)
        browser.see("is the record to be renamed?")
        browser.open(f"/trips/{trip}/keys")
        browser.see("was this row copied to make a new berth?")
        self.assertEqual(browser.serious(), [])
        browser.keys("1")
        browser.until(lambda: "copied" not in str(self.trip(browser, str(trip))["reasons"]), "the new record")
        browser.open(f"/trips/{trip}/review?state=held")
        browser.see("is the record to be renamed?", "Contracts, Berth")
        self.assertIn("Point to this record: ", browser.find("[data-testid=pointed]").text)
        self.assertEqual(browser.serious(), [])
        for key, held, said in (("1", 0, "Undo with U"), ("u", 1, "Taken back"), ("1", 0, "Undo with U")):
            if key == "1":
                browser.see("Row 2 is held")
            browser.keys(key)
            browser.see(said)
            browser.until(
                lambda held=held: (self.trip(browser, str(trip))["sum"].get("held") or 0) == held, f"{held} held"
            )
            browser.press(".notices button")
        self.assertIn("Contracts, Berth", self.trip(browser, str(trip))["pointed_renames"])
        browser.open(f"/trips/{trip}/apply")
        browser.see("point to records that are renamed: Contracts, Berth")
