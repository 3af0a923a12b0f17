"""Whatever people do to a sheet before they give it back, exactly what they edited is planned, or they are asked.

Sheets go out and come home as files of every format, with columns deleted, moved, renamed and added, rows deleted,
moved and added, cells edited, and colleagues' edits meanwhile.
"""

from __future__ import annotations

import csv
import io
import os
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import Any
from unittest.mock import patch
from xml.sax.saxutils import escape

import openpyxl
from hypothesis import event, example, given
from hypothesis import strategies as st

from tests import whole_rounds
from tests.core.examples import BERTH, CATALOGUE, read_here
from tests.corpus.documents import document, number, row, table, text
from tests.server.services import ServiceCase
from tests.support import Vexo, template, temporary_folder

template()

import polars as pl  # noqa: E402

from vexo.applications.fake import SERVED, Store  # noqa: E402
from vexo.core.cell_parser import parse  # noqa: E402
from vexo.core.planning.frame import FieldColumns  # noqa: E402
from vexo.core.planning.verdicts import CellAction  # noqa: E402
from vexo.server.data_folder import absolute  # noqa: E402
from vexo.server.jobs.worker import enqueue, run_inline  # noqa: E402
from vexo.server.sendout.send_out import new_trip  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402
from vexo.server.trips.part_view import PartView  # noqa: E402
from vexo.server.uploads.receive import take_file  # noqa: E402
from vexo.server.uploads.waiting import start_recognising  # noqa: E402

FIELDS = ("code", "rate", "services", "status", "name", "until", "open", "nights")
EDITED = FIELDS[1:]
VALUES: dict[str, tuple[str, ...]] = {
    "rate": ("5.00", "12.50", "33.10", "0.07", "1200.00"),
    "services": ("water", "water; power", "wifi", "water; power; wifi"),
    "status": ("free", "let"),
    "name": ("Ostrich", "=2+2", "[new] mooring", "Zoë's", "-5 below", "007", "line; with \\ both", " [x] "),
    "until": ("2026-11-23", "2027-01-31", "1999-12-31"),
    "open": ("yes", "no"),
    "nights": ("1", "40", "365"),
}
WAYS = ("stamped xlsx", "xlsx", "ods", "csv", "csv with semicolons", "tsv", "utf-16", "windows")
Lines = list[list[str]]
RENAMED_AND_ALL_ALIKE = {
    "records": [{name: values[0] for name, values in VALUES.items()} | {"code": f"B-{n:03}"} for n in range(4)],
    "way": "stamped xlsx",
    "deleted": set(),
    "moved": 0,
    "renamed": "rate",
    "own": False,
    "gone": set(),
    "order": [0, 1, 2, 3],
    "added": 0,
    "edits": {(0, "rate"): 1},
    "theirs": {},
}


RENAMED_AND_MOSTLY_EDITED = {
    **RENAMED_AND_ALL_ALIKE,
    "renamed": "nights",
    "gone": {3},
    "edits": {(0, "nights"): 2, (2, "nights"): 4},
}
RENAMED_LIKE_NOTHING = {
    **RENAMED_AND_ALL_ALIKE,
    "renamed": "open",
    "gone": {3},
    "edits": {(0, "open"): 1, (1, "open"): 1},
}


@dataclass(frozen=True)
class Home:
    """What became of a sheet: its lines, and the field of each of its columns (None for a person's own)."""

    lines: Lines
    fields: list[str | None]


def typed(name: str, said: str) -> Any:
    """A text as the fake application holds it."""
    return parse(BERTH.field(name), pl.Series([said])).values.to_list()[0]


def stated(name: str, said: str, delimited: bool) -> str:
    """A value as it stands in a sheet that went out: real brackets doubled, formulas guarded in text files."""
    if name != "name":
        return said
    told = said.replace("[", "[[", 1) if said.lstrip().startswith("[") else said
    return f"'{told}" if delimited and told[0] in "=+-@'" else told


