"""What a page could not read is said, and is not taken for nothing."""

from __future__ import annotations

import contextlib
import sqlite3
from collections.abc import Iterator

from tests.browser.case import BrowserCase
from tests.browser.support import Browser
from tests.person import signed_in
from tests.support import temporary_folder

WHY = "The disk of Vexo's folder is full."
PAGES = (
    "/",
    "/send-out",
    "/routes",
    "/applications",
    "/people/bram",
    "/access",
    "/notices",
    "/upkeep",
    "/journal",
    "/marks",
    "/sheets/1",
    *(f"/trips/2/{station}" for station in ("file", "columns", "keys", "review", "apply", "outcome")),
)
"""Every page of the application, each station among them."""
ONE_BY_ONE = {
    "/": "Winter tariff",
    "/people/bram": "Remove access",
    "/upkeep": "How long things are kept",
    "/trips/4/review": "Commonest changes",
}
"""Pages of which each question fails by itself, with what is read of them last."""
SAYS_OF_NOTHING = (
    "No trips yet",
    "nothing waits",
    "No route is kept",
    "No application",
    "None is connected",
    "Nothing has been",
    "does not wait here",
    "no such trip",
    "No key has been",
    "0 entries",
    "does not answer",
)
"""What would be false where nothing is known."""
FAIL = """
window.asked = new Set(); window.failed = 0; window.failing = FAILING;
const before = window.fetch.bind(window);
window.fetch = request => {
  const path = new URL(request.url ?? request, location.href).pathname;
  const fails = window.failing === 'all' ? path !== '/api/session' : window.failing === path;
  if (request.method !== 'GET') return before(request);
  window.asked.add(path);
  if (!fails) return before(request);
  window.failed += 1;
  const headers = {'Content-Type': 'application/problem+json'};
  const body = JSON.stringify({status: 503, title: 'x', detail: WHY, code: 'machine'});
  return Promise.resolve(new Response(body, {status: 503, headers}));
};
"""


@contextlib.contextmanager
def failing(browser: Browser, what: str) -> Iterator[None]:
    """While this goes on, the answers at a path, or all but that of who is signed in, are those of a full disk."""
    source = FAIL.replace("FAILING", repr(what)).replace("WHY", repr(WHY))
    script = browser.driver.execute_cdp_cmd("Page.addScriptToEvaluateOnNewDocument", {"source": source})
    try:
        yield
    finally:
        browser.driver.execute_cdp_cmd("Page.removeScriptToEvaluateOnNewDocument", script)


@contextlib.contextmanager
def missing(browser: Browser, part: str) -> Iterator[None]:
    """While this goes on, a part that the page loads late is not to be had."""
    browser.driver.execute_cdp_cmd("Network.enable", {})
    browser.driver.execute_cdp_cmd("Network.setCacheDisabled", {"cacheDisabled": True})
    browser.driver.execute_cdp_cmd("Network.setBlockedURLs", {"urls": [f"*/{part}-*"]})
    try:
        yield
    finally:
        browser.driver.execute_cdp_cmd("Network.setBlockedURLs", {"urls": []})
        browser.driver.execute_cdp_cmd("Network.setCacheDisabled", {"cacheDisabled": False})
        browser.driver.execute_cdp_cmd("Network.disable", {})


