"""A list that both sides changed can take both edits; nothing else can be merged."""

from __future__ import annotations

import unittest

from hypothesis import given
from hypothesis import strategies as st

from tests.core.examples import codes, plan, verdicts

ITEMS = ["water", "power", "wifi"]
LISTS = st.lists(st.sampled_from(ITEMS), unique=True).map(lambda items: sorted(items, key=ITEMS.index))


def text(items: list[str]) -> str | None:
    return "; ".join(items) or None


class Merges(unittest.TestCase):
    @given(LISTS, LISTS, LISTS)
    def test_both_edits_and_nothing_else(self, then: list[str], sheet: list[str], now: list[str]) -> None:
        names = ["code", "services"]
        rows = [("A", text(sheet) or "[clear]")], [("1", "v2", "A", text(now))], [("1", "v", "A", text(then))]
        made = plan(names, *rows)
        conflict = sheet not in (then, now) and now != then
        self.assertEqual(codes(made), [["both-changed"] if conflict else []])
        if not conflict:
            return
        added, removed = set(sheet) - set(then), set(then) - set(sheet)
        wanted = [item for item in ITEMS if item in (set(now) | added) - removed]
        [fault] = made["faults"][0]
        self.assertEqual(fault["arguments"], [text(wanted) or ""])
        merged = plan(names, *rows, said=[(2, "services", "merge")])
        self.assertEqual(verdicts(merged), ["same" if wanted == now else "update"])
        if wanted != now:
            written = merged["proposed.services"][0]
            self.assertEqual(written.to_list() if written is not None else [], wanted)

    def test_an_answer_that_cannot_be_given_answers_nothing(self) -> None:
        kept = [("1", "v", "A", "40.00")]
        made = plan(["code", "rate"], [("A", "41.00")], [("1", "v2", "A", "42.00")], kept, said=[(2, "rate", "merge")])
        self.assertEqual((verdicts(made), codes(made)), (["held"], [["both-changed"]]))

    def test_the_answer_lapses_where_the_application_changed_again(self) -> None:
        kept, names = [("1", "v", "A", "water")], ["code", "services"]
        first = plan(names, [("A", "water; power")], [("1", "v2", "A", None)], kept, said=[(2, "services", "merge")])
        self.assertEqual(verdicts(first), ["update"])
        self.assertEqual(first["proposed.services"][0].to_list(), ["power"])
