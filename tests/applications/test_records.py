"""What an application sends is a value or an error, never an empty one by itself."""

from __future__ import annotations

import unittest
from decimal import Decimal
from typing import Any

from tests.core.examples import BERTH, CATALOGUE
from vexo.applications import ApplicationError
from vexo.applications.odata.records import to_frame


def frame(**values: Any) -> Any:
    return to_frame([{"id": 1, **values}], list(values), BERTH, CATALOGUE)


class Records(unittest.TestCase):
    def test_a_value_beyond_the_catalogue_is_said_with_its_field(self) -> None:
        for values in (
            {"rate": Decimal("12.345")},
            {"rate": Decimal(10) ** 17},
            {"nights": Decimal("3.5")},
            {"until": "soon"},
            {"until": ""},
            {"rate": ""},
            {"nights": " "},
            {"seen": "2026-13-01T00:00:00Z"},
        ):
            with self.subTest(values), self.assertRaisesRegex(ApplicationError, "says '.*' for .+ leave the field out"):
                frame(**values)

    def test_what_is_within_it_is_taken_as_it_is(self) -> None:
        read = frame(rate=Decimal("12.340"), nights=3, until=None, seen="2026-01-02T03:04:05.1234567Z")
        self.assertEqual(read["rate"][0], Decimal("12.34"))
        self.assertEqual((read["nights"][0], read["until"][0]), (3, None))
        self.assertEqual(read["seen"][0].microsecond, 123456)
