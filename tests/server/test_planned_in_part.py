"""After an answer or an edit only the touched rows are planned again: the plan is the one that planning all of them,
with the application asked anew, would have made."""

from __future__ import annotations

import os
import random
from pathlib import Path
from typing import Any
from unittest.mock import MagicMock, patch

import openpyxl
import polars as pl
from polars.testing import assert_frame_equal

from tests.server.holder_sheets import HolderSheets
from tests.server.services import WHERE
from tests.server.test_editing import EditCase
from tests.support import register, template

template()

from vexo.core.columns.lanes import Lane  # noqa: E402
from vexo.core.errors import MendableError  # noqa: E402
from vexo.core.planning.frame import FieldColumns  # noqa: E402
from vexo.core.planning.verdicts import Answer  # noqa: E402
from vexo.server import artifacts, spared_columns  # noqa: E402
from vexo.server.applications.services import client_of  # noqa: E402
from vexo.server.data_folder import absolute  # noqa: E402
from vexo.server.decisions import decisions  # noqa: E402
from vexo.server.edits.row_filter import carry_only  # noqa: E402
from vexo.server.jobs.worker import run_inline  # noqa: E402
from vexo.server.mapping.columns import Changes, change, take_marks  # noqa: E402
from vexo.server.planning import plan_trip  # noqa: E402
from vexo.server.planning.basis import Basis  # noqa: E402
from vexo.server.planning.context import PlanContext  # noqa: E402
from vexo.server.planning.materials import ask  # noqa: E402
from vexo.server.planning.models import Plan  # noqa: E402
from vexo.server.planning.replan import replan  # noqa: E402
from vexo.server.trips.facts import to_json  # noqa: E402
from vexo.server.trips.part_view import PartView  # noqa: E402
from vexo.server.trips.status import TripStatus  # noqa: E402

CASES = 40 if os.environ.get("VEXO_FULL") else 2
LANES = [
    {},
    {"treatments": [{"do": "replace", "find": "two", "put": "three"}]},
    {"treatments": [{"do": "replace", "find": "5", "put": "6"}]},
    {"treatments": [{"do": "case", "style": "upper"}]},
    {"treatments": [{"do": "trim"}]},
    {"treatments": [{"do": "blank", "texts": ["x", "b"]}]},
    {"treatments": [{"do": "blank", "texts": ["x"]}], "blank": "clear"},
    {"blank": "default", "default": "free", "updates": True},
    {"only_empty": True},
    {"settled": ["units"]},
]
ANSWERS = [Answer.FILE, Answer.APPLICATION, Answer.ASIDE, Answer.CLEAR, Answer.LEAVE_OUT, Answer.AGAIN, Answer.NEW]


