from __future__ import annotations

import sqlite3
import unittest

from tests.server.test_journey import Sheet, chosen
from tests.support import BIN, Vexo, kill, register, start, wait_until

ROWS = 1000


class KilledWorker(unittest.TestCase):
    """A worker is killed in the middle of a run; another takes over, and every row is written once."""

    def setUp(self) -> None:
        self.vexo = Vexo()

    def one(self, sql: str) -> object:
        with sqlite3.connect(f"file:{self.vexo.data / 'vexo.db'}?mode=ro", uri=True) as database:
            return database.execute(sql).fetchone()[0]

    def worker(self) -> object:
        environment = {"VEXO_DATA": str(self.vexo.data), "VEXO_LEASE_SECONDS": "2"}
        return start(str(BIN / "vexo"), "worker", log=self.vexo.data / "worker.log", **environment)

    def test_every_row_once(self) -> None:
        path = self.vexo.files / "many.csv"
        self.vexo.json("send-out", "harbour-live", "Contract", *chosen("nights", "amount"), "-o", str(path))
        sheet = Sheet(path)
        del sheet.rows[ROWS + 1 :]
        at = sheet.header.index("Amount")
        for row in sheet.rows[1:]:
            row[at] = str(float(row[at]) + 1)
        sheet.save()
        brought = self.vexo.json("bring-in", "harbour-live", "Contract", str(path))
        self.assertEqual(brought["verdicts"]["update"], ROWS)
        register().trouble("slow", times=100_000, seconds=0.1)
        self.addCleanup(register().trouble, "none")
        from vexo.server.passes.starting import start_pass
        from vexo.server.people.models import Person, Role
        from vexo.server.trips.models import Trip

        person = Person(username="tester", name="Tester", role=Role.ADMINISTRATOR)
        start_pass(Trip.objects.get(pk=brought["trip"]), person, brought["plan"])
        first = self.worker()
        wait_until(
            lambda: self.one("select count(*) from passes_batch where state = 'answered'") >= 3, what="three batches"
        )
        kill(first)
        between = self.one("select count(*) from passes_batch where state = 'answered'")
        self.assertLess(between, ROWS / 200)
        register().trouble("none")
        second = self.worker()
        wait_until(lambda: self.one("select state from jobs_job where kind='apply'") == "done", what="the run")
        kill(second)
        self.assertEqual(self.one("select attempt from jobs_job where kind='apply'"), 2)
        terms = self.vexo.json("outcome", str(brought["trip"]))["sum"]
        self.assertEqual((terms["updated"], sum(terms.values())), (ROWS, ROWS))
        numbers = {row[sheet.header.index("Contract no.")]: row[at] for row in sheet.rows[1:]}
        records = []
        url = "Contracts?$select=contract_no,amount,id"
        with register().client(stage="live") as client:
            while url:
                page = client.get(url).json()
                records += page["value"]
                url = page.get("@odata.nextLink")
        written = [r for r in records if r["contract_no"] in numbers]
        self.assertEqual({r["@odata.etag"] for r in written}, {'W/"2"'})
        self.assertTrue(all(float(numbers[r["contract_no"]]) == r["amount"] for r in written))

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
