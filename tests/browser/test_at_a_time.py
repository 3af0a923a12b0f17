"""A plan that is sent at a time, and a pass that waits: said on Home and at Apply, by keys alone."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import httpx
from selenium.webdriver.common.keys import Keys

from tests.browser.case import OFFICE, BrowserCase
from tests.person import Person, signed_in


class AtATime(BrowserCase):
    def trip(self, ada: Person, words: str, count: int = 3) -> int:
        """A trip that writes the first names of holders."""
        address = f"{self.demo.register}/practice/odata/Holders"
        asked = {"$top": str(count), "$orderby": "id"}
        holders = httpx.get(address, params=asked, headers=OFFICE, trust_env=False).json()["value"]
        lines = ["holder_no,first_name", *[f"{one['holder_no']},{words} {at}" for at, one in enumerate(holders)]]
        return ada.bring("\n".join(lines).encode(), "harbour-practice", "Holder", key=["holder_no"])

    def test_it_is_said_shown_on_home_and_taken_back(self) -> None:
        ada, browser = signed_in(self.demo.address), self.browser()
        trip = self.trip(ada, "Timely")
        browser.open(f"/trips/{trip}/apply")
        browser.see("Write 3 rows")
        browser.tab_to("select[name=when]")
        browser.keys(Keys.ARROW_DOWN)
        browser.until(lambda: browser.all("input[name=at]"), "the field for the time")
        browser.tab_to("select[aria-label='Where a row is refused']")
        browser.keys(Keys.ARROW_DOWN)
        browser.see("once")
        self.assertEqual(browser.serious(), [])
        browser.tab_to("[data-testid=to-confirm]")
        browser.keys(Keys.ENTER)
        browser.see("It is sent")
        self.assertEqual(browser.serious(), [])
        browser.tab_to("[data-testid=confirm]")
        browser.keys(Keys.ENTER)
        browser.see("Do not send it then", "waits for its time")
        told = ada.trip(trip)
        self.assertEqual((told["scheduled"]["counts"], told["passes"]), (True, []))
        browser.open("/")
        browser.see("to be applied")
        browser.open(f"/trips/{trip}/apply")
        browser.see("Do not send it then")
        browser.tab_to("[data-testid=no-time]")
        browser.keys(Keys.ENTER)
        browser.until(lambda: not browser.all("[data-testid=scheduled]"), "that it is taken back")
        self.assertIsNone(ada.trip(trip)["scheduled"])

    def test_what_the_application_never_takes_now_is_said_before(self) -> None:
        ada, browser = signed_in(self.demo.address), self.browser()
        trip = self.trip(ada, "Never")
        now = datetime.now(UTC)
        closed = {"from": f"{now - timedelta(hours=3):%H:%M}", "to": f"{now - timedelta(hours=2):%H:%M}", "zone": "UTC"}
        rules = "applications/harbour-practice/rules"
        ada.ask("PUT", rules, json={"said": {"Holder": {"times": closed}}}).raise_for_status()
        self.addCleanup(lambda: ada.ask("PUT", rules, json={"said": {}}).raise_for_status())
        ada.plan_again(trip)
        browser.open(f"/trips/{trip}/apply")
        browser.see("Holders are written from", "Write 3 rows")
        browser.tab_to("[data-testid=to-confirm]")
        browser.keys(Keys.ENTER)
        browser.see("It is sent")
        browser.tab_to("[data-testid=confirm]")
        browser.keys(Keys.ENTER)
        browser.see("by its administrator's rules: next on")
        self.assertEqual(ada.trip(trip)["passes"], [])
        browser.open("/applications")
        browser.see("Saltmarsh")

    def test_a_paused_pass_goes_on(self) -> None:
        ada, browser = signed_in(self.demo.address), self.browser()
        trip = self.trip(ada, "Paused", 500)
        ada.mean_it(trip)
        browser.open(f"/trips/{trip}/apply")
        browser.see("Write 500 rows")
        browser.tab_to("[data-testid=to-confirm]")
        browser.keys(Keys.ENTER)
        browser.see("It is sent")
        slow = {"kind": "slow", "times": 10_000, "seconds": 1}
        httpx.post(f"{self.demo.register}/trouble", json=slow, trust_env=False).raise_for_status()
        quick = {"kind": "none", "times": 0}
        self.addCleanup(httpx.post, f"{self.demo.register}/trouble", json=quick, trust_env=False)
        browser.tab_to("[data-testid=confirm]")
        browser.keys(Keys.ENTER)
        browser.see("Pause after this batch")
        self.assertEqual(browser.serious(), [])
        browser.tab_to("[data-testid=pause]")
        browser.keys(Keys.ENTER)
        browser.see("is paused", "Paused by Ada Quillfeather")
        self.assertEqual(browser.serious(), [])
        httpx.post(f"{self.demo.register}/trouble", json=quick, trust_env=False).raise_for_status()
        done = ada.trip(trip)["passes"][-1]["totals"]["updated"]
        self.assertLess(done, 500)
        browser.tab_to("[data-testid=go-on]")
        browser.keys(Keys.ENTER)
        browser.see("Read back")
        self.assertEqual(ada.trip(trip)["passes"][-1]["totals"]["updated"], 500)
