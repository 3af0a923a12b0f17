"""The one list of what is open on a trip (``semantics.md`` 12), made from what is written down of it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import replace

from vexo.core.guards import GuardMode, GuardName
from vexo.core.planning.verdicts import ABSENT_CODE, ELSEWHERE_CODE, GOING, STOPPING, AbsentVerdict, RowState
from vexo.core.sheets.totals import checked
from vexo.core.wording import many, moment, thousands

from ..applications.use_rules import rules_of
from ..errors import PlainError
from ..faults import absent_words, group_words, guard_words
from .answers import options_for_absent, options_for_group, options_for_guard
from .approval import said_of_approval
from .facts import from_json
from .facts.columns import Option, Question, SheetColumn
from .facts.open import OpenItem
from .facts.parts import Expected, RouteFit
from .facts.passes import ScheduledFacts, ScheduledState, StoredPass
from .facts.plans import Damage, PlanSummary, Reason, StoredPlan
from .facts.status import StationName, StatusFacts
from .guards import guards_of
from .models import Trip

_EACH = 3
"""Columns without a field that are asked about one by one; more are one question with a list."""
_NAMED = 8
"""Columns that a list names."""


def open_items(trip: Trip, facts: StatusFacts, plan: StoredPlan | None, sent_by: StoredPass | None) -> list[OpenItem]:
    """What is open, what stops everything first.

    Args:
        plan: the newest plan of the newest sheet, and ``sent_by`` the pass that sent it.
    """
    summary = plan.summary if plan is not None else None
    items = [*_questions(facts), *_route(facts)]
    if _does(trip, GuardName.EXPECTED, bool(trip.expected)) == GuardMode.HOLD:
        items += _expectations(trip, facts, summary)
    if sent_by is not None:
        items += _rows(trip, sent_by.reasons, (*STOPPING, RowState.REFUSED, RowState.UNCLEAR))
        items += _others(sent_by)
        items += _not_gone(sent_by)
        items += _absent(summary, sent_by.absent.held if sent_by.absent is not None else 0)
    elif plan is not None:
        items += _guards(plan.summary, asks=True)
        items += _absent(summary, plan.summary.absent.held if plan.summary.absent is not None else 0)
        if _does(trip, GuardName.DAMAGED, bool(plan.summary.damage)) == GuardMode.HOLD:
            items += _damage(plan.summary.damage)
        items += _rows(trip, plan.summary.reasons, STOPPING)
    return items


def said_items(trip: Trip, facts: StatusFacts, plan: StoredPlan | None, sent_by: StoredPass | None) -> list[OpenItem]:
    """What a person should know, and nothing waits for.

    Args:
        plan: as for ``open_items``, and ``sent_by`` too.
    """
    items: list[OpenItem] = []
    summary = plan.summary if plan is not None else None
    if _does(trip, GuardName.EXPECTED, bool(trip.expected)) == GuardMode.SAY:
        items += _expectations(trip, facts, summary)
    if plan is not None and sent_by is None:
        items += _warnings(plan.summary)
        items += _guards(plan.summary, asks=False)
        if _does(trip, GuardName.DAMAGED, bool(plan.summary.damage)) == GuardMode.SAY:
            items += _damage(plan.summary.damage)
        items += _rows(trip, plan.summary.reasons, GOING, only_said=True)
        items += _elsewhere(plan.summary)
        items += _approval(trip, plan, facts)
        items += _times(trip, plan)
    return [replace(item, stops=False) for item in items]


def _does(trip: Trip, guard: GuardName, speaks: bool) -> GuardMode:
    """What a guard does on a trip; nothing where there is nothing to be said."""
    return guards_of(trip).mode(guard) if speaks else GuardMode.OFF


def refuse_while_asked(items: Sequence[OpenItem]) -> None:
    """Raises PlainError while a question about columns or the whole plan has no answer."""
    stops = [item for item in items if item.stops]
    if stops:
        first = " ".join(item.says for item in stops[:3])
        more = f" And {len(stops) - 3} more." if len(stops) > 3 else ""
        how_many = "One question has" if len(stops) == 1 else f"{len(stops)} questions have"
        raise PlainError(f"{how_many} no answer yet, and nothing is sent before: {first}{more}", "open")


def _questions(facts: StatusFacts) -> Iterator[OpenItem]:
    """Questions about columns; columns that nothing is known of are one question where they are many."""
    headers = {f"column:{column.column}": column.header for column in facts.columns}
    unknown: list[tuple[str, Question]] = []
    for key, questions in facts.questions.items():
        for question in questions:
            if question.code == "field" and not question.sure:
                unknown.append((headers.get(key, key), question))
            else:
                yield _question(headers.get(key, key), question)
    if len(unknown) <= _EACH:
        yield from (_question(of, question) for of, question in unknown)
        return
    names = [of for of, _ in unknown]
    listed = ", ".join(f"“{name}”" for name in names[:_NAMED]) + (" …" if len(names) > _NAMED else "")
    out = {title: "" for _, question in unknown for title in question.options[-1].columns}
    leave = Option("Leave them all out", out, {})
    says = f"{len(names)} columns have no field: {listed}. Where do they go?"
    yield OpenItem("field", says, len(names), True, StationName.COLUMNS, of="", options=[leave])


def _question(of: str, question: Question) -> OpenItem:
    return OpenItem(
        question.code,
        question.says,
        1,
        True,
        StationName.COLUMNS,
        of=of,
        options=question.options,
        sure=question.sure,
    )


def _route(facts: StatusFacts) -> Iterator[OpenItem]:
    """Columns of the trip's route that the sheet lacks, and that nobody has said to go on without."""
    fit = route_now(facts)
    if fit is not None and fit.missing and not fit.without:
        missing = ", ".join(f"“{header}”" for header in fit.missing)
        what = "a column" if len(fit.missing) == 1 else "columns"
        says = f"The route {fit.name} takes {what} that this sheet does not have: {missing}."
        options = [*fit.instead, Option("Go on without", {}, {}, without=True)]
        yield OpenItem("route", says, len(fit.missing), True, StationName.COLUMNS, options=options)


