"""Conflicts by keys alone: the file's value, the application's, and of a list both edits."""

from __future__ import annotations

import httpx

from tests.browser.case import OFFICE, BrowserCase, edit
from tests.person import signed_in

SERVICES = ("water", "power", "wifi", "pump-out", "crane")


class Conflicts(BrowserCase):
    def lacking(self, had: list[set[str]]) -> list[str]:
        """For each of these sets of services one that it lacks."""
        return [next(one for one in SERVICES if one not in services) for services in had]

    def test_each_of_three_answers_by_its_key(self) -> None:
        trip, path = self.sent_out("D")
        berths = self.records("harbour eq 'EELGRASS' and startswith(berth_no,'D-0') and daily_rate ne null")[:3]
        names = [one["berth_no"] for one in berths]
        had = [set(one["services"]) for one in berths]
        mine = self.lacking(had)
        theirs = self.lacking([{*services, own} for services, own in zip(had, mine, strict=True)])
        edited = {name: {*services, own} for name, services, own in zip(names, had, mine, strict=True)}
        edit(path, {(name, "Services"): "; ".join(sorted(services)) for name, services in edited.items()})
        for one, services, their in zip(berths, had, theirs, strict=True):
            address = f"{self.demo.register}/live/odata/Berths({one['id']})"
            values = {"services": sorted({*services, their})}
            httpx.patch(address, json=values, headers=OFFICE, trust_env=False).raise_for_status()
        ada = signed_in(self.demo.address)
        ada.bring(path.read_bytes(), "harbour-live", "Berth", name=path.name, trip=str(trip))
        browser = self.browser(f"/trips/{trip}/review?state=held")
        for left, key in ((2, "3"), (1, "1"), (0, "2")):
            browser.until(
                lambda: browser.all("[data-testid=panel] .answer:not(:disabled)"), "answers that can be given"
            )
            browser.see("Keep both edits")
            browser.keys(key)
            browser.until(lambda left=left: self.trip(browser, str(trip))["sum"].get("held", 0) == left, "the answer")
            browser.until(lambda: not self.trip(browser, str(trip))["job"], "the plan")
        self.assertEqual(browser.serious(), [])
        browser.until(lambda: browser.find("[data-testid=apply]").is_enabled(), "the plan on the page")
        browser.tab_to("[data-testid=apply]")
        browser.keys("\n")
        browser.tab_to("[data-testid=confirm]")
        browser.keys("\n")
        browser.see("2 updated")
        now = {one["berth_no"]: set(one["services"]) for one in self.records("harbour eq 'EELGRASS'")}
        wanted = [{*had[0], mine[0], theirs[0]}, {*had[1], mine[1]}, {*had[2], theirs[2]}]
        self.assertEqual([now[name] for name in names], wanted)
