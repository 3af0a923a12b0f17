"""Text ↔ typed values, in whole columns, and when two values are equal."""

from __future__ import annotations

import unicodedata
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal
from typing import Any

import polars as pl
from rapidfuzz import fuzz, process

from .faults import BETWEEN, problem
from .records import Field, Kind

SEPARATOR = ";"
SPACE_CHARACTERS = (
    "\t\n\x0b\x0c\r \x85\u00a0\u1680\u2000\u2001\u2002\u2003\u2004\u2005\u2006\u2007\u2008\u2009\u200a"
    "\u2028\u2029\u202f\u205f\u3000\ufeff"
)
"""All characters that are space, as ``SPACES`` has them; for stripping, which needs no pattern."""
SPACES = "[\\s\u00a0\u2007\u202f\ufeff]"
_TRUE = (
    "true",
    "yes",
    "y",
    "t",
    "1",
    "x",
    "on",
    "\u2713",
    "\u2714",
    "ja",
    "j",
    "oui",
    "vrai",
    "wahr",
    "si",
    "s\u00ed",
    "sim",
)
_FALSE = (
    "false",
    "no",
    "n",
    "f",
    "0",
    "off",
    "\u2717",
    "\u2718",
    "nein",
    "nee",
    "nej",
    "non",
    "faux",
    "falsch",
    "n\u00e3o",
)
_NUMBER = r"^[+-]?(?:\d+(?:\.\d*)?|\.\d+)$"
_LIKE = 60
_MOMENT_DTYPE = pl.Datetime("us", "UTC")


@dataclass(frozen=True)
class Parsed:
    """A column read: its typed ``values`` and, where a text is not such a value, its problem as a fault code with
    arguments (see ``faults.problem``), else null."""

    values: pl.Series
    problems: pl.Series


def dtype(field: Field) -> Any:
    """The column type of a field's values. Decimals have the catalogue's scale."""
    match field.kind:
        case Kind.DECIMAL:
            return pl.Decimal(38, field.scale if field.scale is not None else 10)
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
    made = pl.Series([function(text) for text in different.to_list()], dtype=pl.String)
    return texts.replace_strict(different, made, default=None, return_dtype=pl.String)


def normal(texts: pl.Series) -> pl.Series:
    """Text as it is compared: NFC, line ends as LF, an empty text is null."""
    own = pl.col(texts.name)
    plain = own.str.replace_all("\r\n|\r", "\n")
    if texts.str.contains(r"[^\x00-\x7f]").any():
        plain = plain.str.normalize("NFC")
    return texts.to_frame().select(plain.replace("", None)).to_series()


def bare(texts: pl.Series) -> pl.Series:
    """Text without spaces at the ends, non-breaking ones too; nothing left is null."""
    own = pl.col(texts.name)
    return texts.to_frame().select(own.str.replace_all(f"^{SPACES}+|{SPACES}+$", "").replace("", None)).to_series()


def parse(field: Field, texts: pl.Series) -> Parsed:
    """Read a column of texts as values of a field. Null and blank give null without a problem.

    A reference is left as text: whom it names is not known here.
    """
    if field.kind == Kind.TEXT:
        return _parse_text(field, texts)
    plain = bare(texts)
    if field.kind in (Kind.DECIMAL, Kind.WHOLE, Kind.DATE, Kind.MOMENT):
        plain = ascii_digits(plain)
    readers: dict[Kind, Callable[[Field, pl.Series], Parsed]] = {
        Kind.DECIMAL: _parse_number,
        Kind.WHOLE: _parse_number,
        Kind.YES_NO: _parse_yes_no,
        Kind.DATE: _parse_date,
        Kind.MOMENT: _parse_moment,
        Kind.CHOICE: _parse_choice,
        Kind.CHOICES: _parse_choices,
    }
    reader = readers.get(field.kind)
    parsed = reader(field, plain) if reader else Parsed(normal(plain), _no_problems(plain))
    return _never_lost(parsed, plain)


def _never_lost(parsed: Parsed, texts: pl.Series) -> Parsed:
    """A cell with any character in it gives a value or a problem, never an empty value by itself."""
    lost = texts.is_not_null() & parsed.values.is_null() & parsed.problems.is_null()
    if not lost.any():
        return parsed
    frame = pl.DataFrame({"lost": lost, "problem": parsed.problems})
    told = frame.select(pl.when("lost").then(pl.lit("not-read")).otherwise("problem").alias("problem"))
    return Parsed(parsed.values, told.to_series())


def _no_problems(like: pl.Series) -> pl.Series:
    return pl.Series([None], dtype=pl.String).new_from_index(0, len(like))


