from __future__ import annotations

import unittest

from tests.core.examples import BERTH, plan, records
from vexo.core.applying import Write, batches, changed_meanwhile, differences, judge, writes_of
from vexo.core.columns.matching import MappingError, match_columns
from vexo.core.columns.references import make_lookup, resolve
from vexo.core.keys.finding import KeyError_, check_key, suggest_key
from vexo.core.keys.near import near_keys
from vexo.core.planning import Operation, Verdict
from vexo.core.records import UnknownName
from vexo.core.sheets import Column, SheetProfile, Stamp

from tests.core.examples import CATALOGUE, HOLDER  # isort: skip
import polars as pl  # isort: skip

NAMES = ["code", "rate", "name"]


class Writes(unittest.TestCase):
    made = plan(
        NAMES,
        [("A", "7", "n"), ("X", "1", "new"), ("B", "6", "n")],
        [("1", "v1", "A", "5", "n"), ("2", "v1", "B", "6", "n")],
        operation=Operation.UPSERT,
    )

    def test_a_row_writes_only_what_changed(self) -> None:
        writes = writes_of(self.made, NAMES)
        self.assertEqual(
            [(w.row, w.verdict.value, w.identifier, w.version) for w in writes],
            [(3, "create", None, None), (2, "update", "1", "v1")],
        )
        self.assertEqual([list(w.values) for w in writes], [["code", "rate", "name"], ["rate"]])

    def test_batches_hold_every_write_once(self) -> None:
        writes = [Write(n, Verdict.UPDATE, str(n), "v", {}) for n in range(450)]
        parts = list(batches(writes, 200))
        self.assertEqual([len(part) for part in parts], [200, 200, 50])
        self.assertEqual([w.row for part in parts for w in part], list(range(450)))


class Judging(unittest.TestCase):
    """What a record read again says of a write in doubt."""

    write = Write(2, Verdict.UPDATE, "1", "v1", {"rate": 7})
    reviewed = {"old.rate": 5, "old.code": "A", "old.name": "n"}

    def judged(self, now: dict[str, object] | None, write: Write | None = None) -> str:
        return judge(write or self.write, self.reviewed, now, ["code"], BERTH).verdict

    def test_written_already(self) -> None:
        self.assertEqual(self.judged({"rate": 7, "code": "A", "@version": "v2"}), "done")

    def test_only_other_fields_changed(self) -> None:
        self.assertEqual(self.judged({"rate": 5, "code": "A", "@version": "v2"}), "again")

    def test_this_field_or_the_key_changed(self) -> None:
        self.assertEqual(self.judged({"rate": 6, "code": "A", "@version": "v2"}), "changed")
        self.assertEqual(self.judged({"rate": 5, "code": "B", "@version": "v2"}), "changed")
        answer = changed_meanwhile(self.write, ["rate"], BERTH)
        self.assertEqual((answer.state, answer.field), ("refused", "rate"))
        self.assertIn("Daily rate", answer.reason or "")

    def test_gone(self) -> None:
        self.assertEqual(self.judged(None), "gone")
        self.assertEqual(self.judged(None, Write(2, Verdict.DELETE, "1", "v1", {})), "done")

    def test_a_delete_of_a_changed_record_is_not_sent_again(self) -> None:
        delete = Write(2, Verdict.DELETE, "1", "v1", {})
        self.assertEqual(self.judged({"code": "A", "@version": "v2"}, delete), "changed")
        self.assertEqual(self.judged({"code": "A", "@version": "v1"}, delete), "again")

    def test_read_back_finds_what_is_not_as_sent(self) -> None:
        made = plan(["code", "rate"], [("A", "7"), ("B", "8")], [("1", "v", "A", "5"), ("2", "v", "B", "5")])
        now = records(["code", "rate"], ("1", "v", "A", "7.0"), ("2", "v", "B", "8.10"))
        wrong = differences(made, now, [BERTH.field("rate")])
        self.assertEqual(wrong.rows(), [(3, "rate", "8.00", "8.10")])


def profile(*headers: str) -> SheetProfile:
    columns = tuple(Column(f"c{n}", header, 1, 1) for n, header in enumerate(headers))
    return SheetProfile("csv", columns, 1, 1, 0, ())


class Matching(unittest.TestCase):
    def test_by_name_and_label_in_any_writing(self) -> None:
        found = match_columns(profile("code", "DAILY_RATE", "Insured until ", "Else"), BERTH, CATALOGUE)
        self.assertEqual([m.field.name if m.field else None for m in found], ["code", "rate", "until", None])

    def test_by_stamp_where_the_header_is_another_fields_label(self) -> None:
        stamp = Stamp(1, "o", "a", "live", "Berth", (("name", "Code"),))
        self.assertEqual(match_columns(profile("Code"), BERTH, CATALOGUE, stamp)[0].how, "stamp")

    def test_two_columns_for_one_field_name_both(self) -> None:
        with self.assertRaises(MappingError) as caught:
            match_columns(profile("Code", "code"), BERTH, CATALOGUE)
        self.assertIn("'Code' and 'code'", str(caught.exception))

    def test_what_a_person_says_comes_first(self) -> None:
        found = match_columns(profile("Code", "Old code"), BERTH, CATALOGUE, None, {"Old code": "code", "Code": ""})
        self.assertEqual([m.carried for m in found], [False, True])
        with self.assertRaises(MappingError):
            match_columns(profile("Code"), BERTH, CATALOGUE, None, {"Cod": "code"})
        with self.assertRaises(UnknownName):
            match_columns(profile("Code"), BERTH, CATALOGUE, None, {"Code": "cde"})


class KeysAndReferences(unittest.TestCase):
    def test_the_key_must_tell_records_apart_and_be_there(self) -> None:
        with self.assertRaises(KeyError_) as caught:
            check_key(("code",), BERTH, ["rate"])
        self.assertIn("--map COLUMN=code", str(caught.exception))
        with self.assertRaises(KeyError_):
            check_key(("rate",), BERTH, ["rate"])
        check_key(("code", "rate"), BERTH, ["rate", "code"])

    def test_the_suggested_key(self) -> None:
        self.assertEqual(suggest_key(BERTH, ["id", "code"]), ("id",))
        self.assertEqual(suggest_key(BERTH, ["code", "rate"]), ("code",))
        self.assertIsNone(suggest_key(BERTH, ["rate"]))

    def test_references_by_what_people_know_or_by_id(self) -> None:
        by_number = pl.DataFrame({"number": ["0020418", "5", "5"], "@id": ["9", "10", "11"]})
        by_id = pl.DataFrame({"id": ["9"], "@id": ["9"]})
        texts = pl.Series("text", ["0020418", "5", "9", "77"])
        lookup = make_lookup(texts, HOLDER, {"number": by_number, "id": by_id})
        found, problems = resolve(pl.Series([" 0020418 ", "9", "77", "5", None]), lookup)
        self.assertEqual(found.to_list(), ["9", "9", None, None, None])
        self.assertIn("names no holder", problems[2])
        self.assertIn("more than one", problems[3])

    def test_figures_for_figures_are_not_near(self) -> None:
        there = ["12345", "AB-100", "NORTH · B-031"]
        self.assertEqual(near_keys(["12346"], there), {})
        self.assertEqual(near_keys(["AB-10O", "NORTH · B-03l", "BA-100"], there)["BA-100"], ["AB-100"])
