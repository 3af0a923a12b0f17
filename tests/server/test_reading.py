"""Numbers and times within sentences, as people of several countries read them: never half of them."""

from __future__ import annotations

import ast
import json
import unittest
import zipfile
from datetime import UTC, datetime, time
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

from hypothesis import given
from hypothesis import strategies as st

from tests.server.services import ServiceCase
from tests.support import template, temporary_folder

template()

from django.test import Client  # noqa: E402

import vexo  # noqa: E402
from vexo.core.wording import GROUP, MOMENT, clock, moment, thousands  # noqa: E402
from vexo.server.jobs.models import Job  # noqa: E402
from vexo.server.journal.models import Entry  # noqa: E402
from vexo.server.journal.services import note  # noqa: E402
from vexo.server.locales import ANYONE, LOCALES, Reader  # noqa: E402
from vexo.server.notices import mail  # noqa: E402
from vexo.server.notices.models import Notice  # noqa: E402
from vexo.server.passes.models import Pass  # noqa: E402
from vexo.server.people.models import Person  # noqa: E402

PLAIN = {"en-GB": (",", "."), "en-US": (",", "."), "de-DE": (".", ","), "fr-FR": ("\u202f", ",")}


def by_hand(number: int, group: str) -> str:
    """Thousands told apart, digit by digit from the right."""
    digits, out = str(abs(number)), ""
    for at, digit in enumerate(reversed(digits)):
        out = digit + (group if at and at % 3 == 0 else "") + out
    return ("-" if number < 0 else "") + out


class Readers(unittest.TestCase):
    @given(st.integers(-(10**15), 10**15), st.sampled_from(sorted(PLAIN)), st.text(max_size=20))
    def test_a_number_in_a_sentence_and_nothing_around_it(self, number: int, tag: str, data: str) -> None:
        data = data.replace(GROUP, "").replace(MOMENT, "")
        sentence = f"{data}{thousands(number)} rows of {data}"
        told = Reader.named(tag, "").text(sentence)
        self.assertEqual(told, f"{data}{by_hand(number, PLAIN[tag][0])} rows of {data}")

    @given(st.decimals(allow_nan=False, allow_infinity=False, places=4, min_value=-(10**12), max_value=10**12))
    def test_a_sum_keeps_every_digit(self, number: Any) -> None:
        for tag, (group, decimal) in PLAIN.items():
            told = Reader.named(tag, "").exact(str(number))
            self.assertEqual(told.replace(group, "").replace(decimal, "."), f"{number:f}")

    def test_a_moment_in_a_zone_and_a_time_of_the_day(self) -> None:
        when = datetime(2026, 3, 4, 17, 5, tzinfo=UTC)
        sentence = f"at {moment(when)}, then at {clock(time(0, 5))} (Europe/London)"
        told = {
            ("en-GB", ""): "at 4 Mar 2026 17:05 UTC, then at 00:05 (Europe/London)",
            ("en-US", "America/New_York"): "at Mar 4, 2026 12:05 PM, then at 12:05 AM (Europe/London)",
            ("de-DE", "Europe/Berlin"): "at 04.03.2026 18:05, then at 00:05 (Europe/London)",
            ("fr-FR", "Pacific/Auckland"): "at 05/03/2026 06:05, then at 00:05 (Europe/London)",
        }
        for (tag, zone), expected in told.items():
            self.assertEqual(Reader.named(tag, zone).text(sentence), expected)
        cut = sentence[: sentence.index(MOMENT) + 12]
        self.assertEqual(ANYONE.text(cut), "at 2026-03-04T")
        other = when.astimezone(ZoneInfo("Asia/Kathmandu"))
        self.assertEqual(moment(other), moment(when), "one moment is marked one way")
        for nonsense in ("../../etc/passwd", "Nowhere/Land", "\0", "x" * 300):
            self.assertEqual(Reader.named("xx", nonsense), ANYONE)

    def test_no_sentence_of_the_core_or_the_server_writes_separators_of_its_own(self) -> None:
        """What is written so could be read as another number. Receipts are evidence, written one way for all."""
        found = []
        folder = Path(vexo.__file__).parent
        for path in [*(folder / "core").rglob("*.py"), *(folder / "server").rglob("*.py")]:
            if path.name in ("wording.py", "locales.py", "cover.py") or "migrations" in path.parts:
                continue
            for node in ast.walk(ast.parse(path.read_text())):
                if isinstance(node, ast.FormattedValue) and node.format_spec is not None:
                    form = ast.unparse(node.format_spec)
                    if "," in form or "%H" in form or "%B" in form or "%b" in form:
                        found.append(f"{path.name}:{node.lineno} {form}")
        allowed = {
            "rules_of_use.py": "what is said, as data",
            "use_rules.py": "the day of a rule, beside its zone",
            "setting_up.py": "the name of a file",
            "upload_cells.py": "the name of a file",
        }
        self.assertEqual([one for one in found if one.partition(":")[0] not in allowed], [])


