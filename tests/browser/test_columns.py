"""Columns: a foreign sheet from its drop to Review in few decisions, and with its route in none."""

from __future__ import annotations

from typing import Any

from selenium.webdriver.common.keys import Keys

from tests.browser.case import BrowserCase
from tests.browser.support import Browser

CLUB = "Sailing club, measuring weekend;;;;\r\n\r\nsite;berth_ref;LOA (feet);fittings;bollard cond.\r\n"
SHOW = "Card no.;Visitor;Telephone;Joined on\r\n"
VISITORS = (("RENÉE QUILLFEATHER", "(01632) 960 001"), ("ada maria saltford", "+44 1632 960002"))


class ColumnsCase(BrowserCase):
    def decisions(self, browser: Browser) -> int:
        """How often the trip's document was changed, counted from the requests of this page."""
        code = "return performance.getEntriesByType('resource').map(e => e.name)"
        return sum(name.endswith(("/columns", "/bring-in")) for name in browser.script(code))

    def planned(self, browser: Browser) -> dict[str, Any]:
        number = browser.driver.current_url.partition("/trips/")[2].partition("/")[0]

        def look() -> dict[str, Any] | None:
            trip = self.trip(browser, number)
            return trip if trip["plan"] and trip["plan"]["current"] and not trip["job"] else None

        return dict(browser.until(look, "a plan"))

    def drop(self, browser: Browser, name: str, text: str) -> None:
        path = browser.downloads / name
        path.write_bytes(text.encode("cp1252"))
        browser.open("/")
        browser.see("Rows carried in")
        browser.drop(path)

    def answer(self, browser: Browser, words: str) -> None:
        """An answer to a question, once the plan of the last one is made."""
        self.planned(browser)
        browser.until(lambda: browser.named(words).is_enabled(), f"{words} to press")
        browser.click(words)

    def lane(self, browser: Browser, field: str, *steps: tuple[str, tuple[tuple[str, str], ...]]) -> None:
        """Treatments at the end of a lane's sentence, each with what its parts are: by keys alone."""
        for title, parts in steps:
            before = len(browser.all("[data-testid=treatment]"))
            browser.find(".lane-then button").send_keys(Keys.ENTER)
            browser.until(lambda: browser.all("[role=option]"), "the treatments")
            browser.keys(title, Keys.ENTER)
            browser.until(lambda n=before: len(browser.all("[data-testid=treatment]")) > n, title)
            for label, value in parts:
                own = browser.all("[data-testid=treatment]")[-1]
                choices = own.find_elements("css selector", f"button[aria-label^='{label}']")
                if choices:
                    choices[0].send_keys(Keys.ENTER)
                    browser.click(value, css="[role=option]")
                else:
                    place = own.find_element("css selector", f"input[aria-label='{label}']")
                    place.send_keys(Keys.CONTROL, "a")
                    place.send_keys(value, Keys.ENTER)

    def to_front(self, browser: Browser, title: str) -> None:
        """A lane's last treatment, done before all others: the focus goes along with it."""
        names = "return [...document.querySelectorAll('[data-testid=treatment]')].map(e => e.ariaLabel)"
        focused = "return document.activeElement.ariaLabel"
        browser.find(f"button[aria-label='Do it earlier: {title}']").send_keys("")
        for place in reversed(range(len(browser.script(names)) - 1)):
            browser.until(lambda: browser.script(focused) == f"Do it earlier: {title}", "the focus on it")
            browser.keys(Keys.ENTER)
            browser.until(lambda place=place: browser.script(names)[place] == title, f"{title} at {place}")
        browser.until(lambda: browser.script(focused) == f"Leave out: {title}", "the focus still in it")

    def use(self, browser: Browser) -> None:
        browser.press("main .btn.go.sm")
        browser.until(lambda: "Use this lane" not in browser.text, "the lane in use")
        self.planned(browser)


