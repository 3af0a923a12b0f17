"""The slips that people make, each asked about on the page in the words of the API."""

from __future__ import annotations

from typing import Any

import httpx
from selenium.webdriver.common.keys import Keys

from tests.browser.case import OFFICE, BrowserCase
from tests.person import signed_in


class Slips(BrowserCase):
    def practice(self, source: str, count: int, **query: str) -> list[dict[str, Any]]:
        address = f"{self.demo.register}/practice/odata/{source}"
        asked = {"$top": str(count), "$orderby": "id", **{f"${name}": text for name, text in query.items()}}
        return list(httpx.get(address, params=asked, headers=OFFICE, trust_env=False).json()["value"])

    def bring(self, record_type: str, lines: list[list[Any]], **more: Any) -> int:
        """A sheet, its headers first, brought in on practice over HTTP: the trip's number."""
        content = "\n".join(",".join(str(cell) for cell in line) for line in lines).encode()
        return signed_in(self.demo.address).bring(content, "harbour-practice", record_type, **more)

    def clearing(self, trip: int, field: str) -> int:
        """Blank cells of a field are to clear it."""
        ada = signed_in(self.demo.address)
        version = ada.http.get(f"trips/{trip}").json()["version"]
        body = {"columns": {}, "lanes": {field: {"blank": "clear"}}, "operation": ""}
        ada.job(ada.ask("PATCH", f"trips/{trip}/columns", json=body, headers={"If-Match": f'"{version}"'}))
        return trip

    def lines(self, count: int, amount: Any, **more: Any) -> int:
        key = ["season", "length_band", "harbour"]
        rows = [[*[line[name] for name in key], amount(line)] for line in self.practice("TariffLines", count)]
        return self.bring("TariffLine", [[*key, "amount"], *rows], key=key, **more)

    def test_each_is_asked_about_where_it_would_be_written(self) -> None:
        holders = self.practice("Holders", 40, filter="phone ne null")
        lost = [["holder_no", "email"], *([one["holder_no"], "twice@example.org"] for one in holders[:2])]
        emptied = [["holder_no", "phone"], *([one["holder_no"], ""] for one in holders)]
        fobs = [["fob_no"], *([one["fob_no"]] for one in self.practice("GateFobs", 58))]
        slips = {
            "most of a tariff at one amount": (self.lines(120, lambda _: "99999.99"), {"far-out", "lost-point"}),
            "a point lost": (self.lines(3, lambda line: float(line["amount"]) * 100), {"lost-point"}),
            "an e-mail twice": (self.bring("Holder", lost, key=["holder_no"]), {"duplicate-row"}),
            "fifty-eight go": (self.bring("GateFob", fobs, key=["fob_no"], operation="delete"), {"many-deletes"}),
            "a column emptied": (
                self.clearing(self.bring("Holder", emptied, key=["holder_no"]), "phone"),
                {"emptied-many"},
            ),
        }
        browser = self.browser()
        for name, (number, codes) in slips.items():
            with self.subTest(name):
                browser.open(f"/trips/{number}/review")
                items = self.trip(browser, str(number))["open"]
                self.assertLessEqual(codes, {item["code"] for item in items})
                self.assertTrue(items)
                browser.see(*[item["says"] for item in items])
                for answer in (one for item in items if item["stops"] for one in item["answers"]):
                    self.assertIn(answer["says"], browser.text)
                terms = self.trip(browser, str(number))["sum"]
                self.assertEqual(terms.get("update", 0), 0, terms)
        number = slips["fifty-eight go"][0]
        browser.open(f"/trips/{number}/review")
        browser.see("Are so many meant?")
        self.assertFalse(browser.find("[data-testid=apply]").is_enabled(), "nothing goes before the answer")
        browser.tab_to("[data-testid=open] .answer")
        browser.keys(Keys.ENTER)
        browser.until(lambda: browser.find("[data-testid=apply]").is_enabled(), "the answer")
