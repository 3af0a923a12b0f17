from __future__ import annotations

import unittest
from typing import Any
from unittest.mock import patch

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from tests.core.examples import answers, codes, plan, plan_and_questions, verdicts
from vexo.core.keys import record_keys
from vexo.core.keys.record_keys import in_one_order, is_among
from vexo.core.operations import Operation
from vexo.core.planning.frame import beside
from vexo.core.planning.verdicts import CellAction, SumError, Verdict, sum_after, sum_of

NAMES = ["code", "rate"]
NOW = [("1", "v1", "A", "5"), ("2", "v1", "B", "6")]


class Lists(unittest.TestCase):
    """4.2: items added to and taken away from what the application holds."""

    now = (("1", "v", "A", "water; power"), ("2", "v", "B", None), ("3", "v", "C", "wifi"))

    def told(self, *rows: tuple[str, str], **more: Any) -> list[tuple[str, list[str] | None]]:
        made = plan(["code", "services"], list(rows), **{"now": list(self.now), **more})
        new = [None if value is None else list(value) for value in made["proposed.services"].to_list()]
        return list(zip(verdicts(made), new, strict=True))

    def test_items_are_added_and_taken_away_in_the_order_of_the_choices(self) -> None:
        rows = (("A", "[add] wifi [remove] water"), ("B", "[ADD] wifi; water"), ("C", "[remove] wifi"))
        wanted = [("update", ["power", "wifi"]), ("update", ["water", "wifi"]), ("update", [])]
        self.assertEqual(self.told(*rows), wanted)
        self.assertEqual(self.told(*rows, kept=list(self.now)), wanted)

    def test_what_is_so_already_or_was_when_it_went_out_is_the_same(self) -> None:
        rows = (("A", "[add] power"), ("B", "[remove] water"), ("C", "[add] wifi"))
        self.assertEqual([verdict for verdict, _ in self.told(*rows)], ["same"] * 3)
        taken = [("1", "w", "A", "water"), *self.now[1:]]
        self.assertEqual(self.told(rows[0], now=taken, kept=list(self.now))[0][0], "same")

    def test_a_colleague_s_change_of_the_same_list_is_no_conflict(self) -> None:
        theirs = [("1", "w", "A", "water"), *self.now[1:]]
        self.assertEqual(
            self.told(("A", "[add] wifi"), now=theirs, kept=list(self.now)), [("update", ["water", "wifi"])]
        )

    def test_rows_that_add_the_same_and_take_away_another_are_not_twins(self) -> None:
        rows = (("A", "[add] wifi"), ("A", "[add] wifi [remove] water"))
        self.assertEqual([verdict for verdict, _ in self.told(*rows)], ["held", "held"])

    def test_items_pass_the_value_list_and_a_lost_character_is_a_fault(self) -> None:
        rows = [("A", "[add] sauna"), ("B", "[remove] sauna"), ("C", "wi\ufffdi")]
        made = plan(["code", "services"], rows, list(self.now))
        self.assertEqual(codes(made), [["not-a-choice"], ["not-a-choice"], ["lost-character"]])

    def test_a_new_record_has_what_is_added(self) -> None:
        made = plan(["code", "services"], [("N", "[add] wifi")], [], operation=Operation.CREATE)
        self.assertEqual([list(value) for value in made["proposed.services"].to_list()], [["wifi"]])


