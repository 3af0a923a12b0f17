"""In which form a column's numbers and days are written: found from all of its cells, asked where several fit."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import polars as pl

from ..cell_parser import parse
from ..problems import BETWEEN
from ..records import Field, Kind
from ..values import SEPARATOR, ascii_digits, bare
from .fast_parse import KINDS, PlainReadings
from .treatments import Treatment, treat
from .treatments.base import problem_of
from .treatments.dates import Dates
from .treatments.numbers import FORMS as NUMBER_FORMS
from .treatments.numbers import MONEY, Number

_GLANCE = 100
"""Cells that are looked at before all are."""
_GROUPED = r"^[+-]?[1-9]\d{0,2}(?:\.\d{3})+$"
"""A number whose points may stand between thousands: a group of thousands does not begin with 0."""


@dataclass(frozen=True)
class Form:
    """One form that fits, None where the cells can be read as they are; ``example`` is read as ``reading``."""

    treatment: Treatment | None
    example: str = ""
    reading: str = ""


@dataclass(frozen=True)
class Forms:
    """The forms that read the most cells: none where the column needs no form or none helps, one where no other fits,
    several where that has to be asked. ``read`` of the ``filled`` cells can be read so, ``odd`` have figures and
    cannot; ``mixed`` are the different currencies that stand beside them, where they are several."""

    fitting: tuple[Form, ...]
    read: int
    filled: int
    mixed: tuple[str, ...] = ()
    odd: int = 0

    @property
    def sure(self) -> bool:
        """Whether nobody has to be asked: one form reads every cell with figures, and means the same with each."""
        return len(self.fitting) == 1 and not self.odd and not self.mixed


def _counted(texts: pl.Series) -> pl.DataFrame:
    plain = ascii_digits(bare(texts)).drop_nulls()
    return plain.to_frame("text").group_by("text", maintain_order=True).len("many")


def _read(values: pl.DataFrame, treatment: Treatment) -> tuple[int, pl.Series]:
    treated = treat(values["text"], [treatment])
    good = problem_of(treated).is_null()
    return int(values["many"].filter(good).sum()), treated.set(~good, None)


def _candidates(field: Field, values: pl.DataFrame) -> Sequence[Treatment]:
    if field.is_number:
        percent = values["text"].str.contains("%", literal=True).any()
        return [Number(form) for form in NUMBER_FORMS if form.endswith("%") == percent]
    if values["text"].str.contains(r"^\d{4,6}$").all():
        return [Dates("1900"), Dates("1904")]
    return [Dates(order) for order in ("day", "month", "year")]


def _plainly(field: Field, values: pl.DataFrame) -> int:
    """How many cells can be read as they are; of a decimal, too many decimals are not a matter of form."""
    problems = parse(field, values["text"]).problems
    form = problems.str.split(BETWEEN).list.first().is_in(["too-fine", "too-large"])
    good = problems.is_null() | (form if field.kind == Kind.DECIMAL else False)
    return int(values["many"].filter(good).sum())


def _in_doubt(field: Field, values: pl.DataFrame) -> bool:
    """Whether points could stand between thousands: all numbers that have one are so grouped."""
    if field.kind != Kind.DECIMAL:
        return False
    # In most columns the first few tell that it is not so.
    for some in (values.head(_GLANCE), values):
        points = some.filter(pl.col("text").str.contains(".", literal=True))["text"]
        if len(points) and not points.str.contains(_GROUPED).all():
            return False
    return len(points) > 0


_SEPARATORS = (";", ",", "/", "|", "+", "\n")


def find_separator(field: Field, texts: pl.Series) -> tuple[str, float]:
    """What stands between the items of a many-valued column, by how many of its different cells can be read so; ``;``
    unless another reads more. And which share that is."""
    different = bare(texts).drop_nulls().unique(maintain_order=True)
    best, most = SEPARATOR, -1.0
    for separator in _SEPARATORS:
        cells = different
        if separator != SEPARATOR:
            cells = different.str.replace_all(separator, SEPARATOR, literal=True)
        share = float(parse(field, cells).problems.is_null().mean() or 0) if len(cells) else 1.0  # type: ignore[arg-type]
        if share > most:
            best, most = separator, share
    return best, most


def find_forms(field: Field, texts: pl.Series, plainly: PlainReadings | None = None) -> Forms:
    """The forms in which a column's cells can be read as values of a field of numbers or days.

    Args:
        plainly: keeps what is plainly read, for whoever takes the values of these cells after.
    """
    if not (field.is_number or field.kind in (Kind.DATE, Kind.MOMENT)):
        return Forms((), 0, 0)
    if field.kind in KINDS and not field.long_form:
        _, others = (plainly or PlainReadings()).keep(field, texts)
        if others is None and not _in_doubt(field, texts.to_frame("text")):
            filled = len(texts) - int((texts == "").sum()) - texts.null_count()
            return Forms((), filled, filled)
    values = _counted(texts)
    filled = int(values["many"].sum())
    plain = _plainly(field, values)
    doubt = plain > 0 and _in_doubt(field, values)
    if (plain == filled and not doubt) or values.is_empty():
        return Forms((), plain, filled)
    readings = [(one, *_read_more(values, one, plain)) for one in _candidates(field, values)]
    most = max(count for _, count, _ in readings)
    if most < plain or (most == plain and not doubt):
        return Forms((), plain, filled)
    best = [(one, treated) for one, count, treated in readings if count == most]
    fitting: list[tuple[Treatment | None, pl.Series]] = [(None, values["text"])] if doubt and plain == most else []
    for one, treated in best:
        # Forms by which every cell reads alike are one: the first, which is the simplest.
        if not any(treated.equals(other, null_equal=True) for _, other in fitting):
            fitting.append((one, treated))
    mixed = _currencies(values["text"]) if field.is_number else ()
    if len(fitting) == 1:
        [(form, treated)] = fitting
        odd = int((treated.is_null() & values["text"].str.contains(r"[0-9]")).sum())
        return Forms((_form(values, form, treated),), most, filled, mixed, odd)
    differs = pl.Series([False]).new_from_index(0, len(values))
    for _, treated in fitting[1:]:
        differs = differs | ~fitting[0][1].eq_missing(treated)
    shown = values.filter(differs).with_row_index("at")
    return Forms(
        tuple(_form(shown, one, treated.filter(differs)) for one, treated in fitting),
        most,
        filled,
        mixed,
    )


@dataclass(frozen=True)
class FileForms:
    """The forms of the files of a list: ``pairs`` of file and form where they differ, ``sure`` where nobody has to be
    asked; ``doubtful`` where a file by itself leaves it in doubt."""

    pairs: tuple[tuple[str, str], ...] = ()
    sure: bool = True
    doubtful: bool = False


def forms_by_file(field: Field, texts: pl.Series, files: pl.Series) -> FileForms:
    """The form of each file of a list.

    Args:
        files: names the file of each cell.
    """
    pairs: list[tuple[str, str]] = []
    sure = True
    for file in files.drop_nulls().unique(maintain_order=True).to_list():
        forms = find_forms(field, texts.filter((files == file).fill_null(value=False)))
        if len(forms.fitting) > 1:
            return FileForms(sure=False, doubtful=True)
        form = forms.fitting[0].treatment if forms.fitting else None
        sure = sure and (forms.sure or (not forms.fitting and forms.read == forms.filled))
        if isinstance(form, Number | Dates):
            pairs.append((file, form.written))
        elif forms.filled:
            pairs.append((file, "1234.5" if field.is_number else "year"))
    differ = len({written for _, written in pairs}) > 1
    return FileForms(tuple(pairs) if differ else (), sure)


def _read_more(values: pl.DataFrame, treatment: Treatment, plain: int) -> tuple[int, pl.Series]:
    """How many cells a form reads, and what it makes of them. One that leaves them as they stand reads no more than
    there are plain ones: the others are numbers that the field cannot hold.

    Args:
        plain: how many are values as they stand.
    """
    count, treated = _read(values, treatment)
    as_they_stand = (treated == values["text"]).fill_null(value=True).all()
    return (min(plain, count) if as_they_stand else count), treated


def _currencies(texts: pl.Series) -> tuple[str, ...]:
    """The different currencies beside numbers, where they are several."""
    currencies = texts.str.extract(rf"({MONEY})").drop_nulls().str.to_uppercase().unique().sort()
    return tuple(currencies.to_list()) if len(currencies) > 1 else ()


def _form(values: pl.DataFrame, treatment: Treatment | None, treated: pl.Series) -> Form:
    at = next((i for i, text in enumerate(treated.to_list()) if text is not None), None)
    if at is None:
        return Form(treatment)
    return Form(treatment, str(values["text"][at]), str(treated[at]))
