"""The three-way comparison, held against a plain reading of its rule, for every kind of field."""

from __future__ import annotations

import unittest
from itertools import product
from typing import Any

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from tests.core.examples import BERTH, plan
from vexo.core.operations import Operation
from vexo.core.planning.verdicts import CellAction

VALUES: dict[str, tuple[list[str], list[str]]] = {
    # field: values as the application has them, the same values as a person may write them
    "rate": (["5.00", "6.50", "12345678901234.56"], ["5", "6.5", "12345678901234.56"]),
    "nights": (["1", "20", "0"], ["1", "20.0", "0"]),
    "name": (["a", "caf\u00e9", "x\ny"], ["a", "cafe\u0301", "x\r\ny"]),
    "status": (["free", "let", "free"], ["Free", "let", "free"]),
    "services": (["water", "water; power", "wifi"], ["water", "power; water; power", "Wifi"]),
    "until": (["2026-01-02", "2027-12-31", "1999-01-01"], ["2026-01-02", "2027-12-31T00:00:00", "1999-01-01"]),
    "open": (["yes", "no", "yes"], ["TRUE", "0", "x"]),
    "seen": (
        ["2026-01-01T10:00:00Z", "2026-01-01T12:30:00Z", "2026-06-01T00:00:00Z"],
        ["2026-01-01T11:00:00+01:00", "2026-01-01 12:30", "2026-06-01"],
    ),
}
PLACES = (0, 1, 2, None)


def expected(kept: Any, file: Any, now: Any, has_copy: bool) -> int:
    """The rule, in the words of a person: leave, unedited, same already, written, held."""
    if file is None:
        return CellAction.NOTHING
    if has_copy and file == kept:
        return CellAction.NOTHING
    if file == now:
        return CellAction.NOTHING
    if not has_copy or now == kept:
        return CellAction.WRITE
    return CellAction.HELD


class EveryKind(unittest.TestCase):
    def test_as_the_rule_says(self) -> None:
        """Every case there is: what went out, what the file says and what is there now, for each kind of field."""
        for name, has_copy in product(VALUES, (True, False)):
            with self.subTest(name, has_copy=has_copy):
                self.judge(name, list(product(PLACES, PLACES, PLACES)), has_copy)

    def judge(self, name: str, cases: list[tuple[Any, Any, Any]], has_copy: bool) -> None:
        stored, written = VALUES[name]

        def text(texts: list[str], place: int | None) -> str | None:
            return None if place is None else texts[place]

        def same(place: int | None) -> str | None:
            """Equal values are one value: the first and third choice are the same for some fields."""
            return None if place is None else (stored[place] if name != "status" else stored[place].lower())

        codes = [f"K{n}" for n in range(len(cases))]
        sheet = [(code, text(written, file)) for code, (_, file, _) in zip(codes, cases, strict=True)]
        now = [
            (str(n), "v", code, text(stored, now))
            for n, (code, (_, _, now)) in enumerate(zip(codes, cases, strict=True))
        ]
        kept = [
            (str(n), "v", code, text(stored, was))
            for n, (code, (was, _, _)) in enumerate(zip(codes, cases, strict=True))
        ]
        wanted = [expected(same(was), same(file), same(is_), has_copy) for was, file, is_ in cases]
        made = plan(["code", name], sheet, now, kept if has_copy else None)
        self.assertEqual(made[f"action.{name}"].to_list(), wanted)
        # Among many rows as they went out each is judged as before.
        more = [(f"x{n}", "v", f"X{n}", stored[1]) for n in range(3 * len(cases))]
        others = [(code, written[1]) for _, _, code, _ in more]
        among = plan(["code", name], [*others, *sheet], [*now, *more], [*kept, *more] if has_copy else None)
        self.assertEqual(among[f"action.{name}"].to_list(), [CellAction.NOTHING] * len(more) + wanted)
        verdicts = {CellAction.NOTHING: "same", CellAction.WRITE: "update", CellAction.HELD: "held"}
        self.assertEqual(made["verdict"].to_list(), [verdicts[do] for do in wanted])

    @given(st.lists(st.integers(0, 6), min_size=1, max_size=7, unique=True))
    def test_a_row_is_judged_alike_alone_and_among_others(self, chosen: list[int]) -> None:
        sheet = [("A", "6"), ("B", "x"), ("C", None), ("D", "9"), ("E", "[clear]"), ("Q", "1"), ("G", "7")]
        now = [(str(n), "v", code, "5") for n, code in enumerate("ABCDEG")]
        kept = [(str(n), "v", code, "4" if code == "D" else "5") for n, code in enumerate("ABCDEG")]
        whole = plan(["code", "rate"], sheet, now, kept)
        some = plan(["code", "rate"], [sheet[n] for n in chosen], now, kept)
        columns = ["verdict", "faults", "action.rate", "proposed.rate"]
        self.assertEqual(some.select(columns).rows(), [whole.select(columns).row(n) for n in chosen])

    def test_a_create_writes_what_is_filled_and_nothing_else(self) -> None:
        names = ["code", "name", "rate", "services", "until"]
        made = plan(names, [("N", "new", None, "wifi", "[clear]")], [], operation=Operation.UPSERT)
        self.assertEqual(made["verdict"][0], "create")
        does = {name: made[f"action.{name}"][0] for name in names}
        expected_does = {
            "code": CellAction.WRITE,
            "name": CellAction.WRITE,
            "rate": CellAction.NOTHING,
            "services": CellAction.WRITE,
            "until": CellAction.WRITE,
        }
        self.assertEqual(does, expected_does)
        self.assertIsNone(made["proposed.until"][0])

    def test_an_empty_sheet_plans_nothing(self) -> None:
        made = plan(["code", "rate"], [("A", "5")], [("1", "v", "A", "5")]).clear()
        self.assertEqual(len(made), 0)
        self.assertIn("verdict", made.columns)

    def test_read_only_fields_are_never_compared(self) -> None:
        self.assertTrue(BERTH.field("due").read_only)
        made = plan(["id", "code", "rate"], [("1", "A", "5")], [("1", "v", "A", "5")])
        self.assertNotIn("action.id", made.columns)
        self.assertIsInstance(made, pl.DataFrame)