class UnreadParts(BrowserCase):
    reads_all = False

    def test_every_page_says_why_it_could_not_be_read_and_takes_that_for_nothing_else(self) -> None:
        browser = self.browser()
        with failing(browser, "all"):
            for page in PAGES:
                with self.subTest(page):
                    browser.open(page)
                    browser.see("Not all of this page could be read: " + WHY)
                    self.assertEqual([words for words in SAYS_OF_NOTHING if words in browser.text], [])
        self.assertEqual(browser.serious(), [])

    def test_each_question_of_a_page_that_fails_is_told(self) -> None:
        browser = self.browser()
        for page, last in ONE_BY_ONE.items():
            with failing(browser, ""):
                browser.open(page)
                browser.see(last)
            for path in sorted(browser.script("return [...asked]")):
                with self.subTest(page=page, path=path), failing(browser, path):
                    browser.open(page)
                    browser.see(WHY)

    def test_a_file_that_cannot_be_had_is_no_silent_link(self) -> None:
        number, before = self.sent_out("F")
        browser = self.browser(f"/trips/{number}/file")
        browser.see("Download the sheet")
        (kept,) = (
            path for path in (self.demo.data / "files").rglob("*.xlsx") if path.read_bytes() == before.read_bytes()
        )
        away = kept.rename(temporary_folder() / kept.name)
        browser.click("Download the sheet")
        browser.see("is missing or damaged. Put it back from a backup")
        self.assertEqual(list(browser.downloads.iterdir()), [])
        away.rename(kept)
        browser.click("Download the sheet")
        path = browser.downloads / before.name
        browser.until(path.exists, "the sheet")
        self.assertEqual(path.read_bytes(), before.read_bytes())

    def test_a_page_older_than_the_server_is_loaded_anew_where_one_was_going(self) -> None:
        for page, part, there in (
            ("Routes", "RoutesPage", "saved ways of making a trip"),
            ("Columns", "ColumnsStation", "Match rows"),
        ):
            browser = self.browser("/trips/2/file")
            browser.see("42 rows")
            browser.script("window.older = true")
            with missing(browser, part):
                browser.click(page)
                browser.see("A part of this page could not be loaded.")
            self.assertFalse(browser.script("return 'older' in window"), "it was loaded anew, once")
            browser.driver.refresh()
            browser.see(there)

    def test_what_the_server_itself_says_is_shown_until_it_is_well_again(self) -> None:
        browser = self.browser()
        database = self.demo.data / "vexo.db"
        with contextlib.closing(sqlite3.connect(database, timeout=60, isolation_level=None)) as own:
            own.execute("PRAGMA legacy_alter_table=ON")
            own.execute("ALTER TABLE routes_route RENAME TO elsewhere")
            try:
                browser.open("/routes")
                browser.see("Not all of this page could be read: The database does not work.")
                self.assertNotIn("No route is kept", browser.text)
            finally:
                own.execute("ALTER TABLE elsewhere RENAME TO routes_route")

        def read() -> bool:
            # It is asked again by itself, too: the button may be gone already.
            for button in browser.all("[data-testid=failed] button"):
                browser.hit(button)
            return "No route is kept yet." in browser.text

        browser.until(read, "the routes")
        browser.until(lambda: not browser.all("[data-testid=failed]"), "the end of the note")


class GoneElsewhere(BrowserCase):
    """What another person ends while a page shows it is not shown on as it was last known."""

    def look_again(self, browser: Browser) -> None:
        """As someone who comes back to the window."""
        browser.script("dispatchEvent(new Event('visibilitychange'))")

    def test_a_trip_that_was_deleted_is_not_shown_as_it_was(self) -> None:
        number, _ = self.sent_out("F")
        browser = self.browser(f"/trips/{number}/file")
        browser.see(f"trip {number} ·", "Download the sheet")
        signed_in(self.demo.address).ask("DELETE", f"trips/{number}").raise_for_status()
        self.look_again(browser)
        browser.see("There is no such trip.")
        browser.until(lambda: not browser.all("[data-testid=failed]"), "nothing that lacks")
        self.assertNotIn(f"trip {number} ·", browser.text)

    def test_a_file_that_somebody_left_is_not_shown_as_it_was(self) -> None:
        ada = signed_in(self.demo.address)
        content = b"no,place\n1,here\n2,there\n"
        number = ada.ask("POST", "uploads", json={"name": "of_nobody.csv", "size": len(content)}).json()["id"]
        headers = {"Content-Type": "application/octet-stream"}
        ada.ask("PUT", f"uploads/{number}?offset=0", content=content, headers=headers).raise_for_status()
        ada.job(ada.ask("POST", f"uploads/{number}/recognise"))
        browser = self.browser(f"/sheets/{number}")
        browser.see("2 rows, 2 columns")
        ada.ask("DELETE", f"uploads/{number}").raise_for_status()
        self.look_again(browser)
        for _ in ("as it is open", "opened after"):
            browser.see("That file does not wait here any more.", "somebody left it.")
            browser.until(lambda: not browser.all("[data-testid=failed]"), "nothing that lacks")
            browser.driver.refresh()
