"""Three holders to be created, updated (or some of each) or deleted, judged from the register's own log of effects."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from typing import Any

from tests.server.services import ServiceCase
from tests.support import register

ROWS = 3
BECOMES = {
    "upsert": {"created": ROWS},
    "update": {"updated": ROWS},
    "both": {"created": ROWS - 1, "updated": 1},
    "delete": {"deleted": ROWS},
}


class HolderCase(ServiceCase):
    number = 0

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.begun: dict[Any, tuple[Callable[[], None], int, str]] = {}
        """By what was promised and asked for: what trips begin from that were begun before."""

    def begin(self, operation: str, keyless: bool = False, anew: bool = False) -> tuple[Any, str]:
        """A trip of three holders for an operation (``both``: one is there), planned; and how their numbers begin. All
        else is as when such a one was begun first, unless it is begun ``anew``."""
        asked = (operation, keyless, *self.promised.items())
        if anew or asked not in self.begun:
            trip, beginning = self.begin_anew(operation, keyless)
            if anew:
                return trip, beginning
            self.begun[asked] = self.keep(), trip.pk, beginning
        put_back, number, beginning = self.begun[asked]
        put_back()
        self.before = len(register().effects())
        return self.trip_of_number(number), beginning

    def begin_anew(self, operation: str, keyless: bool) -> tuple[Any, str]:
        HolderCase.number += 1
        beginning = f"08{HolderCase.number:03d}"
        numbers = [f"{beginning}{n:02d}" for n in range(ROWS)]
        there = ROWS - BECOMES[operation].get("created", 0)
        if there:
            with register().client() as client:
                for number in numbers[:there]:
                    body = {"holder_no": number, "last_name": "Before"}
                    client.post("Holders", json=body).raise_for_status()
        lines = ["holder_no,last_name", *[f"{number},After" for number in numbers]]
        key = ["holder_no"]
        if keyless:
            lines, key = ["id,holder_no,last_name", *[f",{number},After" for number in numbers]], ["id"]
        asked = "upsert" if operation == "both" else operation
        trip = self.bring("\n".join(lines), record_type="Holder", operation=asked, key=key)
        self.before = len(register().effects())
        return trip, beginning

    def trip_of_number(self, number: int) -> Any:
        from vexo.server.trips.models import Trip

        return Trip.objects.get(pk=number)

    def promise(self, versions: bool, repeatable: bool, **more: Any) -> None:
        self.promised = {"versions": versions, "repeatable": repeatable, **more}
        register().behave(versions=versions, repeatable="yes" if repeatable else "no", **more)
        type(self.practice).objects.filter(pk=self.practice.pk).update(repeats=repeatable)

    def effects(self) -> Counter[str]:
        """How often each record was created, updated or deleted since the trip began."""
        return Counter(f"{e['what']} {e['id']}" for e in register().effects()[self.before :])

    def judge(self, trip: Any, beginning: str, operation: str, again: bool = True) -> None:
        """No effect twice, none lost, and what the outcome says is true."""
        one = self.last_pass(trip)
        effects = self.effects()
        self.assertEqual(set(effects.values()), {1}, effects)
        self.assertEqual(len(effects), ROWS)
        became = {word: count for word, count in one.totals.items() if count}
        self.assertEqual((one.state, became), ("ended", BECOMES[operation]))
        names = [holder["last_name"] for holder in self.holders(beginning)]
        self.assertEqual(names, [] if operation == "delete" else ["After"] * ROWS)
        if again:
            self.plan(trip)
            self.assertEqual(set(self.verdicts(trip)), {"same"})
