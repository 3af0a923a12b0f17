"""Decisions are a list, each with what became of it, undone by itself; and a row's story says who decided what."""

from __future__ import annotations

from typing import Any

from django.test import Client

from tests.server.services import view_of
from tests.server.test_lanes import LaneCase
from tests.support import register, template

template()

from vexo.server.decisions.decisions import Scope, decide, undo  # noqa: E402
from vexo.server.decisions.listed import listed_decisions  # noqa: E402
from vexo.server.errors import PlainError  # noqa: E402
from vexo.server.jobs.worker import run_inline  # noqa: E402
from vexo.server.people.models import Person, Role  # noqa: E402
from vexo.server.rows.story import story_of  # noqa: E402


class DecisionCase(LaneCase):
    def setUp(self) -> None:
        super().setUp()
        self.other, _ = Person.objects.get_or_create(
            username="bram", defaults={"name": "Bram Tidewell", "role": Role.PREPARER}
        )

    def conflicts(self, letter: str, rows: int) -> Any:
        """A trip of so many berths whose notes were edited here and there."""
        trip, path = self.out(letter, "notes")

        def edit(sheet: Any) -> None:
            headers = [cell.value for cell in sheet[1]]
            self.notes = headers.index("Notes") + 1
            for row in range(2, rows + 2):
                sheet.cell(row, self.notes).value = f"Ours {row}"
            sheet.delete_rows(rows + 2, 500)

        edited = self.edited(path, edit)
        for number in range(rows):
            self.theirs_too(letter, number, "theirs")
        self.assertEqual(self.back(edited, trip=str(trip.pk)).error, "")
        trip.refresh_from_db()
        self.assertEqual(self.verdicts(trip), ["held"] * rows)
        return trip

    def theirs_too(self, letter: str, at: int, notes: str) -> None:
        """A colleague's notes on one of them."""
        where = f"harbour eq 'TERNISLAND' and startswith(berth_no,'{letter}-')"
        berths = register().get("Berths", **{"$filter": where, "$orderby": "id"})["value"]
        register().change(f"Berths({berths[at]['id']})", notes=notes)

    def by(self, person: Person, trip: Any, answer: str, row: int, **more: Any) -> Any:
        row_id = self.table(trip)["row_id"].to_list()[row]
        scope = Scope((row_id,), **more)
        made, job = decide(view_of(trip), person, self.newest(trip).number, scope, answer, run_here=True)
        self.assertEqual(run_inline(job).error, "")
        trip.refresh_from_db()
        return made

    def told(self, trip: Any, username: str = "ada") -> list[tuple[str, dict[str, int], int, int, bool]]:
        facts = listed_decisions(view_of(trip), username)
        return [(f.says, {str(k): v for k, v in f.states.items()}, f.again, f.newer, f.mine) for f in facts]


