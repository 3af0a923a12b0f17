"""Making records in reach the same as a sheet: what it lacks is deleted, and nothing else is."""

from __future__ import annotations

import json
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from tests import whole_rounds
from tests.server.killing import POINTS, die, take_over
from tests.server.test_lanes import LaneCase
from tests.support import register, template

template()

from django.test import Client  # noqa: E402

from vexo.server import artifacts  # noqa: E402
from vexo.server.decisions.decisions import Scope, decide, undo  # noqa: E402
from vexo.server.errors import PlainError  # noqa: E402
from vexo.server.jobs.worker import run_inline  # noqa: E402
from vexo.server.planning.absent_records import absent_records  # noqa: E402
from vexo.server.trips.facts import to_json  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402
from vexo.server.trips.part_view import PartView  # noqa: E402
from vexo.server.trips.trip_pages import trip_detail  # noqa: E402


class SameCase(LaneCase):
    def answer(self, trip: Trip, answer: str, code: str = "absent", rows: tuple[int, ...] = ()) -> Any:
        made, job = decide(
            PartView.of(trip), self.person, self.newest(trip).number, Scope(rows, code), answer, run_here=True
        )
        self.assertEqual(run_inline(job).error, "")
        trip.refresh_from_db()
        return made

    def absent(self, trip: Trip) -> dict[str, tuple[str, str | None]]:
        """Record ID → what becomes of each record that the sheet does not have, and why."""
        lines = artifacts.read(self.newest(trip).absent_path)
        return {one["@id"]: (one["@becomes"], one["@reason"]) for one in lines.iter_rows(named=True)}

    def sums(self, trip: Trip) -> tuple[int, int, int]:
        """To delete, held and kept, once page and command are seen to say the same."""
        detail = to_json(trip_detail(PartView.of(trip), self.person))
        told = json.loads(self.vexo.run("--as", "ada", "review", str(trip.pk), "--json").stdout)
        self.assertEqual(told["absent"], detail["absent"])
        one = detail["absent"]
        self.assertEqual(sum(one[name] for name in ("delete", "held", "kept")), len(self.absent(trip)))
        return one["delete"], one["held"], one["kept"]

    def text_of_absent(self, trip: Trip) -> str:
        target = self.text("", "absent.csv")
        self.vexo.run("--as", "ada", "keys", str(trip.pk), "--absent", "-o", str(target))
        return target.read_text(encoding="utf-8-sig")

    def open_codes(self, trip: Trip) -> list[str]:
        return [item.code for item in trip_detail(PartView.of(trip), self.person).open]


