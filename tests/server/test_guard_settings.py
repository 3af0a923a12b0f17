"""What guards do is set for an application and a route, by page, API and command, and binds wherever a trip goes."""

from __future__ import annotations

import json
from decimal import Decimal
from typing import Any

import polars as pl
from django.test import Client

from tests.server.services import view_of
from tests.server.test_lanes import LaneCase
from tests.support import register, template

template()

from vexo.core.conditions import read_condition  # noqa: E402
from vexo.core.guards import GuardError, GuardName  # noqa: E402
from vexo.core.spread import spread_of  # noqa: E402
from vexo.server.applications.guarding import set_guards  # noqa: E402
from vexo.server.applications.services import client_of, describe  # noqa: E402
from vexo.server.errors import Stale  # noqa: E402
from vexo.server.journal.models import Entry  # noqa: E402
from vexo.server.people.models import Person, Role  # noqa: E402
from vexo.server.people.rights import NotAllowed  # noqa: E402
from vexo.server.planning.spreads import spreads_of  # noqa: E402
from vexo.server.routes.guarding import set_route_guards  # noqa: E402
from vexo.server.routes.saved_routes import delete_route, keep_trip  # noqa: E402
from vexo.server.trips.trip_pages import trip_detail  # noqa: E402

PATH = "/api/applications/harbour-practice/guards"
FIELDS = (("Berth", "daily_rate"), ("Berth", "insured_until"), ("Contract", "amount"), ("Berth", "length_m"))
OFF = {"mode": "off"}
SAY = {"mode": "say"}


class GuardCase(LaneCase):
    def setUp(self) -> None:
        super().setUp()
        self.addCleanup(type(self.practice).objects.update, guards={})

    def set(self, **said: Any) -> None:
        set_guards(self.person, self.practice, {name.replace("_", "-"): one for name, one in said.items()})

    def rate(self, letter: str, part: float, plus: int = 0) -> Any:
        """A foreign sheet in which the rate of one berth becomes such a part of what it is."""
        rate = round(self.rate_of(letter) / Decimal(str(part)) + plus, 2)
        return self.bring(f"harbour,berth_no,daily_rate\nTERNISLAND,{letter}-001,{rate}", key=["harbour", "berth_no"])

    def rate_of(self, letter: str) -> Decimal:
        return Decimal(str(register().berth("TERNISLAND", f"{letter}-001")["daily_rate"]))

    def told(self, trip: Any) -> tuple[list[str], list[str]]:
        """What is open on a trip, and what is only said."""
        trip.refresh_from_db()
        detail = trip_detail(view_of(trip), self.person)
        return [item.code for item in detail.open], [item.code for item in detail.said]


