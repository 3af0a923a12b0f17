"""Values of unique fields that rows write: those that another record has and keeps, or another row writes too, and
those that rows take from one another in a circle. Rules: ``semantics.md`` 5.11 and 7.3.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property

import polars as pl

from ...cell_parser import parse
from ...faults import CODES, Does
from ...keys.claims import blocked_rows, in_circles
from ...keys.record_keys import key_texts
from ...problems import Case
from ...records import IDENTIFIER, Ignored, RecordType
from ...sheets.sheet import ROW, ROW_ID
from ..decisions import answered, find_faults
from ..frame import CREATES, FieldColumns, beside
from ..inputs import Inputs, Settings
from ..verdicts import Answer, CellAction
from .texts import BETWEEN_FIELDS

_CAPITALS = frozenset({Ignored.CAPITALS})
_VALUE, _OWNER, _SHOWN, _TWINS = "value", "owner", "shown", "twins"


def written_keys(record_type: RecordType, carried: Iterable[str], known: Iterable[str]) -> list[tuple[str, ...]]:
    """The declared keys of which rows may write a field, and of which all fields are known.

    Args:
        known: the fields that are known of records, beside those that are carried.
    """
    written = set(carried)
    all_known = {*written, *known}
    return [key for key in record_type.keys if written.intersection(key) and all_known.issuperset(key)]


FIRST_STEPS = {ROW_ID: pl.UInt32, "field": pl.String, "text": pl.String}
"""Rows that are written through another value first, so that a circle opens: at which field, and the value's text."""


@dataclass(frozen=True)
class _Claims:
    """Values of one key that rows write.

    Attributes:
        key: its fields; rows ask at ``field``, the last that the sheet carries.
        lines: ``row_id``, ``value`` that the row writes, ``owner`` (ID of another record that has it), ``shown`` (as
            people know that record) and ``twins`` (numbers of all rows that write it, where these are several).
        leavers: record → the row that writes another value into it.
        keys_now: ``row_id`` of these rows, and the key that their records have now.
        values_now: the values that records have now.
    """

    key: tuple[str, ...]
    field: str
    lines: pl.DataFrame
    leavers: dict[str, int]
    keys_now: pl.DataFrame
    values_now: pl.Series

    def is_free(self, row: int, text: str, record_type: RecordType) -> bool:
        """Whether a row's record can have this text at the field for a while: no other has or gets it."""
        field = record_type.field(self.field)
        value = parse(field, pl.Series([text])).values.alias(self.field)
        key_now = self.keys_now.filter(pl.col(ROW_ID) == row).drop(ROW_ID)
        if key_now.is_empty() or value[0] is None:
            return False
        [text_meanwhile] = _joined(key_now.with_columns(value), self.key, record_type)
        taken = (self.values_now, self.lines[_VALUE])
        return text_meanwhile is not None and not any(text_meanwhile in values for values in taken)


