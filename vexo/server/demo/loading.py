"""Filling a new data folder with the demo."""

from __future__ import annotations

from vexo.server.applications.models import Application
from vexo.server.applications.services import Connection, connect
from vexo.server.journal.way_in import set_way_in
from vexo.server.people.demo import PEOPLE, load_people
from vexo.server.people.models import Person
from vexo.server.trips.models import Trip

from .other_trips import (
    load_boat_show,
    load_insurance_dates,
    load_lost_fobs,
    load_measuring_weekend,
    load_new_tariff,
    load_season_rates,
)
from .passed_on import load_pedestals, load_unused_holders
from .winter_tariff import load_winter_tariff

TOKEN = "saltmarsh-vexo-token"  # noqa: S105 - the stand-in's own, for the demo only


def connect_register(address: str, by: Person) -> None:
    """Connect both sets of the register at this address."""
    for stage, label in (("live", "Saltmarsh Harbour Register"), ("practice", "Saltmarsh Harbour Register (practice)")):
        pages = f"{address}/{stage}/{{source}}/{{id}}/"
        name = f"harbour-{stage}"
        wanted = Connection(name, f"{address}/{stage}/odata/", stage, TOKEN, label, pages)
        connect(by, wanted, change=Application.objects.filter(name=name).exists(), inside=True)


def is_new() -> bool:
    """Whether the data folder has no trips yet."""
    return not Trip.objects.exists()


def load(address: str) -> None:
    """Connect the register and, in a new data folder, load people and trips."""
    set_way_in("the demo")
    load_people()
    connect_register(address, Person.objects.get(username=PEOPLE[0][0]))
    live = Application.objects.get(name="harbour-live")
    if is_new():
        load_insurance_dates(live)
        load_lost_fobs(live)
        practice = Application.objects.get(name="harbour-practice")
        load_season_rates(practice)
        load_winter_tariff(live)
        load_measuring_weekend(practice)
        load_boat_show(practice)
        load_new_tariff(practice)
        load_pedestals(live)
        load_unused_holders(live)