class Binding(GuardCase):
    def test_what_is_only_said_goes_and_is_told_everywhere(self) -> None:
        trip = self.rate("A", 10)
        wanted = round(self.rate_of("A") / 10, 2)
        self.assertEqual((self.verdicts(trip), self.codes(trip)), (["held"], [["lost-point"]]))
        self.set(lost_point=SAY)
        self.plan(trip)
        self.assertEqual((self.verdicts(trip), self.codes(trip)), (["update"], [["lost-point"]]))
        self.assertEqual(self.told(trip), ([], ["lost-point"]))
        done = self.vexo.run("--as", "ada", "open", str(trip.pk), "--json")
        listed = json.loads(done.stdout)
        self.assertEqual((listed["open"], [item["code"] for item in listed["said"]]), ([], ["lost-point"]))
        self.assertEqual(done.returncode, 0, "nothing waits")
        self.assertIn("(1 row to update)", self.vexo.run("--as", "ada", "review", str(trip.pk)).stderr)
        self.apply(trip)
        self.assertEqual(self.rate_of("A"), wanted)

    def test_what_one_guard_leaves_the_next_may_ask(self) -> None:
        self.set(lost_point=OFF)
        self.assertEqual(self.codes(self.rate("B", 0.1)), [["far-out"]])
        self.set(lost_point=SAY)
        trip = self.rate("B", 0.1)
        self.assertEqual((self.codes(trip), self.verdicts(trip)), ([["far-out", "lost-point"]], ["held"]))
        self.decide(trip, "file", code="far-out")
        self.assertEqual((self.codes(trip), self.verdicts(trip)), ([["lost-point"]], ["update"]))
        self.set(lost_point=OFF, far_out=OFF)
        self.assertEqual(self.codes(self.rate("B", 0.1)), [[]])

    def test_a_plan_made_under_other_guards_is_not_sent(self) -> None:
        trip = self.rate("C", 1, plus=1)
        before = register().effects()
        self.set(many_changes={"limits": {"least": 1, "share": 0}})
        trip.refresh_from_db()
        detail = trip_detail(view_of(trip), self.person)
        assert detail.plan is not None
        self.assertFalse(detail.plan.current, "the page offers to plan it again")
        with self.assertRaises(Stale):
            self.start(trip)
        self.assertEqual(self.vexo.run("--as", "ada", "apply", str(trip.pk), "--yes").returncode, 2)
        self.assertEqual(register().effects(), before)
        self.plan(trip)
        self.assertEqual(self.told(trip), (["many-changes"], []))
        self.set()
        self.plan(trip)
        self.decide(trip, "aside", [0])
        self.decide(trip, "again", [0])
        self.assertEqual(self.told(trip), ([], []))
        self.apply(trip)
        self.assertEqual(len(register().effects()), len(before) + 1)

    def test_a_plan_after_a_pass_lapses_too_and_says_so(self) -> None:
        first, second = self.rate_of("G"), self.rate_of("H")
        content = f"harbour,berth_no,daily_rate\nTERNISLAND,G-001,{first + 1}\nTERNISLAND,H-001,{second / 10:.2f}"
        trip = self.bring(content, key=["harbour", "berth_no"])
        self.assertEqual(self.verdicts(trip), ["update", "held"])
        self.apply(trip)
        self.plan(trip)
        self.decide(trip, "file", [1])
        self.assertEqual(self.verdicts(trip), ["same", "update"])
        self.set(many_changes={"limits": {"least": 1, "share": 0}})
        trip.refresh_from_db()
        detail = trip_detail(view_of(trip), self.person)
        assert detail.plan is not None
        self.assertFalse(detail.plan.current, "the page offers to plan it again")
        self.assertEqual(self.vexo.run("--as", "ada", "apply", str(trip.pk), "--yes").returncode, 2)
        self.plan(trip)
        self.assertEqual(self.told(trip)[0], ["many-changes"])

    def test_a_route_lies_over_its_application(self) -> None:
        trip = self.rate("D", 10)
        route = keep_trip(self.person, view_of(trip), "Rates by hand")
        off = {"lost-point": OFF, "far-out": OFF}
        set_route_guards(self.person, route, off)
        self.plan(trip)
        self.assertEqual((self.verdicts(trip), self.codes(trip)), (["update"], [[]]))
        again = keep_trip(self.person, view_of(trip), "Rates by hand")
        self.assertEqual(again.guards, off, "kept anew, its guards stay")
        self.set(lost_point=SAY)
        self.plan(trip)
        self.assertEqual(self.codes(trip), [[]])
        set_route_guards(self.person, route, {"far-out": OFF})
        self.plan(trip)
        self.assertEqual((self.verdicts(trip), self.codes(trip)), (["update"], [["lost-point"]]))
        set_route_guards(self.person, route, off)
        self.plan(trip)
        delete_route(self.person, route)
        trip = type(trip).objects.get(pk=trip.pk)
        with self.assertRaises(Stale):
            self.start(trip)
        self.assertFalse(trip_detail(view_of(trip), self.person).plan.current)

    def test_what_is_expected_can_only_be_said(self) -> None:
        trip = self.rate("E", 1, plus=1)
        trip.expected = {"rows": "7"}
        trip.save(update_fields=["expected"])
        for setting, wanted in (({}, (["expected"], [])), (SAY, ([], ["expected"])), (OFF, ([], []))):
            self.set(expected=setting)
            trip = type(trip).objects.get(pk=trip.pk)
            self.assertEqual(self.told(trip), wanted)

    def test_damage_that_is_only_said_goes(self) -> None:
        trip, path = self.out("H", "notes", format_="csv")
        content = path.read_text("utf-8-sig")
        lines = content.splitlines()
        self.assertTrue(len(lines) > 1)
        damaged = self.text("\n".join([lines[0], *[line + " caf\u00c3\u00a9" for line in lines[1:2]]]))
        self.assertEqual(self.back(damaged, trip=str(trip.pk)).error, "")
        asks, _ = self.told(trip)
        self.assertIn("damage", asks)
        self.assertIn("held", self.verdicts(trip))
        for setting, wanted in ((SAY, ([], ["damage", "damaged"])), (OFF, ([], []))):
            self.set(damaged=setting)
            self.plan(trip)
            self.assertNotIn("held", self.verdicts(trip))
            self.assertEqual(self.told(type(trip).objects.get(pk=trip.pk)), wanted)


