from __future__ import annotations

import unittest
from dataclasses import replace
from decimal import Decimal
from typing import Any

from tests.core.examples import BERTH, answers, codes, plan, plan_and_questions, profile, records, verdicts
from vexo.core.columns.matches import MappingError, match_columns, refuse_conflicts
from vexo.core.columns.references import make_lookup, resolve
from vexo.core.keys.near import near_keys
from vexo.core.keys.record_keys import RecordKeyError, check_key, suggest_key
from vexo.core.operations import Operation
from vexo.core.planning.merge_base import Ledger
from vexo.core.planning.verdicts import Verdict
from vexo.core.problems import BETWEEN
from vexo.core.records import UnknownName
from vexo.core.sheets import Stamp
from vexo.core.writing import Write, WriteResult, strategy_of
from vexo.core.writing.batches import Item, freeze, writes_of
from vexo.core.writing.create import telling_key
from vexo.core.writing.ledger import outcome_of, page_of, states_of
from vexo.core.writing.read_back import differences
from vexo.core.writing.strategies import Rules
from vexo.core.writing.totals import after_totals, left_over, planned_totals

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

    def writes(self, made: pl.DataFrame) -> list[Write]:
        rows = freeze(made)
        columns = rows.select("at", "row_id", "verdict", "@id", "@version")
        return writes_of(rows, NAMES, ["code"], [Item(*line, "") for line in columns.iter_rows()])

    def test_a_row_writes_only_what_changed_and_creates_go_first(self) -> None:
        writes = self.writes(self.made)
        self.assertEqual(
            [(w.at, w.row_id, w.verdict.value, w.identifier, w.version) for w in writes],
            [(0, 1, "create", None, None), (1, 0, "update", "1", "v1")],
        )
        self.assertEqual([list(w.values) for w in writes], [["code", "rate", "name"], ["rate"]])
        self.assertEqual(writes[1].before, {"rate": Decimal("5.00"), "code": "A"})

    def test_a_delete_has_all_of_the_record_beside_it(self) -> None:
        made = plan(["code"], [("A",)], [("1", "v1", "A")], operation=Operation.DELETE)
        whole = records(["code", "rate", "name"], ("1", "v1", "A", "5", "n"))
        rows = freeze(made, whole)
        write = writes_of(rows, ["code"], ["code"], [Item(0, 0, "delete", "1", "v1", "")])[0]
        self.assertEqual((write.values, write.before["rate"], write.before["name"]), ({}, Decimal("5.00"), "n"))


