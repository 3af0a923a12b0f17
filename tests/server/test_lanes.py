"""Lanes through to the records: columns matched, cleaned, checked, fixed and looked up."""

from __future__ import annotations

import csv
import io
from typing import Any

from tests.server.holder_sheets import HolderSheets
from tests.support import register, template, temporary_folder

template()

from vexo.core.columns.lanes import Lane, LaneError  # noqa: E402
from vexo.core.columns.matches import MappingError  # noqa: E402
from vexo.core.errors import MendableError  # noqa: E402
from vexo.core.sheets import Choices  # noqa: E402
from vexo.server.jobs.worker import run_inline  # noqa: E402
from vexo.server.mapping.columns import Changes, change  # noqa: E402
from vexo.server.mapping.lane_preview import try_lane  # noqa: E402
from vexo.server.planning.context import PlanContext  # noqa: E402
from vexo.server.rows.edit_requests import EditRequest, make_edit  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402
from vexo.server.trips.part_view import PartView  # noqa: E402

FEET = """site;berth_ref;LOA (feet);fittings;bollard cond.
OLDBASIN;{0};39,4;water;good
OLDBASIN;{1};n/k;water / power;fair
OLDBASIN;{2};45,9;water;good
OLDBASIN;{3};59,1;;good
OLDBASIN;{4};65,6;power;
OLDBASIN;{5};32,8;wifi;
"""


class LaneCase(HolderSheets):
    def change(self, trip: Trip, **said: Any) -> None:
        said["lanes"] = {name: Lane.from_json(lane) for name, lane in said.get("lanes", {}).items()}
        job = run_inline(change(PartView.of(trip), self.person, Changes(**said), run_here=True))
        self.assertEqual(job.error, "")
        trip.refresh_from_db()

    def column(self, trip: Trip, header: str) -> dict[str, Any]:
        trip.refresh_from_db()
        return next(c for c in trip.status["columns"] if c["header"] == header)

    def asked(self, trip: Trip) -> dict[str, list[str]]:
        trip.refresh_from_db()
        return {key: [one["code"] for one in told] for key, told in trip.status["questions"].items()}

    def berths(self) -> list[dict[str, Any]]:
        where = {"$filter": "harbour eq 'OLDBASIN'", "$top": "6", "$orderby": "id"}
        return register().get("Berths", **where)["value"]

    def measured(self) -> Trip:
        numbers = [berth["berth_no"] for berth in self.berths()]
        return self.bring(FEET.format(*numbers), record_type="Berth")


class Measured(LaneCase):
    def test_columns_are_known_by_what_they_say_and_what_is_not_sure_is_asked(self) -> None:
        trip = self.measured()
        found = {c["header"]: (c["field"], c["how"]) for c in trip.status["columns"]}
        self.assertEqual(
            found,
            {
                "site": ("harbour", "words"),
                "berth_ref": ("berth_no", "words"),
                "LOA (feet)": ("length_m", "words"),
                "fittings": ("services", "words"),
                "bollard cond.": (None, "open"),
            },
        )
        self.assertEqual(
            self.asked(trip), {"length_m": ["form", "unit"], "services": ["separator"], "column:c4": ["field"]}
        )

    def test_its_answers_make_the_lane_and_the_records(self) -> None:
        trip = self.measured()
        unit = trip.status["questions"]["length_m"][1]
        self.assertIn("Metres or feet?", unit["says"])
        feet = unit["options"][0]
        length = feet["lanes"]["length_m"]
        length["treatments"].insert(0, {"do": "blank", "texts": ["n/k"]})
        lanes = {"length_m": length, **trip.status["questions"]["services"][0]["options"][0]["lanes"]}
        self.change(trip, lanes=lanes, columns={"bollard cond.": ""})
        self.assertEqual(self.asked(trip), {})
        self.assertEqual(
            self.column(trip, "LOA (feet)")["lane"]["says"],
            "Take LOA (feet), treat “n/k” as blank, read numbers written as 1234,5, "
            "multiply by 0.3048, round to 1 decimals.",
        )
        self.apply(trip)
        now = self.berths()
        self.assertEqual([float(now[0]["length_m"]), now[1]["services"]], [12.0, ["water", "power"]])

    def test_two_columns_for_one_value_are_named_and_one_is_chosen(self) -> None:
        number = self.berths()[0]["berth_no"]
        trip = self.bring(
            f"Harbour;Berth no.;Daily rate;Flat season rate\nOLDBASIN;{number};12.50;\n", record_type="Berth"
        )
        with self.assertRaisesRegex(MappingError, "'Daily rate' .* and 'Flat season rate' .* same value"):
            PlanContext.of_now(PartView.of(trip))
        self.assertEqual(self.asked(trip)["flat_season_rate"], ["conflict"])
        self.change(trip, columns={"Flat season rate": ""})
        self.assertEqual(self.column(trip, "Daily rate")["carried"], True)
        self.assertEqual(self.newest(trip).carried, ["harbour", "berth_no", "daily_rate"])

    def test_a_lane_whose_column_is_not_there_is_refused(self) -> None:
        trip = self.measured()
        with self.assertRaisesRegex(LaneError, "no column 'Beam'"):
            self.change(trip, lanes={"depth_m": {"source": "Beam"}})


