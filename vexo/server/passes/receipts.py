"""Receipts and rows not in, as files."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import polars as pl
from django.db.models import Q

from vexo.core.planning.verdicts import LANDED, PRESENT, RowState
from vexo.core.records import IDENTIFIER
from vexo.core.sheets import Stamp
from vexo.core.sheets.overlay.versions import REASON_HEADER, STATE_HEADER
from vexo.core.sheets.sheet import ROW_ID
from vexo.core.sheets.writers.delimited import write_csv
from vexo.core.sheets.writers.outgoing import OutgoingColumn
from vexo.core.sheets.writers.xlsx import Beside, write_xlsx
from vexo.core.values import to_text
from vexo.core.wording import thousands
from vexo.core.writing.batches import WHOLE
from vexo.core.writing.ledger import FAULTS_OF_RECORD, STATE, STATES_OF_PAGE, STATES_OF_PLAN, states_of
from vexo.core.writing.receipts import Evidence, lines_of, lines_of_absent, not_in, receipt, text_column

from .. import artifacts
from ..error_codes import ErrorCode
from ..errors import PlainError, unknown_format
from ..locales import ANYONE
from ..planning.context import PlanContext
from ..rows.document_page import Document, as_page
from ..rows.windows import fault_words
from ..trips.part_view import PartView
from ..trips.sheets import stamp_of
from .cover import Cover
from .models import Pass
from .read_back_words import words_of_rows

TABLE_ENDINGS = (".xlsx", ".csv", ".tsv")
RECEIPT_ENDINGS = (*TABLE_ENDINGS, ".jsonl", ".html")
"""Endings of the names that these files can be written under."""


def under_way(view: PartView) -> Pass | None:
    """The pass that is being sent, or was broken off in a folder that was laid out anew since: what it has written so
    far no outcome and no receipt tells."""
    untold = Q(state=Pass.RUNNING) | Q(state__in=Pass.OPEN, page="")
    return view.trip.passes.filter(untold, plan__sheet__part__number=view.part).order_by("number").last()


def words_under_way(pass_: Pass) -> str:
    """That a pass is being sent, or was broken off, and how far it was, as a sentence."""
    sent = f"{thousands(pass_.cursor)} of its {thousands(pass_.rows)} rows are sent so far"
    where = "under way" if pass_.state == Pass.RUNNING else pass_.state
    return f"Pass {pass_.number} of trip {pass_.trip_id} is {where}: {sent}."


def last_pass(view: PartView) -> Pass:
    """The pass that ended, or was interrupted, last. Raises PlainError where nothing was written yet, or is just being
    written."""
    trip = view.trip
    pass_ = trip.passes.filter(plan__sheet__part__number=view.part).exclude(page="").order_by("number").last()
    if pass_ is None:
        running = under_way(view)
        if running is not None:
            code: ErrorCode = "under-way" if running.state == Pass.RUNNING else "pass-open"
            raise PlainError(f"{words_under_way(running)} Its outcome is told once it has ended.", code)
        raise PlainError(f"Nothing of trip {trip.pk} has been written yet.", "no-pass")
    return pass_


def _write(columns: list[OutgoingColumn], path: Path, title: str, stamp: Stamp, cover: Beside | None = None) -> None:
    ending = path.suffix.lower()
    if ending not in TABLE_ENDINGS:
        raise unknown_format(path.name, TABLE_ENDINGS)
    if not path.absolute().parent.is_dir():
        raise PlainError(f"There is no folder {path.parent}. Make it, or choose another.")
    if ending == ".xlsx":
        write_xlsx(columns, path, title, stamp, cover)
    else:
        write_csv(columns, path, "\t" if ending == ".tsv" else ",")


def _reasons(context: PlanContext, faults: pl.Series) -> pl.Series:
    """The first fault of each row or record, in words."""
    words = [ANYONE.text(fault_words(context, of[0])) if of else None for of in faults.to_list()]
    return pl.Series("reason", words, dtype=pl.String)


def told_states(pass_: Pass, context: PlanContext) -> pl.DataFrame:
    """What became of every row: ``row_id``, ``row``, ``state``, ``reason`` in words, ``@id``."""
    page = artifacts.read(pass_.page, STATES_OF_PAGE) if pass_.page else None
    states = states_of(artifacts.read(pass_.plan_file, STATES_OF_PLAN), page)
    return states.with_columns(_reasons(context, states["faults"]))


def write_receipt(
    view: PartView, path: Path, number: int | None = None, *, masked: frozenset[str] = frozenset()
) -> None:
    """What became of each row, with old and new values of what was written: by all passes of the sheet that was sent
    last together, or by one alone.

    Args:
        masked: fields of which nothing is to stand in it; then no reason does either, which could repeat a value.

    Raises:
        PlainError: where nothing was written yet, or there is no such pass.
    """
    trip, ending = view.trip, path.suffix.lower()
    if ending not in RECEIPT_ENDINGS:
        raise unknown_format(path.name, RECEIPT_ENDINGS)
    pass_ = last_pass(view) if number is None else _pass(view, number)
    context = PlanContext.of_plan(pass_.plan)
    passes = [pass_] if number is not None else _passes_of_sheet(pass_)
    evidence = [_evidence(one) for one in passes]
    names = {field.name for field in context.record_type.fields if not field.read_only} - masked
    fields = [field for field in context.record_type.fields if field.name in names]
    row_states, profile = told_states(pass_, context), context.profile
    if masked:
        hidden = {match.column for match in context.matches if match.field is not None and match.field.name in masked}
        profile = replace(profile, columns=tuple(one for one in profile.columns if one.name not in hidden))
        row_states = row_states.with_columns(pl.lit(None, pl.String).alias("reason"))
    read_back = words_of_rows(passes, context.record_type, [*names])
    columns = receipt(context.cells, profile, row_states, evidence, fields, read_back)
    about = Cover.of(trip, pass_, passes, under_way(view))
    if ending == ".jsonl":
        lines = [lines_of(columns, profile), *[_absent_lines(one) for one in passes if one.absent_page]]
        _write_text(json.dumps({"receipt": about.facts}) + "\n" + pl.concat(lines, how="diagonal").write_ndjson(), path)
    elif ending == ".html":
        _write_text(ANYONE.text(as_page(_page(about, columns))), path)
    else:
        cover = Beside(about.lines, "About")
        _write(columns, path, "Receipt", stamp_of(trip, [], view.part, rows=True), cover)


def _page(about: Cover, columns: list[OutgoingColumn]) -> Document:
    """A receipt as a page to print."""
    first, *lines = about.lines
    rows = len(columns[0].cells) if columns else 0
    return Document(
        f"Receipt: {about.facts['title']}", first[1].capitalize(), [("About", lines)], columns, rows, STATE_HEADER
    )


def _absent_lines(pass_: Pass) -> pl.DataFrame:
    """What became of records that the sheet does not have."""
    context, page = PlanContext.of_plan(pass_.plan), artifacts.read(pass_.absent_page)
    fields = [field for field in context.record_type.fields if field.name in page.columns]
    return lines_of_absent(page, _reasons(context, page[FAULTS_OF_RECORD]), pass_.number, fields)


def _write_text(text: str, path: Path) -> None:
    if not path.absolute().parent.is_dir():
        raise PlainError(f"There is no folder {path.parent}. Make it, or choose another.")
    path.write_text(text, encoding="utf-8")


def _pass(view: PartView, number: int) -> Pass:
    pass_ = view.trip.passes.filter(number=number).exclude(page="").first()
    if pass_ is None:
        raise PlainError(f"Trip {view.trip.pk} has no pass {number} that has written.", "no-pass")
    return pass_


def _passes_of_sheet(pass_: Pass) -> list[Pass]:
    """The passes of the part, up to one; rows keep their numbers through newer versions of its sheet."""
    part = pass_.plan.sheet.part_id
    passes = pass_.trip.passes.filter(plan__sheet__part=part, number__lte=pass_.number).exclude(page="")
    return list(passes.order_by("number"))


def _evidence(pass_: Pass) -> Evidence:
    page = artifacts.read(pass_.page)
    whole = [name for name in artifacts.columns_of(pass_.rows_file) if name.startswith(WHOLE)]
    gone = page.filter(pl.col("state") == RowState.DELETED)[ROW_ID]
    frozen = artifacts.read(pass_.rows_file, [ROW_ID, *whole]).filter(pl.col(ROW_ID).is_in(gone.implode()))
    return Evidence(pass_.number, page, frozen.rename({name: name.removeprefix(WHOLE) for name in whole}))


def write_absent_outcome(view: PartView, path: Path) -> None:
    """What became of records that the sheet does not have, each with all that it held.

    Raises:
        PlainError: where the pass could delete none.
    """
    pass_ = last_pass(view)
    if not pass_.absent_page:
        raise PlainError(f"Pass {pass_.number} deleted nothing but what its rows are about.", "no-absent")
    context = PlanContext.of_plan(pass_.plan)
    page = artifacts.read(pass_.absent_page)
    fields = [field for field in context.record_type.fields if field.name in page.columns]
    columns = [
        text_column("@state", STATE_HEADER, page[STATE]),
        text_column("@reason", REASON_HEADER, _reasons(context, page[FAULTS_OF_RECORD])),
        *[text_column(field.name, field.label, to_text(field, page[field.name])) for field in fields],
    ]
    _write(columns, path, "Not in the sheet", stamp_of(view.trip, [], view.part, rows=True))


def write_touched(view: PartView, path: Path) -> None:
    """The records that the passes of the sheet made or changed and that are there, by their record IDs: a list by which
    the next trip can choose them.

    Raises:
        PlainError: where nothing was written yet.
    """
    pass_ = last_pass(view)
    record_type = PlanContext.of_plan(pass_.plan).record_type
    pages = [artifacts.read(one.page, [IDENTIFIER, "state"]) for one in _passes_of_sheet(pass_)]
    last = pl.concat(pages).drop_nulls(IDENTIFIER)
    last = last.filter(pl.col("state").is_in(list(LANDED))).unique(IDENTIFIER, keep="last", maintain_order=True)
    present_ids = last.filter(pl.col("state").is_in(list(PRESENT)))[IDENTIFIER]
    identifier = record_type.field(record_type.identifier)
    column = OutgoingColumn(identifier, identifier.label, "", present_ids, False, True)
    _write([column], path, record_type.plural, stamp_of(view.trip, [], view.part, rows=True))


def write_rejects(view: PartView, path: Path) -> None:
    """The rows that did not go in, as they came, with the reason. Raises PlainError where all did."""
    trip = view.trip
    pass_ = last_pass(view)
    context = PlanContext.of_plan(pass_.plan)
    columns = not_in(context.cells, context.profile, told_states(pass_, context))
    if not columns or columns[0].cells.is_empty():
        raise PlainError(f"Every row of pass {pass_.number} is in, so there is none to write down.", "nothing")
    _write(columns, path, "Not in", stamp_of(trip, [], view.part, rows=True))
