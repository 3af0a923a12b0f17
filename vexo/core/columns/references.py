"""Texts that name a record of another type → its record ID."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

import polars as pl

from ..cell_parser import in_long_form
from ..problems import problem
from ..records import IDENTIFIER, RecordType
from ..values import bare, normal

SCHEMA = {"text": pl.String(), "identifier": pl.String(), "problem": pl.String()}


def naming_fields(target: RecordType, *, by_identifier: bool) -> list[str]:
    """The fields by which a record may be named, the one that people know it by first, its ID last.

    Args:
        by_identifier: IDs that the application makes itself are those of the application that is asked. Those that
            people choose mean the same everywhere.
    """
    single = [key[0] for key in target.keys if len(key) == 1]
    first = [target.shown_by] if target.shown_by != target.identifier else []
    names = dict.fromkeys([*first, *single, target.identifier])
    if not by_identifier and target.field(target.identifier).read_only:
        del names[target.identifier]
    return list(names)


def key_texts(texts: pl.Series) -> pl.Series:
    """Different texts as they are looked for: NFC, without spaces at the ends."""
    return bare(normal(texts)).drop_nulls().unique().sort()


def make_lookup(
    texts: pl.Series,
    target: RecordType,
    records_by_field: Mapping[str, pl.DataFrame],
    near: Mapping[str, Sequence[str]] | None = None,
    *,
    by_identifier: bool = True,
) -> pl.DataFrame:
    """For each text its record, or why there is none.

    Args:
        texts: the different texts, as ``key_texts`` gives them.
        records_by_field: naming field → records found by it (that field as text, and the record ID).
        near: text that names none → those nearest to it.
        by_identifier: IDs that the application makes count, see ``naming_fields``.

    Returns:
        columns ``text``, ``identifier``, ``problem``.
    """
    parts = []
    for name, frame in records_by_field.items():
        if not len(frame):
            continue
        named = frame.select(pl.col(name).cast(pl.String).alias("long"), pl.col(IDENTIFIER).alias("identifier"))
        table = pl.DataFrame([texts.alias("text"), in_long_form(target.field(name), texts).alias("long")])
        parts.append(table.join(named, on="long", how="inner").select("text", "identifier"))
    hits = pl.concat(parts) if parts else pl.DataFrame(schema={"text": pl.String(), "identifier": pl.String()})
    grouped = hits.filter(pl.col("text").is_not_null()).group_by("text").agg(pl.col("identifier").unique())
    by = _named_by(target, naming_fields(target, by_identifier=by_identifier))
    count = pl.col("identifier").list.len().fill_null(0)
    nearest = {text: " or ".join(names) for text, names in (near or {}).items()}
    alike = pl.col("text").replace_strict(nearest, default="", return_dtype=pl.String) if nearest else pl.lit("")
    return (
        texts.to_frame("text")
        .join(grouped, on="text", how="left", maintain_order="left")
        .select(
            "text",
            pl.when(count == 1).then(pl.col("identifier").list.first()).alias("identifier"),
            pl.when(count == 0)
            .then(problem("names-none", target.label, by, alike))
            .when(count > 1)
            .then(problem("names-several", target.label))
            .alias("problem"),
        )
    )


def _named_by(target: RecordType, names: Sequence[str]) -> str:
    """What a person may write to name a record; empty where nothing is left but IDs that do not count."""
    if target.shown_by != target.identifier:
        return target.field(target.shown_by).label
    return "record ID" if target.identifier in names else target.field(names[0]).label if names else ""


def empty_lookup() -> pl.DataFrame:
    """A lookup that knows nobody."""
    return pl.DataFrame(schema=SCHEMA)


def resolve(texts: pl.Series, lookup: pl.DataFrame) -> tuple[pl.Series, pl.Series]:
    """A column of texts → record IDs and problems."""
    plain = bare(normal(texts))
    joined = plain.to_frame("text").join(lookup, on="text", how="left", maintain_order="left")
    return joined["identifier"], joined["problem"]


def different(columns: Iterable[pl.Series]) -> pl.Series:
    """All different texts of several columns that refer to the same type."""
    return key_texts(pl.concat([column.cast(pl.String) for column in columns]))
