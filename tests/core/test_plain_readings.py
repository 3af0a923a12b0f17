"""Each rule that makes values of cells, held against the same rule read plainly, cell by cell: every treatment, the
forms of numbers, units, references, and lists in several files."""

from __future__ import annotations

import re
import unittest
from collections.abc import Callable
from decimal import ROUND_HALF_UP, Decimal
from typing import Any

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from tests.core.examples import HOLDER, profile
from vexo.core.columns.references import key_texts, make_lookup, resolve
from vexo.core.columns.treatments import KINDS, make_table, problem_of, treat, treatment_from_json
from vexo.core.columns.treatments.numbers import FORMS, Number
from vexo.core.columns.units import doubt_unit
from vexo.core.columns.value_formats import find_forms
from vexo.core.records import Field, Kind
from vexo.core.sheets.file_parts import FilePart, join_parts

BAD = "not read"
Reading = Callable[[str, dict[str, Any]], str | None]
WORDS = st.text("abcXYé -_./1205", max_size=9)
NAMES = st.lists(
    st.sampled_from(["ada", "van", "DER", "berg", "de", "la", "mckee", "Reed", "OF"]), min_size=1, max_size=4
)
PLAIN_NUMBERS = st.sampled_from(["0", "7", "-3.5", "12.005", "+4", "1e3", "x", "0.125", "1000000", ".5"])
PARTICLES = {"van", "von", "de", "der", "den", "del", "della", "di", "da", "du", "la", "le", "of", "ten", "ter", "zu"}
PARTS = ["first", "rest", "last", "head", "2", "3", "4"]
BEGIN = {"van", "von", "de", "der", "den", "ten", "ter", "zu"}


def numbers_in(form: str) -> tuple[str, str]:
    return {"1234.5": (".", ""), "1234,5": (",", ""), "1,234.5": (".", ","), "1.234,5": (",", ".")}[form]


def number(text: str, asked: dict[str, Any]) -> str | None:
    """A number in a form, with its thousands in groups of three or not at all."""
    decimal, between = numbers_in(asked["written"])
    whole, _, rest = text.strip().partition(decimal)
    sign = whole[:1] if whole[:1] in "+-" else ""
    groups = whole[len(sign) :].split(between) if between else [whole[len(sign) :]]
    grouped = len(groups) == 1 or (1 <= len(groups[0]) <= 3 and all(len(group) == 3 for group in groups[1:]))
    figures = "".join(groups)
    if not grouped or not re.fullmatch(r"[0-9]+", figures) or not re.fullmatch(r"[0-9]*", rest):
        return BAD
    return f"{sign}{figures}" + (f".{rest}" if decimal in text else "")


def case(text: str, asked: dict[str, Any]) -> str:
    style = asked["style"]
    if style in ("upper", "lower"):
        return text.upper() if style == "upper" else text.lower()
    titled = ""
    for at, letter in enumerate(text):
        begins = not text[at - 1].isalnum() if at else True
        titled += letter.upper() if begins else letter.lower()
    if style == "title":
        return titled
    if text not in (text.upper(), text.lower()):
        return text
    words = titled.split(" ")
    for at, word in enumerate(words):
        inside = 0 < at < len(words) - 1 and word.lower() in PARTICLES
        if inside or (at == 0 and len(words) > 1 and word.lower() in BEGIN):
            words[at] = word.lower()
        elif word.startswith("Mc") and len(word) > 2:
            words[at] = f"Mc{word[2].upper()}{word[3:]}"
    return " ".join(words)


def split(text: str, asked: dict[str, Any]) -> str | None:
    parts = text.split(asked["at"])
    take = asked["take"]
    if take in ("first", "last"):
        return parts[0 if take == "first" else -1]
    if take in ("rest", "head"):
        some = parts[1:] if take == "rest" else parts[:-1]
        return asked["at"].join(some) if some else None
    return parts[int(take) - 1] if int(take) <= len(parts) else None


