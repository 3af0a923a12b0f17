"""Several files as one list in parts: one sheet, each row with its file and its row there."""

from __future__ import annotations

import json
from typing import Any

from tests.server.holder_sheets import HolderSheets
from tests.support import template

template()

from django.test import Client  # noqa: E402

from vexo.server.errors import PlainError  # noqa: E402
from vexo.server.ingest.bring_in import ImportRequest, start_bringing_in  # noqa: E402
from vexo.server.jobs.worker import run_inline  # noqa: E402
from vexo.server.mapping.columns import Changes, change  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402
from vexo.server.trips.part_view import PartView  # noqa: E402
from vexo.server.uploads import lists, receive  # noqa: E402
from vexo.server.uploads.waiting import start_recognising  # noqa: E402


class Parts(HolderSheets):
    def joined(self, *files: tuple[str, str]) -> Any:
        first, *others = [receive.take_file(self.text(content, name), "ada") for name, content in files]
        return lists.join(first.pk, [one.pk for one in others], "ada")

    def come_in(self, upload: Any) -> Trip:
        begun = start_bringing_in(
            self.practice,
            "Holder",
            upload,
            self.person,
            ImportRequest(key=["holder_no"], operation="upsert", trip="new"),
            run_here=True,
        )
        job = run_inline(begun)
        self.assertEqual(job.error, "")
        return Trip.objects.get(pk=job.trip_id)

    def lists(self) -> tuple[tuple[str, str], tuple[str, str]]:
        north = f"Northern list\n\nholder_no,last_name,phone\n{self.begin}01,a,1\n{self.begin}02,b,2\n"
        south = f"phone;holder_no;last_name;more\n3;{self.begin}03;c;x\n"
        return ("north.csv", north), ("south.csv", south)

    def test_two_files_are_one_list_and_each_row_names_its_own(self) -> None:
        trip = self.come_in(self.joined(*self.lists()))
        sheet = trip.sheets.last()
        headers = [column.header for column in sheet.profile.columns]
        self.assertEqual(headers, ["holder_no", "last_name", "phone", "more", "File", "Row in file"])
        self.assertEqual(self.verdicts(trip), ["create"] * 3)
        from vexo.server import artifacts

        cells = artifacts.read(sheet.cells)
        told = list(zip(cells["row"], cells["c0"].str.slice(-2), cells["c4"], cells["c5"], strict=True))
        self.assertEqual(told, [(4, "01", "north.csv", "4"), (5, "02", "north.csv", "5"), (6, "03", "south.csv", "2")])
        run_inline(change(PartView.of(trip), self.person, Changes(columns={"more": ""}), run_here=True))
        self.apply(trip)
        self.assertEqual(
            [(h["last_name"], h["phone"]) for h in self.holders(self.begin)], [("a", "1"), ("b", "2"), ("c", "3")]
        )
        client = Client()
        client.force_login(self.person)
        answer = client.get(f"/api/trips/{trip.pk}/sheets/{sheet.pk}?file=1")
        self.assertEqual(b"".join(answer.streaming_content)[:5], b"phone")
        self.assertEqual(client.get(f"/api/trips/{trip.pk}/sheets/{sheet.pk}?file=2").status_code, 404)

    def test_files_of_other_columns_are_no_parts_and_stay_as_they_were(self) -> None:
        upload = self.joined(self.lists()[0], ("other.csv", "x,y\n1,2\n"))
        job = run_inline(start_recognising(upload, self.person, run_here=True))
        self.assertIn("other.csv shares no column with north.csv", job.error)
        single = receive.take_file(self.text("a,b\n1,2\n"), "ada")
        with self.assertRaisesRegex(PlainError, "cannot be made a part"):
            lists.join(single.pk, [upload.parts.first().pk], "ada")

    def test_the_same_list_again_is_no_second_version_and_a_longer_one_is(self) -> None:
        trip = self.come_in(self.joined(*self.lists()))
        on = ImportRequest(trip=str(trip.pk))
        same = start_bringing_in(self.practice, "Holder", self.joined(*self.lists()), self.person, on, run_here=True)
        again = run_inline(same)
        self.assertTrue(again.result["unchanged"])
        more = self.joined(*self.lists(), ("late.csv", f"holder_no,last_name\n{self.begin}04,d\n"))
        run_inline(start_bringing_in(self.practice, "Holder", more, self.person, on, run_here=True))
        self.assertEqual(trip.sheets.last().differs["new_rows"], 1)

    def test_over_http_and_on_the_command_line(self) -> None:
        north, south = self.lists()
        one, two = (receive.take_file(self.text(content, name), "ada") for name, content in (north, south))
        client = Client()
        client.force_login(self.person)
        answer = client.post(f"/api/uploads/{one.pk}/parts", json.dumps({"parts": [two.pk]}), "application/json")
        self.assertEqual(answer.status_code, 202)
        from vexo.server.jobs.models import Job

        run_inline(Job.objects.get(pk=answer.json()["id"]))
        waits = client.get(f"/api/uploads/{one.pk}").json()
        self.assertEqual((waits["files"], waits["rows"]), (["north.csv", "south.csv"], 3))
        self.assertNotIn(two.pk, [w["id"] for w in client.get("/api/uploads").json()])
        paths = [str(self.text(content, name)) for name, content in (north, south)]
        told = self.vexo.json(
            *("--as", "ada", "bring-in", "harbour-practice", "Holder", *paths),
            *("--trip", "new", "--operation", "upsert", "--map", "more="),
        )
        self.assertEqual(told["rows"], 3)
