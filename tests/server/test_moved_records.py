"""Records that were renamed, swapped, deleted or changed in the application since the sheet went out."""

from __future__ import annotations

from typing import Any

from tests.server.holder_sheets import HolderSheets
from tests.support import register, template

template()


class Moved(HolderSheets):
    """Records that got another key in the application than the kept copy knows."""

    def rename(self, berth: dict[str, Any], number: str) -> None:
        register().change(f"Berths({berth['id']})", berth_no=number)

    def test_a_record_renamed_in_the_application_is_asked_about(self) -> None:
        trip, path = self.out("D", "notes")
        record = register().berth("TERNISLAND", "D-001")
        self.rename(record, "D-999")

        def edit(sheet: Any) -> None:
            sheet.delete_cols(1)
            sheet.cell(2, 3).value = "mine"

        self.back(self.edited(path, edit), key=["harbour", "berth_no"])
        self.assertEqual((self.verdicts(trip)[0], self.codes(trip)[0]), ("held", ["renamed"]))
        self.decide(trip, "then", [0])
        self.assertEqual(self.verdicts(trip)[0], "update")
        self.apply(trip)
        now = register().get(f"Berths({record['id']})")
        self.assertEqual((now["notes"], now["berth_no"]), ("mine", "D-999"))

    def test_two_records_swapped_by_key_are_asked_about(self) -> None:
        trip, path = self.out("E", "notes")
        first, second = (register().berth("TERNISLAND", f"E-00{n}") for n in (1, 2))
        self.rename(first, "E-998")
        self.rename(second, "E-001")
        self.rename({"id": first["id"]}, "E-002")

        def edit(sheet: Any) -> None:
            sheet.delete_cols(1)
            sheet.cell(2, 3).value = "mine"

        self.back(self.edited(path, edit), key=["harbour", "berth_no"])
        self.assertEqual((self.verdicts(trip)[:2], self.codes(trip)[0]), (["held", "held"], ["swapped"]))
        self.decide(trip, "then", [0])
        self.assertEqual(self.table(trip)["@id"][0], str(first["id"]))

    def test_gone_means_that_the_record_itself_is_gone(self) -> None:
        body = {"harbour": "TERNISLAND", "berth_no": "F-901", "length_m": 8}
        with register().client() as client:
            made = client.post("Berths", json=body).json()
        trip, path = self.out("F", "notes")
        with register().client() as client:
            client.delete(f"Berths({made['id']})").raise_for_status()
        self.back(path)
        rows = dict(zip(self.table(trip)["proposed.berth_no"].to_list(), self.codes(trip), strict=True))
        self.assertEqual(rows["F-901"], ["gone"])

    def test_a_new_column_is_compared_two_ways_and_said(self) -> None:
        trip, path = self.out("G", "notes")

        def edit(sheet: Any) -> None:
            sheet.cell(1, 5).value = "Depth at low water, m"
            sheet.cell(2, 5).value = 7.77

        self.back(self.edited(path, edit))
        self.assertEqual(self.terms(trip)["update"], 1)
        columns = {column["field"]: column["two_way"] for column in self.newest(trip).summary["columns"]}
        self.assertEqual((columns["depth_m"], columns["notes"]), (True, False))

    def test_without_versions_a_colleagues_change_is_neither_overwritten_nor_deleted(self) -> None:
        register().behave(versions=False)
        self.make(("01", "A"), ("02", "B"))
        trip = self.trip(self.sheet(("01", "Mine", "1"), ("02", "Mine", "2")))
        self.assertTrue(self.newest(trip).summary["weak"])
        self.theirs("01", last_name="Theirs")
        one = self.apply(trip)
        self.assertEqual((one.totals["updated"], one.totals["refused"]), (1, 1))
        self.assertEqual(self.of("01")["last_name"], "Theirs")
        gone = self.trip(self.sheet(("01",), ("02",), header="holder_no"), "delete")
        self.theirs("01", phone="555")
        one = self.apply(gone)
        self.assertEqual((one.totals["deleted"], one.totals["refused"]), (1, 1))
        self.assertEqual(self.of("01")["phone"], "555")

    def test_with_versions_a_clash_goes_again_where_nothing_that_counts_was_changed(self) -> None:
        self.make(("01", "A"), ("02", "B"))
        trip = self.trip(self.sheet(("01", "Mine"), ("02", "Mine"), header="holder_no,last_name"))
        self.theirs("01", phone="555")
        self.theirs("02", last_name="Theirs")
        one = self.apply(trip)
        self.assertEqual((one.totals["updated"], one.totals["refused"]), (1, 1))
        self.assertEqual((self.of("01")["last_name"], self.of("01")["phone"]), ("Mine", "555"))
        self.assertEqual(one.reasons[0]["code"], "changed-meanwhile")
