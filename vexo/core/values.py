"""Texts and typed values in whole columns: how they are compared, and typed values as text."""

from __future__ import annotations

import unicodedata
from collections.abc import Callable, Sequence
from datetime import date, datetime
from decimal import Context, Decimal
from typing import Any

import polars as pl

from .new_records import shown
from .records import FREE_DECIMALS, Field, Kind

SEPARATOR = ";"
SPACE_CHARACTERS = (
    "\t\n\x0b\x0c\r \x85\u00a0\u1680\u2000\u2001\u2002\u2003\u2004\u2005\u2006\u2007\u2008\u2009\u200a"
    "\u2028\u2029\u202f\u205f\u3000\ufeff"
)
"""All characters that are space, as ``SPACES`` has them; for stripping, which needs no pattern."""
SPACES = "[\\s\u00a0\u2007\u202f\ufeff]"
NOT_ASCII = r"[^\x00-\x7f]"
_MOMENT_DTYPE = pl.Datetime("us", "UTC")


def dtype(field: Field) -> Any:
    """The column type of a field's values. Decimals have the catalogue's scale, or ``FREE_DECIMALS``."""
    match field.kind:
        case Kind.DECIMAL:
            return pl.Decimal(38, field.decimals)
        case Kind.WHOLE:
            return pl.Int64()
        case Kind.YES_NO:
            return pl.Boolean()
        case Kind.DATE:
            return pl.Date()
        case Kind.MOMENT:
            return _MOMENT_DTYPE
        case Kind.CHOICES:
            return pl.List(pl.String)
    return pl.String()


def on_unique(texts: pl.Series, function: Callable[[str], str | None]) -> pl.Series:
    """``function`` of each different text, laid back over the column; for what has no column operation."""
    different = texts.drop_nulls().unique()
    results = pl.Series([function(text) for text in different.to_list()], dtype=pl.String)
    return texts.replace_strict(different, results, default=None, return_dtype=pl.String)


_SAMPLE = 10_000
"""Texts by which it is seen whether all of a column may be different."""


def count_different(texts: pl.Series) -> int:
    """How many different texts there are; null is none."""
    texts = texts.drop_nulls()
    if len(texts) > _SAMPLE and texts.head(_SAMPLE).n_unique() == _SAMPLE and texts.hash().n_unique() == len(texts):
        # Different hashes are of different texts; to count them takes half the time, or a third.
        return len(texts)
    return texts.n_unique()


SHORT = 1_000
"""Rows up to which a step takes longer than all cells that it is done to: few steps count there, not few cells."""


def normal_all(columns: Sequence[pl.Series]) -> list[pl.Series]:
    """Texts of columns as they are compared: NFC, line ends as LF, an empty text is null.

    Args:
        columns: all of one length.
    """
    if not columns:
        return []
    if len(columns) > 1 and len(columns[0]) <= SHORT:
        rows, texts = len(columns[0]), normal(pl.concat(columns, rechunk=True))
        return [texts.slice(at * rows, rows).alias(column.name) for at, column in enumerate(columns)]
    frame = pl.DataFrame([texts.alias(f"text.{at}") for at, texts in enumerate(columns)])
    names = frame.columns
    # Most columns have none of it: to see that takes a fraction of what it takes to do it.
    odd = frame.select(
        *((pl.col(n).str.len_bytes() != pl.col(n).str.len_chars()).any().alias(f"foreign.{n}") for n in names),
        *(pl.col(n).str.contains("\r", literal=True).any().alias(f"returns.{n}") for n in names),
        *((pl.col(n) == "").any().alias(f"blank.{n}") for n in names),
    )
    if not any(odd.row(0)):
        return list(columns)
    normal_columns = []
    for name in names:
        text = pl.col(name)
        if odd[f"returns.{name}"][0]:
            text = as_lines(text)
        elif odd[f"blank.{name}"][0]:
            text = text.replace("", None)
        normal_columns.append(text.str.normalize("NFC") if odd[f"foreign.{name}"][0] else text)
    plain = frame.select(normal_columns)
    return [plain[f"text.{at}"].alias(texts.name) for at, texts in enumerate(columns)]


def as_lines(texts: pl.Expr) -> pl.Expr:
    """Texts with line ends as LF; an empty one is null."""
    return texts.str.replace_all("\r\n|\r", "\n").replace("", None)


def normal(texts: pl.Series) -> pl.Series:
    """One column as ``normal_all`` has it."""
    return normal_all([texts])[0]


def nfc(texts: pl.Series) -> pl.Series:
    """Texts with letters and their accents in one character where there is one (Unicode's form C)."""
    text = pl.col(texts.name)
    foreign = texts.to_frame().select((text.str.len_bytes() != text.str.len_chars()).any()).item()
    return texts.str.normalize("NFC") if foreign else texts


def without_spaces(texts: pl.Expr) -> pl.Expr:
    """Text without spaces at the ends, non-breaking ones too; nothing left is null."""
    return texts.str.strip_chars(SPACE_CHARACTERS).replace("", None)


def bare(texts: pl.Series) -> pl.Series:
    """One column as ``without_spaces`` has it."""
    return texts.to_frame().select(without_spaces(pl.col(texts.name))).to_series()


def ascii_digits(texts: pl.Series) -> pl.Series:
    """Texts with the decimal digits of every script as 0 to 9."""
    if not texts.str.contains(NOT_ASCII).any():
        return texts
    return on_unique(texts, lambda text: "".join(str(unicodedata.decimal(c, c)) for c in text))


