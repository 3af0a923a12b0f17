"""Near keys: for a key that was not found, the existing ones that it was probably meant to be (``semantics.md`` 6).

All keys are looked for together, in columns: by forms in which keys that are near are equal, then by the texts that are
left when one character of a key is taken away, which two keys share that differ by one.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence

import polars as pl

from ..records import IDENTIFIER
from ..values import rounded_to_15

SEPARATOR = " \u00b7 "
AT = "at"
MOST = 20
"""Near keys that are shown of one that was not found."""
_LEAST = 5
"""Characters from which on one more, less or other is taken for a slip."""
_LONGEST = 64
"""Characters up to which keys are compared character by character."""
_AT_ONCE = 200_000
"""Existing keys whose neighbourhoods are held at once."""


_LONG = r"^\d{16,}$"
"""A number that spreadsheets cut."""


def _cut(text: pl.Expr) -> pl.Expr:
    """What a spreadsheet keeps of a number with more than 15 figures."""
    long = text.str.contains(_LONG)
    return pl.when(long).then(text.map_batches(rounded_to_15, return_dtype=pl.String)).otherwise(text)


def _loose(text: pl.Expr) -> pl.Expr:
    return text.str.to_lowercase().str.replace_all(r"[\s\-_./]+", "")


def _looks(text: pl.Expr) -> pl.Expr:
    return _loose(text).str.replace_all("o", "0", literal=True).str.replace_all("[li]", "1")


def _without_zeros(text: pl.Expr) -> pl.Expr:
    """Zeros at the front of each number in it, but the last figure."""
    return _looks(text).str.replace_all(r"(^|[^0-9])0+([0-9])", "${1}${2}")


_FINER: tuple[Callable[[pl.Expr], pl.Expr], ...] = (
    lambda text: text,
    lambda text: text.str.to_lowercase(),
    _loose,
    _looks,
)
"""Forms, the finest first: keys that are equal in one of them are equal in ``_without_zeros``, too."""


def near_records(lost: pl.DataFrame, known: pl.DataFrame, names: Sequence[str]) -> pl.DataFrame:
    """The records whose keys are near to keys that were not found, by the first way that gives any.

    Args:
        lost: the keys as texts, a column for each field of the key, different ones, none blank.
        known: the same of the records, and their IDs.
        names: the fields of the key.

    Returns:
        ``at`` (the place of the key in ``lost``) and the record's ID, in the order of ``lost``, then of ``known``.
    """
    if lost.is_empty():
        return pl.DataFrame(schema={AT: pl.UInt32, IDENTIFIER: pl.String})
    forms = [_without_zeros(pl.col(name)).alias(_form(name)) for name in names]
    left = lost.select(names).with_row_index(AT).with_columns(forms)
    known = known.select(IDENTIFIER, *names).drop_nulls(names).with_row_index("order").with_columns(forms)
    parts = []
    for search in (_alike_cut, _alike, _close):
        parts.append(search(left, known, names).sort(AT, "order").select(AT, IDENTIFIER))
        left = left.filter(~pl.col(AT).is_in(parts[-1][AT].implode()))
    return pl.concat(parts).sort(AT, maintain_order=True)


def _form(name: str) -> str:
    """The column with a field's text in the loosest form."""
    return f"form.{name}"


def _alike_cut(left: pl.DataFrame, known: pl.DataFrame, names: Sequence[str]) -> pl.DataFrame:
    """Pairs that are equal where spreadsheets cut long numbers: both are such then."""
    if left.select(pl.any_horizontal(pl.col(names).str.contains(_LONG).any())).item():
        cut = [_cut(pl.col(name)).alias(f"cut.{name}") for name in names]
        return left.select(AT, *cut).join(known.select(IDENTIFIER, "order", *cut), on=[f"cut.{name}" for name in names])
    return pl.DataFrame(schema={AT: pl.UInt32, IDENTIFIER: pl.String, "order": pl.UInt32})


def _alike(left: pl.DataFrame, known: pl.DataFrame, names: Sequence[str]) -> pl.DataFrame:
    """Pairs that are equal in the finest form in which a key is equal to any."""
    pairs = left.lazy().join(known.lazy(), on=[_form(name) for name in names], suffix=".known")
    coarseness = pl.lit(len(_FINER))
    for at, form in reversed([*enumerate(_FINER)]):
        equal = [form(pl.col(name)) == form(pl.col(f"{name}.known")) for name in names]
        coarseness = pl.when(pl.all_horizontal(equal)).then(at).otherwise(coarseness)
    pairs = pairs.with_columns(coarseness.alias("coarseness"))
    return pairs.filter(pl.col("coarseness") == pl.col("coarseness").min().over(AT)).collect()


