"""Review by keys alone: guards set, charts as filters, decisions undone out of order, two people at once."""

from __future__ import annotations

import re
from typing import Any

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from tests.browser.case import BrowserCase
from tests.person import signed_in


class Review(BrowserCase):
    def held(self, browser: Any) -> None:
        browser.open("/trips/4/review?state=held")
        browser.see("Row 29 is held")
        browser.until(lambda: len(browser.all(".grid-row .grid-no")) == 4, "the held rows")

    def answered(self, browser: Any, key: str, held: int) -> None:
        """An answer by its key, once the trip is as it says."""
        browser.until(lambda: browser.all("[data-testid=panel] .answer:not(:disabled)"), "answers that can be given")
        browser.keys(key)
        browser.see(f"same + {held} held" if held else "same + 9 rejected")

    def test_a_change_is_a_filter_and_the_chart_is_a_table_too(self) -> None:
        browser = self.browser("/trips/4/review")
        browser.see("Commonest changes", "38.50 → 40.50")
        browser.until(lambda: browser.all("[data-testid=picture] svg"), "the chart")
        self.assertEqual(browser.serious(), [])
        browser.tab_to("[data-testid=picture] .change-bar")
        browser.keys(Keys.ENTER)
        browser.see("are hidden by the filter")
        shown = int(browser.find("[role=grid]").get_attribute("aria-rowcount")) - 1
        self.assertEqual(shown, int(browser.find(".change-bar[aria-pressed=true] span:last-child").text))
        browser.until(lambda: browser.all(".grid-row .new"), "cells")
        self.assertIn("40.50", {cell.text for cell in browser.all(".grid-row .new")})
        browser.keys(Keys.ENTER)
        browser.until(lambda: "hidden by the filter" not in browser.text, "all rows")
        browser.tab_to("[data-testid=picture] summary")
        browser.keys(Keys.ENTER)
        browser.see("from, to below")

    def test_decisions_are_undone_out_of_order_and_two_people_see_each_other_s(self) -> None:
        browser = self.browser()
        self.held(browser)
        self.answered(browser, "1", 3)
        other = signed_in(self.demo.address, "ines")
        plan = other.http.get("trips/4").json()["plan"]["number"]
        body = {"plan": plan, "code": "both-changed", "answer": "application"}
        self.assertEqual(other.ask("POST", "trips/4/decisions", json=body).status_code, 200)
        browser.open("/trips/4/review?beside=decisions")
        browser.see("Use the file", "Keep application", "Ines Gullane-Marsh", "you, ")
        browser.until(lambda: len(browser.all("[data-testid=decisions] li")) == 2, "both decisions")
        self.assertEqual(browser.serious(), [])
        browser.tab_to("[data-testid=decisions] li:last-child button:last-child")
        browser.keys(Keys.ENTER)
        browser.see("Taken back: Use the file")
        browser.until(lambda: len(browser.all("[data-testid=decisions] li")) == 1, "the other's alone")
        self.held_now(browser, 3)
        # One's own last is undone by U, and never another's.
        browser.open("/trips/4/review?state=held")
        browser.see("is held")
        browser.until(lambda: browser.all("[data-testid=panel] .btn:not(:disabled)"), "buttons")
        browser.keys("u")
        browser.see("You have decided nothing that could be undone")
        self.held_now(browser, 3)

    def held_now(self, browser: Any, held: int) -> None:
        self.assertEqual(self.trip(browser, "4")["sum"].get("held", 0), held)

    def another_row(self, browser: Any, last: int) -> int | None:
        """The number of the row that the panel is about, if it is another than the last."""
        told = re.search(r"Row ([\d,]+) ", browser.find("[data-testid=panel] h2").text)
        number = int(told[1].replace(",", "")) if told else last
        return number if number != last else None

    def test_one_key_goes_from_open_row_to_open_row(self) -> None:
        browser = self.browser("/trips/4/review")
        browser.see("Row 2 has nothing to write", "next open row")
        browser.keys("n")
        browser.see("Row 9 is rejected")
        terms = self.trip(browser, "4")["sum"]
        waiting = terms["held"] + terms["rejected"]
        self.assertEqual(int(browser.find("[role=grid]").get_attribute("aria-rowcount")) - 1, waiting)
        rows = [9]
        for _ in range(waiting):
            browser.keys("n")
            told = browser.until(lambda: self.another_row(browser, rows[-1]), "the next row")
            rows.append(told)
        self.assertEqual((len(set(rows)), rows[-1]), (waiting, 9), "round again")

    def test_what_a_trip_does_leads_to_its_rows(self) -> None:
        browser = self.browser("/trips/4/apply?each=Harbour")
        browser.see("Changes by column", "954 changes", "524 update, 192 same")
        self.assertEqual(browser.serious(), [])
        browser.tab_to("[data-testid=whole-plan] li:nth-child(2) a")
        browser.keys(Keys.ENTER)
        browser.see("rows are hidden by the filter", "water; power → water; power; pump-out")
        shown = int(browser.find("[role=grid]").get_attribute("aria-rowcount")) - 1
        self.assertIn(shown, (72, 73), "the changed rows, and one that is held for another cell of it")

    def test_a_row_is_explained(self) -> None:
        browser = self.browser()
        self.held(browser)
        browser.tab_to("[data-testid=story] summary")
        browser.keys(Keys.ENTER)
        browser.see("found by Harbour", "It waits for a person", "compared with what went out")

    def test_what_a_field_warns_of_stands_at_its_column(self) -> None:
        browser = self.browser("/trips/4/columns")
        browser.see("Columns flow up into fields")
        browser.until(lambda: browser.all("[role=grid]"), "the grid")
        self.assertNotIn("at midnight", browser.text)
        for _ in range(9):
            if browser.all("[data-testid=warning]"):
                break
            browser.tab_to("[role=grid]")
            browser.keys(Keys.ARROW_RIGHT)
        browser.see("Status → Status", "The gates read it at midnight", "57 rows of this sheet")

    def test_guards_are_set_by_keys_and_bind(self) -> None:
        browser = self.browser("/applications/harbour-practice?show=guards")
        browser.see("Lost point", "where a number becomes 10, 100 or 1,000 times")
        self.assertEqual(browser.serious(), [])
        browser.tab_to("[data-testid=guard-far-out] select")
        browser.keys("o")
        browser.see("set for Saltmarsh Harbour Register (practice)")
        listed = signed_in(self.demo.address).http.get("applications/harbour-practice/guards").json()
        self.assertIn(listed["said"]["far-out"]["mode"], ("say", "off"))
        browser.tab_to("[data-testid=guard-far-out] button")
        browser.keys(Keys.ENTER)
        browser.until(lambda: "set for" not in browser.text, "as usual")
        browser.tab_to("[data-testid=guard-many-changes] input")
        browser.keys(Keys.CONTROL, "a")
        browser.keys("101", Keys.TAB)
        browser.see("share of the guard many-changes is from 0 to 100, not 101")
        share = "[data-testid=guard-many-changes] input"
        browser.until(lambda: browser.find(share).get_attribute("value") == "20", "as it was")

    def test_the_plan_as_a_document(self) -> None:
        browser = self.browser("/trips/4/review")
        browser.tab_to("[data-testid=document]")
        browser.keys(Keys.ENTER)
        browser.see("Page to print")
        browser.until(lambda: browser.driver.find_elements(By.LINK_TEXT, "Workbook"), "the workbook")
        browser.click("Workbook", css="a")
        browser.until(lambda: list(browser.downloads.glob("trip-4-plan-*.xlsx")), "the workbook")
