"""What is asked about a sheet's columns: in which form and unit their values are, and where they go. Each question has
answers that are changes of the trip's document."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import replace
from decimal import Decimal

import polars as pl

from vexo.applications import ApplicationError, Client
from vexo.core.columns.carried_values import lane_texts
from vexo.core.columns.fast_parse import PlainReadings
from vexo.core.columns.lanes import PLAIN, Lane
from vexo.core.columns.marks import LIKE_A_MARK
from vexo.core.columns.matches import ColumnMatch, conflict_words, conflicts
from vexo.core.columns.treatments import Treatment, treat
from vexo.core.columns.treatments.by_file import ByFile
from vexo.core.columns.treatments.dates import ORDERS, Dates
from vexo.core.columns.treatments.numbers import Arithmetic, Multiply, Number, Round
from vexo.core.columns.units import Doubt, doubt_unit, unit_in
from vexo.core.columns.value_formats import FileForms, Form, Forms, find_forms, find_separator, forms_by_file
from vexo.core.conditions.tree import Compare, Not
from vexo.core.records import Field, Kind, RecordType
from vexo.core.sheets.file_parts import file_column
from vexo.core.sheets.overlay.versions import RECORD_HEADER
from vexo.core.sheets.shape import column_titles
from vexo.core.values import nfc, to_text
from vexo.core.wording import thousands

from ..trips.facts.columns import Option, Question
from ..trips.facts.parts import Holdings
from .mapped_sheet import MappedSheet


def _option(says: str, columns: Mapping[str, str] | None = None, lanes: Mapping[str, Lane] | None = None) -> Option:
    return Option(says, dict(columns or {}), {name: lane.to_json() for name, lane in (lanes or {}).items()})


def _shown(number: Decimal) -> str:
    return format(number.normalize(), "f")


def holdings(client: Client, record_type: RecordType, *, ranges: bool) -> Holdings:
    """What the application holds, as far as columns are compared with it: an example of each field, and the least and
    greatest value of the fields that are measured in a unit. Nothing where it does not answer.

    Args:
        ranges: ask for the range too.
    """
    holds = Holdings()
    with suppress(ApplicationError, pl.exceptions.PolarsError):
        names = [field.name for field in record_type.fields]
        some = pl.concat(list(client.read(record_type, names, None, [record_type.identifier], top=20)))
        for field in record_type.fields:
            texts = to_text(field, some[field.name].drop_nulls().head(1))
            if len(texts):
                holds.examples[field.name] = str(texts[0])[:60]
        measured = [f for f in record_type.fields if f.is_number and not f.read_only and unit_in(f.label)]
        for field in measured if ranges else ():
            is_filled = Not(Compare(field, "eq", None))
            ends = [
                pl.concat(list(client.read(record_type, [field.name], is_filled, [sign + field.name], top=1)))[
                    field.name
                ]
                for sign in ("", "-")
            ]
            if all(len(end) for end in ends):
                holds.ranges[field.name] = [str(end[0]) for end in ends]
    return holds


def ask(cells: pl.DataFrame, mapped: MappedSheet, holds: Holdings) -> dict[str, list[Question]]:
    """The open questions: of a field by its name, of a column without one by ``column:`` and its place.

    Args:
        cells: the columns of the sheet whose values are looked at, with edits laid over.
        holds: what the application holds, as far as columns are compared with it.
    """
    asked: dict[str, list[Question]] = {}
    titles = column_titles(mapped.sheet.profile.columns)
    for first, second in conflicts(mapped.matches, mapped.record_type):
        asked.setdefault(_key(second), []).append(_conflict(first, second, titles))
    marked_columns = _like_marks(cells, [match.column for match in mapped.matches if may_hold_marks(match, mapped)])
    for match in mapped.matches:
        field = match.field
        if match.open and match.header:
            asked.setdefault(_key(match), []).append(_where(match, mapped.record_type, titles))
        if field is not None and match.column in marked_columns and may_hold_marks(match, mapped):
            asked.setdefault(_key(match), []).extend(_marks(field, mapped.lane(field.name), cells[match.column]))
        if field is None or not asks_of_values(match):
            continue
        lane = mapped.lane(field.name)
        if field.kind == Kind.CHOICES and lane.separator == PLAIN.separator and "separator" not in lane.settled:
            asked.setdefault(_key(match), []).extend(_separator(field, lane, cells[match.column]))
        if field.kind == Kind.CHOICES:
            continue
        # In which form numbers are written is told before anything is reckoned with them.
        written = tuple(one for one in lane.treatments if not isinstance(one, Arithmetic))
        rewritten = replace(lane, treatments=written)
        texts = lane_texts(cells, match, mapped.reading, rewritten, mapped.headers)
        files = _files(mapped, cells)
        plainly = mapped.reading.plainly
        asked.setdefault(_key(match), []).extend(_values(match, field, lane, texts, files, holds, plainly))
    return {key: questions for key, questions in asked.items() if questions}


def may_hold_marks(match: ColumnMatch, mapped: MappedSheet) -> bool:
    """Whether it may have to be asked if marks count: in a sheet in which they do not, of a column that is written."""
    field = match.field
    if field is None or not match.carried or not match.column or mapped.reading.marks:
        return False
    return not mapped.lane(field.name).fixed and "marks" not in mapped.lane(field.name).settled


def _like_marks(cells: pl.DataFrame, columns: Sequence[str]) -> set[str]:
    """The columns that have cells which look like marks."""
    names = list(dict.fromkeys(columns))
    told = cells.select(pl.col(names).str.contains(LIKE_A_MARK).any()).row(0, named=True) if names else {}
    return {name for name, has in told.items() if has}


def _marks(field: Field, lane: Lane, texts: pl.Series) -> list[Question]:
    """What is asked of a column in which cells look like marks, where marks do not count."""
    like = texts.filter(texts.str.contains(LIKE_A_MARK).fill_null(value=False))
    cells = "1 cell looks" if len(like) == 1 else f"{thousands(len(like))} cells look"
    settled = replace(lane, settled=(*lane.settled, "marks"))
    options = [
        Option("They are marks, in the whole sheet", {}, {}, marks=True),
        _option("They are text", lanes={field.name: settled}),
    ]
    return [
        Question(
            "marks", f"{field.label}: {cells} like marks, such as {str(like[0])[:40]!r}. Are they?", options, False
        )
    ]


def asks_of_values(match: ColumnMatch) -> bool:
    """Whether the values of a column are looked at: those of numbers, days and several choices that go anywhere."""
    field = match.field
    if field is None or not (match.carried or match.check) or not match.column:
        return False
    return field.is_number or field.kind in (Kind.DATE, Kind.MOMENT, Kind.CHOICES)


def _key(match: ColumnMatch) -> str:
    return match.field.name if match.field is not None else f"column:{match.column}"


def _conflict(first: ColumnMatch, second: ColumnMatch, titles: Mapping[str, str]) -> Question:
    def title(match: ColumnMatch) -> str:
        return titles.get(match.column, match.header)

    options = [
        _option(f"Carry {title(one)}", {title(other): ""})
        for one, other in ((first, second), (second, first))
        if other.header
    ]
    return Question("conflict", conflict_words(first, second), options, False)


def _where(match: ColumnMatch, record_type: RecordType, titles: Mapping[str, str]) -> Question:
    title = titles.get(match.column, match.header)
    options = [
        _option(record_type.field(one.field).label, {title: one.field})
        for one in match.offers
        if record_type.find(one.field)
    ]
    likely = [one for one in match.offers if one.likely]
    says = f"Where does “{title}” go?"
    if match.header == RECORD_HEADER and options:
        says = f"“{title}” names records of this application. Do they go into a reference here?"
    elif likely:
        says = f"“{title}” is likely {record_type.field(likely[0].field).label}. Is it?"
    out = "Leave it out" if title == match.header else f"Leave {title} out"
    leave = _option(out, {title: ""})
    return Question("field", says, [*options, leave], len(likely) == 1)


_SPOKEN = {"\n": "line ends"}


def _separator(field: Field, lane: Lane, texts: pl.Series) -> list[Question]:
    separator, share = find_separator(field, texts)
    if separator == lane.separator:
        return []
    shown = _SPOKEN.get(separator, f"“{separator}”")
    option = _option(f"Split at {shown}", lanes={field.name: replace(lane, separator=separator)})
    says = f"{field.label} holds several values; {share:.0%} of its different cells can be read when split at {shown}."
    return [Question("separator", says, [option], True)]


def file_column_of(mapped: MappedSheet) -> ColumnMatch | None:
    """The column of a list in several files that names the file of each row."""
    columns = mapped.sheet.profile.columns
    at = file_column([column.header for column in columns]) if mapped.sheet.files else None
    return next((match for match in mapped.matches if at is not None and match.column == columns[at].name), None)


def _files(mapped: MappedSheet, cells: pl.DataFrame) -> tuple[str, pl.Series] | None:
    match = file_column_of(mapped)
    return (match.header, nfc(cells[match.column])) if match is not None else None


def _values(
    match: ColumnMatch,
    field: Field,
    lane: Lane,
    texts: pl.Series,
    files: tuple[str, pl.Series] | None,
    holds: Holdings,
    plainly: PlainReadings,
) -> list[Question]:
    """Questions about the form and the unit of a column's values.

    Args:
        files: the header of the column that names the file of each row, and its cells; None where the list is one file.
    """
    questions: list[Question] = []
    formed = any(isinstance(one, Number | Dates | ByFile) for one in lane.treatments) or "form" in lane.settled
    forms = Forms((), 0, 0) if formed else find_forms(field, texts, plainly)
    form: Treatment | None = None
    in_files = FileForms()
    if files and (forms.fitting or forms.read < forms.filled):
        in_files = forms_by_file(field, texts, files[1])
    if files and in_files.pairs:
        form = ByFile((files[0],), in_files.pairs)
        questions.append(_by_file(field, lane, form, in_files.sure))
        texts = treat(texts, [form], {files[0]: files[1]})
    elif forms.fitting:
        question = _form(field, lane, forms)
        questions.append(replace(question, sure=question.sure and not in_files.doubtful))
        form = forms.fitting[0].treatment
        if form is not None:
            texts = treat(texts, [form])
    counted = any(isinstance(one, Multiply) for one in lane.treatments) or "unit" in lane.settled
    if field.is_number and not counted and not match.check:
        least, most = (Decimal(text) for text in holds.ranges.get(field.name, ("0", "0")))
        known = field.name in holds.ranges
        doubt = doubt_unit(field, match.header, texts, least if known else None, most if known else None)
        if doubt is not None:
            questions.append(_unit(match, field, _with(lane, form), doubt, known=known))
    return questions


def _with(lane: Lane, treatment: Treatment | None) -> Lane:
    """A lane with one treatment more, before those that reckon."""
    if treatment is None:
        return lane
    before = [one for one in lane.treatments if not isinstance(one, Arithmetic)]
    after = [one for one in lane.treatments if isinstance(one, Arithmetic)]
    return replace(lane, treatments=(*before, treatment, *after))


def _form_words(form: Form) -> str:
    if form.treatment is None:
        return "Read them as they stand"
    if isinstance(form.treatment, Dates):
        return f"Read days written {ORDERS[form.treatment.written]}"
    assert isinstance(form.treatment, Number)
    return f"Read numbers written as {form.treatment.written}"


def _by_file(field: Field, lane: Lane, form: ByFile, sure: bool) -> Question:
    what = "numbers" if field.is_number else "days"
    each = ", ".join(f"{file} {written if field.is_number else ORDERS[written]}" for file, written in form.pairs)
    stay = replace(lane, settled=(*lane.settled, "form"))
    options = [_option(f"Read each file in its own form: {each}", lanes={field.name: _with(lane, form)})]
    if not sure:
        options.append(_option("Read them as they stand", lanes={field.name: stay}))
    return Question("form", f"The files write the {what} of {field.label} in different forms.", options, sure)


def _form(field: Field, lane: Lane, forms: Forms) -> Question:
    options = []
    for form in forms.fitting:
        if form.treatment is None:
            settled = replace(lane, settled=(*lane.settled, "form"))
        else:
            settled = _with(lane, form.treatment)
        shown = f": {form.example} is {form.reading}" if form.reading else ""
        options.append(_option(_form_words(form) + shown, lanes={field.name: settled}))
    if len(forms.fitting) == 1 and not forms.sure:
        stay = replace(lane, settled=(*lane.settled, "form"))
        options.append(_option("Read them as they stand", lanes={field.name: stay}))
    cells = f"{thousands(forms.read)} of {thousands(forms.filled)}"
    what = "numbers" if field.is_number else "days"
    if forms.sure:
        says = f"The {what} of {field.label} are written in a form of their own; {cells} can be read so."
    elif len(forms.fitting) == 1 and forms.mixed:
        says = f"{_listed(forms.mixed)} stand beside the {what} of {field.label}, and none is converted. Drop them?"
    elif len(forms.fitting) == 1:
        says = f"{cells} {what} of {field.label} can be read in a form of their own, the others in none. Is it meant?"
    else:
        how_many = "Two" if len(forms.fitting) == 2 else "Several"
        says = f"{how_many} readings fit {cells} {what}: which one is meant?"
    return Question("form", says, options, forms.sure)


def _listed(names: Sequence[str]) -> str:
    return f"{', '.join(names[:-1])} and {names[-1]}"


def _unit(match: ColumnMatch, field: Field, lane: Lane, doubt: Doubt, *, known: bool) -> Question:
    options = []
    for unit in doubt.others:
        steps: tuple[Treatment, ...] = (Multiply(unit.factor),)
        if field.scale is not None or field.kind == Kind.WHOLE:
            steps = (*steps, Round(field.scale or 0))
        converted = replace(lane, treatments=(*lane.treatments, *steps))
        options.append(_option(f"{unit.name.capitalize()}: multiply by {unit.factor}", lanes={field.name: converted}))
    stay = replace(lane, settled=(*lane.settled, "unit"))
    options.append(_option(f"{doubt.unit.capitalize()}, as they stand", lanes={field.name: stay}))
    says = f"{doubt.unit.capitalize()} or {doubt.others[0].name}?"
    if known:
        says += f" The application's values run from {_shown(doubt.least)} to {_shown(doubt.most)}."
        says += f" Unconverted, this column would run from {_shown(doubt.own_least)} to {_shown(doubt.own_most)}."
    else:
        says += f" “{match.header}” names {doubt.others[0].name}, {field.label} {doubt.unit}."
    return Question("unit", says, options, False)