def initial(text: str, asked: dict[str, Any]) -> str:
    dot = "." if asked["dot"] == "yes" else ""
    made = ""
    for part in re.findall(r"[^\W\d_]+\.?|.", text):
        made += part[0] + dot if part[0].isalpha() else part
    return made.upper()


def phone(text: str, asked: dict[str, Any]) -> str:
    digits = re.sub(r"[\s().-]", "", text.replace("(0)", ""))
    if digits.startswith("00"):
        digits = f"+{digits[2:]}"
    elif digits.startswith("0"):
        digits = f"+44{digits[1:]}"
    elif not digits.startswith(("+", "44")):
        digits = f"+44{digits}"
    if digits.startswith("+440"):
        digits = f"+44{digits[4:]}"
    long_enough = len(re.sub(r"[\s().-]", "", text.replace("(0)", ""))) >= 7
    return digits if long_enough and re.fullmatch(r"\+[1-9][0-9]{6,14}", digits) else BAD


def reckoned(text: str, step: Callable[[Decimal], Decimal]) -> str:
    plain = text.strip()
    if not re.fullmatch(r"[+-]?([0-9]+(\.[0-9]*)?|\.[0-9]+)", plain):
        return BAD
    return format(step(Decimal(plain)), "f")


def values(text: str, asked: dict[str, Any]) -> str | None:
    table = {source.strip(): target for source, target in asked["pairs"]}
    if asked["others"] != "keep":
        table |= {target: target for target in table.values() if target}
    if text.strip() in table:
        return table[text.strip()]
    return {"keep": text, "blank": None, "reject": BAD}[asked["others"]]


def day(text: str, asked: dict[str, Any]) -> str:
    found = re.fullmatch(r"(\d{1,4})[./-](\d{1,2})[./-](\d{1,4})", text.strip())
    if not found:
        return BAD
    one, two, three = found.groups()
    if re.fullmatch(r"\d{4}-\d\d-\d\d", text.strip()):
        year, month, own = one, two, three
    else:
        order = {"day": (three, two, one), "month": (three, one, two), "year": (one, two, three)}[asked["written"]]
        year, month, own = order
    if len(year) not in (2, 4) or len(month) > 2 or len(own) > 2:
        return BAD
    full = int(year) if len(year) == 4 else int(year) + (2000 if int(year) < 70 else 1900)
    lengths = [
        31,
        29 if full % 4 == 0 and (full % 100 or full % 400 == 0) else 28,
        31,
        30,
        31,
        30,
        31,
        31,
        30,
        31,
        30,
        31,
    ]
    if not 1 <= int(month) <= 12 or not 1 <= int(own) <= lengths[int(month) - 1] or full < 1:
        return BAD
    return f"{full:04}-{int(month):02}-{int(own):02}"


def others_of(asked: dict[str, Any]) -> str:
    return str(asked.get("beside", ""))


def in_ascii(pattern: str) -> st.SearchStrategy[str]:
    return st.from_regex(pattern, alphabet=st.characters(max_codepoint=127))


