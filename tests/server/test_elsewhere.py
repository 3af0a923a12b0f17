"""Rows that nobody edited, whose records the application changed since: counted, said and shown (semantics.md 1.5)."""

from __future__ import annotations

from typing import Any

from tests.server.services import ServiceCase, view_of
from tests.support import register, template

template()

from vexo.core.planning.verdicts import ELSEWHERE_CODE  # noqa: E402
from vexo.server.planning.context import PlanContext  # noqa: E402
from vexo.server.rows.windows import Source, Wanted, plan_window  # noqa: E402
from vexo.server.trips.status import TripStatus  # noqa: E402


class Elsewhere(ServiceCase):
    def said(self, trip: Any) -> list[tuple[int, str]]:
        trip.refresh_from_db()
        return [(one.count, str(one.state)) for one in TripStatus(view_of(trip)).said if one.code == ELSEWHERE_CODE]

    def rows(self, trip: Any) -> list[int]:
        plan = self.newest(trip)
        context = PlanContext.of_plan(plan)
        window = plan_window(context, Source(plan.path, context.cells_path), Wanted(code=ELSEWHERE_CODE), (0, 50))
        return [row.row for row in window.rows]

    def test_rows_changed_by_others_alone_are_said_and_can_be_looked_at(self) -> None:
        trip, path = self.out("A", "notes", "daily_rate")
        for number in ("A-002", "A-003", "A-005"):
            register().change(f"Berths({register().berth('TERNISLAND', number)['id']})", notes="by a colleague")

        def edit(sheet: Any) -> None:
            sheet.cell(4, 4).value = "mine too"
            sheet.cell(5, 4).value = "mine"

        self.back(self.edited(path, edit))
        self.assertEqual(self.verdicts(trip)[:5], ["same", "same", "held", "update", "same"])
        self.assertEqual((self.said(trip), self.rows(trip)), ([(2, "same")], [3, 6]))
        told = self.vexo.run("--as", "ada", "review", str(trip.pk))
        self.assertIn("(2 rows same)", told.stdout + told.stderr)
        self.decide(trip, "application", [2])
        self.assertEqual(
            (self.said(trip), self.rows(trip)), ([(3, "same")], [3, 4, 6]), "held no more: nothing to write"
        )

    def test_where_nobody_changed_anything_nothing_is_said(self) -> None:
        trip, path = self.out("B", "notes")
        self.back(path)
        self.assertEqual((self.said(trip), self.rows(trip)), ([], []))

    def test_what_our_own_pass_wrote_is_no_change_by_others(self) -> None:
        trip, path = self.out("C", "notes")
        self.back(self.edited(path, lambda sheet: setattr(sheet.cell(2, 4), "value", "mine")))
        self.assertEqual(self.apply(trip).totals["updated"], 1)
        self.plan(trip)
        self.assertEqual((self.said(trip), self.rows(trip)), ([], []))
