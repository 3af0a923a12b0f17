"""Rows that refer to records which others make, against a plain reading of semantics.md 7.7: which go, and in what
order."""

from __future__ import annotations

import unittest
from typing import Any

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from vexo.core.new_records import shown, with_made
from vexo.core.planning.decisions import DECISIONS
from vexo.core.planning.dependents import hold_dependents
from vexo.core.planning.frame import FieldColumns
from vexo.core.planning.verdicts import CellAction
from vexo.core.problems import FAULT
from vexo.core.writing.batches import AFTER, AT, freeze

VERDICTS = st.sampled_from(["create", "create", "create", "update", "same", "held", "rejected", "aside"])
ROWS = st.integers(1, 7).flatmap(
    lambda count: st.lists(
        st.tuples(VERDICTS, st.one_of(st.none(), st.integers(0, count - 1)), st.booleans()),
        min_size=count,
        max_size=count,
    )
)
"""Of each row: its verdict, the row to which it refers, and whether a person leaves that cell out where it is asked."""
QUESTIONS = {"row_id": pl.UInt32, "code": pl.String, "field": pl.String, "digest": pl.String}
PARENT = FieldColumns("parent")


def plan_of(rows: list[Any]) -> pl.DataFrame:
    """A plan of rows 2, 3, …; their ``row_id`` are from 0."""
    refers = [f"@row:{to}:{to + 2}" if to is not None else None for _, to, _ in rows]
    return pl.DataFrame(
        {
            "row_id": pl.Series(range(len(rows)), dtype=pl.UInt32),
            "row": pl.Series([at + 2 for at in range(len(rows))], dtype=pl.UInt32),
            "verdict": [verdict for verdict, _, _ in rows],
            "faults": pl.Series([[]] * len(rows), dtype=pl.List(FAULT)),
            "@id": pl.Series([None if v == "create" else f"r{at}" for at, (v, _, _) in enumerate(rows)]).cast(
                pl.String
            ),
            "@version": pl.Series([None] * len(rows), dtype=pl.String),
            PARENT.action: pl.Series(
                [CellAction.WRITE if to is not None else CellAction.NOTHING for to in refers], dtype=pl.UInt8
            ),
            PARENT.proposed: pl.Series(refers, dtype=pl.String),
            PARENT.current: pl.Series([None] * len(rows), dtype=pl.String),
            FieldColumns("name").action: pl.Series([CellAction.WRITE] * len(rows), dtype=pl.UInt8),
            FieldColumns("name").proposed: pl.Series(["n"] * len(rows), dtype=pl.String),
        }
    )


def planned(plan: pl.DataFrame, decisions: pl.DataFrame) -> tuple[pl.DataFrame, pl.DataFrame]:
    return hold_dependents(plan, pl.DataFrame(schema=QUESTIONS), decisions, ["parent"])


def answered_where_asked(plan: pl.DataFrame, rows: list[Any]) -> tuple[pl.DataFrame, pl.DataFrame]:
    """Planned, with the cells left out of rows that say so, as often as something more is asked."""
    decisions = pl.DataFrame(schema=DECISIONS)
    while True:
        after, questions = planned(plan, decisions)
        leave = [at for at, (_, _, leaves) in enumerate(rows) if leaves]
        said = questions.filter(pl.col("row_id").is_in(leave)).with_columns(
            pl.lit("leave out").alias("answer"), pl.lit("").alias("argument")
        )
        if said.is_empty():
            return after, decisions
        decisions = pl.concat([decisions, said.select(list(DECISIONS))])


class Rows:
    """The rule, read plainly."""

    def __init__(self, rows: list[Any]) -> None:
        self.rows = rows

    def in_circle(self, at: int, cut: bool) -> bool:
        """Whether a row comes back to itself, some cells on the way left out."""
        seen, here = set(), at
        while True:
            _, to, leaves = self.rows[here]
            if to is None or here in seen or (cut and leaves and self.in_circle(here, cut=False)):
                return False
            seen.add(here)
            here = to
            if here == at:
                return True

    def goes(self, at: int) -> bool:
        verdict, to, leaves = self.rows[at]
        if verdict not in ("create", "update", "same"):
            return False
        if to is None or (leaves and self.in_circle(at, cut=False)):
            return True
        if self.in_circle(at, cut=True):
            return False
        return (self.rows[to][0] == "create" and self.goes(to)) or leaves


class Dependents(unittest.TestCase):
    @given(ROWS)
    def test_a_row_goes_where_what_it_refers_to_is_made(self, rows: list[Any]) -> None:
        plan = plan_of(rows)
        after, decisions = answered_where_asked(plan, rows)
        plain = Rows(rows)
        for at, (before, _, _) in enumerate(rows):
            verdict = after["verdict"][at]
            if before in ("rejected", "aside"):
                self.assertEqual(verdict, before)
            else:
                self.assertEqual(verdict in ("create", "update", "same"), plain.goes(at), (at, rows))
        again, _ = planned(plan, decisions)
        self.assertTrue(again.equals(after), "answers give the same plan again")

    @given(ROWS)
    def test_parents_are_sent_first_and_each_names_a_record_then(self, rows: list[Any]) -> None:
        after, _ = answered_where_asked(plan_of(rows), rows)
        frozen = freeze(after)
        sent = frozen["row_id"].to_list()
        self.assertEqual(sorted(sent), [at for at, v in enumerate(after["verdict"]) if v in ("create", "update")])
        made: dict[int, str] = {}
        for line in frozen.iter_rows(named=True):
            writes = line[PARENT.action] == CellAction.WRITE and line[PARENT.proposed]
            if writes:
                self.assertLess(line[AFTER], line[AT])
                one = frozen.filter(pl.col(AT) == line[AT])
                said = with_made(one, [PARENT.proposed], made)[PARENT.proposed][0]
                self.assertEqual(said, f"new-{rows[line['row_id']][1]}")
            if line["verdict"] == "create":
                made[line["row_id"]] = f"new-{line['row_id']}"

    def test_a_level_of_all_trees_goes_at_a_time(self) -> None:
        roots = [("create", None, False)] * 3
        plan = plan_of([*roots, ("create", 0, False), ("create", 1, False), ("create", 3, False)])
        self.assertEqual(freeze(plan)["row_id"].to_list(), [0, 1, 2, 3, 4, 5])
        self.assertEqual(freeze(plan)[AFTER].to_list(), [None, None, None, 0, 1, 3])

    def test_it_is_shown_by_its_row(self) -> None:
        self.assertEqual(shown(pl.Series(["@row:3:5", "17", None])).to_list(), ["new, row 5", "17", None])