ANY: dict[str, Any] = {"at": st.sampled_from([" ", "-", "ab", "."]), "more": st.text("ab1", min_size=1, max_size=2)}
RULES: dict[str, tuple[dict[str, Any], Any, Reading]] = {
    "trim": ({}, st.text("ab \u00a0\t", max_size=8), lambda t, a: re.sub("[ \u00a0\t]+", " ", t).strip(" ")),
    "case": (
        {"style": st.sampled_from(["upper", "lower", "title", "name"])},
        st.one_of(NAMES.map(" ".join), st.text("abXé -1", max_size=8).map(lambda t: t.replace("  ", " ").strip())),
        case,
    ),
    "blank": (
        {"texts": st.just(["n/k", "-", "None"])},
        st.sampled_from(["n/k", " N/K ", "-", "none", "no", "--", "a"]),
        lambda t, a: None if t.strip().lower() in ("n/k", "-", "none") else t,
    ),
    "replace": (
        {
            "find": st.sampled_from(["a", "ab", "."]),
            "put": st.sampled_from(["", "x", "$1", "aa"]),
            "how": st.sampled_from(["text", "whole"]),
        },
        WORDS,
        lambda t, a: t.replace(a["find"], a["put"]) if a["how"] == "text" else a["put"] if t == a["find"] else t,
    ),
    "split": ({"at": ANY["at"], "take": st.sampled_from(PARTS)}, WORDS, split),
    "join": ({"columns": st.just(["o"]), "between": st.sampled_from([" ", "-"]), "beside": WORDS}, WORDS, lambda t, a: (
        a["between"].join(one for one in (t, others_of(a)) if one.strip())
    )),
    "take": (
        {"end": st.sampled_from(["first", "last"]), "count": st.integers(1, 4)},
        WORDS,
        lambda t, a: t[: a["count"]] if a["end"] == "first" else t[-a["count"] :],
    ),
    "initial": ({"dot": st.sampled_from(["yes", "no"])}, st.text("abé -.", max_size=8), initial),
    "pad": (
        {"length": st.integers(1, 8), "character": st.sampled_from(["0", "*"])},
        st.text("012a", max_size=6),
        lambda t, a: t if a["character"] == "0" and not t.isdecimal() else t.rjust(a["length"], a["character"]),
    ),
    "prefix": ({"text": ANY["more"]}, WORDS, lambda t, a: t if t.startswith(a["text"]) else a["text"] + t),
    "suffix": ({"text": ANY["more"]}, WORDS, lambda t, a: t if t.endswith(a["text"]) else t + a["text"]),
    "values": (
        {"pairs": st.just([["a", "A"], ["b ", ""]]), "others": st.sampled_from(["keep", "blank", "reject"])},
        st.sampled_from(["a", " a", "b", "A", "c", "B "]),
        values,
    ),
    "number": (
        {"written": st.sampled_from(["1234.5", "1234,5", "1,234.5", "1.234,5"])},
        in_ascii(r"\A[+-]?\d{1,4}([.,]\d{3}){0,2}([.,]\d{0,2})?\Z"),
        number,
    ),
    "multiply": ({"by": st.sampled_from(["0.3048", "2", "-1"])}, PLAIN_NUMBERS, lambda t, a: (
        reckoned(t, lambda n: n * Decimal(a["by"]))
    )),
    "round": ({"to": st.integers(0, 3)}, PLAIN_NUMBERS, lambda t, a: (
        reckoned(t, lambda n: n.quantize(Decimal(1).scaleb(-a["to"]), ROUND_HALF_UP))
    )),
    "date": (
        {"written": st.sampled_from(["day", "month", "year"])},
        in_ascii(r"\A(\d{1,2}[./-]\d{1,2}[./-](\d{4}|\d{2})|\d{4}-\d\d-\d\d|x)\Z"),
        day,
    ),
    "by file": (
        {
            "columns": st.just(["o"]),
            "pairs": st.just([["a.csv", "1234,5"], ["b.csv", "1.234,5"]]),
            "beside": st.sampled_from(["a.csv", "b.csv", "c.csv"]),
        },
        st.sampled_from(["1,5", "1.234,5", "1.5", "7", "x"]),
        lambda t, a: number(t, {"written": dict(a["pairs"])[a["beside"]]}) if a["beside"] != "c.csv" else BAD,
    ),
    "phone": (
        {"country": st.just("44")},
        in_ascii(r"\A(\+44 ?|0044|0|44)?(\(0\))?[1-9][0-9 -]{3,14}\Z"),
        phone,
    ),
    "look up": (
        {"table": st.just("T"), "by": st.just("k"), "take": st.just("v")},
        st.sampled_from(["a", " b ", "c", "d"]),
        lambda t, a: {"a": "1", "b": None}.get(t.strip(), BAD),
    ),
}  # fmt: skip
TABLE = make_table(pl.Series(["a", "a", "b", "c", "c"]), pl.Series(["1", "1", None, "2", "3"]), "k")