class Beside(unittest.TestCase):
    KEYS = st.lists(st.one_of(st.none(), st.sampled_from("abcde")), max_size=6)

    @given(KEYS, KEYS)
    def test_lines_are_laid_beside_their_keys_whatever_their_order(
        self, keys: list[str | None], known: list[str | None]
    ) -> None:
        table = pl.DataFrame({"k": known, "at": range(len(known))}, schema={"k": pl.String, "at": pl.Int64})
        laid = beside(pl.Series("k", keys, dtype=pl.String), table)
        self.assertEqual((laid.columns, len(laid)), (["at"], len(keys)))
        for key, at in zip(keys, laid["at"].to_list(), strict=True):
            if key is None or key not in known:
                self.assertIsNone(at, "a blank key is like no other")
            else:
                self.assertEqual(known[at], key)
        self.assertEqual(beside(pl.Series("k", keys, dtype=pl.String), table.select("k")).columns, [])

    @given(st.lists(st.none() | st.text("ab1", max_size=3), max_size=5), st.booleans())
    def test_one_order_is_told_only_of_keys_that_are_there_once(self, keys: list[str | None], rises: bool) -> None:
        texts = sorted(keys, key=lambda k: (len(k or ""), k or "")) if rises else keys
        column = pl.Series("k", texts, dtype=pl.String)
        once = None not in keys and len({*keys}) == len(keys)
        for of_few in (True, False):
            with patch.object(record_keys, "SHORT", 1_000 if of_few else 0):
                self.assertEqual(in_one_order(column, column.alias("known")), once)
        self.assertFalse(in_one_order(column, column.head(len(keys) - 1)) and keys)

    @given(KEYS, KEYS)
    def test_values_are_among_those_known_of_few_as_of_many(
        self, keys: list[str | None], known: list[str | None]
    ) -> None:
        columns = [pl.Series("k", texts, dtype=pl.String) for texts in (keys, known)]
        for of_few in (True, False):
            with patch.object(record_keys, "SHORT", 1_000 if of_few else 0):
                self.assertEqual(is_among(*columns).to_list(), [key is not None and key in known for key in keys])


class TheSum(unittest.TestCase):
    codes = st.sampled_from(
        ["A", "B", "C", " A", "", None, "a", "far too long", "[what]", "lo\ufffdst", "[clear]", "N\u00a0"]
    )
    rates = st.sampled_from(["5", "6", "7", "x", "", None, "[clear]", "[keep]", "[what]"])
    rows = st.lists(st.tuples(codes, rates), min_size=1, max_size=8)
    answers = st.sampled_from(["file", "application", "aside", "leave out"])
    said = st.lists(st.tuples(st.integers(2, 9), st.sampled_from([None, "rate"]), answers), max_size=4)

    @given(rows, st.booleans(), st.sampled_from(list(Operation)), said, st.booleans())
    def test_every_row_has_one_verdict(
        self, rows: list[Any], kept: bool, operation: Operation, said: list[Any], marks: bool
    ) -> None:
        copy = [("1", "v1", "A", "4"), ("3", "v1", "C", "5")] if kept else None
        asked = frozenset({"code"} if len(rows) % 3 == 0 else ())
        made = plan(NAMES, rows, NOW, copy, operation=operation, said=said, marks=marks, asked=asked)
        self.assertEqual(sum(sum_of(made["verdict"], len(rows)).values()), len(rows))
        self.assertEqual(made["row"].to_list(), list(range(2, len(rows) + 2)))
        stopped = pl.col("verdict").is_in(["held", "rejected", "aside"])
        self.assertEqual(made.filter(stopped)["faults"].list.len().eq(0).sum(), 0)
        self.assertEqual(made.filter(~stopped)["faults"].list.len().sum(), 0)
        may_be_gone = kept and operation == Operation.DELETE
        self.no_row_goes_without_what_it_is_about(made, [row[0] for row in rows], may_be_gone, bool(asked))

    def no_row_goes_without_what_it_is_about(
        self, made: pl.DataFrame, cells: list[str | None], may_be_gone: bool, asked: bool
    ) -> None:
        """1.4 and 5.2, row by row: nothing is done to no record, and no record is made without a key that was read."""
        for line, cell in zip(made.iter_rows(named=True), cells, strict=True):
            verdict, key = line["verdict"], (cell or "").strip()
            if verdict in ("update", "delete", "same") and not (verdict == "same" and may_be_gone):
                self.assertIsNotNone(line["@id"], line)
            if verdict == "create":
                self.assertEqual((line["@id"], line["proposed.code"]), (None, key))
            if verdict in ("create", "update", "delete", "same"):
                self.assertFalse(asked, "a row was looked for by a column that is asked about")
                self.assertTrue(key and len(key) <= 10 and "\ufffd" not in key)

    def test_rows_that_are_not_accounted_for_are_an_error(self) -> None:
        with self.assertRaises(SumError):
            sum_of(pl.Series(["create", "update"]), 3)
        with self.assertRaises(SumError):
            sum_of(pl.Series(["create", "odd"]), 2)

    def test_after_a_pass_the_written_terms_split(self) -> None:
        states = pl.Series(["same", "rejected", "rejected", "created", "refused", "waiting"])
        self.assertEqual(sum(sum_after(states, 6).values()), 6)
        for wrong in (pl.Series(["created", "update"]), pl.Series(["created"])):
            with self.assertRaises(SumError):
                sum_after(wrong, 2)


