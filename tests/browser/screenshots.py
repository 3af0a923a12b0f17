"""``make screenshots``: the pictures in docs/screenshots, made anew from a new demo."""

from __future__ import annotations

import os
import re
from pathlib import Path

import openpyxl

from tests.browser.support import Browser, Demo
from tests.person import Person
from tests.support import temporary_folder

FOLDER = Path(__file__).parents[2] / "docs" / "screenshots"


def share(browser: Browser) -> None:
    """A trip shared out to five, two parts of it back; and the route that it was kept as."""
    import zipfile

    from selenium.webdriver.common.keys import Keys

    browser.open("/send-out")
    browser.see("The sheet as it will be", "Record ID")
    browser.click("as text")
    condition = "insured_until ge date(now()) and insured_until le date(now() add duration'P60D')"
    browser.fill("input[aria-label=Condition]", f"status eq 'let' and {condition}")
    browser.until(lambda: len(browser.all("[data-testid=clause]")) == 2, "the sentence")
    browser.enter_field("input[aria-label='Share out by']")
    browser.keys("harbour")
    browser.until(lambda: any(e.text.strip() == "Harbour" for e in browser.all("[role=option]")), "Harbour")
    browser.keys(Keys.ENTER)
    browser.click("Keep as route")
    browser.fill("[role=dialog] input", "Insurance dates, by harbour")
    browser.click("Keep it")
    browser.see("Kept as the route")
    browser.until(lambda: re.search("Share out [1-9]", browser.text), "the rows")
    browser.press("[data-testid=send]")
    browser.see("Shared out to 5 sheets", "downloaded")
    path = browser.until(lambda: next(iter(browser.downloads.glob("*.zip")), None), "the ZIP")
    with zipfile.ZipFile(path) as archive:
        archive.extractall(browser.downloads / "parts")
    back = sorted((browser.downloads / "parts").iterdir())[1:3]
    for sheet in back:
        book = openpyxl.load_workbook(sheet)
        for row in range(2, 40):
            book.active.cell(row, 6).value = 12.5
        book.save(sheet)
    for who in ("Ines Gullane-Marsh", "Knot Fathomwick", "Petra Saltford"):
        browser.click("who?")
        browser.keys(who, Keys.ENTER)
        browser.see(who)
    browser.drop(*back)
    browser.see("2 of 5 parts back")
    browser.until(lambda: browser.text.count("ready to apply") == 2, "both planned")
    for notice in browser.all(".notices button"):
        notice.click()
    browser.picture(FOLDER / "parts.png")
    by_itself()
    browser.open("/routes")
    browser.see("Insurance dates, by harbour", "are applied where nothing is open")
    browser.picture(FOLDER / "routes.png")


def by_itself() -> None:
    """The club's measurements come in by themselves, each morning of two days."""
    ada = Person(DEMO[0].address, "ada")
    route = next(route for route in ada.ask("GET", "routes").json() if route["name"] == "Club measurements")
    said = {"folder": "measuring", "at": "06:30", "days": [0, 3], "zone": "Europe/London", "applies": True, "most": 50}
    ada.ask("PUT", f"routes/{route['id']}/unattended", json={**said, "version": route["version"]}).raise_for_status()


DEMO: list[Demo] = []


def measure(browser: Browser) -> None:
    """The club's sheet at Columns: its lengths in metres, one column still asked about; and the route of it."""
    browser.open("/trips/5/columns?cell=2")
    browser.click("Take the 2 sure answers")
    browser.until(lambda: "sure answer" not in browser.text and not browser.all("progress"), "the plan")
    browser.until(lambda: browser.named("Feet: multiply").is_enabled(), "its answer")
    browser.click("Feet: multiply")
    browser.until(lambda: "×0.3048" in browser.text and not browser.all("progress"), "the lane")
    browser.until(lambda: browser.all(".grid-row .new"), "cells")
    browser.until(lambda: "12.0" in browser.find("[data-testid=values]").text, "values")
    browser.picture(FOLDER / "columns.png")
    browser.click("Keep as route")
    browser.fill("[role=dialog] input", "Club measurements")
    browser.click("Keep it")
    browser.see("Kept as the route")
    for notice in browser.all(".notices button"):
        notice.click()


def bind(ada: Person) -> None:
    """Rules for the tariff of the practice set: no new lines, and only at night."""
    times = {"from": "20:00", "to": "06:00", "zone": "Europe/London"}
    rules = {"TariffLine": {"deny": ["create"], "times": times, "approve": {"deletes": True}}}
    ada.ask("PUT", "applications/harbour-practice/rules", json={"said": rules}).raise_for_status()
    ada.plan_again(6)


def main() -> None:
    folders = temporary_folder()
    (folders / "measuring").mkdir()
    os.environ["VEXO_FOLDERS"] = str(folders)
    demo = Demo()
    DEMO.append(demo)
    browser = Browser(demo.address)
    try:
        browser.open("/")
        browser.see("Or take a part in the demo")
        browser.sign_in()
        browser.see("Winter tariff", "Rows carried in")
        browser.picture(FOLDER / "home.png")
        browser.open("/send-out")
        browser.see("The sheet as it will be")
        condition = "harbour eq 'NORTHHAVEN' and status ne 'retired' and daily_rate gt 40"
        browser.click("as text")
        browser.fill("input[aria-label=Condition]", condition)
        browser.until(lambda: len(browser.all("[data-testid=clause]")) == 3, "the sentence")
        browser.click("as text")
        browser.click("+ Status")
        browser.see("Send out 2")
        browser.until(lambda: "Status one of 4" in browser.find("table").text.replace("\n", " "), "the preview")
        browser.until(lambda: "Σ Daily rate" in browser.text, "the sums")
        browser.picture(FOLDER / "send-out.png")
        measure(browser)
        share(browser)
        views = {
            "file": ("/sheets/7", "Holders is likeliest"),
            "keys": ("/trips/4/keys", "find one record"),
            "review": ("/trips/4/review?state=held", "Row 29 is held"),
            "make-same": ("/trips/6/keys", "4 records in reach are not in the sheet"),
            "approval": ("/trips/8/apply", "asks for its approval"),
            "outcome": ("/trips/2/outcome", "The application answered"),
            "journal": ("/journal", "Brought in"),
            "people": ("/people/ada", "Signed in"),
            "access": ("/access", "Numbers and times"),
            "notices": ("/notices", "asks for the approval of trip 8"),
            "upkeep": ("/upkeep", "How long things are kept"),
        }
        for name, (path, words) in views.items():
            browser.open(path)
            browser.see(words)
            browser.until(lambda: not browser.all("[data-testid=grid]") or browser.all(".grid-row .grid-td"), "cells")
            browser.until(lambda: not any(e.text == "…" for e in browser.all(".grid-row")), "rows")
            browser.picture(FOLDER / f"{name}.png")
        bind(Person(demo.address, "ada"))
        browser.open("/trips/6/apply")
        browser.see("Write 2 rows, delete 4 records", "are written from")
        browser.picture(FOLDER / "apply.png")
        browser.open("/trips/7/outcome")
        browser.see("Read back 24 of 24")
        browser.press("[data-testid=take-back]")
        browser.press("[data-testid=make-reverse]")
        browser.see("Take back: Pedestals", "24 update")
        browser.until(lambda: len(browser.all(".grid-row .grid-td")) > 20, "rows")
        browser.picture(FOLDER / "take-back.png")
        browser.open("/applications/harbour-live")
        browser.click("Berths")
        browser.see("Berth no.")
        browser.picture(FOLDER / "applications.png")
    finally:
        browser.close()
        demo.stop()


if __name__ == "__main__":
    main()
