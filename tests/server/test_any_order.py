"""The order of a sheet's rows changes nothing: each row is judged the same, and what reaches the application is the
same. What was applied and is planned again is all the same."""

from __future__ import annotations

import csv
import io
from collections import Counter
from typing import Any

from hypothesis import event, given
from hypothesis import strategies as st

from tests import wide_rounds
from tests.server.services import ServiceCase
from tests.support import register, template

template()

from vexo.core.planning.frame import FieldColumns  # noqa: E402
from vexo.core.planning.verdicts import CellAction  # noqa: E402

FIELDS = ("id", "harbour", "berth_no", "daily_rate", "services", "notes")
ID, NUMBER, RATE, SERVICES, NOTES = 0, 2, 3, 4, 5
ROWS = 14
MORE = 12
LETTER = "F"
MADE = ("8", "9")
"""Figures that the numbers of berths begin with that an example makes."""
MISCHIEF = {
    "rate": (RATE, "41.25"),
    "point": (RATE, "{}00"),
    "letter": (RATE, "4O.00"),
    "blank": (RATE, ""),
    "services": (SERVICES, "water; wifi"),
    "unknown": (SERVICES, "water; steam"),
    "note": (NOTES, "Chain is new"),
    "no ID": (ID, ""),
    "unknown ID": (ID, "987654"),
}
SLIPS = ("near key", "copied", "copied with other notes", "copied as new", "new", "theirs", "theirs and rate")
Row = tuple[str, ...]


class AnyOrder(ServiceCase):
    @wide_rounds
    @given(
        st.lists(st.tuples(st.integers(0, ROWS - 1), st.sampled_from([*MISCHIEF, *SLIPS])), min_size=5, max_size=MORE),
        st.permutations(range(ROWS + MORE)),
    )
    def test_rows_are_judged_alike_in_any_order(self, done: list[tuple[int, str]], order: list[int]) -> None:
        self.fresh()
        trip, path = self.out(LETTER, *FIELDS, format_="csv")
        with path.open(encoding="utf-8-sig", newline="") as file:
            header, *lines = [tuple(row) for row in csv.reader(file)]
        rows = self.edited_rows(lines[:ROWS], done)
        shuffled = [rows[at] for at in order if at < len(rows)]
        first, sums = self.judged(trip, header, rows)
        other, other_sums = self.judged(trip, header, shuffled)
        self.assertEqual(first, other)
        self.assertEqual(sums, other_sums)
        self.assertEqual(sum(sums.values()), len(rows))
        event(", ".join(sorted(sums)))
        before = len(register().effects())
        written = sums.get("update", 0) + sums.get("create", 0)
        if written:
            totals = self.apply(trip).totals
            self.assertEqual(totals["updated"] + totals["created"], written)
            self.plan(trip)
        self.assertEqual(len(register().effects()) - before, written)
        again = self.terms(trip)
        self.assertEqual((again.get("update", 0), again.get("create", 0)), (0, 0), "applied, planned again")
        self.assertEqual(again.get("same", 0), sums.get("same", 0) + written)

    def fresh(self) -> None:
        """The berths as they were, and none that an example before made."""
        where = f"harbour eq 'TERNISLAND' and startswith(berth_no,'{LETTER}-')"
        berths = register().get("Berths", **{"$filter": where, "$orderby": "id"})["value"]
        with register().client() as client:
            for berth in berths:
                if berth["berth_no"][2:3] in MADE:
                    client.delete(f"Berths({berth['id']})", headers={"If-Match": "*"}).raise_for_status()
        for at, berth in enumerate(berths[:ROWS]):
            values = {"daily_rate": 30 + at, "flat_season_rate": None, "services": ["power"], "notes": ""}
            register().change(f"Berths({berth['id']})", **values)

    def edited_rows(self, lines: list[Row], done: list[tuple[int, str]]) -> list[Row]:
        rows, more = [list(line) for line in lines], list[list[str]]()
        for count, (at, what) in enumerate(done):
            row = rows[at]
            if what in MISCHIEF:
                place, text = MISCHIEF[what]
                row[place] = text.format(row[place].split(".")[0])
            elif what == "near key":
                row[ID], row[NUMBER] = "", row[NUMBER].replace("-0", "-O")
            elif what == "copied":
                more.append(row.copy())
            elif what == "copied with other notes":
                more.append([*row[:NOTES], f"Copy {count}"])
            elif what == "copied as new":
                more.append([row[ID], row[1], f"{LETTER}-9{count:02}", *row[RATE:]])
            elif what == "new":
                more.append(["", row[1], f"{LETTER}-8{count:02}", "31.00", "water", ""])
            else:
                register().change(f"Berths({lines[at][ID]})", daily_rate=77, flat_season_rate=None)
                row[RATE] = "45.50" if what == "theirs and rate" else row[RATE]
        return [tuple(row) for row in rows + more]

    def judged(self, trip: Any, header: Row, rows: list[Row]) -> tuple[Counter[Any], dict[str, int]]:
        """What is planned for each row, by what stands in it."""
        file = io.StringIO()
        csv.writer(file).writerows([header, *rows])
        self.bring(file.getvalue(), trip=trip.pk, key=("harbour", "berth_no"), operation="upsert")
        table = self.table(trip)
        self.assertEqual(table.height, len(rows))
        told, carried = Counter[Any](), self.newest(trip).carried
        for text, line in zip(rows, table.iter_rows(named=True), strict=True):
            changes = []
            for name in carried:
                columns = FieldColumns(name)
                if line[columns.action] == CellAction.WRITE:
                    changes.append((name, str(line[columns.proposed])))
            codes = tuple(sorted(fault["code"] for fault in line["faults"]))
            told[(text, line["verdict"], codes, tuple(changes))] += 1
        return told, self.terms(trip)
