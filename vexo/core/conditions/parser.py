"""Text → tree, checked against the catalogue, with the place of a slip."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any

import polars as pl

from .. import patterns
from ..cell_parser import parse
from ..errors import MendableError
from ..records import Catalogue, Field, Kind, RecordType, UnknownName
from ..wording import thousands
from .tree import All, AnyOf, Below, Compare, Condition, Days, Holds, Includes, Matches, Not, OneOf

_TOKEN = re.compile(
    r"""(?P<space>\s+)
      | (?P<text>'(?:[^']|'')*')
      | (?P<duration>duration'-?P\d{1,5}D')
      | (?P<moment>\d{4}-\d\d-\d\dT[\d:.]+(?:Z|[+-]\d\d:\d\d))
      | (?P<date>\d{4}-\d\d-\d\d)
      | (?P<number>-?\d+(?:\.\d+)?)
      | (?P<name>(?:Aggregation\.|\$root/)?[A-Za-z_]\w*(?:/[A-Za-z_]\w*)*)
      | (?P<mark>[(),:=])""",
    re.VERBOSE,
)
_COMPARE = ("eq", "ne", "gt", "ge", "lt", "le")
_FUNCTIONS = ("contains", "startswith", "endswith")
_TREE = "Aggregation.isdescendant"
_DEEPEST = 60
"""Brackets in brackets: more than anyone writes, fewer than Python's stack takes."""
_MOST_FIGURES = 38
"""Figures of a number, before and behind its point, that can be held exactly."""
LONGEST = 20_000
"""Characters that a condition may have."""


class ConditionError(MendableError):
    """A slip in a condition. ``position`` is the 0-based character where it was noticed."""

    def __init__(self, message: str, text: str, position: int) -> None:
        super().__init__(
            f"The condition has a slip at character {position + 1}: {message}\n  {text}\n  {' ' * position}^"
        )
        self.message, self.position = message, position


@dataclass(frozen=True)
class _Token:
    kind: str
    text: str
    position: int


def _tokens(text: str) -> list[_Token]:
    tokens, position = [], 0
    while position < len(text):
        match = _TOKEN.match(text, position)
        if not match:
            what = "a text is not closed: add a '" if text[position] == "'" else f"{text[position]!r} is not understood"
            raise ConditionError(what, text, position)
        if match.lastgroup != "space":
            tokens.append(_Token(str(match.lastgroup), match.group(), position))
        position = match.end()
    return [*tokens, _Token("end", "", len(text))]


