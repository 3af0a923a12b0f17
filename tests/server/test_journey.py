from __future__ import annotations

import csv
import unittest
from decimal import Decimal
from pathlib import Path
from typing import Any
from unittest.mock import patch

import openpyxl

from tests.core.examples import read_here
from tests.support import Vexo, register

FIELDS = ("daily_rate", "services", "status", "holder", "notes")


def chosen(*names: str) -> list[str]:
    return [part for name in names for part in ("--field", name)]


class Sheet:
    """A sheet in either format, changed with another library."""

    def __init__(self, path: Path) -> None:
        self.path = path
        if path.suffix == ".xlsx":
            self.book = openpyxl.load_workbook(path)
            self.rows: list[list[Any]] = [[cell.value for cell in row] for row in self.book.active.iter_rows()]
        else:
            with path.open(encoding="utf-8-sig", newline="") as file:
                self.rows = list(csv.reader(file))
        self.header = self.rows[0]

    def find(self, berth_no: str) -> int:
        """The person's row number."""
        at = self.header.index("Berth no.")
        return next(n for n, row in enumerate(self.rows, 1) if row[at] == berth_no)

    def set(self, row: int, label: str, value: Any) -> None:
        at = self.header.index(label)
        self.rows[row - 1][at] = value
        if self.path.suffix == ".xlsx":
            cell = self.book.active.cell(row, at + 1)
            cell.value = value
            if isinstance(value, str):
                cell.data_type = "s"

    def save(self) -> None:
        if self.path.suffix == ".xlsx":
            self.book.save(self.path)
        else:
            with self.path.open("w", encoding="utf-8-sig", newline="") as file:
                csv.writer(file).writerows(self.rows)