class ForeignSheets(ColumnsCase):
    def test_the_club_s_sheet_takes_five_decisions_and_with_its_route_none(self) -> None:
        browser = self.browser()
        berths = self.records("harbour eq 'OLDBASIN' and startswith(berth_no,'C-0')")[:30]

        def weekend(feet: int, bollard: str) -> list[str]:
            return [
                f"OLDBASIN;{berth['berth_no']};{'n/k' if at == 7 else f'{feet + at / 10:.1f}'.replace('.', ',')};"
                f"{'water / power' if at % 3 else ''};{bollard}"
                for at, berth in enumerate(berths)
            ]

        lines = weekend(39, "good")
        self.drop(browser, "club-weekend.csv", CLUB + "\r\n".join(lines))
        browser.see("What is this sheet about?", "Berths is likeliest")
        browser.choose("Application", "Saltmarsh Harbour Register (practice)")
        browser.click("Bring it in")
        browser.see("Columns flow up into fields", "4 questions")
        self.planned(browser)
        self.assertEqual(browser.serious(), [])
        self.answer(browser, "Leave “bollard cond.” out")
        browser.until(lambda: "bollard cond., " not in browser.text and "3 questions" in browser.text, "its answer")
        self.planned(browser)
        self.answer(browser, "Take the 2 sure answers")
        browser.see("? 1 question:")
        self.planned(browser)
        browser.press("[data-testid=asked] button.underline")
        browser.see("Metres or feet?")
        self.answer(browser, "Feet: multiply by 0.3048")
        browser.until(lambda: "Metres or feet?" not in browser.text, "its answer")
        self.planned(browser)
        browser.see("1 cannot be read")
        self.lane(browser, "length_m", ("treat as blank", (("Texts that count as blank", "n/k"),)))
        self.to_front(browser, "treat as blank")
        browser.until(lambda: "cannot be read" not in browser.find("[data-testid=lane]").text, "all is read")
        self.use(browser)
        trip = self.planned(browser)
        self.assertLessEqual(self.decisions(browser), 5)
        verdicts = trip["summary"]["verdicts"]
        self.assertEqual(verdicts["update"] + verdicts["same"], 30)
        browser.click("Keep as route")
        browser.fill("[role=dialog] input", "The club's weekend")
        browser.keys(Keys.ENTER)
        browser.see("Kept as the route The club's weekend")
        self.drop(browser, "club-december.csv", CLUB + "\r\n".join(reversed(weekend(36, "fair"))))
        browser.until(lambda: "/review" in browser.driver.current_url, "Review")
        again = self.planned(browser)
        self.assertEqual(self.decisions(browser), 1)
        self.assertEqual(sum(again["summary"]["verdicts"][name] for name in ("update", "same")), 30)
        self.assertNotEqual(again["id"], trip["id"])
        browser.open("/routes")
        browser.see("The club's weekend", "Update Berths by Harbour + Berth no.", "30 rows")
        self.assertEqual(browser.serious(), [])
        self.drop(browser, "club-changed.csv", CLUB.replace("LOA (feet)", "Length over all") + "\r\n".join(lines))
        browser.see("Its header is like that of the route", "LOA (feet)", "New in this sheet: Length over all")
        browser.click("Bring it in on The club's weekend")
        browser.see("but this sheet lacks LOA (feet)")

    def test_the_boat_show_s_sheet_takes_six(self) -> None:
        browser = self.browser()
        lines = [f"{32001 + at};{name};{phone};{at + 13}/11/2026" for at, (name, phone) in enumerate(VISITORS)]
        self.drop(browser, "new-holders.csv", SHOW + "\r\n".join(lines))
        browser.see("What is this sheet about?", "Holders is likeliest")
        browser.choose("Application", "Saltmarsh Harbour Register (practice)")
        browser.choose("What to do with the rows", "create")
        browser.click("Bring it in")
        browser.see("Columns flow up into fields", "Required for new records, and in no column")
        name_case = ("upper or lower", (("Style of capitals", "name case"),))
        lanes = {
            "Holder no.": ("Card no.", (("pad", ()),)),
            "First name": ("Visitor", (("split", (("Part to take", "what is before the last"),)), name_case)),
            "Last name": ("Visitor", (("split", (("Part to take", "the last part"),)), name_case)),
        }
        for field, (header, steps) in lanes.items():
            browser.until(lambda: not browser.all("main [role=status] progress"), "the plan")
            browser.enter_field("input[aria-label^='Another field']")
            browser.keys(field)
            browser.until(lambda: any(e.is_displayed() for e in browser.all("[role=option]")), field)
            browser.keys(Keys.ENTER)
            browser.see(f"{field}: where from?")
            browser.choose("Where the values come from", header)
            self.lane(browser, field, *steps)
            browser.press("main .btn.go.sm")
            browser.until(lambda f=field: f"→ {f}" in browser.text, "the lane in use")
        self.planned(browser)
        browser.find("[data-testid=asked]")
        self.answer(browser, "Take the sure answer")
        browser.until(lambda: "sure answer" not in browser.text, "its answer")
        self.planned(browser)
        reach = "const e = document.querySelector(arguments[0]); e.focus(); return document.activeElement === e"
        browser.until(
            lambda: browser.script(reach, "[aria-label='Field of the column Telephone']"), "a field to choose"
        )
        browser.see("Telephone → Phone")
        self.lane(browser, "phone", ("phone", ()))
        self.use(browser)
        trip = self.planned(browser)
        self.assertLessEqual(self.decisions(browser), 6)
        self.assertEqual(trip["summary"]["verdicts"]["create"], 2)
        rows = browser.script(
            "return fetch(`/api/trips/${arguments[0]}/rows?view=lanes&limit=5`).then(a => a.json())", trip["id"]
        )["rows"]
        made = [[cell.get("proposed") or cell["text"] for cell in row["cells"]][2:] for row in rows]
        self.assertEqual(
            made,
            [
                ["+441632960001", "2026-11-13", "0032001", "Renée", "Quillfeather"],
                ["+441632960002", "2026-11-14", "0032002", "Ada Maria", "Saltford"],
            ],
        )
        self.assertEqual(browser.serious(), [])