class Ways(GuardCase):
    """By the command line and the API alone."""

    def api(self, role: str = "administrator") -> Client:
        person, _ = Person.objects.get_or_create(username=f"g{role}", defaults={"name": "x", "role": Role(role)})
        client = Client()
        client.force_login(person)
        return client

    def command(self, *said: str) -> Any:
        return self.vexo.json("--as", "ada", "guards", "harbour-practice", *said)

    def put(self, said: Any, role: str = "administrator") -> Any:
        return self.api(role).put(PATH, {"said": said}, content_type="application/json")

    def test_command_and_api_say_and_set_the_same(self) -> None:
        told = self.command("--set", "far-out=say", "--limit", "far-out.ranges=4.5")
        wanted = {"far-out": {"mode": "say", "limits": {"ranges": "4.5"}}}
        self.assertEqual(told["said"], wanted)
        self.assertEqual(set(told["guards"]), set(GuardName))
        answer = self.api().get(PATH).json()
        self.assertEqual(answer["said"], wanted)
        far = next(guard for guard in answer["guards"] if guard["name"] == "far-out")
        self.assertEqual((far["mode"], far["otherwise"], far["said"]), ("say", "hold", True))
        limits = [(limit["name"], limit["value"], limit["otherwise"]) for limit in far["limits"]]
        self.assertEqual(limits, [("ranges", "4.5", "3"), ("values", "30", "30")])
        for guard in answer["guards"]:
            guard["when"].format(**{limit["name"]: limit["value"] for limit in guard["limits"]})
        self.assertEqual(self.put({"check": OFF}).json()["said"], {"check": OFF})
        self.assertEqual(self.command()["said"], {"check": OFF})
        self.assertEqual(self.command("--usual", "check")["said"], {})
        last = Entry.objects.order_by("-pk").first()
        assert last is not None
        self.assertIn("check as it is by itself", last.message)
        live = self.api().get("/api/applications/harbour-live/guards").json()
        self.assertEqual(live["said"], {}, "another application has its own")

    def test_a_route_by_command_and_api(self) -> None:
        route = keep_trip(self.person, view_of(self.rate("J", 1, plus=1)), "By two ways")
        self.set(check=OFF)
        said = self.command("--route", "By two ways", "--set", "far-out=say")
        self.assertEqual((said["said"], said["guards"]["check"]["mode"]), ({"far-out": SAY}, "off"))
        path = f"/api/routes/{route.pk}/guards"
        told = {guard["name"]: guard for guard in self.api().get(path).json()["guards"]}
        self.assertEqual((told["check"]["mode"], told["check"]["said"]), ("off", False))
        self.assertEqual((told["far-out"]["mode"], told["far-out"]["otherwise"]), ("say", "hold"))
        refused = self.api("preparer").put(path, {"said": {}}, content_type="application/json")
        self.assertEqual(refused.status_code, 403)
        put = self.api().put(path, {"said": {}}, content_type="application/json")
        self.assertEqual(put.json()["said"], {})
        other = self.vexo.fails("--as", "ada", "guards", "harbour-live", "--route", "By two ways")
        self.assertIn("harbour-practice", other)

    def test_what_cannot_be_is_refused_and_changes_nothing(self) -> None:
        for said, words in (
            (("--set", "makes-same=off"), "No guard is called"),
            (("--set", "far-out"), "GUARD=MODE"),
            (("--limit", "far-out=2"), "GUARD.LIMIT=NUMBER"),
            (("--limit", "far-out.ranges=x"), "not a number"),
        ):
            self.assertIn(words, self.vexo.fails("--as", "ada", "guards", "harbour-practice", *said))
        put = self.put({"far-out": {"mode": "never"}})
        self.assertEqual(put.status_code, 422, put.content)
        self.assertIn("hold, say, off", put.content.decode())
        self.assertEqual(self.command()["said"], {})

    def test_only_whoever_may_connect_sets_them(self) -> None:
        for role in ("viewer", "preparer", "operator"):
            self.assertEqual(self.put({"check": OFF}, role).status_code, 403)
            self.assertEqual(self.api(role).get(PATH).status_code, 200)
            with self.assertRaises(NotAllowed):
                set_guards(Person.objects.get(username=f"g{role}"), self.practice, {})
        with self.assertRaises(GuardError):
            set_guards(self.person, self.practice, [])