class InPart(HolderSheets, EditCase):
    def setUp(self) -> None:
        super().setUp()
        self.in_part = 0

        def counted(*arguments: Any) -> Any:
            made = replan(*arguments)
            self.in_part += made is not None
            return made

        self.enterContext(patch.object(plan_trip, "replan", counted))

    def held_against_whole(self, trip: Any) -> None:
        """The newest plan is what all rows planned anew would be."""
        trip.refresh_from_db()
        plan = self.newest(trip)
        self.assertEqual(plan.revision, trip.revision)
        basis = Basis.of(PlanContext.of_now(PartView.of(trip)))
        lease = MagicMock()
        with client_of(trip.application) as client:
            whole = plan_trip._whole(basis, ask(basis, client, lease), client, lease)
        assert_frame_equal(artifacts.read(plan.path), artifacts.read(whole.path))
        assert_frame_equal(artifacts.read(plan.values_path), artifacts.read(whole.values_path))
        order = ["row_id", "code", "field", "digest"]
        asked = [artifacts.read(path).sort(order) for path in (plan.questions_path, whole.questions_path)]
        assert_frame_equal(*asked)
        self.assertEqual(plan.summary, to_json(whole.summary))
        self.assertEqual(bool(plan.damage_path), bool(whole.damage_path))
        if plan.damage_path:
            order = ["row_id", "column", "kind"]
            assert_frame_equal(*[artifacts.read(p).sort(order) for p in (plan.damage_path, whole.damage_path)])
        places = pl.Series([len(artifacts.read(plan.path)) - 1, 0, 2], dtype=pl.UInt32)
        for path in (plan.path, plan.values_path, basis.context.cells_path):
            assert_frame_equal(artifacts.read_rows(path, places), artifacts.read(path)[places.to_list()])

    def undo_decision(self, trip: Any, number: int) -> None:
        view = PartView.of(trip)
        self.assertEqual(run_inline(decisions.undo(view, self.person, number, run_here=True)).error, "")
        trip.refresh_from_db()

    def relane(self, trip: Any, **lanes: dict[str, Any]) -> None:
        said = Changes(lanes={name: Lane.from_json(lane) for name, lane in lanes.items()})
        self.assertEqual(run_inline(change(PartView.of(trip), self.person, said, run_here=True)).error, "")
        trip.refresh_from_db()

    def something(self, trip: Any, pick: random.Random, columns: list[str], texts: list[str]) -> str:
        """One thing that a person may do, at random; what it was."""
        rows = len(self.table(trip))
        answers = list(trip.decisions.filter(undone_at=None).values_list("id", flat=True))
        edits = list(trip.edits.filter(undone_at=None).values_list("id", flat=True))
        kinds = ["decide", "decide", "decide", "edit", "edit", "lane"]
        kind = pick.choice(kinds + ["undo answer"] * bool(answers) + ["undo edit"] * bool(edits))
        if kind == "undo answer":
            self.undo_decision(trip, number := pick.choice(answers))
        elif kind == "undo edit":
            self.undo(trip, number := pick.choice(edits))
        elif kind == "lane":
            names = [m.field.name for m in PlanContext.of_now(PartView.of(trip)).matches if m.carried]
            name, lane = pick.choice(sorted(names)), pick.choice(LANES)
            self.relane(trip, **{name: lane})
            if lane.get("blank"):
                # Else nothing after it is planned in part.
                self.held_against_whole(trip)
                self.relane(trip, **{name: {}})
            return f"lane {name} {lane}"
        elif kind == "edit":
            row, column, text = pick.randrange(2, rows + 2), pick.choice(columns), pick.choice(texts)
            self.edit(trip, "cell", row, column, text=text)
            return f"edit {row} {column} {text}"
        else:
            answer = pick.choice(ANSWERS)
            faults = {code for codes in self.codes(trip) for code in codes}
            if faults and pick.random() < 0.3:
                code = pick.choice(sorted(faults))
                self.decide(trip, answer, code=code)
                return f"decide {answer} {code}"
            at = [pick.randrange(rows) for _ in range(pick.randint(1, 4))]
            self.decide(trip, answer, at)
            return f"decide {answer} {at}"
        return f"{kind} {number}"

    def walk(self, trip: Any, pick: random.Random, columns: list[str], texts: list[str], steps: int = 5) -> None:
        done: list[str] = []
        while len(done) < steps:
            try:
                done.append(self.something(trip, pick, columns, texts))
            except MendableError:
                trip.refresh_from_db()
                continue
            with self.subTest(done=done):
                self.held_against_whole(trip)

    def changed(self, path: Path, pick: random.Random) -> Path:
        """A sheet that went out, edited by several people who are not careful."""
        book = openpyxl.load_workbook(path)
        sheet = book.active
        header = {cell.value: cell.column for cell in sheet[1]}
        for row in range(2, sheet.max_row + 1):
            for label, texts in (("Daily rate", ["55.00", "x", 60.5]), ("Notes", ["mine", None, "two"])):
                if pick.random() < 0.3:
                    sheet.cell(row, header[label]).value = pick.choice(texts)
        for row in pick.sample(range(2, sheet.max_row + 1), 2):
            sheet.append([cell.value for cell in sheet[row]])
            if pick.random() < 0.5:
                sheet.cell(sheet.max_row, header["Notes"]).value = "copied"
        book.save(path)
        return path

    def rated(self, letter: str) -> list[dict[str, Any]]:
        condition = f"{WHERE.format(letter)} and daily_rate ne null"
        return list(register().get("Berths", **{"$filter": condition})["value"])

    def test_of_a_sheet_that_went_out(self) -> None:
        for case in range(CASES):
            pick = random.Random(case)
            with self.subTest(case=case):
                letter = "ABCDEFGH"[case % 8]
                trip, path = self.out(letter, "daily_rate", "notes", "status")
                for berth in pick.sample(self.rated(letter), 3):
                    register().change(f"Berths({berth['id']})", daily_rate=77, notes="theirs")
                job = self.back(self.changed(path, pick), trip=str(trip.pk))
                self.assertEqual(job.error, "")
                trip.refresh_from_db()
                texts = ["70.00", "7", "", "x", "[clear]", "free", "out of order", "=1+1", " spaced "]
                self.walk(trip, pick, ["Daily rate", "Notes", "Status", "Berth no."], texts)
        self.assertGreater(self.in_part, CASES * 2)

    def test_of_a_sheet_from_elsewhere_before_and_after_passes(self) -> None:
        for case in range(CASES):
            pick = random.Random(1000 + case)
            with self.subTest(case=case):
                self.number_anew()
                names = [f"{n:02d}" for n in range(12)]
                self.make(*[(name, pick.choice(["a", "b"])) for name in names[:8]])
                rows = [
                    (pick.choice([*names, ""]), pick.choice(["a", "b", "", "c"]), pick.choice("12")) for _ in "x" * 14
                ]
                trip = self.trip(self.sheet(*rows), pick.choice(["update", "upsert", "create"]))
                texts = [f"{self.begin}{pick.choice(names)}", "1", "2", "", "new", "[clear]", " b "]
                columns = ["last_name", "phone", "holder_no"]
                self.walk(trip, pick, columns, texts, 3)
                if {"create", "update"} & set(self.verdicts(trip)) and not TripStatus(PartView.of(trip)).asked_of_sheet:
                    self.apply(trip)
                self.plan(trip)
                self.walk(trip, pick, columns, texts, 3)
        self.assertGreater(self.in_part, 0)

    def test_of_a_sheet_of_which_only_some_rows_are_carried(self) -> None:
        self.make(*[(f"{n:02d}", "a") for n in range(6)])
        trip = self.trip(self.sheet(*[(f"{n:02d}", "b", str(n)) for n in range(6)]))
        view = PartView.of(trip)
        rows = self.table(trip)["row_id"].to_list()
        run_inline(carry_only(view, self.person, condition="phone gt 1", leave_out=[rows[5]], run_here=True))
        for at in (0, 3, 5):
            self.decide(trip, Answer.ASIDE, [at])
            self.held_against_whole(trip)
        self.assertEqual(self.in_part, 3)
        self.undo_decision(trip, trip.decisions.first().pk)
        self.held_against_whole(trip)
        self.assertEqual(self.in_part, 4)
        self.edit(trip, "cell", 3, "phone", text="9")
        self.held_against_whole(trip)
        self.assertEqual((self.in_part, self.verdicts(trip)[:2]), (4, ["aside", "update"]))

    def test_a_delete_is_planned_whole(self) -> None:
        self.make(("01", "a"), ("02", "b"), ("03", "c"))
        trip = self.trip(self.sheet(("01", "x", "1"), ("02", "y", "2"), ("03", "z", "3")), "delete")
        self.decide(trip, Answer.ASIDE, [0])
        self.assertEqual((self.in_part, self.verdicts(trip)), (0, ["aside", "delete", "delete"]))
        self.held_against_whole(trip)

    def test_a_plan_of_another_release_or_with_a_lost_file_is_planned_whole(self) -> None:
        self.make(("01", "a"), ("02", "b"))
        trip = self.trip(self.sheet(("01", "x", "1"), ("02", "y", "2")))
        Plan.objects.filter(trip=trip).update(made_with="0.0.9 1")
        self.decide(trip, Answer.ASIDE, [0])
        self.assertEqual(self.in_part, 0)
        self.decide(trip, Answer.ASIDE, [1])
        self.assertEqual(self.in_part, 1)
        plan = self.newest(trip)
        next(absolute(plan.path).parent.glob("plan-*.base.parquet")).unlink()
        with self.assertRaises(artifacts.ArtifactLost):
            artifacts.read(plan.path)
        with self.assertRaises(artifacts.ArtifactLost):
            artifacts.read_rows(plan.path, pl.Series([0]))
        self.assertFalse(artifacts.there(plan.path))
        self.plan(trip)
        self.assertEqual(self.verdicts(trip), ["aside", "aside"])

    def test_another_lane_plans_the_rows_whose_values_it_makes_others(self) -> None:
        self.make(*[(f"{n:02d}", "a") for n in range(6)])
        rows = [(f"{n:02d}", "Two" if n in (1, 4) else "b", f"{n}") for n in range(6)]
        trip = self.trip(self.sheet(*rows))
        replace = {"treatments": [{"do": "replace", "find": "Two", "put": "Three"}]}
        with patch.object(plan_trip, "client_of", side_effect=AssertionError("the application was asked")):
            self.relane(trip, last_name=replace)
            planned = self.table(trip)[FieldColumns("last_name").proposed].to_list()
            self.assertEqual((self.in_part, planned[1], planned[4], planned[0]), (1, "Three", "Three", "b"))
            self.decide(trip, Answer.ASIDE, [4])
            self.edit(trip, "cell", 3, "last_name", text="Two more")
            self.relane(trip, last_name={**replace, "only_empty": True})
            self.assertEqual((self.in_part, self.verdicts(trip).count("update")), (3, 5))
        self.held_against_whole(trip)
        self.relane(trip, last_name={"treatments": [{"do": "case", "style": "upper"}]}, phone={"source": "last_name"})
        self.held_against_whole(trip)

    def test_marks_that_count_from_now_on_count_in_a_plan_for_another_lane_too(self) -> None:
        self.make(("01", "a"), ("02", "b"))
        trip = self.trip(self.sheet(("01", "a", "[clear]"), ("02", "b", "2"), ("03", "c", "3")))
        take_marks(PartView.of(trip), self.person)
        self.relane(trip, last_name={"treatments": [{"do": "trim"}]})
        self.held_against_whole(trip)
        self.assertEqual(self.verdicts(trip), ["same", "update", "rejected"])
        self.edit(trip, "cell", 3, "phone", text="[clear]")
        self.held_against_whole(trip)

    def test_of_damage_in_a_column_that_gets_another_lane(self) -> None:
        trip, path = self.out("J", "notes", "daily_rate")
        job = self.back(self.edited(path, self.harm), trip=str(trip.pk))
        self.assertEqual(job.error, "")
        trip.refresh_from_db()
        damaged = {one["field"] for one in self.newest(trip).summary["damage"]}
        self.assertEqual(damaged, {"notes"})
        self.relane(trip, notes={"treatments": [{"do": "trim"}]})
        self.held_against_whole(trip)
        self.assertEqual((self.in_part, self.newest(trip).summary["damage"]), (1, []))
        self.relane(trip, notes={})
        self.held_against_whole(trip)
        self.assertEqual({one["field"] for one in self.newest(trip).summary["damage"]}, {"notes"})

    def harm(self, sheet: Any) -> None:
        header = {cell.value: cell.column for cell in sheet[1]}
        for row in (2, 4):
            sheet.cell(row, header["Notes"]).value = "1.23E+11"

    def test_what_a_pass_sends_is_the_plan_in_part(self) -> None:
        self.make(("01", "a"), ("02", "b"), ("03", "c"))
        trip = self.trip(self.sheet(("01", "x", "1"), ("02", "y", "2"), ("03", "z", "3")))
        self.edit(trip, "cell", 2, "last_name", text="edited")
        self.decide(trip, Answer.ASIDE, [1])
        self.assertEqual(self.in_part, 2)
        one = self.apply(trip)
        self.assertEqual(one.totals["updated"], 2)
        self.assertEqual([self.of(n)["last_name"] for n in ("01", "02", "03")], ["edited", "b", "z"])


