"""Cell marks: what a cell says beyond its value."""

from __future__ import annotations

from dataclasses import dataclass

import polars as pl

from ..faults import problem
from ..records import Field, Kind
from ..values import SPACES, bare

LEAVE, VALUE, CLEAR = 0, 1, 2
_MARK = rf"(?s)^{SPACES}*\[([A-Za-z]*)\]{SPACES}*(.*)$"
_KNOWN = "[clear], [keep]"
_KNOWN_MANY = "[clear], [keep], [set] a; b"


@dataclass(frozen=True)
class Marked:
    """Cells after marks: ``say`` is leave, value or clear; ``texts`` the rest; ``problems`` marks that mean nothing."""

    say: pl.Series
    texts: pl.Series
    problems: pl.Series


def read_marks(field: Field, texts: pl.Series, on: bool) -> Marked:
    """Take the marks off a column of cells. A blank cell says leave; a real ``[`` at the start was written ``[[``."""
    blank = bare(texts).is_null()
    frame = pl.DataFrame({"text": texts, "blank": blank})
    say: pl.Expr = pl.when(pl.col("blank")).then(LEAVE).otherwise(VALUE)
    text: pl.Expr = pl.col("text")
    told: pl.Expr = pl.lit(None, dtype=pl.String)
    if on and texts.str.contains(rf"^{SPACES}*\[").any():
        escaped = pl.col("text").str.contains(rf"^{SPACES}*\[\[").fill_null(value=False)
        begins = pl.col("text").str.contains(rf"^{SPACES}*\[").fill_null(value=False) & ~escaped
        word = pl.col("text").str.extract(_MARK, 1).str.to_lowercase()
        rest = pl.col("text").str.extract(_MARK, 2)
        many = field.kind == Kind.CHOICES
        alone = rest.str.strip_chars() == ""
        sets = begins & (word == "set") & pl.lit(many)
        clears, keeps = begins & (word == "clear") & alone, begins & (word == "keep") & alone
        say = pl.when(clears).then(CLEAR).when(keeps).then(LEAVE).otherwise(say)
        text = pl.when(escaped).then(pl.col("text").str.replace("[[", "[", literal=True)).when(sets).then(rest)
        text = text.when(clears | keeps).then(None).otherwise(pl.col("text"))
        known = _KNOWN_MANY if many else _KNOWN
        unknown = begins & ~(sets | clears | keeps)
        told = pl.when(unknown).then(problem("unknown-mark", known))
    done = frame.select(say.cast(pl.UInt8).alias("say"), text.alias("text"), told.alias("problem"))
    return Marked(done["say"], done["text"], done["problem"])
