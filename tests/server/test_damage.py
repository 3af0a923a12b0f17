"""Sheets that a spreadsheet program opened and saved: what it did to them is found, and put back to what went out."""

from __future__ import annotations

import shutil
import subprocess
import unittest
from pathlib import Path
from typing import Any
from unittest import mock

from tests.server.services import ServiceCase
from tests.support import register, template, temporary_folder

template()

from vexo.server.applications.services import describe  # noqa: E402
from vexo.server.data_folder import absolute  # noqa: E402
from vexo.server.jobs.worker import enqueue, run_inline  # noqa: E402
from vexo.server.rows.edit_requests import EditRequest, make_edit  # noqa: E402
from vexo.server.trips.part_view import PartView  # noqa: E402

OFFICE = shutil.which("soffice")
AS_ENGLISH = "CSV:44,34,76,1,,2057"
"""Text read as UTF-8, commas between cells, as people in Britain write days."""


def saved_again(paths: list[Path], ending: str, reading: str = "") -> list[Path]:
    """Files opened and saved by a spreadsheet program."""
    folder, profile = temporary_folder(), temporary_folder()
    command = [str(OFFICE), f"-env:UserInstallation=file://{profile}", "--headless"]
    command += [f"--infilter={reading}"] if reading else []
    command += ["--convert-to", ending, "--outdir", str(folder), *map(str, paths)]
    subprocess.run(command, capture_output=True, timeout=600, check=True)
    return [folder / path.with_suffix(f".{ending}").name for path in paths]


class DamageCase(ServiceCase):
    def sent(self, record_type: str, fields: list[str], where: str, format_: str = "xlsx") -> tuple[Any, Path]:
        from vexo.server.sendout.send_out import new_trip

        trip = new_trip(self.practice, record_type, "ada", fields, where, record_type)
        job = run_inline(enqueue("send out", "ada", PartView.of(trip), run_here=True, format=format_))
        self.assertEqual(job.error, "")
        return trip, absolute(job.result["file"])

    def damage(self, trip: Any) -> dict[tuple[str, str], tuple[int, int]]:
        """How many cells, and how many repairs, of each kind and header."""
        trip.refresh_from_db()
        return {(d["kind"], d["header"]): (d["count"], d["repairs"]) for d in self.newest(trip).summary["damage"]}

    def repair(self, trip: Any) -> None:
        asked = {"kind": "repair", "plan": self.newest(trip).number, "damage": "", "column": ""}
        self.assertEqual(
            run_inline(make_edit(PartView.of(trip), self.person, EditRequest.of(asked), run_here=True)[1]).error, ""
        )
        trip.refresh_from_db()

    def harmed(self, path: Path, *pairs: tuple[str, str]) -> Path:
        content = path.read_text(encoding="utf-8-sig")
        for was, now in pairs:
            self.assertIn(was, content)
            content = content.replace(was, now)
        return self.text(content, path.name)