class Settling(unittest.TestCase):
    """What a record read again says of a write that got no answer, or met another version."""

    update = Write(0, 0, Verdict.UPDATE, "1", "v1", {"rate": 7}, {"rate": 5, "code": "A"})
    delete = Write(0, 0, Verdict.DELETE, "1", "v1", {}, {"rate": 5, "code": "A"})
    create = Write(0, 0, Verdict.CREATE, None, None, {"code": "A", "rate": 7})
    rules = Rules(BERTH, ("code",), versions=True)

    def settled(self, write: Write, now: dict[str, object] | None, rules: Rules | None = None) -> str:
        told = strategy_of(write.verdict).settle(write, now, rules or self.rules)
        return "again" if told.result is None else f"{told.result.state} {told.result.code}".strip()

    def clashed(self, write: Write, now: dict[str, object] | None) -> str:
        told = strategy_of(write.verdict).after_clash(write, now, self.rules)
        return f"again {told.version}" if told.result is None else f"{told.result.state} {told.result.code}"

    def test_an_update_is_settled_by_reading(self) -> None:
        cases = {
            "updated": {"rate": 7, "code": "A", "@version": "v2"},
            "again": {"rate": 5, "code": "A", "@version": "v1"},
            "unclear changed-in-between": {"rate": 6, "code": "A", "@version": "v3"},
            "refused gone-meanwhile": None,
        }
        for told, now in cases.items():
            with self.subTest(told):
                self.assertEqual(self.settled(self.update, now), told)
        self.assertEqual(self.settled(self.update, {"rate": 6, "code": "A", "@version": "v1"}), "again")
        undone = {"rate": 5, "code": "A", "@version": "v3"}
        self.assertEqual(self.settled(self.update, undone), "unclear changed-in-between", "perhaps ours, then undone")
        blind = Rules(BERTH, ("code",), versions=False)
        unversioned = replace(self.update, version=None)
        self.assertEqual(self.settled(unversioned, {**undone, "@version": None}, blind), "again")

    def test_a_delete_is_settled_by_reading(self) -> None:
        self.assertEqual(self.settled(self.delete, None), "deleted")
        self.assertEqual(self.settled(self.delete, {"rate": 5, "code": "A", "@version": "v1"}), "again")
        self.assertEqual(
            self.settled(self.delete, {"rate": 5, "code": "A", "@version": "v2"}), "refused changed-meanwhile"
        )
        blind = Rules(BERTH, ("code",), versions=False)
        self.assertEqual(self.settled(self.delete, {"rate": 5, "code": "A", "@version": None}, blind), "again")
        self.assertEqual(
            self.settled(self.delete, {"rate": 6, "code": "A", "@version": None}, blind), "refused changed-meanwhile"
        )

    def test_a_create_is_settled_by_a_key_that_the_application_declares(self) -> None:
        self.assertEqual(
            self.settled(self.create, {"code": "A", "rate": 7, "@id": "9", "@version": "v"}), "created settled"
        )
        self.assertEqual(self.settled(self.create, {"code": "A", "rate": 8, "@id": "9"}), "unclear found-otherwise")
        self.assertEqual(self.settled(self.create, None), "again")
        other = Rules(BERTH, ("id",), versions=True)
        self.assertEqual(
            self.settled(self.create, {"code": "A", "rate": 7, "@id": "9"}, other), "unclear found-otherwise"
        )
        keyless = Write(0, 0, Verdict.CREATE, None, None, {"rate": 7})
        self.assertEqual(self.settled(keyless, None), "unclear no-answer")
        self.assertEqual(telling_key(BERTH, self.create), ("code",))

    def test_a_clash_goes_again_only_where_all_is_as_reviewed(self) -> None:
        self.assertEqual(self.clashed(self.update, {"rate": 5, "code": "A", "@version": "v2"}), "again v2")
        self.assertEqual(
            self.clashed(self.update, {"rate": 6, "code": "A", "@version": "v2"}), "refused changed-meanwhile"
        )
        self.assertEqual(
            self.clashed(self.update, {"rate": 5, "code": "B", "@version": "v2"}), "refused changed-meanwhile"
        )
        self.assertEqual(self.clashed(self.update, None), "refused gone-meanwhile")
        self.assertEqual(
            self.clashed(self.delete, {"rate": 5, "code": "A", "@version": "v2"}), "refused changed-meanwhile"
        )


