"""Conditions as clauses and sentences, and documents of what goes out."""

from __future__ import annotations

import unittest
from dataclasses import replace
from datetime import UTC, datetime
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from tests.core.examples import BERTH, CATALOGUE, records
from vexo.core.conditions import ConditionError, read_condition
from vexo.core.conditions.clauses import ClauseError, comparisons, expression_of, from_clauses, to_clauses, wildcards
from vexo.core.conditions.to_expression import to_expression
from vexo.core.conditions.to_filter import settled, to_filter, to_text
from vexo.core.conditions.to_sentence import to_sentence
from vexo.core.documents import DocumentError, Picked, SendOut, Share, check, default_fields, fitted, sentence
from vexo.core.keys.key_lists import read_keys
from vexo.core.records import Kind

TREE = replace(
    BERTH,
    fields=(*BERTH.fields, replace(BERTH.field("holder"), name="above", label="Above", target="Berth", tree=True)),
)
TYPES = replace(CATALOGUE, types=(TREE, *CATALOGUE.types[1:]))
VALUES = {
    Kind.DECIMAL: st.decimals(-999, 999, places=2, allow_nan=False).map(str),
    Kind.WHOLE: st.integers(-99, 99).map(str),
    Kind.DATE: st.dates().map(str),
    Kind.MOMENT: st.datetimes().map(lambda d: d.replace(microsecond=0).isoformat() + "Z"),
    Kind.CHOICE: st.sampled_from(["free", "let"]),
    Kind.CHOICES: st.sampled_from(["water", "power"]),
    Kind.REFERENCE: st.integers(1, 999).map(str),
    Kind.TEXT: st.text(alphabet="aB' é)(*?.^$\\", min_size=1, max_size=6).filter(str.strip),
}
ROWS = records(
    ["name", "rate", "services", "until"],
    ("1", "v", "ab", "5", "water", "2026-01-02"),
    ("2", "v", None, None, None, None),
    ("3", "v", "b'x", "-7.50", "water; power", "2027-06-30"),
)


@st.composite
def clauses(draw: st.DrawFn) -> dict[str, Any]:
    field = draw(st.sampled_from([f for f in TREE.fields if f.name not in ("id", "due")]))
    does = draw(st.sampled_from(comparisons(field)))
    many = {"between": 2, "one-of": 3, "none-of": 3}.get(does, 1)
    values = [draw(VALUES[field.kind]) for _ in range(many)] if field.kind in VALUES else []
    if does in ("empty", "filled", "yes", "no"):
        values = []
    if does.endswith("-days"):
        values = [str(draw(st.integers(1, 400)))]
    if does.startswith("below"):
        values = [str(draw(st.integers(1, 400)))]
    return {"field": field.name, "does": does, "values": values}


GROUPS = st.recursive(
    clauses(),
    lambda inner: st.builds(
        lambda kind, parts: {"is": kind, "parts": parts},
        st.sampled_from(["all", "any", "none"]),
        st.lists(inner, min_size=1, max_size=3),
    ),
    max_leaves=6,
)


