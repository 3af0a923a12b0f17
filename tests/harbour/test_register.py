from __future__ import annotations

import unittest
from xml.etree import ElementTree as ET

import httpx

from tests.support import TOKEN, register

EDM = "{http://docs.oasis-open.org/odata/ns/edm}"


class Reading(unittest.TestCase):
    def count(self, text: str) -> int:
        with register().client() as client:
            response = client.get("Vessels/$count", params={"$filter": text})
            return int(response.text) if response.status_code == 200 else -response.status_code

    def test_the_types_and_their_numbers(self) -> None:
        counts = {
            name: int(register().get(f"{name}/$count", "live"))
            for name in ("Harbours", "Vessels", "GateFobs", "TariffLines")
        }
        self.assertEqual(counts, {"Harbours": 5, "Vessels": 2611, "GateFobs": 1900, "TariffLines": 180})
        self.assertEqual(int(register().get("Readings/$count", "live")), 0)

    def test_metadata_uses_the_standard_vocabularies(self) -> None:
        with register().client() as client:
            root = ET.fromstring(client.get("$metadata").content)
        terms = {a.get("Term") for a in root.iter(f"{EDM}Annotation")}
        for term in ("Core.V1.Description", "Core.V1.Computed", "Core.V1.AlternateKeys", "Validation.V1.AllowedValues"):
            self.assertIn(f"Org.OData.{term}", terms)

    def test_null_means_empty_and_capitals_count(self) -> None:
        everything = self.count("id gt 0")
        self.assertEqual(self.count("storm_class ne 'B'") + self.count("storm_class eq 'B'"), everything)
        self.assertEqual(self.count("not (storm_class eq 'B')"), self.count("storm_class ne 'B'"))
        self.assertEqual(self.count("contains(registration,'sm-')"), 0)
        self.assertEqual(self.count("contains(tolower(registration),'sm-')"), everything)
        self.assertEqual(self.count("not contains(storm_class,'B')"), self.count("storm_class ne 'B'"))

    def test_odd_but_right_conditions(self) -> None:
        self.assertEqual(self.count("registration in ('SM-00001')"), 1)
        self.assertEqual(self.count("not(registration ne 'SM-00001')"), 1)
        self.assertEqual(self.count("name eq 'it''s none'"), 0)
        self.assertEqual(self.count("SM eq 1"), -400)
        self.assertEqual(self.count("registration eq"), -400)
        self.assertEqual(self.count(" or ".join(f"registration eq 'SM-{n:05d}'" for n in range(1, 121))), 120)
        self.assertEqual(self.count("length_m eq 7.5 and length_m eq 7.50"), self.count("length_m eq 7.5"))

    def test_pages_follow_each_other_without_loss(self) -> None:
        seen: list[int] = []
        for query in ("$select=id", "$select=id&$orderby=name desc", "$select=id&$top=1200"):
            seen, url = [], f"Vessels?{query}"
            with register().client() as client:
                while url:
                    page = client.get(url, headers={"Prefer": "odata.maxpagesize=400"}).json()
                    seen += [r["id"] for r in page["value"]]
                    url = page.get("@odata.nextLink")
            self.assertEqual((len(seen), len(set(seen))), (1200, 1200) if "$top" in query else (2611, 2611))


