"""Texts → typed values, all columns of a table in a few steps; what is not a value has its problem."""

from __future__ import annotations

import unicodedata
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import polars as pl
from rapidfuzz import fuzz, process

from .problems import BETWEEN, problem
from .records import Field, Kind
from .values import NOT_ASCII, SPACES, as_lines, ascii_digits, dtype, on_unique, split_items, without_spaces

_TRUE = (
    "true",
    "yes",
    "y",
    "t",
    "1",
    "x",
    "on",
    "\u2713",
    "\u2714",
    "ja",
    "j",
    "oui",
    "vrai",
    "wahr",
    "si",
    "s\u00ed",
    "sim",
)
_FALSE = (
    "false",
    "no",
    "n",
    "f",
    "0",
    "off",
    "\u2717",
    "\u2718",
    "nein",
    "nee",
    "nej",
    "non",
    "faux",
    "falsch",
    "n\u00e3o",
)
_NUMBER = r"^[+-]?(?:\d+(?:\.\d*)?|\.\d+)$"
_DAY = r"^(\d{4}-\d{2}-\d{2})(?:[T ]00:00(?::00(?:\.0+)?)?Z?)?$"
_MOMENT = r"^(\d{4}-\d{2}-\d{2})(?:[T ](\d{2}:\d{2}(?::\d{2}(?:\.\d{1,6})?)?)(Z|[+-]\d{2}:\d{2})?)?$"
_LIKE = 60
"""Percent of likeness from which a choice is named as the one that may be meant."""
_DECIMAL_DIGITS = 38
"""Digits of the column type of decimals."""
_WHOLE_DIGITS = 19
"""Digits of the greatest 64-bit number."""


@dataclass(frozen=True)
class Parsed:
    """A column read: its typed ``values`` and, where a text is not such a value, its problem as a fault code with
    arguments (see ``problems.problem``), else null."""

    values: pl.Series
    problems: pl.Series


def parse(field: Field, texts: pl.Series) -> Parsed:
    """One column as ``parse_all`` has it."""
    return parse_all([(field, texts)])[0]


def parse_all(columns: Sequence[tuple[Field, pl.Series]]) -> list[Parsed]:
    """Read columns of texts as values of their fields. Null and blank give null without a problem.

    A reference is left as text: whom it names is not known here.

    Args:
        columns: all of one length.
    """
    parsers = [_parser_of(field, at) for at, (field, _) in enumerate(columns)]
    frame = pl.DataFrame([texts.alias(parser.text) for parser, (_, texts) in zip(parsers, columns, strict=True)])
    frame = frame.select(
        *(parser.plain().alias(parser.text) for parser in parsers),
        *(pl.col(parser.text).str.contains(NOT_ASCII).any().alias(f"foreign.{parser.at}") for parser in parsers),
    )
    foreign = [parser for parser in parsers if len(frame) and frame[f"foreign.{parser.at}"][0]]
    if foreign:
        frame = frame.with_columns(parser.composed(frame[parser.text]) for parser in foreign)
    steps = (
        frame.lazy()
        .with_columns(expr for parser in parsers for expr in parser.first())
        .with_columns(expr for parser in parsers for expr in parser.then())
        .with_columns(expr for parser in parsers for expr in parser.last())
    )
    frame = steps.select(name for parser in parsers for name in parser.results).collect()
    parsed = [parser.parsed(frame) for parser in parsers]
    return [
        Parsed(column.values.alias(texts.name), column.problems.alias("problem"))
        for column, (_, texts) in zip(parsed, columns, strict=True)
    ]


def _first_of(*cases: tuple[pl.Expr, pl.Expr]) -> pl.Expr:
    """The problem of the first case that holds."""
    chosen = pl.lit(None, dtype=pl.String)
    for case, said in reversed(cases):
        chosen = pl.when(case).then(said).otherwise(chosen)
    return chosen


@dataclass(frozen=True)
class _Parser:
    """The steps of one column. Here: of a reference, which stays a text.

    Attributes:
        field: whose values they are.
        at: the place of the column among those that are parsed together.
    """

    field: Field
    at: int

    @property
    def text(self) -> str:
        return f"text.{self.at}"

    @property
    def value(self) -> str:
        return f"value.{self.at}"

    @property
    def problem(self) -> str:
        return f"problem.{self.at}"

    @property
    def results(self) -> list[str]:
        """What the steps leave in the table for ``parsed``."""
        return [self.value, self.problem]

    def plain(self) -> pl.Expr:
        """The texts as they are looked at."""
        return without_spaces(pl.col(self.text))

    def composed(self, texts: pl.Series) -> pl.Series:
        """The plain texts where any has another character than those of ASCII."""
        return texts.str.normalize("NFC")

    def first(self) -> list[pl.Expr]:
        """The values, or what is known before them."""
        return [as_lines(pl.col(self.text)).alias(self.value)]

    def then(self) -> list[pl.Expr]:
        """The problems, or what follows from them."""
        return [pl.lit(None, dtype=pl.String).alias(self.problem)]

    def last(self) -> list[pl.Expr]:
        """A cell with any character in it gives a value or a problem, never an empty value by itself."""
        known = pl.col(self.problem)
        lost = pl.col(self.text).is_not_null() & pl.col(self.value).is_null() & known.is_null()
        return [pl.when(lost).then(problem("not-read")).otherwise(known).alias(self.problem)]

    def parsed(self, frame: pl.DataFrame) -> Parsed:
        return Parsed(frame[self.value], frame[self.problem])