class Treatments(unittest.TestCase):
    def test_there_is_a_plain_reading_of_every_treatment(self) -> None:
        self.assertEqual(set(RULES), set(KINDS))

    @given(st.data(), st.sampled_from(sorted(RULES)))
    def test_a_treatment_is_its_rule_read_plainly(self, data: st.DataObject, do: str) -> None:
        arguments, texts, plain = RULES[do]
        asked = {name: data.draw(strategy) for name, strategy in arguments.items()}
        text = data.draw(texts)
        own = treatment_from_json({"do": do, **{name: value for name, value in asked.items() if name != "beside"}})
        beside = {"o": pl.Series([asked.get("beside", "")])}
        tables = {"\x1f".join(("T", "k", "v")): TABLE}
        made = treat(pl.Series([text]), [own], beside, tables)
        # Blank cells stay blank through every treatment; one that joins fills them.
        wanted = plain(text, asked) if text.strip() or do == "join" else None
        if wanted == BAD:
            self.assertIsNotNone(problem_of(made)[0], (text, asked, made[0]))
        elif do in ("multiply",) and made[0] is not None and wanted is not None:
            self.assertEqual(Decimal(made[0]), Decimal(wanted))
        else:
            self.assertEqual(made[0], wanted if (wanted or "").strip() else None, (text, asked))


class Forms(unittest.TestCase):
    RATE = Field("rate", "Rate", Kind.DECIMAL, precision=18, scale=6)
    TEXTS = st.lists(
        st.sampled_from(["1", "1,5", "1.5", "1.234", "1,234", "1.234,5", "1,234.5", "12345,6", "x"]),
        min_size=1,
        max_size=6,
    )

    @given(TEXTS)
    def test_the_forms_that_fit_are_those_that_read_the_most_cells(self, texts: list[str]) -> None:
        told = find_forms(self.RATE, pl.Series(texts))
        read = {
            form: sum(number(text, {"written": form}) != BAD for text in texts)
            for form in ("1234.5", "1234,5", "1,234.5", "1.234,5")
        }
        most = max(read.values())
        for form in told.fitting:
            if isinstance(form.treatment, Number) and form.treatment.written in read:
                self.assertEqual((read[form.treatment.written], told.read), (most, most), (texts, told))
        if told.sure:
            self.assertTrue(
                all(
                    text == "x" or number(text, {"written": told.fitting[0].treatment.written}) != BAD for text in texts
                )
            )  # type: ignore[union-attr]
        self.assertIn("1234,5", FORMS)


class Units(unittest.TestCase):
    LENGTH = Field("length", "Length, m", Kind.DECIMAL, scale=2)
    FACTORS = {
        "millimetres": "0.001", "centimetres": "0.01", "inches": "0.0254",
        "feet": "0.3048", "yards": "0.9144", "kilometres": "1000",
    }  # fmt: skip

    @given(
        st.lists(st.integers(1, 60_000), min_size=1, max_size=8),
        st.sampled_from(["LOA", "LOA (feet)", "Length cm", "Length, m"]),
        st.sampled_from([None, (6, 18), (1, 2)]),
    )
    def test_it_is_asked_where_another_unit_is_named_or_fits(
        self, numbers: list[int], header: str, held: tuple[int, int] | None
    ) -> None:
        least, most = (Decimal(held[0]), Decimal(held[1])) if held else (None, None)
        doubt = doubt_unit(self.LENGTH, header, pl.Series([str(n) for n in numbers]), least, most)
        named = {"LOA (feet)": "feet", "Length cm": "centimetres"}.get(header)
        wanted = [named] if named else []
        if held:
            low, high = Decimal(held[0]) / Decimal("1.5"), held[1] * Decimal("1.5")
            inside = lambda factor: sum(low <= n * Decimal(factor) <= high for n in numbers) / len(numbers)  # noqa: E731
            if 1 - inside("1") > 0.5:
                wanted += [unit for unit, factor in self.FACTORS.items() if unit != named and inside(factor) >= 0.9]
        self.assertEqual([unit.name for unit in doubt.others] if doubt else [], wanted)
        for unit in doubt.others if doubt else ():
            self.assertEqual(Decimal(unit.factor), Decimal(self.FACTORS[unit.name]))


