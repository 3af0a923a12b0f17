"""Counts and control totals of a sheet's columns, exact to the last digit.

A column's numbers are read with a point or a comma before the decimals, as its own cells say; where they say both, or
neither can be told, there is no sum.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from decimal import Decimal
from typing import Any

import polars as pl

from ..values import SPACES, count_different, without_spaces

_PLAIN = r"^[+-]?\d+$"
_CODE = r"^[+-]?0\d"
_MOST = 0.2
"""The share of a number column's cells that may be something else."""
_DIGITS = 38
"""Digits of the column type in which is summed."""
_PART = 4
"""Which part of a column is looked at first: of one of texts a fourth has more than ``_MOST`` that are no numbers."""
_GLANCE = 100
"""Cells by which it is guessed whether all may be plain numbers, before all are looked at."""
_FORMS = {
    "point": (r"^[+-]?\d+\.\d+$", r"^[+-]?\d{1,3}(,\d{3})+(\.\d+)?$", ","),
    "comma": (r"^[+-]?\d+,\d+$", r"^[+-]?\d{1,3}([. \x{a0}]\d{3})+(,\d+)?$", r"[. \x{a0}]"),
}
"""For each form: a number with decimals, one with its thousands set apart, and by what."""


@dataclass(frozen=True)
class ColumnTotals:
    """A column in figures. ``numbers`` is how many cells are numbers; ``sum``, ``least`` and ``greatest`` are exact
    texts, empty where it is not a column of numbers."""

    filled: int
    different: int
    numbers: int = 0
    sum: str = ""
    least: str = ""
    greatest: str = ""

    def to_json(self) -> dict[str, Any]:
        return asdict(self)


def _bare(texts: pl.Series) -> pl.Series:
    """A column's cells without spaces at their ends."""
    return texts.to_frame("text").select(without_spaces(pl.col("text")))["text"]


def _seen(cells: pl.Series) -> dict[str, int]:
    """How many cells are filled, look like codes, and like a number of either form."""
    patterns = {"codes": _CODE} | {
        f"{form}.{what}": pattern
        for form, means in _FORMS.items()
        for what, pattern in zip(("decimals", "groups"), means, strict=False)
    }
    frame = cells.to_frame("text").select(pl.col("text").str.contains(p).sum().alias(n) for n, p in patterns.items())
    return {**frame.row(0, named=True), "filled": cells.count()}


def _form(cells: pl.Series, counts: Mapping[str, int]) -> str | None:
    """How the decimals of a column's numbers are written."""
    points, commas = counts["point.decimals"], counts["comma.decimals"]
    if points and not commas:
        return "point"
    if commas and not points:
        # 1,234 alone reads both ways.
        return None if counts["point.groups"] == commas else "comma"
    if points and commas:
        if counts["point.groups"] and _all_of(cells, _FORMS["comma"][0], _FORMS["point"][1]):
            return "point"
        return "comma" if counts["comma.groups"] and _all_of(cells, _FORMS["point"][0], _FORMS["comma"][1]) else None
    return "comma" if counts["comma.groups"] and not counts["point.groups"] else "point"


def _all_of(cells: pl.Series, pattern: str, other: str) -> bool:
    """Whether all cells that are like one pattern are like another too."""
    first, second = cells.filter(cells.str.contains(pattern)), cells.filter(cells.str.contains(other))
    return len(second.filter(second.is_in(first.implode()))) == len(first)


def with_comma(texts: pl.Series) -> int:
    """How many numbers of a column are written with a comma before the decimals."""
    cells = _bare(texts)
    if _numbers(cells) is None or _form(cells, _seen(cells)) != "comma":
        return 0
    return int(cells.str.contains(r"^[+-]?[\d. \x{a0}]*\d,\d+$").sum())


