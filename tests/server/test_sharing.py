"""A trip shared out: each part for its own person, counted back in, applied on its own."""

from __future__ import annotations

import io
import json
import zipfile
from pathlib import Path
from typing import Any

from django.test import Client as _Client

from tests.support import template, temporary_folder

template()


from tests.server.sharing_case import FIVE, SharingCase  # noqa: E402
from vexo.core.documents import SendOut, Share  # noqa: E402
from vexo.core.planning.verdicts import RowState  # noqa: E402
from vexo.server import artifacts  # noqa: E402
from vexo.server.errors import PlainError  # noqa: E402
from vexo.server.jobs.worker import enqueue, run_inline  # noqa: E402
from vexo.server.planning.context import newest_plan, plan_of  # noqa: E402
from vexo.server.sendout.selection import begin  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402
from vexo.server.trips.part_view import PartView  # noqa: E402
from vexo.server.trips.parts import give, part_named, parts_of  # noqa: E402


class Sharing(SharingCase):
    def test_five_out_two_back_one_twice_one_never(self) -> None:
        trip = self.share("B")
        self.assertEqual([part.label for part in trip.parts.all()], FIVE)
        self.assertEqual(self.states(trip), dict.fromkeys(FIVE, ("out", 0)))
        give(PartView.of(trip), self.person, part_named(trip, "OLDBASIN").number, "Ines Gullane-Marsh")
        for label in ("NORTHHAVEN", "EELGRASS"):
            job = self.back(self.noted(self.path(trip, label), f"by {label}", 2, 3))
            self.assertEqual((job.error, job.trip_id), ("", trip.pk))
        self.assertEqual(self.states(trip)["NORTHHAVEN"], ("back", 1))
        self.assertEqual(self.states(trip)["OLDBASIN"], ("out", 0))
        for label in ("NORTHHAVEN", "EELGRASS"):
            found = self.seen(trip, label)
            plan = newest_plan(found)
            assert plan is not None
            self.assertEqual((plan.revision, plan.summary["verdicts"]["update"]), (found.trip.revision, 2), label)
        one = self.apply_part(trip, "NORTHHAVEN")
        self.assertEqual(one.totals["updated"], 2)
        told = {p.label: p for p in parts_of(self.seen(trip))}
        self.assertEqual((told["NORTHHAVEN"].state, told["NORTHHAVEN"].sum[RowState.UPDATED]), ("in", 2))
        self.assertEqual((told["EELGRASS"].state, told["EELGRASS"].sum[RowState.UPDATE]), ("back", 2))
        self.assertEqual(told["EELGRASS"].says, "2 ready to apply")
        self.assertEqual(told["OLDBASIN"].holder, "Ines Gullane-Marsh")
        # The other part's plan still counts though a pass of this one ended since.
        self.assertEqual(self.apply_part(trip, "EELGRASS").totals["updated"], 2)
        again = self.back(self.noted(self.path(trip, "NORTHHAVEN"), "once more", 4))
        self.assertEqual(again.error, "")
        self.assertEqual(self.states(trip)["NORTHHAVEN"], ("back", 2))
        terms = plan_of(self.seen(trip, "NORTHHAVEN")).summary["verdicts"]
        self.assertEqual((terms["update"], terms.get("held", 0)), (1, 0))
        self.assertEqual(self.seen(trip).trip.status["parts"], {"all": 5, "back": 2})
        self.assertFalse(any(p.came for p in parts_of(self.seen(trip)) if p.label == "TERNISLAND"))

    def test_the_command_line_edits_the_columns_of_the_part_that_is_said(self) -> None:
        trip = self.share("D")

        def seen(sheet: Any) -> None:
            at = sheet.max_column + 1
            sheet.cell(1, at, "Seen")
            sheet.cell(2, at, "no")

        self.assertEqual(self.back(self.edited(self.path(trip, "EELGRASS"), seen)).error, "")
        self.assertEqual(self.back(self.noted(self.path(trip, "NORTHHAVEN"), "plain", 2)).error, "")
        edit = ("edit", str(trip.pk), "--row", "2", "--column", "Seen", "--value", "yes", "--json")
        done = self.vexo.run("--as", "ada", "--part", "EELGRASS", *edit)
        self.assertEqual(done.returncode, 1, f"{done.stdout} {done.stderr}")
        self.assertEqual(json.loads(done.stdout)["part"], "EELGRASS")
        number = str(trip.pk)
        for words in (edit, ("review", number), ("apply", number, "--yes"), ("decide", number, "aside", "--row", "2")):
            nameless = self.vexo.run("--as", "ada", *words)
            self.assertEqual(nameless.returncode, 2)
            self.assertIn("Say which part is meant: EELGRASS, ", nameless.stdout + nameless.stderr)
        self.assertEqual(self.vexo.run("--as", "ada", "parts", number).returncode, 0)
        self.assertIn("no column 'Seen'", self.vexo.run("--as", "ada", "--part", "NORTHHAVEN", *edit).stdout)

    def test_a_trip_over_several_groups_shows_the_sum_for_each(self) -> None:
        document = SendOut("Berth", ("notes",), "startswith(berth_no,'K-00')")
        trip = begin(self.practice, document, "ada", "All at once")
        job = run_inline(enqueue("send out", "ada", PartView.of(trip), run_here=True))
        path = self.path(trip, "")
        self.assertEqual(job.error, "")
        self.back(self.noted(path, "grouped", 2, 3, 12))
        from vexo.server.rows.groups import group_sums

        def told() -> dict[str, dict[str, int]]:
            return {one["value"]: one["sum"] for one in group_sums(self.seen(trip), "Harbour")}

        planned = told()
        self.assertEqual(sum(own.get("update", 0) for own in planned.values()), 3)
        self.assertEqual(planned["EELGRASS"]["update"], 2)
        self.apply(trip)
        self.assertEqual(
            {value: own.get("updated", 0) for value, own in told().items() if "updated" in own}["EELGRASS"], 2
        )
        with self.assertRaisesRegex(PlainError, "no column 'Nothing'"):
            group_sums(self.seen(trip), "Nothing")

    def test_rows_of_another_part_are_rejected_and_named(self) -> None:
        trip = self.share("C")
        other = [cell.value for cell in next(self.rows(self.path(trip, "GULLPOINT")))]
        job = self.back(self.edited(self.path(trip, "OLDBASIN"), lambda sheet: sheet.append(other)))
        self.assertEqual(job.error, "")
        self.assertEqual(self.verdicts(self.seen(trip).trip)[-1], "rejected")
        self.assertEqual(self.codes(self.seen(trip).trip)[-1][0], "other-part")
        from vexo.server.faults import words

        self.assertIn("“GULLPOINT”; bring it in there", words("other-part", "", ["GULLPOINT"]))

    def rows(self, path: Path) -> Any:
        import openpyxl

        return openpyxl.load_workbook(path).active.iter_rows(min_row=2)

    def test_new_rows_of_one_part_do_not_hold_those_of_another(self) -> None:
        trip = self.share("D")

        def add(number: str, harbour: str) -> Any:
            return lambda sheet: sheet.append([None, harbour, number, None, "free"])

        for label in ("EELGRASS", "GULLPOINT"):
            sheet = self.edited(self.path(trip, label), add("Y-801", label))
            self.back(sheet, operation="upsert", columns={})
            found = self.seen(trip, label)
            self.assertEqual(plan_of(found).summary["verdicts"].get("held", 0), 0, label)

    def test_what_counts_for_all_parts_makes_the_plans_of_all_old(self) -> None:
        from vexo.server.edits.row_filter import carry_only

        trip = self.share("H")
        for label in ("GULLPOINT", "OLDBASIN"):
            self.back(self.noted(self.path(trip, label), "said", 2))
        found = self.seen(trip, "OLDBASIN")
        run_inline(carry_only(found, self.person, condition="Berth_no ne 'H-001'", run_here=True))
        plans = {label: newest_plan(self.seen(trip, label)) for label in ("GULLPOINT", "OLDBASIN")}
        now = self.seen(trip).trip.revision
        counts = {label: plan is not None and plan.revision == now for label, plan in plans.items()}
        self.assertEqual(counts, {"GULLPOINT": False, "OLDBASIN": True})
        told = {p.label: p.says for p in parts_of(self.seen(trip))}
        self.assertEqual(told["GULLPOINT"], "to be planned again")

    def test_groups_share_a_sheet_and_what_no_group_names_has_its_own(self) -> None:
        reach = Share("harbour", (("North Reach", ("NORTHHAVEN", "GULLPOINT")), ("Nowhere", ("X",))))
        trip = self.share("E", reach)
        self.assertEqual([p.label for p in trip.parts.all()], ["North Reach", "EELGRASS", "OLDBASIN", "TERNISLAND"])
        self.assertEqual(trip.parts.get(label="North Reach").kept_copies.get().rows, 18)
        holders = self.share("A", Share("holder/last_name"))
        self.assertIn("No Holder › Last name", [p.label for p in holders.parts.all()])

    def test_text_files_are_known_by_their_records_and_one_zip_holds_all(self) -> None:
        trip = self.share("F", format_="csv")
        client = _Client()
        client.force_login(self.person)
        answer = client.get(f"/api/trips/{trip.pk}/parts.zip")
        with zipfile.ZipFile(io.BytesIO(b"".join(answer.streaming_content))) as archive:
            names = archive.namelist()
            content = archive.read(next(n for n in names if "ternisland" in n)).decode("utf-8-sig")
        self.assertEqual(len(names), 5)
        lines = content.split("\r\n")
        lines[1] = lines[1].replace(",,", ",told by text,") if ",," in lines[1] else lines[1]
        job = self.back(self.text("\r\n".join(lines), "from-the-island.csv"))
        self.assertEqual((job.error, job.trip_id), ("", trip.pk))
        self.assertEqual(self.states(trip)["TERNISLAND"], ("back", 1))

    def test_rows_not_in_go_back_to_their_own_part(self) -> None:
        from vexo.server.passes.receipts import write_rejects

        trip = self.share("G")
        path = self.path(trip, "OLDBASIN")
        self.back(self.edited(path, lambda sheet: (sheet.cell(2, 5, "nothing"), sheet.cell(3, 4, "fine"))))
        self.back(self.noted(self.path(trip, "EELGRASS"), "later", 2))
        self.apply_part(trip, "OLDBASIN")
        left = temporary_folder() / "not-in.xlsx"
        write_rejects(self.seen(trip, "OLDBASIN"), left)
        job = self.back(self.edited(left, lambda sheet: sheet.cell(2, 5, "free")))
        self.assertEqual((job.error, self.states(trip)["OLDBASIN"][1], self.states(trip)["EELGRASS"][1]), ("", 2, 1))

    def test_over_http_each_request_names_its_part_and_two_people_do_not_meet(self) -> None:
        trip = self.share("H")
        for label in ("EELGRASS", "TERNISLAND"):
            self.back(self.noted(self.path(trip, label), label, 2))
        client = _Client()
        client.force_login(self.person)
        number = {p.label: p.number for p in parts_of(self.seen(trip))}
        for label in ("EELGRASS", "TERNISLAND", "EELGRASS"):
            page = client.get(f"/api/trips/{trip.pk}?part={number[label]}").json()
            self.assertEqual((page["part"], page["sum"]["update"]), (number[label], 1))
            rows = client.get(f"/api/trips/{trip.pk}/rows?part={number[label]}&state=update").json()
            self.assertEqual(rows["total"], 1)
            self.assertIn(label, str(rows["rows"][0]["cells"]))
        self.assertEqual(client.get(f"/api/trips/{trip.pk}?part=99").status_code, 404)
        self.assertEqual(client.get(f"/api/trips/{trip.pk}?part=x").status_code, 400)
        body = {"holder": "Bram Tidewell"}
        answer = client.patch(f"/api/trips/{trip.pk}/parts/2", body, content_type="application/json")
        self.assertEqual(answer.json()["parts"][1]["holder"], "Bram Tidewell")

    def test_on_the_command_line(self) -> None:
        trip = self.share("J")
        self.back(self.noted(self.path(trip, "GULLPOINT"), "x", 2))
        self.back(self.noted(self.path(trip, "OLDBASIN"), "y", 2, 3))
        told = self.vexo.json("--as", "ada", "parts", str(trip.pk), "--give", "OLDBASIN=Knot")["parts"]
        self.assertEqual(
            [(p["label"], p["holder"]) for p in told if p["came"]], [("GULLPOINT", ""), ("OLDBASIN", "Knot")]
        )
        long = self.vexo.run("--as", "ada", "parts", str(trip.pk), "--give", f"OLDBASIN={'x' * 121}")
        self.assertEqual((long.returncode, "at most 120 characters" in long.stderr), (2, True), long.stderr)
        self.assertEqual(trip.parts.get(label="OLDBASIN").holder, "Knot")
        for label, count in (("GULLPOINT", 1), ("OLDBASIN", 2)):
            done = self.vexo.run("--as", "ada", "--part", label, "review", str(trip.pk), "--json")
            self.assertIn(f'"update": {count}', done.stdout, done.stderr)
        self.assertIn("It has: 1 EELGRASS", self.vexo.run("--part", "X", "review", str(trip.pk)).stderr)

    def test_parts_that_cannot_be_told_apart_or_are_too_many_are_refused_before_any_is_written(self) -> None:
        for record_type, share, words in (
            ("Holder", Share("holder_no"), "at most 500"),
            ("Berth", Share("harbour", (("OLDBASIN", ("NORTHHAVEN",)),)), "A group is called OLDBASIN, which is also"),
        ):
            trip = begin(self.practice, SendOut(record_type, share=share), "ada")
            job = run_inline(enqueue("send out", "ada", PartView.of(trip), run_here=True))
            self.assertIn(words, job.error)
            self.assertFalse(trip.sheets.exists())
        with self.assertRaises(PlainError):
            part_named(trip, "1")

    def test_while_parts_are_out_nothing_that_a_sheet_lacks_goes_and_never_another_parts(self) -> None:
        trip = self.share("F")
        first, *others = FIVE
        lacking = self.edited(self.path(trip, first), lambda sheet: sheet.delete_rows(2))
        self.assertEqual(self.back(lacking, operation="make-same", reach="startswith(berth_no,'F-00')").error, "")
        reasons = self.absent(trip, first)
        self.assertEqual(set(reasons), {"parts-out"})
        for label in others:
            self.assertEqual(self.back(self.path(trip, label)).error, "")
        for label in (first, others[0]):
            found = self.seen(trip, label)
            self.assertLess(plan_of(found).revision, found.trip.revision, "it no longer counts: all parts are back")
        run_inline(enqueue("plan", "ada", self.seen(trip, others[0]), run_here=True, fresh=True))
        run_inline(enqueue("plan", "ada", self.seen(trip, first), run_here=True, fresh=True))
        reasons = self.absent(trip, first)
        self.assertEqual(reasons.count(None), 1, "its own record that the sheet lacks")
        self.assertEqual(set(reasons) - {None}, {"other-part"})
        whole = self.absent(trip, others[0])
        self.assertEqual(set(whole), {"other-part"}, "that part lacks nothing, and has no word about the others")

    def absent(self, trip: Trip, label: str) -> list[str | None]:
        """Why each record stays that the newest sheet of a part does not have; null where it goes."""
        found = self.seen(trip, label)
        return list(artifacts.read(plan_of(found).absent_path)["@reason"])
