"""Near keys: found in columns as one finds them pair by pair, and what becomes of rows that have one."""

from __future__ import annotations

import re
import unittest
from decimal import ROUND_HALF_EVEN, Context, Decimal
from typing import Any

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from tests.core.examples import answers, codes, plan, plan_and_questions, verdicts
from vexo.core.keys.near import near_keys, near_records
from vexo.core.operations import Operation
from vexo.core.planning.verdicts import CellAction

NAMES = ["code", "rate", "name"]
FORMS = ("equal", "cut", "capitals", "separators", "looks", "zeros")


def cut(text: str) -> str:
    if not re.fullmatch(r"\d{16,}", text):
        return text
    return format(Context(prec=15, rounding=ROUND_HALF_EVEN).create_decimal(Decimal(text)), "f").zfill(len(text))


def form(text: str, way: str) -> str:
    """A key as a form has it, written down as semantics.md 6 says it; each form takes in those before it."""
    if way in ("equal", "cut"):
        return cut(text) if way == "cut" else text
    text = text.lower()
    if way == "capitals":
        return text
    text = re.sub(r"[\s\-_./]", "", text)
    if way == "separators":
        return text
    text = text.replace("o", "0").replace("l", "1").replace("i", "1")
    return re.sub(r"(?<![0-9])0+(?=[0-9])", "", text) if way == "zeros" else text


def swapped(text: str, other: str) -> bool:
    return any(
        text[:at] + text[at + 1] + text[at] + text[at + 2 :] == other and text != other
        for at in range(len(text) - 1)
        if not (text[at].isdecimal() and text[at + 1].isdecimal())
    )


def one(text: str, other: str) -> bool:
    if len(text) < 5:
        return False
    if len(text) == len(other):
        differing = [(a, b) for a, b in zip(text, other, strict=True) if a != b]
        return len(differing) == 1 and not (differing[0][0].isdigit() and differing[0][1].isdigit())
    short, long = sorted((text, other), key=len)
    return len(long) == len(short) + 1 and any(long[:at] + long[at + 1 :] == short for at in range(len(long)))


def near(lost: tuple[str, ...], known: list[tuple[str, ...]]) -> list[int]:
    """The places of the keys that are near, by the first way that gives any, pair by pair."""
    for way in FORMS[1:]:
        found = [
            at
            for at, key in enumerate(known)
            if all(form(a, way) == form(b, way) for a, b in zip(lost, key, strict=True))
        ]
        if found:
            return found
    for slip in (swapped, one):
        found = [
            at
            for at, key in enumerate(known)
            if any(
                slip(lost[n], key[n])
                and all(form(lost[m], "zeros") == form(key[m], "zeros") for m in range(len(key)) if m != n)
                for n in range(len(key))
            )
        ]
        if found:
            return found
    return []


KEY = st.one_of(
    st.sampled_from(["B-031", "B-O31", "b-031", "B031", "B-31", "B-301", "BB-031", "B-0311", "B_031", "C-031", "Il-1"]),
    st.text("AaBb01Oo-_ .", min_size=1, max_size=7).map(str.strip).filter(bool),
    st.sampled_from(["1234567890123456", "1234567890123460", "12345678901234567", "0018000", "18000", "0018001"]),
)


class Pairs(unittest.TestCase):
    def held(self, lost: list[tuple[str, ...]], known: list[tuple[str, ...]]) -> None:
        names = [f"f{n}" for n in range(len(lost[0]))]
        wanted = pl.DataFrame(lost, schema=dict.fromkeys(names, pl.String), orient="row")
        there = pl.DataFrame(known, schema=dict.fromkeys(names, pl.String), orient="row")
        there = there.with_columns(pl.int_range(pl.len()).cast(pl.String).alias("@id"))
        found = near_records(wanted, there, names)
        for at, key in enumerate(lost):
            self.assertEqual([int(i) for i in found.filter(found["at"] == at)["@id"]], near(key, known), (key, known))

    @given(st.lists(KEY, min_size=1, max_size=4, unique=True), st.lists(KEY, max_size=8, unique=True))
    def test_a_key_of_one_field(self, lost: list[str], known: list[str]) -> None:
        self.held([(key,) for key in lost if key not in known] or [("?",)], [(key,) for key in known])

    @given(
        st.lists(st.tuples(st.sampled_from(["NORTH", "N0RTH", "SOUTH"]), KEY), min_size=1, max_size=4, unique=True),
        st.lists(st.tuples(st.sampled_from(["NORTH", "north", "SOUTH"]), KEY), max_size=6, unique=True),
    )
    def test_a_key_of_two_fields(self, lost: list[tuple[str, str]], known: list[tuple[str, str]]) -> None:
        self.held([key for key in lost if key not in known] or [("?", "?")], list(known))

    def test_by_example(self) -> None:
        there = ["B-031", "C-007", "0018000", "NORTHHAVEN", "A-021", "A-0013"]
        told = near_keys(["B-O31", "c-007", "C_7", "18000", "NORTHAHVEN", "NORTHHAVE", "A-012", "A-0015", "QQ"], there)
        wanted = {
            "B-O31": ["B-031"], "c-007": ["C-007"], "C_7": ["C-007"], "18000": ["0018000"],
            "NORTHAHVEN": ["NORTHHAVEN"], "NORTHHAVE": ["NORTHHAVEN"],
        }  # fmt: skip
        self.assertEqual(told, wanted, "a figure for a figure may be another key")


