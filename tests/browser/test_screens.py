from __future__ import annotations

from selenium.webdriver.common.keys import Keys

from tests.browser.case import BrowserCase

UNSETTLED = ("Opening", "Looking for your", "Asking the")


class Keyboard(BrowserCase):
    def test_a_trip_from_sign_in_to_outcome_by_keys_alone(self) -> None:
        browser = self.stranger()
        browser.open("/")
        browser.see("Sign in")
        browser.tab_to("input[name=username]")
        browser.keys("ada", Keys.TAB, "saltmarsh", Keys.ENTER)
        browser.see("Winter tariff")
        browser.keys(Keys.CONTROL, "k")
        browser.see("All keys")
        browser.keys("winter tariff")
        browser.until(lambda: len(browser.all("[role=option]")) == 1, "the trip found")
        browser.keys(Keys.ENTER)
        browser.see("1,320 rows read")
        browser.tab_to("button.held")
        browser.keys(Keys.ENTER)
        browser.see("Row 29 is held")
        browser.keys("2")
        browser.see("same + 3 held")
        browser.until(lambda: "Row 29 " not in browser.find("[data-testid=panel] h2").text, "the next row")
        browser.keys("s")
        browser.see("same + 2 held")
        browser.keys("u")
        browser.see("same + 3 held")
        browser.keys("?")
        browser.see("All keys here")
        browser.keys(Keys.ESCAPE)
        browser.until(lambda: browser.all("[data-testid=open] .answer:not(:disabled)"), "the plan, and its question")
        browser.tab_to("[data-testid=open] .answer")
        browser.keys(Keys.ENTER)
        browser.see("rows…")
        browser.tab_to("[data-testid=apply]")
        browser.keys(Keys.ENTER)
        browser.see("will be written to Berths")
        browser.until(lambda: browser.all("[role=dialog]"), "the dialog")
        browser.tab_to("[data-testid=confirm]")
        browser.keys(Keys.ENTER)
        browser.see("Read back")
        browser.until(lambda: "was refused" in browser.find("[data-testid=panel] h2").text, "what is not in, first")
        browser.keys("j")
        browser.until(lambda: "is rejected" in browser.find("[data-testid=panel] h2").text, "the next row")
        browser.keys("o")
        browser.see("The sheet as it will be")

    def test_people_by_keys_alone(self) -> None:
        browser = self.browser("/people")
        browser.see("Ines Gullane-Marsh")
        browser.keys("a")
        browser.until(lambda: browser.script("return document.activeElement.name") == "name", "the form")
        browser.keys("Pia Marram", Keys.TAB, "pia", Keys.TAB, Keys.ENTER)
        browser.until(lambda: browser.all("[role=option]"), "the roles")
        browser.keys("op")
        browser.until(lambda: "Operator" in browser.find("[role=option].active").text, "the role meant")
        browser.keys(Keys.ENTER)
        browser.until(lambda: not browser.all("[role=option]"), "the role chosen")
        browser.tab_to("input[name=new-password]")
        browser.keys("short", Keys.ENTER)
        browser.see("at least 10 characters")
        browser.keys(Keys.CONTROL, "a")
        browser.keys("a-long-enough-secret", Keys.ENTER)
        browser.see("Pia Marram can sign in now, as operator.", "Remove access")
        self.assertIn("/people/pia", browser.driver.current_url)
        browser.tab_to("main aside section:last-child button")
        browser.keys(Keys.ENTER)
        browser.tab_to("main aside .warn")
        browser.keys(Keys.ENTER)
        browser.see("Pia Marram can no longer sign in.")
        browser.until(lambda: "Pia" not in browser.find("table").text, "the table without them")

    def test_applications_and_the_journal_by_keys_alone(self) -> None:
        browser = self.browser("/applications/harbour-practice")
        browser.see("Test the connection")
        browser.tab_to("main .btn.go")
        browser.keys(Keys.ENTER)
        browser.tab_to("input[type=url]")
        browser.keys(f"{self.demo.register}/practice/odata/", Keys.TAB, "saltmarsh-vexo-token")
        browser.tab_to("input[placeholder=stock-practice]")
        browser.keys("by-keys", Keys.ENTER)
        browser.see("is an address of the machine that Vexo runs on")
        browser.tab_to("form .btn.go")
        browser.keys(Keys.ENTER)
        browser.see("is connected.")
        browser.until(lambda: "/applications/by-keys" in browser.driver.current_url, "the new connection")
        browser.tab_to("input[aria-label='Find a field']")
        browser.keys("insured")
        browser.until(lambda: len(browser.all("tbody tr")) < 3, "few fields")
        browser.open("/journal")
        browser.see("Brought in")
        browser.tab_to("button[aria-label^='Who ']")
        browser.keys(Keys.ENTER)
        browser.until(lambda: browser.all("[role=option]"), "the people")
        browser.keys("bram", Keys.ENTER)
        browser.until(lambda: "who=bram" in browser.driver.current_url, "the filter in the address")
        browser.until(lambda: "Ada Quillfeather" not in browser.find("tbody").text, "Bram's entries alone")
        browser.driver.refresh()
        browser.see("lost-fobs.csv")
        self.assertNotIn("Ada Quillfeather", browser.find("tbody").text)

    def test_columns_and_keys_by_keys_alone(self) -> None:
        browser = self.browser()
        path = browser.downloads / "club.csv"
        path.write_text("harbour;berth_no;length_m;bollard cond.\nOLDBASIN;A-001;9.5;good\nOLDBASIN;A-002;9.5;fair\n")
        browser.drop(path)
        browser.see("What is this sheet about?")
        browser.choose("Application", "Saltmarsh Harbour Register (practice)")
        browser.click("Bring it in")
        browser.see("Columns flow up into fields", "1 question")
        number = browser.driver.current_url.partition("/trips/")[2].partition("/")[0]
        browser.see("3 of 4 columns carried", "harbour → Harbour")
        self.assertNotIn("When a cell is blank", browser.text)
        browser.until(lambda: not browser.all("input[aria-label^='Field of the column'][disabled]"), "the plan")
        browser.tab_to("[role=grid]")
        browser.keys(Keys.ARROW_RIGHT, Keys.ARROW_RIGHT, Keys.ARROW_RIGHT, Keys.ENTER)
        browser.until(lambda: "bollard cond." in str(browser.script("return document.activeElement.ariaLabel")), "head")
        browser.keys("notes")
        browser.until(lambda: any("Notes" in e.text for e in browser.all("[role=option]")), "the field")
        browser.keys(Keys.ENTER)
        browser.see("4 of 4 columns carried", "bollard cond. → Notes", "When a cell is blank")
        browser.until(lambda: not browser.all("input[aria-label^='Field of the column'][disabled]"), "the plan")
        browser.tab_to("[role=grid]")
        browser.keys("t")
        browser.keys(Keys.ENTER)
        browser.until(lambda: browser.all("[role=option]"), "the treatments")
        browser.keys("upper", Keys.ENTER)
        browser.see("write in upper case", "for 2 rows")
        browser.tab_to("main aside .btn.go")
        browser.keys(Keys.ENTER)
        browser.until(lambda: "Use this lane" not in browser.text, "the lane in use")
        browser.until(lambda: not browser.all("input[aria-label^='Field of the column'][disabled]"), "the plan")
        browser.keys(Keys.ALT, "3")
        browser.keys(Keys.ALT)
        browser.see("How rows find their records")
        browser.tab_to("button[aria-label^='What to do with the rows']")
        browser.keys(Keys.ENTER)
        browser.until(lambda: browser.all("[role=option]"), "what can be done")
        browser.keys("create", Keys.ENTER)
        browser.see("A row whose record exists is set aside.")
        browser.tab_to("form .btn.go")
        browser.keys(Keys.ENTER)
        browser.until(lambda: f"/trips/{number}/review" in browser.driver.current_url, "Review")
        browser.see("set aside")

    def test_the_grid_keeps_the_focus_and_says_which_cell_is_meant(self) -> None:
        browser = self.browser("/trips/4/review")
        browser.until(lambda: len(browser.all(".grid-row .grid-td")) > 20, "rows")
        meant = (
            "return document.getElementById(document.activeElement.getAttribute('aria-activedescendant'))?.innerText"
        )
        browser.tab_to("[role=grid]")
        browser.keys(Keys.ARROW_DOWN, Keys.ARROW_DOWN, Keys.ARROW_RIGHT, Keys.ARROW_RIGHT)
        browser.until(lambda: browser.script(meant) == "A-003", "the cell that is meant")
        self.assertEqual(browser.script("return document.activeElement.getAttribute('role')"), "grid")
        browser.keys(Keys.END)
        browser.until(lambda: "row=1319" in browser.driver.current_url, "the row in the address")
        browser.until(lambda: browser.script(meant), "the last row's cell")


