"""The examples of docs/api.md, run word by word against the demo."""

from __future__ import annotations

import re
import unittest
from pathlib import Path
from typing import Any
from unittest.mock import patch

from tests.browser.case import shared_demo
from tests.described import api
from tests.person import Person

PAGE = (Path(__file__).parents[2] / "docs" / "api.md").read_text(encoding="utf-8")
FIRST, SECOND = re.findall(r"```python\n(.*?)```", PAGE, re.DOTALL)
SHEET = b"harbour,berth_no,notes\nOLDBASIN,A-005,asked for by a script\nOLDBASIN,A-006,asked for by a script\n"


class Examples(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.demo = shared_demo()
        cls.ada, cls.bram, cls.ines = (Person(cls.demo.address, name) for name in ("ada", "bram", "ines"))

    def token(self, person: Person, role: str) -> str:
        body = {"name": f"{self._testMethodName}"[:60], "role": role}
        made = person.ask("POST", "access/tokens", json=body)
        return str(made.json()["token"])

    def run_example(self, code: str, **environment: str) -> dict[str, Any]:
        space: dict[str, Any] = {}
        with patch.dict("os.environ", VEXO_ADDRESS=self.demo.address, **environment):
            exec(compile(code, "docs/api.md", "exec"), space)
        return space

    def test_from_records_out_to_the_outcome(self) -> None:
        space = self.run_example(FIRST, VEXO_TOKEN=self.token(self.ines, "preparer"))
        self.assertEqual(space["outcome"]["state"], "ended")
        self.assertEqual(space["updates"]["total"], 1)
        self.assertIn(b"repainted", space["receipt"])
        entries = self.ada.ask("GET", f"journal?trip={space['trip']['id']}").json()["entries"]
        self.assertGreater(len(entries), 4)
        self.assertEqual(
            {(entry["who"]["username"], entry["way"]) for entry in entries},
            {("ines", "token test_from_records_out_to_the_outcome")},
        )

    def test_two_people_and_an_approval(self) -> None:
        rules = {"said": {"Berth": {"approve": {"always": True}}}}
        self.ada.ask("PUT", "applications/harbour-practice/rules", json=rules).raise_for_status()
        trip = self.ines.bring(SHEET, "harbour-practice", "Berth")
        self.ines.mean_it(trip)
        self.run_example(
            SECOND,
            VEXO_TOKEN_OF_INES=self.token(self.ines, "preparer"),
            VEXO_TOKEN_OF_BRAM=self.token(self.bram, "operator"),
            VEXO_TRIP=str(trip),
        )
        told = self.ada.trip(trip)
        self.assertEqual((told["passes"][-1]["state"], told["rows"]), ("ended", 2))
        self.ada.ask("PUT", "applications/harbour-practice/rules", json={"said": {}}).raise_for_status()

    def test_the_page_names_no_address_that_is_not_there(self) -> None:

        paths = api()["paths"]
        named = set(re.findall(r"`GET (/api/[a-z]+|/metrics)", PAGE))
        known = {re.match(r"/(api/)?[a-z]+", path).group() for path in paths} | {"/api/docs", "/api/schema"}  # type: ignore[union-attr]
        self.assertTrue(named)
        self.assertLessEqual(named, known)
