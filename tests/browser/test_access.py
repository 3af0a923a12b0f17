"""One's own access, somebody's way to a password, and upkeep: seen, used by keyboard, and checked with axe-core."""

from __future__ import annotations

import httpx
from selenium.webdriver.common.keys import Keys

from tests.browser.case import BrowserCase
from tests.person import Person


class Access(BrowserCase):
    def test_a_token_is_made_used_by_a_script_and_withdrawn(self) -> None:
        browser = self.browser()
        browser.tab_to("[aria-label^='AQ']")
        browser.keys(Keys.ENTER)
        browser.click("Your access")
        browser.see("Signed in", "this one", "Make a token")
        self.assertEqual(browser.serious(), [])
        browser.fill("input[name=token-name]", "nightly rates")
        browser.choose("The most that it may do", "Preparer")
        browser.tab_to("form .go")
        browser.keys(Keys.ENTER)
        browser.see("it is shown this once", "nightly rates")
        token = browser.find("[data-testid=token]").text
        self.assertEqual(browser.serious(), [])
        script = httpx.Client(base_url=browser.address, headers={"Authorization": f"Bearer {token}"}, trust_env=False)
        self.assertEqual(script.get("/api/session").json()["person"]["may"], ["look", "prepare", "apply to practice"])
        self.assertEqual(script.delete("/api/trips/1").status_code, 403)
        browser.open("/access")
        browser.see("nightly rates", "Preparer")
        self.assertNotIn(token, browser.text)
        browser.tab_to("[aria-label='Withdraw nightly rates']")
        browser.keys(Keys.ENTER)
        browser.see("worth nothing from now on", "None. A script")
        self.assertEqual(script.get("/api/trips").status_code, 401)

    def test_signed_out_elsewhere_from_here(self) -> None:
        there = Person(self.demo.address, "bram")
        browser = self.browser(username="bram")
        browser.open("/access")
        browser.see("Sign out everywhere but here")
        browser.click("Sign out everywhere but here")
        browser.see("Signed out of")
        browser.until(lambda: "Sign out there" not in browser.text, "one browser alone")
        self.assertEqual(there.http.get("trips").status_code, 401)
        browser.open("/")
        browser.see("Send records out")

    def test_somebody_without_a_password_chooses_one_by_a_link(self) -> None:
        browser = self.browser()
        browser.open("/people")
        browser.see("Add a person")
        browser.keys("a")
        browser.fill("input[name=name]", "Marit Reedmace")
        browser.fill("input[name=new-username]", "marit")
        browser.click("Add them")
        browser.see("Make the link by which they choose a password", "Signed in", "Nowhere.")
        self.assertEqual(browser.serious(), [])
        browser.click("Make the link")
        browser.see("valid once, for a day")
        link = browser.find("[data-testid=link]").text
        self.assertTrue(link.startswith(browser.address), link)
        browser = self.stranger()
        browser.open("/choose-password#marit/not-whole")
        browser.fill("input[name=new-password]", "a-long-enough-secret")
        browser.click("Choose it, and sign in")
        browser.see("used already, or is too old")
        browser = self.stranger()
        browser.open(link.removeprefix(browser.address))
        browser.see("You sign in as marit")
        self.assertEqual(browser.serious(), [])
        browser.fill("input[name=new-password]", "a-long-enough-secret")
        browser.click("Choose it, and sign in")
        browser.see("Trips", "MR")
        browser = self.stranger()
        browser.open(link.removeprefix(browser.address))
        browser.fill("input[name=new-password]", "another-long-secret")
        browser.click("Choose it, and sign in")
        browser.see("used already, or is too old")


