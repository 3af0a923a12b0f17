"""What a person says beside something else counts, or is refused: nothing of it is overlooked."""

from __future__ import annotations

import os
from dataclasses import replace
from datetime import timedelta
from typing import Any

from django.utils import timezone

from tests.server.services import view_of
from tests.server.sharing_case import SharingCase
from tests.support import temporary_folder
from vexo.cli.lanes import Laning, lanes_said
from vexo.core.columns.lanes import Blank
from vexo.core.documents import BringIn, Picked, SendOut, Share
from vexo.core.planning.verdicts import Answer
from vexo.server.decisions.decisions import Scope, decide
from vexo.server.errors import PlainError
from vexo.server.jobs.models import Job
from vexo.server.jobs.views import JobSerializer
from vexo.server.jobs.worker import enqueue, run_inline
from vexo.server.passes.models import Pass, Scheduled
from vexo.server.passes.scheduling import schedule
from vexo.server.passes.starting import go_on
from vexo.server.planning.context import plan_of
from vexo.server.routes.models import Route
from vexo.server.trips.facts.passes import TroubleRule
from vexo.server.trips.models import Trip

BERTHS = "harbour eq 'TERNISLAND' and startswith(berth_no,'B-00')"


class Said(SharingCase):
    def setUp(self) -> None:
        super().setUp()
        self.folder = temporary_folder()

    def run_as(self, *words: object) -> Any:
        return self.vexo.run("--as", "ada", *map(str, words))

    def refuses(self, words: str, *line: object) -> None:
        done = self.run_as(*line)
        self.assertEqual(done.returncode, 2, f"{line}: {done.stdout}")
        self.assertIn(words, " ".join(done.stderr.split()))
        self.assertEqual(list(self.folder.iterdir()), [])


class Outputs(Said):
    """A file's name says what is in it."""

    def test_one_that_says_another_kind_is_refused_whichever_command_writes(self) -> None:
        trip = self.bring("harbour,berth_no,notes\nTERNISLAND,E-001,seen\n")
        self.assertEqual(self.apply(trip).state, Pass.ENDED)
        out, _ = self.out("E", "notes", format_="csv")
        for ending, words, line in (
            (".xlsx", "End its name in .csv", ("files", trip.pk, "--save", "1", "-o")),
            (".xlsx", "End its name in .zip", ("files", out.pk, "--sent", "-o")),
            (".zip", "Unknown format", ("files", out.pk, "--kept", "-o")),
            (".xlsx", "End its name in .csv", ("keys", trip.pk, "--absent", "-o")),
            (".zip", "End its name in .gz or .tgz", ("backup",)),
            (".ods", "x.ods. Use .xlsx, .csv, .tsv or .html.", ("review", trip.pk, "-o")),
            (".ods", "x.ods. Use .xlsx, .csv, .tsv, .jsonl or .html.", ("outcome", trip.pk, "--receipt")),
            (".html", "x.html. Use .xlsx, .csv or .tsv.", ("outcome", trip.pk, "--touched")),
            (".html", "x.html. Use .xlsx, .csv or .tsv.", ("outcome", trip.pk, "--rejects")),
            (".xlsx", "x.xlsx. Use .csv or .jsonl.", ("journal", "-o")),
            (".xlsx", "would hold csv", ("send-out", "harbour-practice", "Berth", "--format", "csv", "-o")),
        ):
            with self.subTest(line):
                self.refuses(words, *line, self.folder / f"x{ending}")

    def test_a_filled_sheet_keeps_its_kind_where_its_name_says_one(self) -> None:
        sheet = temporary_folder() / "a.csv"
        sheet.write_text("harbour,berth_no,notes\nTERNISLAND,B-001,\n")
        text = sheet.with_suffix(".txt")
        text.write_bytes(sheet.read_bytes())
        done = self.run_as("refill", "harbour-practice", "Berth", text, "-o", self.folder / "x.csv")
        self.assertEqual(done.returncode, 0, done.stderr)
        (self.folder / "x.csv").unlink()
        self.refuses("End its name in .csv", "refill", "harbour-practice", "Berth", sheet, "-o", self.folder / "x.xlsx")

    def test_names_that_say_nothing_and_pipes_are_written(self) -> None:
        trip, path = self.out("B", "notes", format_="csv")
        for name in ("plain", "of.2026-12-02", "x.CSV"):
            with self.subTest(name):
                done = self.run_as("files", trip.pk, "--save", "1", "-o", self.folder / name)
                self.assertEqual(done.returncode, 0, done.stderr)
                self.assertEqual((self.folder / name).read_bytes(), path.read_bytes())
        pipe = self.folder / "pipe"
        os.mkfifo(pipe)
        reader = os.open(pipe, os.O_RDONLY | os.O_NONBLOCK)
        self.addCleanup(os.close, reader)
        self.assertEqual(self.run_as("files", trip.pk, "--save", "1", "-o", pipe).returncode, 0)
        self.assertEqual(os.read(reader, 1 << 16), path.read_bytes())

    def test_links_in_a_circle_are_said(self) -> None:
        trip, _ = self.out("B", "notes", format_="csv")
        circle = temporary_folder()
        (circle / "a").symlink_to(circle / "b")
        (circle / "b").symlink_to(circle / "a")
        self.refuses("Too many levels of symbolic links", "files", trip.pk, "--save", "1", "-o", circle / "a")