class References(unittest.TestCase):
    TEXT = st.sampled_from(["a", " a", "b\u00a0", "cafe\u0301", "caf\u00e9", "1", "", None])

    @given(
        st.lists(
            st.sampled_from(["a", " a", "b\u00a0", "cafe\u0301", "caf\u00e9", "1", "", None]), min_size=1, max_size=6
        ),
        st.lists(st.tuples(st.sampled_from(["a", "b", "caf\u00e9", "1"]), st.integers(1, 3)), max_size=5),
        st.lists(st.integers(1, 3), max_size=3, unique=True),
    )
    def test_a_text_names_the_one_record_that_any_field_finds(
        self, texts: list[str | None], by_number: list[tuple[str, int]], ids: list[int]
    ) -> None:
        column = pl.Series(texts, dtype=pl.String)
        found = {
            "number": pl.DataFrame(
                [(number_, str(i)) for number_, i in by_number],
                schema={"number": pl.String, "@id": pl.String},
                orient="row",
            ),
            "id": pl.DataFrame(
                {"id": [str(i) for i in ids], "@id": [str(i) for i in ids]}, schema={"id": pl.String, "@id": pl.String}
            ),
        }
        made, problems = resolve(column, make_lookup(key_texts(column), HOLDER, found))
        for text, record, problem in zip(texts, made, problems, strict=True):
            plain = (text or "").replace("e\u0301", "\u00e9").strip()
            named = {str(i) for number_, i in by_number if number_ == plain} | {str(i) for i in ids if str(i) == plain}
            if not plain:
                self.assertEqual((record, problem), (None, None))
            elif len(named) == 1:
                self.assertEqual((record, problem), (named.pop(), None))
            else:
                self.assertIsNone(record)
                self.assertTrue(str(problem).startswith("names-several" if named else "names-none"))


class Joining(unittest.TestCase):
    HEADERS = st.lists(
        st.sampled_from(["Harbour", "harbour ", "Berth  no.", "BERTH NO.", "Notes"]),
        min_size=1,
        max_size=3,
        unique_by=lambda h: " ".join(h.casefold().split()),
    )

    @given(st.lists(st.tuples(HEADERS, st.integers(1, 3)), min_size=2, max_size=3))
    def test_each_row_keeps_its_cells_its_file_and_its_place(self, files: list[tuple[list[str], int]]) -> None:
        files = [
            (["Harbour", *[h for h in headers if h.casefold().strip() != "harbour"]], rows) for headers, rows in files
        ]
        parts, wanted = [], []
        for at, (headers, rows) in enumerate(files):
            cells = pl.DataFrame(
                {"row": pl.Series(range(2, rows + 2), dtype=pl.UInt32)}
                | {f"c{n}": [f"{at}.{n}.{row}" for row in range(rows)] for n in range(len(headers))}
            )
            parts.append(FilePart(f"{at}.csv", cells, profile(*headers)))
            for row in range(rows):
                own = {" ".join(h.casefold().split()): f"{at}.{n}.{row}" for n, h in enumerate(headers)}
                wanted.append({**own, "file": f"{at}.csv", "row in file": str(row + 2)})
        cells, made = join_parts(parts)
        names = {column.name: " ".join(column.header.casefold().split()) for column in made.columns}
        told = [
            {names[n]: text for n, text in line.items() if n in names and text is not None}
            for line in cells.iter_rows(named=True)
        ]
        self.assertEqual(told, wanted)
        self.assertTrue(cells["row"].is_unique().all())
        self.assertEqual(len(set(names.values())), len(names), "one column a header")