class ByHand(DamageCase):
    def test_a_harmed_cell_that_would_be_sent_holds_its_row_until_it_is_put_back_or_meant(self) -> None:
        trip, path = self.sent("Berth", ["notes"], "harbour eq 'EELGRASS' and startswith(berth_no,'A-00')", "csv")
        lines = path.read_text(encoding="utf-8-sig").splitlines()
        long = "1234567890123456"
        for line in lines[1:3]:
            register().change(f"Berths({line.split(',')[0]})", notes=long)
        trip, path = self.sent("Berth", ["notes"], "harbour eq 'EELGRASS' and startswith(berth_no,'A-00')", "csv")
        harmed = self.harmed(path, (long, "1.23457E+15"))
        self.assertEqual(self.back(harmed, trip=str(trip.pk)).error, "")
        trip.refresh_from_db()
        self.assertEqual((self.verdicts(trip)[:2], self.codes(trip)[:2]), (["held"] * 2, [["damaged"]] * 2))
        self.decide(trip, "file", [0])
        self.assertEqual(self.verdicts(trip)[:2], ["update", "held"])
        self.apply(trip)
        records = [line.split(",")[0] for line in lines[1:3]]
        notes = [register().get(f"Berths({record})")["notes"] for record in records]
        self.assertEqual(notes, ["1.23457E+15", long])
        self.plan(trip)
        self.repair(trip)
        self.assertEqual(self.verdicts(trip)[1], "same")

    def test_lost_zeros_of_a_key_are_found_without_the_record_and_repaired(self) -> None:
        trip, path = self.sent("Holder", ["holder_no", "last_name", "phone"], "endswith(holder_no,'44')", "csv")
        lines = path.read_text(encoding="utf-8-sig").splitlines()
        own = [line.split(",") for line in lines]
        at = own[0].index("Holder no.")
        content = "\n".join(",".join(c for n, c in enumerate(cells) if n) for cells in own)
        first = own[1][at]
        self.assertTrue(first.startswith("0"))
        stripped = "\n".join(
            ",".join([*c[: at - 1], c[at - 1].lstrip("0"), *c[at:]]) if n else ",".join(c)
            for n, c in enumerate(line.split(",") for line in content.splitlines())
        )
        job = self.back(self.text(stripped, path.name), record_type="Holder", trip=str(trip.pk), key=["holder_no"])
        self.assertEqual(job.error, "")
        rows = len(lines) - 1
        self.assertEqual(self.terms(trip), {"rejected": rows})
        self.assertEqual(self.damage(trip)["lost-zeros", "Holder no."], (rows, rows))
        self.repair(trip)
        self.assertEqual((self.terms(trip), self.damage(trip)), ({"same": rows}, {}))

    def test_each_group_is_repaired_by_itself_and_a_repair_is_an_edit_that_can_be_undone(self) -> None:
        trip, path = self.out("K", "daily_rate", "notes", format_="csv")
        rows = path.read_text(encoding="utf-8-sig").splitlines()
        number = len(rows) - 1
        self.assertGreater(number, 3)
        job = self.back(path)
        self.assertEqual((job.error, self.damage(trip)), ("", {}))
        broken = self.harmed(path, (rows[1].split(",")[2], f"{rows[1].split(',')[2]}\u00a0"))
        self.assertEqual(self.back(broken).error, "")
        self.assertEqual(self.damage(trip), {("spaces", "Berth no."): (1, 1)})
        self.repair(trip)
        self.assertEqual(self.damage(trip), {})
        from vexo.server.edits import edits
        from vexo.server.trips.models import Edit

        made = Edit.listed(trip)[0]
        self.assertEqual((made.kind, made.words), ("repair", "Repaired all that was damaged"))
        run_inline(edits.undo(PartView.of(trip), self.person, made.pk, run_here=True))
        self.assertEqual(len(self.damage(trip)), 1)

    def test_damage_stays_told_after_a_decision_without_a_search_and_is_searched_where_cells_or_records_changed(
        self,
    ) -> None:
        from vexo.server.decisions.decisions import Scope, decide
        from vexo.server.planning.damage import DamageSearch

        trip, path = self.out("H", "daily_rate", "notes", format_="csv")
        rows = path.read_text(encoding="utf-8-sig").splitlines()
        code = rows[1].split(",")[2]
        self.assertEqual(self.back(self.harmed(path, (code, f"{code}\u00a0"))).error, "")
        one = {("spaces", "Berth no."): (1, 1)}

        def searched(job: Any) -> int:
            with mock.patch.object(DamageSearch, "run", autospec=True, side_effect=DamageSearch.run) as run:
                self.assertEqual(run_inline(job).error, "")
            trip.refresh_from_db()
            return run.call_count

        view = PartView.of(trip)
        _, job = decide(view, self.person, self.newest(trip).number, Scope(rows=(1,)), "aside", run_here=True)
        self.assertEqual((searched(job), self.damage(trip)), (0, one))
        put = {"kind": "cell", "column": "c2", "row_id": 0, "text": code}
        self.assertEqual(
            (searched(make_edit(view, self.person, EditRequest.of(put), run_here=True)[1]), self.damage(trip)), (1, {})
        )
        _, job = decide(view, self.person, self.newest(trip).number, Scope(rows=(1,)), "again", run_here=True)
        self.assertEqual((searched(job), self.damage(trip)), (0, {}))
        self.assertEqual(searched(enqueue("plan", "ada", view, run_here=True, fresh=True)), 1)

    def test_damage_that_no_pass_would_send_is_said_to_be_meant_too(self) -> None:
        trip, path = self.sent("Berth", ["notes"], "harbour eq 'EELGRASS' and startswith(berth_no,'A-00')", "csv")
        lines = path.read_text(encoding="utf-8-sig").splitlines()
        register().change(f"Berths({lines[1].split(',')[0]})", notes="a  b")
        trip, path = self.sent("Berth", ["notes"], "harbour eq 'EELGRASS' and startswith(berth_no,'A-00')", "csv")
        register().change(f"Berths({lines[1].split(',')[0]})", notes="a b")
        self.assertEqual(self.back(self.harmed(path, ("a  b", "a b")), trip=str(trip.pk)).error, "")
        trip.refresh_from_db()
        self.assertEqual(set(self.verdicts(trip)), {"same"})
        done = self.vexo.run("--as", "ada", "open", str(trip.pk))
        self.assertEqual(done.returncode, 1)
        self.assertIn(f"They are meant: vexo decide {trip.pk} 'file' --code damaged --field notes", done.stderr)
        decided = self.vexo.run("--as", "ada", "decide", str(trip.pk), "file", "--code", "damaged", "--field", "notes")
        self.assertEqual((decided.returncode, self.vexo.run("--as", "ada", "open", str(trip.pk)).returncode), (0, 0))
        self.assertEqual(self.newest_damage(trip), [(1, 1)])
        self.plan(trip)
        self.assertEqual(self.newest_damage(trip), [(1, 1)])
        self.decide(trip, "again", code="damaged", field="notes")
        self.assertEqual(self.newest_damage(trip), [(1, 0)])

    def newest_damage(self, trip: Any) -> list[tuple[int, int]]:
        """Of each kind how many cells, and how many are meant."""
        trip.refresh_from_db()
        return [(one["count"], one["meant"]) for one in self.newest(trip).summary["damage"]]

    def test_a_strange_sheet_is_held_against_the_plain_pattern_of_its_field(self) -> None:
        trip = self.bring(
            "holder_no,last_name\n20418,#REF!\n1,JosÃ©\n0000002,x\n",
            record_type="Holder",
            key=["holder_no"],
            # Other modules give holders of practice numbers of their own, and then the field has no pattern there.
            application=self.live,
        )
        told = self.damage(trip)
        self.assertEqual(told["lost-zeros", "holder_no"], (2, 2))
        self.assertEqual(told["error", "last_name"], (1, 0))
        self.assertEqual(told["accents", "last_name"], (1, 1))

    def test_cells_for_reading_that_were_edited_are_told(self) -> None:
        trip, path = self.out("F", "daily_rate", "balance_due")
        changed = self.edited(path, lambda sheet: setattr(sheet.cell(2, 5), "value", 1234.5))
        self.assertEqual(self.back(changed).error, "")
        self.assertEqual(self.damage(trip), {("read-only", "Balance due"): (1, 0)})