class Listed(DecisionCase):
    def test_each_is_undone_by_itself_and_gives_the_plan_from_before_it(self) -> None:
        trip = self.conflicts("A", 3)
        plans = [self.table(trip).drop("row_id").rows()]
        made = []
        for at, (person, answer) in enumerate(
            ((self.person, "file"), (self.other, "application"), (self.person, "aside"))
        ):
            made.append(self.by(person, trip, answer, at))
            plans.append(self.table(trip).drop("row_id").rows())
        self.assertEqual(
            self.told(trip),
            [
                ("Set aside", {"aside": 1}, 0, 0, True),
                ("Keep application", {"same": 1}, 0, 0, False),
                ("Use the file", {"update": 1}, 0, 0, True),
            ],
        )
        self.assertEqual([mine for *_, mine in self.told(trip, "bram")], [False, True, False])
        run_inline(undo(view_of(trip), self.person, made[0].pk, run_here=True))
        self.assertEqual(self.verdicts(trip), ["held", "same", "aside"])
        for one in made[1:]:
            run_inline(undo(view_of(trip), self.person, one.pk, run_here=True))
        self.assertEqual(self.table(trip).drop("row_id").rows(), plans[0])
        self.assertEqual(self.told(trip), [])

    def test_one_that_was_decided_anew_or_is_asked_again_says_so(self) -> None:
        trip = self.conflicts("B", 2)
        self.decide(trip, "file", code="both-changed")
        self.by(self.other, trip, "aside", 0)
        self.assertEqual([(states, again, newer) for _, states, again, newer, _ in self.told(trip)][-1][1:], (0, 1))
        self.theirs_too("B", 1, "theirs again")
        self.plan(trip)
        self.assertEqual(self.verdicts(trip), ["aside", "held"])
        self.assertEqual([(again, newer) for _, _, again, newer, _ in self.told(trip)], [(0, 0), (1, 1)])

    def test_after_a_pass_it_says_what_became_of_its_rows(self) -> None:
        trip = self.conflicts("C", 2)
        self.decide(trip, "file", [0])
        self.apply(trip)
        [(says, states, *_)] = self.told(trip)
        self.assertEqual((says, states), ("Use the file", {"updated": 1}))

    def test_by_api_and_command_and_rows_of_one(self) -> None:
        trip = self.conflicts("D", 2)
        made = self.by(self.other, trip, "file", 1)
        client = Client()
        client.force_login(self.person)
        [listed] = client.get(f"/api/trips/{trip.pk}/decisions").json()
        wanted = {"says": "Use the file", "by": {"username": "bram", "name": "Bram Tidewell"}, "mine": False}
        self.assertEqual({name: listed[name] for name in wanted}, wanted)
        self.assertIn("also changed", listed["asked"])
        self.assertEqual((listed["numbers"], listed["states"], listed["label"]), ([3], {"update": 1}, "Notes"))
        [commanded] = self.vexo.json("--as", "ada", "decisions", str(trip.pk))["decisions"]
        self.assertEqual({**commanded, "at": ""}, {**listed, "at": ""})
        self.assertIn("Bram Tidewell", self.vexo.run("--as", "ada", "decisions", str(trip.pk)).stdout)
        rows = client.get(f"/api/trips/{trip.pk}/rows?decision={made.pk}").json()
        self.assertEqual([row["row"] for row in rows["rows"]], [3])
        self.assertEqual(client.get(f"/api/trips/{trip.pk}/rows?decision=99999").json()["total"], 0)
        for odd in ("x", "9" * 40, "²"):
            self.assertEqual(client.get(f"/api/trips/{trip.pk}/rows?decision={odd}").status_code, 400)

    def test_a_set_guard_and_a_record_that_was_named(self) -> None:
        self.make(("01", "One"))
        trip = self.trip(self.sheet(("02", "Two", "")), "upsert")
        record = self.of("01")["id"]
        if self.verdicts(trip) == ["held"]:
            ids = self.table(trip)["row_id"].to_list()
            made, job = decide(
                view_of(trip),
                self.person,
                self.newest(trip).number,
                Scope(tuple(ids)),
                "record",
                str(record),
                run_here=True,
            )
            run_inline(job)
            [fact] = listed_decisions(view_of(trip), "ada")
            self.assertEqual((fact.id, fact.argument), (made.pk, str(record)))
            self.assertIn("as a person said", " ".join(story_of(view_of(trip), ids[0], "ada").says))

    def test_a_list_that_both_changed_takes_both_edits(self) -> None:
        """By API and command; what reached the application is asked there."""
        where = "harbour eq 'TERNISLAND' and startswith(berth_no,'G-')"
        berths = register().get("Berths", **{"$filter": where, "$orderby": "id"})["value"]
        for at, way in enumerate(("api", "command")):
            berth = berths[at]
            register().change(f"Berths({berth['id']})", services=["water", "power"])
            trip, path = self.out("G", "services", "notes")

            def edit(sheet: Any, number: str = berth["berth_no"]) -> None:
                headers = [cell.value for cell in sheet[1]]
                row = next(r for r in range(2, sheet.max_row + 1) if number in [c.value for c in sheet[r]])
                sheet.cell(row, headers.index("Services") + 1).value = "water; power; wifi"

            edited = self.edited(path, edit)
            register().change(f"Berths({berth['id']})", services=["crane", "power"])
            self.assertEqual(self.back(edited, trip=str(trip.pk)).error, "")
            [held] = [row for row in self.table(trip).iter_rows(named=True) if row["verdict"] == "held"]
            self.assertEqual(held["faults"][0]["arguments"], ["power; wifi; crane"])
            if way == "api":
                client = Client()
                client.force_login(self.person)
                body = {"plan": self.newest(trip).number, "rows": [held["row_id"]], "answer": "merge"}
                done = client.post(f"/api/trips/{trip.pk}/decisions", body, content_type="application/json")
                self.assertEqual(done.status_code, 200, done.content)
            else:
                self.vexo.run("--as", "ada", "decide", str(trip.pk), "merge", "--code", "both-changed")
            trip.refresh_from_db()
            self.assertEqual(self.terms(trip)["update"], 1)
            self.apply(trip)
            now = register().get(f"Berths({berth['id']})")["services"]
            self.assertEqual(set(now), {"power", "wifi", "crane"})

    def test_what_is_no_list_cannot_be_merged(self) -> None:
        trip = self.conflicts("H", 1)
        with self.assertRaises(PlainError):
            self.decide(trip, "merge", [0])
        self.assertEqual(self.verdicts(trip), ["held"])


class Stories(DecisionCase):
    def story(self, trip: Any, at: int) -> str:
        ids = self.table(trip)["row_id"].to_list()
        return " ".join(story_of(view_of(trip), ids[at], "ada").says)

    def test_each_verdict_is_explained(self) -> None:
        self.make(("01", "One"), ("02", "Two"))
        trip = self.trip(self.sheet(("01", "Other", ""), ("02", "Two", ""), ("77", "New", ""), ("", "x", "")), "upsert")
        told = dict(zip(self.verdicts(trip), [self.story(trip, at) for at in range(4)], strict=True))
        self.assertRegex(told["update"], "found by Holder no. .*01.* Last name differs and is written")
        self.assertIn("compared with what the application held at", told["update"])
        self.assertIn("nothing is written", told["same"])
        self.assertIn("cannot go as it is: The key is blank", told["rejected"])
        new = told.get("create") or told["held"]
        self.assertRegex(new, "makes a new holder with|waits for a person")
        with self.assertRaises(PlainError):
            story_of(view_of(trip), 99, "ada")

    def test_who_decided_stands_beside_the_row(self) -> None:
        trip = self.conflicts("E", 2)
        self.assertIn("It waits for a person: Notes was also changed", self.story(trip, 0))
        self.by(self.other, trip, "file", 0)
        ids = self.table(trip)["row_id"].to_list()
        told = [story_of(view_of(trip), row, "ada").decisions for row in ids]
        self.assertEqual(
            [[(one.says, one.by["username"]) for one in own] for own in told], [[("Use the file", "bram")], []]
        )
