"""Which records a trip may touch: nothing outside its reach is written, whatever the sheet says."""

from __future__ import annotations

from typing import Any

from django.test import Client

from tests.server.test_lanes import LaneCase
from tests.support import register, template

template()

from vexo.core.conditions import ConditionError  # noqa: E402
from vexo.core.documents import BringIn, SendOut  # noqa: E402
from vexo.server.errors import PlainError  # noqa: E402
from vexo.server.jobs.worker import run_inline  # noqa: E402
from vexo.server.planning.absent_records import absent_records  # noqa: E402
from vexo.server.planning.measured_keys import measured_keys, start_measuring  # noqa: E402
from vexo.server.routes.models import Route  # noqa: E402
from vexo.server.routes.saved_routes import Wanted, fit_of, keep_route  # noqa: E402
from vexo.server.sendout.selection import begin  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402
from vexo.server.trips.part_view import PartView  # noqa: E402


class Reached(LaneCase):
    def named(self, *numbers: str) -> str:
        """Of these holders the surname is ours: they are in reach."""
        for number in numbers:
            self.theirs(number, last_name=f"Ours {self.begin}")
        return f"last_name eq 'Ours {self.begin}'"

    def test_a_foreign_sheet_touches_all_records_until_its_reach_is_said(self) -> None:
        self.make(("01", "a"), ("02", "b"))
        reach = self.named("01")
        content = self.sheet(("01", "1"), ("02", "2"), ("03", "3"), header="holder_no,phone")
        trip = self.trip(content)
        self.assertEqual(self.verdicts(trip), ["update", "update", "rejected"])
        self.change(trip, reach=reach)
        self.assertEqual(self.codes(trip), [[], ["outside-reach"], ["not-found"]])
        self.assertEqual(self.newest(trip).counts["reach"]["records"], 1)
        self.assertEqual(self.apply(trip).totals["updated"], 1)
        self.assertEqual([self.of(number)["phone"] for number in ("01", "02")], ["1", None])
        self.change(trip, reach="all")
        self.assertEqual(self.verdicts(trip), ["same", "update", "rejected"])

    def test_it_binds_every_operation_and_each_way_in(self) -> None:
        self.make(("01", "a"), ("02", "b"))
        reach = self.named("01")
        for operation, verdicts in (("update", ["update", "rejected"]), ("upsert", ["update", "rejected"]),
                                    ("delete", ["delete", "rejected"])):  # fmt: skip
            with self.subTest(operation):
                content = self.sheet(("01", "1"), ("02", "2"), header="holder_no,phone")
                trip = self.trip(content, operation, reach=reach)
                self.assertEqual((self.verdicts(trip), self.codes(trip)[1]), (verdicts, ["outside-reach"]))
        content = self.sheet(("01", "1"), ("02", "2"), header="holder_no,phone")
        done = self.vexo.run(
            "--as", "ada", "bring-in", "harbour-practice", "Holder", str(self.text(content)), "--trip", "new",
            "--key", "holder_no", "--reach", reach, "--json",
        )  # fmt: skip
        self.assertEqual((done.returncode, '"rejected": 1' in done.stdout), (1, True), done.stdout + done.stderr)

    def test_a_new_record_must_lie_in_reach_where_its_values_tell(self) -> None:
        inside = f"Ours {self.begin}"
        content = self.sheet(("91", inside), ("92", "Theirs"), header="holder_no,last_name")
        trip = self.trip(content, "upsert", reach=f"last_name eq '{inside}'")
        self.assertEqual((self.verdicts(trip), self.codes(trip)[1]), (["create", "rejected"], ["outside-reach"]))
        untold = self.trip(content, "upsert", reach="phone eq '1'")
        self.assertEqual(self.verdicts(untold), ["create", "create"])

    def test_an_update_may_move_a_record_out_and_stays_this_trips(self) -> None:
        self.make(("01", "a"))
        reach = self.named("01")
        trip = self.trip(self.sheet(("01", "Moved out"), header="holder_no,last_name"), reach=reach)
        self.assertEqual(self.apply(trip).totals["updated"], 1)
        self.plan(trip)
        self.assertEqual(self.verdicts(trip), ["same"])
        self.again(trip, self.sheet(("01", "Moved further"), header="holder_no,last_name"))
        self.assertEqual(self.codes(trip), [["outside-reach"]], "it is outside now, and is written to no more")
        self.change(trip, operation="delete")
        self.assertEqual(self.codes(trip), [["outside-reach"]])
        self.assertEqual(self.of("01")["last_name"], "Moved out")

    def test_what_a_sheet_that_went_out_made_stays_in_its_reach(self) -> None:
        trip, path = self.out("J", "length_m", "notes")

        def add(sheet: Any) -> None:
            last = sheet.max_row + 1
            for at, value in enumerate((None, "TERNISLAND", "ZZ-7741", 8.5, "new"), 1):
                sheet.cell(last, at).value = value

        added = self.edited(path, add)
        self.back(added, key=["harbour", "berth_no"], operation="upsert")
        self.assertEqual(self.verdicts(trip)[-1], "create")
        self.assertEqual(self.apply(trip).totals["created"], 1)

        def edit(sheet: Any) -> None:
            sheet.cell(sheet.max_row, 5).value = "edited"

        self.back(self.edited(added, edit))
        self.assertEqual((self.verdicts(trip)[-1], self.codes(trip)[-1]), ("update", []))

    def test_a_sheet_that_went_out_touches_what_went_out_and_new_records(self) -> None:
        trip, path = self.out("G", "notes")

        def edit(sheet: Any) -> None:
            sheet.cell(2, 4).value = "ours"
            last = sheet.max_row + 1
            for at, value in enumerate((None, "TERNISLAND", "H-001", "not ours"), 1):
                sheet.cell(last, at).value = value
            for at, value in enumerate((None, "TERNISLAND", "G-991", "new"), 1):
                sheet.cell(last + 1, at).value = value

        self.back(self.edited(path, edit), key=["harbour", "berth_no"], operation="upsert")
        self.assertEqual(self.verdicts(trip)[0], "update")
        self.assertEqual(self.codes(trip)[-2], ["outside-reach"])
        self.assertNotIn("outside-reach", self.codes(trip)[-1])
        before = register().berth("TERNISLAND", "H-001")["notes"]
        self.decide(trip, "aside", [len(self.verdicts(trip)) - 1])
        self.assertEqual(self.apply(trip).totals["updated"], 1)
        self.assertEqual(register().berth("TERNISLAND", "H-001")["notes"], before)
        self.change(trip, reach="all")
        self.assertEqual(self.verdicts(trip)[-2], "update")

    def test_keys_are_measured_within_it_and_what_cannot_be_a_reach_is_refused(self) -> None:
        self.make(("01", "a"), ("02", "b"))
        reach = self.named("01")
        trip = self.trip(self.sheet(("01", "1"), ("02", "2"), header="holder_no,phone"), reach=reach)
        self.assertEqual(run_inline(start_measuring(PartView.of(trip), self.person, run_here=True)).error, "")
        told = measured_keys(PartView.of(trip))
        [by_number] = [one for one in told.candidates if one.fields == ["holder_no"]]
        self.assertEqual((told.records, by_number.rows.one, by_number.rows.none), (1, 1, 1))
        with self.assertRaises(ConditionError):
            self.change(trip, reach="last_nam eq 1")
        with self.assertRaises(PlainError):
            self.change(trip, reach="sent")
        self.assertEqual(trip.reach, reach)
        content = self.sheet(("01", "1"), header="holder_no,phone")
        for wrong, error in (("last_nam eq 1", ConditionError), ("sent", PlainError)):
            with self.subTest(wrong), self.assertRaises(error):
                self.trip(content, reach=wrong)

    def test_records_in_reach_that_the_sheet_lacks_are_counted_listed_and_a_sheet(self) -> None:
        self.make(("01", "a"), ("02", "b"), ("03", "c"))
        reach = self.named("01", "02", "03")
        trip = self.trip(self.sheet(("02", "1"), header="holder_no,phone"), reach=reach)
        told = absent_records(PartView.of(trip))
        self.assertEqual((told.known, told.count, told.reach, told.labels), (True, 2, 3, ["Holder no."]))
        self.assertEqual([one.key for one in told.records], [[f"{self.begin}01"], [f"{self.begin}03"]])
        target = self.text("", "absent.csv")
        said = self.vexo.json("--as", "ada", "keys", str(trip.pk), "--absent", "-o", str(target))
        self.assertEqual((said["count"], said["records"][0]["key"]), (2, [f"{self.begin}01"]))
        listed = target.read_text(encoding="utf-8-sig").splitlines()
        self.assertEqual(listed[0], "Record ID,Holder no.")
        self.assertEqual([line.split(",")[1] for line in listed[1:]], [f"{self.begin}01", f"{self.begin}03"])
        whole = self.trip(self.sheet(("02", "1"), header="holder_no,phone"), reach="all")
        self.assertEqual(absent_records(PartView.of(whole)).count, self.newest(whole).counts["type"] - 1)

    def test_of_a_sheet_that_went_out_those_whose_rows_were_taken_out(self) -> None:
        trip, path = self.out("H", "notes")
        count = trip.kept_copies.get().rows
        self.back(self.edited(path, lambda sheet: sheet.delete_rows(2, 2)))
        told = absent_records(PartView.of(trip))
        self.assertEqual((told.count, told.reach), (2, count))
        self.assertEqual([one.key[1] for one in told.records], ["H-001", "H-002"])

    def test_where_it_is_not_known_no_way_in_gives_an_empty_list(self) -> None:
        trip = self.trip(self.sheet(("01", "1"), header="holder_no,phone"), reach="all")
        self.newest(trip)
        trip.plans.all().delete()
        client = Client()
        client.force_login(self.person)
        self.assertFalse(client.get(f"/api/trips/{trip.pk}/keys/absent").json()["known"])
        answer = client.get(f"/api/trips/{trip.pk}/keys/absent.csv")
        self.assertEqual((answer.status_code, answer.json()["code"]), (422, "reach"))
        done = self.vexo.run("--as", "ada", "keys", str(trip.pk), "--absent")
        self.assertEqual(done.returncode, 2, done.stdout)
        self.assertIn("not known", done.stderr)

    def test_the_same_file_again_takes_what_is_said_with_it(self) -> None:
        self.make(("01", "a"), ("02", "b"))
        reach = self.named("01")
        path = self.text(self.sheet(("01", "1"), ("02", "2"), header="holder_no,phone"))
        way = ("--as", "ada", "bring-in", "harbour-practice", "Holder", str(path), "--json")
        self.vexo.run(*way, "--trip", "new", "--key", "holder_no")
        trip = Trip.objects.latest("pk")
        self.assertEqual(self.verdicts(trip), ["update", "update"])
        for said, kept in (
            (("--reach", reach), (reach, [])),
            (("--ignore-case",), (reach, ["capitals"])),
            (("--title", "no word of it"), (reach, ["capitals"])),
            (("--exact-keys",), (reach, [])),
            (("--reach", "all"), ("all", [])),
        ):
            with self.subTest(said):
                self.vexo.run(*way, "--trip", str(trip.pk), *said)
                trip.refresh_from_db()
                self.assertEqual((trip.reach, trip.ignores), kept)
                codes = ["outside-reach"] if kept[0] == reach else []
                self.assertEqual(self.codes(trip), [[], codes])

    def test_what_goes_out_on_a_route_comes_back_within_its_reach(self) -> None:
        where = "harbour eq 'TERNISLAND' and startswith(berth_no,'K-')"
        reach = f"{where} and status eq 'free'"
        bringing = BringIn("Berth", {}, key=("harbour", "berth_no"), ignores=("capitals",), reach=reach)
        sending = SendOut("Berth", ("notes", "status"), where)
        route = keep_route(self.person, Wanted("Free berths", self.practice, sending, bringing))
        trip = begin(self.practice, sending, "ada", route=route)
        self.assertEqual((trip.reach, trip.ignores), (reach, ["capitals"]))

    def test_a_route_brings_it_and_a_word_now_counts_more(self) -> None:
        self.make(("01", "a"), ("02", "b"))
        reach = self.named("01")
        content = self.sheet(("01", "1"), ("02", "2"), header="No.,Tel.")
        columns = {"No.": "holder_no", "Tel.": "phone"}
        bringing = BringIn("Holder", columns, key=("holder_no",), ignores=("capitals",), reach=reach)
        route = keep_route(self.person, Wanted(f"Ours {self.begin}", self.practice, bringing=bringing))
        self.assertIn(f"touching only records where {reach}", fit_of(route).says_in)
        way = ("--as", "ada", "bring-in", "harbour-practice", "Holder", str(self.text(content)), "--json")
        for said, kept, codes in (
            ((), (reach, ["capitals"]), ["outside-reach"]),
            (("--exact-keys",), (reach, []), ["outside-reach"]),
            (("--ignore-accents",), (reach, ["accents"]), ["outside-reach"]),
            (("--reach", "all"), ("all", ["capitals"]), []),
        ):
            with self.subTest(said):
                self.vexo.run(*way, "--trip", "new", "--route", route.name, *said)
                trip = Trip.objects.latest("pk")
                self.assertEqual((trip.reach, trip.ignores), kept)
                self.assertEqual(self.codes(trip)[1], codes)
        Route.objects.filter(pk=route.pk).update(import_document=bringing.to_json() | {"reach": "moorings eq 'x'"})
        route.refresh_from_db()
        [lost] = fit_of(route).lost
        self.assertIn("moorings", lost)
        before = Trip.objects.latest("pk")
        done = self.vexo.run(*way, "--trip", "new", "--route", route.name)
        self.assertNotEqual(done.returncode, 0)
        self.assertIn("moorings", done.stdout + done.stderr)
        for trip in Trip.objects.filter(pk__gt=before.pk):
            self.assertFalse(trip.plans.exists(), "a reach that cannot be read is not all records")