class Foreign(SameCase):
    """A sheet that did not go out from here: each deletion is asked."""

    def same(self, *rows: tuple[str, ...], there: str = "123", **more: Any) -> Trip:
        self.make(*[(f"0{number}", number) for number in there])
        for number in there:
            self.theirs(f"0{number}", phone=f"55 {self.begin}")
        self.reach = f"phone eq '55 {self.begin}'"
        content = self.sheet(*rows, header="holder_no,last_name")
        return self.trip(content, "make-same", reach=self.reach, **more)

    def test_each_deletion_waits_for_an_answer_and_the_number_is_asked_once(self) -> None:
        trip = self.same(("01", "x"), ("04", "new"))
        self.assertEqual((self.verdicts(trip), self.sums(trip)), (["update", "create"], (0, 2, 0)))
        self.assertEqual(self.open_codes(trip), ["absent"])
        self.answer(trip, "delete")
        self.assertEqual((self.sums(trip), self.open_codes(trip)), ((2, 0, 0), ["makes-same"]))
        before = register().effects()
        with self.assertRaises(PlainError) as caught:
            self.start(trip)
        self.assertIn("2 records that the sheet does not have would be deleted", str(caught.exception))
        self.assertEqual(register().effects(), before)
        self.answer(trip, "go on", "makes-same")
        done = self.apply(trip)
        self.assertEqual((done.totals["deleted"], done.absent["deleted"], done.rows), (2, 2, 4))
        self.assertEqual(sum(done.sums.values()), 2, "records without a row are no term of the rows' sum")
        self.assertEqual([h["last_name"] for h in self.holders(self.begin)], ["x", "new"])
        self.assertEqual((done.report["deleted"], done.report["gone"]), (2, 2))
        self.plan(trip)
        self.assertEqual((self.verdicts(trip), self.absent(trip)), (["same", "same"], {}))

    def test_left_without_an_answer_they_stay_and_the_rows_go(self) -> None:
        trip = self.same(("01", "x"))
        done = self.apply(trip)
        self.assertEqual((done.totals["updated"], done.absent["held"], done.absent["deleted"]), (1, 2, 0))
        self.assertEqual(len(self.holders(self.begin)), 3)
        self.assertEqual(self.open_codes(trip), ["absent"], "they still wait")
        self.assertEqual(self.vexo.run("--as", "ada", "outcome", str(trip.pk)).returncode, 1)

    def test_as_many_others_are_another_question(self) -> None:
        trip = self.same(("01", "x"))
        self.answer(trip, "delete")
        self.answer(trip, "go on", "makes-same")
        self.assertEqual(self.open_codes(trip), [])
        self.again(trip, self.sheet(("02", "x"), header="holder_no,last_name"))
        self.answer(trip, "delete")
        self.assertEqual((self.sums(trip), self.open_codes(trip)), ((2, 0, 0), ["makes-same"]))
        before = register().effects()
        done = self.vexo.run("--as", "ada", "apply", str(trip.pk), "--yes", "--delete", "2", "--json")
        self.assertEqual((done.returncode, register().effects()), (2, before))
        self.answer(trip, "go on", "makes-same")
        self.again(trip, self.sheet(("02", "x"), ("03", "y"), header="holder_no,last_name"))
        self.assertEqual((self.sums(trip), self.open_codes(trip)), ((1, 0, 0), []), "one of those that were said")

    def test_by_the_command_line_and_the_api_alone(self) -> None:
        for declared in (True, False):
            with self.subTest(declared=declared):
                register().behave(keys=declared)
                self.number_anew()
                self.make(("01", "a"), ("02", "b"), ("03", "c"))
                for number in ("01", "02", "03"):
                    self.theirs(number, phone=f"55 {self.begin}")
                path = self.text(self.sheet(("01", "x"), ("04", "new"), header="holder_no,last_name"))
                way = ("--as", "ada", "bring-in", "harbour-practice", "Holder", str(path), "--trip", "new", "--json")
                said = ("--key", "holder_no", "--operation", "make-same", "--reach", f"phone eq '55 {self.begin}'")
                brought = self.vexo.run(*way, *said)
                number = json.loads(brought.stdout)["trip"]
                self.assertEqual(brought.returncode, 1, "two deletions are asked")
                client = Client()
                client.force_login(self.person)
                told = client.get(f"/api/trips/{number}/keys/absent").json()
                self.assertEqual([one["verdict"] for one in told["records"]], ["held", "held"])
                plan = client.get(f"/api/trips/{number}").json()["plan"]["number"]
                body = {"plan": plan, "rows": [told["records"][0]["row_id"]], "answer": told["answers"][0]["answer"]}
                decided = client.post(f"/api/trips/{number}/decisions", body, content_type="application/json")
                self.assertEqual(decided.status_code, 200, decided.content)
                trip = Trip.objects.get(pk=number)
                run_inline(trip.jobs.latest("pk"))
                kept = self.vexo.run("--as", "ada", "decide", str(number), "keep", "--code", "absent")
                self.assertEqual(kept.returncode, 1, "how many go is asked")
                self.assertIn("1 record that the sheet does not have would be deleted", kept.stderr)
                self.assertEqual(self.vexo.run("--as", "ada", "apply", str(number), "--yes").returncode, 2)
                meant = self.vexo.run("--as", "ada", "decide", str(number), "go on", "--code", "makes-same")
                self.assertEqual(meant.returncode, 0, meant.stderr)
                for said, words in (
                    ((), "--delete 1"),
                    (("--delete", "2"), "and not 2"),
                    (("--delete", "0"), "and not 0"),
                ):
                    unsaid = self.vexo.run("--as", "ada", "apply", str(number), "--yes", *said)
                    self.assertEqual((unsaid.returncode, trip.passes.count()), (2, 0), "how many go is said")
                    self.assertIn(words, unsaid.stderr)
                done = self.vexo.run("--as", "ada", "apply", str(number), "--yes", "--delete", "1", "--json")
                self.assertEqual(done.returncode, 0, done.stderr)
                self.assertEqual(json.loads(done.stdout)["absent"]["deleted"], 1)
                self.assertEqual(sorted(h["last_name"] for h in self.holders(self.begin)), ["c", "new", "x"])

    def test_killed_anywhere_each_goes_once_and_what_a_colleague_changed_stays(self) -> None:
        trip = self.same(("01", "x"), there="1234")
        self.answer(trip, "delete")
        self.answer(trip, "go on", "makes-same")
        changed = str(self.of("04")["id"])
        register().change(f"Holders({changed})", last_name="theirs")
        before = len(register().effects())
        as_planned = self.keep()
        for point in POINTS:
            with self.subTest(point):
                as_planned()
                die(point, self.start(trip))
                self.assertEqual(take_over().error, "")
                done = self.last_pass(trip)
                self.assertEqual((done.absent["deleted"], done.absent["refused"]), (2, 1))
                gone = [one["id"] for one in register().effects()[before:] if one["what"] == "delete"]
                self.assertEqual((len(gone), len(set(gone))), (2, 2))
                self.assertEqual(sorted(h["last_name"] for h in self.holders(self.begin)), ["theirs", "x"])

    def test_one_by_one_undone_and_lapsed_when_the_record_changes(self) -> None:
        trip = self.same(("01", "x"))
        first = next(iter(self.absent(trip)))
        row = 2**31 + list(self.absent(trip)).index(first)
        made = self.answer(trip, "delete", rows=(row,))
        self.assertEqual((made.count, self.sums(trip)), (1, (1, 1, 0)))
        second = next(one for one in self.absent(trip) if one != first)
        way = ("--as", "ada", "decide", str(trip.pk), "delete", "--code", "absent", "--record")
        self.assertEqual(self.vexo.run(*way, "no such").returncode, 2)
        self.vexo.run(*way, second)
        trip.refresh_from_db()
        self.assertEqual(self.sums(trip), (2, 0, 0))
        run_inline(undo(PartView.of(trip), self.person, trip.decisions.latest("pk").pk, run_here=True))
        self.assertEqual(self.sums(trip), (1, 1, 0))
        self.assertIn("Asked", self.text_of_absent(trip))
        self.answer(trip, "keep")
        self.assertEqual(self.sums(trip), (1, 0, 1))
        run_inline(undo(PartView.of(trip), self.person, made.pk, run_here=True))
        self.assertEqual(self.sums(trip), (0, 1, 1))
        self.answer(trip, "delete")
        self.assertEqual(self.sums(trip), (1, 0, 1))
        register().change(f"Holders({first})", last_name="theirs")
        self.plan(trip)
        self.assertEqual(self.sums(trip), (0, 1, 1), "the answer was to what was seen")

    def test_a_change_just_before_it_goes_refuses_the_deletion_and_says_so(self) -> None:
        trip = self.same(("01", "x"))
        self.answer(trip, "delete")
        self.answer(trip, "go on", "makes-same")
        first = next(iter(self.absent(trip)))
        register().change(f"Holders({first})", last_name="theirs")
        done = self.apply(trip)
        self.assertEqual((done.absent["deleted"], done.absent["refused"]), (1, 1))
        self.assertEqual(sorted(h["last_name"] for h in self.holders(self.begin)), ["theirs", "x"])
        trip.refresh_from_db()
        page = trip_detail(PartView.of(trip), self.person)
        self.assertEqual([(one.code, one.count) for one in page.open], [("changed-meanwhile", 1)])
        groups = page.passes[-1].absent.groups
        self.assertEqual([(group.state, group.answers) for group in groups], [("refused", [])], "it has no row")
        told = self.vexo.run("--as", "ada", "outcome", str(trip.pk))
        self.assertEqual(told.returncode, 1)
        self.assertIn("1 deleted, 1 refused", told.stdout)

    def test_nothing_outside_the_reach_is_touched(self) -> None:
        self.make(("09", "not ours"))
        trip = self.same(("01", "x"))
        self.answer(trip, "delete")
        self.answer(trip, "go on", "makes-same")
        self.apply(trip)
        self.assertEqual(sorted(h["last_name"] for h in self.holders(self.begin)), ["not ours", "x"])

    def test_a_row_that_waits_keeps_every_record_that_it_may_be_about(self) -> None:
        slip = "O1"
        for rows, reasons in (
            ([(slip, "x")], ["may-be-meant", "not-sent", "not-sent"]),
            ([("", "x")], ["row-unknown"] * 3),
            ([("", "x"), ("04", "")], ["row-unknown"] * 3),
            ([("04", "")], ["not-sent"] * 3),
            ([("01", "x"), ("01", "y")], ["not-sent", "not-sent"]),
        ):
            with self.subTest(rows):
                self.number_anew()
                trip = self.same(*rows)
                self.assertEqual([reason for _, reason in self.absent(trip).values()], reasons, self.codes(trip))
                if reasons[0] == "row-unknown":
                    with self.assertRaises(PlainError):
                        self.answer(trip, "delete")

    def test_a_row_set_aside_keeps_its_record(self) -> None:
        trip = self.same(("01", "x"), ("02", "y"))
        self.decide(trip, "aside", [1])
        self.assertEqual(len(self.absent(trip)), 1)
        self.answer(trip, "delete")
        self.answer(trip, "go on", "makes-same")
        self.apply(trip)
        self.assertEqual([h["last_name"] for h in self.holders(self.begin)], ["x", "2"])

    def test_all_records_of_a_type_may_be_in_reach(self) -> None:
        content = "holder_no,last_name\n" + f"{self.begin}01,x"
        trip = self.trip(content, "make-same")
        size = self.newest(trip).counts["type"]
        self.assertEqual(self.sums(trip), (0, size, 0))
        self.assertEqual(absent_records(PartView.of(trip)).count, size)