def route_now(facts: StatusFacts) -> RouteFit | None:
    """How the sheet fits the trip's route, once columns were said for lanes that had lost theirs."""
    fit = facts.on_route
    if fit is None:
        return None
    carried = {column.field for column in facts.columns if column.carried or column.check}
    lost_headers = {header for name, headers in fit.lost.items() if name in carried for header in headers}
    wanted = {header for name, headers in fit.lost.items() if name not in carried for header in headers}
    missing = [header for header in fit.missing if header not in lost_headers or header in wanted]
    instead = [option for option in fit.instead if not carried.issuperset(option.lanes)]
    return replace(fit, missing=missing, instead=instead)


def _expectations(trip: Trip, facts: StatusFacts, summary: PlanSummary | None) -> Iterator[OpenItem]:
    for one in expected_of(trip, facts, summary):
        if one.off:
            what = f"The sum of {one.what}" if one.what else "The number of rows"
            off = "cannot be told" if one.off == "?" else f"is off by {one.off}"
            says = f"{what} {off}: {one.expected} was expected, {one.now or 'nothing'} is there."
            yield OpenItem("expected", says, 1, True, StationName.FILE)


def _approval(trip: Trip, plan: StoredPlan, facts: StatusFacts) -> Iterator[OpenItem]:
    """That somebody else approves the plan before it goes."""
    says = said_of_approval(trip, plan, facts.approval)
    if says:
        yield OpenItem("approval", says, plan.summary.writes, False, StationName.APPLY)


def said_of_scheduled(scheduled: ScheduledFacts, writes: int, *, counts: bool) -> OpenItem:
    """That a plan is to be sent at a time, or was and why nothing went.

    Args:
        counts: its plan is the one that counts.
    """
    at = moment(scheduled.at)
    if scheduled.state == ScheduledState.LAPSED:
        says = f"Plan {scheduled.plan} was to be applied at {at}, and nothing was sent: {scheduled.reason}"
    elif counts:
        says = f"Plan {scheduled.plan} is to be applied at {at}."
    else:
        says = f"Plan {scheduled.plan} was to be applied at {at}. It no longer counts, so nothing is sent then."
    return OpenItem("scheduled", says, writes, False, StationName.APPLY)


def _times(trip: Trip, plan: StoredPlan) -> Iterator[OpenItem]:
    """That what would be written is written at certain times alone."""
    times = rules_of(trip.application).of(trip.record_type).times
    if times is not None and plan.summary.writes:
        says = f"What is written here goes {times.says} alone, by the administrator's rules."
        yield OpenItem("times", says, plan.summary.writes, False, StationName.APPLY)


def _guards(summary: PlanSummary, *, asks: bool) -> Iterator[OpenItem]:
    """What is asked about the whole plan, or only said of it."""
    for guard in summary.guards:
        if guard.asks == asks and not guard.answered:
            answers = options_for_guard(guard.code) if asks else []
            says = guard_words(guard)
            yield OpenItem(guard.code, says, guard.count, asks, StationName.REVIEW, answers=answers, field=guard.field)


def _warnings(summary: PlanSummary) -> Iterator[OpenItem]:
    """What a field or the record type itself warns of, where the plan changes any of it."""
    columns = {column.field: column for column in summary.columns}
    rows = sum(summary.verdicts.get(state, 0) for state in (RowState.CREATE, RowState.UPDATE, RowState.DELETE))
    rows += summary.absent.delete if summary.absent is not None else 0
    for name, text in summary.warnings.items():
        count, label = (columns[name].changed, f"{columns[name].label}: ") if name in columns else (rows, "")
        if count:
            of = f"{thousands(count)} {'row' if count == 1 else 'rows'}"
            yield OpenItem("warning", f"{label}{text} ({of})", count, False, StationName.REVIEW, field=name)


def _elsewhere(summary: PlanSummary) -> Iterator[OpenItem]:
    """Rows that nobody edited, and whose records are no longer as they went out."""
    if summary.elsewhere:
        says = "The application changed their records since, and nobody edited them here: they stay as they are."
        yield OpenItem(ELSEWHERE_CODE, says, summary.elsewhere, False, StationName.REVIEW, state=RowState.SAME)