class SentOut(Said):
    def route(self, **changes: Any) -> Route:
        document = replace(SendOut("Berth", ("notes",), BERTHS), **changes)
        return Route.objects.create(
            name=f"R{Route.objects.count()}", application=self.practice, send_document=document.to_json(), made_by="ada"
        )

    def sent(self, *line: object) -> int:
        done = self.run_as("send-out", *line, "-o", self.folder / "x.csv")
        self.assertEqual(done.returncode, 0, done.stderr)
        return Trip.objects.latest("id").sheets.get().rows or 0

    def test_a_route_is_of_the_application_and_type_that_are_said(self) -> None:
        route = self.route()
        for said, its_own in ((("harbour-live",), "harbour-practice"), (("harbour-practice", "Holder"), "Berth")):
            with self.subTest(said):
                words = f"is one of {its_own}, not of {said[-1]}"
                self.refuses(words, "send-out", *said, "--route", route.name, "-o", self.folder / "x.csv")
        for name in ("berth", "Berths"):
            self.assertEqual(self.sent("harbour-practice", name, "--route", route.name), 9)

    def test_a_route_that_lost_what_goes_out_lets_nothing_else_go(self) -> None:
        gone = Picked(("mooring",), (("x",),))
        for lost, words, option in (
            ({"condition": "mooring eq 'x'"}, "other records would go out", ("--where", BERTHS)),
            ({"picked": gone}, "other records would go out", ("--where", BERTHS)),
            ({"share": Share("mooring")}, "all would go out in one sheet", ("--share-by", "harbour")),
        ):
            with self.subTest(lost):
                name = self.route(**lost).name
                self.refuses(words, "send-out", "--route", name, "-o", self.folder / "x.csv")
                self.assertEqual(self.sent("--route", name, *option), 9)
                (self.folder / "x.csv").unlink()

    def test_a_condition_that_is_said_counts_over_records_that_a_route_picked(self) -> None:
        route = self.route(condition="", picked=Picked(("harbour", "berth_no"), (("TERNISLAND", "A-001"),)))
        self.assertEqual(self.sent("--route", route.name), 1)
        self.assertEqual(self.sent("--route", route.name, "--where", BERTHS), 9)

    def test_an_explanation_goes_with_an_empty_sheet_whoever_said_that(self) -> None:
        at = ("-o", self.folder / "x.xlsx")
        self.refuses("--explain goes with --headers-only", "send-out", "harbour-practice", "Berth", "--explain", *at)
        route = self.route(condition="", headers_only=True)
        for option in (("--where", BERTHS), ("--order", "notes")):
            self.refuses("no record goes out", "send-out", "--route", route.name, *option, *at)
        self.assertEqual(self.run_as("send-out", "--route", route.name, "--explain", *at).returncode, 0)

    def test_a_route_that_only_brings_in_sends_nothing_out(self) -> None:
        route = self.route()
        bringing = BringIn("Berth", columns={"Remarks": "notes"}).to_json()
        Route.objects.filter(pk=route.pk).update(send_document={}, import_document=bringing)
        self.refuses("not what goes out", "send-out", "--route", route.name, "-o", self.folder / "x.csv")


