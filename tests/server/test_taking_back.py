"""Taking back what a trip wrote, judged by the register's own records and log of effects (semantics.md 9)."""

from __future__ import annotations

import json
from typing import Any

from django.test import Client

from tests.server.services import ServiceCase, view_of
from tests.server.test_editing import EditCase
from tests.support import register, template

template()

from vexo.server.errors import PlainError  # noqa: E402
from vexo.server.jobs.models import Job  # noqa: E402
from vexo.server.jobs.worker import run_inline  # noqa: E402
from vexo.server.passes.take_back import Wanted, start_taking_back  # noqa: E402
from vexo.server.people.models import Person, Role  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402

FIELDS = ("berth_no", "daily_rate", "services", "status", "notes", "holder", "length_m")


class TakeBackCase(ServiceCase):
    def taken_back(self, trip: Trip, *, passes: tuple[int, ...] = (), rows: tuple[int, ...] = ()) -> Trip:
        """The trip that takes one back, planned."""
        job = run_inline(start_taking_back(view_of(trip), self.person, Wanted(passes, rows), run_here=True))
        self.assertEqual(job.error, "")
        made = Trip.objects.get(takes_back=trip, pk__gt=self.last_trip(trip))
        self.made.append(made.pk)
        return made

    def setUp(self) -> None:
        super().setUp()
        self.made: list[int] = []

    def last_trip(self, trip: Trip) -> int:
        mine = [pk for pk in self.made if Trip.objects.filter(pk=pk, takes_back=trip).exists()]
        return max(mine, default=0)

    def meant(self, trip: Trip) -> None:
        """What is asked about the plan as a whole is answered with yes."""
        for guard in self.newest(trip).summary["guards"]:
            if guard["asks"] and not guard["answered"]:
                self.decide(trip, "go on", code=guard["code"], field=guard["field"])

    def berth(self, number: str) -> dict[str, Any]:
        one = register().berth("TERNISLAND", number)
        return {name: one[name] for name in FIELDS} | {"id": one["id"]}

    def berths(self, letter: str) -> list[dict[str, Any]]:
        where = f"harbour eq 'TERNISLAND' and startswith(berth_no,'{letter}-')"
        found = register().get("Berths", **{"$filter": where, "$orderby": "berth_no"})["value"]
        return [{name: one[name] for name in FIELDS} for one in found]

    def updated(self, letter: str, *changes: tuple[int, str, Any]) -> Trip:
        """Berths of a letter that went out with all sorts of fields, came back changed, and were applied."""
        trip, path = self.out(letter, "daily_rate", "services", "status", "notes", "holder")

        def edit(sheet: Any) -> None:
            names = {sheet.cell(1, at).value: at for at in range(1, sheet.max_column + 1)}
            for row, label, value in changes:
                sheet.cell(row, names[label]).value = value

        self.back(self.edited(path, edit))
        return trip