class Spreads(LaneCase):
    """What the application holds, asked of it, is what it is."""

    def test_asked_in_order_and_read_whole_are_the_same(self) -> None:
        catalogue = describe(self.practice)
        with client_of(self.practice) as client:
            for name, field in FIELDS:
                record_type = catalogue.type(name)
                values = pl.concat([chunk[field] for chunk in client.read(record_type, [field])])
                self.assertEqual(client.spread(record_type, field), spread_of(values, record_type.field(field)))
                none = read_condition(f"{field} eq null", record_type, catalogue)
                self.assertIsNone(client.spread(record_type, field, none))

    def test_of_what_went_out_and_within_a_condition(self) -> None:
        trip, path = self.out("F", "daily_rate", "insured_until")
        self.assertEqual(self.back(path, trip=str(trip.pk)).error, "")
        known = spreads_of(self.newest(trip).counts)["daily_rate"]
        rates = self.rates("harbour eq 'TERNISLAND' and startswith(berth_no,'F-')")
        self.assertEqual((known.count, known.greatest), (len(rates), float(max(rates))))
        foreign = self.bring(
            "harbour,berth_no,daily_rate\nTERNISLAND,G-001,41",
            key=["harbour", "berth_no"],
            reach="harbour eq 'TERNISLAND'",
        )
        known = spreads_of(self.newest(foreign).counts)["daily_rate"]
        self.assertEqual(known.count, len(self.rates("harbour eq 'TERNISLAND'")))

    def rates(self, where: str) -> list[Decimal]:
        with register().client() as client:
            answer = client.get("Berths", params={"$filter": where}, headers={"Prefer": "odata.maxpagesize=5000"})
        rates = [berth["daily_rate"] for berth in answer.json()["value"]]
        return [Decimal(str(rate)) for rate in rates if rate is not None]


class Warnings(GuardCase):
    def test_what_a_field_or_type_warns_of_is_said_where_it_is_changed(self) -> None:
        """On the page, by the API and every command; and not where the plan leaves it alone."""
        key = ["harbour", "berth_no"]
        trip = self.bring("harbour,berth_no,status\nTERNISLAND,A-002,closed", key=key)
        if self.verdicts(trip) == ["same"]:
            trip = self.bring("harbour,berth_no,status\nTERNISLAND,A-002,free", key=key)
        opened, said = self.told(trip)
        self.assertEqual((opened, said), ([], ["warning"]))
        [item] = trip_detail(view_of(trip), self.person).said
        self.assertEqual((item.count, item.field), (1, "status"))
        self.assertIn("Status: The gates read it at midnight", item.says)
        self.assertIn(item.says, self.vexo.run("--as", "ada", "review", str(trip.pk)).stderr)
        other = self.bring("harbour,berth_no,notes\nTERNISLAND,A-003,changed", key=key)
        self.assertEqual(self.told(other), ([], []))

    def test_a_type_warns_of_every_row_that_goes(self) -> None:
        line = register().get("TariffLines", **{"$top": "1"})["value"][0]
        names = ["season", "length_band", "harbour"]
        content = ",".join([*names, "amount"]) + "\n" + ",".join([*[str(line[n]) for n in names], "101"])
        trip = self.bring(content, record_type="TariffLine", key=names)
        self.decide_all(trip)
        self.assertIn("warning", self.told(trip)[1])
        self.decide(trip, "aside", [0])
        self.assertNotIn("warning", self.told(trip)[1])

    def decide_all(self, trip: Any) -> None:
        for code in {code for row in self.codes(trip) for code in row}:
            self.decide(trip, "file", code=code)