class BroughtIn(Said):
    def test_a_route_or_a_title_for_a_trip_that_has_begun_is_refused(self) -> None:
        _, path = self.out("B", "notes", format_="csv")
        trip = Trip.objects.latest("id")
        for option in (("--route", "R"), ("--title", "Another")):
            with self.subTest(option):
                line = ("bring-in", "harbour-practice", "Berth", path, "--trip", trip.pk, *option)
                self.refuses(f"trip {trip.pk} has begun", *line)
        self.assertFalse(trip.sheets.filter(direction="in").exists())

    def test_where_the_sheet_finds_its_trip_it_is_said_that_they_are_not_used(self) -> None:
        trip, path = self.out("C", "notes")
        bringing = BringIn("Berth", columns={"Notes": "notes"}).to_json()
        Route.objects.create(
            name="Other", application=self.practice, import_document=bringing, made_by="ada", record_type="Berth"
        )
        for option, keeps in (
            (("--route", "Other"), "its own way, not that of the route Other"),
            (("--title", "Mine"), f"its title, {trip.title}"),
        ):
            with self.subTest(option):
                done = self.run_as("bring-in", "harbour-practice", "Berth", path, *option)
                words = f"came back on trip {trip.pk}, which keeps {keeps}"
                self.assertIn(words, " ".join(done.stderr.split()))
        trip.refresh_from_db()
        self.assertIsNone(trip.route)

    def test_the_job_tells_whether_a_trip_began(self) -> None:
        _, path = self.out("D", "notes")
        self.back(path)
        self.back(self.text("harbour,berth_no,notes\nTERNISLAND,D-001,x\n"), trip="new")
        jobs = Job.objects.filter(kind="bring in").order_by("-id")[:2]
        self.assertEqual([JobSerializer(job).data["result"]["begun"] for job in jobs], [True, False])
        done = self.run_as("bring-in", "harbour-practice", "Berth", path, "--trip", "new", "--title", "Mine")
        self.assertNotIn("keeps", done.stderr)


class Decided(Said):
    def setUp(self) -> None:
        super().setUp()
        self.trip = self.bring("harbour,berth_no,notes\nTERNISLAND,Z-999,a\nTERNISLAND,Z-998,b\n")

    def refused(self, words: str, scope: Scope, answer: str, argument: str = "") -> None:
        view = view_of(self.trip)
        with self.assertRaisesRegex(PlainError, words):
            decide(view, self.person, plan_of(view).number, scope, answer, argument)
        self.assertFalse(self.trip.decisions.exists())

    def test_a_value_for_an_answer_that_takes_none(self) -> None:
        for answer in Answer:
            if answer not in (Answer.RECORD, Answer.THROUGH):
                with self.subTest(answer):
                    self.refused("takes no value", Scope((1,)), answer, "120")
        number = plan_of(view_of(self.trip)).number
        self.refuses("takes no value", "decide", self.trip.pk, "aside", "--row", 2, "--value", "120", "--plan", number)

    def test_words_of_a_refusal_with_a_question_of_the_plan(self) -> None:
        self.refused("has its words|have its words", Scope((), "not-found", "", "no such berth"), Answer.ASIDE)
        self.refused("have its words", Scope((1,), "", "", ""), Answer.ASIDE)


class Applied(Said):
    def test_a_pass_under_way_is_not_told_to_go_as_was_said_of_another(self) -> None:
        trip = self.bring("harbour,berth_no,notes\nTERNISLAND,E-011,a\nTERNISLAND,E-012,b\n")
        job = self.start(trip, trouble=TroubleRule(1, take_back=True))
        self.assertEqual(self.start(trip, trouble=TroubleRule(1, take_back=True)), job)
        for more in ({}, {"atomic": True}, {"trouble": TroubleRule(1)}, {"trouble": TroubleRule(2, take_back=True)}):
            with self.subTest(more), self.assertRaisesRegex(PlainError, "stops once one row was refused and prepares"):
                self.start(trip, **more)
        run_inline(job)
        self.assertEqual(self.last_pass(trip).number, 1)


