"""A trip as the list and its own page show it, made from what is written down and nothing else."""

from __future__ import annotations

from collections.abc import Mapping
from contextlib import suppress
from dataclasses import asdict, fields
from typing import TYPE_CHECKING, Any

from vexo.core.conditions import ConditionError
from vexo.core.documents import sentence
from vexo.core.planning.verdicts import RowState
from vexo.core.records import UnknownName

from ..applications.own_tokens import lacking
from ..applications.use_rules import rules_of
from ..faults import absent_reason_words
from ..jobs.models import Job
from ..jobs.views import JobSerializer
from ..people.models import Person
from ..people.rights import Action, applying, may
from ..who import WhoSerializer
from .answers import options_for_group
from .approval import could_approve, preparers, why_approved
from .facts import from_json
from .facts.approval import Approval, ApprovalState
from .facts.columns import CheckFigures, Column
from .facts.pages import (
    ApplicationName,
    Detail,
    FieldTotals,
    SheetColumnTotals,
    Standing,
    TripDetail,
    TripSummary,
    TripTotals,
)
from .facts.parts import AboutPart, LabelledSum, RowFilter, Since, WentOut
from .facts.passes import AbsentOutcome, AbsentResult, Pass, ScheduledPass, StoredPass
from .facts.plans import AbsentFigures, AbsentGroup, Plan, PlanSummary, Summary
from .facts.reversal import OtherWay, Reversal
from .facts.status import Needs, Station, StationName, StationState
from .fault_groups import groups_not_in, groups_of
from .models import Trip
from .open_items import expected_of, route_now, rows_of_others
from .part_view import PartView
from .parts import asking_parts, parts_of
from .refusal_rules import rule_of_trip
from .sheet_serializers import SheetSerializer
from .status import UNREADABLE, TripStatus, jobs_of, report_of

if TYPE_CHECKING:
    from _typeshed import DataclassInstance

Jobs = tuple[Job | None, Job | None]
"""The open job of a trip, and its last one."""


def columns_of(status: TripStatus) -> list[Column]:
    """The newest sheet's columns: their field, what is asked about them, and what the plan does to them."""
    summary, facts = status.plan.summary if status.plan else None, status.facts
    figures = {column.field: column for column in (summary.columns if summary else ())}
    checks = {check.field: check for check in (summary.checks if summary else ())}
    columns = []
    for column in status.columns:
        column_figures = figures.get(column.field or "")
        check = checks.get(column.field or "")
        columns.append(
            Column(
                **{one.name: getattr(column, one.name) for one in fields(column)},
                is_key=column.field in facts.key.names,
                questions=facts.questions.get(column.field or f"column:{column.column}", []),
                example=facts.holds.examples.get(column.field or "", ""),
                agrees=CheckFigures(check.compared, check.agrees) if check else None,
                changed=column_figures.changed if column_figures else 0,
                held=column_figures.held if column_figures else 0,
                unreadable=column_figures.unreadable if column_figures else 0,
                emptied=column_figures.emptied if column_figures else 0,
                emptied_answers=options_for_group("emptied") if column_figures and column_figures.emptied else [],
                filled_before=column_figures.filled_before if column_figures else 0,
                two_way=column_figures.two_way if column_figures else False,
                before=column_figures.before if column_figures else None,
                after=column_figures.after if column_figures else None,
                difference=column_figures.difference if column_figures else None,
            )
        )
    return columns


def totals_of(view: PartView) -> TripTotals:
    """Counts and control totals of a trip's sheet: its columns; each number field in the sheet, as planned, in the
    application before and (once written) after; and what a person expects."""
    status, trip = TripStatus(view), view.trip
    planned = status.plan.summary.totals if status.plan else {}
    unread = {one.field: one.unreadable for one in status.plan.summary.columns} if status.plan else {}
    reports = (report_of(trip, stored.number) for stored in reversed(status.passes))
    report = next((report_ for report_ in reports if report_), None) if status.sent_by else None
    written = report.totals if report else {}
    return TripTotals(
        rows=status.sheet.rows if status.sheet else 0,
        columns=[
            SheetColumnTotals(**asdict(column.totals) if column.totals else {}, header=column.header)
            for column in status.columns
            if not column.extra
        ],
        fields={
            name: FieldTotals(
                **asdict(sums), after=written[name].after if name in written else None, unread=unread.get(name, 0)
            )
            for name, sums in planned.items()
        },
        expected=expected_of(status.trip, status.facts, status.plan.summary if status.plan else None),
    )