class Names(LaneCase):
    def test_one_column_gives_two_fields_and_phones_one_form(self) -> None:
        begin = self.begin
        text = "Holder no.,Name,Phone\n"
        text += f"{begin}01,Ada Quillfeather,(01632) 960 018\n{begin}02,BRAM TIDEWELL,0044 1632 960019\n"
        trip = self.bring(text, record_type="Holder", operation="create")
        lanes = {
            "first_name": {
                "source": "Name",
                "treatments": [{"do": "split", "at": " ", "take": "head"}, {"do": "case", "style": "name"}],
            },
            "last_name": {
                "source": "Name",
                "treatments": [{"do": "split", "at": " ", "take": "last"}, {"do": "case", "style": "name"}],
            },
            "phone": {"treatments": [{"do": "phone", "country": "44"}]},
        }
        self.change(trip, lanes=lanes, key=["holder_no"])
        self.apply(trip)
        made = [(h["first_name"], h["last_name"], h["phone"]) for h in self.holders(begin)]
        self.assertEqual(made, [("Ada", "Quillfeather", "+441632960018"), ("Bram", "Tidewell", "+441632960019")])

    def test_a_fixed_value_a_check_and_a_look_up(self) -> None:
        begin = self.begin
        with register().client() as client:
            for number, last in (("01", "Reed"), ("02", "Gull")):
                body = {"holder_no": f"{begin}{number}", "last_name": last, "email": f"h{begin}{number}@example.org"}
                client.post("Holders", json=body).raise_for_status()
        text = f"mail;surname\nh{begin}01@example.org;Reed\nh{begin}02@example.org;Gul\nnobody@example.org;x\n"
        trip = self.bring(text, record_type="Holder")
        look = {"do": "look up", "table": "Holder", "by": "email", "take": "holder_no"}
        lanes = {
            "holder_no": {"source": "mail", "treatments": [look]},
            "last_name": {"check": True},
            "phone": {"fixed": "+441632960000"},
        }
        self.change(trip, lanes=lanes, columns={"surname": "last_name"}, key=["holder_no"])
        self.assertEqual(self.verdicts(trip), ["update", "held", "rejected"])
        self.assertEqual(self.codes(trip), [[], ["check-differs"], ["key-unread"]])
        self.assertEqual(self.newest(trip).summary["checks"], [{"field": "last_name", "compared": 2, "agrees": 1}])
        self.decide(trip, "go on", [1])
        self.apply(trip)
        self.assertEqual(
            [(h["last_name"], h["phone"]) for h in self.holders(begin)],
            [("Reed", "+441632960000"), ("Gull", "+441632960000")],
        )