def as_numbers(texts: pl.Series) -> pl.Series | None:
    """A column's numbers (null for other cells), or None where it is not a column of numbers."""
    # Most columns are either of texts, or of numbers written plainly: each is seen at a glance.
    if _all_plain(texts.head(_GLANCE)) and _all_plain(texts):
        return _as_decimals(texts, texts.count())
    first = texts.head(len(texts) // _PART)
    if _bare(first).count() - _like_numbers(first) > _MOST * texts.count():
        # These are more already than all of its cells that may be something else.
        return None
    like_numbers = _like_numbers(texts)
    if not like_numbers or like_numbers < (1 - _MOST) * _bare(texts).count():
        return None
    return _numbers(_bare(texts))


def _like_numbers(texts: pl.Series) -> int:
    """How many cells look like numbers, however these are written."""
    return int(texts.str.contains(rf"^{SPACES}*[+-]?\d[\d., \x{{a0}}]*{SPACES}*$").sum())


def _all_plain(texts: pl.Series) -> bool:
    """Whether all filled cells are numbers with a point or without decimals, and none is a code."""
    return bool(texts.str.contains(r"^[+-]?(0|[1-9][0-9]*)(\.[0-9]+)?$").all()) and texts.count() > 0


def _numbers(cells: pl.Series) -> pl.Series | None:
    filled, text = cells.count(), pl.col("text")
    counts = _seen(cells)
    form = _form(cells, counts) if filled and not counts["codes"] else None
    if form is None:
        return None
    decimal, grouped, between = _FORMS[form]
    is_number = text.str.contains(f"{_PLAIN}|{decimal}|{grouped}")
    ungrouped = pl.when(text.str.contains(grouped)).then(text.str.replace_all(between, "")).otherwise(text)
    points: pl.Expr = ungrouped.str.replace(",", ".", literal=True) if form == "comma" else ungrouped
    return _as_decimals(cells.to_frame("text").select(pl.when(is_number).then(points).alias("text"))["text"], filled)


def _as_decimals(texts: pl.Series, filled: int) -> pl.Series | None:
    """Numbers with a point before their decimals, exact; None where too few of the filled cells are, or they are too
    long to be summed."""
    if texts.count() < (1 - _MOST) * filled:
        return None
    if texts.str.starts_with("+").any():
        texts = texts.str.strip_prefix("+")
    point, length = texts.str.find(".", literal=True), texts.str.len_bytes()
    parts = pl.DataFrame({"point": point, "length": length, "minus": texts.str.starts_with("-")})
    sizes = parts.select(
        (pl.col("length") - pl.col("point") - 1).max().fill_null(0).alias("places"),
        (pl.coalesce("point", "length") - pl.col("minus")).max().fill_null(0).alias("whole"),
    )
    places, whole = sizes.row(0)
    if places + whole + len(str(len(texts))) > _DIGITS:
        return None
    return texts.cast(pl.Decimal(_DIGITS, places), strict=False)


def _exact(value: Any) -> str:
    return format(value, "f") if isinstance(value, Decimal) else str(value)


def column_totals(texts: pl.Series, different: int | None = None) -> ColumnTotals:
    """The figures of one column.

    Args:
        different: how many different texts it has, where they were counted before.
    """
    filled, numbers = texts.count(), as_numbers(texts)
    if different is None:
        different = count_different(texts)
    if numbers is None:
        return ColumnTotals(filled, different)
    figures = [_exact(figure) for figure in (numbers.sum(), numbers.min(), numbers.max())]
    return ColumnTotals(filled, different, numbers.count(), *figures)


Figures = dict[str, dict[str, Any]]
"""Columns in figures, by their name: of each ``ColumnTotals`` as JSON."""


def sheet_totals(cells: pl.DataFrame, columns: Sequence[str], different: Mapping[str, int] | None = None) -> Figures:
    """The figures of columns, by their name.

    Args:
        different: how many different texts each has, where they were counted before.
    """
    return {name: column_totals(cells[name], (different or {}).get(name)).to_json() for name in columns}


def as_typed(text: str) -> Decimal | None:
    """A total as a person types it (1,234.50, 1.234,50, 1 234.5), or None where it is not one."""
    plain = text.strip().replace("\u00a0", "").replace(" ", "")
    if "," in plain and ("." not in plain or plain.rindex(",") > plain.rindex(".")):
        plain = plain.replace(".", "")
        # Groups of three after each comma set thousands apart.
        parts = plain.split(",")
        many = len(parts) > 2 and all(len(part) == 3 for part in parts[1:])
        plain = "".join(parts) if many else plain.replace(",", ".")
    else:
        plain = plain.replace(",", "")
    return Decimal(plain) if re.fullmatch(r"[+-]?\d{1,38}(\.\d{1,38})?", plain) else None


def checked(expected: Mapping[str, Any], rows: int, sums: Mapping[str, str]) -> list[dict[str, Any]]:
    """What a person expects against what is there: ``what`` (empty for the rows, else a header), ``expected``, ``now``
    and ``off``, by how much it is more or less (empty where it agrees).

    Args:
        expected: ``rows`` and ``sums`` (header → text), where they were said.
        sums: header → the column's sum, empty where it has none.
    """
    differences = []
    if expected.get("rows") is not None:
        off = rows - int(expected["rows"])
        differences.append(
            {"what": "", "expected": str(expected["rows"]), "now": str(rows), "off": _signed(Decimal(off))}
        )
    for header, text in expected.get("sums", {}).items():
        now, wanted = sums.get(header, ""), as_typed(str(text))
        off_by = "?" if not now or wanted is None else _signed(Decimal(now) - wanted)
        differences.append({"what": header, "expected": str(text), "now": now, "off": off_by})
    return differences


def _signed(number: Decimal) -> str:
    return "" if number == 0 else f"{number:+f}"