class Ledgers(unittest.TestCase):
    """The pair K: what the sheet said, and what the application then held."""

    sheet = [("A", "7"), ("B", "6")]
    now = [("1", "v1", "A", "5"), ("2", "v1", "B", "6")]

    def page(self, *answers: WriteResult) -> Ledger:
        made = plan(["code", "rate"], self.sheet, self.now)
        fields = [BERTH.field("code"), BERTH.field("rate")]
        page = page_of(made, freeze(made), outcome_of(answers, fields), fields, 1)
        self.made, self.told = made, page
        return Ledger.merged([page])

    def again(self, ledger: Ledger, sheet: list[tuple[str, str]], now: list[tuple[str, ...]]) -> list[str]:
        return verdicts(plan(["code", "rate"], sheet, now, ledger=ledger))

    def test_a_written_cell_is_compared_on_from_what_the_answer_held(self) -> None:
        ledger = self.page(WriteResult(0, "updated", "1", "v2", values={"rate": Decimal("7.01"), "code": "A"}))
        rounded = [("1", "v2", "A", "7.01"), self.now[1]]
        self.assertEqual(self.again(ledger, self.sheet, rounded), ["same", "same"])
        theirs = [("1", "v3", "A", "9"), self.now[1]]
        self.assertEqual(self.again(ledger, self.sheet, theirs), ["same", "same"])
        self.assertEqual(self.again(ledger, [("A", "8"), self.sheet[1]], theirs), ["held", "same"])
        self.assertEqual(self.again(ledger, [("A", "8"), self.sheet[1]], rounded), ["update", "same"])

    def test_cells_found_same_have_a_pair_too(self) -> None:
        ledger = self.page(WriteResult(0, "refused", "1", code="refused"))
        theirs = [self.now[0], ("2", "v2", "B", "60")]
        self.assertEqual(self.again(ledger, self.sheet, theirs), ["update", "same"])
        self.assertEqual(self.again(ledger, [self.sheet[0], ("B", "61")], theirs), ["update", "held"])

    def test_the_sum_after_a_pass_accounts_for_every_row(self) -> None:
        self.page(WriteResult(0, "updated", "1", "v2", values={"rate": Decimal(7)}, warnings=("Looked at.",)))
        told = states_of(self.made, self.told)
        self.assertEqual(told["state"].to_list(), ["updated", "same"])
        self.assertEqual(told["warnings"].to_list(), [["Looked at."], []])
        self.assertEqual(states_of(self.made, None)["state"].to_list(), ["update", "same"])

    def test_a_row_without_an_answer_is_held_until_a_person_says(self) -> None:
        ledger = self.page(WriteResult(0, "unclear", "1", code="no-answer"))
        made, questions = plan_and_questions(["code", "rate"], self.sheet, self.now, ledger=ledger)
        self.assertEqual((verdicts(made), codes(made)[0]), (["held", "same"], ["unclear"]))
        for answer, argument, wanted in (("new", "", "update"), ("record", "1", "update")):
            said = answers(made, questions, [(2, None, answer)]).with_columns(pl.lit(argument).alias("argument"))
            told = plan(["code", "rate"], [self.sheet[0]], self.now, ledger=ledger, decisions=said)
            self.assertEqual(verdicts(told), [wanted])
        self.assertEqual(told["@id"].to_list(), ["1"])

    def test_a_row_that_made_its_record_keeps_it_though_a_later_pass_left_it_unclear(self) -> None:
        names = ["id", "rate", "name", "code"]
        sheet = [(None, "7", "n", "A")]
        more: dict[str, Any] = {"operation": Operation.UPSERT, "key": ("id",)}
        first = plan(names, sheet, [], **more)
        fields = [BERTH.field(name) for name in names[1:]]
        values = {"rate": Decimal(7), "name": "n", "code": "A"}
        pages = [
            page_of(
                first,
                freeze(first),
                outcome_of([WriteResult(0, "created", "9", "v1", values=values)], fields),
                fields,
                1,
            )
        ]
        now = [("9", "v1", "7", "n", "A")]
        edited = [(None, "8", "n", "A")]
        second = plan(names, edited, now, ledger=Ledger.merged(pages), **more)
        self.assertEqual((verdicts(second), second["@id"][0]), (["update"], "9"))
        pages.append(page_of(second, freeze(second), outcome_of([WriteResult(0, "unclear", "9")], fields), fields, 2))
        ledger = Ledger.merged(pages)
        third, questions = plan_and_questions(names, edited, now, ledger=ledger, **more)
        self.assertEqual(codes(third), [["unclear"]])
        said = answers(third, questions, [(2, None, "new")])
        self.assertEqual(verdicts(plan(names, edited, now, ledger=ledger, decisions=said, **more)), ["update"])

    def test_read_back_tells_the_applications_own_doing_from_that_of_others(self) -> None:
        made = plan(["code", "rate"], [("A", "7"), ("B", "8")], [("1", "v", "A", "5"), ("2", "v", "B", "5")])
        held = pl.Series("result.rate", [Decimal("7.10"), Decimal("8.00")], dtype=made.schema["proposed.rate"])
        sent = freeze(made).with_columns(held)
        now = records(["code", "rate"], ("1", "v", "A", "7.1"), ("2", "v", "B", "8.50"))
        own, since = differences(sent, now, [BERTH.field("rate")])
        self.assertEqual(own.select("row", "sent", "found").rows(), [(2, "7.00", "7.10")])
        self.assertEqual(since.select("row", "sent", "found").rows(), [(3, "8.00", "8.50")])

    def test_totals_are_exact_and_leave_nothing_over(self) -> None:
        made = plan(["code", "rate"], [("A", "7.25"), ("B", "6"), ("C", "x")], self.now)
        totals = planned_totals(made, [BERTH.field("rate")])["rate"]
        self.assertEqual(totals, {"sheet": "13.25", "planned": "13.25", "before": "11.00"})
        now = records(["rate"], ("1", "v", "7.25"), ("2", "v", "6"))
        self.assertEqual(after_totals(made, now, [BERTH.field("rate")]), {"rate": "13.25"})
        self.assertEqual((left_over(10, 12, 3, 1), left_over(10, 11, 3, 1, -1)), (0, 0))