@unittest.skipUnless(OFFICE, "no spreadsheet program is installed")
class BySpreadsheet(DamageCase):
    def test_clean_sheets_of_every_type_raise_no_alarm(self) -> None:
        from vexo.core.documents import default_fields

        some = {"Contract": "endswith(contract_no,'55')"}
        some |= {"Berth": "harbour eq 'OLDBASIN' and daily_rate gt 60", "GateFob": "harbour eq 'TERNISLAND'"}
        some |= {"Holder": "endswith(holder_no,'44')", "Vessel": "endswith(registration,'55')"}
        every = [one for one in describe(self.practice).types if one.name != "Reading"]
        for format_, ending in (("xlsx", "ods"), ("ods", "xlsx")):
            types = every if format_ == "xlsx" else [one for one in every if one.name in ("Berth", "Vessel")]
            sent = [self.sent(one.name, default_fields(one), some.get(one.name, ""), format_) for one in types]
            again = saved_again([path for _, path in sent], ending)
            for record_type, (trip, _), path in zip(types, sent, again, strict=True):
                with self.subTest(record_type.name, sent=format_, saved=ending):
                    job = self.back(path, record_type=record_type.name, trip=str(trip.pk))
                    self.assertEqual(job.error, "")
                    self.assertEqual((set(self.terms(trip)), self.damage(trip)), ({"same"}, {}))

    def test_what_it_did_to_a_delimited_sheet_is_put_back_to_what_went_out(self) -> None:
        fields = ["fob_no", "print_no", "holder", "harbour", "master"]
        for ending, reading in (("xlsx", AS_ENGLISH), ("ods", "")):
            with self.subTest(ending, reading=reading):
                trip, path = self.sent("GateFob", fields, "harbour eq 'TERNISLAND'", "csv")
                (again,) = saved_again([path], ending, reading)
                job = self.back(again, record_type="GateFob", trip=str(trip.pk))
                self.assertEqual(job.error, "")
                found = self.damage(trip)
                self.assertTrue({kind for kind, _ in found} >= {"lost-zeros"}, found)
                self.assertTrue(all(count == repairs for count, repairs in found.values()), found)
                self.repair(trip)
                self.assertEqual((set(self.terms(trip)), self.damage(trip)), ({"same"}, {}))
