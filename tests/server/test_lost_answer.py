from __future__ import annotations

import unittest

from tests.support import Vexo, register


class LostAnswer(unittest.TestCase):
    def setUp(self) -> None:
        self.vexo = Vexo()

    def test_an_answer_lost_after_the_register_saved_is_settled_by_reading(self) -> None:
        path = self.vexo.files / "lost.csv"
        path.write_text("holder_no,last_name,email\n0900001,Plover,p1@example.org\n0900002,Curlew,p2@example.org\n")
        made = self.vexo.json(
            "bring-in", "harbour-live", "Holder", str(path), "--operation", "upsert", "--key", "holder_no"
        )
        self.assertEqual(made["verdicts"]["create"], 2)
        register().trouble("dropping")
        self.addCleanup(register().trouble, "none")
        applied = self.vexo.json("apply", str(made["trip"]), "--yes")
        self.assertEqual(applied["outcome"]["created"], 2)
        found = register().get("Holders", "live", **{"$filter": "startswith(holder_no,'09000')"})["value"]
        self.assertEqual([h["holder_no"] for h in found], ["0900001", "0900002"])