class Rules(unittest.TestCase):
    def refusal(self, method: str, path: str, body: object = None, **headers: str) -> tuple[int, str, str | None]:
        with register().client() as client:
            response = client.request(method, path, json=body, headers=headers)
        error = response.json()["error"] if response.status_code >= 400 else {}
        return response.status_code, error.get("code", ""), error.get("target")

    def test_an_explicit_null_empties_a_unique_or_checked_text_of_any_number_of_records(self) -> None:
        with register().client() as client:
            for number in ("09901", "09902"):
                body = {"holder_no": number, "last_name": "x", "email": f"n{number}@example.org"}
                made = client.post("Holders", json=body).json()
                for nothing in (None, ""):
                    client.patch(made["@odata.id"], json={"email": f"n{number}@example.org"}).raise_for_status()
                    client.patch(made["@odata.id"], json={"email": nothing}).raise_for_status()
                    self.assertIsNone(client.get(made["@odata.id"]).json()["email"])
            for berth in register().get("Berths", **{"$top": "2"})["value"]:
                client.patch(f"Berths({berth['id']})", json={"ring_no": None}).raise_for_status()
                client.patch(f"Berths({berth['id']})", json={"ring_no": berth["ring_no"]}).raise_for_status()

    def test_each_rule_refuses_and_names_the_field(self) -> None:
        let = register().get("Berths", **{"$filter": "status eq 'let'", "$top": "2"})["value"]
        first, second = let
        holder = register().get("Contracts", **{"$top": "1"})["value"][0]["holder"]
        masters = register().get("GateFobs", **{"$filter": "master eq true and harbour eq 'OLDBASIN'"})["value"]
        self.assertEqual(len(masters), 1)
        cases = [
            ("PATCH", f"Berths({first['id']})", {"holder": None}, (422, "required-when-let", "holder")),
            ("PATCH", f"Berths({first['id']})", {"daily_rate": 0}, (422, "rate-out-of-range", "daily_rate")),
            (
                "PATCH",
                f"Berths({first['id']})",
                {"daily_rate": 5, "flat_season_rate": 5},
                (422, "two-rates", "flat_season_rate"),
            ),
            ("PATCH", f"Berths({first['id']})", {"status": "retired"}, (422, "contract-under-way", "status")),
            (
                "PATCH",
                f"Berths({first['id']})",
                {"berth_no": second["berth_no"], "harbour": second["harbour"]},
                (409, "not-unique", "berth_no"),
            ),
            ("PATCH", f"Berths({first['id']})", {"balance_due": 1}, (422, "computed", "balance_due")),
            ("PATCH", f"Berths({first['id']})", {"length_m": 8.55}, (422, "too-many-decimals", "length_m")),
            ("PATCH", f"Berths({first['id']})", {"services": ["gold"]}, (422, "no-such-choice", "services")),
            ("PATCH", f"Berths({first['id']})", {"holder": 1}, (422, "no-such-reference", "holder")),
            ("PATCH", f"Berths({first['id']})", {"colour": 1}, (400, "no-such-property", "colour")),
            ("DELETE", f"Berths({first['id']})", None, (422, "contract-under-way", None)),
            ("DELETE", f"Holders({holder})", None, (422, "has-contracts", None)),
            ("PATCH", f"Holders({holder})", {"email": "no at"}, (422, "email-form", "email")),
            ("PATCH", f"GateFobs({masters[0]['id']})", {"blocked": True}, (422, "last-master", "blocked")),
            ("PATCH", "Berths(1)", {"notes": "x"}, (404, "no-such-record", None)),
            ("POST", "Berths", {"berth_no": "Q"}, (422, "required", "harbour")),
        ]
        for method, path, body, expected in cases:
            with self.subTest(f"{method} {path} {body}"):
                self.assertEqual(self.refusal(method, path, body), expected)

    def test_contracts_do_not_overlap_and_end_after_they_start(self) -> None:
        contract = register().get("Contracts", **{"$top": "1"})["value"][0]
        new = {"contract_no": "T-1", "berth": contract["berth"], "holder": contract["holder"], "amount": 1}
        again = {**new, "start": contract["start"], "end": contract["end"]}
        self.assertEqual(self.refusal("POST", "Contracts", again), (422, "overlap", "start"))
        backwards = {**new, "start": "2030-02-01", "end": "2030-01-01"}
        self.assertEqual(self.refusal("POST", "Contracts", backwards), (422, "end-before-start", "end"))

    def test_versions(self) -> None:
        berth = register().berth("OLDBASIN", "J-003")
        path = f"Berths({berth['id']})"
        self.assertEqual(self.refusal("PATCH", path, {"notes": "a"}, **{"If-Match": berth["@odata.etag"]})[0], 200)
        self.assertEqual(
            self.refusal("PATCH", path, {"notes": "b"}, **{"If-Match": berth["@odata.etag"]}),
            (412, "version-clash", None),
        )
        self.assertEqual(register().berth("OLDBASIN", "J-003")["changed_by"], "Ines Gullane-Marsh")

    def test_tokens_and_bodies(self) -> None:
        address = register().odata()
        self.assertEqual(httpx.get(address + "Berths", trust_env=False, verify=False).status_code, 401)
        headers = {"Authorization": f"Bearer {TOKEN}"}
        self.assertEqual(
            httpx.post(address + "Berths", content="{", headers=headers, trust_env=False, verify=False).status_code, 400
        )
        self.assertEqual(httpx.get(address + "Ports", headers=headers, trust_env=False, verify=False).status_code, 404)
        self.assertEqual(
            httpx.post(address + "$batch", json={}, headers=headers, trust_env=False, verify=False).status_code, 400
        )


class Pages(unittest.TestCase):
    def test_a_person_looks_a_record_up(self) -> None:
        def page(path: str) -> httpx.Response:
            return httpx.get(register().address + path, trust_env=False, verify=False)

        self.assertIn("practice", page("/").text)
        self.assertIn("Gate fobs", page("/practice/").text)
        listed = page("/practice/Berths/?find=NORTHHAVEN+A-01").text
        self.assertIn("A-010", listed)
        berth = register().berth("NORTHHAVEN", "A-010")
        self.assertIn("A-010", page(f"/practice/Berths/{berth['id']}/").text)
        for gone in ("/practice/Berths/1/", "/practice/Berths/x/", "/nowhere/", "/practice/Piers/"):
            self.assertEqual(page(gone).status_code, 404)
