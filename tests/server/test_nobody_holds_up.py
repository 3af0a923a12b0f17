"""No one request, file or application takes the time or the memory of all others."""

from __future__ import annotations

import gzip
import itertools
import socket
import time
import unittest
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any
from unittest.mock import patch

import httpx
import openpyxl
import polars as pl

from tests.server.services import ServiceCase
from tests.support import BIN, answers, free_port, kill, start, template, temporary_folder, wait_until

template()

from django.test import Client  # noqa: E402

from vexo.applications import http  # noqa: E402
from vexo.applications.base import ApplicationError, NoAnswer  # noqa: E402
from vexo.core import patterns  # noqa: E402
from vexo.core.sheets import SheetError, read_sheet  # noqa: E402
from vexo.core.sheets.long_cells import CELL_CHARACTERS, MOST_CHARACTERS  # noqa: E402
from vexo.core.sheets.overlay.edits import EditError, Replacement, replace  # noqa: E402
from vexo.core.wording import thousands  # noqa: E402


class Patterns(ServiceCase):
    def test_patterns_that_nobody_writes_by_hand_are_refused_wherever_one_can_be_said(self) -> None:
        trip = self.bring("harbour,berth_no,notes\nTERNISLAND,D-001,aaa\n")
        client = Client()
        client.force_login(self.person)
        long = "a" * 501
        edit = {"kind": "replace", "column": "", "replace": {"find": long, "put": "", "pattern": True}}
        answer = client.post(f"/api/trips/{trip.pk}/edits", edit, content_type="application/json")
        self.assertEqual(answer.status_code, 422)
        self.assertIn("at most 500 characters, and this one 501", answer.json()["detail"])
        condition = {"record_type": "Berth", "text": f"matchesPattern(notes,'{long}')"}
        answer = client.post("/api/applications/harbour-practice/condition", condition, content_type="application/json")
        self.assertIn("at most 500 characters", answer.content.decode())
        lane = {"lanes": {"notes": {"treatments": [{"do": "replace", "how": "pattern", "find": long, "put": "x"}]}}}
        answer = client.patch(f"/api/trips/{trip.pk}/columns", lane, content_type="application/json")
        self.assertIn(answer.status_code, (400, 422))
        self.assertIn("at most 500 characters", answer.content.decode())
        edit["replace"] = {"find": long, "put": "", "pattern": False}
        answer = client.post(f"/api/trips/{trip.pk}/edits", edit, content_type="application/json")
        self.assertIn("changes no cell", answer.json()["detail"], "a long text is no pattern")

    def test_a_pattern_in_much_text_is_looked_for_elsewhere_with_the_same_result_and_an_end(self) -> None:
        cells = pl.DataFrame(
            {"row_id": pl.Series(range(40), dtype=pl.UInt32), "c0": ["ab" * 20_000, None, "", "x"] * 10}
        )
        what = Replacement(r"(a)b{1,3}", "$1-", pattern=True)
        aside = replace(cells, ["c0"], what)
        with patch.object(patterns, "_AT_HAND", 10**12):
            here = replace(cells, ["c0"], what)
        self.assertTrue(aside.equals(here))
        self.assertEqual(len(aside), 10)
        began = time.monotonic()
        slow = pl.DataFrame({"row_id": pl.Series(range(200), dtype=pl.UInt32), "c0": ["x" * 32_000] * 200})
        with patch.object(patterns, "SECONDS", 0.5), self.assertRaisesRegex(EditError, "took longer than"):
            replace(slow, ["c0"], Replacement(r"\w{0,200}y", "", pattern=True))
        self.assertLess(time.monotonic() - began, 20)

    def test_a_block_of_a_million_cells_is_looked_at_in_a_moment(self) -> None:
        trip = self.bring("harbour,berth_no,notes\nTERNISLAND,D-001,aaa\n")
        client = Client()
        client.force_login(self.person)
        edit: dict[str, Any] = {"kind": "paste", "row_id": 0, "column": "c2"}
        path = f"/api/trips/{trip.pk}/edits"
        began = time.process_time()
        answer = client.post(path, {**edit, "block": [["x"] * 100] * 10_000}, content_type="application/json")
        self.assertIn("10,000 rows by 100 columns", answer.json()["detail"])
        self.assertLess(time.process_time() - began, 20, "it took 40 seconds a sixth of it")
        for block, words in (
            ("x", "list of lines"),
            (["x"], "list of lines"),
            ([["x"], ["y", 1]], "Line 2 of the block holds something else"),
            ([[None]], "Line 1"),
            ([["x" * 32_768]], "no cell can hold"),
            ([["\0"]], "no cell can hold"),
        ):
            answer = client.post(path, {**edit, "block": block}, content_type="application/json")
            self.assertEqual(answer.status_code, 400)
            self.assertIn(words, answer.json()["detail"])
        self.assertEqual(
            client.post(path, {**edit, "block": [["bbb"]]}, content_type="application/json").status_code, 200
        )


