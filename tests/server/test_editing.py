"""Edits over a trip's sheet, from the cell to the application's records; only some rows; what is expected."""

from __future__ import annotations

from typing import Any
from unittest.mock import patch

from tests.server.holder_sheets import HolderSheets
from tests.server.services import ServiceCase
from tests.support import register, template

template()

from django.test import Client  # noqa: E402

from vexo.core.sheets.overlay.edits import EditError  # noqa: E402
from vexo.server import artifacts  # noqa: E402
from vexo.server.data_folder import absolute  # noqa: E402
from vexo.server.edits import edits  # noqa: E402
from vexo.server.edits.row_filter import carry_only, expect  # noqa: E402
from vexo.server.errors import PlainError  # noqa: E402
from vexo.server.jobs.models import Job  # noqa: E402
from vexo.server.jobs.worker import run_inline  # noqa: E402
from vexo.server.mapping.columns import Changes, change  # noqa: E402
from vexo.server.rows.edit_requests import EditRequest, make_edit  # noqa: E402
from vexo.server.trips.facts import to_json  # noqa: E402
from vexo.server.trips.part_view import PartView  # noqa: E402
from vexo.server.trips.trip_pages import totals_of  # noqa: E402


class EditCase(ServiceCase):
    def edit(self, trip: Any, kind: str, row: int | None = None, column: str = "", **more: Any) -> Any:
        """An edit of a column (by its header) in a row (by its number in the sheet), planned."""
        trip.refresh_from_db()
        names = {c["header"]: c["column"] for c in trip.status["columns"]}
        asked = {"kind": kind, "column": names.get(column, ""), **more}
        if row is not None:
            asked["row_id"] = self.row_ids(trip)[row]
        made, job = make_edit(PartView.of(trip), self.person, EditRequest.of(asked), run_here=True)
        self.assertEqual(run_inline(job).error, "")
        trip.refresh_from_db()
        return made

    def row_ids(self, trip: Any) -> dict[int, int]:
        cells = artifacts.read(trip.sheets.last().cells, ["row", "row_id"])
        return dict(cells.iter_rows())

    def undo(self, trip: Any, number: int) -> None:
        self.assertEqual(run_inline(edits.undo(PartView.of(trip), self.person, number, run_here=True)).error, "")
        trip.refresh_from_db()