def _problems(cases: list[tuple[pl.Series, pl.Expr]], like: pl.Series) -> pl.Series:
    """The first case that holds for each row, as its problem."""
    chosen: Any = pl.lit(None, dtype=pl.String)
    columns = {f"c{i}": case.fill_null(value=False) for i, (case, _) in enumerate(cases)}
    for i, (_, said) in reversed(list(enumerate(cases))):
        chosen = pl.when(pl.col(f"c{i}")).then(said).otherwise(chosen)
    if len(like) == 0:
        return _no_problems(like)
    return pl.DataFrame(columns).select(chosen.alias("problem")).to_series()


def in_long_form(field: Field, texts: pl.Series) -> pl.Series:
    """Texts with the short form of a value, figures only, as the long form by which its application knows it."""
    if field.long_form is None:
        return texts
    letters, figures = field.long_form
    short = rf"^{SPACES}*(\d{{1,{figures}}}){SPACES}*$"
    padded = pl.lit(letters) + pl.col("text").str.extract(short, 1).str.zfill(figures)
    return texts.to_frame("text").select(pl.coalesce(padded, "text").alias("text"))["text"]


def _parse_text(field: Field, texts: pl.Series) -> Parsed:
    values = in_long_form(field, normal(texts))
    cases = []
    if field.max_length is not None:
        cases.append((values.str.len_chars() > field.max_length, problem("too-long", field.max_length)))
    return Parsed(values, _problems(cases, values))


def ascii_digits(texts: pl.Series) -> pl.Series:
    """Texts with the decimal digits of every script as 0 to 9."""
    if not texts.str.contains(r"[^\x00-\x7f]").any():
        return texts
    return on_unique(texts, lambda text: "".join(str(unicodedata.decimal(c, c)) for c in text))


def _parse_number(field: Field, texts: pl.Series) -> Parsed:
    scale = 0 if field.kind == Kind.WHOLE else (field.scale if field.scale is not None else 10)
    is_number = texts.str.contains(_NUMBER)
    clean = texts.set(~is_number.fill_null(value=False), None) if (~is_number).any() else texts
    places = clean.str.extract(r"\.(\d*?)0*$", 1).str.len_chars().fill_null(0)
    whole = clean.str.extract(r"^[+-]?0*(\d*)", 1).str.len_chars()
    most = (field.precision or 38) - scale if field.kind == Kind.DECIMAL else 18
    too_large = whole > min(most, 37 - scale)
    too_fine = places > scale
    letter = texts.str.contains(r"(?i)[oli]") & texts.str.contains(r"(?i)^[\d.oli]+$")
    comma = texts.str.contains(r"^[+-]?\d+,\d+$")
    bad = ~is_number
    cases = [
        (bad & letter, problem("letter-for-figure")),
        (bad & comma, problem("decimal-comma")),
        (bad, problem("not-a-number")),
        (too_large, problem("too-large")),
        (too_fine, problem("too-fine", scale)),
    ]
    problems = _problems(cases, texts)
    good = clean.set(problems.is_not_null(), None) if problems.is_not_null().any() else clean
    target = pl.Int64() if field.kind == Kind.WHOLE else dtype(field)
    if field.kind == Kind.WHOLE:
        good = good.str.replace(r"\.0*$", "")
    return Parsed(good.str.replace(r"^\+", "").cast(target, strict=False), problems)


def _parse_yes_no(field: Field, texts: pl.Series) -> Parsed:
    words = texts.str.to_lowercase()
    values = words.replace_strict(
        [*_TRUE, *_FALSE], [True] * len(_TRUE) + [False] * len(_FALSE), default=None, return_dtype=pl.Boolean
    )
    bad = texts.is_not_null() & values.is_null()
    return Parsed(values, _problems([(bad, problem("not-yes-or-no"))], texts))


def _parse_date(field: Field, texts: pl.Series) -> Parsed:
    day = texts.str.extract(r"^(\d{4}-\d{2}-\d{2})(?:[T ]00:00(?::00(?:\.0+)?)?Z?)?$", 1)
    values = day.str.to_date("%Y-%m-%d", strict=False)
    bad = texts.is_not_null() & values.is_null()
    return Parsed(values, _problems([(bad, problem("not-a-date"))], texts))


