"""Conditions have two independent readers, Vexo's and the register's: they must agree on every record."""

from __future__ import annotations

import unittest
from decimal import Decimal
from typing import Any

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from tests.support import TOKEN, register
from vexo.applications.odata import ODataClient
from vexo.core.conditions import Condition, read_condition
from vexo.core.conditions.to_expression import to_expression
from vexo.core.conditions.to_filter import to_filter
from vexo.core.conditions.tree import All, AnyOf, Compare, Holds, Includes, Not, OneOf
from vexo.core.records import IDENTIFIER

FIELDS = ["registration", "name", "length_m", "storm_class", "papers", "insured_until", "home_berth", "insurance_no"]


class TwoReaders(unittest.TestCase):
    application: ODataClient

    @classmethod
    def setUpClass(cls) -> None:
        cls.application = ODataClient(register().odata("live"), TOKEN)
        cls.addClassCleanup(cls.application.close)
        cls.catalogue = cls.application.describe()
        cls.vessel = cls.catalogue.type("Vessel")
        cls.records = pl.concat(list(cls.application.read(cls.vessel, FIELDS)))

    def leaves(self) -> st.SearchStrategy[Condition]:
        field = self.vessel.field
        lengths = st.sampled_from([Decimal("7.5"), Decimal("8.0"), Decimal("11.0"), Decimal("17.0"), Decimal("7.55")])
        days = st.sampled_from(self.records["insured_until"].unique().sort().to_list())
        order = st.sampled_from(["eq", "ne", "gt", "ge", "lt", "le"])
        words = st.sampled_from(["SM-", "sm-", "Grey", "grey seal", "1", "'", "%", "_", "é"])
        classes = st.lists(st.sampled_from(["A", "B", "C"]), min_size=1, max_size=3).map(tuple)
        return st.one_of(
            st.builds(Compare, st.just(field("length_m")), order, lengths),
            st.builds(Compare, st.just(field("insured_until")), order, days),
            st.builds(
                Compare, st.just(field("storm_class")), st.sampled_from(["eq", "ne"]), st.sampled_from(["B", "C", None])
            ),
            st.builds(
                Compare, st.just(field("home_berth")), st.sampled_from(["eq", "ne"]), st.sampled_from([None, "700002"])
            ),
            st.builds(OneOf, st.just(field("storm_class")), classes),
            st.builds(Includes, st.just(field("papers")), st.sampled_from(["registry", "gas", "crew"])),
            st.builds(
                Holds,
                st.just(field("name")),
                st.sampled_from(["contains", "startswith", "endswith"]),
                words.map(str.lower),
                st.booleans(),
            ),
        )

    def trees(self) -> st.SearchStrategy[Condition]:
        def joined(children: st.SearchStrategy[Any]) -> st.SearchStrategy[Condition]:
            parts = st.lists(children, min_size=2, max_size=3).map(tuple)
            return st.one_of(st.builds(All, parts), st.builds(AnyOf, parts), st.builds(Not, children))

        return st.recursive(self.leaves(), joined, max_leaves=6)

    def test_they_agree(self) -> None:
        @given(self.trees())
        def agree(tree: Condition) -> None:
            meant = self.records.filter(to_expression(tree))[IDENTIFIER].to_list()
            found = pl.concat(list(self.application.read(self.vessel, ["name"], tree)))[IDENTIFIER].to_list()
            self.assertEqual(sorted(found), sorted(meant), to_filter(tree, self.vessel))
            again = read_condition(to_filter(tree, self.vessel), self.vessel, self.catalogue)
            assert again is not None
            self.assertEqual(self.records.filter(to_expression(again)).height, len(meant))

        agree()
