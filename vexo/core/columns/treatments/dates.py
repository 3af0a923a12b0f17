"""Days as people and spreadsheets write them."""

from __future__ import annotations

from dataclasses import dataclass

import polars as pl

from .base import Argument, Beside, Treatment, TreatmentError, bad, is_bad

ORDERS = {
    "day": "with the day first",
    "month": "with the month first",
    "year": "with the year first",
    "1900": "as numbers since 1900",
    "1904": "as numbers since 1904",
}
_EPOCHS = {"1900": "1899-12-30", "1904": "1904-01-01"}
_TURN = 70
"""Years of two figures below it are of this century."""
_LAST = 2_958_466
"""The day after 9999-12-31, as spreadsheets count."""
_SEPARATOR = r"[./\- ]\s?"
_CLOCK = r"(?:[T ]+\d{1,2}:\d{2}(?::\d{2}(?:\.\d+)?)?Z?)?"
_MONTHS = ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec")
_NAMED = r"(?i)^(\d{1,2})[. \-/]*(jan|feb|mar|apr|may|jun|jul|aug|sep|oct|nov|dec)[a-z]*[. \-/,]*(\d{4}|\d{2})$"
_SHAPES = {
    "day": rf"^(?P<d>\d{{1,2}}){_SEPARATOR}(?P<m>\d{{1,2}}){_SEPARATOR}(?P<y>\d{{4}}|\d{{2}}){_CLOCK}$",
    "month": rf"^(?P<m>\d{{1,2}}){_SEPARATOR}(?P<d>\d{{1,2}}){_SEPARATOR}(?P<y>\d{{4}}|\d{{2}}){_CLOCK}$",
    "year": rf"^(?P<y>\d{{4}}|\d{{2}}){_SEPARATOR}(?P<m>\d{{1,2}}){_SEPARATOR}(?P<d>\d{{1,2}}){_CLOCK}$",
}


@dataclass(frozen=True)
class Dates(Treatment):
    """Days with the day, the month or the year first, whatever is between them; months by their English names; a day
    that stands as 2026-04-03 is one in any form. Years of two figures are 1970 to 2069. Whole numbers can be days as
    spreadsheets count them. A time of day behind it is left off where it is midnight."""

    written: str = "day"
    do = "date"
    title = "date format"
    says = "read days written {written}"
    arguments = (Argument("written", "one-of", "How days are written", ORDERS),)
    fails = True

    def check(self) -> None:
        if self.written not in ORDERS:
            raise TreatmentError(f"Unknown form of days {self.written!r}. Use {', '.join(ORDERS)}.")

    @property
    def short(self) -> str:
        return ORDERS.get(self.written, self.written).removeprefix("with the ").removeprefix("as ")

    def applied(self, text: pl.Expr, beside: Beside) -> pl.Expr:
        return text.map_batches(lambda texts: self._read(texts.rename("text")), return_dtype=pl.String)

    def run(self, frame: pl.DataFrame, beside: Beside) -> pl.Series:
        return self._read(frame["text"])

    def _read(self, texts: pl.Series) -> pl.Series:
        text, plain = pl.col("text"), pl.col("plain")
        midnight = r"[T ]+0?0:00(?::00(?:\.0+)?)?Z?$"
        frame = texts.to_frame("text").with_columns(text.str.strip_chars().str.replace(midnight, "").alias("plain"))
        groups = plain.str.extract_groups(_SHAPES.get(self.written, _SHAPES["year"])).alias("own")
        whole = plain.str.extract_groups(r"^(?P<y>\d{4})-(?P<m>\d{2})-(?P<d>\d{2})$").alias("whole")
        named = plain.str.extract_groups(_NAMED).alias("named")
        frame = frame.with_columns(groups, whole, named)
        numbers = [f"{at:02}" for at in range(1, len(_MONTHS) + 1)]
        months = pl.col("named").struct["2"].str.to_lowercase()
        month = months.replace_strict(list(_MONTHS), numbers, default=None, return_dtype=pl.String)
        parts = {name: [pl.col("own").struct[name], pl.col("whole").struct[name]] for name in "dmy"}
        frame = frame.with_columns(
            pl.coalesce(*parts["d"], pl.col("named").struct["1"]).str.zfill(2).alias("d"),
            pl.coalesce(*parts["m"], month).str.zfill(2).alias("m"),
            pl.coalesce(*parts["y"], pl.col("named").struct["3"]).alias("y"),
        )
        year = pl.col("y")
        century = pl.when(year.str.to_integer(strict=False) < _TURN).then(pl.lit("20")).otherwise(pl.lit("19"))
        year = pl.when(year.str.len_chars() == len("yy")).then(century + year).otherwise(year)
        # A time of day that is not midnight is not a day: it stays as it is, and is not read.
        day = pl.concat_str(year, "m", "d", separator="-").str.to_date("%Y-%m-%d", strict=False)
        day = pl.when(~plain.str.contains(r"\d:\d{2}")).then(day)
        if self.written in _EPOCHS:
            count = plain.str.extract(r"^(\d{1,7})(?:\.0+)?$", 1).str.to_integer(strict=False)
            days = pl.duration(days=pl.when(count < _LAST).then(count))
            day = pl.coalesce(day, pl.lit(_EPOCHS[self.written]).str.to_date() + days)
        frame = frame.with_columns(day.dt.strftime("%Y-%m-%d").alias("done"))
        kept = is_bad(text) | (plain == "") | text.is_null()
        texts_made = pl.when(pl.col("done").is_not_null()).then("done").when(kept).then(text)
        return frame.select(texts_made.otherwise(bad("no-date-form", ORDERS[self.written])).alias("text"))["text"]
