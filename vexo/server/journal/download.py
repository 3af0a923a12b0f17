"""The journal as a file: CSV for spreadsheets, JSON lines for other programs, each entry with its seal."""

from __future__ import annotations

import csv
import io
import json
import re
from collections.abc import Callable, Iterator, Mapping
from functools import cache, reduce
from operator import or_

from django.db.models import Q, QuerySet

from vexo.core.sheets.formula_guard import FORMULA_BEGIN, PREFIX
from vexo.core.wording import GROUP

from ..locales import ANYONE, LOCALES
from ..queries import LARGEST, holds_text, whole_number
from .models import Entry

NAMES = ("id", "at", "who", "what", "message", "application", "stage", "trip", "rows", "file", "way", "seal")
_BEGINS_FORMULA = re.compile(FORMULA_BEGIN)
_AT_ONCE = 1000
_TYPED_SPACES = (" ", "\u00a0")
"""What keyboards give where numbers are written with a narrow space."""


def entries_asked(asked: Mapping[str, str]) -> QuerySet[Entry]:
    """The entries of a person, of a kind, about an application or a trip, with words in them; newest first."""
    entries = Entry.objects.all()
    for name in ("who", "what", "application"):
        if asked.get(name):
            entries = entries.filter(**{name: asked[name]})
    if asked.get("trip"):
        entries = entries.filter(trip=whole_number(asked, "trip", 0, LARGEST))
    if asked.get("text"):
        # As somebody reads it, in whichever country, or as it is kept.
        text = asked["text"]
        groups = {*_TYPED_SPACES, *(locale.group for locale in LOCALES.values())}
        kept = {text, *(_between_digits(group).sub(GROUP, text) for group in groups)}
        entries = entries.filter(reduce(or_, (Q(message__iregex=holds_text(one)) for one in kept)))
    return entries


@cache
def _between_digits(group: str) -> re.Pattern[str]:
    return re.compile(rf"(?<=\d){re.escape(group)}(?=\d{{3}})")


def _lines(entries: QuerySet[Entry]) -> Iterator[dict[str, object]]:
    for entry in entries.order_by("id").values(*NAMES).iterator(_AT_ONCE):
        yield {**entry, "at": entry["at"].isoformat(), "message": ANYONE.text(entry["message"])}


def as_json_lines(entries: QuerySet[Entry]) -> Iterator[str]:
    """A JSON object a line, oldest first."""
    for line in _lines(entries):
        yield json.dumps(line, ensure_ascii=False) + "\n"


def as_csv(entries: QuerySet[Entry]) -> Iterator[str]:
    """A line an entry, oldest first, below a header; what a spreadsheet would run as a formula begins with an
    apostrophe."""
    yield "\ufeff" + _row(NAMES)
    for line in _lines(entries):
        yield _row([_harmless(line[name]) for name in NAMES])


def _row(values: object) -> str:
    out = io.StringIO()
    csv.writer(out).writerow(values)  # type: ignore[arg-type]
    return out.getvalue()


def _harmless(value: object) -> object:
    return f"{PREFIX}{value}" if isinstance(value, str) and _BEGINS_FORMULA.match(value) else value


FORMATS: Mapping[str, tuple[str, Callable[[QuerySet[Entry]], Iterator[str]]]] = {
    "csv": ("text/csv; charset=utf-8", as_csv),
    "jsonl": ("application/x-ndjson", as_json_lines),
}
"""Ending of a file's name → its media type, and what makes it."""
