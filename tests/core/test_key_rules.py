"""Generated sheets against generated records: each row's verdict as one reads it in semantics.md 1, 5 and 6."""

from __future__ import annotations

import unicodedata
import unittest
from collections import Counter
from typing import Any

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from tests.core.examples import plan, verdicts
from tests.core.test_near import form
from vexo.core.operations import Operation
from vexo.core.planning.inputs import Reach
from vexo.core.records import Ignored

CODES = st.sampled_from(
    ["AB-1", "ab-1", " AB-1", "AB-1\u00a0", "AB 1", "AB-01", "\u00c4B-1", "A\u0308B-1", "CD-2", "cd2", "EF-3"]
)
NAMES = st.sampled_from(["n", "m"])
ROWS = st.lists(st.tuples(st.one_of(st.none(), st.just(" "), CODES), NAMES, st.sampled_from(["1", "2"])), max_size=6)
RECORDS = st.lists(st.tuples(CODES, NAMES, st.just("1"), st.booleans()), max_size=5)
KEYS = st.sampled_from([("code",), ("code", "name")])
KEYED = [operation for operation in Operation if operation != Operation.CREATE_UNMATCHED]
IGNORED = st.sets(st.sampled_from(list(Ignored)))


def compared(text: str, ignores: set[Ignored]) -> str:
    """A text as keys compare it."""
    text = unicodedata.normalize("NFC", text).strip()
    if Ignored.ACCENTS in ignores:
        apart = unicodedata.normalize("NFD", text)
        text = unicodedata.normalize("NFC", "".join(c for c in apart if unicodedata.category(c) != "Mn"))
    return text.lower() if Ignored.CAPITALS in ignores else text


class Reading:
    """What semantics.md says of a foreign sheet, row by row."""

    def __init__(self, rows: list[Any], there: list[Any], key: tuple[str, ...], ignores: set[Ignored], limited: bool):
        self.rows, self.there, self.limited = rows, there, limited
        at = {"code": 0, "name": 1}
        self.keys = [
            None if not (row[0] or "").strip() else tuple(compared(row[at[n]], ignores) for n in key) for row in rows
        ]
        self.known = [tuple(compared(one[at[n]], ignores) for n in key) for one in there]
        self.matches = [[n for n, other in enumerate(self.known) if other == own] for own in self.keys]
        self.found = {matches[0] for matches in self.matches if len(matches) == 1}

    def near(self, own: tuple[str, ...]) -> bool:
        """Whether a record that no row finds has a key that is one of the forms of this one, in each of its fields."""
        free = [one for n, one in enumerate(self.known) if n not in self.found]
        return any(all(form(a, "zeros") == form(b, "zeros") for a, b in zip(own, other, strict=True)) for other in free)

    def alone(self, at: int, operation: Operation) -> str:
        """The verdict of a row, as if no other were about its record."""
        own, matches = self.keys[at], self.matches[at]
        if own is None:
            return "rejected"
        if operation == Operation.CREATE and matches:
            return "aside"
        if len(matches) > 1:
            return "rejected" if operation == Operation.DELETE else "held"
        if matches:
            if self.limited and not self.there[matches[0]][3]:
                return "rejected"
            if operation == Operation.DELETE:
                return "delete"
            _, name, nights = self.there[matches[0]][:3]
            return "same" if (self.rows[at][1], self.rows[at][2]) == (name, nights) else "update"
        if not operation.creates:
            return "rejected"
        return "held" if self.near(own) else "create"

    def verdicts(self, operation: Operation) -> list[str]:
        """The verdicts of all rows: of those about one record that say the same the first counts, others are held."""
        alone = [self.alone(at, operation) for at in range(len(self.rows))]
        about: dict[Any, list[int]] = {}
        for at, verdict in enumerate(alone):
            if verdict in ("rejected", "aside"):
                continue
            matches = self.matches[at]
            if len(matches) == 1 or not matches:
                about.setdefault(matches[0] if matches else self.keys[at], []).append(at)
        for group in about.values():
            if len(group) < 2:
                continue
            says = {self.rows[at][1:] for at in group}
            for at in group if len(says) > 1 else group[1:]:
                alone[at] = "held" if len(says) > 1 or alone[at] == "held" else "aside"
        return alone


class KeyRules(unittest.TestCase):
    @given(
        ROWS,
        RECORDS,
        KEYS,
        IGNORED,
        st.sampled_from(KEYED),
        st.booleans(),
    )
    def test_each_row_is_judged_as_the_rules_say(
        self,
        rows: list[Any],
        there: list[Any],
        key: tuple[str, ...],
        ignores: set[Ignored],
        operation: Operation,
        limited: bool,
    ) -> None:
        now = [(str(at), "v", *one[:3]) for at, one in enumerate(there)]
        ids = pl.Series([str(at) for at, one in enumerate(there) if one[3]], dtype=pl.String)
        made = plan(
            ["code", "name", "nights"],
            rows,
            now,
            operation=operation,
            key=key,
            ignores=frozenset(ignores),
            reach=Reach(ids) if limited else None,
        )
        reading = Reading(rows, there, key, ignores, limited)
        wanted = reading.verdicts(operation)
        self.assertEqual(verdicts(made), wanted, f"{reading.keys} {reading.known}")
        # Nothing outside the reach, no record twice, and no new key twice.
        written = made.filter(pl.col("verdict").is_in(["update", "delete"]))["@id"].to_list()
        self.assertEqual(len(written), len(set(written)))
        if limited:
            self.assertLessEqual(set(written), set(ids.to_list()))
        created = [own for own, verdict in zip(reading.keys, verdicts(made), strict=True) if verdict == "create"]
        self.assertEqual([own for own, times in Counter(created).items() if times > 1], [])
