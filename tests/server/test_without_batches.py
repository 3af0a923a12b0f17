"""An application that promises no batches: each row goes by itself, with all that holds of rows in a batch."""

from __future__ import annotations

from dataclasses import replace
from typing import Any
from unittest.mock import patch

from tests.server.services import ServiceCase
from tests.support import register, template

template()

from vexo.applications.odata import metadata  # noqa: E402
from vexo.core.records import Promises  # noqa: E402


class WithoutBatches(ServiceCase):
    def setUp(self) -> None:
        super().setUp()
        promised = metadata._promises

        def alone(container: Any) -> Promises:
            return replace(promised(container), batch=1, atomic_batch=0, repeatable=False)

        self.addCleanup(metadata.read_metadata.cache_clear)
        metadata.read_metadata.cache_clear()
        self.enterContext(patch.object(metadata, "_promises", alone))
        # Another catalogue has another version.
        self.enterContext(patch.object(metadata, "_READING", b"alone:"))
        self.before = len(register().effects())

    def effects(self) -> list[str]:
        return [effect["what"] for effect in register().effects()[self.before :]]

    def brought(self, letter: str, *lines: str, **more: Any) -> Any:
        body = "\n".join(f"TERNISLAND,{letter}-{line}" for line in lines)
        return self.bring(f"harbour,berth_no,notes,status,length_m\n{body}\n", **more)

    def test_each_row_has_its_answer_and_is_read_back(self) -> None:
        free = "harbour eq 'TERNISLAND' and startswith(berth_no,'K-') and holder eq null"
        [nobodys] = register().get("Berths", **{"$filter": free, "$top": "1"})["value"]
        other = "001" if nobodys["berth_no"] != "K-001" else "002"
        lines = (f"{other},alone one,,", f"{nobodys['berth_no'][2:]},alone two,let,", "901,alone new,,7.5")
        trip = self.brought("K", *lines, operation="upsert")
        self.assertEqual(self.verdicts(trip), ["update", "update", "create"])
        done = self.apply(trip)
        self.assertEqual((done.totals["updated"], done.totals["refused"], done.totals["created"]), (1, 1, 1))
        self.assertEqual((done.report["records"], done.report["as_sent"]), (2, 2))
        self.assertEqual(sorted(self.effects()), ["create", "update"])
        self.assertEqual(register().berth("TERNISLAND", "K-901")["notes"], "alone new")

    def test_an_answer_that_is_lost_after_it_was_saved_is_settled_and_not_written_twice(self) -> None:
        trip = self.brought("K", "003,lost,,", "004,not lost,,")
        register().trouble("dropping")
        done = self.apply(trip)
        self.assertEqual((done.totals["updated"], done.totals["unclear"]), (2, 0))
        self.assertEqual(self.effects(), ["update", "update"])

    def test_one_that_failed_before_it_was_saved_goes_again(self) -> None:
        trip = self.brought("K", "005,once,,", "006,once too,,")
        register().trouble("failing")
        done = self.apply(trip)
        self.assertEqual(done.totals["updated"], 2)
        self.assertEqual(self.effects(), ["update", "update"])

    def test_all_or_nothing_is_not_offered(self) -> None:
        trip = self.brought("K", "007,none,,")
        self.assertEqual(self.newest(trip).summary["most_atomic"], 0)