class _TextParser(_Parser):
    """Spaces count; the short form of a value stands for the long one."""

    def plain(self) -> pl.Expr:
        return as_lines(pl.col(self.text))

    def first(self) -> list[pl.Expr]:
        return [_in_long_form(self.field, pl.col(self.text)).alias(self.value)]

    def then(self) -> list[pl.Expr]:
        most = self.field.max_length
        if most is None:
            return super().then()
        too_long = pl.col(self.value).str.len_chars() > most
        return [_first_of((too_long, problem("too-long", most))).alias(self.problem)]

    def last(self) -> list[pl.Expr]:
        return []


class _FigureParser(_Parser):
    """Digits of every script count."""

    def composed(self, texts: pl.Series) -> pl.Series:
        return ascii_digits(texts)


class _NumberParser(_FigureParser):
    def first(self) -> list[pl.Expr]:
        """What is wrong comes first: only good texts may be cast, which would round others without a word."""
        field, text = self.field, pl.col(self.text)
        scale = field.decimals
        digits = (field.precision or _DECIMAL_DIGITS) - scale if field.kind == Kind.DECIMAL else _WHOLE_DIGITS
        bad = ~text.str.contains(_NUMBER)
        whole = text.str.extract(r"^[+-]?0*(\d*)", 1).str.len_chars()
        places = text.str.extract(r"\.(\d*?)0*$", 1).str.len_chars().fill_null(0)
        letter = text.str.contains(r"(?i)[oli]") & text.str.contains(r"(?i)^[\d.oli]+$")
        cases = (
            (bad & letter, problem("letter-for-figure")),
            (bad & text.str.contains(r"^[+-]?\d+,\d+$"), problem("decimal-comma")),
            (bad, problem("not-a-number")),
            # One digit less than the column type has: values are rounded in it.
            (whole > min(digits, _DECIMAL_DIGITS - 1 - scale), problem("too-large")),
            (self._beyond_64_bits(text), problem("too-large")),
            (places > scale, problem("too-fine", scale)),
        )
        return [_first_of(*cases).alias(self.problem)]

    def _beyond_64_bits(self, text: pl.Expr) -> pl.Expr:
        """Of whole numbers, which are as long as the greatest, and greater."""
        if self.field.kind != Kind.WHOLE:
            return pl.lit(value=False)
        figures = text.str.extract(r"^[+-]?0*(\d*)", 1)
        sign = pl.when(text.str.starts_with("-")).then(pl.lit("-")).otherwise(pl.lit(""))
        held = pl.concat_str(sign, figures).cast(pl.Int64, strict=False)
        return (figures.str.len_chars() == _WHOLE_DIGITS) & held.is_null()

    def then(self) -> list[pl.Expr]:
        good: pl.Expr = pl.when(pl.col(self.problem).is_null()).then(pl.col(self.text))
        if self.field.kind == Kind.WHOLE:
            good = good.str.replace(r"\.0*$", "")
        return [good.str.replace(r"^\+", "").cast(dtype(self.field), strict=False).alias(self.value)]


class _CheckedParser(_Parser):
    """Values that are found or not: what is none of them has one problem."""

    code: str

    def values(self, text: pl.Expr) -> pl.Expr:
        raise NotImplementedError

    def first(self) -> list[pl.Expr]:
        return [self.values(pl.col(self.text)).alias(self.value)]

    def then(self) -> list[pl.Expr]:
        bad = pl.col(self.text).is_not_null() & pl.col(self.value).is_null()
        return [_first_of((bad, problem(self.code))).alias(self.problem)]


class _YesNoParser(_CheckedParser):
    code = "not-yes-or-no"

    def values(self, text: pl.Expr) -> pl.Expr:
        words, means = [*_TRUE, *_FALSE], [True] * len(_TRUE) + [False] * len(_FALSE)
        return text.str.to_lowercase().replace_strict(words, means, default=None, return_dtype=pl.Boolean)


class _DateParser(_CheckedParser, _FigureParser):
    code = "not-a-date"

    def values(self, text: pl.Expr) -> pl.Expr:
        return text.str.extract(_DAY, 1).str.to_date("%Y-%m-%d", strict=False)


