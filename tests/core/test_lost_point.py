"""Numbers that seem to have lost a decimal point are asked about, and no others."""

from __future__ import annotations

import unittest
from decimal import Decimal

from hypothesis import given
from hypothesis import strategies as st

from tests.core.examples import codes, plan, verdicts
from vexo.core.operations import Operation

NUMBERS = st.decimals(min_value=Decimal("-99999"), max_value=Decimal("99999"), places=2)


def lost(old: Decimal, new: Decimal) -> bool:
    """As ``semantics.md`` 7.1 says it: ten, a hundred, a thousand times, or divided by it, give or take a tenth."""
    powers = [Decimal(10) ** n for n in (1, 2, 3)]
    pairs = [(new, old * power) for power in powers] + [(old, new * power) for power in powers]
    return old != 0 and new != 0 and any(abs(one - other) * 10 <= abs(other) for one, other in pairs)


class LostPoints(unittest.TestCase):
    def judged(self, old: str, new: str, **more: object) -> list[str]:
        made = plan(["code", "rate"], [("A", new)], [("1", "v", "A", old)], **more)
        return codes(made)[0]

    @given(NUMBERS, st.sampled_from(["0.001", "0.01", "0.1", "10", "100", "1000", "1", "2"]), NUMBERS)
    def test_they_are_held_and_no_others(self, old: Decimal, factor: str, slack: Decimal) -> None:
        new = (old * Decimal(factor) * (1 + slack / Decimal(500_000))).quantize(Decimal("0.01"))
        wanted = ["lost-point"] if lost(old, new) and new != old else []
        self.assertEqual(self.judged(str(old), str(new)), wanted, f"{old} {new}")

    def test_each_answer_and_its_neighbours(self) -> None:
        for old, new, wanted in (
            ("40.50", "4050", ["lost-point"]),
            ("4050", "40.50", ["lost-point"]),
            ("40.50", "405", ["lost-point"]),
            ("40.50", "45", []),
            ("40.50", "41.50", []),
            ("0", "4050", []),
            ("40.50", "0", []),
            ("-40.50", "4050", []),
        ):
            with self.subTest(f"{old} {new}"):
                self.assertEqual(self.judged(old, new), wanted)
        for answer, verdict in (("file", "update"), ("application", "same"), ("aside", "aside")):
            made = plan(["code", "rate"], [("A", "4050")], [("1", "v", "A", "40.50")], said=[(2, "rate", answer)])
            self.assertEqual(verdicts(made), [verdict])

    def test_a_new_record_an_empty_field_and_an_unedited_cell_are_not_asked(self) -> None:
        self.assertEqual(self.judged("40.50", "4050", operation=Operation.DELETE), [])
        made = plan(["code", "rate", "name"], [("B", "4050", "n")], [], operation=Operation.UPSERT)
        self.assertEqual((verdicts(made), codes(made)), (["create"], [[]]))
        made = plan(["code", "rate"], [("A", "4050")], [("1", "v", "A", None)])
        self.assertEqual(codes(made), [[]])
        kept = [("1", "v", "A", "4050")]
        made = plan(["code", "rate"], [("A", "4050")], [("1", "v2", "A", "40.50")], kept)
        self.assertEqual((verdicts(made), codes(made)), (["same"], [[]]))

    def test_a_conflict_comes_first(self) -> None:
        kept = [("1", "v", "A", "40.50")]
        made = plan(["code", "rate"], [("A", "4050")], [("1", "v2", "A", "41")], kept)
        self.assertEqual(codes(made), [["both-changed"]])
