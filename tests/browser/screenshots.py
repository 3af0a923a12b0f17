"""``make screenshots``: the pictures in docs/screenshots, made anew from a new demo."""

from __future__ import annotations

from pathlib import Path

from tests.browser.support import Browser, Demo

FOLDER = Path(__file__).parents[2] / "docs" / "screenshots"


def main() -> None:
    demo = Demo()
    browser = Browser(demo.address)
    try:
        browser.open("/")
        browser.see("Or take a part in the demo")
        browser.picture(FOLDER / "sign-in.png")
        browser.sign_in()
        browser.see("Winter tariff", "Rows carried in")
        browser.picture(FOLDER / "home.png")
        browser.open("/send-out")
        browser.see("The sheet as it will be")
        condition = "harbour eq 'NORTHHAVEN' and status ne 'retired' and daily_rate gt 40"
        browser.fill("input[aria-label=Condition]", condition)
        for label in ("Services", "Status"):
            browser.click(f"+ {label}")
        browser.see("Send out 2")
        browser.until(lambda: "Status one of 4" in browser.find("table").text.replace("\n", " "), "the preview")
        browser.picture(FOLDER / "send-out.png")
        views = {
            "file": ("/sheets/4", "Berths is likeliest"),
            "file-back": ("/trips/3/file", "cells are as trip 3 sent them out"),
            "file-damage": ("/trips/3/file?beside=findings", "Put back 12 cells"),
            "columns": ("/trips/3/columns", "Columns flow up into fields"),
            "keys": ("/trips/4/keys", "How rows find their records"),
            "review": ("/trips/4/review?state=held", "Row 29 is held"),
            "apply": ("/trips/4/apply", "rows are ready"),
            "outcome": ("/trips/2/outcome", "The application answered"),
            "journal": ("/journal", "Brought in"),
            "people": ("/people/bram", "Take their way in"),
        }
        for name, (path, words) in views.items():
            browser.open(path)
            browser.see(words)
            browser.until(lambda: not browser.all("[data-testid=grid]") or browser.all(".grid-row .grid-td"), "cells")
            browser.until(lambda: not any(e.text == "…" for e in browser.all(".grid-row")), "rows")
            browser.picture(FOLDER / f"{name}.png")
        browser.open("/trips/4/review")
        browser.until(lambda: len(browser.all(".grid-row .grid-td")) > 60, "rows")
        browser.all(".grid-row")[1].click()
        browser.see("What it writes")
        browser.picture(FOLDER / "review-all.png")
        browser.find("[data-testid=totals-chip]").click()
        browser.see("as planned")
        browser.picture(FOLDER / "totals.png")
        browser.open("/applications/harbour-live")
        browser.click("Berths")
        browser.see("Berth no.")
        browser.picture(FOLDER / "applications.png")
    finally:
        browser.close()
        demo.stop()


if __name__ == "__main__":
    main()
