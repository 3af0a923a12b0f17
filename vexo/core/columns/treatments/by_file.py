"""A list in several files, each of which writes numbers or days in a form of its own."""

from __future__ import annotations

from dataclasses import dataclass

import polars as pl

from ...values import nfc
from .base import Argument, Beside, Treatment, TreatmentError, bad
from .dates import ORDERS, Dates
from .numbers import FORMS, Number


def _form(written: str) -> Treatment:
    return Number(written) if written in FORMS else Dates(written)


@dataclass(frozen=True)
class ByFile(Treatment):
    """Numbers or days in the form of the file that the row came in, which a column names; rows of other files are not
    read."""

    columns: tuple[str, ...] = ()
    pairs: tuple[tuple[str, str], ...] = ()
    do = "by file"
    title = "format by file"
    says = "read it as the file in {columns} writes it, {pairs}"
    arguments = (
        Argument("columns", "columns", "Column that names the file"),
        Argument("pairs", "pairs", "File and form"),
    )
    fails = True

    def check(self) -> None:
        if len(self.columns) != 1 or not self.pairs:
            raise TreatmentError("Say one column that names the file, and the form of each file.")
        for _, written in self.pairs:
            if written not in FORMS and written not in ORDERS:
                raise TreatmentError(f"Unknown form {written!r}. Use {', '.join([*FORMS, *ORDERS])}.")
        if len({written in FORMS for _, written in self.pairs}) > 1:
            raise TreatmentError("A column holds numbers or days, not both.")

    @property
    def headers(self) -> tuple[str, ...]:
        return self.columns

    @property
    def short(self) -> str:
        return "by file"

    def applied(self, text: pl.Expr, beside: Beside) -> pl.Expr:
        raise NotImplementedError("It needs several steps: see ``run``.")

    def run(self, frame: pl.DataFrame, beside: Beside) -> pl.Series:
        texts = frame["text"]
        [header] = self.columns
        if header in beside.columns:
            files = nfc(frame.select(beside.columns[header]).to_series())
        else:
            files = pl.Series([None], dtype=pl.String).new_from_index(0, len(texts))
        unread = bad("no-number-form" if self.pairs[0][1] in FORMS else "no-date-form")
        blank = (texts.str.strip_chars() == "").fill_null(value=True)
        done = frame.select(pl.when(blank).then(pl.col("text")).otherwise(unread).alias("text"))["text"]
        for file, written in self.pairs:
            in_file = (files == nfc(pl.Series([file]))[0]).fill_null(value=False)
            if in_file.any():
                form = _form(written).run(texts.filter(in_file).to_frame("text"), Beside())
                done = done.scatter(in_file.arg_true(), form)
        return done