class Parts(Said):
    def test_what_is_about_the_whole_trip_is_not_done_for_a_part(self) -> None:
        trip = self.share("A")
        for line in (
            ("delete", trip.pk, "--yes"),
            ("files", trip.pk),
            ("send-on", trip.pk, "-o", self.folder / "x.zip"),
            ("compare", trip.pk),
            ("parts", trip.pk, "--give", "EELGRASS=Cyra"),
            ("trips",),
            ("journal",),
            ("bring-in", "harbour-practice", "Berth", self.path(trip, "EELGRASS")),
        ):
            with self.subTest(line):
                self.refuses("part", "--part", "EELGRASS", *line)
        self.assertEqual(self.states(trip)["EELGRASS"][1], 0)
        self.assertEqual(set(trip.parts.values_list("holder", flat=True)), {""})

    def test_a_pass_of_another_part_is_neither_gone_on_with_nor_paused(self) -> None:
        trip = self.share("B")
        self.back(self.noted(self.path(trip, "NORTHHAVEN"), "north", 2))
        made = self.apply_part(trip, "NORTHHAVEN")
        Pass.objects.filter(pk=made.pk).update(state=Pass.INTERRUPTED)
        self.back(self.noted(self.path(trip, "EELGRASS"), "eel", 2))
        with self.assertRaisesRegex(PlainError, "one of its part NORTHHAVEN"):
            go_on(self.seen(trip, "EELGRASS"), self.person, made.number)
        self.refuses("one of its part NORTHHAVEN", "--part", "EELGRASS", "apply", trip.pk, "--give-up", made.number)
        made.refresh_from_db()
        self.assertEqual(made.state, Pass.INTERRUPTED)
        done = self.run_as("--part", "NORTHHAVEN", "apply", trip.pk, "--give-up", made.number)
        made.refresh_from_db()
        self.assertEqual(made.state, Pass.GIVEN_UP, done.stderr)

    def test_another_part_s_pass_under_way_is_not_stopped(self) -> None:
        trip = self.share("C")
        self.back(self.noted(self.path(trip, "NORTHHAVEN"), "north", 2))
        made = self.apply_part(trip, "NORTHHAVEN")
        Pass.objects.filter(pk=made.pk).update(state=Pass.RUNNING)
        job = enqueue("apply", "ada", self.seen(trip, "NORTHHAVEN"), number=made.number)
        for command in ("stop", "pause"):
            with self.subTest(command):
                self.refuses("one of its part NORTHHAVEN", "--part", "EELGRASS", command, trip.pk)
                self.assertEqual(Job.objects.get(pk=job.pk).wanted, "run")
        self.back(self.noted(self.path(trip, "EELGRASS"), "eel", 2))
        view = self.seen(trip, "EELGRASS")
        Pass.objects.filter(pk=made.pk).update(state=Pass.ENDED)
        schedule(view, self.person, plan_of(view).number, timezone.now() + timedelta(hours=2))
        Pass.objects.filter(pk=made.pk).update(state=Pass.RUNNING)
        self.assertIn("at the time", self.run_as("--part", "EELGRASS", "stop", trip.pk).stderr)
        self.assertEqual(Scheduled.objects.get(trip=trip).state, Scheduled.CANCELLED)
        self.assertEqual(Job.objects.get(pk=job.pk).wanted, "run")
        self.assertEqual(self.run_as("--part", "NORTHHAVEN", "stop", trip.pk).returncode, 0)


def laning(**said: tuple[str, ...]) -> Laning:
    names = ("fixed", "added", "blanks", "defaults", "updates", "only_empty", "always")
    return Laning(None, *[said.get(name, ()) for name in names])


class Lanes(Said):
    def test_two_things_of_one_field_are_refused(self) -> None:
        for said in (
            laning(fixed=("notes=a", "notes=b")),
            laning(fixed=("services=a",), added=("services=b",)),
            laning(blanks=("notes=clear",), defaults=("notes=a",)),
            laning(blanks=("notes=clear", "notes=leave")),
            laning(only_empty=("notes",), always=("notes",)),
            laning(only_empty=("*",), always=("*",)),
        ):
            with self.subTest(said), self.assertRaisesRegex(PlainError, "Say one of them"):
                lanes_said(said, {}, ["notes", "status"])

    def test_a_default_that_counts_for_all_records_has_to_be_there(self) -> None:
        with self.assertRaisesRegex(PlainError, "notes has no default"):
            lanes_said(laning(updates=("notes",)), {}, ["notes"])
        lanes = lanes_said(laning(updates=("notes",), defaults=("notes=a",)), {}, ["notes"])
        self.assertEqual((lanes["notes"].blank, lanes["notes"].updates), (Blank.DEFAULT, True))

    def test_all_but_one_can_be_said(self) -> None:
        lanes = lanes_said(laning(only_empty=("*",), always=("notes",)), {}, ["notes", "status"])
        self.assertEqual((lanes["notes"].only_empty, lanes["status"].only_empty), (False, True))

    def test_the_same_is_not_said_twice_by_any_command(self) -> None:
        trip = self.bring("harbour,berth_no,notes\nTERNISLAND,B-001,x\n")
        for line in (
            ("columns", trip.pk, "--map", "notes=notes", "--map", "notes="),
            ("only", trip.pk, "--leave-out", 2, "--take-in", 2),
            ("totals", trip.pk, "--expect", "notes=1", "--expect", "notes=2"),
            ("rules", "harbour-practice", "--off", "Berth=create", "--on", "Berth=create"),
            ("rules", "harbour-practice", "--approve", "Berth=always", "--no-approval", "Berth"),
            ("guards", "harbour-practice", "--set", "many-deleted=off", "--set", "many-deleted=hold"),
            ("notices", "--tell", "disk=none", "--tell", "disk=both"),
        ):
            with self.subTest(line):
                self.refuses("Say one of them", *line)
        self.assertEqual(self.newest(trip).number, 1)
        told = self.vexo.json("--as", "ada", "trips", "--rename", f"{trip.pk}= Two  words ")
        self.assertEqual(told, {"trip": trip.pk, "title": "Two words"})
