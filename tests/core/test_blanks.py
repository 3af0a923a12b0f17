"""What blank cells mean, rule by rule: left, cleared, a default, only where empty."""

from __future__ import annotations

import unittest
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from tests.core.examples import BERTH, EMPTYING, answers, codes, plan, plan_and_questions, verdicts
from vexo.core.columns.lanes import Blank, Lane, LaneError, check_lane
from vexo.core.operations import Operation
from vexo.core.planning.verdicts import CellAction

NAMES = ["code", "rate"]
CLEAR = {"rate": Lane(Blank.CLEAR)}
EMPTY = {"rate": Lane(only_empty=True)}
MANY = {"guarded_by": EMPTYING}


def default(text: str, *, updates: bool = False, field: str = "rate") -> dict[str, Lane]:
    return {field: Lane(Blank.DEFAULT, text, updates)}


class LeftAsTheyAre(unittest.TestCase):
    """2.1: a blank is not written, and what was emptied is asked."""

    kept = (("1", "v", "A", "5"), ("2", "v", "B", "6"), ("3", "v", "C", None))
    sheet = (("A", None), ("B", " \u00a0"), ("C", None))

    def test_a_blank_is_not_written_and_an_emptied_one_is_told(self) -> None:
        made, asked = plan_and_questions(NAMES, list(self.sheet), list(self.kept), list(self.kept))
        self.assertEqual(verdicts(made), ["same"] * 3)
        self.assertEqual(made["left_blank.rate"].to_list(), [True, True, False])
        self.assertEqual(asked["code"].to_list(), ["emptied", "emptied"])

    def test_keep_is_an_answer_and_nothing_was_emptied(self) -> None:
        made, asked = plan_and_questions(NAMES, [("A", "[keep]")], list(self.kept), list(self.kept))
        self.assertEqual((verdicts(made), made["left_blank.rate"].to_list(), len(asked)), (["same"], [False], 0))

    def test_a_person_clears_them_or_leaves_them(self) -> None:
        said = [(2, "rate", "clear"), (3, "rate", "leave")]
        made = plan(NAMES, list(self.sheet), list(self.kept), list(self.kept), said=said)
        self.assertEqual(verdicts(made), ["update", "same", "same"])
        self.assertEqual(made["proposed.rate"].to_list()[0], None)
        self.assertEqual(made["left_blank.rate"].to_list(), [False, False, False])

    def test_what_a_colleague_changed_is_held_though_it_is_to_be_cleared(self) -> None:
        now = [("1", "w", "A", "9")]
        made = plan(NAMES, [("A", None)], now, list(self.kept), said=[(2, "rate", "clear")])
        self.assertEqual(codes(made), [["both-changed"]])

    def test_the_answer_lapses_with_the_values_that_were_seen(self) -> None:
        first, asked = plan_and_questions(NAMES, list(self.sheet), list(self.kept), list(self.kept))
        said = answers(first, asked, [(2, "rate", "clear")])
        other = [("1", "v", "A", "7"), *self.kept[1:]]
        again, _ = plan_and_questions(NAMES, list(self.sheet), other, other, decisions=said)
        self.assertEqual((verdicts(again)[0], again["left_blank.rate"][0]), ("same", True))

    def test_a_required_field_is_never_cleared(self) -> None:
        kept = [("1", "v", "A", "x")]
        made = plan(["code", "name"], [("A", None)], kept, kept, said=[(2, "name", "clear")])
        self.assertEqual(codes(made), [["required-empty"]])