def split_items(text: str, separator: str = SEPARATOR) -> list[str]:
    r"""The items of a many-valued cell: split at ``;``, or another separator; with ``\`` before it, it stands for
    itself, and so does ``\``."""
    items: list[str] = []
    current, escaped = "", False
    for character in text:
        if escaped:
            current, escaped = current + character, False
        elif character == "\\":
            escaped = True
        elif character == separator:
            items, current = [*items, current], ""
        else:
            current += character
    return [item.strip() for item in [*items, current] if item.strip()]


def join_items(items: list[str]) -> str:
    """The reverse of split_items."""
    return f"{SEPARATOR} ".join(item.replace("\\", "\\\\").replace(SEPARATOR, "\\" + SEPARATOR) for item in items)


def to_text(field: Field, values: pl.Series) -> pl.Series:
    """Typed values as a sheet holds them: ISO dates, plain decimals, items joined with ``; ``."""
    match field.kind:
        case Kind.DECIMAL if field.scale is None:
            return _shortest(values.cast(pl.String))
        case Kind.YES_NO:
            return values.replace_strict([True, False], ["yes", "no"], default=None, return_dtype=pl.String)
        case Kind.CHOICES:
            if values.list.eval(pl.element().str.contains(r"[;\\]")).list.any().any():
                items = (
                    pl.element().str.replace_all("\\", "\\\\", literal=True).str.replace_all(";", "\\;", literal=True)
                )
                values = values.list.eval(items)
            return values.list.join(f"{SEPARATOR} ").replace("", None)
        case Kind.MOMENT:
            return values.dt.strftime("%Y-%m-%dT%H:%M:%S%.fZ")
        case Kind.REFERENCE:
            return shown(values.cast(pl.String))
    return values.cast(pl.String)


EXACT = Context(prec=100)
"""Adds and subtracts with all digits: sums of a million numbers of 38 digits have fewer."""


def exact_sum(values: pl.Series) -> Decimal:
    """The sum of a column of numbers with all its digits, also where these are more than the column's type holds; 0
    without any. Of numbers that have no fixed decimals it has no zeros at its end."""
    if values.dtype.is_integer():
        return Decimal(int(values.cast(pl.Int128).sum()))
    try:
        total = Decimal(str(values.sum() or 0))
        free = isinstance(values.dtype, pl.Decimal) and values.dtype.scale == FREE_DECIMALS
        return EXACT.normalize(total) if free else total
    except pl.exceptions.ComputeError:
        half = len(values) // 2
        return EXACT.add(exact_sum(values[:half]), exact_sum(values[half:]))


def _shortest(numbers: pl.Series) -> pl.Series:
    """Written numbers without zeros at the end of their decimals; those of a number without decimals stay."""
    return numbers.str.replace(r"(\.\d*?)0*$", "${1}").str.strip_chars_end(".")


def same(left: str, right: str, field: Field) -> pl.Expr:
    """Whether two columns hold equal values. Empty equals empty; an empty set is empty."""
    a, b = pl.col(left), pl.col(right)
    if field.kind == Kind.CHOICES:
        empty: pl.Expr = pl.lit([], dtype=pl.List(pl.String))
        return a.fill_null(empty).eq(b.fill_null(empty))
    return a.eq_missing(b)


def is_empty(column: str, field: Field) -> pl.Expr:
    """Whether a column holds nothing."""
    if field.kind == Kind.CHOICES:
        return pl.col(column).list.len().fill_null(0) == 0
    return pl.col(column).is_null()


def rounded_to_15(values: pl.Series) -> pl.Series:
    """Numbers, and texts of digits, as a spreadsheet would keep them: 15 significant digits. Others are null."""
    texts = values.cast(pl.String)
    if values.dtype == pl.String:
        texts = texts.set(~texts.str.contains(r"^\d+$").fill_null(value=False), None)
    long = texts.str.replace_all(r"[-.]", "").str.strip_chars_start("0").str.len_chars() > 15
    if not long.any():
        return pl.Series([None], dtype=values.dtype).new_from_index(0, len(values))
    rounded = on_unique(
        texts.set(~long.fill_null(value=False), None), lambda text: format(_round_15(Decimal(text)), "f")
    )
    return rounded.cast(values.dtype, strict=False)


def _round_15(number: Decimal) -> Decimal:
    return number if number == 0 else round(number, 14 - number.adjusted())


def to_python(field: Field, value: Any) -> Any:
    """One typed value for JSON: exact text for decimals, ISO for dates and moments."""
    if value is None or field.kind in (Kind.YES_NO, Kind.WHOLE):
        return value
    if isinstance(value, pl.Series):
        value = value.to_list()
    if field.kind == Kind.CHOICES:
        return list(value)
    if field.kind == Kind.MOMENT:
        return str(value.isoformat()).replace("+00:00", "Z")
    # A small decimal would be written with a power of ten.
    return format(value, "f") if isinstance(value, Decimal) else str(value)


def from_python(field: Field, value: Any) -> Any:
    """The reverse of ``to_python``."""
    if value is None:
        return None
    match field.kind:
        case Kind.DECIMAL:
            return Decimal(value)
        case Kind.DATE:
            return date.fromisoformat(value)
        case Kind.MOMENT:
            return datetime.fromisoformat(value.replace("Z", "+00:00"))
    return value
