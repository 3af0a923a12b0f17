"""Outcome by reason: the rows of one reason alone, and all of them set aside, by keys."""

from __future__ import annotations

import httpx
from selenium.webdriver.common.keys import Keys

from tests.browser.case import OFFICE, BrowserCase
from tests.person import signed_in

REASON = "The e-mail address is not well formed."


class NotIn(BrowserCase):
    def test_a_reason_shows_its_rows_alone_and_all_of_them_are_set_aside(self) -> None:
        address = f"{self.demo.register}/practice/odata/Holders"
        asked = {"$top": "4", "$skip": "8", "$orderby": "id", "$filter": "email ne null"}
        holders = httpx.get(address, params=asked, headers=OFFICE, trust_env=False).json()["value"]
        mails = ("a@example.org", "nobody.example", "b@example.org", "none.example")
        lines = [f"{one['holder_no']},{mail}" for one, mail in zip(holders, mails, strict=True)]
        content = "\n".join(["holder_no,email", *lines, "9999999,c@example.org"])
        ada = signed_in(self.demo.address)
        trip = ada.bring(content.encode(), "harbour-practice", "Holder", key=["holder_no"])
        ada.mean_it(trip)
        number = ada.trip(trip)["plan"]["number"]
        ada.job(ada.ask("POST", f"trips/{trip}/passes", json={"plan": number}))
        browser = self.browser(f"/trips/{trip}/outcome")
        sent = ada.trip(trip)["passes"][-1]["sum"]
        self.assertEqual((sent["updated"], sent["refused"]), (2, 2))
        browser.see("3 rows are not in.", REASON, "the application refused 2 rows", "rows 1 to 3 of 3")
        group = f"[aria-label='Reasons'] button[aria-pressed][data-reason*='{REASON}']"
        browser.tab_to(group)
        browser.keys(Keys.ENTER)
        browser.see("rows 1 to 2 of 2")
        self.assertEqual(browser.find(group).get_attribute("aria-pressed"), "true")
        self.assertEqual(browser.serious(), [])
        browser.keys(Keys.ENTER)
        browser.see("rows 1 to 3 of 3")
        browser.keys(Keys.TAB)
        browser.keys(Keys.ENTER)
        browser.see("2 set aside since", "Decisions are listed, and undone, at Review.")
        self.assertEqual(self.trip(browser, str(trip))["sum"]["aside"], 2)
        browser.open(f"/trips/{trip}/outcome")
        browser.see("2 set aside since")
        # What became of the rows stays what it was, though the sheet was planned again since.
        self.assertEqual(self.trip(browser, str(trip))["passes"][-1]["sum"], sent)
        for state, count in ((state, count) for state, count in sent.items() if count):
            browser.see(f"{count} {state}")
        self.assertEqual(browser.serious(), [])
