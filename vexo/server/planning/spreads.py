"""How the values of fields are spread in the application, for what lies far outside of them: asked for once a plan."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

import polars as pl

from vexo.applications import Client
from vexo.core.documents import SENT
from vexo.core.guards import GuardMode, GuardName
from vexo.core.keys.record_keys import is_among
from vexo.core.operations import Operation
from vexo.core.records import IDENTIFIER, Field
from vexo.core.spread import Spread, has_spread, spread_of

from .. import artifacts
from .basis import Basis
from .reach import condition_of, reach_paths, sent_records


def read_spreads(basis: Basis, records: pl.DataFrame, counts: Mapping[str, Any], client: Client) -> dict[str, Any]:
    """The spread of each carried number and day within reach; nothing where nobody asks for it.

    Args:
        records: those that the plan has read, and ``counts`` what it was told beside (``reach.read_reach``).
    """
    fields = _fields(basis)
    if not fields:
        return {}
    context = basis.context
    in_reach = _records_in_reach(basis, records, counts)
    spreads = {}
    for field in fields:
        if in_reach is not None:
            known = spread_of(in_reach[field.name], field) if field.name in in_reach.columns else None
        else:
            known = client.spread(context.record_type, field.name, condition_of(context))
        if known is not None:
            spreads[field.name] = asdict(known)
    return {"spreads": spreads}


def asks_of_all(basis: Basis) -> bool:
    """Whether a spread over all records is asked for, and not over those that went out."""
    return basis.context.settings.reach != SENT and bool(_fields(basis))


def spreads_of(counts: Mapping[str, Any]) -> dict[str, Spread]:
    """The spreads that a plan was told."""
    return {name: Spread(**spread) for name, spread in counts.get("spreads", {}).items()}


def _fields(basis: Basis) -> list[Field]:
    """The carried fields of which values can lie far out. Keys are none."""
    settings, record_type = basis.context.settings, basis.context.record_type
    off = settings.guards.mode(GuardName.FAR_OUT) == GuardMode.OFF
    if off or settings.operation == Operation.DELETE:
        return []
    keys = record_type.key_fields.union(settings.key)
    fields = [record_type.field(name) for name in settings.carried if name not in keys]
    return [field for field in fields if has_spread(field)]


def _records_in_reach(basis: Basis, records: pl.DataFrame, counts: Mapping[str, Any]) -> pl.DataFrame | None:
    """The records in reach, where all of them are at hand; those that went out as they are now where that was read."""
    context = basis.context
    if context.settings.reach == SENT:
        sent = sent_records(context) if basis.kept is None else basis.kept
        now = _only(records, sent[IDENTIFIER])
        if len(now) == len(sent):
            return now
        others = sent.filter(~pl.col(IDENTIFIER).is_in(now[IDENTIFIER].implode()))
        return pl.concat([now, others.select(IDENTIFIER, *_shared(now, others))], how="diagonal")
    if len(records) < counts.get("type", 0):
        return None
    paths = reach_paths(counts)
    if not paths:
        return records
    ids = artifacts.read(paths[0], [IDENTIFIER])[IDENTIFIER]
    return _only(records, ids)


def _only(records: pl.DataFrame, ids: pl.Series) -> pl.DataFrame:
    """The records with these IDs."""
    wanted = is_among(records[IDENTIFIER], ids)
    return records if wanted.all() else records.filter(wanted)


def _shared(now: pl.DataFrame, sent: pl.DataFrame) -> list[pl.Expr]:
    """Columns that both tables have, in the types of the first."""
    return [pl.col(n).cast(now.schema[n], strict=False) for n in sent.columns if n in now.columns and n != IDENTIFIER]