class ClearedByRule(unittest.TestCase):
    """2.1: under the rule *clear* each emptied value is a change, above the limit held."""

    now = tuple((str(n), "v", f"K{n}", "5") for n in range(20))

    def test_blank_cells_are_changes_like_any_other(self) -> None:
        kept = [*self.now[:2], ("2", "v", "K2", None)]
        now = [self.now[0], ("1", "w", "K1", "7"), ("2", "v", "K2", None)]
        sheet = [("K0", None), ("K1", None), ("K2", None)]
        made = plan(NAMES, sheet, now, kept, lanes=CLEAR, **MANY)
        self.assertEqual(verdicts(made), ["update", "held", "same"])
        self.assertEqual(codes(made)[1], ["both-changed"])

    def test_on_create_a_blank_is_not_sent(self) -> None:
        made = plan(["code", "name", "rate"], [("N", "x", None)], [], operation=Operation.UPSERT, lanes=CLEAR)
        self.assertEqual((verdicts(made), made["action.rate"].to_list()), (["create"], [CellAction.NOTHING]))

    def test_above_the_limit_they_are_held_and_one_answer_lets_them(self) -> None:
        sheet = [(f"K{n}", None if n < 3 else "5") for n in range(20)]
        made = plan(NAMES, sheet, list(self.now), lanes=CLEAR)
        self.assertEqual(verdicts(made), ["held"] * 3 + ["same"] * 17)
        self.assertEqual(codes(made)[:3], [["emptied-many"]] * 3)
        said = [(2, "rate", "file"), (3, "rate", "application")]
        made = plan(NAMES, sheet, list(self.now), lanes=CLEAR, said=said)
        self.assertEqual(verdicts(made)[:3], ["update", "same", "held"])

    def test_at_the_limit_they_are_not_and_marks_never(self) -> None:
        sheet = [(f"K{n}", None if n < 2 else "5") for n in range(20)]
        self.assertEqual(verdicts(plan(NAMES, sheet, list(self.now), lanes=CLEAR))[:2], ["update"] * 2)
        marks = [(f"K{n}", "[clear]") for n in range(20)]
        self.assertEqual(verdicts(plan(NAMES, marks, list(self.now))), ["update"] * 20)

    def test_a_required_field_that_would_be_empty_is_rejected(self) -> None:
        rule = {"name": Lane(Blank.CLEAR)}
        made = plan(["code", "name"], [("A", None)], [("1", "v", "A", "x")], lanes=rule, **MANY)
        self.assertEqual(codes(made), [["required-empty"]])
        made = plan(["code", "name"], [("N", None)], [], operation=Operation.CREATE, lanes=rule)
        self.assertEqual(codes(made), [["required-new"]])

    def test_many_valued_fields_too(self) -> None:
        rule = {"services": Lane(Blank.CLEAR)}
        made = plan(["code", "services"], [("A", None)], [("1", "v", "A", "wifi")], lanes=rule, **MANY)
        self.assertEqual((verdicts(made), made["action.services"].to_list()), (["update"], [CellAction.WRITE]))


class Defaults(unittest.TestCase):
    """2.3: on creates only, unless its tick for updates is set."""

    now = (("1", "v", "A", None), ("2", "v", "B", "6"))

    def test_new_records_have_it_and_others_are_left(self) -> None:
        sheet = [("N", None), ("A", None), ("M", "7"), ("B", None)]
        made = plan(NAMES, sheet, list(self.now), operation=Operation.UPSERT, lanes=default("4.50"))
        self.assertEqual(
            [str(v) if v is not None else None for v in made["proposed.rate"]], ["4.50", None, "7.00", None]
        )
        self.assertEqual(
            made["action.rate"].to_list(), [CellAction.WRITE, CellAction.NOTHING, CellAction.WRITE, CellAction.NOTHING]
        )

    def test_with_the_tick_records_that_are_there_have_it_too(self) -> None:
        made = plan(NAMES, [("A", None), ("B", " ")], list(self.now), lanes=default("4.50", updates=True))
        self.assertEqual((verdicts(made), [str(v) for v in made["proposed.rate"]]), (["update"] * 2, ["4.50"] * 2))

    def test_a_required_field_takes_it(self) -> None:
        rule = default("none", field="name")
        made = plan(["code", "name"], [("N", None)], [], operation=Operation.CREATE, lanes=rule)
        self.assertEqual((verdicts(made), made["proposed.name"].to_list()), (["create"], ["none"]))

    def test_a_mark_is_no_blank(self) -> None:
        made = plan(NAMES, [("N", "[clear]")], [], operation=Operation.CREATE, lanes=default("4"))
        self.assertIsNone(made["proposed.rate"][0])

    def test_a_key_has_no_default(self) -> None:
        made = plan(NAMES, [(None, "5")], list(self.now), lanes=default("A", field="code", updates=False))
        self.assertEqual(codes(made), [["key-blank"]])

    def test_a_default_that_is_no_value_is_refused_when_it_is_said(self) -> None:
        for field, text in (("rate", "much"), ("status", "gone"), ("until", "soon"), ("name", " ")):
            with self.subTest(field), self.assertRaises(LaneError):
                check_lane(BERTH.field(field), Lane(Blank.DEFAULT, text))
        check_lane(BERTH.field("rate"), Lane(Blank.DEFAULT, "4.50"))
        with self.assertRaisesRegex(LaneError, "only for reading"):
            check_lane(BERTH.field("due"), Lane(only_empty=True))


