from __future__ import annotations

from selenium.webdriver.common.keys import Keys

from tests.browser.case import BrowserCase
from tests.browser.support import Browser

UNSETTLED = ("Opening", "Looking for your", "Asking the")


class Keyboard(BrowserCase):
    def test_a_trip_from_sign_in_to_outcome_by_keys_alone(self) -> None:
        browser = self.stranger()
        browser.open("/")
        browser.see("Sign in")
        self.tab_to(browser, "input[name=username]")
        browser.keys("ada", Keys.TAB, "saltmarsh", Keys.ENTER)
        browser.see("Winter tariff")
        browser.keys(Keys.CONTROL, "k")
        browser.see("All keys")
        browser.keys("winter tariff")
        browser.until(lambda: len(browser.all("[role=option]")) == 1, "the trip found")
        browser.keys(Keys.ENTER)
        browser.see("1,320 rows read")
        self.tab_to(browser, "button.held")
        browser.keys(Keys.ENTER)
        browser.see("Row 29 is held")
        browser.keys("2")
        browser.see("2 held")
        browser.keys("x")
        browser.see("1 held")
        browser.keys("u")
        browser.keys("?")
        browser.see("All keys here")
        browser.keys(Keys.ESCAPE)
        self.tab_to(browser, "[data-testid=apply]")
        browser.keys(Keys.ENTER)
        browser.see("will be written to Berths")
        browser.until(lambda: browser.all("[role=dialog]"), "the dialog")
        self.tab_to(browser, "[data-testid=confirm]")
        browser.keys(Keys.ENTER)
        browser.see("Read back")
        browser.until(lambda: "Row 2" in browser.find("[data-testid=panel] h2").text, "the first row in the panel")
        browser.keys("j")
        browser.until(lambda: "was" in browser.find("[data-testid=panel] h2").text, "a row in the panel")
        browser.keys("o")
        browser.see("The sheet as it will be")

    def tab_to(self, browser: Browser, css: str) -> None:
        for _ in range(80):
            if browser.script("return document.activeElement?.matches(arguments[0])", css):
                return
            browser.keys(Keys.TAB)
        self.fail(f"no way to {css} with the tab key")


class Accessible(BrowserCase):
    """axe-core finds nothing serious, and nothing hangs out of the window, at three widths."""

    def test_every_screen(self) -> None:
        browser = self.stranger()
        browser.open("/")
        browser.see("Sign in")
        self.assertEqual(browser.serious(), [])
        browser.sign_in()
        stations = ("file", "columns", "keys", "review", "apply", "outcome")
        screens = {
            "/": "Rows carried in",
            "/send-out": "The sheet as it will be",
            "/applications": "Test the connection",
            "/journal": "Brought in",
            **{f"/trips/4/{station}": "Winter tariff" for station in stations},
            "/trips/4/review?state=held": "Row 29 is held",
            "/trips/2/outcome": "The last master fob",
            "/trips/1": "not back yet",
        }
        for path, words in screens.items():
            with self.subTest(path):
                browser.open(path)
                browser.see(words)
                browser.until(lambda: not any(word in browser.text for word in UNSETTLED), "the page to settle")
                self.assertEqual(browser.serious(), [])
                for width, height in ((1024, 768), (1920, 1080), (1280, 800)):
                    browser.resize(width, height)
                    over = browser.script("return document.documentElement.scrollWidth - window.innerWidth")
                    self.assertLessEqual(over, 0, f"{path} at {width}")
        browser.open("/applications")
        browser.click("Connect an application")
        browser.see("Kept encrypted")
        self.assertEqual(browser.serious(), [])
        browser.open("/trips/4/review")
        browser.click("Apply 963 rows")
        browser.see("these are the real records")
        self.assertEqual(browser.serious(), [])

    def test_a_long_sheet_is_seen_to_its_end(self) -> None:
        browser = self.browser()
        browser.open("/trips/4/review")
        browser.see("1,320 rows read")
        browser.until(lambda: browser.all(".grid-row .grid-no"), "rows")
        browser.find("[data-testid=grid]").click()
        browser.keys(Keys.END)
        browser.until(lambda: any(e.text == "1321" for e in browser.all(".grid-no")), "the last row")
        browser.keys(Keys.HOME)
        browser.until(lambda: any(e.text == "2" for e in browser.all(".grid-no")), "the first row")
        self.assertLess(len(browser.all(".grid-row")), 80)