class _MomentParser(_CheckedParser, _FigureParser):
    code = "not-a-moment"

    def values(self, text: pl.Expr) -> pl.Expr:
        clock = text.str.extract(_MOMENT, 2).fill_null("00:00:00")
        clock = pl.when(clock.str.len_chars() == len("00:00")).then(clock + ":00").otherwise(clock)
        zone = text.str.extract(_MOMENT, 3).fill_null("Z").replace("Z", "+00:00")
        whole = text.str.extract(_MOMENT, 1) + "T" + clock + zone
        return whole.str.to_datetime("%Y-%m-%dT%H:%M:%S%.f%:z", time_unit="us", time_zone="UTC", strict=False)


class _ChoiceParser(_CheckedParser):
    code = "not-a-choice"

    @property
    def results(self) -> list[str]:
        return [self.value, self.problem, self.text]

    def values(self, text: pl.Expr) -> pl.Expr:
        names, values = _choice_names(self.field)
        plain = as_lines(text)
        return plain.replace_strict(names, values, default=None, return_dtype=pl.String) if names else plain

    def parsed(self, frame: pl.DataFrame) -> Parsed:
        """The few that are none of the choices are told which are, and which is nearest."""
        values, problems = super().parsed(frame).values, frame[self.problem]
        if problems.null_count() == len(problems):
            return Parsed(values, problems)
        known = dict(zip(*_choice_names(self.field), strict=True))
        allowed = _allowed(self.field)
        lost = as_lines(pl.when(pl.col(self.problem).is_not_null()).then(pl.col(self.text)))
        canonical = on_unique(
            frame.select(lost.alias("lost"))["lost"],
            lambda text: BETWEEN.join([self.code, text, allowed, _near(text, known)]),
        )
        return Parsed(values, canonical)


class _ChoicesParser(_Parser):
    """Each different cell is taken apart once."""

    def composed(self, texts: pl.Series) -> pl.Series:
        return texts

    @property
    def results(self) -> list[str]:
        return [self.text]

    def first(self) -> list[pl.Expr]:
        return []

    then = last = first

    def parsed(self, frame: pl.DataFrame) -> Parsed:
        names = dict(zip(*_choice_names(self.field), strict=True))
        order = {choice.value: at for at, choice in enumerate(self.field.choices)}
        texts = frame[self.text]
        different = texts.drop_nulls().unique().to_list()
        values: list[list[str] | None] = []
        problems: list[str | None] = []
        for text in different:
            items = split_items(unicodedata.normalize("NFC", text))
            unknown = [item for item in items if names and item not in names]
            chosen = sorted({names.get(item, item) for item in items}, key=lambda v: (order.get(v, 0), v))
            good = chosen and not unknown
            values.append(chosen if good else None)
            problem = (
                [_ChoiceParser.code, unknown[0], _allowed(self.field), _near(unknown[0], names)] if unknown else []
            )
            problems.append(None if good else BETWEEN.join(problem or ["not-read"]))
        table = pl.DataFrame(
            {"text": different, "value": values, "problem": problems},
            schema={"text": pl.String, "value": pl.List(pl.String), "problem": pl.String},
        )
        joined = texts.to_frame("text").join(table, on="text", how="left", maintain_order="left")
        return Parsed(joined["value"], joined["problem"])


_PARSERS: dict[Kind, type[_Parser]] = {
    Kind.TEXT: _TextParser,
    Kind.DECIMAL: _NumberParser,
    Kind.WHOLE: _NumberParser,
    Kind.YES_NO: _YesNoParser,
    Kind.DATE: _DateParser,
    Kind.MOMENT: _MomentParser,
    Kind.CHOICE: _ChoiceParser,
    Kind.CHOICES: _ChoicesParser,
}


def _parser_of(field: Field, at: int) -> _Parser:
    return _PARSERS.get(field.kind, _Parser)(field, at)


def in_long_form(field: Field, texts: pl.Series) -> pl.Series:
    """Texts with the short form of a value, figures only, as the long form by which its application knows it."""
    if field.long_form is None:
        return texts
    return texts.to_frame("text").select(_in_long_form(field, pl.col("text")).alias("text"))["text"]


def _in_long_form(field: Field, text: pl.Expr) -> pl.Expr:
    if field.long_form is None:
        return text
    letters, figures = field.long_form
    short = rf"^{SPACES}*(\d{{1,{figures}}}){SPACES}*$"
    return pl.coalesce(pl.lit(letters) + text.str.extract(short, 1).str.zfill(figures), text)


def _choice_names(field: Field) -> tuple[list[str], list[str]]:
    """Texts that name a choice, and the values they name: values first, then labels that are not values."""
    names = {choice.label: choice.value for choice in field.choices}
    names.update({choice.value: choice.value for choice in field.choices})
    return list(names), list(names.values())


def _allowed(field: Field) -> str:
    return ", ".join(choice.value for choice in field.choices)


def _near(text: str, names: Mapping[str, str]) -> str:
    """The choices that are most like a text, if any is. ``names`` are texts that name a choice → its value."""
    nearest = process.extract(text, list(names), scorer=fuzz.ratio, processor=str.casefold, limit=3, score_cutoff=_LIKE)
    return " or ".join(list(dict.fromkeys(names[name] for name, *_ in nearest))[:2])