class Patches(EditCase):
    def test_patches_over_patches_and_one_that_grows_whole(self) -> None:
        # As long a result as of 140,000 rows, in groups of a sixteenth.
        group, size = 1_024, 8_750
        for module, name, value in (
            (artifacts, "_GROUP", group),
            (artifacts, "_PIECE", 8 * group),
            (artifacts, "_AS_PARQUET", {**artifacts._AS_PARQUET, "row_group_size": group}),
            (artifacts, "MOST_PATCHED", artifacts.MOST_PATCHED // 16),
            (spared_columns, "_LONG", group),
        ):
            self.enterContext(patch.object(module, name, value))
        frame = pl.DataFrame({"a": range(size), "b": [f"t{n}" for n in range(size)], "c": [[n] for n in range(size)]})
        frame = frame.with_columns(pl.col("b").alias("d"), pl.lit(None, pl.String).alias("e"), f=pl.lit("")).select(
            *"edacbf"
        )
        path, pick = artifacts.write(frame, "stages/1/t.parquet", [("d", "b"), ("c", "a")]), random.Random(1)
        self.assertEqual(
            set(pl.read_parquet_schema(absolute(path))), {"a", "b", "c", "f"}, "stored once, or not at all"
        )
        for step in range(30):
            count = pick.choice([0, 1, 5, 190])
            places = pl.Series(sorted(pick.sample(range(size), count)), dtype=pl.UInt32)
            rows = frame[places.to_list()].with_columns(b=pl.lit(f"step {step}"), e=pl.lit(f"no longer {step}"))
            patched = pl.int_range(pl.len()).is_in(places.implode())
            frame = frame.with_columns(
                pl.when(patched).then(pl.lit(f"step {step}")).otherwise("b").alias("b"),
                pl.when(patched).then(pl.lit(f"no longer {step}")).otherwise("e").alias("e"),
            )
            path = artifacts.patch(path, rows, places, f"stages/1/t{step}.parquet")
            asked = pl.Series(pick.choices(range(size), k=50), dtype=pl.UInt32)
            assert_frame_equal(artifacts.read(path), frame)
            for names in (["c", "b"], ["e"], ["d", "e"], ["e", "b", "d"]):
                assert_frame_equal(artifacts.read(path, names), frame.select(names))
            assert_frame_equal(artifacts.read_rows(path, asked), frame[asked.to_list()])
            assert_frame_equal(artifacts.scan(path).collect(), frame)
            window = artifacts.scan(path).slice(size - 7, 5).select("e", "d")
            assert_frame_equal(window.collect(), frame.select("e", "d").slice(size - 7, 5))
            assert_frame_equal(artifacts.scan(path).select("e").collect(), frame.select("e"))
            self.assertEqual(artifacts.columns_of(path), set("abcdef"))
            pieces = list(artifacts.pieces(path))
            self.assertGreater(len(pieces), 1, "longer than one piece")
            assert_frame_equal(pl.concat(pieces), frame)
        kept = artifacts.freeze(path, 1, "t")
        artifacts.evict(0)
        self.assertFalse(artifacts.there(path))
        assert_frame_equal(artifacts.read(kept), frame)

    def test_a_result_without_rows_is_one_piece_with_its_columns(self) -> None:
        frame = pl.DataFrame(schema={"a": pl.UInt32, "b": pl.String})
        path = artifacts.write(frame, "stages/1/none.parquet")
        [piece] = artifacts.pieces(path)
        assert_frame_equal(piece, frame)
        with self.assertRaises(artifacts.ArtifactLost):
            list(artifacts.pieces("stages/1/nowhere.parquet"))