class People(SameCase):
    """A type whose identifier people choose, and whose fields have names that tables of ours have too."""

    def test_its_records_can_be_made_the_same(self) -> None:
        there = register().get("Harbours")["value"]
        lines = [f"{one['code']},{one['name']}" for one in there[1:]]
        content = "\n".join(["code,name", *lines, f"X{self.begin},New"])
        trip = self.bring(content, record_type="Harbour", operation="make-same", key=["code"])
        self.assertEqual(self.sums(trip), (0, 1, 0))
        self.answer(trip, "delete")
        self.answer(trip, "go on", "makes-same")
        done = self.apply(trip)
        self.assertEqual((done.totals["created"], done.absent["refused"]), (1, 1), "its berths keep the harbour")
        told = self.vexo.run("--as", "ada", "outcome", str(trip.pk)).stdout
        self.assertIn("Not in the sheet: 1 refused", told)
        self.assertEqual(len(register().get("Harbours")["value"]), len(there) + 1)


class SentOut(SameCase):
    """A sheet that went out from here: what was taken out of it goes, where it is still as it went out."""

    def test_rows_taken_out_go_and_what_changed_since_stays(self) -> None:
        trip, path = self.out("K", "notes")
        first, second, third = (register().berth("TERNISLAND", f"K-00{n}") for n in (1, 2, 3))
        register().change(f"Berths({second['id']})", notes="theirs")
        self.back(self.edited(path, lambda sheet: sheet.delete_rows(2, 3)), operation="make-same")
        verdicts = self.absent(trip)
        self.assertEqual(verdicts[str(first["id"])], ("delete", None))
        self.assertEqual(verdicts[str(second["id"])], ("kept", "changed"))
        self.assertEqual(verdicts[str(third["id"])], ("delete", None))
        trip.refresh_from_db()
        self.assertEqual((self.sums(trip), self.open_codes(trip)), ((2, 0, 1), ["makes-same"]))
        self.answer(trip, "go on", "makes-same")
        done = self.apply(trip)
        gone, refused = done.absent["deleted"], done.absent["refused"]
        self.assertEqual(gone + refused, 2)
        there = register().get("Berths", **{"$filter": "harbour eq 'TERNISLAND' and startswith(berth_no,'K-')"})
        ids = {one["id"] for one in there["value"]}
        self.assertIn(second["id"], ids)
        target = self.text("", "gone.csv")
        self.vexo.run("--as", "ada", "outcome", str(trip.pk), "--absent", str(target))
        lines = target.read_text(encoding="utf-8-sig").splitlines()
        self.assertEqual(len(lines), 3)
        self.assertIn("TERNISLAND", lines[1], "each with all that it held")
        kept = artifacts.read(done.rows_file)
        self.assertIn("whole.notes", kept.columns, "the whole record is kept before it goes")

    def test_a_record_made_since_is_not_what_the_sheet_lacks(self) -> None:
        trip, path = self.out("A", "notes")
        with register().client() as client:
            body = {"harbour": "TERNISLAND", "berth_no": "A-777", "length_m": 8}
            client.post("Berths", json=body).raise_for_status()
        made = register().berth("TERNISLAND", "A-777")
        reach = "harbour eq 'TERNISLAND' and startswith(berth_no,'A-')"
        self.back(path, operation="make-same", reach=reach)
        self.assertEqual(self.absent(trip), {str(made["id"]): ("kept", "made-since")})
        self.assertEqual(self.open_codes(trip), [])

    def test_a_blanked_record_id_does_not_replace_its_record(self) -> None:
        trip, path = self.out("D", "notes")

        def blank(sheet: Any) -> None:
            sheet.cell(2, 1).value = None

        self.back(self.edited(path, blank), operation="make-same")
        self.assertEqual([reason for _, reason in self.absent(trip).values()], ["may-be-meant"])

    def test_what_the_trip_itself_wrote_is_no_change_by_others(self) -> None:
        trip, path = self.out("E", "notes")

        def edit(sheet: Any) -> None:
            sheet.cell(2, 4).value = "ours"

        self.back(self.edited(path, edit), operation="make-same")
        self.assertEqual(self.apply(trip).totals["updated"], 1)
        self.back(self.edited(path, lambda sheet: sheet.delete_rows(2)))
        self.assertEqual(list(self.absent(trip).values()), [("delete", None)])

    def test_without_versions_the_values_tell(self) -> None:
        register().behave(versions=False)
        trip, path = self.out("F", "notes")
        second = register().berth("TERNISLAND", "F-002")
        register().change(f"Berths({second['id']})", notes="theirs")
        self.back(self.edited(path, lambda sheet: sheet.delete_rows(2, 2)), operation="make-same")
        self.assertEqual(sorted(v for v, _ in self.absent(trip).values()), ["delete", "kept"])


