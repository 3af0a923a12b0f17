"""Control totals through pass after pass, with edits in between: sheet, plan and application, to the last digit."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from tests import whole_rounds
from tests.server.services import ServiceCase, view_of
from tests.server.test_editing import EditCase
from tests.support import register, template

template()

from vexo.applications.fake import SERVED, FakeClient, Store  # noqa: E402
from vexo.core.records import Catalogue, Field, Kind, Promises, RecordType  # noqa: E402
from vexo.server.applications.services import Connection, connect  # noqa: E402
from vexo.server.jobs.worker import enqueue, run_inline  # noqa: E402
from vexo.server.sendout.send_out import new_trip  # noqa: E402
from vexo.server.trips.facts import to_json  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402
from vexo.server.trips.part_view import PartView  # noqa: E402
from vexo.server.trips.trip_pages import totals_of  # noqa: E402

RATES = st.decimals("0.01", "500", places=2) | st.sampled_from([Decimal("500.01"), Decimal("900")])
EDITS = st.lists(st.tuples(st.integers(0, 4), RATES), min_size=1, max_size=4)


class Sums(EditCase):
    rows = 5

    @settings(whole_rounds, max_examples=whole_rounds.max_examples // 6)  # each is three passes
    @given(st.lists(EDITS, min_size=3, max_size=3))
    def test_they_agree_after_each_of_three_passes(self, rounds: list[list[tuple[int, Decimal]]]) -> None:
        query = {"$filter": "harbour eq 'TERNISLAND' and startswith(berth_no,'H-')", "$top": str(self.rows)}
        berths = register().get("Berths", **query)["value"]
        for berth in berths:
            register().change(f"Berths({berth['id']})", daily_rate=10, flat_season_rate=None)
        lines = [f"TERNISLAND,{berth['berth_no']},10.00" for berth in berths]
        trip = self.bring("\n".join(["harbour,berth_no,daily_rate", *lines]))
        sheet, held = [Decimal(10)] * self.rows, [Decimal(10)] * self.rows
        for edits in rounds:
            for at, rate in edits:
                if rate != sheet[at]:
                    self.edit(trip, "cell", at + 2, "daily_rate", text=str(rate))
                sheet[at] = rate
            while asked := {"lost-point", "far-out"} & {code for row in self.codes(trip) for code in row}:
                self.decide(trip, "file", code=min(asked))
            before = sum(held)
            held = [rate if rate <= 500 else was for rate, was in zip(sheet, held, strict=True)]
            told = self.figures(trip)
            self.assertEqual((told["sheet"], told["planned"], told["before"]), (sum(sheet), sum(sheet), before))
            if self.terms(trip) == {"same": self.rows}:
                continue
            self.apply(trip)
            told = self.figures(trip)
            self.assertEqual((told["sheet"], told["after"]), (sum(sheet), sum(held)))
            now = [Decimal(str(register().get(f"Berths({b['id']})")["daily_rate"])) for b in berths]
            self.assertEqual(now, held)
            self.plan(trip)

    def figures(self, trip: Any) -> dict[str, Decimal]:
        trip.refresh_from_db()
        told = to_json(totals_of(PartView.of(trip)))
        self.assertEqual(Decimal(told["columns"][2]["sum"]), Decimal(told["fields"]["daily_rate"]["sheet"]))
        sums = told["fields"]["daily_rate"]
        return {name: Decimal(text) for name, text in sums.items() if text is not None}


class LongNumbers(ServiceCase):
    """Whole numbers of eighteen digits, such as those of meters: of a dozen the sum is longer than their column."""

    def test_their_sums_have_all_digits_wherever_they_are_told(self) -> None:
        number = Field("reading", "Reading", Kind.WHOLE)
        fields = (Field("id", "Record ID", Kind.TEXT, read_only=True), Field("no", "No.", Kind.TEXT), number)
        meter = RecordType("Meter", "Meter", "Meters", "Meters", "id", fields, (("no",),))
        store = SERVED["fake:meters"] = Store(Catalogue("Meters", (meter,), Promises(batch=200), "meters"))
        before = {f"M{at:02}": 900_000_000_000_000_000 + at for at in range(24)}
        for name, value in before.items():
            store.put("Meter", {"no": name, "reading": value})
        meters = connect(
            self.person,
            Connection("meters", "fake:meters", "practice", label="Meters", protocol="fake", longest_request=0),
        )
        after = {name: value + 7 if value % 2 else value for name, value in before.items()}
        lines = "\n".join(f"{name},{value}" for name, value in after.items())
        job = self.back(self.text(f"No.,Reading\n{lines}\n"), meters, "Meter", trip="new", key=("no",))
        self.assertEqual(job.error, "")
        trip = self.trip_of(job)
        was, will = (str(sum(values.values())) for values in (before, after))
        self.assertGreater(int(was), 2**64)
        sums = {"sheet": will, "planned": will, "before": was, "after": None, "unread": 0}
        self.assertEqual(to_json(totals_of(view_of(trip)))["fields"], {"reading": sums})
        column = next(one for one in self.newest(trip).summary["columns"] if one["field"] == "reading")
        changed = [name for name in before if before[name] != after[name]]
        self.assertEqual(column["changed"], 12)
        self.assertEqual(
            (column["before"], column["after"], column["difference"]),
            (str(sum(before[n] for n in changed)), str(sum(after[n] for n in changed)), str(7 * 12)),
        )
        made = new_trip(meters, "Meter", "ada", ("no", "reading"), "", "Meters")
        self.assertEqual(run_inline(enqueue("send out", "ada", view_of(made), run_here=True, format="csv")).error, "")
        self.assertEqual(str(FakeClient("fake:meters").totals(meter, ["reading"])["reading"]), was)
        self.assertEqual(Trip.objects.get(pk=made.pk).selection["totals"], {"reading": was})
        done = self.apply(trip)
        self.assertEqual((done.totals["updated"], done.report["totals"]["reading"]["after"]), (12, will))
