"""A plan is the same whether all records of a type are read for it, or those alone that its rows may be about."""

from __future__ import annotations

from contextlib import ExitStack, nullcontext
from typing import Any
from unittest.mock import patch

import polars as pl
from django.test import Client
from hypothesis import Phase, event, example, given, settings
from hypothesis import strategies as st

from tests import wide_rounds
from tests.server.holder_sheets import HolderSheets
from tests.server.services import no_type_is_small, view_of
from tests.server.test_editing import EditCase
from tests.support import register, template

template()

from vexo.applications.odata.client import ODataClient  # noqa: E402
from vexo.core.columns.lanes import lanes_from_json  # noqa: E402
from vexo.core.operations import Operation  # noqa: E402
from vexo.core.planning.frame import VERDICT, FieldColumns  # noqa: E402
from vexo.core.records import IDENTIFIER  # noqa: E402
from vexo.server import artifacts  # noqa: E402
from vexo.server.jobs.worker import run_inline  # noqa: E402
from vexo.server.mapping.columns import Changes, change  # noqa: E402
from vexo.server.planning import application_records  # noqa: E402

KEYS = ("as it is", "with spaces", "near", "new", "none")
NAMES, MAILS = ("Merrowick", "Tollgate", ""), ("own", "another's", "another's in capitals", "new", "")
BY_KEY = (Operation.CREATE, Operation.UPDATE, Operation.UPSERT, Operation.DELETE)
THERE = 8
TEXTS = ("18002", "0018002", "8002", "180", "1.8E+4", "2-Nov", "1.11.2026", "2026-11-03", "Merrowick", "12", "")
ROWS = st.lists(
    st.tuples(
        st.integers(1, THERE), st.sampled_from([*KEYS, "as it is"]), st.sampled_from(NAMES), st.sampled_from(MAILS)
    ),
    min_size=4,
    max_size=12,
)


