"""Foreign sheets of holders, and holders that a colleague makes and changes."""

from __future__ import annotations

from typing import Any

from tests.server.services import ServiceCase
from tests.support import register


class HolderSheets(ServiceCase):
    """Foreign sheets of holders, each test with numbers of its own."""

    number = 0

    def setUp(self) -> None:
        super().setUp()
        self.number_anew()

    def number_anew(self) -> None:
        """Numbers that no holder has yet."""
        HolderSheets.number += 1
        self.begin = f"07{HolderSheets.number:03d}"

    def sheet(self, *rows: tuple[str, ...], header: str = "holder_no,last_name,phone") -> str:
        return "\n".join([header, *[",".join([f"{self.begin}{row[0]}" if row[0] else "", *row[1:]]) for row in rows]])

    def make(self, *names: tuple[str, str]) -> None:
        with register().client() as client:
            for number, name in names:
                body = {"holder_no": f"{self.begin}{number}", "last_name": name}
                client.post("Holders", json=body).raise_for_status()

    def of(self, number: str) -> dict[str, Any]:
        return next(h for h in self.holders(self.begin) if h["holder_no"] == f"{self.begin}{number}")

    def theirs(self, number: str, **values: Any) -> None:
        register().change(f"Holders({self.of(number)['id']})", **values)

    def trip(self, content: str, operation: str = "update", **more: Any) -> Any:
        return self.bring(content, record_type="Holder", operation=operation, **{"key": ["holder_no"], **more})

    def again(self, trip: Any, content: str) -> Any:
        job = self.back(self.text(content, "corrected.csv"), record_type="Holder", trip=str(trip.pk))
        trip.refresh_from_db()
        return job
