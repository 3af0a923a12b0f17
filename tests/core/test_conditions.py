from __future__ import annotations

import unittest
from decimal import Decimal
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from tests.core.examples import BERTH, CATALOGUE, records
from vexo.core.conditions import Condition, ConditionError, read_condition
from vexo.core.conditions.to_expression import to_expression
from vexo.core.conditions.to_filter import literal, to_filter, without_lists
from vexo.core.conditions.tree import All, AnyOf, Compare, Holds, Includes, Not, OneOf


def read(text: str) -> Condition:
    condition = read_condition(text, BERTH, CATALOGUE)
    assert condition is not None
    return condition


def _leaf() -> st.SearchStrategy[Condition]:
    rate, name, services = BERTH.field("rate"), BERTH.field("name"), BERTH.field("services")
    text = st.text(alphabet="abAB' éxo", max_size=5)
    decimals = st.decimals(min_value=-1000, max_value=1000, places=2, allow_nan=False)
    return st.one_of(
        st.builds(Compare, st.just(rate), st.sampled_from(["eq", "ne", "gt", "ge", "lt", "le"]), decimals),
        st.builds(Compare, st.just(name), st.sampled_from(["eq", "ne"]), st.none() | text.filter(bool)),
        st.builds(OneOf, st.just(name), st.lists(text, min_size=1, max_size=3).map(tuple)),
        st.builds(Includes, st.just(services), st.sampled_from(["water", "power"])),
        st.builds(Holds, st.just(name), st.sampled_from(["contains", "startswith", "endswith"]), text, st.just(False)),
    )


def _joined(children: st.SearchStrategy[Any]) -> st.SearchStrategy[Condition]:
    parts = st.lists(children, min_size=2, max_size=3).map(tuple)
    return st.one_of(st.builds(All, parts), st.builds(AnyOf, parts), st.builds(Not, children))


TREES = st.recursive(_leaf(), _joined, max_leaves=8)
ROWS = records(
    ["name", "rate", "services"],
    ("1", "v", "ab", "5", "water"),
    ("2", "v", None, None, None),
    ("3", "v", "b'x", "-7.50", "water; power"),
    ("4", "v", "AB", "1000", "power"),
)


def meaning(condition: Condition) -> list[bool]:
    return ROWS.select(to_expression(condition).alias("holds"))["holds"].to_list()


class Reading(unittest.TestCase):
    @given(TREES)
    def test_a_tree_written_and_read_again_means_the_same(self, tree: Condition) -> None:
        again = read(to_filter(tree, BERTH))
        self.assertEqual(meaning(again), meaning(tree))
        self.assertEqual(to_filter(again, BERTH), to_filter(read(to_filter(again, BERTH)), BERTH))

    @given(TREES)
    def test_without_lists_it_means_the_same(self, tree: Condition) -> None:
        plain = without_lists(tree)
        self.assertEqual(meaning(plain), meaning(tree))
        self.assertNotIn("OneOf(", repr(plain))
        self.assertEqual(meaning(read(to_filter(plain, BERTH))), meaning(tree))

    def test_a_small_decimal_is_written_out(self) -> None:
        self.assertEqual(literal(BERTH.field("rate"), Decimal("1E-7")), "0.0000001")

    def test_precedence_and_words(self) -> None:
        tree = read("rate gt 4 and name eq 'it''s' or not (status in ('let')) and open")
        self.assertIsInstance(tree, AnyOf)
        self.assertEqual(
            to_filter(tree, BERTH), "(rate gt 4.00 and name eq 'it''s') or (not (status in ('let')) and open eq true)"
        )

    def test_paths_go_by_navigation(self) -> None:
        self.assertEqual(to_filter(read("holder/number eq '007'"), BERTH), "to_holder/number eq '007'")

    def test_literals_are_exact_decimals(self) -> None:
        tree = read("rate eq 12345678901234.565")
        assert isinstance(tree, Compare)
        self.assertEqual(tree.value, Decimal("12345678901234.565"))

    def test_null_means_empty(self) -> None:
        self.assertEqual(meaning(read("name ne null")), [True, False, True, True])
        self.assertEqual(meaning(read("name ne 'ab'")), [False, True, True, True])
        self.assertEqual(meaning(read("not (rate gt 1)")), [False, True, True, False])

    def test_slips_are_named_with_their_place(self) -> None:
        cases = {
            "ratte gt 4": (0, "'rate'"),
            "rate gt": (7, "missing"),
            "rate gt 'x'": (8, "number"),
            "name eq 'open": (8, "closed"),
            "rate gt 4 & 5": (10, "'&'"),
            "(rate gt 4": (10, "')'"),
            "status eq 'gone'": (10, "free, let"),
            "holder eq '00204'": (10, "holder/number"),
            "services eq 'water'": (9, "any"),
            "rate gt 4 rate": (10, "'and'"),
            "contains(rate,'4')": (9, "is not text"),
            "until gt 5": (9, "2026-11-16"),
            "name/x eq 'y'": (0, "leads nowhere"),
        }
        for text, (position, words) in cases.items():
            with self.subTest(text), self.assertRaises(ConditionError) as caught:
                read(text)
            self.assertEqual(caught.exception.position, position, text)
            self.assertIn(words, str(caught.exception))

    def test_depth_is_limited_not_crashed(self) -> None:
        for text in ("(" * 500 + "open" + ")" * 500, "not " * 500 + "open"):
            with self.assertRaises(ConditionError):
                read(text)

    @given(st.text(alphabet="rate gt()'4nd,:/ o", max_size=30))
    def test_any_text_is_read_or_refused(self, text: str) -> None:
        try:
            condition = read_condition(text, BERTH, CATALOGUE)
        except ConditionError:
            return
        if condition is not None:
            self.assertEqual(len(meaning(condition)), 4) if set(_names(condition)) <= set(ROWS.columns) else None


def _names(condition: Condition) -> list[str]:
    match condition:
        case All(parts) | AnyOf(parts):
            return [name for part in parts for name in _names(part)]
        case Not(part):
            return _names(part)
    return [condition.field.name]