def _absent(summary: PlanSummary | None, held: int) -> Iterator[OpenItem]:
    """Records that the sheet does not have, of which it is asked whether they are to be deleted."""
    if held:
        answers = options_for_absent()
        absent = summary.absent if summary is not None else None
        reasons = [one.reason for one in absent.reasons if one.verdict == AbsentVerdict.HELD] if absent else []
        yield OpenItem(ABSENT_CODE, absent_words(held, reasons), held, False, StationName.KEYS, answers=answers)


def rows_of_others(last: StoredPass | None) -> int:
    """How many rows are not in after the last pass for a reason that is not among its groups: where an application
    tells each row something else, only the commonest are."""
    if last is None or last.sum is None:
        return 0
    told = Counter[RowState]()
    for reason in last.reasons:
        told[reason.state] += reason.count
    states = (RowState.REFUSED, RowState.UNCLEAR, RowState.HELD, RowState.REJECTED)
    return sum(max(0, last.sum.get(state, 0) - told[state]) for state in states)


def _others(sent_by: StoredPass) -> Iterator[OpenItem]:
    """Rows that are not in, each for a reason that few others have."""
    left = rows_of_others(sent_by)
    if left:
        says = f"{many(left, 'more row is', 'more rows are')} not in, for other reasons: each row says its own."
        yield OpenItem("refused", says, left, False, StationName.OUTCOME, state=RowState.REFUSED)


def _not_gone(sent_by: StoredPass) -> Iterator[OpenItem]:
    """Records that the sheet does not have, and that could not be deleted."""
    for reason in sent_by.absent.reasons if sent_by.absent is not None else ():
        why = group_words(reason.code, reason.label, reason.arguments)
        says = f"{why} (records that are not in the sheet)"
        yield OpenItem(reason.code, says, reason.count, False, StationName.OUTCOME)


def expected_of(trip: Trip, facts: StatusFacts, summary: PlanSummary | None) -> list[Expected]:
    """What a person expects of the sheet, held against what is there.

    Args:
        summary: the figures of its newest plan.
    """
    if not trip.expected or facts.sheet is None:
        return []
    sums = {
        column.header: (column.totals.sum if column.totals else "") or _sum_as_read(column, summary)
        for column in facts.columns
        if not column.extra
    }
    return from_json(checked(trip.expected, facts.sheet.rows, sums), list[Expected])


def _sum_as_read(column: SheetColumn, summary: PlanSummary | None) -> str:
    """The sum of a column whose numbers are written in a form of their own, as its lane reads them; empty where it
    cannot be told, or the lane makes other numbers of them."""
    if summary is None or column.field not in summary.totals or column.lane is None:
        return ""
    figures_of = next((figures for figures in summary.columns if figures.field == column.field), None)
    reckons = any(treatment.get("do") in ("multiply", "round") for treatment in column.lane.treatments)
    return "" if figures_of is None or figures_of.unreadable or reckons else summary.totals[column.field].sheet


def _damage(groups: Sequence[Damage]) -> Iterator[OpenItem]:
    for group in groups:
        left = group.count - group.meant
        if not left:
            continue
        cells = "1 cell" if left == 1 else f"{thousands(left)} cells"
        says = (
            f"{group.header}: what a spreadsheet did to {cells} ({group.says}); {thousands(group.repairs)} "
            "can be put back."
        )
        yield OpenItem("damage", says, left, False, StationName.FILE, of=group.header, field=group.field)


def _rounded(trip: Trip, reason: Reason) -> list[Option]:
    """For numbers with more decimals than their field takes: to round the column to so many."""
    places = reason.arguments[0] if reason.code == "too-fine" and reason.arguments else ""
    if not reason.field or not places.isdecimal():
        return []
    lane = dict(trip.lanes.get(reason.field, {}))
    lane["treatments"] = [*lane.get("treatments", ()), {"do": "round", "to": int(places)}]
    decimals = "whole numbers" if places == "0" else "1 decimal" if places == "1" else f"{places} decimals"
    return [Option(f"Round to {decimals}", {}, {reason.field: lane})]


def _rows(
    trip: Trip, reasons: Sequence[Reason], states: Sequence[RowState], *, only_said: bool = False
) -> Iterator[OpenItem]:
    """Rows in these states by what stops them, or by why they are not in; or, of those that go, by what is said."""
    for reason in reasons:
        if reason.state not in states:
            continue
        sent = reason.state not in (*STOPPING, *GOING)
        options = [] if sent or only_said else _rounded(trip, reason)
        yield OpenItem(
            reason.code,
            group_words(reason.code, reason.label, reason.arguments),
            reason.count,
            False,
            StationName.OUTCOME if sent else StationName.REVIEW,
            of=reason.field if options else "",
            options=options,
            answers=[] if sent or only_said else options_for_group(reason.code, reason.arguments),
            state=reason.state,
            field=reason.field,
        )