class Operations(unittest.TestCase):
    def test_update_changes_what_differs_and_names_what_is_not_there(self) -> None:
        made = plan(NAMES, [("A", "5.00"), ("B", "7"), ("C", "1")], NOW)
        self.assertEqual(verdicts(made), ["same", "update", "rejected"])
        self.assertEqual(codes(made)[2], ["not-found"])

    def test_upsert_creates_what_is_new_and_create_sets_aside_what_is_there(self) -> None:
        names = [*NAMES, "name"]
        now = [("1", "v", "A", "5", "n")]
        self.assertEqual(
            verdicts(plan(names, [("A", "6", "n"), ("C", "1", "m")], now, operation=Operation.UPSERT)),
            ["update", "create"],
        )
        self.assertEqual(
            verdicts(plan(names, [("A", "6", "n"), ("C", "1", "m")], now, operation=Operation.CREATE)),
            ["aside", "create"],
        )

    def test_a_create_without_its_required_fields_is_rejected(self) -> None:
        made = plan(NAMES, [("C", "1")], NOW, operation=Operation.CREATE)
        self.assertEqual(verdicts(made), ["rejected"])
        self.assertEqual((codes(made)[0], made["faults"][0][0]["field"]), (["required-column"], "name"))

    def test_delete_of_what_went_out_and_is_gone_is_same(self) -> None:
        kept = [("1", "v1", "A", "5"), ("9", "v1", "Z", "5")]
        made = plan(
            ["code"], [("A",), ("Z",), ("Q",)], [("1", "v1", "A")], [k[:3] for k in kept], operation=Operation.DELETE
        )
        self.assertEqual(verdicts(made), ["delete", "same", "rejected"])

    def test_delete_of_a_record_that_changed_since_is_held(self) -> None:
        made = plan(["code"], [("A",)], [("1", "v2", "A")], [("1", "v1", "A")], operation=Operation.DELETE)
        self.assertEqual(verdicts(made), ["held"])


class ThreeWay(unittest.TestCase):
    """Kept copy, file, application."""

    def one(self, kept: str, file: str, now: str, **more: Any) -> tuple[str, int]:
        made = plan(NAMES, [("A", file)], [("1", "v", "A", now)], [("1", "v", "A", kept)], **more)
        return made["verdict"][0], made["action.rate"][0]

    def test_an_unedited_cell_is_not_written_whatever_the_application_did(self) -> None:
        self.assertEqual(self.one("5", "5.0", "9"), ("same", CellAction.NOTHING))

    def test_an_edited_cell_is_written(self) -> None:
        self.assertEqual(self.one("5", "6", "5"), ("update", CellAction.WRITE))

    def test_both_did_the_same(self) -> None:
        self.assertEqual(self.one("5", "6", "6"), ("same", CellAction.NOTHING))

    def test_both_changed_it_differently_is_held_until_answered(self) -> None:
        self.assertEqual(self.one("5", "6", "7"), ("held", CellAction.HELD))
        self.assertEqual(self.one("5", "6", "7", said=[(2, None, "file")]), ("update", CellAction.WRITE))
        self.assertEqual(self.one("5", "6", "7", said=[(2, "rate", "application")]), ("same", CellAction.NOTHING))
        self.assertEqual(self.one("5", "6", "7", said=[(2, None, "aside")])[0], "aside")

    def test_digits_that_a_spreadsheet_lost_are_no_edit(self) -> None:
        self.assertEqual(
            self.one("12345678901234.56", "12345678901234.6", "12345678901234.56"), ("same", CellAction.NOTHING)
        )
        self.assertEqual(self.one("12345678901234.56", "12345678901234.57", "12345678901234.56")[0], "update")

    def test_without_a_kept_copy_two_ways(self) -> None:
        self.assertEqual(verdicts(plan(NAMES, [("A", "6"), ("B", "6")], NOW)), ["update", "same"])

    def test_a_record_gone_since_is_held_and_not_made_again(self) -> None:
        for operation in (Operation.UPDATE, Operation.UPSERT):
            made = plan(NAMES, [("C", "6")], NOW, [("3", "v", "C", "5")], operation=operation)
            self.assertEqual(verdicts(made), ["held"])

    def test_the_same_rows_changed_elsewhere_are_counted(self) -> None:
        made = plan(NAMES, [("A", "5"), ("B", "6")], [("1", "v", "A", "9"), NOW[1]], [("1", "v", "A", "5"), NOW[1]])
        self.assertEqual(made["changed_elsewhere"].to_list(), [True, False])


