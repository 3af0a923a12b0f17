from __future__ import annotations

import unittest
from datetime import UTC, datetime, timedelta

from hypothesis import given
from hypothesis import strategies as st

from vexo.core.wording import MOMENT, moment, shortened, thousands

WORDS = st.text("abcx,.:éß", min_size=1, max_size=12)
NUMBERS = st.integers(0, 10**9).map(thousands)
MOMENTS = st.integers(0, 10**9).map(lambda s: f"({moment(datetime(2026, 11, 1, tzinfo=UTC) + timedelta(seconds=s))})")
SENTENCES = st.lists(WORDS | NUMBERS | MOMENTS, min_size=1, max_size=40).map(" ".join)


class Shortened(unittest.TestCase):
    @given(SENTENCES, st.integers(60, 200))
    def test_it_holds_whole_words_numbers_and_moments_and_says_that_it_is_cut(self, sentence: str, most: int) -> None:
        short = shortened(sentence, most)
        self.assertLessEqual(len(short), most)
        if len(sentence) <= most:
            self.assertEqual(short, sentence)
            return
        self.assertEqual(short[-1], "…")
        kept = short[:-1].split(" ")
        self.assertEqual(kept, sentence.split(" ")[: len(kept)])
        self.assertEqual(short.count(MOMENT) % 2, 0)

    def test_a_single_long_word_is_cut_where_it_must_be(self) -> None:
        self.assertEqual(shortened("x" * 20, 10), "x" * 9 + "…")
        self.assertEqual(shortened("", 10), "")
