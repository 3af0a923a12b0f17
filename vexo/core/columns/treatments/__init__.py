"""Treatments: cleaning as data, each with its phrase, each an expression."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields
from typing import Any

import polars as pl

from ...values import bare
from .affixes import Prefix, Suffix
from .base import BAD, Argument, Beside, Treatment, TreatmentError, problem_of
from .blanks import Blank
from .by_file import ByFile
from .case import Case
from .characters import Initial, Take
from .dates import Dates
from .join import Join
from .look_up import LookUp, make_table
from .numbers import Arithmetic, Multiply, Number, Round, at_once
from .pad import Pad
from .phones import Phone
from .replace import Replace
from .spaces import Trim
from .split import Split
from .value_list import Values

KINDS: Mapping[str, type[Treatment]] = {
    kind.do: kind
    for kind in (
        Trim,
        Case,
        Blank,
        Replace,
        Split,
        Join,
        Take,
        Initial,
        Pad,
        Prefix,
        Suffix,
        Values,
        Number,
        Multiply,
        Round,
        Dates,
        ByFile,
        Phone,
        LookUp,
    )
}
"""All treatments by name, in the order in which they are offered."""
_FEW = 4
"""Cells to each different one from which on treating the different ones alone is quicker."""


def treatment_from_json(data: Any) -> Treatment:
    """A treatment from its data, checked. Raises TreatmentError."""
    if not isinstance(data, Mapping) or data.get("do") not in KINDS:
        what = data.get("do") if isinstance(data, Mapping) else data
        raise TreatmentError(f"Unknown treatment {what!r}. Use {', '.join(KINDS)}.")
    kind = KINDS[data["do"]]
    arguments = {one.name: one for one in fields(kind)}
    unknown = [name for name in data if name != "do" and name not in arguments]
    if unknown:
        takes = ", ".join(arguments) or "nothing"
        raise TreatmentError(f"{kind.title} knows no {unknown[0]!r}; it takes {takes}.")
    treatment = kind(**{name: _value(name, data[name], arguments[name].default) for name in arguments if name in data})
    treatment.check()
    return treatment


def _value(name: str, value: Any, like: Any) -> Any:
    """An argument in the form in which a treatment holds it. Raises TreatmentError."""
    if isinstance(like, tuple):
        if not isinstance(value, list | tuple):
            raise TreatmentError(f"{name} is a list.")
        if all(isinstance(one, str) for one in value):
            return tuple(value)
        if name == "pairs" and all(isinstance(one, list | tuple) and len(one) == 2 for one in value):
            return tuple((str(one[0]), str(one[1])) for one in value)
        raise TreatmentError(f"{name} is a list of texts." if name != "pairs" else "A value list has pairs of texts.")
    if isinstance(like, int):
        if isinstance(value, bool) or not str(value).lstrip("-").isdecimal() or len(str(value)) > 9:
            raise TreatmentError(f"{name} is a whole number, not {value!r}.")
        return int(value)
    if not isinstance(value, str | int) or isinstance(value, bool):
        raise TreatmentError(f"{name} is a text, not {value!r}.")
    return str(value)


@dataclass(frozen=True)
class Step:
    """A treatment done: the texts after it, how many cells it touched, and how many it could not read."""

    treatment: Treatment
    texts: pl.Series
    touched: int
    bad: int


def treat(
    texts: pl.Series,
    treatments: Sequence[Treatment],
    columns: Mapping[str, pl.Series] | None = None,
    tables: Mapping[str, pl.DataFrame] | None = None,
) -> pl.Series:
    """A column after treatments, one after the other; an empty text is blank. Cells that one cannot read are not texts
    any more (see ``problem_of``), and those after it leave them.

    Args:
        columns: the sheet's columns by header, for treatments that look at others.
        tables: tables to look up in, by their names.
    """
    texts = _without_white_space(texts)
    alone = not any(one.headers or one.fills for one in treatments)
    if alone and len(texts) > 1000:
        different = texts.unique(maintain_order=True)
        if len(different) * _FEW < len(texts):
            done = _each(different, treatments, {}, tables or {})
            joined = texts.to_frame("text").join(
                pl.DataFrame({"text": different, "done": done}),
                on="text",
                how="left",
                nulls_equal=True,
                maintain_order="left",
            )
            return joined["done"]
    return _each(texts, treatments, columns or {}, tables or {})


def _without_white_space(texts: pl.Series) -> pl.Series:
    """Cells of white space alone are blank, and nothing is made of them."""
    blank = bare(texts).is_null() & texts.is_not_null()
    return texts.set(blank, None) if blank.any() else texts


def _each(
    texts: pl.Series,
    treatments: Sequence[Treatment],
    columns: Mapping[str, pl.Series],
    tables: Mapping[str, pl.DataFrame],
) -> pl.Series:
    done, at, failed = texts, 0, False
    while at < len(treatments):
        group = [treatments[at]]
        while isinstance(group[0], Arithmetic) and at + len(group) < len(treatments):
            following = treatments[at + len(group)]
            if not isinstance(following, Arithmetic):
                break
            group.append(following)
        plain = at > 0 and isinstance(treatments[at - 1], Number)
        done = _applied(done, group, columns, tables, failed, plain=plain)
        failed = failed or any(one.fails for one in group)
        at += len(group)
    return done


def _applied(
    texts: pl.Series,
    group: Sequence[Treatment],
    columns: Mapping[str, pl.Series],
    tables: Mapping[str, pl.DataFrame],
    failed: bool,
    *,
    plain: bool = False,
) -> pl.Series:
    """One treatment, or several of numbers at once, done to a column."""
    numbers = [one for one in group if isinstance(one, Arithmetic)]
    if numbers:
        return _without_white_space(at_once(numbers, texts, plain=plain))
    first = group[0]
    headers = [header for header in first.headers if header in columns]
    frame = pl.DataFrame([texts.alias("text"), *[columns[h].alias(f"beside.{h}") for h in dict.fromkeys(headers)]])
    applied = first.run(frame, Beside({header: pl.col(f"beside.{header}") for header in headers}, tables))
    if failed:
        bad = texts.str.starts_with(BAD).fill_null(value=False)
        if bad.any():
            applied = applied.zip_with(~bad, texts)
    return _without_white_space(applied)


def steps(
    texts: pl.Series,
    treatments: Sequence[Treatment],
    columns: Mapping[str, pl.Series] | None = None,
    tables: Mapping[str, pl.DataFrame] | None = None,
) -> list[Step]:
    """The same as ``treat``, with what each treatment did."""
    results, now, failed = [], _without_white_space(texts), False
    for one in treatments:
        done = _applied(now, [one], columns or {}, tables or {}, failed)
        failed = failed or one.fails
        changed = int((~now.eq_missing(done)).sum())
        bad = problem_of(done).len() - problem_of(done).null_count()
        before = problem_of(now).len() - problem_of(now).null_count()
        results.append(Step(one, done, changed - (bad - before), bad - before))
        now = done
    return results


__all__ = [
    "KINDS",
    "Argument",
    "LookUp",
    "Step",
    "Treatment",
    "TreatmentError",
    "make_table",
    "problem_of",
    "steps",
    "treat",
    "treatment_from_json",
]