class _Reader:
    def __init__(self, text: str, record_type: RecordType, catalogue: Catalogue) -> None:
        self.text, self.type, self.catalogue = text, record_type, catalogue
        self.tokens, self.at, self.depth = _tokens(text), 0, 0

    @property
    def next(self) -> _Token:
        return self.tokens[self.at]

    def slip(self, message: str, token: _Token | None = None) -> ConditionError:
        return ConditionError(message, self.text, (token or self.next).position)

    def take(self) -> _Token:
        token = self.next
        self.at += token.kind != "end"
        return token

    def word(self, *words: str) -> bool:
        return self.next.kind == "name" and self.next.text in words

    def expect(self, mark: str) -> None:
        if self.next.text != mark:
            raise self.slip(f"{mark!r} was expected here")
        self.take()

    def whole(self) -> Condition:
        condition = self.any()
        if self.next.kind != "end":
            raise self.slip("'and', 'or' or the end was expected here")
        return condition

    def any(self) -> Condition:
        self.depth += 1
        if self.depth > _DEEPEST:
            raise self.slip("the parentheses go too deep")
        parts = [self.all()]
        while self.word("or"):
            self.take()
            parts.append(self.all())
        self.depth -= 1
        return parts[0] if len(parts) == 1 else AnyOf(tuple(parts))

    def all(self) -> Condition:
        parts = [self.one()]
        while self.word("and"):
            self.take()
            parts.append(self.one())
        flat = [flat_part for part in parts for flat_part in (part.parts if isinstance(part, All) else (part,))]
        return flat[0] if len(flat) == 1 else All(tuple(flat))

    def one(self) -> Condition:
        if self.word("not"):
            self.take()
            self.depth += 1
            if self.depth > _DEEPEST:
                raise self.slip("too many 'not' in a row")
            inner = Not(self.one())
            self.depth -= 1
            return inner
        if self.next.text == "(" and self.next.kind == "mark":
            self.take()
            inside = self.any()
            self.expect(")")
            return inside
        token = self.take()
        if token.kind != "name":
            raise self.slip("a field was expected here", token)
        if token.text in _FUNCTIONS and self.next.text == "(":
            return self.holds(token.text)
        if token.text == "matchesPattern" and self.next.text == "(":
            return self.matches()
        if token.text == _TREE:
            return self.below(token)
        if token.text.endswith("/any") and self.next.text == "(":
            return self.includes(token)
        return self.compare(token)

    def field(self, token: _Token) -> Field:
        try:
            return self.catalogue.field(self.type, token.text)
        except UnknownName as error:
            raise self.slip(str(error), token) from None

    def compare(self, token: _Token) -> Condition:
        field = self.field(token)
        operator = self.take()
        if operator.text == "in":
            return self.one_of(field)
        if operator.text not in _COMPARE:
            if field.kind == Kind.YES_NO and operator.text in ("and", "or", ")", ""):
                self.at -= operator.kind != "end"
                return Compare(field, "eq", value=True)
            raise self.slip(f"one of {', '.join(_COMPARE)} or in was expected here", operator)
        literal = self.take()
        if literal.text in ("now", "date") and self.next.text == "(":
            return Compare(field, operator.text, self.days(field, literal))
        value = self.literal(field, literal)
        if field.kind == Kind.CHOICES and value is not None:
            raise self.slip(f"{field.label} has several values: write {field.name}/any(v: v eq '…')", operator)
        if operator.text not in ("eq", "ne") and (value is None or field.kind == Kind.YES_NO):
            raise self.slip(f"{operator.text!r} cannot be used with {literal.text}", operator)
        return Compare(field, operator.text, value)

    def one_of(self, field: Field) -> Condition:
        self.expect("(")
        values = [self.literal(field, self.take())]
        while self.next.text == ",":
            self.take()
            values.append(self.literal(field, self.take()))
        self.expect(")")
        return OneOf(field, tuple(values))

    def literal(self, field: Field, token: _Token) -> Any:
        if token.kind == "name" and token.text == "null":
            return None
        raw = token.text
        if token.kind == "text":
            raw = raw[1:-1].replace("''", "'")
        fits: dict[Kind, tuple[str, ...]] = {
            Kind.DECIMAL: ("number",),
            Kind.WHOLE: ("number",),
            Kind.DATE: ("date",),
            Kind.MOMENT: ("moment",),
            Kind.YES_NO: ("name",),
        }
        if token.kind == "end":
            raise self.slip("a value is missing here", token)
        wanted = fits.get(field.kind, ("text",) if field.quoted else ("number",))
        if token.kind not in wanted:
            raise self.slip(self.remedy(field, wanted[0]), token)
        if field.kind in (Kind.TEXT, Kind.REFERENCE) or not raw:
            return raw
        if field.kind == Kind.DECIMAL:
            # Compared, not stored: more decimals than the field has are allowed, and kept.
            whole, _, decimals = raw.lstrip("+-").partition(".")
            scale = max(field.scale or 0, len(decimals))
            if len(whole.lstrip("0")) + scale > _MOST_FIGURES:
                raise self.slip(f"this number has more figures than can be compared ({_MOST_FIGURES})", token)
            return pl.Series([raw]).str.to_decimal(scale=scale).item()
        read = parse(field, pl.Series([raw], dtype=pl.String))
        if read.problems.item() is not None:
            raise self.slip(f"{token.text} {read.problems.item()}", token)
        value = read.values.item()
        return value.to_list()[0] if isinstance(value, pl.Series) else value

    def days(self, field: Field, token: _Token) -> Days:
        """``now()``, or ``date(now())`` for a day, with a duration of days added or taken away."""
        wanted = {Kind.DATE: "date", Kind.MOMENT: "now"}.get(field.kind)
        if token.text != wanted:
            example = {"date": "date(now())", "now": "now()"}.get(wanted or "", "")
            words = f"{field.label} is compared with {example}" if example else f"{field.label} is not a day"
            raise self.slip(words, token)
        self.expect("(")
        if token.text == "date":
            self.expect("now")
            self.expect("(")
        self.expect(")")
        count = 0
        if self.word("add", "sub"):
            sign = -1 if self.take().text == "sub" else 1
            literal = self.take()
            if literal.kind != "duration":
                raise self.slip("days are written as duration'P30D'", literal)
            count = sign * int(literal.text.partition("'")[2].replace("P", "").rstrip("D'"))
        if token.text == "date":
            self.expect(")")
        return Days(count)

    def matches(self) -> Condition:
        self.expect("(")
        token = self.take()
        field = self.field(token)
        if field.kind not in (Kind.TEXT, Kind.CHOICE):
            raise self.slip(f"{field.label} is not text, so it matches no pattern", token)
        self.expect(",")
        literal = self.take()
        if literal.kind != "text":
            raise self.slip("a pattern in single quotes was expected here", literal)
        self.expect(")")
        pattern = literal.text[1:-1].replace("''", "'")
        if len(pattern) > patterns.LONGEST:
            raise self.slip(f"a pattern has at most {patterns.LONGEST} characters", literal)
        try:
            pl.Series([""]).str.contains(pattern)
        except pl.exceptions.ComputeError:
            raise self.slip("this pattern cannot be read", literal) from None
        return Matches(field, pattern)

    def below(self, start: _Token) -> Condition:
        """The parameters by name, in any order; a record is never below itself here."""
        self.expect("(")
        options: dict[str, _Token] = {}
        while True:
            name = self.take()
            self.expect("=")
            options[name.text] = self.take()
            if self.next.text != ",":
                break
            self.take()
        self.expect(")")
        if set(options) != {"HierarchyNodes", "HierarchyQualifier", "Node", "Ancestor"}:
            raise self.slip(
                f"write {_TREE}(HierarchyNodes=…,HierarchyQualifier='…',Node=…,Ancestor=…)",
                start,
            )
        identifier_field = self.type.field(self.type.identifier)
        field = self.field(_Token("name", options["HierarchyQualifier"].text.strip("'"), start.position))
        source = options["HierarchyNodes"].text
        if not field.tree or source != f"$root/{self.type.source}" or options["Node"].text != identifier_field.name:
            raise self.slip(f"{self.type.plural} make no such tree", start)
        return Below(field, self.literal(identifier_field, options["Ancestor"]))

    def remedy(self, field: Field, wanted: str) -> str:
        if field.kind == Kind.REFERENCE and wanted == "number":
            shown = self.catalogue.shown_field(field)
            by = f", or write {shown.name} eq '…'" if shown else ""
            return f"{field.label} is compared with a record ID, a whole number{by}"
        examples = {"text": "'…' in single quotes", "number": "a number", "date": "a date such as 2026-11-16"}
        examples |= {"moment": "a moment such as 2026-11-16T09:30:00Z", "name": "true or false"}
        return f"{field.label} is compared with {examples[wanted]}"

    def holds(self, function: str) -> Condition:
        self.expect("(")
        folded = self.word("tolower")
        if folded:
            self.take()
            self.expect("(")
        token = self.take()
        field = self.field(token)
        if field.kind not in (Kind.TEXT, Kind.CHOICE):
            raise self.slip(f"{field.label} is not text, so it has no {function!r}", token)
        if folded:
            self.expect(")")
        self.expect(",")
        literal = self.take()
        if literal.kind != "text":
            raise self.slip("a text in single quotes was expected here", literal)
        self.expect(")")
        text = literal.text[1:-1].replace("''", "'")
        return Holds(field, function, text.lower() if folded else text, folded)

    def includes(self, token: _Token) -> Condition:
        field = self.field(_Token("name", token.text[: -len("/any")], token.position))
        if field.kind != Kind.CHOICES:
            raise self.slip(f"{field.label} has one value, so it has no 'any'", token)
        self.expect("(")
        variable = self.take()
        self.expect(":")
        again, operator, literal = self.take(), self.take(), self.take()
        if again.text != variable.text or operator.text != "eq" or literal.kind != "text":
            raise self.slip(f"write {field.name}/any(v: v eq '…')", again)
        self.expect(")")
        value = literal.text[1:-1].replace("''", "'")
        if field.choices and value not in [choice.value for choice in field.choices]:
            known = ", ".join(choice.value for choice in field.choices)
            raise self.slip(f"{field.label} has no choice {value!r}; it has {known}", literal)
        return Includes(field, value)


def read_condition(text: str, record_type: RecordType, catalogue: Catalogue) -> Condition | None:
    """A condition from its text; None where the text is blank.

    Raises:
        ConditionError: saying where and what the slip is.
    """
    if not text.strip():
        return None
    if len(text) > LONGEST:
        start = text[:40]
        raise ConditionError(
            f"it has {thousands(len(text))} characters, and at most {thousands(LONGEST)} are read", f"{start}…", 0
        )
    return _Reader(text, record_type, catalogue).whole()