class Journey(unittest.TestCase):
    """The whole round by the command line, against the running register, in both formats."""

    vexo: Vexo

    @classmethod
    def setUpClass(cls) -> None:
        cls.vexo = Vexo()
        cls.enterClassContext(patch("vexo.server.uploads.upload_cells.read_sheet", read_here))

    def send_out(self, name: str, where: str, *fields: str) -> tuple[int, Sheet]:
        path = self.vexo.files / name
        out = self.vexo.json(
            "send-out", "harbour-practice", "Berth", *chosen(*fields), "--where", where, "-o", str(path)
        )
        return out["trip"], Sheet(path)

    def bring_in(self, sheet: Sheet, *more: str, code: int = 0) -> Any:
        return self.vexo.json("bring-in", "harbour-practice", "Berth", str(sheet.path), *more, code=code)

    def journey(self, ending: str, letter: str) -> None:
        where = f"harbour eq 'NORTHHAVEN' and startswith(berth_no,'{letter}-0')"
        trip, sheet = self.send_out(f"journey.{ending}", where, *FIELDS)
        free = [
            r
            for r in register().get("Berths", **{"$filter": where})["value"]
            if r["status"] == "free" and r["daily_rate"]
        ]
        dearer, shorter, lonely = free[0], free[1], free[2]
        dear = str(Decimal(dearer["daily_rate"]) + Decimal("1.25"))
        changes = {
            (dearer["berth_no"], "Daily rate"): dear,
            (shorter["berth_no"], "Services"): "crane; water",
            (shorter["berth_no"], "Notes"): "=not a formula",
            (lonely["berth_no"], "Status"): "let",
        }
        for (berth_no, label), value in changes.items():
            sheet.set(
                sheet.find(berth_no), label, float(value) if label == "Daily rate" and ending == "xlsx" else value
            )
        sheet.save()
        brought = self.bring_in(sheet)
        self.assertEqual(brought["trip"], trip)
        self.assertEqual(brought["verdicts"]["update"], 3)
        self.assertEqual(brought["verdicts"]["same"], brought["rows"] - 3)
        lines = self.vexo.json("review", str(trip))["lines"]
        cells = {
            (line["row"], name): (cell["current"], cell["proposed"])
            for line in lines
            for name, cell in line["cells"].items()
        }
        self.assertEqual(
            cells,
            {
                (sheet.find(dearer["berth_no"]), "daily_rate"): (dearer["daily_rate"], dear),
                (sheet.find(shorter["berth_no"]), "services"): ("; ".join(shorter["services"]) or None, "water; crane"),
                (sheet.find(shorter["berth_no"]), "notes"): (shorter["notes"], "=not a formula"),
                (sheet.find(lonely["berth_no"]), "status"): ("free", "let"),
            },
        )
        shown = self.vexo.run("review", str(trip)).stdout
        self.assertIn(f"→ {dear}", shown)
        applied = self.vexo.json("apply", str(trip), "--yes", code=1)
        self.assertEqual(applied["outcome"], {"created": 0, "updated": 2, "deleted": 0, "refused": 1, "unclear": 0})
        self.assertEqual((applied["read_back"]["records"], applied["read_back"]["as_sent"]), (2, 2))
        self.assertEqual((sum(applied["sum"].values()), applied["rows"]), (brought["rows"], 3))
        outcome = self.vexo.run(
            "outcome",
            str(trip),
            "--rejects",
            str(self.vexo.files / "not-in.csv"),
            "--receipt",
            str(self.vexo.files / "receipt.xlsx"),
        )
        self.assertIn("A let berth needs a holder.", outcome.stdout)
        left = Sheet(self.vexo.files / "not-in.csv")
        self.assertEqual((len(left.rows), left.rows[1][-1]), (2, "A let berth needs a holder."))
        receipt = Sheet(self.vexo.files / "receipt.xlsx")
        self.assertEqual(len(receipt.rows), brought["rows"] + 1)
        line = receipt.rows[sheet.find(dearer["berth_no"]) - 1]
        self.assertEqual(line[receipt.header.index("Daily rate, now")], dear)
        self.assertEqual(register().berth("NORTHHAVEN", dearer["berth_no"])["daily_rate"], dear)
        self.assertEqual(register().berth("NORTHHAVEN", shorter["berth_no"])["notes"], "=not a formula")
        self.assertEqual(register().berth("NORTHHAVEN", lonely["berth_no"])["status"], "free")
        nothing = self.bring_in(sheet)
        self.assertEqual((nothing["trip"], nothing["verdicts"]["update"]), (trip, 1))

    def test_a_delimited_sheet_that_fits_two_trips_is_asked_about(self) -> None:
        where = "harbour eq 'NORTHHAVEN' and startswith(berth_no,'H-')"
        first, _ = self.send_out("twice.csv", where, "notes")
        second, sheet = self.send_out("twice.csv", where, "notes")
        said = self.vexo.fails("bring-in", "harbour-practice", "Berth", str(sheet.path))
        self.assertIn(f"trip {second} sent them out", said)
        self.assertIn(f"trip {first} sent them out", said)

    def test_xlsx(self) -> None:
        self.journey("xlsx", "A")

    def test_csv(self) -> None:
        self.journey("csv", "B")

    def test_an_unedited_sheet_writes_nothing_also_after_a_colleague_changed_records(self) -> None:
        for ending, letter in (("xlsx", "C"), ("csv", "D")):
            where = f"harbour eq 'NORTHHAVEN' and startswith(berth_no,'{letter}-')"
            _, sheet = self.send_out(f"unedited.{ending}", where, *FIELDS)
            register().change(
                f"Berths({register().berth('NORTHHAVEN', f'{letter}-007')['id']})", notes="by a colleague"
            )
            brought = self.bring_in(sheet)
            self.assertEqual(brought["verdicts"]["same"], brought["rows"])
            done = self.vexo.run("apply", str(brought["trip"]), "--yes")
            self.assertEqual(done.returncode, 0)
            self.assertIn("Nothing to write", done.stderr)

    def test_an_edit_is_written_and_the_colleagues_stays_but_the_same_field_is_held(self) -> None:
        where = "harbour eq 'NORTHHAVEN' and startswith(berth_no,'E-')"
        trip, sheet = self.send_out("colleague.xlsx", where, "daily_rate", "notes")
        for berth_no, rate in (("E-010", 51.5), ("E-011", 52.5)):
            sheet.set(sheet.find(berth_no), "Daily rate", rate)
        sheet.save()
        for berth_no, values in (
            ("E-010", {"notes": "theirs"}),
            ("E-011", {"daily_rate": 60, "flat_season_rate": None}),
        ):
            register().change(f"Berths({register().berth('NORTHHAVEN', berth_no)['id']})", **values)
        brought = self.bring_in(sheet, code=1)
        self.assertEqual((brought["verdicts"]["update"], brought["verdicts"]["held"]), (1, 1))
        self.vexo.json("apply", str(trip), "--yes", code=1)
        first, second = register().berth("NORTHHAVEN", "E-010"), register().berth("NORTHHAVEN", "E-011")
        self.assertEqual((first["daily_rate"], first["notes"]), ("51.50", "theirs"))
        self.assertEqual(second["daily_rate"], "60.00")

    def test_a_field_changed_between_review_and_apply_is_refused_others_are_not_in_the_way(self) -> None:
        where = "harbour eq 'NORTHHAVEN' and startswith(berth_no,'F-')"
        trip, sheet = self.send_out("meanwhile.xlsx", where, "notes", "ring_no")
        for berth_no in ("F-010", "F-011"):
            sheet.set(sheet.find(berth_no), "Notes", "ours")
        sheet.save()
        self.assertEqual(self.bring_in(sheet)["verdicts"]["update"], 2)
        register().change(f"Berths({register().berth('NORTHHAVEN', 'F-010')['id']})", notes="theirs")
        register().change(f"Berths({register().berth('NORTHHAVEN', 'F-011')['id']})", depth_m=2)
        applied = self.vexo.json("apply", str(trip), "--yes", code=1)
        self.assertEqual((applied["outcome"]["updated"], applied["outcome"]["refused"]), (1, 1))
        self.assertIn("changed by someone else", self.vexo.run("outcome", str(trip)).stdout)
        self.assertEqual(register().berth("NORTHHAVEN", "F-010")["notes"], "theirs")
        self.assertEqual(register().berth("NORTHHAVEN", "F-011")["notes"], "ours")

    def test_create_upsert_and_delete(self) -> None:
        path = self.vexo.files / "new.csv"
        path.write_text(
            "harbour;berth_no;length_m;holder\nNORTHHAVEN;Y-01;9;0020418\nNORTHHAVEN;Y-02;9.5;\nNORTHHAVEN;Y-03;8;nobody\n"
        )
        sheet = Sheet.__new__(Sheet)
        sheet.path = path
        made = self.bring_in(sheet, "--operation", "upsert", "--key", "harbour", "--key", "berth_no", code=1)
        self.assertEqual((made["verdicts"]["create"], made["verdicts"]["rejected"]), (2, 1))
        self.vexo.json("apply", str(made["trip"]), "--yes", code=1)
        self.assertEqual(register().berth("NORTHHAVEN", "Y-01")["length_m"], "9.0")
        path.write_text("harbour;berth_no\nNORTHHAVEN;Y-01\nNORTHHAVEN;Y-02\n")
        gone = self.bring_in(sheet, "--operation", "delete", "--key", "harbour", "--key", "berth_no", "--trip", "new")
        self.assertEqual(gone["verdicts"]["delete"], 2)
        self.assertEqual(self.vexo.json("apply", str(gone["trip"]), "--yes", "--delete", "2")["outcome"]["deleted"], 2)
        self.assertEqual(register().get("Berths", **{"$filter": "startswith(berth_no,'Y-')"})["value"], [])

    def test_exact_values_through_the_registers_own_storage(self) -> None:
        numbers = {"amount": "12345678901234.56", "nights": None}
        contract = register().get("Contracts", **{"$top": "1", "$filter": "kind eq 'seasonal'"})["value"][0]
        with register().client() as client:
            body = f'{{"amount": {numbers["amount"]}}}'
            client.patch(
                f"Contracts({contract['id']})", content=body, headers={"Content-Type": "application/json"}
            ).raise_for_status()
        where = f"contract_no eq '{contract['contract_no']}'"
        for ending in ("xlsx", "csv"):
            with self.subTest(ending):
                path = self.vexo.files / f"exact.{ending}"
                command = ("Contract", *chosen("amount", "holder"), "--where", where, "-o", str(path))
                trip = str(self.vexo.json("send-out", "harbour-practice", *command)["trip"])
                sheet = Sheet(path)
                at = sheet.header.index("Amount")
                self.assertEqual(sheet.rows[1][at], "12345678901234.56")
                holder = sheet.rows[1][sheet.header.index("Holder")]
                self.assertRegex(holder, r"^00\d{5}$")
                same = self.vexo.json("bring-in", "harbour-practice", "Contract", str(path), "--trip", trip)
                self.assertEqual(same["verdicts"]["same"], 1)
                sheet.rows[1][at] = "12345678901234.57"
                sheet.set(2, "Amount", "12345678901234.57")
                sheet.set(2, "Holder", "0020418")
                sheet.save()
                back = self.vexo.json("bring-in", "harbour-practice", "Contract", str(path), "--trip", trip)
                self.assertEqual(back["verdicts"]["update"], 1)
                self.vexo.json("apply", str(back["trip"]), "--yes")
                now = register().get(f"Contracts({contract['id']})", **{"$expand": "to_holder($select=holder_no)"})
                self.assertEqual((now["amount"], now["to_holder"]["holder_no"]), ("12345678901234.57", "0020418"))
                register().change(f"Contracts({contract['id']})", holder=contract["holder"])
                with register().client() as client:
                    body = f'{{"amount": {numbers["amount"]}}}'
                    client.patch(
                        f"Contracts({contract['id']})", content=body, headers={"Content-Type": "application/json"}
                    )
        where = "harbour eq 'NORTHHAVEN' and berth_no eq 'G-001'"
        register().change(f"Berths({register().berth('NORTHHAVEN', 'G-001')['id']})", depth_m=0.5)
        for ending, value in (("xlsx", 0.1), ("csv", "0.1")):
            trip_, sheet = self.send_out(f"tenth.{ending}", where, "depth_m")
            sheet.set(2, "Depth at low water, m", value)
            sheet.save()
            back = self.bring_in(sheet, "--trip", str(trip_))
            self.assertEqual(back["verdicts"]["update"], 1)
            self.vexo.json("apply", str(back["trip"]), "--yes")
            self.assertEqual(register().berth("NORTHHAVEN", "G-001")["depth_m"], "0.10")
            register().change(f"Berths({register().berth('NORTHHAVEN', 'G-001')['id']})", depth_m=0.5)
