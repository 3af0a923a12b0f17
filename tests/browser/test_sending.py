"""Sending out through the screen: the condition by keys, sharing out and what comes back, a long reading stopped."""

from __future__ import annotations

import zipfile
from pathlib import Path
from typing import Any

import openpyxl
from selenium.webdriver.common.keys import Keys

from tests.browser.case import BrowserCase
from tests.browser.support import Browser
from tests.person import signed_in
from tests.support import wait_until


class SendingOut(BrowserCase):
    def type_into(self, browser: Browser, label: str, text: str, shows: str = "") -> None:
        """Choose in a part of the sentence by typing, once the list shows what is meant."""
        browser.enter_field(f"input[aria-label='{label}']")
        browser.keys(Keys.CONTROL, "a")
        browser.keys(text)
        browser.until(
            lambda: any(
                e.is_displayed() and (shows or text).lower() in e.text.lower() for e in browser.all("[role=option]")
            ),
            f"{shows or text} to choose",
        )
        browser.keys(Keys.ENTER)

    def rows(self, browser: Browser, count: str) -> None:
        browser.until(lambda: f"{count} of 3,866 records" in browser.text, f"{count} records")

    def test_a_route_that_is_asked_for_comes_before_what_is_typed_and_is_missed_aloud(self) -> None:
        browser = self.browser()
        asked = {"name": "Rates", "application": "harbour-practice", "record_type": "Berth", "chosen": ["daily_rate"]}
        ada = signed_in(self.demo.address)
        route = ada.ask("POST", "routes", json={**asked, "condition": "daily_rate gt 40"}).json()["id"]
        self.addCleanup(ada.ask, "DELETE", f"routes/{route}")
        held = "const before = fetch; const until = new Promise(go => { window.routesMayCome = go; }); window.fetch ="
        held += "async (asked, ...more) => { if ((asked.url ?? asked).endsWith('/api/routes')) await until;"
        script = browser.driver.execute_cdp_cmd(
            "Page.addScriptToEvaluateOnNewDocument", {"source": held + "return before(asked, ...more); };"}
        )
        browser.open(f"/send-out?route={route}")
        browser.see("The sheet as it will be", "Record ID")
        inert = "return document.querySelector('[data-testid=sentence]').inert"
        self.assertTrue(browser.script(inert))
        self.assertFalse(browser.find("[data-testid=send]").is_enabled())
        browser.script("window.routesMayCome()")
        browser.see("on the route Rates")
        self.rows(browser, "1,111")
        self.assertFalse(browser.script(inert))
        browser.driver.execute_cdp_cmd("Page.removeScriptToEvaluateOnNewDocument", script)
        browser.open("/send-out?route=999")
        browser.see("The route that was asked for is not there any more", "Every")

    def test_the_sentence_by_keys_the_text_beside_it_and_hand_picked_records(self) -> None:
        browser = self.browser("/send-out")
        browser.see("The sheet as it will be", "Record ID")
        self.rows(browser, "3,866")
        browser.click("+ condition")
        self.type_into(browser, "Field of the condition", "harbour")
        for word, value in (("north", "NORTHHAVEN"), ("tern", "TERNISLAND")):
            self.type_into(browser, "Value of Harbour", word)
            # What was typed early gives way to what it means: the field moves, and a click would meet the value.
            browser.find(f"[aria-label='Leave {value} out']")
        browser.see("NORTHHAVEN or TERNISLAND")
        self.rows(browser, "1,518")
        browser.click("+ and")
        browser.until(lambda: len(browser.all("[data-testid=clause]")) == 2, "a second clause")
        second = browser.all("[data-testid=clause]")[1]
        browser.until(lambda: browser.hit(second.find_element("css selector", "input")), "the focus in it")
        browser.keys("daily")
        browser.until(lambda: any("Daily rate" in e.text for e in browser.all("[role=option]")), "Daily rate")
        browser.keys(Keys.ENTER)
        browser.until(lambda: browser.all("[aria-label^='Comparison']")[1:], "its comparison")
        browser.until(lambda: browser.hit(browser.all("[aria-label^='Comparison']")[1]), "its list")
        browser.click("is between", css="[role=option]")
        browser.fill("input[aria-label='Value of Daily rate']", "50")
        browser.fill("input[aria-label='Value of Daily rate, upper end']", "55")
        browser.click("as text")
        wanted = "harbour in ('NORTHHAVEN', 'TERNISLAND') and daily_rate ge 50.00 and daily_rate le 55.00"
        field = browser.find("input[aria-label=Condition]")
        browser.until(lambda: field.get_attribute("value") == wanted, "the same condition as text")
        there = len(self.records("harbour in ('NORTHHAVEN','TERNISLAND') and daily_rate ge 50 and daily_rate le 55"))
        self.rows(browser, str(there))
        browser.fill("input[aria-label=Condition]", "harbour eq 'TERNISLAND' and daily_rat gt 1")
        browser.see("Did you mean 'daily_rate'?")
        browser.fill(
            "input[aria-label=Condition]",
            "harbour eq 'TERNISLAND' and insured_until ge date(now() sub duration'P9999D')",
        )
        browser.see("insured_until ge date(now()")
        # Until the answer to this condition is here, the rows of the one before are shown.
        browser.until(
            lambda: (rows := browser.all("tbody tr")) and all("TERNISLAND" in row.text for row in rows), "its own rows"
        )
        self.assertEqual(browser.serious(), [])
        for tick in browser.all("tbody input[type=checkbox]")[:3]:
            browser.tick(tick)
        browser.click("Only the 3 ticked")
        browser.see("Each picked", "Send out 3 rows", "3 records by hand")
        browser.click("Choose by a condition again")
        browser.click("Paste a list of keys")
        browser.fill("textarea", "EELGRASS, B-003\nEELGRASS, X-999")
        browser.click("Take these")
        browser.see("1 key finds no record", "EELGRASS X-999", "Send out 1 row")
        browser.press("[data-testid=send]")
        path = wait_until(lambda: next(iter(browser.downloads.glob("*.xlsx")), None), what="the download")
        book = openpyxl.load_workbook(path)
        self.assertEqual((book.active.max_row, book.active["C2"].value), (2, "B-003"))
        browser.see("1 key found no record", "What changed since?")
        browser.click("What changed since?")
        browser.see("every cell is as it went out", "Read again")
        self.assertEqual(browser.serious(), [])
        self.assertEqual(self.console_errors(browser), [])

    def test_headers_only_and_a_route_that_is_kept_used_and_deleted(self) -> None:
        browser = self.browser("/send-out")
        browser.see("Record ID")
        self.type_into(browser, "Record type", "Holder")
        browser.see("Last name")
        browser.find("input[aria-label='Find a field to add']").send_keys("phone", Keys.ENTER)
        browser.until(lambda: browser.all("[aria-label^='Phone, place']"), "Phone in the sheet")
        browser.click("Keep as route")
        browser.fill("[role=dialog] input", "Holders by phone")
        browser.click("Keep it")
        browser.see("Kept as the route Holders by phone")
        browser.open("/routes")
        browser.see("Every Holder", "never yet")
        self.assertEqual(browser.serious(), [])
        browser.click("Send out", css="[data-testid=route] a")
        browser.see("on the route Holders by phone", "Phone")
        browser.tick(browser.all("[aria-label='The sheet'] input[type=checkbox]")[0])
        browser.see("Send out the empty sheet")
        browser.press("[data-testid=send]")
        path = wait_until(lambda: next(iter(browser.downloads.glob("*.xlsx")), None), what="the download")
        header = [cell.value for cell in openpyxl.load_workbook(path).active[1]]
        self.assertEqual(header[:2], ["Holder no.", "Last name"])
        browser.open("/routes")
        browser.see("used 1 time")
        browser.click("Delete…")
        browser.click("Delete it")
        browser.see("No route is kept yet")


