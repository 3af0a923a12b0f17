"""Further mornings' work of the demo, each at another station."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from decimal import Decimal
from pathlib import Path
from tempfile import TemporaryDirectory

import polars as pl

from vexo.core.conditions import read_condition

from ..applications.models import Application
from ..applications.services import client_of
from ..bringin.bringing import start_bringing_in
from ..bringin.incoming import NEW_TRIP
from ..bringin.uploads import take_file
from ..errors import PlainError
from ..jobs.models import Job
from ..jobs.working import do_now, enqueue
from ..passes.starting import start_pass
from ..people.models import Person
from ..review.plans import plan_of
from ..sendout.sending import new_trip
from ..trips.models import Trip

_MEASURED = 412


def _done(job: Job) -> Job:
    ended = do_now(job)
    if ended.state != Job.DONE:
        raise PlainError(f"The demo could not be loaded: {ended.error or ended.message}")
    return ended


def person(username: str) -> Person:
    """One of the demo's people."""
    return Person.objects.get(username=username)


def _bring_text(
    application: Application,
    record_type: str,
    name: str,
    lines: Sequence[str],
    by: Person,
    key: Sequence[str],
    said: Mapping[str, str],
    title: str,
) -> Trip:
    """A delimited file from elsewhere, brought in up to Review."""
    with TemporaryDirectory() as folder:
        path = Path(folder) / name
        path.write_text("\r\n".join(lines) + "\r\n", encoding="utf-8")
        upload = take_file(path, by.username)
    job = start_bringing_in(
        application, record_type, upload, by, key=key, said=said, trip=NEW_TRIP, title=title, mine=True
    )
    result = _done(job).result
    return Trip.objects.get(pk=int((result or {})["trip"]))


def _read(application: Application, record_type: str, fields: Sequence[str], condition: str, top: int) -> pl.DataFrame:
    with client_of(application) as client:
        catalogue = client.describe()
        own = catalogue.type(record_type)
        return pl.concat(list(client.read(own, fields, read_condition(condition, own, catalogue), fields[:2], top=top)))


def load_measuring_weekend(application: Application) -> Trip:
    """The sailing club's own list: other column names, a column nobody asked for, slips in keys and lengths."""
    berths = _read(application, "Berth", ["harbour", "berth_no", "length_m"], "harbour eq 'OLDBASIN'", _MEASURED)
    lines = ["site;berth_ref;measured length;bollard cond."]
    conditions = ("good", "fair", "good", "poor", "")
    for at, berth in enumerate(berths.iter_rows(named=True)):
        number = berth["berth_no"]
        if at % 53 == 9:
            number = number.replace("-0", "-O", 1)
        elif at % 61 == 13:
            number = number.replace("-", "_")
        length = berth["length_m"] + (Decimal("0.2") if at % 3 == 0 else 0)
        measured = "n/k" if at % 83 == 7 else f"{length}"
        lines.append(f"{berth['harbour']};{number};{measured};{conditions[at % 5]}")
    lines.append(lines[12])
    lines.append(lines[40].replace(lines[40].split(";")[2], "15.5", 1))
    said = {"site": "harbour", "berth_ref": "berth_no", "measured length": "length_m"}
    key = ("harbour", "berth_no")
    title = "Measuring weekend"
    return _bring_text(application, "Berth", "measuring-weekend.csv", lines, person("ines"), key, said, title)


def load_lost_fobs(application: Application) -> Trip:
    """The gatehouse's list of print numbers: applied, with a few that the register refused."""
    fobs = _read(application, "GateFob", ["fob_no", "print_no"], "blocked eq false", 44)
    lines = [
        "Print no.,Blocked",
        *[f"{print_no},yes" for print_no in fobs["print_no"].to_list()[:41]],
        "7700000000000,yes",
    ]
    title = "Fobs reported lost"
    trip = _bring_text(application, "GateFob", "lost-fobs.csv", lines, person("bram"), ("print_no",), {}, title)
    _, job = start_pass(trip, person("bram"), plan_of(trip).number, mine=True)
    _done(job)
    return trip


def load_insurance_dates(application: Application) -> Trip:
    """Vessels whose insurance runs out soon: out, and not back yet."""
    fields = ["registration", "name", "owner", "owner/last_name", "insurance_no", "insured_until"]
    condition = "insured_until lt 2027-02-01"
    trip = new_trip(application, "Vessel", "Ada Quillfeather", fields, condition, "Insurance dates, winter")
    _done(enqueue("send out", "Ada Quillfeather", trip, mine=True, format="xlsx"))
    return trip
