"""Records that the sheet does not have: which go, as one reads it in semantics.md 5.4, and why others stay."""

from __future__ import annotations

import unittest
from typing import Any

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from tests.core.examples import BERTH, carried_rows, records, verdicts
from tests.core.test_near import form
from vexo.core.operations import Operation
from vexo.core.planning.absent import FIRST_ABSENT, deletions, plan_absent, questions_of
from vexo.core.planning.decisions import DECISIONS
from vexo.core.planning.inputs import OTHER_PARTS, Inputs, Reach, Settings
from vexo.core.planning.merge_base import Ledger
from vexo.core.planning.plan import make_plan
from vexo.core.planning.verdicts import AbsentVerdict
from vexo.core.writing.batches import freeze

NAMES = ["code", "name"]
CODES = st.sampled_from(["AB-1", "ab1", "CD-2", "cd-2", "EF-3", "EF-03", "GH-4"])
ROWS = st.lists(st.tuples(st.one_of(st.none(), CODES), st.sampled_from(["n", "m"])), max_size=5)
RECORD = st.tuples(CODES, st.booleans(), st.sampled_from(["sent", "changed", "new"]), st.booleans())
"""A code; whether it is in reach; how it is beside the kept copy; whether it went out in another part."""
THERE = st.lists(RECORD, max_size=5, unique_by=lambda one: one[0])
ANSWERS = st.sampled_from(["", "delete", "keep"])


class Case:
    """A sheet that is to be made the same, planned."""

    def __init__(self, rows: list[Any], there: list[Any], sent: bool, parts_out: int = 0, answer: str = "") -> None:
        now = [(str(at), "v2" if one[2] == "changed" else "v", one[0], "n") for at, one in enumerate(there)]
        out = [(str(at), "v", one[0], "n") for at, one in enumerate(there) if one[2] != "new"]
        self.now, kept = records(NAMES, *now), records(NAMES, *out) if sent else None
        self.ids = [str(at) for at, one in enumerate(there) if one[1]]
        others = [str(at) for at, one in enumerate(there) if one[3]]
        self.inputs = Inputs(
            BERTH,
            carried_rows(NAMES, rows),
            self.now,
            kept,
            Ledger.empty(),
            pl.DataFrame(schema=DECISIONS),
            reach=Reach(pl.Series(self.ids, dtype=pl.String)),
            other_parts=pl.DataFrame({"@id": others, "part": ["x"] * len(others)}, schema=OTHER_PARTS),
        )
        self.planned = make_plan(self.inputs, Settings(Operation.MAKE_SAME, ("code",), tuple(NAMES)))
        self.parts_out = parts_out
        self.absent = self.planned_absent(self.inputs.decisions)
        if answer:
            said = [pl.lit(answer).alias("answer"), pl.lit("").alias("argument")]
            given_ = questions_of(self.absent).with_columns(said).select(list(DECISIONS))
            self.absent = self.planned_absent(given_)

    def planned_absent(self, decisions: pl.DataFrame) -> pl.DataFrame:
        from dataclasses import replace

        assert self.planned.meant is not None
        in_reach = self.now.filter(pl.col("@id").is_in(self.ids))
        fields = [BERTH.field(name) for name in NAMES]
        inputs = replace(self.inputs, decisions=decisions)
        return plan_absent(inputs, self.planned.plan, self.planned.meant, in_reach, fields, self.parts_out)

    def of(self, verdict: AbsentVerdict) -> set[str]:
        return set(self.absent.filter(pl.col("@becomes") == verdict)["@id"])


class Absent(unittest.TestCase):
    @given(ROWS, THERE, st.booleans(), st.integers(0, 1), ANSWERS)
    def test_only_what_may_go_goes(
        self, rows: list[Any], there: list[Any], sent: bool, parts_out: int, answer: str
    ) -> None:
        case = Case(rows, there, sent, parts_out, answer)
        judged = verdicts(case.planned.plan)
        met = set(case.planned.plan["@id"].drop_nulls())
        goes, held = case.of(AbsentVerdict.DELETE), case.of(AbsentVerdict.HELD)
        self.assertEqual(set(case.absent["@id"]), set(case.ids) - met, "each record in reach without a row, once")
        waits = [row for row, verdict in zip(rows, judged, strict=True) if verdict in ("held", "rejected")]
        stopped = [row for row, verdict in zip(rows, judged, strict=True) if verdict in ("held", "rejected", "aside")]
        near = {form(row[0], "zeros") for row in stopped if row[0]}
        for at, one in enumerate(there):
            record = str(at)
            if record not in set(case.absent["@id"]):
                self.assertNotIn(record, goes)
                continue
            free = not parts_out and not one[3] and not any(row[0] is None for row in waits)
            known = one[2] == "sent" if sent else answer == "delete"
            self.assertLessEqual(record in goes, free and known)
            if free and form(one[0], "zeros") not in near:
                self.assertEqual(record in goes, known)
                self.assertEqual(record in held, not sent and not answer)
        # What a pass sends is that and no more, each with its record and whole.
        whole = case.now.filter(pl.col("@id").is_in(goes))
        frozen = freeze(case.planned.plan, whole, case.absent)
        self.assertEqual(set(frozen.filter(pl.col("verdict") == "delete")["@id"]), goes)
        self.assertEqual(set(deletions(case.absent)["row_id"] >= FIRST_ABSENT), {True} if goes else set())

    def test_a_new_record_does_not_take_the_key_of_one_that_goes(self) -> None:
        case = Case([("AB-1", "n")], [("AB-1", True, "sent", False)], True)
        self.assertEqual(verdicts(case.planned.plan), ["same"])
        near = Case([("ab1", "n")], [("AB-1", True, "sent", False)], True)
        self.assertEqual((verdicts(near.planned.plan), near.absent["@reason"].to_list()), (["held"], ["may-be-meant"]))

    def test_without_a_row_nothing_is_a_question_and_all_may_go(self) -> None:
        case = Case([("ZZ-9", "n")], [("AB-1", True, "sent", False), ("CD-2", False, "sent", False)], True)
        self.assertEqual((case.of(AbsentVerdict.DELETE), len(questions_of(case.absent))), ({"0"}, 0))
