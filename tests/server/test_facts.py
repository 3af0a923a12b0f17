from __future__ import annotations

import unittest
from dataclasses import fields, is_dataclass
from typing import Any

from tests.support import template

template()

from vexo.server.trips.facts import from_json, to_json  # noqa: E402
from vexo.server.trips.facts.parts import NewestSheet  # noqa: E402
from vexo.server.trips.facts.passes import RecordCounts, Report  # noqa: E402
from vexo.server.trips.facts.status import StatusFacts  # noqa: E402


class Facts(unittest.TestCase):
    def whole(self, fact: Any, data: Any) -> None:
        """All fields of a fact are told, also those that were never said."""
        if is_dataclass(fact):
            self.assertEqual(set(data), {field.name for field in fields(fact)}, type(fact).__name__)
            for field in fields(fact):
                self.whole(getattr(fact, field.name), data[field.name])

    def test_what_was_stored_before_a_fact_had_a_field_is_told_with_it(self) -> None:
        sheet = {"id": 1, "rows": 3, "name": "a.csv", "at": "2026-11-29T09:00:00+00:00", "recognised": True}
        for shape, stored in (
            (Report, {"records": 3, "type": {"before": 1, "after": 2}}),
            (StatusFacts, {"sheet": sheet, "a fact of a later release": 1}),
            (StatusFacts, {}),
        ):
            fact = from_json(stored, shape)
            self.whole(fact, to_json(fact))
            self.assertEqual(from_json(to_json(fact), shape), fact)

    def test_what_cannot_be_understood_is_a_value_error(self) -> None:
        for shape, stored in ((RecordCounts, {"before": "many"}), (NewestSheet, {}), (StatusFacts, {"passes": 4})):
            with self.assertRaises(ValueError):
                from_json(stored, shape)