@st.composite
def stories(draw: Any) -> dict[str, Any]:
    """Records, and what happens to their sheet."""
    size = draw(st.integers(4, 9))
    records = [
        {name: draw(st.sampled_from(values)) for name, values in VALUES.items()} | {"code": f"B-{n:03}"}
        for n in range(size)
    ]
    cell = st.tuples(st.integers(0, size - 1), st.sampled_from(EDITED))
    deleted = draw(st.one_of(st.sets(st.sampled_from(("id", *EDITED)), max_size=3), st.sets(st.sampled_from(EDITED))))
    stay = [name for name in EDITED if name not in deleted] or ["rate"]
    edited = st.tuples(st.integers(0, size - 1), st.sampled_from(stay))
    edits = draw(st.dictionaries(edited, st.integers(0, 7), min_size=1, max_size=6))
    return {
        "records": records,
        "way": draw(st.sampled_from(WAYS)),
        "deleted": deleted,
        "moved": draw(st.integers(0, 8)),
        "renamed": draw(st.sampled_from(("", *stay))),
        "own": draw(st.booleans()),
        "gone": draw(st.sets(st.integers(0, size - 1), max_size=size // 3)),
        "order": draw(st.permutations(range(size))),
        "added": draw(st.integers(0, 2)),
        "edits": edits,
        "theirs": draw(st.dictionaries(st.one_of(cell, st.sampled_from(sorted(edits))), st.integers(0, 7), max_size=3)),
    }


class AnySheetHome(ServiceCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.vexo = Vexo(connect=False)
        from vexo.server.people.models import Person, Role

        cls.enterClassContext(patch("vexo.server.uploads.upload_cells.read_sheet", read_here))
        cls.person = Person.objects.create(username="ada", name="Ada Quillfeather", role=Role.ADMINISTRATOR)

    def setUp(self) -> None:
        self.vexo.use()

    def connect(self, records: list[dict[str, str]]) -> None:
        from vexo.server.applications.models import Application
        from vexo.server.applications.services import Connection, connect

        Trip.objects.all().delete()
        address = f"memory:{os.urandom(6).hex()}"
        self.store = SERVED[address] = Store(CATALOGUE)
        for record in records:
            self.store.put("Berth", {name: typed(name, said) for name, said in record.items()})
        wanted = Connection("fake", address, "practice", label="Fake", protocol="fake", longest_request=0)
        self.practice = connect(self.person, wanted, change=Application.objects.filter(name="fake").exists())

    def sent(self, way: str) -> tuple[Any, Path, Lines]:
        """A sheet of all berths: its trip, the file, and its lines as a person sees them."""
        format_ = way.rpartition(" ")[2] if way.endswith("xlsx") else "tsv" if way == "tsv" else "csv"
        trip = new_trip(self.practice, "Berth", "ada", FIELDS, "", "Berths")
        job = run_inline(enqueue("send out", "ada", PartView.of(trip), run_here=True, format=format_))
        self.assertEqual(job.error, "")
        path = absolute(job.result["file"])
        if format_ != "xlsx":
            read = csv.reader(
                io.StringIO(path.read_text(encoding="utf-8-sig")), delimiter="\t" if way == "tsv" else ","
            )
            return trip, path, list(read)
        sheet = openpyxl.load_workbook(path).active
        return trip, path, [[self.shown(cell) for cell in line] for line in sheet.iter_rows()]

    def shown(self, cell: Any) -> str:
        if cell.value is None:
            return ""
        return str(cell.value.date()) if hasattr(cell.value, "date") else str(cell.value)

    def changed(self, lines: Lines, story: dict[str, Any]) -> Home:
        """The sheet after its person's work."""
        head = lines[0]
        names = {field.label: field.name for field in BERTH.fields}
        fields: list[str | None] = [names[header] for header in head]
        body = [list(line) for line in lines[1:]]
        delimited = not story["way"].endswith(("xlsx", "xlsx ", "ods"))
        for (at, name), choice in story["edits"].items():
            values = VALUES[name]
            body[at][fields.index(name)] = stated(name, values[choice % len(values)], delimited)
        body = [body[at] for at in story["order"] if at not in story["gone"]]
        for n in range(story["added"]):
            body.append([f"N-{n}" if name == "code" else "" for name in fields])
        kept = [at for at, name in enumerate(fields) if name not in story["deleted"]]
        turn = story["moved"] % len(kept)
        kept = [*kept[turn:], *kept[:turn]]
        header = [f"my {head[at]} of it" if fields[at] == story["renamed"] else head[at] for at in kept]
        made = [header, *[[line[at] for at in kept] for line in body]]
        own: list[str | None] = [fields[at] for at in kept]
        if story["own"]:
            made = [[*line, f"said {n}" if n else "my own words"] for n, line in enumerate(made)]
            own.append(None)
        return Home(made, own)

    def saved(self, home: Home, way: str, sent: Path) -> Path:
        """The sheet as a file, written by another program."""
        folder = temporary_folder()
        if way == "stamped xlsx":
            book = openpyxl.load_workbook(sent)
            sheet = book.active
            sheet.delete_rows(1, sheet.max_row)
            for line in home.lines:
                sheet.append([said or None for said in line])
            for cell in (cell for line in sheet.iter_rows() for cell in line if cell.data_type == "f"):
                cell.data_type = "s"
            book.save(folder / "home.xlsx")
            return folder / "home.xlsx"
        if way == "xlsx":
            book = openpyxl.Workbook()
            for line, said in enumerate(home.lines, 1):
                for at, value in enumerate(said, 1):
                    cell = book.active.cell(line, at)
                    day = line > 1 and home.fields[at - 1] == "until" and value
                    cell.value = date.fromisoformat(value) if day else value or None
                    if isinstance(value, str) and value.startswith("="):
                        cell.data_type = "s"
            book.save(folder / "home.xlsx")
            return folder / "home.xlsx"
        if way == "ods":
            rows = []
            for n, line in enumerate(home.lines):
                cells = []
                for at, said in enumerate(line):
                    plain = n and home.fields[at] in ("rate", "nights") and said
                    words = escape(said).replace(" ", '<text:s text:c="1"/>').encode()
                    cells.append(number(said.encode()) if plain else text(words))
                rows.append(row(*cells))
            return document(folder / "home.ods", table(*rows))
        delimiter = {"tsv": "\t", "csv with semicolons": ";", "windows": ";"}.get(way, ",")
        out = io.StringIO()
        csv.writer(out, delimiter=delimiter).writerows(home.lines)
        encoding = {"utf-16": "utf-16", "windows": "cp1252"}.get(way, "utf-8")
        path = folder / f"home.{'tsv' if way == 'tsv' else 'csv'}"
        path.write_bytes(out.getvalue().encode(encoding))
        return path

    def expected(self, home: Home, story: dict[str, Any]) -> dict[tuple[str, str], tuple[int, Any]]:
        """By code and field: what must be written or held."""
        told: dict[tuple[str, str], tuple[int, Any]] = {}
        for (at, name), choice in story["edits"].items():
            if at in story["gone"] or name not in home.fields:
                continue
            sent = typed(name, story["records"][at][name])
            said = typed(name, VALUES[name][choice % len(VALUES[name])])
            now = self.store.records["Berth"][str(at + 1)][name]
            if said not in (sent, now):
                told[story["records"][at]["code"], name] = (CellAction.WRITE if now == sent else CellAction.HELD, said)
        return told

    @whole_rounds
    @given(stories())
    @example(RENAMED_AND_ALL_ALIKE)
    @example(RENAMED_AND_MOSTLY_EDITED)
    @example(RENAMED_LIKE_NOTHING)
    def test_exactly_the_edits_are_planned_or_the_sheet_is_asked_about(self, story: dict[str, Any]) -> None:
        self.connect(story["records"])
        trip, path, lines = self.sent(story["way"])
        home = self.changed(lines, story)
        for (at, name), choice in story["theirs"].items():
            value = VALUES[name][choice % len(VALUES[name])]
            self.store.put("Berth", {name: typed(name, value)}, str(at + 1))
        file = self.saved(home, story["way"], path)
        if len(home.lines) < 2:
            return
        found = run_inline(start_recognising(take_file(file, "ada"), self.person))
        self.assertEqual(found.error, "")
        if found.result["trip"] is None:
            event("asked")
            edits = len(story["edits"]) + len(story["deleted"]) + bool(story["renamed"]) + story["added"]
            self.assertGreater(edits, 0, "a sheet that nobody touched was not known")
            return
        event("known")
        self.assertEqual(found.result["trip"], trip.pk)
        job = self.back(file)
        self.assertEqual(job.error, "")
        made = self.table(self.trip_of(job))
        planned: dict[tuple[str, str], tuple[int, Any]] = {}
        codes = dict(
            zip(made["row"].to_list(), [line[home.fields.index("code")] for line in home.lines[1:]], strict=True)
        )
        for name in (name for name in EDITED if name in home.fields and FieldColumns(name).action in made.columns):
            for line in made.select("row", FieldColumns(name).action, FieldColumns(name).proposed).iter_rows(
                named=True
            ):
                if line[FieldColumns(name).action]:
                    planned[codes[line["row"]], name] = (
                        line[FieldColumns(name).action],
                        line[FieldColumns(name).proposed],
                    )
        expected = self.expected(home, story)
        asked = [m.header for m in self.trip_of(job).sheets.last().mappings.all() if m.how == "open"]
        if any(header.startswith("my ") and header.endswith(" of it") for header in asked):
            # So much of a renamed column was edited that a person is asked where it goes: nothing is taken from it.
            event("asked about a column")
            expected = {key: does for key, does in expected.items() if key[1] != story["renamed"]}
        self.assertEqual(planned, expected)
        wrong = {codes[r["row"]] for r in made.filter(pl.col("verdict") == "rejected").iter_rows(named=True)}
        self.assertEqual(wrong, {f"N-{n}" for n in range(story["added"])})