def _parse_moment(field: Field, texts: pl.Series) -> Parsed:
    shape = r"^(\d{4}-\d{2}-\d{2})(?:[T ](\d{2}:\d{2}(?::\d{2}(?:\.\d{1,6})?)?)(Z|[+-]\d{2}:\d{2})?)?$"
    clock = texts.str.extract(shape, 2).fill_null("00:00:00")
    short = clock.str.len_chars() == 5
    clock = pl.select(pl.when(short).then(clock + ":00").otherwise(clock)).to_series() if len(clock) else clock
    zone = texts.str.extract(shape, 3).fill_null("Z").replace("Z", "+00:00")
    whole = texts.str.extract(shape, 1) + "T" + clock + zone
    values = whole.str.to_datetime("%Y-%m-%dT%H:%M:%S%.f%:z", time_unit="us", strict=False)
    if values.dtype != _MOMENT_DTYPE:
        values = (
            values.cast(_MOMENT_DTYPE)
            if values.null_count() < len(values)
            else pl.Series([None] * len(values), dtype=_MOMENT_DTYPE)
        )
    bad = texts.is_not_null() & values.is_null()
    return Parsed(values, _problems([(bad, problem("not-a-moment"))], texts))


def _choice_names(field: Field) -> tuple[list[str], list[str]]:
    """Texts that name a choice, and the values they name: values first, then labels that are not values."""
    names = {choice.label: choice.value for choice in field.choices}
    names.update({choice.value: choice.value for choice in field.choices})
    return list(names), list(names.values())


def _allowed(field: Field) -> str:
    return ", ".join(choice.value for choice in field.choices)


def _parse_choice(field: Field, texts: pl.Series) -> Parsed:
    names, values = _choice_names(field)
    plain = normal(texts)
    found = plain.replace_strict(names, values, default=None, return_dtype=pl.String) if names else plain
    bad = plain.is_not_null() & found.is_null()
    if not bad.any():
        return Parsed(found, _no_problems(plain))
    lost, known = plain.set(~bad, None), dict(zip(names, values, strict=True))
    told = on_unique(lost, lambda text: BETWEEN.join(["not-a-choice", text, _allowed(field), _near(text, known)]))
    return Parsed(found, told)


def _near(text: str, names: Mapping[str, str]) -> str:
    """The choices that are most like a text, if any is. ``names`` are texts that name a choice → its value."""
    found = process.extract(text, list(names), scorer=fuzz.ratio, processor=str.casefold, limit=3, score_cutoff=_LIKE)
    return " or ".join(list(dict.fromkeys(names[name] for name, *_ in found))[:2])


def split_items(text: str) -> list[str]:
    r"""The items of a many-valued cell: split at ``;``, ``\;`` and ``\\`` stand for the characters themselves."""
    items: list[str] = []
    current, escaped = "", False
    for character in text:
        if escaped:
            current, escaped = current + character, False
        elif character == "\\":
            escaped = True
        elif character == SEPARATOR:
            items, current = [*items, current], ""
        else:
            current += character
    return [item.strip() for item in [*items, current] if item.strip()]


def join_items(items: list[str]) -> str:
    """The reverse of split_items."""
    return f"{SEPARATOR} ".join(item.replace("\\", "\\\\").replace(SEPARATOR, "\\" + SEPARATOR) for item in items)


def _parse_choices(field: Field, texts: pl.Series) -> Parsed:
    names = dict(zip(*_choice_names(field), strict=True))
    order = {choice.value: at for at, choice in enumerate(field.choices)}
    different = [text for text in texts.unique().to_list() if text is not None]
    read, problems = [], []
    for text in different:
        items = split_items(unicodedata.normalize("NFC", text))
        unknown = [item for item in items if names and item not in names]
        found = sorted({names.get(item, item) for item in items}, key=lambda v: (order.get(v, 0), v))
        near = _near(unknown[0], names) if unknown else ""
        said = BETWEEN.join(["not-a-choice", unknown[0], _allowed(field), near]) if unknown else None
        read.append(None if unknown or not found else found)
        problems.append(said)
    table = pl.DataFrame(
        {"text": different, "value": read, "problem": problems},
        schema={"text": pl.String, "value": pl.List(pl.String), "problem": pl.String},
    )
    joined = texts.to_frame("text").join(table, on="text", how="left", maintain_order="left")
    return Parsed(joined["value"], joined["problem"])


def to_text(field: Field, values: pl.Series) -> pl.Series:
    """Typed values as a sheet holds them: ISO dates, plain decimals, items joined with ``; ``."""
    match field.kind:
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
    return values.cast(pl.String)


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
    made = on_unique(texts.set(~long.fill_null(value=False), None), lambda text: format(_round_15(Decimal(text)), "f"))
    return made.cast(values.dtype, strict=False)


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
    return str(value)


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