class Versions(LaneCase):
    def test_rows_of_a_newer_sheet_are_known_by_a_key_that_a_lane_takes(self) -> None:
        self.make(("01", "Reed"), ("02", "Gull"))
        begin = self.begin
        text = f"Card;Holder\n{begin[1:]}01;Reed\n{begin[1:]}02;Gull\n"
        trip = self.bring(text, record_type="Holder")
        lane = {"source": "Card", "treatments": [{"do": "pad", "length": 7}]}
        self.change(trip, lanes={"holder_no": lane}, columns={"Holder": "last_name"}, key=["holder_no"])
        self.assertEqual(self.verdicts(trip), ["same", "same"])
        newer = self.text(f"Card;Holder\n{begin[1:]}02;Gulland\n{begin[1:]}01;Reed\n", "newer.csv")
        job = self.back(newer, None, "Holder", trip=str(trip.pk))
        self.assertEqual((job.error, trip.sheets.last().known_rows["key"]), ("", 2))
        self.assertEqual(self.verdicts(self.trip_of(job)), ["update", "same"])

    def test_a_newer_sheet_that_lacks_a_lane_s_column_lies_at_columns_until_it_is_said(self) -> None:
        self.make(("01", "Reed"))
        trip = self.bring(f"holder_no;Name\n{self.begin}01;Gull\n", record_type="Holder", key=["holder_no"])
        self.change(trip, lanes={"last_name": {"source": "Name"}})
        newer = self.text(f"holder_no;Called\n{self.begin}01;Gullane\n", "newer.csv")
        self.back(newer, None, "Holder", trip=str(trip.pk))
        trip.refresh_from_db()
        with self.assertRaisesRegex(LaneError, "no column 'Name'"):
            PlanContext.of_now(PartView.of(trip))
        self.assertEqual([c["how"] for c in trip.status["columns"]], ["name", "open", "lost"])
        self.change(trip, lanes={"last_name": {"source": "Called"}})
        self.apply(trip)
        self.assertEqual(self.of("01")["last_name"], "Gullane")

    def test_an_edit_reaches_every_field_that_takes_its_column(self) -> None:
        self.make(("01", "Reed"))
        trip = self.bring(f"holder_no;Name\n{self.begin}01;Ada Reed\n", record_type="Holder", key=["holder_no"])
        lanes = {
            "first_name": {"source": "Name", "treatments": [{"do": "split", "take": "head"}]},
            "last_name": {"source": "Name", "treatments": [{"do": "split", "take": "last"}]},
        }
        self.change(trip, lanes=lanes)
        row = self.table(trip)["row_id"][0]
        values = {"kind": "cell", "row_id": row, "column": "c1", "text": "Bram Tidewell"}
        _, job = make_edit(PartView.of(trip), self.person, EditRequest.of(values))
        self.assertEqual(run_inline(job).error, "")
        self.apply(trip)
        holder = self.of("01")
        self.assertEqual((holder["first_name"], holder["last_name"]), ("Bram", "Tidewell"))

    def test_while_the_key_is_not_said_columns_are_put_right_without_an_error(self) -> None:
        self.make(("01", "Reed"))
        trip = self.bring(f"Card;Name\n{self.begin[1:]}01;Gull\n", record_type="Holder")
        job = change(PartView.of(trip), self.person, Changes(lanes={"last_name": Lane(source="Name")}))
        ended = run_inline(job)
        self.assertEqual((ended.error, ended.result["plan"]), ("", None))
        pad = Lane.from_json({"source": "Card", "treatments": [{"do": "pad", "length": 7}]})
        ended = run_inline(change(PartView.of(trip), self.person, Changes(lanes={"holder_no": pad})))
        self.assertEqual(ended.result["verdicts"]["update"], 1)


class Through(LaneCase):
    """Lanes through passes, receipts and rows that come back."""

    def test_treatments_of_a_sheet_that_went_out_are_edits(self) -> None:
        trip, path = self.out("D", "harbour", "berth_no", "notes", format_="csv")
        job = self.back(path, trip=str(trip.pk))
        rows = self.trip_of(job).sheets.last().rows
        self.assertEqual(self.terms(self.trip_of(job)), {"same": rows})
        trip = self.trip_of(job)
        self.change(trip, lanes={"notes": {"fixed": "seen in november"}})
        self.assertEqual(self.terms(trip), {"update": rows})
        self.change(trip, lanes={"notes": {"fixed": "seen in november", "only_empty": True}})
        written = sum(1 for berth in self.ours("D") if not berth["notes"])
        self.assertEqual(self.terms(trip).get("update", 0), written)

    def ours(self, letter: str) -> list[dict[str, Any]]:
        where = {"$filter": f"harbour eq 'TERNISLAND' and startswith(berth_no,'{letter}-')", "$orderby": "berth_no"}
        return register().get("Berths", **where)["value"]

    def test_items_added_in_every_row(self) -> None:
        before = self.ours("E")
        lines = "\n".join(f"TERNISLAND;{berth['berth_no']}" for berth in before)
        trip = self.bring(f"harbour;berth_no\n{lines}", record_type="Berth")
        self.change(trip, lanes={"services": {"fixed": "crane", "adds": True}})
        self.apply(trip)
        for old, new in zip(before, self.ours("E"), strict=True):
            self.assertEqual(set(new["services"]), {*old["services"], "crane"})
        self.plan(trip)
        self.assertEqual(set(self.verdicts(trip)), {"same"})

    def test_rows_not_in_come_back_as_they_stood_and_are_treated_again(self) -> None:
        self.make(("01", "Reed"), ("02", "Gull"))
        text = f"holder_no;Phone\n{self.begin}01;01632 960001\n{self.begin}02;by post\n"
        trip = self.bring(text, record_type="Holder", key=["holder_no"])
        self.change(trip, lanes={"phone": {"treatments": [{"do": "phone", "country": "44"}]}})
        done = self.apply(trip)
        file = temporary_folder() / "not-in.csv"
        self.vexo.run(
            "--as", "ada", "outcome", str(trip.pk), "--rejects", str(file), "--receipt", str(file.with_name("r.csv"))
        )
        not_in = file.read_text(encoding="utf-8-sig")
        self.assertIn("by post", not_in)
        self.assertIn("+441632960001", file.with_name("r.csv").read_text(encoding="utf-8-sig"))
        file.write_text(not_in.replace("by post", "(01632) 960 002"), encoding="utf-8-sig")
        job = self.back(file, None, "Holder", trip=str(trip.pk))
        self.assertEqual(job.error, "")
        self.assertEqual(self.verdicts(self.trip_of(job)), ["same", "update"])
        self.apply(self.trip_of(job))
        self.assertEqual([self.of(n)["phone"] for n in ("01", "02")], ["+441632960001", "+441632960002"])
        self.assertTrue(done)


