"""What goes out: the right records in the order chosen, kept, and told over HTTP."""

from __future__ import annotations

from typing import Any
from unittest.mock import patch

import openpyxl

from tests.server.sending_case import EELGRASS, SendingCase, rows_of
from tests.support import register, template, temporary_folder

template()

from vexo.core.documents import DocumentError, Picked, SendOut, Share  # noqa: E402
from vexo.core.keys.key_lists import read_keys  # noqa: E402
from vexo.core.records import IDENTIFIER, UnknownName  # noqa: E402
from vexo.server import artifacts  # noqa: E402
from vexo.server.jobs.worker import run_inline  # noqa: E402
from vexo.server.sendout import overlap  # noqa: E402
from vexo.server.sendout.compare import start_comparing, write_kept  # noqa: E402
from vexo.server.sendout.selection import begin  # noqa: E402
from vexo.server.sendout.sheet_writer import file_name  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402
from vexo.server.trips.part_view import PartView  # noqa: E402


class Choosing(SendingCase):
    def test_fields_and_rows_come_in_the_order_chosen_in_every_format(self) -> None:
        fields = ("status", "notes", "berth_no", "daily_rate", "id", "harbour")
        there = self.berths(f"{EELGRASS} and daily_rate ne null")
        wanted = sorted(there, key=lambda b: b["berth_no"])
        wanted = sorted(wanted, key=lambda b: b["daily_rate"], reverse=True)
        wanted = sorted(wanted, key=lambda b: b["status"])
        for format_ in ("xlsx", "ods", "csv", "tsv"):
            with self.subTest(format_):
                order = ("status", "-daily_rate", "berth_no")
                condition = f"{EELGRASS} and daily_rate ne null"
                trip = self.send(SendOut("Berth", fields, condition, order, format=format_))
                (path,) = self.sheets(trip)
                self.assertEqual(path.suffix, f".{format_}")
                self.assertIn(str(trip.pk), self.result["name"])
                headers, rows = rows_of(path)
                self.assertEqual(headers, ["Status", "Notes", "Berth no.", "Daily rate", "Record ID", "Harbour"])
                self.assertEqual([row[4] for row in rows], [str(b["id"]) for b in wanted])

    def test_a_files_name_fits_any_disk_and_has_the_number_of_its_trip_however_long_the_words_are(self) -> None:
        self.assertEqual(
            file_name(Trip(pk=7, title="Rates, Eelgrass"), "csv", "Inner Wall"), "rates-eelgrass-7-inner-wall.csv"
        )
        for letter in "e\u00e9\u6e2f\U0001d4aa":
            name = file_name(Trip(pk=1204, title=letter * 160), "xlsx", f"Pier {letter * 200}")
            self.assertLess(len(name.encode()), 240)
            self.assertRegex(name, r"-1204-pier-.*\.xlsx\Z")
        self.assertEqual(file_name(Trip(pk=7, title="!!"), "csv"), "7.csv")

    def test_empty_values_come_first_where_the_lowest_do_and_last_where_the_highest_do(self) -> None:
        for order, first in (("ring_no", True), ("-ring_no", False)):
            trip = self.send(SendOut("Berth", ("ring_no",), EELGRASS, (order,)))
            _, rows = rows_of(self.sheets(trip)[0])
            empty = [row[-1] is None for row in rows]
            self.assertEqual(empty, sorted(empty, reverse=first))

    def test_of_two_fields_for_one_value_the_second_goes_out_to_be_read(self) -> None:
        trip = self.send(
            SendOut("Berth", ("flat_season_rate", "daily_rate"), f"{EELGRASS} and startswith(berth_no,'A-00')")
        )
        path = self.sheets(trip)[0]
        note = openpyxl.load_workbook(path).active["E1"].comment.text
        self.assertIn("same value as Flat season rate", note)

        def change(sheet: Any) -> None:
            for row in range(2, sheet.max_row + 1):
                sheet.cell(row, 5).value = 77

        job = self.back(self.edited(path, change))
        self.assertEqual(self.terms(self.trip_of(job)), {"same": 9})
        self.assertNotIn(
            "flat_season_rate", self.send(SendOut("Berth", (), f"{EELGRASS} and berth_no eq 'A-001'")).fields
        )

    def test_fields_over_several_references_and_of_one_kind_of_record(self) -> None:
        fields = ("name", "home_berth/harbour/name", "home_berth/holder/last_name")
        trip = self.send(SendOut("Vessel", fields, "home_berth ne null and startswith(name,'Evensong 1')"))
        headers, rows = rows_of(self.sheets(trip)[0])
        self.assertEqual(headers[2:], ["Name", "Home berth › Harbour › Name", "Home berth › Holder › Last name"])
        self.assertTrue(all(all(row) for row in rows))
        visitors = self.send(SendOut("Contract", ("kind", "nights"), "startswith(contract_no,'C2026-000')"))
        cell = openpyxl.load_workbook(self.sheets(visitors)[0]).active["D1"]
        self.assertIn("For visitor records only.", cell.comment.text)

    def test_what_is_not_there_is_named_before_anything_is_made(self) -> None:
        before = Trip.objects.count()
        for document, error in (
            (SendOut("Berth", ("daily_rat",)), UnknownName),
            (SendOut("Berth", order=("-nothing",)), UnknownName),
            (SendOut("Berth", share=Share("harbor")), UnknownName),
            (SendOut("Berth", format="doc"), DocumentError),
            (SendOut("Berth", share=Share("harbour", (("a", ("x",)), ("a", ("y",))))), DocumentError),
            (SendOut("Berth", picked=Picked(("harbour", "berth_no"), (("OLDBASIN",),))), DocumentError),
        ):
            with self.subTest(document), self.assertRaises(error):
                begin(self.practice, document, "ada")
        self.assertEqual(Trip.objects.count(), before)

    def test_a_sheet_to_fill_by_hand_has_required_fields_first_and_comes_back_as_new_records(self) -> None:
        trip = self.send(SendOut("Berth", ("notes", "status", "services"), headers_only=True, help=True))
        self.assertEqual((trip.operation, trip.selection["records"]), ("create", 0))
        path = self.sheets(trip)[0]
        book = openpyxl.load_workbook(path)
        self.assertEqual(
            [cell.value for cell in book.active[1]],
            ["Harbour", "Berth no.", "Length, m", "Notes", "Status", "Services"],
        )
        explained = [[cell.value for cell in row] for row in book["Help"].iter_rows()]
        self.assertEqual(explained[1][:2], ["Harbour", "required"])
        self.assertTrue(explained[1][5])
        self.assertTrue(book.active.data_validations.dataValidation)

        def fill(sheet: Any) -> None:
            for at, value in enumerate(["EELGRASS", "Z-901", 7.5, "new", "free", "water; power"], start=1):
                sheet.cell(2, at).value = value

        self.assertEqual(self.terms(self.trip_of(self.back(self.edited(path, fill)))), {"create": 1})
        ods = self.send(SendOut("Berth", ("status",), headers_only=True, format="ods"))
        self.assertEqual(rows_of(self.sheets(ods)[0])[1], [])


