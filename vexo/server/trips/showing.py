"""A trip as the screens and the command line are told of it, from what is written down and nothing else."""

from __future__ import annotations

from typing import Any

from rest_framework.request import Request

from ..faults import group_words
from ..jobs.models import Job
from ..jobs.views import JobSerializer
from . import serializers as s
from .models import Trip
from .standing import Standing, broken, jobs_of


def reasons_json(reasons: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Groups of rows with one fault, with its words."""
    return [
        {
            "state": one["state"],
            "code": one["code"],
            "field_name": one["field"],
            "reason": group_words(one["code"], one["label"], one["arguments"]),
            "count": one["count"],
            "first": one["first"],
        }
        for one in reasons
    ]


def columns_json(standing: Standing) -> list[dict[str, Any]]:
    """The newest sheet's columns: their field, and what the plan does to it."""
    figures = {column["field"]: column for column in standing.summary.get("columns", [])}
    key = standing.key.get("names", [])
    made = []
    for column in standing.columns:
        own = figures.get(column["field_name"], {})
        made.append(
            {
                **column,
                "is_key": column["field_name"] in key,
                **{name: own.get(name, 0) for name in ("changed", "held", "unreadable", "emptied", "filled_before")},
                "two_way": bool(own.get("two_way")),
                **{name: own.get(name) for name in ("before", "after", "difference")},
            }
        )
    return made


def trip_json(trip: Trip, request: Request, jobs: tuple[Job | None, Job | None] | None = None) -> dict[str, Any]:
    """A trip for the list."""
    job, last = jobs if jobs is not None else jobs_of([trip.pk])[trip.pk]
    made: dict[str, Any] = dict(s.TripSerializer(trip, context={"request": request}).data)
    try:
        standing = Standing(trip, job, last)
        made |= standing.as_json()
        made["trouble"] = standing.failed.error if standing.failed else ""
    except (KeyError, TypeError, ValueError, AttributeError, IndexError) as error:
        told = broken(trip, error)
        made |= {**told, "trouble": told.pop("broken")}
    made["job"] = JobSerializer(job).data if job else None
    return made


def detail_json(trip: Trip, request: Request) -> dict[str, Any]:
    """A trip for its own page: columns and figures too."""
    jobs = jobs_of([trip.pk])[trip.pk]
    made = trip_json(trip, request, jobs)
    made |= {
        "plan": None,
        "sent_by": None,
        "summary": None,
        "columns": [],
        "sheets": s.SheetSerializer(trip.sheets.all(), many=True).data,
        "passes": [],
        "reasons": [],
        "outcomes": [],
        "weak": False,
        "most_atomic": 0,
    }
    try:
        standing = Standing(trip, *jobs)
        last = standing.passes[-1] if standing.passes else None
        outcomes = last.get("reasons") if last else None
        if standing.plan:
            made["plan"] = {
                "number": standing.plan["number"],
                "current": standing.current,
                "made_at": standing.plan["made_at"],
            }
        made |= {
            "sent_by": standing.sent_by["number"] if standing.sent_by else None,
            "summary": {name: standing.summary[name] for name in ("verdicts", "key")} if standing.summary else None,
            "columns": columns_json(standing),
            "passes": s.PassSerializer(
                [{**one, "report": trip.reports.get(str(one["number"]))} for one in standing.passes], many=True
            ).data,
            "reasons": reasons_json(standing.summary.get("reasons", [])),
            "outcomes": reasons_json(outcomes or []),
            "weak": bool(standing.summary.get("weak")),
            "most_atomic": int(standing.summary.get("most_atomic", 0)),
        }
    except (KeyError, TypeError, ValueError, AttributeError, IndexError) as error:
        made["trouble"] = broken(trip, error)["broken"]
    return made
