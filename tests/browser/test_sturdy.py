from __future__ import annotations

import time
from typing import Any

import httpx
from selenium.webdriver.common.action_chains import ActionChains

from tests.browser.case import WHERE, BrowserCase, edit
from tests.browser.support import Browser
from tests.support import BIN, answers, free_port, kill, start, wait_until


class Sturdy(BrowserCase):
    """Reload, back, two tabs, a lost server, a double click: nothing lost, nothing twice."""

    def brought(self, browser: Browser, letter: str, rate: float) -> str:
        number, path = self.sent_out(letter)
        berths = [r["berth_no"] for r in self.records(WHERE.format(letter))[:30]]
        edit(path, {(berth, "Daily rate"): rate for berth in berths})
        browser.drop(path)
        browser.see("30 update")
        browser.until(lambda: not browser.all("[role=dialog]"), "the end of bringing in")
        return str(number)

    def runs(self, browser: Browser, number: str) -> list[dict[str, Any]]:
        return list(self.trip(browser, number)["passes"])

    def test_a_double_click_writes_once(self) -> None:
        browser = self.browser()
        number = self.brought(browser, "C", 71.5)
        browser.click("Apply 30 rows")
        button = browser.find("[data-testid=confirm]")
        ActionChains(browser.driver).double_click(button).perform()
        browser.see("30 updated", "Read back 30 of 30")
        self.assertEqual([run["rows"] for run in self.runs(browser, number)], [30])
        versions = {r["@odata.etag"] for r in self.records(WHERE.format("C"))[:30]}
        self.assertEqual(versions, {'W/"2"'})

    def test_reload_and_back(self) -> None:
        browser = self.browser()
        number = self.brought(browser, "D", 72.5)
        browser.press("button.update")
        browser.until(lambda: "state=update" in browser.driver.current_url, "the filter in the address")
        browser.driver.refresh()
        browser.see("30 update")
        browser.until(lambda: browser.find("button.update").get_attribute("aria-pressed") == "true", "the same filter")
        browser.see("Row 2 changes its record")
        browser.keys("s")
        browser.see("1 set aside", "29 update")
        browser.click("Keys")
        browser.see("How rows find their records")
        browser.driver.back()
        browser.see("1 set aside")
        browser.driver.refresh()
        browser.see("1 set aside", "29 update")
        browser.click("Apply 29 rows")
        browser.driver.refresh()
        browser.see("Apply 29 rows")
        self.assertEqual(self.runs(browser, number), [])

    def test_two_tabs(self) -> None:
        browser = self.browser()
        number = self.brought(browser, "E", 73.5)
        first = browser.driver.current_window_handle
        browser.click("Apply 30 rows")
        browser.see("Write 30 rows")
        browser.driver.switch_to.new_window("tab")
        browser.open(f"/trips/{number}/review")
        browser.click("Apply 30 rows")
        browser.click("Write 30 rows")
        browser.see("30 updated")
        browser.driver.switch_to.window(first)
        stale = browser.all("[data-testid=confirm]")
        if stale and stale[0].is_enabled():
            browser.hit(stale[0])
            browser.see("no longer counts")
        browser.open(f"/trips/{number}")
        browser.see("30 updated")
        self.assertEqual(len(self.runs(browser, number)), 1)

    def test_a_lost_server(self) -> None:
        port = free_port()
        command = [str(BIN / "vexo"), "serve", "--port", str(port)]
        environment = {"VEXO_DATA": str(self.demo.data), "VEXO_DEMO": "1"}
        address = f"http://127.0.0.1:{port}"
        server = start(*command, log=self.demo.log, **environment)
        wait_until(lambda: answers(f"{address}/api/health"), what="the second server")
        browser = self.browser(address=address)
        number = self.brought(browser, "F", 74.5)
        browser.see("Apply 30 rows")
        kill(server)
        browser.keys("s")
        browser.see("Vexo's server does not answer")
        self.assertIn("30 update", browser.text)
        browser.click("Apply 30 rows")
        browser.click("Write 30 rows")
        browser.until(lambda: browser.all("[role=dialog] [role=alert]"), "the reason in the dialog")
        self.assertIn("does not answer", browser.find("[role=dialog] [role=alert]").text)
        lost = time.monotonic()
        wait_until(lambda: time.monotonic() - lost > 3, what="seconds without a server")
        self.assertIn("30 update", browser.text)
        server = start(*command, log=self.demo.log, **environment)
        self.addCleanup(kill, server)
        wait_until(lambda: answers(f"{address}/api/health"), what="the server again")
        browser.until(lambda: "Nothing is lost; it is tried again" not in browser.text, "the server found again")
        self.assertEqual(self.runs(browser, number), [])
        browser.click("Write 30 rows")
        browser.see("30 updated", "Read back 30 of 30")
        self.assertEqual([run["rows"] for run in self.runs(browser, number)], [30])

    def test_the_page_is_usable_while_a_job_runs_and_leaving_it_loses_nothing(self) -> None:
        browser = self.browser()
        number = self.brought(browser, "G", 75.5)
        slow = {"kind": "slow", "times": 6, "seconds": 1.5}
        httpx.post(f"{self.demo.register}/trouble", json=slow, trust_env=False, verify=False)
        browser.click("Apply 30 rows")
        browser.click("Write 30 rows")
        browser.see("Writing to", "You can leave this page")
        browser.click("Journal")
        browser.see("who did what")
        browser.open(f"/trips/{number}")
        browser.see("30 updated")
