"""Records that may be the same one, told by how people are named and reached: where no key tells it (``semantics.md``
5.8)."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

import polars as pl

from ..records import IDENTIFIER, Field, Kind, RecordType
from .near import AT, near_records

_NAMES = frozenset({"name", "surname", "forename", "firstname", "lastname"})
_MAILS = frozenset({"email", "mail"})
_PHONES = frozenset({"phone", "telephone", "mobile", "tel"})
_LEAST_FIGURES = 7
"""Figures that a phone number has at least."""
_TOLD_BY = 9
"""Figures at its end by which it is told, whatever stands before them for the country."""
_TEXT = "text"


@dataclass(frozen=True)
class Naming:
    """The fields of a record type by which people tell its records apart, whatever its keys."""

    names: tuple[str, ...]
    mails: tuple[str, ...]
    phones: tuple[str, ...]

    @property
    def fields(self) -> tuple[str, ...]:
        """All of them."""
        return (*self.names, *self.mails, *self.phones)


def naming_of(record_type: RecordType, among: Sequence[str]) -> Naming:
    """The naming fields of a type.

    Args:
        among: the fields that may be taken.
    """
    fields = [record_type.field(name) for name in among]
    texts = [f for f in fields if f.kind == Kind.TEXT and f.path is None and not f.read_only]
    named = [tuple(f.name for f in texts if _words(f) & words) for words in (_NAMES, _MAILS, _PHONES)]
    return Naming(*named)


def _words(field: Field) -> set[str]:
    return {word for text in (field.name, field.label) for word in re.findall(r"[a-z]+", text.lower().replace("-", ""))}


def _forms(table: pl.DataFrame, naming: Naming) -> pl.DataFrame:
    """Of each line its name, mail addresses and phone numbers in the form in which they are compared."""
    parts = [pl.col(name).fill_null("") for name in naming.names]
    folded = _folded(pl.concat_str(parts, separator=" ")) if parts else pl.lit("")
    words = folded.str.extract_all(r"[\p{L}\p{N}]+").list.sort().list.join(" ")
    texts = {name: _folded(pl.col(name).str.strip_chars()) for name in naming.mails}
    mails = [pl.when(text != "").then(text).alias(f"mail.{name}") for name, text in texts.items()]
    figures = {name: pl.col(name).str.replace_all(r"\D+", "") for name in naming.phones}
    phones = [
        pl.when(text.str.len_chars() >= _LEAST_FIGURES).then(text.str.tail(_TOLD_BY)).alias(f"phone.{name}")
        for name, text in figures.items()
    ]
    return table.select(pl.when(words != "").then(words).alias("name"), *mails, *phones)


def _folded(text: pl.Expr) -> pl.Expr:
    """Without capitals and accents."""
    return text.str.to_lowercase().str.normalize("NFD").str.replace_all(r"\p{Mn}", "")


def like_records(rows: pl.DataFrame, records: pl.DataFrame, naming: Naming) -> pl.DataFrame:
    """The records that each row may be: those with its mail address or phone number, or with a name that is the same
    but for capitals, accents, order and one character.

    Args:
        rows: a column of texts for each naming field, and ``records`` the same with their IDs.

    Returns:
        ``at`` (the place of the row) and the record's ID, in the order of ``rows``.
    """
    forms = _forms(rows, naming).with_row_index(AT)
    known = pl.concat([records.select(IDENTIFIER), _forms(records, naming)], how="horizontal")
    pairs = [pl.DataFrame(schema={AT: pl.UInt32, IDENTIFIER: pl.String})]
    for prefix in ("mail.", "phone."):
        columns = [name for name in forms.columns if name.startswith(prefix)]
        pairs += [
            forms.select(AT, pl.col(one).alias(_TEXT))
            .drop_nulls()
            .join(known.select(IDENTIFIER, pl.col(other).alias(_TEXT)).drop_nulls(), on=_TEXT)
            .select(AT, IDENTIFIER)
            for one in columns
            for other in columns
        ]
    wanted = forms.select("name").drop_nulls().unique(maintain_order=True)
    near = near_records(wanted, known.select(IDENTIFIER, "name"), ["name"])
    by_name = wanted.with_row_index(AT).join(near, on=AT).select("name", IDENTIFIER)
    pairs.append(forms.select(AT, "name").join(by_name, on="name").select(AT, IDENTIFIER))
    return pl.concat(pairs).unique(maintain_order=True).sort(AT, maintain_order=True)


def like_rows(rows: pl.DataFrame, naming: Naming) -> pl.Series:
    """Of each row the place of the first other one before it with its name, mail address or phone number; else null."""
    forms = _forms(rows, naming).with_row_index(AT)
    firsts = []
    for name in forms.columns[1:]:
        first = pl.when(pl.col(name).is_not_null()).then(pl.col(AT).min().over(name))
        firsts.append(pl.when(first < pl.col(AT)).then(first))
    return forms.select(pl.min_horizontal(firsts)).to_series()
