"""Created records that others point to since: taking them back waits for a person (semantics.md 9.2)."""

from __future__ import annotations

from typing import Any

from tests.server.test_taking_back import TakeBackCase
from tests.support import register, template

template()

from vexo.server.trips.models import Trip  # noqa: E402

HEAD = "Harbour,Berth no.,Ring no.,Length m,Pontoon\n"


class PointedTo(TakeBackCase):
    def made_berths(self, *lines: tuple[str, str], operation: str = "create") -> Trip:
        """A trip that made berths of these numbers, each hanging on another."""
        rings = {number: f"R{number}" for number, _ in lines}
        rows = [f"TERNISLAND,{number},{rings[number]},9.5,{rings.get(on, on)}\n" for number, on in lines]
        trip = self.bring(HEAD + "".join(rows), operation=operation, key=["harbour", "berth_no"])
        self.assertEqual(self.apply(trip).totals["created"], len(lines), self.codes(trip))
        return trip

    def point(self, number: str) -> str:
        """A colleague gives a vessel this home berth; the vessel's path."""
        vessel = register().get("Vessels", **{"$top": "1", "$filter": "home_berth eq null"})["value"][0]
        path = f"Vessels({vessel['id']})"
        register().change(path, home_berth=register().berth("TERNISLAND", number)["id"])
        self.addCleanup(register().change, path, home_berth=None)
        return path

    def there(self, letter: str) -> list[str]:
        where = f"harbour eq 'TERNISLAND' and startswith(berth_no,'{letter}-')"
        found = register().get("Berths", **{"$filter": where, "$orderby": "berth_no"})["value"]
        return [str(one["berth_no"]) for one in found]

    def test_it_is_held_says_by_what_and_goes_where_a_person_says_so(self) -> None:
        trip = self.made_berths(("PAP-1", ""), ("PAP-2", ""))
        path = self.point("PAP-1")
        back = self.taken_back(trip)
        self.assertEqual((back.operation, self.codes(back)), ("delete", [["pointed"], []]))
        self.assertEqual(self.verdicts(back), ["held", "delete"])
        told = self.vexo.run("--as", "ada", "open", str(back.pk), "--json").stdout
        self.assertIn("Home berth", self.vexo.run("--as", "ada", "review", str(back.pk), "--json").stdout)
        self.assertIn("Delete it all the same", told)
        self.decide(back, "file", [0], code="pointed")
        self.assertEqual(self.verdicts(back), ["delete", "delete"])
        other = self.point("PAP-1")
        self.plan(back)
        self.assertEqual(self.verdicts(back), ["held", "delete"], "another points to it than was seen")
        self.decide(back, "file", [0], code="pointed")
        for one in (path, other):
            register().change(one, home_berth=None)
        self.plan(back)
        self.assertEqual(self.codes(back), [[], []])
        self.assertEqual(self.apply(back).totals["deleted"], 2)
        self.assertEqual(self.there("PAP"), [])

    def test_an_answer_about_one_row_leaves_the_others_as_they_are(self) -> None:
        trip = self.made_berths(("QEQ-1", ""), ("QEQ-2", ""), ("QEQ-3", ""))
        self.point("QEQ-1")
        self.point("QEQ-2")
        back = self.taken_back(trip)
        self.assertEqual(self.codes(back), [["pointed"], ["pointed"], []])
        self.decide(back, "aside", [1])
        self.assertEqual(self.verdicts(back), ["held", "aside", "delete"])
        done = self.apply(back)
        self.assertEqual(done.totals["deleted"], 1, done.reasons)
        self.assertEqual(self.there("QEQ"), ["QEQ-1", "QEQ-2"])

    def test_records_that_go_themselves_hold_none_and_go_first(self) -> None:
        trip = self.made_berths(("SIS-1", ""), ("SIS-2", "SIS-1"), ("SIS-3", "SIS-2"))
        back = self.taken_back(trip)
        self.assertEqual(self.codes(back), [[], [], []])
        done = self.apply(back)
        self.assertEqual((done.totals["deleted"], done.totals["refused"]), (3, 0), done.reasons)
        self.assertEqual(self.there("SIS"), [])

    def test_one_that_stays_holds_what_it_hangs_on_all_the_way_up(self) -> None:
        trip = self.made_berths(("UOU-1", ""), ("UOU-2", "UOU-1"), ("UOU-3", "UOU-2"))
        register().change(f"Berths({register().berth('TERNISLAND', 'UOU-3')['id']})", notes="in use")
        back = self.taken_back(trip)
        self.assertEqual(self.codes(back), [["pointed"], ["pointed"], ["changed-since"]])
        self.decide(back, "file", [2])
        self.assertEqual(self.verdicts(back), ["delete"] * 3, "what holds them goes now")
        self.decide(back, "again", [2], code="changed-since")
        self.assertEqual(self.verdicts(back), ["held"] * 3)

    def test_rows_alone_leave_what_points_to_them(self) -> None:
        trip = self.made_berths(("WYW-1", ""), ("WYW-2", "WYW-1"))
        back = self.taken_back(trip, rows=(2,))
        self.assertEqual(self.codes(back), [["pointed"]])
        self.assertEqual(self.verdicts(self.taken_back(trip, rows=(3,))), ["delete"])

    def test_of_both_together_it_is_asked_about_and_a_row_that_goes_back_holds_none(self) -> None:
        there = register().berth("TERNISLAND", "E-004")
        rings = f"TERNISLAND,XAX-1,RXAX,9.5,\nTERNISLAND,XAX-2,SXAX,9.5,\nTERNISLAND,E-004,{there['ring_no']},"
        trip = self.bring(f"{HEAD}{rings}{there['length_m']},RXAX\n", operation="upsert", key=["harbour", "berth_no"])
        done = self.apply(trip)
        self.assertEqual((done.totals["created"], done.totals["updated"]), (2, 1), done.reasons)
        self.point("XAX-2")
        back = self.taken_back(trip)
        absent = self.newest(back).summary["absent"]
        self.assertEqual((absent["delete"], absent["held"]), (1, 1), "E-004 no longer hangs on XAX-1 then")
        page = self.page(back)
        says = next(item["says"] for item in page["open"] if item["code"] == "absent")
        self.assertIn("points to it", says)
        self.assertNotIn("did not go out", says)
        self.meant(back)
        done = self.apply(back)
        self.assertEqual((done.totals["updated"], done.absent["deleted"]), (1, 1), (done.reasons, done.absent))
        self.assertEqual(self.there("XAX"), ["XAX-2"])

    def test_a_row_that_does_not_go_back_holds_what_it_points_to(self) -> None:
        there = register().berth("TERNISLAND", "E-005")
        rings = f"TERNISLAND,ZEZ-1,RZEZ,9.5,\nTERNISLAND,E-005,{there['ring_no']},"
        trip = self.bring(f"{HEAD}{rings}{there['length_m']},RZEZ\n", operation="upsert", key=["harbour", "berth_no"])
        self.assertEqual(self.apply(trip).totals["created"], 1, self.codes(trip))
        back = self.taken_back(trip)
        self.decide(back, "aside", [0])
        absent = self.newest(back).summary["absent"]
        self.assertEqual((absent["delete"], absent["held"], absent["kept"]), (0, 1, 0))
        self.decide(back, "delete", code="absent")
        self.assertEqual(self.newest(back).summary["absent"]["delete"], 1)
        self.decide(back, "again", [0], code="set-aside")
        self.meant(back)
        self.assertEqual(self.apply(back).absent["deleted"], 1)

    def page(self, trip: Trip) -> dict[str, Any]:
        from django.test import Client

        client = Client()
        client.force_login(self.person)
        answer: dict[str, Any] = client.get(f"/api/trips/{trip.pk}").json()
        return answer