class Law(SameCase):
    """Whatever the sheet says: in the end its records are the sheet's, or it is said why not; others are untouched."""

    CODES = ("01", "02", "03", "O3")
    ROWS = st.lists(st.tuples(st.sampled_from(("", *CODES)), st.sampled_from(["x", "y"])), max_size=4)

    @settings(whole_rounds, max_examples=whole_rounds.max_examples // 2)
    @given(rows=ROWS, there=st.sets(st.sampled_from(["01", "02", "03", "04"])))
    def test_the_application_becomes_what_the_sheet_says(self, rows: list[tuple[str, str]], there: set[str]) -> None:
        self.number_anew()
        self.make(("99", "not ours"), *[(number, "x") for number in sorted(there)])
        for number in there:
            self.theirs(number, phone=f"55 {self.begin}")
        lines = [(number, name) for number, name in rows] or [("77", "x")]
        trip = self.trip(
            self.sheet(*lines, header="holder_no,last_name"), "make-same", reach=f"phone eq '55 {self.begin}'"
        )
        judged, absent = self.verdicts(trip), self.absent(trip)
        if any(verdict == "held" for verdict, _ in absent.values()):
            self.answer(trip, "delete")
            self.answer(trip, "go on", "makes-same")
        kept = {one for one, (verdict, _) in self.absent(trip).items() if verdict == "kept"}
        newest = self.newest(trip)
        if newest.summary["absent"]["delete"] or {"create", "update"} & set(judged):
            self.apply(trip)
        after = {h["holder_no"].removeprefix(self.begin): h for h in self.holders(self.begin)}
        lands = ("create", "update", "same")
        goes = {number for (number, _), verdict in zip(lines, judged, strict=True) if verdict in lands}
        stays = {number for number, one in after.items() if str(one["id"]) in kept}
        waiting = {number for (number, _), verdict in zip(lines, judged, strict=True) if verdict in ("held", "aside")}
        self.assertEqual(set(after) - {"99"} - waiting, (goes | stays) - waiting)
        self.assertEqual(after["99"]["last_name"], "not ours")
        for (number, name), verdict in zip(lines, judged, strict=True):
            if verdict in lands:
                self.assertEqual(after[number]["last_name"], name)