class ByHand(SendingCase):
    def picked(self, text: str, record_type: str = "Berth") -> Picked:
        return read_keys(text, self.practice.known.type(record_type))

    def test_exactly_the_records_of_a_list_in_its_order_and_the_others_named(self) -> None:
        wanted = self.picked("EELGRASS\tB-003\nOLDBASIN\tA-001\nEELGRASS\tB-003\nEELGRASS\tX-999\n\nGULLPOINT\tC-002\n")
        trip = self.send(SendOut("Berth", ("status",), picked=wanted))
        _, rows = rows_of(self.sheets(trip)[0])
        told = [row[1:3] for row in rows]
        self.assertEqual(told, [("EELGRASS", "B-003"), ("OLDBASIN", "A-001"), ("GULLPOINT", "C-002")])
        self.assertEqual((self.result["missing"], self.result["not_found"]), (1, ["EELGRASS X-999"]))

    def test_a_header_tells_which_key_it_is_and_long_numbers_and_zeros_stay(self) -> None:
        fobs = register().get("GateFobs", **{"$top": "3"})["value"]
        text = "Print no.\n" + "\n".join(f["print_no"] for f in fobs)
        trip = self.send(SendOut("GateFob", ("blocked",), picked=self.picked(text, "GateFob")))
        self.assertEqual([row[0] for row in rows_of(self.sheets(trip)[0])[1]], [str(f["id"]) for f in fobs])
        holder = self.picked("0020418\n", "Holder")
        self.assertEqual(holder, Picked(("holder_no",), (("0020418",),)))
        self.send(SendOut("Holder", ("phone",), picked=self.picked("20418\n0020418", "Holder")))
        self.assertEqual(self.result["not_found"], ["20418 (nearest: 0020418)"])

    def test_a_short_key_finds_its_record_and_a_list_of_no_records_goes_nowhere(self) -> None:
        fob = register().get("GateFobs", **{"$top": "1"})["value"][0]
        short = str(int(fob["fob_no"].removeprefix("F")))
        trip = self.send(SendOut("GateFob", ("blocked",), picked=Picked(("fob_no",), ((short,),))))
        self.assertEqual([row[0] for row in rows_of(self.sheets(trip)[0])[1]], [str(fob["id"])])
        trips = Trip.objects.count()
        path = self.text("berth_no;harbour\nQ-1;EELGRASS\nQ-2;EELGRASS\n", "keys.csv")
        target = temporary_folder() / "none.csv"
        said = self.vexo.fails(
            "--as", "ada", "send-out", "harbour-practice", "Berth", "--keys", str(path), "-o", str(target)
        )
        self.assertIn("None of the 2 keys is that of a berth, so nothing goes out: EELGRASS Q-1, EELGRASS Q-2.", said)
        self.assertEqual((Trip.objects.count(), target.exists()), (trips, False))

    def test_over_the_command_line_from_a_sheet_and_a_plain_list(self) -> None:
        for name, content in (
            ("keys.csv", "berth_no;harbour;note\nB-003;EELGRASS;x\nQ-1;EELGRASS;y\n"),
            ("keys.txt", "EELGRASS,B-003\nEELGRASS,Q-1\n"),
        ):
            target = temporary_folder() / "picked.csv"
            told = self.vexo.json(
                "--as",
                "ada",
                "send-out",
                "harbour-practice",
                "Berth",
                "--keys",
                str(self.text(content, name)),
                "--field",
                "status",
                "-o",
                str(target),
            )
            self.assertEqual((told["rows"], told["missing"], told["not_found"]), (1, 1, ["EELGRASS Q-1"]))
            self.assertEqual(len(target.read_text(encoding="utf-8-sig").splitlines()), 2)


