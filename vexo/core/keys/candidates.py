"""Measured keys: what each possible key would give, before one is chosen. Rules: ``semantics.md`` 5.9."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from enum import StrEnum

import polars as pl

from ..records import EXACT, IDENTIFIER, Ignored, Kind, RecordType
from .record_keys import is_declared, normal_key, row_keys

_NO_KEY = (Kind.CHOICES, Kind.YES_NO)
"""Kinds of which no single field tells records apart."""
MOST_CANDIDATES = 60
"""Candidates that are measured at most: those of a sheet of twenty columns and two declared keys."""


class Finds(StrEnum):
    """What a row's key finds. Each row is one of these, but for ``shared``, which are some of ``one``."""

    ONE = "one"
    NONE = "none"
    SEVERAL = "several"
    BLANK = "blank"
    SHARED = "shared"


@dataclass(frozen=True)
class KeyFigures:
    """What one key would give.

    Attributes:
        declared: the application itself promises that no two records share it.
        different: how many different keys the rows have, and ``distinct`` how many the records.
        rows: how many rows find what; ``one``, ``none``, ``several`` and ``blank`` are all rows. ``blank`` are those
            with a cell of the key that is blank or cannot be read; ``shared`` those whose one record another row finds.
        records: how many records they were looked for among.
    """

    fields: tuple[str, ...]
    declared: bool
    different: int
    distinct: int
    rows: dict[Finds, int]
    records: int

    @property
    def tells_apart(self) -> bool:
        """Whether no two records and no two rows share it."""
        keyed = sum(self.rows[finds] for finds in (Finds.ONE, Finds.NONE, Finds.SEVERAL))
        return not self.rows[Finds.SEVERAL] and self.different == keyed


def candidates(record_type: RecordType, carried: Sequence[str]) -> list[tuple[str, ...]]:
    """The possible keys of a sheet: the record ID, the declared keys, each single field, and a declared key with one
    field more or less.

    Args:
        carried: names of the fields that the sheet has.
    """
    known_fields = [name for name in dict.fromkeys(carried) if record_type.find(name) is not None]
    single = [name for name in known_fields if record_type.field(name).kind not in _NO_KEY]
    declared = [key for key in record_type.keys if set(key) <= set(known_fields)]
    made: list[tuple[str, ...]] = [(record_type.identifier,)] if record_type.identifier in known_fields else []
    made += declared
    made += [tuple(name for name in key if name != out) for key in declared if len(key) > 1 for out in key]
    made += [(name,) for name in single]
    made += [(*key, name) for key in declared for name in single if name not in (*key, record_type.identifier)]
    known: dict[frozenset[str], tuple[str, ...]] = {}
    for key in made:
        known.setdefault(frozenset(key), key)
    return list(known.values())[:MOST_CANDIDATES]


def measure(
    carried: pl.DataFrame,
    records: pl.DataFrame,
    key: Sequence[str],
    record_type: RecordType,
    ignores: Collection[Ignored] = EXACT,
) -> KeyFigures:
    """What a key gives.

    Args:
        carried: the rows' typed values (``columns.carried_columns``) of its fields.
        records: ``@id`` and the key's fields of all records in reach.
    """
    names = list(key)
    keys = row_keys(carried, key, record_type, ignores)
    counted = keys.lazy().drop_nulls(names).group_by(names).agg(pl.len().alias("rows"))
    normal = [normal_key(name, record_type.field(name), ignores).alias(name) for name in key]
    known = records.lazy().select(normal).drop_nulls(names).group_by(names).agg(pl.len().alias("records"))
    met = counted.join(known, on=names, how="left").select("rows", pl.col("records").fill_null(0))
    matches, rows = pl.col("records"), pl.col("rows")
    met_frame, distinct = pl.collect_all([met, known.select(pl.len())])
    figures = met_frame.select(
        rows.filter(matches == 1).sum().alias(Finds.ONE),
        rows.filter(matches == 0).sum().alias(Finds.NONE),
        rows.filter(matches > 1).sum().alias(Finds.SEVERAL),
        rows.filter((matches == 1) & (rows > 1)).sum().alias(Finds.SHARED),
    ).row(0, named=True)
    finds = {Finds(name): int(count) for name, count in figures.items()}
    finds[Finds.BLANK] = len(keys) - finds[Finds.ONE] - finds[Finds.NONE] - finds[Finds.SEVERAL]
    return KeyFigures(
        tuple(key), is_declared(key, record_type), len(met_frame), int(distinct.item()), finds, len(records)
    )


def places_that_find(
    carried: pl.DataFrame,
    records: pl.DataFrame,
    key: Sequence[str],
    finds: Finds,
    record_type: RecordType,
    ignores: Collection[Ignored] = EXACT,
) -> pl.Series:
    """Places of the rows whose key finds this, from 0, in order; arguments as of ``measure``."""
    names = list(key)
    keys = row_keys(carried, key, record_type, ignores).with_row_index("place")
    normal = [normal_key(name, record_type.field(name), ignores).alias(name) for name in key]
    known = records.select(IDENTIFIER, *normal).drop_nulls(names).group_by(names).len("records")
    blank = pl.any_horizontal([pl.col(name).is_null() for name in names])
    met = keys.join(known, on=names, how="left", maintain_order="left").with_columns(
        pl.col("records").fill_null(0), blank.alias("blank")
    )
    of = pl.struct(names)
    wanted = {
        Finds.ONE: pl.col("records") == 1,
        Finds.NONE: (pl.col("records") == 0) & ~pl.col("blank"),
        Finds.SEVERAL: pl.col("records") > 1,
        Finds.BLANK: pl.col("blank"),
        Finds.SHARED: (pl.col("records") == 1) & (pl.len().over(of) > 1),
    }[finds]
    return met.filter(wanted)["place"]


def ranked(figures: Sequence[KeyFigures], record_type: RecordType, *, own: bool) -> list[KeyFigures]:
    """The figures of all candidates, the best first.

    Args:
        own: the sheet went out from here; record IDs in any other count only where a person says so.
    """
    identifier = (record_type.identifier,)

    def worth(one: KeyFigures) -> tuple[bool, bool, int, int, bool, int]:
        foreign = one.fields == identifier and not own
        finds, shared = one.rows[Finds.ONE], one.rows[Finds.SHARED]
        # Rows that meet at one record are told apart by another key, or are doubles by any.
        several = bool(one.rows[Finds.SEVERAL])
        return foreign or not finds, several, shared - finds, shared, not one.declared, len(one.fields)

    return sorted(figures, key=worth)


def recommended(figures: Sequence[KeyFigures], record_type: RecordType, *, own: bool) -> KeyFigures | None:
    """The best of all candidates, if one is better than the others and finds records at all."""
    ordered = [one for one in ranked(figures, record_type, own=own) if own or one.fields != (record_type.identifier,)]
    if not ordered or not ordered[0].rows[Finds.ONE] or ordered[0].rows[Finds.SEVERAL]:
        return None
    return ordered[0]
