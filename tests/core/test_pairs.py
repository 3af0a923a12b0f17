from __future__ import annotations

import unittest
from itertools import combinations, product
from unittest.mock import patch

from tests.pairs import all_pairs

AXES = (("a", "b", "c", "d", "e", "f"), (1, 2), (True, False), ("x", "y"))


class Pairs(unittest.TestCase):
    def test_every_two_choices_come_together_in_few_cases(self) -> None:
        with patch("tests.pairs.FULL", new=False):
            cases = list(all_pairs(*AXES))
        self.assertLessEqual(len(cases), 15)
        for a, b in combinations(range(len(AXES)), 2):
            self.assertEqual({(case[a], case[b]) for case in cases}, set(product(AXES[a], AXES[b])))

    def test_all_of_them_where_that_is_wanted(self) -> None:
        with patch("tests.pairs.FULL", new=True):
            self.assertEqual(list(all_pairs(*AXES)), list(product(*AXES)))
