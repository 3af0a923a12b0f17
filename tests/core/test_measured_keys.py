"""Measured keys: each number as one counts it row by row, and what a key that ignores capitals or accents finds."""

from __future__ import annotations

import unicodedata
import unittest
from collections import Counter
from typing import Any

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from tests.core.examples import BERTH, answers, carried_rows, codes, plan, plan_and_questions, records, verdicts
from vexo.core.keys.candidates import Finds, candidates, measure, places_that_find, ranked, recommended
from vexo.core.operations import Operation
from vexo.core.records import Ignored

NAMES = ["id", "code", "name", "nights"]
CODES = st.sampled_from([None, "", " ", "A-1", " A-1", "a-1", "A-\u00c9", "A-E", "A-E\u0301", "a-e", "[x]"])
NIGHTS = st.sampled_from([None, "1", "01", "x", "2"])
ROWS = st.lists(st.tuples(st.just(None), CODES, st.sampled_from(["n", "m", None]), NIGHTS), max_size=6)
RECORDS = st.lists(
    st.tuples(
        st.sampled_from(["A-1", "a-1 ", "A-\u00c9", "A-E", None]), st.sampled_from(["n", None]), st.integers(1, 2)
    ),
    max_size=5,
)
KEYS = st.sampled_from([("code",), ("name",), ("code", "name"), ("nights",), ("code", "nights")])
IGNORED = st.sets(st.sampled_from(list(Ignored)))


def compared(name: str, value: Any, ignores: set[Ignored]) -> Any:
    """A value as keys compare it, written down from semantics.md 5.1 and 5.7; None where it is blank or unreadable (an
    unknown mark)."""
    if value is None or name == "nights":
        readable = value is not None and str(value).strip().isdigit()
        return int(value) if readable else None
    if value == "[x]":
        return None
    text = unicodedata.normalize("NFC", str(value)).strip()
    if Ignored.ACCENTS in ignores:
        apart = unicodedata.normalize("NFD", text)
        text = unicodedata.normalize("NFC", "".join(c for c in apart if unicodedata.category(c) != "Mn"))
    return (text.lower() if Ignored.CAPITALS in ignores else text) or None


def text(value: Any) -> str | None:
    return None if value is None else str(value)


class Measured(unittest.TestCase):
    @given(ROWS, RECORDS, KEYS, IGNORED)
    def test_as_one_counts_row_by_row(
        self, rows: list[Any], there: list[Any], key: tuple[str, ...], ignores: set[Ignored]
    ) -> None:
        carried = carried_rows(NAMES, rows)
        now = records(["code", "name", "nights"], *[(str(at), "1", *map(text, one)) for at, one in enumerate(there)])
        at = {"code": 0, "name": 1, "nights": 2}
        known = Counter(tuple(compared(n, one[at[n]], ignores) for n in key) for one in there)
        mine = [tuple(compared(n, row[at[n] + 1], ignores) for n in key) for row in rows]
        shared = Counter(mine)

        def finds(one: tuple[Any, ...]) -> Finds:
            if None in one:
                return Finds.BLANK
            return {0: Finds.NONE, 1: Finds.ONE}.get(known[one], Finds.SEVERAL)

        found = measure(carried, now, key, BERTH, ignores)
        wanted = Counter(map(finds, mine))
        wanted[Finds.SHARED] = sum(finds(one) == Finds.ONE and shared[one] > 1 for one in mine)
        self.assertEqual(found.rows, {one: wanted[one] for one in Finds})
        self.assertEqual(found.different, len({one for one in mine if None not in one}))
        self.assertEqual(found.distinct, len({one for one in known if None not in one}))
        for one in Finds:
            places = places_that_find(carried, now, key, one, BERTH, ignores).to_list()
            if one == Finds.SHARED:
                rows_of = [n for n, k in enumerate(mine) if finds(k) == Finds.ONE and shared[k] > 1]
            else:
                rows_of = [n for n, k in enumerate(mine) if finds(k) == one]
            self.assertEqual(places, rows_of)

    def test_each_declared_key_each_field_and_one_more_or_less_are_candidates(self) -> None:
        found = candidates(BERTH, ["id", "code", "name", "services", "open"])
        self.assertEqual(found, [("id",), ("code",), ("name",), ("code", "name")])
        self.assertEqual(candidates(BERTH, ["rate", "services"]), [("rate",)])

    def test_the_best_finds_most_rows_and_never_several_and_a_foreign_record_id_is_never_it(self) -> None:
        carried = carried_rows(NAMES, [("1", "A", "n", "1"), ("2", "B", "n", "2"), ("3", "C", "m", None)])
        there = [("1", "1", "A", "n", "1"), ("2", "1", "B", "x", "2"), ("3", "1", "Z", "y", "2")]
        now = records(["code", "name", "nights"], *there)
        figures = [measure(carried, now, key, BERTH) for key in candidates(BERTH, NAMES)]
        self.assertEqual(getattr(recommended(figures, BERTH, own=True), "fields", None), ("id",))
        self.assertEqual(getattr(recommended(figures, BERTH, own=False), "fields", None), ("code",))
        self.assertEqual(ranked(figures, BERTH, own=False)[-1].fields, ("id",))
        # Of two harbours' berths one is in reach: by their number alone those of the other find its records too.
        rows = [
            (None, "A", "north", None),
            (None, "B", "north", None),
            (None, "A", "south", None),
            (None, "B", "south", None),
        ]
        reach = records(["code", "name"], ("1", "1", "A", "north"), ("2", "1", "B", "north"))
        both = [measure(carried_rows(NAMES, rows), reach, key, BERTH) for key in (("code",), ("code", "name"))]
        self.assertEqual([one.rows[Finds.ONE] for one in both], [4, 2])
        self.assertEqual(getattr(recommended(both, BERTH, own=False), "fields", None), ("code", "name"))
        nothing = [measure(carried, now.clear(), key, BERTH) for key in candidates(BERTH, NAMES)]
        self.assertIsNone(recommended(nothing, BERTH, own=True))