class Holders(HolderSheets, EditCase):
    def test_a_refused_row_is_put_right_and_goes_as_another_pass(self) -> None:
        self.make(("01", "a"), ("02", "b"))
        trip = self.trip(
            self.sheet(("01", "x", "nobody.example"), ("02", "y", "y@example.org"), header="holder_no,last_name,email")
        )
        upload = absolute(trip.sheets.last().path).read_bytes()
        one = self.apply(trip)
        self.assertEqual((one.totals["updated"], one.totals["refused"]), (1, 1))
        self.edit(trip, "cell", 2, "email", text="x@example.org")
        self.assertEqual(self.verdicts(trip), ["update", "same"])
        two = self.apply(trip)
        self.assertEqual((two.totals["updated"], two.totals["refused"]), (1, 0))
        self.assertEqual([h["email"] for h in self.holders(self.begin)], ["x@example.org", "y@example.org"])
        self.plan(trip)
        self.assertEqual(self.verdicts(trip), ["same", "same"])
        self.assertEqual(absolute(trip.sheets.last().path).read_bytes(), upload)

    def test_edits_are_undone_one_by_one_whatever_came_later(self) -> None:
        self.make(("01", "a"), ("02", "b"))
        trip = self.trip(self.sheet(("01", "a", "1"), ("02", "b", "2")))
        first = self.edit(trip, "cell", 2, "last_name", text="A1")
        self.edit(trip, "fill", 2, "last_name")
        self.assertEqual(self.table(trip)["proposed.last_name"].to_list(), ["A1", "A1"])
        self.undo(trip, first.pk)
        self.assertEqual(self.table(trip)["proposed.last_name"].to_list(), ["a", "A1"])
        with self.assertRaisesRegex(PlainError, "no edit"):
            edits.undo(PartView.of(trip), self.person, first.pk)

    def test_only_edited_cells_are_typed_anew_and_a_key_finds_its_record(self) -> None:
        self.make(("01", "a"), ("02", "b"))
        trip = self.trip(self.sheet(("0x", "n", "1"), ("02", "b", "2")))
        self.assertEqual(self.verdicts(trip), ["rejected", "update"])
        records = self.newest(trip).records_path
        self.edit(trip, "cell", 2, "holder_no", text=f"{self.begin}01")
        self.assertEqual((self.verdicts(trip), self.newest(trip).records_path), (["update", "update"], records))

    def test_a_newer_version_of_the_file_keeps_edits_where_it_says_the_same(self) -> None:
        self.make(("01", "a"), ("02", "b"))
        content = self.sheet(("01", "n", "1"), ("02", "m", "2"))
        trip = self.trip(content)
        self.edit(trip, "replace", column="last_name", replace={"find": "n", "put": "N"})
        self.edit(trip, "cell", 3, "last_name", text="M")
        self.again(trip, content.replace(",m,", ",o,").replace("phone", "phone,more").replace(",1", ",1,z"))
        self.assertEqual(self.table(trip)["proposed.last_name"].to_list(), ["N", "o"])

    def test_an_edit_goes_on_with_its_field_where_a_newer_version_calls_the_column_otherwise(self) -> None:
        self.make(("01", "a"), ("02", "b"))
        content = self.sheet(("01", "n", "1"), ("02", "m", "2"), header="holder_no,last_name,phone")
        trip = self.trip(content)
        self.edit(trip, "cell", 2, "phone", text="11")
        self.edit(trip, "cell", 3, "phone", text="22")
        self.edit(trip, "cell", 3, "last_name", text="M")
        for header, known in (("Qwx", False), ("Telephone", True)):
            self.again(trip, content.replace("phone", header).replace(",m,", ",o,"))
            if not known:
                told = self.listed(trip)
                self.assertEqual([one["lapsed"] for one in told], [1, 1, 1])
                self.assertIn("corrected.csv has no column phone (1 cell)", told[1]["why"])
                self.assertIn("says something else there", told[0]["why"])
                change(PartView.of(trip), self.person, Changes(columns={header: "phone"}), run_here=True)
            self.plan(trip)
            self.assertEqual(self.table(trip)["proposed.phone"].to_list(), ["11", "22"], header)
            self.assertEqual([one["lapsed"] for one in self.listed(trip)], [1, 0, 0])
        change(PartView.of(trip), self.person, Changes(columns={"Telephone": ""}), run_here=True)
        self.assertEqual([one["lapsed"] for one in self.listed(trip)], [1, 1, 1])
        change(PartView.of(trip), self.person, Changes(columns={"Telephone": "phone"}), run_here=True)
        self.plan(trip)
        self.assertEqual(self.table(trip)["proposed.phone"].to_list(), ["11", "22"])
        self.again(trip, content)
        self.assertEqual([one["lapsed"] for one in self.listed(trip)], [0, 0, 0])
        self.assertEqual(self.table(trip)["proposed.last_name"].to_list(), ["n", "M"])

    def listed(self, trip: Any) -> list[dict[str, Any]]:
        """The trip's edits, newest first, once it is seen that API and command line say the same of them."""
        trip.refresh_from_db()
        client = Client()
        client.force_login(self.person)
        told = client.get(f"/api/trips/{trip.pk}/edits").json()
        said = self.vexo.json("--as", "ada", "edits", str(trip.pk), "--json")["edits"]
        self.assertEqual(
            [(one["id"], one["lapsed"], one["why"]) for one in told],
            [(one["id"], one["lapsed"], one["why"]) for one in said],
        )
        return list(told)

    def test_nothing_is_edited_while_a_pass_is_under_way(self) -> None:
        self.make(("01", "a"))
        trip = self.trip(self.sheet(("01", "n", "1")))
        job = self.start(trip)
        with self.assertRaisesRegex(PlainError, "under way"):
            self.edit(trip, "cell", 2, "last_name", text="x")
        run_inline(job)

    def test_many_cells_by_pattern_block_and_fill(self) -> None:
        self.make(*[(f"{n:02}", "a") for n in range(1, 5)])
        trip = self.trip(self.sheet(*[(f"{n:02}", f"Name {n}", "") for n in range(1, 5)]))
        self.edit(trip, "replace", column="last_name", replace={"find": r"Name (\d)", "put": "N$1", "pattern": True})
        self.edit(trip, "paste", 3, "last_name", block=[["P2", "22"], ["P3", "33"]])
        self.edit(trip, "fill", 4, "phone", rows=1)
        table = self.table(trip)
        self.assertEqual(table["proposed.last_name"].to_list(), ["N1", "P2", "P3", "N4"])
        self.assertEqual(table["proposed.phone"].to_list(), [None, "22", "33", "33"])
        with self.assertRaisesRegex(EditError, "from this cell on the sheet has 1 by 1"):
            self.edit(trip, "paste", 5, "phone", block=[["1"], ["2"]])
        self.edit(trip, "fill", 3, "last_name", shown={"text": "p"})
        self.assertEqual(self.table(trip)["proposed.last_name"].to_list(), ["N1", "P2", "P2", "N4"])

    def test_only_some_rows_are_carried_the_others_set_aside_with_that_reason(self) -> None:
        self.make(("01", "a"), ("02", "b"), ("03", "c"))
        header = "holder_no,last_name,phone,To do?"
        rows = [("01", "x", "1", "yes"), ("02", "y", "2", "no"), ("03", "z", "3", "yes")]
        trip = self.trip(self.sheet(*rows, header=header))
        row_ids = self.row_ids(trip)
        run_inline(
            carry_only(
                PartView.of(trip), self.person, condition="To_do eq 'yes'", leave_out=[row_ids[4]], run_here=True
            )
        )
        self.assertEqual(self.verdicts(trip), ["update", "aside", "aside"])
        self.assertEqual(self.codes(trip), [[], ["not-meant"], ["left-out"]])
        run_inline(carry_only(PartView.of(trip), self.person, take_in=[row_ids[4]], run_here=True))
        self.assertEqual(self.verdicts(trip), ["update", "aside", "update"])
        run_inline(carry_only(PartView.of(trip), self.person, condition="", run_here=True))
        self.assertEqual(self.verdicts(trip), ["update"] * 3)
        with self.assertRaisesRegex(PlainError, "not in the newest sheet"):
            carry_only(PartView.of(trip), self.person, leave_out=[99], run_here=True)
        run_inline(carry_only(PartView.of(trip), self.person, carry="none", take_in=[row_ids[3]], run_here=True))
        self.assertEqual(self.verdicts(trip), ["aside", "update", "aside"])
        run_inline(carry_only(PartView.of(trip), self.person, carry="all", run_here=True))
        self.assertEqual(self.verdicts(trip), ["update"] * 3)

    def test_counts_totals_and_what_is_expected(self) -> None:
        trip = self.trip(self.sheet(("01", "x", "1.5"), ("02", "y", "2.25")), operation="upsert")
        phone = to_json(totals_of(PartView.of(trip)))["columns"][2]
        self.assertEqual((phone["sum"], phone["least"], phone["filled"]), ("3.75", "1.50", 2))
        expect(PartView.of(trip), self.person, rows=2, sums={"phone": "3,75"})
        self.assertEqual([one["off"] for one in to_json(totals_of(PartView.of(trip)))["expected"]], ["", ""])
        self.edit(trip, "cell", 2, "phone", text="1.75")
        told = to_json(totals_of(PartView.of(trip)))
        self.assertEqual(told["columns"][2]["sum"], "4.00")
        self.assertEqual([one["off"] for one in told["expected"]], ["", "+0.25"])
        self.assertEqual(trip.sheets.last().totals["came"]["c2"]["sum"], "3.75")
        with self.assertRaisesRegex(PlainError, "not a number"):
            expect(PartView.of(trip), self.person, sums={"phone": "much"})