def went_out_of(status: TripStatus) -> WentOut | None:
    """What went out on a trip, or is on its way; None for a sheet from elsewhere."""
    trip, sent = status.trip, status.sent
    document, known = trip.document, trip.application.known
    if document is None:
        return None
    says = ""
    if known is not None:
        with suppress(UnknownName, ConditionError):
            says = sentence(document, known)
    labels = {f.name: f.label for t in known.types if t.name == trip.record_type for f in t.fields} if known else {}
    since = trip.selection.get("since")
    return WentOut(
        says=says,
        records=trip.selection.get("records", 0),
        totals=[LabelledSum(labels.get(name, name), text) for name, text in trip.selection.get("totals", {}).items()],
        missing=sent.missing if sent else 0,
        not_found=sent.not_found if sent else [],
        formulas=sent.formulas if sent else 0,
        formula_cells=sent.formula_cells if sent else [],
        also_out=status.facts.also_out,
        also_out_note=status.facts.also_out_note,
        since=from_json(since, Since) if since else None,
        parts=sent.parts if sent else 1,
        pending=sent is None,
    )


def _pass_of(trip: Trip, stored: StoredPass) -> Pass:
    return Pass(
        number=stored.number,
        plan=stored.plan,
        state=stored.state,
        rows=stored.rows,
        totals=stored.totals,
        sum=stored.sum,
        report=report_of(trip, stored.number),
        reason=stored.reason,
        atomic=stored.atomic,
        by=WhoSerializer(stored.by).data,
        started_at=stored.started_at,
        ended_at=stored.ended_at,
        absent=_absent_result(stored.absent),
        stop_after=stored.stop_after,
        take_back=stored.take_back,
    )


def _absent_result(sent: AbsentOutcome | None) -> AbsentResult | None:
    if sent is None:
        return None
    numbers = (sent.deleted, sent.refused, sent.unclear, sent.waiting, sent.held, sent.kept)
    return AbsentResult(*numbers, groups=groups_of(sent.reasons))


def _unreadable(trip: Trip, error: Exception) -> Standing:
    """What is told of a trip whose facts cannot be understood."""
    return Standing(
        plural=trip.record_type,
        stations=[Station(name, StationState.AHEAD, "—") for name in StationName],
        here=StationName.FILE,
        needs=Needs(RowState.REJECTED, "cannot be shown"),
        asks=True,
        finished=False,
        sum={},
        rows=None,
        sent_rows=None,
        to_write=0,
        trouble=f"This trip's notes cannot be read ({type(error).__name__}: {error}). Plan it again.",
    )


def _standing(status: TripStatus) -> Standing:
    return Standing(
        plural=status.plural,
        stations=status.stations(),
        here=status.here,
        needs=status.needs(),
        asks=status.asks(),
        finished=status.finished,
        sum=status.sum,
        rows=status.sheet.rows if status.sheet else None,
        sent_rows=status.sent.rows if status.sent else None,
        to_write=status.to_write,
        trouble=status.failed.error if status.failed else "",
    )


def _summary(trip: Trip, person: Person, job: Job | None, standing: Standing, about: AboutPart | None) -> TripSummary:
    application = trip.application
    may_apply = may(person, applying(application.stage))
    return TripSummary(
        id=trip.pk,
        title=trip.title,
        application=ApplicationName(application.name, application.label, application.stage, may_apply),
        record_type=trip.record_type,
        condition=trip.condition,
        operation=trip.operation,
        key=list(trip.key),
        ignores=list(trip.ignores),
        reach=trip.reach,
        version=trip.version,
        about_part=about,
        created_by=WhoSerializer(trip.created_by).data,
        created_at=trip.created_at,
        touched_at=trip.touched_at,
        job=JobSerializer(job).data if job else None,
        **_fields_of(standing),
    )


def _fields_of(fact: DataclassInstance) -> Mapping[str, Any]:
    """A fact's values by name, as they are: one that holds all that another does is made of them."""
    return {one.name: getattr(fact, one.name) for one in fields(fact)}


def _asking(view: PartView, status: TripStatus) -> tuple[AboutPart | None, TripStatus]:
    """The part of a shared-out trip at which somebody is needed, and how the trip stands there; None, and how it stands
    at the part that came in last, where nobody is."""
    asking = asking_parts(view, status)
    if not asking:
        return None, status
    (part, its), *others = asking
    return AboutPart(part.number, part.label or str(part.number), len(others)), its


def trip_summary(view: PartView, person: Person, jobs: Jobs | None = None) -> TripSummary:
    """A trip for the list."""
    trip = view.trip
    job, last = jobs if jobs is not None else jobs_of([trip.pk])[trip.pk]
    about = None
    try:
        about, status = _asking(view, TripStatus(view, job, last))
        standing = _standing(status)
    except UNREADABLE as error:
        standing = _unreadable(trip, error)
    return _summary(trip, person, job, standing, about)


def _in_short(summary: PlanSummary) -> Summary:
    return Summary(summary.verdicts, summary.key, summary.keys_not_read, summary.patterns_not_read)