class OnlyEmpty(unittest.TestCase):
    """2.4: only fields that are empty in the application now are filled; marks count only there."""

    now = (("1", "v", "A", None), ("2", "v", "B", "6"), ("3", "v", "C", "7"))

    def test_filled_ones_are_left_and_counted(self) -> None:
        sheet = [("A", "5"), ("B", "5"), ("C", "7")]
        made = plan(NAMES, sheet, list(self.now), lanes=EMPTY)
        self.assertEqual(verdicts(made), ["update", "same", "same"])
        self.assertEqual(made["kept_filled.rate"].to_list(), [False, True, False])

    def test_marks_count_only_where_the_field_is_empty(self) -> None:
        made = plan(NAMES, [("A", "[clear]"), ("B", "[clear]"), ("C", "[keep]")], list(self.now), lanes=EMPTY)
        self.assertEqual(verdicts(made), ["same"] * 3)
        self.assertEqual(made["kept_filled.rate"].to_list(), [False, True, False])
        lists = [("1", "v", "A", None), ("2", "v", "B", "wifi")]
        rule = {"services": Lane(only_empty=True)}
        made = plan(["code", "services"], [("A", "[add] power"), ("B", "[add] power")], lists, lanes=rule)
        self.assertEqual(verdicts(made), ["update", "same"])

    def test_what_a_colleague_filled_meanwhile_is_left_and_not_held(self) -> None:
        kept = [("1", "v", "A", None)]
        made = plan(NAMES, [("A", "5")], [("1", "w", "A", "9")], kept, lanes=EMPTY)
        self.assertEqual((verdicts(made), made["kept_filled.rate"].to_list()), (["same"], [True]))

    def test_new_records_are_filled(self) -> None:
        made = plan(["code", "name", "rate"], [("N", "x", "5")], [], operation=Operation.UPSERT, lanes=EMPTY)
        self.assertEqual(made["action.rate"].to_list(), [CellAction.WRITE])


class AnyRule(unittest.TestCase):
    cells = st.sampled_from([None, " ", "5", "6", "[clear]", "[keep]", "x"])
    held = st.sampled_from([None, "5", "6"])

    @given(
        st.lists(st.tuples(cells, held, held), min_size=1, max_size=6),
        st.sampled_from(list(Blank)),
        st.booleans(),
        st.booleans(),
        st.booleans(),
    )
    def test_no_value_vanishes_unless_someone_said_so(
        self, rows: list[tuple[Any, Any, Any]], blank: Blank, updates: bool, only_empty: bool, kept: bool
    ) -> None:
        lane = Lane(blank, "4" if blank == Blank.DEFAULT else "", updates, only_empty)
        sheet = [(f"K{n}", cell) for n, (cell, _, _) in enumerate(rows)]
        now = [(str(n), "v", f"K{n}", is_) for n, (_, _, is_) in enumerate(rows)]
        copy = [(str(n), "v", f"K{n}", was) for n, (_, was, _) in enumerate(rows)] if kept else None
        made = plan(NAMES, sheet, now, copy, lanes={"rate": lane}, **MANY)
        for (cell, _, is_), new, do in zip(rows, made["proposed.rate"], made["action.rate"], strict=True):
            if do != CellAction.WRITE:
                continue
            self.assertFalse(only_empty and is_ is not None)
            said = cell == "[clear]" or (blank == Blank.CLEAR and not (cell or "").strip())
            self.assertEqual(new is None, said, (cell, is_, lane))
