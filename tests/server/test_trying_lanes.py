"""A lane tried on a column before it is a rule: what it says is what the plan then does."""

from __future__ import annotations

from tests.server.test_lanes import LaneCase
from tests.support import template

template()

from django.test import Client  # noqa: E402


class Trying(LaneCase):
    def test_each_value_with_what_becomes_of_it_and_nothing_is_changed(self) -> None:
        cells = ("30,2", "30,2", "n/k", "", "9,5")
        lines = "".join(f'TERNISLAND,E-00{at},"{cell}"\n' for at, cell in enumerate(cells, 1))
        trip = self.bring(f"harbour,berth_no,LOA\n{lines}", columns={"LOA": "length_m"}, key=["harbour", "berth_no"])
        number, multiply = {"do": "number", "written": "1234,5"}, {"do": "multiply", "by": "2"}
        lane = {"source": "LOA", "treatments": [{"do": "blank", "texts": ["n/k"]}, number, multiply]}
        client = Client()
        client.force_login(self.person)
        before = client.get(f"/api/trips/{trip.pk}").json()
        body = {"name": "length_m", "column": "c2", "lane": lane}
        answer = client.post(f"/api/trips/{trip.pk}/lanes", body, content_type="application/json")
        self.assertEqual(answer.status_code, 200, answer.content)
        tried = answer.json()
        self.assertEqual((tried["different"], tried["unreadable"]), (4, 0))
        became = {one["before"]: (one["after"], one["says"], one["count"]) for one in tried["values"]}
        self.assertEqual(became["30,2"], ("60.4", "", 2))
        self.assertEqual(became["9,5"], ("19.0", "", 1))
        self.assertEqual([became[text][1] for text in ("n/k", "")], ["leave", "leave"])
        self.assertEqual([step["touched"] for step in tried["steps"]], [1, 3, 3])
        self.assertEqual(client.get(f"/api/trips/{trip.pk}").json(), before)
        lane["treatments"] = [number]
        tried = client.post(f"/api/trips/{trip.pk}/lanes", body, content_type="application/json").json()
        first = tried["values"][0]
        self.assertEqual((first["before"], first["bad"], first["after"]), ("n/k", True, None), "what fails comes first")
        self.assertEqual(tried["unreadable"], 1)
