"""What is open is one list for the page, the API and the commands: said with exit 1, and nothing is sent from a
question that has no answer. What reached the application is read there."""

from __future__ import annotations

import json
from typing import Any

from tests.server.test_lanes import LaneCase
from tests.support import register, template

template()

from vexo.core.columns.lanes import LaneError  # noqa: E402
from vexo.core.faults import CODES, OUTCOME_CODES, Does  # noqa: E402
from vexo.core.planning.verdicts import Answer, answered_by  # noqa: E402
from vexo.server.edits.row_filter import carry_only, expect  # noqa: E402
from vexo.server.errors import PlainError  # noqa: E402
from vexo.server.jobs.worker import run_inline  # noqa: E402
from vexo.server.mapping.columns import go_on_without  # noqa: E402
from vexo.server.routes.saved_routes import keep_trip  # noqa: E402
from vexo.server.trips.facts import to_json  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402
from vexo.server.trips.part_view import PartView  # noqa: E402
from vexo.server.trips.trip_pages import trip_detail  # noqa: E402

STOPS = {"field", "form", "unit", "separator", "route", "expected"}


class Open(LaneCase):
    def listed(self, trip: Trip) -> list[dict[str, Any]]:
        """What is open, once it is seen that page and command line say the same."""
        trip.refresh_from_db()
        detail = trip_detail(PartView.of(trip), self.person)
        page, said = to_json(detail.open), to_json(detail.said)
        done = self.vexo.run("--as", "ada", "open", str(trip.pk), "--json")
        self.assertEqual(json.loads(done.stdout), {"trip": trip.pk, "open": page, "said": said})
        self.assertEqual(done.returncode, 1 if page else 0)
        for item in page:
            for told in (item["options"], item["answers"]):
                says = [one["says"] for one in told]
                self.assertEqual(len(set(says)), len(says), "two answers that read alike")
        told = self.vexo.run("--as", "ada", "open", str(trip.pk))
        review = self.vexo.run("--as", "ada", "review", str(trip.pk))
        for item in page:
            for said in (told, review):
                self.assertIn(item["says"], said.stderr)
                for answer in (*item["options"], *item["answers"]):
                    self.assertIn(answer["says"], said.stderr)
        self.assertEqual((told.returncode, review.returncode), (done.returncode, done.returncode))
        return list(page)

    def refused(self, trip: Trip) -> None:
        """Applied in no way, and nothing reached the application."""
        before = register().effects()
        with self.assertRaises(PlainError) as caught:
            self.start(trip)
        self.assertEqual(caught.exception.code, "open")
        done = self.vexo.run("--as", "ada", "apply", str(trip.pk), "--yes")
        self.assertIn(done.returncode, (1, 2))
        self.assertEqual(register().effects(), before)
        for item in [item for item in self.listed(trip) if item["stops"]][:3]:
            self.assertIn(item["says"], done.stderr)

    def codes_of(self, trip: Trip) -> set[str]:
        return {item["code"] for item in self.listed(trip)}

    def lengths(self) -> list[Any]:
        return [berth["length_m"] for berth in self.berths()]

    def test_questions_about_form_unit_and_field_stop_all_until_they_are_answered(self) -> None:
        trip, before = self.measured(), self.lengths()
        self.assertEqual(self.codes_of(trip) & STOPS, {"field", "form", "unit", "separator"})
        self.refused(trip)
        self.assertEqual(set(self.verdicts(trip)), {"held"})
        for _ in range(6):
            first = next((item for item in self.listed(trip) if item["options"]), None)
            if first is None:
                break
            answer = f"{first['of'] or first['code']}=1"
            self.vexo.run("--as", "ada", "columns", str(trip.pk), "--answer", answer)
        self.assertEqual(self.codes_of(trip) & STOPS, set())
        self.apply(trip)
        self.assertNotEqual(self.lengths(), before)
        feet = {float(text.replace(",", ".")) for text in ("39,4", "45,9", "59,1", "65,6", "32,8")}
        self.assertFalse({float(value) for value in self.lengths()} & feet, "feet were written as metres")

    def test_a_cell_may_be_left_out_of_a_column_that_asks_and_the_question_stays(self) -> None:
        trip = self.measured()
        self.change(trip, columns={"bollard cond.": ""})
        self.decide(trip, "leave out", code="column-asked", field="length_m")
        self.assertIn("unit", self.codes_of(trip))
        self.refused(trip)

    def test_every_code_of_a_fault_is_said_alike_with_answers_that_are_taken(self) -> None:
        self.make(("01", "a"))
        trip = self.trip(self.sheet(("01", "b", "1")))
        plain = trip.status
        for effect in (Does.HOLDS, Does.REJECTS):
            codes = [code for code, does in CODES.items() if does == effect]
            told = [self.reason(effect.value, code) for code in codes]
            items = self.with_reasons(trip, plain, told)
            self.assertEqual([(item["code"], item["state"]) for item in items], [(c, effect.value) for c in codes])
            for item in items:
                answers = {answer["answer"] for answer in item["answers"]}
                self.assertFalse(item["stops"], "rows that wait stay behind")
                self.assertIn("aside", answers, item["code"])
                if item["code"].startswith("key-"):
                    self.assertNotIn("leave out", answers, "a cell of the key")
                for answer in answers - {"aside"}:
                    self.assertIn(item["code"], answered_by(Answer(answer)))
                self.assertRegex(item["says"], r"[.?!]$")
        Trip.objects.filter(pk=trip.pk).update(status=plain)
        self.apply(trip)
        *before, last = trip.status["passes"]
        told = [self.reason("refused", code) for code in OUTCOME_CODES]
        Trip.objects.filter(pk=trip.pk).update(status={**trip.status, "passes": [*before, {**last, "reasons": told}]})
        items = self.listed(trip)
        self.assertEqual([(item["code"], item["answers"]) for item in items], [(code, []) for code in OUTCOME_CODES])

    def reason(self, state: str, code: str) -> dict[str, Any]:
        arguments = ["too-long", "7", "x"] if code == "key-unread" else ["a", "b", "c"]
        return {
            "state": state, "code": code, "field": "last_name", "label": "Last name",
            "arguments": arguments, "count": 2, "first": 0,
        }  # fmt: skip

    def with_reasons(self, trip: Trip, plain: dict[str, Any], told: list[dict[str, Any]]) -> list[dict[str, Any]]:
        """What is open where these rows wait, once it is seen that page and command line say the same."""
        plan = {**plain["plan"], "summary": {**plain["plan"]["summary"], "reasons": told}}
        Trip.objects.filter(pk=trip.pk).update(status={**plain, "plan": plan})
        return self.listed(trip)

    def test_two_files_of_one_list_are_each_read_in_their_own_form(self) -> None:
        numbers = [berth["berth_no"] for berth in self.berths()]
        first = self.text(
            f"harbour,berth_no,length_m\nOLDBASIN,{numbers[0]},9.5\nOLDBASIN,{numbers[1]},11.5\n", "a.csv"
        )
        second = self.text(
            f"harbour;berth_no;length_m\nOLDBASIN;{numbers[2]};9,5\nOLDBASIN;{numbers[3]};11,5\n", "b.csv"
        )
        asked = ("bring-in", "harbour-practice", "Berth", str(first), str(second), "--trip", "new")
        done = self.vexo.run("--as", "ada", *asked, "--key", "harbour", "--key", "berth_no")
        trip = Trip.objects.latest("id")
        self.assertIn("Read each file in its own form: a.csv 1234.5, b.csv 1234,5", done.stderr)
        self.refused(trip)
        self.vexo.run("--as", "ada", "columns", str(trip.pk), "--answer", "length_m=1")
        self.assertEqual([str(value) for value in self.table(trip)["proposed.length_m"]], ["9.5", "11.5"] * 2)
        self.apply(trip)
        self.assertEqual([float(length) for length in self.lengths()[:4]], [9.5, 11.5] * 2)

    def test_a_sum_in_a_column_with_currencies_is_told_once_its_form_is_and_what_it_lacks_is_said(self) -> None:
        numbers = [berth["berth_no"] for berth in self.berths()]
        texts = ("EUR 1,250.50", "EUR 9.25", "EUR 3.125")
        lines = [f'OLDBASIN,{number},"{text}"' for number, text in zip(numbers, texts, strict=False)]
        content = "\n".join(["harbour,berth_no,daily_rate", *lines])
        trip = self.bring(content, record_type="Berth", key=["harbour", "berth_no"])
        self.change(trip, lanes={"daily_rate": {"treatments": [{"do": "number", "written": "1,234.5"}]}})
        expect(PartView.of(trip), self.person, sums={"daily_rate": "1262.875"})
        trip.refresh_from_db()
        item = next(item for item in self.listed(trip) if item["code"] == "expected")
        self.assertIn("cannot be told", item["says"])
        told = self.vexo.run("--as", "ada", "totals", str(trip.pk)).stdout
        self.assertIn("sheet 1259.75", told)
        self.assertIn("(without 1 cell that cannot be read)", told)
        rounds = next(item for item in self.listed(trip) if item["code"] == "too-fine")
        self.assertEqual(rounds["options"][0]["says"], "Round to 2 decimals")
        self.vexo.run("--as", "ada", "edit", str(trip.pk), "--find", "3.125", "--replace", "3.12")
        expect(PartView.of(trip), self.person, sums={"daily_rate": "1,262.87"})
        trip.refresh_from_db()
        self.assertEqual([item for item in self.listed(trip) if item["code"] == "expected"], [])

    def test_a_lane_that_reckons_asks_for_the_form_of_its_numbers(self) -> None:
        numbers = [berth["berth_no"] for berth in self.berths()]
        rows = "\n".join(f"OLDBASIN;{number};{feet}" for number, feet in zip(numbers, ("30,5", "40"), strict=False))
        trip = self.bring(f"harbour;berth_no;feet\n{rows}\n", record_type="Berth", key=["harbour", "berth_no"])
        steps = [{"do": "multiply", "by": "0.3048"}, {"do": "round", "to": 1}]
        self.change(trip, lanes={"length_m": {"source": "feet", "treatments": steps}})
        self.assertEqual(self.codes_of(trip) & STOPS, {"form"})
        self.refused(trip)
        self.vexo.run("--as", "ada", "columns", str(trip.pk), "--answer", "length_m=1")
        self.assertEqual([str(value) for value in self.table(trip)["proposed.length_m"]], ["9.3", "12.2"])
        self.assertEqual(self.codes_of(trip), set())

    def test_a_number_that_is_too_fine_is_rounded_with_one_answer(self) -> None:
        numbers = [berth["berth_no"] for berth in self.berths()]
        content = f"harbour,berth_no,daily_rate\nOLDBASIN,{numbers[0]},41.125\nOLDBASIN,{numbers[1]},42.5\n"
        trip = self.bring(content, record_type="Berth", key=["harbour", "berth_no"])
        self.assertEqual(self.verdicts(trip)[0], "rejected")
        done = self.vexo.run("--as", "ada", "columns", str(trip.pk), "--answer", "daily_rate=1")
        self.assertEqual((done.returncode, self.listed(trip)), (0, []))
        self.apply(trip)
        self.assertEqual([float(berth["daily_rate"]) for berth in self.berths()[:2]], [41.13, 42.5])

    def test_columns_with_one_header_are_told_by_letter_in_lanes_edits_sums_and_routes(self) -> None:
        self.make(("01", "a"), ("02", "b"))
        header = "holder_no,last_name,memo,memo"
        trip = self.trip(self.sheet(("01", "x", "1", "3"), ("02", "y", "2", "4"), header=header))
        lane = {"source": "memo (column D)", "treatments": [{"do": "join", "columns": ["memo (column C)"]}]}
        self.change(trip, lanes={"phone": lane}, columns={"memo (column C)": ""})
        self.assertEqual(self.table(trip)["proposed.phone"].to_list(), ["3 1", "4 2"])
        edit = ("edit", str(trip.pk), "--row", "2", "--value", "9", "--column")
        self.assertEqual(self.vexo.run("--as", "ada", *edit, "memo").returncode, 2)
        self.vexo.run("--as", "ada", *edit, "memo (column D)")
        trip.refresh_from_db()
        self.assertEqual(self.table(trip)["proposed.phone"].to_list(), ["9 1", "4 2"])
        expect(PartView.of(trip), self.person, sums={"memo (column D)": "13"})
        self.assertEqual(self.codes_of(trip), set())
        keep_trip(self.person, PartView.of(trip), "Two memos")
        self.number_anew()
        self.make(("01", "a"))
        again = self.vexo.json(
            "--as", "ada", "bring-in", "harbour-practice", "Holder", "--trip", "new", "--json",
            str(self.text(self.sheet(("01", "x", "5", "6"), header=header))),
        )  # fmt: skip
        self.assertEqual(self.table(Trip.objects.get(pk=again["trip"]))["proposed.phone"].to_list(), ["6 5"])
        lost = self.trip(self.sheet(("01", "x", "5"), header="holder_no,last_name,memo"))
        self.assertNotIn("proposed.phone", self.table(lost).columns)

    def test_many_columns_that_nothing_is_known_of_are_one_question(self) -> None:
        self.make(("01", "a"))
        odd = [f"odd {n}" for n in range(150)]
        header = ",".join(["holder_no", "last_name", *odd])
        trip = self.trip(header + f"\n{self.begin}01,b" + ",x" * 150 + "\n")
        asked = [item for item in self.listed(trip) if item["stops"]]
        self.assertEqual([(item["code"], item["count"]) for item in asked], [("field", 150)])
        self.refused(trip)
        done = self.vexo.run("--as", "ada", "columns", str(trip.pk), "--answer", "field=1")
        self.assertEqual((done.returncode, self.listed(trip)), (0, []))
        self.apply(trip)
        self.assertEqual(self.of("01")["last_name"], "b")

    def test_cells_that_look_like_marks_are_asked_about(self) -> None:
        self.make(("01", "a"), ("02", "b"))
        for answer, notes in ((1, None), (2, "[clear]")):
            self.theirs("01", phone="1")
            trip = self.trip(self.sheet(("01", "A", "[CLEAR]"), ("02", "[Bee]", "2")))
            self.assertEqual(self.codes_of(trip) & (STOPS | {"marks"}), {"marks"})
            self.refused(trip)
            told = ("columns", str(trip.pk), "--answer", f"phone={answer}", "--json")
            done = self.vexo.run("--as", "ada", *told)
            self.assertEqual([item["code"] for item in self.listed(trip) if item["stops"]], [], done.stderr)
            if answer == 1:
                self.assertEqual(self.codes(trip), [[], ["unknown-mark"]])
            self.apply(trip)
            self.assertEqual(self.of("01")["phone"], None if notes is None else "[CLEAR]")

    def test_a_field_is_emptied_in_every_row_by_a_fixed_mark(self) -> None:
        self.make(("01", "a"), ("02", "b"))
        self.theirs("01", phone="1")
        self.theirs("02", phone="2")
        trip = self.trip(self.sheet(("01", "a"), ("02", "b"), header="holder_no,last_name"))
        self.change(trip, lanes={"phone": {"fixed": "[clear]"}})
        self.apply(trip)
        self.assertEqual([self.of(number)["phone"] for number in ("01", "02")], [None, None])
        with self.assertRaisesRegex(LaneError, "begins like a mark and is none"):
            self.change(trip, lanes={"phone": {"fixed": "[reserved]"}})

    def test_a_sheet_that_fits_a_route_wholly_comes_in_on_it(self) -> None:
        self.make(("01", "a"))
        trip = self.trip(self.sheet(("01", " a ", "y"), header="holder_no,last_name,Go"))
        self.change(trip, lanes={"last_name": {"treatments": [{"do": "case", "style": "upper"}]}}, columns={"Go": ""})
        run_inline(carry_only(PartView.of(trip), self.person, condition="Go eq 'y'", run_here=True))
        trip.refresh_from_db()
        keep_trip(self.person, PartView.of(trip), "Upper")
        sheet = self.text(self.sheet(("01", "b", "y"), ("02", "c", "n"), header="holder_no,last_name,Go"), "b.csv")
        asked = ("--as", "ada", "bring-in", "harbour-practice", "Holder", str(sheet), "--trip", "new")
        done = self.vexo.run(*asked)
        self.assertIn("fits the route Upper wholly", done.stderr)
        taken = Trip.objects.latest("id")
        self.assertEqual((taken.lanes, self.verdicts(taken)), (trip.lanes, ["update", "aside"]))
        self.vexo.run(*asked, "--no-route")
        self.assertEqual(Trip.objects.latest("id").lanes, {})
        lacks = self.text(self.sheet(("01", "b"), header="holder_no,last_name"), "c.csv")
        done = self.vexo.run(
            "--as", "ada", "bring-in", "harbour-practice", "Holder", str(lacks), "--trip", "new", "--route", "Upper"
        )
        self.assertNotEqual(done.returncode, 0)
        self.assertIn("Go", done.stderr)

    def test_columns_with_one_header_are_told_apart_by_their_letters(self) -> None:
        self.make(("01", "a"))
        for header, more in (("odd,odd", []), ("phone,phone", ["--map", "phone (column D)="])):
            sheet = self.sheet(("01", "b", "1", "2"), header=f"holder_no,last_name,{header}")
            path = self.text(sheet, "twice.csv")
            asked = ("--as", "ada", "bring-in", "harbour-practice", "Holder", str(path), "--trip", "new", *more)
            done = self.vexo.run(*asked, "--key", "holder_no")
            trip = Trip.objects.latest("id")
            for item in [item for item in self.listed(trip) if item["stops"]]:
                self.assertIn("(column ", item["says"] + str(item["options"]), done.stderr)
                self.assertEqual(len({option["says"] for option in item["options"]}), len(item["options"]))
            for _ in range(3):
                first = next((item for item in self.listed(trip) if item["stops"]), None)
                if first is not None:
                    last = len(
                        [one for item in self.listed(trip) if item["of"] == first["of"] for one in item["options"]]
                    )
                    self.vexo.run("--as", "ada", "columns", str(trip.pk), "--answer", f"{first['of']}={last}")
            self.assertEqual([item["says"] for item in self.listed(trip) if item["stops"]], [])
            self.apply(trip)
            self.assertEqual(self.of("01")["last_name"], "b")

    def test_what_was_expected_and_is_not_there_stops(self) -> None:
        self.make(("01", "a"))
        trip = self.trip(self.sheet(("01", "b", "1")))
        self.assertEqual(self.listed(trip), [])
        expect(PartView.of(trip), self.person, rows=2)
        self.assertEqual(self.codes_of(trip), {"expected"})
        self.refused(trip)
        expect(PartView.of(trip), self.person, rows=1)
        self.assertEqual(self.listed(trip), [])

    def test_rows_that_wait_are_open_and_stay_behind(self) -> None:
        self.make(("01", "a"))
        trip = self.trip(self.sheet(("01", "b", "1"), ("02", "lost", "2")))
        [item] = self.listed(trip)
        self.assertEqual((item["code"], item["count"], item["stops"]), ("not-found", 1, False))
        self.apply(trip)
        self.assertEqual(self.of("01")["last_name"], "b")
        self.assertEqual(self.codes_of(trip), {"not-found"})
        for command in ("outcome", "review"):
            done = self.vexo.run("--as", "ada", command, str(trip.pk), "--json")
            self.assertEqual([one["code"] for one in json.loads(done.stdout)["open"]], ["not-found"])
            self.assertEqual(done.returncode, 1)
            self.assertIn(item["says"], done.stderr)

    def test_a_route_s_lane_that_lost_its_column_is_taken_by_no_other(self) -> None:
        trip = self.measured()
        steps = [
            {"do": "blank", "texts": ["n/k"]},
            {"do": "number", "written": "1234,5"},
            {"do": "multiply", "by": "0.3048"},
            {"do": "round", "to": 1},
        ]
        lanes = {"length_m": {"source": "LOA (feet)", "treatments": steps}, "services": {"separator": "/"}}
        self.change(trip, lanes=lanes, columns={"bollard cond.": ""})
        route, before = keep_trip(self.person, PartView.of(trip), "Feet"), self.lengths()
        numbers = [berth["berth_no"] for berth in self.berths()]
        for header in ("LOA", "Length, m", "LOA (feet);LOA (feet)", "length_m"):
            feet = "20;24" if ";" in header else "24"
            lines = [f"OLDBASIN;{number};{feet};water;good\n" for number in numbers]
            sheet = f"site;berth_ref;{header};fittings;bollard cond.\n" + "".join(lines)
            for way in ("job", "command"):
                with self.subTest(header=header, way=way):
                    if way == "job":
                        again = self.bring(sheet, record_type="Berth", route=route.pk)
                    else:
                        path = self.text(sheet, "feet.csv")
                        asked = ("bring-in", "harbour-practice", "Berth", str(path), "--route", "Feet", "--trip", "new")
                        done = self.vexo.run("--as", "ada", *asked)
                        self.assertEqual(done.returncode, 1)
                        self.assertIn("LOA (feet)", done.stderr)
                        again = Trip.objects.latest("id")
                    self.assertIn("route", self.codes_of(again))
                    self.assertNotIn("length_m", self.newest(again).carried)
                    self.refused(again)
                    go_on_without(PartView.of(again), self.person)
                    self.assertNotIn("route", self.codes_of(again))
        self.assertEqual(self.lengths(), before)
        lines = [f"OLDBASIN;{number};24;water;good\n" for number in numbers]
        again = self.bring(
            "site;berth_ref;LOA;fittings;bollard cond.\n" + "".join(lines), route=route.pk, record_type="Berth"
        )
        [item] = [item for item in self.listed(again) if item["code"] == "route"]
        self.assertEqual(
            [option["says"] for option in item["options"]],
            ["Take Length, m from “LOA”, as the route takes it from “LOA (feet)”", "Go on without"],
        )
        self.vexo.run("--as", "ada", "columns", str(again.pk), "--answer", "route=1")
        self.assertEqual(self.codes_of(again) & {"route", "field", "unit"}, set())
        self.assertEqual({str(value) for value in self.table(again)["proposed.length_m"]}, {"7.3"})
