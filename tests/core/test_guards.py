"""Settings of guards: what each does, from which limit on, and what lies far outside of a field's values."""

from __future__ import annotations

import unittest
from collections.abc import Sequence
from datetime import date, timedelta
from decimal import Decimal
from typing import Any

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from tests.core.examples import BERTH, codes, guards, plan, verdicts
from vexo.core.guards import GUARDS, USUAL, GuardError, GuardMode, GuardName, GuardSettings
from vexo.core.records import Field, Kind
from vexo.core.spread import Spread, spread_of

RATE = BERTH.field("rate")
DAY = Field("day", "Day", Kind.DATE)
NUMBERS = st.decimals(min_value=Decimal("-5000"), max_value=Decimal("5000"), places=2)


def spread(values: Sequence[Decimal | None]) -> Spread | None:
    return spread_of(pl.Series(values, dtype=pl.Decimal(18, 2)), RATE)


def is_far(values: list[Decimal], new: Decimal, ranges: int = 3) -> bool:
    """As ``semantics.md`` 7.2 says it, in plain numbers."""
    ordered = sorted(values)
    last = len(ordered) - 1
    first, third = ordered[last // 4], ordered[last * 3 // 4]
    if len(values) >= 30 and third > first:
        return not first - ranges * (third - first) <= new <= third + ranges * (third - first)
    least, greatest = ordered[0], ordered[-1]
    size = max(abs(least), abs(greatest))
    low = least / 10 if least > 0 else -size * 10
    high = greatest / 10 if greatest < 0 else size * 10
    return size != 0 and not low <= new <= high


class FarOut(unittest.TestCase):
    def judged(self, old: str | None, new: str, values: list[Decimal], **more: Any) -> list[str]:
        known = spread(values)
        spreads = {"rate": known} if known is not None else {}
        return codes(plan(["code", "rate"], [("A", new)], [("1", "v", "A", old)], spreads=spreads, **more))[0]

    @given(st.lists(NUMBERS, min_size=1, max_size=60), NUMBERS)
    def test_what_is_held_and_nothing_else(self, values: list[Decimal], new: Decimal) -> None:
        # Fences are floats: a value on one of them may be told either way.
        told = {is_far(values, new + Decimal(step) / 1000) for step in (-1, 0, 1)}
        judged = self.judged(None, str(new), values)
        if len(told) == 1:
            self.assertEqual(judged, ["far-out"] if told.pop() else [])

    def test_its_neighbours(self) -> None:
        values = [Decimal(n) for n in range(20, 60)]
        self.assertEqual(self.judged("40", "99999.99", values), ["far-out"])
        self.assertEqual(self.judged("40", "109", values), [])
        self.assertEqual(self.judged("40", "-100", values), ["far-out"])
        self.assertEqual(self.judged("500", "510", values), [], "it is as far out already")
        self.assertEqual(self.judged("510", "-510", values), ["far-out"], "on the other side it was not")
        self.assertEqual(self.judged("40", "4000", values), ["lost-point"], "one question a cell")
        self.assertEqual(self.judged("99999.99", "99999.99", values), [], "nothing is written")
        self.assertEqual(self.judged("40", "99999.99", []), [], "nothing is known")
        self.assertEqual(self.judged("40", "99999.99", [Decimal(0)] * 40), [], "nothing to go by")

    @given(st.lists(st.none() | st.decimals(-500, 500, places=2), max_size=60))
    def test_few_places_in_order_are_those_of_all_in_order(self, values: list[Decimal | None]) -> None:
        numbers = sorted(float(one) for one in values if one is not None)
        last = len(numbers) - 1
        wanted = Spread(len(numbers), *(numbers[at] for at in (0, last // 4, last * 3 // 4, last))) if numbers else None
        self.assertEqual(spread(values), wanted)

    def test_each_answer(self) -> None:
        known = spread([Decimal(n) for n in range(20, 60)])
        for answer, verdict in (("file", "update"), ("application", "same"), ("aside", "aside")):
            made = plan(
                ["code", "rate"],
                [("A", "99999.99")],
                [("1", "v", "A", "41")],
                said=[(2, "rate", answer)],
                spreads={"rate": known},
            )
            self.assertEqual(verdicts(made), [verdict])

    def test_days(self) -> None:
        first = date(2026, 1, 1)
        days = spread_of(pl.Series([first + timedelta(days=n) for n in range(40)]), DAY)
        few = spread_of(pl.Series([first]), DAY)
        assert days is not None
        assert few is not None
        low, high = days.fences(DAY, 3, 30)
        self.assertEqual(
            (low, high), tuple((first - date(1970, 1, 1)).days + days for days in (9 - 3 * 20, 29 + 3 * 20))
        )
        low, high = few.fences(DAY, 3, 30)
        self.assertEqual(high - low, 2 * 10 * 366, "a single day tells of ten years before and after")

    def test_keys_are_no_numbers_to_compare(self) -> None:
        made = plan(
            ["code", "rate"],
            [("A", "99999.99")],
            [("1", "v", "A", "99999.99")],
            spreads={"rate": spread([Decimal(1)] * 3)},
            key=("rate",),
        )
        self.assertEqual(codes(made), [[]])


class Modes(unittest.TestCase):
    def made(self, mode: str, name: str, sheet: list[Any], now: list[Any], **more: Any) -> tuple[list[str], list[Any]]:
        names = ["code", "rate", "name"]
        made = plan(names, sheet, now, guarded_by=guards(**{name: mode}), **more)
        return verdicts(made), codes(made)

    def test_a_guard_holds_says_or_is_off(self) -> None:
        sheet, now = [("A", "4050", "n")], [("1", "v", "A", "40.50", "n")]
        for mode, verdict, fault in (
            ("hold", "held", ["lost-point"]),
            ("say", "update", ["lost-point"]),
            ("off", "update", []),
        ):
            with self.subTest(mode):
                self.assertEqual(self.made(mode, "lost_point", sheet, now), ([verdict], [fault]))
        known = {"rate": spread([Decimal(n) for n in range(20, 60)])}
        far = [("A", "99999", "n")]
        for mode, verdict, fault in (
            ("hold", "held", ["far-out"]),
            ("say", "update", ["far-out"]),
            ("off", "update", []),
        ):
            with self.subTest(mode):
                self.assertEqual(self.made(mode, "far_out", far, now, spreads=known), ([verdict], [fault]))

    def test_what_is_only_said_stands_beside_what_holds(self) -> None:
        """A row that is held for another reason says both; what holds comes first, and answering it is enough."""
        sheet, now = [("A", "4050", "new")], [("1", "v2", "A", "40.50", "theirs")]
        kept = [("1", "v", "A", "40.50", "old")]
        made = plan(["code", "rate", "name"], sheet, now, kept, guarded_by=guards(lost_point="say"))
        self.assertEqual((verdicts(made), codes(made)), (["held"], [["both-changed", "lost-point"]]))
        said = [(2, "name", "file")]
        made = plan(["code", "rate", "name"], sheet, now, kept, guarded_by=guards(lost_point="say"), said=said)
        self.assertEqual((verdicts(made), codes(made)), (["update"], [["lost-point"]]))

    def test_off_lets_nothing_else_go(self) -> None:
        everything = guards(**{name.replace("-", "_"): "off" for name in GuardName})
        sheet, now = [("A", "40,50", "new")], [("1", "v2", "A", "41", "theirs")]
        kept = [("1", "v", "A", "40.50", "old")]
        made = plan(["code", "rate", "name"], sheet, now, kept, guarded_by=everything)
        self.assertEqual((verdicts(made), codes(made)), (["rejected"], [["decimal-comma", "both-changed"]]))

    def test_limits(self) -> None:
        within = GuardSettings.from_json({"lost-point": {"limits": {"within": "0"}}})
        names, now = ["code", "rate"], [("1", "v", "A", "40.50")]
        for new, wanted in (("405", ["lost-point"]), ("406", [])):
            self.assertEqual(codes(plan(names, [("A", new)], now, guarded_by=within)), [wanted])


SETTINGS = st.dictionaries(
    st.sampled_from(list(GuardName)),
    st.fixed_dictionaries({}, optional={"mode": st.sampled_from([mode.value for mode in GuardMode])}),
).map(lambda said: {name.value: setting for name, setting in said.items() if setting})


class Settings(unittest.TestCase):
    @given(SETTINGS, SETTINGS)
    def test_a_route_lies_over_its_application(self, route: dict[str, Any], application: dict[str, Any]) -> None:
        laid = GuardSettings.from_json(route).over(GuardSettings.from_json(application))
        for name in GuardName:
            wanted = route.get(name, {}).get("mode") or application.get(name, {}).get("mode") or GUARDS[name].usual
            self.assertEqual(laid.mode(name), wanted)
        self.assertEqual(GuardSettings.from_json(laid.to_json()).to_json(), laid.to_json())

    def test_limits_lie_over_one_by_one(self) -> None:
        route = GuardSettings.from_json({"many-deletes": {"limits": {"share": 5}}})
        application = GuardSettings.from_json({"many-deletes": {"limits": {"share": 2, "least": 9}, "mode": "say"}})
        laid = route.over(application)
        limits = [laid.limit(GuardName.MANY_DELETES, name) for name in ("share", "number", "least")]
        self.assertEqual((limits, laid.mode(GuardName.MANY_DELETES)), ([5, 50, 9], GuardMode.SAY))

    def test_what_cannot_be_is_refused_in_words(self) -> None:
        for said, names in (
            ([], "object"),
            ({"makes-same": {"mode": "off"}}, "Guards: lost-point"),
            ({"far-out": {"mode": "never"}}, "hold, say, off"),
            ({"far-out": {"limits": {"reach": 1}}}, "ranges, values"),
            ({"duplicate": {"limits": {"share": 1}}}, "It has none"),
            ({"far-out": {"limits": {"ranges": "much"}}}, "not a number"),
            ({"far-out": {"limits": {"ranges": "NaN"}}}, "from 0.1 to 1000"),
            ({"many-changes": {"limits": {"share": 101}}}, "from 0 to 100"),
            ({"many-changes": {"limits": {"least": "1.5"}}}, "whole number"),
            ({"far-out": {"limit": {}}}, "mode and its limits"),
            ({"far-out": "off"}, "mode and its limits"),
        ):
            with self.subTest(said), self.assertRaisesRegex(GuardError, names):
                GuardSettings.from_json(said)
        self.assertEqual(USUAL.to_json(), {})
