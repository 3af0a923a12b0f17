"""Taking back by keys alone: what the fobs' trip wrote is reviewed, applied, and is as it was."""

from __future__ import annotations

from typing import Any

import httpx
from selenium.webdriver.common.keys import Keys

from tests.browser.case import OFFICE, BrowserCase


class TakeBack(BrowserCase):
    def blocked(self, numbers: list[str]) -> list[bool]:
        fobs = {fob["print_no"]: fob["blocked"] for fob in self.fobs()}
        return [fobs[number] for number in numbers]

    def fobs(self) -> list[dict[str, Any]]:
        address = f"{self.demo.register}/live/odata/GateFobs"
        asked = {"$top": "400", "$orderby": "id", "$select": "id,print_no,blocked"}
        return list(httpx.get(address, params=asked, headers=OFFICE, trust_env=False).json()["value"])

    def test_what_a_trip_wrote_is_as_it_was_and_both_trips_say_so(self) -> None:
        browser = self.browser()
        rows = browser.script("return fetch('/api/trips/2/outcome?state=updated&limit=100').then(a => a.json())")[
            "rows"
        ]
        numbers = [row["cells"][0]["text"] for row in rows]
        self.assertEqual((len(numbers), set(self.blocked(numbers))), (36, {True}))
        browser.open("/trips/2/outcome")
        browser.see("Take back…")
        browser.tab_to("[data-testid=take-back]")
        browser.keys(Keys.ENTER)
        browser.see("Pass 1: 36 updated", "Which rows")
        self.assertEqual(browser.serious(), [])
        browser.tab_to("input[name=rows]")
        browser.keys("x")
        browser.see("Rows are numbers and ranges")
        self.assertFalse(browser.find("[data-testid=make-reverse]").is_enabled())
        browser.keys(Keys.BACKSPACE)
        browser.tab_to("[data-testid=make-reverse]")
        browser.keys(Keys.ENTER)
        browser.see("Take back: Fobs reported lost", "36 update", "nothing is back yet")
        self.assertEqual(browser.serious(), [])
        self.assertEqual(set(self.blocked(numbers)), {True}, "nothing is written before it is applied")
        browser.until(lambda: browser.find("[data-testid=apply]").is_enabled(), "the plan")
        browser.tab_to("[data-testid=apply]")
        browser.keys(Keys.ENTER)
        browser.see("36 rows will be written")
        browser.tab_to("[data-testid=confirm]")
        browser.keys(Keys.ENTER)
        browser.see("36 updated", "36 records are back")
        self.assertEqual(set(self.blocked(numbers)), {False})
        browser.tab_to("[data-testid=ways-back] a")
        browser.keys(Keys.ENTER)
        browser.see("Fobs reported lost", "Taken back by", "36 records are back")
        self.assertEqual(self.console_errors(browser), [])
        browser.open("/trips/2/outcome")
        browser.tab_to("[data-testid=take-back]")
        browser.keys(Keys.ENTER)
        browser.see("Which rows")
        browser.tab_to("[data-testid=make-reverse]")
        browser.keys(Keys.ENTER)
        browser.see("Nothing of trip 2 is left to be taken back.")
