"""What has been taken back leaves the ledger of the trip that wrote it."""

from __future__ import annotations

import polars as pl

from vexo.core.planning.verdicts import LANDED, RowState
from vexo.core.records import IDENTIFIER
from vexo.core.sheets.sheet import ROW_ID
from vexo.core.writing.ledger import STATE

from .. import artifacts
from ..trips.facts import from_json, to_json
from ..trips.facts.reversal import Reversal
from ..trips.models import LedgerPage, Trip
from ..trips.part_view import PartView
from ..trips.status import update_status
from .models import Pass
from .telling import view_of


def leave_ledger(pass_: Pass, page: pl.DataFrame) -> None:
    """After a pass of a trip that takes another back: what it has taken back leaves the ledger of that one.

    Args:
        page: of the pass's page of the ledger, which row is in which state.
    """
    trip = pass_.trip
    other = trip.takes_back
    if other is None:
        return
    reversal = from_json(trip.reversal, Reversal)
    records = artifacts.read(reversal.records)
    done = page.filter(pl.col("state").is_in(list(LANDED)))[ROW_ID]
    ids = [records.filter(pl.col(ROW_ID).is_in(done.implode()))[IDENTIFIER]]
    if pass_.absent_page:
        absent = artifacts.read(pass_.absent_page)
        ids.append(absent.filter(pl.col(STATE) == RowState.DELETED)[IDENTIFIER])
    if reversal.landed:
        ids.append(artifacts.read(reversal.landed, [IDENTIFIER])[IDENTIFIER])
    landed = pl.concat(ids).drop_nulls().unique(maintain_order=True)
    if landed.is_empty():
        return
    path = artifacts.keep_artifact(landed.to_frame(IDENTIFIER), trip.pk, "landed")
    Trip.objects.filter(pk=trip.pk).update(
        reversal=to_json(Reversal(reversal.passes, reversal.records, path, len(landed)))
    )
    for kept in LedgerPage.objects.filter(trip=other, number__in=reversal.passes):
        table = artifacts.read(kept.path)
        left = table.filter(~pl.col(IDENTIFIER).is_in(landed.implode()).fill_null(value=False))
        if len(left) < len(table):
            kept.path = artifacts.keep_artifact(left, other.pk, f"pass-{kept.number}")
            kept.created = int((left["state"] == RowState.CREATED).sum())
            kept.save(update_fields=["path", "created"])
    last = other.passes.filter(number__in=reversal.passes).last()
    update_status(view_of(last) if last is not None else PartView.of(other), revised=True, whole=True)
