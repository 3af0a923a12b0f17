"""Two people and one plan: asked, sent back, changed, asked again, approved, applied; the preparer cannot approve."""

from __future__ import annotations

from typing import Any

from selenium.webdriver.common.keys import Keys

from tests.browser.case import BrowserCase
from tests.person import signed_in


class Approval(BrowserCase):
    def press(self, browser: Any, name: str) -> None:
        browser.tab_to(f"[data-testid={name}]")
        browser.keys(Keys.ENTER)

    def ask(self, browser: Any, words: str) -> None:
        """From Review to the plan's approval, which is asked for."""
        browser.open("/trips/3/review")
        browser.see("To its approval")
        browser.until(lambda: browser.find("[data-testid=apply]").is_enabled(), "the plan")
        self.press(browser, "apply")
        browser.see("more than 20 are approved by somebody else first", "Ask for approval")
        self.assertEqual(browser.serious(), [])
        browser.tab_to("input[name=words]")
        browser.keys(words)
        self.press(browser, "ask-approval")
        browser.see(f"You ask for its approval: {words}.")
        self.assertEqual(browser.all("[data-testid=approve]"), [], "not by whoever prepared it")

    def looks(self, username: str) -> Any:
        """Somebody else, who sees on Home that an approval is asked for, and opens it."""
        browser = self.browser(username=username)
        browser.see("waits for an approval")
        browser.open("/trips/3/apply")
        browser.see("Bram Tidewell asks for its approval")
        browser.until(lambda: browser.all("[data-testid=approve]"), "the way to approve")
        return browser

    def test_two_people_and_one_plan(self) -> None:
        rules = {"said": {"Berth": {"approve": {"above": 20}}}}
        ada = signed_in(self.demo.address)
        ada.ask("PUT", "applications/harbour-practice/rules", json=rules).raise_for_status()
        browser = self.browser("/trips/3/review", username="bram")
        browser.see("Plan again")
        self.press(browser, "plan-again")
        self.ask(browser, "Season rates")
        browser = self.looks("ines")
        self.assertEqual(browser.serious(), [])
        self.assertFalse(browser.find("[data-testid=send-back]").is_enabled(), "not without a word")
        browser.tab_to("input[name=words]")
        browser.keys("Not the first")
        self.press(browser, "send-back")
        browser.see("Sent back by you: Not the first")
        browser = self.browser(username="bram")
        browser.see("sent back: Not the first")
        browser.open("/trips/3/review?state=update")
        browser.until(lambda: browser.all("[data-testid=panel] .btn:not(:disabled)"), "the first row")
        browser.keys("s")
        browser.until(lambda: self.trip(browser, "3")["sum"].get("aside") == 1, "the row set aside")
        browser.until(lambda: not self.trip(browser, "3")["job"], "the plan")
        self.ask(browser, "Without the first")
        browser = self.looks("ines")
        self.press(browser, "approve")
        browser.see("Approved by you")
        browser = self.browser(username="bram")
        browser.see("approved, 36 ready to apply")
        browser.open("/trips/3/review")
        browser.see("Apply 36 rows")
        browser.until(lambda: browser.find("[data-testid=apply]").is_enabled(), "the plan")
        self.press(browser, "apply")
        browser.see("36 rows will be written")
        self.press(browser, "confirm")
        browser.see("36 updated")
        self.assertEqual(self.console_errors(browser), [])