class ReadByKeys(EditCase, HolderSheets):
    def written(self, at: int, kind: str) -> str:
        """The number of a holder as a row has it."""
        number = f"{self.begin}{at:02}"
        written = {
            "with spaces": f"\u00a0{number} ",
            "near": number.replace("07", "O7", 1),
            "new": f"{self.begin}9{at}",
            "none": "",
        }
        return written.get(kind, number)

    def mail(self, at: int) -> str:
        return f"m{at}.{self.begin}@example.org"

    def planned(self, trip: Any, whole: bool) -> pl.DataFrame:
        """What a fresh plan says of each row."""
        limit = 1_000_000 if whole else 1
        with ExitStack() as stack:
            for name, value in (("_SMALL_TYPE", limit), ("_ALL_WANTED", limit), ("_ALL_AT", 0)):
                stack.enter_context(patch.object(application_records, name, value))
            self.plan(trip)
        plan = self.newest(trip)
        self.assertEqual(len(artifacts.read(plan.records_path)) == plan.counts["type"], whole)
        columns = [name for field in plan.carried for name in FieldColumns(field).stored]
        return self.table(trip).select(VERDICT, IDENTIFIER, "faults", *columns)

    @settings(wide_rounds, phases=[Phase.explicit, Phase.generate])
    @example(rows=[(1, "as it is", "Merrowick", "another's")], operation=Operation.UPDATE, ignores=False)
    @example(
        rows=[(2, "near", "Tollgate", "new"), (3, "new", "Tollgate", "another's")],
        operation=Operation.UPSERT,
        ignores=False,
    )
    @example(rows=[(4, "new", "Tollgate", "another's in capitals")], operation=Operation.UPSERT, ignores=False)
    @given(ROWS, st.sampled_from(BY_KEY), st.booleans())
    def test_it_is_the_same_plan(self, rows: list[Any], operation: Operation, ignores: bool) -> None:
        self.number_anew()
        with register().client() as client:
            for at in range(1, THERE + 1):
                body = {"holder_no": f"{self.begin}{at:02}", "last_name": f"L {at}", "email": self.mail(at)}
                client.post("Holders", json=body).raise_for_status()
        lines = ["holder_no;last_name;email"]
        for at, kind, name, mail in rows:
            another = self.mail(at % THERE + 1)
            mails = {"own": self.mail(at), "another's": another, "new": f"n{self.mail(at)}", "": ""}
            mails["another's in capitals"] = another.replace("m", "M", 1)
            lines.append(f"{self.written(at, kind)};{name};{mails[mail]}")
        more = {"ignores": ["capitals"]} if ignores else {}
        trip = self.bring("\n".join(lines), record_type="Holder", key=["holder_no"], operation=operation.value, **more)
        event(operation.value)
        whole, some = self.planned(trip, whole=True), self.planned(trip, whole=False)
        self.assertEqual(some.to_dicts(), whole.to_dicts())

    def found(self, trip: Any) -> list[dict[str, Any]]:
        """What a spreadsheet did to the sheet, as its newest plan says."""
        path = self.newest(trip).damage_path
        return artifacts.read(path).sort("row_id", "column").to_dicts() if path else []

    # Each is five plans.
    @settings(wide_rounds, max_examples=wide_rounds.max_examples // 2, phases=[Phase.explicit, Phase.generate])
    @example(rows=[(1, "18002"), (2, "0018004")], operation=Operation.UPDATE)
    @given(
        st.lists(st.tuples(st.integers(1, THERE), st.sampled_from(TEXTS)), min_size=2, max_size=12),
        st.sampled_from(BY_KEY[:3]),
    )
    def test_the_same_damage_is_found(self, rows: list[Any], operation: Operation) -> None:
        """Among codes that all are figures, and among names of which some are days to a spreadsheet."""
        self.number_anew()
        lines = ["email;holder_no;last_name"]
        lines += [f"{self.mail(at)};{text};{text}" for at, text in rows]
        with register().client() as client:
            for at in range(1, THERE + 1):
                body = {"holder_no": f"{self.begin}{at:02}", "last_name": f"{at}-11", "email": self.mail(at)}
                client.post("Holders", json=body).raise_for_status()
        trip = self.bring("\n".join(lines), record_type="Holder", key=["email"], operation=operation.value)
        self.planned(trip, whole=True)
        whole = self.found(trip)
        if operation != Operation.CREATE:
            self.assertEqual(self.table(trip)[IDENTIFIER].null_count(), 0, "all rows find their holders")
        self.planned(trip, whole=False)
        self.assertEqual(self.found(trip), whole)
        self.assertEqual(self.newest(trip).summary["patterns_not_read"], [])
        event(f"{len({one['kind'] for one in whole})} kinds")
        self.edit(trip, "cell", 2, "last_name", text="3-Nov")
        edited = self.found(trip)
        self.planned(trip, whole=True)
        self.assertEqual(edited, self.found(trip))

    def test_what_only_all_values_would_tell_is_said_where_they_are_too_many(self) -> None:
        self.make(("01", "a"), ("02", "b"))
        header = "holder_no,last_name,phone"
        rows = [("01", "1/2", "01632 960001"), ("02", "b", "(01632) 960002")]
        # The number of a holder is all figures.
        few, all_ = ["holder_no"], ["holder_no", "last_name"]
        for small, found, told in ((False, rows, all_), (True, rows, []), (False, rows[1:], few)):
            with self.subTest(small=small, rows=len(found)), ExitStack() as stack:
                if not small:
                    stack.enter_context(no_type_is_small())
                trip = self.trip(self.sheet(*found, header=header))
                self.assertEqual(self.newest(trip).summary["patterns_not_read"], told)
                client = Client()
                client.force_login(self.person)
                detail = client.get(f"/api/trips/{trip.pk}").json()
                self.assertEqual(detail["summary"]["patterns_not_read"], told)
                said = self.vexo.run("--as", "ada", "review", str(trip.pk)).stdout
                self.assertEqual("not looked at for lost figures" in said, bool(told), said)
                figures = self.vexo.json("--as", "ada", "review", str(trip.pk))
                self.assertEqual(figures["patterns_not_read"], told)
                page = client.get(f"/api/trips/{trip.pk}/document.html").content.decode()
                self.assertEqual("not looked at for lost figures" in page, bool(told))

    def test_nor_is_it_said_of_what_went_out_from_here_or_is_treated(self) -> None:
        with no_type_is_small():
            trip, path = self.out("F", "notes", "berth_no")
            self.assertEqual(self.back(path).error, "")
            self.assertEqual(self.newest(trip).summary["patterns_not_read"], [])
            rows = self.sheet(("01", "12", ""), header="holder_no,last_name,phone")
            self.make(("01", "a"))
            trip = self.trip(rows)
            self.assertEqual(self.newest(trip).summary["patterns_not_read"], ["holder_no", "last_name"])
            treated = {"last_name": {"treatments": [{"do": "case", "style": "name"}]}}
            untreated = {"last_name": {"treatments": []}}
            for fresh in (False, True):
                for lanes, told in ((treated, ["holder_no"]), (untreated, ["holder_no", "last_name"])):
                    run_inline(change(view_of(trip), self.person, Changes(lanes=lanes_from_json(lanes)), run_here=True))
                    trip.refresh_from_db()
                    if fresh:
                        self.plan(trip)
                    self.assertEqual(self.newest(trip).summary["patterns_not_read"], told, (fresh, lanes))

    def test_what_is_never_looked_through_is_neither_read_nor_named(self) -> None:
        self.make(("01", "a"), ("02", "b"))
        ids = [self.of(number)["id"] for number in ("01", "02")]
        content = f"id,last_name,changed_by\n{ids[0]},x,12\n{ids[1]},y,13\n"
        for large in (False, True):
            with self.subTest(large=large), ExitStack() as stack:
                stack.enter_context(no_type_is_small())
                if not large:
                    stack.enter_context(patch("vexo.server.planning.known_texts._MOST", 1_000_000))
                trip = self.bring(content, record_type="Holder", operation="update", key=["id"])
                plan = self.newest(trip)
                self.assertEqual(plan.summary["patterns_not_read"], [])
                self.assertNotIn("known_texts", plan.counts)

    def test_it_is_said_of_texts_too_that_an_edit_brings(self) -> None:
        for small, text, told in (
            (False, "0123", ["holder_no", "last_name"]),
            (False, "b", ["holder_no"]),
            (True, "1", []),
        ):
            with self.subTest(small=small, text=text), nullcontext() if small else no_type_is_small():
                self.number_anew()
                self.make(("01", "a"), ("02", "c"))
                trip = self.trip(self.sheet(("01", "x", ""), ("02", "y", "")))
                self.edit(trip, "cell", 2, "last_name", text=text)
                self.assertEqual(self.newest(trip).summary["patterns_not_read"], told)
                self.edit(trip, "cell", 3, "last_name", text="12")
                self.assertEqual(
                    self.newest(trip).summary["patterns_not_read"], [] if small else ["holder_no", "last_name"]
                )

    def test_a_service_that_finds_none_by_their_keys_is_read(self) -> None:
        self.make(("01", "a"), ("02", "b"))
        content = self.sheet(("01", "x"), ("02", "b"), ("09", "c"), header="holder_no,last_name")
        of_none = patch.object(ODataClient, "_key_filter", return_value="nothing eq like this")
        with of_none as asked, patch("vexo.server.planning.materials.of_patterns", return_value=[]):
            trip = self.trip(content, operation="upsert")
        self.assertTrue(asked.called)
        self.assertEqual(self.verdicts(trip), ["update", "same", "create"])