HEADER, SHORT = ("harbour", "berth_no", "notes"), ("TERNISLAND", "D-002", "short")


class LongCells(ServiceCase):
    def files(self, text: str) -> Iterator[Path]:
        """The same sheet in each format."""
        folder = temporary_folder()
        csv = folder / "long.csv"
        csv.write_text(f"harbour,berth_no,notes\nTERNISLAND,D-001,{text}\nTERNISLAND,D-002,short\n")
        yield csv
        for inline in (True, False):
            yield self.workbook(folder / f"long-{inline}.xlsx", text, inline=inline)
        yield self.ods(folder / "long.ods", text)

    def workbook(self, path: Path, text: str, *, inline: bool) -> Path:
        book = openpyxl.Workbook()
        for line in (
            ("harbour", "berth_no", "notes"),
            ("TERNISLAND", "D-001", "LONG"),
            ("TERNISLAND", "D-002", "short"),
        ):
            book.active.append(line)
        book.save(path)
        with zipfile.ZipFile(path) as archive:
            parts = {name: archive.read(name) for name in archive.namelist()}
        for name, content in parts.items():
            if not inline:
                parts[name] = content.replace(b"<t>LONG</t>", b"<t>" + text.encode() + b"</t>")
            elif name == "xl/worksheets/sheet1.xml":
                head, _, rest = content.partition(b'<c r="C2"')
                cell = b'<c r="C2" t="inlineStr"><is><t>' + text.encode() + b"</t></is></c>"
                parts[name] = head + cell + rest.partition(b"</c>")[2]
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
            for name, content in parts.items():
                archive.writestr(name, content)
        return path

    def ods(self, path: Path, text: str) -> Path:
        cells = "".join(
            "<table:table-row>"
            + "".join(
                f'<table:table-cell office:value-type="string"><text:p>{t}</text:p></table:table-cell>' for t in line
            )
            + "</table:table-row>"
            for line in (
                ("harbour", "berth_no", "notes"),
                ("TERNISLAND", "D-001", text),
                ("TERNISLAND", "D-002", "short"),
            )
        )
        names = " ".join(
            f'xmlns:{name}="urn:oasis:names:tc:opendocument:xmlns:{name}:1.0"' for name in ("office", "table", "text")
        )
        content = (
            f'<office:document-content {names}><office:body><office:spreadsheet><table:table table:name="S">{cells}'
            "</table:table></office:spreadsheet></office:body></office:document-content>"
        )
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
            archive.writestr("content.xml", content)
        return path

    def test_a_text_that_no_cell_can_hold_is_a_finding_and_is_shown_in_part_in_each_format(self) -> None:
        client = Client()
        client.force_login(self.person)
        for path in self.files("y" * 40_000):
            with self.subTest(path.name):
                profile = read_sheet(path, path.with_suffix(".parquet"))
                found = [finding for finding in profile.findings if finding.kind == "long-cell"]
                self.assertEqual([(finding.row, finding.column) for finding in found], [(2, "notes")])
                self.assertIn(f"up to {thousands(40_000)}", found[0].text)
                trip = self.trip_of(self.back(path, trip="new"))
                for view in ("file", "lanes", "review"):
                    answer = client.get(f"/api/trips/{trip.pk}/rows?view={view}")
                    self.assertLess(len(answer.content), 20_000, view)
                    cell = answer.json()["rows"][0]["cells"][2]
                    self.assertEqual((len(cell["text"]), cell["characters"]), (1_000, 40_000))
                    self.assertEqual(answer.json()["rows"][1]["cells"][2]["characters"], 0)

    def test_as_much_as_a_cell_holds_is_no_finding_and_shown_whole(self) -> None:
        for path in self.files("y" * CELL_CHARACTERS):
            profile = read_sheet(path, path.with_suffix(".parquet"))
            self.assertNotIn("long-cell", [finding.kind for finding in profile.findings], path.name)

    def test_a_text_without_end_is_refused_soon_in_each_format(self) -> None:
        for path in self.files("y" * (MOST_CHARACTERS * 40)):
            began = time.process_time()
            with self.subTest(path.name), self.assertRaisesRegex(SheetError, f"{thousands(1_000_000)} characters"):
                read_sheet(path, path.with_suffix(".parquet"))
            self.assertLess(time.process_time() - began, 60)


