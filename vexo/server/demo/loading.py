"""Filling a new data folder with the demo."""

from __future__ import annotations

from vexo.server.applications.models import Application
from vexo.server.applications.services import connect
from vexo.server.people.demo import load_people
from vexo.server.trips.models import Trip

from .other_trips import load_insurance_dates, load_lost_fobs, load_measuring_weekend
from .winter_tariff import load_winter_tariff

TOKEN = "saltmarsh-vexo-token"  # noqa: S105 - the stand-in's own, for the demo only


def connect_register(address: str) -> None:
    """Connect both sets of the register at this address."""
    for stage, label in (("live", "Saltmarsh Harbour Register"), ("practice", "Saltmarsh Harbour Register (practice)")):
        pages = f"{address}/{stage}/{{source}}/{{id}}/"
        connect(f"harbour-{stage}", label, f"{address}/{stage}/odata/", TOKEN, stage, pages)


def is_new() -> bool:
    """Whether the data folder has no trips yet."""
    return not Trip.objects.exists()


def load(address: str) -> None:
    """Connect the register and, in a new data folder, load people and trips."""
    connect_register(address)
    load_people()
    live = Application.objects.get(name="harbour-live")
    if is_new():
        load_insurance_dates(live)
        load_lost_fobs(live)
        load_measuring_weekend(Application.objects.get(name="harbour-practice"))
        load_winter_tariff(live)