class Blanks(unittest.TestCase):
    def test_a_blank_leaves_and_the_guard_says_so(self) -> None:
        made = plan(NAMES, [("A", None), ("B", "  ")], NOW, NOW)
        self.assertEqual(verdicts(made), ["same", "same"])
        self.assertEqual(made["left_blank.rate"].to_list(), [True, True])

    def test_clear_empties_and_keep_leaves(self) -> None:
        made = plan(NAMES, [("A", "[clear]"), ("B", " [KEEP] ")], NOW, NOW)
        self.assertEqual(verdicts(made), ["update", "same"])
        self.assertEqual((made["proposed.rate"][0], made["current.rate"][0] is None), (None, False))

    def test_clearing_a_required_field_is_rejected(self) -> None:
        now = [("1", "v", "A", "n")]
        made = plan(["code", "name"], [("A", "[clear]")], now, now)
        self.assertEqual((verdicts(made), made["faults"][0][0]["field"]), (["rejected"], "name"))

    def test_an_unknown_mark_names_the_known_ones(self) -> None:
        made = plan(NAMES, [("A", "[empty]")], NOW, NOW)
        self.assertEqual(made["faults"][0][0]["arguments"], ["[clear], [keep]"])
        self.assertEqual(
            verdicts(plan(["code", "name"], [("A", "[x]")], [("1", "v", "A", "n")], marks=False)), ["update"]
        )


class Keys(unittest.TestCase):
    def test_texts_are_texts_and_spaces_at_the_ends_do_not_count(self) -> None:
        now = [("1", "v", "7", "5"), ("2", "v", "007", "5")]
        made = plan(NAMES, [("007 ", "6"), ("\u00a07", "6")], now)
        self.assertEqual(made["@id"].to_list(), ["2", "1"])
        self.assertEqual(made["action.code"].to_list(), [CellAction.NOTHING, CellAction.NOTHING])

    def test_a_blank_key_is_rejected(self) -> None:
        self.assertEqual(verdicts(plan(NAMES, [(None, "6"), (" ", "6")], NOW)), ["rejected", "rejected"])

    def test_rows_of_one_record_that_agree_keep_the_first(self) -> None:
        made = plan(NAMES, [("A", "7"), ("A", "7.0")], NOW)
        self.assertEqual(verdicts(made), ["update", "aside"])
        self.assertEqual(made["faults"][1].to_list()[0], {"code": "twin", "field": "", "arguments": ["2"]})

    def test_rows_of_one_record_that_differ_are_all_held(self) -> None:
        made = plan(NAMES, [("A", "7"), ("B", "9"), ("A", "8")], NOW)
        self.assertEqual(verdicts(made), ["held", "update", "held"])

    def test_new_rows_that_share_a_key_too(self) -> None:
        made = plan(
            [*NAMES, "name"],
            [("X", "7", "n"), ("X", "8", "n")],
            [("1", "v", "A", "5", "n")],
            operation=Operation.UPSERT,
        )
        self.assertEqual(verdicts(made), ["held", "held"])

    def test_near_keys_are_named(self) -> None:
        now = [("1", "v", "B-031", "5"), ("2", "v", "C-007", "5")]
        made = plan(NAMES, [("B-O31", "6"), ("c-007", "6"), ("C_007", "6"), ("C-7", "6"), ("QQ", "6")], now)
        near = [faults[0]["arguments"][1:2] for faults in made["faults"].to_list()]
        self.assertEqual(near, [["B-031"], ["C-007"], ["C-007"], ["C-007"], []])

    def test_a_row_whose_record_id_and_key_disagree_is_held(self) -> None:
        names = ["id", "code", "rate", "name"]
        now = [("1", "v1", "A", "5", "n"), ("2", "v1", "B", "6", "n")]
        made = plan(names, [("2", "A", "6", "n"), ("1", "A-1", "6", "n")], now, now, operation=Operation.UPSERT)
        self.assertEqual(verdicts(made), ["held", "held"])

    def test_matched_by_record_id_an_edited_key_is_held(self) -> None:
        made = plan(
            ["id", "code", "rate"], [("1", "AA", "5"), ("77", "Q", "5"), ("x", "Q", "5")], NOW, NOW, key=("id",)
        )
        self.assertEqual(verdicts(made), ["held", "rejected", "rejected"])

    def test_a_cell_that_cannot_be_read_can_be_left_out(self) -> None:
        names = ["code", "rate", "name"]
        now = [("1", "v", "A", "5", "n")]
        sheet = [("A", "x", "m")]
        self.assertEqual(verdicts(plan(names, sheet, now)), [Verdict.REJECTED])
        self.assertEqual(verdicts(plan(names, sheet, now, said=[(2, "rate", "leave out")])), [Verdict.UPDATE])