class Endless(httpx.SyncByteStream):
    """An answer that never ends."""

    def __init__(self, piece: bytes) -> None:
        self.piece, self.given = piece, 0

    def __iter__(self) -> Iterator[bytes]:
        for _ in itertools.count():
            self.given += len(self.piece)
            yield self.piece


class Answers(unittest.TestCase):
    def setUp(self) -> None:
        self.enterContext(patch.object(http, "LARGEST_ANSWER", 4 * 1024**2))

    def connection(self, stream: httpx.SyncByteStream, **headers: str) -> http.Connection:
        def answer(request: httpx.Request) -> httpx.Response:
            request.read()
            return httpx.Response(200, headers=headers, stream=stream)

        connection = http.Connection("http://endless/", "t", httpx.MockTransport(answer), lambda _: None)
        self.addCleanup(connection.close)
        return connection

    def test_an_answer_without_end_is_read_to_its_limit_and_no_further(self) -> None:
        stream = Endless(b"x" * 65_536)
        with self.assertRaisesRegex(ApplicationError, "no page of records"):
            self.connection(stream).get("Berths")
        self.assertLess(stream.given, 5 * 1024**2, "asked once, and the rest left")

    def test_a_packed_answer_counts_as_unpacked(self) -> None:
        packed = gzip.compress(b"\0" * 400 * 1024**2, 9)
        pieces = [packed[at : at + 16_384] for at in range(0, len(packed), 16_384)]

        class Packed(httpx.SyncByteStream):
            def __iter__(self) -> Iterator[bytes]:
                yield from pieces

        with self.assertRaisesRegex(ApplicationError, "no page of records"):
            self.connection(Packed(), **{"Content-Encoding": "gzip"}).get("$metadata")

    def test_a_write_whose_answer_has_no_end_is_in_doubt(self) -> None:
        connection = self.connection(Endless(b"x" * 65_536))
        with self.assertRaises(NoAnswer):
            connection.post_once("$batch", {"requests": []}, {}, lambda: None)
        with self.assertRaises(ApplicationError):
            connection.post_definition("Fields", {})

    def test_a_small_packed_answer_is_read_as_ever(self) -> None:
        class Whole(httpx.SyncByteStream):
            def __iter__(self) -> Iterator[bytes]:
                yield gzip.compress(b'{"value": [1.10]}')

        connection = self.connection(Whole(), **{"Content-Encoding": "gzip", "OData-Version": "4.01"})
        answer = connection.get("Berths")
        self.assertEqual(answer.headers["OData-Version"], "4.01")
        self.assertEqual(str(http.json_of(answer)["value"][0]), "1.10")


class HalfRequests(ServiceCase):
    def test_many_half_requests_leave_room_for_whole_ones(self) -> None:
        port = free_port()
        process = start(str(BIN / "vexo"), "--data", str(self.vexo.data), "serve", "--port", str(port))
        self.addCleanup(kill, process)
        address = f"http://127.0.0.1:{port}"
        wait_until(lambda: answers(f"{address}/api/health"), what="the server")
        halves = []
        for _ in range(400):
            half = socket.create_connection(("127.0.0.1", port))
            half.sendall(b"GET /api/health HTTP/1.1\r\nHost: 127.0.0.1\r\nX-Half: ")
            halves.append(half)
            self.addCleanup(half.close)
        for _ in range(5):
            self.assertEqual(httpx.get(f"{address}/api/health", timeout=60, trust_env=False).status_code, 200)
