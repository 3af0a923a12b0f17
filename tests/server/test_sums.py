"""Control totals through pass after pass, with edits in between: sheet, plan and application, to the last digit."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from tests import whole_rounds
from tests.server.test_editing import EditCase
from tests.support import register, template

template()

from vexo.server.trips.facts import to_json  # noqa: E402
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