class TakingBack(TakeBackCase, EditCase):
    def test_updates_of_every_kind_go_back_to_what_was_there(self) -> None:
        before = self.berths("A")
        trip = self.updated(
            "A", (2, "Daily rate", 77.25), (2, "Notes", "[[x] =1+1"), (3, "Services", "wifi"), (4, "Notes", "[clear]")
        )
        changed = self.apply(trip)
        self.assertEqual(changed.totals["refused"], 0, changed.reasons)
        self.assertNotEqual(self.berths("A"), before)
        back = self.taken_back(trip)
        self.assertEqual((back.operation, back.key), ("update", ["id"]))
        self.assertEqual(set(self.verdicts(back)), {"update"}, self.codes(back))
        effects = len(register().effects())
        done = self.apply(back)
        self.assertEqual(done.totals["updated"], changed.totals["updated"], done.reasons)
        self.assertEqual(self.berths("A"), before)
        self.assertEqual(len(register().effects()) - effects, changed.totals["updated"])
        with self.assertRaisesRegex(PlainError, "left to be taken back"):
            self.taken_back(trip)

    def test_what_others_changed_since_is_held_with_three_values_and_the_rest_goes(self) -> None:
        trip = self.updated("B", (2, "Notes", "mine"), (3, "Notes", "mine too"), (4, "Notes", "mine as well"))
        self.apply(trip)
        one, two = (register().berth("TERNISLAND", f"B-00{n}") for n in (1, 2))
        register().change(f"Berths({one['id']})", notes="a colleague's")
        register().change(f"Berths({two['id']})", length_m=11)
        back = self.taken_back(trip)
        self.assertEqual(self.codes(back), [["both-changed"], [], []])
        client = Client()
        client.force_login(self.person)
        rows = client.get(f"/api/trips/{back.pk}/rows").json()["rows"]
        offered = [answer["answer"] for answer in rows[0]["faults"][0]["answers"]]
        self.assertEqual(offered, ["application", "file"], "leaving it is offered first")
        done = self.apply(back)
        self.assertEqual(done.totals["updated"], 2)
        self.assertEqual(self.berth("B-001")["notes"], "a colleague's")
        self.assertIsNone(self.berth("B-002")["notes"], "another field than ours was changed there")
        again = self.taken_back(trip)
        self.assertEqual(len(self.verdicts(again)), 1, "what is back is left alone")

    def test_lists_take_back_their_own_items_and_no_others(self) -> None:
        trip = self.updated("C", (2, "Services", "[add] crane; wifi"))
        had = set(self.berth("C-001")["services"])
        self.apply(trip)
        one = self.berth("C-001")
        register().change(f"Berths({one['id']})", services=sorted({*one["services"], "pump-out"} - {"water"}))
        back = self.taken_back(trip)
        self.assertEqual(self.verdicts(back), ["update"], self.codes(back))
        self.apply(back)
        self.assertEqual(
            set(self.berth("C-001")["services"]), (had | {"pump-out"}) - {"water"} - ({"crane", "wifi"} - had)
        )

    def test_created_records_go_and_edited_ones_are_held(self) -> None:
        head = "Harbour,Berth no.,Length m\n"
        lines = "".join(f"TERNISLAND,DDD-00{n},9.5\n" for n in (1, 2, 3))
        trip = self.bring(head + lines, operation="create", key=["harbour", "berth_no"])
        self.assertEqual(self.apply(trip).totals["created"], 3)
        one = register().berth("TERNISLAND", "DDD-002")
        register().change(f"Berths({one['id']})", notes="in use")
        back = self.taken_back(trip)
        self.assertEqual((back.operation, self.codes(back)), ("delete", [[], ["changed-since"], []]))
        done = self.apply(back)
        self.assertEqual(done.totals["deleted"], 2, done.reasons)
        self.assertEqual([one["berth_no"] for one in self.berths("DDD")], ["DDD-002"])

    def test_deleted_records_come_back_with_all_that_they_held(self) -> None:
        for versions in (True, False):
            with self.subTest(versions=versions):
                register().behave(versions=versions)
                letter = "EEE" if versions else "FFF"
                head = "Harbour,Berth no.,Length m,Daily rate,Services,Notes,Holder\n"
                line = f'TERNISLAND,{letter}-001,9.5,41.25,water; wifi,"said, ""so""",0020418\n'
                trip = self.bring(head + line, operation="create", key=["harbour", "berth_no"])
                self.assertEqual(self.apply(trip).totals["created"], 1)
                before = self.berths(letter)
                gone = self.bring(
                    f"Harbour,Berth no.\nTERNISLAND,{letter}-001\n", operation="delete", key=["harbour", "berth_no"]
                )
                self.assertEqual(self.apply(gone).totals["deleted"], 1)
                back = self.taken_back(gone)
                self.assertEqual((back.operation, self.verdicts(back)), ("upsert", ["create"]), self.codes(back))
                self.assertEqual(self.apply(back).totals["created"], 1)
                self.assertEqual(self.berths(letter), before)
                again = self.taken_back(back)
                self.assertEqual(again.operation, "delete")
                self.assertEqual(self.apply(again).totals["deleted"], 1)
                self.assertEqual(self.berths(letter), [])

    def test_both_together_and_the_taking_back_of_it(self) -> None:
        before = self.berths("G")
        trip, path = self.out("G", "length_m", "notes", "daily_rate")

        def edit(sheet: Any) -> None:
            sheet.cell(2, 5).value = "mine"
            row = sheet.max_row + 1
            for at, value in enumerate((None, "TERNISLAND", "G-9901", 9.5, "new", 33.5), 1):
                sheet.cell(row, at).value = value

        self.back(self.edited(path, edit), operation="upsert")
        done = self.apply(trip)
        self.assertEqual((done.totals["updated"], done.totals["created"]), (1, 1), self.codes(trip))
        after = self.berths("G")
        back = self.taken_back(trip)
        self.assertEqual(back.operation, "make-same")
        self.meant(back)
        self.apply(back)
        self.assertEqual(self.berths("G"), before)
        again = self.taken_back(back)
        self.meant(again)
        self.apply(again)
        self.assertEqual(self.berths("G"), after)

    def test_of_both_together_an_edited_new_record_is_asked_about(self) -> None:
        trip, path = self.out("D", "length_m", "notes", "daily_rate")

        def edit(sheet: Any) -> None:
            sheet.cell(2, 5).value = "mine"
            row = sheet.max_row + 1
            for at, value in enumerate((None, "TERNISLAND", "D-9901", 9.5, "new", 33.5), 1):
                sheet.cell(row, at).value = value

        self.back(self.edited(path, edit), operation="upsert")
        self.assertEqual(self.apply(trip).totals["created"], 1)
        register().change(f"Berths({register().berth('TERNISLAND', 'D-9901')['id']})", notes="in use")
        back = self.taken_back(trip)
        absent = self.newest(back).summary["absent"]
        self.assertEqual((absent["delete"], absent["held"], absent["kept"]), (0, 1, 0))
        self.decide(back, "delete", code="absent")
        self.meant(back)
        self.assertEqual(self.apply(back).absent["deleted"], 1)
        self.assertEqual([one for one in self.berths("D") if one["berth_no"] == "D-9901"], [])

    def test_a_create_that_no_answer_told_of_is_held_with_and_without_versions(self) -> None:
        for versions in (True, False):
            with self.subTest(versions=versions):
                register().behave(versions=versions, repeatable="no")
                type(self.practice).objects.filter(pk=self.practice.pk).update(repeats=False)
                letter = "RRR" if versions else "SSS"
                head = "Harbour,Berth no.,Length m\n"
                sheet = f"{head}TERNISLAND,{letter}-1,9.5\n"
                trip = self.bring(sheet, operation="create", key=["harbour", "berth_no"])
                register().trouble("dropping")
                self.assertEqual(self.apply(trip).totals["created"], 1)
                back = self.taken_back(trip)
                self.assertEqual((back.operation, self.codes(back)), ("delete", [["changed-since"]]))

    def test_renamed_records_get_their_names_back_in_the_order_that_frees_them(self) -> None:
        before = self.berths("A")
        ids = [register().berth("TERNISLAND", f"A-00{n}")["id"] for n in (1, 2)]
        trip, path = self.out("A", "notes")

        def edit(sheet: Any) -> None:
            sheet.cell(2, 3).value, sheet.cell(3, 3).value = "A-002", "A-9904"

        self.back(self.edited(path, edit))
        self.decide(trip, "file", code="key-edited")
        self.assertEqual(self.apply(trip).totals["updated"], 2)
        back = self.taken_back(trip)
        self.assertEqual({code for row in self.codes(back) for code in row}, {"key-edited"}, "a name is asked about")
        self.decide(back, "file", code="key-edited")
        done = self.apply(back)
        self.assertEqual((done.totals["updated"], done.totals["refused"]), (2, 0), done.reasons)
        self.assertEqual([register().get(f"Berths({one})")["berth_no"] for one in ids], ["A-001", "A-002"])
        self.assertEqual(self.berths("A"), before)

    def test_references_go_back_to_whom_they_named_or_to_nobody(self) -> None:
        holders = register().get("Holders", **{"$top": "3", "$orderby": "id"})["value"]
        berths = [register().berth("TERNISLAND", f"K-00{n}") for n in (1, 2)]
        register().change(f"Berths({berths[0]['id']})", holder=holders[0]["id"])
        register().change(f"Berths({berths[1]['id']})", holder=None, status="free")
        trip, path = self.out("K", "holder")

        def edit(sheet: Any) -> None:
            for row in (2, 3):
                sheet.cell(row, 4).value = holders[2]["holder_no"]

        self.back(self.edited(path, edit))
        self.assertEqual(self.apply(trip).totals["updated"], 2)
        back = self.taken_back(trip)
        self.assertEqual(self.verdicts(back), ["update"] * 2, self.codes(back))
        self.apply(back)
        now = [register().get(f"Berths({one['id']})")["holder"] for one in berths]
        self.assertEqual(now, [holders[0]["id"], None])

    def test_several_passes_all_or_the_last_alone(self) -> None:
        """A row that is put right goes as another pass; a cell of it that both wrote is taken back to the first."""
        trip = self.updated("D", (2, "Notes", "one"), (3, "Daily rate", 900))
        for code in ("far-out", "lost-point"):
            if any(code in row for row in self.codes(trip)):
                self.decide(trip, "file", code=code)
        before = self.berths("D")
        first = self.apply(trip)
        self.assertEqual((first.totals["updated"], first.totals["refused"]), (1, 1), first.reasons)
        self.edit(trip, "cell", 2, "Notes", text="two")
        self.edit(trip, "cell", 3, "Daily rate", text="44")
        second = self.apply(trip)
        self.assertEqual((second.totals["updated"], second.totals["refused"]), (2, 0), second.reasons)
        last = self.taken_back(trip, passes=(2,))
        self.assertEqual(self.verdicts(last), ["update"] * 2, self.codes(last))
        self.apply(last)
        self.assertEqual(self.berths("D")[0]["notes"], "one")
        self.assertEqual(self.berths("D")[1], before[1])
        rest = self.taken_back(trip)
        self.assertEqual(self.verdicts(rest), ["update"], "the first pass is left")
        self.apply(rest)
        self.assertEqual(self.berths("D"), before)

    def test_by_command_and_api_with_the_same_rights(self) -> None:
        trip = self.updated("C", (2, "Notes", "mine"), (3, "Notes", "mine"))
        self.apply(trip)
        for odd in ("x", "3-", "-3", "9-3", "0", "1-2-3"):
            self.assertIn(
                "such as 3,5-9", self.vexo.run("--as", "ada", "take-back", str(trip.pk), "--rows", odd).stderr
            )
        told = self.vexo.run("--as", "ada", "take-back", str(trip.pk), "--rows", "3", "--json")
        self.assertEqual(told.returncode, 0, told.stderr)
        made = Trip.objects.get(pk=json.loads(told.stdout)["trip"])
        self.assertEqual((made.takes_back_id, self.verdicts(made)), (trip.pk, ["update"]))
        client = Client()
        viewer = Person.objects.create(username="vera", name="Vera Seagrass", role=Role.VIEWER)
        client.force_login(viewer)
        address = f"/api/trips/{trip.pk}/take-back"
        self.assertEqual(client.post(address, {}, content_type="application/json").status_code, 403)
        client.force_login(self.person)
        self.assertEqual(client.post(address, {"passes": [0]}, content_type="application/json").status_code, 400)
        self.assertEqual(client.post(address, {"passes": [9]}, content_type="application/json").status_code, 422)
        twice = [client.post(address, {}, content_type="application/json").json()["id"] for _ in range(2)]
        self.assertEqual(twice[0], twice[1], "asked twice it is made once")
        self.assertEqual(run_inline(Job.objects.get(pk=twice[0])).error, "")
        page = client.get(f"/api/trips/{trip.pk}").json()
        self.assertEqual([one["trip"] for one in page["taken_back"]], [made.pk, made.pk + 1])
        self.assertEqual(client.get(f"/api/trips/{made.pk}").json()["takes_back"]["trip"], trip.pk)

    def test_a_pass_alone_and_rows_alone(self) -> None:
        before = [one["notes"] for one in self.berths("H")[:2]]
        trip = self.updated("H", (2, "Notes", "one"), (3, "Notes", "two"))
        self.apply(trip)
        self.assertEqual(self.taken_back_rows(trip, rows=(3,)), 1)
        self.assertEqual([one["notes"] for one in self.berths("H")[:2]], ["one", before[1]])
        with self.assertRaises(PlainError):
            self.taken_back(trip, passes=(7,))
        with self.assertRaisesRegex(PlainError, "row 3"):
            self.taken_back(trip, rows=(3,))
        self.assertEqual(self.taken_back_rows(trip, passes=(1,)), 1)
        self.assertEqual([one["notes"] for one in self.berths("H")[:2]], before)

    def test_rows_are_those_that_a_person_sees_where_a_newer_sheet_has_moved_them(self) -> None:
        trip, path = self.out("K", "notes")
        first = self.edited(path, lambda sheet: [sheet.cell(row, 4, f"row {row}") for row in (2, 3, 4)])
        self.back(first)
        self.assertEqual(self.apply(trip).totals["updated"], 3)

        def moved(sheet: Any) -> None:
            sheet.delete_rows(2)
            sheet.cell(3, 4).value = "again"

        self.back(self.edited(first, moved))
        self.assertEqual(self.apply(trip).totals["updated"], 1)
        back = self.taken_back(trip, rows=(2,))
        self.assertEqual(
            [row["@id"] for row in self.table(back).iter_rows(named=True)], [str(self.berth("K-002")["id"])]
        )
        back = self.taken_back(trip, passes=(1,), rows=(2,))
        self.assertEqual(
            [row["@id"] for row in self.table(back).iter_rows(named=True)], [str(self.berth("K-001")["id"])]
        )
        with self.assertRaisesRegex(PlainError, "row 99"):
            self.taken_back(trip, rows=(99,))

    def taken_back_rows(self, trip: Trip, **wanted: Any) -> int:
        return int(self.apply(self.taken_back(trip, **wanted)).totals["updated"])
