from __future__ import annotations

import json
import re
import unittest
from typing import Any

import httpx

from tests.browser.case import shared_demo
from tests.person import Person
from tests.support import Vexo

SHEET = b"harbour,berth_no,notes\nOLDBASIN,A-001,by the API\nOLDBASIN,A-002,by the API\n"


class Api(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.demo = shared_demo()
        cls.ada, cls.bram, cls.ines = (Person(cls.demo.address, name) for name in ("ada", "bram", "ines"))
        cls.waiting = next(t for t in cls.ada.http.get("trips").json() if t["title"].startswith("Winter"))

    def problem(self, answer: httpx.Response, status: int, words: str) -> None:
        self.assertEqual(answer.status_code, status, answer.text)
        self.assertEqual(answer.headers["content-type"], "application/problem+json")
        self.assertIn(words, answer.json()["detail"])

    def upload(self, content: bytes, name: str = "api.csv", part: int = 20) -> str:
        made = self.ines.ask("POST", "uploads", json={"name": name, "size": len(content)})
        identifier = str(made.json()["id"])
        for offset in range(0, len(content), part):
            headers = {"Content-Type": "application/octet-stream"}
            path = f"uploads/{identifier}?offset={offset}"
            answer = self.ines.ask("PUT", path, content=content[offset : offset + part], headers=headers)
            self.assertEqual(answer.json()["received"], min(len(content), offset + part))
        return identifier

    def bring(self, content: bytes, **more: Any) -> dict[str, Any]:
        body = {"application": "harbour-practice", "record_type": "Berth", "trip": "new", **more}
        job = self.ines.job(self.ines.ask("POST", f"uploads/{self.upload(content)}/bring-in", json=body))
        return dict(self.ines.http.get(f"trips/{job['trip']}").json()) | {"trouble": job["error"]}

    def test_nobody_sees_anything_before_signing_in(self) -> None:
        stranger = Person(self.demo.address)
        for path in ("trips", "applications", "journal", f"trips/{self.waiting['id']}/rows"):
            self.problem(stranger.http.get(path), 401, "not signed in")
        wrong = stranger.ask("POST", "session", json={"username": "ada", "password": "x"})
        self.problem(wrong, 400, "do not belong together")
        self.assertEqual(
            stranger.http.post("session", json={"username": "ada", "password": "saltmarsh"}).status_code, 403
        )

    def test_roles(self) -> None:
        plan = self.ines.http.get(f"trips/{self.waiting['id']}").json()["plan"]
        answer = self.ines.ask("POST", f"trips/{self.waiting['id']}/passes", json={"plan": plan["number"]})
        self.problem(answer, 403, "needs an operator")
        connection = {"name": "x", "address": "http://127.0.0.1:9/", "token": "t", "stage": "live"}
        self.problem(self.bram.ask("POST", "applications", json=connection), 403, "administrators")
        self.problem(self.ada.ask("POST", "applications", json=connection), 422, "the machine that Vexo runs on")
        connection["inside"] = True
        self.problem(self.ada.ask("POST", "applications", json=connection), 422, "does not answer")

    def test_every_reading_is_as_it_is_described(self) -> None:
        from tests.described import readings, template_of

        trips = [str(trip["id"]) for trip in self.ada.http.get("trips").json()]
        waiting = [str(file["id"]) for file in self.ada.http.get("uploads").json()]
        route = self.ada.ask("POST", f"trips/{trips[0]}/route", json={"name": "Read all"}).json()["id"]
        job = self.ada.job(self.ada.ask("POST", f"trips/{self.waiting['id']}/plan"))
        self.ada.job(self.ada.ask("POST", f"trips/{self.waiting['id']}/keys", json={"keys": [["harbour", "berth_no"]]}))
        berth = self.ada.http.get(f"trips/{trips[0]}/rows", params={"limit": "1"}).json()["rows"][0]["identifier"]
        own = {"harbour-live": {"record_type": "Berth"}}
        asked = {
            "/api/applications/{name}/values": [("harbour-live", {**own["harbour-live"], "field": "status"})],
            "/api/trips/{id}/picture": [(trip, {"field": "status"}) for trip in trips],
            "/api/trips/{id}/outcome/picture": [(trip, {"field": "blocked"}) for trip in trips],
            "/api/trips/{id}/groups": [(trip, {"column": "Status"}) for trip in trips],
            "/api/trips/{id}/keys/rows": [(str(self.waiting["id"]), {"key": "harbour,berth_no", "finds": "one"})],
            "/api/trips/{id}/choices": [(trip, {"field": "status"}) for trip in trips],
        }
        seen = set()
        for path in readings():
            places = {
                "{name}": ["harbour-live"],
                "{username}": ["bram"],
                "{identifier}": [berth or "1"],
                "{row}": ["0", "1"],
            }
            numbers = {"trips": trips, "uploads": waiting, "routes": [str(route)], "jobs": [str(job["id"])]}
            places |= {"{id}": numbers.get(path.split("/")[2], []), "{number}": numbers.get(path.split("/")[2], [])}
            for address, query in self.addresses(path, places, asked.get(path, [])):
                answer = self.ada.http.get(f"{self.demo.address}{address}", params=query)
                if answer.is_success:
                    seen.add(template_of(address))
        self.assertEqual(set(readings()) - seen, set(), "nothing answered there")

    def addresses(self, path: str, places: dict[str, list[str]], asked: Any) -> Any:
        if asked:
            return [(re.sub(r"\{\w+\}", place, path), query) for place, query in asked]
        found = re.findall(r"\{\w+\}", path)
        if not found:
            return [(path, {})]
        first = [path.replace(found[0], value) for value in places.get(found[0], [])]
        return [
            (re.sub(r"\{\w+\}", lambda match: (places.get(match.group()) or ["1"])[0], address), {})
            for address in first
        ]

    def test_headers_are_strict(self) -> None:
        headers = httpx.get(self.demo.address, trust_env=False, verify=False).headers
        self.assertIn("default-src 'self'", headers["content-security-policy"])
        self.assertEqual((headers["x-frame-options"], headers["x-content-type-options"]), ("DENY", "nosniff"))

    def test_the_sum_is_that_of_the_windows(self) -> None:
        trip = self.ada.http.get(f"trips/{self.waiting['id']}").json()
        for state, count in trip["sum"].items():
            window = self.ada.http.get(f"trips/{trip['id']}/rows", params={"state": state, "limit": 500}).json()
            self.assertEqual(window["total"], count, state)
            self.assertEqual({row["state"] for row in window["rows"]}, {state} if count else set())
        self.assertEqual(sum(trip["sum"].values()), trip["rows"])

    def test_a_window_shows_old_new_and_kept(self) -> None:
        params = {"state": "held", "column": "daily_rate"}
        window = self.ada.http.get(f"trips/{self.waiting['id']}/rows", params=params).json()
        cell = next(c for row in window["rows"] for c in row["cells"] if c.get("action") == "held")
        self.assertEqual((cell["sent"], cell["current"], cell["proposed"]), ("38.50", "41.00", "40.50"))
        text = self.ada.http.get(f"trips/{self.waiting['id']}/rows", params={"text": "4o.50"}).json()
        self.assertGreater(text["total"], 0)

    def test_uploads_in_parts_a_part_twice_and_a_part_missing(self) -> None:
        content = SHEET + b"OLDBASIN,Z-999,1,\n"
        identifier = self.upload(content)
        headers = {"Content-Type": "application/octet-stream"}
        self.assertEqual(
            self.ines.ask("PUT", f"uploads/{identifier}?offset=0", content=content[:20], headers=headers).json()[
                "received"
            ],
            len(content),
        )
        self.problem(
            self.ines.ask("PUT", f"uploads/{identifier}?offset=900", content=b"x", headers=headers), 422, "missing"
        )
        self.problem(self.ines.ask("POST", "uploads", json={"name": "x.csv", "size": 10**12}), 422, "Divide it")
        self.problem(self.bram.ask("POST", f"uploads/{identifier}/recognise"), 422, "not known")
        half = self.ines.ask("POST", "uploads", json={"name": "half.csv", "size": 50}).json()["id"]
        body = {"application": "harbour-practice", "record_type": "Berth"}
        self.problem(self.ines.ask("POST", f"uploads/{half}/bring-in", json=body), 422, "0 of 50 bytes")
        found = self.ines.job(self.ines.ask("POST", f"uploads/{identifier}/recognise"))["result"]
        self.assertIsNone(found["trip"])
        waiting = self.bram.http.get(f"uploads/{identifier}").json()
        self.assertEqual((waiting["state"], waiting["known"]["fits"][0]["record_type"]), ("read", "Berth"))
        self.assertIn(int(identifier), [one["id"] for one in self.bram.http.get("uploads").json()])
        rows = self.bram.http.get(f"uploads/{identifier}/rows", params={"offset": 1, "limit": 1}).json()
        self.assertEqual((rows["total"], [row["row"] for row in rows["rows"]]), (waiting["rows"], [3]))
        otherwise = self.bram.ask("PATCH", f"uploads/{identifier}", json={"header": 2})
        self.bram.job(otherwise)
        waiting = self.bram.http.get(f"uploads/{identifier}").json()
        self.assertEqual((waiting["found"]["header_row"], waiting["choices"]), (2, {"header": 2}))
        self.assertEqual(self.bram.ask("DELETE", f"uploads/{identifier}").status_code, 200)
        self.problem(self.bram.http.get(f"uploads/{identifier}"), 422, "does not wait here")

    def test_a_sheet_that_went_out_is_recognised(self) -> None:
        trip = next(t for t in self.ada.http.get("trips").json() if t["title"].startswith("Insurance"))
        sheet = self.ada.http.get(f"trips/{trip['id']}").json()["sheets"][0]
        content = self.ada.http.get(f"trips/{trip['id']}/sheets/{sheet['id']}").content
        identifier = self.upload(content, "renamed.xlsx", part=1_000_000)
        self.assertEqual(
            self.ines.job(self.ines.ask("POST", f"uploads/{identifier}/recognise"))["result"]["trip"], trip["id"]
        )

    def test_decide_apply_and_a_stale_plan(self) -> None:
        trip = self.bring(SHEET + b"OLDBASIN,Z-999,lost\n")
        self.assertEqual((trip["sum"]["update"], trip["sum"]["rejected"]), (2, 1))
        path, old = f"trips/{trip['id']}", trip["plan"]["number"]
        second = self.ines.http.get(f"{path}/rows").json()["rows"][1]["row_id"]
        answer = {"plan": old, "rows": [second], "answer": "aside"}
        decided = self.ines.ask("POST", f"{path}/decisions", json=answer).json()
        self.assertEqual((decided["sum"]["update"], decided["sum"]["aside"]), (1, 1))
        stale = self.ines.ask("POST", f"{path}/passes", json={"plan": old})
        self.problem(stale, 412, "no longer counts")
        self.assertEqual(stale.json()["newer"], {"plan": decided["plan"]["number"]})
        self.problem(self.ines.ask("POST", f"{path}/decisions", json=answer), 412, "newer one")
        made = self.ines.http.get(f"{path}/decisions").json()
        self.assertEqual([(one["answer"], one["count"]) for one in made], [("aside", 1)])
        undone = self.ines.ask("DELETE", f"{path}/decisions/{made[0]['id']}").json()
        self.assertEqual(undone["sum"]["update"], 2)
        asked = {"plan": undone["plan"]["number"]}
        twice = [self.ines.ask("POST", f"{path}/passes", json=asked) for _ in range(2)]
        job = self.ines.job(twice[0])
        self.assertEqual(job["result"]["outcome"]["updated"], 2)
        self.problem(self.ines.ask("POST", f"{path}/passes", json=asked), 412, "no longer counts")
        after = self.ines.http.get(path).json()
        self.assertEqual((after["sum"]["updated"], after["here"], len(after["passes"])), (2, "outcome", 1))
        states = [row["state"] for row in self.ines.http.get(f"{path}/outcome").json()["rows"]]
        self.assertEqual(states, ["updated", "updated", "rejected"])
        receipt = self.ines.http.get(f"{path}/files/receipt.csv").text
        self.assertIn("by the API", receipt)
        self.assertIn("updated", receipt)
        link = self.ines.http.get(f"{path}/records/701452").json()["link"]
        self.assertTrue(link.endswith("/practice/Berths/701452/"))

    def test_the_command_line_says_the_same_as_the_page(self) -> None:
        vexo = Vexo.at(self.demo.data)
        for trip in self.ada.http.get("trips").json():
            about = {"Vexo-Part": str(trip["about_part"]["number"])} if trip["about_part"] else {}
            page = self.ada.http.get(f"trips/{trip['id']}", headers=about).json()
            if page["plan"] is None:
                continue
            self.assertEqual(
                {k: page[k] for k in trip if k != "touched_at"}, {k: trip[k] for k in trip if k != "touched_at"}
            )
            part = ("--part", str(page["part"])) if len(page["parts"]) > 1 else ()
            told = json.loads(vexo.run(*part, "review", str(trip["id"]), "--json").stdout)
            self.assertNotIn("error", told)
            self.assertEqual(told["plan"], page["plan"]["number"])
            self.assertEqual(
                (told["current"], told["verdicts"]), (page["plan"]["current"], page["summary"]["verdicts"])
            )
            rows = self.ada.http.get(f"trips/{trip['id']}/rows", params={"limit": 500}, headers=about).json()["rows"]
            lines = {line["row_id"]: (line["verdict"], line["reason"]) for line in told["lines"]}
            shown = {row["row_id"]: (row["verdict"], row["reason"]) for row in rows}
            self.assertEqual(shown, {row_id: lines[row_id] for row_id in shown})
            if page["passes"]:
                said = json.loads(vexo.run("outcome", str(trip["id"]), "--json").stdout)
                self.assertEqual(said["outcome"], page["passes"][-1]["totals"])

    def test_edits_carry_the_version_they_were_made_on(self) -> None:
        trip = self.bring(SHEET)
        path = f"trips/{trip['id']}"
        tag = self.ines.http.get(path).headers["etag"]
        first = self.ines.ask("PATCH", path, json={"title": "Mine"}, headers={"If-Match": tag})
        self.assertEqual(first.json()["title"], "Mine")
        second = self.bram.ask("PATCH", path, json={"title": "Theirs"}, headers={"If-Match": tag})
        self.problem(second, 412, "changed elsewhere")
        self.assertEqual(second.json()["newer"]["title"], "Mine")

    def test_columns_and_keys_are_chosen_anew(self) -> None:
        trip = self.bring(b"place,berth_no,remark\nOLDBASIN,A-003,x\n")
        self.assertEqual((trip["trouble"], trip["here"]), ("", "columns"))
        path = f"trips/{trip['id']}"
        body = {"columns": {"place": "harbour", "remark": "notes"}, "key": ["harbour", "berth_no"]}
        self.ines.job(self.ines.ask("PATCH", f"{path}/columns", json=body))
        self.assertEqual(self.ines.http.get(path).json()["sum"]["update"], 1)
        self.problem(
            self.ines.ask("PATCH", f"{path}/columns", json={"columns": {"berth_no": "notes"}}), 422, "is taken by"
        )

    def test_preview_and_its_slips(self) -> None:
        def ask(condition: str) -> httpx.Response:
            body = {
                "record_type": "Berth",
                "chosen": ["id", "berth_no", "holder", "holder/last_name"],
                "condition": condition,
            }
            return self.ada.ask("POST", "applications/harbour-live/preview", json=body)

        seen = ask("holder/holder_no eq '0020418'").json()
        self.assertEqual((seen["count"], seen["total"]), (1, 3866))
        self.assertEqual(seen["rows"][0][2:], ["0020418", "Quillfeather"])
        self.problem(ask("berth_no eq"), 422, "character 12")

    def test_the_journal_is_filtered_and_only_added_to(self) -> None:
        entries = self.ada.http.get("journal", params={"what": "applied"}).json()["entries"]
        self.assertEqual({entry["what"] for entry in entries}, {"applied"})
        self.assertEqual(self.ada.ask("DELETE", "journal").status_code, 405)
        import sqlite3

        with sqlite3.connect(self.demo.data / "vexo.db") as database, self.assertRaises(sqlite3.IntegrityError):
            database.execute("UPDATE journal_entry SET who = 'nobody'")

    def test_what_is_not_there_is_a_problem_too(self) -> None:
        self.problem(self.ada.http.get("trips/99999"), 404, "nothing")
        self.problem(self.ada.http.get(f"trips/{self.waiting['id']}/files/odd.doc"), 404, "nothing")
        self.problem(
            self.ada.ask("POST", f"trips/{self.waiting['id']}/decisions", json={"plan": 1, "answer": "file"}),
            422,
            "which rows",
        )