class Matching(unittest.TestCase):
    def test_by_name_and_label_in_any_writing(self) -> None:
        found = match_columns(profile("code", "DAILY_RATE", "Insured until ", "Else"), BERTH, CATALOGUE)
        self.assertEqual([m.field.name if m.field else None for m in found], ["code", "rate", "until", None])

    def test_by_stamp_where_the_header_is_another_fields_label(self) -> None:
        stamp = Stamp(1, 1, "o", "a", "live", "Berth", (("name", "Code"),))
        self.assertEqual(match_columns(profile("Code"), BERTH, CATALOGUE, stamp=stamp)[0].how, "stamp")

    def test_two_columns_for_one_field_name_both(self) -> None:
        with self.assertRaises(MappingError) as caught:
            refuse_conflicts(match_columns(profile("Code", "code"), BERTH, CATALOGUE), BERTH)
        self.assertIn("'Code' and 'code'", str(caught.exception))

    def test_what_a_person_says_comes_first(self) -> None:
        found = match_columns(profile("Code", "Old code"), BERTH, CATALOGUE, chosen={"Old code": "code", "Code": ""})
        self.assertEqual([m.carried for m in found], [False, True])
        with self.assertRaises(MappingError):
            match_columns(profile("Code"), BERTH, CATALOGUE, chosen={"Cod": "code"})
        with self.assertRaises(UnknownName):
            match_columns(profile("Code"), BERTH, CATALOGUE, chosen={"Code": "cde"})


class KeysAndReferences(unittest.TestCase):
    def test_the_key_must_tell_records_apart_and_be_there(self) -> None:
        with self.assertRaises(RecordKeyError) as caught:
            check_key(("code",), BERTH, ["rate"])
        self.assertEqual(caught.exception.code, "key")
        with self.assertRaises(RecordKeyError):
            check_key(("services",), BERTH, ["services"])
        check_key(("rate",), BERTH, ["rate"])
        check_key(("code", "rate"), BERTH, ["rate", "code"])

    def test_the_suggested_key(self) -> None:
        self.assertEqual(suggest_key(BERTH, ["id", "code"], own=True), ("id",))
        self.assertEqual(suggest_key(BERTH, ["code", "rate"], own=True), ("code",))
        self.assertIsNone(suggest_key(BERTH, ["rate"], own=True))

    def test_references_by_what_people_know_or_by_id(self) -> None:
        by_number = pl.DataFrame({"number": ["0020418", "5", "5"], "@id": ["9", "10", "11"]})
        by_id = pl.DataFrame({"id": ["9"], "@id": ["9"]})
        texts = pl.Series("text", ["0020418", "5", "9", "77"])
        lookup = make_lookup(texts, HOLDER, {"number": by_number, "id": by_id})
        found, problems = resolve(pl.Series([" 0020418 ", "9", "77", "5", None]), lookup)
        self.assertEqual(found.to_list(), ["9", "9", None, None, None])
        self.assertEqual([p and p.split(BETWEEN)[0] for p in problems[2:4]], ["names-none", "names-several"])

    def test_figures_for_figures_are_not_near(self) -> None:
        there = ["12345", "AB-100", "NORTH · B-031"]
        self.assertEqual(near_keys(["12346"], there), {})
        self.assertEqual(near_keys(["AB-10O", "NORTH · B-03l", "BA-100"], there)["BA-100"], ["AB-100"])
