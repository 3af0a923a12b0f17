"""Damaged cells of a sheet: those in which stands what a spreadsheet makes of what went out.

The text that was is known from the kept copy, or, where all values of a field are of one plain pattern, from that.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property

import polars as pl

from ...cell_parser import parse
from ...records import Field, Kind
from ...values import NOT_ASCII, normal
from ..sheet import ROW, ROW_ID
from .kinds import (
    BETWEEN_SYSTEMS,
    CUTS,
    ERROR,
    LOOKS_HARMED,
    LOOKS_LIKE_AN_ERROR,
    POWER,
    TEXTS,
    day_marks,
    digits_of,
    forms,
    harm,
    looks_like_a_day,
    mean_one_day,
    mended,
)

DAMAGE = {
    ROW_ID: pl.UInt32(),
    ROW: pl.UInt32(),
    "column": pl.String(),
    "kind": pl.String(),
    "sure": pl.Boolean(),
    "text": pl.String(),
    "repair": pl.String(),
}
KINDS = (
    "lost-zeros",
    "lost-figures",
    "long-number",
    "date",
    "serial",
    "error",
    "accents",
    "spaces",
    "quotes",
    "cut-off",
    "read-only",
)
"""In the order in which they are told; ``read-only`` is not damage: a cell that is for reading was edited."""
_ISO, _DAY = "%Y-%m-%d", len("2026-11-27")
_LEAST = 20
"""Values of a field from which on their form can be told."""
_FEW = 2
"""Different texts that went out from which on their form can be told: those are the records at stake themselves."""
_MOST_LOST = 3
"""Figures lost at an end of a code that can still be told from others of their length."""
_LOOKED_AT = 200
"""Values of a column that are looked at for whether they are days by themselves."""
_BLANKS = r"[\s\u00a0\u202f\u200b\u2018\u2019\u201c\u201d'\"]"
_ODD = "[\u00a0\u00c2\u00c3\u00c4\u00c5\u00d0\u00d1\u00e2]"
"""Characters that broken accents begin with, and the space that does not break."""
_FOUND = {"at": pl.UInt32, "kind": pl.String, "sure": pl.Boolean, "text": pl.String, "repair": pl.String}


@dataclass(frozen=True)
class Looked:
    """A column that is looked through.

    Attributes:
        texts: its cells, as its field takes them.
        was: what went out in each row, null where that is not known.
        known: gives the different texts of the field's values in the application, where all of them are at hand.
        sent: gives all texts that went out in the field's column.
    """

    column: str
    field: Field
    texts: pl.Series
    was: pl.Series | None = None
    known: Callable[[], pl.Series | None] = lambda: None
    sent: Callable[[], pl.Series | None] = lambda: None

    def length(self) -> int | None:
        """How many figures the field's values have, where all of them are figures and equally many: as they went out,
        or else in the application."""
        return _pattern(self.sent(), _FEW) or _pattern(self.known(), _LEAST)


def _lines(cells: pl.DataFrame, column: str, some: pl.DataFrame) -> pl.DataFrame:
    """Damaged cells as a table; ``some`` has ``at``, ``kind``, ``sure``, ``text`` and ``repair``."""
    rows = cells.lazy().select(ROW_ID, ROW).with_row_index("at")
    damaged = rows.join(some.lazy(), on="at", how="inner", maintain_order="left").with_columns(column=pl.lit(column))
    return damaged.select(list(DAMAGE)).cast(dict(DAMAGE)).collect()  # type: ignore[arg-type]


def _may_be(kind: Kind) -> pl.Expr:
    """Whether a text can be a harmed form of another at all: what is told in columns, before pairs are looked at."""
    text, was = pl.col("text"), pl.col("was")
    looks = text.str.contains(LOOKS_HARMED)
    if kind in (Kind.DATE, Kind.MOMENT):
        days, days_then = (one.str.strip_chars().str.head(_DAY).str.to_date(_ISO, strict=False) for one in (text, was))
        apart = (days - days_then).dt.total_days().abs()
        return text.str.contains(LOOKS_LIKE_AN_ERROR) | text.str.contains(r"^\s*\d+\s*$") | (apart == BETWEEN_SYSTEMS)
    if kind not in (*TEXTS, Kind.CHOICES):
        return looks
    same = text.str.replace_all(_BLANKS, "") == was.str.replace_all(_BLANKS, "")
    plain = text.str.strip_chars()
    zeros = (plain == was.str.strip_chars_start("0")) | (plain == "0")
    odd = was.str.contains(NOT_ASCII) | text.str.contains(NOT_ASCII)
    numbers = was.str.contains(r"(?i)^\d+E\d+$|^\d+\.\d*0$|^\d{16,}$")
    return looks | same | zeros | odd | numbers | text.str.len_chars().is_in(CUTS) | _SHORTER


_SHORTER = (
    pl.col("text").str.contains(r"^\s*\d+\s*$")
    & (pl.col("text").str.strip_chars().str.len_chars() < pl.col("was").str.len_chars())
    & (
        pl.col("was").str.starts_with(pl.col("text").str.strip_chars())
        | pl.col("was").str.ends_with(pl.col("text").str.strip_chars())
    )
)
"""Figures that begin or end a longer text that was."""


def _any_shorter(pairs: pl.DataFrame) -> bool:
    return bool(pairs.select(_SHORTER.any()).item())


def unharmed_by_value(field: Field, texts: pl.Series, values: pl.Series, sent: pl.Series | None) -> bool:
    """Whether the values alone tell that no cell of a number or day is harmed: all are read, and no day is moved as far
    as the two counts of days lie apart.

    Args:
        values: what the texts were read as, without any treatment.
        sent: the values that went out in these rows, null where that is not known; None where none did.
    """
    if field.kind not in (Kind.DECIMAL, Kind.WHOLE, Kind.DATE):
        return False
    if (values.is_null() & texts.is_not_null()).any():
        return False
    if field.kind != Kind.DATE or sent is None:
        return True
    return not ((values - sent.cast(pl.Date, strict=False)).dt.total_days().abs() == BETWEEN_SYSTEMS).any()


def _against_what_was(looked: Looked) -> pl.DataFrame:
    """Cells that differ from what went out, by a known harm."""
    empty = pl.DataFrame(schema=_FOUND)
    if looked.was is None:
        return empty
    both = pl.DataFrame({"text": looked.texts, "was": looked.was}).with_row_index("at").drop_nulls()
    differs = both.filter(pl.col("text") != pl.col("was"))
    if len(differs):
        differs = differs.filter(normal(differs["text"]) != normal(differs["was"]))
    if differs.is_empty():
        return empty
    if looked.field.read_only:
        values = [parse(looked.field, differs[name]).values for name in ("text", "was")]
        other = ~values[0].eq_missing(values[1])
        return differs.filter(other).select(
            "at",
            pl.lit("read-only").alias("kind"),
            pl.lit(value=True).alias("sure"),
            "text",
            pl.lit(None, pl.String).alias("repair"),
        )
    pairs = differs.select("text", "was").unique().filter(_may_be(looked.field.kind))
    length = looked.length() if _any_shorter(pairs) else None
    kinds = [harm(text, was, looked.field.kind, length) for text, was in pairs.iter_rows()]
    harmed = pairs.with_columns(pl.Series("kind", kinds, dtype=pl.String)).drop_nulls("kind")
    joined = differs.join(harmed, on=["text", "was"], how="inner", maintain_order="left")
    return joined.select("at", "kind", pl.lit(value=True).alias("sure"), "text", pl.col("was").alias("repair"))


def _pattern(known: pl.Series | None, least: int) -> int | None:
    """The length of a field's values where all are digits of one length."""
    if known is None or not known.str.contains(r"^\d+$").all() or known.n_unique() < least:
        return None
    lengths = known.str.len_chars().unique()
    return int(lengths[0]) if len(lengths) == 1 else None


