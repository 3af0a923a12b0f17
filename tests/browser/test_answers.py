from __future__ import annotations

import json
import os
import sqlite3
import subprocess
from typing import Any

import polars as pl

from tests.browser.case import BrowserCase
from tests.browser.support import Browser
from tests.person import Person, signed_in
from tests.support import BIN
from vexo.core.faults import CELL_CODES, CODES, Does
from vexo.core.planning.frame import FAULTS, VERDICT, FieldColumns
from vexo.core.planning.verdicts import Answer, CellAction, answers_to

FIELD = "daily_rate"
OF_CELLS = {*CELL_CODES, "both-changed", "emptied-many", "check-differs", "emptied"}
"""Codes that name a field; of the others the row as a whole is asked."""
STATES = {Does.ASIDE: "aside", Does.REJECTS: "rejected", Does.HOLDS: "held", Does.SAYS: "update"}


class Answers(BrowserCase):
    """A plan with one row for each code there is, as the API, the command line and the screen show it."""

    def planned(self, ada: Person) -> int:
        """A trip whose newest plan has each code once."""
        trip, path = self.sent_out("H")
        content = path.read_bytes()
        asked = {"application": "harbour-live", "record_type": "Berth", "trip": str(trip)}
        number = ada.ask("POST", "uploads", json={"name": path.name, "size": len(content)}).json()["id"]
        as_bytes = {"Content-Type": "application/octet-stream"}
        ada.ask("PUT", f"uploads/{number}?offset=0", content=content, headers=as_bytes).raise_for_status()
        ada.job(ada.ask("POST", f"uploads/{number}/bring-in", json=asked))
        with sqlite3.connect(self.demo.data / "vexo.db") as database:
            (plan,) = database.execute("SELECT path FROM planning_plan WHERE trip_id = ?", (trip,)).fetchall()[-1]
        file = self.demo.data / plan
        rows = pl.read_parquet(file)
        self.assertGreaterEqual(len(rows), len(CODES))
        codes = [*CODES, *[None] * (len(rows) - len(CODES))]
        faults = [
            [{"code": code, "field": FIELD if code in OF_CELLS else "", "arguments": ["1"] * 4}] if code else []
            for code in codes
        ]
        verdicts = [STATES[CODES[code]] if code else "same" for code in codes]
        held = ("both-changed", "emptied-many")
        actions = [
            CellAction.BAD if code in CELL_CODES else CellAction.HELD if code in held else CellAction.NOTHING
            for code in codes
        ]
        columns = FieldColumns(FIELD)
        made = rows.with_columns(
            pl.Series(FAULTS, faults, rows.schema[FAULTS]),
            pl.Series(VERDICT, verdicts),
            pl.Series(columns.action, actions, rows.schema[columns.action]),
            pl.Series(columns.left_blank, [code == "emptied" for code in codes]),
        )
        made.write_parquet(file)
        return trip

    def shown(self, browser: Browser, trip: int, row: int, known: set[str]) -> list[str]:
        """What the buttons beside a row say, of the words that are answers."""
        browser.until(
            lambda: f"Row {row:,} " in browser.find("[data-testid=panel] h2").text + " ", f"row {row} of trip {trip}"
        )
        code = (
            "return [...document.querySelectorAll('[data-testid=panel] button')].map(button => [...button.childNodes]"
            ".filter(node => node.nodeType === 3).map(node => node.data).join('').trim())"
        )
        return sorted(words for words in browser.script(code) if words in known)

    def test_each_code_has_the_same_answers_everywhere(self) -> None:
        ada = signed_in(self.demo.address)
        trip = self.planned(ada)
        rows: list[dict[str, Any]] = ada.http.get(f"trips/{trip}/rows", params={"limit": "500"}).json()["rows"]
        command = [str(BIN / "vexo"), "--data", str(self.demo.data), "--as", "ada", "review", str(trip), "--json"]
        done = subprocess.run(command, capture_output=True, text=True, env=os.environ, check=False)
        lines = {line["row"]: line for line in json.loads(done.stdout)["lines"]}
        words = {answer["says"] for row in rows for group in (row, *row["faults"]) for answer in group["answers"]}
        browser = self.browser(f"/trips/{trip}/review?row=0")
        for at, (code, row) in enumerate(zip(CODES, rows, strict=False)):
            if at:
                browser.keys("j")
            with self.subTest(code):
                (fault,) = row["faults"]
                self.assertEqual(fault["code"], code)
                kinds = list(dict.fromkeys(Answer(one["answer"]) for one in fault["answers"]))
                self.assertEqual(kinds, list(answers_to(code)))
                line = lines[row["row"]]
                self.assertEqual(line["faults"], row["faults"])
                self.assertEqual(line["answers"], row["answers"])
                self.assertTrue(row["answers"] or CODES[code] is Does.ASIDE)
                wanted = sorted(answer["says"] for answer in (*fault["answers"], *row["answers"]))
                self.assertEqual(self.shown(browser, trip, row["row"], words), wanted)
