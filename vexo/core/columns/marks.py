"""Cell marks: what a cell says beyond its value."""

from __future__ import annotations

import re
from dataclasses import dataclass

import polars as pl

from ..problems import problem
from ..records import Field, Kind
from ..values import SPACES, join_items, on_unique, split_items, without_spaces

LEAVE, VALUE, CLEAR, CHANGE, KEEP, BLANK_CLEARS, BLANK_DEFAULT = range(7)
"""What a cell says. The last two are blank cells under a lane's rule: cleared where a record is there, and a default
that stands in new records; planning makes one of the others of them."""
EXAMPLES: tuple[tuple[str, str, str], ...] = (
    ("", "any field", "A blank cell means what the column's rule says: usually the record is left as it is."),
    ("[clear]", "any field", "The field is emptied."),
    ("[keep]", "any field", "This field of this record is left alone, whatever the column's rule says."),
    ("[add] water; power", "a field with several values", "These are added to what the record has."),
    ("[remove] crane", "a field with several values", "These are taken away; the others stay."),
    ("[set] water; wifi", "a field with several values", "The record has exactly these afterwards."),
    ("[add] water [remove] crane", "a field with several values", "Both at once; no other two marks stand together."),
    ("[[reserved] for Ada", "text", "The text begins with a real bracket: [reserved] for Ada."),
)
"""Cells with what each is for and means, as people are shown them."""
_BEGINS = rf"^{SPACES}*\["
_MARK = rf"(?s)^{SPACES}*\[([A-Za-z]*)\]{SPACES}*(.*)$"
_KNOWN = "[clear], [keep]"
_KNOWN_MANY = "[clear], [keep], [set] a; b, [add] a; b, [remove] a"
LIKE_A_MARK = rf"(?i)^{SPACES}*\[(?:clear|keep|add|remove|set)\]"
"""What begins like a mark that there is."""
_CHANGES = re.compile(rf"^{SPACES}*\[(add|remove)\](.*?)(?:(?<!\[)\[(add|remove)\](.*))?$", re.IGNORECASE | re.DOTALL)

_ANOTHER = re.compile(r"(?<!\[)\[(add|remove|set|clear|keep)\]", re.IGNORECASE)


@dataclass(frozen=True)
class Marked:
    """Cells after marks: ``say`` is leave, value, clear, change or keep; ``texts`` the rest; ``problems`` marks that
    mean nothing. Where a cell changes a list, ``texts`` are the items to add and ``without`` those to take away.
    ``marked`` tells which cells have a mark."""

    say: pl.Series
    texts: pl.Series
    problems: pl.Series
    without: pl.Series
    marked: pl.Series


def _real(text: str) -> str:
    """A list's items without the doubling of a real bracket at their beginning."""
    return join_items([item[1:] if item.startswith("[[") else item for item in split_items(text)])


def _part(text: str, wanted: str) -> str | None:
    """The items that a cell adds, or takes away; None where it is another kind of cell, empty where there are none."""
    match_ = _CHANGES.match(text)
    if match_ is None or (match_[3] and match_[3].lower() == match_[1].lower()):
        return None
    if _ANOTHER.search(match_[2]) or _ANOTHER.search(match_[4] or ""):
        return None
    parts = {match_[1].lower(): match_[2], (match_[3] or "").lower(): match_[4]}
    if any(part is not None and not split_items(part) for part in (match_[2], match_[4])):
        # To add or take away nothing is not what anyone means.
        return None
    return _real(parts.get(wanted) or "")


def _list_marks(texts: pl.Series) -> pl.DataFrame:
    """``add`` and ``remove`` of cells that change a list, null in others; ``set`` what a whole list is said to be, and
    ``real`` what a cell without a mark says."""
    some = texts.set(~texts.str.contains(_BEGINS).fill_null(value=False), None)
    doubled = texts.str.contains("[[", literal=True).fill_null(value=False)
    return pl.DataFrame(
        {
            "add": on_unique(some, lambda text: _part(text, "add")),
            "remove": on_unique(some, lambda text: _part(text, "remove")),
            "set": on_unique(some.str.extract(_MARK, 2), _real),
            "real": on_unique(texts, _real) if doubled.any() else texts,
        },
        schema=dict.fromkeys(("add", "remove", "set", "real"), pl.String),
    )


def read_marks(field: Field, texts: pl.Series, on: bool) -> Marked:
    """Take the marks off a column of cells. A blank cell says leave; a real ``[`` at the start was written ``[[``."""
    nothing = pl.Series([None], dtype=pl.String).new_from_index(0, len(texts))
    many = field.kind == Kind.CHOICES
    frame = pl.DataFrame({"text": texts, "without": nothing})
    say: pl.Expr = pl.when(without_spaces(pl.col("text")).is_null()).then(LEAVE).otherwise(VALUE)
    text: pl.Expr = pl.col("text")
    problems: pl.Expr = pl.lit(None, dtype=pl.String)
    without: pl.Expr = pl.col("without")
    begins: pl.Expr = pl.lit(value=False)
    if on and texts.str.contains("[", literal=True).any():
        frame = frame.with_columns(_list_marks(texts) if many else pl.DataFrame({"real": texts}))
        escaped = pl.col("text").str.contains(rf"{_BEGINS}\[").fill_null(value=False)
        begins = pl.col("text").str.contains(_BEGINS).fill_null(value=False) & ~escaped
        word = pl.col("text").str.extract(_MARK, 1).str.to_lowercase()
        rest = pl.col("set") if many else pl.col("text").str.extract(_MARK, 2)
        alone = rest.str.strip_chars() == ""
        sets = begins & (word == "set") & pl.lit(many)
        clears, keeps = begins & (word == "clear") & alone, begins & (word == "keep") & alone
        changes = begins & (pl.col("add").is_not_null() if many else pl.lit(value=False))
        if many:
            without = pl.when(changes).then(pl.col("remove")).otherwise(pl.col("without"))
        plain = pl.col("real") if many else pl.col("text").str.replace("[[", "[", literal=True)
        say = pl.when(clears).then(CLEAR).when(keeps).then(KEEP).when(changes).then(CHANGE).otherwise(say)
        text = pl.when(escaped).then(plain).when(sets).then(rest)
        if many:
            text = text.when(changes).then(pl.col("add"))
        text = text.when(clears | keeps).then(None).otherwise(pl.col("real"))
        known = _KNOWN_MANY if many else _KNOWN
        unknown = begins & ~(sets | clears | keeps | changes)
        problems = pl.when(unknown).then(problem("unknown-mark", known))
    done = frame.select(
        say.cast(pl.UInt8).alias("say"),
        text.alias("text"),
        problems.alias("problem"),
        without.alias("without"),
        begins.alias("marked"),
    )
    return Marked(done["say"], done["text"], done["problem"], done["without"], done["marked"])
