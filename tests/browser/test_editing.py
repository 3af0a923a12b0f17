"""Editing where cells are seen: at File, at Review, and in refused rows; by keys, by paste, down a column."""

from __future__ import annotations

from typing import Any

from selenium.webdriver.common.keys import Keys

from tests.browser.case import WHERE, BrowserCase
from tests.browser.support import Browser

HARBOURS = ("NORTHHAVEN", "GULLPOINT", "TERNISLAND")
PASTE = (
    "const data = new DataTransfer(); data.setData('text/plain', arguments[0]);"
    "(document.activeElement ?? document.body).dispatchEvent("
    "new ClipboardEvent('paste', {clipboardData: data, bubbles: true, cancelable: true}))"
)


class Editing(BrowserCase):
    def foreign(self, browser: Browser, name: str, *lines: str) -> str:
        """A sheet from elsewhere, brought in as berths of the live register: the trip's number."""
        path = browser.downloads / name
        path.write_text("\n".join(lines) + "\n", encoding="utf-8")
        browser.drop(path)
        browser.see("What is this sheet about?", "which application?")
        browser.choose("Application", "Saltmarsh Harbour Register")
        browser.see("these are the real records")
        browser.click("Bring it in")
        browser.see("Nothing has been written to the application")
        return str(browser.driver.current_url.partition("/trips/")[2].partition("/")[0])

    def meant(self, browser: Browser, row: int, column: int) -> None:
        """Choose a cell by keys: that many rows down and columns to the right."""
        browser.until(lambda: browser.all(".grid-row .grid-no"), "rows")
        browser.tab_to("[role=grid]")
        browser.keys(Keys.HOME, *[Keys.ARROW_DOWN] * row, *[Keys.ARROW_LEFT] * 9, *[Keys.ARROW_RIGHT] * column)

    def free(self, letter: str) -> list[dict[str, Any]]:
        return [r for r in self.records(WHERE.format(letter)) if r["status"] == "free"]

    def test_a_refused_row_is_put_right_where_it_is_read_and_goes_in(self) -> None:
        browser = self.browser()
        one, two = self.free("C")[:2]
        lines = [f"EELGRASS,{one['berth_no']},601", f"EELGRASS,{two['berth_no']},{two['daily_rate'] + 1.25}"]
        number = self.foreign(browser, "rates.csv", "harbour,berth_no,daily_rate", *lines)
        browser.see("601.00, far from what is there")
        browser.click("It is meant")
        browser.click("Apply 2 rows")
        browser.click("Write 2 rows")
        browser.see("1 updated", "1 refused", "at most 500")
        browser.tab_to("input[name=fix]")
        browser.keys(Keys.CONTROL, "a")
        browser.keys(f"{one['daily_rate'] + 0.75}", Keys.ENTER)
        browser.see("fixed, to be sent again (was 601", "Send 1 fixed row again")
        browser.click("Send 1 fixed row again")
        browser.click("Write 1 row")
        browser.see("all in, read back")
        rates = {r["berth_no"]: r["daily_rate"] for r in self.records(WHERE.format("C"))}
        self.assertEqual(
            (rates[one["berth_no"]], rates[two["berth_no"]]), (one["daily_rate"] + 0.75, two["daily_rate"] + 1.25)
        )
        self.assertEqual(self.trip(browser, number)["edits"], 1)

    def test_cells_are_edited_by_keys_alone_and_each_edit_is_undone_by_itself(self) -> None:
        browser = self.browser()
        one, two = self.free("D")[:2]
        lines = [f"EELGRASS,{r['berth_no']},{r['daily_rate']}" for r in (one, two)]
        number = self.foreign(browser, "by-keys.csv", "harbour,berth_no,daily_rate", *lines)
        browser.see("2 same")
        browser.open(f"/trips/{number}/file?beside=edits")
        browser.see("Nothing has been edited here")
        self.meant(browser, 0, 2)
        browser.keys(Keys.ENTER)
        browser.until(lambda: browser.all(".grid-input"), "the cell open")
        browser.keys(f"{one['daily_rate'] + 1}", Keys.ENTER)
        browser.see("1 edit over the file")
        browser.until(lambda: browser.script("return document.activeElement?.role") == "grid", "the grid in focus")
        browser.keys(Keys.F2)
        browser.until(lambda: browser.all(".grid-input"), "the next cell open")
        browser.keys("99", Keys.ESCAPE)
        browser.until(lambda: not browser.all(".grid-input"), "the cell left")
        browser.keys(Keys.ENTER)
        browser.until(lambda: browser.all(".grid-input"), "the cell open again")
        browser.keys(f"{two['daily_rate'] + 2}", Keys.ENTER)
        browser.see("2 edits over the file")
        self.assertEqual(self.trip(browser, number)["sum"]["update"], 2)
        self.assertEqual(browser.serious(), [])
        browser.tab_to("[data-testid=edits] li:last-child button")
        browser.keys(Keys.ENTER)
        browser.see("The edit is taken back", "1 edit over the file")
        self.assertEqual(self.trip(browser, number)["sum"]["update"], 1)
        browser.open(f"/trips/{number}/file?beside=totals")
        browser.tab_to("button[aria-label='expect… a sum of daily_rate']")
        browser.keys(Keys.ENTER)
        browser.until(lambda: browser.script("return document.activeElement?.name") == "expected", "the field")
        browser.keys("1", Keys.ENTER)
        browser.see("expected 1:", "1 not as expected")
        browser.tab_to("input[name=only]")
        browser.keys("daily_rate gt 499", Keys.ENTER)
        browser.see("set aside")
        self.assertEqual(browser.serious(), [])

    def test_a_block_of_200_rows_by_5_columns_is_pasted_into_cells_and_as_a_sheet(self) -> None:
        browser = self.browser()
        berths = self.records("harbour eq 'OLDBASIN'")[:200]
        self.assertEqual(len(berths), 200)
        rows = [["OLDBASIN", b["berth_no"], str(b["length_m"]), str(b["depth_m"]), "by paste"] for b in berths]
        header = ["harbour", "berth_no", "length_m", "depth_m", "notes"]
        browser.script(PASTE, "\n".join("\t".join(line) for line in [header, *rows]))
        browser.see("pasted block.tsv", "200 rows, 5 columns", "What is this sheet about?")
        browser.choose("Application", "Saltmarsh Harbour Register (practice)")
        browser.click("Bring it in")
        browser.see("200 rows read")
        number = str(browser.driver.current_url.partition("/trips/")[2].partition("/")[0])
        browser.open(f"/trips/{number}/review")
        browser.see("200 rows read")
        self.meant(browser, 0, 0)
        block = [["OLDBASIN", b["berth_no"], "9.9", str(b["depth_m"]), "again"] for b in berths]
        browser.script(PASTE, "\n".join("\t".join(line) for line in block))
        browser.see("200 rows by 5 columns pasted", "200 update")
        trip = self.trip(browser, number)
        self.assertEqual((trip["edits"], trip["plan"]["current"]), (1, True))
        length = next(c for c in trip["columns"] if c["field"] == "length_m")
        self.assertEqual(length["totals"]["sum"], "1980.0")

    def test_a_cell_fills_a_thousand_rows_below_it(self) -> None:
        browser = self.browser()
        some = [f"harbour eq '{name}' and startswith(berth_no,'{letter}')" for name in HARBOURS for letter in "ABCDE"]
        berths = [berth for query in some for berth in self.records(query)][:1001]
        self.assertEqual(len(berths), 1001)
        lines = [f"{b['harbour']},{b['berth_no']}," for b in berths]
        number = self.foreign(browser, "notes.csv", "harbour,berth_no,notes", *lines)
        browser.open(f"/trips/{number}/review")
        browser.see("1,001 rows read", "1,001 same")
        self.meant(browser, 0, 2)
        browser.keys(Keys.ENTER)
        browser.until(lambda: browser.all(".grid-input"), "the cell open")
        browser.keys("seen in November", Keys.ENTER)
        browser.see("1 update")
        browser.keys(Keys.ARROW_UP)
        browser.see("Row 2, notes")
        browser.fill("input[name=rows-below]", "1000")
        browser.keys(Keys.ENTER)
        browser.see("Filled into 1,000 rows", "1,001 update")
        self.assertEqual(self.trip(browser, number)["sum"]["update"], 1001)

    def test_two_files_dropped_together_are_one_list(self) -> None:
        browser = self.browser()
        one, two = self.free("E")[:2]
        for name, berth in (("north.csv", one), ("south.csv", two)):
            (browser.downloads / name).write_text(f"harbour,berth_no,notes\nEELGRASS,{berth['berth_no']},by {name}\n")
        chooser = browser.driver.find_element("css selector", "[data-testid=file]")
        chooser.send_keys("\n".join(str(browser.downloads / name) for name in ("north.csv", "south.csv")))
        browser.see("north.csv and 1 more file", "2 rows, 5 columns", "One list of 2 files", "Row in file")
        browser.choose("Application", "Saltmarsh Harbour Register (practice)")
        browser.click("Bring it in")
        browser.see("2 rows read")
        browser.open(str(browser.driver.current_url).removeprefix(browser.address).replace("review", "file"))
        browser.see("Download south.csv", "Row in file")
