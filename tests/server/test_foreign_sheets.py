"""Foreign sheets of odd cells, through files: what reached the application was in the sheet, or in what a person
answered; and every row is accounted for. Held against a plain reading of each cell."""

from __future__ import annotations

import csv
import io
import os
import re
import unicodedata
from datetime import date
from decimal import ROUND_HALF_UP, Decimal, InvalidOperation
from pathlib import Path
from typing import Any

import openpyxl
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from tests.server.test_lanes import LaneCase
from tests.support import register, template, temporary_folder

template()

from vexo.core.sheets import Choices  # noqa: E402
from vexo.server.errors import PlainError  # noqa: E402
from vexo.server.trips.facts import to_json  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402
from vexo.server.trips.part_view import PartView  # noqa: E402
from vexo.server.trips.trip_pages import trip_detail  # noqa: E402

EXAMPLES = 60 if os.environ.get("VEXO_FULL") else 8
HEADERS = {
    "length_m": ["length_m", "Length, m", "LOA (feet)"],
    "daily_rate": ["daily_rate", "Daily rate", "Rate"],
    "insured_until": ["insured_until", "Insured until"],
    "services": ["services", "Services"],
    "notes": ["notes", "Notes", "Remarks"],
}
CELLS = {
    "length_m": ["12", "9.5", "9,5", "30", "40.25", " 8 ", "-", "1E+01", "12 ft", ""],
    "daily_rate": ["40", "40.50", "40,50", "1.250,00", "EUR 45.00", "GBP 45.00", "50%", "0.125", "[clear]", "x", ""],
    "insured_until": ["2027-03-01", "01/03/2027", "03/13/2027", "46203", "[clear]", "soon", ""],
    "services": ["water", "water; power", "water/power", ";", "[add] wifi", "sauna", ""],
    "notes": ["a note", "cafe\u0301", "  spaced  ", "[clear]", "'=1+1", "#REF!", "JosÃ©", "12,5", "\u00a0", ""],
}
FORMS = {"1234,5": (",", ""), "1,234.5": (".", ","), "1.234,5": (",", "."), "1234.5": (".", ""), "1 234,5": (",", " ")}


def number(text: str, written: str) -> Decimal | None:
    """A number as people write it in a form; a currency beside it goes."""
    decimal, thousands = FORMS.get(written, (".", ""))
    plain = re.sub(r"^(EUR|GBP)\s*|\s*(EUR|GBP)$", "", text.strip())
    if thousands and re.fullmatch(rf"[+-]?\d{{1,3}}({re.escape(thousands)}\d{{3}})+({re.escape(decimal)}\d*)?", plain):
        plain = plain.replace(thousands, "")
    if not re.fullmatch(rf"[+-]?\d+({re.escape(decimal)}\d*)?", plain):
        return None
    try:
        return Decimal(plain.replace(decimal, "."))
    except InvalidOperation:
        return None


def day(text: str, order: str) -> str | None:
    """A day with its day, its month or its year first, or as ISO 8601 has it."""
    plain = text.strip()
    parts = re.fullmatch(r"(\d{1,2})/(\d{1,2})/(\d{4})", plain)
    try:
        if re.fullmatch(r"\d{4}-\d\d-\d\d", plain):
            return date.fromisoformat(plain).isoformat()
        if parts and order in ("day", "month"):
            first, second, year = map(int, parts.groups())
            return (date(year, second, first) if order == "day" else date(year, first, second)).isoformat()
        if re.fullmatch(r"\d{4,6}", plain) and order in ("1900", "1904"):
            begin = date(1899, 12, 30) if order == "1900" else date(1904, 1, 1)
            return date.fromordinal(begin.toordinal() + int(plain)).isoformat()
    except ValueError:
        return None
    return None


def said(field: str, cell: str, lane: dict[str, Any], marks: bool) -> Any:
    """What a cell says of a field, read plainly; None where it says nothing, or nothing that can be written."""
    text = unicodedata.normalize("NFC", cell)
    if not text.strip():
        return None
    if marks and text.strip().casefold() == "[clear]":
        return ("empty",)
    steps = {step["do"]: step for step in lane.get("treatments", ())}
    if field in ("length_m", "daily_rate"):
        found = number(text, steps["number"]["written"] if "number" in steps else "1234.5")
        if found is not None and "multiply" in steps:
            found *= Decimal(steps["multiply"]["by"])
        if found is not None and "round" in steps:
            found = found.quantize(Decimal(1).scaleb(-int(steps["round"]["to"])), ROUND_HALF_UP)
        return found
    if field == "insured_until":
        return day(text, steps["date"]["written"] if "date" in steps else "")
    if field == "services":
        if marks and text.startswith("[add] "):
            return ("adds", {text.removeprefix("[add] ")})
        items = [item.strip() for item in text.split(lane.get("separator", "; ").strip()) if item.strip()]
        return sorted(items) if items and set(items) <= {"water", "power", "wifi", "pump-out", "crane"} else None
    return text