class SharedOut(BrowserCase):
    def shared(self, browser: Browser) -> tuple[str, dict[str, Path]]:
        """Berths of one letter shared out by harbour through the screen: the trip, and its sheets by harbour."""
        browser.open("/send-out")
        browser.see("The sheet as it will be", "Record ID")
        browser.click("as text")
        browser.fill("input[aria-label=Condition]", "startswith(berth_no,'J-00') and daily_rate ne null")
        browser.see("begins with")
        browser.enter_field("input[aria-label='Share out by']")
        browser.keys("harbour")
        browser.until(lambda: any(e.text.strip() == "Harbour" for e in browser.all("[role=option]")), "Harbour")
        browser.keys(Keys.ENTER)
        browser.see("Share out 41 rows")
        browser.press("[data-testid=send]")
        path = wait_until(lambda: next(iter(browser.downloads.glob("*.zip")), None), what="the ZIP")
        browser.see("Shared out to 5 sheets", "0 of 5 parts back")
        number = browser.driver.current_url.partition("/trips/")[2].partition("/")[0]
        with zipfile.ZipFile(path) as archive:
            archive.extractall(browser.downloads / "parts")
        sheets = {p.stem.rpartition("-")[2].upper(): p for p in (browser.downloads / "parts").iterdir()}
        return number, sheets

    def note(self, path: Path, column: str, values: dict[int, Any]) -> None:
        book = openpyxl.load_workbook(path)
        at = [cell.value for cell in book.active[1]].index(column) + 1
        for row, value in values.items():
            book.active.cell(row, at).value = value
        book.save(path)

    def line(self, browser: Browser, label: str) -> str:
        rows = [row.text for row in browser.all("[data-testid=parts] tbody tr")]
        return next((text for text in rows if text.startswith(label)), "")

    def stands(self, browser: Browser, label: str, *words: str) -> None:
        browser.until(lambda: all(word in self.line(browser, label) for word in words), f"{label}: {words}")

    def test_shared_to_five_two_back_in_one_drop_one_twice_one_never(self) -> None:
        browser = self.browser()
        number, sheets = self.shared(browser)
        self.assertEqual(set(sheets), {"EELGRASS", "GULLPOINT", "NORTHHAVEN", "OLDBASIN", "TERNISLAND"})
        browser.click("who?")
        browser.keys("Ines Gullane-Marsh", Keys.ENTER)
        self.stands(browser, "EELGRASS", "Ines Gullane-Marsh", "out, not back yet")
        self.note(sheets["EELGRASS"], "Ring no.", {2: "J-RING-1"})
        self.note(sheets["OLDBASIN"], "Ring no.", {2: "J-RING-2", 3: "J-RING-3"})
        browser.drop(sheets["EELGRASS"], sheets["OLDBASIN"])
        browser.see("2 sheets came back", "2 of 5 parts back, 0 written")
        self.stands(browser, "EELGRASS", "1 ready to apply", "1 update")
        self.stands(browser, "OLDBASIN", "2 ready to apply", "2 update")
        self.stands(browser, "TERNISLAND", "out, not back yet")
        self.assertEqual(browser.serious(), [])
        row = next(r for r in browser.all("[data-testid=parts] tbody tr") if r.text.startswith("EELGRASS"))
        browser.until(lambda: browser.hit(row.find_element("link text", "Open")), "a click on Open")
        browser.see("EELGRASS", "1 update")
        browser.open(f"/trips/{number}/apply?part=1")
        browser.click("Apply 1 row")
        browser.until(lambda: browser.all("[role=dialog]"), "the question")
        browser.keys(Keys.TAB)
        browser.click("Write 1", css="[role=dialog] button")
        browser.see("all in, read back")
        browser.open(f"/trips/{number}/file?beside=parts")
        self.stands(browser, "EELGRASS", "1 updated", "parts back")
        self.stands(browser, "OLDBASIN", "2 ready to apply")
        browser.see("2 of 5 parts back, 1 written")
        self.note(sheets["EELGRASS"], "Ring no.", {3: "J-RING-9"})
        browser.drop(sheets["EELGRASS"])
        browser.see("is in. Nothing has been written")
        browser.open(f"/trips/{number}/file?beside=parts")
        self.stands(browser, "EELGRASS", "came back 2 times", "1 ready to apply")
        self.stands(browser, "TERNISLAND", "out, not back yet")
        found = {b["ring_no"] for b in self.records("startswith(ring_no,'J-RING')")}
        self.assertEqual(found, {"J-RING-1"})
        browser.open("/")
        browser.see("Berths")
        self.assertEqual(self.console_errors(browser), [])
