"""Keys by keyboard alone: measured, another one put together, what makes no difference, near keys, and the reach."""

from __future__ import annotations

from selenium.webdriver.common.keys import Keys

from tests.browser.case import BrowserCase
from tests.support import wait_until


class KeysOfASheet(BrowserCase):
    def test_measured_looked_into_and_near_keys_decided_each_way(self) -> None:
        browser = self.browser()
        browser.open("/trips/4/keys")
        browser.see("finds the most", "38 find none", "GULLPOINT · D-O46")
        self.assertEqual(browser.serious(), [])
        browser.tab_to("[data-testid=keys] td button.text-small")
        browser.keys(Keys.ENTER)
        browser.see("1,283 rows that find one record by Record ID")
        browser.tab_to("[data-testid=key-rows] a[download]")
        browser.keys(Keys.ENTER)
        path = wait_until(lambda: next(iter(browser.downloads.glob("*one.csv")), None), what="the rows behind a number")
        self.assertEqual(len(path.read_text(encoding="utf-8-sig").splitlines()), 1284)
        marked = browser.script(
            "return [...document.querySelectorAll('[data-testid=key-lists] mark')].map(m => m.innerText)"
        )
        self.assertEqual(marked, ["O", "0"], "what differs is marked in both keys")
        browser.keys("1")
        browser.until(lambda: not browser.all("[data-testid=key-lists]"), "the answer")
        self.assertEqual(self.trip(browser, "4")["sum"]["held"], 2)
        browser.keys("u")
        browser.see("GULLPOINT · D-O46")
        browser.keys("2")
        browser.until(lambda: not browser.all("[data-testid=key-lists]"), "the other answer")
        self.assertEqual(self.trip(browser, "4")["sum"]["create"], 38)

    def test_then_a_key_put_together_capitals_and_the_reach_narrowed(self) -> None:
        browser = self.browser()
        browser.open("/trips/4/keys")
        browser.see("finds the most", "38 find none")
        browser.tab_to("input[aria-label='Field of another key']")
        for field in ("berth no", "status"):
            browser.keys(field)
            browser.until(lambda: any(e.is_displayed() for e in browser.all("[role=option]")), field)
            browser.keys(Keys.ENTER)
        browser.tab_to("form.main .sm:not(:disabled)")
        browser.click("Measure it")
        browser.see("Berth no. + Status")
        browser.tab_to("fieldset input[value=capitals]")
        browser.keys(Keys.SPACE)
        browser.find("button[aria-label^='Records that may be touched']").send_keys(Keys.ENTER)
        browser.until(lambda: browser.all("[role=option]"), "the reaches")
        browser.keys(Keys.END, Keys.ENTER)
        browser.tab_to("input[aria-label^='Condition of the records']")
        browser.keys("harbour eq 'GULLPOIN")
        browser.click("Match rows and review")
        browser.see("The condition has a slip")
        browser.tab_to("input[aria-label^='Condition of the records']")
        browser.keys(Keys.END, "T'")
        browser.click("Match rows and review")
        browser.see("outside the reach of the trip")
        told = self.trip(browser, "4")
        self.assertEqual((told["reach"], told["ignores"]), ("harbour eq 'GULLPOINT'", ["capitals"]))
        self.assertGreater(told["sum"]["rejected"], 700)
