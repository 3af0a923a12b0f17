"""A trip as the screens and the command line are told of it, from what is written down and nothing else."""

from __future__ import annotations

from contextlib import suppress
from typing import Any

from rest_framework.request import Request

from vexo.core.conditions import ConditionError
from vexo.core.documents import sentence
from vexo.core.records import UnknownName
from vexo.core.sheets.totals import checked

from ..faults import group_words
from ..jobs.models import Job
from ..jobs.views import JobSerializer
from . import serializers as s
from .models import Trip
from .parts import parts_json
from .sheet_serializers import SheetSerializer
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
    checks = {one["field"]: one for one in standing.summary.get("checks", [])}
    key = standing.key.get("names", [])
    made = []
    for column in standing.columns:
        own = figures.get(column["field_name"], {})
        asked = standing.questions.get(column["field_name"] or f"column:{column['column']}", [])
        made.append(
            {
                **column,
                "questions": asked,
                "example": standing.holds.get("examples", {}).get(column["field_name"], ""),
                "agrees": checks.get(column["field_name"]),
                "is_key": column["field_name"] in key,
                **{name: own.get(name, 0) for name in ("changed", "held", "unreadable", "emptied", "filled_before")},
                "two_way": bool(own.get("two_way")),
                **{name: own.get(name) for name in ("before", "after", "difference")},
            }
        )
    return made


def _expected(trip: Trip, standing: Standing) -> list[dict[str, Any]]:
    """What a person expects of the sheet, held against what is there."""
    if not trip.expected or standing.sheet is None:
        return []
    sums = {column["header"]: (column.get("totals") or {}).get("sum", "") for column in standing.columns}
    return checked(trip.expected, int(standing.sheet["rows"]), sums)


def totals_json(trip: Trip) -> dict[str, Any]:
    """Counts and control totals of a trip's sheet: its columns; each number field in the sheet, as planned, in the
    application before and (once written) after; and what a person expects."""
    standing = Standing(trip)
    planned = standing.summary.get("totals", {})
    report: dict[str, Any] = next(
        (r for one in reversed(standing.passes) if (r := trip.reports.get(str(one["number"])))), {}
    )
    written = report.get("totals", {}) if standing.sent_by else {}
    fields = {name: {**sums, "after": written.get(name, {}).get("after")} for name, sums in planned.items()}
    none = {"filled": 0, "different": 0, "numbers": 0, "sum": "", "least": "", "greatest": ""}
    return {
        "rows": int(standing.sheet["rows"]) if standing.sheet else 0,
        "columns": [{"header": c["header"], **(c.get("totals") or none)} for c in standing.columns if not c["extra"]],
        "fields": fields,
        "expected": _expected(trip, standing),
    }


def went_out_json(trip: Trip, standing: Standing) -> dict[str, Any] | None:
    """What went out on a trip, or is on its way; None for a sheet from elsewhere."""
    document, known = trip.document, trip.application.known
    if document is None:
        return None
    says = ""
    if known is not None:
        with suppress(UnknownName, ConditionError):
            says = sentence(document, known)
    sent, sums = standing.sent or {}, trip.selection.get("totals", {})
    labels = {f.name: f.label for t in known.types if t.name == trip.record_type for f in t.fields} if known else {}
    return {
        "says": says,
        "records": trip.selection.get("records", 0),
        "totals": [{"label": labels.get(name, name), "sum": text} for name, text in sums.items()],
        "missing": sent.get("missing", 0),
        "not_found": sent.get("not_found", []),
        "also_out": standing.also_out,
        "since": trip.selection.get("since"),
        "parts": sent.get("parts", 1),
        "pending": standing.sent is None,
    }


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
        "sheets": SheetSerializer(trip.sheets.all(), many=True).data,
        "passes": [],
        "reasons": [],
        "outcomes": [],
        "weak": False,
        "most_atomic": 0,
        "edits": 0,
        "damage": [],
        "expected": [],
        "only": {"condition": trip.only.get("condition", ""), "left_out": len(trip.only.get("left_out", []))},
        "planned_totals": {},
        "part": trip.part,
        "parts": [],
        "went_out": None,
        "examples": {},
        "on_route": None,
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
            "edits": standing.edits,
            "parts": parts_json(trip),
            "went_out": went_out_json(trip, standing),
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
            "damage": standing.summary.get("damage", []),
            "planned_totals": standing.summary.get("totals", {}),
            "examples": standing.holds.get("examples", {}),
            "on_route": standing.on_route,
            "expected": _expected(trip, standing),
        }
    except (KeyError, TypeError, ValueError, AttributeError, IndexError) as error:
        made["trouble"] = broken(trip, error)["broken"]
    return made
