"""The picture of a field, and the rows behind each change: what is shown is what an edit reaches."""

from __future__ import annotations

import json
from collections import Counter
from dataclasses import fields
from typing import Any

from django.test import Client

from tests.server.services import view_of
from tests.server.test_editing import EditCase
from tests.server.test_lanes import LaneCase
from tests.support import template

template()

from vexo.server.errors import PlainError  # noqa: E402
from vexo.server.rows.edit_views import ShownSerializer  # noqa: E402
from vexo.server.rows.pictures import field_picture  # noqa: E402
from vexo.server.rows.windows import Wanted  # noqa: E402


class Pictures(LaneCase, EditCase):
    def given(self) -> Any:
        self.make(("01", "One"), ("02", "One"), ("03", "Two"), ("04", "Three"))
        lines = [("01", "Uno", ""), ("02", "Uno", ""), ("03", "Due", ""), ("04", "Three", ""), ("", "x", "")]
        return self.trip(self.sheet(*lines))

    def client_of(self) -> Client:
        client = Client()
        client.force_login(self.person)
        return client

    def test_each_change_is_counted_and_is_a_filter(self) -> None:
        trip = self.given()
        picture = self.client_of().get(f"/api/trips/{trip.pk}/picture?field=last_name").json()
        changes = {(one["old"], one["new"]): one["count"] for one in picture["changes"]}
        self.assertEqual(changes, {("One", "Uno"): 2, ("Two", "Due"): 1})
        self.assertEqual((picture["shown"], picture["different_changes"]), ("values", 2))
        for (old, new), count in changes.items():
            query = {"column": "last_name", "change": json.dumps([old, new])}
            rows = self.client_of().get(f"/api/trips/{trip.pk}/rows", query).json()
            self.assertEqual(rows["total"], count)
            cells = Counter((row["cells"][1]["current"], row["cells"][1]["proposed"]) for row in rows["rows"])
            self.assertEqual(cells, {(old, new): count})
        none = self.client_of().get(f"/api/trips/{trip.pk}/rows", {"column": "last_name", "change": '["One","Due"]'})
        self.assertEqual(none.json()["total"], 0)
        for odd in ("x", "[1]", '["a"]', "7"):
            refused = self.client_of().get(f"/api/trips/{trip.pk}/rows", {"column": "last_name", "change": odd})
            self.assertEqual(refused.status_code, 422, odd)
        with self.assertRaises(PlainError):
            field_picture(view_of(trip), "email")

    def test_what_was_written_in_all_passes_is_a_picture_too(self) -> None:
        self.make(("01", "One"), ("02", "One"), ("03", "Two"), ("04", "Four"))
        lines = [("01", "Uno", "a@example.org"), ("02", "Uno", "nobody.example"), ("03", "Two", ""), ("05", "x", "")]
        trip = self.trip(self.sheet(*lines, header="holder_no,last_name,email"), operation="upsert")
        address = f"/api/trips/{trip.pk}/outcome/picture?field=last_name"
        self.assertEqual(self.client_of().get(address).status_code, 422, "nothing is written yet")
        first = self.apply(trip)
        self.assertEqual((first.totals["updated"], first.totals["created"], first.totals["refused"]), (1, 1, 1))
        self.assertEqual(self.written(address), {("One", "Uno"): 1, ("", "x"): 1})
        self.edit(trip, "cell", 3, "email", text="b@example.org")
        self.edit(trip, "cell", 2, "last_name", text="Eins")
        second = self.apply(trip)
        self.assertEqual((second.totals["updated"], second.totals["refused"]), (2, 0))
        self.assertEqual(self.written(address), {("One", "Uno"): 1, ("One", "Eins"): 1, ("", "x"): 1}, "both passes")
        picture = self.client_of().get(address).json()
        self.assertEqual((picture["before"]["filled"], picture["after"]["filled"]), (3, 4))

    def written(self, address: str) -> dict[tuple[str, str], int]:
        picture = self.client_of().get(address).json()
        return {(one["old"], one["new"]): one["count"] for one in picture["changes"]}

    def test_an_edit_reaches_the_rows_that_are_shown_and_no_others(self) -> None:
        trip = self.given()
        shown = {"column": "last_name", "change": json.dumps(["One", "Uno"])}
        made = self.client_of().post(
            f"/api/trips/{trip.pk}/edits",
            {"kind": "replace", "column": "c1", "replace": {"find": "o", "put": "0"}, "shown": shown},
            content_type="application/json",
            headers={"If-Match": f'"{trip.version}"'},
        )
        self.assertLess(made.status_code, 300, made.content)
        trip.refresh_from_db()
        self.plan(trip)
        texts = [one["proposed.last_name"] for one in self.table(trip).iter_rows(named=True)]
        self.assertEqual(texts[:4], ["Un0", "Un0", "Due", "Three"])

    def test_whatever_narrows_the_rows_narrows_the_edits(self) -> None:
        self.assertEqual(set(ShownSerializer().fields), {field.name for field in fields(Wanted)})
