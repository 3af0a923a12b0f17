"""Filling a new data folder with the demo."""

from __future__ import annotations

from vexo.server.applications.models import Application
from vexo.server.applications.services import connect
from vexo.server.people.models import Person, Role

from .other_trips import load_insurance_dates, load_lost_fobs, load_measuring_weekend
from .winter_tariff import load_winter_tariff

TOKEN = "saltmarsh-vexo-token"  # noqa: S105 - the stand-in's own, for the demo only
PASSWORD = "saltmarsh"  # noqa: S105 - shown on the demo's sign-in page
PEOPLE = [
    ("ada", "Ada Quillfeather", Role.ADMINISTRATOR),
    ("bram", "Bram Tidewell", Role.OPERATOR),
    ("ines", "Ines Gullane-Marsh", Role.PREPARER),
]


def load_people() -> None:
    """The demo's people, one a role."""
    for username, name, role in PEOPLE:
        if not Person.objects.filter(username=username).exists():
            first, _, last = name.partition(" ")
            Person.objects.create_user(
                username, password=PASSWORD, name=name, role=role, first_name=first, last_name=last
            )


def connect_register(address: str) -> None:
    """Connect both sets of the register at this address."""
    for stage, label in (("live", "Saltmarsh Harbour Register"), ("practice", "Saltmarsh Harbour Register (practice)")):
        pages = f"{address}/{stage}/{{source}}/{{id}}/"
        connect(f"harbour-{stage}", label, f"{address}/{stage}/odata/", TOKEN, stage, pages)


def load(address: str) -> None:
    """Connect the register and, in a new data folder, load people and trips."""
    connect_register(address)
    load_people()
    live = Application.objects.get(name="harbour-live")
    if not live.trips.exists():
        load_insurance_dates(live)
        load_lost_fobs(live)
        load_measuring_weekend(Application.objects.get(name="harbour-practice"))
        load_winter_tariff(live)