def _by_itself(looked: Looked) -> pl.DataFrame:
    """Harm that a cell shows by itself, where what went out is not known."""
    alone = looked.texts if looked.was is None else looked.texts.filter(looked.was.is_null())
    if alone.null_count() == len(alone):
        return pl.DataFrame(schema=_FOUND)
    values = looked.known()
    length = _pattern(values, _LEAST)
    text, text_field = pl.col("text"), looked.field.kind in TEXTS
    may = text.str.contains(rf"{LOOKS_HARMED}|^\s|\s$|{_ODD}")
    if length:
        may |= text.str.contains(rf"^\s*\d{{1,{length - 1}}}\s*$")
    different = alone.to_frame("text").lazy().drop_nulls().unique(maintain_order=True)
    some = different.filter(may).collect().to_series()
    if some.is_empty():
        return pl.DataFrame(schema=_FOUND)
    if values is not None:
        some = some.filter(~some.is_in(values.implode()))
    known = _Known(values)
    lines = []
    for one in some.to_list():
        harmed = _told_alone(one, text_field, length, known)
        if harmed is not None:
            lines.append((one, *harmed))
    schema = {"text": pl.String, "kind": pl.String, "sure": pl.Boolean, "repair": pl.String}
    if not lines:
        return pl.DataFrame(schema=_FOUND)
    table = pl.DataFrame(lines, schema=schema, orient="row")
    cells = looked.texts.alias("text").to_frame().with_row_index("at")
    return (
        (cells if looked.was is None else cells.filter(looked.was.is_null()))
        .join(table, on="text", how="inner", maintain_order="left")
        .select("at", "kind", "sure", "text", "repair")
    )


def only_known_tell(texts: pl.Series) -> bool:
    """Whether a column has texts of which the field's values in the application alone tell whether a spreadsheet made
    them of others: figures that may have lost some, and days that may have been codes."""
    return bool(texts.str.contains(rf"^\s*\d+\s*$|{LOOKS_HARMED}").any())