class Hostile(LaneCase):
    def test_what_makes_no_lane_is_refused_in_words(self) -> None:
        trip = self.measured()
        for lane, words in (
            (
                {"treatments": [{"do": "replace", "find": "(a{1000}){1000}", "how": "pattern"}]},
                "not a regular expression",
            ),
            ({"treatments": [{"do": "shout"}]}, "Unknown treatment"),
            ({"treatments": [{"do": "look up", "table": "sheet:99999", "by": "a", "take": "b"}]}, "no sheet"),
            ({"treatments": [{"do": "look up", "table": "Moon", "by": "a", "take": "b"}]}, "no record type"),
            ({"treatments": [{"do": "look up", "table": "Holder", "by": "craters", "take": "email"}]}, "no field"),
            ({"fixed": "9" * 40}, "not a value"),
        ):
            with self.assertRaisesRegex(MendableError, words):
                try_lane(PartView.of(trip), "depth_m", Lane.from_json(lane), "c2")

    def test_a_column_that_is_only_read_can_be_checked_and_never_written(self) -> None:
        number = self.berths()[0]["berth_no"]
        trip = self.bring(f"harbour;berth_no;Balance due\nOLDBASIN;{number};-1\n", record_type="Berth")
        with self.assertRaisesRegex(LaneError, "only for reading"):
            self.change(trip, lanes={"balance_due": {"only_empty": True}})
        self.change(trip, lanes={"balance_due": {"check": True}}, columns={"Balance due": "balance_due"})
        self.assertEqual(self.codes(trip), [["check-differs"]])
        self.assertNotIn("balance_due", self.newest(trip).carried)

    def test_a_field_that_is_set_once_is_left_and_said(self) -> None:
        line = register().get("Contracts", **{"$top": "1", "$filter": "kind eq 'seasonal'"})["value"][0]
        trip = self.bring(f"contract_no;kind\n{line['contract_no']};visitor\n", record_type="Contract")
        self.assertEqual(self.verdicts(trip), ["same"])
        self.assertEqual(self.newest(trip).summary["columns"][1]["filled_before"], 1)