class KeptAndCompared(SendingCase):
    def test_records_that_another_trip_has_out_are_told_with_whose(self) -> None:
        first = self.send(
            SendOut("Berth", ("notes",), "harbour eq 'NORTHHAVEN' and startswith(berth_no,'C-01')"), title="First"
        )
        self.send(SendOut("Berth", ("status",), "harbour eq 'NORTHHAVEN' and startswith(berth_no,'C-0')"))
        other = next(one for one in self.result["also_out"] if one["trip"] == first.pk)
        self.assertEqual((other["count"], other["by"], other["title"]), (10, "Ada Quillfeather", "First"))
        self.assertEqual(self.result["also_out_note"], "")
        with patch.object(overlap, "LOOKED_AT", 1):
            self.send(SendOut("Berth", ("status",), "harbour eq 'NORTHHAVEN' and startswith(berth_no,'C-0')"))
        self.assertEqual(
            self.result["also_out_note"], "Only the newest trips with records out were looked through, 1 of them."
        )

    def test_what_changed_since_and_by_whom(self) -> None:
        where = "harbour eq 'TERNISLAND' and startswith(berth_no,'H-00')"
        trip = self.send(SendOut("Berth", ("notes", "depth_m", "status"), where))
        selection = trip.selection
        self.assertEqual(selection["records"], 9)

        def change(sheet: Any) -> None:
            sheet.cell(2, 4).value = "ours"
            sheet.cell(3, 5).value = 9.25

        self.back(self.edited(self.sheets(trip)[0], change))
        self.apply(trip)
        ids = artifacts.read(trip.kept_copies.get().path)[IDENTIFIER].to_list()
        register().change(f"Berths({ids[4]})", notes="a colleague's")
        register().change(f"Berths({ids[0]})", notes="a colleague's, over ours")
        with register().client() as client:
            client.post("Berths", json={"harbour": "TERNISLAND", "berth_no": "H-00X", "length_m": 5}).raise_for_status()
        job = run_inline(start_comparing(PartView.of(trip), self.person, run_here=True))
        self.assertEqual((job.error, job.result["cells"], job.result["ours"]), ("", 3, 1))
        trip.refresh_from_db()
        since = trip.selection["since"]
        self.assertEqual((since["then"], since["now"], since["come"], since["gone"]), (9, 10, 1, 0))
        named = {(c["record"], c["label"], c["is_now"], c["ours"]) for c in since["changes"]}
        self.assertIn(("TERNISLAND H-002", "Depth at low water, m", "9.25", True), named)
        self.assertIn(("TERNISLAND H-001", "Notes", "a colleague's, over ours", False), named)
        depth = next(t for t in since["totals"] if t["name"] == "depth_m")
        self.assertEqual(depth["then"], selection["totals"]["depth_m"])

    def test_the_kept_copy_as_a_backup_is_what_went_out(self) -> None:
        where = "harbour eq 'OLDBASIN' and startswith(berth_no,'K-0')"
        trip = self.send(SendOut("Berth", ("notes", "services", "daily_rate"), where, format="csv"))
        file, rows = write_kept(trip, "csv")
        with file:
            self.assertEqual(file.read(), self.sheets(trip)[0].read_bytes())
        self.assertEqual(rows, self.result["rows"])

    def test_sums_of_the_selection_are_kept_to_the_last_digit(self) -> None:
        trip = self.send(SendOut("Berth", ("daily_rate", "length_m"), EELGRASS))
        rates = [b["daily_rate"] for b in self.berths(EELGRASS) if b["daily_rate"] is not None]
        self.assertEqual(trip.selection["totals"]["daily_rate"], f"{sum(rates):.2f}")