class _Known:
    """A field's values in the application, where they are at hand, to look texts up in."""

    def __init__(self, values: pl.Series | None) -> None:
        self._values = values if values is not None else pl.Series([], dtype=pl.String)

    def __contains__(self, text: str) -> bool:
        return text in self._all

    @cached_property
    def _all(self) -> set[str]:
        return set(self._values.to_list())

    def with_the_figures(self, text: str, length: int) -> list[str]:
        """Values of that many figures that begin or end with these."""
        return [one for one in self._all if len(one) == length and (one.startswith(text) or one.endswith(text))]

    @cached_property
    def _by_day(self) -> dict[tuple[int, int | None], list[str]]:
        """Values by the days that they can mean to a spreadsheet; none where they are days themselves."""
        serials: dict[tuple[int, int | None], list[str]] = {}
        if any(map(looks_like_a_day, self._values.head(_LOOKED_AT).to_list())):
            return serials
        for value in self._values.to_list():
            for mark in day_marks(value):
                serials.setdefault(mark, []).append(value)
        return serials

    def of_the_day(self, text: str) -> list[str]:
        """Values that a spreadsheet may have made this day of."""
        marks = day_marks(text) | {(month, None) for month, _ in day_marks(text)}
        near = dict.fromkeys(one for mark in marks for one in self._by_day.get(mark, []))
        return [one for one in near if mean_one_day(text, one)]


def _told_alone(text: str, text_field: bool, length: int | None, known: _Known) -> tuple[str, bool, str | None] | None:
    plain = text.strip()
    if ERROR.fullmatch(plain):
        return "error", True, None
    if not text_field:
        return None
    tidy = text.replace("\u00a0", " ").strip()
    if tidy != text and tidy:
        return "spaces", True, tidy
    if length and digits_of(plain) and len(plain) < length:
        zeros = plain.zfill(length)
        if zeros not in known and len(plain) >= length - _MOST_LOST:
            begun_so = known.with_the_figures(plain, length)
            if len(begun_so) == 1:
                return "lost-figures", False, begun_so[0]
        return "lost-zeros", zeros in known, zeros
    if POWER.fullmatch(plain) and "e+" in plain.lower():
        return "long-number", True, None
    if looks_like_a_day(plain):
        candidates = known.of_the_day(plain)
        if candidates:
            return "date", False, candidates[0] if len(candidates) == 1 else None
    repaired = mended(text)
    if repaired is not None:
        return "accents", repaired in known, repaired
    return None


def find_damage(cells: pl.DataFrame, looked: Iterable[Looked]) -> pl.DataFrame:
    """All damaged cells of a sheet, a line each (see ``DAMAGE``): ``repair`` is the text that was, where it is known,
    and ``sure`` tells whether that is certain."""
    parts = [pl.DataFrame(schema=DAMAGE)]
    for column in looked:
        searches = (_against_what_was,) if column.field.read_only else (_against_what_was, _by_itself)
        searched = [search(column) for search in searches]
        parts += [_lines(cells, column.column, some) for some in searched if len(some)]
    return pl.concat(parts)


def find_lost_keys(
    cells: pl.DataFrame, key: Sequence[tuple[str, Field, pl.Series]], lost: pl.Series, unmet: pl.DataFrame
) -> pl.DataFrame:
    """Rows whose record was not found since a spreadsheet harmed their key.

    Args:
        key: for each key field its column, the field and its texts.
        lost: which rows found no record.
        unmet: the keys that went out and that no row has, as texts, one column a key field.

    Returns:
        a line for each key cell with the text that was (see ``DAMAGE``); not sure, and without a repair, where several
        keys may have been it.
    """
    parts = [pl.DataFrame(schema=DAMAGE)]
    if not lost.any() or unmet.is_empty():
        return parts[0]
    rows = pl.DataFrame([cells[ROW_ID], cells[ROW], *[t.alias(f.name) for _, f, t in key]]).filter(lost)
    for column, field, _ in key:
        others = [f.name for _, f, _ in key if f.name != field.name]
        index: dict[tuple[object, ...], set[str]] = {}
        for line in unmet.drop_nulls().iter_rows(named=True):
            for form in forms(line[field.name]):
                index.setdefault((*[line[o] for o in others], form), set()).add(line[field.name])
        lines = []
        for line in rows.drop_nulls(field.name).iter_rows(named=True):
            text, rest = line[field.name], [line[o] for o in others]
            near = set().union(*[index.get((*rest, form), set()) for form in forms(text)])
            kinds = {was: kind for was in near if (kind := harm(text, was, field.kind))}
            if kinds:
                was = min(kinds)
                single_kind = len(kinds) == 1
                lines.append(
                    (line[ROW_ID], line[ROW], column, kinds[was], single_kind, text, was if single_kind else None)
                )
        parts.append(pl.DataFrame(lines, schema=DAMAGE, orient="row"))
    return pl.concat(parts)
