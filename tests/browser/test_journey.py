from __future__ import annotations

from pathlib import Path

from tests.browser.case import WHERE, BrowserCase, edit
from tests.browser.support import Browser
from tests.support import wait_until


class Journey(BrowserCase):
    def test_the_whole_round(self) -> None:
        browser = self.browser()
        number, path = self.send_out(browser, "A")
        free = [r for r in self.records(WHERE.format("A")) if r["status"] == "free"]
        dearer, lonely = free[0], free[1]
        changes = {(dearer["berth_no"], "Daily rate"): 99.25, (lonely["berth_no"], "Status"): "let"}
        rows = edit(path, changes)
        browser.drop(path)
        browser.see("Nothing has been written to the application", "2 update")
        cells = self.changed_cells(browser)
        expected = {
            (rows[dearer["berth_no"]], f"{dearer['daily_rate']:.2f} → 99.25"),
            (rows[lonely["berth_no"]], "free → let"),
        }
        self.assertEqual(cells, expected)
        browser.click("Apply 2 rows")
        browser.see("Saltmarsh Harbour Register", "these are the real records")
        browser.click("Write 2 rows")
        browser.see("1 updated", "1 refused", "A let berth needs a holder.", "Read back 1 of 1 as sent")
        self.assertIn("/outcome", browser.driver.current_url)
        browser.see("The application answered:", "422 · required-when-let")
        browser.find("button.updated").click()
        browser.until(lambda: "was updated" in browser.find("[data-testid=panel]").text, "the updated row")
        browser.find("[data-testid=open-record]").click()
        browser.until(lambda: len(browser.driver.window_handles) == 2, "the record's page")
        browser.driver.switch_to.window(browser.driver.window_handles[1])
        self.assertEqual(browser.find("[data-field=daily_rate]").text, "99.25")
        browser.driver.switch_to.window(browser.driver.window_handles[0])
        browser.click("Download…")
        browser.click("Rows not in, CSV")
        left = wait_until(lambda: next(iter(browser.downloads.glob("*not-in.csv")), None), what="the rows not in")
        self.assertIn("A let berth needs a holder.", Path(left).read_text(encoding="utf-8-sig"))
        self.assertEqual([e for e in browser.console_errors() if self.demo.address in e and "401" not in e], [])
        self.assertEqual(self.trip(browser, number)["sum"]["updated"], 1)

    def changed_cells(self, browser: Browser) -> set[tuple[int, str]]:
        """Row number and old → new of every changed cell, with only updates shown."""
        browser.find("button.update").click()
        browser.until(lambda: browser.find("[role=grid]").get_attribute("aria-rowcount") == "3", "two rows")
        code = (
            "return [...document.querySelectorAll('.grid-row')].flatMap(row => [...row.querySelectorAll("
            "'.grid-td.write')].map(cell => [Number(row.querySelector('.grid-no').innerText), cell.innerText]))"
        )
        return {(row, text) for row, text in browser.script(code)}

    def test_a_foreign_sheet_is_asked_about(self) -> None:
        browser = self.browser(username="ines")
        path = browser.downloads / "from-the-club.csv"
        path.write_text("harbour;berth_no;notes\nEELGRASS;B-001;seen\nEELGRASS;B-9999;seen\n")
        browser.drop(path)
        browser.see("belongs to no trip", "2 rows", "Whose records are these?")
        self.assertFalse(browser.named("Bring it in", css="[role=dialog] button").is_enabled())
        browser.choose("Application", "Saltmarsh Harbour Register (practice)")
        browser.see("3 columns are known there")
        browser.click("Bring it in")
        browser.see("1 update", "1 rejected", "PRACTICE")
        bad = browser.downloads / "picture.csv"
        bad.write_bytes(b"\x89PNG\r\n\x1a\n\0\0")
        browser.drop(bad)
        browser.see("no sheet that can be read here")
        browser.click("Leave it")

    def test_a_stranger_finds_the_waiting_trip_and_applies_it(self) -> None:
        browser = self.stranger()
        browser.open("/")
        browser.see("Or take a part in the demo")
        browser.click("Bram Tidewell")
        browser.see("Winter tariff", "rows need you", "Waits for a person")
        browser.click("Winter tariff")
        browser.see("1,320 rows read", "3 held", "9 rejected")
        browser.find("button.held").click()
        browser.see("was also changed in the application", "application now")
        browser.click("Use the file in all 2")
        browser.see("1 held", "Apply 965 rows")
        browser.find("button.rejected").click()
        browser.see("a letter stands for a figure")
        browser.click("Set all 9 aside")
        browser.see("9 set aside")
        browser.click("Apply 965 rows")
        browser.click("Write 965 rows")
        browser.see("Read back", "refused")
        browser.see("37 created")
        now = self.records("harbour eq 'NORTHHAVEN' and berth_no eq 'E-201'")
        self.assertEqual(len(now), 1)