class Foreign(LaneCase):
    def file(self, format_: str, header: list[str], rows: list[list[str]]) -> Path:
        path = temporary_folder() / f"foreign.{format_}"
        if format_ == "xlsx":
            book = openpyxl.Workbook()
            for line in (header, *rows):
                book.active.append([text or None for text in line])
            book.save(path)
        else:
            out = io.StringIO()
            csv.writer(out, delimiter=";").writerows([header, *rows])
            path.write_text(out.getvalue(), encoding="utf-8")
        return path

    def answer(self, trip: Trip, picks: list[int]) -> None:
        """Some of what is asked, answered: at random, one after the other."""
        for pick in picks:
            items = [item for item in to_json(trip_detail(PartView.of(trip), self.person).open) if item["options"]]
            if not items:
                return
            item = items[pick % len(items)]
            option = pick % len(item["options"]) + 1
            self.vexo.run("--as", "ada", "columns", str(trip.pk), "--answer", f"{item['of'] or item['code']}={option}")
            trip.refresh_from_db()

    @settings(
        max_examples=EXAMPLES,
        deadline=None,
        suppress_health_check=list(HealthCheck),
        phases=[Phase.explicit, Phase.reuse, Phase.generate],
    )
    @given(st.data())
    def test_what_is_written_was_in_the_sheet_or_answered(self, data: st.DataObject) -> None:
        before = {str(berth["berth_no"]): berth for berth in self.berths()}
        names = data.draw(st.lists(st.sampled_from(sorted(HEADERS)), min_size=1, max_size=4, unique=True))
        header = ["harbour", "berth_no", *[data.draw(st.sampled_from(HEADERS[name])) for name in names]]
        rows = [
            ["OLDBASIN", berth, *[data.draw(st.sampled_from(CELLS[name])) for name in names]]
            for berth in [*before, data.draw(st.sampled_from(["Z-999", next(iter(before))]))]
        ]
        path = self.file(data.draw(st.sampled_from(["csv", "xlsx"])), header, rows)
        prefix = data.draw(st.sampled_from(["off", "keep"]))
        job = self.back(path, trip="new", key=["harbour", "berth_no"], choices=Choices(prefix=prefix))
        self.assertEqual(job.error, "")
        trip = self.trip_of(job)
        self.answer(trip, data.draw(st.lists(st.integers(0, 50), max_size=6)))
        effects = len(register().effects())
        items = to_json(trip_detail(PartView.of(trip), self.person).open)
        try:
            one = self.apply(trip)
        except PlainError:
            self.assertEqual(len(register().effects()), effects)
            self.assertTrue(items or not sum(v for k, v in self.terms(trip).items() if k in ("create", "update")))
            return
        self.assertFalse([item for item in items if item["stops"]], "something was asked, and it was sent")
        sheet = trip.sheets.last()
        carried = {m.field: header.index(m.header) for m in sheet.mappings.all() if m.field and m.header in header}
        carried |= {name: header.index(lane["source"]) for name, lane in trip.lanes.items() if lane.get("source")}
        after = {str(berth["berth_no"]): berth for berth in self.berths()}
        for number_, berth in after.items():
            lines = [row for row in rows if row[1] == number_]
            for field in HEADERS:
                if berth[field] != before[number_][field]:
                    self.assertIn(field, carried, "a field that no column goes into")
                    cells = [line[carried[field]] for line in lines]
                    if prefix == "off" and path.suffix == ".csv":
                        cells = [re.sub(r"^'(?=[=+@'-])", "", cell) for cell in cells]
                    self.explained(trip, field, before[number_][field], berth[field], cells)
        self.assertEqual(sum(self.terms(trip).values()), len(rows))
        self.assertEqual(one.rows, sum(one.totals.values()))
        self.assertEqual(set(after), set(before), "a record was made or deleted")

    def explained(self, trip: Trip, field: str, was: Any, now: Any, cells: list[str]) -> None:
        lane = trip.lanes.get(field, {})
        marks = bool(trip.sheets.last().choices.get("marks"))
        wanted = [said(field, cell, lane, marks) for cell in cells]
        if field in ("length_m", "daily_rate"):
            now = None if now is None else Decimal(str(now))
        if field == "services":
            now = sorted(now)
            wanted = [sorted({*was, *w[1]}) if isinstance(w, tuple) and w[0] == "adds" else w for w in wanted]
        empty = now in (None, "", [])
        fits = any((w == ("empty",) and empty) or (w == now and not empty) for w in wanted)
        self.assertTrue(fits, (field, was, now, cells, lane))