class OverHttp(EditCase):
    def client(self) -> Client:
        client = Client()
        client.force_login(self.person)
        return client

    def test_an_edit_is_planned_at_once_and_a_stale_page_is_told(self) -> None:
        trip = self.bring("harbour,berth_no,notes\nTERNISLAND,E-001,a\nTERNISLAND,E-002,b\n")
        client = self.client()
        body = {"kind": "cell", "row_id": self.row_ids(trip)[2], "column": "c2", "text": "by hand"}
        path = f"/api/trips/{trip.pk}/edits"
        seen = client.get(f"/api/trips/{trip.pk}").json()
        answer = client.post(path, body, content_type="application/json", headers={"If-Match": f'"{seen["version"]}"'})
        self.assertEqual((answer.status_code, answer.json()["plan"]["current"], answer.json()["edits"]), (200, True, 1))
        stale = client.post(path, body, content_type="application/json", headers={"If-Match": f'"{seen["version"]}"'})
        self.assertEqual(stale.status_code, 412)
        row = client.get(f"/api/trips/{trip.pk}/rows").json()["rows"][0]
        self.assertEqual((row["cells"][2]["text"], row["cells"][2]["file_text"]), ("by hand", "a"))
        file_ = client.get(f"/api/trips/{trip.pk}/rows?view=file").json()["rows"][0]
        self.assertEqual((file_["cells"][2]["text"], file_["cells"][2]["file_text"]), ("by hand", "a"))
        listed = client.get(path).json()
        self.assertEqual(listed[0]["first"], [{"header": "notes", "before": "a", "after": "by hand"}])
        undone = client.delete(f"{path}/{listed[0]['id']}").json()
        self.assertEqual((undone["edits"], undone["plan"]["current"]), (0, True))
        nowhere = {"kind": "cell", "text": "x"}
        self.assertEqual(client.post(path, nowhere, content_type="application/json").status_code, 422)

    def test_a_reference_is_looked_up_by_a_worker_never_in_the_request(self) -> None:
        holder = register().get("Holders", **{"$top": "1"})["value"][0]
        trip = self.bring("harbour,berth_no,holder\nTERNISLAND,E-003,0000000\n")
        self.assertEqual(self.codes(trip), [["names-none"]])
        body = {"kind": "cell", "row_id": self.row_ids(trip)[2], "column": "c2", "text": holder["holder_no"]}
        answer = self.client().post(f"/api/trips/{trip.pk}/edits", body, content_type="application/json").json()
        self.assertEqual(answer["job"]["state"], "queued")
        run_inline(Job.objects.get(pk=answer["job"]["id"]))
        self.assertNotIn("names-none", str(self.codes(trip)))

    def test_what_was_edited_since_a_pass_is_shown_beside_what_it_sent(self) -> None:
        trip = self.bring("harbour,berth_no,daily_rate\nTERNISLAND,E-004,501\n")
        self.decide(trip, "file", code="far-out")
        self.assertEqual(self.apply(trip).totals["refused"], 1)
        self.edit(trip, "cell", 2, "daily_rate", text="41")
        row = self.client().get(f"/api/trips/{trip.pk}/outcome").json()["rows"][0]
        self.assertEqual((row["cells"][2]["text"], row["cells"][2]["text_now"]), ("501.00", "41"))

    def test_the_command_line_does_the_same(self) -> None:
        trip = str(
            self.bring("harbour,berth_no,daily_rate,notes\nTERNISLAND,E-005,40.10,a\nTERNISLAND,E-006,41,b\n").pk
        )
        self.vexo.json("--as", "ada", "edit", trip, "--row", "2", "--column", "notes", "--value", "c")
        self.vexo.json("--as", "ada", "edit", trip, "--row", "2", "--column", "notes", "--down", "1")
        listed = self.vexo.json("--as", "ada", "edits", trip)["edits"]
        self.assertEqual([one["kind"] for one in listed], ["fill", "cell"])
        self.vexo.json("--as", "ada", "edits", trip, "--undo", str(listed[0]["id"]))
        self.vexo.json("--as", "ada", "edit", trip, "--column", "notes", "--find", "^b$", "--replace", "d", "--pattern")
        told = self.vexo.json("--as", "ada", "totals", trip, "--expect-rows", "2", "--expect", "daily_rate=81.10")
        self.assertEqual(told["fields"]["daily_rate"]["sheet"], "81.10")
        self.vexo.json("--as", "ada", "totals", trip, "--expect-rows", "3", code=1)
        some = self.vexo.json("--as", "ada", "only", trip, "--where", "daily_rate gt 40.5", code=1)
        self.assertEqual((some["verdicts"]["aside"], [item["code"] for item in some["open"]]), (1, ["expected"]))
        self.assertIn(
            "no column 'x'", self.vexo.fails("--as", "ada", "edit", trip, "--row", "2", "--column", "x", "--value", "1")
        )


