"""Mornings' work of the demo that is done, or waits for somebody else."""

from __future__ import annotations

import polars as pl

from ..applications.models import Application
from ..applications.services import client_of
from ..applications.use_rules import set_rules
from ..ingest.bring_in import ImportRequest
from ..passes.approving import ask_for_approval
from ..passes.starting import start_pass
from ..planning.context import plan_of
from ..trips.models import Trip
from ..trips.part_view import PartView
from .other_trips import bring_text, done, person, read

_UNUSED = 6
"""Holders that are to be deleted."""


def load_pedestals(application: Application) -> Trip:
    """The electrician's list of the pedestals that were checked, as notes of berths: applied, all of it in. It can be
    taken back."""
    berths = read(application, "Berth", ["harbour", "berth_no"], "harbour eq 'EELGRASS' and notes eq null", 24)
    checked = [
        f"{harbour},{number},Pedestal checked 14 November"
        for harbour, number in berths.select("harbour", "berth_no").rows()
    ]
    request = ImportRequest(("harbour", "berth_no"), title="Pedestals checked, Eelgrass Quay")
    lines = ["Harbour,Berth no.,Notes", *checked]
    trip = bring_text(application, "Berth", "pedestals.csv", lines, person("bram"), request)
    view = PartView.of(trip)
    _, job = start_pass(view, person("bram"), plan_of(view).number, run_here=True)
    done(job)
    return trip


def load_unused_holders(application: Application) -> Trip:
    """Holders to whom nothing belongs, to be deleted: prepared by one who may not, and waiting for an approval, since
    here deletions of holders are approved by somebody else."""
    set_rules(person("ada"), application, {"Holder": {"approve": {"deletes": True}}})
    unused = _unused(application)
    lines = ["Holder no.", *unused[:_UNUSED]]
    request = ImportRequest(("holder_no",), operation="delete", title="Holders without anything, to delete")
    trip = bring_text(application, "Holder", "unused-holders.csv", lines, person("ines"), request)
    view = PartView.of(trip)
    ask_for_approval(view, person("ines"), plan_of(view), "None of them has had a berth since 2023")
    return trip


def _unused(application: Application) -> list[str]:
    """Numbers of holders that no other record refers to."""
    with client_of(application) as client:
        catalogue = client.describe()
        holder = catalogue.type("Holder")
        condition = "open_contracts eq 0"
        holders = read(application, "Holder", ["holder_no", "id"], condition, 400)
        ids = holders["id"].cast(pl.String)
        used: set[str] = set()
        for other in catalogue.types:
            for field in other.fields:
                if field.target == holder.name:
                    wanted = ids.alias(field.name).to_frame()
                    used.update(client.read_by_keys(other, [field.name], [field.name], wanted)[field.name].to_list())
    free = holders.filter(~pl.col("id").cast(pl.String).is_in(sorted(used)))
    return [str(number) for number in free["holder_no"]]