class Address(BrowserCase):
    def test_the_page_that_is_open_is_marked_above_also_where_one_thing_of_it_is(self) -> None:
        browser = self.browser()
        here = "nav[aria-label=Main] [aria-current=page]"
        pages = {
            "/trips/4/review": "Trips",
            "/send-out": "Trips",
            "/applications/harbour-live": "Applications",
            "/people/bram": "People",
            "/upkeep": "Upkeep",
        }
        for path, page in pages.items():
            browser.open(path)
            browser.until(lambda page=page: [e.text for e in browser.all(here)] == [page], page)
        browser.open("/notices")
        browser.see("What you are told")
        self.assertEqual(browser.all(here), [])

    def test_what_is_chosen_is_kept_by_reload_and_back(self) -> None:
        browser = self.browser("/trips/4/review")
        browser.see("1,320 rows read")
        browser.choose("Changed", "Daily rate")
        browser.choose("Order", "Daily rate")
        browser.fill("input[type=search]", "B-0")
        browser.until(lambda: "text=B-0" in browser.driver.current_url, "the text in the address")
        browser.until(lambda: "changed=daily_rate" in browser.driver.current_url, "the column in the address")
        browser.keys(Keys.TAB)
        browser.tab_to("[role=grid]")
        browser.keys(Keys.ARROW_DOWN, Keys.ARROW_DOWN)
        browser.until(lambda: "row=2" in browser.driver.current_url, "the row in the address")
        row = browser.find("[data-testid=panel] h2").text
        rates = [cell.text for cell in browser.all(".grid-row .grid-td.num")]

        def there_and_back() -> None:
            browser.click("Journal")
            browser.see("who did what")
            browser.driver.back()

        for again in (browser.driver.refresh, there_and_back):
            again()
            browser.see("1,320 rows read")
            browser.until(lambda: browser.find("[data-testid=panel] h2").text == row, f"{row} again")
            self.assertEqual([cell.text for cell in browser.all(".grid-row .grid-td.num")], rates)
            self.assertEqual(browser.find("input[type=search]").get_attribute("value"), "B-0")


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
            "/people": "Four roles",
            "/people/bram": "Remove access",
            "/access": "Tokens for scripts",
            "/upkeep": "How long things are kept",
            "/notices": "What you are told",
            **{f"/trips/4/{station}?cell=2": "Winter tariff" for station in stations},
            "/trips/4/review?state=held": "Row 29 is held",
            "/trips/2/outcome": "The last master fob",
            "/trips/1": "Insurance dates, winter",
            "/trips/1/file?beside=parts": "2 of 5 parts back",
            "/trips/5/columns?cell=2": "Metres or feet?",
            "/trips/4/columns?cell=0": "Its values find each row's record",
            "/routes": "saved ways of making a trip",
            "/marks": "what a cell can say beyond its value",
            "/trips/3/file": "526 of 563 cells",
            "/trips/3/file?beside=findings": "Put back 12 cells",
            "/trips/3/file?beside=totals": "Which rows are carried",
            "/trips/4/review?row=7&cell=2": "Fill down",
            "/sheets/7": "Holders is likeliest",
        }
        browser.console_errors()
        for path, words in screens.items():
            with self.subTest(path):
                # Words that stand on the page before would be seen too early.
                (browser.open if words in browser.text else browser.go)(path)
                browser.see(words)
                browser.until(lambda: not any(word in browser.text for word in UNSETTLED), "the page to settle")
                self.assertEqual(browser.serious(), [])
                self.assertEqual(browser.console_errors(), [])
                for width, height in ((1024, 768), (1920, 1080), (1280, 800)):
                    browser.resize(width, height)
                    over = browser.script("return document.documentElement.scrollWidth - window.innerWidth")
                    self.assertLessEqual(over, 0, f"{path} at {width}")
        browser.open("/applications")
        browser.click("Connect an application")
        browser.see("Kept encrypted")
        self.assertEqual(browser.serious(), [])
        browser.open("/trips/4/review")
        browser.click("So many changes are meant")
        browser.click("Apply 962 rows")
        browser.see("these are the real records")
        self.assertEqual(browser.serious(), [])
        browser.keys(Keys.ESCAPE)
        browser.until(lambda: not browser.all("[role=dialog]"), "the dialog away")
        browser.keys("u")
        browser.see("Answer 1 question first")

    def test_a_long_sheet_is_seen_to_its_end(self) -> None:
        browser = self.browser("/trips/4/review")
        browser.see("1,320 rows read")
        browser.until(lambda: browser.all(".grid-row .grid-no"), "rows")
        browser.press("[data-testid=grid]")
        browser.keys(Keys.END)
        browser.until(lambda: any(e.text == "1321" for e in browser.all(".grid-no")), "the last row")
        browser.keys(Keys.HOME)
        browser.until(lambda: any(e.text == "2" for e in browser.all(".grid-no")), "the first row")
        self.assertLess(len(browser.all(".grid-row")), 80)