def _detail(view: PartView, status: TripStatus, person: Person) -> Detail:
    """What a trip's own page shows of it beside what the list does."""
    trip, facts = view.trip, status.facts
    summary = status.plan.summary if status.plan else None
    last = status.passes[-1] if status.passes else None
    back = trip.taken_back_by.order_by("pk").only("title", "reversal")
    return Detail(
        plan=Plan(status.plan.number, status.current, status.plan.made_at) if status.plan else None,
        sent_by=status.sent_by.number if status.sent_by else None,
        summary=_in_short(summary) if summary else None,
        columns=columns_of(status),
        passes=[_pass_of(trip, stored) for stored in status.passes],
        reasons=groups_of(summary.reasons if summary else []),
        outcomes=groups_not_in(view, last),
        outcomes_left=rows_of_others(last),
        weak=summary.weak if summary else False,
        most_atomic=summary.most_atomic if summary else 0,
        edits=facts.edits,
        damage=summary.damage if summary else [],
        expected=expected_of(status.trip, status.facts, summary),
        planned_totals=summary.totals if summary else {},
        parts=parts_of(view),
        went_out=went_out_of(status),
        examples=facts.holds.examples,
        on_route=route_now(facts),
        open=status.open,
        said=status.said,
        moved=trip.moved_from_id is not None,
        denied=sorted(rules_of(trip.application).of(trip.record_type).deny),
        approval=approval_told(status, person),
        scheduled=_scheduled(status),
        times=_times_of(trip),
        on_refusals=rule_of_trip(trip),
        needs_token=bool(lacking(person, [trip.application])),
        takes_back=_other_way(trip.takes_back, trip) if trip.takes_back is not None else None,
        taken_back=[_other_way(other, other) for other in back],
        absent=absent_figures(summary),
        pointed=summary.pointed if summary else {},
        pointed_renames=summary.pointed_renames if summary else {},
        first_steps=summary.first_steps if summary else [],
    )


def approval_told(status: TripStatus, person: Person) -> Approval | None:
    """The approval of the newest plan by somebody else, or of the one whose pass has not ended; None where there is
    nothing that could be sent."""
    trip, plan = status.trip, status.plan
    waits = status.open_pass is not None and plan is not None and status.open_pass.plan == plan.number
    if plan is None or (status.sent_by is not None and not waits):
        return None
    why = why_approved(plan.summary, rules_of(trip.application).of(trip.record_type).approve)
    last = status.facts.approval
    approval = last if last is not None and last.plan == plan.number and (status.current or waits) else None
    lacks = bool(why) and not (approval is not None and approval.state == ApprovalState.APPROVED)
    others = could_approve(trip) if lacks else []

    def who(username: str) -> Any:
        return WhoSerializer(username).data if username else None

    return Approval(
        why,
        approval.state if approval else None,
        who(approval.asked_by) if approval else None,
        approval.note if approval else "",
        who(approval.by) if approval else None,
        approval.word if approval else "",
        may(person, applying(trip.application.stage)) and person.username not in preparers(trip),
        others,
        lacks and not others and may(person, Action.CONNECT),
    )


def _scheduled(status: TripStatus) -> ScheduledPass | None:
    """The pass that is to begin at a time, or was."""
    facts = status.facts.scheduled
    if facts is None or status.sent_by is not None:
        return None
    counts = status.plan is not None and status.current and status.plan.number == facts.plan
    return ScheduledPass(facts.plan, facts.at, facts.state, WhoSerializer(facts.by).data, facts.reason, counts)


def _times_of(trip: Trip) -> str:
    """When the trip's records may be written, in words; empty for always."""
    times = rules_of(trip.application).of(trip.record_type).times
    return times.says if times is not None else ""


def _other_way(other: Trip, reverse: Trip) -> OtherWay:
    """A trip that takes another back, or is taken back by one; ``reverse`` is the one of both that takes back."""
    return OtherWay(other.pk, other.title, from_json(reverse.reversal, Reversal).count)


def absent_figures(summary: PlanSummary | None) -> AbsentFigures | None:
    """What becomes of records in reach that the sheet does not have, with why in words."""
    absent = summary.absent if summary else None
    if absent is None:
        return None
    groups = [AbsentGroup(r.verdict, r.reason, r.count, absent_reason_words(r.reason)) for r in absent.reasons]
    return AbsentFigures(absent.delete, absent.held, absent.kept, absent.reach, groups)


def trip_detail(view: PartView, person: Person) -> TripDetail:
    """A trip for its own page: columns and figures too."""
    trip = view.trip
    job, last = jobs_of([trip.pk])[trip.pk]
    row_filter = RowFilter(trip.row_filter.get("condition", ""), len(trip.row_filter.get("left_out", [])))
    about = None
    try:
        status, newest = TripStatus(view, job, last), PartView.of(trip)
        about, _ = _asking(newest, status if newest.part == view.part else TripStatus(newest, job, last))
        standing, detail = _standing(status), _detail(view, status, person)
    except UNREADABLE as error:
        standing, detail = _unreadable(trip, error), Detail()
    return TripDetail(
        **_fields_of(_summary(trip, person, job, standing, about)),
        **_fields_of(detail),
        sheets=SheetSerializer(trip.sheets.all(), many=True).data,
        row_filter=row_filter,
        part=view.part,
    )