class Several(unittest.TestCase):
    NOW = (("1", "1", "A", "n"), ("2", "1", "B", "n"), ("3", "1", "C", "m"))

    def asked(self, operation: Operation) -> dict[str, Any]:
        sheet = [("n", "5.00"), ("m", "6.00"), ("k", "7.00")]
        now = [(one[0], one[1], one[2], one[3], "1.00") for one in self.NOW]
        return {"names": ["name", "rate"], "sheet": sheet, "now": now, "key": ("name",), "operation": operation,
                "fields": ["code", "name", "rate"]}  # fmt: skip

    def test_it_is_asked_which_one_and_only_that_one_is_written(self) -> None:
        for operation in (Operation.UPDATE, Operation.UPSERT):
            with self.subTest(operation):
                made, questions = plan_and_questions(**self.asked(operation))
                self.assertEqual(codes(made)[:2], [["several"], []])
                self.assertEqual(verdicts(made)[:2], ["held", "update"])
                fault = made["faults"][0][0]
                self.assertEqual(fault["arguments"], ["Berths", "A (record ID 1)\nB (record ID 2)", "1,2", "2"])
                said = answers(made, questions, [(2, None, "record")], argument="2")
                after = plan(**self.asked(operation), decisions=said)
                self.assertEqual((verdicts(after)[0], after["@id"][0]), ("update", "2"))

    def test_under_delete_it_is_rejected_and_under_create_it_exists(self) -> None:
        self.assertEqual(codes(plan(**self.asked(Operation.DELETE)))[0], ["finds-several"])
        self.assertEqual(codes(plan(**self.asked(Operation.CREATE)))[0], ["exists"])


class Ignoring(unittest.TestCase):
    def made(self, code: str, *ignores: Ignored, operation: Operation = Operation.UPSERT) -> pl.DataFrame:
        now = [("1", "1", "CAF\u00c9-1", "n"), ("2", "1", "caf\u00e9-1", "m"), ("3", "1", "B\u00dc-2", "k")]
        return plan(
            ["code", "name"], [(code, "new")], now, key=("code",), operation=operation, ignores=frozenset(ignores)
        )

    def test_what_is_ignored_finds_the_record_and_never_renames_it(self) -> None:
        self.assertEqual(verdicts(self.made("b\u00fc-2")), ["held"])
        found = self.made("b\u00fc-2", Ignored.CAPITALS)
        self.assertEqual((verdicts(found), found["@id"][0], found["action.code"][0]), (["update"], "3", 0))
        self.assertEqual(verdicts(self.made("BU-2", Ignored.CAPITALS)), ["create"])
        self.assertEqual(self.made("bu-2", Ignored.CAPITALS, Ignored.ACCENTS)["@id"].to_list(), ["3"])

    def test_two_records_that_become_one_are_a_question(self) -> None:
        self.assertEqual(codes(self.made("CAF\u00c9-1")), [[]])
        self.assertEqual(codes(self.made("CAF\u00c9-1", Ignored.CAPITALS)), [["several"]])

    def test_a_new_records_key_is_written_as_the_sheet_says_it(self) -> None:
        made = self.made("Q-9", Ignored.CAPITALS)
        self.assertEqual((verdicts(made), made["proposed.code"][0]), (["create"], "Q-9"))