class Upkeep(BrowserCase):
    def test_what_would_go_is_said_before_and_a_deleted_trip_leaves_its_receipt(self) -> None:
        browser = self.browser()
        browser.open("/trips/7/file")
        browser.see("Delete this trip")
        browser.tab_to("section.mt-auto button")
        browser.keys(Keys.ENTER)
        browser.see("A receipt of what was written is kept at Upkeep", "Yes, delete trip 7")
        self.assertEqual(browser.serious(), [])
        browser.click("Yes, delete trip 7")
        browser.see("is deleted", "its receipt is at Upkeep")
        browser.open("/upkeep")
        browser.see("How long things are kept", "Trip 7", "no limit")
        self.assertEqual(browser.serious(), [])
        browser.fill("#keep-uploads", "0")
        browser.until(lambda: browser.find("form .go").is_enabled(), "the way to keep it")
        browser.tab_to("form .go")
        browser.keys(Keys.ENTER)
        browser.see("Kept. What is over its time goes")
        ada = Person(self.demo.address, "ada")
        self.assertEqual(ada.ask("GET", "upkeep").json()["keep"]["uploads"], 0)
        browser = self.browser(username="ines")
        browser.open("/trips/5/file")
        browser.see("measuring-weekend.csv")
        self.assertNotIn("Delete this trip", browser.text)

    def test_notices_are_new_until_they_are_seen_and_one_says_what_one_wants(self) -> None:
        browser = self.browser()
        browser.see("Notices")
        browser.until(lambda: "new" in browser.find("a.news").text, "the new ones")
        browser.tab_to("a.news")
        browser.keys(Keys.ENTER)
        browser.see("asks for the approval of trip 8", "new")
        browser.until(lambda: "new" not in browser.find("a.news").text, "that they were seen")
        browser.see("somebody asks for an approval that you could give")
        self.assertEqual(browser.serious(), [])
        browser.tab_to("input[aria-label^='Here, when the disk']")
        browser.keys(Keys.SPACE)
        browser.tab_to("form .go")
        browser.keys(Keys.ENTER)
        browser.see("From now on you are told so.")
        wishes = Person(self.demo.address, "ada").ask("GET", "notices").json()["wishes"]
        self.assertEqual([wish["kind"] for wish in wishes if not wish["listed"]], ["disk"])
        browser.open("/notices")
        browser.see("asks for the approval of trip 8")
        self.assertNotIn("\nnew\n", browser.text)

    def test_a_route_is_said_to_run_by_itself_and_why_it_cannot(self) -> None:
        ada = Person(self.demo.address, "ada")
        self.assertEqual(ada.ask("POST", "trips/5/route", json={"name": "Measuring"}).status_code, 201)
        browser = self.browser()
        browser.open("/routes")
        browser.see("never; a sheet is brought in by somebody")
        browser.tab_to("[data-testid^=by-itself] button")
        browser.keys(Keys.ENTER)
        browser.see("Measuring, by itself", "it waits at Review, and you are told")
        self.assertEqual(browser.serious(), [])
        browser.fill("input[name=folder]", "measuring")
        browser.click("Let it run by itself")
        browser.see("No folder was given for sheets that come by themselves")
        browser.keys(Keys.ESCAPE)
        browser.see("never; a sheet is brought in by somebody")

    def test_a_field_is_masked_where_the_rules_of_an_application_are_said(self) -> None:
        browser = self.browser()
        browser.open("/applications/harbour-practice")
        browser.click("Rules")
        browser.see("nothing kept once a trip is over of:")
        self.assertEqual(browser.serious(), [])
        label = "A field of Holders of which nothing is kept once a trip is over"
        browser.tab_to(f"select[aria-label='{label}']")
        browser.keys("Phone")
        browser.until(lambda: browser.all("button[aria-label='Phone of Holders is kept like the others']"), "the field")
        ada = Person(self.demo.address, "ada")
        said = ada.ask("GET", "applications/harbour-practice/rules").json()["said"]
        self.assertEqual(said, {"Holder": {"masked": ["phone"]}})
        browser.tab_to("button[aria-label='Phone of Holders is kept like the others']")
        browser.keys(Keys.ENTER)
        browser.until(lambda: not browser.all("button[aria-label='Phone of Holders is kept like the others']"), "none")
        self.assertEqual(ada.ask("GET", "applications/harbour-practice/rules").json()["said"], {})

    def test_the_api_is_described_here_without_another_address(self) -> None:
        browser = self.browser()
        browser.open("/api/docs")
        browser.see("Vexo", "/api/access")
        self.assertEqual(self.console_errors(browser), [])