class Edges(ServiceCase):
    """Each way out: a German reads 1.204, and nothing leaves with a mark in it."""

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        case = cls("run")
        case.vexo.use()
        rows = "".join(f"TERNISLAND,Z-{at:04},new\n" for at in range(1204))
        cls.trip = case.bring(f"harbour,berth_no,notes\n{rows}", operation="update")

    def setUp(self) -> None:
        super().setUp()
        Person.objects.update(locale="en-GB", zone="")
        self.client = Client()
        self.client.force_login(self.person)

    def german(self) -> None:
        body = {"locale": "de-DE", "zone": "Europe/Berlin"}
        answer = self.client.put("/api/access/reading", body, content_type="application/json")
        self.assertEqual((answer.status_code, answer.json()), (200, body))

    def clean(self, content: bytes | str) -> str:
        text = content if isinstance(content, str) else content.decode()
        self.assertFalse({GROUP, MOMENT} & {*text, *json.dumps(text)})
        self.assertNotIn("ufdd0", text.lower())
        return text

    def test_the_api_s_sentences_are_the_reader_s_and_its_figures_and_cells_are_data(self) -> None:
        paths = ("/api/trips", f"/api/trips/{self.trip.pk}", f"/api/trips/{self.trip.pk}/rows?limit=5", "/api/journal")
        before = {path: self.clean(self.client.get(path).content) for path in paths}
        self.assertIn("1,204 rows need you", before["/api/trips"])
        self.german()
        after = {path: self.clean(self.client.get(path).content) for path in paths}
        self.assertIn("1.204 rows need you", after["/api/trips"])
        self.assertNotIn("1,204", "".join(after.values()))
        for path in paths[:3]:
            self.assertEqual(after[path].replace("1.204", "1,204"), before[path], "nothing else is changed")

    def test_errors_kept_sentences_and_times_are_the_reader_s_whoever_wrote_them(self) -> None:
        note("someone", "kept", f"It took {thousands(1204)} rows at {moment(datetime(2026, 3, 4, 17, 5, tzinfo=UTC))}")
        job = Job.objects.create(kind="plan", state=Job.FAILED, error=f"More than {thousands(2_000_000)} rows.")
        self.german()
        entries = self.client.get("/api/journal?text=1.204 rows").json()["entries"]
        self.assertEqual(entries[0]["message"], "It took 1.204 rows at 04.03.2026 18:05")
        for typed in ("1 204", "1\u00a0204", "1\u202f204", "1,204"):
            found = self.client.get("/api/journal", {"text": f"{typed} rows"}).json()["entries"]
            self.assertEqual(len(found), len(entries), typed)
        self.assertEqual(self.client.get(f"/api/jobs/{job.pk}").json()["error"], "More than 2.000.000 rows.")
        long = self.client.post("/api/ask-condition", {"condition": "x" * 200_000}, content_type="application/json")
        self.clean(long.content)
        said = self.client.post(
            "/api/uploads", {"name": "x.csv", "size": 10**12}, content_type="application/json"
        ).json()["detail"]
        self.assertIn("1.000.000.000.000 bytes", said)

    def test_without_a_zone_of_their_own_it_is_the_browser_s(self) -> None:
        note("someone", "kept", f"At {moment(datetime(2026, 3, 4, 17, 5, tzinfo=UTC))}")

        def told(**headers: str) -> str:
            entries = self.client.get("/api/journal", headers=headers).json()["entries"]
            return str(entries[0]["message"])

        self.assertEqual(told(), "At 4 Mar 2026 17:05 UTC")
        self.assertEqual(told(**{"Vexo-Zone": "Asia/Kathmandu"}), "At 4 Mar 2026 22:50")
        self.assertEqual(told(**{"Vexo-Zone": "../x"}), "At 4 Mar 2026 17:05 UTC")
        self.german()
        self.assertEqual(told(**{"Vexo-Zone": "Asia/Kathmandu"}), "At 04.03.2026 18:05")

    def test_files_and_terminals_are_written_one_way_for_all_but_a_plan_that_its_sender_prints(self) -> None:
        note("someone", "kept", f"It took {thousands(1204)} rows")
        self.german()
        for ending in ("csv", "jsonl"):
            content = b"".join(self.client.get(f"/api/journal.{ending}").streaming_content)
            self.assertIn("1,204 rows", self.clean(content))
        page = self.clean(self.client.get(f"/api/trips/{self.trip.pk}/document.html").content)
        self.assertIn("1.204", page)
        self.assertNotIn("1,204", page)
        book = temporary_folder() / "plan.xlsx"
        book.write_bytes(self.client.get(f"/api/trips/{self.trip.pk}/document.xlsx").content)
        with zipfile.ZipFile(book) as archive:
            for name in archive.namelist():
                self.clean(archive.read(name).decode("utf-8", "replace"))
        told = self.vexo.run("--as", "ada", "open", str(self.trip.pk)).stderr
        self.assertIn("1,204", told)
        for words in (("review", str(self.trip.pk)), ("journal",), ("open", str(self.trip.pk), "--json")):
            self.vexo.run("--as", "ada", *words)
        process = self.vexo.process("--as", "ada", "journal")
        self.assertIn("1,204 rows", self.clean(process.stdout))

    def test_no_receipt_has_a_mark_in_it_whatever_its_pass_was_told(self) -> None:
        trip = self.bring("harbour,berth_no,notes\nTERNISLAND,B-009,receipt\n")
        self.apply(trip)
        lifted = f"It writes {thousands(1204)} records at {moment(datetime(2026, 3, 4, 17, 5, tzinfo=UTC))}."
        Pass.objects.filter(trip=trip).update(lifted=lifted)
        self.german()
        for ending in ("xlsx", "csv", "tsv", "jsonl", "html"):
            content = self.client.get(f"/api/trips/{trip.pk}/files/receipt.{ending}").content
            if ending != "xlsx":
                text = self.clean(content)
            else:
                book = temporary_folder() / "receipt.xlsx"
                book.write_bytes(content)
                with zipfile.ZipFile(book) as archive:
                    text = "".join(
                        self.clean(archive.read(name).decode("utf-8", "replace")) for name in archive.namelist()
                    )
            if ending in ("xlsx", "jsonl", "html"):
                self.assertIn("It writes 1,204 records at 4 Mar 2026 17:05 UTC.", text)

    def test_e_mail_is_as_whoever_gets_it_reads_it(self) -> None:
        self.german()
        self.person.refresh_from_db()
        notice = Notice(person=self.person, kind="pass ended", text=f"Pass 1 ended: {thousands(1204)} updated")
        message = mail._message(notice)
        self.assertIn("1.204 updated", message.body)
        self.assertIn("1.204 updated", message.subject)

    def test_what_is_no_way_of_writing_or_no_zone_is_refused_everywhere(self) -> None:
        for wrong in (
            {"locale": "xx"},
            {"locale": "de-DE", "zone": "Nowhere/Land"},
            {"locale": "de-DE"},
            {"locale": "de-DE", "zome": ""},
            {},
        ):
            answer = self.client.put("/api/access/reading", wrong, content_type="application/json")
            self.assertIn(answer.status_code, (400, 422), wrong)
        own = ("--as", "ada", "person", "reading")
        self.assertEqual(self.vexo.run(*own, "--locale", "xx").returncode, 2)
        self.assertEqual(self.vexo.run(*own, "--zone", "Nowhere/Land").returncode, 2)
        self.assertIn("fr-FR", self.vexo.run(*own, "--locale", "fr-FR", "--zone", "Europe/Paris").stdout)
        person = Person.objects.get(username="ada")
        self.assertEqual((person.locale, person.zone), ("fr-FR", "Europe/Paris"))
        self.assertEqual(set(LOCALES), set(PLAIN))
        self.assertFalse(Entry.objects.filter(message__contains="fr-FR").exists(), "it concerns nobody else")
        self.assertEqual(self.client.get("/api/session").json()["person"]["locale"], "fr-FR")
        offered = self.client.get("/api/access/reading").json()["zones"]
        self.assertLess(
            {"Europe/London", "Asia/Kolkata", "Europe/Kyiv", "America/Argentina/Ushuaia", "UTC"}, {*offered}
        )
        self.assertFalse({"localtime", "posixrules", "Factory"} & {*offered})
