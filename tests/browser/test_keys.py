"""Keys by keyboard alone: measured, another one put together, what makes no difference, near keys, and the reach."""

from __future__ import annotations

from selenium.webdriver.common.keys import Keys

from tests.browser.case import BrowserCase
from tests.browser.support import Browser
from tests.support import wait_until


class KeysOfASheet(BrowserCase):
    def test_measured_looked_into_and_near_keys_decided_each_way(self) -> None:
        browser = self.browser("/trips/4/keys")
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
        self.assertEqual(self.trip(browser, "4")["sum"]["held"], 3)
        browser.keys("u")
        browser.see("GULLPOINT · D-O46")
        browser.keys("2")
        browser.until(lambda: not browser.all("[data-testid=key-lists]"), "the other answer")
        self.assertEqual(self.trip(browser, "4")["sum"]["create"], 38)

    def as_sentence(self, browser: Browser) -> None:
        """The reach said part by part: the field, and of its values the one that begins so."""
        browser.tab_to("button.part-add")
        browser.keys(Keys.ENTER)
        for label, text in (("Field of the condition", "harbour"), ("Value of Harbour", "GULLP")):
            browser.tab_to(f"input[aria-label='{label}']")
            browser.keys(text)
            browser.until(
                lambda text=text: any(text.lower() in e.text.lower() for e in browser.all("[role=option]")), text
            )
            browser.keys(Keys.ENTER)
        browser.until(lambda: "640 of 3,866" in browser.text, "how many records that is")

    def test_then_a_key_put_together_capitals_and_the_reach_narrowed(self) -> None:
        browser = self.browser("/trips/4/keys")
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
        self.as_sentence(browser)
        browser.find("button.chip[aria-pressed]").send_keys(Keys.ENTER)
        browser.tab_to("input[aria-label^='Condition of the records']")
        self.assertEqual(
            browser.find("input[aria-label^='Condition']").get_attribute("value"), "harbour in ('GULLPOINT')"
        )
        browser.keys(Keys.CONTROL, "a")
        browser.keys("harbour eq 'GULLPOIN")
        browser.see("The condition has a slip")
        self.assertFalse(browser.named("Match rows and review").is_enabled(), "a slip is no reach")
        browser.tab_to("input[aria-label^='Condition of the records']")
        browser.keys(Keys.END, "T'")
        browser.until(lambda: browser.named("Match rows and review").is_enabled(), "the condition")
        browser.tab_to("form.main button[type=submit]")
        browser.keys(Keys.ENTER)
        browser.see("outside the reach of the trip")
        told = self.trip(browser, "4")
        self.assertEqual((told["reach"], told["ignores"]), ("harbour eq 'GULLPOINT'", ["capitals"]))
        self.assertGreater(told["sum"]["rejected"], 700)