def hold_unique(
    frame: pl.DataFrame, inputs: Inputs, settings: Settings, open_: pl.DataFrame, decisions: pl.DataFrame
) -> tuple[pl.DataFrame, pl.DataFrame]:
    """The faults without an answer of rows that write a unique value which stays another record's, which another row
    writes too, or which can only be had in a circle; and the rows that go through another value (``FIRST_STEPS``).

    Args:
        frame: rows with what happens to each cell.
        open_: the faults of rows that nothing has answered: what stops does not free its value.
    """
    stopping = [code for code in CODES if settings.guards.does(code) not in (Does.SAYS, None)]
    stops = open_.filter(pl.col("code").is_in(stopping))
    keys = written_keys(inputs.record_type, settings.carried, inputs.now.columns)
    names = [name for name in dict.fromkeys(name for key in keys for name in key) if name in settings.carried]
    cells = [column for name in names for column in (FieldColumns(name).action, FieldColumns(name).proposed)]
    # Taken out before rows are left out: the whole frame is wide, and would be copied.
    narrow = frame.select(ROW_ID, ROW, IDENTIFIER, CREATES, *cells)
    going = narrow.filter(~pl.col(ROW_ID).is_in(stops[ROW_ID].implode()))
    claims = [of_key for key in keys if (of_key := _claims(going, inputs, settings, key)) is not None]
    if not claims:
        return find_faults(frame, []), pl.DataFrame(schema=FIRST_STEPS)
    rows = going.select(ROW_ID)
    for at, one in enumerate(claims):
        column_names = {name: f"{name}.{at}" for name in (_SHOWN, _TWINS)}
        rows = rows.hstack(beside(rows[ROW_ID], one.lines.select(ROW_ID, *column_names).rename(column_names)))
    twins = [_case("duplicate-row", pl.col(f"{_TWINS}.{at}"), one.field) for at, one in enumerate(claims)]
    owned = [_case("duplicate", pl.col(f"{_SHOWN}.{at}"), one.field) for at, one in enumerate(claims)]
    of_twins, _ = answered(find_faults(rows, twins), decisions)
    of_owned, answers = answered(find_faults(rows, owned), decisions)
    waits = _Waits.of(claims, {(row, field) for row, field in answers.select(ROW_ID, "field").iter_rows()})
    in_circle = _circle_faults(waits, frame)
    first_steps = _first_steps(claims, answered(in_circle, decisions)[1], inputs.record_type)
    if len(first_steps):
        waits = waits.without(set(first_steps[ROW_ID]))
        in_circle = _circle_faults(waits, frame)
    asking = waits.asking(set(of_twins[ROW_ID]), set(in_circle[ROW_ID]))
    rows_asking = pl.DataFrame(list(asking), schema={ROW_ID: pl.UInt32, "field": pl.String}, orient="row")
    faults = [of_twins, of_owned.join(rows_asking, on=[ROW_ID, "field"], how="semi"), in_circle]
    return pl.concat(faults), first_steps


def _circle_faults(waits: _Waits, frame: pl.DataFrame) -> pl.DataFrame:
    """A fault for each row that is in a circle, which names all of its rows."""
    circles = waits.circles
    numbers = dict(frame.filter(pl.col(ROW_ID).is_in(list(circles))).select(ROW_ID, ROW).iter_rows())
    lines = [
        (row, waits.left_at[row], ", ".join(str(number) for number in sorted(numbers[other] for other in group)))
        for row, group in circles.items()
    ]
    table = pl.DataFrame(lines, schema={ROW_ID: pl.UInt32, "at": pl.String, "circle": pl.String}, orient="row")
    fields = sorted(set(table["at"]))
    cases = [
        Case("key-circle", pl.col("at") == name, name, (pl.col("circle"),), (pl.col("circle"),)) for name in fields
    ]
    return find_faults(table, cases)


def _first_steps(claims: Sequence[_Claims], answers: pl.DataFrame, record_type: RecordType) -> pl.DataFrame:
    """The rows of circles of which a person said through which value they go, where that is free."""
    by_field = {one.field: one for one in claims}
    lines = [
        (row, field, text)
        for row, field, text in answers.filter(pl.col("answer") == Answer.THROUGH)
        .select(ROW_ID, "field", "argument")
        .iter_rows()
        if by_field[field].is_free(row, text, record_type)
    ]
    return pl.DataFrame(lines, schema=FIRST_STEPS, orient="row").unique(ROW_ID, keep="last", maintain_order=True)


@dataclass(frozen=True)
class _Waits:
    """Which rows wait for which.

    Attributes:
        wants: row, the field at which it asks, and the row that gives up what it takes; null where none does.
        left_at: row → the field at which others wait for it.
    """

    wants: list[tuple[int, str, int | None]]
    left_at: dict[int, str]

    @classmethod
    def of(cls, claims: Sequence[_Claims], stay: set[tuple[int, str]]) -> _Waits:
        """Those of several keys.

        Args:
            stay: rows of which a person said that they go all the same, at a field.
        """
        wants, left_at = [], {}
        for one in claims:
            for row, owner in one.lines.drop_nulls(_OWNER).select(ROW_ID, _OWNER).iter_rows():
                if (row, one.field) in stay:
                    continue
                leaver = one.leavers.get(owner)
                wants.append((row, one.field, leaver))
                if leaver is not None:
                    left_at[leaver] = one.field
        return cls(wants, left_at)

    @cached_property
    def waits_for(self) -> dict[int, set[int]]:
        """Row → the rows that have to go before it."""
        waits: dict[int, set[int]] = defaultdict(set)
        for row, _, leaver in self.wants:
            if leaver is not None:
                waits[row].add(leaver)
        return waits

    @cached_property
    def circles(self) -> dict[int, list[int]]:
        """Row → all rows of the circle that it is in."""
        return {row: group for group in in_circles(self.waits_for) for row in group}

    def without(self, early: set[int]) -> _Waits:
        """As it is where these rows give up what they have first of all."""
        return _Waits([want for want in self.wants if want[2] not in early], self.left_at)

    def asking(self, stopped: set[int], in_circle: set[int]) -> set[tuple[int, str]]:
        """The rows that ask since a value that they write stays another record's, and at which field.

        Args:
            stopped: rows that ask something else, and ``in_circle`` those that are in one: they free nothing.
        """
        first = {row for row, _, leaver in self.wants if leaver is None}
        lost = blocked_rows({*stopped, *in_circle, *first}, self.waits_for)
        return {
            (row, field)
            for row, field, leaver in self.wants
            if (leaver is None or leaver in lost) and row not in stopped and row not in in_circle
        }