class OverHTTP(SendingCase):
    def ask(self, method: str, path: str, body: Any = None) -> Any:
        from django.test import Client

        client = Client()
        client.force_login(self.person)
        kind = {"content_type": "application/json"} if body is not None else {}
        return getattr(client, method)(f"/api/{path}", body, **kind)

    def test_the_preview_is_the_sheet_as_it_will_be(self) -> None:
        body = {
            "record_type": "Berth",
            "chosen": ["status", "id", "harbour", "berth_no", "balance_due", "daily_rate", "flat_season_rate"],
            "condition": EELGRASS,
            "order": ["-daily_rate", "berth_no"],
        }
        told = self.ask("post", "applications/harbour-practice/preview", body).json()
        trip = self.send(SendOut("Berth", tuple(body["chosen"]), EELGRASS, tuple(body["order"]), format="csv"))
        headers, rows = rows_of(self.sheets(trip)[0])
        self.assertEqual(told["headers"], headers)
        self.assertEqual(told["rows"], [list(row) for row in rows[:20]])
        self.assertEqual((told["count"], told["total"] > told["count"], told["files"]), (len(rows), True, 1))
        self.assertEqual([bool(why) for why in told["for_reading"]], [False, True, False, False, True, False, True])
        figures = self.ask("post", "applications/harbour-practice/selection", body).json()
        self.assertEqual(figures["totals"]["daily_rate"], trip.selection["totals"]["daily_rate"])
        self.assertIn(trip.pk, [one["trip"] for one in figures["also_out"]])

    def test_values_are_the_applications_own(self) -> None:
        path = "applications/harbour-practice/values?record_type=Berth&field="
        harbours = self.ask("get", path + "harbour&like=eel").json()
        self.assertEqual([(v["value"], v["count"]) for v in harbours], [("EELGRASS", len(self.berths(EELGRASS)))])
        self.assertEqual([v["value"] for v in self.ask("get", path + "status&like=let").json()], ["let"])
        holders = self.ask("get", path + "holder&like=0020418").json()
        self.assertEqual([v["label"] for v in holders], ["0020418"])
        self.assertEqual(self.ask("get", path + "nothing").status_code, 422)

    def test_a_condition_is_told_both_ways_and_a_list_becomes_keys(self) -> None:
        path = "applications/harbour-practice/condition"
        clauses = {"field": "status", "does": "one-of", "values": ["let", "free"]}
        told = self.ask("post", path, {"record_type": "Berth", "clauses": clauses}).json()
        self.assertEqual((told["text"], told["sentence"]), ("status in ('let', 'free')", "Status is let or free"))
        again = self.ask("post", path, {"record_type": "Berth", "text": told["text"]}).json()
        self.assertEqual(again["clauses"], clauses)
        self.assertEqual(self.ask("post", path, {"record_type": "Berth", "text": "x eq"}).status_code, 422)
        self.assertEqual(self.ask("post", path, {"record_type": "Berth", "clauses": {"is": 5}}).status_code, 422)
        keys = {"record_type": "Berth", "text": "EELGRASS;A-001"}
        picked = self.ask("post", "applications/harbour-practice/keys", keys).json()
        self.assertEqual(picked, {"key": ["harbour", "berth_no"], "values": [["EELGRASS", "A-001"]]})
        for path in ("preview", "selection"):
            half = {"key": ["harbour", "berth_no"], "values": [["EELGRASS"]]}
            body = {"record_type": "Berth", "chosen": ["id", "daily_rate"], "picked": half}
            self.assertEqual(self.ask("post", f"applications/harbour-practice/{path}", body).status_code, 422)

    def test_routes_are_kept_changed_and_deleted(self) -> None:
        body = {"application": "harbour-practice", "name": "By web", "record_type": "Berth", "chosen": ["status"]}
        made = self.ask("post", "routes", body)
        self.assertEqual(made.status_code, 201)
        number = made.json()["id"]
        changed = self.ask("put", f"routes/{number}", {**body, "condition": EELGRASS, "version": 1}).json()
        self.assertIn("where Harbour is EELGRASS", changed["says"])
        self.assertEqual(self.ask("put", f"routes/{number}", {**body, "version": 1}).status_code, 412)
        self.assertEqual(self.ask("delete", f"routes/{number}").status_code, 204)
        self.assertNotIn(number, [route["id"] for route in self.ask("get", "routes").json()])
