"""Batches, trouble and seeded data of the register."""

from __future__ import annotations

import json
import unittest
from typing import Any

import httpx

from tests.support import register


class Batches(unittest.TestCase):
    def send(self, *requests: dict[str, Any]) -> list[dict[str, Any]]:
        numbered = [{"id": str(n), **request} for n, request in enumerate(requests)]
        with register().client() as client:
            answer = client.post("$batch", json={"requests": numbered})
        self.assertEqual(answer.status_code, 200, answer.text)
        return list(json.loads(answer.text, parse_float=str)["responses"])

    def vessel(self, number: int) -> dict[str, Any]:
        return dict(register().get("Vessels", **{"$filter": f"registration eq 'SM-{number:05d}'"})["value"][0])

    def patch(self, vessel: dict[str, Any], **body: Any) -> dict[str, Any]:
        return {"method": "PATCH", "url": f"Vessels({vessel['id']})", "body": body}

    def test_each_request_has_its_own_answer(self) -> None:
        vessel = self.vessel(100)
        answers = self.send(
            self.patch(vessel, name="Renamed"),
            {"method": "GET", "url": f"Vessels({vessel['id']})?$select=name"},
            self.patch(vessel, length_m="long"),
            {"method": "DELETE", "url": "Vessels(1)"},
            {"method": "PUT", "url": "Vessels"},
        )
        self.assertEqual([a["status"] for a in answers], [200, 200, 400, 404, 405])
        self.assertEqual(answers[1]["body"]["name"], "Renamed")
        self.assertEqual(answers[2]["body"]["error"]["target"], "length_m")

    def test_the_same_record_twice_sees_its_first_write(self) -> None:
        vessel = self.vessel(101)
        tag = vessel["@odata.etag"]
        first = {**self.patch(vessel, name="One"), "headers": {"if-match": tag}}
        second = {**self.patch(vessel, name="Two"), "headers": {"if-match": tag}}
        self.assertEqual([a["status"] for a in self.send(first, second)], [200, 412])
        self.assertEqual(self.vessel(101)["name"], "One")

    def test_a_write_that_changes_nothing_keeps_the_version(self) -> None:
        vessel = self.vessel(102)
        answer = self.send(self.patch(vessel, name=vessel["name"]))[0]
        self.assertEqual(answer["headers"]["etag"], vessel["@odata.etag"])

    def test_a_group_is_all_or_nothing(self) -> None:
        vessel, other = self.vessel(103), self.vessel(104)
        group = [
            {**self.patch(vessel, name="Grouped"), "atomicityGroup": "g"},
            {**self.patch(other, storm_class="Z"), "atomicityGroup": "g"},
        ]
        alone = self.patch(other, name="Alone")
        answers = self.send(*group, alone)
        self.assertEqual([a["status"] for a in answers], [424, 422, 200])
        self.assertEqual((self.vessel(103)["name"], self.vessel(104)["name"]), (vessel["name"], "Alone"))

    def test_numbers_pass_unchanged(self) -> None:
        contract = register().get("Contracts", **{"$top": "1", "$filter": "kind eq 'seasonal'", "$orderby": "id desc"})[
            "value"
        ][0]
        with register().client() as client:
            body = (
                '{"requests":[{"id":"0","method":"PATCH","url":"Contracts(%s)","body":{"amount":12345678901234.56}}]}'
            )
            answer = client.post("$batch", content=body % contract["id"], headers={"Content-Type": "application/json"})
        self.assertIn("12345678901234.56", answer.text)
        self.assertEqual(register().get(f"Contracts({contract['id']})")["amount"], "12345678901234.56")

    def test_a_batch_that_is_too_long_is_refused_whole(self) -> None:
        with register().client() as client:
            answer = client.post("$batch", json={"requests": [{"id": "1"}] * 1001})
        self.assertEqual(answer.status_code, 400)


class TroubleAndData(unittest.TestCase):
    def test_the_switch_counts_down(self) -> None:
        register().trouble("failing", times=2, skip=1)
        with register().client() as client:
            statuses = [client.get("Harbours").status_code for _ in range(4)]
        self.assertEqual(statuses, [200, 503, 503, 200])

    def test_busy_says_when_to_come_back(self) -> None:
        register().trouble("busy", seconds=7)
        with register().client() as client:
            answer = client.get("Harbours")
        self.assertEqual((answer.status_code, answer.headers["Retry-After"]), (429, "7"))

    def test_the_switch_refuses_what_it_does_not_know(self) -> None:
        for body in ({"kind": "storm"}, {"kind": "slow", "times": "x"}):
            self.assertEqual(
                httpx.post(f"{register().address}/trouble", json=body, trust_env=False, verify=False).status_code, 400
            )

    def test_people_and_pages_are_spared(self) -> None:
        register().trouble("failing", times=5)
        self.addCleanup(register().trouble, "none")
        self.assertEqual(httpx.get(f"{register().address}/practice/", trust_env=False, verify=False).status_code, 200)

    def test_the_data_is_the_same_each_time_and_of_one_piece(self) -> None:
        ada = register().get("Holders", "live", **{"$filter": "holder_no eq '0020418'"})["value"][0]
        self.assertEqual((ada["first_name"], ada["last_name"]), ("Ada", "Quillfeather"))
        let = int(register().get("Berths/$count", "live", **{"$filter": "status eq 'let'"}))
        held = int(register().get("Berths/$count", "live", **{"$filter": "status eq 'let' and holder ne null"}))
        self.assertEqual(let, held)
        emails = register().get("Holders", "live", **{"$filter": "email ne null", "$select": "email", "$top": "500"})[
            "value"
        ]
        self.assertTrue(all(entry["email"].endswith("@example.org") for entry in emails))
        masters = int(register().get("GateFobs/$count", "live", **{"$filter": "master eq true and not blocked"}))
        self.assertEqual(masters, 5)