def _case(code: str, shown: pl.Expr, field: str) -> Case:
    return Case(code, shown.is_not_null(), field, (shown,), (shown,))


def _claims(going: pl.DataFrame, inputs: Inputs, settings: Settings, key: tuple[str, ...]) -> _Claims | None:
    """What rows write of one key; None where no row writes anything of it."""
    carried = [name for name in key if name in settings.carried]
    written = [pl.col(FieldColumns(name).action) == CellAction.WRITE for name in carried]
    # Whether a new record's own key is there already was looked at when it was matched.
    writes_any = pl.any_horizontal(written) & (~pl.col(CREATES) | pl.lit(key != settings.key))
    rows = going.filter(writes_any)
    if rows.is_empty():
        return None
    record_type, now = inputs.record_type, inputs.now
    keys_now = beside(rows[IDENTIFIER], now.select(IDENTIFIER, *key))
    writes = {name: rows[FieldColumns(name).action] == CellAction.WRITE for name in carried}
    values = pl.DataFrame(
        [
            pl.select(
                pl.when(writes[name]).then(rows[FieldColumns(name).proposed]).otherwise(keys_now[name])
            ).to_series().alias(name)
            if name in writes
            else keys_now[name]
            for name in key
        ]
    )  # fmt: skip
    new, old = (_joined(table, key, record_type) for table in (values, keys_now))
    lines = pl.DataFrame([rows[ROW_ID], rows[ROW], rows[IDENTIFIER], new.alias(_VALUE), old.alias("old")])
    lines = lines.filter(~pl.col(_VALUE).eq_missing(pl.col("old")))
    leavers = lines.drop_nulls([IDENTIFIER, "old"])
    lines = lines.drop_nulls(_VALUE)
    if lines.is_empty():
        return None
    values_now = _joined(now, key, record_type)
    owners = pl.DataFrame([now[IDENTIFIER].alias(_OWNER), values_now.alias(_VALUE)])
    shown = key_texts(now, key, record_type).select(pl.concat_str(pl.all(), separator=" ").alias(_SHOWN))
    owners = owners.hstack(shown).filter(pl.col(_VALUE).is_in(lines[_VALUE].implode()))
    met = lines.join(owners, on=_VALUE, how="left", maintain_order="left")
    is_own = (pl.col(_OWNER) == pl.col(IDENTIFIER)).fill_null(value=False)
    met = met.with_columns(pl.when(~is_own).then(name).alias(name) for name in (_OWNER, _SHOWN))
    met = met.sort(pl.col(_OWNER).is_null(), maintain_order=True).unique(ROW_ID, keep="first", maintain_order=True)
    several = pl.len().over(_VALUE) > 1
    twins = pl.when(several).then(pl.col(ROW).cast(pl.String).sort_by(ROW).str.join(", ").over(_VALUE))
    return _Claims(
        key,
        carried[-1],
        met.with_columns(twins.alias(_TWINS)).select(ROW_ID, _VALUE, _OWNER, _SHOWN, _TWINS),
        dict(leavers.select(IDENTIFIER, ROW_ID).iter_rows()),
        keys_now.with_columns(rows[ROW_ID]),
        values_now,
    )


def _joined(table: pl.DataFrame, key: Sequence[str], record_type: RecordType) -> pl.Series:
    """The values of a key as one text, whatever their capitals; null where one is blank."""
    texts = key_texts(table, key, record_type, _CAPITALS)
    return texts.select(pl.concat_str(pl.all(), separator=BETWEEN_FIELDS)).to_series()
