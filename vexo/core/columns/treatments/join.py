"""Join with other columns."""

from __future__ import annotations

from dataclasses import dataclass

import polars as pl

from .base import Argument, Beside, Treatment, TreatmentError, is_bad, listed


@dataclass(frozen=True)
class Join(Treatment):
    """The text, then those of other columns, with a text between them; blank ones are left out, and of none at all the
    cell stays blank."""

    columns: tuple[str, ...] = ()
    between: str = " "
    do = "join"
    title = "join with other columns"
    says = "join with {columns}, with {between} between"
    arguments = (
        Argument("columns", "columns", "Columns to join with"),
        Argument("between", "text", "Text between"),
    )
    fills = True

    def check(self) -> None:
        if not self.columns:
            raise TreatmentError("Say with which columns to join.")

    @property
    def headers(self) -> tuple[str, ...]:
        return self.columns

    @property
    def short(self) -> str:
        return f"+ {listed(self.columns, 2)}"

    def applied(self, text: pl.Expr, beside: Beside) -> pl.Expr:
        others = [beside.columns[header] for header in self.columns if header in beside.columns]
        parts = [pl.when(part.str.strip_chars() == "").then(None).otherwise(part) for part in (text, *others)]
        joined = pl.concat_str(parts, separator=self.between, ignore_nulls=True)
        return pl.when(is_bad(text)).then(text).when(joined == "").then(None).otherwise(joined)