class Planned(unittest.TestCase):
    now = (("1", "v", "B-031", "5", "n"), ("2", "v", "C-007", "5", "n"), ("3", "v", "C-070", "5", "n"))

    def made(self, rows: list[tuple[str, ...]], operation: Operation, said: Any = None) -> pl.DataFrame:
        return plan(NAMES, rows, list(self.now), operation=operation, said=said)

    def test_a_near_key_holds_what_would_be_created_and_rejects_what_would_be_changed(self) -> None:
        row = ("B-O31", "6", "x")
        for operation in Operation:
            made = self.made([row], operation)
            held = operation.creates
            self.assertEqual(verdicts(made), ["held" if held else "rejected"], operation)
            self.assertEqual(codes(made)[0][0], "near-key" if held else "not-found")
            self.assertEqual(made["faults"][0][0]["arguments"][1:3], ["B-031", "1"])

    def test_it_is_that_record_and_its_key_is_not_written(self) -> None:
        for operation in (Operation.UPDATE, Operation.UPSERT):
            made = self.made([("B-O31", "6", "n")], operation, [(2, None, "nearest")])
            self.assertEqual((verdicts(made), made["@id"].to_list()), (["update"], ["1"]))
            self.assertEqual((made["action.code"][0], made["action.rate"][0]), (CellAction.NOTHING, CellAction.WRITE))
        deleted = self.made([("B-O31", "6", "n")], Operation.DELETE, [(2, None, "nearest")])
        self.assertEqual((verdicts(deleted), deleted["@id"].to_list()), (["delete"], ["1"]))

    def test_or_a_new_one_where_that_may_be_made(self) -> None:
        self.assertEqual(verdicts(self.made([("B-O31", "6", "n")], Operation.UPSERT, [(2, None, "new")])), ["create"])
        self.assertEqual(verdicts(self.made([("B-O31", "6", "n")], Operation.UPDATE, [(2, None, "new")])), ["rejected"])

    def test_of_several_none_is_the_nearest(self) -> None:
        rows = [("C-0O7", "6", "x"), ("C0-07", "6", "x")]
        now = [*self.now, ("4", "v", "C-0-07", "5", "n"), ("5", "v", "C007", "5", "n")]
        made = plan(NAMES, rows, now, operation=Operation.UPSERT, said=[(2, None, "nearest"), (3, None, "nearest")])
        self.assertEqual(verdicts(made), ["held", "held"])

    def test_a_record_that_another_row_has_found_is_no_candidate(self) -> None:
        made = self.made([("B-031", "6", "n"), ("B-O31", "7", "x")], Operation.UPSERT)
        self.assertEqual(verdicts(made), ["update", "create"])

    def test_the_answer_binds_through_another_text_of_the_row_and_lapses_with_what_is_near(self) -> None:
        first = plan_and_questions(NAMES, [("B-O31", "6", "n")], list(self.now), operation=Operation.UPSERT)
        said = answers(*first, [(2, None, "nearest")])
        for now, wanted in ((self.now, ["update"]), ([*self.now, ("4", "v", "b-031", "5", "n")], ["held"])):
            made = plan(NAMES, [("B-O31", "7", "n")], list(now), operation=Operation.UPSERT, decisions=said)
            self.assertEqual(verdicts(made), wanted)

    def test_two_rows_that_a_person_says_are_one_record_are_asked_about(self) -> None:
        rows = [("B-O31", "6", "n"), ("b-031", "7", "n")]
        made = self.made(rows, Operation.UPSERT, [(2, None, "nearest"), (3, None, "nearest")])
        self.assertEqual((verdicts(made), codes(made)), (["held", "held"], [["shared"], ["shared"]]))

    def test_a_record_that_is_gone_is_created_anew_where_a_person_says_so(self) -> None:
        kept = [("9", "v", "Z", "5", "n")]
        for operation in (Operation.UPDATE, Operation.UPSERT):
            made = plan(NAMES, [("Z", "6", "n")], [], kept, operation=operation)
            self.assertEqual(codes(made), [["gone"]])
            anew = plan(NAMES, [("Z", "6", "n")], [], kept, operation=operation, said=[(2, None, "new")])
            self.assertEqual((verdicts(anew), anew["proposed.code"].to_list()), (["create"], ["Z"]))
            self.assertEqual(anew["action.rate"][0], CellAction.WRITE)

    def test_of_rows_about_one_record_one_counts(self) -> None:
        rows = [("B-031", "6", "n"), ("B-031", "7", "n"), ("B-031", "7", "n")]
        made = self.made(rows, Operation.UPDATE, [(3, None, "counts")])
        self.assertEqual(verdicts(made), ["aside", "update", "aside"])
        self.assertEqual(codes(made), [["other-counts"], [], ["other-counts"]])
        both = self.made(rows, Operation.UPDATE, [(3, None, "counts"), (2, None, "counts")])
        self.assertEqual(verdicts(both), ["held"] * 3)
        first = plan_and_questions(NAMES, rows, list(self.now))
        said = answers(*first, [(3, None, "counts")])
        edited = plan(NAMES, [rows[0], ("B-031", "8", "n"), rows[2]], list(self.now), decisions=said)
        self.assertEqual(verdicts(edited), ["held"] * 3, "what was seen is not what is there")

    def test_a_copied_row_is_a_new_record_and_the_other_goes_on(self) -> None:
        names = ["id", *NAMES]
        now = [("1", "v", "A", "5", "n"), ("2", "v", "B", "6", "m")]
        rows = [("1", "A", "5", "n"), ("1", "A-2", "9", "x"), ("2", "B", "7", "m")]
        more: dict[str, Any] = {"key": ("id",), "operation": Operation.UPDATE}
        made = plan(names, rows, now, now, **more)
        self.assertEqual(
            (verdicts(made), codes(made)), (["same", "held", "update"], [[], ["copied", "key-edited"], []])
        )
        new = plan(names, rows, now, now, said=[(3, None, "new")], **more)
        self.assertEqual(verdicts(new), ["same", "create", "update"])
        self.assertEqual((new["@id"].to_list(), new["proposed.code"][1]), (["1", None, "2"], "A-2"))
        same = plan(names, rows, now, now, said=[(3, None, "then")], **more)
        self.assertEqual(verdicts(same), ["held", "held", "update"])
        renamed = plan(names, [("1", "A-2", "5", "n")], now, now, **more)
        self.assertEqual(codes(renamed), [["key-edited"]], "a row alone was renamed, not copied")
        twins = plan(names, [("1", "A", "5", "n"), ("1", "A", "6", "n")], now, now, **more)
        self.assertEqual(verdicts(twins), ["held", "held"])

    def test_a_record_whose_key_another_one_has_is_not_created_anew(self) -> None:
        kept, now = [("9", "v", "Z", "5", "n")], [("8", "v", "Z", "5", "n")]
        made = plan(NAMES, [("Z", "6", "n")], now, kept, operation=Operation.UPSERT, said=[(2, None, "new")])
        self.assertEqual(verdicts(made), ["held"])
        both = plan(
            NAMES, [("Z", "6", "n")], now, kept, operation=Operation.UPSERT, said=[(2, None, "then"), (2, None, "new")]
        )
        self.assertEqual(verdicts(both), ["held"])

    def test_a_record_id_and_a_key_that_disagree_are_one_or_the_other(self) -> None:
        names = ["id", *NAMES]
        now = [("1", "v", "A", "5", "n"), ("2", "v", "B", "6", "n")]
        for answer, record in (("then", "2"), ("now", "1")):
            made = plan(names, [("2", "A", "9", "n")], now, now, operation=Operation.UPSERT, said=[(2, "id", answer)])
            self.assertEqual(made["@id"].to_list(), [record])
            self.assertEqual(verdicts(made), ["held" if answer == "then" else "update"], codes(made))
        told = plan(names, [("2", "Q", "9", "n")], now, now, operation=Operation.UPSERT)
        self.assertEqual(codes(told), [["identifier-without-key"]])
        new = plan(names, [("2", "Q", "9", "n")], now, now, operation=Operation.UPSERT, said=[(2, None, "new")])
        self.assertEqual(verdicts(new), ["create"])
