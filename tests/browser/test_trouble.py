"""A pass that stops at the first refusal and takes back what it wrote, by keys alone."""

from __future__ import annotations

import httpx
from selenium.webdriver.common.keys import Keys

from tests.browser.case import OFFICE, BrowserCase
from tests.person import signed_in


class Trouble(BrowserCase):
    def test_it_stops_says_why_and_opens_what_takes_back(self) -> None:
        address = f"{self.demo.register}/practice/odata/Holders"
        asked = {"$top": "4", "$orderby": "id", "$filter": "email ne null"}
        holders = httpx.get(address, params=asked, headers=OFFICE, trust_env=False).json()["value"]
        lines = ["holder_no,email", *[f"{one['holder_no']},{at}new@example.org" for at, one in enumerate(holders)]]
        lines[3] = f"{holders[2]['holder_no']},nobody.example"
        ada = signed_in(self.demo.address)
        trip = ada.bring("\n".join(lines).encode(), "harbour-practice", "Holder", key=["holder_no"])
        browser = self.browser(f"/trips/{trip}/review")
        browser.until(lambda: browser.find("[data-testid=apply]").is_enabled(), "the plan")
        browser.tab_to("[data-testid=apply]")
        browser.keys(Keys.ENTER)
        browser.see("Where rows are refused")
        browser.tab_to("input[name=trouble]")
        browser.keys(Keys.ARROW_DOWN, Keys.ARROW_DOWN)
        browser.see("row was refused")
        self.assertEqual(browser.serious(), [])
        browser.tab_to("input[aria-label='Refusals after which it stops']")
        browser.keys(Keys.BACKSPACE, "x")
        self.assertFalse(browser.find("[data-testid=confirm]").is_enabled())
        browser.keys(Keys.BACKSPACE, "1")
        browser.tab_to("[data-testid=confirm]")
        browser.keys(Keys.ENTER)
        browser.see("Stopped at 1 refused; it was to stop from 1 on.", "Taken back by")
        self.assertEqual(browser.serious(), [])
        self.assertEqual(self.trip(browser, str(trip))["sum"]["waiting"], 1)
        browser.tab_to("[data-testid=ways-back] a")
        browser.keys(Keys.ENTER)
        browser.see("Take back:", "2 update")