class Decisions(unittest.TestCase):
    """Answers to what was shown: they count as long as the values seen are what they were."""

    kept = [("1", "v", "A", "5", "n")]
    names = ["code", "rate", "name"]

    def asked(self, now: str, file: str = "6", name: str = "n") -> tuple[pl.DataFrame, pl.DataFrame]:
        return plan_and_questions(self.names, [("A", file, name)], [("1", "v2", "A", now, "n")], self.kept)

    def again(self, decisions: pl.DataFrame, now: str, file: str = "6", **more: Any) -> pl.DataFrame:
        sheet = [("A", file, more.get("name", "n"))]
        theirs = [("1", "v3", "A", now, more.get("theirs", "n"))]
        return plan_and_questions(self.names, sheet, theirs, self.kept, decisions=decisions)[0]

    def test_an_answer_counts_while_the_values_seen_stay(self) -> None:
        said = answers(*self.asked("7"), [(2, "rate", "file")])
        self.assertEqual(verdicts(self.again(said, "7")), ["update"])
        self.assertEqual(verdicts(self.again(said, "8")), ["held"])
        self.assertEqual(verdicts(self.again(said, "7", "6.5")), ["held"])
        self.assertEqual(verdicts(self.again(said, "7")), ["update"])

    def test_an_answer_for_a_row_answers_nothing_that_comes_later(self) -> None:
        said = answers(*self.asked("7", name="mine"), [(2, None, "file")])
        self.assertEqual(verdicts(self.again(said, "7", name="mine")), ["update"])
        later = self.again(said, "7", name="mine", theirs="theirs")
        self.assertEqual((verdicts(later), codes(later)), (["held"], [["both-changed"]]))
        self.assertEqual(later["faults"][0][0]["field"], "name")

    def test_set_aside_binds_until_it_is_undone(self) -> None:
        said = answers(*self.asked("7"), [(2, None, "aside")])
        for now, file in (("7", "6"), ("9", "6"), ("5", "1")):
            self.assertEqual(verdicts(self.again(said, now, file)), ["aside"])
        undone = said.with_columns(pl.lit("again").alias("answer"))
        self.assertEqual(verdicts(self.again(pl.concat([said, undone]), "7")), ["held"])

    def test_the_newest_answer_to_a_question_counts(self) -> None:
        run_here, theirs = (answers(*self.asked("7"), [(2, "rate", answer)]) for answer in ("file", "application"))
        self.assertEqual(verdicts(self.again(pl.concat([run_here, theirs]), "7")), ["same"])
        self.assertEqual(verdicts(self.again(pl.concat([theirs, run_here]), "7")), ["update"])