class KeptCells(EditCase):
    """A sheet's cells are kept as reading left them where its rows are numbered so, whatever becomes of the reading."""

    HEAD = "harbour,berth_no,notes"

    def cells(self, trip: Any) -> list[tuple[Any, ...]]:
        return artifacts.read(trip.sheets.last().cells, ["row_id", "row", "c1", "c2"]).rows()

    def as_read(self, trip: Any) -> bool:
        """Whether the newest sheet's cells are the very file that reading left."""
        kept = absolute(trip.sheets.last().cells)
        return any(path.samefile(kept) for path in (self.vexo.data / "stages" / "reading").glob("*.parquet"))

    def test_they_stay_when_the_reading_goes_and_are_others_where_rows_are_numbered_otherwise(self) -> None:
        trip = self.bring(f"{self.HEAD}\nTERNISLAND,G-001,one\nTERNISLAND,G-002,two\n")
        self.assertTrue(self.as_read(trip), "kept under a second name, and not written again")
        for path in (self.vexo.data / "stages" / "reading").iterdir():
            path.unlink()
        self.assertEqual(self.cells(trip), [(0, 2, "G-001", "one"), (1, 3, "G-002", "two")])
        self.edit(trip, "cell", 3, "notes", text="edited")
        self.assertEqual(self.table(trip)["proposed.notes"].to_list(), ["one", "edited"])
        again = self.bring(f"{self.HEAD}\nTERNISLAND,G-002,two\nTERNISLAND,G-003,new\n", trip=trip.pk)
        self.assertEqual(self.cells(again), [(1, 2, "G-002", "two"), (2, 3, "G-003", "new")])
        self.assertFalse(self.as_read(again))
        same = self.bring(f"{self.HEAD}\nTERNISLAND,G-001,x\nTERNISLAND,G-002,y\n", trip=trip.pk)
        self.assertEqual(self.cells(same), [(0, 2, "G-001", "x"), (1, 3, "G-002", "y")])

    def test_a_disk_that_gives_no_file_a_second_name_keeps_them_all_the_same(self) -> None:
        with patch("os.link", side_effect=OSError("not here")):
            trip = self.bring(f"{self.HEAD}\nTERNISLAND,G-004,one\n")
        self.assertEqual((self.as_read(trip), self.cells(trip)), (False, [(0, 2, "G-004", "one")]))
