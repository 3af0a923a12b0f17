"""Look up: what another sheet, or another record type, has beside a key."""

from __future__ import annotations

from dataclasses import dataclass

import polars as pl

from ...problems import problem
from ...values import bare, normal
from .base import BAD, Argument, Beside, Treatment, TreatmentError, is_bad


@dataclass(frozen=True)
class LookUp(Treatment):
    """Each text is looked for in a table, and what stands beside it there is taken. ``table`` is a record type, or
    ``sheet:`` with the number of a sheet; ``by`` and ``take`` are its fields, or its headers. A text that the table
    does not have, or has with several values, is not read."""

    table: str = ""
    by: str = ""
    take: str = ""
    do = "look up"
    title = "look up"
    says = "look it up in {table} by {by} and take {take}"
    arguments = (
        Argument("table", "table", "Where to look"),
        Argument("by", "name", "Key there"),
        Argument("take", "name", "What to take"),
    )
    fails = True

    def check(self) -> None:
        if not (self.table and self.by and self.take):
            raise TreatmentError("Say where to look, by which key, and what to take.")

    @property
    def name(self) -> str:
        """By which its table is known among those that are given."""
        return "\x1f".join((self.table, self.by, self.take))

    @property
    def short(self) -> str:
        return f"looked up by {self.by}"

    def applied(self, text: pl.Expr, beside: Beside) -> pl.Expr:
        table = beside.tables.get(self.name, no_table())
        answers = table.select("text", pl.coalesce("value", pl.lit(BAD) + pl.col("problem")).alias("made"))
        plain = text.map_batches(lambda texts: bare(normal(texts)), return_dtype=pl.String)
        missing = pl.lit(BAD) + problem("look-up-none", self.by)
        values = plain.replace_strict(answers["text"], answers["made"], default=None, return_dtype=pl.String)
        known = plain.is_in(answers["text"].implode())
        kept = is_bad(text) | plain.is_null()
        return pl.when(kept).then(text).when(known).then(values).otherwise(missing)


def no_table() -> pl.DataFrame:
    """A table that knows nothing."""
    return pl.DataFrame(schema={"text": pl.String, "value": pl.String, "problem": pl.String})


def make_table(keys: pl.Series, values: pl.Series, by: str) -> pl.DataFrame:
    """A table to look up in, from two columns of texts: the same value several times is one, several values are none
    that could be taken; a blank value is one."""
    both = pl.DataFrame({"text": bare(normal(keys)), "value": normal(values)}).drop_nulls("text").unique()
    grouped = both.group_by("text").agg(pl.col("value").first(), pl.len().alias("many"))
    several = pl.when(pl.col("many") > 1)
    return grouped.select(
        "text",
        several.then(None).otherwise(pl.col("value")).alias("value"),
        several.then(problem("look-up-several", by)).alias("problem"),
    )
