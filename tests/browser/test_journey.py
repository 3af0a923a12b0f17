from __future__ import annotations

import csv
from pathlib import Path
from typing import Any

import openpyxl
from selenium.webdriver.common.keys import Keys

from tests.browser.case import WHERE, BrowserCase, edit
from tests.browser.support import Browser
from tests.support import wait_until


class Journey(BrowserCase):
    def test_the_whole_round(self) -> None:
        browser = self.browser()
        number, path = self.send_out(browser, "A")
        free = [r for r in self.records(WHERE.format("A")) if r["status"] == "free"]
        dearer, lonely = free[0], free[1]
        dear = dearer["daily_rate"] + 1.25
        changes = {(dearer["berth_no"], "Daily rate"): dear, (lonely["berth_no"], "Status"): "let"}
        rows = edit(path, changes)
        browser.drop(path)
        browser.see("Nothing has been written to the application", "2 update")
        cells = self.changed_cells(browser)
        expected = {
            (rows[dearer["berth_no"]], f"{dearer['daily_rate']:.2f} → {dear:.2f}"),
            (rows[lonely["berth_no"]], "free → let"),
        }
        self.assertEqual(cells, expected)
        browser.click("Apply 2 rows")
        browser.see("Saltmarsh Harbour Register", "these are the real records")
        browser.click("Write 2 rows")
        browser.see("1 updated", "1 refused", "A let berth needs a holder.", "Read back 1 of 1 as sent")
        self.assertIn("/outcome", browser.driver.current_url)
        browser.see("The application answered:", "422 · required-when-let")
        browser.press("button.updated")
        browser.until(lambda: "was updated" in browser.find("[data-testid=panel]").text, "the updated row")
        browser.press("[data-testid=open-record]")
        browser.until(lambda: len(browser.driver.window_handles) == 2, "the record's page")
        browser.driver.switch_to.window(browser.driver.window_handles[1])
        self.assertEqual(browser.find("[data-field=daily_rate]").text, f"{dear:.2f}")
        browser.driver.switch_to.window(browser.driver.window_handles[0])
        browser.click("Download…")
        browser.click("Rows not in, CSV")
        left = wait_until(lambda: next(iter(browser.downloads.glob("*not-in.csv")), None), what="the rows not in")
        self.assertIn("A let berth needs a holder.", Path(left).read_text(encoding="utf-8-sig"))
        self.assertEqual([line for line in self.console_errors(browser) if "401" not in line], [])
        self.assertEqual(self.trip(browser, number)["sum"]["updated"], 1)

    def changed_cells(self, browser: Browser) -> set[tuple[int, str]]:
        """Row number and old → new of every changed cell, with only updates shown."""
        browser.press("button.update")
        browser.until(lambda: browser.find("[role=grid]").get_attribute("aria-rowcount") == "3", "two rows")
        code = (
            "return [...document.querySelectorAll('.grid-row')].flatMap(row => [...row.querySelectorAll("
            "'.grid-td.write')].map(cell => [Number(row.querySelector('.grid-no').innerText), cell.innerText]))"
        )
        return {(row, text) for row, text in browser.script(code)}

    def test_a_foreign_sheet_shows_its_cells_and_is_asked_about_beside_them(self) -> None:
        browser = self.browser(username="ines")
        path = browser.downloads / "from-the-club.csv"
        path.write_text("seen by the club;;\nharbour;berth_no;notes\nEELGRASS;B-001;seen\nEELGRASS;B-9999;seen\n")
        browser.drop(path)
        browser.see("What is this sheet about?", "2 rows, 3 columns", "B-9999", "seen by the club")
        browser.see("Row 1 stands above the header", "Berths is likeliest", "is yours to say")
        self.assertFalse(browser.named("Bring it in", css=".btn").is_enabled())
        with self.subTest("by keys alone"):
            browser.tab_to("button[aria-label^='Header ']")
            browser.keys(Keys.ENTER)
            browser.until(lambda: browser.all("[role=option]"), "the rows that could be the header")
            browser.keys("row 3", Keys.ENTER)
            browser.see("1 row, 3 columns", "harbour · berth_no · notes")
            browser.until(lambda: browser.named("row 3", css="button[aria-label^='Header ']").is_enabled(), "the row")
            browser.tab_to("button[aria-label^='Header ']")
            browser.keys(Keys.ENTER)
            browser.until(lambda: browser.all("[role=option]"), "the rows that could be the header")
            browser.keys("row 2", Keys.ENTER)
            browser.see("2 rows, 3 columns")
            browser.tab_to("button[aria-label^='Application ']")
            browser.keys(Keys.ENTER)
            browser.until(lambda: browser.all("[role=option]"), "the applications")
            browser.keys(Keys.ARROW_DOWN, Keys.ARROW_DOWN, Keys.ENTER)
            browser.see("not the real records")
            self.assertEqual(browser.serious(), [])
            browser.driver.refresh()
            browser.see("2 rows, 3 columns", "is yours to say")
        browser.choose("Application", "Saltmarsh Harbour Register (practice)")
        browser.click("Bring it in")
        browser.see("1 update", "1 rejected", "PRACTICE")
        again = browser.downloads / "the-same.csv"
        again.write_bytes(path.read_bytes())
        browser.drop(again)
        browser.see("unchanged. Nothing new came in", "1 update")

    def test_what_cannot_be_read_says_why_and_can_be_left(self) -> None:
        browser = self.browser(username="ines")
        bad = browser.downloads / "picture.csv"
        bad.write_bytes(b"\x89PNG\r\n\x1a\n\0\0")
        browser.drop(bad)
        browser.see("not a sheet that can be read here", "cannot be read")
        browser.click("Trips")
        browser.see("picture.csv", "what is it about?")
        browser.click("picture.csv")
        browser.click("Leave it")
        browser.see("Rows carried in")
        browser.until(lambda: "picture.csv" not in browser.text, "the list without it")

    def all_in(self, browser: Browser, rows: int) -> None:
        """The rows that were dropped back: reviewed, applied, all in."""
        browser.see("Nothing has been written to the application", f"Apply {rows} row")
        browser.click(f"Apply {rows} row")
        browser.click(f"Write {rows} row")
        browser.see("all in, read back")

    def fetched(self, browser: Browser, what: str) -> Path:
        """The rows not in, downloaded from Outcome."""
        browser.see("refused")
        browser.click("Download…")
        browser.click(f"Rows not in, {what.upper()}")
        found = wait_until(lambda: next(iter(browser.downloads.glob(f"*not-in.{what}")), None), what="the rows not in")
        return Path(found)

    def first_pass(self, browser: Browser, rows: int) -> None:
        browser.see(f"Apply {rows} rows")
        browser.click(f"Apply {rows} rows")
        browser.click(f"Write {rows} rows")

    def test_refused_rows_of_a_sheet_that_went_out_come_back_and_are_in(self) -> None:
        browser = self.browser()
        number, path = self.sent_out("H")
        berths = [r for r in self.records(WHERE.format("H")) if r["status"] == "free"][:3]
        free, dear = [berth["berth_no"] for berth in berths], berths[2]["daily_rate"] + 1.5
        rows = edit(path, {(free[0], "Status"): "let", (free[1], "Status"): "let", (free[2], "Daily rate"): dear})
        browser.drop(path)
        self.first_pass(browser, 3)
        left = self.fetched(browser, "xlsx")
        book = openpyxl.load_workbook(left)
        header = [cell.value for cell in book.active[1]]
        self.assertEqual(
            {row[header.index("Row")].value for row in book.active.iter_rows(min_row=2)},
            {str(rows[free[0]]), str(rows[free[1]])},
        )
        for row in book.active.iter_rows(min_row=2):
            row[header.index("Status")].value = "closed"
        book.save(left)
        browser.drop(left)
        self.all_in(browser, 2)
        self.assertEqual([self.berth(name)["status"] for name in free[:2]], ["closed", "closed"])
        self.assertEqual(self.trip(browser, str(number))["rows"], len(rows))
        browser.click("File")
        browser.see("laid over the sheet that they came from", "2 cells in 2 rows changed")

    def test_refused_rows_of_a_foreign_sheet_and_of_new_records_without_a_key_come_back(self) -> None:
        browser = self.browser(username="bram")
        berths = [r for r in self.records(WHERE.format("J")) if r["status"] == "free"][:2]
        lines = [f"EELGRASS;{r['berth_no']};{status}" for r, status in zip(berths, ("let", "closed"), strict=True)]
        foreign = browser.downloads / "closing.csv"
        foreign.write_text("\n".join(["harbour;berth_no;status", *lines]))
        browser.drop(foreign)
        browser.see("What is this sheet about?")
        browser.choose("Application", "Saltmarsh Harbour Register")
        browser.click("Bring it in")
        self.first_pass(browser, 2)
        left = self.fetched(browser, "csv")
        table = list(csv.reader(left.read_text(encoding="utf-8-sig").splitlines()))
        table[1][2] = "closed"
        home = browser.downloads / "from another program.csv"
        home.write_text("\n".join("\t".join(line) for line in table), encoding="cp1252")
        browser.drop(home)
        self.all_in(browser, 1)
        self.assertEqual([self.berth(r["berth_no"])["status"] for r in berths], ["closed", "closed"])
        with self.subTest("new records, without a key"):
            for path in browser.downloads.iterdir():
                path.unlink()
            fresh = browser.downloads / "show.csv"
            fresh.write_text(
                "Record ID;Holder no.;Last name;E-mail\n;9900001;Merrowick;m@example.org\n;9900002;Tollgate;nowhere\n"
            )
            browser.drop(fresh)
            browser.see("What is this sheet about?")
            browser.choose("Application", "Saltmarsh Harbour Register")
            browser.choose("Record type", "Holders")
            browser.choose("What to do with the rows", "create new records")
            browser.click("Bring it in")
            browser.see("choose how rows find records")
            browser.press("input[type=radio][value=id]")
            browser.click("Match rows and review")
            browser.see("2 create")
            self.first_pass(browser, 2)
            left = self.fetched(browser, "xlsx")
            book = openpyxl.load_workbook(left)
            self.assertEqual((book.active.max_row, book.active["B2"].value), (2, "9900002"))
            book.active["D2"].value = "t@example.org"
            book.save(left)
            browser.drop(left)
            self.all_in(browser, 1)
            holders = self.records("startswith(holder_no,'99000')", "Holders")
            self.assertEqual([h["last_name"] for h in holders], ["Merrowick", "Tollgate"])

    def berth(self, number: str) -> dict[str, Any]:
        return self.records(f"harbour eq 'EELGRASS' and berth_no eq '{number}'")[0]

    def test_a_stranger_finds_the_waiting_trip_and_applies_it(self) -> None:
        browser = self.stranger()
        browser.open("/")
        browser.see("Or take a part in the demo")
        browser.click("Bram Tidewell")
        browser.see("Winter tariff", "rows need you", "Waits for a person")
        browser.click("Winter tariff")
        browser.see("1,320 rows read", "4 held", "9 rejected")
        browser.press("button.held")
        browser.see("was also changed in the application", "application now")
        browser.click("Use the file, all 2")
        browser.see("927 update")
        browser.press("button.rejected")
        browser.see("a letter stands for a figure")
        browser.click("Set aside, all 9")
        browser.see(
            "9 set aside", "927 of 3,866 (24%) records of this type would be changed", "Answer 1 question first"
        )
        browser.click("So many changes are meant")
        browser.click("Apply 964 rows")
        browser.click("Write 964 rows")
        browser.see("Read back", "refused")
        browser.see("37 created")
        now = self.records("harbour eq 'NORTHHAVEN' and berth_no eq 'E-201'")
        self.assertEqual(len(now), 1)