def _shortened(table: pl.DataFrame, name: str) -> pl.DataFrame:
    """A line for each text, and for each that is left of it when one of its characters is taken away: ``part``, and the
    place (``cut``) and the ``sign`` of that character."""
    text, length = pl.col(name), pl.col(name).str.len_chars()
    table = table.filter(length <= _LONGEST)
    longest = int(table.select(length.max()).item() or 0)
    none = (pl.lit(None, pl.Int16).alias("cut"), pl.lit(None, pl.String).alias("sign"))
    lines = [table.lazy().with_columns(text.alias("part"), *none)]
    for at in range(longest):
        rest = (text.str.slice(0, at) + text.str.slice(at + 1)).alias("part")
        cut = (pl.lit(at, pl.Int16).alias("cut"), text.str.slice(at, 1).alias("sign"))
        lines.append(table.lazy().filter(length > at).with_columns(rest, *cut))
    return pl.concat(lines).collect()


def _may_be_close(known: pl.DataFrame, texts: pl.Series) -> pl.DataFrame:
    """Those whose text ``other`` may differ from one of some texts by a character, or by two neighbours swapped: they
    have all before its middle in common then, or all but one character after it."""
    length = pl.col("other").str.len_chars().cast(pl.Int32)
    wanted = texts.unique().alias("other").to_frame()
    wanted = pl.concat([wanted.with_columns((length + more).alias("length")) for more in (-1, 0, 1)])
    known = known.with_columns(length.alias("length")).join(wanted, on="length", how="semi")
    middle, parts = pl.col("length") // 2, [known.clear()]
    for half in (pl.col("other").str.head(middle), pl.col("other").str.tail((pl.col("length") - middle - 1).clip(0))):
        if len(known):
            halves = wanted.select("length", half.alias("half"))
            alike = known.with_columns(half.alias("half")).join(halves, on=["length", "half"], how="semi")
            parts.append(alike.drop("half"))
    return pl.concat(parts).unique("order").drop("length")


def _close(left: pl.DataFrame, known: pl.DataFrame, names: Sequence[str]) -> pl.DataFrame:
    """Pairs of which one field differs by two neighbours swapped or, if none does, by one character; the others are
    equal, or near by a form."""
    candidates = [
        pl.DataFrame(schema={AT: pl.UInt32, IDENTIFIER: pl.String, "order": pl.UInt32, "swapped": pl.Boolean})
    ]
    for name in names:
        others = [_form(other) for other in names if other != name]
        same = known.join(left, on=others, how="semi") if others else known
        some = _may_be_close(same.select(IDENTIFIER, "order", pl.col(name).alias("other"), *others), left[name])
        if some.is_empty():
            continue
        on = ["part", *others]
        wanted = _shortened(left.select(AT, pl.col(name).alias("text"), *others), "text")
        parts = wanted.select(on).unique()
        for begin in range(0, len(some), _AT_ONCE):
            nearby = _shortened(some.slice(begin, _AT_ONCE), "other").join(parts, on=on, how="semi")
            pairs = wanted.join(nearby, on=on, how="inner", suffix=".other")
            slips = pairs.select(AT, IDENTIFIER, "order", _SWAPPED.alias("swapped"), _ONE.alias("one"))
            candidates.append(slips.filter(pl.col("swapped") | pl.col("one")).drop("one"))
    each = pl.concat(candidates).group_by(AT, IDENTIFIER, "order").agg(pl.col("swapped").any())
    return each.filter(pl.col("swapped") | ~pl.col("swapped").any().over(AT))


_CUTS, _SIGNS = (pl.col("cut"), pl.col("cut.other")), (pl.col("sign"), pl.col("sign.other"))
_SWAPPED = (
    ((_CUTS[0] - _CUTS[1]).abs() == 1)
    & (_SIGNS[0] == _SIGNS[1])
    & ~_SIGNS[0].str.contains(r"^\d$")
    & (pl.col("text") != pl.col("other"))
).fill_null(value=False)
"""The same character stands one place further on. Two figures that changed places may be another key: where records
are numbered one after the other, nearly every new number is such a one."""
_OTHER = (_CUTS[0] == _CUTS[1]) & (_SIGNS[0] != _SIGNS[1])
_FIGURES = pl.all_horizontal([sign.str.contains(r"^\d$") for sign in _SIGNS])
_ONE = ((_CUTS[0].is_null() ^ _CUTS[1].is_null()) | (_OTHER & ~_FIGURES).fill_null(value=False)) & (
    pl.col("text").str.len_chars() >= _LEAST
)
"""One character more, less or other, of a text that is long enough; a figure for a figure may be another key."""


def near_keys(missing: Iterable[str], existing: Iterable[str], most: int = 3) -> dict[str, list[str]]:
    """Each missing text with the existing ones nearest to it, as ``near_records`` finds them."""
    wanted = pl.Series("key", list(dict.fromkeys(missing)), dtype=pl.String)
    existing_keys = pl.Series("key", list(dict.fromkeys(existing)), dtype=pl.String)
    known = pl.DataFrame([existing_keys.alias(IDENTIFIER), existing_keys])
    candidates = near_records(wanted.to_frame(), known, ["key"])
    near: dict[str, list[str]] = {}
    for at, text in candidates.iter_rows():
        near.setdefault(wanted[at], []).append(text)
    return {key: texts[:most] for key, texts in near.items()}
