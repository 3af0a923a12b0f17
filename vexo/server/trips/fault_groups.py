"""Rows grouped by what stops them, or why they are not in, in words and with the answers for all of a group."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import replace

from vexo.core.faults import KEY_CODES
from vexo.core.planning.verdicts import Answer, RowState

from ..faults import group_words
from .answers import options_for_group
from .facts.passes import StoredPass
from .facts.plans import Reason
from .facts.rows import FaultGroup
from .part_view import PartView
from .sheets import newest_in


def groups_of(reasons: Sequence[Reason]) -> list[FaultGroup]:
    """Groups of rows (or records) with one fault, with its words and answers."""
    return [_group(reason) for reason in reasons]


def groups_not_in(view: PartView, last: StoredPass | None) -> list[FaultGroup]:
    """Groups of rows that are not in after the last pass. Those that were refused are told apart by the application's
    own words, and can be set aside as long as their sheet is the newest; with how many were since."""
    if last is None:
        return []
    aside = _set_aside_since(view, last)
    sheet = newest_in(view)
    answers = options_for_group("refused") if sheet is not None and sheet.pk == last.sheet else []
    groups = []
    for reason in last.reasons:
        group = _group(reason)
        if reason.state == RowState.REFUSED:
            message = reason.arguments[0] if reason.code == "refused" and reason.arguments else ""
            since = aside[reason.code, reason.field, message]
            group = replace(group, answers=answers, message=message, aside=since)
        groups.append(group)
    return groups


def _group(reason: Reason) -> FaultGroup:
    stopped = reason.state in (RowState.HELD, RowState.REJECTED)
    return FaultGroup(
        reason.state,
        reason.code,
        reason.field,
        group_words(reason.code, reason.label, reason.arguments),
        reason.count,
        reason.first,
        options_for_group(reason.code, reason.arguments) if stopped else [],
        reason.code in KEY_CODES,
    )


def _set_aside_since(view: PartView, last: StoredPass) -> Counter[tuple[str, str, str]]:
    """Code, field and message → how many rows of this group were set aside together since a pass."""
    if all(reason.state != RowState.REFUSED for reason in last.reasons):
        return Counter()
    of_part = view.trip.decisions.filter(plan__sheet__part__number=view.part)
    since = of_part.filter(answer=Answer.ASIDE, undone_at=None, at__gt=last.started_at)
    aside: Counter[tuple[str, str, str]] = Counter()
    for scope, count in since.values_list("scope", "count"):
        if "message" in scope:
            aside[scope["code"], scope["field"], scope["message"]] += count
    return aside
