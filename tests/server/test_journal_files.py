"""The journal as a file: every entry once, oldest first, as it is kept, and nothing in it runs in a spreadsheet."""

from __future__ import annotations

import csv
import io
import json
from typing import Any

from django.test import Client

from tests.server.services import ServiceCase
from tests.support import template, temporary_folder

template()

from vexo.server.journal.models import Entry  # noqa: E402
from vexo.server.journal.services import note  # noqa: E402


class Files(ServiceCase):
    def setUp(self) -> None:
        super().setUp()
        note("ada", "tested", "=HYPERLINK(1)", file="+odd.csv", trip=7)
        note("bram", "tested", "two\nlines; \u201cquoted\u201d", self.practice)

    def ask(self, ending: str, **query: str) -> Any:
        client = Client()
        client.force_login(self.person)
        return client.get(f"/api/journal.{ending}", query)

    def lines(self, **query: str) -> list[dict[str, Any]]:
        content = b"".join(self.ask("jsonl", **query).streaming_content).decode()
        return [json.loads(line) for line in content.splitlines()]

    def test_every_entry_as_it_is_kept(self) -> None:
        kept = list(Entry.objects.order_by("id").values("id", "who", "message", "trip", "seal"))
        told = [{name: line[name] for name in ("id", "who", "message", "trip", "seal")} for line in self.lines()]
        self.assertEqual(told[: len(kept)], kept)
        self.assertEqual([line["message"] for line in self.lines()][len(kept)], "Downloaded the journal as jsonl")

    def test_only_what_is_asked_for(self) -> None:
        self.assertEqual({line["who"] for line in self.lines(what="tested", who="bram")}, {"bram"})
        self.assertEqual([line["message"] for line in self.lines(trip="7", what="tested")][-1], "=HYPERLINK(1)")
        self.assertEqual(self.ask("jsonl", trip="x").status_code, 400)
        self.assertEqual(self.lines(trip="99999"), [])
        note("ada", "tested", "\u00dcbergabe begun")
        self.assertEqual([line["message"] for line in self.lines(text="\u00fcbergabe B")], ["\u00dcbergabe begun"])
        places = {line["application"] for line in self.lines(application="harbour-practice")}
        self.assertEqual(places, {"harbour-practice"})

    def test_a_spreadsheet_runs_none_of_it(self) -> None:
        content = b"".join(self.ask("csv", what="tested").streaming_content).decode("utf-8-sig")
        lines = list(csv.DictReader(io.StringIO(content, newline="")))
        self.assertEqual((lines[0]["message"], lines[0]["file"]), ("'=HYPERLINK(1)", "'+odd.csv"))
        self.assertEqual(lines[1]["message"], "two\nlines; \u201cquoted\u201d")
        self.assertEqual(self.ask("pdf").status_code, 404)

    def test_by_command_and_it_stands_in_the_journal(self) -> None:
        path = temporary_folder() / "journal.jsonl"
        told = self.vexo.json("--as", "ada", "journal", "-o", str(path))
        written = [json.loads(line) for line in path.read_text().splitlines()]
        self.assertEqual(told["entries"], len(written))
        last = Entry.objects.order_by("-id").first()
        assert last is not None
        self.assertEqual((last.what, last.file), ("downloaded", "journal.jsonl"))
        self.assertIn("Unknown format", self.vexo.fails("--as", "ada", "journal", "-o", "journal.txt"))