class Marks(LaneCase):
    """Marks through to the records, in sheets of ours and foreign ones."""

    def berth(self, number: str) -> dict[str, Any]:
        where = {"$filter": f"harbour eq 'TERNISLAND' and berth_no eq '{number}'"}
        return register().get("Berths", **where)["value"][0]

    def test_each_mark_does_what_it_says_and_nothing_else(self) -> None:
        fields = ("harbour", "berth_no", "services", "notes", "ring_no")
        trip, path = self.out("B", *fields, format_="csv")
        rows = list(csv.reader(io.StringIO(path.read_text(encoding="utf-8-sig"))))
        before = [self.berth(row[2]) for row in rows[1:8]]
        services = [
            "[add] crane",
            "[remove] water",
            "[set] wifi; crane",
            "[keep]",
            "[clear]",
            "",
            "[add] crane [remove] power",
        ]
        notes = ["[clear]", "[[real] bracket", "[keep]", "", "plain", "[CLEAR] ", "[nonsense]"]
        for row, service, note in zip(rows[1:], services, notes, strict=False):
            row[3], row[4] = service, note
        with path.open("w", encoding="utf-8-sig", newline="") as file:
            csv.writer(file).writerows(rows)
        job = self.back(path, trip=str(trip.pk))
        self.assertEqual(job.error, "")
        self.assertEqual(self.codes(self.trip_of(job))[6], ["unknown-mark"])
        self.apply(self.trip_of(job))
        after = [self.berth(row[2]) for row in rows[1:8]]
        order = ["water", "power", "wifi", "pump-out", "crane"]

        def with_(at: int, add: set[str] = frozenset(), take: set[str] = frozenset()) -> list[str]:  # type: ignore[assignment]
            return [item for item in order if item in (set(before[at]["services"]) | add) - take]

        wanted = [with_(0, {"crane"}), with_(1, take={"water"}), ["wifi", "crane"], with_(3), [], with_(5), with_(6)]
        self.assertEqual([berth["services"] for berth in after], wanted)
        said = [None, "[real] bracket", before[2]["notes"], before[3]["notes"], "plain", None, before[6]["notes"]]
        self.assertEqual([berth["notes"] for berth in after], said)

    def test_in_a_foreign_sheet_a_bracket_is_text_until_marks_are_on(self) -> None:
        self.make(("01", "Reed"))
        text = self.sheet(("01", "[clear]", ""))
        trip = self.trip(text)
        self.change(trip, lanes={"last_name": {"settled": ["marks"]}})
        self.apply(trip)
        self.assertEqual(self.of("01")["last_name"], "[clear]")
        self.theirs("01", phone="+441632960001")
        trip = self.trip(self.sheet(("01", "Reed", "[clear]")), choices=Choices(marks=True))
        self.apply(trip)
        self.assertEqual((self.of("01")["last_name"], self.of("01")["phone"]), ("Reed", None))


class OnTheCommandLine(LaneCase):
    def test_questions_are_asked_and_answered_and_the_way_is_kept_and_used(self) -> None:
        numbers = [berth["berth_no"] for berth in self.berths()]
        sheet = self.text(FEET.format(*numbers), "club.csv")
        found = self.vexo.run("--as", "ada", "bring-in", "harbour-practice", "Berth", str(sheet), "--trip", "new")
        self.assertIn("? Metres or feet?", found.stderr)
        self.assertIn("bollard cond.=1  Leave it out", found.stderr)
        trip = Trip.objects.latest("id")
        wrong = self.vexo.run("--as", "ada", "columns", str(trip.pk), "--answer", "beam=1")
        self.assertEqual(wrong.returncode, 2)
        self.assertIn("Nothing is asked about 'beam'", wrong.stderr)
        answers = [word for one in ("length_m=2", "services=1", "bollard cond.=1") for word in ("--answer", one)]
        lanes = self.text('{"notes": {"fixed": "measured"}}', "lanes.json")
        more = ("--lanes", str(lanes), "--only-if-empty", "notes", "--keep-as", "Club measurements")
        told = self.vexo.json("--as", "ada", "columns", str(trip.pk), *answers, *more, code=1)
        self.assertEqual(told["questions"], [])
        trip.refresh_from_db()
        self.assertEqual(trip.lanes["notes"], {"fixed": "measured", "only_empty": True})
        again = self.text(FEET.format(*reversed(numbers)), "club-again.csv")
        way = ("--route", "Club measurements", "--trip", "new", "--set", "depth_m=2.5")
        told = self.vexo.json("--as", "ada", "bring-in", "harbour-practice", "Berth", str(again), *way, code=1)
        self.assertEqual(told["questions"], [])
        second = Trip.objects.get(pk=told["trip"])
        self.assertEqual(second.lanes, {**trip.lanes, "depth_m": {"fixed": "2.5"}})
        kept = self.vexo.json("--as", "ada", "routes")["routes"][-1]
        self.assertEqual(kept["name"], "Club measurements")
        listed = " ".join(self.vexo.run("--as", "ada", "routes").stdout.split())
        self.assertIn(" ".join(kept["says_in"].split())[:30], listed)

    def test_a_file_of_lanes_that_is_none_says_why(self) -> None:
        trip = self.measured()
        for content, words in (
            ("[1]", "one JSON object"),
            ("{", "not a file of lanes"),
            ('{"notes": {"loud": 1}}', "has no 'loud'"),
        ):
            lanes = self.text(content, "bad.json")
            told = self.vexo.run("--as", "ada", "columns", str(trip.pk), "--lanes", str(lanes))
            self.assertEqual(told.returncode, 2)
            self.assertIn(words, told.stderr)