class Clauses(unittest.TestCase):
    @given(GROUPS)
    def test_what_is_said_in_clauses_is_told_the_same_again(self, said: dict[str, Any]) -> None:
        condition = from_clauses(said, TREE, TYPES)
        assert condition is not None
        told = to_clauses(condition)
        again = from_clauses(told, TREE, TYPES)
        assert again is not None
        self.assertEqual(to_text(again, TREE), to_text(condition, TREE))
        self.assertEqual(to_clauses(again), told)
        text = to_text(condition, TREE)
        self.assertEqual(to_text(read_condition(text, TREE, TYPES) or again, TREE), text)
        self.assertTrue(to_sentence(condition, TREE, TYPES))
        plain = settled(condition, datetime(2026, 11, 27, 12, tzinfo=UTC))
        self.assertNotIn("now()", to_filter(plain, TREE))

    def test_one_clause_is_one_clause_again(self) -> None:
        for said in (
            {"field": "rate", "does": "between", "values": ["1.00", "2.00"]},
            {"field": "until", "does": "last-days", "values": ["30"]},
            {"field": "until", "does": "next-days", "values": ["7"]},
            {"field": "name", "does": "like-not", "values": ["a*b?c."]},
            {"field": "name", "does": "begins-not", "values": ["it's"]},
            {"field": "services", "does": "has-not", "values": ["water"]},
            {"field": "status", "does": "none-of", "values": ["free", "let"]},
            {"field": "above", "does": "below", "values": ["7"]},
            {"field": "open", "does": "no", "values": []},
        ):
            with self.subTest(said):
                condition = from_clauses(said, TREE, TYPES)
                assert condition is not None
                self.assertEqual(to_clauses(condition), said)

    def test_a_clause_that_is_not_whole_or_does_not_fit_says_which(self) -> None:
        for said, words in (
            ({"field": "rate", "does": "is", "values": ["x"]}, "Daily rate: 'x' is not a value"),
            ({"field": "rate", "does": "between", "values": ["1"]}, "a value is missing"),
            ({"field": "rate", "does": "contains", "values": ["1"]}, "cannot be compared by 'contains'"),
            ({"field": "rate", "does": "more", "values": ["5 or rate eq 5"]}, "is not a value of it"),
            ({"field": "until", "does": "last-days", "values": ["1.5"]}, "a whole number of days"),
            ({"is": "all", "parts": []}, "nothing in it"),
            ({"is": "all", "parts": [5]}, "names a field"),
        ):
            with self.subTest(said), self.assertRaisesRegex(ClauseError, words):
                from_clauses(said, TREE, TYPES)

    @given(VALUES[Kind.TEXT])
    def test_a_pattern_with_wildcards_is_told_as_it_was_said(self, text: str) -> None:
        self.assertEqual(wildcards(expression_of(text)), text)

    def test_days_from_today_patterns_and_trees_as_text(self) -> None:
        now = datetime(2026, 6, 30, 12, tzinfo=UTC)
        for text, ids in (
            ("until ge date(now())", ["3"]),
            ("until lt date(now() sub duration'P1D')", ["1"]),
            ("matchesPattern(name,'^b.*$')", ["3"]),
            ("not (matchesPattern(name,'^a'))", ["2", "3"]),
        ):
            condition = read_condition(text, BERTH, CATALOGUE)
            assert condition is not None
            found = ROWS.filter(to_expression(settled(condition, now)))["@id"].to_list()
            self.assertEqual(found, ids, text)
        for text, words in (
            ("name eq now()", "is not a day"),
            ("until ge now()", "compared with date"),
            ("until ge date(now() sub 5)", "duration'P30D'"),
            ("matchesPattern(name,'(')", "cannot be read"),
            ("matchesPattern(rate,'a')", "is not text"),
            ("Aggregation.isdescendant(HierarchyNodes=$root/Berths,Node=id,Ancestor=1)", "write Aggregation"),
        ):
            with self.subTest(text), self.assertRaisesRegex(ConditionError, words):
                read_condition(text, BERTH, CATALOGUE)


class Documents(unittest.TestCase):
    def test_one_comes_back_from_its_json_and_other_versions_are_refused(self) -> None:
        document = SendOut(
            "Berth", ("name",), "rate gt 1", ("-rate",), None, Share("status", (("A", ("free",)),)), "ods"
        )
        self.assertEqual(SendOut.from_json(document.to_json()), document)
        for broken in (
            {},
            {"version": 2, "record_type": "x"},
            {"record_type": "x", "fields": "abc"},
            {"record_type": "x", "share": 5},
        ):
            with self.subTest(broken), self.assertRaises(DocumentError):
                SendOut.from_json(broken)

    def test_it_is_made_whole_and_says_what_it_does(self) -> None:
        whole = check(SendOut("berths", ("name", "name"), "rate gt 1"), CATALOGUE)
        self.assertEqual((whole.record_type, whole.fields), ("Berth", ("id", "code", "name")))
        self.assertEqual(
            sentence(whole, CATALOGUE), "Every Berth where Daily rate is more than 1.00: 3 fields, as XLSX."
        )
        self.assertNotIn("flat", default_fields(replace(BERTH, alternatives=(("rate", "flat"),))))

    def test_what_a_catalogue_has_lost_is_told(self) -> None:
        kept, lost = fitted(SendOut("Berth", ("name", "gone"), "gone eq 1", ("-gone",), share=Share("gone")), CATALOGUE)
        self.assertEqual([one.use for one in lost], ["column", "order", "share", "condition"])
        self.assertEqual((kept.fields, kept.order, kept.share, kept.condition), (("name",), (), None, ""))
        kept, lost = fitted(SendOut("Berth", picked=Picked(("gone", "code"), (("1", "2"),))), CATALOGUE)
        self.assertEqual(([(one.name, one.use) for one in lost], kept.picked), ([("gone", "picked")], None))


class Lists(unittest.TestCase):
    def test_lists_that_cannot_be_told_say_what_is_wanted(self) -> None:
        for text, words in (
            ("", "Each line should hold one key"),
            ("a\tb\tc\td", "Each line should hold one key"),
            ("Code\n\n", "names no record"),
        ):
            with self.subTest(text), self.assertRaisesRegex(DocumentError, words):
                read_keys(text, BERTH)
        two = replace(BERTH, keys=(("name", "code"),))
        with self.assertRaisesRegex(DocumentError, r"Line 5 of the list lacks a part of its key: Name \+ Code\."):
            read_keys("\nname\tcode\n\nx\tA-1\n\tA-2\n", two)
        self.assertEqual(read_keys(" A-1 \r\nA-1\r\n\r\nB-2", BERTH).values, (("A-1",), ("B-2",)))
        self.assertEqual(read_keys("Name\tcode\nx\tA-1", BERTH).values, (("A-1",),))
